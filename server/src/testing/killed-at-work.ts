import { readFileSync, writeSync } from 'node:fs';
import type { Change } from '@heathridge/core/change';
import type { Design } from '@heathridge/core/design';
import { proposeKnown, type BringPlan, type SheetColumn, type SheetStyle } from '@heathridge/core/sheet';
import { buildApp } from '../app';
import { SHEET } from '../http/receive';
import { ORIGIN } from './office';

/** Numbers from 0 to 1 that a seed gives again (mulberry32). */
export function chance(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/** Rows of a sheet that is brought in. */
export const BROUGHT = 400;

const planFor = (
  design: Design,
  { columns, style }: { columns: SheetColumn[]; style: SheetStyle },
): BringPlan => ({
  ...proposeKnown(
    design,
    design.tables.find(({ id }) => id === 't_school')!,
    columns,
    style,
    null,
  ),
  mode: 'add',
  match: [],
});

/** Told at once: what was told has been answered, whatever happens a moment later. */
const say = (line: string): void => void writeSync(1, `${line}\n`);

/**
 * A server of its own process that saves rows, brings sheets in, applies and undoes drafts and takes files in, one after the
 * other, and tells of each that was done, until it is killed.
 */
async function main(): Promise<void> {
  const [data, file, token, foreign, seed] = process.argv.slice(2) as [
    string,
    string,
    string,
    string,
    string,
  ];
  const app = await buildApp({ data });
  const random = chance(Number(seed));
  const call = async (url: string, payload: object, type = 'application/json') =>
    app.server.inject({
      method: 'POST',
      url,
      payload: payload as never,
      cookies: { heathridge: token },
      headers: { origin: ORIGIN, 'content-type': type },
    });
  const at = `/api/files/${file}`;
  const bytes = readFileSync(foreign);
  say('ready');
  for (let n = 0; ; n++) {
    const { design } = app.context.files.get(file);
    const school = design.tables.find(({ id }) => id === 't_school')!;
    const sort = random();
    if (sort < 0.15) {
      const tag = `Brought ${seed} ${n}`;
      const rows = Array.from({ length: BROUGHT }, (_, i) => `${tag} ${i},Causey\n`);
      const sent = await call(
        `${at}/sheets?name=schools.csv`,
        Buffer.from(`Name,District\n${rows.join('')}`),
        SHEET,
      );
      if (sent.statusCode !== 200) continue;
      const { sheet, look } = sent.json() as { sheet: { id: string }; look: Parameters<typeof planFor>[1] };
      await call(`${at}/sheets/${sheet.id}/check`, { plan: planFor(design, look) });
      const brought = await call(`${at}/sheets/${sheet.id}/bring`, {});
      if (brought.statusCode === 200 && (brought.json() as { done: boolean }).done) say(`brought ${tag}`);
    } else if (sort < 0.6) {
      const name = `School ${seed} ${n}`;
      const values = { f_schoolName: name, f_schoolDistrict: 'Causey' };
      const { statusCode } = await call(`${at}/rows`, {
        changes: [{ op: 'insert', table: 't_school', values }],
      });
      if (statusCode === 200) say(`saved ${name}`);
    } else if (sort < 0.8) {
      const extra = school.fields.find(({ id }) => id === 'f_schoolExtra');
      const plain = school.fields.find(({ id }) => id === 'f_schoolName')!;
      const change: Change = extra
        ? { change: 'dropField', table: 't_school', field: extra.id, mends: [] }
        : {
            change: 'addField',
            table: 't_school',
            field: {
              ...plain,
              id: 'f_schoolExtra',
              name: 'extra',
              label: 'Extra',
              alwaysFilled: false,
              noTwoAlike: false,
              indexed: true,
            },
          };
      const done = await call(`${at}/draft/apply`, { base: design.version, changes: [change] });
      if (done.statusCode === 200)
        say(`design ${(done.json() as { design: { version: number } }).design.version}`);
    } else if (sort < 0.9) {
      const done = await call(`${at}/changes/${design.version}/undo`, {});
      if (done.statusCode === 200)
        say(`design ${(done.json() as { design: { version: number } }).design.version}`);
    } else {
      const url = `/api/files/adopt?name=Foreign%20${seed}%20${n}`;
      const done = await call(url, bytes, 'application/vnd.sqlite3');
      if (done.statusCode === 200) say(`adopted ${(done.json() as { id: string }).id}`);
    }
  }
}

if (process.argv[1]?.includes('killed-at-work')) void main();
