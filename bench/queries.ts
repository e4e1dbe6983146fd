import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { plainField, plainTable, type Design, type FieldType, type Query } from '@heathridge/core/design';
import { compileQuery, joinsAlong, MOST_CELLS, newQuery, pivotModel, so } from '@heathridge/core/query';
import { BRITISH } from '@heathridge/core/values';
import { buildApp } from '../server/src/app';
import type { Results } from '../server/src/jobs/tasks';
import { applyDraft } from '../server/src/plan/apply-draft';
import { openForReading } from '../server/src/store/driver';
import { medians, type Figure } from './figures';

const number: FieldType = { kind: 'runningNumber', prefix: '', width: 0, first: 1 };
const to = (table: string): FieldType => ({ kind: 'lookup', table, shows: null, onDelete: 'refuse' });

/** Fifty areas, 20,000 members in them, and the visits of those. */
const TABLES = [
  plainTable('t_area', 'area', 'Area', 'Areas', [
    plainField('f_areaNo', 'number', 'Number', number),
    plainField('f_areaName', 'name', 'Name', { kind: 'text', most: 40 }),
  ]),
  plainTable('t_member', 'member', 'Member', 'Members', [
    plainField('f_memberNo', 'number', 'Number', number),
    plainField('f_memberArea', 'area', 'Area', to('t_area')),
    plainField('f_memberName', 'name', 'Name', { kind: 'text', most: 40 }),
  ]),
  plainTable('t_visit', 'visit', 'Visit', 'Visits', [
    plainField('f_visitNo', 'number', 'Number', number),
    plainField('f_visitMember', 'member', 'Member', to('t_member')),
    plainField('f_visitDay', 'day', 'Day', { kind: 'date' }),
    plainField('f_visitFee', 'fee', 'Fee', { kind: 'money', places: 2 }),
  ]),
];

const fill = (rows: number): string => `
  INSERT INTO area (name) SELECT 'Area ' || value FROM generate_series(1, 50);
  INSERT INTO member (area, name) SELECT value % 50 + 1, 'Member ' || value FROM generate_series(1, 20000);
  INSERT INTO visit (member, day, fee) SELECT value * 7919 % 20000 + 1, date('2025-01-01', (value * 31 % 365) || ' days'), value % 10000 FROM generate_series(1, ${rows});
  ANALYZE; PRAGMA wal_checkpoint(TRUNCATE)`;

const AREA = '"#f_visitMember"."#f_memberArea"."#f_areaName"';

/** Three tables beside one another, some rows left out, grouped: fees by area. */
const joined = (design: Design): Query => ({
  ...newQuery(
    'q_fees',
    'Fees by area',
    design.tables.find(({ id }) => id === 't_visit')!,
  ),
  joins: joinsAlong([{ path: ['f_visitMember', 'f_memberArea'], keepWithout: false }]),
  where: [so('"#f_visitFee" > 20')],
  group: {
    by: [{ id: 'area', label: 'Area', expression: AREA }],
    measures: [
      { id: 'visits', label: 'Visits', total: 'count', expression: null },
      { id: 'fees', label: 'Fees', total: 'sum', expression: '"#f_visitFee"' },
    ],
  },
  sort: [{ column: 'area', descending: false }],
});

/** The same by month, which runs across: 50 by 12. */
const laidOut = (design: Design): Query => {
  const query = joined(design);
  return {
    ...query,
    group: {
      by: [...query.group!.by, { id: 'month', label: 'Month', expression: '"#f_visitDay"', step: 'month' }],
      measures: query.group!.measures,
    },
    pivot: { across: ['month'], heat: true },
  };
};

/** Calls that are timed together: one alone is too short for the clock. */
const CALLS = 200;
/** Milliseconds: what a sentence may take to become SQL, and how soon a query that is stopped has stopped. */
const [WRITTEN, STOPPED] = [1, 100];

/** What queries over many rows cost, beside the engine alone. */
export async function queryFigures(rows: number): Promise<Figure[]> {
  const data = mkdtempSync(join(tmpdir(), 'heathridge-bench-'));
  const app = await buildApp({ data });
  try {
    const { accounts, files, jobs, clock } = app.context;
    const person = await accounts.create('bench', 'Bench', 'a long enough password', true);
    const id = files.create('Visits', person.id);
    await applyDraft(
      files,
      jobs,
      id,
      0,
      TABLES.map((table) => ({ change: 'addTable', table })),
      'Bench',
      clock,
    );
    const { design, path, writer } = files.get(id);
    writer.exec(fill(rows));
    const today = clock.today('UTC');
    const run = (
      query: Query,
      rest: { readonly counted?: boolean; readonly totals?: boolean } = {},
      signal?: AbortSignal,
    ) =>
      jobs.run(
        path,
        {
          task: 'query',
          design,
          query,
          answers: {},
          today,
          limit: MOST_CELLS,
          counted: false,
          totals: false,
          ...rest,
        },
        signal ? { signal } : {},
      );
    const [query, pivot] = [joined(design), laidOut(design)];
    const { sql } = compileQuery(design, query, { today });
    const millions = rows.toLocaleString('en');
    const bare = openForReading(path);
    const { sql: cells } = compileQuery(design, pivot, { today });
    const laid = async (): Promise<number> => {
      const start = performance.now();
      const found: Results['query'] = await run(pivot, { totals: true });
      const model = pivotModel(pivot, found, found.totals, BRITISH);
      // A line and a column each for the totals.
      if (model.rows.length !== 51 || model.columns.length !== 13)
        throw new Error('This is no pivot of 50 by 12.');
      return performance.now() - start;
    };
    const stopping = async (): Promise<number> => {
      const stop = new AbortController();
      const running = run(pivot, { counted: true }, stop.signal).then(
        () => new Error('It had ended before it was stopped.'),
        () => null,
      );
      await new Promise((resolve) => setTimeout(resolve, 150));
      const start = performance.now();
      stop.abort();
      const error = await running;
      if (error) throw error;
      return performance.now() - start;
    };
    const figures: Figure[] = [
      {
        what: `Three tables joined, filtered and grouped over ${millions} rows, in a process of its own`,
        against: 'sqlite3 command line, the same SQL and indexes',
        ...(await medians(
          () => run(query),
          () => {
            const { status, stderr } = spawnSync('sqlite3', [path], { input: `${sql};`, encoding: 'utf8' });
            if (status !== 0) throw new Error(stderr);
          },
          5,
        )),
      },
      {
        what: `The same with its funnel of ${compileQuery(design, query, { today }).funnel.length} counts`,
        against: 'the query alone, in a process of its own',
        ...(await medians(
          () => run(query, { counted: true }),
          () => run(query),
          5,
        )),
      },
      {
        what: 'A sentence as SQL',
        against: `${WRITTEN} ms`,
        ...(await medians(
          () => {
            const start = performance.now();
            for (let i = 0; i < CALLS; i++) compileQuery(design, query, { today });
            return (performance.now() - start) / CALLS;
          },
          () => WRITTEN,
          20,
        )),
      },
      {
        what: `A pivot of ${millions} rows to 50 by 12 with its totals`,
        against: 'driver, the SQL of its cells',
        ...(await medians(laid, () => bare.prepare(cells).raw().all(), 5)),
      },
      {
        what: 'A running query that is stopped: until whoever asked hears of it',
        against: `${STOPPED} ms`,
        ...(await medians(stopping, () => STOPPED, 5)),
      },
    ];
    bare.close();
    return figures;
  } finally {
    await app.close();
    rmSync(data, { recursive: true, force: true });
  }
}
