/** What a spreadsheet takes for the beginning of a formula, in either width (OWASP, "CSV Injection"). */
const FORMULA = /^'*[=+\-@\t\r\uff1d\uff0b\uff0d\uff20]/;
const NUMBER = /^[+-]?\d+(?:[.,]\d+)*$/;

/**
 * A text as it may stand in a sheet: before one that a spreadsheet would run as a formula stands an apostrophe, by
 * which it is a text there. Numbers are none. What has apostrophes there already gets one more, so that
 * {@link unharmed} gives every text again.
 */
export const harmless = (text: string): string =>
  FORMULA.test(text) && !NUMBER.test(text) ? `'${text}` : text;

/** The inverse of {@link harmless}. */
export const unharmed = (text: string): string =>
  text.startsWith("'") && FORMULA.test(text) ? text.slice(1) : text;
