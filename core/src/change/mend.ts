import * as v from 'valibot';
import { withId } from '../expression';
import {
  columnsLost,
  dependantsOf,
  Id,
  uses,
  type Design,
  type Field,
  type Form,
  type Query,
  type Report,
  type Table,
} from '../design';

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
  return {
    ...design,
    tables: change(design.tables.map((table) => ({ ...table, fields: change(table.fields) }))).map(alikeOnce),
    queries: change(design.queries),
    forms: change(design.forms).map(withoutDoubles),
    reports: change(design.reports),
  };
}

/** Takes what is gone out of one thing, and what that thing loses by it out of all that builds on it. */
function without(design: Design, id: string, gone: ReadonlySet<string>): Design {
  const query = design.queries.find((item) => item.id === id);
  if (query) return withoutColumns(design, query, gone);
  const field = design.tables.flatMap(({ fields }) => fields).find((item) => item.id === id);
  if (!field) {
    const plain = <T>(item: T): T | null => partWithout(item as Part, gone) as T | null;
    return changed(design, id, plain);
  }
  const next = fieldWithout(field, gone);
  const left = changed(design, id, <T>() => next as T | null);
  if (next !== null) return left;
  const lost = new Set([id]);
  return [...new Set(dependantsOf(left, lost).map((dependant) => dependant.id))].reduce(
    (current, dependant) => without(current, dependant, lost),
    left,
  );
}

type Part = Table | Form | Report;

function partWithout(part: Part, gone: ReadonlySet<string>): Part | null {
  switch (part.type) {
    case 'table':
      return tableWithout(part, gone);
    case 'form':
      return formWithout(part, gone);
    case 'report':
      return reportWithout(part, gone);
  }
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

function queryWithout(query: Query, gone: ReadonlySet<string>): Query | null {
  if (gone.has(query.from)) return null;
  const columns = query.columns.filter(({ expression }) => !uses(expression, gone));
  const by = query.group?.by.filter(({ expression }) => !uses(expression, gone)) ?? [];
  const measures = query.group?.measures.filter(({ expression }) => !uses(expression, gone)) ?? [];
  const left = new Set([...columns, ...by, ...measures].map(({ id }) => id));
  // Without columns of its own a query shows every field of its table, by the field's id.
  const named = query.columns.length > 0 || query.group !== null;
  return {
    ...query,
    columns,
    with: query.with.filter(({ path }) => !uses(path, gone)),
    where: query.where.filter((condition) => !uses(condition, gone)),
    group: query.group && by.length + measures.length > 0 ? { by, measures } : null,
    sort: query.sort.filter(({ column }) => (named ? left.has(column) : !gone.has(column))),
  };
}

/** What builds on a query follows it: reports lose the columns it loses, and all goes that needs it whole. */
function withoutColumns(design: Design, query: Query, gone: ReadonlySet<string>): Design {
  const next = queryWithout(query, gone);
  const left = changed(design, query.id, <T>() => next as T | null);
  const lost = next === null ? new Set([query.id]) : columnsLost(query, gone);
  return {
    ...left,
    tables:
      next === null
        ? left.tables.map((table) => ({
            ...table,
            fields: table.fields.map((field) => fieldWithout(field, lost) ?? field),
          }))
        : left.tables,
    reports: left.reports.flatMap((report) =>
      report.source.id === query.id ? (reportWithout(report, lost) ?? []) : [report],
    ),
  };
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

/** A field that took another's place may have stood beside it; one field alone is asked on the field. */
const alikeOnce = (table: Table): Table => ({
  ...table,
  noTwoAlike: table.noTwoAlike.map((ids) => [...new Set(ids)]).filter((ids) => ids.length > 1),
});

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

function reportWithout(report: Report, gone: ReadonlySet<string>): Report | null {
  if (gone.has(report.source.id)) return null;
  const columns = report.columns.filter(({ column }) => !gone.has(column));
  if (columns.length === 0 && report.columns.length > 0) return null;
  return {
    ...report,
    columns,
    group: report.group && gone.has(report.group.column) ? null : report.group,
    sort: report.sort && gone.has(report.sort.column) ? null : report.sort,
  };
}
