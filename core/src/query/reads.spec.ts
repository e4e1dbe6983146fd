import { OFFICE } from '../design/testing/office';
import type { Design, Query } from '../design';
import { newQuery } from './new';
import { tablesRead } from './reads';
import { so } from './scope';

const [, LOANS] = OFFICE.tables as [Design['tables'][number], Design['tables'][number]];
const query = (rest: Partial<Query> = {}): Query => ({ ...newQuery('q_a', 'A', LOANS), ...rest });
const column = (expression: string): Query['columns'][number] => ({ id: 'c', label: 'C', expression });
const read = (asked: Query, design: Design = OFFICE): string[] | null => {
  const found = tablesRead(design, asked);
  return found && [...found].sort();
};

describe('the tables that a query reads', () => {
  it('are those it begins with, and those its links, lookups and conditions lead to', () => {
    expect(read(query({ columns: [column('"#f_lDue"')] }))).toEqual(['t_loan']);
    // A lookup is shown as the row it leads to.
    expect(read(query({ columns: [column('"#f_lBorrower"')] }))).toEqual(['t_borrower', 't_loan']);
    // By the lookup that leads back, what a loan is shown as counts too: rather one too many.
    const where = [so('SUM("#f_fLoan"."#f_fAmount") > 1')];
    expect(read(query({ columns: [column('1')], where }))).toEqual(['t_borrower', 't_fine', 't_loan']);
    const joins: Query['joins'] = [
      { id: 'j', at: null, by: { by: 'link', link: 'f_lBorrower' }, keepWithout: true },
    ];
    expect(read(query({ columns: [column('1')], joins }))).toEqual(['t_borrower', 't_loan']);
  });

  it('are all whose fields are shown where nothing says which', () => {
    expect(read(query())).toContain('t_borrower');
  });

  it('are read through other queries too; of SQL nobody knows', () => {
    const inner = query({ id: 'q_b', columns: [column('"#f_lBorrower"')] });
    const design: Design = { ...OFFICE, queries: [inner] };
    expect(read({ ...newQuery('q_c', 'C', { id: 'q_b' }) }, design)).toEqual(['t_borrower', 't_loan']);
    const written: Design = { ...OFFICE, queries: [{ ...inner, written: { sql: 'SELECT 1', columns: [] } }] };
    expect(read({ ...newQuery('q_c', 'C', { id: 'q_b' }) }, written)).toBeNull();
  });
});
