import * as v from 'valibot';
import { sqlText } from '../expression';
import {
  fieldOf,
  findField,
  Id,
  pathsFrom,
  valueKind,
  type Board,
  type BoardFilter,
  type BoardPart,
  type Design,
  type Field,
  type FieldPath,
  type FieldType,
  type Table,
} from '../design';
import { instantAt, isDate } from '../values';

/** A part of a board that shows rows of a screen. */
export type ScreenPart = Extract<BoardPart, { readonly screen: string }>;
/** A part of a board that shows what a query gives. */
export type DrawnPart = Extract<BoardPart, { readonly query: string }>;
/** A part of a board that shows rows, or something of them. */
export type RowsPart = ScreenPart | DrawnPart;
/** Field ids from the rows of a part to what a filter asks for. */
export type Way = readonly string[];

const Day = v.nullable(
  v.pipe(v.string(), v.maxLength(10), v.check<string, string>(isDate, 'This is no date.')),
);

/** What somebody has chosen in a filter: a row by its key, or days; nothing of it narrows nothing. */
export const Chosen = v.object({
  filter: Id,
  key: v.optional(v.nullable(v.union([v.pipe(v.string(), v.maxLength(1000)), v.number()])), null),
  from: v.optional(Day, null),
  to: v.optional(Day, null),
});
export type Chosen = v.InferOutput<typeof Chosen>;

/** For which part of a board rows are asked, and what is chosen in its filters. */
export const Narrowing = v.object({ board: Id, part: Id, chosen: v.pipe(v.array(Chosen), v.maxLength(4)) });
export type Narrowing = v.InferOutput<typeof Narrowing>;

export const isOnScreen = (part: BoardPart): part is ScreenPart => 'screen' in part;

export const isDrawn = (part: BoardPart): part is DrawnPart => 'query' in part;
export const hasRows = (part: BoardPart): part is RowsPart => isOnScreen(part) || isDrawn(part);

/**
 * The table whose rows a part shows, or whose rows its query begins with; null where its screen or query is no longer
 * there, and where a query begins with another one, or is written in SQL.
 */
export function tableOn(design: Design, part: RowsPart): Table | null {
  const form = isOnScreen(part) ? design.forms.find(({ id }) => id === part.screen) : undefined;
  const query = isDrawn(part) ? design.queries.find(({ id }) => id === part.query) : undefined;
  const table = query && !query.written ? query.from : form?.table;
  return design.tables.find(({ id }) => id === table) ?? null;
}

const isDay = (field: Field): boolean => ['date', 'dateTime'].includes(valueKind(field.type).kind);

/** Whether a filter can ask for what a field holds. */
const fits = (filter: BoardFilter, field: Field): boolean =>
  filter.by === 'row'
    ? field.type.kind === 'lookup' && field.type.table === filter.table
    : isDay(field) && field.type.kind !== 'lookup';

/**
 * The ways from the rows of a table to what a filter asks for, along lookups, the likeliest first: the shortest, and of
 * those a day that people type before one that is stamped.
 */
export function waysFrom(design: Design, filter: BoardFilter, table: Table): FieldPath[] {
  const weight = ({ ids, field }: FieldPath): number =>
    ids.length * 2 + (field.type.kind === 'stamp' ? 1 : 0);
  return pathsFrom(design, table)
    .filter(({ field }) => fits(filter, field))
    .sort((a, b) => weight(a) - weight(b));
}

/** The last field of a way, where every step before it is a lookup that leads on; null where it no longer does. */
export function endOf(design: Design, table: Table, way: Way): Field | null {
  let at: Table | undefined = table;
  let field: Field | undefined;
  for (const id of way) {
    field = at && fieldOf(at, id);
    const type: FieldType | undefined = field?.type;
    at = type?.kind === 'lookup' ? design.tables.find((other) => other.id === type.table) : undefined;
  }
  return field ?? null;
}

/** The way by which a filter narrows a part: as the builder says, or else the likeliest; null where it leaves it alone. */
export function wayTo(design: Design, filter: BoardFilter, part: RowsPart): Way | null {
  const table = tableOn(design, part);
  if (!table) return null;
  const said = filter.ways.find((way) => way.part === part.id);
  if (!said) return waysFrom(design, filter, table)[0]?.ids ?? null;
  const end = said.way && endOf(design, table, said.way);
  return end && fits(filter, end) ? said.way : null;
}

/** What is reached by a way, as an expression over a row, in stored form. */
const expressionOf = (way: Way): string => way.map((id) => `"#${id}"`).join('.');

/**
 * What the rows of a part meet by what is chosen in a board's filters, as conditions in stored form. Days are those of
 * the office: a moment lies in them by the clocks of its zone.
 */
export function narrowedBy(
  design: Design,
  { filters }: Board,
  part: RowsPart,
  chosen: readonly Chosen[],
): string[] {
  return filters.flatMap((filter): string[] => {
    const choice = chosen.find((other) => other.filter === filter.id);
    const way = wayTo(design, filter, part);
    if (!choice || !way) return [];
    const at = expressionOf(way);
    if (filter.by === 'row') {
      const { key } = choice;
      return key === null ? [] : [`${at} = ${typeof key === 'string' ? sqlText(key) : key}`];
    }
    const field = findField(design, way.at(-1)!)!.field;
    const { timeZone } = design.settings;
    const { from, to } = choice;
    if (valueKind(field.type).kind === 'date')
      return [
        ...(from ? [`${at} >= DATE ${sqlText(from)}`] : []),
        ...(to ? [`${at} <= DATE ${sqlText(to)}`] : []),
      ];
    const [begin, end] = [
      from && instantAt(from, '00:00:00', timeZone),
      to && instantAt(to, '23:59:59', timeZone),
    ];
    return [
      ...(begin ? [`${at} >= TIMESTAMP ${sqlText(begin)}`] : []),
      ...(end ? [`${at} <= TIMESTAMP ${sqlText(end)}`] : []),
    ];
  });
}
