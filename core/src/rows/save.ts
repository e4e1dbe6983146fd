import * as v from 'valibot';
import { Id } from '../design';
import { MOST_TEXT, type Value } from '../values';

/** Values that one row may have: a table has at most 300 fields. */
const MOST_VALUES = 300;
// A little more than fits, so that the row is refused in words of its field.
const Text = v.pipe(v.string(), v.maxLength(4 * MOST_TEXT));

// What comes most often stands first: an option that does not fit costs the making of its message.
const Plain = v.union([Text, v.null(), v.boolean(), v.number()]);

/** A value, or the key of a row that the same save adds (named by its `temp`). */
const Given = v.union([Plain, v.object({ temp: v.pipe(v.string(), v.maxLength(40)) })]);

const KeyValue = v.union([v.number(), v.pipe(v.string(), v.maxLength(MOST_TEXT))]);
export const Key = v.pipe(v.array(KeyValue), v.minLength(1), v.maxLength(16));

const ValuesOf = <T extends v.GenericSchema>(value: T) =>
  v.pipe(v.record(Id, value), v.maxEntries(MOST_VALUES, `A row has at most ${MOST_VALUES} values.`));

export const RowChange = v.variant('op', [
  v.object({
    op: v.literal('insert'),
    table: Id,
    temp: v.optional(v.pipe(v.string(), v.maxLength(40))),
    values: ValuesOf(Given),
  }),
  v.object({
    op: v.literal('update'),
    table: Id,
    key: Key,
    values: ValuesOf(Given),
    /** What the changed fields held when the edit began. */
    was: ValuesOf(Plain),
  }),
  v.object({ op: v.literal('delete'), table: Id, key: Key }),
]);

/** Row changes that stand or fall together. */
export const SaveRequest = v.object({
  /** A name of this save by whoever sends it: sent again, it is answered as it was, and done once. */
  id: v.optional(v.pipe(v.string(), v.regex(/^[\w-]{8,60}$/))),
  changes: v.pipe(v.array(RowChange), v.minLength(1), v.maxLength(5000)),
});

export type RowChange = v.InferOutput<typeof RowChange>;
export type SaveRequest = v.InferOutput<typeof SaveRequest>;
export type RowKey = v.InferOutput<typeof Key>;

/** Why a row was refused, beside the field it concerns. */
export interface RowError {
  /** The place of the change in the save, from 0. */
  readonly change: number;
  readonly table: string;
  readonly key: RowKey | null;
  readonly field: string | null;
  readonly rule: string | null;
  readonly message: string;
  /** On a clash: what somebody else has put there meanwhile. */
  readonly theirs?: Value;
}

/** A saved row: its key, and the `temp` it was added under. */
export interface SavedRow {
  readonly change: number;
  readonly table: string;
  readonly key: RowKey;
  readonly temp?: string | undefined;
}

/**
 * Merges an edit into what the row holds now, field by field. A field that somebody else has changed
 * too, to something else, is a clash; everything else goes through.
 */
export function mergeEdit(
  now: Readonly<Record<string, Value>>,
  was: Readonly<Record<string, Value>>,
  wanted: Readonly<Record<string, Value>>,
): { readonly changes: Record<string, Value>; readonly clashes: readonly string[] } {
  const changes: Record<string, Value> = {};
  const clashes: string[] = [];
  for (const [field, value] of Object.entries(wanted)) {
    const current = now[field] ?? null;
    if (current === value) continue;
    if (field in was && was[field] !== current) clashes.push(field);
    else changes[field] = value;
  }
  return { changes, clashes };
}
