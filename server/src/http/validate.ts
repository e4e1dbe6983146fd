import { setImmediate as setTurn } from 'node:timers/promises';
import * as v from 'valibot';
import { Problem } from '../problem';

/** What a schema makes of a value. Throws a `bad-request` problem that names each place at fault. */
export function valid<S extends v.GenericSchema>(schema: S, value: unknown): v.InferOutput<S> {
  if (isInfinite(value)) throw new Problem('bad-request', TOO_LARGE);
  const result = v.safeParse(schema, value);
  if (result.success) return result.output;
  throw problemOf(faultsOf(result.issues));
}

/**
 * What {@link valid} makes of a large value, with turns in between for whoever else waits: its long lists are gone
 * through item by item. Rejects as that throws, with what is wrong in the first list that has anything wrong in it.
 */
export async function validInTurns<S extends v.GenericSchema>(
  schema: S,
  value: unknown,
): Promise<v.InferOutput<S>> {
  const turns = new Turns();
  const [rest, left] = await listsAhead(schema, value, [], turns);
  await turns.give();
  return valid(rest, left);
}

/** A place in a request that is wrong, and why. */
interface Fault {
  readonly path: string;
  readonly message: string;
}

/** Faults that are told at once. */
const MOST_FAULTS = 20;
/** Milliseconds that may be worked before others have their turn: a fifth of what anybody is to wait. */
const TURN = 10;
/** Items of a list from which on it is a long one. */
const LONG_LIST = 20;
const TOO_LARGE = 'A number in this request is too large.';

/** Gives others their turn once it is time. */
class Turns {
  private begun = performance.now();

  async give(): Promise<void> {
    if (performance.now() - this.begun < TURN) return;
    await setTurn();
    this.begun = performance.now();
  }
}

/**
 * Checks the long lists in a value item by item. Resolves with a schema and a value that stand for the two given, in
 * which the items of these lists are checked already: it is left whether there are too many of them, and the like.
 */
async function listsAhead<S extends v.GenericSchema>(
  schema: S,
  value: unknown,
  at: readonly string[],
  turns: Turns,
): Promise<readonly [schema: S, value: unknown]> {
  const [base, ...steps] = stepsOf(schema);
  const then = (first: v.GenericSchema): S =>
    (steps.length === 0 ? first : (v.pipe as unknown as Piped)(first, ...steps)) as S;
  if (isList(base) && Array.isArray(value) && value.length >= LONG_LIST)
    return [then(v.array(v.any())), await itemsOf(base, value, at, turns)];
  if (!isObject(base) || typeof value !== 'object' || value === null) return [schema, value];
  const entries: v.ObjectEntries = { ...base.entries };
  const given: Record<string, unknown> = { ...value };
  for (const [name, entry] of Object.entries(base.entries))
    if (Object.hasOwn(given, name))
      [entries[name], given[name]] = await listsAhead(
        entry as v.GenericSchema,
        given[name],
        [...at, name],
        turns,
      );
  const rest: v.ObjectSchema<v.ObjectEntries, undefined> = { ...base, entries };
  return [then(rest), given];
}

async function itemsOf(
  { item }: List,
  values: readonly unknown[],
  at: readonly string[],
  turns: Turns,
): Promise<unknown[]> {
  const items: unknown[] = [];
  const faults: Fault[] = [];
  for (const [i, value] of values.entries()) {
    await turns.give();
    if (isInfinite(value)) throw new Problem('bad-request', TOO_LARGE);
    const result = v.safeParse(item, value);
    if (result.success) items.push(result.output);
    else faults.push(...faultsOf(result.issues, [...at, String(i)]));
    if (faults.length >= MOST_FAULTS) break;
  }
  if (faults.length > 0) throw problemOf(faults);
  return items;
}

type List = v.ArraySchema<v.GenericSchema, undefined>;
type Piped = (first: v.GenericSchema, ...steps: v.GenericPipeItem[]) => v.GenericSchema;

/** A schema that is no pipe, and the steps that come after it where it begins one, or one within another. */
function stepsOf(schema: v.GenericSchema): [v.GenericSchema, ...v.GenericPipeItem[]] {
  if (!('pipe' in schema)) return [schema];
  const [first, ...steps] = schema.pipe as [v.GenericSchema, ...v.GenericPipeItem[]];
  return [...stepsOf(first), ...steps];
}

const isList = (schema: v.GenericSchema): schema is List => schema.type === 'array';

const isObject = (schema: v.GenericSchema): schema is v.ObjectSchema<v.ObjectEntries, undefined> =>
  schema.type === 'object' || schema.type === 'strict_object';

const faultsOf = (issues: readonly v.BaseIssue<unknown>[], within: readonly string[] = []): Fault[] =>
  issues.slice(0, MOST_FAULTS).map((issue) => ({
    path: [...within, v.getDotPath(issue) ?? ''].filter((part) => part !== '').join('.'),
    message: issue.message,
  }));

function problemOf(faults: readonly Fault[]): Problem {
  const [{ path, message }] = faults as [Fault];
  return new Problem('bad-request', path ? `${path}: ${message}` : message, {
    issues: faults.slice(0, MOST_FAULTS),
  });
}

/** JSON has no infinite numbers, but `1e999` is read as one: no arithmetic of ours means to meet it. */
function isInfinite(value: unknown): boolean {
  if (typeof value === 'number') return !Number.isFinite(value);
  if (typeof value !== 'object' || value === null) return false;
  return Object.values(value).some(isInfinite);
}
