import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import Papa from 'papaparse';
import { validate } from 'tableschema';
import { unpacked } from '@heathridge/core/exchange';
import type { PackageDescriptor } from '@heathridge/core/exchange';
import { storedFields } from '@heathridge/core/design';
import { Office } from '../testing/office';

type Files = Record<string, Uint8Array>;

describe('a file as a data package', () => {
  let office: Office;
  let files: Files;
  let descriptor: PackageDescriptor;
  beforeAll(async () => {
    office = await Office.open();
    // What a spreadsheet would run, a text of two lines, and a number that is gone again.
    await office.save(
      { op: 'insert', table: 't_school', values: { f_schoolName: '=Evil', f_schoolPhone: "'+1" } },
      {
        op: 'update',
        table: 't_hire',
        key: [1417],
        values: { f_hireNote: 'two\r\nlines, "quoted"' },
        was: {},
      },
    );
    const gone = await office.save({ op: 'insert', table: 't_school', values: { f_schoolName: 'Brief' } });
    await office.save({ op: 'delete', table: 't_school', key: gone.body.saved[0].key });
    files = unzipSync(new Uint8Array((await office.call('GET', 'package.zip')).raw));
    descriptor = JSON.parse(strFromU8(files['datapackage.json']!)) as PackageDescriptor;
  });
  afterAll(() => office.close());

  const take = (content: Files | Buffer, name: string) =>
    office.call(
      'POST',
      `/api/files/package?name=${encodeURIComponent(name)}`,
      Buffer.isBuffer(content) ? content : Buffer.from(zipSync(content)),
      'builder',
      { 'content-type': 'application/x-sheet' },
    );
  const table = (path: string): string[][] =>
    Papa.parse<string[]>(strFromU8(files[path]!).trimEnd(), { newline: '\r\n' }).data;

  // The package `tableschema` of Frictionless Data carries the JSON schema of Table Schema and checks by it.
  it('describes every table by the Table Schema standard, with keys and links', async () => {
    expect(descriptor.resources.length).toBe(office.design.tables.length + 1);
    for (const { name, schema } of descriptor.resources) {
      const { valid, errors } = await validate(schema as never);
      expect(valid)
        .withContext(`${name}: ${JSON.stringify(errors)}`)
        .toBeTrue();
      expect(name).toMatch(/^[a-z0-9._-]+$/);
    }
    const player = descriptor.resources.find(({ title }) => title === 'Players')!;
    expect(player.schema.primaryKey).toEqual(['number']);
    expect(player.schema.foreignKeys).toEqual([
      {
        fields: 'school',
        reference: {
          resource: descriptor.resources.find(({ title }) => title === 'Schools')!.name,
          fields: 'number',
        },
      },
    ]);
  });

  it('holds what the standard says: each row once, every key of a link in its table', () => {
    for (const { name, path, schema } of descriptor.resources) {
      const [head, ...rows] = table(path);
      expect(head)
        .withContext(name)
        .toEqual(schema.fields.map((field) => field.name));
      const place = (field: string): number => head!.indexOf(field);
      const keys = rows.map((row) => JSON.stringify(schema.primaryKey.map((field) => row[place(field)])));
      expect(new Set(keys).size).withContext(name).toBe(rows.length);
      for (const { fields, reference } of schema.foreignKeys ?? []) {
        const other = descriptor.resources.find((one) => one.name === (reference.resource || name))!;
        const [otherHead, ...others] = table(other.path);
        const known = new Set(others.map((row) => row[otherHead!.indexOf(String(reference.fields))]));
        const lost = rows.filter(
          (row) => row[place(String(fields))] !== '' && !known.has(row[place(String(fields))]),
        );
        expect(lost.length)
          .withContext(`${name} ${String(fields)}`)
          .toBe(0);
      }
    }
  });

  it('is read back to an equal file: definitions, every value, pictures, and the numbers to come', async () => {
    const { status, body } = await take(files, 'Again');
    expect(status).withContext(body.detail).toBe(200);
    const [old, made] = [office.app.context.files.get(office.file), office.app.context.files.get(body.id)];
    const plain = (design: object): object => ({ ...design, version: 0 });
    expect(plain(made.design)).toEqual(plain(old.design));
    let rows = 0;
    for (const { name, fields } of [
      ...old.design.tables.map((one) => ({
        name: one.name,
        fields: storedFields(one).map((field) => field.name),
      })),
      {
        name: 'hr_attachment',
        fields: ['id', 'name', 'type', 'size', 'sha256', 'at', 'by', 'preview', 'bytes'],
      },
    ]) {
      const sql = `SELECT json_array(${fields.map((field) => (['preview', 'bytes'].includes(field) ? `hex("${field}")` : `"${field}"`)).join(', ')}) FROM "${name}" ORDER BY 1`;
      const [before, after] = [old, made].map(({ writer }) => writer.prepare(sql).raw().all([]));
      expect(JSON.stringify(after) === JSON.stringify(before))
        .withContext(name)
        .toBeTrue();
      rows += name === 'hr_attachment' ? 0 : before!.length;
    }
    expect(body.rows).toBe(rows);
    expect((await office.call('POST', `/api/files/${body.id}/sound`, {})).body.findings).toEqual([]);
    const again = unzipSync(
      new Uint8Array((await office.call('GET', `/api/files/${body.id}/package.zip`)).raw),
    );
    expect(Object.keys(again).sort()).toEqual(Object.keys(files).sort());
    for (const [path, bytes] of Object.entries(again))
      if (path !== 'datapackage.json')
        expect(strFromU8(bytes) === strFromU8(files[path]!))
          .withContext(path)
          .toBeTrue();
    const [one, other] = await Promise.all(
      [office.file, body.id].map((file) =>
        office.call('POST', `/api/files/${file}/rows`, {
          changes: [{ op: 'insert', table: 't_school', values: { f_schoolName: 'Next' } }],
        }),
      ),
    );
    expect(other!.body.saved[0].key).toEqual(one!.body.saved[0].key);
  });

  it('reads every value of the demo from its text', () => {
    const { design } = office;
    for (const [i, { path }] of descriptor.resources.slice(0, -1).entries()) {
      const [head, ...rows] = table(path);
      for (const field of storedFields(design.tables[i]!)) {
        const place = head!.indexOf(field.name);
        const bad = rows.filter((row) => !unpacked(design, field, row[place]!).ok);
        expect(bad.length).withContext(`${path} ${field.name}`).toBe(0);
      }
    }
    const born = design.tables
      .find(({ id }) => id === 't_player')!
      .fields.find(({ id }) => id === 'f_playerBorn')!;
    expect(unpacked(design, born, '31/12/2010').ok).toBeFalse();
  });

  it('is refused in words where it is none, or not whole, and leaves no file behind', async () => {
    const change = (path: string, text: (before: string) => string): Files => ({
      ...files,
      [path]: strToU8(text(strFromU8(files[path]!))),
    });
    const without = (path: string): Files =>
      Object.fromEntries(Object.entries(files).filter(([name]) => name !== path));
    const path = (title: string): string => descriptor.resources.find((one) => one.title === title)!.path;
    const before = (await office.call('GET', '/api/files')).body.files.length;
    const bad: readonly (readonly [what: string, content: Files | Buffer, words: string])[] = [
      ['no archive', Buffer.from('nonsense'), 'no archive'],
      ['no definitions', { 'datapackage.json': files['datapackage.json']! }, 'no definitions'],
      ['a table without its rows', without(path('Schools')), 'rows of Schools are missing'],
      [
        'a column that is gone',
        change(path('Schools'), (text) => text.replace('name', 'nome')),
        'no column name',
      ],
      [
        'a value that is none',
        change(path('Players'), (text) => text.replace(/\d{4}-\d\d-\d\d/, '2010-02-30')),
        '2010-02-30',
      ],
      ['a row twice', change(path('Schools'), (text) => `${text}${text.split('\r\n')[1]}\r\n`), 'already'],
      [
        'a link to nothing',
        change(path('Players'), (text) => text.replace(/(\r\n1,[^,]*,[^,]*,)\d+/, '$1999')),
        'leads to a row that is not in it',
      ],
      ['another picture', { ...files, 'attachments/1': strToU8('other') }, 'not the one that was packed'],
    ];
    for (const [what, content, words] of bad) {
      const { status, body } = await take(content, `Bad ${what}`);
      expect(status).withContext(what).toBe(422);
      expect(body.detail).withContext(what).toContain(words);
    }
    expect((await office.call('GET', '/api/files')).body.files.length).toBe(before);
    expect((await take(files, 'Quillbrook hire')).status).toBe(409);
  }, 120_000);
});
