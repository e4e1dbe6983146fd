import { joinsAlong, so } from '@heathridge/core/query';
import type { Query, Report } from '@heathridge/core/design';
import { Office } from '../testing/office';

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
