import type { Locale } from '@heathridge/core/values';
import type { ListState } from './record.state';
import { fieldShown } from './shown';

/** The fields of the rows within a row that are named in a cell of it. */
const MOST_NAMED = 3;

/** Rows that belong to a row, in a few words: `Whitlam, Dora, 4 Nov 2026 · and 2 more`. */
export function namedRows({ level, rows, unread }: ListState, locale: Locale): string {
  const named = rows.map((row) =>
    level.cells
      .slice(0, MOST_NAMED)
      .map(({ field }) => fieldShown(field, row.held[field.id] ?? { value: null }, locale))
      .filter((text) => text !== '')
      .join(', '),
  );
  return [...named, ...(unread > 0 ? [`and ${unread.toLocaleString('en-GB')} more`] : [])].join(' · ');
}
