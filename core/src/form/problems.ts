import { fieldOf, findField, type Design, type Form, type FormPart, type Table } from '../design';
import { allParts, cellsOf, partId, subformsOf } from './tree';

/** What keeps a form from being opened, said for people. */
export function formProblems(design: Design, form: Form): string[] {
  const table = design.tables.find(({ id }) => id === form.table);
  if (!table) return ['The table of this form is no longer there.'];
  const found = [...problemsAt(design, table, form.parts, form.label)];
  const own = allParts(form.parts)
    .filter(({ part }) => part !== 'cell' && part !== 'subform')
    .map(partId);
  if (new Set(own).size < own.length) found.push('Two parts of this form have one id.');
  return [...new Set(found)];
}

function* problemsAt(
  design: Design,
  table: Table,
  parts: readonly FormPart[],
  label: string,
): Generator<string> {
  const [cells, subforms] = [cellsOf(parts), subformsOf(parts)];
  if (cells.some(({ field }) => !fieldOf(table, field)))
    yield `A field of ${label === '' ? 'this form' : label} is no longer there.`;
  if (twice(cells.map(({ field }) => field))) yield `A field stands twice in ${label}.`;
  if (twice(subforms.map(({ link }) => link))) yield `A subform stands twice in ${label}.`;
  for (const subform of subforms) {
    const found = findField(design, subform.link);
    const type = found?.field.type;
    if (!found || type?.kind !== 'lookup' || type.table !== table.id)
      yield `The subform ${subform.label} does not fit its table any more.`;
    else yield* problemsAt(design, found.table, subform.parts, subform.label);
  }
}

const twice = (ids: readonly string[]): boolean => new Set(ids).size < ids.length;
