import type { Link } from './catalog';

/** A label in a sentence, with its article: `an instrument`. */
export const oneOf = (label: string): string =>
  `${/^[aeiou]/i.test(label) ? 'an' : 'a'} ${label.toLowerCase()}`;

/** A link in plain words, for those who do not read crow's feet. */
export function linkWords({ child, parent, label, required, single, onDelete, on }: Link): string {
  const [one, many] = [child.label.toLowerCase(), child.plural.toLowerCase()];
  const other = parent.label.toLowerCase();
  const otherOne = oneOf(parent.label);
  const has = required ? `exactly one ${other}` : `at most one ${other}`;
  const back = single ? `${otherOne} can have one ${one}` : `${otherOne} can have any number of ${many}`;
  const fate = {
    refuse: `${capital(otherOne)} that still has ${many} cannot be deleted.`,
    deleteAlong: `When ${otherOne} is deleted, its ${many} are deleted along.`,
    leaveEmpty: `When ${otherOne} is deleted, ${label} of its ${many} is left empty.`,
  }[onDelete];
  const fields = on.length > 1 ? `${label}: ${on.map(([own]) => own.label).join(', ')}` : label;
  return `Each ${one} belongs to ${has} (${fields}); ${back}. ${fate}`;
}

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
