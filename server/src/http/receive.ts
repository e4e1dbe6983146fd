import { Readable, Transform } from 'node:stream';
import { Problem } from '../problem';
import { intoFile } from '../store/into-file';
import { isOfMachine } from '../store/private';

/** Types of bodies that are not read as a whole: they go to disk as they come. */
export const DATABASE = 'application/vnd.sqlite3';
export const SHEET = 'application/x-sheet';
export const BYTES = 'application/octet-stream';

/** Bytes of a body that may wait to be written, and are then written together. */
const AT_ONCE = 1024 * 1024;

/** Writes a body to disk as it comes; gives its bytes. Throws a problem when it has more of them than `most`. */
export async function receiveBody(body: unknown, path: string, type: string, most: number): Promise<number> {
  if (!(body instanceof Readable)) throw new Problem('bad-request', `The bytes must be sent as ${type}.`);
  let size = 0;
  const counted = new Transform({
    highWaterMark: AT_ONCE,
    transform(chunk: Buffer, _, done) {
      size += chunk.length;
      const words = `This may have ${most / 1024 ** 2 >= 1024 ? `${most / 1024 ** 3} GB` : `${most / 1024 ** 2} MB`} at most.`;
      done(size > most ? new Problem('too-large', words) : null, chunk);
    },
  });
  try {
    await intoFile(path, [body, counted], { atOnce: AT_ONCE });
  } catch (error) {
    if (error instanceof Problem || isOfMachine(error)) throw error;
    // Whoever sends has gone: nobody reads the answer, but it is no defect of ours either.
    throw new Problem('stopped', 'This was cut off before all of it had come.');
  }
  return size;
}
