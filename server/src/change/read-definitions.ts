import { readFileSync } from 'node:fs';
import { strFromU8, unzipSync } from 'fflate';
import { applyChanges, ChangeError, type Change } from '@heathridge/core/change';
import type { Design } from '@heathridge/core/design';
import { differences, fromFolder } from '@heathridge/core/exchange';

/** Bytes of definitions, unpacked. */
const MOST_BYTES = 20 * 1024 * 1024;

/** The draft that leads to what an archive describes, or why there is none. */
export type DefinitionsRead =
  | { readonly changes: readonly Change[] }
  | { readonly refused: 'too-large' | 'bad-request' | 'design-invalid'; readonly message: string };

type Refused = Extract<DefinitionsRead, { refused: unknown }>;

/** Reads a whole definition from a folder of JSON in a ZIP archive, and tells it apart from a design. */
export function readDefinitions(design: Design, archive: string): DefinitionsRead {
  const files = unpacked(readFileSync(archive));
  if ('refused' in files) return files;
  const read = fromFolder(files);
  if (!read.ok) return { refused: 'design-invalid', message: read.message };
  const changes = differences(design, read.design);
  try {
    // Told here already when it cannot be: such a draft would not open.
    applyChanges(design, changes);
  } catch (error) {
    if (!(error instanceof ChangeError)) throw error;
    return { refused: 'design-invalid', message: error.message };
  }
  return { changes };
}

class TooLarge extends Error {}

function unpacked(archive: Uint8Array): { path: string; text: string }[] | Refused {
  let total = 0;
  try {
    const files = unzipSync(archive, {
      filter: ({ name, originalSize }) => {
        total += originalSize;
        if (total > MOST_BYTES) throw new TooLarge('The definitions have more than 20 MB.');
        return name.endsWith('.json');
      },
    });
    return Object.entries(files).map(([path, bytes]) => ({ path, text: strFromU8(bytes) }));
  } catch (error) {
    const { message } = error as Error;
    return error instanceof TooLarge
      ? { refused: 'too-large', message }
      : { refused: 'bad-request', message: `This is no ZIP archive that can be read: ${message}` };
  }
}
