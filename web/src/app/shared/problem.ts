import { HttpErrorResponse } from '@angular/common/http';
import type { ProblemType } from '@heathridge/core/api';
import type { Theirs } from './api.service';
import type { UnreadTexts } from '@heathridge/core/exchange';
import type { RowError } from '@heathridge/core/rows';

/** A problem document of the API (RFC 9457), or what stands for one when there was no answer. */
export interface Problem {
  /** Offline where there was no answer at all. */
  readonly type: ProblemType | 'offline';
  readonly status: number;
  readonly detail: string;
  readonly errors?: readonly RowError[];
  readonly findings?: unknown;
  readonly version?: number;
  /** On a clash of documents: what stands in the file. */
  readonly theirs?: Theirs;
  /** Texts of a file that is taken in, of which it must be said how they are read. */
  readonly unread?: readonly UnreadTexts[];
}

/** What went wrong, from whatever an HTTP call threw. */
export function problemOf(error: unknown): Problem {
  if (error instanceof HttpErrorResponse) {
    const body: unknown = error.error;
    const parsed = typeof body === 'string' ? parse(body) : body;
    if (parsed !== null && typeof parsed === 'object' && 'detail' in parsed) {
      // A problem document need not say its type (RFC 9457, 3.1.1).
      const problem = { type: 'unexpected', ...parsed } as Problem;
      return { ...problem, type: problem.type.split('/').at(-1) as ProblemType };
    }
    if (error.status === 0)
      return {
        type: 'offline',
        status: 0,
        detail:
          'Heathridge cannot be reached. What you typed is still here: try again when the connection is back.',
      };
    return {
      type: 'unexpected',
      status: error.status,
      detail: 'The server gave an answer that cannot be read. Please try again.',
    };
  }
  throw error;
}

/** What went wrong, in a sentence: what is wrong with the first row, where it is about rows. */
export function whatIsWrong(error: unknown): string {
  const { errors, detail } = problemOf(error);
  return errors?.[0]?.message ?? detail;
}

function parse(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}
