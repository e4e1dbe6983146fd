import * as v from 'valibot';
import { Problem } from '../problem';

/** What a schema makes of a value. Throws a `bad-request` problem that names each place at fault. */
export function valid<S extends v.GenericSchema>(schema: S, value: unknown): v.InferOutput<S> {
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
