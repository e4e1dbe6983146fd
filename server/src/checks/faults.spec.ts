import { spawnSync } from 'node:child_process';
import type { Change } from '@heathridge/core/change';
import { newQuery, so } from '@heathridge/core/query';
import type { Field, FieldType, Query, Table } from '@heathridge/core/design';
import { FAULT_WORDS, FAULTS, type Fault } from '@heathridge/core/expression';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

const worked = (id: string, expression: string, result: FieldType): Field =>
  field(id, id, { kind: 'workedOut', expression, result } as FieldType);

const PHONE = '"#f_phone"';

/** For each fault, an expression that has it for the second row and none for the first. */
const FAULTY: Record<Fault, { expression: string; result: FieldType; fine: unknown }> = {
  large: {
    expression: '"#f_value" * "#f_value" * "#f_value"',
    result: { kind: 'decimal', places: 6 },
    fine: '8.000000',
  },
  cast: { expression: `CAST(${PHONE} AS DECIMAL(12,0))`, result: { kind: 'wholeNumber' }, fine: 12 },
  date: {
    expression: `"#f_day" + INTERVAL '5000' YEAR`,
    result: { kind: 'date' },
    fine: '7026-01-31',
  },
  long: { expression: 'CAST("#f_value" AS VARCHAR(4))', result: { kind: 'text' }, fine: '2.00' },
  pattern: {
    expression: `${PHONE} LIKE "#f_form" ESCAPE '!'`,
    result: { kind: 'tick' },
    fine: true,
  },
};

const SITE: Table = table(
  'site',
  [
    field('no', 'number', number),
    field('phone', 'phone', { kind: 'text' }),
    field('form', 'form', { kind: 'text' }),
    field('value', 'value', { kind: 'decimal', places: 2 }),
    field('day', 'day', { kind: 'date' }),
    ...FAULTS.map((fault) => worked(fault, FAULTY[fault].expression, FAULTY[fault].result)),
    worked('visits', 'SUM("#~f_vSite"."#f_vCost" * "#~f_vSite"."#f_vCost" * "#~f_vSite"."#f_vCost")', {
      kind: 'decimal',
      places: 6,
    }),
  ],
  { display: `CAST(${PHONE} AS INTEGER) || ''` },
);

/** What leads to a site: shown, narrowed, offered and put in order by what cannot be worked out. */
const VISIT: Table = table('visit', [
  field('vNo', 'number', number),
  field('vSite', 'site', {
    ...lookup('site'),
    columns: [`CAST(${PHONE} AS INTEGER) + 1`],
    order: { by: `CAST(${PHONE} AS INTEGER)`, descending: false },
  } as FieldType),
  field('vCost', 'cost', { kind: 'decimal', places: 2 }),
  worked('vFar', `CAST("#f_vSite".${PHONE} AS INTEGER)`, { kind: 'wholeNumber' }),
]);

const GOOD = { f_phone: '12', f_form: '1%', f_value: '2.00', f_day: '2026-01-31' };
const BAD = { f_phone: 'none at all', f_form: '!a', f_value: '9999999.00', f_day: '8000-01-01' };

describe('what cannot be worked out for a row', () => {
  let office: Office;

  const ok = (answer: Answer): Answer['body'] => {
    expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
    return answer.body;
  };

  beforeAll(async () => {
    office = await Office.open({ demo: false });
    // The total needs the table that leads back.
    const plain = { ...SITE, fields: SITE.fields.filter(({ id }) => id !== 'f_visits') };
    ok(
      await office.apply(
        { change: 'addTable', table: plain },
        { change: 'addTable', table: VISIT },
        { change: 'addField', table: 't_site', field: SITE.fields[SITE.fields.length - 1]! },
      ),
    );
    ok(
      await office.save(
        { op: 'insert', table: 't_site', values: GOOD },
        { op: 'insert', table: 't_site', values: BAD },
        { op: 'insert', table: 't_visit', values: { f_vSite: 1, f_vCost: '1.00' } },
        { op: 'insert', table: 't_visit', values: { f_vSite: 2, f_vCost: '9999999.00' } },
      ),
    );
  });
  afterAll(() => office.close());

  const marks = [...FAULTS.map((fault) => ({ fault })), { fault: 'large' }];
  const values = [...FAULTS.map((fault) => FAULTY[fault].fine), '1.000000'];

  it('is a marked cell in the grid, in every order', async () => {
    for (const sort of [null, ...SITE.fields.map(({ id }) => id)])
      for (const descending of [false, true]) {
        const request = { start: 0, limit: 10, sort: sort === null ? [] : [{ field: sort, descending }] };
        const { rows, total } = ok(await office.call('POST', 'tables/t_site/window', request));
        const cells = new Map((rows as unknown[][]).map((row) => [row[0], row.slice(5)]));
        expect(total).toBe(2);
        expect(cells.get(1)).withContext(String(sort)).toEqual(values);
        expect(cells.get(2)).withContext(String(sort)).toEqual(marks);
      }
  });

  it('is found by its key, and does not keep others from being found', async () => {
    const find = async (search: string): Promise<unknown[]> =>
      (
        ok(await office.call('POST', 'tables/t_site/window', { start: 0, limit: 10, search }))
          .rows as unknown[][]
      ).map(([key]) => key);
    expect(await find('12')).toEqual([1]);
    expect(await find('2')).toEqual([1, 2]);
    expect(await find('none')).toEqual([]);
  });

  it('leaves a lookup with the key and the reason, in its list and in its cell', async () => {
    const { choices } = ok(await office.call('POST', 'lookups/f_vSite', { search: '' }));
    expect(choices).toEqual([
      [2, '2 (cannot be worked out)', '(cannot be worked out)'],
      [1, '12', '13'],
    ]);
    const { rows } = ok(await office.call('POST', 'tables/t_visit/window', { start: 0, limit: 10 }));
    expect(rows).toEqual([
      [1, [1, '12'], '1.00', 12],
      [2, [2, '2 (cannot be worked out)'], '9999999.00', { fault: 'cast' }],
    ]);
  });

  it('is a marked cell on a screen, in its list and in its subform', async () => {
    const cell = (id: string) => ({ part: 'cell', field: id, people: 'read', width: 6 });
    const rights = { add: true, change: true, delete: true };
    const form = {
      type: 'form',
      id: 'o_site',
      label: 'Sites',
      table: 't_site',
      rights,
      parts: [
        ...SITE.fields.map(({ id }) => cell(id)),
        {
          part: 'subform',
          link: 'f_vSite',
          label: 'Visits',
          look: 'grid',
          parts: ['f_vCost', 'f_vFar'].map(cell),
          rights: { ...rights, relink: true },
        },
      ],
    };
    ok(await office.put(form));
    const { entries } = ok(await office.call('GET', 'desk/screens/o_site/list?search='));
    expect((entries as { title: string }[]).map(({ title }) => title)).toEqual([
      '2 (cannot be worked out)',
      '12',
    ]);
    const { record } = ok(await office.call('GET', 'desk/screens/o_site/record?key=[2]'));
    expect(FAULTS.map((fault) => record.cells[`f_${fault}`])).toEqual(marks.slice(0, -1));
    expect(record.subforms[0].rows[0].cells.f_vFar).toEqual({ fault: 'cast' });
  });

  it('is empty in the view for other tools', () => {
    const sql = 'SELECT "cast", large, visits FROM site_readable ORDER BY number';
    const { stdout, stderr } = spawnSync('sqlite3', [office.path, sql], { encoding: 'utf8' });
    expect(stderr).toBe('');
    expect(stdout).toBe('12|8.000000|1.000000\n||\n');
  });

  it('does not make a file unsound', async () => {
    expect(ok(await office.call('POST', 'sound', {}))).toEqual({ findings: [], missing: [], damage: [] });
  });

  for (const fault of FAULTS) {
    const { expression, result } = FAULTY[fault];

    it(`in a query is told with its row and its column: ${fault}`, async () => {
      const query: Query = {
        ...newQuery('q_try', 'Try', SITE),
        columns: [
          { id: 'c_no', label: 'Number', expression: '"#f_no"' },
          { id: 'c_it', label: 'What is asked', expression },
        ],
      };
      const run = (changed: Partial<Query>): Promise<Answer> =>
        office.call('POST', 'query/run', { query: { ...query, ...changed } });
      const column = await run({});
      expect(column.status).toBe(422);
      expect(column.body.detail).toBe(
        `The column What is asked cannot be worked out for the site “2 (cannot be worked out)”: ${FAULT_WORDS[fault]}`,
      );
      const condition = await run({ columns: [], where: [so(`(${expression}) IS NOT NULL`)] });
      expect(condition.body.detail).toMatch(/^The condition “.+” cannot be worked out for the site “2 /);
      const group = await run({
        columns: [],
        group: { by: [], measures: [{ id: 'm', label: 'Most', total: 'count', expression }] },
      });
      expect(group.body.detail).toMatch(/^The column Most cannot be worked out for the site “2 /);
      // Rows that are left out are not asked.
      const { rows } = ok(await run({ where: [so('"#f_no" = 1')] }));
      expect((rows as unknown[][]).length).toBe(1);
    });

    it(`in a rule is a refusal that names the field: ${fault}`, async () => {
      const rule = { id: 'r_new', expression: `(${expression}) IS NOT NULL`, message: 'It can be told.' };
      const change: Change = { change: 'changeTable', table: 't_site', set: { rules: [rule] } };
      const checked = ok(await office.check(change));
      expect(checked.clear).toBeFalse();
      const [found] = checked.findings as { count: number; sort: string; samples?: unknown }[];
      expect([found!.count, found!.sort]).toEqual([1, 'rule']);
      expect((await office.apply(change)).status).toBe(422);
      // Without that row it holds from then on, and another such row is refused.
      const other = await Office.open({ demo: false });
      const without = SITE.fields.filter(({ id }) => id !== 'f_visits');
      ok(await other.apply({ change: 'addTable', table: { ...SITE, fields: without, rules: [rule] } }));
      ok(await other.save({ op: 'insert', table: 't_site', values: GOOD }));
      const refused = await other.save({ op: 'insert', table: 't_site', values: BAD });
      expect(refused.status).toBe(422);
      const [error] = refused.body.errors as { field: string; rule: string; message: string }[];
      expect(error!.rule).toBe('r_new');
      expect(expression).toContain(`"#${error!.field}"`);
      expect(error!.message).toContain(FAULT_WORDS[fault]);
      await other.close();
    });

    it(`that becomes a kept field is told first: ${fault}`, async () => {
      const to = { ...field(fault, fault, result) };
      const checked = ok(
        await office.check({
          change: 'changeField',
          table: 't_site',
          field: to.id,
          set: { type: to.type },
        } as Change),
      );
      expect(JSON.stringify(checked.findings)).toContain('cannot be worked out for this row');
    });
  }

  it('in a rule that only the file can ask is a refusal as well', async () => {
    const rule = {
      id: 'r_far',
      expression: `CAST("#f_vSite".${PHONE} AS INTEGER) < 100`,
      message: 'It is near.',
    };
    const other = await Office.open({ demo: false });
    const plain = { ...SITE, fields: SITE.fields.filter(({ id }) => id !== 'f_visits') };
    ok(
      await other.apply(
        { change: 'addTable', table: plain },
        { change: 'addTable', table: { ...VISIT, rules: [rule] } },
      ),
    );
    ok(await other.save({ op: 'insert', table: 't_site', values: BAD }));
    const refused = await other.save({ op: 'insert', table: 't_visit', values: { f_vSite: 1 } });
    expect(refused.status).toBe(422);
    const [error] = refused.body.errors as { field: string; rule: string; message: string }[];
    expect([error!.field, error!.rule]).toEqual(['f_vSite', 'r_far']);
    expect(error!.message).toContain(FAULT_WORDS.cast);
    await other.close();
  });

  it('in a starting value is said by Check', async () => {
    const start = field('start', 'start', { kind: 'wholeNumber' }, { start: "CAST('x' AS INTEGER)" });
    const checked = ok(await office.check({ change: 'addField', table: 't_site', field: start }));
    expect(JSON.stringify(checked.notices)).toContain('The starting value cannot be worked out');
  });
});
