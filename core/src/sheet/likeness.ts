/**
 * The fewest letters that must be put in, taken out, replaced, or swapped with their neighbour to make one text of
 * another (optimal string alignment distance; L. Boytsov, "Indexing methods for approximate dictionary searching",
 * 2011, section 2.2). Gives up beyond `most`.
 *
 * @returns the distance, or `most + 1` where it is larger
 */
export function distance(a: string, b: string, most: number): number {
  if (Math.abs(a.length - b.length) > most) return most + 1;
  let [before, above]: [number[], number[]] = [[], Array.from({ length: b.length + 1 }, (_, i) => i)];
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    let least = i;
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1] ? 0 : 1;
      let value = Math.min(above[j]! + 1, row[j - 1]! + 1, above[j - 1]! + same);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        value = Math.min(value, before[j - 2]! + 1);
      row.push(value);
      if (value < least) least = value;
    }
    if (least > most) return most + 1;
    [before, above] = [above, row];
  }
  return Math.min(above[b.length]!, most + 1);
}

/** The part of a text's letters that may differ for another to be thought of. */
const APART = 0.3;

/** The text that is most like another one, by the letters that differ; null where none is, or two are as much. */
export function nearest(
  text: string,
  among: Iterable<readonly [sought: string, shown: string]>,
): string | null {
  let best: string | null = null;
  let least = Math.max(1, Math.floor(text.length * APART)) + 1;
  for (const [sought, shown] of among) {
    const apart = distance(text, sought, least);
    if (apart < least) [best, least] = [shown, apart];
    else if (apart === least && best !== null && shown !== best) best = shortened(text, best, shown);
  }
  return best;
}

/** Of two as near, the one that the text begins like, as an abbreviation does. */
function shortened(text: string, one: string, other: string): string {
  const common = (name: string): number => {
    let i = 0;
    while (i < text.length && text[i] === name[i]?.toLowerCase()) i++;
    return i;
  };
  return common(other) > common(one) ? other : one;
}
