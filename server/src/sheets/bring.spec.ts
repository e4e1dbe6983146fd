import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crc32, deflateRawSync } from 'node:zlib';
import { DuckDBInstance } from '@duckdb/node-api';
import ExcelJS from 'exceljs';
import readXlsxFile from 'read-excel-file/node';
import writeXlsxFile from 'write-excel-file/node';
import { zipSync } from 'fflate';
import { fieldOf } from '@heathridge/core/design';
import {
  proposeKnown,
  proposeNew,
  readColumn,
  sendInto,
  toldStyles,
  type BringPlan,
  type SheetColumn,
} from '@heathridge/core/sheet';
import { localeOf } from '@heathridge/core/design';
import { playersSheet } from '@heathridge/demo';
import { Office } from '../testing/office';

const SHEET = { 'content-type': 'application/x-sheet' };
let made = 0;
const makeId = (letter: string): string => `${letter}_brought${made++}`;

describe('bringing in', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open();
  });
  afterAll(() => office.close());

  const send = (content: string | Buffer | Uint8Array, name = 'sheet.csv') =>
    office.call(
      'POST',
      `sheets?name=${encodeURIComponent(name)}`,
      Buffer.from(content as string),
      'builder',
      SHEET,
    );

  /** The cells below the headings, as they were read. */
  const cells = async (
    content: string | Buffer,
    name = 'sheet.csv',
    style?: object,
  ): Promise<unknown[][]> => {
    let answer = await send(content, name);
    expect(answer.status).withContext(answer.body.detail).toBe(200);
    if (style) answer = await office.call('POST', `sheets/${answer.body.sheet.id}/look`, { style });
    expect(answer.status).withContext(answer.body.detail).toBe(200);
    const { look } = answer.body;
    return [
      look.columns.map(({ heading }: SheetColumn) => heading),
      ...look.first.map((row: { cells: unknown[] }) => row.cells),
    ];
  };
  /** All as it is proposed, but that names of rows which other tests have made lead nowhere. */
  const planNew = (look: { columns: SheetColumn[]; style: BringPlan['style'] }, label: string): BringPlan => {
    const columns = look.columns.map((column) => ({ ...column, lookups: [] }));
    return proposeNew(office.design, label, `${label}s`, columns, look.style, makeId);
  };
  const planInto = (
    id: string,
    look: { columns: SheetColumn[]; style: BringPlan['style'] },
    remembered = null,
  ): BringPlan =>
    proposeKnown(
      office.design,
      office.design.tables.find((table) => table.id === id)!,
      look.columns,
      look.style,
      remembered,
    );
  const check = (sheet: string, plan: BringPlan) => office.call('POST', `sheets/${sheet}/check`, { plan });
  const bring = (sheet: string) => office.call('POST', `sheets/${sheet}/bring`, {});
  /** Sends, checks and brings in, all of it as proposed but for what is changed. */
  const whole = async (
    content: string | Buffer,
    into: string | null,
    change = (plan: BringPlan) => plan,
    name?: string,
  ) => {
    const sent = await send(content, name);
    expect(sent.status).withContext(sent.body.detail).toBe(200);
    const plan = change(into === null ? planNew(sent.body.look, 'Thing') : planInto(into, sent.body.look));
    const checked = await check(sent.body.sheet.id, plan);
    expect(checked.status).withContext(checked.body.detail).toBe(200);
    const brought = await bring(sent.body.sheet.id);
    return { sent: sent.body, checked: checked.body, brought };
  };
  const rows = async (table: string): Promise<unknown[][]> => {
    const { body } = await office.call('POST', `tables/${table}/window`, { start: 0, limit: 1000 });
    return body.rows;
  };
  const count = async (table: string): Promise<number> =>
    (await office.call('POST', `tables/${table}/window`, { start: 0, limit: 1 })).body.total;

  describe('reads', () => {
    // RFC 4180, section 2, rule by rule, with its own examples.
    it('delimited text by the rules of RFC 4180', async () => {
      const plain = [
        ['Column 1', 'Column 2', 'Column 3'],
        ['aaa', 'bbb', 'ccc'],
        ['zzz', 'yyy', 'xxx'],
      ];
      const no = { heading: 0 };
      expect(await cells('aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n', 'a.csv', no)).toEqual(plain);
      expect(await cells('aaa,bbb,ccc\r\nzzz,yyy,xxx', 'a.csv', no)).toEqual(plain);
      expect(await cells('"aaa","bbb","ccc"\r\nzzz,yyy,xxx', 'a.csv', no)).toEqual(plain);
      expect(await cells('field_name,field_b,field_c\r\naaa,bbb,ccc\r\n')).toEqual([
        ['field_name', 'field_b', 'field_c'],
        ['aaa', 'bbb', 'ccc'],
      ]);
      expect((await cells('"aaa","b\r\nbb","ccc"\r\nzzz,yyy,xxx', 'a.csv', no))[1]).toEqual([
        'aaa',
        'b\r\nbb',
        'ccc',
      ]);
      expect((await cells('"aaa","b""bb","ccc"\r\nzzz,yyy,xxx', 'a.csv', no))[1]).toEqual([
        'aaa',
        'b"bb',
        'ccc',
      ]);
      expect((await cells('a, b ,c\r\nd,e,f', 'a.csv', no))[1]).toEqual(['a', ' b ', 'c']);
    });

    it('any delimiter and line end, and tells at which line a row begins', async () => {
      for (const [delimiter, end] of [
        [',', '\n'],
        [';', '\r\n'],
        ['\t', '\r'],
        ['|', '\n'],
      ] as const) {
        const text = [
          ['Name', 'Note'],
          ['Ann', 'x'],
          ['Bo', 'y'],
        ]
          .map((row) => row.join(delimiter))
          .join(end);
        expect((await cells(text)).slice(1))
          .withContext(JSON.stringify(text))
          .toEqual([
            ['Ann', 'x'],
            ['Bo', 'y'],
          ]);
      }
      const { body } = await send('Name,Note\nAnn,"two\nlines"\n\nBo,y\n');
      expect(body.look.first.map(({ line }: { line: number }) => line)).toEqual([2, 5]);
    });

    it('UTF-8 and UTF-16 with and without their mark, and Latin-1, telling which', async () => {
      const text = 'Name,Town\r\nZoë Gómez,Dębica\r\nJosé,Łódź\r\n';
      const utf16 = Buffer.from(text, 'utf16le');
      const swapped = Buffer.from(utf16).swap16();
      const marked = (mark: number[], bytes: Buffer): Buffer => Buffer.concat([Buffer.from(mark), bytes]);
      for (const [bytes, encoding] of [
        [Buffer.from(text), 'utf-8'],
        [marked([0xef, 0xbb, 0xbf], Buffer.from(text)), 'utf-8'],
        [marked([0xff, 0xfe], utf16), 'utf-16le'],
        [marked([0xfe, 0xff], swapped), 'utf-16be'],
        [utf16, 'utf-16le'],
        [swapped, 'utf-16be'],
      ] as const) {
        const { body } = await send(bytes);
        expect(body.look.style.encoding).toBe(encoding);
        expect(body.look.first[0].cells).toEqual(['Zoë Gómez', 'Dębica']);
      }
      const latin = await send(Buffer.from('Name,Town\nZoë,Köln\n', 'latin1'));
      expect([latin.body.look.style.encoding, latin.body.look.first[0].cells[1]]).toEqual([
        'windows-1252',
        'Köln',
      ]);
      const wrong = await office.call('POST', `sheets/${latin.body.sheet.id}/look`, {
        style: { encoding: 'utf-8' },
      });
      expect([wrong.status, wrong.body.detail]).toEqual([
        422,
        jasmine.stringContaining('not written in UTF-8'),
      ]);
    });

    it('combining marks as they are kept: composed (Unicode, UAX 15)', async () => {
      const { brought } = await whole('Name,Town\nZoe\u0308,Ko\u0308ln\nAnn,Ulm\n', null);
      expect((await rows(brought.body.table))[0]!.slice(1)).toEqual(['Zoë', 'Köln']);
    });

    it('JSON of objects, arrays and lines, objects within by their names', async () => {
      const objects = '[{"name":"Ann","home":{"town":"Ulm"},"age":7},{"age":8.5,"name":"Bo","tags":["a",1]}]';
      expect(await cells(objects, 'a.json')).toEqual([
        ['name', 'home.town', 'age', 'tags'],
        ['Ann', 'Ulm', 7, null],
        ['Bo', null, 8.5, '["a",1]'],
      ]);
      expect((await cells('{"a":1,"b":true}\n{"a":2,"b":null}\n', 'a.jsonl')).slice(1)).toEqual([
        [1, true],
        [2, null],
      ]);
      expect(await cells('[["Name","Age"],["Ann",7]]', 'a.json')).toEqual([
        ['Name', 'Age'],
        ['Ann', 7],
      ]);
      // More digits than a double keeps stay a text with all of them.
      expect((await cells('[{"n":12345678901234567890}]', 'a.json'))[1]).toEqual(['12345678901234567890']);
    });

    it('a workbook written by another library: dates, numbers, ticks, texts and empty cells', async () => {
      const day = new Date(Date.UTC(2014, 3, 3));
      const schema = [
        [{ value: 'Name' }, { value: 'Born' }, { value: 'Fee' }, { value: 'In' }, { value: 'Note' }],
        [
          { type: String, value: 'Ann' },
          { type: Date, value: day, format: 'dd/mm/yyyy' },
          { type: Number, value: 12.5 },
          { type: Boolean, value: true },
          null,
        ],
        [
          { type: String, value: 'Bo' },
          null,
          { type: Number, value: 0.1 + 0.2 },
          { type: Boolean, value: false },
          { type: String, value: '007' },
        ],
      ];
      const bytes = await writeXlsxFile(schema as never, {}).toBuffer();
      expect(await cells(bytes, 'a.xlsx')).toEqual([
        ['Name', 'Born', 'Fee', 'In', 'Note'],
        ['Ann', '2014-04-03', 12.5, true, null],
        ['Bo', null, 0.1 + 0.2, false, '007'],
      ]);
      // And one of ours by another library.
      const read = await readXlsxFile(
        readFileSync(new URL('../../../demo/sheets/players.xlsx', import.meta.url)) as never,
      );
      const data = (
        Array.isArray(read) && 'data' in (read[0] as object)
          ? (read[0] as unknown as { data: unknown[][] }).data
          : read
      ) as unknown[][];
      expect(data.length).toBe(playersSheet().length);
    });

    it('the value of a formula, rich texts, times, and the sheet that is wanted of several', async () => {
      const book = new ExcelJS.Workbook();
      book.addWorksheet('First').addRows([['A'], [1]]);
      const sheet = book.addWorksheet('Second');
      sheet.addRow(['Sum', 'Rich', 'At', 'Both']);
      sheet.addRow([
        { formula: '1+2', result: 3 },
        { richText: [{ text: 'bo' }, { text: 'ld' }] },
        new Date(Date.UTC(1899, 11, 30, 14, 30)),
        new Date(Date.UTC(2014, 3, 3, 14, 30)),
      ]);
      sheet.getColumn(3).numFmt = 'hh:mm';
      sheet.getColumn(4).numFmt = 'dd/mm/yyyy hh:mm';
      const bytes = Buffer.from(await book.xlsx.writeBuffer());
      const { body } = await send(bytes, 'a.xlsx');
      expect(body.look.worksheets).toEqual(['First', 'Second']);
      expect((await cells(bytes, 'a.xlsx', { worksheet: 1 }))[1]).toEqual([
        3,
        'bold',
        '14:30:00',
        '2014-04-03 14:30:00',
      ]);
    });
  });

  describe('refuses in words, with nothing left behind', () => {
    const noise = Buffer.from(Array.from({ length: 4000 }, (_, i) => (i * 7919) % 256));
    const bad: readonly (readonly [
      what: string,
      content: () => string | Buffer | Uint8Array | Promise<Uint8Array>,
      name: string,
      words: string,
    ])[] = [
      ['nothing at all', () => '', 'a.csv', 'empty'],
      ['headings alone', () => 'Name,Town\n', 'a.csv', 'no row'],
      ['a torn quote', () => 'Name,Note\nAnn,"x\nBo,y\n', 'a.csv', 'Line 2'],
      ['a quote within a quoted value', () => 'Name,Note\nAnn,x\n"Bo"b,y\n', 'a.csv', 'Line 3'],
      ['bytes that are no text', () => noise, 'a.csv', 'no text'],
      [
        'a picture with another ending',
        () => Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex'),
        'a.csv',
        'no text',
      ],
      ['NUL among letters', () => 'Name,Note\nAnn,a\0b\n', 'a.csv', 'no text'],
      [
        '1,000 columns',
        () => `${Array.from({ length: 1000 }, (_, i) => `c${i}`).join(',')}\n`.repeat(2),
        'a.csv',
        '1,000 columns',
      ],
      ['a workbook of the old format', () => Buffer.from('d0cf11e0a1b11ae1', 'hex'), 'a.xls', '.xlsx'],
      [
        'an archive that is no workbook',
        () => zipSync({ 'a.txt': new Uint8Array(3) }),
        'a.xlsx',
        'no workbook',
      ],
      ['a torn archive', () => Buffer.from('504b0304ffffffff', 'hex'), 'a.xlsx', 'no workbook'],
      ['JSON that ends too soon', () => '[{"a":1},{"a"', 'a.json', 'JSON'],
      ['JSON that is none', () => '[{"a":1}, nonsense]', 'a.json', 'JSON'],
      ['JSON of plain values', () => '[1,2,3]', 'a.json', 'neither an object'],
      ['JSON nested without end', () => `[${'['.repeat(5000)}`, 'a.json', 'deeply'],
    ];
    for (const [what, content, name, words] of bad)
      it(what, async () => {
        const before = new Set(readdirSync(join(office.data, 'sheets')));
        const { status, body } = await send(await content(), name);
        expect(status).toBe(422);
        expect(body.detail).toContain(words);
        expect(readdirSync(join(office.data, 'sheets')).filter((folder) => !before.has(folder))).toEqual([]);
      });

    it('an archive that would unpack to more than a sheet needs', async () => {
      // One entry that says of itself, truly, that it unpacks to 64 MB of noughts.
      const inside = Buffer.alloc(64 * 1024 * 1024);
      const packed = deflateRawSync(inside, { level: 9 });
      const name = Buffer.from('xl/workbook.xml');
      const head = Buffer.alloc(30);
      head.writeUInt32LE(0x04034b50, 0);
      head.writeUInt16LE(20, 4);
      head.writeUInt16LE(8, 8);
      head.writeUInt32LE(crc32(inside), 14);
      head.writeUInt32LE(packed.length, 18);
      head.writeUInt32LE(inside.length, 22);
      head.writeUInt16LE(name.length, 26);
      const entry = Buffer.alloc(46);
      entry.writeUInt32LE(0x02014b50, 0);
      head.copy(entry, 6, 4, 30);
      const end = Buffer.alloc(22);
      end.writeUInt32LE(0x06054b50, 0);
      end.writeUInt16LE(1, 8);
      end.writeUInt16LE(1, 10);
      end.writeUInt32LE(46 + name.length, 12);
      end.writeUInt32LE(30 + name.length + packed.length, 16);
      const { status, body } = await send(Buffer.concat([head, name, packed, entry, name, end]), 'a.xlsx');
      expect(status).toBe(422);
      expect(body.detail).toContain('64 MB');
    });

    it('rows that are longer than the headings, and takes shorter ones with what they have', async () => {
      const { checked, brought, sent } = await whole('Name,Town\nAnn,Ulm\nBo\nCy,Bonn,extra\n', null);
      expect([sent.look.shorter, sent.look.longer]).toEqual([
        { rows: 1, line: 3 },
        { rows: 1, line: 4 },
      ]);
      expect([checked.added, checked.bad]).toEqual([2, 1]);
      expect(checked.problems[0]).toEqual(
        jasmine.objectContaining({ line: 4, reason: jasmine.stringContaining('“extra”') }),
      );
      expect((await rows(brought.body.table)).map((row) => row.slice(1))).toEqual([
        ['Ann', 'Ulm'],
        ['Bo', null],
      ]);
    });

    it('no heading that stands twice, and no cell of 100,000 characters', async () => {
      const long = 'x'.repeat(100_000);
      const { brought, sent } = await whole(`Name,Name,Note\nAnn,Bo,${long}\n`, null);
      expect(sent.look.columns.map(({ heading }: SheetColumn) => heading)).toEqual([
        'Name',
        'Name 2',
        'Note',
      ]);
      expect((await rows(brought.body.table))[0]!.slice(1)).toEqual(['Ann', 'Bo', long]);
    });

    it('a sheet of somebody else, of another file, or none', async () => {
      const { body } = await send('Name,Town\nAnn,Ulm\n');
      expect(
        (await office.call('POST', `sheets/${body.sheet.id}/look`, { style: {} }, 'colleague')).status,
      ).toBe(403);
      expect((await office.call('POST', 'sheets/s_nothing/look', { style: {} })).status).toBe(404);
      expect((await bring(body.sheet.id)).body.detail).toContain('check it');
      expect((await office.call('DELETE', `sheets/${body.sheet.id}`)).body).toEqual({ gone: true });
      expect((await office.call('POST', `sheets/${body.sheet.id}/look`, { style: {} })).status).toBe(404);
      expect((await office.call('POST', 'sheets?name=a.csv', { a: 1 })).status).toBe(400);
    });
  });

  describe('into a new table', () => {
    it('makes the table and its rows at once, and one undo takes both out again', async () => {
      const version = office.design.version;
      const { brought } = await whole('Title,Due,Pages\nA,25/04/2026,12\nB,03/05/2026,\n', null);
      expect(brought.body).toEqual(jasmine.objectContaining({ done: true, added: 2, made: version + 1 }));
      expect((await rows(brought.body.table)).map((row) => row.slice(1))).toEqual([
        ['A', '2026-04-25', 12],
        ['B', '2026-05-03', null],
      ]);
      const undone = await office.call('POST', `changes/${brought.body.made}/undo`, {});
      expect(undone.status).withContext(undone.body.detail).toBe(200);
      expect(office.design.tables.some(({ id }) => id === brought.body.table)).toBeFalse();
    });

    it('asks for the order of dates that can be read in two ways, and takes none by itself', async () => {
      const { body } = await send('Title,Due\nA,03/04/2026\nB,05/06/2026\n');
      const plan = planNew(body.look, 'Job');
      const asked = await check(body.sheet.id, plan);
      expect([asked.status, asked.body.detail]).toEqual([
        422,
        jasmine.stringContaining('the day or the month'),
      ]);
      const told = await check(body.sheet.id, readColumn(plan, 1, { dateOrder: 'mdy' }));
      expect([told.status, told.body.added]).toEqual([200, 2]);
    });

    it('refuses a table that cannot stand, in words', async () => {
      const { body } = await send('Title,Due\nA,x\n');
      const plan = planNew(body.look, 'Job');
      if (plan.into.table !== 'new') throw new Error('No table is made.');
      const wrong = { ...plan, into: { table: 'new' as const, made: { ...plan.into.made, name: 'school' } } };
      const answer = await check(body.sheet.id, wrong);
      expect(answer.status).toBe(422);
      expect(answer.body.detail).toContain('Two tables');
    });
  });

  describe('into a table that is there', () => {
    it('adds rows with the numbers and starting values the file gives, and history', async () => {
      const before = await count('t_school');
      const { brought } = await whole(
        'District,Name\nCausey,North Wold School\nTolver,South Wold School\n',
        't_school',
      );
      expect(brought.body).toEqual(
        jasmine.objectContaining({ done: true, added: 2, changed: 0, made: null }),
      );
      const all = await rows('t_school');
      expect(all.length).toBe(before + 2);
      const saved = await office.save({
        op: 'insert',
        table: 't_school',
        values: { f_schoolName: 'East Wold School' },
      });
      // The next number is the next.
      expect(saved.body.saved[0].key[0]).toBe((all.at(-1)![0] as number) + 1);
      const { writer } = office.app.context.files.get(office.file);
      const [kept] = writer
        .prepare('SELECT count(*) FROM hr_history WHERE log = ?')
        .raw()
        .get(brought.body.entry) as [number];
      expect(kept).toBe(2);
      const undone = await office.call('POST', `log/${brought.body.entry}/undo`, {});
      expect(undone.body).toEqual(jasmine.objectContaining({ rows: 2, tables: ['t_school'] }));
      expect(await count('t_school')).toBe(before + 1);
      // What undid it is undone as well: the rows are there again, with their keys.
      await office.call('POST', `log/${undone.body.entry}/undo`, {});
      expect((await rows('t_school')).filter(([, name]) => /Wold/.test(String(name))).length).toBe(3);
      expect((await office.call('POST', `log/${brought.body.entry}/undo`, {})).body.detail).toContain(
        'already',
      );
    });

    it('keeps every guard of the file, and all of history, where there are many rows', async () => {
      const line = (i: number): string =>
        `Name ${i},${(i * 7) % 100}.${10 + (i % 90)},2026-0${1 + (i % 9)}-1${i % 10},${i % 3 === 0 ? 'yes' : 'no'},${i % 2 ? 'Red' : 'Blue'}`;
      const sheet = (from: number, many: number): string =>
        `Word,Price,Day,Done,Colour\n${Array.from({ length: many }, (_, i) => line(from + i)).join('\n')}\n`;
      const first = await whole(sheet(0, 40), null);
      const id = first.brought.body.table as string;
      const { writer, design } = office.app.context.files.get(office.file);
      const table = design.tables.find((candidate) => candidate.id === id)!;
      expect(table.fields.map(({ type }) => type.kind)).toContain('tick');
      const schema = (): unknown[] =>
        writer.prepare('SELECT type, name, sql FROM sqlite_schema ORDER BY 1, 2').raw().all();
      const before = schema();
      const { checked, brought } = await whole(sheet(40, 20_001), id);
      expect([checked.added, checked.bad]).toEqual([20_001, 0]);
      expect(brought.body.added).toBe(20_001);
      expect(schema()).toEqual(before);
      const { findings, damage, missing } = (await office.call('POST', 'sound', {})).body;
      expect([findings, damage, missing]).toEqual([[], [], []]);
      const [text] = table.fields.filter(({ type }) => type.kind === 'text');
      expect(() =>
        writer.prepare(`INSERT INTO "${table.name}" ("${text!.name}") VALUES ('a' || char(0) || 'b')`).run(),
      ).toThrowError(/holds characters that are none/);
      const past = writer
        .prepare('SELECT key, after FROM hr_history WHERE log = ? ORDER BY id')
        .raw()
        .all(brought.body.entry) as [string, string][];
      const keys = table.key.map((key) => table.fields.findIndex((field) => field.id === key));
      const window = async (start: number): Promise<unknown[][]> =>
        (await office.call('POST', `tables/${id}/window`, { start, limit: 1000 })).body.rows;
      for (const start of [0, 19_000]) {
        const shown = await window(start + 40);
        shown.forEach((cells, i) => {
          const [key, after] = past[start + i]!;
          expect(JSON.parse(key)).toEqual(keys.map((place) => cells[place]));
          expect(JSON.parse(after)).toEqual(
            Object.fromEntries(table.fields.map((field, f) => [field.id, cells[f]])),
          );
        });
      }
      expect(past.length).toBe(20_001);
    });

    it('changes rows by what tells them, adds the others, and leaves what is the same', async () => {
      const sheet =
        'Number,Name,Phone\n1,Harrow Lane Primary,01632 000111\n2,Marchfield High,\n,New Wold School,01632 1\n';
      const { checked, brought } = await whole(sheet, 't_school', (plan) => ({
        ...plan,
        mode: 'both',
        match: ['f_schoolNumber'],
      }));
      expect([checked.added, checked.changed, checked.same, checked.bad]).toEqual([1, 1, 1, 0]);
      expect(brought.body).toEqual(jasmine.objectContaining({ added: 1, changed: 1 }));
      const row = await office.call('GET', `tables/t_school/row?key=[1]`);
      expect(row.body.cells).toContain('01632 000111');
      await office.call('POST', `log/${brought.body.entry}/undo`, {});
      expect((await office.call('GET', `tables/t_school/row?key=[1]`)).body.cells).not.toContain(
        '01632 000111',
      );
    });

    it('empties fields only where that is asked for', async () => {
      const sheet = 'Number,Name,Phone\n2,Marchfield High,\n';
      const by = (blanks: 'leave' | 'empty') => (plan: BringPlan) => ({
        ...plan,
        mode: 'update' as const,
        match: ['f_schoolNumber'],
        blanks,
      });
      expect((await whole(sheet, 't_school', by('leave'))).checked.same).toBe(1);
      const { checked, brought } = await whole(sheet, 't_school', by('empty'));
      expect(checked.changed).toBe(1);
      expect((await office.call('GET', 'tables/t_school/row?key=[2]')).body.cells.at(-1)).toBeNull();
      await office.call('POST', `log/${brought.body.entry}/undo`, {});
    });

    it('says of every row that is not taken the line, the column, the value and why, and gives them as a sheet', async () => {
      const sheet =
        'Surname,First name,School,Born\nOduya,Temi,Harrow Lane Primary,25/04/2012\nVarga,Ilse,Harow Lane Primary,3 May 2011\nOkell,Bram,,31/02/2012\n,Mara,,1 Jan 2010\nLeck,=Evil,Nowhere at all,x\n';
      const { body } = await send(sheet);
      const { body: checked } = await check(body.sheet.id, planInto('t_player', body.look));
      expect([checked.added, checked.bad]).toEqual([1, 4]);
      expect(
        checked.problems.map(({ line, column, value }: { line: number; column: number; value: string }) => [
          line,
          column,
          value,
        ]),
      ).toEqual([
        [3, 2, 'Harow Lane Primary'],
        [4, 3, '31/02/2012'],
        [5, 0, ''],
        [6, 2, 'Nowhere at all'],
        [6, 3, 'x'],
      ]);
      const schools = checked.unread.find(({ column }: { column: number }) => column === 2);
      expect(schools.values[0].slice(0, 2)).toEqual(['Harow Lane Primary', 1]);
      expect(schools.values[0][3]).toBe('Harrow Lane Primary');
      const bad = await office.call('GET', `sheets/${body.sheet.id}/not-taken.csv`);
      expect(bad.headers['content-type']).toContain('text/csv');
      // Mended, it comes in as the first did: the reasons go nowhere, and what was made harmless is as it was.
      const mended = String(bad.raw)
        .replaceAll('Harow', 'Harrow')
        .replaceAll('31/02', '28/02')
        .replaceAll('Nowhere at all', '')
        .replaceAll(',x', ',2 Feb 2010');
      const again = await send(mended);
      const second = await check(again.body.sheet.id, planInto('t_player', again.body.look));
      expect([second.body.added, second.body.bad])
        .withContext(JSON.stringify([again.body.look.style, second.body.problems]))
        .toEqual([3, 1]);
      await bring(again.body.sheet.id);
      const found = await office.call('POST', 'tables/t_player/window', {
        start: 0,
        limit: 9,
        search: 'Evil',
      });
      expect(found.body.rows.map((row: unknown[]) => row[2])).toEqual(['=Evil']);
    });

    it('adds the rows that lookups name, each once, or leaves those lookups empty', async () => {
      const sheet =
        'Surname,First name,School\nOduya,Temi,Wold Hill\nVarga,Ilse,wold  hill\nOkell,Bram,Wold End\n';
      const missing = (what: 'add' | 'empty') => (plan: BringPlan) => readColumn(plan, 2, { missing: what });
      const before = await count('t_school');
      const empty = await whole(sheet, 't_player', missing('empty'));
      expect([empty.checked.added, await count('t_school')]).toEqual([3, before]);
      const added = await whole(sheet, 't_player', missing('add'));
      expect(added.checked.parents).toEqual([{ field: 'f_playerSchool', table: 't_school', rows: 2 }]);
      expect(await count('t_school')).toBe(before + 2);
      const conditions = [`"#f_playerSchool"."#f_schoolName" = 'Wold Hill'`];
      const { body: found } = await office.call('POST', 'tables/t_player/window', {
        start: 0,
        limit: 10,
        conditions,
      });
      expect(found.total).toBe(2);
      await office.call('POST', `log/${added.brought.body.entry}/undo`, {});
      expect(await count('t_school')).toBe(before);
    });

    it('finds doubles within the sheet and in the file', async () => {
      const sheet = 'Surname,First name,Card\nA,B,K-9998\nC,D,K-9998\nE,F,K-9997\n';
      const first = await whole(sheet, 't_player');
      expect(first.checked.problems[0].reason).toContain('Line 2 of this sheet');
      const second = await whole('Surname,First name,Card\nG,H,K-9997\n', 't_player', (plan) => ({
        ...plan,
        mode: 'add',
        match: [],
      }));
      expect(second.checked.problems[0].reason).toContain('already');
    });

    it('remembers how it was done for the next sheet with the same headings', async () => {
      const sheet = 'Who,From,Called\nWolding,Causey,01632 9\n';
      const settle = (plan: BringPlan): BringPlan => {
        const { body } = sentLast!;
        const told = toldStyles(body.look.columns, localeOf(office.design.settings));
        return sendInto(sendInto(plan, 0, 'f_schoolName', told[0]!), 1, 'f_schoolDistrict', told[1]!);
      };
      const sentLast = await send(sheet);
      expect(planInto('t_school', sentLast.body.look).columns).toEqual([]);
      expect(sentLast.body.remembered).toEqual([]);
      await whole(sheet, 't_school', settle);
      const again = await send(sheet.replace('Wolding', 'Woldung'));
      expect(again.body.remembered.map(({ table }: { table: string }) => table)).toEqual(['t_school']);
      const plan = planInto('t_school', again.body.look, again.body.remembered[0].plan);
      expect(plan.columns.map(({ field }) => field)).toEqual(['f_schoolName', 'f_schoolDistrict']);
      // Other headings, or the same in another order, are another sheet.
      expect((await send('From,Who,Called\nx,y,z\n')).body.remembered).toEqual([]);
    });

    it('asks the file itself where a rule looks at other rows, in a copy that goes again', async () => {
      const rule = { id: 'r_few', expression: 'COUNT(players) <= 2', message: 'At most two players.' };
      const school = office.design.tables.find(({ id }) => id === 't_school')!;
      const [key] = (
        await office.save({ op: 'insert', table: 't_school', values: { f_schoolName: 'Small School' } })
      ).body.saved[0].key;
      const { status, body } = await office.apply({
        change: 'changeTable',
        table: 't_school',
        set: { rules: [...school.rules, { ...rule, expression: `number <> ${key} OR COUNT(players) <= 2` }] },
      } as never);
      if (status !== 200) pending(`This rule cannot be had: ${body.detail}`);
      const line = (name: string): string => `${name},X,Small School\n`;
      const sheet = `Surname,First name,School\n${['Aa', 'Bb', 'Cc', 'Dd'].map(line).join('')}`;
      const sent = await send(sheet);
      const { body: checked } = await check(sent.body.sheet.id, planInto('t_player', sent.body.look));
      expect([checked.added, checked.bad]).toEqual([2, 2]);
      expect(checked.problems[0].reason).toContain('At most two players');
      expect((await bring(sent.body.sheet.id)).body.added).toBe(2);
    });

    it('writes nothing where a row has become wrong since the check', async () => {
      const sent = await send('Surname,First name,Card\nA,B,K-8101\nC,D,K-8102\n');
      await check(sent.body.sheet.id, { ...planInto('t_player', sent.body.look), mode: 'add', match: [] });
      await office.save({
        op: 'insert',
        table: 't_player',
        values: { f_playerSurname: 'X', f_playerFirstName: 'Y', f_playerCard: 'K-8102' },
      });
      const before = await count('t_player');
      const { body } = await bring(sent.body.sheet.id);
      expect(body.done).toBeFalse();
      expect(body.problems[0]).toEqual(
        jasmine.objectContaining({ line: 3, reason: jasmine.stringContaining('already') }),
      );
      expect(await count('t_player')).toBe(before);
    });
  });

  it('takes the demo’s spreadsheet of players with nothing silently changed, alike as CSV and as a workbook', async () => {
    const asked = async (name: string) => {
      const { body } = await send(
        readFileSync(new URL(`../../../demo/sheets/${name}`, import.meta.url)),
        name,
      );
      const plan = planInto('t_player', body.look);
      return { body, plan, checked: (await check(body.sheet.id, plan)).body };
    };
    const [csv, book] = [await asked('players.csv'), await asked('players.xlsx')];
    const reasons = ({ checked }: typeof csv) =>
      checked.problems.map(({ value, reason }: { value: string; reason: string }) => [
        value,
        reason.replace(/Line \d+/, 'Line'),
      ]);
    expect(reasons(csv)).toEqual(reasons(book));
    expect(csv.checked.added + csv.checked.bad).toBe(playersSheet().length - 3);
    const before = await count('t_player');
    const brought = await bring(csv.body.sheet.id);
    expect(await count('t_player')).toBe(before + brought.body.added);
    // Every row that came in stands in the file as it stood in the sheet, but for blanks at the ends.
    const taken = (await office.call('POST', 'tables/t_player/window', { start: before, limit: 1000 })).body
      .rows as unknown[][];
    const table = office.design.tables.find(({ id }) => id === 't_player')!;
    const place = (id: string): number => table.fields.findIndex((field) => field.id === id);
    const bad = new Set(csv.checked.problems.map(({ line }: { line: number }) => line));
    const good = playersSheet().flatMap((row, i) => (i >= 3 && !bad.has(i + 1) ? [row] : []));
    expect(taken.length).toBe(good.length);
    const text = (cell: unknown): string => String(cell ?? '').trim();
    expect(
      taken.map((row) => [text(row[place('f_playerSurname')]), text(row[place('f_playerPhone')])]),
    ).toEqual(good.map((row) => [text(row[0]), text(row[4])]));
    expect(fieldOf(table, 'f_playerSurname')).toBeDefined();
  });

  // The CSV files of the package vega-datasets, read by DuckDB's own reader (sniffing, all values as texts) and here.
  describe('open datasets, compared with another reader', () => {
    const folder = new URL('../../../node_modules/vega-datasets/data/', import.meta.url);
    const names = [
      'seattle-weather.csv',
      'stocks.csv',
      'sp500.csv',
      'iowa-electricity.csv',
      'us-employment.csv',
      'lookup_people.csv',
      'weather.csv',
      'airports.csv',
      'gapminder-health-income.csv',
      'github.csv',
      'la-riots.csv',
      'species.csv',
      'co2-concentration.csv',
    ];
    for (const name of names)
      it(name, async () => {
        const bytes = readFileSync(new URL(name, folder));
        const { brought, checked, sent } = await whole(bytes, null, undefined, name);
        expect([checked.bad, brought.body.done])
          .withContext(JSON.stringify(checked.problems.slice(0, 3)))
          .toEqual([0, true]);
        const table = office.design.tables.find(({ id }) => id === brought.body.table)!;
        const database = await DuckDBInstance.create(':memory:');
        const duck = await database.connect();
        const path = join(mkdtempSync(join(tmpdir(), 'heathridge-csv-')), name);
        writeFileSync(path, bytes);
        const { writer } = office.app.context.files.get(office.file);
        for (const { heading } of sent.look.columns as SheetColumn[]) {
          const field = table.fields.find(({ label }) => label === heading)!;
          const column = `"${heading.replaceAll('"', '""')}"`;
          const number = field.type.kind === 'wholeNumber' || field.type.kind === 'decimal';
          const scale = field.type.kind === 'decimal' ? 10 ** field.type.places : 1;
          const theirs = (
            await duck.runAndReadAll(
              `SELECT count(trim(${column})), count(DISTINCT trim(${column})), ${number ? `sum(CAST(${column} AS DECIMAL(38, 8)))` : '0'} FROM read_csv('${path}', all_varchar = true, header = true) WHERE trim(${column}) <> ''`,
            )
          ).getRows()[0]!;
          const ours = writer
            .prepare(
              `SELECT count("${field.name}"), count(DISTINCT "${field.name}"), ${number ? `sum("${field.name}")` : '0'} FROM "${table.name}"`,
            )
            .raw()
            .get() as number[];
          expect(ours[0]).withContext(`${heading}: values`).toBe(Number(theirs[0]));
          if (!number) expect(ours[1]).withContext(`${heading}: different ones`).toBe(Number(theirs[1]));
          else
            expect(ours[2]! / scale)
              .withContext(`${heading}: sum`)
              .toBeCloseTo(Number(String(theirs[2] ?? 0)), 4);
        }
        duck.closeSync();
        database.closeSync();
        rmSync(join(path, '..'), { recursive: true });
      });
  });
});
