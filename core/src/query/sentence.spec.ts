import fc from 'fast-check';
import { field, lookup, number, OFFICE, table } from '../design/testing/office';
import { plainField, type Design, type Query, type QueryCondition, type QueryJoin } from '../design';
import { addedTo, changedAt, conditionAt, joinChoices, orElse, withJoin, withoutPart } from './edit';
import { newQuery } from './new';
import { queryPaths, resultPaths } from './paths';
import { plainSentence, sentenceOf } from './sentence';
import { conditionText, leavesOf, so } from './scope';
import { queryProblems } from './validate';

const LOANS: Query = newQuery('q_l', 'Loans', OFFICE.tables[1]!);
const ask = (patch: Partial<Query>): Query => ({ ...LOANS, ...patch });
const FINES: QueryJoin = {
  id: 'j_f',
  at: null,
  by: { by: 'children', link: 'f_fLoan' },
  name: 'fine',
  keepWithout: true,
};

describe('a query as a sentence', () => {
  const said = (query: Query, design: Design = OFFICE): string => plainSentence(design, query);

  it('begins with every row and all its fields', () => {
    expect(said(LOANS)).toBe('Take every loan. Show all its fields.');
  });

  it('says what stands beside the rows, in both directions and onwards', () => {
    const borrower: QueryJoin = {
      id: 'j_b',
      at: null,
      by: { by: 'link', link: 'f_lBorrower' },
      keepWithout: false,
    };
    const back: QueryJoin = {
      id: 'j_o',
      at: 'j_b',
      by: { by: 'children', link: 'f_lBorrower' },
      name: 'other',
      keepWithout: false,
    };
    expect(said(ask({ joins: [borrower, FINES, back] }))).toBe(
      'Take every loan, with its borrower, and its fines (or none), and the borrower’s loans. Show all its fields.',
    );
    const same: QueryJoin = {
      id: 'j_s',
      at: null,
      by: {
        by: 'same',
        from: 't_borrower',
        own: '"#f_lNote"',
        other: '"#f_bName"',
        trimmed: true,
        anyCase: true,
      },
      name: 'namesake',
      keepWithout: true,
    };
    expect(said(ask({ joins: [same] }))).toContain('with borrowers with the same text as its note (or none)');
  });

  it('says conditions in one another, totals by the month, order and end', () => {
    const query = ask({
      joins: [FINES],
      where: [
        so('"#f_lDue" IS NULL'),
        {
          is: 'any',
          of: [
            so('"#f_lFee" > 2'),
            { is: 'all', of: [so('"#j_f"."#f_fAmount" > 1'), so(`"#f_lState" = 'Out'`)] },
          ],
        },
      ],
      group: {
        by: [{ id: 'g', label: 'Month', expression: '"#f_lFrom"', step: 'month' }],
        measures: [
          { id: 'n', label: 'Loans', total: 'count', expression: null },
          { id: 's', label: 'Owed', total: 'sum', expression: '"#j_f"."#f_fAmount"' },
          { id: 'd', label: 'People', total: 'distinct', expression: '"#f_lBorrower"' },
        ],
      },
      keep: [so('"#n" > 1')],
      sort: [{ column: 's', descending: true }],
      first: 1000,
      questions: [
        {
          id: 'a_x',
          name: 'since',
          label: 'Since when',
          answer: { kind: 'date' },
          start: null,
          needed: true,
        },
      ],
    });
    expect(queryProblems(OFFICE, query)).toEqual([]);
    expect(said(query)).toBe(
      'Take every loan, with its fines (or none). Keep rows where due back is empty and any of (fee is more than 2 or ' +
        'all of (fine’s amount is more than 1 and state is “Out”)). Group by month of lent on, working out count of loans, ' +
        'sum of fine’s amount and count of different values of borrower, keeping groups where loans is more than 1. Sort by Owed, ' +
        'most first. Keep only the first 1,000. Ask the reader for since when.',
    );
  });

  it('says what stands beneath, and the first of each', () => {
    const design: Design = { ...OFFICE, queries: [LOANS, { ...LOANS, id: 'q_o', label: 'Other loans' }] };
    const query = ask({ id: 'q_s', from: 'q_l', stack: ['q_o'], first: 3, firstOf: ['f_lState'] });
    expect(queryProblems(design, query)).toEqual([]);
    expect(said(query, design)).toBe(
      'Take every row of Loans and Other loans. Show all its fields. Keep only the first 3 of each State.',
    );
  });

  it('of which every part has a key of its own, and says what it changes', () => {
    const query = ask({
      joins: [FINES],
      where: [{ is: 'any', of: [so('"#f_lFee" > 2'), so('"#f_lDue" IS NULL')] }],
      columns: [{ id: 'c', label: 'Fee', expression: '"#f_lFee"' }],
    });
    const stretches = sentenceOf(OFFICE, query);
    expect(new Set(stretches.map(({ key }) => key)).size).toBe(stretches.length);
    expect(
      stretches.flatMap((item) =>
        item.says === 'part' && item.what === 'where' ? [`${item.at.join('.')} ${item.text}`] : [],
      ),
    ).toEqual(['0 any of', '0.0 fee is more than 2', '0.1 due back is empty']);
  });

  it('is there for a query whose parts are gone, too', () => {
    const query = ask({
      from: 't_gone',
      joins: [{ ...FINES, by: { by: 'children', link: 'f_gone' } }],
      where: [so('"#f_gone" > 1')],
      sort: [{ column: 'c_gone', descending: false }],
    });
    expect(said(query)).toContain('Take every table that is gone');
    expect(said(query)).toContain('a column that is gone, least first');
  });
});

describe('changing a query', () => {
  it('offers what links lead to in both directions, and not what is there already', () => {
    const labels = (query: Query): string[] =>
      joinChoices(OFFICE, query).map(({ of, label, many }) => `${of} ${label}${many ? ' *' : ''}`.trim());
    expect(labels(LOANS)).toEqual(['borrower', 'fines *']);
    const [borrower, fines] = joinChoices(OFFICE, LOANS);
    const both = withJoin(OFFICE, withJoin(OFFICE, LOANS, borrower!, 'j_b'), fines!, 'j_f');
    expect(labels(both)).toEqual(['borrower loans *', 'fines loan']);
    expect(both.joins.map(({ name }) => name)).toEqual([undefined, 'fine']);
    expect(queryProblems(OFFICE, both)).toEqual([]);
    const again = withJoin(OFFICE, both, joinChoices(OFFICE, both)[0]!, 'j_l');
    expect(again.joins[2]!.name).toBe('loan');
    expect(queryProblems(OFFICE, again)).toEqual([]);
  });

  it('tells several ways between the same two tables apart, and one from a table to itself', () => {
    const design: Design = {
      ...OFFICE,
      tables: [
        ...OFFICE.tables,
        table('visit', [
          field('vNo', 'number', number),
          plainField('f_vHost', 'host', 'Host', lookup('borrower')),
          plainField('f_vGuest', 'guest', 'Guest', lookup('borrower')),
          plainField('f_vBefore', 'before', 'Before', lookup('visit')),
        ]),
      ],
    };
    const from = (id: string): string[] =>
      joinChoices(design, newQuery('q_v', 'V', { id })).map(({ label }) => label);
    expect(from('t_borrower')).toEqual(['loans', 'visits (as host)', 'visits (as guest)']);
    expect(from('t_visit')).toEqual(['host', 'guest', 'before', 'visits']);
  });

  it('names the fields of what stands beside the rows, and the answers', () => {
    const texts = queryPaths(
      OFFICE,
      ask({
        joins: [FINES],
        questions: [
          { id: 'a_x', name: 'since', label: 'Since', answer: { kind: 'date' }, start: null, needed: true },
        ],
      }),
    ).map(({ text }) => text);
    expect(texts).toContain('borrower.name');
    expect(texts).toContain('fine.amount');
    expect(texts.at(-1)).toBe('since');
  });

  it('takes a part out with all that uses it, and nothing else', () => {
    const query = ask({
      joins: [FINES, { id: 'j_n', at: 'j_f', by: { by: 'link', link: 'f_fLoan' }, keepWithout: true }],
      where: [
        so('"#f_lFee" > 2'),
        { is: 'any', of: [so('"#j_f"."#f_fAmount" > 1'), so('"#f_lDue" IS NULL')] },
      ],
      columns: [
        { id: 'a', label: 'A', expression: '"#j_f"."#f_fAmount"' },
        { id: 'b', label: 'B', expression: '"#f_lFee"' },
      ],
      sort: [{ column: 'a', descending: true }],
    });
    const left = withoutPart(query, 'j_f');
    expect(left.joins).toEqual([]);
    expect(left.where).toEqual([so('"#f_lFee" > 2'), { is: 'any', of: [so('"#f_lDue" IS NULL')] }]);
    expect(left.columns.map(({ id }) => id)).toEqual(['b']);
    expect(left.sort).toEqual([]);
    expect(queryProblems(OFFICE, left)).toEqual([]);
  });

  it('gives the columns of a result for conditions over it', () => {
    const query = ask({
      group: {
        by: [{ id: 'g', label: 'Month', expression: '"#f_lFrom"', step: 'month' }],
        measures: [{ id: 's', label: 'Fees in all', total: 'sum', expression: '"#f_lFee"' }],
      },
    });
    expect(resultPaths(OFFICE, query).map(({ text, field: { type } }) => [text, type.kind])).toEqual([
      ['"month"', 'date'],
      ['fees_in_all', 'money'],
    ]);
  });

  const tree: fc.Arbitrary<QueryCondition[]> = fc.letrec<{ one: QueryCondition; list: QueryCondition[] }>(
    (tie) => ({
      one: fc.oneof(
        { maxDepth: 3 },
        fc.integer({ min: 0, max: 99 }).map((n) => so(`"#f_lFee" > ${n}`)),
        fc.record({
          is: fc.constantFrom('all' as const, 'any' as const),
          of: fc.array(tie('one'), { minLength: 1, maxLength: 3 }),
        }),
      ),
      list: fc.array(tie('one'), { minLength: 1, maxLength: 3 }),
    }),
  ).list;
  const places = (conditions: readonly QueryCondition[], before: readonly number[] = []): number[][] =>
    conditions.flatMap((condition, i) => [
      [...before, i],
      ...(condition.is === 'so' ? [] : places(condition.of, [...before, i])),
    ]);

  it('finds, changes, adds and takes out conditions at any place of any tree', () => {
    fc.assert(
      fc.property(tree, fc.nat(), (conditions, pick) => {
        const all = places(conditions);
        const place = all[pick % all.length]!;
        const other = so('TRUE');
        const at = conditionAt(conditions, place)!;
        expect(changedAt(conditions, place, (same) => same)).toEqual(conditions);
        expect(
          conditionAt(
            changedAt(conditions, place, () => other),
            place,
          ),
        ).toEqual(other);
        expect(conditionAt(orElse(conditions, place, other), place)).toEqual({ is: 'any', of: [at, other] });
        const without = changedAt(conditions, place, () => null);
        expect(leavesOf(without).length).toBe(leavesOf(conditions).length - leavesOf([at]).length);
        if (at.is !== 'so')
          expect(conditionAt(addedTo(conditions, place, other), [...place, at.of.length])).toEqual(other);
        // Whatever stands there says something, and can be bound.
        expect(queryProblems(OFFICE, ask({ where: conditions }))).toEqual([]);
        expect(conditions.every((condition) => conditionText(condition) !== null)).toBeTrue();
      }),
      { numRuns: 60, seed: 20261130 },
    );
  });
});
