import { existsSync, readdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';

/** A file that was being made, or read, and what the engine keeps beside one. */
const UNFINISHED = /\.(part|read)(-wal|-shm|-journal)?$/;
/** What the engine keeps beside a safe copy while it is looked at: a copy is whole without. */
const BESIDE = /\.db-(wal|shm|journal)$/;

/** What the engine keeps beside a file. The log of a file that is in the list may hold what was saved last. */
const OF_FILE = /^(f_\w+)\.db-(wal|shm)$/;

/** How the name ends of what lay beside a file before another was put in its place. */
export const STRAY = '.stray';
/** Where it was a log, what it held has been written into its file; one that still holds something is kept. */
const SHARED_STRAY = /\.db-shm\.[\d-]+\.stray$/;
const LOG_STRAY = /\.db-wal\.[\d-]+\.stray$/;

/** A file that was to be taken in, as it came. */
const AS_IT_CAME = /^as-it-came\.db$/;

/** The folder of sheets between being sent and being brought in. */
export const SHEETS = 'sheets';

/**
 * Clears what a server that was killed has left: files that were still being made, and what stands beside safe
 * copies, or beside a file that is neither there nor in the list. Files and copies themselves are never touched, but for the file as it came of one that was never taken in:
 * whose id is not `known`, since the list is written last. Gives what was cleared, as paths below `data`.
 */
export function clearLeftovers(data: string, known: ReadonlySet<string>): string[] {
  const cleared: string[] = [];
  const clear = (folder: string, ...kinds: readonly RegExp[]): void => {
    if (!existsSync(join(data, folder))) return;
    for (const entry of readdirSync(join(data, folder), { withFileTypes: true })) {
      const path = join(folder, entry.name);
      if (!entry.isFile() || !kinds.some((kind) => kind.test(entry.name))) continue;
      rmSync(join(data, path), { force: true });
      cleared.push(path);
    }
  };
  clear('files', UNFINISHED, SHARED_STRAY);
  const files = join(data, 'files');
  for (const name of existsSync(files) ? readdirSync(files) : []) {
    if (LOG_STRAY.test(name) && statSync(join(files, name)).size === 0) {
      rmSync(join(files, name), { force: true });
      cleared.push(join('files', name));
    }
    // Of a file that was never whole, or could not be kept, and is gone.
    const id = OF_FILE.exec(name)?.[1];
    if (id === undefined || known.has(id) || existsSync(join(files, `${id}.db`))) continue;
    rmSync(join(files, name), { force: true });
    cleared.push(join('files', name));
  }
  const copies = join(data, 'copies');
  const folders = existsSync(copies) ? readdirSync(copies, { withFileTypes: true }) : [];
  for (const folder of folders)
    if (folder.isDirectory())
      clear(join('copies', folder.name), UNFINISHED, BESIDE, ...(known.has(folder.name) ? [] : [AS_IT_CAME]));
  // Sheets that nobody brought in: what was being done with them is not known any more.
  const sheets = join(data, SHEETS);
  for (const name of existsSync(sheets) ? readdirSync(sheets) : []) {
    rmSync(join(sheets, name), { recursive: true, force: true });
    cleared.push(join(SHEETS, name));
  }
  return cleared.sort();
}
