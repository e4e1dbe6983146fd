import { applyChanges, type Change } from '../change';
import { emptyDesign, type Design, type FieldType } from '../design';
import { field, lookup, OFFICE, table } from '../design/testing/office';
import { formFromTable } from '../form';
import { newQuery } from '../query';
import { differences } from './difference';
import { fromFolder, toFolder } from './folder';
import { standardDdl } from './standard-sql';

const LOAN = OFFICE.tables[1]!;
const FULL: Design = {
  ...OFFICE,
  queries: [newQuery('q_loans', 'Loans: all', LOAN)],
  forms: [formFromTable(OFFICE, LOAN, 'o_loan')],
};

describe('a definition as a folder', () => {
  it('is the same bytes for the same design, one file an object', () => {
    const files = toFolder(FULL);
    expect(files.map(({ path }) => path)).toEqual([
      'forms/loans.o_loan.json',
      'order.json',
      'queries/loans-all.q_loans.json',
      'settings.json',
      'tables/borrower.t_borrower.json',
      'tables/fine.t_fine.json',
      'tables/loan.t_loan.json',
    ]);
    expect(toFolder(JSON.parse(JSON.stringify(FULL)) as Design)).toEqual(files);
  });

  it('changes one file when one object changes', () => {
    const change: Change = {
      change: 'changeField',
      table: 't_loan',
      field: 'f_lFee',
      set: { label: 'Price', name: 'price' },
    };
    const [before, after] = [toFolder(FULL), toFolder(applyChanges(FULL, [change]))];
    const changed = after.filter(({ text }, i) => text !== before[i]!.text);
    expect(changed.map(({ path }) => path)).toEqual(['tables/loan.t_loan.json']);
    const lines = (text: string): string[] => text.split('\n');
    const old = lines(before.find(({ path }) => path === changed[0]!.path)!.text);
    expect(lines(changed[0]!.text).filter((line, i) => line !== old[i]).length).toBe(2);
  });

  it('reads back as it was, whatever the order of the files', () => {
    const read = fromFolder([...toFolder(FULL)].reverse());
    expect(read).toEqual({
      ok: true,
      design: jasmine.objectContaining({ tables: FULL.tables, queries: FULL.queries, forms: FULL.forms }),
    });
  });

  const bad: [string, string, RegExp][] = [
    ['no JSON', '{', /tables\/x\.json is no JSON/],
    ['another shape', '{"type":"table"}', /tables\/x\.json/],
    ['a doubled id', JSON.stringify(FULL.tables[0]), /Two files describe t_borrower/],
  ];
  for (const [what, text, words] of bad)
    it(`says which file is at fault: ${what}`, () => {
      const read = fromFolder([...toFolder(FULL), { path: 'tables/x.json', text }]);
      expect(!read.ok && read.message).toMatch(words);
    });

  it('names a member that is misspelt, wherever it stands', () => {
    for (const file of toFolder(FULL).filter(({ path }) => path !== 'order.json')) {
      const given = JSON.parse(file.text) as Record<string, unknown>;
      const objects: [place: string, object: Record<string, unknown>][] = [];
      const visit = (value: unknown, place: string): void => {
        if (typeof value !== 'object' || value === null) return;
        if (!Array.isArray(value)) objects.push([place, value as Record<string, unknown>]);
        for (const [name, inner] of Object.entries(value)) visit(inner, `${place}${name}.`);
      };
      visit(given, '');
      for (const [place, object] of objects) {
        object['misspelt'] = null;
        const files = toFolder(FULL).map((other) =>
          other.path === file.path ? { ...other, text: JSON.stringify(given) } : other,
        );
        const read = fromFolder(files);
        delete object['misspelt'];
        expect(!read.ok && read.message).toBe(`${file.path}, ${place}misspelt: This is not known here.`);
      }
    }
    expect(fromFolder(toFolder(FULL)).ok).toBeTrue();
  });

  it('brings along what is kept as SQL, both ways', () => {
    const kept = [
      {
        type: 'kept',
        id: 'k_v',
        table: null,
        what: 'view',
        name: 'v',
        sql: 'CREATE VIEW v AS SELECT 1 AS one',
      },
      { type: 'kept', id: 'k_c', table: 't_loan', what: 'check', name: 'c', sql: 'fee IS NOT 13' },
    ] as const;
    const read = fromFolder(toFolder({ ...FULL, kept }));
    expect(read.ok && read.design.kept).toEqual([...kept]);
    const changes = differences(FULL, { ...FULL, kept });
    expect(changes.map(({ change }) => change)).toEqual(['putKept', 'putKept']);
    expect(applyChanges(FULL, changes).kept).toEqual(kept);
    const other = { ...kept[0], sql: 'CREATE VIEW v AS SELECT 2 AS two' };
    expect(differences({ ...FULL, kept: [kept[0]] }, { ...FULL, kept: [other] })).toEqual([
      { change: 'putKept', kept: other },
    ]);
  });

  it('says what people could not tell apart', () => {
    const [first, ...others] = FULL.tables;
    const same = { ...FULL, tables: [first!, ...others.map((other) => ({ ...other, label: ' BORROWER' }))] };
    const tables = fromFolder(toFolder(same));
    expect(!tables.ok && tables.message).toMatch(/Two tables are called/);
    const fields = first!.fields.map((each) => ({ ...each, label: 'Name' }));
    const doubled = fromFolder(toFolder({ ...FULL, tables: [{ ...first!, fields }, ...others] }));
    expect(!doubled.ok && doubled.message).toBe('Borrower has two fields called Name.');
  });

  it('is refused when nothing is in it', () => {
    expect(fromFolder([{ path: 'readme.txt', text: 'x' }]).ok).toBeFalse();
  });
});

describe('the differences of two designs', () => {
  const extra = field('x', 'extra', { kind: 'date' });
  const drafts: [string, Change[]][] = [
    ['nothing', []],
    [
      'a new field, moved',
      [
        { change: 'addField', table: 't_loan', field: extra },
        { change: 'moveField', table: 't_loan', field: 'f_x', to: 1 },
      ],
    ],
    [
      'fields in another order',
      [
        { change: 'moveField', table: 't_loan', field: 'f_lNote', to: 0 },
        { change: 'moveField', table: 't_loan', field: 'f_lNo', to: 6 },
      ],
    ],
    ['a dropped field', [{ change: 'dropField', table: 't_loan', field: 'f_lNote' }]],
    [
      'a dropped table and a new one',
      [
        { change: 'dropTable', table: 't_fine' },
        { change: 'addTable', table: table('shelf', [field('s', 'number', { kind: 'wholeNumber' })]) },
      ],
    ],
    [
      'a changed table',
      [
        {
          change: 'changeTable',
          table: 't_loan',
          set: { order: [{ field: 'f_lDue', descending: true }], display: null },
        },
      ],
    ],
    ['settings', [{ change: 'changeSettings', set: { currency: 'EUR', timeZone: 'Europe/Berlin' } }]],
    [
      'documents',
      [
        { change: 'dropDocument', document: 'o_loan' },
        { change: 'putDocument', document: { ...FULL.queries[0]!, label: 'Other' } },
      ],
    ],
    [
      'a kind',
      [
        {
          change: 'changeField',
          table: 't_loan',
          field: 'f_lNote',
          set: { type: { kind: 'date' }, alwaysFilled: true },
        },
      ],
    ],
  ];
  for (const [what, changes] of drafts)
    it(`lead from one to the other: ${what}`, () => {
      const after = applyChanges(FULL, changes);
      expect(applyChanges(FULL, differences(FULL, after))).toEqual(after);
      expect(differences(after, after)).toEqual([]);
    });
});

describe('the schema in standard SQL', () => {
  const sql = standardDdl(OFFICE);

  it('says keys, links, kinds, starting values and rules', () => {
    for (const part of [
      'CREATE TABLE "loan" (',
      '"number" BIGINT GENERATED BY DEFAULT AS IDENTITY (START WITH 1000) NOT NULL',
      '"lent_on" DATE DEFAULT CURRENT_DATE NOT NULL',
      '"fee" DECIMAL(15, 2)',
      `"state" VARCHAR(4) DEFAULT 'Out' CHECK ("state" IN ('Out', 'Back'))`,
      'CONSTRAINT "r_due" CHECK ("due_back" > "lent_on")',
      'ALTER TABLE "fine" ADD CONSTRAINT "f_fLoan" FOREIGN KEY ("loan")\n  REFERENCES "loan" ("number") ON DELETE CASCADE ON UPDATE CASCADE;',
    ])
      expect(sql).toContain(part);
  });

  it('leaves what no CHECK may say as a comment', () => {
    expect(sql).toContain('-- rule: amount <= loan.fee');
  });

  it('quotes names, and texts that mean harm', () => {
    const type: FieldType = { kind: 'choice', choices: ["'); DROP TABLE x; --"] };
    const odd = table('or"der', [field('a', 'select', { kind: 'wholeNumber' }), field('b', 'group', type)]);
    const written = standardDdl({ ...emptyDesign(), tables: [odd] });
    expect(written).toContain('CREATE TABLE "or""der"');
    expect(written).toContain("'''); DROP TABLE x; --'");
  });

  it('takes the kind of a lookup from the key it leads to', () => {
    const code = table('code', [field('c', 'code', { kind: 'text', most: 5 })]);
    const use = table('use', [field('u', 'code', lookup('code'))]);
    expect(standardDdl({ ...emptyDesign(), tables: [code, use] })).toContain(
      'CREATE TABLE "use" (\n  "code" VARCHAR(5) NOT NULL',
    );
  });
});
