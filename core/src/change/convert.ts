import { localeOf, storing, travelling, valueKind, type Stored } from '../design';
import {
  convertValue,
  isAmbiguousDate,
  plainText,
  showValue,
  type Read,
  type Reading,
  type Value,
} from '../values';
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

/** The rows of another table, by their key and by the text that shows them. */
class Targets {
  private readonly byKey = new Map<string, { readonly key: Stored; readonly text: string | null }>();
  private readonly byText = new Map<string, Stored[]>();

  constructor(
    rows: readonly (readonly [Stored, string | null])[],
    private readonly label: string,
  ) {
    for (const [key, text] of rows) {
      this.byKey.set(String(key), { key, text });
      if (text === null) continue;
      const name = text.trim().toLowerCase();
      const same = this.byText.get(name);
      if (same) same.push(key);
      else this.byText.set(name, [key]);
    }
  }

  /** The row that a text or a key stands for. */
  find(text: string): Read {
    const trimmed = text.trim();
    const found = this.byText.get(trimmed.toLowerCase()) ?? [];
    if (found.length === 1) return { ok: true, value: found[0]! };
    if (found.length > 1)
      return {
        ok: false,
        message: `${found.length} rows are shown as “${trimmed}”: which ${this.label} is meant?`,
      };
    const known = this.byKey.get(trimmed);
    return known === undefined
      ? { ok: false, message: `There is no ${this.label} “${trimmed}”.` }
      : { ok: true, value: known.key };
  }

  shown(key: Value): string {
    return this.byKey.get(String(key))?.text ?? String(key);
  }
}

/**
 * Reads every different value of a field as a value of its new kind, as it is written: what is short for typing
 * is no value here. Keys of a lookup stand in `targets`.
 */
export function convertAll(
  plan: MapPlan,
  values: readonly Held[],
  targets: readonly (readonly [Stored, string | null])[],
  today: string,
): Converted[] {
  const office = localeOf(plan.settings);
  const dateOrder = plan.convert.dateOrder ?? office.dateOrder;
  const reading: Reading = { today, locale: { ...office, dateOrder }, written: true };
  const [from, to] = [valueKind(plan.from), valueKind(plan.to)];
  const rows = new Targets(targets, plan.targetLabel);
  const instead = plan.convert.instead ?? {};
  const toDate = to.kind === 'date' || to.kind === 'dateTime';
  return values.map(([old, text, count]) => {
    const value = travelling(plan.from, old);
    const was = text ?? showValue(from, value, office);
    const plain = text ?? plainText(from, value, reading);
    const other = instead[plain];
    const asText = text !== null || other !== undefined;
    const read =
      plan.to.kind === 'lookup'
        ? rows.find(other ?? plain)
        : asText
          ? convertValue({ kind: 'longText' }, to, other ?? plain, reading)
          : convertValue(from, to, value, reading);
    const result = read.ok ? read.value : null;
    const shown = plan.to.kind === 'lookup' ? rows.shown(result) : showValue(to, result, office);
    return {
      old,
      new: storing(plan.to, result),
      rows: count,
      was,
      becomes: read.ok ? shown : '',
      message: read.ok ? null : read.message,
      ambiguous:
        toDate && (from.kind === 'text' || from.kind === 'longText') && isAmbiguousDate(plain, reading),
    };
  });
}
