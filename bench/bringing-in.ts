import { spawnSync } from 'node:child_process';
import { createWriteStream, rmSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import { join } from 'node:path';
import { plainField, plainTable, type Table } from '@heathridge/core/design';
import type { BringPlan } from '@heathridge/core/sheet';
import type { OpenFile } from '../server/src/store/files';
import { medians, type Figure } from './figures';

const TABLE = plainTable('t_brought', 'brought', 'Brought', 'Brought', [
  plainField('f_bNo', 'number', 'Number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
  plainField('f_bName', 'name', 'Name', { kind: 'text', most: null }, { alwaysFilled: true }),
  plainField('f_bTown', 'town', 'Town', { kind: 'text', most: null }),
  plainField('f_bBorn', 'born', 'Born', { kind: 'date' }),
  plainField('f_bFee', 'fee', 'Fee', { kind: 'wholeNumber' }),
  plainField('f_bNote', 'note', 'Note', { kind: 'text', most: null }),
]);

/** What the bench does with the server: a call that fails throws. */
export interface Server {
  readonly file: OpenFile;
  readonly send: (url: string, body: Buffer | object, type?: string) => Promise<string>;
  readonly apply: (table: Table) => Promise<void>;
  readonly csv: Buffer;
}

/** Writes so many rows of six columns, and gives the path. */
export async function csvOf(data: string, rows: number): Promise<string> {
  const path = join(data, 'brought.csv');
  const out = createWriteStream(path);
  out.write('Number,Name,Town,Born,Fee,Note\n');
  for (let i = 1; i <= rows; i++) {
    const line = `${i},"Person, ${i}",Town ${i % 97},2014-0${1 + (i % 9)}-1${i % 10},${(i * 7) % 100_000},note of ${i}\n`;
    if (!out.write(line)) await once(out, 'drain');
  }
  out.end();
  await once(out, 'finish');
  return path;
}

/**
 * A sheet checked row by row and written, beside the sqlite3 command line's own import of it into a table with the
 * same constraints and triggers.
 */
export async function bringingIn(
  data: string,
  rows: number,
  path: string,
  server: Server,
): Promise<Figure[]> {
  await server.apply(TABLE);
  const { writer } = server.file;
  const [schema] = writer
    .prepare(
      "SELECT group_concat(sql, x'3b0a') FROM sqlite_schema WHERE tbl_name = 'brought' AND sql IS NOT NULL",
    )
    .raw()
    .get() as [string];
  const script = join(data, 'import.sql');
  const target = join(data, 'import.db');
  writeFileSync(
    script,
    `CREATE TABLE hr_mark (mark TEXT PRIMARY KEY, class INTEGER);\n${schema};\nPRAGMA journal_mode = WAL;\n.import --csv --skip 1 ${path} brought\n`,
  );
  const theirs = (): void => {
    for (const suffix of ['', '-wal', '-shm']) rmSync(target + suffix, { force: true });
    const { status, stderr } = spawnSync('sqlite3', [target, `.read ${script}`], { encoding: 'utf8' });
    if (status !== 0 || stderr !== '') throw new Error(stderr);
  };
  const plan: BringPlan = {
    style: { encoding: 'utf-8', delimiter: ',', worksheet: 0, heading: 1 },
    into: { table: 'known', id: TABLE.id },
    columns: TABLE.fields.map(({ id }, column) => ({
      column,
      field: id,
      decimalMark: '.',
      dateOrder: 'dmy',
      missing: 'refuse',
      unread: 'refuse',
      instead: {},
    })),
    mode: 'add',
    match: [],
    blanks: 'leave',
  };
  let sheet = '';
  const look = async (): Promise<void> => {
    const sent = await server.send('sheets?name=brought.csv', server.csv, 'application/x-sheet');
    sheet = (JSON.parse(sent) as { sheet: { id: string } }).sheet.id;
  };
  const bring = async (): Promise<void> => {
    const checked = JSON.parse(await server.send(`sheets/${sheet}/check`, { plan })) as { added: number };
    if (checked.added !== rows) throw new Error(`Only ${checked.added} rows are good.`);
    const brought = JSON.parse(await server.send(`sheets/${sheet}/bring`, {})) as { added?: number };
    if (brought.added !== rows) throw new Error('The rows were not brought in.');
  };
  const empty = (): void => void writer.exec('DELETE FROM brought');
  const against = 'sqlite3 command line, .import of the same CSV into the same table';
  const size = `${rows.toLocaleString('en')} rows of 6 columns`;
  const looked = await medians(look, theirs, 3);
  const brought = await medians(
    async () => {
      empty();
      await look();
      const begun = performance.now();
      await bring();
      return performance.now() - begun;
    },
    theirs,
    3,
  );
  return [
    { what: `A sheet of ${size} sent, and every value looked at`, against, ...looked },
    { what: `A sheet of ${size} checked row by row and written, with history`, against, ...brought },
  ];
}
