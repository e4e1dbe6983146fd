import { findField, type Board, type BoardPart, type Design, type Form } from '../design';
import { hiddenIf, mayAsk, rightsOn, screenOf, tellsNothingKept, type Viewer } from '../people';
import { partLabel } from './make';
import { hasRows, isDrawn, isOnScreen, tableOn, wayTo, type RowsPart, type Way } from './filters';

type Who = Omit<Viewer, 'screen'>;

/** The screens that stand on a board and are there for somebody, by their ids. */
const screensOn = (design: Design, viewer: Who, { parts }: Board): ReadonlyMap<string, Form> =>
  new Map(
    parts.filter(isOnScreen).flatMap(({ screen: id }): [string, Form][] => {
      const form = design.forms.find((other) => other.id === id);
      const screen = form && screenOf(design, viewer, form);
      return screen ? [[id, screen]] : [];
    }),
  );

/** The parts of a board that are there for somebody; null where the board is not, or nothing would stand on it. */
function partsOf(
  design: Design,
  viewer: Who,
  board: Board,
  screens: ReadonlyMap<string, Form>,
): BoardPart[] | null {
  const { duty } = viewer;
  if (duty && !duty.screens.includes(board.id)) return null;
  const parts = board.parts.filter((part) => {
    if (isOnScreen(part)) return screens.has(part.screen);
    if (!hasRows(part)) return true;
    const query = design.queries.find(({ id }) => id === part.query);
    return query !== undefined && (duty === null || mayAsk(design, duty, query));
  });
  return duty && !parts.some(hasRows) ? null : parts;
}

/** The boards of a file that are there for somebody. */
export const boardsOf = (design: Design, viewer: Who): Board[] =>
  design.boards.filter((board) => partsOf(design, viewer, board, screensOn(design, viewer, board)) !== null);

/**
 * A board as it is there for somebody, or null where it is not: with those parts whose screens are there for her, and
 * with filters that go by nothing that is kept from her. Each filter says of every part by which way it narrows it.
 */
export function boardOf(design: Design, viewer: Who, board: Board): Board | null {
  const { duty } = viewer;
  const screens = screensOn(design, viewer, board);
  const parts = partsOf(design, viewer, board, screens);
  if (!parts) return null;
  const filters = board.filters.flatMap((filter) => {
    if (filter.by === 'row' && duty && !rightsOn(duty, filter.table).read) return [];
    const ways = parts.filter(hasRows).map((part) => {
      const way = wayTo(design, filter, part);
      const screen = isOnScreen(part) ? screens.get(part.screen)! : null;
      return {
        part: part.id,
        way: way && isTold(design, { ...viewer, screen }, part, way) ? [...way] : null,
      };
    });
    return ways.some(({ way }) => way !== null) ? [{ ...filter, ways }] : [];
  });
  // Whoever looks may not know the query by its name.
  const named = parts.map((part) =>
    isDrawn(part) ? { ...part, label: partLabel(design, part).slice(0, 60) } : part,
  );
  return { ...board, parts: named, filters };
}

/** Whether nothing of a way is kept from somebody: which rows are left would tell it. */
function isTold(design: Design, viewer: Viewer, part: RowsPart, way: Way): boolean {
  const { duty } = viewer;
  const table = tableOn(design, part)!;
  if (viewer.screen && hiddenIf(design, viewer, table).has(way[0]!)) return false;
  if (duty === null) return true;
  // Of the rows on the way some may not be hers: which of hers lead to them is not told either.
  const isLimited = (id: string): boolean => {
    const { own, conditions } = rightsOn(duty, findField(design, id)?.table.id ?? '');
    return Boolean(own) || conditions.length > 0;
  };
  return tellsNothingKept(design, duty, new Set(way)) && !way.slice(1).some(isLimited);
}
