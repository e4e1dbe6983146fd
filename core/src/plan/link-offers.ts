import { sqlName } from '../expression';
import {
  asText,
  catalogOf,
  displayOf,
  displaySql,
  fieldOf,
  linksFrom,
  nameFromLabel,
  typeOf,
  type Design,
  type Field,
  type KindName,
  type Table,
} from '../design';
import { singularOf } from './plural';

/** Fields of one table that may hold keys of another (or the texts by which its rows are shown). */
export interface LinkCandidate {
  readonly child: string;
  readonly parent: string;
  readonly on: readonly { readonly own: string; readonly other: string }[];
  /** Whether the field would hold the other table's key, or the text its rows are shown by. */
  readonly by: 'key' | 'text';
  /** True when the names alone speak for it. */
  readonly named: boolean;
}

/** A candidate with what the rows say about it. */
export interface LinkOffer extends LinkCandidate {
  /** Rows in which all the fields are filled, and those of them that have a partner. */
  readonly rows: number;
  readonly matching: number;
}

const NEVER: ReadonlySet<KindName> = new Set([
  'runningNumber',
  'tick',
  'lookup',
  'picture',
  'file',
  'workedOut',
  'stamp',
]);

/** Words that say "key" in a name and nothing about which. */
const KEY_WORDS = new Set(['id', 'no', 'nr', 'num', 'number', 'code', 'key', 'ref', 'pk', 'fk']);

/** Values of a field that are tried before all of its rows are counted. */
const TRIED = 200;

/** A name as words in the singular: `schoolId` and `school_ids` are both `school id`. */
function words(name: string): string[] {
  const parted = name.replace(/(\p{Ll})(\p{Lu})/gu, '$1_$2');
  return nameFromLabel(parted, '')
    .split('_')
    .filter((word) => word !== '')
    .map(singularOf);
}

const endsWith = (long: readonly string[], short: readonly string[]): boolean =>
  short.length > 0 && short.every((word, i) => long[long.length - short.length + i] === word);

const withoutKeyWords = (list: readonly string[]): string[] => list.filter((word) => !KEY_WORDS.has(word));

/**
 * Whether a field's name says that it leads to a table: it is, or ends in, the table's name (`school`,
 * `home_school`), with or without a word for a key (`school_id`), or is the name of that table's key where
 * that says more than "key" (`isbn`).
 */
export function namesMatch(field: string, table: Pick<Table, 'name' | 'label'>, key: string): boolean {
  const own = words(field);
  const bare = withoutKeyWords(own);
  const keyWords = words(key);
  const tells = withoutKeyWords(keyWords).length > 0;
  if (tells && own.join(' ') === keyWords.join(' ')) return true;
  return [words(table.name), words(table.label)].some(
    (target) => target.length > 0 && (endsWith(bare, target) || endsWith(own, [...target, ...keyWords])),
  );
}

const canHold = (design: Design, own: Field, key: Field): boolean => {
  if (NEVER.has(own.type.kind)) return false;
  const [a, b] = [typeOf(design, own.type), typeOf(design, key.type)];
  return a.type === b.type && (a.type !== 'number' || b.type !== 'number' || a.scale === b.scale);
};

const isText = ({ type }: Field): boolean =>
  type.kind === 'text' || type.kind === 'longText' || type.kind === 'choice';

/**
 * Links that are not there yet and may be meant. Whole numbers are in each other's range by chance, so for
 * them the names must speak; for texts, values that match speak for themselves.
 *
 * With `between`, every pair of fields of those two tables that could hold a key, whatever its name.
 */
export function linkCandidates(
  design: Design,
  between?: { readonly child: string; readonly parent: string },
): LinkCandidate[] {
  return design.tables.flatMap((child) =>
    design.tables.flatMap((parent) => {
      if (between && (between.child !== child.id || between.parent !== parent.id)) return [];
      return parent.key.length === 1
        ? single(design, child, parent, between !== undefined)
        : several(design, child, parent);
    }),
  );
}

function single(design: Design, child: Table, parent: Table, any: boolean): LinkCandidate[] {
  const key = fieldOf(parent, parent.key[0]!)!;
  return child.fields.flatMap((own): LinkCandidate[] => {
    if (NEVER.has(own.type.kind) || own.id === key.id) return [];
    const named = namesMatch(own.name, parent, key.name) || namesMatch(own.label, parent, key.label);
    // A table's own key leads to another table only when it says so: one to one.
    const isKey = child.key.length === 1 && child.key[0] === own.id;
    if (isKey && (!named || child.id === parent.id)) return [];
    const found: LinkCandidate[] = [];
    const candidate = { child: child.id, parent: parent.id, on: [{ own: own.id, other: key.id }], named };
    if (canHold(design, own, key) && (named || any || (isText(own) && child.id !== parent.id)))
      found.push({ ...candidate, by: 'key' });
    if (isText(own) && !isKey && child.id !== parent.id) found.push({ ...candidate, by: 'text' });
    return found;
  });
}

/** Keys of several fields: each must be there by its name. */
function several(design: Design, child: Table, parent: Table): LinkCandidate[] {
  if (child.id === parent.id || parent.key.length === 0) return [];
  const on = parent.key.map((id) => {
    const key = fieldOf(parent, id)!;
    const joined = words(key.name).join(' ');
    const own = child.fields.find(
      (field) =>
        (canHold(design, field, key) || sameLookup(field, key)) &&
        [words(field.name).join(' '), words(field.name).slice(-words(key.name).length).join(' ')].includes(
          joined,
        ),
    );
    return own && { own: own.id, other: id };
  });
  if (on.includes(undefined)) return [];
  const pairs = on as { own: string; other: string }[];
  const linked = linksFrom(design, child).some(
    (link) => link.parent.id === parent.id && link.on.length === pairs.length,
  );
  return linked ? [] : [{ child: child.id, parent: parent.id, on: pairs, by: 'key', named: true }];
}

/** Two lookups into one table hold the same keys. */
const sameLookup = (own: Field, key: Field): boolean =>
  own.type.kind === 'lookup' && key.type.kind === 'lookup' && own.type.table === key.type.table;

/**
 * The questions that a candidate asks of the rows. Each gives one row of two counts: filled, and with a
 * partner. `tried` asks them of a few different values only; it is null for keys of several fields.
 */
export function offerSql(design: Design, candidate: LinkCandidate): { tried: string | null; all: string } {
  const find = (id: string): Table => design.tables.find((table) => table.id === id)!;
  const [child, parent] = [find(candidate.child), find(candidate.parent)];
  const pairs = candidate.on.map(({ own, other }) => [
    sqlName(fieldOf(child, own)!.name),
    sqlName(fieldOf(parent, other)!.name),
  ]);
  if (pairs.length > 1) {
    const filled = pairs.map(([own]) => `c.${own} IS NOT NULL`).join(' AND ');
    const same = pairs.map(([own, other]) => `p.${other} = c.${own}`).join(' AND ');
    return {
      tried: null,
      all: `SELECT count(*), coalesce(sum(EXISTS (SELECT 1 FROM ${sqlName(parent.name)} AS p WHERE ${same})), 0) FROM ${sqlName(child.name)} AS c WHERE ${filled}`,
    };
  }
  const [own, key] = pairs[0]!;
  const catalog = catalogOf(design);
  const shown = (): string => displaySql(parent, asText(displayOf(parent)), { catalog, row: 'p' });
  // Texts are compared as a conversion by display text reads them: without the spaces around, in any case.
  const plain = (sql: string): string => (candidate.by === 'text' ? `lower(trim(${sql}))` : sql);
  // A text that several rows are shown by says nothing about which is meant.
  const partners =
    candidate.by === 'text'
      ? `(SELECT ${plain(shown())} FROM ${sqlName(parent.name)} AS p GROUP BY 1 HAVING count(*) = 1)`
      : `(SELECT p.${key} FROM ${sqlName(parent.name)} AS p)`;
  const ask = (from: string): string =>
    `SELECT count(*), coalesce(sum(${plain(`c.${own}`)} IN ${partners}), 0) FROM ${from} AS c WHERE c.${own} IS NOT NULL`;
  return {
    tried: ask(
      `(SELECT DISTINCT ${own} FROM ${sqlName(child.name)} WHERE ${own} IS NOT NULL LIMIT ${TRIED})`,
    ),
    all: ask(sqlName(child.name)),
  };
}

/** Different values of which a text without a telling name must have some before it is offered. */
const LEAST_VALUES = 3;

/** Whether it is worth counting all rows, from the counts of the few that were tried. */
export const promising = ({ named }: LinkCandidate, values: number, matching: number): boolean =>
  named ? values === 0 || matching * 2 >= values : values >= LEAST_VALUES && matching * 10 >= values * 8;

/**
 * The offers worth showing, best first: of several for one field only the one that most rows match, and
 * none whose names alone speak while fewer than half of the rows agree.
 */
export function bestOffers(offers: readonly LinkOffer[]): LinkOffer[] {
  const share = ({ rows, matching }: LinkOffer): number => (rows === 0 ? 0 : matching / rows);
  const sorted = offers
    .filter((offer) => offer.rows === 0 || share(offer) >= 0.5)
    .sort((a, b) => Number(b.named) - Number(a.named) || share(b) - share(a) || b.rows - a.rows);
  const taken = new Set<string>();
  return sorted.filter((offer) => {
    const own = `${offer.child} ${offer.on.map((pair) => pair.own).join(' ')}`;
    if (taken.has(own) || (offer.rows === 0 && offer.by === 'text')) return false;
    taken.add(own);
    return true;
  });
}
