import { idsIn } from '../expression';
import { rulesOf } from './catalog';
import type { Definition, Design, Field, Form, Query, Report, Table } from './schema';

export interface Dependant {
  readonly kind: 'table' | 'query' | 'form' | 'report' | 'field';
  readonly id: string;
  readonly label: string;
  /** How it uses what it depends on, as a phrase: `its rule`. */
  readonly use: string;
  /** What happens to it when what it uses is taken out of it; null where that cannot be. */
  readonly fate: string | null;
}

/** Every id that stands anywhere in a document: as a value, or inside an expression in stored form. */
export function idsUsed(value: unknown, found = new Set<string>()): Set<string> {
  if (typeof value === 'string') {
    found.add(value);
    if (value.includes('"#')) idsIn(value).forEach((id) => found.add(id));
  } else if (Array.isArray(value)) value.forEach((item) => idsUsed(item, found));
  else if (value !== null && typeof value === 'object')
    Object.values(value).forEach((item) => idsUsed(item, found));
  return found;
}

/** The ids that go with a table: its own and those of its fields and links. */
export const idsOfTable = (table: Table): Set<string> =>
  new Set([table.id, ...table.fields.map(({ id }) => id), ...table.links.map(({ id }) => id)]);

type Document = Exclude<Definition, { type: 'settings' | 'table' | 'kept' }>;

const documentsOf = (design: Design): readonly Document[] => [
  ...design.queries,
  ...design.forms,
  ...design.reports,
];

/** All that would break or must follow when what these ids stand for (fields, tables, queries) goes or changes. */
export const dependantsOf = (design: Design, ids: string | ReadonlySet<string>): Dependant[] =>
  found(design, typeof ids === 'string' ? new Set([ids]) : ids, true);

/** With `deep`, what follows from a fate is told too. */
function found(design: Design, gone: ReadonlySet<string>, deep: boolean): Dependant[] {
  const list: Dependant[] = [];
  const fateOf = (field: Field): string =>
    deep ? fateOfField(design, field, gone) : 'the field is dropped too';
  for (const table of design.tables) if (!gone.has(table.id)) list.push(...inTable(table, gone, fateOf));
  for (const document of documentsOf(design)) {
    if (gone.has(document.id)) continue;
    const use = useIn(document, gone);
    if (!use) continue;
    const fate = document.type === 'query' ? fateOfQuery(design, document, gone) : use.fate;
    list.push({ kind: document.type, id: document.id, label: document.label, use: use.use, fate });
  }
  return list;
}

export const uses = (value: unknown, gone: ReadonlySet<string>): boolean =>
  value !== null && value !== undefined && [...idsUsed(value)].some((id) => gone.has(id));

function inTable(table: Table, gone: ReadonlySet<string>, fateOf: (field: Field) => string): Dependant[] {
  const found: Dependant[] = [];
  const ofField = (field: Field, use: string, fate: string): void => {
    found.push({ kind: 'field', id: field.id, label: `${table.label} › ${field.label}`, use, fate });
  };
  const ofTable = (use: string, fate: string | null): void => {
    found.push({ kind: 'table', id: table.id, label: table.label, use, fate });
  };
  for (const field of table.fields) {
    if (gone.has(field.id)) continue;
    const { type } = field;
    if (type.kind === 'lookup') {
      if (gone.has(type.table)) {
        ofField(field, 'a lookup into it', fateOf(field));
        continue;
      }
      if (uses(type.shows, gone)) ofField(field, 'what it shows', 'it shows what its table shows');
      const { query, filter, narrowed, order, columns } = type;
      if (uses([query, filter, narrowed, order, columns], gone))
        ofField(field, 'which choices it offers', 'it offers them without that');
    }
    if (type.kind === 'workedOut' && uses(type.expression, gone))
      ofField(field, 'what it is worked out from', fateOf(field));
    if (uses([field.rule?.expression, field.rule?.message], gone))
      ofField(field, 'its rule', 'the rule is taken off');
  }
  for (const rule of table.rules)
    if (uses([rule.expression, rule.message], gone))
      ofTable(`its rule “${rule.message.replace(/"#[^"]*"/g, '…')}”`, 'the rule is dropped');
  if (uses(table.display, gone)) ofTable('how its rows are shown', 'its first text is shown');
  if (table.key.some((id) => gone.has(id))) ofTable('its key', null);
  for (const ids of table.noTwoAlike)
    if (uses(ids, gone)) {
      const others = table.fields.filter(({ id }) => ids.includes(id) && !gone.has(id));
      ofTable(
        `no two alike in ${listOf(['it', ...others.map(({ label }) => label)])}`,
        'that is asked no more',
      );
    }
  if (uses(table.order, gone)) ofTable('the order of its rows', 'they are ordered without it');
  for (const link of table.links)
    if (uses([link.table, link.on], gone)) ofTable(`the link ${link.label}`, 'the link is dropped');
  return found;
}

/** A field that cannot do without is dropped too, and then taken out of all that uses it. */
function fateOfField(design: Design, field: Field, gone: ReadonlySet<string>): string {
  const others = found(design, new Set([field.id]), false).filter(({ id }) => !gone.has(id));
  const labels = [...new Set(others.map(({ label }) => label))];
  return labels.length > 0
    ? `the field is dropped too, and taken out of ${listOf(labels)}`
    : 'the field is dropped too';
}

function useIn(document: Document, gone: ReadonlySet<string>): Pick<Dependant, 'use' | 'fate'> | null {
  switch (document.type) {
    case 'query':
      return useInQuery(document, gone);
    case 'form':
      return useInForm(document, gone);
    case 'report':
      return useInReport(document, gone);
  }
}

function useInQuery(query: Query, gone: ReadonlySet<string>): Pick<Dependant, 'use' | 'fate'> | null {
  if (gone.has(query.from)) return { use: 'its rows', fate: 'the query is dropped' };
  const parts = [
    ...query.columns.filter((column) => uses(column.expression, gone)).map(({ label }) => `column ${label}`),
    ...(uses(query.where, gone) ? ['a condition'] : []),
    ...(uses(query.with, gone) ? ['a table beside it'] : []),
    ...(query.group && uses([query.group.by, query.group.measures], gone) ? ['its groups and totals'] : []),
  ];
  const ids = query.sort.some(({ column }) => gone.has(column)) ? ['its order'] : [];
  const all = [...parts, ...ids];
  return all.length > 0 ? { use: all.join(', '), fate: 'these parts are taken out' } : null;
}

/** The columns a query loses when what they are made of is taken out of it. */
export const columnsLost = ({ columns, group }: Query, gone: ReadonlySet<string>): Set<string> =>
  new Set(
    [...columns, ...(group ? [...group.by, ...group.measures] : [])]
      .filter(({ expression }) => uses(expression, gone))
      .map(({ id }) => id),
  );

/** The reports that print a query and name one of these columns of it. */
const printing = (design: Design, query: Query, columns: ReadonlySet<string>): Report[] =>
  design.reports.filter(
    ({ source, columns: printed, group, sort }) =>
      source.id === query.id && uses([printed, group, sort], columns),
  );

/** Reports over a query follow it. */
function fateOfQuery(design: Design, query: Query, gone: ReadonlySet<string>): string {
  const reports = design.reports.filter(({ source }) => source.id === query.id);
  if (gone.has(query.from))
    return reports.length > 0
      ? `the query is dropped, and with it ${listOf(reports.map(({ label }) => `report ${label}`))}`
      : 'the query is dropped';
  const losing = printing(design, query, columnsLost(query, gone)).map(({ label }) => `report ${label}`);
  return losing.length > 0
    ? `these parts are taken out, in ${listOf(losing)} too`
    : 'these parts are taken out';
}

/** Labels in a sentence: `Day, Room and Teacher`. */
export const listOf = (items: readonly string[]): string =>
  items.length < 2 ? (items[0] ?? '') : `${items.slice(0, -1).join(', ')} and ${items.at(-1)!}`;

function useInForm(form: Form, gone: ReadonlySet<string>): Pick<Dependant, 'use' | 'fate'> | null {
  if (gone.has(form.table)) return { use: 'its records', fate: 'the form is dropped' };
  const subforms = form.subforms.filter(({ link }) => gone.has(link)).map(({ label }) => `subform ${label}`);
  const cells = uses([form.fields, form.hidden, form.subforms.map(({ fields }) => fields)], gone);
  const all = [...subforms, ...(cells ? ['a field on it'] : [])];
  return all.length > 0 ? { use: all.join(', '), fate: 'taken off the form' } : null;
}

function useInReport(report: Report, gone: ReadonlySet<string>): Pick<Dependant, 'use' | 'fate'> | null {
  if (gone.has(report.source.id)) return { use: 'its rows', fate: 'the report is dropped' };
  const columns = report.columns
    .filter(({ column }) => gone.has(column))
    .map(({ label }) => `column ${label}`);
  const others = [
    ...(uses(report.group, gone) ? ['its group'] : []),
    ...(uses(report.sort, gone) ? ['its order'] : []),
  ];
  const all = [...columns, ...others];
  const left = report.columns.length - columns.length;
  const fate = left > 0 ? 'taken out of the report' : 'the report is dropped';
  return all.length > 0 ? { use: all.join(', '), fate } : null;
}

/** The labels of rules that mention an id, for telling what a change touches. */
export const rulesUsing = (table: Table, gone: ReadonlySet<string>): string[] =>
  rulesOf(table)
    .filter(({ rule }) => uses(rule.expression, gone))
    .map(({ rule }) => rule.message);
