import { PROBLEM_BASE, type ProblemType } from '@heathridge/core/api';
import type { DesignProblem } from '@heathridge/core/design';
import type { RowError } from '@heathridge/core/rows';

/** Every error the API can give on purpose, in one place: its type, status and title. */
export const PROBLEMS = {
  'not-found': [404, 'There is no such thing here'],
  'not-signed-in': [401, 'Please sign in'],
  'wrong-sign-in': [401, 'Name or password is wrong'],
  'not-allowed': [403, 'This is not open to you'],
  'wrong-origin': [403, 'This request came from another site'],
  'bad-request': [400, 'This request does not make sense'],
  'too-large': [413, 'This is more than can be taken at once'],
  'too-many': [429, 'Too many tries'],
  'design-moved': [409, 'Somebody else has changed the design'],
  changing: [423, 'The design is being changed'],
  'draft-stopped': [422, 'The draft cannot be applied'],
  'design-invalid': [422, 'This definition cannot stand'],
  'rows-refused': [422, 'Some rows were refused'],
  'name-taken': [409, 'This name is taken'],
  stopped: [408, 'This took too long and was stopped'],
  'later-format': [409, 'This file is of a later version'],
  'unread-text': [422, 'Some texts cannot be read'],
  damaged: [409, 'This file is damaged'],
  misplaced: [409, 'This file is not in its place'],
  'document-moved': [409, 'Somebody else has changed this meanwhile'],
  'query-failed': [422, 'This query cannot be run'],
  'not-taken-in': [422, 'This file cannot be taken in'],
  'sheet-refused': [422, 'This sheet cannot be brought in'],
  'not-undone': [409, 'This cannot be undone'],
  'disk-full': [507, 'The disk is full'],
  'not-writable': [507, 'The disk cannot be written'],
  unexpected: [500, 'Something went wrong on our side'],
} as const satisfies Record<ProblemType, readonly [number, string]>;

export interface ProblemExtras {
  /** Of what we did not foresee: the number under which the log says more. */
  readonly number?: string;
  readonly errors?: readonly RowError[];
  readonly problems?: readonly DesignProblem[];
  readonly findings?: unknown;
  readonly issues?: readonly { readonly path: string; readonly message: string }[];
  readonly version?: number;
  /** On a clash of documents: theirs, who saved it and when. */
  readonly theirs?: unknown;
  /** Texts of a file that are no UTF-8, by column. */
  readonly unread?: unknown;
}

/** An error that becomes a problem document (RFC 9457). `detail` is for people. */
export class Problem extends Error {
  constructor(
    readonly type: ProblemType,
    readonly detail: string,
    readonly extras: ProblemExtras = {},
  ) {
    super(detail);
  }

  get status(): number {
    return PROBLEMS[this.type][0];
  }

  toJSON(): Record<string, unknown> {
    const [status, title] = PROBLEMS[this.type];
    return { type: PROBLEM_BASE + this.type, title, status, detail: this.detail, ...this.extras };
  }
}
