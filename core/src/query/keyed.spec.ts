import { OFFICE } from '../design/testing/office';
import type { Design, Query } from '../design';
import { answeringProblem, keyedBy, keyedProblem, lookupProblems, toldSql } from './index';
import { newQuery } from './new';
import { so } from './scope';

const [BORROWER, LOAN, FINE] = OFFICE.tables as unknown as [
  Design['tables'][number],
  Design['tables'][number],
  Design['tables'][number],
];
const LATE: Query = {
  ...newQuery('q_late', 'Late', { id: 't_loan' }),
  where: [so('"#f_lDue" < CURRENT_DATE')],
};
const PEOPLE: Query = {
  ...newQuery('q_people', 'People', { id: 'q_late' }),
  group: {
    by: [{ id: 'who', label: 'Who', expression: '"#f_lBorrower"' }],
    measures: [{ id: 'n', label: 'Loans', total: 'count', expression: null }],
  },
};
const DESIGN: Design = { ...OFFICE, queries: [LATE, PEOPLE] };
const told = (design: Design, query: Query, table = LOAN): string =>
  toldSql(design, query, { table, keys: ['t."key"'] }, { today: '2026-01-01' }, (text) => `'${text}'`);

describe('rows that a query tells', () => {
  it('are its own, or those whose keys stand in a column, however far back', () => {
    expect(keyedBy(DESIGN, LATE, LOAN)).toEqual({ by: 'row' });
    expect(keyedBy(DESIGN, LATE, BORROWER)).toEqual({ by: 'column', column: 'f_lBorrower' });
    expect(keyedBy(DESIGN, PEOPLE, BORROWER)).toEqual({ by: 'column', column: 'who' });
    expect(keyedBy(DESIGN, PEOPLE, LOAN)).toBeNull();
    expect(keyedBy(DESIGN, PEOPLE, FINE)).toBeNull();
    // A date of a row is no row, though it stands in the column.
    const months = {
      ...PEOPLE,
      group: { ...PEOPLE.group!, by: [{ ...PEOPLE.group!.by[0]!, expression: '"#f_lDue"' }] },
    };
    expect(keyedBy(DESIGN, months, BORROWER)).toBeNull();
    // What the engine alone can read, and what reads itself, tells nothing.
    const sql = { sql: 'SELECT 1', columns: [] };
    expect(keyedBy(DESIGN, { ...LATE, written: sql } as never, LOAN)).toBeNull();
    const round = { ...PEOPLE, from: 'q_people' };
    expect(keyedBy({ ...DESIGN, queries: [round] }, round, BORROWER)).toBeNull();
  });

  it('are asked about one by one where they are its own, and else all at once', () => {
    expect(told(DESIGN, LATE)).toMatch(
      /^EXISTS \(SELECT 1 FROM "loan" AS t0 WHERE t0."number" = t."key" AND /,
    );
    expect(told(DESIGN, { ...LATE, first: 3 })).toMatch(/^\(t\."key"\) IN \(SELECT k0 FROM [\s\S]*LIMIT 3/);
    expect(told(DESIGN, PEOPLE, BORROWER)).toMatch(/^\(t\."key"\) IN \(WITH /);
    expect(() => told(DESIGN, PEOPLE, FINE)).toThrowError(/tells no rows of Fine/);
  });

  it('are those as of the day that is said, or else of the file’s own', () => {
    expect(told(DESIGN, LATE)).toContain("'2026-01-01'");
    const own = toldSql(DESIGN, LATE, { table: LOAN, keys: ['t.x'] }, {}, (text) => `'${text}'`);
    expect(own).not.toContain('2026-01-01');
    expect(own).toContain('now');
  });

  it('say what keeps them from being told', () => {
    expect(keyedProblem(DESIGN, 'q_late', LOAN)).toBeNull();
    expect(keyedProblem(DESIGN, 'q_gone', LOAN)).toBe('is no longer there');
    expect(keyedProblem(DESIGN, 'q_people', LOAN)).toBe(
      'does not tell which loans are meant: none stand in its rows',
    );
    const asks = (start: string | null, needed: boolean): Design => ({
      ...DESIGN,
      queries: [
        {
          ...LATE,
          questions: [{ id: 'a_x', name: 'x', label: 'Since?', answer: { kind: 'date' }, start, needed }],
        },
      ],
    });
    expect(keyedProblem(asks(null, true), 'q_late', LOAN)).toBe(
      'asks “Since?”, which has no answer to start with',
    );
    for (const design of [asks(null, false), asks('CURRENT_DATE', true)])
      expect(keyedProblem(design, 'q_late', LOAN)).toBeNull();
    const by = '"#f_fLoan"."#f_lFrom"';
    expect(keyedProblem(asks(null, true), 'q_late', LOAN, [{ question: 'a_x', by }])).toBeNull();
    const query = asks(null, true).queries[0]!;
    expect(answeringProblem(DESIGN, query, FINE, [{ question: 'a_x', by }])).toBeNull();
    expect(answeringProblem(DESIGN, query, FINE, [{ question: 'a_gone', by: '"#f_gone"' }])).toBeNull();
    expect(answeringProblem(DESIGN, query, FINE, [{ question: 'a_x', by: '"#f_fAmount"' }])).toMatch(
      /^What answers “Since\?” is .* is asked for\.$/,
    );
    expect(answeringProblem(DESIGN, query, FINE, [{ question: 'a_x', by: '"#f_gone"' }])).toMatch(
      /cannot be worked out/,
    );
  });

  it('of lookups are told with the field', () => {
    const withQuery = (query: string): Design => ({
      ...DESIGN,
      tables: OFFICE.tables.map((table) => ({
        ...table,
        fields: table.fields.map((field) =>
          field.id === 'f_lBorrower' && field.type.kind === 'lookup'
            ? { ...field, type: { ...field.type, query } }
            : field,
        ),
      })),
    });
    expect(lookupProblems(withQuery('q_people'))).toEqual([]);
    expect(lookupProblems(withQuery('q_gone'))).toEqual([
      {
        table: 't_loan',
        field: 'f_lBorrower',
        message: 'The query whose rows Borrower offers is no longer there.',
      },
    ]);
  });
});
