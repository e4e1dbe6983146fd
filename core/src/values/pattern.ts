/**
 * Patterns of texts in picture symbols. The symbols are those of the PICTURE clause of ISO/IEC 1989:
 * `9` a digit, `A` a letter, `X` any character; `B`, `0` and `/` put a blank, a zero and a slash in;
 * a number in brackets repeats the symbol before it (`9(4)`). Beyond the standard the marks
 * `- . , : + # &` and a blank stand for themselves, and so does whatever is in double quotes (`"GB"99`).
 */
export type Slot =
  | { readonly slot: 'digit' | 'letter' | 'any' }
  /** Put in by itself: nobody has to type it. */
  | { readonly slot: 'fixed'; readonly char: string };

export type PatternParsed =
  { readonly ok: true; readonly slots: readonly Slot[] } | { readonly ok: false; readonly message: string };

/** The longest text a pattern may describe. */
const MOST_SLOTS = 60;

const SYMBOLS: Readonly<Record<string, Slot>> = {
  '9': { slot: 'digit' },
  A: { slot: 'letter' },
  X: { slot: 'any' },
  B: { slot: 'fixed', char: ' ' },
};
const MARKS = '0/-.,:+#& ';

const refuse = (message: string): PatternParsed => ({ ok: false, message });

/** Reads a pattern; the message of a refusal is for the person who writes it. */
export function parsePattern(source: string): PatternParsed {
  const slots: Slot[] = [];
  for (let i = 0; i < source.length; i++) {
    const char = source[i]!;
    if (char === '"') {
      const end = source.indexOf('"', i + 1);
      if (end < 0) return refuse('A double quote is opened here and never closed.');
      slots.push(...[...source.slice(i + 1, end)].map((c): Slot => ({ slot: 'fixed', char: c })));
      i = end;
    } else if (char === '(') {
      const repeat = /^\((\d{1,2})\)/.exec(source.slice(i));
      const last = slots[slots.length - 1];
      if (!repeat || !last || Number(repeat[1]) === 0)
        return refuse('Brackets hold how often the symbol before them stands, as in 9(4).');
      slots.push(...Array.from({ length: Number(repeat[1]) - 1 }, () => last));
      i += repeat[0].length - 1;
    } else if (SYMBOLS[char]) slots.push(SYMBOLS[char]);
    else if (MARKS.includes(char)) slots.push({ slot: 'fixed', char });
    else
      return refuse(
        `“${char}” is no picture symbol: 9 is a digit, A a letter, X any character, and "text" stands for itself.`,
      );
  }
  if (!slots.some(({ slot }) => slot !== 'fixed'))
    return refuse('A pattern needs a place to type in: 9, A or X.');
  if (slots.length > MOST_SLOTS) return refuse(`A pattern has at most ${MOST_SLOTS} places.`);
  return { ok: true, slots };
}

/** Letters are those of the Latin alphabet with their accents (U+00C0 to U+017F), here and in SQL. */
const LETTER = /^[A-Za-z\u00c0-\u00d6\u00d8-\u00f6\u00f8-\u017f]$/;

const takes = (slot: Slot, char: string): boolean => {
  switch (slot.slot) {
    case 'digit':
      return /^[0-9]$/.test(char);
    case 'letter':
      return LETTER.test(char);
    case 'any':
      return char !== ' ';
    case 'fixed':
      return slot.char === char;
  }
};

/** What typed characters come to in a pattern. */
export interface Fitted {
  /** The characters in their places, as far as they go. */
  readonly text: string;
  /** True when every place is filled. */
  readonly whole: boolean;
  /** The first character that fits nowhere. */
  readonly misfit: string | null;
}

/**
 * Lets typed characters fall into their places: fixed ones are put in where they were left out, and
 * passed over where they stand already, so a value can be pasted with or without its separators.
 */
export function fitPattern(slots: readonly Slot[], typed: string): Fitted {
  const chars = [...typed.trim()];
  let text = '';
  let at = 0;
  for (const char of chars) {
    let put = '';
    let next = at;
    while (next < slots.length && !takes(slots[next]!, char)) {
      const slot = slots[next]!;
      if (slot.slot !== 'fixed') break;
      put += slot.char;
      next++;
    }
    const slot = slots[next];
    if (slot && takes(slot, char)) {
      text += put + char;
      at = next + 1;
    } else if (!/[\s\-./,]/.test(char)) return { text, whole: false, misfit: char };
  }
  const rest = slots.slice(at);
  const whole = rest.every(({ slot }) => slot === 'fixed') && text !== '';
  if (whole) text += rest.map((slot) => (slot.slot === 'fixed' ? slot.char : '')).join('');
  return { text, whole, misfit: null };
}

/** A text that fits the pattern, in its places, or why it does not. */
export function readPattern(
  pattern: string,
  typed: string,
): { readonly ok: true; readonly value: string } | { readonly ok: false; readonly message: string } {
  const parsed = parsePattern(pattern);
  // The design was checked when it was applied; a pattern nobody can read holds nobody up.
  if (!parsed.ok) return { ok: true, value: typed };
  const { text, whole, misfit } = fitPattern(parsed.slots, typed);
  if (misfit !== null)
    return { ok: false, message: `“${typed}” does not fit ${pattern}: there is no place for “${misfit}”.` };
  if (!whole) return { ok: false, message: `“${typed}” is not finished: its pattern is ${pattern}.` };
  return { ok: true, value: text };
}

/** The pattern as SQLite's GLOB takes it. */
export function patternGlob(pattern: string): string {
  const parsed = parsePattern(pattern);
  if (!parsed.ok) throw new RangeError(parsed.message);
  return parsed.slots
    .map((slot) => {
      if (slot.slot === 'digit') return '[0-9]';
      if (slot.slot === 'letter') return '[A-Za-z\u00c0-\u00d6\u00d8-\u00f6\u00f8-\u017f]';
      if (slot.slot === 'fixed') return /[*?[]/.test(slot.char) ? `[${slot.char}]` : slot.char;
      return '[^ ]';
    })
    .join('');
}
