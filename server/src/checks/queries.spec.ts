import { execFileSync } from 'node:child_process';
import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { catalogOf, type Query, type QueryCondition, type QueryJoin } from '@heathridge/core/design';
import { toStored } from '@heathridge/core/expression';
import {
  LOSES,
  newQuery,
  repeats,
  scopeOf,
  querySort,
  so,
  valuesThere,
  type FunnelPart,
  type RowsAsked,
} from '@heathridge/core/query';
import { Office } from '../testing/office';
import { SUPPLIER_TABLES } from '../testing/suppliers';

/**
 * Suppliers, parts and shipments as in C. J. Date, An Introduction to Database Systems (from memory), with days of
 * shipping, a supplier and a part without anything, and empty values of our own. Each query is answered by DuckDB too,
 * and by the sqlite3 command line with the SQL that is shown of it.
 */
const SUPPLIERS = [
  ['S1', 'Smith', 20, 'London'],
  ['S2', 'Jones', 10, 'Paris'],
  ['S3', 'Blake', 30, 'Paris'],
  ['S4', 'Clark', 20, 'London'],
  ['S5', 'Adams', 30, 'Athens'],
  ['S6', 'Nil', null, null],
] as const;
const PARTS = [
  ['P1', 'Nut', 'Red', '12.0', 'London'],
  ['P2', 'Bolt', 'Green', '17.0', 'Paris'],
  ['P3', 'Screw', 'Blue', '17.0', 'Oslo'],
  ['P4', 'Screw', 'Red', '14.0', 'London'],
  ['P5', 'Cam', 'Blue', '12.0', 'Paris'],
  ['P6', 'Cog', 'Red', '19.0', ' london '],
  ['P7', 'Nothing', null, null, null],
] as const;
const SHIPMENTS = [
  ['S1', 'P1', 300, '2026-01-01'],
  ['S1', 'P2', 200, '2026-01-31'],
  ['S1', 'P3', 400, '2026-03-30'],
  ['S1', 'P4', 200, '2026-04-01'],
  ['S1', 'P5', 100, '2025-12-29'],
  ['S1', 'P6', 100, null],
  ['S2', 'P1', 300, '2026-12-31'],
  ['S2', 'P2', 400, '2024-12-30'],
  ['S3', 'P2', 200, '2024-02-29'],
  ['S4', 'P2', 200, '2026-06-15'],
  ['S4', 'P4', 300, '2026-09-30'],
  ['S4', 'P5', 400, null],
] as const;

type Cell = string | number | boolean | null;

describe('queries over suppliers, parts and shipments', () => {
  let office: Office;
  let duck: DuckDBConnection;

  beforeAll(async () => {
    duck = await (await DuckDBInstance.create(':memory:')).connect();
    office = await Office.open({ demo: false });
    await office.apply(...SUPPLIER_TABLES);
    const insert = (name: string, fields: readonly string[], row: readonly Cell[]): object => ({
      op: 'insert',
      table: `t_${name}`,
      values: Object.fromEntries(fields.map((id, i) => [id, row[i]!])),
    });
    const changes = [
      ...SUPPLIERS.map((row) => insert('supplier', ['f_sNo', 'f_sName', 'f_sStatus', 'f_sCity'], row)),
      ...PARTS.map((row) => insert('part', ['f_pNo', 'f_pName', 'f_pColour', 'f_pWeight', 'f_pCity'], row)),
      ...SHIPMENTS.map((row) => insert('shipment', ['f_nSupplier', 'f_nPart', 'f_nQuantity', 'f_nDay'], row)),
    ];
    const saved = await office.call('POST', 'rows', { changes });
    if (saved.status !== 200) throw new Error(JSON.stringify(saved.body));
    const values = (rows: readonly (readonly Cell[])[]): string =>
      rows
        .map(
          (row) =>
            `(${row.map((value) => (typeof value === 'string' ? `'${value}'` : String(value))).join(', ')})`,
        )
        .join(', ');
    for (const sql of [
      `CREATE TABLE s AS SELECT * FROM (VALUES ${values(SUPPLIERS)}) AS v(code, name, status, city)`,
      `CREATE TABLE p AS SELECT code, name, colour, CAST(weight AS DECIMAL(9, 1)) AS weight, city FROM (VALUES ${values(PARTS)}) AS v(code, name, colour, weight, city)`,
      `CREATE TABLE sp AS SELECT supplier, part, quantity, CAST(day AS DATE) AS day FROM (VALUES ${values(SHIPMENTS)}) AS v(supplier, part, quantity, day)`,
    ])
      await duck.run(sql);
  });
  afterAll(async () => {
    duck.closeSync();
    await office.close();
  });

  const plain = (value: unknown): Cell => {
    if (value === null || value === undefined) return null;
    if (typeof value === 'boolean') return Number(value);
    if (typeof value === 'bigint' || typeof value === 'number') return Number(Number(value).toPrecision(12));
    const written = String(value);
    return /^-?\d+(\.\d+)?$/.test(written) ? Number(Number(written).toPrecision(12)) : written;
  };
  const lines = (rows: readonly (readonly unknown[])[]): string[] =>
    rows.map((row) => JSON.stringify(row.map(plain)));

  const begin = (from: string, patch: Partial<Query> = {}): Query => ({
    ...newQuery(
      'q_asked',
      'Asked',
      office.design.tables.find(({ name }) => name === from)!,
    ),
    ...patch,
  });
  /** Expressions as they are typed, in a query whose joins and questions stand. */
  const stored = (query: Query, typed: string): string => {
    const { catalog, table: id } = scopeOf(office.design, query);
    return toStored(typed, catalog, id);
  };
  const asking = (
    query: Query,
    where: readonly (string | QueryCondition)[],
    columns: readonly string[],
  ): Query => ({
    ...query,
    where: where.map((item) => (typeof item === 'string' ? so(stored(query, item)) : item)),
    columns: columns.map((typed, i) => ({ id: `c${i}`, label: `C${i}`, expression: stored(query, typed) })),
  });

  const children = (link: string, name: string, rest: Partial<QueryJoin> = {}): QueryJoin => ({
    id: `j_${name}`,
    at: null,
    by: { by: 'children', link },
    name,
    keepWithout: false,
    ...rest,
  });
  const SHIPPED = children('f_nSupplier', 'shipped');

  async function ours(query: Query, answers = {}) {
    const { status, body } = await office.call('POST', 'query/run', { query, answers });
    if (status !== 200) throw new Error(JSON.stringify(body));
    return body as {
      columns: { kind: object }[];
      rows: unknown[][];
      keys: (string | null)[][];
      sql: string;
      funnel: { part: FunnelPart['part']; label: string; count: number; none?: number }[];
    };
  }

  async function behind(query: Query, asked: RowsAsked, answers: object): Promise<unknown[][]> {
    const { status, body } = await office.call('POST', 'query/rows', { query, answers, asked });
    if (status !== 200) throw new Error(JSON.stringify(body));
    return body.rows;
  }

  /** What is lost at a part is what is missing behind it, and behind all groups together stand all rows. */
  async function accountedFor(
    query: Query,
    found: Awaited<ReturnType<typeof ours>>,
    answers: object,
  ): Promise<void> {
    const keeps = query.joins.some(({ keepWithout }) => keepWithout);
    for (const [i, { part, label, count, none }] of found.funnel.entries()) {
      const before = found.funnel[i - 1]?.count ?? count;
      if (!LOSES.has(part) || (part === 'with' && (keeps || (none === undefined && count > before))))
        continue;
      const lost = await behind(query, { what: 'lost', part: i }, answers);
      expect(lost.length)
        .withContext(`lost at ${label}`)
        .toBe(none ?? before - count);
    }
    if (!query.group || query.first !== null || query.keep.length > 0 || found.keys.length > 30) return;
    let rows = 0;
    for (const keys of found.keys) {
      const named = Object.fromEntries(query.group.by.map(({ id }, i) => [id, keys[i] ?? null]));
      rows += (await behind(query, { what: 'cell', keys: named }, answers)).length;
    }
    const group = found.funnel.findIndex(({ part }) => part === 'group');
    if (query.group.by.length > 0)
      expect(rows)
        .withContext('behind the groups')
        .toBe(found.funnel[group - 1]!.count);
  }

  async function same(query: Query, sql: string, { answers = {}, elsewhere = true } = {}): Promise<void> {
    const found = await ours(query, answers);
    const theirs = (await duck.runAndReadAll(sql))
      .getRows()
      .map((row) =>
        row.map((value) => (value !== null && typeof value === 'object' ? String(value) : value)),
      );
    const inOrder = query.sort.length > 0;
    const both = [lines(found.rows), lines(theirs)].map((list) => (inOrder ? list : list.sort()));
    expect(both[0]).withContext(sql).toEqual(both[1]!);
    expect(found.funnel.at(-1)!.count).withContext('the funnel').toBe(found.rows.length);
    await accountedFor(query, found, answers);
    if (!elsewhere) return;
    const out = execFileSync('sqlite3', ['-readonly', '-json', office.path], {
      encoding: 'utf8',
      input: `${found.sql};\n`,
    });
    const rows = out.trim() === '' ? [] : (JSON.parse(out) as object[]).map((row) => Object.values(row));
    const shown = [lines(found.rows), lines(rows)].map((list) => list.sort());
    expect(shown[1]).withContext(found.sql).toEqual(shown[0]!);
  }

  describe('joins', () => {
    it('the rows that lead to a row, once each', async () => {
      const query = begin('supplier', { joins: [SHIPPED] });
      await same(
        asking(query, [], ['code', 'shipped.part', 'shipped.quantity']),
        'SELECT code, part, quantity FROM s JOIN sp ON supplier = code',
      );
    });

    it('the same, with those that have none', async () => {
      const query = begin('supplier', { joins: [{ ...SHIPPED, keepWithout: true }] });
      await same(
        asking(query, [], ['name', 'shipped.quantity']),
        'SELECT name, quantity FROM s LEFT JOIN sp ON supplier = code',
      );
      await same(
        asking(query, ['shipped.quantity IS NULL'], ['name']),
        'SELECT name FROM s LEFT JOIN sp ON supplier = code WHERE quantity IS NULL',
      );
    });

    it('onwards from rows that are joined: many to many', async () => {
      const part: QueryJoin = {
        id: 'j_part',
        at: SHIPPED.id,
        by: { by: 'link', link: 'f_nPart' },
        keepWithout: false,
      };
      const query = begin('supplier', { joins: [SHIPPED, part] });
      await same(
        asking(query, ["shipped.part.colour = 'Red'"], ['name', 'shipped.part.name', 'shipped.part.weight']),
        "SELECT s.name, p.name, weight FROM s JOIN sp ON supplier = s.code JOIN p ON part = p.code WHERE colour = 'Red'",
      );
      // A path that is not joined is followed row by row.
      await same(
        asking(
          begin('supplier', { joins: [SHIPPED] }),
          [],
          ['name', 'shipped.part.name', 'COUNT(shipped.part.shipments)'],
        ),
        'SELECT s.name, p.name, (SELECT count(*) FROM sp AS o WHERE o.part = p.code) FROM s JOIN sp ON supplier = s.code JOIN p ON part = p.code',
      );
    });

    it('back again by another way: who ships what I ship', async () => {
      const query = begin('supplier', {
        joins: [
          SHIPPED,
          { id: 'j_part', at: SHIPPED.id, by: { by: 'link', link: 'f_nPart' }, keepWithout: false },
          children('f_nPart', 'others', { at: 'j_part' }),
        ],
      });
      await same(
        asking(query, ['others.supplier <> code'], ['code', 'shipped.part', 'others.supplier']),
        'SELECT s.code, a.part, b.supplier FROM s JOIN sp a ON a.supplier = s.code JOIN sp b ON b.part = a.part WHERE b.supplier <> s.code',
      );
    });

    const sameCity = (trimmed: boolean, anyCase: boolean, keepWithout = false): QueryJoin => ({
      id: 'j_city',
      at: null,
      by: { by: 'same', from: 't_part', own: '"#f_sCity"', other: '"#f_pCity"', trimmed, anyCase },
      name: 'made',
      keepWithout,
    });
    for (const keepWithout of [false, true]) {
      const word = keepWithout ? 'LEFT JOIN' : 'JOIN';
      it(`rows with an equal text, ${word}`, async () => {
        const columns = ['code', 'made.code'];
        await same(
          asking(begin('supplier', { joins: [sameCity(false, false, keepWithout)] }), [], columns),
          `SELECT s.code, p.code FROM s ${word} p ON p.city = s.city`,
        );
        await same(
          asking(begin('supplier', { joins: [sameCity(true, true, keepWithout)] }), [], columns),
          `SELECT s.code, p.code FROM s ${word} p ON lower(trim(p.city)) = lower(trim(s.city))`,
        );
        await same(
          asking(begin('supplier', { joins: [sameCity(true, false, keepWithout)] }), [], columns),
          `SELECT s.code, p.code FROM s ${word} p ON trim(p.city) = trim(s.city)`,
        );
      });
    }

    it('rows that meet a condition: to itself, without a row twice', async () => {
      const join: QueryJoin = {
        id: 'j_other',
        at: null,
        by: {
          by: 'condition',
          from: 't_supplier',
          condition: '"#j_other"."#f_sCity" = "#f_sCity" AND "#f_sNo" < "#j_other"."#f_sNo"',
        },
        name: 'other',
        keepWithout: false,
      };
      await same(
        asking(begin('supplier', { joins: [join] }), [], ['code', 'other.code']),
        'SELECT a.code, b.code FROM s a JOIN s b ON a.city = b.city AND a.code < b.code',
      );
    });

    it('of which it is counted how many rows find none, whether those are kept or not', async () => {
      const [[none]] = (
        await duck.runAndReadAll('SELECT count(*) FROM s WHERE code NOT IN (SELECT supplier FROM sp)')
      ).getRows() as [[bigint]];
      const [[lonely]] = (
        await duck.runAndReadAll(
          'SELECT count(*) FROM s WHERE lower(trim(city)) NOT IN (SELECT lower(trim(city)) FROM p WHERE city IS NOT NULL) OR city IS NULL',
        )
      ).getRows() as [[bigint]];
      expect([none, lonely].every((count) => count > 0n)).toBeTrue();
      for (const keepWithout of [true, false]) {
        const count = async (join: QueryJoin): Promise<unknown> =>
          ((await ours(begin('supplier', { joins: [join] }))).funnel[1] as { none?: number }).none;
        expect(await count({ ...SHIPPED, keepWithout })).toBe(Number(none));
        expect(await count(sameCity(true, true, keepWithout))).toBe(Number(lonely));
        const condition = '"#j_w"."#f_nSupplier" = "#f_sNo"';
        const by: QueryJoin['by'] = { by: 'condition', from: 't_shipment', condition };
        expect(await count({ id: 'j_w', at: null, by, name: 'sent', keepWithout })).toBe(Number(none));
      }
    });

    it('none that is switched off, nor what stands beside it', async () => {
      const off = { ...SHIPPED, off: true };
      const part: QueryJoin = {
        id: 'j_part',
        at: SHIPPED.id,
        by: { by: 'link', link: 'f_nPart' },
        keepWithout: false,
      };
      const query = asking(begin('supplier', { joins: [off, part] }), [], ['code']);
      expect((await ours(query)).funnel.map(({ label }) => label)).toEqual(['Suppliers']);
      await same(query, 'SELECT code FROM s');
      const on = asking(begin('supplier', { joins: [SHIPPED] }), [], ['shipped.quantity']);
      const { status, body } = await office.call('POST', 'query/run', { query: { ...on, joins: [off] } });
      expect(status).toBe(422);
      expect(body.detail).toBe('The column C0 uses “shipped”, which is switched off.');
    });
  });

  describe('conditions', () => {
    const cases: [what: string, where: QueryCondition[], sql: string][] = [
      [
        'all of them',
        [so('"#f_sStatus" > 10'), so(`"#f_sCity" = 'Paris'`)],
        "status > 10 AND city = 'Paris'",
      ],
      [
        'any of several',
        [{ is: 'any', of: [so('"#f_sStatus" = 10'), so(`"#f_sCity" = 'Athens'`)] }],
        "status = 10 OR city = 'Athens'",
      ],
      [
        'groups in groups, with NULL in them',
        [
          {
            is: 'any',
            of: [
              { is: 'all', of: [so('"#f_sStatus" > 10'), so(`"#f_sCity" <> 'London'`)] },
              so('"#f_sCity" IS NULL'),
              { is: 'all', of: [so(`"#f_sName" LIKE 'S%' -- a note`), so('"#f_sStatus" < 30')] },
            ],
          },
        ],
        "(status > 10 AND city <> 'London') OR city IS NULL OR (name LIKE 'S%' AND status < 30)",
      ],
      [
        'some of them switched off',
        [
          { ...so('"#f_sStatus" > 99'), off: true },
          { is: 'any', off: true, of: [so('FALSE')] },
          { is: 'all', of: [{ ...so('FALSE'), off: true, note: 'not now' }] },
          so('"#f_sStatus" > 10'),
        ],
        'status > 10',
      ],
      ['three-valued logic (ISO/IEC 9075-2, 8.20)', [so('NOT ("#f_sStatus" > 10)')], 'NOT (status > 10)'],
      [
        'has any',
        [so('COUNT("#~f_nSupplier") FILTER (WHERE "#~f_nSupplier"."#f_nQuantity" > 300) > 0')],
        'EXISTS (SELECT 1 FROM sp WHERE supplier = code AND quantity > 300)',
      ],
      ['has no', [so('COUNT("#~f_nSupplier") = 0')], 'NOT EXISTS (SELECT 1 FROM sp WHERE supplier = code)'],
    ];
    for (const [what, where, sql] of cases)
      it(what, () =>
        same({ ...asking(begin('supplier'), [], ['code']), where }, `SELECT code FROM s WHERE ${sql}`),
      );

    it('that stand too deep in one another, or are too many, are refused', async () => {
      let deep: QueryCondition = so('TRUE');
      for (let i = 0; i < 8; i++) deep = { is: 'any', of: [deep] };
      for (const where of [[deep], Array.from({ length: 101 }, () => so('TRUE'))]) {
        const { status, body } = await office.call('POST', 'query/run', {
          query: begin('supplier', { where }),
        });
        expect(status).toBe(400);
        expect(JSON.stringify(body)).toMatch(/at most (6 deep|100 conditions)/i);
      }
    });
  });

  it('show the numbers of a column as it says, rounded half away from zero', async () => {
    const query = begin('part');
    const column = (id: string, shown?: object): never =>
      ({ id, label: id, expression: stored(query, 'weight * 1.25'), ...(shown ? { shown } : {}) }) as never;
    const { rows, columns, sql } = await ours({
      ...query,
      columns: [
        { id: 'code', label: 'Code', expression: stored(query, 'code') },
        column('as'),
        column('whole', { kind: 'wholeNumber' }),
        column('one', { kind: 'decimal', places: 1, unit: 'kg' }),
        column('money', { kind: 'money', places: 2 }),
      ],
      sort: [{ column: 'code', descending: false }],
    });
    expect(columns.map(({ kind }) => kind).slice(2)).toEqual([
      { kind: 'wholeNumber' },
      { kind: 'decimal', places: 1, unit: 'kg' },
      { kind: 'money', places: 2 },
    ]);
    // 17.0 and 14.0, an eighth of a number each: 21.25 and 17.5.
    expect(rows.slice(1, 2)).toEqual([['P2', '21.250', 21, '21.3', '21.25']]);
    expect(rows.find(([code]) => code === 'P4')).toEqual(['P4', '17.500', 18, '17.5', '17.50']);
    // The SQL that people read gives the same numbers.
    const read = office.app.context.files.get(office.file).reader.prepare(sql).raw().all() as unknown[][];
    expect(read.map((row) => row.slice(1).map(Number))).toEqual(rows.map((row) => row.slice(1).map(Number)));
    // Of texts, and of keys, there is nothing to be said so.
    const odd = await ours({
      ...query,
      columns: [{ id: 'n', label: 'N', expression: stored(query, 'name'), shown: { kind: 'wholeNumber' } }],
      first: 1,
    });
    expect(odd.rows[0]![0]).toEqual(jasmine.any(String));
  });

  it('ask for a row as a lookup does: with its choices, and compare keys', async () => {
    const query = begin('shipment', {
      questions: [
        {
          id: 'a_who',
          name: 'who',
          label: 'Whose?',
          answer: { kind: 'lookup', field: 'f_nSupplier' },
          start: null,
          needed: false,
        },
      ],
    });
    const asked = asking(query, ['supplier = who'], ['number']);
    await same({ ...asked, columns: asking(query, [], ['quantity']).columns }, 'SELECT quantity FROM sp');
    const all = await ours(asked);
    const some = await ours(asked, { a_who: 'S2' });
    expect(some.rows.length).toBeGreaterThan(0);
    expect(some.rows.length).toBeLessThan(all.rows.length);
    // The SQL that people read has it too.
    expect(some.sql).toContain("'S2'");
    // Where the lookup goes, so does the question, with the conditions that ask for it.
    const gone = querySort.without(asked, new Set(['f_nSupplier']))!;
    expect([gone.questions, gone.where]).toEqual([[], []]);
    expect(querySort.use(asked, new Set(['f_nSupplier']))!.use).toContain('what it asks for');
    const broken = {
      ...asked,
      questions: [{ ...query.questions[0]!, answer: { kind: 'lookup', field: 'f_gone' } }],
    };
    const { status, body } = await office.call('POST', 'query/run', { query: broken });
    expect([status, JSON.stringify(body)]).toEqual([422, jasmine.stringContaining('no longer there')]);
  });

  it('offer the values that stand in their rows, those of most rows first, whatever is kept of them', async () => {
    const query = begin('supplier', { joins: [{ ...SHIPPED, keepWithout: true }], where: [so('FALSE')] });
    const there = valuesThere(query, stored(query, 'city'));
    const { rows } = await ours(there);
    const counts = rows.map(([, count]) => Number(count));
    expect(counts).toEqual([...counts].sort((a, b) => b - a));
    await same(
      { ...there, sort: [] },
      'SELECT city, count(*) FROM s LEFT JOIN sp ON supplier = code WHERE city IS NOT NULL GROUP BY 1',
    );
  });

  describe('a condition that leaves nothing says why', () => {
    const why = async (...where: string[]): Promise<unknown> => {
      const { funnel } = await ours(asking(begin('supplier'), where, ['code']));
      return (funnel.find(({ count }) => count === 0) as { why?: string[] } | undefined)?.why;
    };
    const cases: [where: string[], why: string[]][] = [
      [["city = 'paris '"], ['Of city there is “Paris” (2 rows), which differs by capitals or spaces only.']],
      [["city = 'Parris'"], ['Near to “Parris”, city has “Paris” (2 rows).']],
      [
        ["city IN ('Rome', 'Oslo')"],
        [
          'What stands in city: “London” (2 rows), “Paris” (2 rows), “Athens” (1 row). Nothing stands there in 1 row.',
        ],
      ],
      [['status > 99'], ['Status runs from 10 to 30 there. Nothing stands there in 1 row.']],
      [["city = 'Athens'", 'status < 30'], ['Status is 30 in all of them.']],
      [["city = 'Athens'", 'status IS NULL'], ['Status is filled in the one row before it.']],
      [["name = 'Nil'", 'status BETWEEN 1 AND 5'], ['Status is empty in the one row before it.']],
      [
        ["name LIKE 'Z%' OR status = 5"],
        [
          'What stands in name: “Adams” (1 row), “Blake” (1 row), “Clark” (1 row), “Jones” (1 row), “Nil” (1 row) and others.',
          'Status runs from 10 to 30 there. Nothing stands there in 1 row.',
        ],
      ],
    ];
    for (const [where, said] of cases)
      it(where.join(', then '), async () => expect(await why(...where)).toEqual(said));

    it('of a lookup by what it shows, and of days and numbers with places as people read them', async () => {
      const asked = async (...where: string[]): Promise<unknown> =>
        ((await ours(asking(begin('shipment'), where, ['number']))).funnel.at(-1) as { why?: string[] }).why;
      expect(await asked("supplier = 'S9'")).toEqual([
        jasmine.stringContaining('Near to “S9”, supplier has “S'),
      ]);
      expect(await asked("day > DATE '2030-01-01'")).toEqual([
        'Day runs from 29 Feb 2024 to 31 Dec 2026 there. Nothing stands there in 2 rows.',
      ]);
      expect(await asked('part.weight > 100')).toEqual(['Part’s weight runs from 12.0 to 19.0 there.']);
    });

    it('of conditions over the result, what stands in the result', async () => {
      const query = begin('supplier', {
        group: {
          by: [{ id: 'g', label: 'City', expression: stored(begin('supplier'), 'city') }],
          measures: [{ id: 'm', label: 'Suppliers', total: 'count', expression: null }],
        },
      });
      const kept = async (...keep: string[]): Promise<unknown> =>
        ((await ours({ ...query, keep: keep.map(so) })).funnel.at(-1) as { why?: string[] }).why;
      expect(await kept('"#m" > 5')).toEqual(['Suppliers runs from 1 to 2 there.']);
      expect(await kept('"#m" > 1', `"#g" = 'PARIS'`)).toEqual([
        'Of city there is “Paris” (1 row), which differs by capitals or spaces only.',
      ]);
    });

    it('and nothing where something is left, or nothing was there before', async () => {
      expect(await why('status > 10')).toBeUndefined();
      expect(await why('FALSE')).toBeUndefined();
      const { funnel } = await ours(asking(begin('supplier'), ['status > 99', "city = 'Rome'"], ['code']));
      expect(funnel.map((part) => 'why' in part)).toEqual([false, true, false]);
    });
  });

  describe('groups', () => {
    const total = (total: string, expression: string | null, id = 'm'): never =>
      ({ id, label: `M ${id}`, total, expression }) as never;
    const by = (expression: string, rest = {}): never =>
      ({ id: 'g', label: 'G', expression, ...rest }) as never;

    it('counts, sums and different values over rows that are joined', async () => {
      const query = begin('supplier', { joins: [{ ...SHIPPED, keepWithout: true }] });
      const of = (typed: string): string => stored(query, typed);
      await same(
        {
          ...query,
          group: {
            by: [by(of('city'))],
            measures: [
              total('count', null, 'n'),
              total('count', of('shipped.quantity'), 'k'),
              total('sum', of('shipped.quantity'), 's'),
              total('distinct', of('shipped.part'), 'd'),
              total('average', of('shipped.part.weight'), 'a'),
              total('least', of('shipped.day'), 'l'),
              total('most', of('shipped.day'), 'h'),
            ],
          },
        },
        `SELECT s.city, count(*), count(quantity), sum(quantity), count(DISTINCT part), round(avg(weight), 7), CAST(min(day) AS VARCHAR), CAST(max(day) AS VARCHAR)
         FROM s LEFT JOIN sp ON supplier = s.code LEFT JOIN p ON part = p.code GROUP BY s.city`,
      );
    });

    for (const step of ['year', 'quarter', 'month', 'week'] as const)
      it(`by the ${step} of a date`, () =>
        same(
          begin('shipment', {
            group: { by: [by('"#f_nDay"', { step })], measures: [total('count', null)] },
            sort: [{ column: 'g', descending: false }],
          }),
          `SELECT CAST(CAST(date_trunc('${step}', day) AS DATE) AS VARCHAR), count(*) FROM sp GROUP BY 1 ORDER BY 1 NULLS FIRST`,
        ));

    it('texts behind one another, in their order', () =>
      same(
        begin('part', {
          group: { by: [by('"#f_pColour"')], measures: [total('joined', '"#f_pName"')] },
        }),
        "SELECT colour, string_agg(name, ', ' ORDER BY lower(name)) FROM p GROUP BY 1",
        { elsewhere: false },
      ));

    it('of which only some are kept', async () => {
      const query = begin('shipment', {
        group: {
          by: [by('"#f_nPart"')],
          measures: [total('sum', '"#f_nQuantity"'), total('average', '"#f_nQuantity"', 'a')],
        },
        keep: [so('"#m" > 300'), { is: 'any', of: [so('"#a" > 250'), so(`"#g" = 'P2'`)] }],
      });
      await same(
        query,
        "SELECT p.code, sum(quantity), avg(quantity) FROM sp JOIN p ON p.code = part GROUP BY p.code HAVING sum(quantity) > 300 AND (avg(quantity) > 250 OR p.code = 'P2')",
      );
      expect((await ours(query)).funnel.slice(-3).map(({ part, count }) => [part, count])).toEqual([
        ['group', 6],
        ['keep', 5],
        ['keep', (await ours(query)).rows.length],
      ]);
    });

    it('each row once, however many stand beside it; what counts several times is told', async () => {
      const query = begin('supplier', {
        joins: [
          { ...SHIPPED, keepWithout: true },
          { id: 'j_part', at: SHIPPED.id, by: { by: 'link', link: 'f_nPart' }, keepWithout: true },
          children('f_nPart', 'others', { at: 'j_part', keepWithout: true }),
        ],
      });
      const of = (typed: string): string => stored(query, typed);
      const measures = [
        total('count', null, 'n'),
        total('sum', of('status'), 's'),
        total('average', of('status'), 'a'),
        total('sum', of('shipped.quantity'), 'q'),
        total('average', of('shipped.part.weight'), 'w'),
        total('count', of('others.number'), 'o'),
        total('distinct', of('shipped.part'), 'd'),
        total('most', of('status'), 'm'),
      ] as { id: string }[];
      const group = { by: [by(of('city'))], measures } as unknown as NonNullable<Query['group']>;
      const found = repeats(office.design, { ...query, group });
      expect(
        found.map(({ measure, row, because, canMend }) => `${measure.id}: ${row}, ${because}, ${canMend}`),
      ).toEqual([
        'n: supplier, shipments, true',
        's: supplier, shipments, true',
        'a: supplier, shipments, true',
        'q: shipment, shipments, true',
        'w: part, shipments, true',
      ]);
      const once = {
        ...group,
        measures: group.measures.map((item) =>
          found.some(({ measure }) => measure.id === item.id) ? { ...item, once: true } : item,
        ),
      };
      expect(repeats(office.design, { ...query, group: once })).toEqual([]);
      await same(
        { ...query, group: once, sort: [{ column: 'g', descending: false }] },
        `SELECT c.city,
           (SELECT count(*) FROM s WHERE s.city IS NOT DISTINCT FROM c.city),
           (SELECT sum(status) FROM s WHERE s.city IS NOT DISTINCT FROM c.city),
           (SELECT round(avg(status), 6) FROM s WHERE s.city IS NOT DISTINCT FROM c.city),
           (SELECT sum(quantity) FROM sp JOIN s ON code = supplier WHERE s.city IS NOT DISTINCT FROM c.city),
           (SELECT round(avg(weight), 7) FROM sp JOIN s ON code = supplier JOIN p ON p.code = part WHERE s.city IS NOT DISTINCT FROM c.city),
           (SELECT count(*) FROM sp JOIN s ON code = supplier JOIN sp o ON o.part = sp.part WHERE s.city IS NOT DISTINCT FROM c.city),
           (SELECT count(DISTINCT part) FROM sp JOIN s ON code = supplier WHERE s.city IS NOT DISTINCT FROM c.city),
           (SELECT max(status) FROM s WHERE s.city IS NOT DISTINCT FROM c.city)
         FROM (SELECT DISTINCT city FROM s) AS c ORDER BY city NULLS FIRST`,
      );
      await same(
        { ...query, group: { ...once, by: [] }, keep: [so('"#q" > 100')] },
        `SELECT (SELECT count(*) FROM s), (SELECT sum(status) FROM s), (SELECT round(avg(status), 6) FROM s),
           (SELECT sum(quantity) FROM sp), (SELECT round(avg(weight), 7) FROM sp JOIN p ON p.code = part),
           (SELECT count(*) FROM sp JOIN sp o ON o.part = sp.part), (SELECT count(DISTINCT part) FROM sp), (SELECT max(status) FROM s)`,
      );
    });

    it('medians, the first and the last, in the order of something or of the keys', async () => {
      const query = begin('shipment');
      const measures = [
        total('median', stored(query, 'quantity'), 'q'),
        total('median', stored(query, 'part.weight'), 'w'),
        { ...(total('first', stored(query, 'quantity'), 'f') as object), by: stored(query, 'day') },
        { ...(total('last', stored(query, 'part'), 'l') as object), by: stored(query, 'day') },
        total('first', stored(query, 'quantity'), 'k'),
        total('last', stored(query, 'day'), 'd'),
      ] as never[];
      for (const by_ of [[by('"#f_nSupplier"')], []])
        await same(
          begin('shipment', { group: { by: by_, measures } }),
          `SELECT ${by_.length > 0 ? 's.code, ' : ''}median(quantity), median(weight), arg_min(quantity, day), arg_max(part, day),
             first(quantity ORDER BY n), CAST(last(day ORDER BY n) AS VARCHAR)
           FROM (SELECT row_number() OVER () AS n, * FROM sp) JOIN s ON s.code = supplier JOIN p ON p.code = part
           ${by_.length > 0 ? 'GROUP BY s.code' : ''}`,
        );
    });

    it('shares of the whole, sums that run, and changes from group to group', async () => {
      const measures = [
        total('sum', '"#f_nQuantity"', 's'),
        total('share', '"#f_nQuantity"', 'p'),
        total('share', null, 'c'),
        total('running', '"#f_nQuantity"', 'r'),
        total('change', '"#f_nQuantity"', 'd'),
        total('running', null, 'n'),
      ];
      const window = 'OVER (ORDER BY g NULLS FIRST ROWS UNBOUNDED PRECEDING)';
      const year: Query = begin('shipment', {
        group: { by: [by('"#f_nDay"', { step: 'year' })], measures },
        sort: [{ column: 'g', descending: false }],
      });
      const sql = (keep: string): string => `SELECT * FROM (
        SELECT CAST(g AS VARCHAR) AS g, q, round(100.0 * q / sum(q) OVER (), 1), round(100.0 * n / sum(n) OVER (), 1),
          sum(q) ${window}, q - lag(q) OVER (ORDER BY g NULLS FIRST), sum(n) ${window}
        FROM (SELECT CAST(date_trunc('year', day) AS DATE) AS g, sum(quantity) AS q, count(*) AS n FROM sp GROUP BY 1)
      ) ${keep} ORDER BY g NULLS FIRST`;
      await same(year, sql(''));
      // What is left out of the result counts for the whole and for what runs.
      await same({ ...year, keep: [so('"#s" > 300')] }, sql('WHERE q > 300'));
      // Along the last thing that is grouped by, anew for each of the others.
      await same(
        begin('shipment', {
          group: {
            by: [
              by('"#f_nSupplier"'),
              { id: 'h', label: 'H', expression: '"#f_nDay"', step: 'year' } as never,
            ],
            measures: [total('running', '"#f_nQuantity"', 'r'), total('change', '"#f_nQuantity"', 'd')],
          },
        }),
        `SELECT supplier, CAST(g AS VARCHAR), sum(q) OVER (PARTITION BY supplier ORDER BY g NULLS FIRST ROWS UNBOUNDED PRECEDING),
           q - lag(q) OVER (PARTITION BY supplier ORDER BY g NULLS FIRST)
         FROM (SELECT supplier, CAST(date_trunc('year', day) AS DATE) AS g, sum(quantity) AS q FROM sp GROUP BY 1, 2)`,
      );
    });

    it('none at all of no rows, or one of all', async () => {
      const group = { by: [], measures: [total('count', null), total('sum', '"#f_nQuantity"', 's')] };
      await same(begin('shipment', { group }), 'SELECT count(*), sum(quantity) FROM sp');
      await same(
        begin('shipment', { group, where: [so('FALSE')] }),
        'SELECT count(*), sum(quantity) FROM sp WHERE FALSE',
      );
      await same(
        begin('shipment', { group: { ...group, by: [by('"#f_nPart"')] }, where: [so('FALSE')] }),
        'SELECT part, count(*), sum(quantity) FROM sp WHERE FALSE GROUP BY part',
      );
    });
  });

  describe('the first of each', () => {
    const parts = (): Query =>
      begin('part', {
        sort: [
          { column: 'f_pWeight', descending: true },
          { column: 'f_pNo', descending: false },
        ],
        first: 1,
        firstOf: ['f_pColour'],
      });
    const ordered = 'ORDER BY weight DESC NULLS LAST, code';

    it('rows', () =>
      same(
        parts(),
        `SELECT code, name, colour, weight, city FROM p QUALIFY row_number() OVER (PARTITION BY colour ${ordered}) <= 1 ${ordered}`,
      ));

    it('groups, once some of them are left out', () =>
      same(
        begin('shipment', {
          group: {
            by: [
              { id: 'g', label: 'G', expression: '"#f_nSupplier"' },
              { id: 'h', label: 'H', expression: '"#f_nDay"', step: 'year' },
            ],
            measures: [
              { id: 'm', label: 'M', total: 'sum', expression: '"#f_nQuantity"' },
              { id: 'p', label: 'P', total: 'share', expression: '"#f_nQuantity"' },
            ],
          },
          keep: [so('"#m" < 900')],
          sort: [
            { column: 'm', descending: true },
            { column: 'h', descending: false },
          ],
          first: 1,
          firstOf: ['g'],
        }),
        `SELECT supplier, CAST(g AS VARCHAR), q, p FROM (
           SELECT supplier, g, q, round(100.0 * q / sum(q) OVER (), 1) AS p FROM (
             SELECT supplier, CAST(date_trunc('year', day) AS DATE) AS g, sum(quantity) AS q FROM sp GROUP BY 1, 2))
         WHERE q < 900 QUALIFY row_number() OVER (PARTITION BY supplier ORDER BY q DESC, g NULLS FIRST) <= 1 ORDER BY q DESC, g NULLS FIRST`,
      ));
  });

  describe('results beneath one another', () => {
    const listed = (id: string, label: string, from: string, columns: readonly string[]): Query => {
      const query = asking(begin(from), [], columns);
      return {
        ...query,
        id,
        label,
        columns: query.columns.map((column, i) => ({
          ...column,
          id: `${id}${i}`,
          label: ['Town', 'Who', 'By'][i]!,
        })),
      };
    };
    beforeAll(async () => {
      await office.put(listed('q_towns', 'Towns of suppliers', 'supplier', ['city', 'name']));
      await office.put(listed('q_made', 'Towns of parts', 'part', ['city', 'name']));
      await office.put(
        listed('q_sent', 'Shipped by', 'shipment', ['supplier.city', 'part.name', 'supplier']),
      );
      await office.put(
        listed('q_again', 'Shipped by again', 'shipment', ['supplier.city', 'part.name', 'supplier']),
      );
    });
    const towns = (patch: Partial<Query>): Query => ({
      ...begin('supplier'),
      from: 'q_towns',
      stack: ['q_made'],
      ...patch,
    });

    it('all of them, or unlike ones', async () => {
      await same(towns({}), 'SELECT city, name FROM s UNION ALL SELECT city, name FROM p');
      await same(
        towns({ columns: [{ id: 'c', label: 'C', expression: '"#q_towns0"' }], unlike: true }),
        'SELECT city FROM s UNION SELECT city FROM p',
      );
    });

    it('grouped, asked and followed along lookups', () =>
      same(
        {
          ...begin('supplier'),
          from: 'q_sent',
          stack: ['q_again'],
          where: [so(`"#q_sent2"."#f_sStatus" > 10`)],
          group: {
            by: [{ id: 'g', label: 'G', expression: '"#q_sent2"' }],
            measures: [{ id: 'n', label: 'N', total: 'count', expression: null }],
          },
        },
        'SELECT s.code, 2 * count(*) FROM sp JOIN s ON s.code = supplier WHERE status > 10 GROUP BY s.code',
      ));

    it('that do not fit are refused in words', async () => {
      const refused = async (query: Query): Promise<unknown> =>
        (await office.call('POST', 'query/run', { query })).body.detail;
      expect(await refused(towns({ stack: ['q_sent'] }))).toBe(
        'Towns of suppliers has 2 columns and Shipped by has 3: they do not fit beneath one another.',
      );
      await office.put(listed('q_kinds', 'Of another kind', 'supplier', ['status', 'name']));
      expect(await refused(towns({ stack: ['q_kinds'] }))).toContain(
        'is a text, and town of Of another kind',
      );
      expect(await refused(towns({ stack: ['q_nothing'] }))).toContain('Only results of queries');
      expect(await refused(begin('supplier', { stack: ['q_made'] }))).toContain('Only results of queries');
    });
  });

  it('unlike rows only, and conditions over the columns of a result', async () => {
    const query = { ...asking(begin('part'), [], ['colour', 'city']), unlike: true };
    await same(query, 'SELECT DISTINCT colour, city FROM p');
    await same(
      { ...query, keep: [so(`"#c0" = 'Red'`)] },
      "SELECT DISTINCT colour, city FROM p WHERE colour = 'Red'",
    );
  });

  describe('queries over queries', () => {
    const BUSY = (): Query => ({
      ...begin('shipment'),
      id: 'q_busy',
      label: 'Shipped by supplier',
      group: {
        by: [{ id: 'c_who', label: 'Who', expression: '"#f_nSupplier"' }],
        measures: [
          { id: 'c_sum', label: 'Shipped in all', total: 'sum', expression: '"#f_nQuantity"' },
          { id: 'c_n', label: 'Times', total: 'count', expression: null },
        ],
      },
      keep: [so('"#c_n" > 1')],
    });
    const over = (patch: Partial<Query> = {}): Query => ({ ...begin('supplier'), from: 'q_busy', ...patch });
    beforeAll(async () => {
      await office.put(BUSY());
    });

    it('start from a result as from a table, and follow its lookups', async () => {
      await same(over(), 'SELECT supplier, sum(quantity), count(*) FROM sp GROUP BY 1 HAVING count(*) > 1');
      await same(
        asking(over(), ['shipped_in_all > 500'], ['who.name', 'shipped_in_all / times', 'who']),
        'SELECT s.name, round(sum(quantity) / count(*), 6), s.code FROM sp JOIN s ON s.code = supplier GROUP BY s.name, s.code HAVING sum(quantity) > 500 AND count(*) > 1',
      );
    });

    it('put a result beside rows, kept without one too, and count those', async () => {
      const join: QueryJoin = {
        id: 'j_busy',
        at: null,
        by: { by: 'condition', from: 'q_busy', condition: '"#j_busy"."#c_who" = "#f_sNo"' },
        name: 'busy',
        keepWithout: true,
      };
      const { funnel } = await ours(begin('supplier', { joins: [join] }));
      expect((funnel[1] as { none?: number }).none).toBe(3);
      await same(
        asking(begin('supplier', { joins: [join] }), [], ['code', 'busy.times', 'busy.who.city']),
        'SELECT s.code, n, CASE WHEN n IS NOT NULL THEN s.city END FROM s LEFT JOIN (SELECT supplier, count(*) AS n FROM sp GROUP BY 1 HAVING count(*) > 1) ON supplier = s.code',
      );
    });

    it('keep only the first rows of what they read', async () => {
      await office.put({
        ...begin('part'),
        id: 'q_heavy',
        label: 'Heaviest',
        sort: [{ column: 'f_pWeight', descending: true }],
        first: 3,
      });
      await same(
        {
          ...begin('part', { from: 'q_heavy' }),
          columns: [{ id: 'c', label: 'Code', expression: '"#f_pNo"' }],
        },
        'SELECT code FROM p ORDER BY weight DESC NULLS LAST LIMIT 3',
      );
    });

    it('that read themselves, by whatever way, are refused in words', async () => {
      const round = { ...begin('supplier'), id: 'q_round', label: 'Round', from: 'q_busy' };
      await office.put(round);
      const { status, body } = await office.call('POST', 'query/run', {
        query: { ...BUSY(), from: 'q_round', group: null, keep: [] },
      });
      expect([status, body.detail]).toEqual([422, 'The query Shipped by supplier reads itself.']);
      const own = await office.call('POST', 'query/run', { query: { ...round, from: 'q_round' } });
      expect(own.body.detail).toBe('The query Round reads itself.');
    });

    it('stay right when what they read is renamed', async () => {
      const query = asking(over(), ['times > 2'], ['who.name']);
      await office.put({
        ...BUSY(),
        label: 'Named anew',
        group: {
          ...BUSY().group!,
          measures: BUSY().group!.measures.map((item) =>
            item.id === 'c_n' ? { ...item, label: 'How often' } : item,
          ),
        },
      });
      await same(
        query,
        'SELECT s.name FROM sp JOIN s ON s.code = supplier GROUP BY s.name HAVING count(*) > 2',
      );
    });
  });

  describe('what is asked', () => {
    const city = (needed: boolean): Query => {
      const query = begin('supplier', {
        questions: [
          {
            id: 'a_city',
            name: 'which_city',
            label: 'Which city?',
            answer: { kind: 'text' },
            start: null,
            needed,
          },
          {
            id: 'a_least',
            name: 'least',
            label: 'Least status',
            answer: { kind: 'wholeNumber' },
            start: '15',
            needed: true,
          },
        ],
      });
      return asking(query, ['city = which_city', 'status > least'], ['code']);
    };

    it('is answered by who reads, begins with what it begins with, and is left out where nobody needs to answer', async () => {
      await same(city(true), 'SELECT code FROM s WHERE city = NULL');
      await same(city(false), 'SELECT code FROM s WHERE status > 15');
      await same(city(false), "SELECT code FROM s WHERE city = 'Paris' AND status > 15", {
        answers: { a_city: 'Paris' },
      });
      await same(city(false), "SELECT code FROM s WHERE city = 'Paris' AND status > 5", {
        answers: { a_city: 'Paris', a_least: 5 },
      });
    });

    it('is never read as SQL, and refused in words where it is of another kind', async () => {
      for (const odd of ["x' OR 1=1 --", '"', '?1', '%'])
        expect((await ours(city(true), { a_city: odd })).rows)
          .withContext(odd)
          .toEqual([]);
      const { status, body } = await office.call('POST', 'query/run', {
        query: city(true),
        answers: { a_least: 'many' },
      });
      expect([status, body.detail]).toEqual([422, '“many” is not a number.']);
    });
  });

  it('names that could not be told apart are refused in words', async () => {
    const refused = async (query: Query): Promise<unknown> =>
      (await office.call('POST', 'query/run', { query })).body.detail;
    expect(await refused(begin('supplier', { joins: [{ ...SHIPPED, name: 'City' }] }))).toBe(
      '“City” is a field of Supplier already: City needs another name.',
    );
    expect(await refused(begin('supplier', { joins: [{ ...SHIPPED, name: 'shipments' }] }))).toBe(
      '“shipments” is the rows that lead to Supplier already: shipments needs another name.',
    );
    const { name: _, ...bare } = SHIPPED;
    expect(await refused(begin('supplier', { joins: [bare] }))).toContain('need a name');
    expect(
      await refused(begin('supplier', { joins: [{ ...SHIPPED, by: { by: 'children', link: 'f_gone' } }] })),
    ).toContain('no longer there');
    expect(catalogOf(office.design).table('t_supplier').links).toEqual([]);
  });
});
