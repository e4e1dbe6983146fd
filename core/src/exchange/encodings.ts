/**
 * Encodings in which a text that is no UTF-8 can be read, by their names in the WHATWG's Encoding Standard,
 * with names for people. In all of them a byte is a character; which of them was meant only a person can say.
 */
export const ENCODINGS = {
  'windows-1252': 'Western European (Windows-1252, Latin-1)',
  'iso-8859-15': 'Western European (ISO 8859-15, Latin-9)',
  'windows-1250': 'Central European (Windows-1250)',
  'windows-1251': 'Cyrillic (Windows-1251)',
} as const;

export type Encoding = keyof typeof ENCODINGS;

export const ENCODING_NAMES = Object.keys(ENCODINGS) as [Encoding, ...Encoding[]];

/** Texts of one column of a foreign file that are no UTF-8. */
export interface UnreadTexts {
  readonly table: string;
  readonly column: string;
  readonly rows: number;
  /** Some of them: what tells the row from the others, and the text as each encoding reads it. */
  readonly sample: readonly { readonly row: string; readonly readings: Readonly<Record<Encoding, string>> }[];
}
