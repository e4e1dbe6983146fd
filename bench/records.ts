import { formFromTable } from '@heathridge/core/form';
import { plainField, plainTable, type FieldType, type Form, type Table } from '@heathridge/core/design';
import type { OpenFile } from '../server/src/store/files';
import type { Caller } from './callers';
import type { Figure } from './figures';

/** Records, and rows of each of two subforms in each of them: a million of the one, and of the other. */
const [RECORDS, WITHIN] = [20_000, 50];
/** Milliseconds within which a record comes, that of 19 in 20. */
const OPENED = 30;
const ROUNDS = 300;
/** Milliseconds within which what is typed is found. */
const FOUND = 100;

const NUMBER: FieldType = { kind: 'runningNumber', prefix: '', width: 0, first: 1 };

const ORDER = plainTable('t_order', 'order_sheet', 'Order', 'Orders', [
  plainField('f_oNo', 'number', 'Number', NUMBER),
  plainField('f_oName', 'name', 'Name', { kind: 'text', most: 60 }),
]);

const within = (name: string, label: string): Table =>
  plainTable(`t_${name}`, name, label, `${label}s`, [
    plainField(`f_${name}No`, 'number', 'Number', NUMBER),
    plainField(`f_${name}Order`, 'order_sheet', 'Order', {
      kind: 'lookup',
      table: ORDER.id,
      shows: null,
      onDelete: 'refuse',
    }),
    plainField(`f_${name}Day`, 'day', 'Day', { kind: 'date' }),
    plainField(`f_${name}Amount`, 'amount', 'Amount', { kind: 'money', places: 2 }),
  ]);

const later = (milliseconds: number): Promise<void> =>
  new Promise((resolve) => setTimeout(resolve, milliseconds));

const slowest = (times: readonly number[]): number =>
  [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)]!;

/** Puts a form over a table of the file onto the Desk. */
async function putForm(address: string, cookie: string, document: Form): Promise<void> {
  const kept = await fetch(`${address}/definitions/${document.id}`, {
    method: 'PUT',
    headers: { cookie, origin: new URL(address).origin, 'content-type': 'application/json' },
    body: JSON.stringify({ document, base: 0 }),
  });
  if (!kept.ok) throw new Error(await kept.text());
}

/** What it takes to find what is typed into the record list of a table of a million rows. */
export async function searchingRecords(
  file: OpenFile,
  address: string,
  cookie: string,
  table: Table,
  call: Caller,
): Promise<Figure> {
  const form = formFromTable({ ...file.design, tables: [table] }, table, 'o_search');
  await putForm(address, cookie, form);
  const list = (search: string): Promise<string> =>
    call('GET', `${address}/desk/screens/${form.id}/list?search=${encodeURIComponent(search)}`);
  // Whoever opens the screen has its texts read meanwhile.
  await list('');
  await later(10_000);
  const times: number[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    const number = (i * 7919) % 1_000_000;
    // As it is typed: from what many rows hold to what few do.
    const typed = String(number).slice(0, 2 + (i % 5));
    const begun = performance.now();
    await list(typed);
    times.push(performance.now() - begun);
  }
  return {
    what: 'What is typed into the record list found in 1,000,000 rows, with how many there are (19 of 20 are quicker), over HTTP',
    against: `${FOUND} ms`,
    ours: slowest(times),
    theirs: FOUND,
  };
}

/** What it takes to open a record with two subforms of 50 rows out of a million each, as the Desk does. */
export async function openingRecords(
  file: OpenFile,
  address: string,
  cookie: string,
  apply: (table: Table) => Promise<void>,
  call: Caller,
): Promise<Figure> {
  const tables = [ORDER, within('line', 'Line'), within('receipt', 'Receipt')];
  for (const table of tables) await apply(table);
  file.writer.exec(
    `INSERT INTO order_sheet (name) SELECT 'Order ' || value FROM generate_series(1, ${RECORDS});` +
      ['line', 'receipt']
        .map(
          (name) =>
            `INSERT INTO ${name} (order_sheet, day, amount) SELECT value * 7919 % ${RECORDS} + 1, '2026-01-02', value FROM generate_series(1, ${RECORDS * WITHIN});`,
        )
        .join('') +
      'ANALYZE; PRAGMA wal_checkpoint(TRUNCATE)',
  );
  const document = formFromTable({ ...file.design, tables }, ORDER, 'o_orders');
  await putForm(address, cookie, document);
  const times: number[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    const begun = performance.now();
    const key = ((i * 7919) % RECORDS) + 1;
    const text = await call('GET', `${address}/desk/screens/${document.id}/record?key=[${key}]`);
    times.push(performance.now() - begun);
    const { record } = JSON.parse(text) as { record: { subforms: { rows: object[] }[] } };
    const rows = record.subforms.map((list) => list.rows.length);
    if (rows.join() !== `${WITHIN},${WITHIN}`) throw new Error(`The record has ${rows.join()} rows.`);
  }
  return {
    what: `A record with two subforms of ${WITHIN} rows, out of 1,000,000 each, opened (19 of 20 are quicker), over HTTP`,
    against: `${OPENED} ms`,
    ours: slowest(times),
    theirs: OPENED,
  };
}
