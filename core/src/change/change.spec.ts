import { emptyDesign, linksFrom, type Design, type Field } from '../design';
import { field, number, OFFICE, table } from '../design/testing/office';
import { kindProblem } from './carry';
import { applyChanges, ChangeError, evolve, type Change } from './changes';
import { checkPlan } from './check';
import { createReadable, createTable, ruleSql, startSql } from './ddl';
import { createTriggers } from './triggers';
import { steps } from './steps';

const patch = (id: string, set: Partial<Field>): Change => {
  const owner = OFFICE.tables.find(({ fields }) => fields.some((item) => item.id === id))!;
  return { change: 'changeField', table: owner.id, field: id, set };
};

describe('applyChanges', () => {
  it('leaves the design it starts from as it is', () => {
    const before = JSON.stringify(OFFICE);
    applyChanges(OFFICE, [patch('f_lFee', { label: 'Price' }), { change: 'dropTable', table: 't_fine' }]);
    expect(JSON.stringify(OFFICE)).toBe(before);
  });

  it('carries out changes in order', () => {
    const extra = field('x', 'extra', { kind: 'date' });
    const after = applyChanges(OFFICE, [
      { change: 'addField', table: 't_loan', field: extra },
      { change: 'moveField', table: 't_loan', field: 'f_x', to: 1 },
      patch('f_lFee', { label: 'Price', name: 'price' }),
      { change: 'changeTable', table: 't_loan', set: { label: 'Lending' } },
      { change: 'dropField', table: 't_loan', field: 'f_lNote' },
    ]);
    const loan = after.tables[1]!;
    expect(loan.label).toBe('Lending');
    expect(loan.fields.map(({ name }) => name)).toEqual([
      'number',
      'extra',
      'borrower',
      'lent_on',
      'due_back',
      'price',
      'state',
    ]);
  });

  it('says which change no longer fits', () => {
    const changes: Change[] = [
      patch('f_lFee', { label: 'x' }),
      { change: 'dropTable', table: 't_fine' },
      { change: 'dropField', table: 't_fine', field: 'f_fLoan' },
    ];
    try {
      applyChanges(OFFICE, changes);
      fail('nothing was thrown');
    } catch (error) {
      expect(error).toBeInstanceOf(ChangeError);
      expect((error as ChangeError).index).toBe(2);
    }
    expect(() => applyChanges(OFFICE, [{ change: 'addTable', table: OFFICE.tables[0]! }])).toThrowError(
      /already there/,
    );
  });

  it('makes no picture of what is none', () => {
    const text = field('x', 'x', { kind: 'text' });
    expect(kindProblem(text, { ...text, type: { kind: 'date' } })).toBeNull();
    expect(kindProblem(text, { ...text, type: { kind: 'picture' } })).toMatch(/no picture can be made/);
  });
});

describe('the SQL of a table', () => {
  const sql = createTable(OFFICE, OFFICE.tables[1]!);

  it('is STRICT, with named constraints for all that is asked', () => {
    for (const part of [
      'CREATE TABLE "loan"',
      'PRIMARY KEY AUTOINCREMENT',
      'CONSTRAINT "link f_lBorrower" REFERENCES "borrower" ("number") ON DELETE RESTRICT',
      'CONSTRAINT "filled f_lBorrower" NOT NULL',
      'CONSTRAINT "rule r_due" CHECK (("due_back" > "lent_on"))',
      `CONSTRAINT "kind f_lState" CHECK ("state" IN ('Out', 'Back'))`,
      `DEFAULT ('Out')`,
      ') STRICT',
    ])
      expect(sql).toContain(part);
  });

  it('makes a trigger of a rule that looks at another row or at the clock', () => {
    const fine = OFFICE.tables[2]!;
    expect(ruleSql(OFFICE, fine, fine.fields[2]!.rule!).as).toBe('trigger');
    const [insert, update] = createTriggers(OFFICE, fine);
    expect(insert).toContain('AFTER INSERT ON "fine"');
    expect(update).toContain(
      'WHEN (OLD."amount" IS NOT NEW."amount" OR OLD."loan" IS NOT NEW."loan") AND NOT',
    );
    expect(update).toContain("RAISE(ABORT, 'rule:r_amount A fine is at most the fee.')");
    const today = { id: 'r_t', expression: 'CURRENT_DATE IS NOT NULL', message: 'x' };
    expect(ruleSql(OFFICE, fine, today).as).toBe('trigger');
  });

  it('has a key of several fields without a rowid', () => {
    const both = table(
      'both',
      [field('a', 'a', { kind: 'wholeNumber' }), field('b', 'b', { kind: 'wholeNumber' })],
      { key: ['f_a', 'f_b'] },
    );
    const made = createTable({ ...emptyDesign(), tables: [both] }, both);
    expect(made).toContain('PRIMARY KEY ("a", "b")');
    expect(made).toContain('STRICT, WITHOUT ROWID');
  });

  it('quotes names and texts that mean harm', () => {
    const bad = table('x"; DROP TABLE y; --', [
      field('n', 'number', number),
      field('c', "it's", { kind: 'choice', choices: ["'); DROP TABLE y; --"] }),
    ]);
    const made = createTable({ ...emptyDesign(), tables: [bad] }, bad);
    expect(made).toContain('"x""; DROP TABLE y; --"');
    expect(made).toContain("'''); DROP TABLE y; --'");
  });

  it('scales starting values, and shows readable views with decimals and texts', () => {
    expect(startSql(OFFICE, field('x', 'x', { kind: 'money', places: 2 }, { start: '3.5' }))).toBe('35 * 10');
    const view = createReadable(OFFICE, OFFICE.tables[1]!);
    expect(view).toContain('CREATE VIEW "loan_readable"');
    expect(view).toContain('FROM "borrower" AS d');
    expect(view).toContain(`'.'`);
    expect(view).toContain('t."borrower" AS "borrower_key"');
    const clash = table('loan', [...OFFICE.tables[1]!.fields, field('k', 'borrower_key', { kind: 'text' })]);
    expect(createReadable({ ...OFFICE, tables: [OFFICE.tables[0]!, clash] }, clash)).toContain(
      't."borrower" AS "borrower_key_2"',
    );
  });
});

describe('steps', () => {
  const list = (after: Design): string[] =>
    steps(OFFICE, { design: after, carry: {} }).map((step) => ('sql' in step ? step.sql : step.map.table));

  it('touch no table when nothing of its shape changes', () => {
    const after = applyChanges(OFFICE, [patch('f_lFee', { label: 'Price' })]);
    expect(list(after).filter((sql) => /^(CREATE TABLE|DROP TABLE|ALTER)/.test(sql))).toEqual([]);
  });

  it('follow the order of SQLite’s own procedure: make, copy, drop, rename', () => {
    const after = applyChanges(OFFICE, [patch('f_lFee', { alwaysFilled: true })]);
    const kinds = list(after)
      .filter((sql) => sql.includes('loan'))
      .map((sql) => sql.split(' ').slice(0, 2).join(' '));
    const order = [
      'DROP VIEW',
      'CREATE TABLE',
      'INSERT INTO',
      'DROP TABLE',
      'ALTER TABLE',
      'CREATE INDEX',
      'CREATE VIEW',
    ];
    expect(order.map((kind) => kinds.indexOf(kind))).toEqual(
      order.map((kind) => kinds.indexOf(kind)).sort((a, b) => a - b),
    );
    expect(kinds).not.toContain('-1');
    expect(kinds.indexOf('ALTER TABLE')).toBeGreaterThan(kinds.indexOf('DROP TABLE'));
  });

  it('rebuild what looks up a table that is renamed', () => {
    const after = applyChanges(OFFICE, [
      { change: 'changeTable', table: 't_borrower', set: { name: 'reader' } },
    ]);
    const made = list(after).flatMap((sql) => /^CREATE TABLE "(\w+)"/.exec(sql)?.[1] ?? []);
    expect(made).toEqual(['hr_rebuilt_t_borrower', 'hr_rebuilt_t_loan', 'hr_order_f_bEmail']);
  });

  it('only make or drop an index when that is all', () => {
    const after = applyChanges(OFFICE, [
      patch('f_lFee', { indexed: false }),
      patch('f_bName', { indexed: true }),
    ]);
    const sql = list(after);
    expect(sql).toContain('DROP INDEX IF EXISTS "index f_lFee"');
    expect(sql).toContain('CREATE INDEX "index f_bName" ON "borrower" ("name")');
    // Texts that have an index are kept in order beside their rows: neither table is made anew for that.
    const made = sql.flatMap((text) => /^CREATE TABLE "(\w+)"/.exec(text)?.[1] ?? []);
    expect(made).toEqual(['hr_order_f_bName']);
    expect(sql.some((text) => text.startsWith('DROP TABLE'))).toBeFalse();
    const back = applyChanges(after, [patch('f_bName', { indexed: false })]);
    expect(
      steps(after, { design: back, carry: {} }).flatMap((step) => ('sql' in step ? step.sql : [])),
    ).toContain('DROP TABLE "hr_order_f_bName"');
  });

  it('keep the last running number through a rebuild', () => {
    const after = applyChanges(OFFICE, [patch('f_lFee', { alwaysFilled: true })]);
    expect(list(after).some((sql) => sql.includes('sqlite_sequence') && sql.includes("'loan'"))).toBeTrue();
  });
});

describe('checkPlan', () => {
  const plan = (...changes: Change[]) => checkPlan(OFFICE, evolve(OFFICE, changes), changes);

  it('asks the rows about every new demand', () => {
    const { notices, rows } = plan(
      patch('f_lFee', { alwaysFilled: true }),
      patch('f_lNote', { noTwoAlike: true }),
      patch('f_lState', { type: { kind: 'choice', choices: ['Out'] } }),
      patch('f_bName', { type: { kind: 'text', most: 10 } }),
      patch('f_fAmount', {
        rule: { id: 'r_amount', expression: '"#f_fAmount" > 0', message: 'More than 0.' },
      }),
    );
    expect(notices).toEqual([]);
    expect(rows.map(({ sort, field: id }) => `${sort} ${id}`).sort()).toEqual([
      'alike f_lNote',
      'choice f_lState',
      'empty f_lFee',
      'length f_bName',
      'rule f_fAmount',
    ]);
  });

  it('asks nothing when nothing new is demanded', () => {
    expect(plan(patch('f_lFee', { label: 'Price' }), patch('f_bName', { alwaysFilled: false })).rows).toEqual(
      [],
    );
  });

  it('stops at what cannot be', () => {
    expect(plan({ change: 'dropField', table: 't_loan', field: 'f_lFrom' }).notices[0]).toEqual(
      jasmine.objectContaining({ level: 'stop', table: 't_loan' }),
    );
    const [used] = plan({ change: 'dropTable', table: 't_borrower' }).notices.filter(
      ({ dependants }) => dependants.length > 0,
    );
    expect(used?.message).toContain('still used');
    const [typed] = plan(patch('f_lFee', { type: { kind: 'date' } })).notices;
    expect(typed).toEqual(jasmine.objectContaining({ level: 'stop', table: 't_fine', field: 'f_fAmount' }));
  });

  it('notes what will be lost and what follows a rename', () => {
    const [lost] = plan({ change: 'dropField', table: 't_loan', field: 'f_lNote' }).notices;
    expect(lost).toEqual(jasmine.objectContaining({ level: 'note', field: 'f_lNote' }));
    const [follows] = plan(patch('f_lFrom', { name: 'since', label: 'Since' })).notices;
    expect(follows?.message).toBe('Lent on becomes Since; what uses it follows.');
    expect(follows?.dependants.map(({ label }) => label)).toEqual(['Loan › Due back']);
  });
});

describe('no two alike in several fields', () => {
  const asking = (...noTwoAlike: string[][]): Change => ({
    change: 'changeTable',
    table: 't_loan',
    set: { noTwoAlike },
  });
  const drop = (field: string, ...mends: { dependant: string; put: string | null }[]): Change => ({
    change: 'dropField',
    table: 't_loan',
    field,
    mends,
  });
  const plan = (design: Design, ...changes: Change[]) => checkPlan(design, evolve(design, changes), changes);
  const asked = applyChanges(OFFICE, [asking(['f_lBorrower', 'f_lFrom'])]);

  it('is a constraint of the table, which serves as an index of its first fields', () => {
    expect(createTable(asked, asked.tables[1]!)).toContain(
      'CONSTRAINT "alike f_lBorrower f_lFrom" UNIQUE ("borrower", "lent_on")',
    );
  });

  it('asks the rows once, and again when the values become others', () => {
    const [row, ...more] = plan(OFFICE, asking(['f_lBorrower', 'f_lFrom'])).rows;
    expect(more).toEqual([]);
    expect(row).toEqual(
      jasmine.objectContaining({
        sort: 'alike',
        fields: ['f_lBorrower', 'f_lFrom'],
        message: 'No two loans are to have Borrower and Lent on alike, and another row has the same.',
      }),
    );
    expect(plan(asked, asking(['f_lFrom', 'f_lBorrower'])).rows).toEqual([]);
    const noted = applyChanges(OFFICE, [asking(['f_lBorrower', 'f_lFee'])]);
    const whole = patch('f_lFee', { type: { kind: 'money', places: 0 } });
    expect(plan(noted, whole).rows.map(({ sort, fields }) => `${sort} ${fields.join()}`)).toContain(
      'alike f_lBorrower,f_lFee',
    );
  });

  it('names what cannot be asked', () => {
    const problem = (...sets: string[][]) => plan(OFFICE, asking(...sets)).notices[0]?.message;
    expect(problem(['f_lBorrower', 'f_none'])).toMatch(/names a field that is no longer there/);
    expect(problem(['f_lBorrower', 'f_lBorrower'])).toMatch(/names a field twice/);
    expect(problem(['f_lBorrower', 'f_lFrom'], ['f_lFrom', 'f_lBorrower'])).toMatch(
      /is said twice of Borrower and Lent on/,
    );
    const picture: Change = {
      change: 'addField',
      table: 't_loan',
      field: field('lPhoto', 'photo', { kind: 'picture' }),
    };
    expect(plan(OFFICE, picture, asking(['f_lFrom', 'f_lPhoto'])).notices[0]?.message).toMatch(
      /Photo cannot be compared/,
    );
  });

  it('goes with a field that is dropped, or takes the one put in its place', () => {
    const noted = applyChanges(OFFICE, [asking(['f_lBorrower', 'f_lFee'], ['f_lFee', 'f_lState'])]);
    const [notice] = plan(noted, drop('f_lFee')).notices;
    expect(notice?.dependants.map(({ use, fate }) => [use, fate])).toContain([
      'no two alike in it and Borrower',
      'that is asked no more',
    ]);
    const left = (put: string | null) =>
      applyChanges(noted, [drop('f_lFee', { dependant: 't_loan', put })]).tables[1]!.noTwoAlike;
    expect(left(null)).toEqual([]);
    expect(left('f_lFrom')).toEqual([
      ['f_lBorrower', 'f_lFrom'],
      ['f_lFrom', 'f_lState'],
    ]);
    // One field alone is asked on the field.
    expect(left('f_lState')).toEqual([['f_lBorrower', 'f_lState']]);
  });

  it('makes a link of several fields one to one', () => {
    const pair = table(
      'pair',
      [field('pA', 'a', { kind: 'wholeNumber' }), field('pB', 'b', { kind: 'date' })],
      {
        key: ['f_pA', 'f_pB'],
      },
    );
    const seat = table(
      'seat',
      [
        field('sNo', 'number', number),
        field('sA', 'a', { kind: 'wholeNumber' }),
        field('sB', 'b', { kind: 'date' }),
      ],
      {
        links: [
          {
            id: 'l_seat',
            name: 'pair',
            label: 'Pair',
            table: 't_pair',
            on: [
              { own: 'f_sA', other: 'f_pA' },
              { own: 'f_sB', other: 'f_pB' },
            ],
            onDelete: 'refuse',
          },
        ],
      },
    );
    const single = (noTwoAlike: string[][]) =>
      linksFrom({ ...emptyDesign(), tables: [pair, seat] }, { ...seat, noTwoAlike })[0]!.single;
    expect(single([])).toBeFalse();
    expect(single([['f_sB', 'f_sA']])).toBeTrue();
  });
});

/**
 * The procedure of SQLite's documentation for changes that ALTER TABLE cannot make (lang_altertable, "Making
 * Other Kinds Of Table Schema Changes", twelve steps; the order from memory). Steps 1, 2 and 10 to 12
 * (foreign keys off, the transaction, foreign_key_check, commit, foreign keys on) stand around these in the
 * server.
 */
describe('the twelve-step change of a table', () => {
  const change: Change = {
    change: 'changeTable',
    table: 't_loan',
    set: { rules: [{ id: 'r_fee', expression: '"#f_lFee" > 0', message: 'x' }] },
  };
  const list = steps(OFFICE, evolve(OFFICE, [change])).flatMap((step) => ('sql' in step ? [step.sql] : []));
  const at = (start: RegExp): number => list.findIndex((sql) => start.test(sql));

  it('comes in the documented order', () => {
    const order = [
      at(/^DROP VIEW IF EXISTS "loan_readable"/), // 3, 9: views that refer to it go first
      at(/^CREATE TABLE "hr_rebuilt_t_loan"/), // 4: the new table, under another name
      at(/^INSERT INTO "hr_rebuilt_t_loan".* FROM main\."loan"/), // 5: its rows
      at(/^DROP TABLE "loan"$/), // 6
      at(/^ALTER TABLE "hr_rebuilt_t_loan" RENAME TO "loan"$/), // 7
      at(/^CREATE INDEX .* ON "loan"/), // 8: indexes and triggers as they were
      at(/^CREATE VIEW "loan_readable"/), // 9
    ];
    expect(order.includes(-1)).withContext(list.join(';\n')).toBeFalse();
    expect(order).toEqual([...order].sort((a, b) => a - b));
  });

  it('never renames the old table away, which would change what refers to it (the documented caution)', () => {
    expect(list.filter((sql) => /^ALTER TABLE/.test(sql))).toEqual([
      'ALTER TABLE "hr_rebuilt_t_loan" RENAME TO "loan"',
    ]);
  });

  it('leaves tables alone that the change does not touch', () => {
    const touched = /^(DROP TABLE|CREATE TABLE|INSERT INTO) "(hr_rebuilt_t_)?(borrower|fine)"/;
    expect(list.filter((sql) => touched.test(sql))).toEqual([]);
  });
});
