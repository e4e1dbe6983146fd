import {
  documentsOf,
  listOf,
  uses,
  type Design,
  type DesignDocument,
  type DocumentType,
  type Field,
  type Table,
  type Use,
} from '../design';
import { builtOn, lostWith, sortOf } from './sorts';

export interface Dependant {
  readonly kind: 'table' | 'field' | DocumentType;
  readonly id: string;
  readonly label: string;
  /** How it uses what it depends on, as a phrase: `its rule`. */
  readonly use: string;
  /** What happens to it when what it uses is taken out of it; null where that cannot be. */
  readonly fate: string | null;
}

/**
 * All that would break or must follow when what these ids stand for (fields, tables, queries) goes or
 * changes.
 */
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
    const use = sortOf(document).use(document, gone);
    if (!use) continue;
    const { type: kind, id, label } = document;
    list.push({ kind, id, label, use: use.use, fate: fateWithOthers(design, document, use, gone) });
  }
  return list;
}

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
      const { query, answers, filter, narrowed, order, columns } = type;
      if (uses([query, answers, filter, narrowed, order, columns], gone))
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

/** What is built on a document follows it. */
function fateWithOthers(
  design: Design,
  document: DesignDocument,
  { fate }: Use,
  gone: ReadonlySet<string>,
): string {
  const next = sortOf(document).without(document, gone);
  const lost = lostWith(document, next, gone);
  const others = builtOn(documentsOf(design), document.id)
    .filter((other) => sortOf(other).use(other, lost))
    .map(({ type, label }) => `${type} ${label}`);
  if (others.length === 0) return fate;
  return next === null ? `${fate}, and with it ${listOf(others)}` : `${fate}, in ${listOf(others)} too`;
}
