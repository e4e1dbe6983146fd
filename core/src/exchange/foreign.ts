import { sqlName } from '../expression';

/** How many values of each sort a column of a foreign file holds, and what can be said of all of them. */
export interface ColumnFacts {
  readonly rows: number;
  readonly nulls: number;
  readonly integers: number;
  readonly reals: number;
  readonly texts: number;
  readonly blobs: number;
  /** Texts that are empty, that have more than one line, and the longest text's characters. */
  readonly emptyTexts: number;
  readonly lines: number;
  readonly longest: number;
  /** Texts that are real dates, dates with a time, times of day. */
  readonly dates: number;
  readonly instants: number;
  readonly times: number;
  /** Numbers that are 0 or 1; the most decimal places of a number (7 when more than 6); its largest size. */
  readonly zeroOrOne: number;
  readonly places: number;
  readonly largest: number;
}

export interface ForeignColumn {
  readonly name: string;
  /** As declared, such as `VARCHAR(40)`. */
  readonly type: string;
  readonly notNull: boolean;
  readonly default: string | null;
  /** The place in the primary key, from 1; 0 outside it. */
  readonly pk: number;
  readonly generated: boolean;
  readonly facts: ColumnFacts;
  /** Whether the facts are those of some rows only: what does not bear them out is then found while copying. */
  readonly sampled: boolean;
  /** Whether every text is known to be one line that is no long text, however few rows the facts are of. */
  readonly isShort: boolean;
}

export interface ForeignTable {
  readonly name: string;
  readonly sql: string;
  readonly withoutRowid: boolean;
  /** A name for the number of a row that no column takes for itself; null when there is none. */
  readonly rowid: string | null;
  /** The numbers of the first and the last row; null without rows, or without numbers. */
  readonly numbers: readonly [first: number, last: number] | null;
  readonly columns: readonly ForeignColumn[];
  readonly indexes: readonly {
    readonly name: string;
    readonly unique: boolean;
    /** `c` by CREATE INDEX, `u` by UNIQUE, `pk` by PRIMARY KEY. */
    readonly origin: string;
    readonly partial: boolean;
    /** Null for an expression. */
    readonly columns: readonly (string | null)[];
    readonly sql: string | null;
  }[];
  readonly foreignKeys: readonly {
    readonly to: string;
    readonly onDelete: string;
    readonly pairs: readonly (readonly [from: string, to: string | null])[];
  }[];
}

/** The schema of an SQLite file that Heathridge did not make. */
export interface ForeignSchema {
  readonly tables: readonly ForeignTable[];
  /** The number that the file gives its own version (`user_version`), and what it says it is. */
  readonly version: number;
  readonly application: number;
  readonly views: readonly { readonly name: string; readonly sql: string }[];
  readonly triggers: readonly { readonly name: string; readonly table: string; readonly sql: string }[];
  /** Virtual tables and whatever else cannot be read as a table. */
  readonly others: readonly string[];
}

/** SQL for {@link ColumnFacts} of a column of the table `o`, one value after another in their order. */
export function factsSql(column: string): string {
  const c = `o.${sqlName(column)}`;
  // In a CASE the engine leaves off at the first part that does not hold: bytes are not read as texts.
  const count = (condition: string): string => `count(CASE WHEN ${condition} THEN 1 END)`;
  const number = `typeof(${c}) IN ('integer', 'real')`;
  const isText = `typeof(${c}) = 'text'`;
  // A whole number of units divided by a power of ten is the number nearest to that decimal.
  const places = [0, 1, 2, 3, 4, 5, 6].map((n) => `WHEN ${scaledBack(c, n)} = ${c} THEN ${n}`);
  return [
    'count(*)',
    count(`${c} IS NULL`),
    count(`typeof(${c}) = 'integer'`),
    count(`typeof(${c}) = 'real'`),
    count(isText),
    count(`typeof(${c}) = 'blob'`),
    count(`${isText} AND length(${c}) = 0`),
    count(`${isText} AND instr(${c}, char(10)) > 0`),
    `coalesce(max(CASE WHEN ${isText} THEN length(${c}) END), 0)`,
    count(isDate(c)),
    count(isInstant(c)),
    count(isTime(c)),
    count(`${number} AND ${c} IN (0, 1)`),
    `coalesce(max(CASE WHEN typeof(${c}) = 'real' THEN CASE ${places.join(' ')} ELSE 7 END END), 0)`,
    `coalesce(max(CASE WHEN ${number} THEN abs(CAST(${c} AS REAL)) END), 0)`,
  ].join(', ');
}

/** A number as it reads back when it is kept in units of so many decimal places. */
export const scaledBack = (c: string, places: number): string => {
  const one = `1${'0'.repeat(places)}.0`;
  return `(CASE WHEN abs(${c} * ${one}) < 1e15 THEN CAST(round(${c} * ${one}) AS INTEGER) / ${one} END)`;
};

const DAY = '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]';
const MINUTE = '[0-9][0-9]:[0-9][0-9]';
const SECOND = `${MINUTE}:[0-9][0-9]`;

/** True for a text that is a real date as we write it: the engine would take 30 February for 1 March. */
export const isDate = (c: string): string =>
  `typeof(${c}) = 'text' AND length(${c}) = 10 AND ${c} GLOB '${DAY}' AND ${c} NOT GLOB '0000*' AND date(${c}, '+0 days') = ${c}`;

/** True for a text that is a time of day, with or without seconds. */
export const isTime = (c: string): string =>
  `typeof(${c}) = 'text' AND length(${c}) IN (5, 8) AND (${c} GLOB '${MINUTE}' OR ${c} GLOB '${SECOND}') AND substr(time(${c}, '+0 days'), 1, length(${c})) = ${c}`;

/** A date and a time of day as we write them: what is wrong with them stays wrong. */
export const instantText = (c: string): string =>
  `substr(${c}, 1, 10) || 'T' || substr(${c}, 12, 5) || CASE WHEN length(${c}) >= 19 THEN substr(${c}, 17, 3) ELSE ':00' END || 'Z'`;

/** True for a text that is a real date with a time, without fractions, of no zone or of that of UTC. */
export const isInstant = (c: string): string => {
  const shapes = ['T', ' '].flatMap((mark) =>
    [MINUTE, SECOND].flatMap((time) => ['', 'Z'].map((zone) => `${c} GLOB '${DAY}${mark}${time}${zone}'`)),
  );
  return `typeof(${c}) = 'text' AND length(${c}) BETWEEN 16 AND 20 AND (${shapes.join(' OR ')}) AND ${c} NOT GLOB '0000*' AND strftime('%Y-%m-%dT%H:%M:%SZ', ${c}, '+0 days') = ${instantText(c)}`;
};

/** The answers to {@link factsSql}, in their order. */
export function factsFrom(values: readonly number[]): ColumnFacts {
  const names = [
    'rows',
    'nulls',
    'integers',
    'reals',
    'texts',
    'blobs',
    'emptyTexts',
    'lines',
    'longest',
    'dates',
    'instants',
    'times',
    'zeroOrOne',
    'places',
    'largest',
  ] as const;
  return Object.fromEntries(names.map((name, i) => [name, values[i] ?? 0])) as unknown as ColumnFacts;
}
