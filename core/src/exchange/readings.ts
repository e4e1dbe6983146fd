import { sqlName } from '../expression';
import type { FieldType } from '../design';
import { instantText, isInstant, type ColumnFacts, type ForeignColumn } from './foreign';

/** How the values of a column are read. */
export type How =
  'whole' | 'tick' | 'date' | 'instant' | 'time' | 'text' | 'hex' | 'file' | { readonly places: number };

/** How a column of a foreign file is read, and how it is seen that nothing of it has changed on the way. */
export interface Reading {
  /** SQL over the old row `o` of what is stored. */
  readonly sql: string;
  /** SQL over the old row `o` and the new row `n`, true where the value is the same. */
  readonly same: string;
  /** Whether bytes are kept as an attachment first, whose number is then what is stored. */
  readonly blob: boolean;
  /** Whether values stand in the file as they stood in the other: SQL of others still finds them. */
  readonly asItStood: boolean;
  /** What is to be said of values that stand otherwise, with SQL over `o` for the rows. */
  readonly notes: readonly { readonly text: string; readonly where?: string }[];
}

/** The largest whole number that is kept as a number. */
const MOST = 999_999_999_999_999;
/** The most decimal places of a number. */
const MOST_PLACES = 6;

const declaredPlaces = (type: string): number | null => {
  const match = /(?:DECIMAL|NUMERIC)\s*\(\s*\d+\s*,\s*(\d+)\s*\)/i.exec(type);
  return match ? Math.min(Number(match[1]), MOST_PLACES) : null;
};

const filled = ({ rows, nulls }: ColumnFacts): number => rows - nulls;

/** Whether all these values can be read so without loss. */
export function canRead(how: How, facts: ColumnFacts): boolean {
  const all = filled(facts);
  const numbers = facts.integers + facts.reals === all;
  switch (how) {
    case 'text':
      return true;
    case 'hex':
    case 'file':
      return facts.blobs === all;
    case 'whole':
      return numbers && facts.places === 0 && facts.largest <= MOST;
    case 'tick':
      return facts.zeroOrOne === all && facts.nulls === 0;
    case 'date':
      return facts.dates === all;
    case 'instant':
      return facts.instants === all;
    case 'time':
      return facts.times === all;
    default:
      return numbers && facts.places <= how.places && facts.largest * 10 ** how.places <= MOST;
  }
}

/** How all values of a column are read without loss. */
export function howFor({ type, facts }: Pick<ForeignColumn, 'type' | 'facts'>, isKey = false): How {
  const all = filled(facts);
  if (all === 0) return declaredHow(type, isKey, facts.nulls);
  const places = Math.max(facts.places, declaredPlaces(type) ?? 0);
  const candidates: How[] = [
    ...(facts.blobs > 0 ? ([isKey ? 'hex' : 'file'] as const) : []),
    ...(facts.texts === all ? (['date', 'instant', 'time'] as const) : []),
    ...(facts.texts > 0 ? (['text'] as const) : []),
    ...(/BOOL/i.test(type) && !isKey ? (['tick'] as const) : []),
    ...(places === 0 ? (['whole'] as const) : []),
    ...(places > 0 && places <= MOST_PLACES ? [{ places }] : []),
  ];
  return candidates.find((how) => canRead(how, facts)) ?? 'text';
}

/** What a column without any value says it is for; a tick is only one where nothing is empty. */
function declaredHow(type: string, isKey: boolean, nulls: number): How {
  if (/BLOB/i.test(type)) return isKey ? 'hex' : 'file';
  if (/BOOL/i.test(type)) return isKey || nulls > 0 ? 'whole' : 'tick';
  if (/DATETIME|TIMESTAMP/i.test(type)) return 'instant';
  if (/DATE/i.test(type)) return 'date';
  if (/TIME/i.test(type)) return 'time';
  if (/INT/i.test(type)) return 'whole';
  const places = declaredPlaces(type);
  if (places !== null) return places === 0 ? 'whole' : { places };
  return /REAL|FLOA|DOUB|NUM|DEC/i.test(type) ? { places: 2 } : 'text';
}

/** The kind of a field for values that are read so. */
export function kindOf(how: How, facts: ColumnFacts): FieldType {
  switch (how) {
    case 'whole':
      return { kind: 'wholeNumber' };
    case 'tick':
    case 'date':
    case 'time':
    case 'file':
      return { kind: how };
    case 'instant':
      return { kind: 'dateTime' };
    case 'hex':
      return { kind: 'text', most: null };
    case 'text':
      return isLong(facts) ? { kind: 'longText' } : { kind: 'text', most: null };
    default:
      return { kind: 'decimal', places: how.places };
  }
}

/** Characters beyond which a text is a long one. */
export const LONG = 500;
const isLong = ({ lines, longest }: ColumnFacts): boolean => lines > 0 || longest > LONG;

/** A number with all digits that it has, or the fewest that read back as it. */
const realText = (o: string): string =>
  `CASE WHEN CAST(CAST(${o} AS TEXT) AS REAL) = ${o} THEN CAST(${o} AS TEXT) ELSE printf('%!.17g', ${o}) END`;

/** Reads a column of the old table, called `path` for people, into a column of the new one. */
export function readingFor(
  { name, type, facts, sampled, isShort }: Omit<ForeignColumn, 'notNull' | 'default' | 'pk' | 'generated'>,
  column: string,
  how: How,
  path: string,
): Reading {
  const o = `o.${sqlName(name)}`;
  // Behind a plus a column has no affinity that would make a number of the other side's text; the new column
  // stands first, so that its way of comparing texts is taken, which is by their bytes.
  const n = `+n.${sqlName(column)}`;
  const plain = { blob: false, asItStood: false, notes: [] };
  switch (how) {
    case 'file':
      return {
        ...plain,
        sql: o,
        same: `(SELECT a.bytes FROM hr_attachment AS a WHERE a.id = ${n}) IS +${o}`,
        blob: true,
      };
    case 'hex':
      return {
        ...plain,
        sql: `lower(hex(${o}))`,
        same: `typeof(${o}) = 'blob' AND ${n} = lower(hex(${o}))`,
        notes: [
          {
            text: `${path} holds bytes and tells rows apart: they are written as texts of digits (hexadecimal).`,
          },
        ],
      };
    case 'whole': {
      const exact = facts.reals === 0;
      // A column of whole numbers holds no other number that could be kept as one (SQLite, type affinity).
      const isWhole = /INT/i.test(type);
      return {
        ...plain,
        sql: exact ? o : `CAST(${o} AS INTEGER)`,
        same: `${n} IS +${o}${exact && !isWhole ? ` AND typeof(${o}) <> 'real'` : ''}`,
        asItStood: exact,
      };
    }
    case 'tick':
      return { ...plain, sql: o, same: `${n} IS +${o}`, asItStood: true };
    case 'date':
      return { ...plain, sql: o, same: `${n} IS +${o}`, asItStood: true };
    case 'time':
      return {
        ...plain,
        sql: `CASE length(${o}) WHEN 5 THEN ${o} || ':00' ELSE ${o} END`,
        same: `${n} IS CASE length(${o}) WHEN 5 THEN ${o} || ':00' ELSE +${o} END`,
        notes: [
          {
            text: `${path}: times without seconds have them now (14:30 is kept as 14:30:00).`,
            where: `length(${o}) = 5`,
          },
        ],
      };
    case 'instant':
      return {
        ...plain,
        sql: instantText(o),
        same: `(${o} IS NULL OR ${isInstant(o)}) AND ${n} IS ${instantText(o)}`,
        notes: [
          {
            text: `${path}: a date with a time is a moment of UTC now, written 2026-01-31T14:30:00Z.`,
            where: `${o} <> ${instantText(o)}`,
          },
        ],
      };
    case 'text':
      return { ...plain, ...textReading(o, n, facts, sampled && !isShort, path) };
    default: {
      const one = `1${'0'.repeat(how.places)}`;
      return {
        ...plain,
        sql: `CAST(round(${o} * ${one}) AS INTEGER)`,
        same: `${n} / ${one}.0 IS +${o}`,
      };
    }
  }
}

function textReading(
  o: string,
  n: string,
  facts: ColumnFacts,
  sampled: boolean,
  path: string,
): Pick<Reading, 'sql' | 'same' | 'asItStood' | 'notes'> {
  const { texts, integers, reals, blobs, emptyTexts } = facts;
  const all = filled(facts);
  // Not by comparing: a column may say of itself that blanks are nothing.
  const text = emptyTexts > 0 ? `CASE length(${o}) WHEN 0 THEN NULL ELSE ${o} END` : o;
  const notes: Reading['notes'][number][] = [];
  const isText = `typeof(${o}) = 'text'`;
  if (emptyTexts > 0)
    notes.push({
      text: `${path}: texts without any character are empty now.`,
      where: `${isText} AND length(${o}) = 0`,
    });
  if (texts === all) {
    // What only some rows have borne out is asked of every one.
    const short =
      sampled && !isLong(facts)
        ? ` AND (${o} IS NULL OR length(${o}) <= ${LONG} AND instr(${o}, char(10)) = 0)`
        : '';
    for (const [found, what, test] of [
      [facts.dates, 'dates', (c: string) => `date(${c}, '+0 days') IS NOT ${c}`],
      [facts.instants, 'dates with a time', (c: string) => `datetime(${c}) IS NULL`],
    ] as const)
      if (found > (all - emptyTexts) / 2 && found < all)
        notes.push({
          text: `${path} is kept as a text: not all of it are ${what} of the calendar.`,
          where: `${isText} AND length(${o}) > 0 AND ${test(o)}`,
        });
    return {
      sql: text,
      same: `${n} IS ${emptyTexts > 0 ? text : `+${o}`}${short}`,
      asItStood: emptyTexts === 0,
      notes,
    };
  }
  if (texts > 0 || blobs > 0)
    notes.push({
      text: `${path} holds values of several sorts: all are texts now${blobs > 0 ? ', bytes written as x’…’' : ''}.`,
      where: `typeof(${o}) NOT IN ('text', 'null')`,
    });
  else if (reals > 0)
    notes.push({
      text: `${path} holds numbers of more than 6 decimal places or 15 digits: all are kept as texts, with all their digits.`,
      where: `typeof(${o}) = 'real'`,
    });
  else if (integers > 0)
    notes.push({
      text: `${path} holds whole numbers of more than 15 digits: all are kept as texts.`,
      where: `abs(CAST(${o} AS REAL)) > ${MOST}`,
    });
  return {
    sql: `CASE typeof(${o}) WHEN 'text' THEN ${text} WHEN 'integer' THEN CAST(${o} AS TEXT) WHEN 'real' THEN ${realText(o)} WHEN 'blob' THEN quote(${o}) END`,
    same:
      `CASE typeof(${o}) WHEN 'text' THEN ${n} IS ${text} WHEN 'integer' THEN CAST(${n} AS INTEGER) = ${o} ` +
      `WHEN 'real' THEN (CAST(${n} AS REAL) = ${o} OR abs(${o}) = 9e999) WHEN 'blob' THEN ${n} = quote(${o}) ELSE ${n} IS NULL END`,
    asItStood: false,
    notes,
  };
}
