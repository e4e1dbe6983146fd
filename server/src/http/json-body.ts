import { Problem } from '../problem';

/** Brackets within brackets that a body may have: the deepest of ours, forms in forms, have some thirty. */
export const MOST_DEEP = 200;

/**
 * Refuses a JSON text that is nested deeper than anything we know, before it is parsed: what goes through a value level
 * by level would run out of stack. Throws a problem; whether it is JSON at all is for the parser to say.
 */
export function assertShallow(text: string): void {
  let depth = 0;
  let inString = false;
  for (let i = 0; i < text.length; i++) {
    const letter = text.charCodeAt(i);
    if (inString) {
      if (letter === BACKSLASH) i++;
      else if (letter === QUOTE) inString = false;
    } else if (letter === QUOTE) inString = true;
    else if (letter === OPEN_ARRAY || letter === OPEN_OBJECT) {
      if (++depth > MOST_DEEP)
        throw new Problem('bad-request', `This request is nested deeper than ${MOST_DEEP} levels.`);
    } else if (letter === CLOSE_ARRAY || letter === CLOSE_OBJECT) depth--;
  }
}

const [QUOTE, BACKSLASH, OPEN_ARRAY, CLOSE_ARRAY, OPEN_OBJECT, CLOSE_OBJECT] = [
  0x22, 0x5c, 0x5b, 0x5d, 0x7b, 0x7d,
] as const;
