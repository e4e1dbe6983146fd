import { OFFICE } from '../design/testing/office';
import type { Design, Query, QueryJoin } from '../design';
import { orderKeySql } from '../expression';
import { compileQuery, faultProbes } from './compile';
import { newQuery, queryOfTable } from './new';
import { plainQuery } from './plain-sql';
import { so } from './scope';
import { queryProblems } from './validate';

const LOANS: Query = newQuery('q_a', 'Loans', OFFICE.tables[1]!);
const BORROWER: QueryJoin = {
  id: 'j_b',
  at: null,
  by: { by: 'link', link: 'f_lBorrower' },
  keepWithout: false,
};
const compile = (patch: Partial<Query>) =>
  compileQuery(OFFICE, { ...LOANS, ...patch }, { today: '2026-11-25' });

describe('compileQuery', () => {
  it('shows every field while no column is chosen', () => {
    expect(compile({}).columns.map(({ label }) => label)).toEqual([
      'Number',
      'Borrower',
      'Lent on',
      'Due back',
      'Fee',
      'State',
      'Note',
    ]);
  });

  it('binds texts, so that none can become SQL', () => {
    const where = [so(`"#f_lNote" = 'x''; DROP TABLE loan; --'`)];
    const { sql, params } = compile({ where });
    expect(params).toEqual(["x'; DROP TABLE loan; --"]);
    expect(sql).not.toContain('DROP');
    expect(plainQuery(OFFICE, { ...LOANS, where }, '2026-11-25')).toContain("'x''; DROP TABLE loan; --'");
  });

  it('joins a link once, and follows paths along it', () => {
    const { sql } = compile({
      joins: [BORROWER],
      columns: [{ id: 'a', label: 'Name', expression: '"#f_lBorrower"."#f_bName"' }],
    });
    expect(sql.match(/JOIN "borrower"/g)?.length).toBe(1);
    expect(sql).toContain('t1."name"');
    expect(compile({ joins: [{ ...BORROWER, keepWithout: true }] }).sql).toContain('LEFT JOIN');
  });

  it('counts the rows after each part', () => {
    const { funnel } = compile({
      joins: [BORROWER],
      where: [so('"#f_lDue" IS NULL'), so('"#f_lFee" > 2')],
      group: {
        by: [{ id: 'g', label: 'State', expression: '"#f_lState"' }],
        measures: [{ id: 'n', label: 'Loans', total: 'count', expression: null }],
      },
      first: 3,
    });
    expect(funnel.map(({ part, label }) => `${part}: ${label}`)).toEqual([
      'from: Loans',
      'with: Borrower',
      'where: due back is empty',
      'where: fee is more than 2',
      'group: State',
      'first: the first 3',
    ]);
    expect(funnel[2]!.sql).toContain('IS NULL');
    expect(funnel[2]!.sql).not.toContain('AND');
  });

  it('knows how each column is shown', () => {
    const { columns } = compile({
      columns: [
        { id: 'a', label: 'A', expression: '"#f_lFee" * 2' },
        { id: 'b', label: 'B', expression: '"#f_lFee"' },
        { id: 'c', label: 'C', expression: '"#f_lBorrower"' },
        { id: 'd', label: 'D', expression: 'COUNT("#f_fLoan")' },
        { id: 'e', label: 'E', expression: '"#f_lDue" < CURRENT_DATE' },
      ],
    });
    expect(columns.map(({ kind }) => kind.kind)).toEqual([
      'decimal',
      'money',
      'longText',
      'wholeNumber',
      'tick',
    ]);
  });

  it('keeps averages of money exact money', () => {
    const { columns, sql } = compile({
      group: { by: [], measures: [{ id: 'm', label: 'Mean', total: 'average', expression: '"#f_lFee"' }] },
    });
    expect(columns[0]!.kind).toEqual({ kind: 'money', places: 2 });
    expect(sql).toContain('sum(');
    expect(sql).toContain('count(');
    expect(sql).not.toContain('avg(');
  });

  it('sorts texts by their letters', () => {
    const { sql } = compile({ sort: [{ column: 'f_lState', descending: true }], first: 10 });
    expect(sql).toContain(`ORDER BY ${orderKeySql('q."c5"')} DESC`);
    expect(sql).toContain('LIMIT 10');
  });

  it('works out each query once that it reads, however many ways lead to it', () => {
    // Each reads the next one twice: without care that is 2⁷ statements.
    const chain = Array.from({ length: 8 }, (_, i): Query => {
      const next = `q_${i + 1}`;
      const join: QueryJoin = {
        id: 'j_n',
        at: null,
        by: { by: 'condition', from: next, condition: '"#j_n"."#f_lFee" = "#f_lFee"' },
        name: 'again',
        keepWithout: true,
      };
      const last = i === 7;
      return {
        ...LOANS,
        id: `q_${i}`,
        label: `Step ${i}`,
        from: last ? 't_loan' : next,
        joins: last ? [] : [join],
      };
    });
    const design: Design = { ...OFFICE, queries: chain };
    const { sql } = compileQuery(design, chain[0]!, { today: '2026-11-25' });
    expect(sql.match(/ AS \(SELECT/g)!.length).toBe(7);
    expect(faultProbes(design, chain[0]!, { today: '2026-11-25' }).length).toBe(8 * 7);
    expect(plainQuery(design, chain[0]!, '2026-11-25').match(/ AS \($/gm)!.length).toBe(7);
    const longer: Design = {
      ...design,
      queries: [...chain.slice(0, 7), { ...chain[7]!, from: 'q_8' }, { ...LOANS, id: 'q_8' }],
    };
    expect(queryProblems(longer, longer.queries[0]!)[0]).toContain('at most 8 in a row');
  });

  it('runs a table as a query', () => {
    const query = queryOfTable(OFFICE.tables[1]!, [{ id: 'f_lFee', label: 'Fee' }]);
    expect(compileQuery(OFFICE, query, { today: '2026-11-25' }).columns.map(({ id }) => id)).toEqual([
      'f_lFee',
    ]);
  });
});

describe('queryProblems', () => {
  it('finds nothing wrong with a good query', () => expect(queryProblems(OFFICE, LOANS)).toEqual([]));

  it('says what is wrong', () => {
    expect(queryProblems(OFFICE, { ...LOANS, from: 't_gone' })[0]).toContain('no longer there');
    expect(queryProblems(OFFICE, { ...LOANS, where: [so('"#f_lFee"')] })[0]).toContain('a condition');
    expect(queryProblems(OFFICE, { ...LOANS, group: { by: [], measures: [] } })[0]).toContain(
      'something to group by',
    );
    expect(
      queryProblems(OFFICE, { ...LOANS, columns: [{ id: 'x', label: 'X', expression: '"#f_gone"' }] })[0],
    ).toContain('no longer there');
  });
});
