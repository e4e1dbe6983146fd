import ExcelJS from 'exceljs';
import readXlsxFile from 'read-excel-file/node';
import { giveType, proposeNew, type BringPlan } from '@heathridge/core/sheet';
import { Office } from '../testing/office';
import { OUT_FORMS } from './take-out';

describe('taking rows out', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open();
  });
  afterAll(() => office.close());

  const out = (table: string, form: string, fields: readonly string[], more: object = {}) =>
    office.call('POST', `tables/${table}/out`, { form, fields, ...more });
  const FIELDS = ['f_hireHireNumber', 'f_hirePlayer', 'f_hireDueBack', 'f_hireMonthlyFee'];
  const window = async (more: object = {}) =>
    (await office.call('POST', 'tables/t_hire/window', { start: 0, limit: 1000, ...more })).body
      .rows as unknown[][];
  const places = FIELDS.map(
    (id) => () =>
      office.design.tables
        .find((table) => table.id === 't_hire')!
        .fields.findIndex((field) => field.id === id),
  );

  it('writes what is shown: the rows that are asked for, in their order, with those columns', async () => {
    const asked = {
      conditions: ['"#f_hireMonthlyFee" > 30'],
      sort: [{ field: 'f_hireDueBack', descending: true }],
    };
    const { status, raw, headers } = await out('t_hire', 'csv', FIELDS, asked);
    expect(status).toBe(200);
    expect(headers['content-disposition']).toContain('Hires.csv');
    const [head, ...lines] = raw.toString('utf8').trimEnd().split('\r\n');
    expect(head).toBe('\ufeffHire number,Player,Due back,Monthly fee');
    const shown = await window(asked);
    expect(lines.length).toBe(
      (await office.call('POST', 'tables/t_hire/window', { start: 0, limit: 1, ...asked })).body.total,
    );
    const row = shown[0]!;
    const player = (row[places[1]!()] as [number, string])[1];
    expect(lines[0]).toBe(`${row[places[0]!()]},"${player}",${row[places[2]!()] ?? ''},${row[places[3]!()]}`);
  });

  it('writes JSON with names, exact numbers and dates as ISO 8601', async () => {
    const { raw } = await out('t_hire', 'json', FIELDS);
    const read = JSON.parse(raw.toString('utf8')) as Record<string, unknown>[];
    const [first] = await window();
    expect(read[0]).toEqual({
      hire_number: first![places[0]!()],
      player: (first![places[1]!()] as [number, string])[1],
      due_back: first![places[2]!()],
      monthly_fee: Number(first![places[3]!()]),
    });
    expect(
      JSON.parse((await out('t_hire', 'json', FIELDS, { conditions: ['FALSE'] })).raw.toString('utf8')),
    ).toEqual([]);
  });

  it('writes a workbook with numbers and dates as such, which another library reads', async () => {
    const { raw } = await out('t_hire', 'xlsx', FIELDS, { conditions: ['"#f_hireMonthlyFee" > 30'] });
    const book = new ExcelJS.Workbook();
    await book.xlsx.load(raw as never);
    const sheet = book.worksheets[0]!;
    expect([sheet.name, sheet.getRow(1).getCell(2).value, typeof sheet.getRow(2).getCell(4).value]).toEqual([
      'Hires',
      'Player',
      'number',
    ]);
    const read = (await readXlsxFile(raw as never)) as unknown as unknown[][] | { data: unknown[][] }[];
    const data = Array.isArray(read[0]) ? (read as unknown[][]) : (read as { data: unknown[][] }[])[0]!.data;
    const shown = await window({ conditions: ['"#f_hireMonthlyFee" > 30'] });
    expect(data.length).toBe(shown.length + 1);
    expect((data[1]![2] as Date).toISOString().slice(0, 10)).toBe(shown[0]![places[2]!()] as string);
    expect(data[1]![3]).toBe(Number(shown[0]![places[3]!()]));
  });

  it('makes harmless what a spreadsheet would run, and can be read again', async () => {
    const names = ['=1+1', '@cmd', '-2+3', "'quoted", 'two\r\nlines', 'a "b", c'];
    const saved = await office.save(
      ...names.map((name) => ({
        op: 'insert',
        table: 't_part',
        values: { f_partName: name.replace(/\r\n/, ' '), f_partPrice: '1.50' },
      })),
    );
    expect(saved.status).withContext(saved.body.detail).toBe(200);
    const { raw } = await out('t_part', 'csv', ['f_partName', 'f_partPrice']);
    const text = raw.toString('utf8');
    for (const name of ['=1+1', '@cmd', '-2+3']) expect(text).toContain(`'${name}`);
    const sent = await office.call('POST', 'sheets?name=parts.csv', raw, 'builder', {
      'content-type': 'application/x-sheet',
    });
    let made = 0;
    const proposed = proposeNew(
      office.design,
      'Copy',
      'Copies',
      sent.body.look.columns,
      sent.body.look.style,
      (letter) => `${letter}_out${made++}`,
    );
    // The names are those of a table that is there: here they are wanted as texts.
    expect(proposed.into.table === 'new' && proposed.into.made.fields[1]!.type.kind).toBe('lookup');
    const plan: BringPlan = giveType(proposed, proposed.columns[0]!.field, { kind: 'text', most: null });
    const checked = await office.call('POST', `sheets/${sent.body.sheet.id}/check`, { plan });
    expect(checked.body.problems).toEqual([]);
    expect(checked.body.added).toBe(text.trimEnd().split('\r\n').length - 1);
  });

  it('writes the whole file: a sheet for each table, or an object of them', async () => {
    const { raw, headers } = await office.call('GET', 'whole/json');
    expect(headers['content-disposition']).toContain('Quillbrook%20hire.json');
    const whole = JSON.parse(raw.toString('utf8')) as Record<string, Record<string, unknown>[]>;
    expect(Object.keys(whole)).toEqual(office.design.tables.map(({ name }) => name));
    for (const { id, name } of office.design.tables) {
      const { body } = await office.call('POST', `tables/${id}/window`, { start: 0, limit: 1 });
      expect(whole[name]!.length).withContext(name).toBe(body.total);
    }
    const book = new ExcelJS.Workbook();
    await book.xlsx.load((await office.call('GET', 'whole/xlsx')).raw as never);
    expect(book.worksheets.map(({ name }) => name)).toEqual(office.design.tables.map(({ plural }) => plural));
    expect(book.worksheets.map(({ rowCount }) => rowCount - 1)).toEqual(
      office.design.tables.map(({ name }) => whole[name]!.length),
    );
    expect((await office.call('GET', 'whole/pdf')).status).toBe(404);
  });

  it('ends in words when the disk is full, and the child lives on', async () => {
    const { jobs, files } = office.app.context;
    const { path, design } = files.get(office.file);
    const taken = { table: 't_hire', fields: FIELDS, asked: { search: '', conditions: [] }, sort: [] };
    // A device of Linux on which every write finds the disk full.
    const FULL = '/dev/full';
    for (const form of OUT_FORMS) {
      const order = { form, tables: [taken], whole: false, path: FULL };
      const failed = await jobs.run(path, { task: 'take out', design, order }).then(
        () => null,
        (error: unknown) => error as { code?: string },
      );
      expect(failed?.code).withContext(form).toBe('ENOSPC');
    }
    const packed = await jobs
      .run(path, { task: 'pack', design, order: { path: FULL, title: 'x', created: '' } })
      .then(
        () => null,
        (error: unknown) => error as { code?: string },
      );
    expect(packed?.code).toBe('ENOSPC');
    expect((await out('t_hire', 'csv', FIELDS)).status).toBe(200);
  });

  it('refuses fields and conditions that are none, and leaves nothing behind', async () => {
    expect((await out('t_hire', 'csv', ['f_none'])).status).toBe(400);
    expect((await out('t_hire', 'csv', FIELDS, { conditions: ['nonsense ('] })).status).toBe(400);
    expect((await out('t_hire', 'pdf', FIELDS)).status).toBe(400);
  });
});
