import { uses, type DocumentSort, type Form, type FormPart, type Subform, type Use } from '../design';
import { formProblems } from './problems';
import { allParts, mapParts, partId } from './tree';

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
  const all = [
    ...new Set([
      ...subforms,
      ...(cells ? ['a field on it'] : []),
      ...worked,
      ...(rows.some(({ conditions }) => uses(conditions, gone)) ? ['which rows it shows'] : []),
      ...(rows.some(({ order }) => uses(order, gone)) ? ['their order'] : []),
      ...(uses(form.finds, gone) ? ['where it is searched'] : []),
      ...(rows.some((part) => 'sums' in part && uses(part.sums, gone)) ? ['a total'] : []),
    ]),
  ];
  return all.length > 0 ? { use: all.join(', '), fate: 'taken off the form' } : null;
}

function formWithout(form: Form, gone: ReadonlySet<string>): Form | null {
  if (gone.has(form.table)) return null;
  const isGone = (part: FormPart): boolean =>
    (part.part === 'cell' && gone.has(part.field)) ||
    (part.part === 'worked' && uses(part.expression, gone)) ||
    (part.part === 'subform' && gone.has(part.link));
  return {
    ...rowsWithout(form, gone),
    ...(form.finds ? { finds: form.finds.filter((id) => !gone.has(id)) } : {}),
    parts: mapParts(form.parts, (part) =>
      isGone(part) ? null : part.part === 'subform' ? rowsWithout(part, gone) : part,
    ),
  };
}

/** A form or subform whose choice of rows, their order and totals go by nothing that is gone. */
function rowsWithout<P extends Pick<Subform, 'conditions' | 'order' | 'sums'>>(
  part: P,
  gone: ReadonlySet<string>,
): P {
  const { conditions, order, sums } = part;
  return {
    ...part,
    ...(conditions ? { conditions: conditions.filter((condition) => !uses(condition, gone)) } : {}),
    ...(order ? { order: order.filter(({ field }) => !gone.has(field)) } : {}),
    ...(sums ? { sums: sums.filter(({ field }) => !gone.has(field)) } : {}),
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
