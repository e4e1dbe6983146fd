import { FULL } from '../documents/testing/full';
import { displayOf, type Form, type RoleDefinition } from '../design';
import { cellsOf, subformsOf } from '../form';
import { designFor } from './design-for';
import type { TableRights } from './limits';
import { conditionsOn, roleSort, screenFor, seesField } from './roles';
import { addableTables, refusedChange, seesLookup, visibleFields, type Viewer } from './viewer';

const ALL: Omit<TableRights, 'table'> = {
  read: true,
  add: true,
  change: true,
  delete: true,
  own: null,
  conditions: [],
};
const role = (rest: Partial<RoleDefinition>): RoleDefinition => ({
  type: 'role',
  id: 'g_x',
  label: 'X',
  screens: ['o_l'],
  tables: [],
  fields: [],
  ...rest,
});
const [FORM] = FULL.forms as [Form];
const screen = (rest: Partial<RoleDefinition>, name = 'Ada'): Form | null =>
  screenFor(FULL, role(rest), FORM, name);

describe('a role', () => {
  it('has the screens it names, and changes nothing of them by itself', () => {
    expect(screen({ screens: [] })).toBeNull();
    expect(screen({})).toEqual({
      ...FORM,
      parts: FORM.parts.map((part) =>
        part.part === 'subform' ? { ...part, rights: { ...part.rights } } : part,
      ),
    });
  });

  it('gives nobody more than a screen does, and takes what it says', () => {
    for (const right of ['add', 'change', 'delete'] as const) {
      const less = screen({
        tables: [
          { ...ALL, table: 't_loan', [right]: false },
          { ...ALL, table: 't_fine', [right]: false },
        ],
      })!;
      expect(less.rights).toEqual({ ...FORM.rights, [right]: false });
      expect(subformsOf(less.parts)[0]!.rights[right]).toBeFalse();
      const strict = { ...FORM, rights: { add: false, change: false, delete: false } };
      expect(screenFor(FULL, role({}), strict, 'Ada')!.rights).toEqual(strict.rights);
    }
  });

  it('without a table has no screen over it, no rows of it within others, and chooses none of them', () => {
    expect(screen({ tables: [{ ...ALL, table: 't_loan', read: false }] })).toBeNull();
    const without = screen({ tables: [{ ...ALL, table: 't_fine', read: false }] })!;
    expect(subformsOf(without.parts)).toEqual([]);
    const apart = screen({ tables: [{ ...ALL, table: 't_borrower', read: false }] })!;
    expect(cellsOf(apart.parts).find(({ field }) => field === 'f_lBorrower')!.people).toBe('read');
  });

  it('sees its own rows, and those that meet what the builder says, whatever its name is', () => {
    const tables = [{ ...ALL, table: 't_loan', own: 'f_lNote', conditions: ['"#f_lFee" > 1'] }];
    expect(conditionsOn(role({ tables }), 't_loan', "O'Hara")).toEqual([
      `"#f_lNote" = 'O''Hara'`,
      '"#f_lFee" > 1',
    ]);
    const shown = screen({ tables }, "' OR TRUE OR '")!;
    expect(shown.conditions!.slice(-2)).toEqual([`"#f_lNote" = ''' OR TRUE OR '''`, '"#f_lFee" > 1']);
    expect(roleSort.problems(FULL, role({ tables }))).toEqual([]);
    expect(conditionsOn(role({ tables }), 't_fine', 'Ada')).toEqual([]);
  });

  it('does not see or type into fields that are kept from it, and no other table tells of them', () => {
    const fields = [
      { field: 'f_lFee', people: 'read' as const },
      { field: 'f_lNote', people: 'hidden' as const },
      { field: 'f_bName', people: 'hidden' as const },
    ];
    const shown = screen({ fields })!;
    const cells = new Map(cellsOf(shown.parts).map(({ field, people }) => [field, people]));
    expect([cells.get('f_lFee'), cells.has('f_lNote')]).toEqual(['read', false]);
    const duty = role({ fields });
    expect(seesField(FULL, duty, 'f_lNote')).toBeFalse();
    const design = designFor(FULL, duty);
    for (const table of design.tables) expect(displayOf(table)).not.toContain('f_bName');
    expect(design.tables[0]!.display).toBe('"#f_bEmail"');
    expect(designFor(FULL, duty)).toBe(design);
    expect(designFor(FULL, role({}))).toBe(FULL);
    const viewer: Viewer = { id: 'a', name: 'Ada', role: 'colleague', duty, screen: shown };
    const loan = FULL.tables[1]!;
    expect(visibleFields(FULL, viewer, loan).map(({ id }) => id)).not.toContain('f_lNote');
    for (const field of ['f_lFee', 'f_lNote'])
      expect(
        refusedChange(FULL, viewer, {
          op: 'update',
          table: 't_loan',
          key: [1],
          values: { [field]: null },
          was: {},
        }),
      ).toContain('only for reading');
  });

  it('chooses from, and adds to, tables that are there for it alone', () => {
    const adding: typeof FULL = {
      ...FULL,
      tables: FULL.tables.map((table) => ({
        ...table,
        fields: table.fields.map((field) =>
          field.type.kind === 'lookup' ? { ...field, type: { ...field.type, addHere: true } } : field,
        ),
      })),
    };
    const of = (tables: TableRights[]): Viewer => {
      const duty = role({ tables });
      return { id: 'a', name: 'Ada', role: 'colleague', duty, screen: screenFor(adding, duty, FORM, 'Ada') };
    };
    const ids = (viewer: Viewer) => addableTables(adding, viewer).map(({ id }) => id);
    expect([ids(of([])), seesLookup(adding, of([]), 'f_lBorrower')]).toEqual([['t_borrower'], true]);
    expect(ids(of([{ ...ALL, table: 't_borrower', add: false }]))).toEqual([]);
    const none = of([{ ...ALL, table: 't_borrower', read: false }]);
    expect([ids(none), seesLookup(adding, none, 'f_lBorrower')]).toEqual([[], false]);
  });

  it('loses sight of a table when nobody knows any more which of its rows were meant', () => {
    const tables = [{ ...ALL, table: 't_loan', conditions: ['"#f_lState" = \'Out\'', '"#f_lFee" > 1'] }];
    const next = roleSort.without(role({ tables }), new Set(['f_lState']))!;
    expect(next.tables).toEqual([{ ...tables[0]!, read: false, conditions: ['"#f_lFee" > 1'] }]);
    expect(roleSort.use(role({ tables }), new Set(['f_lState']))!.use).toBe('which rows there are');
  });

  it('says what of it is no longer there', () => {
    expect(
      roleSort.problems(
        FULL,
        role({
          screens: ['o_gone'],
          tables: [
            { ...ALL, table: 't_gone' },
            { ...ALL, table: 't_loan', own: 'f_gone', conditions: ['"#f_lFee" +'] },
          ],
          fields: [{ field: 'f_gone', people: 'read' }],
        }),
      ).length,
    ).toBe(5);
  });
});
