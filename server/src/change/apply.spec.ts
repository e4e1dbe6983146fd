import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readlinkSync, statSync } from 'node:fs';
import Database from 'libsql';
import type { Change } from '@heathridge/core/change';
import type { Field } from '@heathridge/core/design';
import { field, OFFICE, table } from '../../../core/src/design/testing/office';
import { Office } from '../testing/office';
import { apply, closeCopied } from './apply';

const add: Change[] = OFFICE.tables.map((item) => ({ change: 'addTable', table: item }));
const patch = (tableId: string, id: string, set: Partial<Field>): Change => ({
  change: 'changeField',
  table: tableId,
  field: id,
  set,
});

describe('applying drafts', () => {
  let office: Office;
  beforeEach(async () => {
    office = await Office.open({ demo: false });
    expect((await office.apply(...add)).status).toBe(200);
    const saved = await office.save(
      { op: 'insert', table: 't_borrower', temp: 'a', values: { f_bName: 'Ada', f_bEmail: 'a@x.example' } },
      { op: 'insert', table: 't_borrower', values: { f_bName: 'Bo' } },
      {
        op: 'insert',
        table: 't_loan',
        temp: 'l',
        values: { f_lBorrower: { temp: 'a' }, f_lFrom: '2026-01-01', f_lDue: '2026-02-01', f_lFee: '3.50' },
      },
      { op: 'insert', table: 't_fine', values: { f_fLoan: { temp: 'l' }, f_fAmount: '1.25' } },
    );
    expect(saved.status).toBe(200);
  });
  afterEach(() => office.close());

  const read = (sql: string): unknown[][] =>
    office.app.context.files.get(office.file).reader.prepare(sql).raw().all() as unknown[][];

  it('keeps its locks on the file while the safe copy is taken', async () => {
    const file = office.app.context.files.get(office.file);
    const order = {
      changes: [patch('t_loan', 'f_lFee', { label: 'Price' })],
      base: file.design.version,
      by: 'Another',
      now: '2026-11-25T12:00:00Z',
      today: '2026-11-25',
      copies: file.copies,
      copy: 'locks.db',
    };
    // In this process, which holds the file open besides.
    expect(apply(file.path, order, () => undefined)).toEqual({ done: true });
    const log = (): number => statSync(`${file.path}-wal`).ino;
    const before = log();
    // Without our locks another program is the last to leave, and takes the log away under us.
    const tool = spawnSync('sqlite3', [file.path, 'UPDATE borrower SET active = active'], {
      encoding: 'utf8',
    });
    expect(tool.stderr).toBe('');
    expect(log()).toBe(before);
    expect(read('SELECT count(*) FROM borrower')).toEqual([[2]]);
  });

  it('is told by Check what the engine would refuse', async () => {
    const kept = { type: 'kept', id: 'k_v', table: null, what: 'view', name: 'dear' } as const;
    const view = { ...kept, sql: 'CREATE VIEW dear AS SELECT number, fee FROM loan WHERE fee > 100' };
    const trigger = {
      type: 'kept',
      id: 'k_t',
      table: 't_loan',
      what: 'trigger',
      name: 'no thirteen',
      sql: 'CREATE TRIGGER "no thirteen" BEFORE UPDATE ON loan WHEN NEW.fee = 1300 BEGIN SELECT RAISE(ABORT, \'Thirteen is no fee.\'); END',
    } as const;
    const check = {
      type: 'kept',
      id: 'k_c',
      table: 't_loan',
      what: 'check',
      name: 'c',
      sql: 'fee IS NOT 1400',
    } as const;
    const keep = [view, trigger, check].map((item): Change => ({ change: 'putKept', kept: item }));
    expect((await office.check(...keep)).body.clear).toBeTrue();
    expect((await office.apply(...keep)).status).toBe(200);
    expect(read('SELECT * FROM dear')).toEqual([[1000, 350]]);

    // Their own words reach people.
    const pay = (fee: string) =>
      office.save({ op: 'update', table: 't_loan', key: [1000], values: { f_lFee: fee }, was: {} });
    expect((await pay('13.00')).body.errors[0].message).toBe('Thirteen is no fee.');
    expect((await pay('14.00')).body.errors[0].message).toContain('fee IS NOT 1400');

    const drafts: [Change[], RegExp][] = [
      [
        [patch('t_loan', 'f_lFee', { name: 'price' })],
        /What is kept as SQL may stand in the way: the view dear, the trigger no thirteen and the check c/,
      ],
      [
        [{ change: 'dropField', table: 't_loan', field: 'f_lFee', mends: [] }],
        /kept as SQL|not possible to|still used/,
      ],
      [
        [{ change: 'changeTable', table: 't_borrower', set: { name: 'loan_readable' } }],
        /is that of the view of Loans/,
      ],
      [[{ change: 'changeTable', table: 't_borrower', set: { name: 'dear' } }], /is that of the view dear/],
      [[{ change: 'changeTable', table: 't_fine', set: { name: 'dear' } }], /is that of the view dear/],
    ];
    for (const [changes, words] of drafts) {
      const { body } = await office.check(...changes);
      expect(body.clear).withContext(String(words)).toBeFalse();
      const stops = (body.notices as { level: string; message: string }[]).filter(
        ({ level }) => level === 'stop',
      );
      expect(stops.map(({ message }) => message).join(' ')).toMatch(words);
      expect((await office.apply(...changes)).status)
        .withContext(String(words))
        .toBe(422);
    }
  });

  it('are kept with a version: a window that has another before it writes over none', async () => {
    const keep = (changes: Change[], version?: number) =>
      office.call('PUT', 'draft', {
        base: office.design.version,
        changes,
        ...(version === undefined ? {} : { version }),
      });
    const now = async () => (await office.call('GET', 'draft')).body;
    const before = (await now()).version as number;
    const [one, two] = ['One', 'Two'].map((label) => patch('t_loan', 'f_lFee', { label }));
    expect((await keep([one!], before)).body).toEqual({ kept: 1, version: before + 1 });
    const late = await keep([two!], before);
    expect([late.status, late.body.type]).toEqual([409, '/problems/document-moved']);
    expect(await now()).toEqual({
      draft: { base: office.design.version, changes: [one] },
      version: before + 1,
    });
    expect((await office.call('GET', 'design')).body.draftVersion).toBe(before + 1);
    // Set aside it is no draft, but its version goes on: a window that holds it must hear of that.
    expect((await keep([], before + 1)).status).toBe(200);
    expect(await now()).toEqual({ draft: null, version: before + 2 });
    expect((await keep([two!], before + 1)).status).toBe(409);
    // A program that names no version keeps what it has.
    expect((await keep([two!])).body.version).toBe(before + 3);
    const applied = await office.apply(two!);
    expect(applied.body.draftVersion).toBe(before + 4);
    expect(await now()).toEqual({ draft: null, version: before + 4 });
  });

  it('is told by Check how many numbers are rounded', async () => {
    const whole = patch('t_loan', 'f_lFee', { type: { kind: 'wholeNumber' } });
    const { body } = await office.check(whole);
    expect(body.clear).toBeTrue();
    const notes = (body.notices as { message: string }[]).map(({ message }) => message);
    expect(notes).toContain('A value of Fee is rounded: 3.50 becomes 4.');
    for (const fee of ['1000.50', '-2.25', '7.00'])
      await office.save({ op: 'insert', table: 't_loan', values: { f_lBorrower: 1, f_lFee: fee } });
    const more = (await office.check(whole)).body.notices as { message: string }[];
    expect(more.map(({ message }) => message)).toContain(
      '3 values of Fee are rounded: 1000.50 becomes 1001, for one.',
    );
    expect((await office.apply(whole)).status).toBe(200);
    expect(read('SELECT fee FROM loan ORDER BY number')).toEqual([[4], [1001], [-2], [7]]);
  });

  it('begins running numbers where asked, and never gives one twice, rebuilds included', async () => {
    expect(read('SELECT number FROM loan')).toEqual([[1000]]);
    await office.save({ op: 'delete', table: 't_loan', key: [1000] });
    await office.apply(patch('t_loan', 'f_lState', { alwaysFilled: true }));
    const { body } = await office.save({ op: 'insert', table: 't_loan', values: { f_lBorrower: 1 } });
    expect(body.saved[0].key).toEqual([1001]);
  });

  it('keeps every row through a rebuild, and scales money up', async () => {
    const { status } = await office.apply(
      patch('t_loan', 'f_lFee', { type: { kind: 'money', places: 4 }, label: 'Price', name: 'price' }),
      {
        change: 'changeTable',
        table: 't_borrower',
        set: { name: 'reader', label: 'Reader', plural: 'Readers' },
      },
    );
    expect(status).toBe(200);
    expect(read('SELECT price, borrower FROM loan')).toEqual([[35000, 1]]);
    expect(read('SELECT name FROM reader ORDER BY 1')).toEqual([['Ada'], ['Bo']]);
    expect(read('SELECT price, borrower FROM loan_readable')).toEqual([['3.5000', 'Ada']]);
    expect(read('PRAGMA integrity_check')).toEqual([['ok']]);
    expect(read('PRAGMA foreign_key_check')).toEqual([]);
  });

  it('fills a new field that is always filled with its starting value', async () => {
    const kind = field(
      'x',
      'kind',
      { kind: 'choice', choices: ['Book', 'Map'] },
      { alwaysFilled: true, start: "'Book'" },
    );
    expect((await office.apply({ change: 'addField', table: 't_loan', field: kind })).status).toBe(200);
    expect(read('SELECT kind FROM loan')).toEqual([['Book']]);
  });

  it('lists the rows that would break, and then changes nothing', async () => {
    const drafts: [Change, RegExp, number][] = [
      [patch('t_borrower', 'f_bEmail', { alwaysFilled: true }), /always filled/, 1],
      [
        patch('t_loan', 'f_lDue', {
          rule: { id: 'r_due', expression: '"#f_lDue" > DATE \'2026-06-01\'', message: 'Later, please.' },
        }),
        /Later, please/,
        1,
      ],
      [
        patch('t_fine', 'f_fAmount', {
          rule: {
            id: 'r_amount',
            expression: '"#f_fAmount" < "#f_fLoan"."#f_lFee" / 4',
            message: 'Too much.',
          },
        }),
        /Too much/,
        1,
      ],
      [patch('t_borrower', 'f_bName', { type: { kind: 'text', most: 2 } }), /longer than 2/, 1],
      [
        {
          change: 'addField',
          table: 't_borrower',
          field: field('y', 'y', { kind: 'date' }, { alwaysFilled: true }),
        },
        /always filled/,
        2,
      ],
    ];
    for (const [change, words, count] of drafts) {
      const checked = await office.check(change);
      expect(checked.status).toBe(200);
      expect(checked.body.clear).toBeFalse();
      expect(checked.body.findings[0].message).toMatch(words);
      expect(checked.body.findings[0].count).toBe(count);
      expect(checked.body.findings[0].sample.length).toBe(count);
      const version = office.design.version;
      const applied = await office.apply(change);
      expect(applied.status).toBe(422);
      expect(applied.body.detail).toMatch(words);
      expect(office.design.version).toBe(version);
    }
    expect(read('SELECT count(*) FROM borrower')).toEqual([[2]]);
  });

  it('finds values that are not unique', async () => {
    await office.save({ op: 'insert', table: 't_borrower', values: { f_bName: 'Ada' } });
    const { body } = await office.check(patch('t_borrower', 'f_bName', { noTwoAlike: true }));
    expect(body.findings[0]).toEqual(jasmine.objectContaining({ sort: 'alike', count: 2 }));
  });

  it('leaves the file to the byte as it was when a step fails half way', async () => {
    const before = read("SELECT name, sql FROM sqlite_schema WHERE name NOT LIKE 'hr_%' ORDER BY 1");
    const file = office.app.context.files.get(office.file);
    // A table of somebody else's stands where the rebuilt one must go: its CREATE fails inside the transaction.
    file.writer.exec('CREATE TABLE "hr_rebuilt_t_loan" (x)');
    const { status, body } = await office.apply(patch('t_loan', 'f_lFee', { alwaysFilled: true }));
    expect(status).toBe(422);
    expect(body.detail).toContain('It was not possible to make the new Loan');
    file.writer.exec('DROP TABLE "hr_rebuilt_t_loan"');
    expect(read("SELECT name, sql FROM sqlite_schema WHERE name NOT LIKE 'hr_%' ORDER BY 1")).toEqual(before);
    expect(read('PRAGMA foreign_keys')).toEqual([[1]]);
    expect((await office.save({ op: 'insert', table: 't_fine', values: { f_fLoan: 4711 } })).status).toBe(
      422,
    );
  });

  it('takes a safe copy before it changes anything', async () => {
    await office.apply({ change: 'dropField', table: 't_loan', field: 'f_lNote' });
    const folder = office.app.context.files.get(office.file).copies;
    const copies = readdirSync(folder);
    expect(copies.length).toBe(2);
    const newest = copies
      .map((name) => new Database(`${folder}/${name}`))
      .map((db) => {
        const columns = (
          db.prepare("SELECT count(*) FROM pragma_table_info('loan')").raw().get() as [number]
        )[0];
        // What the engine put beside it would outlive a kill.
        expect(readdirSync(folder)).toEqual(copies);
        db.close();
        return columns;
      });
    // One copy from before the tables were there, one with the field that is gone now.
    expect(newest.sort()).toEqual([0, 7]);
  });

  it('leaves no file open for what it has copied', async () => {
    const { path, copies, design } = office.app.context.files.get(office.file);
    const links = (): string[] =>
      readdirSync('/proc/self/fd').flatMap((name) => {
        const link = `/proc/self/fd/${name}`;
        return existsSync(link) ? [readlinkSync(link)] : [];
      });
    const open = (): number => links().filter((link) => link === path).length;
    const changes = [patch('t_loan', 'f_lFee', { label: 'Price' })];
    const order = { changes, base: design.version, by: 'X', now: '', today: '2026-11-25', copies };
    expect(apply(path, { ...order, copy: 'one.db' }, () => undefined)).toEqual({ done: true });
    // The engine itself holds some: it closes them when its last lock is gone.
    const during = open();
    closeCopied();
    expect(open()).toBe(during - 1);
    closeCopied();
    expect(open()).toBe(during - 1);
  });

  it('lets the first of two drafts through and keeps the second', async () => {
    const base = office.design.version;
    const one = { base, changes: [patch('t_loan', 'f_lFee', { label: 'Price' })] };
    const two = { base, changes: [{ change: 'dropField', table: 't_loan', field: 'f_lNote' }] };
    await office.call('PUT', 'draft', two);
    const answers = await Promise.all([
      office.call('POST', 'draft/apply', one),
      office.call('POST', 'draft/apply', two),
    ]);
    expect(answers.map(({ status }) => status)).toEqual([200, 423]);
    expect(answers[1]!.body).toEqual(jasmine.objectContaining({ type: '/problems/changing' }));
    const again = await office.call('POST', 'draft/apply', two);
    expect(again.status).toBe(409);
    expect(again.body).toEqual(
      jasmine.objectContaining({ type: '/problems/design-moved', version: base + 1 }),
    );
    expect(office.design.tables[1]!.fields.some(({ id }) => id === 'f_lNote')).toBeTrue();
  });

  it('keeps a draft for its builder until it is applied', async () => {
    const changes = [patch('t_loan', 'f_lFee', { label: 'Price' })];
    await office.call('PUT', 'draft', { base: office.design.version, changes });
    expect((await office.call('GET', 'design')).body.draft.changes).toEqual(changes);
    await office.apply(...changes);
    expect((await office.call('GET', 'design')).body.draft).toBeNull();
  });

  it('drops a table with the rules that look at it, and makes it again', async () => {
    expect((await office.apply({ change: 'dropTable', table: 't_fine' })).status).toBe(200);
    expect(read("SELECT count(*) FROM sqlite_schema WHERE name LIKE '%fine%'")).toEqual([[0]]);
    expect((await office.apply({ change: 'addTable', table: OFFICE.tables[2]! })).status).toBe(200);
    const refused = await office.save({
      op: 'insert',
      table: 't_fine',
      values: { f_fLoan: 1000, f_fAmount: '99.00' },
    });
    expect(refused.body.errors[0]).toEqual(
      jasmine.objectContaining({
        field: 'f_fAmount',
        rule: 'r_amount',
        message: 'A fine is at most the fee.',
      }),
    );
  });

  it('makes the same schema step by step as at once', async () => {
    await office.apply(patch('t_loan', 'f_lFee', { alwaysFilled: true }));
    await office.apply({ change: 'changeTable', table: 't_fine', set: { name: 'penalty' } });
    await office.apply(
      patch('t_borrower', 'f_bName', {
        indexed: true,
        rule: { id: 'r_n', expression: 'CHAR_LENGTH("#f_bName") > 1', message: 'Longer.' },
      }),
    );
    const atOnce = await Office.open({ demo: false });
    await atOnce.apply(...office.design.tables.map((item): Change => ({ change: 'addTable', table: item })));
    const schema = (of: Office): unknown =>
      of.app.context.files
        .get(of.file)
        .reader.prepare(
          "SELECT type, name, sql FROM sqlite_schema WHERE name NOT LIKE 'hr_%' AND name NOT LIKE '%hr_migration%' ORDER BY 1, 2",
        )
        .raw()
        .all();
    expect(schema(office)).toEqual(schema(atOnce));
    await atOnce.close();
  });

  it('keeps a table with a key of several fields', async () => {
    const pair = table(
      'pair',
      [
        field('pA', 'a', { kind: 'wholeNumber' }),
        field('pB', 'b', { kind: 'text' }),
        field('pC', 'c', { kind: 'text' }),
      ],
      { key: ['f_pA', 'f_pB'] },
    );
    await office.apply({ change: 'addTable', table: pair });
    await office.save(
      { op: 'insert', table: 't_pair', values: { f_pA: 1, f_pB: 'x' } },
      { op: 'insert', table: 't_pair', values: { f_pA: 1, f_pB: 'y' } },
    );
    const twice = await office.save({ op: 'insert', table: 't_pair', values: { f_pA: 1, f_pB: 'y' } });
    expect(twice.body.errors[0].message).toContain('has this A and B already');
    expect(
      (await office.save({ op: 'update', table: 't_pair', key: [1, 'y'], values: { f_pC: 'z' }, was: {} }))
        .status,
    ).toBe(200);
    expect(read('SELECT * FROM pair')).toEqual([
      [1, 'x', null],
      [1, 'y', 'z'],
    ]);
  });
});
