import {
  findField,
  listOf,
  type Board,
  type BoardFilter,
  type BoardPart,
  type Design,
  type DocumentSort,
  type Use,
} from '../design';
import { endOf, isDrawn, isOnScreen, tableOn } from './filters';

/** What of a board is no longer there, said for people; the rest of it goes on working. */
function boardProblems(design: Design, { parts, filters }: Board): string[] {
  const found: string[] = [];
  const ids = [...parts, ...filters].map(({ id }) => id);
  if (new Set(ids).size < ids.length) found.push('Two parts of this board have one id between them.');
  if (parts.some((part) => isOnScreen(part) && !tableOn(design, part)))
    found.push('A screen on this board is no longer there.');
  if (parts.some((part) => isDrawn(part) && !design.queries.some(({ id }) => id === part.query)))
    found.push('A query on this board is no longer there.');
  for (const filter of filters) {
    if (filter.by === 'row' && !design.tables.some(({ id }) => id === filter.table))
      found.push(`The table of the filter ${filter.label} is no longer there.`);
    else if (filter.ways.some((way) => isLost(design, parts, filter, way)))
      found.push(`What the filter ${filter.label} goes by is no longer there.`);
  }
  return [...new Set(found)];
}

function isLost(
  design: Design,
  parts: Board['parts'],
  { ways }: BoardFilter,
  { part: id, way }: BoardFilter['ways'][number],
): boolean {
  if (ways.filter(({ part }) => part === id).length > 1) return true;
  const part = parts.find((other) => other.id === id);
  if (!part || !isOnScreen(part)) return true;
  const table = tableOn(design, part);
  return (
    way !== null && table !== null && !(way.every((at) => findField(design, at)) && endOf(design, table, way))
  );
}

const goesBy = ({ ways }: BoardFilter, gone: ReadonlySet<string>): boolean =>
  ways.some(({ way }) => way?.some((id) => gone.has(id)));

const isOfTable = (filter: BoardFilter, gone: ReadonlySet<string>): boolean =>
  filter.by === 'row' && gone.has(filter.table);

/** Whether the screen or the query of a part is gone. */
const isGone = (part: BoardPart, gone: ReadonlySet<string>): boolean =>
  (isOnScreen(part) && gone.has(part.screen)) || (isDrawn(part) && gone.has(part.query));

function useOnBoard({ parts, filters }: Board, gone: ReadonlySet<string>): Use | null {
  const ways = filters.filter((filter) => !isOfTable(filter, gone) && goesBy(filter, gone));
  const rest = [
    ...(parts.some((part) => isGone(part, gone)) ? ['a part of it'] : []),
    ...filters.flatMap((filter) => (isOfTable(filter, gone) ? [`its filter ${filter.label}`] : [])),
  ];
  const all = [...rest, ...ways.map(({ label }) => `what its filter ${label} goes by`)];
  if (all.length === 0) return null;
  const alone = 'the filter leaves that part alone';
  const fates = [...(rest.length > 0 ? ['taken off the board'] : []), ...(ways.length > 0 ? [alone] : [])];
  return { use: listOf(all), fate: fates.join('; ') };
}

/** A board without what is gone. Where a filter went by that, it leaves the part alone: nobody said what else it goes by. */
function boardWithout(board: Board, gone: ReadonlySet<string>): Board {
  const parts = board.parts.filter((part) => !isGone(part, gone));
  const left = new Set(parts.map(({ id }) => id));
  return {
    ...board,
    parts,
    filters: board.filters.flatMap((filter) =>
      isOfTable(filter, gone)
        ? []
        : [
            {
              ...filter,
              ways: filter.ways
                .filter(({ part }) => left.has(part))
                .map(({ part, way }) => ({ part, way: way?.some((id) => gone.has(id)) ? null : way })),
            },
          ],
    ),
  };
}

export const boardSort: DocumentSort<Board> = {
  problems: boardProblems,
  use: useOnBoard,
  without: boardWithout,
};
