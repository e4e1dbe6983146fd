import { localeOf, storing, travelling, valueKind, type Stored } from '../design';
import { convertValue, isAmbiguousDate, plainText, showValue, type Read, type Reading } from '../values';
import type { MapPlan } from './carry';

/** A value as the file keeps it, the text that stands for it where it is a key, and the rows that hold it. */
export type Held = readonly [old: Stored, text: string | null, rows: number];

export interface Converted {
  readonly old: Stored;
  /** As the file keeps it; null where it cannot be read. */
  readonly new: Stored | null;
  readonly rows: number;
  /** For people: before and after, and why it cannot be. */
  readonly was: string;
  readonly becomes: string;
  readonly message: string | null;
  /** A date that can be read two ways. */
  readonly ambiguous: boolean;
}

/** Finds the row of another table that a text or a key stands for. */
function finder(
  targets: readonly (readonly [Stored, string | null])[],
  label: string,
): (text: string) => Read {
  const byKey = new Map(targets.map(([key]) => [String(key), key]));
  const byText = new Map<string, Stored[]>();
  const put = (text: string, key: Stored): void => {
    byText.set(text, [...(byText.get(text) ?? []), key]);
  };
  for (const [key, text] of targets) if (text !== null) put(text.trim().toLowerCase(), key);
  return (text) => {
    const trimmed = text.trim();
    const found = byText.get(trimmed.toLowerCase()) ?? [];
    if (found.length === 1) return { ok: true, value: found[0]! };
    if (found.length > 1)
      return {
        ok: false,
        message: `${found.length} rows are shown as “${trimmed}”: which ${label} is meant?`,
      };
    const key = byKey.get(trimmed);
    return key === undefined
      ? { ok: false, message: `There is no ${label} “${trimmed}”.` }
      : { ok: true, value: key };
  };
}

/** Reads every different value of a field as a value of its new kind. Keys of a lookup stand in `targets`. */
export function convertAll(
  plan: MapPlan,
  values: readonly Held[],
  targets: readonly (readonly [Stored, string | null])[],
  today: string,
): Converted[] {
  const office = localeOf(plan.settings);
  const dateOrder = plan.convert.dateOrder ?? office.dateOrder;
  const reading: Reading = { today, locale: { ...office, dateOrder } };
  const [from, to] = [valueKind(plan.from), valueKind(plan.to)];
  const find = finder(targets, plan.targetLabel);
  const instead = plan.convert.instead ?? {};
  const toDate = to.kind === 'date' || to.kind === 'dateTime';
  return values.map(([old, text, rows]) => {
    const value = travelling(plan.from, old);
    const was = text ?? showValue(from, value, office);
    const plain = text ?? plainText(from, value, reading);
    const other = instead[plain];
    const asText = text !== null || other !== undefined;
    const read =
      plan.to.kind === 'lookup'
        ? find(other ?? plain)
        : asText
          ? convertValue({ kind: 'longText' }, to, other ?? plain, reading)
          : convertValue(from, to, value, reading);
    const result = read.ok ? read.value : null;
    const shown =
      plan.to.kind === 'lookup'
        ? (targets.find(([key]) => key === result)?.[1] ?? String(result))
        : showValue(to, result, office);
    return {
      old,
      new: storing(plan.to, result),
      rows,
      was,
      becomes: read.ok ? shown : '',
      message: read.ok ? null : read.message,
      ambiguous:
        toDate && (from.kind === 'text' || from.kind === 'longText') && isAmbiguousDate(plain, reading),
    };
  });
}
