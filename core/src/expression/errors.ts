/** A stretch of the source text: offsets in UTF-16 units, end excluded. */
export interface Span {
  readonly start: number;
  readonly end: number;
}

/** What is wrong with an expression, where, and what was expected there. */
export class ExpressionError extends Error {
  constructor(
    message: string,
    readonly span: Span,
    readonly expected = '',
  ) {
    super(expected ? `${message} Expected ${expected}.` : message);
  }
}

export function failed(message: string, span: Span, expected = ''): never {
  throw new ExpressionError(message, span, expected);
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
