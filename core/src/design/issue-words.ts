import type * as v from 'valibot';

/** How many of something, for people. */
const counted = (count: unknown, one: string, more: string): string =>
  `${String(count)} ${count === 1 ? one : more}`;

const KINDS: Readonly<Record<string, string>> = {
  string: 'A text is expected here.',
  number: 'A number is expected here.',
  boolean: 'True or false is expected here.',
  array: 'A list is expected here.',
  object: 'An object with members of its own is expected here.',
  strict_object: 'An object with members of its own is expected here.',
  record: 'An object with members of its own is expected here.',
  null: 'Nothing (null) is expected here.',
  integer: 'A whole number is expected here.',
  safe_integer: 'A whole number is expected here.',
  regex: 'This is not written in the form that is expected here.',
};

/**
 * What is wrong with a value, for people, where a schema has no words of its own for it: what is expected, never
 * how the validator puts it. The place is told beside it.
 */
export function issueWords(issue: v.BaseIssue<unknown>): string {
  const { type, kind, expected, received, requirement } = issue as v.BaseIssue<unknown> & {
    readonly requirement?: unknown;
  };
  const what = (one: string, more: string): string => {
    const isText = typeof issue.input === 'string';
    return counted(requirement ?? 1, isText ? 'character' : one, isText ? 'characters' : more);
  };
  if (kind === 'schema') {
    if (received === 'undefined') return 'This is missing.';
    if (type === 'strict_object' && expected === 'never') return 'This is not known here.';
    if (type === 'literal' || type === 'picklist' || type === 'enum' || type === 'variant')
      return `One of these is expected here: ${(expected ?? '').replace(/[()"]/g, '').replaceAll(' | ', ', ')}.`;
  }
  switch (type) {
    case 'min_length':
    case 'non_empty':
      return `At least ${what('entry', 'entries')} ${(requirement ?? 1) === 1 ? 'is' : 'are'} needed here.`;
    case 'max_length':
      return `At most ${what('entry', 'entries')} may stand here.`;
    case 'min_value':
      return `At least ${String(requirement)} is expected here.`;
    case 'max_value':
      return `At most ${String(requirement)} is expected here.`;
    default:
      return KINDS[type] ?? 'This is not of a kind that may stand here.';
  }
}
