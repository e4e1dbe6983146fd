import { createRequire } from 'node:module';
import { join, dirname } from 'node:path';
import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { random } from '../../../demo/src/random';
import { field, number, table } from '../../../core/src/design/testing/office';
import type { FieldType } from '@heathridge/core/design';
import { joinsAlong, so } from '@heathridge/core/query';
import { add, fromText, multiply, round, toText } from '@heathridge/core/values';
import { Office } from '../testing/office';

/** DuckDB is an independent engine with exact DECIMAL arithmetic. */
async function duck(connection: DuckDBConnection, sql: string): Promise<unknown[][]> {
  return (await connection.runAndReadAll(sql)).getRows() as unknown[][];
}

describe('decimals against DuckDB’s DECIMAL', () => {
  let connection: DuckDBConnection;
  beforeAll(async () => (connection = await (await DuckDBInstance.create(':memory:')).connect()));
  afterAll(() => connection.closeSync());

  const next = random(7);
  const digits = (most: number): string => String(Math.floor(next() * 10 ** most));
  const text = (places: number): string =>
    `${next() < 0.5 ? '-' : ''}${digits(9)}.${digits(places).padStart(places, '0')}`;
  const PAIRS = Array.from({ length: 1000 }, () => [text(4), text(2)] as const);
  const values = PAIRS.map(
    ([a, b], i) => `(${i}, CAST('${a}' AS DECIMAL(18,4)), CAST('${b}' AS DECIMAL(18,2)))`,
  ).join(', ');
  const ask = (expression: string): Promise<unknown[][]> =>
    duck(
      connection,
      `SELECT CAST(${expression} AS VARCHAR) FROM (VALUES ${values}) AS v(i, a, b) ORDER BY i`,
    );

  it('sums of 1,000 pairs', async () => {
    const theirs = await ask('a + b');
    expect(PAIRS.map(([a, b]) => toText(add(fromText(a)!, fromText(b)!)))).toEqual(theirs.flat() as string[]);
  });

  it('products of 1,000 pairs', async () => {
    const theirs = await ask('CAST(a AS DECIMAL(19,4)) * CAST(b AS DECIMAL(19,2))');
    expect(PAIRS.map(([a, b]) => toText(multiply(fromText(a)!, fromText(b)!)))).toEqual(
      theirs.flat() as string[],
    );
  });

  for (const places of [0, 1, 2, 3]) {
    it(`roundings of 1,000 numbers to ${places} places, halves among them`, async () => {
      const theirs = await ask(`CAST(round(a, ${places}) AS DECIMAL(18, ${places}))`);
      expect(PAIRS.map(([a]) => toText(round(fromText(a)!, places)))).toEqual(theirs.flat() as string[]);
      const halves = [
        '0.5000',
        '-0.5000',
        '1.5000',
        '2.5000',
        '0.0500',
        '0.1500',
        '-0.2500',
        '0.0050',
        '0.0005',
      ];
      const cast = halves
        .map((half) => `round(CAST('${half}' AS DECIMAL(18,4)), ${places})`)
        .map((sql) => `CAST(CAST(${sql} AS DECIMAL(18, ${places})) AS VARCHAR)`);
      const [row] = await duck(connection, `SELECT ${cast.join(', ')}`);
      expect(halves.map((half) => toText(round(fromText(half)!, places)))).toEqual(row as string[]);
    });
  }
});

describe('a query over open data against DuckDB', () => {
  // Flights of the United States in 2001 and airports: the files flights-10k.json and airports.csv of the
  // npm package vega-datasets.
  const folder = join(dirname(createRequire(import.meta.url).resolve('vega-datasets')), '..', 'data');
  let office: Office;
  let connection: DuckDBConnection;

  const to = (): FieldType => ({ kind: 'lookup', table: 't_airport', shows: null, onDelete: 'refuse' });
  const airport = table('airport', [
    field('aCode', 'code', { kind: 'text', most: 4 }),
    field('aCity', 'city', { kind: 'text' }),
    field('aState', 'state', { kind: 'text' }),
  ]);
  const flight = table('flight', [
    field('fNo', 'number', number),
    field('fDay', 'day', { kind: 'date' }),
    field('fDelay', 'delay', { kind: 'wholeNumber' }),
    field('fMiles', 'miles', { kind: 'wholeNumber' }),
    field('fFrom', 'origin', to()),
    field('fTo', 'destination', to()),
  ]);

  beforeAll(async () => {
    connection = await (await DuckDBInstance.create(':memory:')).connect();
    await duck(
      connection,
      `CREATE TABLE airport AS SELECT DISTINCT ON (iata) iata, city, state FROM read_csv('${folder}/airports.csv', all_varchar = true) ORDER BY iata`,
    );
    await duck(
      connection,
      `CREATE TABLE flight AS SELECT CAST(replace(date[1:10], '/', '-') AS DATE) AS day, CAST(delay AS INTEGER) AS delay, CAST(distance AS INTEGER) AS miles, origin, destination
       FROM read_json('${folder}/flights-10k.json', columns = {date: 'VARCHAR', delay: 'INTEGER', distance: 'INTEGER', origin: 'VARCHAR', destination: 'VARCHAR'})
       WHERE origin IN (SELECT iata FROM airport) AND destination IN (SELECT iata FROM airport)`,
    );
    office = await Office.open({ demo: false });
    await office.apply({ change: 'addTable', table: airport }, { change: 'addTable', table: flight });
    const { writer } = office.app.context.files.get(office.file);
    const fill = async (into: string, columns: string, sql: string): Promise<void> => {
      const rows = await duck(connection, sql);
      const list = columns.split(', ').map((_, i) => `json_extract(value, '$[${i}]')`);
      writer
        .prepare(`INSERT INTO ${into} (${columns}) SELECT ${list.join(', ')} FROM json_each(?)`)
        .run(JSON.stringify(rows));
    };
    await fill(
      'airport',
      'code, city, state',
      "SELECT iata, nullif(city, ''), nullif(state, '') FROM airport",
    );
    await fill(
      'flight',
      'day, delay, miles, origin, destination',
      'SELECT CAST(day AS VARCHAR), delay, miles, origin, destination FROM flight',
    );
  });
  afterAll(async () => {
    connection.closeSync();
    await office.close();
  });

  it('with two joins, a filter, a group and totals', async () => {
    const query = {
      type: 'query',
      id: 'q_late',
      label: 'Late flights between states',
      from: 't_flight',
      joins: joinsAlong([
        { path: ['f_fFrom'], keepWithout: false },
        { path: ['f_fTo'], keepWithout: false },
      ]),
      where: [
        so('"#f_fFrom"."#f_aState" <> "#f_fTo"."#f_aState"'),
        so('"#f_fDelay" > 15 AND "#f_fMiles" BETWEEN 200 AND 2000'),
        so('EXTRACT(MONTH FROM "#f_fDay") IN (1, 2, 3)'),
      ],
      columns: [],
      group: {
        by: [{ id: 'state', label: 'State', expression: '"#f_fFrom"."#f_aState"' }],
        measures: [
          { id: 'n', label: 'Flights', total: 'count', expression: null },
          { id: 'miles', label: 'Miles', total: 'sum', expression: '"#f_fMiles"' },
          { id: 'mean', label: 'Mean delay', total: 'average', expression: '"#f_fDelay"' },
          { id: 'least', label: 'Least', total: 'least', expression: '"#f_fDelay"' },
          { id: 'most', label: 'Most', total: 'most', expression: '"#f_fDay"' },
        ],
      },
      sort: [{ column: 'state', descending: false }],
      first: null,
    };
    const { status, body } = await office.call('POST', 'query/run', { query });
    expect(status).withContext(JSON.stringify(body)).toBe(200);
    const theirs = await duck(
      connection,
      `SELECT o.state, CAST(count(*) AS INTEGER), CAST(sum(miles) AS INTEGER),
         CAST(CAST(round(CAST(sum(delay) AS DECIMAL(30,10)) / count(*), 6) AS DECIMAL(20,6)) AS VARCHAR), min(delay), CAST(max(day) AS VARCHAR)
       FROM flight f JOIN airport o ON o.iata = f.origin JOIN airport d ON d.iata = f.destination
       WHERE o.state <> d.state AND delay > 15 AND miles BETWEEN 200 AND 2000 AND month(day) IN (1, 2, 3)
       GROUP BY 1 ORDER BY 1`,
    );
    expect(theirs.length).toBeGreaterThan(20);
    expect(body.rows).toEqual(theirs);

    const counts = await duck(
      connection,
      `SELECT CAST(count(*) AS INTEGER), CAST(count(*) FILTER (WHERE o.state <> d.state) AS INTEGER),
         CAST(count(*) FILTER (WHERE o.state <> d.state AND delay > 15 AND miles BETWEEN 200 AND 2000) AS INTEGER)
       FROM flight f JOIN airport o ON o.iata = f.origin JOIN airport d ON d.iata = f.destination`,
    );
    const funnel = (body.funnel as { count: number }[]).map(({ count }) => count);
    expect([funnel[0], funnel[3], funnel[4]]).toEqual(counts[0] as number[]);
    expect(funnel[funnel.length - 1]).toBe(theirs.length);
  });

  it('with columns that are worked out', async () => {
    const query = {
      type: 'query',
      id: 'q_speed',
      label: 'Worked out',
      from: 't_flight',
      joins: [],
      where: [so('"#f_fNo" <= 200')],
      columns: [
        {
          id: 'a',
          label: 'Per ten miles',
          expression: 'ROUND("#f_fDelay" * 10 / NULLIF("#f_fMiles", 0), 4)',
        },
        { id: 'b', label: 'Route', expression: '"#f_fFrom" || \'-\' || "#f_fTo"' },
        {
          id: 'c',
          label: 'Class',
          expression:
            "CASE WHEN \"#f_fDelay\" <= 0 THEN 'early' WHEN \"#f_fDelay\" <= 15 THEN 'on time' ELSE 'late' END",
        },
      ],
      group: null,
      sort: [],
      first: null,
    };
    const { body } = await office.call('POST', 'query/run', { query });
    const theirs = await duck(
      connection,
      `SELECT CAST(CAST(round(CAST(delay * 10 AS DECIMAL(30,12)) / nullif(miles, 0), 4) AS DECIMAL(18,4)) AS VARCHAR), origin || '-' || destination,
         CASE WHEN delay <= 0 THEN 'early' WHEN delay <= 15 THEN 'on time' ELSE 'late' END
       FROM flight ORDER BY rowid LIMIT 200`,
    );
    expect(body.rows).toEqual(theirs);
  });
});
