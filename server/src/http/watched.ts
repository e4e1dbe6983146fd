import * as v from 'valibot';
import type { Tell } from '../change/run';
import type { Call } from './routes';

/** A name by which the caller can ask how far the work is. */
export const Watch = v.optional(v.pipe(v.string(), v.regex(/^[\w-]{1,40}$/)));
/** Runs long work and lets whoever watches it see how far it is. */
export async function watched<T>(
  { context, person, gone }: Pick<Call, 'context' | 'person' | 'gone'>,
  watch: string | undefined,
  work: (options: { signal: AbortSignal; tell: Tell }) => Promise<T>,
): Promise<T> {
  const name = `${person.id} ${watch ?? ''}`;
  try {
    return await work({
      signal: gone,
      tell: (progress) => watch !== undefined && context.progress.set(name, progress),
    });
  } finally {
    context.progress.delete(name);
  }
}
