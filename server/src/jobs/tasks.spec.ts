import { joinsAlong, newQuery, so, type CountingPart } from '@heathridge/core/query';
import type { Query, Report } from '@heathridge/core/design';
import { Office, TODAY } from '../testing/office';
import { runTask } from './tasks';

describe('queries over the demo', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const BASE: Query = {
    type: 'query',
    id: 'q_t',
    label: 'T',
    from: 't_hire',
    questions: [],
    joins: [],
    where: [],
    columns: [],
    group: null,
    keep: [],
    unlike: false,
    sort: [],
    first: null,
  };
  const run = async (patch: Partial<Query>) =>
    (await office.call('POST', 'query/run', { query: { ...BASE, ...patch } })).body;
  const sql = (text: string): unknown[][] =>
    office.app.context.files.get(office.file).reader.prepare(text).raw().all() as unknown[][];

  it('show 1,000 rows at most and say that there are more', async () => {
    const body = await run({});
    expect(body.rows.length).toBe(1000);
    expect(body.more).toBeTrue();
    expect(body.funnel).toEqual([{ part: 'from', label: 'Hires', count: 3918 }]);
    expect((await run({ first: 10 })).rows.length).toBe(10);
  });

  it('come in windows, which follow one another to the last row', async () => {
    const query = { ...BASE, sort: [{ column: 'f_hireMonthlyFee', descending: true }] };
    const window = async (start: number): Promise<{ rows: unknown[][]; more: boolean; funnel: object[] }> =>
      (await office.call('POST', 'query/run', { query, start, counted: false })).body as never;
    const whole = (await office.call('POST', 'query/run', { query, rows: 20_000 })).body as {
      rows: unknown[][];
    };
    const all: unknown[][] = [];
    for (let start = 0, more = true; more; start += 1000) {
      const found = await window(start);
      expect(found.funnel).toEqual([]);
      all.push(...found.rows);
      more = found.more;
    }
    expect(all.length).toBe(3918);
    expect(all).toEqual(whole.rows);
    // Behind the last there is nothing, and that is no error.
    expect(await window(5000)).toEqual(jasmine.objectContaining({ rows: [], more: false }));
  });

  it('tell how many rows their parts leave as they come', async () => {
    const query: Query = {
      ...BASE,
      joins: [{ id: 'j_1', at: null, by: { by: 'children', link: 'f_paymentHire' }, keepWithout: false }],
      where: [so('"#f_hireReturnedOn" IS NULL')],
      first: 100,
    };
    const told: (readonly CountingPart[])[] = [];
    const { reader, design } = office.app.context.files.get(office.file);
    const task = { task: 'query counts', design, query, answers: {}, today: TODAY, last: 100 } as const;
    const funnel = (await runTask(reader, task, ({ parts }) => told.push(parts!))) as readonly CountingPart[];
    const known = told.map((parts) => parts.filter(({ count }) => count !== null).length);
    // Only the end is known before; then the table, and then more and more.
    expect(known.slice(0, 2)).toEqual([1, 2]);
    expect(known).toEqual([...known].sort((a, b) => a - b));
    expect(known.at(-1)).toBe(funnel.length);
    expect(told.at(-1)!.map(({ count }) => count)).toEqual(funnel.map(({ count }) => count));
    // What was told once stays so.
    for (const parts of told)
      parts.forEach(({ count, label }, i) => {
        expect(label).toBe(funnel[i]!.label);
        if (count !== null) expect(count).toBe(funnel[i]!.count!);
      });
    expect(funnel[0]!.count).toBe(3918);
    expect(funnel.some(({ none }) => none !== undefined)).toBeTrue();
  });

  it('are counted apart from what they give, with the same numbers', async () => {
    const query = { ...BASE, where: [so('"#f_hireReturnedOn" IS NULL'), so('"#f_hireMonthlyFee" > 20')] };
    const { funnel, rows } = await run(query);
    for (const last of [null, rows.length])
      expect((await office.call('POST', 'query/counts', { query, last })).body).toEqual({ funnel });
    expect(rows.length).toBeLessThan(1000);
  });

  it('keep or drop rows without a partner, as the sentence says', async () => {
    const [[without]] = sql(
      'SELECT count(*) FROM hire h JOIN player p ON p.number = h.player WHERE p.school IS NULL',
    ) as [[number]];
    const counts = async (keepWithout: boolean): Promise<number[]> =>
      (
        await run({ joins: joinsAlong([{ path: ['f_hirePlayer', 'f_playerSchool'], keepWithout }]) })
      ).funnel.map(({ count }: { count: number }) => count);
    expect(without).toBeGreaterThan(0);
    // The hires, those with a player, those whose player has a school.
    expect(await counts(true)).toEqual([3918, 3918, 3918]);
    expect(await counts(false)).toEqual([3918, 3918, 3918 - without]);
  });

  it('total over child rows, row by row', async () => {
    const { rows } = await run({
      columns: [
        { id: 'n', label: 'No', expression: '"#f_hireHireNumber"' },
        { id: 'p', label: 'Paid', expression: 'COALESCE(SUM("#f_paymentHire"."#f_paymentAmount"), 0)' },
        {
          id: 'c',
          label: 'Cash',
          expression: `COUNT("#f_paymentHire") FILTER (WHERE "#f_paymentHire"."#f_paymentMethod" = 'Cash')`,
        },
      ],
      sort: [{ column: 'n', descending: false }],
      first: 300,
    });
    const expected = sql(
      `SELECT h.hire_number, printf('%.2f', coalesce(sum(p.amount), 0) / 100.0), count(p.receipt) FILTER (WHERE p.method = 'Cash')
       FROM hire h LEFT JOIN payment p ON p.hire = h.hire_number GROUP BY 1 ORDER BY 1 LIMIT 300`,
    );
    expect(rows).toEqual(expected);
  });

  it('show lookups as text and sort by it', async () => {
    const { rows } = await run({
      columns: [{ id: 'p', label: 'Player', expression: '"#f_hirePlayer"' }],
      sort: [{ column: 'p', descending: false }],
      first: 200,
    });
    const names = (rows as [string][]).map(([name]) => name.toLowerCase());
    expect(names[0]).toMatch(/^abara, /);
    expect(names).toEqual([...names].sort((a, b) => (a < b ? -1 : a > b ? 1 : 0)));
  });

  it('are not moved by odd texts in a condition', async () => {
    for (const text of ["'", '"', '?1', '%', '\\', '--', ');', '🎻', "''"]) {
      const literal = `'${text.replace(/'/g, "''")}'`;
      const { rows } = await run({
        where: [so(`"#f_hireNote" = ${literal} OR "#f_hireNote" LIKE '%' || ${literal} || '%' AND FALSE`)],
      });
      expect(rows).withContext(text).toEqual([]);
    }
  });

  it('reckon from the day the server says it is', async () => {
    const { rows } = await run({
      columns: [{ id: 'd', label: 'Day', expression: 'CURRENT_DATE' }],
      first: 1,
    });
    expect(rows).toEqual([['2026-11-25']]);
  });

  it('say what else is written like that, where a condition leaves few rows of many', async () => {
    office.app.context.files
      .get(office.file)
      .writer.exec(
        "UPDATE hire SET note = CASE hire_number % 50 WHEN 0 THEN 'late ' ELSE 'Late' END WHERE hire_number IN (SELECT hire_number FROM hire ORDER BY hire_number LIMIT 300)",
      );
    const why = async (note: string): Promise<unknown> =>
      (await run({ where: [so(`"#f_hireNote" = '${note}'`)] })).funnel.at(-1).why;
    expect(await why('late ')).toEqual([
      jasmine.stringMatching(
        /^Of note there is “Late” \(29\d rows\), which differs by capitals or spaces only\.$/,
      ),
    ]);
    // Of many rows that are left nothing is said.
    expect(await why('Late')).toBeUndefined();
  });

  it('say in words which part empties the result', async () => {
    const { funnel } = await run({
      where: [
        so('"#f_hireReturnedOn" IS NULL'),
        so('"#f_hireMonthlyFee" > 400'),
        so('"#f_hireNote" IS NOT NULL'),
      ],
    });
    expect(funnel.map(({ label }: { label: string }) => label)).toEqual([
      'Hires',
      'returned on is empty',
      'monthly fee is more than 400',
      'note is filled',
    ]);
    expect(funnel.map(({ count }: { count: number }) => count).slice(2)).toEqual([0, 0]);
  });
});

describe('reports over the demo', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const REPORT: Report = {
    type: 'report',
    id: 'p_t',
    label: 'Instruments',
    source: { kind: 'table', id: 't_instrument' },
    columns: [
      { column: 'f_instrumentAssetNumber', label: 'Asset', sum: false },
      { column: 'f_instrumentKind', label: 'Kind', sum: false },
      { column: 'f_instrumentValue', label: 'Value', sum: true },
    ],
    group: { column: 'f_instrumentCondition', newPage: true },
    sort: { column: 'f_instrumentValue', descending: true },
    paper: 'A4 wide',
  };

  it('are laid out from a table with groups on pages of their own', async () => {
    const { status, body } = await office.call('POST', 'reports/pages', { report: REPORT });
    expect(status).toBe(200);
    expect(body.width).toBeGreaterThan(body.height);
    const [[value, groups]] = office.app.context.files
      .get(office.file)
      .reader.prepare('SELECT sum(value), count(DISTINCT condition) FROM instrument')
      .raw()
      .all() as [[number, number]];
    expect(Math.round(Number(body.totals.f_instrumentValue) * 100)).toBe(value);
    expect(body.rowCount).toBe(862);
    expect(body.pages.length).toBeGreaterThanOrEqual(groups);
  });

  it('print as they are saved', async () => {
    expect((await office.put(REPORT)).status).toBe(200);
    const { status, raw, headers } = await office.call('GET', 'reports/p_t/pdf');
    expect(status).toBe(200);
    expect(raw.subarray(0, 5).toString()).toBe('%PDF-');
    expect(String(headers['content-disposition'])).toContain('Instruments.pdf');
  });

  it('print what was answered to their query, and say so on paper', async () => {
    const asking: Query = {
      ...newQuery('q_asking', 'Of a school', { id: 't_player' }),
      questions: [
        {
          id: 'a_school',
          name: 'wanted',
          label: 'Which school',
          answer: { kind: 'lookup', field: 'f_playerSchool' },
          start: null,
          needed: false,
        },
        {
          id: 'a_since',
          name: 'since',
          label: 'Born after',
          answer: { kind: 'date' },
          start: "DATE '1900-01-01'",
          needed: false,
        },
      ],
      where: [so('"#f_playerSchool" = "#a_school"'), so('"#f_playerBorn" > "#a_since"')],
      columns: [{ id: 'c_name', label: 'Surname', expression: '"#f_playerSurname"' }],
    };
    expect((await office.put(asking)).status).toBe(200);
    const report: Report = {
      ...REPORT,
      id: 'p_asking',
      label: 'Players of a school',
      source: { kind: 'query', id: 'q_asking' },
      columns: [{ column: 'c_name', label: 'Surname', sum: false }],
      group: null,
      sort: null,
    };
    const { reader } = office.app.context.files.get(office.file);
    const [[key, name, players]] = reader
      .prepare(
        'SELECT s.number, s.name, count(*) FROM school AS s JOIN player AS p ON p.school = s.number WHERE p.born IS NOT NULL GROUP BY 1 LIMIT 1',
      )
      .raw()
      .all() as [[number, string, number]];
    const laidOut = async (answers: object): Promise<{ rowCount: number; texts: string }> => {
      const { body } = await office.call('POST', 'reports/pages', { report, answers });
      return { rowCount: body.rowCount, texts: JSON.stringify(body.pages[0]) };
    };
    const one = await laidOut({ a_school: key });
    expect(one.rowCount).toBe(players);
    expect(one.texts).toContain(`Which school: ${name} · Born after: 1 Jan 1900 · From Of a school`);
    const all = await laidOut({});
    expect(all.rowCount).toBeGreaterThan(players);
    expect(all.texts).not.toContain('Which school');
    // The same on paper; and an answer that is none is told.
    expect((await office.put(report)).status).toBe(200);
    const pdf = (asked: string) =>
      office.call('GET', `reports/p_asking/pdf?answers=${encodeURIComponent(asked)}`);
    expect((await pdf(JSON.stringify({ a_school: key }))).raw.subarray(0, 5).toString()).toBe('%PDF-');
    for (const odd of ['{', '{"a_school":{}}'])
      expect((await pdf(odd)).status)
        .withContext(odd)
        .toBe(400);
    expect((await pdf('{"a_since":"yesterday"}')).status).toBe(422);
  });

  it('follow a query, its names and its totals', async () => {
    const report: Report = {
      ...REPORT,
      source: { kind: 'query', id: 'q_repairCost' },
      columns: [
        { column: 'kind', label: 'Kind', sum: false },
        { column: 'cost', label: 'Cost', sum: true },
      ],
      group: null,
      sort: null,
    };
    const { body } = await office.call('POST', 'reports/pages', { report });
    const [[cost]] = office.app.context.files
      .get(office.file)
      .reader.prepare('SELECT sum(cost) FROM repair_line')
      .raw()
      .all() as [[number]];
    expect(Math.round(Number(body.totals.cost) * 100)).toBe(cost);
  });
});
