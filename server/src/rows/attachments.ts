import { createHash } from 'node:crypto';
import sharp from 'sharp';
import { eq } from 'drizzle-orm';
import type { Field, Table } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import { allLevels, levelOf, linkedPictures } from '@heathridge/core/form';
import {
  hiddenIf,
  rowsOnScreen,
  rowsThere,
  screensOf,
  tablesOn,
  visibleFields,
  type Viewer,
} from '@heathridge/core/people';
import type { Clock } from '../clock';
import { Problem } from '../problem';
import { attachment } from '../store/file-schema';
import { assertWritable, type OpenFile } from '../store/files';
import { prepared } from '../store/statements';
import { oneOfSql } from './among';
import { holdsSql, keyColumns } from './json';

/** Bytes of one attachment at most. */
export const MOST_BYTES = 25 * 1024 * 1024;

/** Pixels along the longer side of a preview. */
const PREVIEW = 320;

/** Media types of pictures that a browser shows and that can hold no script. */
const PICTURES: Readonly<Record<string, string>> = {
  png: 'image/png',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
  avif: 'image/avif',
};

export interface Kept {
  readonly id: number;
  readonly name: string;
  readonly type: string;
  /** Bytes. */
  readonly size: number;
  readonly preview: boolean;
}

interface Picture {
  readonly type: string;
  readonly preview: Buffer;
}

/**
 * Points of a picture that is made small: the largest cameras have some 60 million. A few bytes may stand for many
 * more, each of which takes four bytes of memory while it is made small.
 */
export const MOST_POINTS = 64_000_000;

/** Pictures are made small one after another: sixteen at once took 3.4 GB. */
let before: Promise<unknown> = Promise.resolve();
sharp.concurrency(1);
sharp.cache(false);

/** The type of a picture by what its bytes say, and a small copy; null when they are none. */
function asPicture(name: string, bytes: Buffer): Promise<Picture | null> {
  const next = before.then(() => madeSmall(name, bytes));
  // Whoever sent it hears what is wrong with it; the next one is made small all the same.
  before = next.catch(() => undefined);
  return next;
}

async function madeSmall(name: string, bytes: Buffer): Promise<Picture | null> {
  try {
    // Of its head alone.
    const { format, width, height } = await sharp(bytes, { limitInputPixels: false }).metadata();
    const type = PICTURES[format === 'heif' ? 'avif' : format];
    if (type === undefined) return null;
    if (width * height > MOST_POINTS)
      throw new Problem(
        'too-large',
        `${name} has ${width.toLocaleString('en-GB')} x ${height.toLocaleString('en-GB')} points; at most ${MOST_POINTS / 1e6} million are kept of a picture. Make it smaller first.`,
      );
    const preview = await sharp(bytes, { limitInputPixels: MOST_POINTS })
      .rotate()
      .resize(PREVIEW, PREVIEW, { fit: 'inside', withoutEnlargement: true })
      .webp({ quality: 80 })
      .toBuffer();
    return { type, preview };
  } catch (error) {
    if (error instanceof Problem) throw error;
    // Whatever sharp cannot decode is kept as a plain file, or refused where a picture is needed.
    return null;
  }
}

/**
 * Keeps bytes in the file. Throws a problem when there are none, too many, or when a picture is needed
 * and they are none.
 */
export async function keepAttachment(
  file: OpenFile,
  name: string,
  bytes: Buffer,
  mustBePicture: boolean,
  by: { readonly id: string; readonly name: string },
  clock: Clock,
): Promise<Kept> {
  if (bytes.length === 0) throw new Problem('bad-request', `${name} is empty.`);
  if (bytes.length > MOST_BYTES)
    throw new Problem('too-large', `${name} has more than ${MOST_BYTES / 1024 / 1024} MB.`);
  const picture = await asPicture(name, bytes);
  assertWritable(file);
  if (mustBePicture && !picture)
    throw new Problem(
      'bad-request',
      `${name} is no picture that can be shown: PNG, JPEG, GIF, WebP or AVIF.`,
    );
  const values = {
    name,
    type: picture?.type ?? 'application/octet-stream',
    size: bytes.length,
    sha256: createHash('sha256').update(bytes).digest('hex'),
    at: clock.now(),
    by: by.name,
    account: by.id,
    preview: picture?.preview ?? null,
    bytes,
  };
  const [made] = file.orm.insert(attachment).values(values).returning({ id: attachment.id }).all();
  return { id: made!.id, name, type: values.type, size: values.size, preview: picture !== null };
}

/**
 * Whether a viewer may have an attachment: a screen shows a row that holds it, or she has just brought it
 * herself.
 */
function sees(file: OpenFile, viewer: Viewer, id: number): boolean {
  const { design, reader } = file;
  if (viewer.role === 'builder') return true;
  const holds = (table: Table, field: Field, there = ''): boolean =>
    prepared(
      reader,
      `SELECT 1 FROM ${sqlName(table.name)} AS t WHERE t.${sqlName(field.name)} = ?${there} LIMIT 1`,
    ).get(id) !== undefined;
  const isAttached = ({ type }: Field): boolean => type.kind === 'picture' || type.kind === 'file';
  const shown = screensOf(design, viewer).some((screen) =>
    tablesOn(design, screen).some((table) => {
      const through = { ...viewer, screen };
      const there = oneOfSql(design, table, rowsOnScreen(design, through, table));
      const hiding = hiddenIf(design, through, table);
      return visibleFields(design, through, table).some((field) => {
        if (!isAttached(field)) return false;
        const hidden = (hiding.get(field.id) ?? []).map(
          (source) => ` AND NOT ${holdsSql(design, table, source, 't')}`,
        );
        return holds(table, field, there + hidden.join(''));
      });
    }),
  );
  if (shown || linked(file, viewer, id)) return true;
  const own = prepared(reader, 'SELECT 1 FROM hr_attachment WHERE id = ? AND account = ?');
  if (own.get(id, viewer.id) === undefined) return false;
  // What stands in a row is seen as that row is.
  return !design.tables.some((table) =>
    table.fields.some((field) => isAttached(field) && holds(table, field)),
  );
}

/** Whether a screen shows an attachment beside a lookup that leads to the row which holds it. */
const linked = ({ design, reader }: OpenFile, viewer: Viewer, id: number): boolean =>
  screensOf(design, viewer).some((screen) => {
    const root = levelOf(design, screen);
    const through = { ...viewer, screen };
    return (root ? allLevels(root) : []).some((level) =>
      linkedPictures(design, level).some(({ lookup, table, picture }) => {
        const [key] = keyColumns(table, 'p');
        const there = oneOfSql(design, level.table, rowsOnScreen(design, through, level.table));
        const hiding = hiddenIf(design, through, level.table).get(lookup.id) ?? [];
        const theirs = [
          ...rowsThere(viewer, table).map((source) => ` AND ${holdsSql(design, table, source, 'p')}`),
          ...hiding.map((source) => ` AND NOT ${holdsSql(design, level.table, source, 't')}`),
        ];
        const sql =
          `SELECT 1 FROM ${sqlName(table.name)} AS p JOIN ${sqlName(level.table.name)} AS t ON t.${sqlName(lookup.name)} = ${key} ` +
          `WHERE p.${sqlName(picture.name)} = ?${theirs.join('')}${there} LIMIT 1`;
        return prepared(reader, sql).get(id) !== undefined;
      }),
    );
  });

/**
 * The bytes of an attachment or of its preview, with their type. Throws `not-found` when there are none, or
 * none for this viewer.
 */
export function readAttachment(
  file: OpenFile,
  viewer: Viewer,
  id: number,
  part: 'whole' | 'preview',
): { readonly name: string; readonly type: string; readonly bytes: Buffer } {
  const column = part === 'whole' ? attachment.bytes : attachment.preview;
  const row =
    Number.isSafeInteger(id) && sees(file, viewer, id)
      ? file.orm
          .select({ name: attachment.name, type: attachment.type, bytes: column })
          .from(attachment)
          .where(eq(attachment.id, id))
          .get()
      : undefined;
  if (!row?.bytes) throw new Problem('not-found', 'This attachment is no longer there.');
  return { name: row.name, type: part === 'preview' ? 'image/webp' : row.type, bytes: row.bytes };
}
