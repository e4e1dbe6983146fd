const segmenter = new Intl.Segmenter('en', { granularity: 'grapheme' });

/**
 * How many characters people see in a text: grapheme clusters (Unicode, UAX 29), so that a letter with its
 * accents, a flag or a family is one.
 */
export function characters(text: string): number {
  // eslint-disable-next-line no-control-regex
  if (/^[\x00-\x7f]*$/.test(text)) return text.length;
  let count = 0;
  for (const _ of segmenter.segment(text)) count++;
  return count;
}
