import { field, OFFICE } from '../design/testing/office';
import { fillRows, formFromTable, moved } from './generate';
import { formProblems } from './problems';

const LOAN = OFFICE.tables[1]!;

describe('formFromTable', () => {
  const form = formFromTable(OFFICE, LOAN, 'o_loan');

  it('places every field, the key first and long texts last', () => {
    expect(form.fields.map(({ field }) => field)).toEqual([
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
    expect(form.subforms.map(({ link, label }) => [link, label])).toEqual([['f_fLoan', 'Fines']]);
    expect(form.subforms[0]!.fields.map(({ field }) => field)).toEqual(['f_fNo', 'f_fAmount']);
  });

  it('keeps stamps and pictures out of the rows of a subform', () => {
    const fine = OFFICE.tables[2]!;
    const more = [
      field('fBy', 'entered_by', { kind: 'stamp', of: 'createdBy' }),
      field('fPicture', 'picture', { kind: 'picture' }),
      field('fNote', 'note', { kind: 'longText' }),
    ];
    const tables = OFFICE.tables.map((table) =>
      table === fine ? { ...fine, fields: [...fine.fields, ...more] } : table,
    );
    const [subform] = formFromTable({ ...OFFICE, tables }, LOAN, 'o_loan').subforms;
    expect(subform!.fields.map(({ field: id }) => id)).toEqual(['f_fNo', 'f_fAmount', 'f_fNote']);
  });

  it('lets people read running numbers and type the rest', () => {
    expect(form.fields.filter(({ people }) => people === 'read').map(({ field }) => field)).toEqual([
      'f_lNo',
    ]);
  });

  it('fills the rows of the grid', () => {
    expect(form.fields.slice(0, 3).map(({ width }) => width)).toEqual([3, 6, 3]);
    expect(formProblems(OFFICE, form)).toEqual([]);
  });
});

describe('fillRows', () => {
  it('never changes the order and never overfills a row', () => {
    const fields = [6, 6, 3, 3, 3, 12, 6, 3].map((width, i) => ({
      field: `f_${i}`,
      width,
      people: 'type' as const,
    }));
    const filled = fillRows(fields);
    expect(filled.map(({ field }) => field)).toEqual(fields.map(({ field }) => field));
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

describe('formProblems', () => {
  const form = formFromTable(OFFICE, LOAN, 'o_loan');

  it('finds fields, subforms and tables that are gone', () => {
    expect(formProblems(OFFICE, { ...form, table: 't_gone' })[0]).toContain('table of this form');
    expect(formProblems(OFFICE, { ...form, hidden: ['f_gone'] })[0]).toContain('field of this form');
    expect(
      formProblems(OFFICE, { ...form, subforms: [{ ...form.subforms[0]!, link: 'f_lBorrower' }] })[0],
    ).toContain('does not fit');
  });
});
