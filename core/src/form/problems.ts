import { fieldOf, type Design, type Form } from '../design';

/** What keeps a form from being opened, said for people. */
export function formProblems(design: Design, form: Form): string[] {
  const table = design.tables.find(({ id }) => id === form.table);
  if (!table) return ['The table of this form is no longer there.'];
  const gone =
    form.fields.some(({ field }) => !fieldOf(table, field)) ||
    form.hidden.some((field) => !fieldOf(table, field));
  if (gone) return ['A field of this form is no longer there.'];
  const badSubform = form.subforms.some(({ link, fields }) => {
    const child = design.tables.find((other) => fieldOf(other, link));
    const type = child && fieldOf(child, link)!.type;
    return (
      !child ||
      type?.kind !== 'lookup' ||
      type.table !== table.id ||
      fields.some(({ field }) => !fieldOf(child, field))
    );
  });
  return badSubform ? ['A subform does not fit its table any more.'] : [];
}
