import {
  uses,
  type DocumentSort,
  type Form,
  type FormCell,
  type FormPart,
  type Subform,
  type Use,
} from '../design';
import { formProblems } from './problems';
import { allParts, cellsOf, mapParts, partId } from './tree';

function useInForm(form: Form, gone: ReadonlySet<string>): Use | null {
  if (gone.has(form.table)) return { use: 'its records', fate: 'the form is dropped' };
  const parts = allParts(form.parts);
  const subforms = parts.flatMap((part) =>
    part.part === 'subform' && gone.has(part.link) ? [`subform ${part.label}`] : [],
  );
  const cells = parts.some((part) => part.part === 'cell' && gone.has(part.field));
  const worked = parts.flatMap((part) =>
    part.part === 'worked' && uses(part.expression, gone) ? [part.label] : [],
  );
  const rows = [form, ...parts.filter((part) => part.part === 'subform')];
  const buttons = parts.flatMap((part) =>
    part.part === 'button' && uses(part.does, gone) ? [`button ${part.label}`] : [],
  );
  const staying = parts.filter((part) => part.part === 'cell' && !gone.has(part.field));
  const all = [
    ...new Set([
      ...subforms,
      ...(cells ? ['a field on it'] : []),
      ...worked,
      ...buttons,
      ...(staying.some((part) => uses(['hideIf' in part && part.hideIf], gone))
        ? ['when a field on it is seen']
        : []),
      ...(staying.some((part) => uses(['readIf' in part && part.readIf], gone))
        ? ['when a field on it is typed into']
        : []),
      ...(staying.some((part) => uses(['picture' in part && part.picture], gone)) ? ['a picture on it'] : []),
      ...(rows.some(({ query, conditions }) => uses([query, conditions], gone))
        ? ['which rows it shows']
        : []),
      ...(rows.some(({ order }) => uses(order, gone)) ? ['their order'] : []),
      ...(uses(form.finds, gone) ? ['where it is searched'] : []),
      ...(isUnlaid(form, gone) ? ['the columns in which its cards stand'] : []),
      ...(rows.some((part) => 'sums' in part && uses(part.sums, gone)) ? ['a total'] : []),
      // Where the field itself goes, its place in an order is not worth a word.
      ...(!cells && rows.some(({ tabOrder }) => uses(tabOrder, gone)) ? ['the order of the Tab key'] : []),
    ]),
  ];
  return all.length > 0 ? { use: all.join(', '), fate: 'taken off the form' } : null;
}

/** Whether rows are no cards any more without what is gone: the cell by which they were laid out goes too. */
const isUnlaid = ({ list, parts }: Form, gone: ReadonlySet<string>): boolean =>
  list?.cards !== undefined &&
  (gone.has(list.cards) ||
    cellsOf(parts).some(({ field, hideIf }) => field === list.cards && uses(hideIf, gone)));

/** Rows that are no cards any more stand beneath one another. */
function listWithout(form: Form, gone: ReadonlySet<string>): Pick<Form, 'list'> {
  if (!form.list || !isUnlaid(form, gone)) return {};
  const { cards: _, ...list } = form.list;
  return { list };
}

function formWithout(form: Form, gone: ReadonlySet<string>): Form | null {
  if (gone.has(form.table)) return null;
  const isGone = (part: FormPart): boolean =>
    // When it is to be seen nobody knows any more: it is on the shelf then.
    (part.part === 'cell' && (gone.has(part.field) || uses(part.hideIf, gone))) ||
    (part.part === 'button' && uses(part.does, gone)) ||
    (part.part === 'worked' && uses(part.expression, gone)) ||
    (part.part === 'subform' && gone.has(part.link));
  return {
    ...rowsWithout(form, gone),
    ...listWithout(form, gone),
    ...(form.finds ? { finds: form.finds.filter((id) => !gone.has(id)) } : {}),
    parts: mapParts(form.parts, (part) =>
      isGone(part)
        ? null
        : part.part === 'subform'
          ? rowsWithout(part, gone)
          : part.part === 'cell'
            ? cellWithout(part, gone)
            : part,
    ),
  };
}

/** A cell of which what says when it is typed into is gone is for reading: nobody knows any more when it was. */
function cellWithout(cell: FormCell, gone: ReadonlySet<string>): FormCell {
  const { readIf, picture, ...rest } = cell;
  return {
    ...rest,
    ...(picture !== undefined && !gone.has(picture) ? { picture } : {}),
    ...(readIf === undefined ? {} : uses(readIf, gone) ? { people: 'read' } : { readIf }),
  };
}

/** A form or subform whose choice of rows, their order and totals go by nothing that is gone. */
function rowsWithout<P extends Pick<Subform, 'query' | 'conditions' | 'order' | 'sums' | 'tabOrder'>>(
  part: P,
  gone: ReadonlySet<string>,
): P {
  const { query, conditions, order, sums, tabOrder } = part;
  const { query: _, ...all } = part;
  return {
    ...(query !== undefined && gone.has(query) ? (all as P) : part),
    ...(conditions ? { conditions: conditions.filter((condition) => !uses(condition, gone)) } : {}),
    ...(order ? { order: order.filter(({ field }) => !gone.has(field)) } : {}),
    ...(sums ? { sums: sums.filter(({ field }) => !gone.has(field)) } : {}),
    ...(tabOrder ? { tabOrder: tabOrder.filter((field) => !gone.has(field)) } : {}),
  };
}

/** A field that took another's place may have been on the form already. */
const withoutDoubles = (form: Form): Form => ({ ...form, parts: eachOnce(form.parts) });

/** The parts of a level, and of those within, without cells and subforms that stood at that level before. */
function eachOnce(parts: readonly FormPart[], seen = new Set<string>()): FormPart[] {
  return parts.flatMap((part): FormPart[] => {
    switch (part.part) {
      case 'cell':
      case 'subform':
        if (seen.has(partId(part))) return [];
        seen.add(partId(part));
        return [part.part === 'cell' ? part : { ...part, parts: eachOnce(part.parts) }];
      case 'section':
        return [{ ...part, parts: eachOnce(part.parts, seen) }];
      case 'tabs':
        return [{ ...part, tabs: part.tabs.map((tab) => ({ ...tab, parts: eachOnce(tab.parts, seen) })) }];
      case 'note':
      case 'worked':
      case 'picture':
      case 'button':
        return [part];
    }
  });
}

export const formSort: DocumentSort<Form> = {
  problems: formProblems,
  use: useInForm,
  without: formWithout,
  tidy: withoutDoubles,
};
