import type { Board, BoardFilter, BoardPart, Design, Form, Query } from '../design';
import { hasRows, isDrawn, isOnScreen, tableOn, wayTo, waysFrom } from './filters';

/** How wide, of 12, and how high parts are to begin with. */
const SIZES = {
  list: [6, 8],
  number: [3, 2],
  chart: [6, 8],
  pivot: [12, 8],
  heading: [12, 1],
  note: [12, 2],
} as const;
/** The least that a part can be: less of it could not be read. */
const LEAST = { width: 2, height: 1 } as const;
const MOST = { width: 12, height: 30 } as const;

const sized = (of: keyof typeof SIZES): Pick<BoardPart, 'width' | 'height'> => {
  const [width, height] = SIZES[of];
  return { width, height };
};

/** A screen as a part of a board: its rows, or how many there are. */
export const screenPart = (part: 'list' | 'number', { id: screen }: Form, id: string): BoardPart => ({
  part,
  id,
  ...sized(part),
  screen,
});

/** What a query gives as a part of a board. */
export const drawnPart = (part: 'chart' | 'pivot', { id: query }: Query, id: string): BoardPart => ({
  part,
  id,
  ...sized(part),
  query,
});

export const notePart = (look: 'heading' | 'note', id: string): BoardPart => ({
  part: 'note',
  id,
  ...sized(look),
  look,
  text: look === 'heading' ? 'Heading' : 'A note to those who look at this.',
});

/** Sizes within what a part can be. */
export function resized(
  part: BoardPart,
  to: { readonly width?: number; readonly height?: number },
): BoardPart {
  const clamp = (value: number, of: 'width' | 'height'): number =>
    Math.min(MOST[of], Math.max(LEAST[of], Math.round(value)));
  return {
    ...part,
    width: clamp(to.width ?? part.width, 'width'),
    height: clamp(to.height ?? part.height, 'height'),
  };
}

/** Parts of which one stands before or behind another. */
export function putBeside(
  parts: readonly BoardPart[],
  id: string,
  other: string,
  side: 'before' | 'behind',
): BoardPart[] {
  const part = parts.find((at) => at.id === id);
  if (!part || id === other) return [...parts];
  return parts.flatMap((at) => {
    if (at === part) return [];
    if (at.id !== other) return [at];
    return side === 'before' ? [part, at] : [at, part];
  });
}

/** What could narrow parts of a board by links, and does not yet: a row of a table that is reached from one of them, or days. */
export function filtersFor(design: Design, { parts, filters }: Board, newId: () => string): BoardFilter[] {
  const could: BoardFilter[] = [
    { by: 'days', id: newId(), label: 'Days', starts: 'all', ways: [] },
    ...design.tables.map(({ id: table, label }): BoardFilter => ({
      by: 'row',
      id: newId(),
      label,
      table,
      ways: [],
    })),
  ];
  return could.filter((filter) => {
    const isThere = filters.some((other) =>
      filter.by === 'row' ? other.by === 'row' && other.table === filter.table : other.by === 'days',
    );
    return !isThere && parts.some((part) => hasRows(part) && wayTo(design, filter, part) !== null);
  });
}

/** What is called for a part: its own name, or that of its screen or query. */
export function partLabel(design: Pick<Design, 'forms' | 'queries'>, part: BoardPart): string {
  if (part.part === 'note') return part.text;
  if (isDrawn(part))
    return part.label ?? design.queries.find(({ id }) => id === part.query)?.label ?? 'A query that is gone';
  return part.label ?? design.forms.find(({ id }) => id === part.screen)?.label ?? 'A screen that is gone';
}

/** A board on which a few screens stand side by side, with how many rows those have that are watched. */
export function boardFrom(
  design: Design,
  id: string,
  label: string,
  screens: readonly Form[],
  newId: () => string,
): Board {
  const numbers = screens
    .filter(({ list }) => list?.watch)
    .map((form) => screenPart('number', form, newId()));
  const lists = screens.map((form) => screenPart('list', form, newId()));
  // The last of an odd number has the row to itself.
  const even = lists.map((part, i) =>
    lists.length % 2 === 1 && i === lists.length - 1 ? resized(part, { width: 12 }) : part,
  );
  const board: Board = { type: 'board', id, label, parts: [...numbers, ...even], filters: [] };
  const reach = ({ by, ...filter }: BoardFilter): number =>
    lists.filter((part) => {
      const table = isOnScreen(part) ? tableOn(design, part) : null;
      return table !== null && waysFrom(design, { by, ...filter } as BoardFilter, table).length > 0;
    }).length;
  // A row that narrows more than one of them is what they have in common.
  const [shared] = filtersFor(design, board, newId)
    .filter((filter) => filter.by === 'row' && reach(filter) > 1)
    .sort((a, b) => reach(b) - reach(a));
  return shared ? { ...board, filters: [shared] } : board;
}
