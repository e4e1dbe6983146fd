import { displayOf, fieldOf, type Field, type Form, type Table } from '../design';

/** Whether what is typed into a field can be searched for. */
export const isFound = ({ type }: Field): boolean =>
  type.kind === 'text' || type.kind === 'longText' || type.kind === 'choice';

/** The text in which the list of a form finds what is searched for, as an expression over a row of its table. */
export function foundIn({ finds = [] }: Form, table: Table): string {
  const fields = finds.flatMap((id) => fieldOf(table, id) ?? []).filter(isFound);
  const texts = [`(${displayOf(table)})`, ...fields.map(({ id }) => `"#${id}"`)];
  return fields.length === 0
    ? displayOf(table)
    : texts.map((text) => `COALESCE(${text}, '')`).join(" || ' ' || ");
}
