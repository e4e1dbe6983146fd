import type { Form } from '../design';
import { OFFICE } from '../design/testing/office';
import { formFromTable } from './generate';
import { asList, paneAt, panesOf, sampled } from './list';
import { formProblems } from './problems';
import { allParts, columnsOf, mapParts, partId, subformsOf } from './tree';

const [BORROWER] = OFFICE.tables;
const LIST = asList(formFromTable(OFFICE, BORROWER!, 'o_list', 'Borrowers', 2));

/** The list with one of its subforms otherwise. */
const withSubform = (form: Form, link: string, rest: object): Form => ({
  ...form,
  parts: mapParts(form.parts, (part) =>
    part.part === 'subform' && part.link === link ? { ...part, ...rest } : part,
  ),
});

describe('a list screen', () => {
  it('is made of a form in one step: lists follow as deep as the links go, and nothing is typed into', () => {
    expect(formProblems(OFFICE, LIST)).toEqual([]);
    expect(panesOf(OFFICE, LIST).map(({ path, form }) => [path.join('/'), form.label, form.table])).toEqual([
      ['', 'Borrowers', 't_borrower'],
      ['f_lBorrower', 'Loans', 't_loan'],
      ['f_lBorrower/f_fLoan', 'Fines', 't_fine'],
    ]);
    for (const { form } of panesOf(OFFICE, LIST))
      expect(form.rights).toEqual({ add: false, change: false, delete: false });
  });

  it('gives each of its lists what follows none of: rows that are named in a cell stay, others follow', () => {
    const named = withSubform(LIST, 'f_lBorrower', { look: 'grid' });
    const [pane, ...others] = panesOf(OFFICE, named);
    expect(others).toEqual([]);
    expect(subformsOf(pane!.form.parts).map(({ link, most, sums }) => [link, most, sums])).toEqual([
      ['f_lBorrower', 3, []],
    ]);
    // In a cell there is no room for what lies deeper.
    expect(allParts(pane!.form.parts).filter(({ part }) => part === 'subform').length).toBe(1);
    expect(columnsOf(pane!.form.parts).map(partId)).toEqual([
      'f_bNo',
      'f_bName',
      'f_bEmail',
      'f_bActive',
      'f_lBorrower',
    ]);
    expect(subformsOf(panesOf(OFFICE, LIST)[0]!.form.parts)).toEqual([]);
  });

  it('keeps rights, conditions and order of each list', () => {
    const made = withSubform(LIST, 'f_lBorrower', {
      rights: { add: true, change: false, delete: true, relink: true },
      conditions: ['"#f_lFee" > 3'],
      order: [{ field: 'f_lFrom', descending: true }],
    });
    const { form } = paneAt(OFFICE, made, ['f_lBorrower'])!;
    expect(form.rights).toEqual({ add: true, change: false, delete: true });
    expect([form.conditions, form.order]).toEqual([
      ['"#f_lFee" > 3'],
      [{ field: 'f_lFrom', descending: true }],
    ]);
    expect(paneAt(OFFICE, made, ['f_fLoan'])).toBeNull();
  });

  it('has no lists where it is none, or where its table is gone', () => {
    const { list: _, ...record } = LIST;
    expect(panesOf(OFFICE, record)).toEqual([]);
    expect(panesOf({ ...OFFICE, tables: OFFICE.tables.slice(1) }, LIST)).toEqual([]);
    // What leads nowhere any more is left out, with what follows it.
    expect(panesOf({ ...OFFICE, tables: [BORROWER!, OFFICE.tables[2]!] }, LIST).length).toBe(1);
  });

  it('is sampled with few rows of each list', () => {
    const most = allParts(sampled(withSubform(LIST, 'f_fLoan', { look: 'grid', most: 2 }), 8).parts).flatMap(
      (part) => (part.part === 'subform' ? [[part.link, part.most]] : []),
    );
    expect(most).toEqual([
      ['f_lBorrower', 8],
      ['f_fLoan', 2],
    ]);
  });
});
