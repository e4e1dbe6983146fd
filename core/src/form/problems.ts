import { attempt } from '../expression';
import {
  boundIn,
  conditionIn,
  fieldOf,
  findField,
  fits,
  typeOf,
  type Design,
  type Form,
  type FormPart,
  type Subform,
  type Table,
} from '../design';
import { keyedProblem } from '../query';
import { lanesBy } from './lanes';
import { buttonProblems } from './button-problems';
import { allParts, buttonsOf, cellsOf, partId, subformsOf, workedOf } from './tree';

/** What keeps a form from being opened, said for people. */
export function formProblems(design: Design, form: Form): string[] {
  const table = design.tables.find(({ id }) => id === form.table);
  if (!table) return ['The table of this form is no longer there.'];
  const found = [
    ...rowsProblems(design, table, form, form.label),
    ...problemsAt(design, table, form.parts, form.label),
  ];
  if (form.list?.cards !== undefined && !lanesBy(form, table))
    found.push(`The field whose values are the columns of ${form.label} is not on it, or lays out no rows.`);
  if (form.finds?.some((id) => !fieldOf(table, id)))
    found.push(`A field in which ${form.label} is searched is no longer there.`);
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
  for (const { label: name, expression, result } of workedOf(parts)) {
    const bound = attempt(() => boundIn(design, table.id, expression).bound);
    if (!bound.ok) yield `${name} cannot be worked out: ${bound.error.message}`;
    else if (!fits(bound.value.type, typeOf(design, result)))
      yield `${name} is shown as something else than its expression gives.`;
  }
  for (const { field, readIf, hideIf, picture } of cells) {
    const own = fieldOf(table, field);
    if (!own) continue;
    for (const condition of [readIf, hideIf]) {
      if (condition === undefined) continue;
      const bound = attempt(() => conditionIn(design, table.id, condition));
      if (!bound.ok)
        yield `When ${own.label} is ${condition === hideIf ? 'seen' : 'typed'} cannot be worked out: ${bound.error.message}`;
    }
    const pictured = picture === undefined ? undefined : findField(design, picture);
    if (
      picture !== undefined &&
      (pictured?.field.type.kind !== 'picture' ||
        own.type.kind !== 'lookup' ||
        own.type.table !== pictured.table.id)
    )
      yield `The picture beside ${own.label} is no longer there.`;
  }
  for (const button of buttonsOf(parts)) yield* buttonProblems(design, table, button);
  for (const subform of subforms) {
    const found = findField(design, subform.link);
    const type = found?.field.type;
    if (!found || type?.kind !== 'lookup' || type.table !== table.id)
      yield `The subform ${subform.label} does not fit its table any more.`;
    else {
      yield* rowsProblems(design, found.table, subform, subform.label);
      if (subform.sums?.some(({ field }) => !fieldOf(found.table, field)))
        yield `A field beneath ${subform.label} is no longer there.`;
      yield* problemsAt(design, found.table, subform.parts, subform.label);
    }
  }
}

/** What is wrong with which rows are shown, and their order. */
function* rowsProblems(
  design: Design,
  table: Table,
  { query, conditions = [], order }: Pick<Subform, 'query' | 'conditions' | 'order'>,
  label: string,
): Generator<string> {
  if (order?.some(({ field }) => !fieldOf(table, field)))
    yield `A field by which ${label} is ordered is no longer there.`;
  const problem = query === undefined ? null : keyedProblem(design, query, table);
  if (problem !== null) {
    const named = design.queries.find(({ id }) => id === query)?.label;
    yield `The query${named === undefined ? '' : ` ${named}`} whose rows ${label} shows ${problem}.`;
  }
  for (const condition of conditions) {
    const bound = attempt(() => conditionIn(design, table.id, condition));
    if (!bound.ok) yield `Which rows ${label} shows cannot be worked out: ${bound.error.message}`;
  }
}

const twice = (ids: readonly string[]): boolean => new Set(ids).size < ids.length;
