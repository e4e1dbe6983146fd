import { createWriteStream } from 'node:fs';
import type { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';

/** How a file is written. */
export interface Writing {
  /** Ends it. */
  readonly signal?: AbortSignal;
  /** Bytes that may wait to be written, and are then written together. */
  readonly atOnce?: number;
}

/**
 * Writes what comes from a stream, through others, into a file. Settles only once the file is closed, also where it
 * rejects: one that was still to be opened would else come into being after whoever cleared it.
 */
export async function intoFile(
  path: string,
  streams: readonly [Readable, ...Transform[]],
  { signal, atOnce }: Writing = {},
): Promise<void> {
  const to = createWriteStream(path, atOnce === undefined ? {} : { highWaterMark: atOnce });
  const closed = new Promise<void>((resolve) => to.once('close', resolve));
  try {
    await pipeline([...streams, to], signal ? { signal } : {});
  } finally {
    to.destroy();
    await closed;
  }
}
