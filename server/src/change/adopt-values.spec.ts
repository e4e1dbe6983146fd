import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'libsql';
import fc from 'fast-check';
import type { Design, FieldType } from '@heathridge/core/design';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

const many = (count: number, make: (n: number) => string, between = ', '): string =>
  Array.from({ length: count }, (_, n) => make(n + 1)).join(between);

interface Awkward {
  readonly sql: string;
  /** Words that stand in what is said of it; one that begins with “!” does not. */
  readonly said?: readonly (string | RegExp)[];
  /** The fields of its first table, and its rows, or those of this query. */
  readonly kinds?: readonly string[];
  readonly rows?: readonly (readonly unknown[])[];
  readonly ask?: string;
  /** Where it cannot be taken in: why. */
  readonly refused?: RegExp;
}

/** Files that a tool may well have made, and what is to become of them. */
const FILES: Readonly<Record<string, Awkward>> = {
  // Values.
  'a day that is none': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, d DATE); INSERT INTO t VALUES (1, '2024-02-28'), (2, '2024-02-30'), (3, '2024-03-01')",
    kinds: ['runningNumber', 'text'],
    rows: [
      [1, '2024-02-28'],
      [2, '2024-02-30'],
      [3, '2024-03-01'],
    ],
    said: [/t\.d is kept as a text: not all of it are dates of the calendar\. 1 row: 2$/m],
  },
  'a moment that is none': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, d TEXT); INSERT INTO t VALUES (1, '2024-02-30 10:00:00')",
    kinds: ['runningNumber', 'text'],
    rows: [[1, '2024-02-30 10:00:00']],
  },
  'moments with offsets': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, d TEXT); INSERT INTO t VALUES (1, '2024-02-03T10:00:00+02:00')",
    kinds: ['runningNumber', 'text'],
    rows: [[1, '2024-02-03T10:00:00+02:00']],
  },
  'moments in several forms': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, d TEXT); INSERT INTO t VALUES (1, '2024-02-03 10:00'), (2, '2024-02-03T10:00:01Z'), (3, NULL)",
    kinds: ['runningNumber', 'dateTime'],
    rows: [
      [1, '2024-02-03T10:00:00Z'],
      [2, '2024-02-03T10:00:01Z'],
      [3, null],
    ],
    said: ['a moment of UTC now', /1 row: 1$/m],
  },
  'moments with fractions of a second': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, d TEXT); INSERT INTO t VALUES (1, '2024-02-03 10:00:00.123')",
    rows: [[1, '2024-02-03 10:00:00.123']],
  },
  'times, one of them 24:00': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TIME, b TIME); INSERT INTO t VALUES (1, '23:59', '24:00'), (2, '00:00:30', '10:00')",
    kinds: ['runningNumber', 'time', 'text'],
    rows: [
      [1, '23:59:00', '24:00'],
      [2, '00:00:30', '10:00'],
    ],
    said: ['times without seconds have them now'],
  },
  'the year 0': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, d DATE); INSERT INTO t VALUES (1, '0000-01-01')",
    rows: [[1, '0000-01-01']],
    kinds: ['runningNumber', 'text'],
  },
  'numbers with all digits of a double': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, r REAL); INSERT INTO t VALUES (1, 0.1 + 0.2), (2, 1.0 / 3), (3, 1e300), (4, 9e999)',
    kinds: ['runningNumber', 'text'],
    ask: 'SELECT CAST(r AS REAL) FROM t WHERE id < 4 ORDER BY id',
    rows: [[0.1 + 0.2], [1 / 3], [1e300]],
    said: ['with all their digits. All 4 rows.'],
  },
  'amounts of two places': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, r REAL); INSERT INTO t VALUES (1, 19.99), (2, -0.01), (3, 5), (4, 1234567.1)',
    kinds: ['runningNumber', 'decimal'],
    rows: [
      [1, 1999],
      [2, -1],
      [3, 500],
      [4, 123456710],
    ],
    said: ['!all are'],
  },
  'whole numbers in a column for fractions': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, r REAL); INSERT INTO t VALUES (1, 5), (2, -7)',
    kinds: ['runningNumber', 'wholeNumber'],
    rows: [
      [1, 5],
      [2, -7],
    ],
  },
  'very large whole numbers': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, n INTEGER); INSERT INTO t VALUES (1, 9223372036854775807), (2, -9223372036854775808), (3, 7)',
    rows: [
      [1, '9223372036854775807'],
      [2, '-9223372036854775808'],
      [3, '7'],
    ],
    said: ['more than 15 digits: all are kept as texts. 2 rows: 1, 2'],
  },
  'very large keys': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT); INSERT INTO t VALUES (9223372036854775807, 'x'), (-9223372036854775808, 'y')",
    ask: 'SELECT a FROM t ORDER BY a',
    rows: [['x'], ['y']],
  },
  'bytes under very large keys': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, b BLOB); INSERT INTO t VALUES (9223372036854775807, x'01'), (1, x'02')",
    ask: 'SELECT t.id, hex(bytes) FROM t JOIN hr_attachment AS a ON a.id = t.b ORDER BY 2',
    rows: [
      ['9223372036854775807', '01'],
      ['1', '02'],
    ],
  },
  'empty bytes': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, b BLOB); INSERT INTO t VALUES (1, x''), (2, x'00ff'), (3, NULL)",
    kinds: ['runningNumber', 'file'],
    ask: 'SELECT t.id, hex(bytes), size, length(sha256) FROM t LEFT JOIN hr_attachment AS a ON a.id = t.b ORDER BY 1',
    rows: [
      [1, '', 0, 64],
      [2, '00FF', 2, 64],
      [3, '', null, null],
    ],
  },
  'bytes that are the same in many rows': {
    sql: "CREATE TABLE t (a TEXT PRIMARY KEY, b BLOB); INSERT INTO t VALUES ('p', x'01'), ('q', x'01'), ('r', x'02')",
    ask: 'SELECT t.a, hex(bytes) FROM t JOIN hr_attachment AS a ON a.id = t.b ORDER BY 1',
    rows: [
      ['p', '01'],
      ['q', '01'],
      ['r', '02'],
    ],
  },
  'bytes in a table without row numbers': {
    sql: "CREATE TABLE t (a TEXT, b BLOB, PRIMARY KEY (a)) WITHOUT ROWID; INSERT INTO t VALUES ('p', x'01'), ('q', NULL)",
    ask: 'SELECT t.a, hex(bytes) FROM t LEFT JOIN hr_attachment AS a ON a.id = t.b ORDER BY 1',
    rows: [
      ['p', '01'],
      ['q', ''],
    ],
  },
  'values of every sort in one column': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, v); INSERT INTO t VALUES (1, 5), (2, '5'), (3, 2.5), (4, x'0a'), (5, ''), (6, NULL)",
    rows: [
      [1, '5'],
      [2, '5'],
      [3, '2.5'],
      [4, "X'0A'"],
      [5, null],
      [6, null],
    ],
    said: ['holds values of several sorts: all are texts now', /3 rows: 1, 3, 4$/m, /empty now\. 1 row: 5$/m],
  },
  'texts that are empty, of blanks, of lines': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT NOT NULL, b TEXT); INSERT INTO t VALUES (1, '', ' '), (2, 'x', 'a' || char(10) || 'b')",
    kinds: ['runningNumber', 'text', 'longText'],
    rows: [
      [1, null, ' '],
      [2, 'x', 'a\nb'],
    ],
    said: [/empty now\. 1 row: 1$/m, 'no longer always filled'],
  },
  'texts of blanks where blanks are nothing': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT COLLATE RTRIM); INSERT INTO t VALUES (1, '   '), (2, 'x  ')",
    rows: [
      [1, '   '],
      [2, 'x  '],
    ],
    said: ['t.a compared its texts by RTRIM'],
  },
  'accents apart from their letters': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT); INSERT INTO t VALUES (1, 'Zoe' || char(776)), (2, 'Ann')",
    rows: [
      [1, 'Zoë'],
      [2, 'Ann'],
    ],
    said: ['t.a: 1 text has accents that stood apart'],
  },
  'an accent apart and the same text composed': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT UNIQUE); INSERT INTO t VALUES (1, 'Zoe' || char(776)), (2, 'Zoë')",
    said: ['looks like one that is there already'],
    ask: 'SELECT count(*) FROM t',
    rows: [[2]],
  },
  'ticks with something else among them': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, a BOOLEAN NOT NULL, b BOOLEAN, c BOOLEAN NOT NULL); INSERT INTO t VALUES (1, 1, NULL, 2), (2, 0, 1, 0)',
    kinds: ['runningNumber', 'tick', 'wholeNumber', 'wholeNumber'],
    rows: [
      [1, 1, null, 2],
      [2, 0, 1, 0],
    ],
  },
  'a sort of value that comes late': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, n, d, s TEXT); INSERT INTO t SELECT value, value, '2024-01-01', 'short' FROM generate_series(1, 30000); UPDATE t SET n = 'odd', d = '2024-02-30', s = 'two' || char(10) || 'lines' WHERE id = 20011",
    kinds: ['runningNumber', 'text', 'text', 'longText'],
    ask: 'SELECT n, d, s FROM t WHERE id IN (1, 20011) ORDER BY id',
    rows: [
      ['1', '2024-01-01', 'short'],
      ['odd', '2024-02-30', 'two\nlines'],
    ],
    said: [/29,999 rows: 1, 2, /, /calendar\. 1 row: 20011$/m],
  },
  'an offset that comes late': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, d TEXT); INSERT INTO t SELECT value, '2024-01-01 10:00:00' FROM generate_series(1, 30000); UPDATE t SET d = '2024-01-01T10:00:00+02:00' WHERE id = 20011",
    kinds: ['runningNumber', 'text'],
    ask: 'SELECT d FROM t WHERE id = 20011',
    rows: [['2024-01-01T10:00:00+02:00']],
  },

  // Keys.
  'keys that are empty': {
    sql: "CREATE TABLE t (k TEXT PRIMARY KEY, a TEXT); INSERT INTO t VALUES (NULL, 'p'), (NULL, 'q'), ('', 'r'), ('x', 's')",
    kinds: ['runningNumber', 'text', 'text'],
    rows: [
      [1, null, 'p'],
      [2, null, 'q'],
      [3, null, 'r'],
      [4, 'x', 's'],
    ],
    said: ['its rows are numbered now', /3 rows: \(empty\), \(empty\), $/m],
  },
  'an empty key in a table without row numbers': {
    sql: "CREATE TABLE t (k TEXT PRIMARY KEY, a TEXT) WITHOUT ROWID; INSERT INTO t VALUES ('', 'p'), ('x', 'q')",
    ask: 'SELECT k, a FROM t ORDER BY a',
    rows: [
      [null, 'p'],
      ['x', 'q'],
    ],
  },
  'keys of bytes, and what leads to them': {
    sql: "CREATE TABLE t (k BLOB PRIMARY KEY, a TEXT); CREATE TABLE u (id INTEGER PRIMARY KEY, t BLOB REFERENCES t (k)); INSERT INTO t VALUES (x'00ff', 'p'); INSERT INTO u VALUES (1, x'00ff')",
    kinds: ['text', 'text'],
    ask: 'SELECT u.t, a FROM u JOIN t ON t.k = u.t',
    rows: [['00ff', 'p']],
    said: ['(hexadecimal)'],
  },
  'keys 1 and “1”': {
    sql: "CREATE TABLE t (k PRIMARY KEY, a TEXT); CREATE TABLE u (id INTEGER PRIMARY KEY, t REFERENCES t (k)); INSERT INTO t VALUES (1, 'p'), ('1', 'q'); INSERT INTO u VALUES (1, 1), (2, '1')",
    kinds: ['runningNumber', 'text', 'text'],
    rows: [
      [1, '1', 'p'],
      [2, '1', 'q'],
    ],
    said: ['cannot be told apart', 'The link of u (t) to t does not lead'],
  },
  '1 and “1” where no two are alike': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a UNIQUE); INSERT INTO t VALUES (1, 1), (2, '1'), (3, 2)",
    rows: [
      [1, '1'],
      [2, '1'],
      [3, '2'],
    ],
    said: [/rows that the file told apart are alike here.* 2 rows: 1, 2$/m],
  },
  '1 and “1” where no two pairs are alike': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a, b TEXT, UNIQUE (a, b)); INSERT INTO t VALUES (1, 1, 'x'), (2, '1', 'x')",
    rows: [
      [1, '1', 'x'],
      [2, '1', 'x'],
    ],
    said: ['no two alike is not asked'],
  },
  'a key of a date and an amount': {
    sql: "CREATE TABLE t (d DATE, r DECIMAL(8,2), a TEXT, PRIMARY KEY (d, r)); INSERT INTO t VALUES ('2024-01-01', 1.5, 'p')",
    kinds: ['date', 'decimal', 'text'],
    rows: [['2024-01-01', 150, 'p']],
  },
  'numbers that were given once': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY AUTOINCREMENT, a TEXT); INSERT INTO t VALUES (1, 'p'), (500, 'q'); DELETE FROM t WHERE id = 500",
    ask: "SELECT seq FROM sqlite_sequence WHERE name = 't'",
    rows: [[500]],
  },
  'numbers that were given once, all of whose rows are gone': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY AUTOINCREMENT, a TEXT); INSERT INTO t VALUES (70, 'p'); DELETE FROM t",
    ask: "SELECT seq FROM sqlite_sequence WHERE name = 't'",
    rows: [[70]],
  },
  'a version of its own': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY); PRAGMA user_version = 7; PRAGMA application_id = 99',
    ask: 'SELECT user_version FROM pragma_user_version',
    rows: [[7]],
    said: ['application_id 99'],
  },

  // Links.
  'links that lead nowhere': {
    sql: 'CREATE TABLE b (id INTEGER PRIMARY KEY, a INT REFERENCES a (id)); CREATE TABLE a (id INTEGER PRIMARY KEY); INSERT INTO a VALUES (1); INSERT INTO b VALUES (1, 99), (2, 1), (3, NULL)',
    kinds: ['runningNumber', 'wholeNumber'],
    rows: [
      [1, 99],
      [2, 1],
      [3, null],
    ],
    said: [/leads to rows that are not there: it is not taken over, its values are\. 1 row: 1$/m],
  },
  'links of two columns that lead nowhere': {
    sql: 'CREATE TABLE a (x INT, y INT, PRIMARY KEY (x, y)); CREATE TABLE b (id INTEGER PRIMARY KEY, x INT, y INT, FOREIGN KEY (x, y) REFERENCES a (x, y)); INSERT INTO a VALUES (1, 2); INSERT INTO b VALUES (1, 1, 2), (2, 1, 3)',
    said: [/leads to rows that are not there.* 1 row: 2$/m],
  },
  'two links at one column': {
    sql: 'CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE TABLE c (id INTEGER PRIMARY KEY); CREATE TABLE b (id INTEGER PRIMARY KEY, x INT REFERENCES a (id) REFERENCES c (id)); INSERT INTO a VALUES (1); INSERT INTO c VALUES (1); INSERT INTO b VALUES (1, 1)',
    said: ['stands at a field that is a link already'],
  },
  'links with actions of their own': {
    sql: 'CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE TABLE b (id INTEGER PRIMARY KEY, x INT DEFAULT 1 REFERENCES a (id) ON DELETE SET DEFAULT ON UPDATE SET NULL DEFERRABLE INITIALLY DEFERRED); INSERT INTO a VALUES (1)',
    said: [
      '“set default” on delete is “refuse”',
      'ON UPDATE SET NULL',
      'DEFERRABLE INITIALLY DEFERRED',
      '!the starting value',
    ],
  },
  'a key that leads to itself': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY REFERENCES t (id)); INSERT INTO t VALUES (1)',
    said: ['leads from a row to itself'],
  },
  'keys that lead round in a circle': {
    sql: "CREATE TABLE a (k TEXT PRIMARY KEY REFERENCES b (k)); CREATE TABLE b (k TEXT PRIMARY KEY REFERENCES c (k)); CREATE TABLE c (k TEXT PRIMARY KEY REFERENCES a (k)); INSERT INTO a VALUES ('x'); INSERT INTO b VALUES ('x'); INSERT INTO c VALUES ('x')",
    said: ['leads back to itself'],
  },
  'a link to a table that is not there': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, a INT REFERENCES nowhere (id)); INSERT INTO t VALUES (1, 5)',
    rows: [[1, 5]],
    said: ['The link of t (a) to nowhere'],
  },
  'a link of texts to numbers': {
    sql: "CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE TABLE b (id INTEGER PRIMARY KEY, a TEXT REFERENCES a (id)); INSERT INTO a VALUES (1); INSERT INTO b VALUES (1, '1')",
    said: ['holds values of another sort than the key there'],
  },

  // What the file says of itself.
  'tables called like our own': {
    sql: "CREATE TABLE hr_log (id INTEGER PRIMARY KEY, a TEXT); CREATE TABLE hr_mark (mark TEXT, class INTEGER); INSERT INTO hr_log VALUES (1, 'kept'); INSERT INTO hr_mark VALUES ('m', 1)",
    ask: 'SELECT a FROM n_hr_log',
    rows: [['kept']],
    said: ['“hr_log” is called “n_hr_log” now'],
  },
  'names of nothing, of a blank, of very many letters': {
    sql: `CREATE TABLE " " (" " INTEGER PRIMARY KEY, "" TEXT, "${'n'.repeat(90)}" TEXT, "~x" TEXT); INSERT INTO " " VALUES (1, 'a', 'b', 'c')`,
    rows: [[1, 'a', 'b', 'c']],
    said: ['is called'],
  },
  'names of sixty letters and of other scripts': {
    sql: `CREATE TABLE "${'t'.repeat(60)}" ("${'f'.repeat(60)}" INTEGER PRIMARY KEY, "名前" TEXT, "a""b" TEXT, "select" TEXT); INSERT INTO "${'t'.repeat(60)}" VALUES (1, 'x', 'y', 'z')`,
    rows: [[1, 'x', 'y', 'z']],
  },
  'labels that are the same': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, due_back TEXT, dueBack TEXT, "due back" TEXT)',
  },
  'a table beside one that is called like its readable view': {
    sql: "CREATE TABLE a (id INTEGER PRIMARY KEY, x TEXT); CREATE TABLE a_readable (id INTEGER PRIMARY KEY, y TEXT); INSERT INTO a_readable VALUES (1, 'kept')",
    ask: 'SELECT y FROM a_readable_table',
    rows: [['kept']],
    said: ['a_readable is called a_readable_table now'],
  },
  'columns that take the names of the row number': {
    sql: "CREATE TABLE t (rowid TEXT, oid TEXT, _rowid_ TEXT); INSERT INTO t VALUES ('a', 'b', 'c'), ('d', 'e', 'f')",
    ask: 'SELECT rowid, oid, _rowid_ FROM t ORDER BY number',
    rows: [
      ['a', 'b', 'c'],
      ['d', 'e', 'f'],
    ],
  },
  'a check of more than 500 values': {
    sql: `CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT CHECK (a IN (${many(600, (n) => `'v${n}'`)}))); INSERT INTO t VALUES (1, 'v600')`,
    rows: [[1, 'v600']],
  },
  'choices that no choice can be': {
    sql: `CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT CHECK (a IN ('x', ' y', '${'z'.repeat(120)}'))); INSERT INTO t VALUES (1, ' y')`,
    rows: [[1, ' y']],
  },
  'more than 300 columns': {
    sql: `CREATE TABLE t (${many(301, (n) => `c${n} INTEGER`)})`,
    refused: /t has 301 columns: a table has at most 300 fields/,
  },
  '300 columns': {
    sql: `CREATE TABLE t (id INTEGER PRIMARY KEY, ${many(299, (n) => `c${n} TEXT DEFAULT 'd${n}'`)}); INSERT INTO t (id) VALUES (1)`,
    ask: 'SELECT id, c1, c299 FROM t',
    rows: [[1, 'd1', 'd299']],
  },
  'more than 100 checks': {
    sql: `CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER, ${many(120, (n) => `CHECK (a <> ${n})`)}); INSERT INTO t VALUES (1, 500)`,
    rows: [[1, 500]],
    said: ['it is kept as it is'],
  },
  'a long default, and defaults of the engine’s own': {
    sql: `CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT DEFAULT '${'x'.repeat(5000)}', b TEXT DEFAULT (lower('X')), c TEXT DEFAULT (randomblob(3)), d INTEGER DEFAULT (1 + 1), e DATE DEFAULT CURRENT_DATE)`,
    said: ['t.a: the starting value', 't.c: the starting value', '!t.d'],
  },
  'a default for a link': {
    sql: 'CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER DEFAULT 1 REFERENCES a (id)); INSERT INTO a VALUES (1); INSERT INTO t (id) VALUES (1)',
    said: ['!starting value'],
  },
  'a long check and a long view': {
    sql: `CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER CHECK (${many(700, (n) => `a <> ${n}`, ' AND ')})); CREATE VIEW v AS SELECT ${many(900, (n) => `id + ${n} AS "a rather long name for column number ${n}"`)} FROM t; INSERT INTO t VALUES (1, 0)`,
    rows: [[1, 0]],
    said: ['The view v is too long'],
  },
  'a check that whole numbers divide': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, j INTEGER CHECK (j / 2 = 1)); INSERT INTO t VALUES (1, 3), (2, 2)',
    rows: [
      [1, 3],
      [2, 2],
    ],
    said: ['means something of its own to the engine'],
  },
  'a check that divides amounts': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, r REAL CHECK (r / 2 > 1)); INSERT INTO t VALUES (1, 3.5)',
    said: ['looks at values that are written otherwise now'],
  },
  'checks that mean the same': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, r REAL CHECK (r > 0), a TEXT CHECK (a LIKE '%@%'), d DATE CHECK (d IS NULL OR length(d) = 10)); INSERT INTO t VALUES (1, 3.5, 'a@b', '2024-01-01')",
    said: ['!(r > 0)', '!(a LIKE'],
  },
  'a check that rows break': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER CHECK (a > 0), b INTEGER CHECK (b / 2 = 1)); PRAGMA ignore_check_constraints = ON; INSERT INTO t VALUES (1, -5, 9), (2, 5, 2)',
    rows: [
      [1, -5, 9],
      [2, 5, 2],
    ],
    said: [
      /it is kept for new rows only\. 1 row: 1$/m,
      /is broken by rows: it is not taken over\. 1 row: 1$/m,
    ],
  },
  'a value that is not among its choices': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT CHECK (a IN ('x', 'y'))); PRAGMA ignore_check_constraints = ON; INSERT INTO t VALUES (1, 'z')",
    rows: [[1, 'z']],
    said: ['it is kept for new rows only. 1 row: 1'],
  },
  'a check of a function that only its program had': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER CHECK (a > 0)); INSERT INTO t VALUES (1, 1); PRAGMA writable_schema = ON; UPDATE sqlite_schema SET sql = 'CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER CHECK (only_there(a)))' WHERE name = 't'",
    rows: [[1, 1]],
    said: ['cannot be read: it is not taken over'],
  },
  'texts that are compared without case': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT COLLATE NOCASE UNIQUE, b TEXT COLLATE NOCASE CHECK (b = 'x')); CREATE UNIQUE INDEX i ON t (b COLLATE NOCASE DESC); INSERT INTO t VALUES (1, 'a', 'X')",
    rows: [[1, 'a', 'X']],
    said: [
      't.a compared its texts by NOCASE',
      "The check (b = 'x') of t cannot be read",
      'The index i of t compares',
    ],
  },
  'what is done about conflicts': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT UNIQUE ON CONFLICT REPLACE); INSERT INTO t VALUES (1, 'a')",
    said: ['ON CONFLICT REPLACE'],
  },
  'words in names, texts and remarks that are no clauses': {
    sql: `CREATE TABLE t (id INTEGER PRIMARY KEY, "collate" TEXT DEFAULT 'ON UPDATE SET NULL', -- COLLATE NOCASE, CHECK (1 = 0)
      b TEXT /* DEFERRABLE INITIALLY DEFERRED */ CHECK (b <> ') CHECK (x')); INSERT INTO t VALUES (1, 'a', 'b')`,
    rows: [[1, 'a', 'b']],
    said: ['!compared its texts', '!ON UPDATE', '!DEFERRABLE', '!1 = 0'],
  },
  'values that are worked out': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER, b INTEGER AS (a * 2), c INTEGER AS (a * 3) STORED); INSERT INTO t (id, a) VALUES (1, 5)',
    rows: [[1, 5, 10, 15]],
    said: ['t.b was worked out', 't.c was worked out'],
  },
  'views over amounts, over moments and over both at once': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, r REAL, n TEXT, at TEXT); INSERT INTO t VALUES (1, 2.5, 'x', '2024-01-01 10:00'); CREATE VIEW every AS SELECT * FROM t; CREATE VIEW dear AS SELECT id FROM t WHERE r > 2; CREATE VIEW late AS SELECT id FROM t WHERE at > '2024-01-01 09:00'; CREATE VIEW names AS SELECT id, n FROM t; CREATE VIEW over_dear AS SELECT id FROM dear; CREATE VIEW counted AS SELECT count(*) AS c FROM t",
    said: [
      'The view every looks at t',
      'The view dear looks at t',
      'The view late looks at t',
      'The view names is kept',
      'The view over_dear looks at dear, which is not taken over',
      'The view counted is kept',
    ],
    ask: 'SELECT id, n, c FROM names, counted',
    rows: [[1, 'x', 1]],
  },
  'triggers, of which one looks at amounts': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, r REAL); CREATE TABLE u (id INTEGER PRIMARY KEY, a INTEGER, b INTEGER); INSERT INTO t VALUES (1, 2.5); CREATE TRIGGER dear AFTER UPDATE ON t WHEN NEW.r > 2 BEGIN SELECT 1; END; CREATE TRIGGER both AFTER UPDATE OF a ON u BEGIN UPDATE u SET b = NEW.a WHERE id = NEW.id; END; INSERT INTO u VALUES (1, 1, 1)',
    said: ['The trigger dear looks at t', 'The trigger both is kept'],
  },
  'a view that cannot be asked': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY); CREATE VIEW v AS SELECT gone FROM t',
    said: ['The view v cannot be asked here'],
  },
  'indexes of expressions, of some rows, and over two columns': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT, b TEXT); CREATE INDEX e ON t (lower(a)); CREATE INDEX p ON t (a) WHERE b IS NULL; CREATE INDEX two ON t (a, b); CREATE UNIQUE INDEX one ON t (b, a)',
    said: ['The index e of t looks at expressions', 'The index p of t', 'kept as an index'],
  },
  'only tables that are none': {
    sql: 'CREATE VIRTUAL TABLE w USING fts5(a)',
    refused: /There is no table in this file/,
  },
  'a table without rows and one without columns of its own': {
    sql: 'CREATE TABLE t (id INTEGER PRIMARY KEY); CREATE TABLE u (a)',
  },
  'a table of the strict kind': {
    sql: "CREATE TABLE t (id INTEGER PRIMARY KEY, a ANY, b REAL, c BLOB) STRICT; INSERT INTO t VALUES (1, 'x', 2.25, x'01')",
    kinds: ['runningNumber', 'text', 'decimal', 'file'],
  },
  'very many tables': {
    sql: many(
      150,
      (n) =>
        `CREATE TABLE t${n} (id INTEGER PRIMARY KEY, a INTEGER ${n > 1 ? `REFERENCES t${n - 1} (id)` : ''})`,
      '; ',
    ),
  },
};

describe('taking in a file that a tool may have made', () => {
  let office: Office;
  let folder: string;
  beforeAll(async () => {
    office = await Office.open({ demo: false });
    folder = mkdtempSync(join(tmpdir(), 'values-'));
  });
  afterAll(async () => {
    await office.close();
    rmSync(folder, { recursive: true, force: true });
  });

  it('has at least 56 kinds of them', () => expect(Object.keys(FILES).length).toBeGreaterThanOrEqual(56));

  const takeIn = (name: string, { sql }: Awkward): Promise<Answer> => {
    const path = join(folder, `${Math.random()}.db`);
    const db = new Database(path);
    db.exec('PRAGMA foreign_keys = OFF');
    db.exec(sql);
    db.close();
    return office.call(
      'POST',
      `/api/files/adopt?name=${encodeURIComponent(name)}`,
      readFileSync(path),
      'builder',
      {
        'content-type': 'application/vnd.sqlite3',
      },
    );
  };

  for (const [name, file] of Object.entries(FILES))
    it(`such as one with ${name}`, async () => {
      const { status, body } = await takeIn(name, file);
      if (file.refused) {
        expect(status).withContext(JSON.stringify(body)).toBe(422);
        expect(body.detail).toMatch(file.refused);
        return;
      }
      expect(status).withContext(JSON.stringify(body)).toBe(200);
      const said = (body.notes as string[]).join('\n');
      for (const part of file.said ?? [])
        if (part instanceof RegExp) expect(said).toMatch(part);
        else if (part.startsWith('!')) expect(said).not.toContain(part.slice(1));
        else expect(said).toContain(part);
      const { design, reader } = office.app.context.files.get(body.id);
      const [first] = design.tables;
      if (file.kinds)
        expect(first!.fields.map(({ type }) => type.kind) as unknown[]).toEqual([...file.kinds]);
      const { key } = first!;
      const order = first!.fields
        .filter(({ id }) => key.includes(id))
        .map(({ name: column }) => `"${column}"`);
      const ask = file.ask ?? `SELECT * FROM "${first!.name}" ORDER BY ${order.join(', ')}`;
      if (file.rows) expect(reader.prepare(ask).raw().all() as unknown[]).toEqual([...file.rows]);
      expect(
        (body.tables as { there: number; here: number }[]).every(({ there, here }) => there === here),
      ).toBeTrue();
      await opens(body.id, design, name);
    });

  /** What is adopted opens: its rows are shown, it is sound, and it can be changed like any other. */
  async function opens(id: string, design: Design, name: string): Promise<void> {
    const at = (url: string): string => `/api/files/${id}/${url}`;
    for (const { id: table } of design.tables.slice(0, 5)) {
      const shown = await office.call('POST', at(`tables/${table}/window`), { start: 0, limit: 10 });
      expect(shown.status).withContext(JSON.stringify(shown.body)).toBe(200);
    }
    const { findings, missing, damage } = (await office.call('POST', at('sound'), {})).body;
    expect([missing, damage]).toEqual([[], []]);
    // The one that is left as it was is said to be found.
    expect(findings.length).toBe(name.startsWith('an accent apart and the same') ? 1 : 0);
    const { version } = (await office.call('GET', at('design'))).body.design;
    const changes = [{ change: 'changeTable', table: design.tables[0]!.id, set: { label: 'Another name' } }];
    const applied = await office.call('POST', at('draft/apply'), { base: version, changes });
    expect(applied.status).withContext(JSON.stringify(applied.body)).toBe(200);
  }
});

/** The value that a stored one was, read by its kind and nothing else. */
function was(type: FieldType, stored: unknown, bytes: ReadonlyMap<number, string>): unknown {
  if (stored === null) return null;
  switch (type.kind) {
    case 'decimal':
      return Number(stored) / 10 ** type.places;
    case 'dateTime':
      return String(stored).slice(0, 16);
    case 'time':
      return String(stored).slice(0, 5);
    case 'file':
      return `x${bytes.get(Number(stored))!}`;
    default:
      return stored;
  }
}

describe('values of a file that is taken in', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open({ demo: false })));
  afterAll(() => office.close());

  it('are those that were there, whatever they are and however their columns are declared', async () => {
    const type = fc.constantFrom(
      '',
      'TEXT',
      'INTEGER',
      'REAL',
      'BLOB',
      'NUMERIC',
      'DATE',
      'BOOLEAN',
      'DECIMAL(9,2)',
      'DATETIME',
    );
    const text = fc.oneof(
      fc.constantFrom(
        '',
        ' ',
        '2024-01-31',
        '2024-02-30',
        '10:30',
        '24:00',
        '2024-01-31 10:30',
        '2024-01-31T10:30Z',
        '5',
        '1.50',
        "it's",
        '日本',
        'a\nb',
        '0001-01-01',
      ),
      fc
        .string({ maxLength: 12, unit: 'grapheme' })
        .map((each) => each.replaceAll('\0', '').normalize('NFC')),
    );
    const value = fc.oneof(
      text.map((each) => ({ text: each })),
      fc.integer().map((number) => ({ number })),
      fc.constantFrom(0, 1, 2).map((number) => ({ number })),
      fc.integer({ min: -1e6, max: 1e6 }).map((units) => ({ number: units / 100 })),
      fc.double({ noNaN: true, noDefaultInfinity: true }).map((number) => ({ number })),
      fc.uint8Array({ maxLength: 4 }).map((bytes) => ({ bytes: Buffer.from(bytes) })),
      fc.constant(null),
    );
    type Value = { text: string } | { number: number } | { bytes: Buffer } | null;
    // Most columns hold values of one sort.
    const column = fc.tuple(
      type,
      fc
        .oneof(
          value,
          ...[
            text.map((each) => ({ text: each })),
            fc.integer({ min: -1e6, max: 1e6 }).map((units) => ({ number: units / 100 })),
          ],
        )
        .chain((one) =>
          fc.array(fc.oneof({ weight: 6, arbitrary: fc.constant(one) }, { weight: 1, arbitrary: value }), {
            minLength: 6,
            maxLength: 6,
          }),
        ),
    );
    const tables = fc.sample(fc.array(column, { minLength: 1, maxLength: 6 }), 120) as [string, Value[]][][];
    const db = new Database(':memory:');
    const literal = (each: Value): unknown =>
      each === null ? null : 'text' in each ? each.text : 'number' in each ? each.number : each.bytes;
    tables.forEach((columns, t) => {
      db.exec(`CREATE TABLE t${t} (${columns.map(([declared], c) => `c${c} ${declared}`).join(', ')})`);
      const put = db.prepare(`INSERT INTO t${t} VALUES (${columns.map(() => '?').join(', ')})`);
      for (let row = 0; row < 6; row++) put.run(columns.map(([, values]) => literal(values[row]!)));
    });
    // What the engine has made of it is what is to come back.
    const before = tables.map(
      (columns, t) =>
        db
          .prepare(
            `SELECT ${columns.map((_, c) => `typeof(c${c}), CASE typeof(c${c}) WHEN 'blob' THEN hex(c${c}) ELSE c${c} END`).join(', ')} FROM t${t} ORDER BY rowid`,
          )
          .raw()
          .all() as unknown[][],
    );
    const path = join(office.data, 'generated.db');
    db.prepare('VACUUM INTO ?').run(path);
    db.close();
    const { status, body } = await office.call(
      'POST',
      '/api/files/adopt?name=Generated',
      readFileSync(path),
      'builder',
      {
        'content-type': 'application/vnd.sqlite3',
      },
    );
    expect(status).withContext(JSON.stringify(body)).toBe(200);
    const { design, reader } = office.app.context.files.get(body.id);
    const bytes = new Map(
      reader.prepare('SELECT id, hex(bytes) FROM hr_attachment').raw().all() as [number, string][],
    );
    let compared = 0;
    design.tables.forEach((table, t) => {
      const after = reader
        .prepare(`SELECT * FROM "${table.name}" ORDER BY number`)
        .raw()
        .all() as unknown[][];
      after.forEach((row, r) =>
        row.slice(1).forEach((stored, c) => {
          const [sort, old] = before[t]![r]!.slice(2 * c, 2 * c + 2);
          const { type: kind } = table.fields[c + 1]!;
          const now = was(kind, stored, bytes);
          const isText = kind.kind === 'text' || kind.kind === 'longText';
          const expected =
            old === null || (old === '' && sort === 'text')
              ? null
              : sort === 'blob'
                ? isText
                  ? `X'${String(old)}'`
                  : `x${String(old)}`
                : kind.kind === 'dateTime'
                  ? String(old).slice(0, 16).replace(' ', 'T')
                  : old;
          const same = isText && typeof expected === 'number' ? Number(now) === expected : now === expected;
          if (!same)
            fail(
              `t${t}.c${c} row ${r + 1}: ${String(old)} (${String(sort)}) is ${String(now)} (${kind.kind})`,
            );
          compared++;
        }),
      );
    });
    expect(compared).toBeGreaterThan(1500);
  });
});
