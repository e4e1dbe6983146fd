import { idsIn } from '../expression';
import type { Definition, Design, Table } from './schema';

export interface Dependant {
  readonly kind: 'table' | 'query' | 'form' | 'report' | 'field';
  readonly id: string;
  readonly label: string;
  /** How it uses what it depends on, as a phrase: `the rule of Due back`. */
  readonly use: string;
}

/** Every id that stands anywhere in a document: as a value, or inside an expression in stored form. */
function idsOf(value: unknown, found = new Set<string>()): Set<string> {
  if (typeof value === 'string') {
    found.add(value);
    if (value.includes('"#')) idsIn(value).forEach((id) => found.add(id));
  } else if (Array.isArray(value)) value.forEach((item) => idsOf(item, found));
  else if (value !== null && typeof value === 'object')
    Object.values(value).forEach((item) => idsOf(item, found));
  return found;
}

/** All that would break or must follow when the object (a field or table id) goes or changes. */
export function dependantsOf(design: Design, id: string): Dependant[] {
  const found: Dependant[] = [];
  for (const table of design.tables) found.push(...inTable(table, id));
  const documents: readonly Exclude<Definition, { type: 'settings' }>[] = [
    ...design.queries,
    ...design.forms,
    ...design.reports,
  ];
  for (const document of documents)
    if (document.id !== id && idsOf({ ...document, id: '' }).has(id))
      found.push({ kind: document.type, id: document.id, label: document.label, use: '' });
  return found;
}

function inTable(table: Table, id: string): Dependant[] {
  const found: Dependant[] = [];
  const add = (use: string, owner: { id: string; label: string }): void => {
    found.push({ kind: 'field', id: owner.id, label: `${table.label} › ${owner.label}`, use });
  };
  for (const field of table.fields) {
    if (field.id === id) continue;
    if (field.rule && idsIn(field.rule.expression).includes(id)) add('its rule', field);
    if (field.type.kind === 'lookup') {
      if (field.type.table === id) add('a lookup into it', field);
      if (field.type.shows !== null && idsIn(field.type.shows).includes(id)) add('what it shows', field);
    }
  }
  if (table.id !== id && table.display && idsIn(table.display).includes(id))
    found.push({ kind: 'table', id: table.id, label: table.label, use: 'how its rows are shown' });
  if (table.key.includes(id)) found.push({ kind: 'table', id: table.id, label: table.label, use: 'its key' });
  return found;
}
