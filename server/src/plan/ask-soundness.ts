import type { Soundness } from '../change/soundness';
import type { JobPool } from '../jobs/pool';
import type { OpenFile } from '../store/files';

/** What is known of a file's soundness: null until it has been asked. */
export interface KnownSoundness {
  readonly asking: boolean;
  readonly result: Soundness | null;
  /** The version of the design it was asked of. */
  readonly version: number | null;
}

const known = new WeakMap<OpenFile, KnownSoundness>();

export const knownSoundness = (file: OpenFile): KnownSoundness =>
  known.get(file) ?? { asking: false, result: null, version: null };

/** Asks a file in the background whether it is sound, once after it is opened. */
export function askOnOpening(file: OpenFile, jobs: JobPool): void {
  if (known.has(file)) return;
  // What goes wrong here goes wrong again, with words, when somebody asks.
  void ask(file, jobs, { queue: 'background' }).catch(() =>
    known.set(file, { ...knownSoundness(file), asking: false }),
  );
}

/** Asks a file whether it is sound, and remembers the answer. */
export async function ask(
  file: OpenFile,
  jobs: JobPool,
  options: Parameters<JobPool['run']>[2] = {},
): Promise<Soundness> {
  const { design } = file;
  known.set(file, { ...knownSoundness(file), asking: true });
  try {
    const result = await jobs.run(file.path, { task: 'sound', design }, { limit: 3_600_000, ...options });
    known.set(file, { asking: false, result, version: design.version });
    return result;
  } finally {
    const now = knownSoundness(file);
    if (now.asking) known.set(file, { ...now, asking: false });
  }
}
