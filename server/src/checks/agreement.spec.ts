import Database from 'libsql';
import fc from 'fast-check';
import {
  attempt,
  bind,
  evaluate,
  FAULTS,
  some,
  toSql,
  type Bound,
  type Evaluation,
  type Fault,
  type SqlWriting,
  type Val,
} from '@heathridge/core/expression';
import { expressions, SAMPLE } from '../../../core/src/expression/testing/sample';

type Row = Readonly<Record<string, number | string | null>> & { readonly table: string };

const ITEMS: Row[] = [
  {
    table: 'item',
    id: 1,
    whole: 7,
    other: -3,
    price: 1250,
    rate: 33333,
    label: 'Ab',
    note: ' é ',
    active: 1,
    bought: '2024-01-31',
    due: '2024-02-29',
    owner: 1,
    opens: '09:30:00',
    made: '2024-02-29T23:59:59Z',
    inside: null,
  },
  {
    table: 'item',
    id: 2,
    whole: 0,
    other: 5,
    price: -199,
    rate: 1,
    label: '',
    note: 'ÉCOLE',
    active: 0,
    bought: '2023-12-31',
    due: null,
    owner: 2,
    opens: '23:59:59',
    made: '1999-12-31T00:00:00Z',
    inside: 1,
  },
  {
    table: 'item',
    id: 3,
    whole: null,
    other: 999999999,
    price: null,
    rate: null,
    label: null,
    note: '🎻violin%',
    active: null,
    bought: null,
    due: '9999-12-30',
    owner: null,
    opens: null,
    made: null,
    inside: 2,
  },
  {
    table: 'item',
    id: 4,
    whole: -1,
    other: 2,
    price: 999999999999999,
    rate: -999999999999999,
    label: "o'k 12",
    note: 'a_b',
    active: 1,
    bought: '0001-01-02',
    due: '2000-02-29',
    owner: 1,
    opens: '00:00:00',
    made: null,
    inside: 1,
  },
];
const OWNERS: Row[] = [
  { table: 'owner', id: 1, name: 'Ada', since: '2020-02-29' },
  { table: 'owner', id: 2, name: null, since: null },
];
const PARTS: Row[] = [
  { table: 'part', id: 1, item: 1, cost: 500, name: 'axle' },
  { table: 'part', id: 2, item: 1, cost: 333, name: 'Bow' },
  { table: 'part', id: 3, item: 1, cost: 500, name: null },
  { table: 'part', id: 4, item: 2, cost: null, name: 'A' },
  { table: 'part', id: 5, item: 4, cost: -1, name: 'z' },
];
const TODAY = '2024-02-29';

/** Expressions of each kind: 5,000 in all in the tests, 50,000 in the bench. */
const RUNS = Number(process.env['AGREEMENT_RUNS'] ?? 1100);
const SEED = Number(process.env['AGREEMENT_SEED'] ?? 20261125);

function openSample(): Database.Database {
  const db = new Database(':memory:');
  db.exec(`
    CREATE TABLE owner (id INTEGER PRIMARY KEY, name TEXT, since TEXT) STRICT;
    CREATE TABLE item (id INTEGER PRIMARY KEY, whole INTEGER, other INTEGER, price INTEGER, rate INTEGER,
      label TEXT, note TEXT, active INTEGER, bought TEXT, due TEXT, owner INTEGER REFERENCES owner,
      opens TEXT, made TEXT, inside INTEGER) STRICT;
    CREATE TABLE part (id INTEGER PRIMARY KEY, item INTEGER REFERENCES item, cost INTEGER, name TEXT) STRICT;`);
  for (const { table, ...row } of [...OWNERS, ...ITEMS, ...PARTS])
    db.prepare(
      `INSERT INTO ${table} (${Object.keys(row).join()}) VALUES (${Object.keys(row)
        .map(() => '?')
        .join()})`,
    ).run(...Object.values(row));
  return db;
}

const read: Evaluation<Row>['read'] = (row, field) => {
  const value = row[field.column] ?? null;
  if (typeof value !== 'number') return value;
  return field.kind.kind === 'tick' ? value === 1 : BigInt(value);
};

const evaluation = (row: Row): Evaluation<Row> => ({
  row,
  today: TODAY,
  now: `${TODAY}T12:00:00Z`,
  read,
  follow: (from, hop) => {
    const rows = hop.table === 't_owner' ? OWNERS : ITEMS;
    return rows.find(({ id }) => id === from[hop.on[0]![0]]) ?? null;
  },
  children: (from, hop) =>
    (hop.table === 't_part' ? PARTS : ITEMS).filter((child) => child[hop.child.on[0]![1]] === from['id']),
});

interface Outcome {
  readonly value: Val;
  readonly fault: Fault | null;
}

const words = ({ value, fault }: Outcome): string => fault ?? String(value);

const WRITING: SqlWriting = { catalog: SAMPLE, row: 't0', today: `'${TODAY}'` };

function worked(db: Database.Database, bound: Bound, row: Row, faults: SqlWriting['faults']): Val | Buffer {
  const { sql } = toSql(bound, { ...WRITING, faults });
  const statement = db.prepare(`SELECT ${sql} FROM item AS t0 WHERE t0.id = ?`);
  const [value] = statement.safeIntegers(true).raw().get(row['id']) as [Val | number | Buffer];
  if (typeof value === 'number') throw new Error(`A float came out of ${sql}`);
  return bound.type.type === 'boolean' && typeof value === 'bigint' ? value === 1n : value;
}

/** The value of an expression whose faults are marked: what is at fault is then no error of the engine. */
function byMarks(db: Database.Database, bound: Bound, row: Row): Outcome {
  const marked = worked(db, bound, row, 'mark');
  const fault = Buffer.isBuffer(marked) ? FAULTS[marked[0]! - 1]! : null;
  const value = Buffer.isBuffer(marked) ? null : marked;
  if (worked(db, bound, row, 'empty') !== value) throw new Error('Emptied, it is another value than marked.');
  return { value, fault };
}

function bySql(db: Database.Database, bound: Bound, row: Row): { value: Val; failed: boolean } {
  try {
    return { value: worked(db, bound, row, 'raise') as Val, failed: false };
  } catch (error) {
    // The engine's own errors stand for "out of range"; anything else is a defect of the SQL.
    if (/malformed JSON|integer overflow/.test((error as Error).message))
      return { value: null, failed: true };
    throw error;
  }
}

function byCore(bound: Bound, row: Row): Outcome {
  const result = evaluate(bound, evaluation(row));
  return result.ok ? { value: result.value, fault: null } : { value: null, fault: result.fault };
}

/** AND and OR may leave a side out, and then an error in it does not show; the order is the engine's. */
const mayLeaveOut = (bound: Bound): boolean =>
  some(bound, ({ op }) => op === 'and' || op === 'or' || op === 'in' || op === 'between');

describe('evaluate and SQL', () => {
  const db = openSample();
  afterAll(() => db.close());
  const { number, text, condition, date, time } = expressions();
  let compared = 0;

  for (const [name, arbitrary] of Object.entries({ number, text, condition, date, time })) {
    it(`agree on generated expressions: ${name}`, () => {
      let values = 0;
      let errors = 0;
      fc.assert(
        fc.property(arbitrary, fc.constantFrom(...ITEMS), (source, row) => {
          const result = attempt(() => bind(source, { catalog: SAMPLE, table: 't_item' }));
          if (!result.ok) {
            expect(result.error.message)
              .withContext(source)
              .toMatch(/nested too deeply|stands before a character|too many parts|too long/);
            return;
          }
          const { bound } = result.value;
          if (!attempt(() => [toSql(bound, WRITING), toSql(bound, { ...WRITING, faults: 'mark' })]).ok)
            return;
          const [ours, marked, theirs] = [byCore(bound, row), byMarks(db, bound, row), bySql(db, bound, row)];
          if (ours.value !== marked.value || ours.fault !== marked.fault)
            throw new Error(
              `${source}\non row ${row['id']}: evaluate ${words(ours)}, marked ${words(marked)}`,
            );
          if (ours.fault === null) values++;
          else errors++;
          if ((ours.fault !== null) !== theirs.failed && mayLeaveOut(bound)) return;
          if (ours.value !== theirs.value || (ours.fault !== null) !== theirs.failed)
            throw new Error(
              `${source}\non row ${row['id']}: evaluate ${words(ours)}, SQL ${theirs.failed ? 'failed' : String(theirs.value)}`,
            );
        }),
        { numRuns: RUNS, seed: SEED },
      );
      compared += values + errors;
      expect(values).toBeGreaterThan(RUNS * 0.6);
      expect(errors).withContext('what cannot be worked out').toBeGreaterThan(0);
    });
  }

  it('agree on which texts are dates and numbers', () => {
    const texts = [
      '2024-02-29',
      '2023-02-29',
      '2023-04-31',
      '2023-12-31',
      '0000-01-01',
      '2023-1-1',
      'now',
      '',
      '12',
      '-3.456',
      '+.5',
      '1.',
      '.',
      '1e3',
      ' 7 ',
      '0007.999',
      '1234567890123456',
      '-',
    ];
    for (const text of texts)
      for (const target of ['DATE', 'INTEGER', 'DECIMAL(10, 2)']) {
        const { bound } = bind(`CAST('${text}' AS ${target})`, { catalog: SAMPLE, table: 't_item' });
        expect(byMarks(db, bound, ITEMS[0]!))
          .withContext(`${text} as ${target}`)
          .toEqual(byCore(bound, ITEMS[0]!));
      }
  });

  describe('agree on which of two faults counts in', () => {
    // Each is at fault for another reason, whatever the row holds.
    const TEXTS = ["CAST(CAST('x' AS DECIMAL(1)) AS VARCHAR(9))", 'CAST(100 + whole * 0 AS VARCHAR(1))'];
    const NUMBERS = ["CAST('x' AS DECIMAL(1))", 'CAST(100 + whole * 0 AS DECIMAL(1))'];
    const DATES = ["CAST('x' AS DATE)", "DATE '9999-12-31' + INTERVAL '1' DAY * (whole * 0 + 1)"];
    const over = (operands: readonly string[], ...shapes: string[]): [string, readonly string[]][] =>
      shapes.map((shape) => [shape, operands]);
    const shapes = [
      ...over(TEXTS, 'POSITION(a IN b)', 'a || b', 'SUBSTRING(a FROM CHAR_LENGTH(b))', 'NULLIF(a, b)'),
      ...over(
        TEXTS,
        'COALESCE(a, b)',
        'a = b',
        'a < b',
        'a IS DISTINCT FROM b',
        'a LIKE b',
        "a LIKE b ESCAPE '!'",
      ),
      ...over(
        NUMBERS,
        'a + b',
        'a - b',
        'a * b',
        'a / b',
        'MOD(a, b)',
        'a > b',
        'CASE WHEN a > 0 THEN b END',
      ),
      ...over(NUMBERS, 'CASE whole WHEN a THEN 1 WHEN b THEN 2 END', "SUBSTRING('text' FROM a FOR b)"),
      ...over(DATES, 'CAST(a - b AS INTEGER)', 'a = b', 'a < b OR b < a', 'NOT a < b AND b < a'),
    ];
    for (const [shape, [first, second]] of shapes)
      it(shape, () => {
        const read = (a: string, b: string): string =>
          shape.replace(/\b[ab]\b/g, (letter) => `(${letter === 'a' ? a : b})`);
        const faults = [read(first!, second!), read(second!, first!)].map((source) => {
          const { bound } = bind(source, { catalog: SAMPLE, table: 't_item' });
          const [ours, marked] = [byCore(bound, ITEMS[0]!), byMarks(db, bound, ITEMS[0]!)];
          expect(marked).withContext(source).toEqual(ours);
          return ours.fault;
        });
        expect(faults[0]).withContext('one fault').not.toBeNull();
        expect(faults[0]).withContext('and the other').not.toBe(faults[1]!);
      });
  });

  it('were compared on nearly all of them', () => {
    expect(compared).toBeGreaterThanOrEqual(4.5 * RUNS);
  });
});
