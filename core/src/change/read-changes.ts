import * as v from 'valibot';
import { upToDate } from '../design';
import { Change } from './changes';

const Changes = v.pipe(v.array(Change), v.maxLength(1000));

/** Changes as they were kept, of any format, read like those of a request. Throws a ValiError for others. */
export function readChanges(value: unknown): Change[] {
  const list = Array.isArray(value) ? value : [];
  return v.parse(
    Changes,
    list.map((change: unknown) =>
      typeof change === 'object' && change !== null && 'document' in change
        ? { ...change, document: upToDate(change.document) }
        : change,
    ),
  );
}
