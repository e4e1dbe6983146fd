import { execFileSync } from 'node:child_process';
import { readdirSync } from 'node:fs';
import { dirname } from 'node:path';
import type { Query, QueryQuestion, Written } from '@heathridge/core/design';
import { newQuery, so } from '@heathridge/core/query';
import { Office } from '../testing/office';

interface Found {
  readonly columns: readonly { id: string; label: string; kind: object }[];
  readonly rows: readonly unknown[][];
  readonly written?: Written['columns'];
  readonly fault?: { readonly message: string; readonly from: number; readonly to: number };
  readonly sql: string;
}

describe('queries in SQL', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const written = (sql: string, rest: Partial<Query> = {}): Query => ({
    ...newQuery('q_sql', 'In SQL', office.design.tables[0]!),
    written: { sql, columns: [] },
    ...rest,
  });
  async function run(query: Query, answers = {}): Promise<Found> {
    const { status, body } = await office.call('POST', 'query/run', { query, answers });
    if (status !== 200) throw new Error(JSON.stringify(body));
    return body as Found;
  }
  const elsewhere = (sql: string): unknown[][] => {
    const out = execFileSync('sqlite3', ['-readonly', '-json', office.path], {
      encoding: 'utf8',
      input: `${sql};\n`,
    });
    return out.trim() === ''
      ? []
      : (JSON.parse(out) as object[]).map((row) => Object.values(row) as unknown[]);
  };
  const fault = async (sql: string): Promise<[string, string]> => {
    const found = await run(written(sql));
    expect(found.rows).withContext(sql).toEqual([]);
    return [found.fault?.message ?? '', sql.slice(found.fault?.from, found.fault?.to)];
  };

  it('show what comes from a field as the field says, and see of all else what it is', async () => {
    const {
      columns,
      rows,
      written: seen,
      fault: none,
    } = await run(
      written(
        `SELECT h.hire_number, h.hired_on, h.monthly_fee, p.active, h.monthly_fee / 100.0 AS pounds, count(*) AS n,
                date(h.hired_on, '+1 day') AS next, upper(p.surname) AS name, NULL AS gap
         FROM hire AS h JOIN player AS p ON p.number = h.player GROUP BY h.hire_number ORDER BY 1 LIMIT 3`,
      ),
    );
    expect(none).toBeUndefined();
    expect(columns.map(({ kind }) => (kind as { kind: string }).kind)).toEqual([
      'wholeNumber',
      'date',
      'money',
      'tick',
      'decimal',
      'wholeNumber',
      'date',
      'longText',
      'longText',
    ]);
    const theirs = elsewhere(
      'SELECT hire_number, hired_on, monthly_fee / 100.0 FROM hire ORDER BY 1 LIMIT 3',
    );
    expect(rows.map(([number, day, fee]) => [number, day, Number(fee)])).toEqual(theirs);
    expect(seen!.map(({ scaled }) => scaled).slice(0, 5)).toEqual([false, false, true, false, false]);
    for (const row of rows) expect(Number(row[4])).toBe(Number(row[2]));
  });

  it('run over the readable views too: the SQL of each sentence, word for word', async () => {
    for (const query of office.design.queries) {
      const sentence = await run(query);
      const found = await run(written(sentence.sql));
      expect(found.fault).withContext(query.label).toBeUndefined();
      expect(found.columns.map(({ label }) => label))
        .withContext(query.label)
        .toEqual(sentence.columns.map(({ label }) => label));
      const plain = (rows: Found['rows']): unknown[][] =>
        rows.map((row) =>
          row.map((value) =>
            /^-?\d+(\.\d+)?$/.test(String(value))
              ? Number(value)
              : value === true
                ? 1
                : value === false
                  ? 0
                  : value,
          ),
        );
      // The engine's own order of texts knows no accents.
      const [here, there] = [plain(found.rows), plain(sentence.rows)].map((rows) =>
        rows.map((row) => JSON.stringify(row)).sort(),
      );
      expect(here).withContext(query.label).toEqual(there!);
    }
  });

  it('are refused before they do anything else than read, and say where', async () => {
    const before = readdirSync(dirname(office.path)).sort();
    for (const [sql, words, place] of [
      ['DELETE FROM hire', /only reads/, 'DELETE'],
      ["  -- first\n UPDATE hire SET note = ''", /only reads/, 'UPDATE'],
      ["ATTACH 'other.db' AS other", /only reads/, 'ATTACH'],
      ['PRAGMA writable_schema = 1', /only reads/, 'PRAGMA'],
      ["VACUUM INTO 'copy.db'", /only reads/, 'VACUUM'],
      ['SELECT 1; DELETE FROM hire', /another begins here/, 'DELETE'],
      ["SELECT 1) ; ATTACH 'x.db' AS x; --", /another begins here|closes nothing/, /^(ATTACH|\))$/],
      ['SELECT 1) UNION SELECT (2', /closes nothing/, ')'],
      ['SELECT (1', /never closed/, '('],
      ["SELECT 'it", /never closed/, "'"],
      ['SELECT "it', /never closed/, '"'],
      ['WITH x AS (SELECT 1) DELETE FROM hire', /only reads/, /./],
      [
        "WITH x AS (SELECT 1) INSERT INTO school (name) VALUES ('x') RETURNING *",
        /not expected|only reads/,
        /./,
      ],
      ['SELECT * FROM pragma_database_list', /not of rows/, 'pragma_database_list'],
      ['SELECT * FROM "PRAGMA_database_list"', /not of rows/, '"PRAGMA_database_list"'],
      ['SELECT ?1', /with a colon/, '?1'],
      ['SELECT @x', /with a colon/, '@x'],
      ['SELECT :x', /called “x”/, ':x'],
      ['', /needs SQL/, ''],
      ['-- nothing', /needs SQL/, /./],
    ] as const) {
      if (sql === '') {
        const { status } = await office.call('POST', 'query/run', { query: written(sql) });
        expect(status).toBe(400);
        continue;
      }
      const { status, body } = await office.call('POST', 'query/run', { query: written(sql) });
      const found = status === 200 ? (body as Found).fault : undefined;
      const said = found?.message ?? (body as { detail?: string }).detail ?? '';
      expect(said).withContext(sql).toMatch(words);
      if (found)
        expect(sql.slice(found.from, found.to))
          .withContext(sql)
          .toMatch(
            place instanceof RegExp ? place : new RegExp(place.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')),
          );
    }
    expect(readdirSync(dirname(office.path)).sort()).toEqual(before);
    expect(elsewhere('SELECT count(*) FROM hire')[0]![0]).toBeGreaterThan(1000);
  });

  it('say where something is wrong, and what it may be', async () => {
    expect(await fault('SELECT name FORM school s x')).toEqual([
      jasmine.stringContaining('not expected') as never,
      'school',
    ]);
    expect(await fault("SELECT name, FROM school WHERE name = 'FROM'")).toEqual([
      jasmine.stringContaining('“FROM” is not expected') as never,
      'FROM',
    ]);
    expect(await fault('SELECT name\nFROM school\nWHERE distric = 1')).toEqual([
      'There is no column “distric” here. Is it “district”?',
      'distric',
    ]);
    expect(await fault('SELECT * FROM schol')).toEqual([
      'There is no table “schol” in this file. Is it “school”?',
      'schol',
    ]);
    expect(await fault('SELECT nofn(1) FROM school')).toEqual(['There is no function “nofn”.', 'nofn']);
    expect(await fault('SELECT name FROM school JOIN family')).toEqual([
      jasmine.stringContaining('could be of several tables') as never,
      'name',
    ]);
    expect(await fault('SELECT * FROM school WHERE')).toEqual(['Something is missing at the end.', '']);
  });

  it('take what is asked for as values, and never as SQL', async () => {
    const asked: QueryQuestion = {
      id: 'a_like',
      name: 'like_it',
      label: 'Like',
      answer: { kind: 'text' },
      start: "'x'",
      needed: false,
    };
    const least: QueryQuestion = {
      id: 'a_least',
      name: 'least',
      label: 'Least',
      answer: { kind: 'decimal', places: 2 },
      start: '2 * 1.5',
      needed: false,
    };
    const query = written("SELECT :like_it AS a, :LEAST AS b, ':like_it' AS c -- :nothing", {
      questions: [asked, least],
    });
    expect((await run(query)).rows).toEqual(
      [['x', '3', ':like_it']].map(([a, b, c]) =>
        [a, jasmine.anything(), c].map((value, i) => (i === 1 ? value : [a, b, c][i])),
      ) as never,
    );
    const evil = "'); DROP TABLE hire; --";
    expect((await run(query, { a_like: evil, a_least: '12.50' })).rows).toEqual([[evil, '12.5', ':like_it']]);
    expect((await run(query, { a_like: null, a_least: null })).rows).toEqual([[null, null, ':like_it']]);
  });

  it('are tables to other queries, and to reports', async () => {
    const first = await run(
      written(
        'SELECT p.surname AS name, h.monthly_fee AS fee, h.hired_on AS day FROM hire AS h JOIN player AS p ON p.number = h.player',
      ),
    );
    const saved: Query = {
      ...written(
        'SELECT p.surname AS name, h.monthly_fee AS fee, h.hired_on AS day FROM hire AS h JOIN player AS p ON p.number = h.player',
      ),
      id: 'q_feesSql',
      label: 'Fees',
    };
    const document = { ...saved, written: { sql: saved.written!.sql, columns: first.written! } };
    const put = await office.call('PUT', 'definitions/q_feesSql', { document, base: 0 });
    expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
    const [name, fee, day] = first.written!.map(({ id }) => id);
    const over: Query = {
      ...newQuery('q_over', 'Over', { id: 'q_feesSql' }),
      where: [so(`"#${fee}" > 10.50`)],
      group: {
        by: [{ id: 'y', label: 'Year', expression: `"#${day}"`, step: 'year' }],
        measures: [
          { id: 's', label: 'Fees', total: 'sum', expression: `"#${fee}"` },
          { id: 'n', label: 'Names', total: 'distinct', expression: `"#${name}"` },
        ],
      },
      sort: [{ column: 'y', descending: false }],
    };
    const found = await run(over);
    const theirs = elsewhere(
      "SELECT strftime('%Y-01-01', hired_on), sum(monthly_fee) / 100.0, count(DISTINCT surname) FROM hire JOIN player ON number = player WHERE monthly_fee > 1050 GROUP BY 1 ORDER BY 1",
    );
    expect(found.rows.map(([y, s, n]) => [y, Number(s), n])).toEqual(theirs);
    expect(found.columns[1]!.kind).toEqual(jasmine.objectContaining({ kind: 'money' }));
    // The SQL that is shown of it runs elsewhere with the same rows.
    expect(elsewhere(found.sql).map(([y, s, n]) => [y, s, n])).toEqual(theirs);
    const report = {
      type: 'report',
      id: 'r_fees',
      label: 'Fees',
      source: { kind: 'query', id: 'q_feesSql' },
      columns: [
        { column: name, label: 'Name', sum: false },
        { column: fee, label: 'Fee', sum: true },
      ],
      group: null,
      sort: { column: fee, descending: true },
      paper: 'A4 tall',
    };
    const pages = await office.call('POST', 'reports/pages', { report });
    expect(pages.status).withContext(JSON.stringify(pages.body).slice(0, 300)).toBe(200);
    const [[total]] = elsewhere("SELECT printf('%,.2f', sum(monthly_fee) / 100.0) FROM hire") as [[string]];
    expect(JSON.stringify(pages.body)).toContain(total);
  });

  it('that would never end, or hold too much, are stopped', async () => {
    const { status, body } = await office.call('POST', 'query/run', {
      query: written(
        'WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 3000) SELECT a.i FROM n AS a',
      ),
    });
    expect(status).withContext(JSON.stringify(body).slice(0, 200)).toBe(200);
    expect([(body as Found).rows.length, (body as { more: boolean }).more]).toEqual([1000, true]);
    expect((await fault("SELECT printf('%.*c', 900000000, 'x') AS x"))[0]).toMatch(
      /more than one query may hold/,
    );
    expect((await fault('SELECT abs(-9223372036854775807 - 1) AS x'))[0]).toMatch(/too large/);
    expect((await fault("SELECT json_extract('{', '$') AS x"))[0]).toMatch(/The engine says: malformed JSON/);
    // The next one is asked of the same processes.
    expect((await run(written('SELECT 1 AS one'))).rows).toEqual([[1]]);
  });

  it('send long texts whole to be read, and their beginning to be drawn', async () => {
    const long = written("SELECT printf('%.*c', 5000, 'x') AS x");
    expect(String((await run(long)).rows[0]![0]).length).toBe(5000);
    const drawn = await office.call('POST', 'query/run', { query: long, rows: 20_000 });
    expect(String((drawn.body as unknown as Found).rows[0]![0]).length).toBe(401);
  });

  it('follow where tables and fields are called otherwise, and back when that is undone', async () => {
    const query = written('SELECT p.name, p.price FROM part AS p WHERE in_stock < 3 ORDER BY p.number');
    const before = await run(query);
    expect(before.rows.length).toBeGreaterThan(0);
    const document = { ...query, written: { ...query.written!, columns: before.written! } };
    const put = await office.call('PUT', 'definitions/q_sql', { document, base: 0 });
    expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
    const changes = [
      { change: 'changeTable', table: 't_part', set: { name: 'order' } },
      { change: 'changeField', table: 't_part', field: 'f_partPrice', set: { name: 'each costs' } },
    ];
    const base = office.design.version;
    const check = await office.call('POST', 'draft/check', { base, changes });
    const notes = (check.body.notices as { dependants: { id: string; fate: string }[] }[]).map(
      ({ dependants }) => dependants.flatMap(({ id, fate }) => (id === 'q_sql' ? [fate] : [])),
    );
    expect(notes).toEqual([['follows by itself'], ['follows by itself']]);
    const applied = await office.call('POST', 'draft/apply', { base, changes });
    expect(applied.status).withContext(JSON.stringify(applied.body)).toBe(200);
    const kept = (): Query => office.design.queries.find(({ id }) => id === 'q_sql')!;
    expect(kept().written!.sql).toBe(
      'SELECT p.name, p."each costs" FROM "order" AS p WHERE in_stock < 3 ORDER BY p.number',
    );
    expect((await run(kept())).rows).toEqual(before.rows);
    const list = (await office.call('GET', 'changes')).body.changes as { version: number }[];
    const version = Math.max(...list.map((change) => change.version));
    const undone = await office.call('POST', `changes/${version}/undo`, {});
    expect(undone.status).withContext(JSON.stringify(undone.body)).toBe(200);
    expect(kept().written!.sql).toBe(query.written!.sql);
    expect((await run(kept())).rows).toEqual(before.rows);
  });
});
