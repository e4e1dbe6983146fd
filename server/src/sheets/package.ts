import { createHash } from 'node:crypto';
import { closeSync, mkdirSync, openSync, readFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { strToU8, Zip, ZipDeflate, ZipPassThrough } from 'fflate';
import Papa from 'papaparse';
import { open, type Entry, type ZipFile } from 'yauzl';
import {
  ATTACHMENTS,
  packageOf,
  packed,
  toFolder,
  unpacked,
  resourceName,
  type FolderFile,
} from '@heathridge/core/exchange';
import { storedFields, type Design, type Table } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import { NOTHING } from '@heathridge/core/rows';
import { cellText, harmless, unharmed, type SheetStyle } from '@heathridge/core/sheet';
import type { Value } from '@heathridge/core/values';
import type { Tell } from '../change/run';
import { toStored, type Stored } from '../rows/codec';
import { engineError, isConstraintError } from '../rows/engine-error';
import { eachRow } from '../rows/window';
import { openForWriting, type Connection } from '../store/driver';
import { intoFile } from '../store/into-file';
import { guarded, only, prepared, rollBack } from '../store/statements';
import { delimitedRows } from './delimited';
import { SheetError } from './sheet-error';

/** Where a package keeps what its standard knows nothing of. */
const DEFINITION = 'definition/';
const NUMBERS = 'heathridge/numbers.json';
const ATTACHMENT_COLUMNS = ['id', 'name', 'type', 'size', 'sha256', 'at', 'by', 'account', 'path'];

/** Bytes that a package may have unpacked, its definitions, and files that it may hold. */
const MOST_UNPACKED = 8 * 1024 ** 3;
const MOST_DEFINITION = 20 * 1024 ** 2;
const MOST_ENTRIES = 500_000;
/** Rows that are written together. */
const AT_ONCE = 500;
const STYLE: SheetStyle = { encoding: 'utf-8', delimiter: ',', worksheet: 0, heading: 1 };
/** The earliest time a ZIP archive can name: the same file gives the same bytes. */
const STILL = new Date(1980, 0, 1);

export interface PackOrder {
  readonly path: string;
  readonly title: string;
  readonly created: string;
}

/** Writes a whole file as a data package in a ZIP archive, piece by piece. */
export function packFile(db: Connection, design: Design, order: PackOrder, tell: Tell): number {
  const target = openSync(order.path, 'w', 0o600);
  let rows = 0;
  try {
    const zip = new Zip((error, piece) => {
      if (error) throw error;
      writeSync(target, piece);
    });
    const entry = (name: string): ZipDeflate => {
      const made = new ZipDeflate(name, { level: 6 });
      made.mtime = STILL;
      zip.add(made);
      return made;
    };
    const whole = (name: string, text: string): void => entry(name).push(strToU8(text), true);
    const descriptor = packageOf(design, order.title, order.created);
    whole('datapackage.json', `${JSON.stringify(withAttachments(descriptor), null, 2)}\n`);
    for (const { path, text } of toFolder(design)) whole(DEFINITION + path, text);
    whole(NUMBERS, `${JSON.stringify(numbersOf(db, design), null, 2)}\n`);
    design.tables.forEach((table, i) => {
      const file = entry(descriptor.resources[i]!.path);
      const fields = storedFields(table);
      const line = (cells: readonly string[]): string => `${Papa.unparse([cells as string[]])}\r\n`;
      let text = line(fields.map(({ name }) => name));
      for (const cells of eachRow(db, design, table, fields, NOTHING, [])) {
        // A lookup or a file comes with the text that is shown of it.
        const values = cells.map((cell) => (Array.isArray(cell) ? (cell[0] as Value) : (cell as Value)));
        text += line(values.map((value, place) => packed(fields[place]!, value)));
        if (++rows % AT_ONCE !== 0) continue;
        file.push(strToU8(text));
        text = '';
        tell({ step: i, of: design.tables.length, what: `Writing ${table.plural.toLowerCase()}` });
      }
      file.push(strToU8(text), true);
    });
    packAttachments(db, zip, entry);
    zip.end();
  } finally {
    closeSync(target);
  }
  return rows;
}

/** The descriptor with the list of pictures and files behind the tables. */
const withAttachments = (descriptor: ReturnType<typeof packageOf>): object => ({
  ...descriptor,
  resources: [
    ...descriptor.resources,
    {
      profile: 'tabular-data-resource',
      name: ATTACHMENTS,
      title: 'Pictures and files',
      path: `data/${ATTACHMENTS}.csv`,
      format: 'csv',
      mediatype: 'text/csv',
      encoding: 'utf-8',
      schema: {
        fields: ATTACHMENT_COLUMNS.map((name) => ({
          name,
          title: name,
          type: name === 'id' || name === 'size' ? 'integer' : 'string',
        })),
        missingValues: [''],
        primaryKey: ['id'],
      },
    },
  ],
});

/** How far the numbers of each table have gone, which none of its rows need tell any more. */
function numbersOf(db: Connection, design: Design): Record<string, number> {
  const known = new Map(prepared(db, 'SELECT name, seq FROM sqlite_sequence').all([]) as [string, number][]);
  return Object.fromEntries(
    design.tables.flatMap(({ id, name }) => (known.has(name) ? [[id, known.get(name)!]] : [])),
  );
}

function packAttachments(db: Connection, zip: Zip, entry: (name: string) => ZipDeflate): void {
  const columns = ATTACHMENT_COLUMNS.slice(0, -1);
  const list = guarded(
    db,
    `SELECT ${columns.map(sqlName).join(', ')} FROM hr_attachment ORDER BY id`,
    columns.length,
  ).all();
  const lines = list.map((row) => [
    ...row.map((value) => (typeof value === 'string' ? harmless(value) : String(value ?? ''))),
    `attachments/${row[0]}`,
  ]);
  entry(`data/${ATTACHMENTS}.csv`).push(
    strToU8(`${Papa.unparse([ATTACHMENT_COLUMNS, ...lines], { newline: '\r\n' })}\r\n`),
    true,
  );
  for (const [id] of list) {
    const [bytes] = prepared(db, 'SELECT bytes FROM hr_attachment WHERE id = ?').get([id]) as [Buffer];
    const file = new ZipPassThrough(`attachments/${id}`);
    file.mtime = STILL;
    zip.add(file);
    file.push(new Uint8Array(bytes), true);
    const [preview] = prepared(db, 'SELECT preview FROM hr_attachment WHERE id = ?').get([id]) as [
      Buffer | null,
    ];
    if (!preview) continue;
    const small = new ZipPassThrough(`previews/${id}`);
    small.mtime = STILL;
    zip.add(small);
    small.push(new Uint8Array(preview), true);
  }
}

/** A package that was opened: its definitions; its files lie in the folder by number. */
export interface OpenedPackage {
  readonly definition: readonly FolderFile[];
  /** Where each file of the package was put, by its name there. */
  readonly files: Readonly<Record<string, string>>;
}

/**
 * Takes a package apart into a folder: each file under a number, so that no name in it can lead anywhere else.
 * Throws a SheetError for what is no package of Heathridge, or larger than is sensible.
 */
export async function openPackage(path: string, folder: string): Promise<OpenedPackage> {
  mkdirSync(folder, { recursive: true });
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    open(path, { lazyEntries: true, autoClose: true }, (error, file) =>
      error
        ? reject(new SheetError(`This is no archive that can be read: ${error.message}.`))
        : resolve(file),
    ),
  );
  const definition: FolderFile[] = [];
  const files: Record<string, string> = {};
  let [unpackedBytes, definitionBytes, entries] = [0, 0, 0];
  await new Promise<void>((resolve, reject) => {
    const take = async (entry: Entry): Promise<void> => {
      const { fileName, uncompressedSize } = entry;
      unpackedBytes += uncompressedSize;
      if (unpackedBytes > MOST_UNPACKED || ++entries > MOST_ENTRIES)
        throw new SheetError('This package would unpack to more than a file may hold.');
      if (fileName.endsWith('/')) return;
      const isDefinition =
        fileName.startsWith(DEFINITION) || fileName === NUMBERS || fileName === 'datapackage.json';
      const stream = await new Promise<Readable>((done, fail) =>
        zip.openReadStream(entry, (error, opened) => (error ? fail(error) : done(opened))),
      );
      if (!isDefinition) {
        const place = join(folder, String(entries));
        files[fileName] = place;
        await intoFile(place, [stream]);
        return;
      }
      definitionBytes += uncompressedSize;
      if (definitionBytes > MOST_DEFINITION)
        throw new SheetError('The definitions in this package have more than 20 MB.');
      const pieces: Buffer[] = [];
      for await (const piece of stream as AsyncIterable<Buffer>) pieces.push(piece);
      definition.push({ path: fileName, text: Buffer.concat(pieces).toString('utf8') });
    };
    zip.on('entry', (entry: Entry) => {
      take(entry).then(
        () => zip.readEntry(),
        (error: unknown) => reject(error as Error),
      );
    });
    zip.on('end', resolve);
    zip.on('error', (error: Error) => reject(new SheetError(`This package is damaged: ${error.message}.`)));
    zip.readEntry();
  });
  if (!definition.some(({ path: name }) => name.startsWith(DEFINITION)))
    throw new SheetError('This is no package that Heathridge has written: there are no definitions in it.');
  return { definition, files };
}

/** The definitions of a package, by their names in the folder that they are. */
export const definitionOf = ({ definition }: OpenedPackage): FolderFile[] =>
  definition
    .filter(({ path }) => path.startsWith(DEFINITION))
    .map(({ path, text }) => ({ path: path.slice(DEFINITION.length), text }));

export interface LoadOrder {
  readonly opened: OpenedPackage;
  readonly by: string;
  readonly now: string;
}

/** Writes the rows and attachments of a package into a file that has its tables, and no row yet. */
export async function loadPackage(
  path: string,
  design: Design,
  order: LoadOrder,
  tell: Tell,
): Promise<number> {
  const db = openForWriting(path);
  let rows = 0;
  try {
    // The links are asked for at the end, when every row is there.
    db.exec('PRAGMA foreign_keys = OFF; BEGIN IMMEDIATE');
    // What stood in the file need not keep rules that look at today, or at rows that are still to come.
    const triggers = guarded(
      db,
      "SELECT name, sql FROM sqlite_schema WHERE type = 'trigger' AND sql LIKE '%rule:%'",
      2,
    ).all() as [string, string][];
    for (const [name] of triggers) db.exec(`DROP TRIGGER ${sqlName(name)}`);
    await loadAttachments(db, order.opened);
    for (const [i, table] of design.tables.entries()) {
      tell({ step: i, of: design.tables.length, what: `Reading ${table.plural.toLowerCase()}` });
      rows += await loadTable(db, design, table, order.opened);
    }
    for (const [, sql] of triggers) only(db, sql);
    const orphan = prepared(db, 'PRAGMA foreign_key_check').get([]) as [string] | undefined;
    if (orphan)
      throw new SheetError(`A row of ${orphan[0]} in this package leads to a row that is not in it.`);
    for (const [id, number] of Object.entries(numbersIn(order.opened))) {
      const table = design.tables.find((one) => one.id === id);
      if (table)
        prepared(db, 'UPDATE sqlite_sequence SET seq = max(seq, ?) WHERE name = ?').run([number, table.name]);
    }
    prepared(db, "INSERT INTO hr_log (at, by, what) VALUES (?, ?, 'taken in')").run([order.now, order.by]);
    tell({ step: 1, of: 1, what: 'Writing it to the disk' });
    db.exec('COMMIT');
    return rows;
  } catch (error) {
    rollBack(db);
    throw error;
  } finally {
    db.close();
  }
}

function numbersIn({ definition }: OpenedPackage): Record<string, number> {
  const text = definition.find(({ path }) => path === NUMBERS)?.text;
  if (text === undefined) return {};
  try {
    return Object.fromEntries(
      Object.entries(JSON.parse(text) as Record<string, unknown>).filter((entry): entry is [string, number] =>
        Number.isSafeInteger(entry[1]),
      ),
    );
  } catch {
    throw new SheetError('The numbers in this package cannot be read: they are no JSON.');
  }
}

async function loadTable(
  db: Connection,
  design: Design,
  table: Table,
  { files }: OpenedPackage,
): Promise<number> {
  const name = `data/${resourceName(table)}.csv`;
  const path = files[name];
  if (path === undefined)
    throw new SheetError(`The rows of ${table.plural} are missing in this package (${name}).`);
  const fields = storedFields(table);
  const list = fields.map((field) => sqlName(field.name)).join(', ');
  let places: number[] | null = null;
  let rows = 0;
  let waiting: Stored[][] = [];
  const flush = (line: number): void => {
    if (waiting.length === 0) return;
    const values = waiting.map(() => `(${fields.map(() => '?').join(', ')})`).join(', ');
    try {
      prepared(db, `INSERT INTO ${sqlName(table.name)} (${list}) VALUES ${values}`).run(waiting.flat());
    } catch (error) {
      if (!isConstraintError(error)) throw error;
      throw new SheetError(
        `${name}, at line ${line} or shortly before: ${engineError(design, table, error as Error).message}`,
      );
    }
    rows += waiting.length;
    waiting = [];
  };
  const most = Math.max(1, Math.min(100, Math.floor(20_000 / fields.length)));
  for await (const batch of delimitedRows(path, STYLE, () => undefined))
    for (const { line, cells } of batch.rows) {
      const texts = cells.map(cellText);
      if (!places) {
        places = fields.map((field) => texts.indexOf(field.name));
        const missing = fields.find((_, i) => places![i] === -1);
        if (missing) throw new SheetError(`${name} has no column ${missing.name}.`);
        continue;
      }
      waiting.push(
        fields.map((field, i) => {
          const read = unpacked(design, field, texts[places![i]!] ?? '');
          if (!read.ok) throw new SheetError(`${name}, line ${line}: ${read.message}`);
          return toStored(field, read.value);
        }),
      );
      if (waiting.length >= most) flush(line);
    }
  flush(0);
  return rows;
}

async function loadAttachments(db: Connection, { files }: OpenedPackage): Promise<void> {
  const path = files[`data/${ATTACHMENTS}.csv`];
  if (path === undefined) return;
  const insert =
    'INSERT INTO hr_attachment (id, name, type, size, sha256, at, by, account, bytes, preview) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)';
  let isHead = true;
  for await (const batch of delimitedRows(path, STYLE, () => undefined))
    for (const { line, cells } of batch.rows) {
      if (isHead) {
        isHead = false;
        continue;
      }
      const [id, name, type, size, sha256, at, by, account, place] = cells.map((cell) =>
        unharmed(cellText(cell)),
      );
      const file = files[place ?? ''];
      if (file === undefined)
        throw new SheetError(`The file of line ${line} of the attachments is missing in this package.`);
      const bytes = readFileSync(file);
      if (createHash('sha256').update(bytes).digest('hex') !== sha256)
        throw new SheetError(`The file of line ${line} of the attachments is not the one that was packed.`);
      const preview = files[`previews/${id}`];
      prepared(db, insert).run([
        Number(id),
        name!,
        type!,
        Number(size),
        sha256,
        at!,
        by!,
        account || null,
        bytes,
        preview === undefined ? null : readFileSync(preview),
      ]);
    }
}
