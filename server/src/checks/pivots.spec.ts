import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { from, op } from 'arquero';
import { median as theirMedian, rollup, sum as theirSum } from 'd3-array';
import { chartModel } from '@heathridge/core/chart';
import type { Measure, Query } from '@heathridge/core/design';
import { countsOf, newQuery, pivotModel, type Grouped } from '@heathridge/core/query';
import { BRITISH, type Value } from '@heathridge/core/values';
import { field, number, table } from '../../../core/src/design/testing/office';
import { Office } from '../testing/office';

interface Found extends Grouped {
  readonly totals: readonly Grouped[];
}

/** Cars of 1970 to 1982 and the weather of Seattle: cars.json and seattle-weather.csv of the npm package vega-datasets. */
describe('pivots and charts over open data', () => {
  const folder = join(dirname(createRequire(import.meta.url).resolve('vega-datasets')), '..', 'data');
  let office: Office;
  let duck: DuckDBConnection;
  const ask = async (sql: string): Promise<unknown[][]> =>
    (await duck.runAndReadAll(sql)).getRows() as unknown[][];

  beforeAll(async () => {
    duck = await (await DuckDBInstance.create(':memory:')).connect();
    await ask(
      `CREATE TABLE car AS SELECT "Name" AS name, CAST("Miles_per_Gallon" AS DECIMAL(9, 1)) AS mpg, CAST("Cylinders" AS INTEGER) AS cylinders,
       CAST("Horsepower" AS INTEGER) AS horsepower, CAST("Weight_in_lbs" AS INTEGER) AS weight, CAST("Year" AS DATE) AS year, "Origin" AS origin FROM read_json('${folder}/cars.json')`,
    );
    await ask(
      `CREATE TABLE weather AS SELECT CAST(date AS DATE) AS day, CAST(precipitation AS DECIMAL(9, 1)) AS rain, CAST(temp_max AS DECIMAL(9, 1)) AS warmest, weather AS kind FROM read_csv('${folder}/seattle-weather.csv')`,
    );
    office = await Office.open({ demo: false });
    const decimal = { kind: 'decimal' as const, places: 1 };
    const whole = { kind: 'wholeNumber' as const };
    await office.apply(
      {
        change: 'addTable',
        table: table('car', [
          field('cNo', 'number', number),
          field('cName', 'name', { kind: 'text' }),
          field('cMpg', 'mpg', decimal),
          field('cCylinders', 'cylinders', whole),
          field('cHorsepower', 'horsepower', whole),
          field('cWeight', 'weight', whole),
          field('cYear', 'year', { kind: 'date' }),
          field('cOrigin', 'origin', { kind: 'text' }),
        ]),
      },
      {
        change: 'addTable',
        table: table('weather', [
          field('wNo', 'number', number),
          field('wDay', 'day', { kind: 'date' }),
          field('wRain', 'rain', decimal),
          field('wWarmest', 'warmest', decimal),
          field('wKind', 'kind', { kind: 'text' }),
        ]),
      },
    );
    const { writer } = office.app.context.files.get(office.file);
    const fill = async (into: string, columns: string, sql: string): Promise<void> => {
      const rows = await ask(sql);
      const list = columns.split(', ').map((_, i) => `json_extract(value, '$[${i}]')`);
      writer
        .prepare(`INSERT INTO ${into} (${columns}) SELECT ${list.join(', ')} FROM json_each(?)`)
        .run(JSON.stringify(rows));
    };
    // Decimals are kept as whole numbers of their last place.
    await fill(
      'car',
      'name, mpg, cylinders, horsepower, weight, year, origin',
      'SELECT name, CAST(mpg * 10 AS INTEGER), cylinders, horsepower, weight, CAST(year AS VARCHAR), origin FROM car',
    );
    await fill(
      'weather',
      'day, rain, warmest, kind',
      'SELECT CAST(day AS VARCHAR), CAST(rain * 10 AS INTEGER), CAST(warmest * 10 AS INTEGER), kind FROM weather',
    );
  });
  afterAll(async () => {
    duck.closeSync();
    await office.close();
  });

  const grouped = (
    name: string,
    by: readonly (readonly [id: string, field: string, step?: 'month' | 'year'])[],
    measures: readonly (readonly [total: Measure['total'], field: string | null])[],
    across: readonly string[],
  ): Query => ({
    ...newQuery(
      'q_asked',
      'Asked',
      office.design.tables.find((one) => one.name === name)!,
    ),
    group: {
      by: by.map(([id, of, step]) => ({ id, label: id, expression: `"#${of}"`, ...(step ? { step } : {}) })),
      measures: measures.map(([total, of], i) => ({
        id: `m${i}`,
        label: `M${i}`,
        total,
        expression: of && `"#${of}"`,
      })),
    },
    pivot: { across: [...across], heat: true },
  });

  async function run(query: Query, rest: object = {}): Promise<Found> {
    const { status, body } = await office.call('POST', 'query/run', {
      query,
      rows: 20_000,
      totals: true,
      ...rest,
    });
    if (status !== 200) throw new Error(JSON.stringify(body));
    return body as Found;
  }

  /** Every cell of a pivot, totals among them, is what GROUPING SETS give; and none of those is missing. */
  async function same(query: Query, sets: string, sql: string, places: readonly number[]): Promise<void> {
    const found = await run(query);
    const model = pivotModel(query, found, found.totals, BRITISH);
    const ids = query.group!.by.map(({ id }) => id);
    const theirs = new Map<string, readonly unknown[]>();
    for (const row of await ask(sql)) {
      const own = ids.flatMap((id, i) =>
        Number(row[ids.length + i]) === 1 ? [] : [[id, row[i] === null ? null : String(row[i])]],
      );
      theirs.set(JSON.stringify(Object.fromEntries(own)), row.slice(2 * ids.length));
    }
    let cells = 0;
    const seen = new Set<string>();
    for (const row of model.rows)
      for (const column of row.cells)
        for (const [m, cell] of column.entries()) {
          const key = JSON.stringify(
            Object.fromEntries(ids.flatMap((id) => (id in cell.keys ? [[id, cell.keys[id]]] : []))),
          );
          const wanted = theirs.get(key);
          if (!wanted) {
            expect(cell.text).withContext(`${sets} ${key} is in no group`).toBe('');
            continue;
          }
          seen.add(key);
          const [ours, their] = [
            cell.text === '' ? null : Number(cell.text.replaceAll(',', '')),
            wanted[m] === null ? null : Number(wanted[m]),
          ];
          if (ours === null || their === null) expect(ours).withContext(key).toBe(their);
          else
            expect(Math.abs(ours - their))
              .withContext(`${sets} ${key} ${m}: ${ours}, ${their}`)
              .toBeLessThanOrEqual(0.5 * 10 ** -places[m]! + 1e-6);
          cells++;
        }
    // A total over one group alone is that group, and has no line of its own.
    const missing = [...theirs.keys()].filter((key) => !seen.has(key));
    const counts = await Promise.all(
      missing.map((key) => (Object.keys(JSON.parse(key) as object).length < ids.length ? 1 : 0)),
    );
    expect(counts.every((isTotal) => isTotal === 1))
      .withContext(`${sets}: ${missing.slice(0, 5).join()}`)
      .toBeTrue();
    expect(cells).withContext(sets).toBeGreaterThan(20);
  }

  const MEASURES = [
    ['count', null],
    ['sum', 'f_cWeight'],
    ['average', 'f_cMpg'],
    ['median', 'f_cHorsepower'],
    ['distinct', 'f_cCylinders'],
    ['least', 'f_cMpg'],
    ['most', 'f_cHorsepower'],
  ] as const;
  const THEIRS =
    'count(*), sum(weight), avg(mpg), median(horsepower), count(DISTINCT cylinders), min(mpg), max(horsepower)';
  const PLACES = [0, 0, 2, 2, 0, 1, 0];

  it('origin by cylinders', async () => {
    await same(
      grouped(
        'car',
        [
          ['origin', 'f_cOrigin'],
          ['cylinders', 'f_cCylinders'],
        ],
        MEASURES,
        ['cylinders'],
      ),
      'origin x cylinders',
      `SELECT origin, cylinders, GROUPING(origin), GROUPING(cylinders), ${THEIRS} FROM car GROUP BY CUBE (origin, cylinders)`,
      PLACES,
    );
  });

  it('two groups down, one across', async () => {
    await same(
      grouped(
        'car',
        [
          ['origin', 'f_cOrigin'],
          ['cylinders', 'f_cCylinders'],
          ['year', 'f_cYear', 'year'],
        ],
        MEASURES,
        ['year'],
      ),
      'origin, cylinders x year',
      `SELECT origin, cylinders, CAST(date_trunc('year', year) AS DATE) AS y, GROUPING(origin), GROUPING(cylinders), GROUPING(y), ${THEIRS}
       FROM car GROUP BY GROUPING SETS ((origin, cylinders, y), (origin, cylinders), (origin, y), (origin), (y), ())`,
      PLACES,
    );
  });

  it('all across, and all down', async () => {
    for (const across of [['origin', 'cylinders'], []])
      await same(
        grouped(
          'car',
          [
            ['origin', 'f_cOrigin'],
            ['cylinders', 'f_cCylinders'],
          ],
          MEASURES,
          across,
        ),
        `across ${across.join(', ')}`,
        `SELECT origin, cylinders, GROUPING(origin), GROUPING(cylinders), ${THEIRS} FROM car GROUP BY GROUPING SETS ((origin, cylinders), (origin), ())`,
        PLACES,
      );
  });

  it('months by weather, exact to the last place', async () => {
    await same(
      grouped(
        'weather',
        [
          ['month', 'f_wDay', 'month'],
          ['kind', 'f_wKind'],
        ],
        [
          ['count', null],
          ['sum', 'f_wRain'],
          ['most', 'f_wWarmest'],
        ],
        ['kind'],
      ),
      'month x weather',
      "SELECT CAST(date_trunc('month', day) AS DATE) AS m, kind, GROUPING(m), GROUPING(kind), count(*), sum(rain), max(warmest) FROM weather GROUP BY CUBE (m, kind)",
      [0, 1, 1],
    );
  });

  it('totals of what is shown only, where groups are left out', async () => {
    const query: Query = {
      ...grouped(
        'car',
        [
          ['origin', 'f_cOrigin'],
          ['cylinders', 'f_cCylinders'],
        ],
        [
          ['count', null],
          ['average', 'f_cMpg'],
        ],
        ['cylinders'],
      ),
      keep: [{ is: 'so', expression: '"#m0" > 50' }],
    };
    const found = await run(query);
    const model = pivotModel(query, found, found.totals, BRITISH);
    const rows = await ask(
      'SELECT sum(n) FROM (SELECT count(*) AS n FROM car GROUP BY origin, cylinders) WHERE n > 50',
    );
    const corner = model.rows.at(-1)!.cells.at(-1)!;
    expect(corner.map(({ text }) => text)).toEqual([String(rows[0]![0]), '']);
    expect(model.notes).toEqual([jasmine.stringMatching('no total here')]);
  });

  it('rows in the order of a total, most first', async () => {
    const query = grouped(
      'car',
      [
        ['origin', 'f_cOrigin'],
        ['cylinders', 'f_cCylinders'],
      ],
      [['count', null]],
      ['cylinders'],
    );
    const found = await run(query);
    const names = (descending: boolean): string[] =>
      pivotModel(
        { ...query, pivot: { ...query.pivot!, order: { measure: 'm0', descending } } },
        found,
        found.totals,
        BRITISH,
      )
        .rows.filter(({ isTotal }) => !isTotal)
        .map(({ names: [name] }) => name!);
    const theirs = (await ask('SELECT origin FROM car GROUP BY origin ORDER BY count(*) DESC')).flat();
    expect(names(true)).toEqual(theirs as string[]);
    expect(names(false)).toEqual([...(theirs as string[])].reverse());
  });

  it('a chart draws what d3-array adds up, medians among it', async () => {
    const cars = (await ask('SELECT origin, cylinders, weight, horsepower FROM car')) as [
      string,
      number,
      number,
      number | null,
    ][];
    const query = grouped(
      'car',
      [
        ['origin', 'f_cOrigin'],
        ['cylinders', 'f_cCylinders'],
      ],
      [
        ['sum', 'f_cWeight'],
        ['median', 'f_cHorsepower'],
      ],
      [],
    );
    const { columns, rows } = await run(query);
    const drawing = { columns, rows, locale: BRITISH, zero: countsOf(query) };
    const model = chartModel(
      { as: 'bars', along: 'origin', values: ['m0'], split: 'cylinders', pile: 'stacked' },
      drawing,
    );
    const sums = rollup(
      cars,
      (own) => theirSum(own, ([, , weight]) => weight),
      ([origin]) => origin,
      ([, cylinders]) => String(cylinders),
    );
    expect(model.panels[0]!.marks.length).toBe([...sums.values()].reduce((n, own) => n + own.size, 0));
    for (const { series, x, y, y0 } of model.panels[0]!.marks)
      expect(y - y0).toBeCloseTo(sums.get(model.places[x]!)!.get(model.series[series]!)!, 6);
    // The bars of a name stand on one another, up to all of it.
    for (const [x, name] of model.places.entries()) {
      const top = Math.max(...model.panels[0]!.marks.filter((mark) => mark.x === x).map(({ y }) => y));
      expect(top).toBeCloseTo(
        theirSum(
          cars.filter(([origin]) => origin === name),
          ([, , weight]) => weight,
        ),
        6,
      );
    }
    const medians = rollup(
      cars,
      (own) => theirMedian(own, ([, , , horsepower]) => horsepower ?? Number.NaN),
      ([origin]) => origin,
      ([, cylinders]) => String(cylinders),
    );
    for (const row of rows as Value[][])
      expect(Number(row[3])).toBeCloseTo(medians.get(String(row[0]))!.get(String(row[1]))!, 6);
  });

  it('medians, averages and shares of groups are those of arquero', async () => {
    const cars = (await ask('SELECT origin, weight, CAST(mpg AS DOUBLE) FROM car')).map(
      ([origin, weight, mpg]) => ({ origin, weight: Number(weight), mpg: mpg === null ? null : Number(mpg) }),
    );
    const theirs = from(cars)
      .groupby('origin')
      .rollup({
        share: op.sum('weight'),
        middle: op.median('mpg'),
        mean: op.mean('mpg'),
        filled: op.valid('mpg'),
      })
      .derive({ share: 'd => 100 * d.share / op.sum(d.share)' })
      .objects() as { origin: string; share: number; middle: number; mean: number; filled: number }[];
    const { rows } = await run(
      grouped(
        'car',
        [['origin', 'f_cOrigin']],
        [
          ['share', 'f_cWeight'],
          ['median', 'f_cMpg'],
          ['average', 'f_cMpg'],
          ['count', 'f_cMpg'],
        ],
        [],
      ),
    );
    expect(rows.length).toBe(3);
    for (const [origin, share, middle, mean, filled] of rows as Value[][]) {
      const own = theirs.find((group) => group.origin === origin)!;
      // A share is shown in tenths of a per cent, an average in places of its own.
      expect(Math.abs(Number(share) - own.share)).toBeLessThanOrEqual(0.05 + 1e-9);
      expect(Number(middle)).toBeCloseTo(own.middle, 6);
      const places = String(mean).split('.')[1]?.length ?? 0;
      expect(Math.abs(Number(mean) - own.mean)).toBeLessThanOrEqual(0.5 * 10 ** -places + 1e-9);
      expect(filled).toBe(own.filled);
    }
  });

  it('a histogram has each value in its bar', async () => {
    const query: Query = {
      ...newQuery(
        'q_asked',
        'Asked',
        office.design.tables.find(({ name }) => name === 'car')!,
      ),
      columns: [{ id: 'mpg', label: 'Miles', expression: '"#f_cMpg"' }],
    };
    const { columns, rows } = await run(query);
    const model = chartModel({ as: 'spread', of: 'mpg' }, { columns, rows, locale: BRITISH });
    const { marks } = model.panels[0]!;
    for (const [i, { x, x1, y }] of marks.entries()) {
      const [[theirs]] = (await ask(
        `SELECT count(*) FROM car WHERE mpg >= ${x} AND mpg ${i === marks.length - 1 ? '<=' : '<'} ${x1}`,
      )) as [[bigint]];
      expect(y).withContext(`${x} to ${x1}`).toBe(Number(theirs));
    }
    const [[without]] = (await ask('SELECT count(*) FROM car WHERE mpg IS NULL')) as [[bigint]];
    expect(model.notes.join()).toContain(`${without} rows with nothing in “Miles” are not drawn`);
  });
});
