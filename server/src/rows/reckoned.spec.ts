import { DuckDBInstance } from '@duckdb/node-api';
import type { RecordRow, RecordRows } from '@heathridge/core/api';
import { catalogOf, type Form, type FormPart, type FormWorked, type Subform } from '@heathridge/core/design';
import { toStored } from '@heathridge/core/expression';
import {
  formFromTable,
  formProblems,
  levelOf,
  levelTo,
  mapParts,
  reckon,
  reckoningOf,
  withPartAdded,
  type Level,
  type Standing,
} from '@heathridge/core/form';
import type { Value } from '@heathridge/core/values';
import { BUILDER, Office } from '../testing/office';
import { readBeyond, readMore, readRecord } from './read';

/** A row as it came from the server, as what is worked out on the page sees it. */
function standing(level: Level, row: RecordRow, around: Standing | null = null): Standing {
  const self: Standing = {
    level,
    around,
    value: (id) => {
      const cell = row.cells[id];
      if (cell === undefined || (cell !== null && typeof cell === 'object' && 'fault' in cell))
        return row.beyond?.cells[id];
      return (Array.isArray(cell) ? cell[0] : cell) as Value;
    },
    beyond: ({ field }) => row.beyond?.links[field.id],
    rows: (inner) => {
      const list = row.subforms.find(({ link }) => link === inner.link!.id)!;
      return list.total > list.rows.length
        ? undefined
        : list.rows.map((other) => standing(inner, other, self));
    },
  };
  return self;
}

describe('what is worked out on a form, by the file and on the page', () => {
  let office: Office;
  let form: Form;
  const worked = (id: string, table: string, expression: string): FormWorked => ({
    part: 'worked',
    id,
    label: id,
    width: 6,
    expression: toStored(expression, catalogOf(office.design), table),
    result: { kind: 'text', most: null },
  });
  const MONEY = { kind: 'money', places: 2 } as const;
  /** A form with another part at the level of a subform. */
  const within = (of: Form, link: string, make: (part: Subform) => Subform): Form => ({
    ...of,
    parts: mapParts(of.parts, (part) => (part.part === 'subform' && part.link === link ? make(part) : part)),
  });

  beforeAll(async () => {
    office = await Office.open();
    const player = office.design.tables.find(({ id }) => id === 't_player')!;
    const plain = formFromTable(office.design, player, 'o_reckoned', 'Reckoned', 3);
    const own: FormPart[] = [
      worked('w_who', 't_player', "surname || ', ' || COALESCE(school.name, 'no school')"),
      { ...worked('w_paid', 't_player', 'SUM(hires.payments.amount)'), result: MONEY },
      { ...worked('w_hires', 't_player', 'COUNT(hires)'), result: { kind: 'wholeNumber' } },
      {
        ...worked('w_open', 't_player', 'COUNT(hires) FILTER (WHERE hires.returned_on IS NULL)'),
        result: { kind: 'wholeNumber' },
      },
    ];
    const hire = [
      {
        ...worked('w_rest', 't_hire', 'monthly_fee - COALESCE(SUM(payments.amount), 0)'),
        result: MONEY,
      },
      worked('w_what', 't_hire', "instrument.kind.name || ' for ' || player.surname"),
    ];
    const payment = [worked('w_for', 't_payment', "hire.player.surname || ' ' || hire.instrument.kind.name")];
    const add = (part: Subform, more: readonly FormPart[]): Subform => ({
      ...part,
      parts: more.reduce(withPartAdded, part.parts),
    });
    form = within({ ...plain, parts: own.reduce(withPartAdded, plain.parts) }, 'f_hirePlayer', (part) =>
      add(part, hire),
    );
    form = within(form, 'f_paymentHire', (part) => add(part, payment));
  });
  afterAll(() => office.close());

  const file = () => office.app.context.files.get(office.file);
  const read = (of: Form, key: number): RecordRow | null => {
    const json = readRecord(file().reader, office.design, BUILDER, of, [key]);
    return json === null ? null : (JSON.parse(json) as { record: RecordRow }).record;
  };
  const ask = (sql: string): (string | number | null)[][] =>
    file().reader.prepare(sql).raw().all() as (string | number | null)[][];
  const NOW = { today: '2026-11-27', now: '2026-11-27T09:00:00Z' };

  it('is the same for every player, at every level', () => {
    expect(formProblems(office.design, form)).toEqual([]);
    const root = levelOf(office.design, form)!;
    const reckoning = reckoningOf(office.design, root);
    const judge = (level: Level, row: RecordRow, around: Standing | null): number => {
      const at = standing(level, row, around);
      let compared = 0;
      for (const { id, bound } of reckoning.of(level)) {
        const ours = reckon(bound, at, NOW);
        expect(ours?.value)
          .withContext(`${id} of ${row.key.join()}`)
          .toEqual(row.cells[id] as Value);
        compared++;
      }
      for (const inner of level.levels)
        for (const other of row.subforms.find(({ link }) => link === inner.link!.id)!.rows)
          compared += judge(inner, other, at);
      return compared;
    };
    let compared = 0;
    for (const [key] of ask('SELECT number FROM player ORDER BY number LIMIT 300'))
      compared += judge(root, read(form, key as number)!, null);
    expect(compared).toBeGreaterThan(2000);
  });

  it('comes to what DuckDB’s DECIMAL makes of the same payments', async () => {
    const rows = ask(
      'SELECT h.player, p.amount FROM payment AS p JOIN hire AS h ON h.hire_number = p.hire WHERE h.player <= 200',
    );
    const connection = await (await DuckDBInstance.create(':memory:')).connect();
    const values = rows.map(
      ([player, amount]) => `(${player}, CAST(${amount} AS DECIMAL(18,2)) / CAST(100 AS DECIMAL(3,0)))`,
    );
    const theirs = (
      await connection.runAndReadAll(
        `SELECT player, CAST(CAST(sum(CAST(amount AS DECIMAL(18,2))) AS DECIMAL(18,2)) AS VARCHAR) FROM (VALUES ${values.join(', ')}) AS v(player, amount) GROUP BY player`,
      )
    ).getRows() as [number, string][];
    connection.closeSync();
    expect(theirs.length).toBeGreaterThan(50);
    for (const [player, sum] of theirs)
      expect(read(form, Number(player))!.cells['w_paid'])
        .withContext(`player ${player}`)
        .toBe(sum);
  });

  it('reads what a lookup has come to lead to as if it were saved', () => {
    const root = levelOf(office.design, form)!;
    const levels = { root, level: levelTo(root, ['f_hirePlayer'])! };
    const [[player, instrument]] = ask('SELECT player, instrument FROM hire LIMIT 1') as [[number, number]];
    const row = read(form, player)!;
    const hires = row.subforms.find(({ link }) => link === 'f_hirePlayer')!;
    const hire = hires.rows.find(
      ({ cells }) => (cells['f_hireInstrument'] as readonly unknown[])[0] === instrument,
    )!;
    const beyond = readBeyond(file().reader, office.design, BUILDER, levels, 'f_hireInstrument', instrument)!;
    expect(JSON.parse(beyond)).toEqual(hire.beyond!.links['f_hireInstrument']);
    expect(readBeyond(file().reader, office.design, BUILDER, levels, 'f_hireInstrument', 999_999)).toBe(
      'null',
    );
    expect(readBeyond(file().reader, office.design, BUILDER, levels, 'f_hirePlayer', player)).toBeUndefined();
  });

  describe('of rows that are shown in part', () => {
    const some = (patch: Partial<Subform>): Form =>
      within(form, 'f_hirePlayer', (part) => ({ ...part, ...patch }));
    const list = (of: Form, key: number): RecordRows =>
      read(of, key)!.subforms.find(({ link }) => link === 'f_hirePlayer')!;

    it('shows those that meet its conditions, in its order', () => {
      const of = some({
        conditions: ['"#f_hireReturnedOn" IS NOT NULL', '"#f_hireMonthlyFee" > 10'],
        order: [
          { field: 'f_hireMonthlyFee', descending: true },
          { field: 'f_hireHireNumber', descending: false },
        ],
      });
      expect(formProblems(office.design, of)).toEqual([]);
      const busiest = ask('SELECT player FROM hire GROUP BY player ORDER BY count(*) DESC LIMIT 40');
      let shown = 0;
      for (const [player] of busiest) {
        const { rows, total } = list(of, player as number);
        const plain = ask(
          `SELECT hire_number FROM hire WHERE player = ${player} AND returned_on IS NOT NULL AND monthly_fee > 1000 ORDER BY monthly_fee DESC, hire_number`,
        );
        expect(rows.map(({ key }) => key[0])).toEqual(plain.map(([key]) => key!));
        expect(total).toBe(plain.length);
        shown += total;
      }
      expect(shown).toBeGreaterThan(20);
    });

    it('tells what the rows behind those that are sent come to', () => {
      const sums = (['sum', 'count', 'least', 'most'] as const).map((total) => ({
        field: 'f_hireMonthlyFee',
        total,
      }));
      const of = some({ most: 1, sums: [...sums, { field: 'f_hireHiredOn', total: 'least' }] });
      const [[player, count]] = ask(
        'SELECT player, count(*) FROM hire GROUP BY player ORDER BY count(*) DESC LIMIT 1',
      ) as [[number, number]];
      const { rows, total, rest } = list(of, player);
      expect([rows.length, total]).toEqual([1, count]);
      const [plain] = ask(
        `SELECT count(monthly_fee), printf('%.2f', sum(monthly_fee) / 100.0), printf('%.2f', min(monthly_fee) / 100.0), printf('%.2f', max(monthly_fee) / 100.0), min(hired_on) FROM hire WHERE player = ${player} AND hire_number <> ${rows[0]!.key[0]}`,
      );
      const [fee, , , , since] = rest!;
      expect([fee!.count, fee!.sum, fee!.least, fee!.most, since!.least]).toEqual(plain!);
      const at = { path: ['f_hirePlayer'], parent: player, start: 1 };
      const more = JSON.parse(readMore(file().reader, office.design, BUILDER, of, at)) as RecordRows;
      expect(more.rows.length).toBe(count - 1);
      expect(more.rest).toBeUndefined();
    });
  });

  it('finds what is searched for in the fields that the builder has ticked, and in no others', async () => {
    const [[job, fault]] = ask(
      "SELECT job, fault FROM repair WHERE fault LIKE '% %' ORDER BY job DESC LIMIT 1",
    ) as [[number, string]];
    const word = fault
      .split(' ')
      .sort((a, b) => b.length - a.length)[0]!
      .replace(/\W/g, '');
    const plain = ask(`SELECT count(*) FROM repair WHERE fault LIKE '%${word}%'`)[0]![0] as number;
    expect(plain).toBeGreaterThan(0);
    const repairs = office.design.forms.find(({ id }) => id === 'o_repairs')!;
    const find = (search: string) =>
      office.call('GET', `desk/screens/o_repairs/list?search=${search}`, undefined, 'colleague');
    const before = (await find(word)).body.total as number;
    expect((await office.put({ ...repairs, finds: ['f_repairFault'] } as Form)).status).toBe(200);
    const { body } = await find(word);
    expect(body.total).toBe(plain + before);
    const keys = (body.entries as { key: [number] }[]).map(({ key }) => key[0]);
    expect(keys.length).toBe(Math.min(body.total, 60));
    expect((await find(`${word}%20${job}`)).body.total).toBeGreaterThan(0);
    await office.put(repairs);
  });

  it('lists and opens the records that a form shows, in its order, and no others', async () => {
    const shown: Form = {
      ...formFromTable(
        office.design,
        office.design.tables.find(({ id }) => id === 't_repair')!,
        'o_waiting',
        'Waiting',
      ),
      conditions: [`"#f_repairState" <> 'Done'`],
      order: [{ field: 'f_repairBroughtIn', descending: true }],
    };
    const saved = await office.call('PUT', `/api/files/${office.file}/definitions/o_waiting`, {
      document: shown,
      base: 0,
    });
    expect(saved.status).toBe(200);
    const at = `/api/files/${office.file}/desk/screens/o_waiting`;
    const { body } = await office.call('GET', `${at}/list`, undefined, 'colleague');
    const plain = ask("SELECT job, brought_in FROM repair WHERE state <> 'Done' ORDER BY brought_in DESC");
    expect([body.total, body.all]).toEqual([plain.length, plain.length]);
    const keys = (body.entries as { key: [number] }[]).map(({ key }) => key[0]);
    const days = new Map(plain.map(([job, day]) => [job, day]));
    expect(keys.map((key) => days.get(key))).toEqual(plain.slice(0, keys.length).map(([, day]) => day!));
    const record = (key: number) =>
      office.call('GET', `${at}/record?key=[${key}]`, undefined, 'colleague').then(({ status }) => status);
    expect(await record(keys[0]!)).toBe(200);
    const [[done]] = ask("SELECT job FROM repair WHERE state = 'Done' LIMIT 1") as [[number]];
    expect(await record(done)).toBe(404);
  });
});
