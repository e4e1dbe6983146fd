import { rmSync, writeFileSync } from 'node:fs';
import { isStored } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import sharp from 'sharp';
import { applyDraft } from '@heathridge/server/plan/apply-draft';
import type { Context } from '@heathridge/server/http/context';
import { keepAttachment } from '@heathridge/server/rows/attachments';
import { putDefinition } from '@heathridge/server/store/definitions';
import { place } from '@heathridge/server/store/file-schema';
import { BOARDS, demoForms, REPORTS } from './documents';
import { QUERIES } from './queries';
import { demoRows } from './rows';
import { PICTURES } from './pictures';
import { OVERLAP, PLACES, TABLES, tableId } from './tables';

export const DEMO_FILE = 'Quillbrook hire';

export const SIGN_INS = [
  { login: 'mara', password: 'quill-and-bow', name: 'Mara Ashdown', role: 'builder' },
  { login: 'tobin', password: 'brook-and-reed', name: 'Tobin Leck', role: 'colleague' },
] as const;

/** Rows handed to the engine at once. */
const BATCH = 5000;

/**
 * Makes the demo: two people, and the file of an invented office with its tables, rows, queries,
 * screens and reports, by the same ways a builder takes. Returns the file's id.
 */
export async function makeDemo({
  accounts,
  clock,
  files,
  jobs,
  sheets,
}: Pick<Context, 'accounts' | 'clock' | 'files' | 'jobs' | 'sheets'>): Promise<string> {
  const [builder, colleague] = await Promise.all(
    SIGN_INS.map(({ login, password, name, role }) =>
      accounts.create(login, name, password, role === 'builder'),
    ),
  );
  const id = files.create(DEMO_FILE, builder!.id, 'Europe/London');
  files.share(id, colleague!.id, 'colleague');
  const { version } = files.get(id).design;
  await applyDraft(
    files,
    jobs,
    id,
    version,
    TABLES.map((table) => ({ change: 'addTable', table })),
    builder!.name,
    clock,
  );
  const file = files.get(id);
  // Their numbers in the file are those of the families whose instruments show them.
  for (const { name, svg } of PICTURES) {
    const bytes = await sharp(Buffer.from(svg)).png().toBuffer();
    const path = sheets.placeFor(clock.id('a'), 'part');
    writeFileSync(path, bytes);
    const order = { name, bytes: path, mustBePicture: true, by: builder!, now: clock.now() };
    await keepAttachment(file.path, file.design, order);
    rmSync(path);
  }
  const rows = demoRows(clock.today('Europe/London'));
  file.orm.transaction((tx) => {
    // Parents come before their children in TABLES, so foreign keys hold at every step.
    for (const { name, fields } of TABLES) {
      const stored = fields.filter(isStored);
      const columns = stored.map((field) => sqlName(field.name)).join(', ');
      const values = stored.map((_, i) => `json_extract(value, '$[${i}]')`).join(', ');
      const insert = file.writer.prepare(
        `INSERT INTO ${sqlName(name)} (${columns}) SELECT ${values} FROM json_each(?)`,
      );
      const all = rows[name] ?? [];
      for (let i = 0; i < all.length; i += BATCH) insert.run(JSON.stringify(all.slice(i, i + BATCH)));
    }
    for (const [name, [x, y]] of Object.entries(PLACES))
      tx.insert(place)
        .values({ table: tableId(name), x, y })
        .run();
    for (const document of [...QUERIES, ...demoForms(file.design), ...BOARDS, ...REPORTS])
      putDefinition(tx as never, document, { at: clock.now(), by: builder!.name });
  });
  file.writer.exec('ANALYZE; PRAGMA wal_checkpoint(TRUNCATE)');
  await applyDraft(files, jobs, id, files.reload(id).version, [OVERLAP], builder!.name, clock);
  accounts.rememberDemo(SIGN_INS);
  return id;
}
