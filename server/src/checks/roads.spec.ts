import { spawnSync } from 'node:child_process';
import Database from 'libsql';
import fc from 'fast-check';
import { soundnessChecks } from '@heathridge/core/change';
import { emptyDesign, type Design, type Field, type FieldType, type Rule } from '@heathridge/core/design';
import { createIndexes, createOrders, createTable, createTriggers } from '@heathridge/core/change';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { migrate, ormOver } from '../store/driver';
import '../testing/timeouts';

/** Tables as a file has them, written to by a tool that knows nothing of us. */
function fileOf(design: Design): Database.Database {
  const db = new Database(':memory:');
  migrate(ormOver(db), 'file');
  db.exec('PRAGMA foreign_keys = ON');
  for (const each of design.tables) db.exec(createTable(design, each));
  for (const each of design.tables)
    for (const sql of [
      ...createIndexes(design, each),
      ...createOrders(design, each),
      ...createTriggers(design, each),
    ])
      db.exec(sql);
  return db;
}

const rule = (id: string, expression: string, rest: Partial<Rule> = {}): Rule => ({
  id: `r_${id}`,
  expression,
  message: `Rule ${id}.`,
  ...rest,
});
const whole: FieldType = { kind: 'wholeNumber' };

/** Teams, and their shares in them: rules in both directions, over siblings, over the row's own number. */
const TEAMS: Design = {
  ...emptyDesign(),
  tables: [
    table(
      'team',
      [
        field('tNo', 'number', number),
        field('tCode', 'code', { kind: 'text' }, { noTwoAlike: true }),
        field('tMost', 'most', whole),
      ],
      { rules: [rule('crowd', 'COUNT("#~f_sTeam") <= 4')] },
    ),
    table(
      'share',
      [
        field('sNo', 'number', number),
        field('sTeam', 'team', lookup('team'), { alwaysFilled: true }),
        field('sRank', 'rank', whole),
        field('sCode', 'code', { kind: 'text' }, { noTwoAlike: true }),
        field('sParent', 'parent', { ...lookup('share'), onDelete: 'leaveEmpty' } as FieldType),
        field('sDay', 'day', { kind: 'date' }),
      ],
      {
        rules: [
          rule('rank', '"#f_sRank" <= COUNT("#f_sTeam"."#~f_sTeam")'),
          rule('self', '"#f_sParent" IS DISTINCT FROM "#f_sNo"'),
          rule('most', '"#f_sRank" <= "#f_sTeam"."#f_tMost"'),
          rule(
            'day',
            'COUNT("#f_sTeam"."#~f_sTeam") FILTER (WHERE "#f_sTeam"."#~f_sTeam"."#f_sDay" = "#f_sDay" AND "#f_sTeam"."#~f_sTeam"."#f_sNo" <> "#f_sNo") = 0',
          ),
        ],
      },
    ),
  ],
};

/** What the file says to statements, in order: null where all was well, else the engine's message. */
function tell(db: Database.Database, ...statements: string[]): (string | null)[] {
  return statements.map((sql) => {
    try {
      db.exec(sql);
      return null;
    } catch (error) {
      return (error as Error).message;
    }
  });
}

function unsound(db: Database.Database, design: Design): string[] {
  return soundnessChecks(design).flatMap(({ count, message }) =>
    (db.prepare(count).raw().get() as [number])[0] > 0 ? [message] : [],
  );
}

describe('rules that are asked of a row that has just come', () => {
  let db: Database.Database;
  beforeEach(() => {
    db = fileOf(TEAMS);
    db.exec("INSERT INTO team VALUES (1, 'a', 9), (2, 'b', 2)");
  });
  afterEach(() => db.close());

  it('see its running number', () => {
    const design: Design = {
      ...emptyDesign(),
      tables: [
        table('thing', [field('n', 'number', number), field('x', 'x', whole)], {
          rules: [rule('few', '"#f_n" <= 2', { newRowsOnly: true })],
        }),
      ],
    };
    const file = fileOf(design);
    const add = 'INSERT INTO thing (x) VALUES (0)';
    expect(tell(file, add, add, add)).toEqual([null, null, jasmine.stringContaining('rule:r_few')]);
    file.close();
  });

  it('see the row itself in totals over its siblings', () => {
    expect(tell(db, 'INSERT INTO share (team, rank) VALUES (1, 1)')).toEqual([null]);
    expect(tell(db, 'INSERT INTO share (team, rank) VALUES (1, 3)')).toEqual([
      jasmine.stringContaining('rule:r_rank'),
    ]);
    expect(
      tell(db, 'INSERT INTO share (team, rank) VALUES (1, 2)', 'DELETE FROM share WHERE rank = 1'),
    ).toEqual([null, jasmine.stringContaining('rule:r_rank')]);
  });

  it('see a row that is its own parent', () => {
    expect(tell(db, 'INSERT INTO share (number, team, rank, parent) VALUES (7, 1, 1, 7)')).toEqual([
      jasmine.stringContaining('rule r_self'),
    ]);
  });

  it('do not see the row as it was, when its key changes', () => {
    expect(
      tell(
        db,
        "INSERT INTO share (number, team, rank, day) VALUES (1, 1, 1, '2026-01-01')",
        'UPDATE share SET number = 5 WHERE number = 1',
      ),
    ).toEqual([null, null]);
  });
});

describe('no road leads round a rule', () => {
  let db: Database.Database;
  beforeEach(() => {
    db = fileOf(TEAMS);
    db.exec(`INSERT INTO team VALUES (1, 'a', 9), (2, 'b', 2);
      INSERT INTO share (number, team, rank, code) VALUES (1, 1, 1, 'x'), (2, 1, 1, 'y'), (3, 2, 1, 'z');
      UPDATE share SET rank = 2 WHERE number = 2`);
  });
  afterEach(() => db.close());

  for (const sql of [
    "REPLACE INTO share (number, team, rank, code) VALUES (1, 2, 1, 'x')",
    "INSERT OR REPLACE INTO share (team, rank, code) VALUES (2, 1, 'x')",
    "UPDATE OR REPLACE share SET code = 'x' WHERE number = 3",
    'UPDATE OR REPLACE share SET number = 1 WHERE number = 3',
  ])
    it(`not ${sql}`, () => {
      // It would leave share 2 of team 1 with a rank above the number of shares.
      expect(tell(db, sql)[0]).toMatch(/UNIQUE constraint failed: share\.(code|number)/);
      expect(unsound(db, TEAMS)).toEqual([]);
    });

  it('not a row that moves away from those who need it', () => {
    // Share 2 of team 1 would be left with a rank above the number of shares there.
    expect(tell(db, 'UPDATE share SET team = 2 WHERE number = 1')).toEqual([
      jasmine.stringContaining('rule:r_rank'),
    ]);
    expect(tell(db, 'UPDATE share SET team = 2, rank = 1 WHERE number = 2')).toEqual([null]);
    expect(unsound(db, TEAMS)).toEqual([]);
  });

  it('not a row that comes to those who have no room', () => {
    db.exec('INSERT INTO share (team, rank) VALUES (1, 0), (1, 0)');
    for (const sql of [
      'UPDATE share SET team = 1 WHERE number = 3',
      'INSERT INTO share (team, rank) VALUES (1, 0)',
    ])
      expect(tell(db, sql)).toEqual([jasmine.stringContaining('rule:r_crowd')]);
    expect(unsound(db, TEAMS)).toEqual([]);
  });

  it('while a replacement that takes nothing from anybody is made', () => {
    expect(tell(db, "REPLACE INTO share (number, team, rank, code) VALUES (1, 1, 1, 'n')")).toEqual([null]);
    expect(
      tell(
        db,
        "INSERT INTO share (number, team, rank, code) VALUES (1, 1, 1, 'm') ON CONFLICT (number) DO UPDATE SET code = 'm'",
      ),
    ).toEqual([null]);
    expect(unsound(db, TEAMS)).toEqual([]);
  });

  it('not a parent that comes after its child', () => {
    expect(
      tell(
        db,
        'BEGIN; PRAGMA defer_foreign_keys = ON; INSERT INTO share (team, rank) VALUES (3, 0)',
        "INSERT INTO team VALUES (3, 'c', -1)",
        'COMMIT',
      ),
    ).toEqual([null, jasmine.stringContaining('rule:r_most'), jasmine.stringContaining('FOREIGN KEY')]);
    db.exec('ROLLBACK');
    expect(unsound(db, TEAMS)).toEqual([]);
  });

  it('not many rows that pass one another', () => {
    db.exec(`UPDATE share SET day = '2026-01-0' || number WHERE team = 1`);
    // Whether the engine takes the rows in an order in which they collide is its own affair.
    tell(db, "UPDATE share SET day = date(day, '+1 day')");
    expect(unsound(db, TEAMS)).toEqual([]);
  });

  it('whatever is tried, in whatever order', () => {
    const small = fc.integer({ min: 1, max: 5 });
    const day = fc.constantFrom('NULL', "'2026-01-01'", "'2026-01-02'");
    const code = fc.constantFrom('NULL', "'x'", "'y'", "'z'");
    const how = fc.constantFrom('', ' OR REPLACE', ' OR IGNORE', ' OR FAIL', ' OR ROLLBACK');
    const parent = fc.oneof(fc.constant('NULL'), small.map(String));
    const statement = fc.oneof(
      fc
        .tuple(how, small, small, small, code, parent, day)
        .map(([h, n, t, r, c, p, d]) => `INSERT${h} INTO share VALUES (${n}, ${t}, ${r}, ${c}, ${p}, ${d})`),
      fc
        .tuple(how, small, small, code)
        .map(([h, t, r, c]) => `INSERT${h} INTO share (team, rank, code) VALUES (${t}, ${r}, ${c})`),
      fc
        .tuple(how, small, code, small)
        .map(([h, n, c, m]) => `INSERT${h} INTO team VALUES (${n}, ${c}, ${m})`),
      fc
        .tuple(how, fc.constantFrom('number', 'team', 'rank', 'parent'), small, small)
        .map(([h, column, value, n]) => `UPDATE${h} share SET ${column} = ${value} WHERE number >= ${n}`),
      fc
        .tuple(how, small, small)
        .map(([h, value, n]) => `UPDATE${h} team SET number = ${value} WHERE number = ${n}`),
      fc
        .tuple(how, small, small)
        .map(([h, value, n]) => `UPDATE${h} team SET most = ${value} WHERE number <= ${n}`),
      fc
        .tuple(how, code, small)
        .map(([h, value, n]) => `UPDATE${h} share SET code = ${value} WHERE number = ${n}`),
      fc
        .tuple(how, day, small)
        .map(([h, value, n]) => `UPDATE${h} share SET day = ${value} WHERE team = ${n}`),
      fc
        .tuple(how, fc.constantFrom('team', 'rank'), small, small)
        .map(([h, column, value, n]) => `UPDATE${h} share SET ${column} = ${value} WHERE number = ${n}`),
      fc.constant('UPDATE share SET number = number + 1'),
      fc.constant('UPDATE share SET rank = rank + 1'),
      small.map((n) => `DELETE FROM share WHERE number = ${n}`),
      small.map((n) => `DELETE FROM team WHERE number = ${n}`),
      fc
        .tuple(small, small, small)
        .map(
          ([n, t, r]) =>
            `INSERT INTO share (number, team, rank) VALUES (${n}, ${t}, ${r}) ON CONFLICT DO UPDATE SET team = ${t}`,
        ),
      fc.constantFrom('BEGIN', 'COMMIT', 'ROLLBACK', 'PRAGMA defer_foreign_keys = ON'),
    );
    let done = 0;
    fc.assert(
      fc.property(fc.array(statement, { minLength: 5, maxLength: 25 }), (list) => {
        const file = fileOf(TEAMS);
        try {
          file.exec(`INSERT INTO team VALUES (1, 'a', 9), (2, 'b', 3);
            INSERT INTO share (team, rank, code) VALUES (1, 0, 'x'), (1, 1, 'y'), (1, 1, NULL), (2, 1, 'z');
            UPDATE share SET rank = number WHERE team = 1;`);
          for (const sql of list) if (tell(file, sql)[0] === null) done++;
          if (file.inTransaction && tell(file, 'COMMIT')[0] !== null) file.exec('ROLLBACK');
          const found = unsound(file, TEAMS);
          if (found.length > 0) throw new Error(`${found.join('; ')} after ${list.join('; ')}`);
        } finally {
          file.close();
        }
      }),
      { numRuns: 300, seed: 11 },
    );
    expect(done).toBeGreaterThan(1000);
  });
});

describe('texts', () => {
  const NAMES: Field[] = [
    field('n', 'number', number),
    field('a', 'name', { kind: 'text', most: 5 }),
    field('b', 'card', { kind: 'text', pattern: 'A-9' }),
    field('c', 'note', { kind: 'longText' }),
  ];
  const design: Design = { ...emptyDesign(), tables: [table('person', NAMES)] };
  let db: Database.Database;
  beforeEach(() => (db = fileOf(design)));
  afterEach(() => db.close());
  const put = (column: string, hex: string): string | null =>
    tell(db, `INSERT INTO person (${column}) VALUES (CAST(x'${hex}' AS TEXT))`)[0]!;
  const hexOf = (text: string): string => Buffer.from(text).toString('hex');

  const bad: [what: string, hex: string][] = [
    ['a NUL inside', '610062636465666768'],
    ['a byte of Latin-1', '636166e9'],
    ['a byte that only continues', '6180'],
    ['a character cut short', 'e38161'],
    ['a character with a byte too many', 'c3a9a9'],
    ['an overlong form', 'c1a1'],
    ['half of a surrogate pair', 'eda080'],
    ['a code point above U+10FFFF', 'f4908080'],
    ['a broken character far behind', `${hexOf('é'.repeat(3000))}e9`],
  ];
  for (const [what, hex] of bad) {
    it(`with ${what} are refused`, () => {
      for (const column of ['name', 'card', 'note'])
        expect(put(column, hex))
          .withContext(column)
          .toMatch(/text:f_|kind f_/);
      db.exec("INSERT INTO person (note) VALUES ('fine')");
      expect(tell(db, `UPDATE person SET note = CAST(x'${hex}' AS TEXT)`)[0]).toMatch(/text:f_c/);
    });
    it(`with ${what} are found when they came while triggers were not there`, () => {
      db.exec('DROP TRIGGER "person texts insert"');
      expect(put('note', hex)).toBeNull();
      expect(unsound(db, design)).toEqual(['Note holds characters that are none.']);
    });
  }

  const apart: [what: string, text: string][] = [
    ['a letter and its accent', 'Rene\u0301e'],
    ['two marks in another order', 'q\u0302\u0323'],
    ['an accent behind a letter that has one, and comes first', '\u00ea\u0323'],
    ['a mark between them', 'a\u0327\u0301'],
    ['a syllable of Hangul in parts', '\u1112\u1161\u11ab'],
    ['a letter that has another form', '\u212b'],
    ['the accent behind a thousand letters', 'é'.repeat(1000) + 'e\u0301'],
  ];
  for (const [what, text] of apart) {
    it(`with ${what} are refused where letters are apart, and found`, () => {
      expect(text.normalize('NFC')).not.toBe(text);
      expect(put('note', hexOf(text))).toMatch(/text:f_c Note holds letters with their accents apart/);
      expect(put('note', hexOf(text.normalize('NFC')))).toBeNull();
      expect(tell(db, `UPDATE person SET note = CAST(x'${hexOf(text)}' AS TEXT)`)[0]).toMatch(/text:f_c/);
      db.exec('DROP TRIGGER "person texts insert"');
      expect(put('note', hexOf(text))).toBeNull();
      expect(unsound(db, design)).toEqual([
        'Note holds letters with their accents apart: each is to be one character (Unicode, NFC).',
      ]);
    });
  }

  it('of every script are taken', () => {
    for (const text of [
      'é',
      'x\u0302 q\u0323\u0302',
      'क\u093c और',
      '한글 각',
      '日本語',
      '🎻👩‍👩‍👧',
      '\ufffd',
      '\u{10fffd}',
      '\u0080',
      'a\tb\r\nc',
      'x'.repeat(9000) + 'ß',
    ])
      expect(put('note', hexOf(text)))
        .withContext(text.slice(0, 20))
        .toBeNull();
    expect(unsound(db, design)).toEqual([]);
  });
});

describe('today', () => {
  it('is the day of the file’s time zone, wherever the file is opened', () => {
    const zones = [
      'UTC',
      'Pacific/Kiritimati',
      'Pacific/Pago_Pago',
      'Europe/London',
      'America/St_Johns',
      'Asia/Kolkata',
    ];
    for (const timeZone of zones) {
      const design: Design = {
        ...emptyDesign(),
        settings: { ...emptyDesign().settings, timeZone },
        tables: [
          table('thing', [
            field('n', 'number', number),
            field('d', 'd', { kind: 'date' }, { start: 'CURRENT_DATE' }),
          ]),
        ],
      };
      const sql = createTable(design, design.tables[0]!);
      // The engine's own formatter and another process in another zone agree with ICU's calendar.
      const expected = (): string => new Intl.DateTimeFormat('en-CA', { timeZone }).format(new Date());
      const before = expected();
      const { stdout } = spawnSync(
        'sqlite3',
        [':memory:', `${sql}; INSERT INTO thing DEFAULT VALUES; SELECT d FROM thing;`],
        { encoding: 'utf8', env: { ...process.env, TZ: 'Asia/Tokyo' } },
      );
      expect([before, expected()]).withContext(timeZone).toContain(stdout.trim());
    }
  });

  it('must not stop anybody from correcting last year’s row', () => {
    const design: Design = {
      ...emptyDesign(),
      tables: [
        table(
          'job',
          [
            field('n', 'number', number),
            field('due', 'due', { kind: 'date' }),
            field('note', 'note', { kind: 'text' }),
          ],
          { rules: [rule('due', '"#f_due" >= CURRENT_DATE')] },
        ),
      ],
    };
    const db = fileOf(design);
    db.exec('DROP TRIGGER "job rule r_due insert"');
    db.exec("INSERT INTO job (due) VALUES ('2020-01-01')");
    expect(tell(db, "UPDATE job SET note = 'paid', due = due", "UPDATE job SET due = '2020-01-02'")).toEqual([
      null,
      jasmine.stringContaining('rule:r_due'),
    ]);
    db.close();
  });
});
