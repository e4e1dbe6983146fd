import * as v from 'valibot';
import { Field, FieldType, Id, Label, Rule, SqlName, Table, type Design } from '../design';

const FieldPatch = v.partial(
  v.object({
    name: SqlName,
    label: Label,
    type: FieldType,
    alwaysFilled: v.boolean(),
    noTwoAlike: v.boolean(),
    indexed: v.boolean(),
    start: v.nullable(v.string()),
    rule: v.nullable(Rule),
  }),
);

/** One drafted change of the design: a value that can be shown, checked, kept and applied. */
export const Change = v.variant('change', [
  v.object({ change: v.literal('addTable'), table: Table }),
  v.object({ change: v.literal('dropTable'), table: Id }),
  v.object({
    change: v.literal('changeTable'),
    table: Id,
    set: v.partial(v.object({ name: SqlName, label: Label, plural: Label, display: v.nullable(v.string()) })),
  }),
  v.object({ change: v.literal('addField'), table: Id, field: Field }),
  v.object({ change: v.literal('changeField'), table: Id, field: Id, set: FieldPatch }),
  v.object({ change: v.literal('dropField'), table: Id, field: Id }),
  v.object({
    change: v.literal('moveField'),
    table: Id,
    field: Id,
    /** The place it takes among the fields, from 0. */
    to: v.pipe(v.number(), v.integer(), v.minValue(0)),
  }),
]);

export type Change = v.InferOutput<typeof Change>;

/** The kinds that a field of a kind may become without touching its values. */
const SAME_STORAGE: readonly (readonly [string, string])[] = [
  ['text', 'longText'],
  ['choice', 'text'],
  ['choice', 'longText'],
];

export class ChangeError extends Error {
  constructor(
    /** The place of the change in the draft, from 0. */
    readonly index: number,
    message: string,
  ) {
    super(message);
  }
}

/**
 * The design after a draft. The design given stays as it is. Throws a ChangeError for a change that
 * does not fit the design, such as one to a table that somebody else has dropped.
 */
export function applyChanges(design: Design, changes: readonly Change[]): Design {
  return changes.reduce((current, change, index) => applyOne(current, change, index), design);
}

function applyOne(design: Design, change: Change, index: number): Design {
  const fail = (message: string): never => {
    throw new ChangeError(index, message);
  };
  if (change.change === 'addTable') {
    if (design.tables.some(({ id }) => id === change.table.id))
      fail(`${change.table.label} is already there.`);
    return { ...design, tables: [...design.tables, change.table] };
  }
  const table =
    design.tables.find(({ id }) => id === change.table) ??
    fail('A table this draft changes is no longer there.');
  const replace = (next: Table): Design => ({
    ...design,
    tables: design.tables.map((other) => (other.id === next.id ? next : other)),
  });
  switch (change.change) {
    case 'dropTable':
      return { ...design, tables: design.tables.filter(({ id }) => id !== table.id) };
    case 'changeTable':
      return replace({ ...table, ...change.set });
    case 'addField':
      if (table.fields.some(({ id }) => id === change.field.id))
        fail(`${change.field.label} is already there.`);
      return replace({ ...table, fields: [...table.fields, change.field] });
    default: {
      const gone = `A field of ${table.label} that this draft changes is no longer there.`;
      const field = table.fields.find(({ id }) => id === change.field) ?? fail(gone);
      const others = table.fields.filter(({ id }) => id !== field.id);
      if (change.change === 'dropField') return replace({ ...table, fields: others });
      if (change.change === 'moveField') {
        const fields = [...others.slice(0, change.to), field, ...others.slice(change.to)];
        return replace({ ...table, fields });
      }
      const next = { ...field, ...change.set };
      return replace({
        ...table,
        fields: table.fields.map((other) => (other.id === field.id ? next : other)),
      });
    }
  }
}

/** Why a field that holds rows cannot become what the draft says; null when it can. */
export function kindProblem(before: Field, after: Field): string | null {
  const [from, to] = [before.type, after.type];
  if (from.kind === to.kind) {
    if ((from.kind === 'decimal' || from.kind === 'money') && (to.kind === 'decimal' || to.kind === 'money'))
      return to.places < from.places
        ? `${after.label} keeps ${from.places} places: fewer would cut digits off its values.`
        : null;
    if (from.kind === 'lookup' && to.kind === 'lookup' && from.table !== to.table)
      return `${after.label} holds keys of one table and cannot lead to another.`;
    return null;
  }
  return SAME_STORAGE.some(([a, b]) => a === from.kind && b === to.kind)
    ? null
    : `${after.label} holds values already, so its kind stays as it is. Add a new field of the kind you need.`;
}
