import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import Database from 'libsql';
import { buildApp, type App } from '../app';
import { BROUGHT, chance } from '../testing/killed-at-work';
import { Office, ORIGIN, stillClock } from '../testing/office';
import '../testing/timeouts';

/** Kills in the tests; `npm run kills` does 200. */
const KILLS = Number(process.env['KILLS'] ?? 5);
/** Milliseconds that one may take on a slow machine. */
const MOST_EACH = 60_000;
/** Milliseconds that one is left at work at most: in a long run long enough for long work to end. */
const LONGEST = KILLS >= 200 ? 8000 : 2500;
const SEED = Number(process.env['KILLS_SEED'] ?? 20261126);

const WORKER = join(dirname(fileURLToPath(import.meta.url)), '..', 'testing', 'killed-at-work.ts');

/** Starts a server at work and kills it after some time; gives what it said that it had done. */
function killedAfter(milliseconds: number, args: readonly string[]): Promise<string[]> {
  const child = spawn(process.execPath, ['--import', 'tsx', WORKER, ...args], {
    stdio: ['ignore', 'pipe', 'ignore'],
    env: process.env,
  });
  return new Promise((resolve, reject) => {
    let said = '';
    let begun = false;
    child.stdout.on('data', (bytes: Buffer) => {
      said += bytes.toString();
      if (begun || !said.includes('ready')) return;
      begun = true;
      setTimeout(() => child.kill('SIGKILL'), milliseconds);
    });
    child.once('exit', (code) => {
      if (code !== null) reject(new Error(`It ended by itself with ${code}.`));
      // A line that is not whole was not told.
      else resolve(said.split('\n').slice(0, -1));
    });
  });
}

describe('a server that is killed at work, again and again', () => {
  it(
    `keeps all that it has answered, and does nothing by halves (${KILLS} kills)`,
    async () => {
      const office = await Office.open();
      const { file, token, data } = office;
      await office.app.close();
      const folder = mkdtempSync(join(tmpdir(), 'heathridge-kills-'));
      const foreign = join(folder, 'foreign.db');
      const made = new Database(foreign);
      made.exec(
        "CREATE TABLE t (id INTEGER PRIMARY KEY, name TEXT); INSERT INTO t SELECT value, 'Row ' || value FROM generate_series(1, 3000)",
      );
      made.close();
      const random = chance(SEED);
      const saved = new Set<string>();
      const adopted = new Set<string>();
      const brought = new Set<string>();
      let version = 0;
      let designs = 0;
      for (let kill = 0; kill < KILLS; kill++) {
        const wait = Math.floor(random() ** 2 * LONGEST);
        const said = await killedAfter(wait, [data, file, token, foreign, String(SEED + kill)]);
        const where = `kill ${kill} after ${wait} ms`;
        for (const line of said) {
          const [what, rest] = [line.slice(0, line.indexOf(' ')), line.slice(line.indexOf(' ') + 1)];
          if (what === 'saved') saved.add(rest);
          if (what === 'adopted') adopted.add(rest);
          if (what === 'brought') brought.add(rest);
          if (what === 'design') version = Math.max(version, Number(rest));
          if (what === 'design') designs++;
        }
        const app = await buildApp({ data, clock: stillClock });
        await look(app, where);
        await app.close();
      }
      rmSync(folder, { recursive: true });
      rmSync(data, { recursive: true, force: true });
      expect(saved.size).withContext('saves that were answered').toBeGreaterThan(0);
      if (KILLS >= 200)
        expect(Math.min(designs, adopted.size, brought.size))
          .withContext('other work')
          .toBeGreaterThan(5);

      async function look(app: App, where: string): Promise<void> {
        const call = async (method: 'GET' | 'POST', url: string, payload?: object) => {
          const answer = await app.server.inject({
            method,
            url,
            ...(payload ? { payload } : {}),
            cookies: { heathridge: token },
            headers: { origin: ORIGIN },
          });
          return { status: answer.statusCode, body: answer.json() as Record<string, never> };
        };
        const at = `/api/files/${file}`;
        const values = { f_schoolName: `After ${where}`, f_schoolDistrict: 'Causey' };
        const saving = { changes: [{ op: 'insert', table: 't_school', values }] };
        let answer = await call('POST', `${at}/rows`, saving);
        // A child that is only now about to notice that it is alone may still hold the file.
        for (let tries = 0; answer.status === 423 && tries < 60; tries++) {
          await new Promise((resolve) => setTimeout(resolve, 250));
          answer = await call('POST', `${at}/rows`, saving);
        }
        expect(answer.status)
          .withContext(`${where}: ${JSON.stringify(answer.body)}`)
          .toBe(200);
        const { reader, design } = app.context.files.get(file);
        const read = (sql: string): unknown[] => (reader.prepare(sql).raw().all() as unknown[][]).flat();
        const there = new Set(read('SELECT name FROM school'));
        expect([...saved].filter((name) => !there.has(name)))
          .withContext(`${where}: rows that are lost`)
          .toEqual([]);
        expect(design.version).withContext(where).toBeGreaterThanOrEqual(version);
        expect(read('PRAGMA integrity_check')).withContext(where).toEqual(['ok']);
        // No row without its history, and no history without its entry in the log.
        expect(
          read(
            'SELECT count(*) FROM hr_history AS h WHERE log IS NOT NULL AND log NOT IN (SELECT id FROM hr_log)',
          ),
        )
          .withContext(where)
          .toEqual([0]);
        // A sheet is in the file with all of its rows, or with none.
        const sheets = reader
          .prepare(
            "SELECT rtrim(rtrim(name, '0123456789')) AS tag, count(*) FROM school WHERE name LIKE 'Brought %' GROUP BY tag",
          )
          .raw()
          .all() as [string, number][];
        expect(sheets.filter(([, rows]) => rows !== BROUGHT))
          .withContext(`${where}: half a sheet`)
          .toEqual([]);
        const known = new Set(sheets.map(([tag]) => tag));
        expect([...brought].filter((tag) => !known.has(tag)))
          .withContext(`${where}: sheets that are lost`)
          .toEqual([]);
        const kept = read("SELECT count(*) FROM hr_history WHERE table_id = 't_school' AND op = 'insert'");
        expect(
          read(
            "SELECT count(*) FROM school WHERE name LIKE 'School %' OR name LIKE 'After %' OR name LIKE 'Brought %'",
          ),
        )
          .withContext(`${where}: rows and their history`)
          .toEqual(kept);
        const sound = await call('POST', `${at}/sound`, {});
        expect(sound.body as unknown)
          .withContext(where)
          .toEqual({ findings: [], missing: [], damage: [] });
        // What is in the list opens; what was answered is in the list.
        const { files } = (await call('GET', '/api/files')).body as unknown as { files: { id: string }[] };
        const ids = files.map(({ id }) => id);
        expect([...adopted].filter((id) => !ids.includes(id)))
          .withContext(`${where}: files that are lost`)
          .toEqual([]);
        for (const id of ids) {
          const opened = await call('GET', `/api/files/${id}/design`);
          expect(opened.status).withContext(`${where}: ${id}`).toBe(200);
          const { counts } = opened.body as unknown as { counts: Record<string, number> };
          if (id !== file) expect(Object.values(counts)).withContext(`${where}: ${id}`).toEqual([3000]);
        }
        const leftOver = (): string[] =>
          (readdirSync(data, { recursive: true }) as string[]).filter(
            (path) =>
              /\.(part|read)(-|$)/.test(path) ||
              (path.startsWith('copies') && /-(wal|shm|journal)$/.test(path)),
          );
        // A child that is only now about to notice that it is alone clears what it has begun.
        let left = leftOver();
        for (let tries = 0; left.length > 0 && tries < 60; tries++) {
          await new Promise((resolve) => setTimeout(resolve, 250));
          left = leftOver();
        }
        expect(left).withContext(`${where}: what is left over`).toEqual([]);
      }
    },
    KILLS * MOST_EACH,
  );
});
