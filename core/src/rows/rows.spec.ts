import * as v from 'valibot';
import { OFFICE } from '../design/testing/office';
import { checkRow } from './check-row';
import { mergeEdit, SaveRequest } from './save';
import { startRow } from './start';
import { viewFor } from './view';

const CLOCK = { today: '2026-11-25', now: '2026-11-25T09:00:00Z' };
const [BORROWER, LOAN, FINE] = OFFICE.tables as [
  (typeof OFFICE.tables)[0],
  (typeof OFFICE.tables)[0],
  (typeof OFFICE.tables)[0],
];
const loan = {
  f_lBorrower: 1,
  f_lFrom: '2026-11-01',
  f_lDue: '2026-12-01',
  f_lFee: '3.50',
  f_lState: 'Out',
  f_lNote: null,
};

describe('mergeEdit', () => {
  it('lets edits of different fields through', () => {
    expect(mergeEdit({ a: 1, b: 'theirs' }, { a: 1 }, { a: 2 })).toEqual({ changes: { a: 2 }, clashes: [] });
  });

  it('finds a clash only where both changed one field to different things', () => {
    expect(mergeEdit({ a: 3 }, { a: 1 }, { a: 2 })).toEqual({ changes: {}, clashes: ['a'] });
    expect(mergeEdit({ a: 2 }, { a: 1 }, { a: 2 })).toEqual({ changes: {}, clashes: [] });
  });

  it('treats a missing value as empty', () => {
    expect(mergeEdit({}, { a: null }, { a: 'x' })).toEqual({ changes: { a: 'x' }, clashes: [] });
  });
});

describe('checkRow', () => {
  const problems = (row: Record<string, unknown>, table = LOAN) =>
    checkRow(OFFICE, table, row, CLOCK).map(({ field, message }) => `${field}: ${message}`);

  it('finds nothing wrong with a good row, whose running number the file will give', () => {
    expect(problems(loan)).toEqual([]);
  });

  it('says what is always filled', () => {
    expect(problems({ ...loan, f_lBorrower: null })).toEqual(['f_lBorrower: Borrower is always filled.']);
  });

  it('gives a rule’s own message, beside its field', () => {
    const [broken] = checkRow(OFFICE, LOAN, { ...loan, f_lDue: '2026-11-01' }, CLOCK);
    expect(broken).toEqual({ field: 'f_lDue', rule: 'r_due', message: 'It comes back after it was lent.' });
  });

  it('holds a rule that cannot be decided for kept, as SQL does', () => {
    expect(problems({ ...loan, f_lDue: null })).toEqual([]);
  });

  it('asks of a row in the file only what its change touches, of a new one everything', () => {
    const was = { ...loan, f_lDue: '2026-10-01', f_lState: 'Lost', f_lBorrower: null };
    const of = (row: Record<string, unknown>, isNew: boolean) =>
      checkRow(OFFICE, LOAN, row, { ...CLOCK, was, isNew }).map(({ field }) => field);
    expect(of({ ...was, f_lNote: 'A word' }, false)).toEqual([]);
    expect(of({ ...was, f_lFrom: '2026-10-02' }, false)).toEqual(['f_lDue']);
    expect(of({ ...was, f_lState: 'Gone' }, false)).toEqual(['f_lState']);
    expect(of(was, true)).toEqual(['f_lBorrower', 'f_lState', 'f_lDue']);
  });

  it('refuses values of the wrong kind', () => {
    expect(problems({ ...loan, f_lFee: 3.5 })[0]).toContain('Fee: A number written as text');
    expect(problems({ ...loan, f_lState: 'Lost' })[0]).toContain('is not one of Out, Back');
  });

  it('leaves rules over other rows to the file', () => {
    expect(problems({ f_fLoan: 1, f_fAmount: '999.00' }, FINE)).toEqual([]);
  });
});

describe('startRow', () => {
  it('fills in starting values; a tick without one is off', () => {
    expect(startRow(OFFICE, LOAN, CLOCK)).toEqual(
      jasmine.objectContaining({ f_lFrom: '2026-11-25', f_lState: 'Out', f_lFee: null }),
    );
    expect(startRow(OFFICE, BORROWER, CLOCK)['f_bActive']).toBe(true);
  });
});

describe('SaveRequest', () => {
  const refused: [string, unknown][] = [
    ['no changes', { changes: [] }],
    ['an unknown operation', { changes: [{ op: 'drop', table: 't_loan' }] }],
    ['a key that is no list', { changes: [{ op: 'delete', table: 't_loan', key: 1 }] }],
    [
      'an object for a value',
      { changes: [{ op: 'insert', table: 't_loan', values: { f_lFee: { $gt: 1 } } }] },
    ],
    ['a table that is no id', { changes: [{ op: 'insert', table: 'loan; DROP', values: {} }] }],
  ];
  for (const [what, request] of refused) {
    it(`refuses ${what}`, () => expect(v.safeParse(SaveRequest, request).success).toBeFalse());
  }
});

describe('a view of rows', () => {
  it('goes on where fields have come and gone', () => {
    const view = {
      columns: [
        { field: 'f_b', width: 90, hidden: false, frozen: true },
        { field: 'f_gone', hidden: false, frozen: false },
        { field: 'f_a', hidden: true, frozen: false },
      ],
      sort: [
        { field: 'f_gone', descending: true },
        { field: 'f_a', descending: false },
      ],
      conditions: ['TRUE'],
    };
    const kept = viewFor(view, ['f_a', 'f_b', 'f_new']);
    expect(kept.columns.map(({ field, hidden, frozen }) => [field, hidden, frozen])).toEqual([
      ['f_b', false, true],
      ['f_a', true, false],
      ['f_new', false, false],
    ]);
    expect(kept.sort).toEqual([{ field: 'f_a', descending: false }]);
    expect(kept.conditions).toEqual(['TRUE']);
  });
});
