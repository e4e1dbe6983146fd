import { displayOf, fieldOf, type Field, type Form, type Table } from '../design';
import { cellsOf } from './tree';

/** Whether what is typed into a field can be searched for. */
export const isFound = ({ type }: Field): boolean =>
  type.kind === 'text' || type.kind === 'longText' || type.kind === 'choice';

/** The text in which the list of a form finds what is searched for, as an expression over a row of its table. */
export function foundIn({ finds = [], parts }: Form, table: Table): string {
  // What is not there for some of the rows would be told by what is found.
  const kept = new Set(cellsOf(parts).flatMap(({ field, hideIf }) => (hideIf === undefined ? [] : [field])));
  const fields = finds
    .flatMap((id) => fieldOf(table, id) ?? [])
    .filter((field) => !kept.has(field.id) && isFound(field));
  const texts = [`(${displayOf(table)})`, ...fields.map(({ id }) => `"#${id}"`)];
  return fields.length === 0
    ? displayOf(table)
    : texts.map((text) => `COALESCE(${text}, '')`).join(" || ' ' || ");
}
