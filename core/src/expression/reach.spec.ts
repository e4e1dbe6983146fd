import { catalogOf } from '../design';
import { OFFICE } from '../design/testing/office';
import { bind } from './bind';
import { attempt } from './errors';
import { reached } from './reach';

describe('what names an expression may reach', () => {
  const catalog = catalogOf(OFFICE);
  const texts = (table: string, ...steps: string[]): string[] | undefined =>
    reached(catalog, table, steps)?.map(({ text }) => text);

  it('along lookups, and to the rows that lead here', () => {
    expect(texts('t_loan', 'borrower')).toEqual(jasmine.arrayContaining(['name', 'email', 'active']));
    // Rows of another table that lead to a borrower, and what those lead to.
    const [rows] = reached(catalog, 't_borrower', [])!.filter(({ what }) => what === 'many rows');
    expect(texts('t_borrower', rows!.text)).toEqual(jasmine.arrayContaining(['due_back', 'borrower']));
    expect(texts('t_borrower', rows!.text, 'borrower')).toEqual(jasmine.arrayContaining(['name']));
    expect(texts('t_loan', 'BORROWER')).toEqual(texts('t_loan', '"borrower"'));
  });

  it('nowhere behind what leads nowhere', () => {
    expect(reached(catalog, 't_loan', ['fee'])).toBeNull();
    expect(reached(catalog, 't_loan', ['borrower', 'name', 'x'])).toBeNull();
    expect(reached(catalog, 't_loan', ['nothing'])).toBeNull();
  });

  it('tells what is two links away by its whole way, and each of it can be written', () => {
    expect(texts('t_fine')).toEqual(jasmine.arrayContaining(['loan.fee', 'loan.borrower.name']));
    expect(texts('t_loan', 'borrower')!.some((text) => text.includes('.'))).toBeFalse();
    for (const { id } of OFFICE.tables)
      for (const { text, what } of reached(catalog, id, [])!) {
        const typed = what === 'many rows' ? `COUNT(${text})` : text;
        if (what !== 'one row')
          expect(attempt(() => bind(typed, { catalog, table: id })).ok)
            .withContext(`${id}: ${typed}`)
            .toBeTrue();
      }
  });
});
