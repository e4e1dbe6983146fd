import { OFFICE } from '../../../../core/src/design/testing/office';
import { alongWords } from './along-words';

describe('what goes along, in words', () => {
  const loan = { table: 't_loan', link: 'Borrower', more: false } as const;
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
      expect(alongWords(OFFICE, along)).toBe(words);
    });
});
