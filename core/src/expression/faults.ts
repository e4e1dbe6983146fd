/** Why an expression cannot be worked out for a row, although it holds for others. */
export type Fault = 'large' | 'date' | 'cast' | 'long' | 'pattern';

/** What is said of each, for people. */
export const FAULT_WORDS: Readonly<Record<Fault, string>> = {
  large: 'A number here is too large: at most 18 digits can be worked with, decimal places included.',
  date: 'A date here falls outside the years 1 to 9999.',
  cast: 'A text here cannot be read as the kind it is cast to.',
  long: 'A value here has more characters than the kind it is cast to allows.',
  pattern:
    'A pattern here is longer than 10,000 characters, or its escape character stands before a character that it does not escape.',
};

export const FAULTS: readonly Fault[] = ['large', 'date', 'cast', 'long', 'pattern'];

/**
 * What stands in SQL for a value that cannot be worked out: a BLOB, since no expression has one as its value.
 */
export const faultMark = (fault: Fault): string => `x'0${FAULTS.indexOf(fault) + 1}'`;

/** SQL that is the name of a fault where `sql` is the mark of one, else NULL. */
export const faultName = (sql: string): string =>
  `CASE ${sql} ${FAULTS.map((fault) => `WHEN ${faultMark(fault)} THEN '${fault}'`).join(' ')} END`;

/** Characters that a pattern of LIKE may have: the engine takes 50,000 bytes, of four at most for each. */
export const MOST_PATTERN = 10_000;
