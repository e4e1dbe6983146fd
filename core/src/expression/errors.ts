/** A stretch of the source text: offsets in UTF-16 units, end excluded. */
export interface Span {
  readonly start: number;
  readonly end: number;
}

/** A way to put something right: what to write in place of a stretch of the source. */
export interface Fix extends Span {
  readonly text: string;
}

/** What is wrong with an expression, where, what was expected there, and a way to put it right if there is one. */
export class ExpressionError extends Error {
  constructor(
    message: string,
    readonly span: Span,
    readonly expected = '',
    readonly fix: Fix | null = null,
  ) {
    super(expected ? `${message} Expected ${expected}.` : message);
  }
}

export function failed(message: string, span: Span, expected = '', fix: Fix | null = null): never {
  throw new ExpressionError(message, span, expected, fix);
}

/** The result of `work`, or the ExpressionError it threw; any other error passes through. */
export function attempt<T>(work: () => T): { ok: true; value: T } | { ok: false; error: ExpressionError } {
  try {
    return { ok: true, value: work() };
  } catch (error) {
    if (error instanceof ExpressionError) return { ok: false, error };
    throw error;
  }
}
