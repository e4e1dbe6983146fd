import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import fc from 'fast-check';
import type { Measure, Query, QueryCondition, QueryJoin } from '@heathridge/core/design';
import { toStored } from '@heathridge/core/expression';
import { compileQuery, newQuery, scopeOf } from '@heathridge/core/query';
import type { DateStep, Value } from '@heathridge/core/values';
import { random } from '../../../demo/src/random';
import { runTask } from '../jobs/tasks';
import { openForReading, type Connection } from '../store/driver';
import { Office } from '../testing/office';
import { SUPPLIER_TABLES } from '../testing/suppliers';

const RUNS = 2000;
const SEED = 20261128;

/** A field as we and as the other engine name it. */
interface Named {
  readonly ours: string;
  readonly theirs: string;
  readonly type: 'text' | 'number' | 'date';
}

/** A condition of a generated question, for both. */
type Asked =
  | { readonly is: 'so'; readonly ours: string; readonly theirs: string; readonly off?: boolean }
  | { readonly is: 'all' | 'any'; readonly of: readonly Asked[]; readonly off?: boolean };

/** A question that two engines are asked, each in its own way. */
interface Question {
  readonly base: 'supplier' | 'part' | 'shipment';
  readonly joins: readonly QueryJoin[];
  readonly from: string;
  readonly where: readonly Asked[];
  readonly plain: readonly Named[];
  readonly group: {
    readonly by: readonly { readonly of: Named; readonly step?: DateStep }[];
    readonly measures: readonly {
      readonly total: Measure['total'];
      readonly of: Named | null;
      readonly once: boolean;
    }[];
  } | null;
  readonly least: number | null;
  readonly unlike: boolean;
  readonly first: number | null;
  readonly each: boolean;
  readonly descending: boolean;
}

const OWN: Readonly<Record<Question['base'], readonly (readonly [string, Named['type']])[]>> = {
  supplier: [
    ['code', 'text'],
    ['name', 'text'],
    ['status', 'number'],
    ['city', 'text'],
  ],
  part: [
    ['code', 'text'],
    ['colour', 'text'],
    ['weight', 'number'],
    ['city', 'text'],
  ],
  shipment: [
    ['number', 'number'],
    ['quantity', 'number'],
    ['day', 'date'],
  ],
};
const fieldsOf = (base: Question['base'], path: string, alias: string): Named[] =>
  OWN[base].map(([name, type]) => ({ ours: `${path}${name}`, theirs: `${alias}.${name}`, type }));

const TEXTS = ['London', 'Paris', 'Oslo', 'Red', 'Blue', "O'Hara", '50% off', 'A_b'];
const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`;
const DAYS = ['2024-12-30', '2025-01-01', '2025-06-15', '2026-02-28'];

/** Rows beside those it starts from: the links of this schema, each kept or not, followed without a join too. */
const sources: fc.Arbitrary<
  Pick<Question, 'base' | 'joins' | 'from'> & { readonly fields: readonly Named[] }
> = fc
  .record({
    base: fc.constantFrom<Question['base']>('supplier', 'part', 'shipment'),
    first: fc.boolean(),
    second: fc.boolean(),
    keepFirst: fc.boolean(),
    keepSecond: fc.boolean(),
  })
  .map(({ base, first, second, keepFirst, keepSecond }) => {
    const word = (keep: boolean): string => (keep ? 'LEFT JOIN' : 'JOIN');
    if (base === 'shipment') {
      // A link that is not joined is followed row by row, and is empty where it leads nowhere.
      const joins: QueryJoin[] = [
        ...(first
          ? [{ id: 'j1', at: null, by: { by: 'link' as const, link: 'f_nSupplier' }, keepWithout: keepFirst }]
          : []),
        ...(second
          ? [{ id: 'j2', at: null, by: { by: 'link' as const, link: 'f_nPart' }, keepWithout: keepSecond }]
          : []),
      ];
      return {
        base,
        joins,
        from: `shipment t ${word(!first || keepFirst)} supplier s ON s.code = t.supplier ${word(!second || keepSecond)} part p ON p.code = t.part`,
        fields: [
          ...fieldsOf(base, '', 't'),
          ...fieldsOf('supplier', 'supplier.', 's'),
          ...fieldsOf('part', 'part.', 'p'),
        ],
      };
    }
    const [link, other] =
      base === 'supplier' ? (['supplier', 'part'] as const) : (['part', 'supplier'] as const);
    const child: QueryJoin = {
      id: 'j1',
      at: null,
      by: { by: 'children', link: link === 'supplier' ? 'f_nSupplier' : 'f_nPart' },
      name: 'sent',
      keepWithout: keepFirst,
    };
    const onwards: QueryJoin = {
      id: 'j2',
      at: 'j1',
      by: { by: 'link', link: other === 'part' ? 'f_nPart' : 'f_nSupplier' },
      keepWithout: keepSecond,
    };
    if (!first) return { base, joins: [], from: `${base} t`, fields: fieldsOf(base, '', 't') };
    const isOn = second && !(keepFirst && !keepSecond);
    return {
      base,
      joins: [child, ...(isOn ? [onwards] : [])],
      from: `${base} t ${word(keepFirst)} shipment c ON c.${link} = t.code${isOn ? ` ${word(keepSecond)} ${other} o ON o.code = c.${other}` : ''}`,
      fields: [
        ...fieldsOf(base, '', 't'),
        ...fieldsOf('shipment', 'sent.', 'c'),
        ...(isOn ? fieldsOf(other, `sent.${other}.`, 'o') : []),
      ],
    };
  });

const leaf = (fields: readonly Named[]): fc.Arbitrary<Asked> =>
  fc
    .record({
      of: fc.constantFrom(...fields),
      beside: fc.constantFrom(...fields),
      shape: fc.constantFrom('compare', 'compare', 'empty', 'between', 'in', 'beside', 'like', 'not'),
      op: fc.constantFrom('=', '<>', '<', '>', '<=', '>='),
      a: fc.integer({ min: -5, max: 45 }),
      b: fc.integer({ min: 0, max: 300 }),
      text: fc.constantFrom(...TEXTS),
      day: fc.constantFrom(...DAYS),
      off: fc.boolean(),
      seldom: fc.integer({ min: 0, max: 9 }),
    })
    .map(({ of, beside, shape, op, a, b, text, day, off, seldom }): Asked => {
      const both = (write: (of: string, beside: string) => string): Asked => ({
        is: 'so',
        ours: write(of.ours, beside.ours),
        theirs: write(of.theirs, beside.theirs),
        ...(off && seldom === 0 ? { off } : {}),
      });
      const value = of.type === 'text' ? quoted(text) : of.type === 'date' ? `DATE '${day}'` : String(a);
      // Texts are compared by their letters here and by their codes there, but for whether they are the same.
      const how = of.type === 'text' && op !== '=' && op !== '<>' ? '=' : op;
      if (shape === 'empty') return both((own) => `${own} IS ${a % 2 === 0 ? '' : 'NOT '}NULL`);
      if (shape === 'between' && of.type === 'number') return both((own) => `${own} BETWEEN ${a} AND ${b}`);
      if (shape === 'in')
        return both(
          (own) =>
            `${own} ${a % 2 === 0 ? '' : 'NOT '}IN (${value}, ${of.type === 'text' ? quoted('Red') : value})`,
        );
      if (shape === 'beside' && of.type === beside.type)
        return of.type === 'number'
          ? both((own, other) => `${own} * 2 - ${other} ${op} ${a}`)
          : both((own, other) => `${own} ${a % 2 === 0 ? '=' : '<>'} ${other}`);
      // Capital and small letters are the same to LIKE here.
      if (shape === 'like' && of.type === 'text') {
        const pattern = quoted(a % 2 === 0 ? 'P%' : '%o%');
        return { is: 'so', ours: `${of.ours} LIKE ${pattern}`, theirs: `${of.theirs} ILIKE ${pattern}` };
      }
      if (shape === 'not') return both((own) => `NOT (${own} ${how} ${value})`);
      return both((own) => `${own} ${how} ${value}`);
    });

const conditions = (fields: readonly Named[]): fc.Arbitrary<Asked[]> => {
  const one = leaf(fields);
  const nested = fc
    .record({
      is: fc.constantFrom('all' as const, 'any' as const),
      of: fc.array(one, { minLength: 1, maxLength: 3 }),
      off: fc.integer({ min: 0, max: 9 }),
    })
    .map(({ is, of, off }): Asked => ({ is, of, ...(off === 0 ? { off: true } : {}) }));
  const deep = fc
    .record({
      is: fc.constantFrom('all' as const, 'any' as const),
      of: fc.array(fc.oneof(one, nested), { minLength: 1, maxLength: 3 }),
    })
    .map(({ is, of }): Asked => ({ is, of }));
  return fc.array(fc.oneof(one, nested, deep), { maxLength: 3 });
};

const TOTALS: readonly Measure['total'][] = [
  'count',
  'sum',
  'average',
  'least',
  'most',
  'distinct',
  'median',
  'running',
  'share',
];

const questions: fc.Arbitrary<Question> = sources.chain(({ fields, ...source }) => {
  const numbers = fields.filter(({ type }) => type === 'number');
  const by = fc.record({
    of: fc.constantFrom(...fields),
    step: fc.constantFrom<DateStep | undefined>('year', 'quarter', 'month', 'week', undefined),
  });
  const measure = fc
    .record({
      total: fc.constantFrom(...TOTALS),
      of: fc.constantFrom(...numbers),
      any: fc.constantFrom(...fields),
      rows: fc.boolean(),
      once: fc.boolean(),
    })
    .map(({ total, of, any, rows, once }) => ({
      total,
      of: total === 'count' ? (rows ? null : any) : total === 'distinct' ? any : of,
      // Each row of its own counts once, whatever stands beside it.
      once: once && total === 'count' && rows,
    }));
  return fc.record({
    base: fc.constant(source.base),
    joins: fc.constant(source.joins),
    from: fc.constant(source.from),
    where: conditions(fields),
    plain: fc.array(fc.constantFrom(...fields), { minLength: 1, maxLength: 4 }),
    group: fc.option(
      fc.record({
        by: fc.array(by, { maxLength: 2 }),
        measures: fc.array(measure, { minLength: 1, maxLength: 3 }),
      }),
    ),
    least: fc.option(fc.integer({ min: 0, max: 6 })),
    unlike: fc.boolean(),
    first: fc.option(fc.integer({ min: 1, max: 12 })),
    each: fc.boolean(),
    descending: fc.boolean(),
  });
});

/** The question as the other engine is asked it. */
function theirs({ from, where, plain, group, least, unlike, first, each, descending }: Question): string {
  const written = (condition: Asked): string | null => {
    if (condition.off) return null;
    if (condition.is === 'so') return `(${condition.theirs})`;
    const inner = condition.of.flatMap((each) => written(each) ?? []);
    return inner.length === 0 ? null : `(${inner.join(condition.is === 'all' ? ' AND ' : ' OR ')})`;
  };
  const met = where.flatMap((condition) => written(condition) ?? []);
  const rows = `FROM ${from}${met.length > 0 ? ` WHERE ${met.join(' AND ')}` : ''}`;
  let inner: string;
  let columns: number;
  if (group) {
    const by = group.by.map(
      ({ of, step }, i) =>
        `${of.type === 'date' && step ? `CAST(date_trunc('${step}', ${of.theirs}) AS DATE)` : of.theirs} AS c${i}`,
    );
    const own = group.by.map((_, i) => `c${i}`);
    const total = ({ total: how, of, once }: NonNullable<Question['group']>['measures'][number]): string => {
      switch (how) {
        case 'count':
          return once ? `count(DISTINCT key)` : `count(${of ? 'v' : '*'})`;
        case 'distinct':
          return 'count(DISTINCT v)';
        case 'average':
          return 'avg(v)';
        case 'least':
          return 'min(v)';
        case 'most':
          return 'max(v)';
        case 'median':
          return 'median(v)';
        case 'share':
          return '100.0 * sum(v) / sum(sum(v)) OVER ()';
        case 'running': {
          const last = own.at(-1);
          const parts = own.slice(0, -1);
          return `sum(sum(v)) OVER (${parts.length > 0 ? `PARTITION BY ${parts.join(', ')} ` : ''}${last ? `ORDER BY ${last} NULLS FIRST ` : ''}ROWS UNBOUNDED PRECEDING)`;
        }
        default:
          return 'sum(v)';
      }
    };
    columns = own.length + group.measures.length;
    const measures = group.measures.map(
      (measure, m) => `${total(measure).replaceAll(/\bv\b/g, `v${m}`)} AS c${own.length + m}`,
    );
    const values = group.measures.flatMap(({ of }, m) => (of ? [`${of.theirs} AS v${m}`] : []));
    const key = from.startsWith('shipment') ? 't.number' : 't.code';
    inner = `SELECT ${[...own, ...measures].join(', ')} FROM (SELECT ${[...by, ...values, `${key} AS key`].join(', ')} ${rows})${own.length > 0 ? ` GROUP BY ${own.join(', ')}` : ''}`;
    if (least !== null) inner = `SELECT * FROM (${inner}) WHERE c${own.length} > ${least}`;
  } else {
    columns = plain.length;
    inner = `SELECT ${unlike ? 'DISTINCT ' : ''}${plain.map(({ theirs: own }, i) => `${own} AS c${i}`).join(', ')} ${rows}`;
  }
  const names = Array.from({ length: columns }, (_, i) => `c${i}`);
  const order = names
    .map((name) => `${name} ${descending ? 'DESC NULLS LAST' : 'ASC NULLS FIRST'}`)
    .join(', ');
  if (first === null) return inner;
  return each
    ? `SELECT ${names.join(', ')} FROM (SELECT *, row_number() OVER (PARTITION BY c0 ORDER BY ${order}) AS n FROM (${inner})) WHERE n <= ${first}`
    : `SELECT * FROM (${inner}) ORDER BY ${order} LIMIT ${first}`;
}

describe('generated questions, against DuckDB', () => {
  let office: Office;
  let duck: DuckDBConnection;
  let db: Connection;

  beforeAll(async () => {
    duck = await (await DuckDBInstance.create(':memory:')).connect();
    office = await Office.open({ demo: false });
    await office.apply(...SUPPLIER_TABLES);
    const next = random(SEED);
    const pick = <T>(values: readonly T[]): T => values[Math.floor(next() * values.length)]!;
    const maybe = <T>(value: T): T | null => (next() < 0.18 ? null : value);
    const suppliers = Array.from({ length: 12 }, (_, i) => [
      `S${i}`,
      maybe(pick(TEXTS)),
      maybe(Math.floor(next() * 40)),
      maybe(pick(TEXTS)),
    ]);
    const parts = Array.from({ length: 14 }, (_, i) => [
      `P${i}`,
      maybe(pick(TEXTS)),
      maybe((Math.floor(next() * 300) / 10).toFixed(1)),
      maybe(pick(TEXTS)),
    ]);
    const day = (): string =>
      new Date(Date.UTC(2024, 11, 1) + Math.floor(next() * 500) * 86_400_000).toISOString().slice(0, 10);
    const shipments = Array.from({ length: 70 }, () => [
      maybe(pick(suppliers)[0]!),
      maybe(pick(parts)[0]!),
      maybe(Math.floor(next() * 300)),
      maybe(day()),
    ]);
    const insert = (name: string, ids: readonly string[], row: readonly unknown[]): object => ({
      op: 'insert',
      table: `t_${name}`,
      values: Object.fromEntries(ids.map((id, i) => [id, row[i]])),
    });
    const saved = await office.call('POST', 'rows', {
      changes: [
        ...suppliers.map((row) => insert('supplier', ['f_sNo', 'f_sName', 'f_sStatus', 'f_sCity'], row)),
        ...parts.map((row) => insert('part', ['f_pNo', 'f_pColour', 'f_pWeight', 'f_pCity'], row)),
        ...shipments.map((row) =>
          insert('shipment', ['f_nSupplier', 'f_nPart', 'f_nQuantity', 'f_nDay'], row),
        ),
      ],
    });
    if (saved.status !== 200) throw new Error(JSON.stringify(saved.body));
    db = openForReading(office.path);
    const literal = (value: unknown): string =>
      value === null ? 'NULL' : typeof value === 'string' ? quoted(value) : String(value);
    const fill = async (
      name: string,
      columns: string,
      rows: readonly (readonly unknown[])[],
    ): Promise<void> => {
      await duck.run(`CREATE TABLE ${name} (${columns})`);
      await duck.run(
        `INSERT INTO ${name} VALUES ${rows.map((row) => `(${row.map(literal).join(', ')})`).join(', ')}`,
      );
    };
    await fill('supplier', 'code VARCHAR, name VARCHAR, status INTEGER, city VARCHAR', suppliers);
    await fill('part', 'code VARCHAR, colour VARCHAR, weight DECIMAL(9, 1), city VARCHAR', parts);
    const numbers = db.prepare('SELECT number FROM shipment ORDER BY number').all() as { number: number }[];
    await fill(
      'shipment',
      'number INTEGER, supplier VARCHAR, part VARCHAR, quantity INTEGER, day DATE',
      shipments.map((row, i) => [numbers[i]!.number, ...row]),
    );
  });
  afterAll(async () => {
    db.close();
    duck.closeSync();
    await office.close();
  });

  /** The question as a query document. */
  function ours({
    base,
    joins,
    where,
    plain,
    group,
    least,
    unlike,
    first,
    each,
    descending,
  }: Question): Query {
    const start: Query = {
      ...newQuery(
        'q_asked',
        'Asked',
        office.design.tables.find(({ name }) => name === base)!,
      ),
      joins: [...joins],
    };
    const { catalog, table: id } = scopeOf(office.design, start);
    const stored = (typed: string): string => toStored(typed, catalog, id);
    const condition = (asked: Asked): QueryCondition =>
      asked.is === 'so'
        ? { is: 'so', expression: stored(asked.ours), ...(asked.off ? { off: true } : {}) }
        : { is: asked.is, of: asked.of.map(condition), ...(asked.off ? { off: true } : {}) };
    const by = group?.by ?? [];
    const ids = group
      ? [...by.map((_, i) => `g${i}`), ...group.measures.map((_, i) => `m${i}`)]
      : plain.map((_, i) => `c${i}`);
    return {
      ...start,
      where: where.map(condition),
      columns: group
        ? []
        : plain.map(({ ours: own }, i) => ({ id: `c${i}`, label: `C${i}`, expression: stored(own) })),
      group: group && {
        by: by.map(({ of, step }, i) => ({
          id: `g${i}`,
          label: `G${i}`,
          expression: stored(of.ours),
          ...(of.type === 'date' && step ? { step } : {}),
        })),
        measures: group.measures.map(({ total, of, once }, i) => ({
          id: `m${i}`,
          label: `M${i}`,
          total,
          expression: of && stored(of.ours),
          ...(once ? { once } : {}),
        })),
      },
      keep: group && least !== null ? [{ is: 'so', expression: `"#m0" > ${least}` }] : [],
      unlike: !group && unlike,
      sort: ids.map((column) => ({ column, descending })),
      first,
      ...(first !== null && each ? { firstOf: [ids[0]!] } : {}),
    };
  }

  const plainly = (value: unknown): string | number | null => {
    if (value === null || value === undefined) return null;
    if (typeof value === 'bigint' || typeof value === 'number') return Number(value);
    const written = String(value);
    return /^-?\d+(\.\d+)?$/.test(written) ? Number(written) : written;
  };
  /** What is rounded here and not there is compared with so much room. */
  const roomOf = (total: Measure['total'] | undefined): number =>
    total === 'share' ? 0.0501 : total === 'average' || total === 'median' ? 0.0051 : 1e-9;

  it(`${RUNS.toLocaleString('en')} of them`, async () => {
    let [answered, filled, grouped, atOnce] = [0, 0, 0, 0];
    await fc.assert(
      fc.asyncProperty(questions, async (question) => {
        // Rounded before they are compared, shares and averages would be cut at other places.
        const isRounded = question.group?.measures.some(
          ({ total }) => total === 'share' || total === 'average' || total === 'median',
        );
        if (isRounded && (question.first !== null || question.least !== null)) fc.pre(false);
        const query = ours(question);
        const sql = theirs(question);
        const found = await runTask(db, {
          task: 'query',
          design: office.design,
          query,
          answers: {},
          today: '2026-11-28',
          limit: 20_000,
          totals: false,
          counted: true,
        });
        const other = (await duck.runAndReadAll(sql)).getRows();
        const totals = question.group
          ? [...question.group.by.map(() => undefined), ...question.group.measures.map(({ total }) => total)]
          : question.plain.map(() => undefined);
        const rows = (all: readonly (readonly unknown[])[]): (string | number | null)[][] =>
          all
            .map((row) =>
              row.map((value) =>
                plainly(value !== null && typeof value === 'object' ? String(value) : (value as Value)),
              ),
            )
            .sort((a, b) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1));
        const [here, there] = [rows(found.rows), rows(other)];
        const differs =
          here.length !== there.length ||
          here.some((row, r) =>
            row.some((value, c) => {
              const wanted = there[r]![c]!;
              return typeof value === 'number' && typeof wanted === 'number'
                ? Math.abs(value - wanted) > roomOf(totals[c]) * Math.max(1, totals[c] ? 1 : 0)
                : value !== wanted;
            }),
          );
        if (differs)
          throw new Error(
            `${sql}\nours:   ${JSON.stringify(here.slice(0, 8))}\ntheirs: ${JSON.stringify(there.slice(0, 8))}\n${found.sql}`,
          );
        // What is counted in one pass is what each part says by itself.
        const { funnel, params, together } = compileQuery(office.design, query, { today: '2026-11-28' });
        const alone = funnel.map(({ sql: part }) => {
          const last = Math.max(0, ...[...part.matchAll(/\?(\d+)/g)].map(([, n]) => Number(n)));
          return (db.prepare(part).raw().get(params.slice(0, last)) as [number])[0];
        });
        const counts = found.funnel.map(({ count }) => count);
        if (JSON.stringify(counts) !== JSON.stringify(alone))
          throw new Error(`${sql}\nThe funnel says ${counts.join()}, its parts ${alone.join()}.`);
        if (together !== null) atOnce++;
        if (found.funnel.at(-1)!.count !== here.length)
          throw new Error(
            `The funnel ends with ${found.funnel.at(-1)!.count} of ${here.length} rows: ${sql}`,
          );
        answered++;
        if (here.length > 0) filled++;
        if (question.group) grouped++;
      }),
      { numRuns: RUNS, seed: SEED },
    );
    expect(answered).toBe(RUNS);
    // Questions without an answer would agree by themselves.
    expect(filled).toBeGreaterThan(RUNS * 0.4);
    expect(grouped).toBeGreaterThan(RUNS * 0.25);
    expect(atOnce).toBeGreaterThan(RUNS * 0.1);
  }, 300_000);
});
