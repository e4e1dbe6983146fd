import { uses, type DocumentSort, type Form, type Use } from '../design';
import { formProblems } from './problems';

function useInForm(form: Form, gone: ReadonlySet<string>): Use | null {
  if (gone.has(form.table)) return { use: 'its records', fate: 'the form is dropped' };
  const subforms = form.subforms.filter(({ link }) => gone.has(link)).map(({ label }) => `subform ${label}`);
  const cells = uses([form.fields, form.hidden, form.subforms.map(({ fields }) => fields)], gone);
  const all = [...subforms, ...(cells ? ['a field on it'] : [])];
  return all.length > 0 ? { use: all.join(', '), fate: 'taken off the form' } : null;
}

function formWithout(form: Form, gone: ReadonlySet<string>): Form | null {
  if (gone.has(form.table)) return null;
  const there = <T extends { readonly field: string }>(cells: readonly T[]): T[] =>
    cells.filter(({ field }) => !gone.has(field));
  return {
    ...form,
    fields: there(form.fields),
    hidden: form.hidden.filter((id) => !gone.has(id)),
    subforms: form.subforms
      .filter(({ link }) => !gone.has(link))
      .map((subform) => ({ ...subform, fields: there(subform.fields) })),
  };
}

/** A field that took another's place may have been on the form already. */
function withoutDoubles(form: Form): Form {
  const first = <T extends { readonly field: string }>(cells: readonly T[]): T[] =>
    cells.filter(({ field }, i) => cells.findIndex((other) => other.field === field) === i);
  const fields = first(form.fields);
  return {
    ...form,
    fields,
    hidden: [...new Set(form.hidden)].filter((id) => !fields.some(({ field }) => field === id)),
    subforms: form.subforms.map((subform) => ({ ...subform, fields: first(subform.fields) })),
  };
}

export const formSort: DocumentSort<Form> = {
  problems: formProblems,
  use: useInForm,
  without: formWithout,
  tidy: withoutDoubles,
};
