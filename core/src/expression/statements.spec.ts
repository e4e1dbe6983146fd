import { isEnclosed, making } from './statements';

describe('what a text of SQL makes', () => {
  const one: Readonly<Record<string, ReturnType<typeof making>>> = {
    'CREATE TABLE t (a)': 'table',
    'create table t (a);': 'table',
    '/* x; */ CREATE VIEW v AS SELECT 1 -- ; x\n': 'view',
    "CREATE UNIQUE INDEX i ON t (a) WHERE b = ';'": 'index',
    'CREATE INDEX "a;b" ON t ([c;d], `e;f`)': 'index',
    'CREATE TRIGGER r AFTER INSERT ON t BEGIN SELECT 1; END': 'trigger',
    'CREATE TRIGGER r AFTER INSERT ON t BEGIN SELECT CASE WHEN 1 THEN 2 END; DELETE FROM t; END;': 'trigger',
    "CREATE TRIGGER r AFTER INSERT ON t BEGIN SELECT 'x; END; ATTACH y'; END": 'trigger',
    'CREATE VIEW ende AS SELECT ";END" FROM t': 'view',
  };
  for (const [sql, what] of Object.entries(one))
    it(`is a ${what!}: ${sql}`, () => expect(making(sql)).toBe(what));

  for (const sql of [
    '',
    'SELECT 1',
    'DROP TABLE t',
    "ATTACH 'x' AS y",
    'CREATE TEMP VIEW v AS SELECT 1',
    'CREATE VIRTUAL TABLE t USING fts5(a)',
    'CREATE UNIQUE TABLE t (a)',
    "CREATE VIEW v AS SELECT 1; ATTACH 'x' AS y",
    'CREATE VIEW v AS SELECT 1;;',
    'CREATE VIEW v AS SELECT 1; -- x\n SELECT 2',
    'CREATE TRIGGER r AFTER INSERT ON t BEGIN SELECT 1; END; DELETE FROM t',
    'CREATE TRIGGER r AFTER INSERT ON t BEGIN SELECT 1; END DELETE FROM t; END',
    'CREATE TRIGGER r AFTER INSERT ON t BEGIN SELECT 1;',
    "CREATE VIEW v AS SELECT 'x",
    'CREATE VIEW v AS SELECT 1 /* x',
    'CREATE VIEW v AS SELECT 1 -- x',
    'CREATE VIEW v AS SELECT 1\0; DELETE FROM t',
    '\ufeffCREATE VIEW v AS SELECT 1',
  ])
    it(`is no single statement: ${JSON.stringify(sql)}`, () => expect(making(sql)).toBeNull());
});

describe('what stands between parentheses', () => {
  for (const sql of ['a > 1', '(a) IN (1, 2)', "a <> ')'", 'a /* ) */ > 1', 'a -- )\n > 1'])
    it(`is closed: ${JSON.stringify(sql)}`, () => expect(isEnclosed(sql)).toBeTrue());
  for (const sql of [
    '',
    'a) ; (b',
    'a)',
    '(a',
    'a; b',
    "a = 'x",
    'a --',
    'a /*',
    '1)) STRICT; ATTACH x; --',
    'a\0)',
  ])
    it(`is open: ${JSON.stringify(sql)}`, () => expect(isEnclosed(sql)).toBeFalse());
});
