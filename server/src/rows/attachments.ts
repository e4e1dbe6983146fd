import { createHash } from 'node:crypto';
import { readFileSync, statSync, writeFileSync } from 'node:fs';
import { eq, sql } from 'drizzle-orm';
import type { Design, Field, Table } from '@heathridge/core/design';
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
import { Problem } from '../problem';
import { attachment } from '../store/file-schema';
import { openForWriting, ormOver, type Connection } from '../store/driver';
import type { OpenFile } from '../store/files';
import { inTransaction, prepared } from '../store/statements';
import { DesignMoved, storedVersion } from '../store/versions';
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

/**
 * Bytes of pictures and files that one database file holds at most: each change of its design takes a copy of all of it,
 * and ten of those are kept.
 */
export const MOST_ATTACHED = 2e9;

/** Days for which a picture is kept that no row holds any more: as long as what was done with its row can be undone. */
const KEPT_DAYS = 90;

/** The type of a picture by what its bytes say, and a small copy; null when they are none. */
async function asPicture(name: string, path: string): Promise<Picture | null> {
  // Only where pictures come: it takes its time to be there.
  const { default: sharp } = await import('sharp');
  sharp.concurrency(1);
  sharp.cache(false);
  try {
    // Of its head alone.
    const { format, width, height } = await sharp(path, { limitInputPixels: false }).metadata();
    const type = PICTURES[format === 'heif' ? 'avif' : format];
    if (type === undefined) return null;
    if (width * height > MOST_POINTS)
      throw new AttachmentRefused(
        'too-large',
        `${name} has ${width.toLocaleString('en-GB')} x ${height.toLocaleString('en-GB')} points; at most ${MOST_POINTS / 1e6} million are kept of a picture. Make it smaller first.`,
      );
    const preview = await sharp(path, { limitInputPixels: MOST_POINTS })
      .rotate()
      .resize(PREVIEW, PREVIEW, { fit: 'inside', withoutEnlargement: true })
      .webp({ quality: 80 })
      .toBuffer();
    return { type, preview };
  } catch (error) {
    if (error instanceof AttachmentRefused) throw error;
    // Whatever sharp cannot decode is kept as a plain file, or refused where a picture is needed.
    return null;
  }
}

/** Why bytes are not kept, in words. */
class AttachmentRefused extends Error {
  constructor(
    readonly type: 'too-large' | 'bad-request',
    message: string,
  ) {
    super(message);
  }
}

/** Bytes that are to be kept in a file. */
export interface AttachOrder {
  readonly name: string;
  /** Where they lie. */
  readonly bytes: string;
  readonly mustBePicture: boolean;
  readonly by: { readonly id: string; readonly name: string };
  readonly now: string;
}

/** An attachment that is kept, or why it is not. */
export type AttachmentKept = Kept | { readonly refused: AttachmentRefused['type']; readonly message: string };

/**
 * Keeps bytes in a file, on a connection of its own: the work of a child, one at a time, since a picture that is made
 * small takes hundreds of megabytes. They are refused when there are none, or too many, or when a picture is needed and
 * they are none.
 */
export async function keepAttachment(
  path: string,
  design: Design,
  order: AttachOrder,
): Promise<AttachmentKept> {
  try {
    return await kept(path, design, order);
  } catch (error) {
    if (error instanceof AttachmentRefused) return { refused: error.type, message: error.message };
    throw error;
  }
}

async function kept(path: string, design: Design, order: AttachOrder): Promise<Kept> {
  const { name, mustBePicture, by, now } = order;
  const { size } = statSync(order.bytes);
  if (size === 0) throw new AttachmentRefused('bad-request', `${name} is empty.`);
  const picture = await asPicture(name, order.bytes);
  if (mustBePicture && !picture)
    throw new AttachmentRefused(
      'bad-request',
      `${name} is no picture that can be shown: PNG, JPEG, GIF, WebP or AVIF.`,
    );
  const bytes = readFileSync(order.bytes);
  const values = {
    name,
    type: picture?.type ?? 'application/octet-stream',
    size,
    sha256: createHash('sha256').update(bytes).digest('hex'),
    at: now,
    by: by.name,
    account: by.id,
    preview: picture?.preview ?? null,
    bytes,
  };
  const db = openForWriting(path);
  try {
    const id = inTransaction(db, () => {
      if (storedVersion(db) !== design.version) throw new DesignMoved();
      makeRoom(db, design, order, size);
      return ormOver(db).insert(attachment).values(values).returning({ id: attachment.id }).all()[0]!.id;
    });
    return { id, name, type: values.type, size, preview: picture !== null };
  } finally {
    db.close();
  }
}

const isAttached = ({ type }: Field): boolean => type.kind === 'picture' || type.kind === 'file';

/** Bytes of all pictures and files that a file holds. */
export function attachedBytes(db: Connection): number {
  const [bytes] = prepared(db, 'SELECT coalesce(sum(size), 0) FROM hr_attachment').get() as [number];
  return bytes;
}

/**
 * Lets go of what no row has held for long where there is no room for so many bytes. Throws AttachmentRefused where that
 * does not make enough.
 */
function makeRoom(db: Connection, design: Design, { name, now }: AttachOrder, size: number): void {
  if (attachedBytes(db) + size <= MOST_ATTACHED) return;
  const held = design.tables.flatMap((table) =>
    table.fields
      .filter(isAttached)
      .map(
        (field) =>
          ` AND NOT EXISTS (SELECT 1 FROM ${sqlName(table.name)} AS t WHERE t.${sqlName(field.name)} = hr_attachment.id)`,
      ),
  );
  const oldest = new Date(Date.parse(now) - KEPT_DAYS * 86_400_000).toISOString();
  prepared(db, `DELETE FROM hr_attachment WHERE at < ?${held.join('')}`).run([oldest]);
  const left = attachedBytes(db);
  if (left + size > MOST_ATTACHED)
    throw new AttachmentRefused(
      'too-large',
      `There is no room for ${name}: the pictures and files of this database have ${gigabytes(left)} of ${gigabytes(MOST_ATTACHED)} GB. What is taken out of its row makes room ${KEPT_DAYS} days after it came.`,
    );
}

const gigabytes = (bytes: number): string => (bytes / 1e9).toFixed(2);

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

/** What is known of an attachment beside its bytes. */
export interface Known {
  readonly name: string;
  readonly type: string;
  /** Bytes of the part that was asked for. */
  readonly size: number;
}

type Part = 'whole' | 'preview';

/**
 * What is known of an attachment or of its preview. Throws `not-found` when there is none, or none for this viewer.
 */
export function knownAttachment(file: OpenFile, viewer: Viewer, id: number, part: Part): Known {
  const size = part === 'whole' ? attachment.size : sql<number | null>`length(${attachment.preview})`;
  const row =
    Number.isSafeInteger(id) && sees(file, viewer, id)
      ? file.orm
          .select({ name: attachment.name, type: attachment.type, size })
          .from(attachment)
          .where(eq(attachment.id, id))
          .get()
      : undefined;
  if (row?.size == null) throw new Problem('not-found', 'This attachment is no longer there.');
  return { name: row.name, type: part === 'preview' ? 'image/webp' : row.type, size: row.size };
}

/** The bytes of an attachment or of its preview; null when it has gone. */
export function bytesOf(db: Connection, id: number, part: Part): Buffer | null {
  const sql = `SELECT ${part === 'whole' ? 'bytes' : 'preview'} FROM hr_attachment WHERE id = ?`;
  const row = prepared(db, sql).get([id]) as [Buffer | null] | undefined;
  return row?.[0] ?? null;
}

/** Writes the bytes of an attachment to disk: the work of a child. False when it has gone. */
export function writeOut(db: Connection, id: number, to: string): boolean {
  const bytes = bytesOf(db, id, 'whole');
  if (bytes) writeFileSync(to, bytes);
  return bytes !== null;
}
