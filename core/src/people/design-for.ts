import { idsIn } from '../expression';
import { displayOf, isStored, type Design, type RoleDefinition, type Table } from '../design';
import { peopleMay } from './limits';

const made = new WeakMap<Design, WeakMap<RoleDefinition, Design>>();

/**
 * A design by which nothing is told, in the text that stands for a row, of fields that are hidden from a role: tables
 * and lookups that would show one are shown by what is left, at least by the key.
 */
export function designFor(design: Design, role: RoleDefinition): Design {
  const hidden = new Set(role.fields.filter(({ people }) => people === 'hidden').map(({ field }) => field));
  if (hidden.size === 0) return design;
  const known = made.get(design) ?? new WeakMap<RoleDefinition, Design>();
  made.set(design, known);
  const found = known.get(role);
  if (found) return found;
  const reads = readerOf(design, hidden);
  const tables = design.tables.map((table): Table => {
    const fields = table.fields.map((field) =>
      field.type.kind === 'lookup' && field.type.shows && reads(field.type.shows)
        ? { ...field, type: { ...field.type, shows: null } }
        : field,
    );
    const display = reads(displayOf(table)) ? displayWithout(table, role) : table.display;
    return display === table.display && fields.every((field, i) => field === table.fields[i])
      ? table
      : { ...table, fields, display };
  });
  const next = { ...design, tables };
  known.set(role, next);
  return next;
}

/** Whether an expression tells of any of these fields, through fields that are worked out too. */
function readerOf(design: Design, hidden: ReadonlySet<string>): (expression: string) => boolean {
  const fields = new Map(design.tables.flatMap((table) => table.fields).map((field) => [field.id, field]));
  const reads = (expression: string, seen: ReadonlySet<string>): boolean =>
    idsIn(expression).some((id) => {
      if (hidden.has(id)) return true;
      const type = fields.get(id)?.type;
      return type?.kind === 'workedOut' && !seen.has(id) && reads(type.expression, new Set([...seen, id]));
    });
  return (expression) => reads(expression, new Set());
}

/** What shows a row of a table where its own way would tell too much: its first text that may be seen, else its key. */
function displayWithout(table: Table, role: RoleDefinition): string {
  const text = table.fields.find(
    (field) => field.type.kind === 'text' && isStored(field) && peopleMay(role, field.id) !== 'hidden',
  );
  if (text) return `"#${text.id}"`;
  return table.key.map((id) => `CAST("#${id}" AS VARCHAR(200))`).join(" || ' · ' || ");
}
