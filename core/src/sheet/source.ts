import * as v from 'valibot';
import { fieldOf, type Table } from '../design';
import type { BringPlan } from './plan';
import { Again, MOST_COLUMNS, Remembered, SheetStyle, type TURNS } from './plan';
import { matchable, type SheetColumn } from './propose';

/** The parser of the WHATWG's URL Standard, which every runtime has, though the language does not name it. */
declare const URL: new (text: string) => {
  readonly protocol: string;
  readonly username: string;
  readonly password: string;
};

/** Characters of a heading. */
const MOST_HEADING = 100_000;

/** How the rows of a table come from an outside source: what is kept beside the table, to be done again. */
export const Source = v.object({
  /** The headings as they were, since columns may stand elsewhere the next time. */
  headings: v.pipe(v.array(v.pipe(v.string(), v.maxLength(MOST_HEADING))), v.maxLength(MOST_COLUMNS)),
  style: SheetStyle,
  ...Remembered.entries,
  again: Again,
});

export type Source = v.InferOutput<typeof Source>;

/** Seconds after which a source is fetched again by itself; null where that is for people to say. */
export const SECONDS_BETWEEN: Readonly<Record<(typeof TURNS)[number], number | null>> = {
  asked: null,
  hour: 3600,
  day: 24 * 3600,
};

/** The longest address that is kept. */
export const MOST_ADDRESS = 2000;

/** Why a text is no address of an outside source, for people; null when it is one. */
export function addressProblem(text: string): string | null {
  let url: InstanceType<typeof URL>;
  try {
    url = new URL(text.trim());
  } catch {
    return 'This is no address: it begins with https:// and names a host, such as https://example.org/prices.csv.';
  }
  if (text.length > MOST_ADDRESS) return `An address has at most ${MOST_ADDRESS} characters.`;
  if (url.protocol !== 'https:' && url.protocol !== 'http:')
    return 'Only addresses that begin with https:// or http:// are fetched.';
  // The file goes from hand to hand: what opens something does not belong into it.
  return url.username !== '' || url.password !== ''
    ? 'An address with a name or a password in it is not kept, since everybody who has the file could read them.'
    : null;
}

/** An address that can be asked for rows. */
export const Address = v.pipe(
  v.string(),
  v.trim(),
  v.maxLength(MOST_ADDRESS, `An address has at most ${MOST_ADDRESS} characters.`),
  v.check(
    (text) => addressProblem(text) === null,
    ({ input }) => addressProblem(input)!,
  ),
);

/** The fields by which rows that come again are told, all of them given by columns of the plan; none where nothing tells them. */
export function againMatch(table: Table, plan: Pick<BringPlan, 'columns' | 'into' | 'match'>): string[] {
  const given = new Set(plan.columns.map(({ field }) => field));
  const isGiven = (ids: readonly string[]): boolean => ids.every((id) => given.has(id));
  if (plan.into.table === 'known' && plan.match.length > 0) return isGiven(plan.match) ? plan.match : [];
  return matchable(table).find(isGiven) ?? [];
}

/**
 * A plan that is to be done again: rows that are there are changed, and told by something. Of a table that is made
 * for the sheet, the first column that tells its rows apart becomes one of which no two are alike.
 */
export function askedAgain(
  plan: BringPlan,
  table: Table,
  columns: readonly SheetColumn[],
  again: Again | null,
): BringPlan {
  if (again === null) {
    const { again: _, ...rest } = plan;
    return rest;
  }
  const match = againMatch(table, plan);
  if (plan.into.table === 'known')
    return { ...plan, match, mode: plan.mode === 'add' && match.length > 0 ? 'both' : plan.mode, again };
  const telling = plan.columns.find(({ column, field }) => {
    const facts = columns[column]?.facts;
    const kind = fieldOf(table, field)?.type.kind;
    return facts?.unique === true && facts.empty === 0 && (kind === 'text' || kind === 'wholeNumber');
  });
  if (match.length > 0 || !telling) return { ...plan, again };
  const fields = plan.into.made.fields.map((field) =>
    field.id === telling.field ? { ...field, noTwoAlike: true } : field,
  );
  return { ...plan, into: { table: 'new', made: { ...plan.into.made, fields } }, again };
}

/** What is kept of a plan that is to be done again. */
export const sourceOf = (
  plan: BringPlan,
  again: Again,
  table: Table,
  headings: readonly string[],
): Source => ({
  headings: [...headings],
  style: plan.style,
  columns: plan.columns,
  mode: plan.into.table === 'new' ? 'both' : plan.mode,
  match: againMatch(table, plan),
  blanks: plan.into.table === 'new' ? 'empty' : plan.blanks,
  again,
});

/**
 * The plan by which a source comes into its table once more: columns are found by their headings, fields that were
 * dropped meanwhile are left out. A text where it cannot be done, for people.
 */
export function planAgain(
  source: Source,
  table: Table,
  headings: readonly string[],
  style: SheetStyle,
): BringPlan | string {
  const columns: BringPlan['columns'] = [];
  for (const column of source.columns) {
    if (!fieldOf(table, column.field)) continue;
    const heading = source.headings[column.column] ?? '';
    const place = headings.indexOf(heading);
    if (place < 0)
      return `There is no column “${heading}” any more: bring it in from its address again, and say what becomes of each column.`;
    columns.push({ ...column, column: place });
  }
  const { mode, match, blanks, again } = source;
  if (match.some((id) => !columns.some(({ field }) => field === id)))
    return 'A field by which its rows are told is no longer there: bring it in from its address again.';
  return { style, into: { table: 'known', id: table.id }, columns, mode, match, blanks, again };
}
