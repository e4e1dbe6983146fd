import { formFromTable } from '@heathridge/core/form';
import { newQuery } from '@heathridge/core/query';
import { MOST_TEXT } from '@heathridge/core/values';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

const SHELF = table('shelf', [
  field('no', 'number', number),
  field('shelfName', 'name', { kind: 'text', most: 60 }),
]);
const BOOK = table('book', [
  field('bookNo', 'number', number),
  field('bookShelf', 'shelf', lookup('shelf')),
  // Neither is kept short by anything but what fits into a field at all.
  field('bookNote', 'note', { kind: 'longText' }),
  field('bookText', 'text', { kind: 'text' }),
]);

/** Letters that an answer may have. */
const MOST = 17 * 1024 * 1024;

describe('rows with very long texts', () => {
  let office: Office;
  const [few, many] = [60, 40];

  beforeAll(async () => {
    office = await Office.open({ demo: false });
    const added = await office.apply(
      { change: 'addTable', table: SHELF },
      { change: 'addTable', table: BOOK },
    );
    expect(added.status).withContext(JSON.stringify(added.body)).toBe(200);
    for (const of of [SHELF, BOOK]) {
      const form = formFromTable(
        office.design,
        office.design.tables.find(({ id }) => id === of.id)!,
        `o_${of.name}`,
      );
      expect((await office.put(form)).status).toBe(200);
    }
    const { writer } = office.app.context.files.get(office.file);
    writer.exec("INSERT INTO shelf (name) VALUES ('Whole'), ('Too long')");
    const fill = (shelf: number, rows: number, letters: number): unknown =>
      writer.exec(
        `INSERT INTO book (shelf, note, text) SELECT ${shelf}, 'n' || value || replace(hex(zeroblob(${letters / 2 - 8})), '0', 'x'), 't' || value FROM generate_series(1, ${rows})`,
      );
    fill(1, many, MOST_TEXT);
    // As they stood there before there was a limit.
    writer.exec('PRAGMA ignore_check_constraints = ON');
    fill(2, few, 4 * MOST_TEXT);
    writer.exec('PRAGMA ignore_check_constraints = OFF');
  });
  afterAll(() => office.close());

  const ok = (answer: Answer): Answer['body'] => {
    expect(answer.status).withContext(JSON.stringify(answer.body).slice(0, 300)).toBe(200);
    expect(answer.raw.length).toBeLessThan(MOST);
    return answer.body;
  };

  it('are sent as many at once as there is room for, each whole, and the others when asked', async () => {
    const numbers: number[] = [];
    for (let asked = 0; numbers.length < many && asked < many; asked++) {
      const request = { start: numbers.length, limit: 200, conditions: ['"#f_bookShelf"."#f_no" = 1'] };
      const { rows, total } = ok(await office.call('POST', 'tables/t_book/window', request));
      expect(total).toBe(many);
      expect(rows.length).toBeGreaterThan(1);
      for (const [no, , note] of rows as [number, unknown, string][]) {
        numbers.push(no);
        expect(note.length).toBeGreaterThan(MOST_TEXT - 20);
      }
    }
    expect(numbers).toEqual(Array.from({ length: many }, (_, i) => i + 1));
  });

  it('are found by a check within bounds, whatever is asked for, and all of them in the end', async () => {
    // A link that leads nowhere, from rows of the longest text there is and of longer ones.
    const { writer } = office.app.context.files.get(office.file);
    const shelves = office.ask<[number, number]>('SELECT number, shelf FROM book');
    writer.exec('PRAGMA foreign_keys = OFF; UPDATE book SET shelf = 99; PRAGMA foreign_keys = ON');
    const sound = ok(await office.call('POST', 'sound', {}));
    const [finding] = sound.findings as { number: number; count: number; sample: { value: unknown }[] }[];
    expect([sound.findings.length, finding!.count]).toEqual([1, few + many]);
    const keys: number[] = [];
    for (let asked = 0; keys.length < few + many && asked < few + many; asked++) {
      const page = { number: finding!.number, offset: keys.length, limit: 500 };
      const { rows } = ok(await office.call('POST', 'sound/found', page));
      expect(rows.length).toBeGreaterThan(0);
      keys.push(...(rows as { key: [number] }[]).map(({ key }) => key[0]));
    }
    expect(keys.sort((a, b) => a - b)).toEqual(Array.from({ length: few + many }, (_, i) => i + 1));
    for (const [number, shelf] of shelves)
      writer.exec(`UPDATE book SET shelf = ${shelf} WHERE number = ${number}`);
    // So is a check of a draft, and what it says of each.
    const rule = {
      id: 'r_short',
      expression: 'CHAR_LENGTH("#f_bookNote") < 100',
      message: 'Short.',
      newRowsOnly: false,
    };
    const change = { change: 'changeField', table: 't_book', field: 'f_bookNote', set: { rule } };
    const draft = { base: office.design.version, changes: [change] };
    const checked = ok(await office.call('POST', 'draft/check', draft));
    expect(checked.findings.length).withContext(JSON.stringify(checked).slice(0, 500)).toBe(1);
    const found = ok(
      await office.call('POST', 'draft/found', { ...draft, number: 0, offset: 0, limit: 500 }),
    );
    expect(found.rows.length).toBeGreaterThan(0);
  });

  it('are told of what happened to a row, the last of them whole, all others by their beginning', async () => {
    const key = [3];
    // Letters of three bytes: no text needs more of them.
    const texts = ['あ', 'い', 'う', 'え', 'お'].map((letter) => letter.repeat(MOST_TEXT));
    let was = office.ask<[string]>('SELECT note FROM book WHERE number = 3')[0]![0];
    for (const text of texts) {
      const change = {
        op: 'update',
        table: 't_book',
        key,
        values: { f_bookNote: text },
        was: { f_bookNote: was },
      };
      ok(await office.save(change));
      was = text;
    }
    const { past } = ok(await office.call('GET', 'tables/t_book/past?key=[3]'));
    interface Told {
      value: string;
      cut?: number;
    }
    const told = (past as { changes: { before: Told; after: Told }[] }[]).flatMap(({ changes }) =>
      changes.map(({ before, after }) => [before, after]),
    );
    expect(told.length).toBe(texts.length);
    expect(told[0]!.map(({ value }) => value === texts[4] || value === texts[3])).toEqual([true, true]);
    for (const [before, after] of told.slice(1))
      for (const { value, cut } of [before!, after!]) {
        expect(value.length).toBe(1001);
        expect(cut).toBeGreaterThan(MOST_TEXT - 20);
      }
  });

  it('are sent by their beginning where they are longer than a field takes', async () => {
    const { rows, total } = ok(
      await office.call('POST', 'tables/t_book/window', { start: many, limit: 200 }),
    );
    expect(total).toBe(few + many);
    const [, , { beginning, length }] = rows[0];
    expect(beginning).toMatch(/^n1x+$/);
    expect(beginning.length).toBe(1000);
    expect(length).toBeGreaterThan(4 * MOST_TEXT - 20);
    // What is not sent is not lost by a save of what is.
    const saved = await office.save({
      op: 'update',
      table: 't_book',
      key: [many + 1],
      values: { f_bookText: 'changed' },
      was: { f_bookText: 't1' },
    });
    expect(saved.status).withContext(JSON.stringify(saved.body)).toBe(200);
    const taken = await office.save({
      op: 'update',
      table: 't_book',
      key: [many + 1],
      values: { f_bookNote: 'short' },
      was: { f_bookNote: `${beginning}…` },
    });
    expect(taken.status).toBe(422);
    expect(
      office.ask(`SELECT length(note) > ${4 * MOST_TEXT - 20} FROM book WHERE number = ${many + 1}`),
    ).toEqual([[1]]);
  });

  it('come into a list, a record and its subform as far as there is room', async () => {
    const { entries } = ok(await office.call('GET', 'desk/screens/o_book/list?search='));
    expect(entries.length).toBe(60);
    for (const shelf of [1, 2]) {
      const { record } = ok(await office.call('GET', `desk/screens/o_shelf/record?key=[${shelf}]`));
      const [books] = record.subforms;
      const keys = books.rows.map(({ key }: { key: number[] }) => key[0]);
      expect(books.total).toBe(shelf === 1 ? many : few);
      while (keys.length < books.total) {
        const at = { path: ['f_bookShelf'], parent: shelf, start: keys.length };
        const more = ok(await office.call('POST', 'desk/screens/o_shelf/rows', at));
        expect(more.rows.length).toBeGreaterThan(0);
        keys.push(...more.rows.map(({ key }: { key: number[] }) => key[0]));
      }
      expect(new Set(keys).size).toBe(books.total);
    }
    for (const key of [1, many + 1]) ok(await office.call('GET', `desk/screens/o_book/record?key=[${key}]`));
  });

  it('are cut in results of queries, and opened by ten at once without taking the memory of the machine', async () => {
    const query = newQuery(
      'q_books',
      'Books',
      office.design.tables.find(({ id }) => id === BOOK.id)!,
    );
    const { rows } = ok(await office.call('POST', 'query/run', { query }));
    expect(rows.length).toBe(few + many);
    expect(rows[0].some((value: unknown) => typeof value === 'string' && value.endsWith('…'))).toBeTrue();
    (globalThis as { gc?: () => void }).gc?.();
    const before = process.memoryUsage().rss;
    let most = before;
    const looking = setInterval(() => (most = Math.max(most, process.memoryUsage().rss)), 20);
    await Promise.all(
      Array.from({ length: 10 }, () => office.call('GET', 'desk/screens/o_shelf/record?key=[2]')),
    );
    clearInterval(looking);
    // Each had 240 MB of text to read, and sends 60 beginnings of it.
    expect((most - before) / 1024 ** 2).toBeLessThan(400);
  });
});

describe('rows that are called by a very long text', () => {
  const PAPER = {
    ...table('paper', [field('paperNo', 'number', number), field('paperText', 'text', { kind: 'text' })]),
    display: '"#f_paperText"',
  };
  const SLIP = table('slip', [
    field('slipNo', 'number', number),
    field('slipPaper', 'paper', lookup('paper')),
  ]);
  let office: Office;
  beforeAll(async () => {
    office = await Office.open({ demo: false });
    const made = await office.apply(
      { change: 'addTable', table: PAPER },
      { change: 'addTable', table: SLIP },
    );
    expect(made.status).withContext(JSON.stringify(made.body)).toBe(200);
    const slip = office.design.tables.find(({ id }) => id === SLIP.id)!;
    expect((await office.put(formFromTable(office.design, slip, 'o_slip'))).status).toBe(200);
    office.app.context.files.get(office.file).writer.exec(
      `INSERT INTO paper (text) SELECT value || replace(hex(zeroblob(${MOST_TEXT / 2 - 8})), '0', 'x') FROM generate_series(1, 40);
       INSERT INTO slip (paper) SELECT number FROM paper`,
    );
  });
  afterAll(() => office.close());

  it('are shown by its beginning wherever a lookup leads to them', async () => {
    const keys = Array.from({ length: 40 }, (_, i) => [i + 1]);
    const roads: Record<string, () => Promise<Answer>> = {
      choices: () => office.call('POST', 'lookups/f_slipPaper', { search: '' }),
      'choices of a screen': () =>
        office.call('POST', 'desk/screens/o_slip/lookups/f_slipPaper', { search: '7x' }),
      'a list': () => office.call('GET', 'desk/screens/o_slip/list?search='),
      'a window': () => office.call('POST', 'tables/t_slip/window', { start: 0, limit: 200 }),
      'a record': () => office.call('GET', 'desk/screens/o_slip/record?key=[1]'),
      children: () => office.call('POST', 'tables/t_paper/children', { keys, links: ['f_slipPaper'] }),
      'what happened': () => office.call('GET', 'tables/t_slip/past?key=[1]'),
    };
    const [saved] = (await office.save({ op: 'insert', table: 't_slip', values: { f_slipPaper: 1 } })).body
      .saved;
    expect(saved.key).toEqual([41]);
    for (const [name, road] of Object.entries(roads)) {
      const { status, raw } = await road();
      expect(status).withContext(name).toBe(200);
      expect(raw.length)
        .withContext(name)
        .toBeLessThan(40 * 1000);
    }
    const { rows } = (await office.call('POST', 'tables/t_slip/window', { start: 0, limit: 1 })).body;
    expect(rows[0][1]).toEqual([1, `1${'x'.repeat(399)}`]);
  });
});
