import { createReadStream } from 'node:fs';
import { SHEET_ENCODINGS, type SheetEncoding } from '@heathridge/core/sheet';
import { SheetError } from './sheet-error';

/** Bytes that are read at once. */
export const PIECE = 1024 * 1024;

const MARKS: readonly (readonly [SheetEncoding, readonly number[]])[] = [
  ['utf-8', [0xef, 0xbb, 0xbf]],
  ['utf-16le', [0xff, 0xfe]],
  ['utf-16be', [0xfe, 0xff]],
];

/**
 * The encoding of a text, by all of its bytes: its byte order mark, noughts in every other byte (UTF-16), or
 * whether it is sound UTF-8. Anything else is one of those in which a byte is a character: which of them nobody
 * can tell, so the commonest is taken and shown. Throws a SheetError for what is no text.
 */
export async function encodingOf(path: string): Promise<SheetEncoding> {
  const zeros = [0, 0];
  let [at, controls] = [0, 0];
  let isSound = true;
  const decoder = new TextDecoder('utf-8', { fatal: true });
  for await (const piece of createReadStream(path, { highWaterMark: PIECE }) as AsyncIterable<Buffer>) {
    if (at === 0) {
      const marked = MARKS.find(([, mark]) => mark.every((byte, i) => piece[i] === byte));
      if (marked) return marked[0];
    }
    for (let i = 0; i < piece.length; i++) {
      const byte = piece[i]!;
      if (byte >= 32) continue;
      if (byte === 0) zeros[(at + i) & 1]!++;
      else if (byte !== 9 && byte !== 10 && byte !== 13 && byte !== 12 && byte !== 26) controls++;
    }
    at += piece.length;
    if (isSound)
      try {
        decoder.decode(piece, { stream: true });
      } catch {
        isSound = false;
      }
  }
  const [even, odd] = zeros as [number, number];
  const half = at / 2;
  // Plain letters of UTF-16 have a nought beside each.
  if (even + odd > half * 0.4) {
    if (odd > even * 20) return 'utf-16le';
    if (even > odd * 20) return 'utf-16be';
  }
  if (even + odd > 0 || controls > at / 1000)
    throw new SheetError(
      'This is no text: it holds bytes that no text has (NUL, or control characters). Is it a picture, a program or a damaged file with another ending?',
    );
  if (isSound)
    try {
      decoder.decode();
      return 'utf-8';
    } catch {
      // The last character is torn off.
    }
  return 'windows-1252';
}

/** The text of a file piece by piece. Throws a SheetError where its bytes are none of the encoding. */
export async function* decoded(
  path: string,
  encoding: SheetEncoding,
  read: (bytes: number) => void = () => undefined,
): AsyncGenerator<string> {
  const decoder = new TextDecoder(encoding, { fatal: true });
  const refuse = (): never => {
    throw new SheetError(
      `This is not written in ${SHEET_ENCODINGS[encoding]}: some of its bytes are no characters there. Choose another encoding.`,
    );
  };
  let text: string;
  for await (const piece of createReadStream(path, { highWaterMark: PIECE }) as AsyncIterable<Buffer>) {
    read(piece.length);
    try {
      text = decoder.decode(piece, { stream: true });
    } catch {
      refuse();
    }
    yield text!;
  }
  try {
    text = decoder.decode();
  } catch {
    refuse();
  }
  if (text! !== '') yield text!;
}
