import fc from 'fast-check';
import { OFFICE } from '../design/testing/office';
import type { Design, Query, Written } from '../design';
import { compileQuery } from './compile';
import { newQuery } from './new';
import { plainQuery } from './plain-sql';
import { outputColumns } from './scope';
import { plainSentence } from './sentence';
import { queryProblems } from './validate';
import { fieldsOfWritten, sqlFault, sqlWith } from './written';

const COLUMNS: Written['columns'] = [
  {
    id: 'w_a',
    name: 'amount',
    label: 'Amount',
    result: { kind: 'money', places: 2, currency: null },
    scaled: true,
  },
  { id: 'w_b', name: 'amount', label: 'Amount', result: { kind: 'decimal', places: 1 }, scaled: false },
  { id: 'w_c', name: 'who', label: 'Who', result: { kind: 'text', most: null }, scaled: false },
] as Written['columns'];
const QUERY: Query = {
  ...newQuery('q_sql', 'In SQL', OFFICE.tables[1]!),
  written: { sql: 'SELECT fee AS amount, 1.5 AS amount, :who AS who FROM loan;', columns: COLUMNS },
  questions: [
    { id: 'a_who', name: 'who', label: 'Who', answer: { kind: 'text' }, start: "'Ada'", needed: false },
  ],
};
const DESIGN: Design = { ...OFFICE, queries: [QUERY] };

describe('a query in SQL', () => {
  it('is one statement that reads, whatever stands in its texts and comments', () => {
    for (const sql of [
      'SELECT 1',
      "  -- DROP\n/* ; ( */ WITH x AS (SELECT ';)' AS a) SELECT * FROM x ; ;",
      'VALUES (1), (2)',
      'SELECT "a;b", [c)d], `e(f` FROM t',
      "SELECT 'it''s', x'00', 1e5, .5, a->>'$.b'",
    ])
      expect(sqlFault(sql, [])).withContext(sql).toBeNull();
    const at = (sql: string): string | null => {
      const fault = sqlFault(sql, ['who']);
      return fault && sql.slice(fault.from, fault.to);
    };
    expect(at('EXPLAIN SELECT 1')).toBe('EXPLAIN');
    expect(at('SELECT 1; SELECT 2')).toBe('SELECT');
    expect(at('SELECT (1')).toBe('(');
    expect(at('SELECT :who, :when')).toBe(':when');
    expect(at('SELECT :WHO')).toBeNull();
    expect(at("SELECT ':when' -- :when")).toBeNull();
    expect(at('SELECT /* open')).toBeNull();
  });

  it('never falls over what is typed', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme', maxLength: 60 }),
        fc.string({ maxLength: 20 }),
        (text, more) => {
          const fault = sqlFault(`SELECT ${text}`, [more]);
          if (fault) {
            expect(fault.from).toBeGreaterThanOrEqual(0);
            expect(fault.to).toBeLessThanOrEqual(text.length + 7);
          }
          sqlWith(`SELECT ${text}`, new Map());
        },
      ),
      { numRuns: 500, seed: 20261128 },
    );
  });

  it('takes answers as literals, and ends where its statement does', () => {
    const answers = new Map([['who', "'O''Hara'"]]);
    expect(sqlWith("SELECT :who, ':who', :Who -- :who\n; -- more", answers)).toBe(
      "SELECT 'O''Hara', ':who', 'O''Hara' -- :who",
    );
    expect(plainQuery(DESIGN, QUERY, '2026-11-28')).toBe(
      "SELECT fee AS amount, 1.5 AS amount, ('Ada') AS who FROM loan",
    );
    expect(plainQuery(DESIGN, QUERY, '2026-11-28', { a_who: "x'); --" })).toContain("'x''); --' AS who");
  });

  it('is a table to others: its columns under names of their own', () => {
    expect(queryProblems(DESIGN, QUERY)).toEqual([]);
    expect(outputColumns(DESIGN, QUERY).map(({ id }) => id)).toEqual(['w_a', 'w_b', 'w_c']);
    expect(fieldsOfWritten(QUERY.written!).map(({ name }) => name)).toEqual(['amount', 'amount_2', 'who']);
    const { columns, sql } = compileQuery(DESIGN, QUERY, { today: '2026-11-28' });
    expect(columns.map(({ kind }) => kind.kind)).toEqual(['money', 'decimal', 'longText']);
    // What a table keeps as pence stays as it is; what is worked out is brought to that.
    expect(sql).toContain('CAST(round("w1" * 10) AS INTEGER)');
    expect(sql).not.toContain('"w0" * 100');
    const over: Query = {
      ...newQuery('q_over', 'Over', { id: 'q_sql' }),
      columns: [{ id: 'c', label: 'C', expression: '"#w_a" * 2' }],
    };
    expect(queryProblems(DESIGN, over)).toEqual([]);
    expect(plainQuery(DESIGN, over, '2026-11-28')).toContain('"w0" / 100.0 AS "amount"');
  });

  it('stands without the table it was begun with, and says so in words', () => {
    expect(plainSentence(DESIGN, QUERY)).toBe('Take the rows that its SQL gives. Ask the reader for who.');
    const twice = {
      ...QUERY,
      questions: [...QUERY.questions, { ...QUERY.questions[0]!, id: 'a_2', name: 'WHO' }],
    };
    expect(queryProblems(DESIGN, twice)[0]).toContain('Two things are asked for');
    expect(queryProblems({ ...DESIGN, tables: [] }, QUERY)).toEqual([]);
  });
});
