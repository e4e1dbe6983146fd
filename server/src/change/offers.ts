import { type Design } from '@heathridge/core/design';
import { bestOffers, type LinkCandidate, type LinkOffer, offerSql, promising } from '@heathridge/core/plan';
import type { Connection } from '../store/driver';
import { UNWATCHED, type Tell } from './run';

/**
 * Asks the rows about links that may be meant. A few values of each candidate are tried first; all rows are
 * counted only where those speak for it. With `every`, all candidates are counted and given back as asked.
 */
export function linkOffers(
  db: Connection,
  design: Design,
  candidates: readonly LinkCandidate[],
  every: boolean,
  tell: Tell = UNWATCHED,
): LinkOffer[] {
  const counts = (sql: string): [number, number] => db.prepare(sql).raw().get() as [number, number];
  const label = (id: string): string => design.tables.find((table) => table.id === id)?.plural ?? '';
  const offers = candidates.flatMap((candidate, step): LinkOffer[] => {
    const what = `Comparing ${label(candidate.child)} with ${label(candidate.parent)}`;
    tell({ step, of: candidates.length, what });
    const { tried, all } = offerSql(design, candidate);
    if (!every && tried !== null && !promising(candidate, ...counts(tried))) return [];
    const [rows, matching] = counts(all);
    return [{ ...candidate, rows, matching }];
  });
  return every ? offers : bestOffers(offers);
}
