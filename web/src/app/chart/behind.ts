import type { ChartMark } from '@heathridge/core/chart';
import type { Query } from '@heathridge/core/design';
import type { ResultColumn } from '@heathridge/core/query';
import { showValue, type Locale, type Value } from '@heathridge/core/values';

/** What a query gave, and what the rows of each of its groups have in common, as text. */
export interface Grouped {
  readonly columns: readonly ResultColumn[];
  readonly rows: readonly (readonly Value[])[];
  readonly keys: readonly (readonly (string | null)[])[];
}

/** Rows behind a part of a result: those of a group, by what it is grouped by, or some of the result itself. */
export type Meant =
  | { readonly of: string; readonly keys: Readonly<Record<string, string | null>> }
  | { readonly of: string; readonly rows: readonly (readonly Value[])[] };

/** The rows behind one row of a result; null where nothing is known of what stands behind it. */
export function meantByRow(query: Query, result: Grouped, index: number, locale: Locale): Meant | null {
  const by = query.group?.by ?? [];
  const own = result.keys[index];
  if (!own) return null;
  const words = result.columns
    .slice(0, by.length)
    .map(({ kind }, i) => showValue(kind, result.rows[index]?.[i] ?? null, locale) || '(empty)');
  return {
    of: `Rows behind ${words.join(', ') || 'all'}`,
    keys: Object.fromEntries(by.map(({ id }, i) => [id, own[i] ?? null])),
  };
}

/** The rows behind a mark: those of one group; of several, or of none, the rows of the result that it stands for. */
export function meantByMark(query: Query, result: Grouped, { of, rows }: ChartMark, locale: Locale): Meant {
  const group = rows.length === 1 ? meantByRow(query, result, rows[0]!, locale) : null;
  return group ?? { of: `Rows of the result: ${of}`, rows: rows.map((place) => result.rows[place]!) };
}
