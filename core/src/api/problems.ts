/** The errors that the API gives on purpose: what stands in the type of a problem document (RFC 9457) behind `/problems/`. */
export type ProblemType =
  | 'not-found'
  | 'not-signed-in'
  | 'wrong-sign-in'
  | 'not-allowed'
  | 'wrong-origin'
  | 'bad-request'
  | 'too-large'
  | 'too-many'
  | 'design-moved'
  | 'changing'
  | 'draft-stopped'
  | 'design-invalid'
  | 'rows-refused'
  | 'name-taken'
  | 'stopped'
  | 'later-format'
  | 'unread-text'
  | 'damaged'
  | 'misplaced'
  | 'document-moved'
  | 'query-failed'
  | 'not-taken-in'
  | 'sheet-refused'
  | 'not-undone'
  | 'disk-full'
  | 'not-writable'
  | 'unexpected';

/** What stands before the name of an error in the type of a problem document. */
export const PROBLEM_BASE = '/problems/';
