import { attempt, evaluate, parts, type Bound, type ExprField, type Hop, type Val } from '../expression';
import { boundIn, type Design } from '../design';
import { fromVal, type Moment, type Worked } from '../rows';
import { fromText, rescale, type Value } from '../values';
import { allLevels, type Level } from './level';
import { shownRows } from './shown';

/**
 * What is worked out on a form, reckoned anew from the rows as they stand on the page: no key press waits for the
 * server. What other rows have to tell comes along with each row, as far as an expression reads it.
 */

/** A row that is not on the form, as far as what is worked out on it reads it; by field and link id. */
export interface Beyond {
  readonly cells: Readonly<Record<string, Value>>;
  readonly links: Readonly<Record<string, Beyond | null>>;
}

/** Which fields of a row are read that the form does not show, and which rows its links lead to. */
export interface Need {
  readonly fields: ReadonlySet<string>;
  readonly links: ReadonlyMap<string, LinkNeed>;
}

type Link = Extract<Hop, { hop: 'link' }>;

/** What is read of the row to which a link leads. */
export interface LinkNeed {
  /** The table it leads to, and the columns that hold the key: own ones, each beside the other's. */
  readonly hop: Link;
  readonly need: Need;
}

interface OpenNeed {
  readonly fields: Set<string>;
  readonly links: Map<string, { readonly hop: Link; readonly need: OpenNeed }>;
}

const nothing = (): OpenNeed => ({ fields: new Set(), links: new Map() });

/** Something that is worked out for the rows of a level: a field's id, or a part's; and its expression. */
export interface Reckoned {
  readonly id: string;
  readonly bound: Bound;
}

/** What is worked out on a form, and what that needs to know of each row. */
export interface Reckoning {
  /** What is worked out at a level; none where an expression cannot be read. */
  of(level: Level): readonly Reckoned[];
  /** What the rows of a level bring along. */
  need(level: Level): Need;
}

const NO_NEED: Need = { fields: new Set(), links: new Map() };

/**
 * The expressions of a form's levels, and what they read; `root` is the level of the record. Of what is not `seen` by
 * whoever looks nothing comes along: what reads it is then known as the file has it alone.
 */
export function reckoningOf(
  design: Design,
  root: Level,
  seen: (field: string) => boolean = () => true,
): Reckoning {
  const parents = new Map<Level, Level>();
  for (const level of allLevels(root)) for (const inner of level.levels) parents.set(inner, level);
  const expressions = new Map(allLevels(root).map((level) => [level, reckonedAt(design, level)] as const));
  const needs = new Map<Level, OpenNeed>();
  const read = (level: Level, links: readonly Hop[], field: ExprField): void => {
    const [hop, ...rest] = links;
    const parent = parents.get(level);
    if (hop && parent && leadsAround(level, hop)) return read(parent, rest, field);
    const shows =
      level.cells.some((cell) => cell.field.id === field.id) ||
      (level.link !== null && level.link.id === field.id);
    if (!hop && shows) return;
    const need = needs.get(level) ?? nothing();
    needs.set(level, need);
    let at = need;
    for (const link of links) {
      if (link.hop !== 'link') return;
      const inner = at.links.get(link.field.id) ?? { hop: link, need: nothing() };
      at.links.set(link.field.id, inner);
      at = inner.need;
    }
    at.fields.add(field.id);
  };
  /** Goes through an expression with the level of each of its rows; false where rows are read that no level has. */
  const walk = (bound: Bound, rows: ReadonlyMap<number, Level>, found: (() => void)[]): boolean => {
    if (bound.op === 'ref') {
      const level = rows.get(bound.row);
      if (!level || !seen(bound.field.id)) return false;
      found.push(() => read(level, bound.links, bound.field));
      return true;
    }
    if (bound.op !== 'aggregate') return parts(bound).every((part) => walk(part, rows, found));
    if (!bound.over) return false;
    let level = rows.get(bound.over.from);
    for (const hop of bound.over.hops)
      level = level && (hop.hop === 'children' ? levelOfRows(level, hop) : undefined);
    if (!level) return false;
    const inner = new Map([...rows, [bound.over.as, level]]);
    return [bound.arg, bound.filter].every((part) => part === null || walk(part, inner, found));
  };
  for (const [level, list] of expressions)
    for (const { bound } of list) {
      const found: (() => void)[] = [];
      if (walk(bound, new Map([[0, level]]), found)) found.forEach((take) => take());
    }
  return {
    of: (level) => expressions.get(level) ?? [],
    need: (level) => needs.get(level) ?? NO_NEED,
  };
}

function reckonedAt(design: Design, level: Level): Reckoned[] {
  const sources = [
    ...level.cells.flatMap(({ field: { id, type } }) =>
      type.kind === 'workedOut' ? [{ id, expression: `"#${id}"` }] : [],
    ),
    ...level.worked,
    ...level.limits,
  ];
  return sources.flatMap(({ id, expression }) => {
    const bound = attempt(() => boundIn(design, level.table.id, expression).bound);
    return bound.ok ? [{ id, bound: bound.value }] : [];
  });
}

/** Whether a hop leads from the rows of a level to the row around them. */
const leadsAround = ({ link }: Level, hop: Hop): boolean =>
  hop.hop === 'link' && link !== null && hop.field.id === link.id;

/** The level that holds all rows to which a hop leads; none where the form shows only some of them. */
const levelOfRows = (level: Level, { child }: Extract<Hop, { hop: 'children' }>): Level | undefined =>
  level.levels.find(
    ({ link, subform }) => link?.id === child.id && subform !== null && shownRows(subform).length === 0,
  );

/** A row of a form as it stands on the page. */
export interface Standing {
  readonly level: Level;
  /** The row in whose subform it stands; null for the record. */
  readonly around: Standing | null;
  /** The value of a field; undefined where it is not at hand. */
  value(field: string): Value | undefined;
  /** The row to which a link leads, null where it leads nowhere; undefined where that is not at hand. */
  beyond(link: Link): Beyond | null | undefined;
  /** The rows of a subform within it; undefined where not all of them are at hand. */
  rows(level: Level): readonly Standing[] | undefined;
}

/** Something is read that is not at hand. */
class Missing extends Error {}

const have = <T>(value: T | undefined): T => {
  if (value === undefined) throw new Missing();
  return value;
};

const isStanding = (row: Standing | Beyond): row is Standing => 'level' in row;

/** A value as the evaluator takes it: numbers in units of the field's scale. */
function valOf({ type }: ExprField, value: Value): Val {
  if (typeof value === 'number') return BigInt(value);
  if (type.type !== 'number' || typeof value !== 'string') return value;
  const number = fromText(value);
  return number ? rescale(number.units, number.scale, type.scale) : null;
}

/** What an expression gives for a row as it stands; null where something it reads is not at hand. */
export function reckon(bound: Bound, row: Standing, { today, now }: Moment): Worked | null {
  try {
    const result = evaluate<Standing | Beyond>(bound, {
      row,
      today,
      now,
      read: (at, field) => valOf(field, have(isStanding(at) ? at.value(field.id) : at.cells[field.id])),
      follow: (at, hop) => {
        if (!isStanding(at)) return have(at.links[hop.field.id]);
        return leadsAround(at.level, hop) && at.around ? at.around : have(at.beyond(hop));
      },
      children: (at, hop) => {
        const level = isStanding(at) ? levelOfRows(at.level, hop) : undefined;
        return have(level && isStanding(at) ? at.rows(level) : undefined);
      },
    });
    const scale = bound.type.type === 'number' ? bound.type.scale : 0;
    return result.ok ? { value: fromVal(result.value, scale) } : { value: null, fault: result.fault };
  } catch (error) {
    if (error instanceof Missing) return null;
    throw error;
  }
}
