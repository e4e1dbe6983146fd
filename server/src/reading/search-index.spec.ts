import Database from 'libsql';
import { displayOf, type Form } from '@heathridge/core/design';
import { formFromTable } from '@heathridge/core/form';
import { random } from '../../../demo/src/random';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { countRows } from '../rows/window';
import { Office } from '../testing/office';
import { foundRows, lookThrough } from './search-index';

describe('looking through kept texts', () => {
  const next = random(5);
  const pick = <T>(items: readonly T[]): T => items[Math.floor(next() * items.length)]!;
  const word = (most: number): string =>
    Array.from({ length: 1 + Math.floor(next() * most) }, () => pick(['a', 'b', 'c', 'é'])).join('');

  it('finds the rows that looking at each would find, whatever is looked for and whatever has changed', () => {
    for (let round = 0; round < 300; round++) {
      const texts = Array.from({ length: Math.floor(next() * 30) }, () => `${word(6)} ${word(4)}`);
      const keys = texts.map((_, i) => 3 * i + 1);
      const made = {
        keys: Float64Array.from(keys),
        ends: Uint32Array.from(endsOf(texts)),
        bytes: Buffer.from(texts.map((text) => `${text}\0`).join('')),
        mark: 0,
      };
      const now = new Map(keys.map((key, i) => [key, texts[i]!]));
      const changed = new Map<number, Buffer | null>();
      for (let i = 0; i < Math.floor(next() * 4); i++) {
        const key = Math.floor(next() * 90);
        const text = next() < 0.3 ? null : word(5);
        changed.set(key, text === null ? null : Buffer.from(text));
        if (text === null) now.delete(key);
        else now.set(key, text);
      }
      const words = Array.from({ length: 1 + Math.floor(next() * 3) }, () => word(3));
      const wanted = [...now]
        .filter(([, text]) => words.every((one) => text.includes(one)))
        .map(([key]) => key);
      const found = lookThrough(
        made,
        changed,
        words.map((one) => Buffer.from(one)),
      );
      expect([found.count, [...found.keys].sort((a, b) => a - b)])
        .withContext(JSON.stringify({ texts, words }))
        .toEqual([wanted.length, wanted.sort((a, b) => a - b)]);
    }
  });

  const endsOf = (texts: readonly string[]): number[] => {
    let size = 0;
    return texts.map((text, i) => (size += Buffer.byteLength(text) + (i === 0 ? 0 : 1)));
  };
});

describe('searching a large table', () => {
  let office: Office;
  const ROWS = 30_000;
  beforeAll(async () => {
    office = await Office.open({ demo: false });
    const town = table('town', [field('tNo', 'number', number), field('tName', 'name', { kind: 'text' })]);
    const person = table(
      'person',
      [
        field('pNo', 'number', number),
        field('pName', 'name', { kind: 'text' }),
        field('pTown', 'town', lookup('town')),
        field('pNote', 'note', { kind: 'text' }),
      ],
      { display: `"#f_pName" || ', ' || "#f_pTown"."#f_tName"` },
    );
    const made = await office.apply(
      { change: 'addTable', table: town },
      { change: 'addTable', table: person },
    );
    expect(made.status).withContext(JSON.stringify(made.body)).toBe(200);
    file().writer.exec(
      `INSERT INTO town (name) VALUES ('Brackwater'), ('Élan'), ('Coldmere 7%'), (NULL);
       INSERT INTO person (name, town, note) SELECT char(65 + value % 26) || char(97 + value / 26 % 26) || char(97 + value / 676 % 26) || ' ' || value % 97, 1 + value % 5 % 4, CASE WHEN value % 11 = 0 THEN 'Note ' || value END FROM generate_series(1, ${ROWS});
       ANALYZE`,
    );
    const form = formFromTable(office.design, person_(), 'o_p');
    expect((await office.put({ ...form, finds: ['f_pNote'] } as Form)).status).toBe(200);
  });
  afterAll(() => office.close());

  const file = () => office.app.context.files.get(office.file);
  const person_ = () => office.design.tables.find(({ id }) => id === 't_person')!;
  const SEARCHES = [
    'abc',
    'ABC',
    'brackw',
    'élan',
    'Élan',
    'a b',
    'water 12',
    'zzq',
    '7%',
    '_',
    '29999',
    '11',
    'new',
    'moved',
    'e',
  ];
  const index = (search: string) => {
    const { design } = office;
    return foundRows({
      file: file(),
      design,
      jobs: office.app.context.jobs,
      table: person_(),
      search,
      shows: displayOf(person_()),
    });
  };
  /** Waits until the texts are at hand. */
  async function ready(): Promise<void> {
    for (let i = 0; i < 600 && index('e') === null; i++)
      await new Promise((resolve) => setTimeout(resolve, 20));
    expect(index('e')).not.toBeNull();
  }
  /** What the index finds is what the engine finds, row by row. */
  function agree(what: string): void {
    for (const search of SEARCHES) {
      const found = index(search);
      expect(found).withContext(`${what}: ${search}`).not.toBeNull();
      const count = countRows(file().reader, office.design, person_(), { search, conditions: [] });
      expect(found?.count).withContext(`${what}: ${search}`).toBe(count);
      const among = countRows(file().reader, office.design, person_(), {
        search,
        conditions: [],
        keys: found?.keys ?? [],
      });
      expect(among).withContext(`${what}, the same rows: ${search}`).toBe(count);
    }
  }
  const save = async (...changes: unknown[]): Promise<number> => {
    const { status, body } = await office.call('POST', 'rows', { changes });
    expect(status).withContext(JSON.stringify(body)).toBe(200);
    return body.entry as number;
  };

  it('finds what the engine finds, and goes on doing so while rows change', async () => {
    await ready();
    agree('as read');
    const entry = await save(
      { op: 'insert', table: 't_person', values: { f_pName: 'New one', f_pTown: 1 } },
      { op: 'update', table: 't_person', key: [12], values: { f_pName: 'Moved', f_pTown: 2 }, was: {} },
      { op: 'delete', table: 't_person', key: [13] },
    );
    agree('after a save');
    await office.call('POST', `log/${entry}/undo`, { watch: 'w-0001-undo' });
    agree('after it was undone');
    // A town is called otherwise: of all its people the text is another.
    await save({
      op: 'update',
      table: 't_town',
      key: [1],
      values: { f_tName: 'Newwater' },
      was: { f_tName: 'Brackwater' },
    });
    await ready();
    agree('after another table has changed');
    // Something else writes to the file, and tells nobody.
    const other = new Database(file().path);
    other.exec("UPDATE person SET name = 'Moved away' WHERE number = 77");
    other.close();
    await ready();
    agree('after a tool has written');
  });

  it('lists the found rows page by page, in the order of the list, and counts them', async () => {
    await ready();
    const list = async (search: string, after?: number) => {
      const more = after === undefined ? '' : `&after=[${after}]`;
      const url = `desk/screens/o_p/list?search=${encodeURIComponent(search)}${more}`;
      const { status, body } = await office.call('GET', url);
      expect(status).withContext(JSON.stringify(body)).toBe(200);
      return body as { total: number; all: number; entries: { key: [number] }[] };
    };
    for (const search of ['a', 'abc', 'note 11']) {
      const all: number[] = [];
      const first = await list(search);
      for (let page = first; page.entries.length > 0 && all.length < 200;) {
        all.push(...page.entries.map(({ key }) => key[0]));
        page = await list(search, all.at(-1));
      }
      const wanted = office
        .ask<[number]>(
          `SELECT p.number FROM person p LEFT JOIN town t ON t.number = p.town WHERE ${search
            .split(' ')
            .map(
              (one) =>
                `coalesce(coalesce(p.name || ', ' || t.name, '') || ' ' || coalesce(p.note, '') || ' ' || p.number, ' ' || p.number) LIKE '%${one}%'`,
            )
            .join(' AND ')} ORDER BY p.number DESC`,
        )
        .map(([key]) => key);
      expect(first.total).withContext(search).toBe(wanted.length);
      expect(all).withContext(search).toEqual(wanted.slice(0, all.length));
      expect(all.length).toBe(Math.min(wanted.length, Math.max(all.length, 200)));
    }
  });
});
