import Database from 'libsql';
import { createOrders, createTable, createTriggers, orderParts } from '@heathridge/core/change';
import { emptyDesign, type Design } from '@heathridge/core/design';
import { field, number, table } from '../../../core/src/design/testing/office';
import { NOTHING } from '@heathridge/core/rows';
import { compareText, orderKey, orderKeySql } from '@heathridge/core/expression';
import { BUILDER } from '../testing/office';
import { anchorSql, ANCHOR_STEP, orderOf, readWindow } from '../rows/window';
import { readList } from '../rows/read';
import { migrate, ormOver } from '../store/driver';
import '../testing/timeouts';

const DESIGN: Design = {
  ...emptyDesign(),
  tables: [
    table(
      'person',
      [
        field('number', 'number', number),
        field('name', 'name', { kind: 'text' }, { indexed: true }),
        field('town', 'town', { kind: 'text' }),
      ],
      { key: ['f_number'] },
    ),
    table(
      'code',
      [
        field('letters', 'letters', { kind: 'text' }),
        field('place', 'place', { kind: 'wholeNumber' }),
        field('mail', 'mail', { kind: 'text' }, { noTwoAlike: true }),
      ],
      { key: ['f_letters', 'f_place'] },
    ),
  ],
};

function file(): Database.Database {
  const db = new Database(':memory:');
  migrate(ormOver(db), 'file');
  for (const each of DESIGN.tables) {
    db.exec(createTable(DESIGN, each));
    for (const sql of [...createOrders(DESIGN, each), ...createTriggers(DESIGN, each)]) db.exec(sql);
  }
  return db;
}

describe('the order of texts in a file', () => {
  let db: Database.Database;
  beforeEach(() => (db = file()));
  afterEach(() => db.close());

  const isKept = (): void => {
    for (const each of DESIGN.tables)
      for (const { probe, name } of orderParts(DESIGN, each))
        expect(db.prepare(probe).raw().get()).withContext(name).toBeUndefined();
  };

  it('has the keys that the core makes, for every letter there is', () => {
    const sql = db
      .prepare(`SELECT ${orderKeySql('"t"')}, ${orderKeySql(`("t" || '')`)} FROM (SELECT ?1 AS t)`)
      .raw();
    let line = '';
    for (let code = 1; code <= 0x1ffff; code++) {
      if (code >= 0xd800 && code <= 0xdfff) continue;
      line += String.fromCodePoint(code);
      if (line.length < 120) continue;
      const key = orderKey(line);
      const [plain, wrapped] = sql.get(line) as [string, string];
      if (plain !== key || wrapped !== key) fail(`from ${line.codePointAt(0)!.toString(16)}: ${plain}`);
      line = '';
    }
    expect(sql.get('Éa ŋ·b')).toEqual([orderKey('Éa ŋ·b'), 'ea n\u{e005}.b\u0001éa ŋ·b']);
    expect(sql.get([null])).toEqual([null, null]);
  });

  it('follows the rows on every road', () => {
    db.exec("INSERT INTO person (name) VALUES ('Ada'), ('Émile'), (NULL), ('zoë')");
    isKept();
    const roads = [
      "UPDATE person SET name = 'Åsa' WHERE number = 1",
      'UPDATE person SET number = number + 100',
      'UPDATE person SET number = 7, name = NULL WHERE number = 102',
      "INSERT OR REPLACE INTO person (number, name) VALUES (7, 'Back')",
      "INSERT OR IGNORE INTO person (number, name) VALUES (7, 'Nobody'), (8, 'Éva')",
      "INSERT INTO person (number, name) VALUES (8, 'x') ON CONFLICT DO UPDATE SET name = 'Upsert'",
      'DELETE FROM person WHERE number = 104',
      "INSERT INTO code VALUES ('a', 1, 'A@x'), ('É', 1, 'B@x'), ('é', 2, NULL)",
      "UPDATE code SET letters = 'ß', place = 9 WHERE place = 2",
      "REPLACE INTO code VALUES ('neu', 5, 'A@x')",
      "UPDATE OR REPLACE code SET mail = 'B@x' WHERE letters = 'neu'",
      "INSERT INTO code VALUES ('a', 1, 'A@x')",
      'DELETE FROM code',
    ];
    for (const sql of roads) {
      db.exec(sql);
      isKept();
    }
    expect(db.prepare('SELECT count(*) FROM person').raw().get()).toEqual([4]);
  });

  it('is noticed where a tool has gone round the triggers', () => {
    db.exec('DROP TRIGGER "person order insert"');
    db.exec("INSERT INTO person (name) VALUES ('Late')");
    const [{ probe }] = orderParts(DESIGN, DESIGN.tables[0]!) as [ReturnType<typeof orderParts>[number]];
    expect(db.prepare(probe).raw().get()).toEqual([1]);
  });

  describe('of many rows', () => {
    const [person] = DESIGN.tables as [Design['tables'][number]];
    const ROWS = 2 * ANCHOR_STEP + 300;
    const names = ['Ada', 'Émile', 'emil', 'Zoë', 'zoe', 'Øyvind', 'Oz', 'Ångström', null, 'de Vries', 'Ñu'];
    beforeEach(() => {
      db.exec('BEGIN');
      const insert = db.prepare('INSERT INTO person (name, town) VALUES (?, ?)');
      for (let i = 0; i < ROWS; i++) {
        const name = names[i % names.length]!;
        insert.run(
          name === null ? null : `${name} ${(i * 7919) % ROWS}`,
          names[(i * 5) % names.length] ?? null,
        );
      }
      db.exec('COMMIT');
    });

    const numbers = (json: string): number[] => (JSON.parse(json) as [number][]).map(([number]) => number);
    const windows = [0, 3000, ANCHOR_STEP + 17, ROWS - 20];

    for (const descending of [false, true])
      it(`is the same read from kept keys, by anchors and worked out, ${descending ? 'downwards' : 'upwards'}`, () => {
        const sort = { field: 'f_name', descending };
        const kept = orderOf(DESIGN, person, [sort], true);
        expect(kept.plain).toBeTrue();
        const rows = db.prepare(anchorSql(kept)).raw().all() as (string | number | null)[][];
        for (const start of windows) {
          const request = { start, limit: 50, sort: [sort], ...NOTHING };
          const plain = numbers(readWindow(db, DESIGN, BUILDER, person, request, null));
          expect(plain.length).toBeGreaterThan(10);
          expect(numbers(readWindow(db, DESIGN, BUILDER, person, request, null, true))).toEqual(plain);
          expect(
            numbers(readWindow(db, DESIGN, BUILDER, person, request, { order: '', rows }, true)),
          ).toEqual(plain);
        }
        const all = db.prepare('SELECT number, name FROM person').raw().all() as [number, string | null][];
        // NULL stands before every text, and no key is empty.
        const keyed = all.map(([number, name]) => ({ number, key: name === null ? '' : orderKey(name) }));
        const judged = keyed
          .sort((a, b) => compareText(a.key, b.key) || a.number - b.number)
          .map(({ number }) => number);
        if (descending) judged.reverse();
        const request = { start: 0, limit: ROWS, sort: [sort], ...NOTHING };
        expect(numbers(readWindow(db, DESIGN, BUILDER, person, request, null, true))).toEqual(judged);
      });

    it('is read from the index, row by row', () => {
      const { columns, from } = orderOf(DESIGN, person, [{ field: 'f_name', descending: false }], true);
      const by = columns.map(({ sql }) => sql).join(', ');
      const plan = db
        .prepare(`EXPLAIN QUERY PLAN SELECT t.number FROM ${from} ORDER BY ${by} LIMIT 10`)
        .raw()
        .all();
      const steps = (plan as [number, number, number, string][]).map(([, , , step]) => step).join('; ');
      expect(steps).toContain('hr_order_f_name');
      expect(steps).not.toContain('TEMP B-TREE');
      const [first] = columns;
      const after = db
        .prepare(
          `EXPLAIN QUERY PLAN SELECT t.number FROM ${from} WHERE (${by}) >= ('m', 1) ORDER BY ${by} LIMIT 10`,
        )
        .raw()
        .all();
      expect(JSON.stringify(after)).toContain('SEARCH o USING COVERING INDEX');
      expect(first!.sql).toBe('o.o');
    });

    it('pages a record list alike, in an order of several fields', () => {
      const order = [
        { field: 'f_name', descending: true },
        { field: 'f_town', descending: false },
      ];
      const ordered = { ...person, order };
      const design = { ...DESIGN, tables: [ordered, DESIGN.tables[1]!] };
      const read = (kept: boolean): unknown[] => {
        const seen: { key: [number] }[] = [];
        for (let page = 0; page < 5; page++) {
          const after = seen[seen.length - 1]?.key ?? null;
          const request = { search: '', after, limit: 37, conditions: [], sort: [] };
          seen.push(
            ...(JSON.parse(readList(db, design, BUILDER, ordered, request, kept)) as { key: [number] }[]),
          );
        }
        return seen;
      };
      expect(read(true).length).toBe(185);
      expect(read(true)).toEqual(read(false));
    });
  });
});
