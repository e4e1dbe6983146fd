import type { ButtonAct, Design, Form, FormPart } from '../design';
import { OFFICE } from '../design/testing/office';
import { FULL, REPORT } from '../documents/testing/full';
import { changedTable, keyIs, reportLink, valueIs, waysTo } from './buttons';
import { formFromTable } from './generate';
import { levelOf, limitId, linkedPictures } from './level';
import { asList } from './list';
import { formProblems } from './problems';
import { formSort } from './sort';
import { allParts, cellsOf, inTabOrder, mapParts } from './tree';

const [BORROWER, LOAN, FINE] = OFFICE.tables as [
  Design['tables'][0],
  Design['tables'][0],
  Design['tables'][0],
];
const form = (table: Design['tables'][0], id = 'o_x'): Form => formFromTable(OFFICE, table, id);
const withButton = (does: ButtonAct, design = FULL): string[] => {
  const loans = design.forms[0]!;
  const part: FormPart = { part: 'button', id: 'b_new', label: 'Try', width: 3, does };
  return formProblems(design, { ...loans, parts: [...loans.parts, part] });
};

describe('the ways from a row to another screen', () => {
  it('are found from the links: itself, what its lookups lead to, what leads to it', () => {
    expect(waysTo(OFFICE, LOAN, form(LOAN))).toEqual([{ way: 'record', link: null }]);
    expect(waysTo(OFFICE, LOAN, form(BORROWER))).toEqual([{ way: 'record', link: 'f_lBorrower' }]);
    expect(waysTo(OFFICE, BORROWER, form(LOAN))).toEqual([{ way: 'new', link: 'f_lBorrower' }]);
    expect(waysTo(OFFICE, BORROWER, asList(form(LOAN)))).toEqual([{ way: 'rows', link: 'f_lBorrower' }]);
    expect(waysTo(OFFICE, BORROWER, form(FINE))).toEqual([]);
    expect(waysTo(OFFICE, LOAN, asList(form(BORROWER)))).toEqual([]);
  });

  it('need the lookup on the screen: as a column that is asked by, or as a field that is typed into', () => {
    const without = (made: Form): Form => ({
      ...made,
      parts: made.parts.filter((part) => part.part !== 'cell' || part.field !== 'f_lBorrower'),
    });
    const read = mapParts(form(LOAN).parts, (part) =>
      part.part === 'cell' ? { ...part, people: 'read' } : part,
    );
    expect(waysTo(OFFICE, BORROWER, without(asList(form(LOAN))))).toEqual([]);
    expect(waysTo(OFFICE, BORROWER, without(form(LOAN)))).toEqual([]);
    expect(waysTo(OFFICE, BORROWER, { ...form(LOAN), parts: read })).toEqual([]);
    const closed = { ...form(LOAN), rights: { add: false, change: true, delete: true } };
    expect(waysTo(OFFICE, BORROWER, closed)).toEqual([]);
  });
});

describe('a button', () => {
  it('belongs to a report by its table, or by a lookup of that', () => {
    expect(reportLink(FULL, LOAN, REPORT)).toBeNull();
    expect(reportLink(FULL, BORROWER, REPORT)?.id).toBe('f_lBorrower');
    expect(reportLink(FULL, FINE, REPORT)).toBeUndefined();
    const late = { ...REPORT, source: { kind: 'query', id: 'q_l' } } as const;
    expect(reportLink(FULL, BORROWER, late)?.id).toBe('f_lBorrower');
    expect(reportLink(FULL, LOAN, { ...late, source: { kind: 'query', id: 'q_gone' } })).toBeUndefined();
  });

  it('changes this row, those that lead to it, or those of a table; nothing that is gone', () => {
    const act = { act: 'change' as const, conditions: [], sets: [] };
    expect(changedTable(OFFICE, LOAN, { ...act, rows: 'this', of: null })?.id).toBe('t_loan');
    expect(changedTable(OFFICE, LOAN, { ...act, rows: 'belonging', of: 'f_fLoan' })?.id).toBe('t_fine');
    expect(changedTable(OFFICE, LOAN, { ...act, rows: 'all', of: 't_borrower' })?.id).toBe('t_borrower');
    expect(changedTable(OFFICE, BORROWER, { ...act, rows: 'belonging', of: 'f_fLoan' })).toBeUndefined();
    expect(changedTable(OFFICE, LOAN, { ...act, rows: 'all', of: 't_gone' })).toBeUndefined();
  });

  it('names a row by its key, whatever stands in it', () => {
    expect(keyIs(LOAN, [1000])).toBe('"#f_lNo" = 1000');
    const named = { ...BORROWER, key: ['f_bName', 'f_bNo'] };
    expect(keyIs(named, ["O'Hara", 3])).toBe(`"#f_bName" = 'O''Hara' AND "#f_bNo" = 3`);
    expect(
      valueIs(
        LOAN.fields.find(({ id }) => id === 'f_lFrom')!,
        '2026-11-04',
      ),
    ).toBe(`"#f_lFrom" = DATE '2026-11-04'`);
  });

  it('says what keeps it from working, each on the form that has it', () => {
    expect(formProblems(FULL, FULL.forms[0]!)).toEqual([]);
    const change = { act: 'change' as const, rows: 'this' as const, of: null, conditions: [] };
    const of = (field: string, expression: string): ButtonAct => ({
      ...change,
      sets: [{ field, expression }],
    });
    for (const [does, says] of [
      [{ act: 'print', report: 'p_gone' }, 'a report that is no longer there'],
      [{ act: 'open', screen: 'o_gone', link: null }, 'a screen that is no longer there'],
      [{ act: 'open', screen: 'o_l', link: 'f_lBorrower' }, 'nothing leads from here'],
      [{ ...change, sets: [] }, 'sets no field'],
      [of('f_gone', 'NULL'), 'sets a field that is no longer there'],
      [of('f_lNo', '1'), 'cannot set'],
      [of('f_lLate', '1'), 'cannot set'],
      [of('f_lDue', '1'), 'of another kind'],
      [of('f_lDue', '"#f_gone"'), 'cannot be worked out'],
      [{ ...change, rows: 'belonging', of: 'f_gone', sets: [] }, 'rows that are no longer there'],
      [
        { ...change, conditions: ['1 +'], sets: [{ field: 'f_lNote', expression: 'NULL' }] },
        'cannot be worked out',
      ],
    ] as [ButtonAct, string][])
      expect(withButton(does).join(' ')).withContext(JSON.stringify(does)).toContain(says);
    expect(withButton(of('f_lDue', 'CURRENT_DATE'))).toEqual([]);
  });
});

describe('a condition on a cell', () => {
  const limited = (more: object): Form => ({
    ...form(LOAN),
    parts: mapParts(form(LOAN).parts, (part) =>
      part.part === 'cell' && part.field === 'f_lFee' ? { ...part, ...more } : part,
    ),
  });

  it('is known by its field among what is worked out for a row', () => {
    const level = levelOf(OFFICE, limited({ readIf: '"#f_lDue" IS NULL', hideIf: '"#f_lFee" > 5' }))!;
    expect(level.limits.map(({ id, limit }) => [id, limit])).toEqual([
      [limitId('read', 'f_lFee'), 'read'],
      [limitId('hide', 'f_lFee'), 'hide'],
    ]);
  });

  it('that cannot be read any more closes rather than opens', () => {
    const cell = (more: object) =>
      levelOf(OFFICE, limited(more))!.cells.find(({ field }) => field.id === 'f_lFee')?.cell;
    expect(cell({ readIf: '"#f_gone"' })!.people).toBe('read');
    expect(cell({ hideIf: '"#f_gone"' })).toBeUndefined();
    expect(formProblems(OFFICE, limited({ hideIf: '"#f_gone"' })).join()).toContain('When Fee is seen');
    expect(formProblems(OFFICE, limited({ readIf: '"#f_lFee"' })).join()).toContain('When Fee is typed');
  });

  it('of which what it asks is gone takes the cell off the form, or closes it', () => {
    const gone = new Set(['f_lDue']);
    const cell = (more: object) =>
      cellsOf(formSort.without(limited(more), gone)!.parts).find(({ field }) => field === 'f_lFee');
    expect(cell({ hideIf: '"#f_lDue" IS NULL' })).toBeUndefined();
    expect(cell({ readIf: '"#f_lDue" IS NULL' })).toEqual({
      part: 'cell',
      field: 'f_lFee',
      width: 3,
      people: 'read',
    });
    expect(cell({ readIf: '"#f_lFrom" IS NULL' })!.readIf).toBe('"#f_lFrom" IS NULL');
  });
});

describe('the order of the Tab key', () => {
  it('is that of reading, or one made by hand with the rest behind it', () => {
    const made = form(LOAN);
    const ids = (of: Form): string[] => levelOf(OFFICE, of)!.cells.map(({ field }) => field.id);
    const reading = ids(made);
    expect(levelOf(OFFICE, made)!.isByHand).toBeFalse();
    const by = ids({ ...made, tabOrder: ['f_lDue', 'f_gone', 'f_lBorrower'] });
    expect(by.slice(0, 2)).toEqual(['f_lDue', 'f_lBorrower']);
    expect(by.slice(2)).toEqual(reading.filter((id) => !by.slice(0, 2).includes(id)));
    // Columns of a list stand where they stand.
    expect(ids({ ...asList(made), tabOrder: ['f_lDue'] })).toEqual(reading);
    expect(inTabOrder(['a', 'b', 'c'], undefined, (item) => item)).toEqual(['a', 'b', 'c']);
  });
});

describe('a picture beside a lookup', () => {
  const tables = OFFICE.tables.map((table) =>
    table.id === 't_borrower'
      ? {
          ...table,
          fields: [
            ...table.fields,
            { ...BORROWER.fields[1]!, id: 'f_bFace', name: 'face', type: { kind: 'picture' as const } },
          ],
        }
      : table,
  );
  const design = { ...OFFICE, tables };
  const list = (picture: string): Form => ({
    ...asList(form(LOAN)),
    parts: mapParts(form(LOAN).parts, (part) =>
      part.part === 'cell' && part.field === 'f_lBorrower' ? { ...part, picture } : part,
    ),
  });

  it('is one of the row to which it leads, and nothing else', () => {
    const [found] = linkedPictures(design, levelOf(design, list('f_bFace'))!);
    expect([found!.lookup.id, found!.picture.id, found!.table.id]).toEqual([
      'f_lBorrower',
      'f_bFace',
      't_borrower',
    ]);
    expect(formProblems(design, list('f_bFace'))).toEqual([]);
    for (const wrong of ['f_bName', 'f_lNote', 'f_gone']) {
      expect(linkedPictures(design, levelOf(design, list(wrong))!)).toEqual([]);
      expect(formProblems(design, list(wrong)).join()).toContain('picture beside Borrower');
    }
    const without = formSort.without(list('f_bFace'), new Set(['f_bFace']))!;
    expect(allParts(without.parts).some((part) => 'picture' in part)).toBeFalse();
  });
});
