import { emptyDesign, type Design, type Form, type FormPart } from '../design';
import { field, lookup, number, OFFICE, table } from '../design/testing/office';
import { fillRows, formFromTable, formFromTables, moved, subformFor } from './generate';
import { allLevels, levelOf, levelTo } from './level';
import { formProblems } from './problems';
import { formSort } from './sort';
import { allParts, cellsOf, mapParts, partId, subformsOf } from './tree';

const [BORROWER, LOAN, FINE] = OFFICE.tables as [
  Design['tables'][0],
  Design['tables'][0],
  Design['tables'][0],
];
const all = (...tables: string[]) => tables.map((id) => ({ table: id, fields: null }));

/** The subforms of parts as an outline: `link(within, …)`. */
const outline = (parts: readonly FormPart[]): string =>
  subformsOf(parts)
    .map(({ link, parts: inner }) => `${link}(${outline(inner)})`)
    .join();

describe('formFromTable', () => {
  const form = formFromTable(OFFICE, LOAN, 'o_loan');
  const [subform] = subformsOf(form.parts);

  it('places every field, the key first and long texts last', () => {
    expect(cellsOf(form.parts).map((cell) => cell.field)).toEqual([
      'f_lNo',
      'f_lBorrower',
      'f_lFrom',
      'f_lDue',
      'f_lFee',
      'f_lState',
      'f_lNote',
    ]);
    expect(form.label).toBe('Loans');
  });

  it('makes a subform of every table that links to it, without the link itself', () => {
    expect(subformsOf(form.parts).map(({ link, label }) => [link, label])).toEqual([['f_fLoan', 'Fines']]);
    expect(cellsOf(subform!.parts).map((cell) => cell.field)).toEqual(['f_fNo', 'f_fAmount']);
  });

  it('keeps stamps and pictures out of the rows of a subform', () => {
    const more = [
      field('fBy', 'entered_by', { kind: 'stamp', of: 'createdBy' }),
      field('fPicture', 'picture', { kind: 'picture' }),
      field('fNote', 'note', { kind: 'longText' }),
    ];
    const tables = [BORROWER, LOAN, { ...FINE, fields: [...FINE.fields, ...more] }];
    const [made] = subformsOf(formFromTable({ ...OFFICE, tables }, LOAN, 'o_loan').parts);
    expect(cellsOf(made!.parts).map((cell) => cell.field)).toEqual(['f_fNo', 'f_fAmount', 'f_fNote']);
  });

  it('lets people read running numbers and type the rest', () => {
    expect(
      cellsOf(form.parts)
        .filter(({ people }) => people === 'read')
        .map((cell) => cell.field),
    ).toEqual(['f_lNo']);
  });

  it('fills the rows of the grid', () => {
    expect(
      cellsOf(form.parts)
        .slice(0, 3)
        .map(({ width }) => width),
    ).toEqual([3, 6, 3]);
    expect(formProblems(OFFICE, form)).toEqual([]);
  });
});

describe('formFromTables', () => {
  it('sees which is the parent and nests as deep as the links go, in whatever order they are named', () => {
    for (const tables of [
      ['t_borrower', 't_loan', 't_fine'],
      ['t_fine', 't_loan', 't_borrower'],
      ['t_loan', 't_fine', 't_borrower'],
    ]) {
      const { form, left } = formFromTables(OFFICE, all(...tables), 'o_x');
      expect(form.table).withContext(tables.join()).toBe('t_borrower');
      expect(outline(form.parts)).toEqual('f_lBorrower(f_fLoan())');
      expect(left).toEqual([]);
      expect(formProblems(OFFICE, form)).toEqual([]);
    }
  });

  it('takes the fields asked for alone, and says which tables nothing leads to', () => {
    const wanted = [
      { table: 't_loan', fields: ['f_lDue', 'f_lNo'] },
      { table: 't_borrower', fields: null },
    ];
    const { form, left } = formFromTables(OFFICE, [wanted[0]!], 'o_x', 'Due');
    expect(cellsOf(form.parts).map((cell) => cell.field)).toEqual(['f_lNo', 'f_lDue']);
    expect([form.label, left]).toEqual(['Due', []]);
    const alone = formFromTables(OFFICE, all('t_borrower', 't_fine'), 'o_y');
    expect([alone.form.table, alone.left.map(({ id }) => id)]).toEqual(['t_borrower', ['t_fine']]);
    expect(() => formFromTables(OFFICE, [], 'o_z')).toThrowError(/needs a table/);
  });

  it('ends where tables lead round in a circle, or to themselves', () => {
    const design: Design = {
      ...emptyDesign(),
      tables: [
        table('person', [
          field('pNo', 'number', number),
          field('pHead', 'head', lookup('person')),
          field('pTeam', 'team', lookup('team')),
        ]),
        table('team', [field('tNo', 'number', number), field('tLead', 'lead', lookup('person'))]),
      ],
    };
    const { form } = formFromTables(design, all('t_person', 't_team'), 'o_x');
    expect(outline(form.parts)).toEqual('f_tLead()');
    // One level of rows of the same table is a tree that the builder may ask for.
    const people = subformFor(design, { table: design.tables[0]!, field: design.tables[0]!.fields[1]! });
    const tree: Form = { ...form, parts: [...form.parts, people] };
    expect(formProblems(design, tree)).toEqual([]);
    expect(allLevels(levelOf(design, tree)!).map((level) => level.table.id)).toEqual([
      't_person',
      't_team',
      't_person',
    ]);
  });
});

describe('fillRows', () => {
  it('never changes the order and never overfills a row', () => {
    const cells = [6, 6, 3, 3, 3, 12, 6, 3].map((width, i) => ({
      part: 'cell' as const,
      field: `f_${i}`,
      width,
      people: 'type' as const,
    }));
    const filled = fillRows(cells);
    expect(filled.map((cell) => cell.field)).toEqual(cells.map((cell) => cell.field));
    let used = 0;
    for (const { width } of filled) {
      used = used + width > 12 ? width : used + width;
      expect(used).toBeLessThanOrEqual(12);
    }
    expect(filled.map(({ width }) => width)).toEqual([6, 6, 3, 3, 3, 12, 9, 3]);
  });
});

describe('moved', () => {
  it('moves within the list and stops at its ends', () => {
    expect(moved(['a', 'b', 'c'], 0, 1)).toEqual(['b', 'a', 'c']);
    expect(moved(['a', 'b', 'c'], 2, 9)).toEqual(['a', 'b', 'c']);
    expect(moved(['a', 'b', 'c'], 2, -4)).toEqual(['c', 'a', 'b']);
    expect(moved(['a'], 5, 0)).toEqual(['a']);
  });
});

/** A form with a cell in a section, one on a tab, and a subform within a subform on another. */
function deep(): Form {
  const { form } = formFromTables(OFFICE, all('t_borrower', 't_loan', 't_fine'), 'o_deep');
  const [no, name, ...cells] = form.parts.filter(({ part }) => part === 'cell');
  return {
    ...form,
    parts: [
      { part: 'note', id: 'n_a', width: 12, look: 'heading', text: 'Who it is' },
      { part: 'section', id: 's_a', label: 'Name', parts: [no!, name!] },
      {
        part: 'tabs',
        id: 'x_a',
        tabs: [
          { id: 'y_a', label: 'More', parts: cells },
          { id: 'y_b', label: 'Loans', parts: subformsOf(form.parts) },
        ],
      },
    ],
  };
}

describe('the tree of a form', () => {
  const form = deep();

  it('is read in order through sections and tabs, each level by itself', () => {
    expect(formProblems(OFFICE, form)).toEqual([]);
    expect(cellsOf(form.parts).map((cell) => cell.field)).toEqual([
      'f_bNo',
      'f_bName',
      'f_bEmail',
      'f_bActive',
    ]);
    expect(outline(form.parts)).toEqual('f_lBorrower(f_fLoan())');
    expect(allParts(form.parts).map(partId).slice(0, 5)).toEqual(['n_a', 's_a', 'f_bNo', 'f_bName', 'x_a']);
    const level = levelOf(OFFICE, form)!;
    expect(allLevels(level).map(({ table: { id }, cells }) => [id, cells.length])).toEqual([
      ['t_borrower', 4],
      ['t_loan', 6],
      ['t_fine', 2],
    ]);
    expect(levelTo(level, ['f_lBorrower', 'f_fLoan'])!.table.id).toBe('t_fine');
    expect(levelTo(level, ['f_fLoan'])).toBeNull();
    expect(levelOf(OFFICE, { ...form, table: 't_gone' })).toBeNull();
  });

  it('is made anew part by part, however deep one stands', () => {
    const ids = (parts: readonly FormPart[]): string[] => allParts(parts).map(partId);
    expect(mapParts(form.parts, (part) => part)).toEqual(form.parts);
    for (const gone of ids(form.parts)) {
      const left = mapParts(form.parts, (part) => (partId(part) === gone ? null : part));
      const whole = allParts(form.parts).find((part) => partId(part) === gone)!;
      expect(ids(left).sort())
        .withContext(gone)
        .toEqual(
          ids(form.parts)
            .filter((id) => !ids([whole]).includes(id))
            .sort(),
        );
    }
  });

  it('loses what is dropped wherever it stands, and says how it uses it', () => {
    for (const part of allParts(form.parts)) {
      if (part.part !== 'cell' && part.part !== 'subform') continue;
      const gone = new Set([partId(part)]);
      expect(formSort.use(form, gone)?.fate).withContext(partId(part)).toBe('taken off the form');
      const left = formSort.without(form, gone)!;
      expect(formSort.use(left, gone)).toBeNull();
      expect(formProblems(OFFICE, left)).toEqual([]);
    }
    expect(formSort.use(form, new Set(['f_other']))).toBeNull();
    expect(formSort.without(form, new Set(['t_borrower']))).toBeNull();
  });

  it('keeps the first of two that have become the same, at its level alone', () => {
    const doubled = mapParts(form.parts, (part) =>
      part.part === 'cell' && part.field === 'f_bEmail' ? { ...part, field: 'f_bName' } : part,
    );
    expect(formProblems(OFFICE, { ...form, parts: doubled })).toEqual(['A field stands twice in Borrowers.']);
    const tidied = formSort.tidy!({ ...form, parts: [...doubled, ...subformsOf(doubled)] });
    expect(formProblems(OFFICE, tidied)).toEqual([]);
    expect(cellsOf(tidied.parts).map((cell) => cell.field)).toEqual(['f_bNo', 'f_bName', 'f_bActive']);
    expect(outline(tidied.parts)).toEqual('f_lBorrower(f_fLoan())');
  });
});

describe('formProblems', () => {
  const form = formFromTable(OFFICE, LOAN, 'o_loan');
  const note: FormPart = { part: 'note', id: 'n_a', width: 12, look: 'note', text: 'Twice.' };

  it('finds fields, subforms and tables that are gone, at any level', () => {
    const cell: FormPart = { part: 'cell', field: 'f_gone', width: 3, people: 'type' };
    const within = mapParts(form.parts, (part) =>
      part.part === 'subform' ? { ...part, parts: [...part.parts, cell] } : part,
    );
    expect(formProblems(OFFICE, { ...form, table: 't_gone' })[0]).toContain('table of this form');
    expect(formProblems(OFFICE, { ...form, parts: [...form.parts, cell] })[0]).toContain('field of Loans');
    expect(formProblems(OFFICE, { ...form, parts: within })[0]).toContain('field of Fines');
    const wrong = { ...subformsOf(form.parts)[0]!, link: 'f_lBorrower' };
    expect(formProblems(OFFICE, { ...form, parts: [wrong] })[0]).toContain('does not fit');
    expect(formProblems(OFFICE, { ...form, parts: [note, note] })[0]).toContain('one id');
  });
});
