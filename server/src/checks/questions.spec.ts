import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { chartModel } from '@heathridge/core/chart';
import { BRITISH, type Value, type ValueKind } from '@heathridge/core/values';
import { Office } from '../testing/office';

/** What an office that hires instruments out really asks, of the demo file; DuckDB answers the same in its own words. */
const QUESTIONS: Readonly<Record<string, string>> = {
  'Overdue by school': `SELECT s.name, count(*) AS hires, sum(monthly_fee), max(today() - due_back)
    FROM hire h JOIN player p ON p.number = h.player JOIN school s ON s.number = p.school
    WHERE returned_on IS NULL AND due_back < today() GROUP BY s.name`,
  'Instruments never hired': `SELECT asset_number, k.name, bought_on, value FROM instrument i LEFT JOIN kind k ON k.number = i.kind
    WHERE NOT EXISTS (SELECT 1 FROM hire h WHERE h.instrument = i.asset_number)`,
  'Takings by month and method': `SELECT date_trunc('month', paid_on)::DATE, method, sum(amount), count(*) FROM payment GROUP BY 1, 2`,
  'Takings against last year': `WITH t AS (SELECT date_trunc('month', paid_on)::DATE AS month, method, sum(amount) AS takings FROM payment GROUP BY 1, 2)
    SELECT t.month, t.method, t.takings, b.takings, t.takings - coalesce(b.takings, 0)
    FROM t LEFT JOIN t AS b ON b.month = t.month - INTERVAL 1 YEAR AND b.method = t.method WHERE t.month > today() - INTERVAL 13 MONTH`,
  'Repair cost by kind': `SELECT k.name, count(*), sum(cost), avg(cost) FROM repair_line l JOIN repair r ON r.job = l.repair
    JOIN instrument i ON i.asset_number = r.instrument LEFT JOIN kind k ON k.number = i.kind GROUP BY 1`,
  'Repair cost per month on hire': `WITH c AS (SELECT k.name AS kind, sum(cost) AS cost FROM repair_line l JOIN repair r ON r.job = l.repair
      JOIN instrument i ON i.asset_number = r.instrument JOIN kind k ON k.number = i.kind GROUP BY 1),
    d AS (SELECT k.name AS kind, sum(coalesce(returned_on, today()) - hired_on) AS days FROM hire h
      JOIN instrument i ON i.asset_number = h.instrument JOIN kind k ON k.number = i.kind GROUP BY 1)
    SELECT kind, cost, days / 30.4375, cost / (days / 30.4375) FROM c LEFT JOIN d USING (kind)`,
  'Players without a phone': `SELECT surname, first_name, s.name, email FROM player p LEFT JOIN school s ON s.number = p.school WHERE p.phone IS NULL AND active`,
  'Free to mend brass': `SELECT t.name, (SELECT count(*) FROM repair r WHERE r.technician = t.number) FROM technician t
    WHERE EXISTS (SELECT 1 FROM mends m JOIN family f ON f.number = m.family WHERE m.technician = t.number AND f.name = 'Brass')
    AND NOT EXISTS (SELECT 1 FROM repair r WHERE r.technician = t.number AND done_on IS NULL)`,
  'Cost more than they bring': `WITH c AS (SELECT r.instrument, sum(cost) AS cost FROM repair_line l JOIN repair r ON r.job = l.repair GROUP BY 1),
    f AS (SELECT h.instrument, sum(amount) AS fees FROM payment p JOIN hire h ON h.hire_number = p.hire GROUP BY 1)
    SELECT k.name || ' · A-' || lpad(CAST(i.asset_number AS VARCHAR), 4, '0'), cost, coalesce(fees, 0), cost - coalesce(fees, 0)
    FROM c LEFT JOIN f USING (instrument) JOIN instrument i ON i.asset_number = c.instrument LEFT JOIN kind k ON k.number = i.kind WHERE cost > coalesce(fees, 0)`,
  'Parts to order': `SELECT p.name, in_stock, count(*) FROM part p JOIN repair_line l ON l.part = p.number JOIN repair r ON r.job = l.repair
    WHERE in_stock < 5 AND brought_in > today() - INTERVAL 12 MONTH GROUP BY ALL`,
  'Hires begun by month': `SELECT month, n, n - lag(n) OVER (ORDER BY month) FROM (SELECT date_trunc('month', hired_on)::DATE AS month, count(*) AS n FROM hire GROUP BY 1)`,
};

interface Found {
  readonly columns: readonly { id: string; label: string; kind: ValueKind }[];
  readonly rows: readonly (readonly Value[])[];
  readonly funnel: readonly { part: string; count: number }[];
}

describe('the questions of a hire office', () => {
  let office: Office;
  let duck: DuckDBConnection;

  beforeAll(async () => {
    office = await Office.open();
    duck = await (await DuckDBInstance.create(':memory:')).connect();
    const { writer } = office.app.context.files.get(office.file);
    const today = (await office.call('GET', 'desk')).body.today as string;
    // Tests run on any day: both engines are told the same one.
    await duck.run(`CREATE MACRO today() AS DATE '${today}'`);
    for (const { name, fields } of office.design.tables) {
      const columns = fields.flatMap(({ name: own, type }) =>
        type.kind === 'workedOut' || type.kind === 'picture'
          ? []
          : [
              {
                own,
                read:
                  type.kind === 'money' || type.kind === 'decimal'
                    ? `CAST(round(${own} * 1.0 / ${10 ** type.places}, ${type.places}) AS TEXT)`
                    : own,
                as:
                  type.kind === 'money' || type.kind === 'decimal'
                    ? `DECIMAL(18, ${type.places})`
                    : type.kind === 'date'
                      ? 'DATE'
                      : type.kind === 'tick'
                        ? 'BOOLEAN'
                        : type.kind === 'wholeNumber' ||
                            type.kind === 'runningNumber' ||
                            type.kind === 'lookup'
                          ? 'BIGINT'
                          : 'VARCHAR',
              },
            ],
      );
      await duck.run(`CREATE TABLE ${name} (${columns.map(({ own, as }) => `${own} ${as}`).join(', ')})`);
      const rows = writer
        .prepare(`SELECT ${columns.map(({ read }) => read).join(', ')} FROM ${name}`)
        .raw()
        .all() as unknown[][];
      const literal = (value: unknown): string =>
        value === null
          ? 'NULL'
          : typeof value === 'number'
            ? String(value)
            : `'${String(value).replaceAll("'", "''")}'`;
      for (let from = 0; from < rows.length; from += 1000)
        await duck.run(
          `INSERT INTO ${name} VALUES ${rows
            .slice(from, from + 1000)
            .map((row) => `(${row.map(literal).join(', ')})`)
            .join(', ')}`,
        );
    }
  }, 120_000);
  afterAll(async () => {
    duck.closeSync();
    await office.close();
  });

  it('are ten and more, and each stands in the demo file', () => {
    expect(Object.keys(QUESTIONS).length).toBeGreaterThanOrEqual(10);
    const labels = office.design.queries.map(({ label }) => label);
    for (const label of Object.keys(QUESTIONS)) expect(labels).toContain(label);
  });

  for (const [label, sql] of Object.entries(QUESTIONS))
    it(label, async () => {
      const query = office.design.queries.find((one) => one.label === label)!;
      const { status, body } = await office.call('POST', 'query/run', { query, rows: 20_000 });
      expect(status).withContext(JSON.stringify(body).slice(0, 300)).toBe(200);
      const { columns, rows, funnel } = body as Found;
      const theirs = (await duck.runAndReadAll(sql)).getRows();
      expect(rows.length).withContext('rows').toBe(theirs.length);
      expect(rows.length).toBeGreaterThan(0);
      expect(funnel.at(-1)!.count).withContext('the funnel').toBe(rows.length);
      const plain = (value: unknown): string | number | null => {
        if (value === null || value === undefined) return null;
        const text = typeof value === 'object' ? String(value) : String(value as string);
        return /^-?\d+(\.\d+)?$/.test(text) ? Number(text) : text;
      };
      const sorted = (all: readonly (readonly unknown[])[]) =>
        all
          .map((row) => row.map(plain))
          .sort((a, b) =>
            JSON.stringify(a.map((v) => (typeof v === 'number' ? Math.round(v) : v))) <
            JSON.stringify(b.map((v) => (typeof v === 'number' ? Math.round(v) : v)))
              ? -1
              : 1,
          );
      const [here, there] = [sorted(rows), sorted(theirs)];
      for (const [r, row] of here.entries())
        for (const [c, value] of row.entries()) {
          const wanted = there[r]![c]!;
          if (typeof value === 'number' && typeof wanted === 'number') {
            // What is divided is rounded here, to what is shown of it.
            const { kind } = columns[c]!;
            const places = kind.kind === 'decimal' || kind.kind === 'money' ? kind.places : 0;
            expect(Math.abs(value - wanted))
              .withContext(`${columns[c]!.label}: ${value}, ${wanted}`)
              .toBeLessThanOrEqual(0.5 * 10 ** -places + 1e-6);
          } else expect(value).withContext(columns[c]!.label).toBe(wanted);
        }
      if (query.chart) {
        const model = chartModel(query.chart, { columns, rows, locale: BRITISH });
        expect(model.panels.flatMap(({ marks }) => marks).length)
          .withContext('marks of its chart')
          .toBeGreaterThan(0);
      }
    });
});
