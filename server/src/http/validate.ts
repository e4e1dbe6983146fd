import * as v from 'valibot';
import { Problem } from '../problem';

/** What a schema makes of a value. Throws a `bad-request` problem that names each place at fault. */
export function valid<S extends v.GenericSchema>(schema: S, value: unknown): v.InferOutput<S> {
  if (isInfinite(value)) throw new Problem('bad-request', 'A number in this request is too large.');
  const result = v.safeParse(schema, value);
  if (result.success) return result.output;
  const issues = result.issues
    .slice(0, 20)
    .map((issue) => ({ path: v.getDotPath(issue) ?? '', message: issue.message }));
  const first = issues[0]!;
  throw new Problem('bad-request', first.path ? `${first.path}: ${first.message}` : first.message, {
    issues,
  });
}

/** JSON has no infinite numbers, but `1e999` is read as one: no arithmetic of ours means to meet it. */
function isInfinite(value: unknown): boolean {
  if (typeof value === 'number') return !Number.isFinite(value);
  if (typeof value !== 'object' || value === null) return false;
  return Object.values(value).some(isInfinite);
}
