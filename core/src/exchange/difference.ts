import type { Change } from '../change';
import { documentsOf, fieldOf, type Design, type Field, type Table } from '../design';

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/**
 * The draft that leads from one design to another: what {@link applyChanges} makes of the first and these
 * changes is the second. Tables and fields are told by their ids.
 */
export function differences(before: Design, after: Omit<Design, 'version'>): Change[] {
  const changes: Change[] = [];
  const { type: _, id: __, ...settings } = after.settings;
  if (!same(before.settings, after.settings)) changes.push({ change: 'changeSettings', set: settings });
  for (const { id } of documentsOf(before))
    if (!documentsOf(after).some((other) => other.id === id))
      changes.push({ change: 'dropDocument', document: id });
  for (const { id } of before.kept)
    if (!after.kept.some((other) => other.id === id)) changes.push({ change: 'dropKept', kept: id });
  for (const { id } of before.tables)
    if (!after.tables.some((table) => table.id === id)) changes.push({ change: 'dropTable', table: id });
  for (const table of after.tables) {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old) changes.push({ change: 'addTable', table });
    else if (!same(old, table)) changes.push(...inTable(old, table));
  }
  for (const kept of after.kept) {
    const old = before.kept.find(({ id }) => id === kept.id);
    if (!same(old, kept)) changes.push({ change: 'putKept', kept });
  }
  for (const document of documentsOf(after)) {
    const old = documentsOf(before).find(({ id }) => id === document.id);
    if (!same(old, document)) changes.push({ change: 'putDocument', document });
  }
  return changes;
}

function inTable(old: Table, table: Table): Change[] {
  const changes: Change[] = [];
  const add = (change: Change): void => void changes.push(change);
  for (const field of table.fields) {
    const was = fieldOf(old, field.id);
    if (!was) add({ change: 'addField', table: table.id, field });
    else if (!same(was, field)) {
      const { id: _, ...all } = field;
      const changed = Object.entries(all).filter(([part, value]) => !same(value, was[part as keyof Field]));
      add({ change: 'changeField', table: table.id, field: field.id, set: Object.fromEntries(changed) });
    }
  }
  const { type: _, id: __, fields: ___, ...all } = table;
  const changed = Object.entries(all).filter(([part, value]) => !same(value, old[part as keyof Table]));
  if (changed.length > 0) add({ change: 'changeTable', table: table.id, set: Object.fromEntries(changed) });
  const left = old.fields.filter(({ id }) => !fieldOf(table, id));
  for (const { id } of left) add({ change: 'dropField', table: table.id, field: id });
  // What is new stands at the end: each field moves to its place where it is not there yet.
  const order = [
    ...old.fields.filter(({ id }) => fieldOf(table, id)),
    ...table.fields.filter(({ id }) => !fieldOf(old, id)),
  ].map(({ id }) => id);
  table.fields.forEach(({ id }, to) => {
    if (order[to] === id) return;
    order.splice(order.indexOf(id), 1);
    order.splice(to, 0, id);
    add({ change: 'moveField', table: table.id, field: id, to });
  });
  return changes;
}
