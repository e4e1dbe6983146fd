import * as v from 'valibot';
import { withId } from '../expression';
import {
  documentsOf,
  findDocument,
  Id,
  uses,
  withDocuments,
  type Design,
  type DesignDocument,
  type Field,
  type Table,
} from '../design';
import { builtOn, dependantsOf, lostWith, sortOf } from '../documents';

/** What becomes of one thing that uses what is dropped: it gives it up, or takes another field instead. */
export const Mend = v.object({
  /** The id of the field, table, query, form or report that is mended. */
  dependant: Id,
  /** The field that takes the place of the one dropped; null to do without. */
  put: v.nullable(Id),
});

export type Mend = v.InferOutput<typeof Mend>;

/** Puts one id in place of another everywhere in a value, also inside expressions in stored form. */
function replaced<T>(value: T, from: string, to: string): T {
  const one = (item: unknown): unknown => {
    if (typeof item === 'string') return item === from ? to : withId(item, from, to);
    if (Array.isArray(item)) return item.map(one);
    if (item !== null && typeof item === 'object')
      return Object.fromEntries(Object.entries(item).map(([key, inner]) => [key, one(inner)]));
    return item;
  };
  return one(value) as T;
}

/** Carries out mends for what is gone (`ids`; `field` when it is one field, which others may replace). */
export function mend(
  design: Design,
  ids: ReadonlySet<string>,
  field: string | null,
  mends: readonly Mend[],
): Design {
  return mends.reduce((current, { dependant, put }) => {
    if (put === null || field === null) return without(current, dependant, ids);
    return changed(current, dependant, (item) => replaced(item, field, put));
  }, design);
}

/** Makes another of one thing in a design; null drops it. */
function changed(design: Design, id: string, work: <T>(item: T) => T | null): Design {
  const change = <T extends { readonly id: string }>(list: readonly T[]): T[] =>
    list.flatMap((item) => (item.id === id ? (work(item) ?? []) : [item]));
  return withDocuments(
    {
      ...design,
      tables: change(design.tables.map((table) => ({ ...table, fields: change(table.fields) }))).map(
        alikeOnce,
      ),
    },
    (list) => change(list).map((item) => sortOf(item).tidy?.(item) ?? item),
  );
}

/** Takes what is gone out of one thing, and what that thing loses by it out of all that builds on it. */
function without(design: Design, id: string, gone: ReadonlySet<string>): Design {
  const document = findDocument(design, id);
  if (document) return withoutInDocument(design, document, gone);
  const field = design.tables.flatMap(({ fields }) => fields).find((item) => item.id === id);
  if (!field) return changed(design, id, <T>(item: T) => tableWithout(item as Table, gone) as T);
  const next = fieldWithout(field, gone);
  const left = changed(design, id, <T>() => next as T | null);
  if (next !== null) return left;
  const lost = new Set([id]);
  return [...new Set(dependantsOf(left, lost).map((dependant) => dependant.id))].reduce(
    (current, dependant) => without(current, dependant, lost),
    left,
  );
}

/**
 * What builds on a document follows it: it loses the parts that the document loses, and goes where it needs
 * it whole.
 */
function withoutInDocument(design: Design, document: DesignDocument, gone: ReadonlySet<string>): Design {
  const next = sortOf(document).without(document, gone);
  const left = changed(design, document.id, <T>() => next as T | null);
  const lost = lostWith(document, next, gone);
  if (lost.size === 0) return left;
  const tables =
    next === null
      ? left.tables.map((table) => ({
          ...table,
          fields: table.fields.map((field) => fieldWithout(field, lost) ?? field),
        }))
      : left.tables;
  return builtOn(documentsOf(left), document.id).reduce(
    (current, other) => withoutInDocument(current, other, lost),
    { ...left, tables },
  );
}

function fieldWithout(field: Field, gone: ReadonlySet<string>): Field | null {
  const rule = uses([field.rule?.expression, field.rule?.message], gone) ? null : field.rule;
  const { type } = field;
  if (type.kind === 'workedOut') return uses(type.expression, gone) ? null : field;
  if (type.kind !== 'lookup') return { ...field, rule };
  if (gone.has(type.table)) return null;
  const kept = <T>(part: T): T | null => (uses(part, gone) ? null : part);
  return {
    ...field,
    rule,
    type: {
      ...type,
      shows: kept(type.shows),
      query: kept(type.query),
      ...(type.answers ? { answers: type.answers.filter((answer) => !uses(answer, gone)) } : {}),
      filter: kept(type.filter),
      narrowed: kept(type.narrowed),
      order: kept(type.order),
      columns: type.columns?.filter((column) => !uses(column, gone)),
    },
  };
}

const tableWithout = (table: Table, gone: ReadonlySet<string>): Table => ({
  ...table,
  display: uses(table.display, gone) ? null : table.display,
  rules: table.rules.filter(({ expression, message }) => !uses([expression, message], gone)),
  order: table.order.filter(({ field }) => !gone.has(field)),
  links: table.links.filter(({ table: other, on }) => !uses([other, on], gone)),
  noTwoAlike: table.noTwoAlike.filter((ids) => !uses(ids, gone)),
});

/** A field that took another's place may have stood beside it; one field alone is asked on the field. */
const alikeOnce = (table: Table): Table => ({
  ...table,
  noTwoAlike: table.noTwoAlike.map((ids) => [...new Set(ids)]).filter((ids) => ids.length > 1),
});
