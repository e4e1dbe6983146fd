import { deletion } from './deleting';

describe('what is asked before rows are deleted', () => {
  const loan = { table: 't_loan', one: 'Loan', many: 'Loans', link: 'Borrower', more: false } as const;
  const cases = [
    [{ ...loan, becomes: 'deleted', count: 1 }, '1 loan goes along (Borrower).'],
    [{ ...loan, becomes: 'deleted', count: 1200 }, '1,200 loans go along (Borrower).'],
    [{ ...loan, becomes: 'emptied', count: 2 }, '2 loans stay, with Borrower left empty.'],
    [
      { ...loan, becomes: 'in the way', count: 1 },
      '1 loan, by Borrower: it has to be deleted or changed first.',
    ],
    [
      { ...loan, becomes: 'in the way', count: 10_000, more: true },
      'more than 10,000 loans, by Borrower: they have to be deleted or changed first.',
    ],
  ] as const;
  for (const [along, words] of cases)
    it(words, () => {
      expect(deletion('borrower 3', true, [along]).lines).toEqual([words]);
    });

  it('tells what goes along and what is emptied, and lets it be done', () => {
    const asked = deletion('3 borrowers', false, [cases[1][0], cases[2][0]]);
    expect([asked.title, asked.act, asked.stay]).toEqual(['Delete 3 borrowers?', 'Delete', 'Keep them']);
    expect(asked.lines!.length).toBe(2);
  });

  it('tells what stands in the way alone, and lets nothing be done', () => {
    const asked = deletion('borrower 3', true, [cases[0][0], cases[3][0]]);
    expect([asked.title, asked.act, asked.stay]).toEqual([
      'Borrower 3 cannot be deleted',
      undefined,
      'Close',
    ]);
    expect(asked.lines).toEqual([cases[3][1]]);
  });
});
