import * as v from 'valibot';
import {
  DesignDocument,
  documentsOf,
  Field,
  FieldType,
  fieldOf,
  Id,
  Kept,
  idsOfTable,
  isStored,
  Label,
  listOfType,
  Rule,
  Settings,
  SqlName,
  Table,
  withDocuments,
  type Design,
} from '../design';
import { namesFollowed } from '../documents';
import { Mend, mend } from './mend';

/** How the values of a field become values of another kind. */
export const Convert = v.object({
  /** The order in which dates of three numbers are read; null for the office's. */
  dateOrder: v.optional(v.nullable(v.picklist(['dmy', 'mdy', 'ymd']))),
  /** Texts to read in place of others: a choice by its new name, a correction. */
  instead: v.optional(
    v.pipe(
      v.record(v.pipe(v.string(), v.maxLength(500)), v.pipe(v.string(), v.maxLength(500))),
      v.maxEntries(2000, 'At most 2,000 texts are read in place of others.'),
    ),
  ),
  /** What happens to a value that cannot be read: it stops the draft, or the field is left empty. */
  otherwise: v.optional(v.picklist(['stop', 'empty'])),
});

export type Convert = v.InferOutput<typeof Convert>;

const FieldPatch = v.partial(
  v.object({
    name: SqlName,
    label: Label,
    type: FieldType,
    alwaysFilled: v.boolean(),
    noTwoAlike: v.boolean(),
    indexed: v.boolean(),
    start: Field.entries.start,
    rule: v.nullable(Rule),
  }),
);

const SHORT = 'At most 10 characters may stand there.';
/** Where a text is split. */
export const Separator = v.pipe(v.string(), v.minLength(1, 'A separator is needed.'), v.maxLength(10, SHORT));
/** What stands between two texts that are merged. */
export const Between = v.pipe(v.string(), v.maxLength(10, SHORT));
const Mends = v.optional(v.pipe(v.array(Mend), v.maxLength(500)));

/** One drafted change of the design: a value that can be shown, checked, kept and applied. */
export const Change = v.variant('change', [
  v.object({ change: v.literal('addTable'), table: Table }),
  v.object({ change: v.literal('dropTable'), table: Id, mends: Mends }),
  v.object({
    change: v.literal('changeTable'),
    table: Id,
    set: v.partial(
      v.object({
        name: SqlName,
        label: Label,
        plural: Label,
        display: Table.entries.display,
        key: v.pipe(v.array(Id), v.minLength(1, 'A table needs a key.'), v.maxLength(16)),
        rules: Table.entries.rules.wrapped,
        links: Table.entries.links.wrapped,
        noTwoAlike: Table.entries.noTwoAlike,
        order: Table.entries.order,
      }),
    ),
  }),
  v.object({ change: v.literal('addField'), table: Id, field: Field }),
  v.object({
    change: v.literal('changeField'),
    table: Id,
    field: Id,
    set: FieldPatch,
    convert: v.optional(Convert),
  }),
  v.object({ change: v.literal('dropField'), table: Id, field: Id, mends: Mends }),
  v.object({
    change: v.literal('moveField'),
    table: Id,
    field: Id,
    /** The place it takes among the fields, from 0. */
    to: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(10_000)),
  }),
  v.object({
    change: v.literal('splitField'),
    table: Id,
    field: Id,
    /** The value is split where this stands first; what has none goes into the first field whole. */
    separator: Separator,
    into: v.tuple([Field, Field]),
    mends: Mends,
  }),
  v.object({
    change: v.literal('mergeFields'),
    table: Id,
    fields: v.tuple([Id, Id]),
    /** Put between the two where both are filled. */
    separator: Between,
    into: Field,
    mends: Mends,
  }),
  /** Puts a document in place of the one with its id, or behind the others of its type. */
  v.object({ change: v.literal('putDocument'), document: DesignDocument }),
  v.object({ change: v.literal('dropDocument'), document: Id }),
  /** Lets go of something that an adopted file brought along. */
  v.object({ change: v.literal('dropKept'), kept: Id }),
  /** Keeps something as SQL, in place of what has its id: a folder of definitions brings it along. */
  v.object({ change: v.literal('putKept'), kept: Kept }),
  v.object({ change: v.literal('changeSettings'), set: v.partial(v.omit(Settings, ['type', 'id'])) }),
]);

export type Change = v.InferOutput<typeof Change>;

/** Where the values of a field of the drafted design come from, when not from the field itself as it is. */
export type Source =
  | { readonly from: 'convert'; readonly convert: Convert }
  | { readonly from: 'part'; readonly field: string; readonly separator: string; readonly part: 0 | 1 }
  | { readonly from: 'parts'; readonly fields: readonly [string, string]; readonly separator: string };

/** By field id of the drafted design. */
export type Carry = Readonly<Record<string, Source>>;

export interface Evolved {
  readonly design: Design;
  readonly carry: Carry;
}

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
 * The design after a draft, and where the values of its fields come from. The design given stays as it
 * is. Throws a ChangeError for a change that does not fit the design, such as one to a table that
 * somebody else has dropped.
 */
export function evolve(design: Design, changes: readonly Change[]): Evolved {
  const evolved = changes.reduce<Evolved>(
    (current, change, index) => applyOne(design, current, change, index),
    { design, carry: {} },
  );
  return { ...evolved, design: namesFollowed(design, evolved.design) };
}

/** The design after a draft: see {@link evolve}. */
export const applyChanges = (design: Design, changes: readonly Change[]): Design =>
  evolve(design, changes).design;

const replaceTable = (design: Design, next: Table): Design => ({
  ...design,
  tables: design.tables.map((other) => (other.id === next.id ? next : other)),
});

/** Puts a document in place of the one with its id, or behind the others of its type. */
export function withDocument(design: Design, document: DesignDocument): Design {
  const name = listOfType(document.type);
  const list: readonly DesignDocument[] = documentsOf(design).filter(({ type }) => type === document.type);
  const put = list.some(({ id }) => id === document.id)
    ? list.map((other) => (other.id === document.id ? document : other))
    : [...list, document];
  return { ...design, [name]: put };
}

function applyOne(base: Design, { design, carry }: Evolved, change: Change, index: number): Evolved {
  const fail = (message: string): never => {
    throw new ChangeError(index, message);
  };
  if (change.change === 'changeSettings')
    return { design: { ...design, settings: { ...design.settings, ...change.set } }, carry };
  if (change.change === 'putDocument') return { design: withDocument(design, change.document), carry };
  if (change.change === 'dropDocument')
    return {
      design: withDocuments(design, (list) => list.filter(({ id }) => id !== change.document)),
      carry,
    };
  if (change.change === 'dropKept')
    return { design: { ...design, kept: design.kept.filter(({ id }) => id !== change.kept) }, carry };
  if (change.change === 'putKept') {
    const others = design.kept.filter(({ id }) => id !== change.kept.id);
    return { design: { ...design, kept: [...others, change.kept] }, carry };
  }
  if (change.change === 'addTable') {
    if (design.tables.some(({ id }) => id === change.table.id))
      fail(`${change.table.label} is already there.`);
    return { design: { ...design, tables: [...design.tables, change.table] }, carry };
  }
  const table =
    design.tables.find(({ id }) => id === change.table) ??
    fail('A table this draft changes is no longer there.');
  const replace = (next: Table, more: Carry = {}): Evolved => ({
    design: replaceTable(design, next),
    carry: { ...carry, ...more },
  });
  const at = (id: string): Field =>
    fieldOf(table, id) ?? fail(`A field of ${table.label} that this draft changes is no longer there.`);
  /** A field whose values, as the file holds them, go into others. */
  const source = (id: string): Field => {
    const field = at(id);
    const there = base.tables.find((other) => other.id === table.id);
    if (!there || !fieldOf(there, id) || carry[id] || !isStored(field))
      fail(`${field.label} is new or changed by this draft: apply that first.`);
    return field;
  };
  const without = (
    gone: readonly string[],
    more: readonly Field[],
    mends: readonly Mend[],
    into: Carry,
  ): Evolved => {
    const first = table.fields.findIndex(({ id }) => gone.includes(id));
    const kept = table.fields.filter(({ id }) => !gone.includes(id));
    const fields = [...kept.slice(0, first), ...more, ...kept.slice(first)];
    if (fields.length === 0) fail(`${table.label} would be left without any field.`);
    const next = replace({ ...table, fields }, into);
    const ids = new Set(gone);
    const single = gone.length === 1 ? gone[0]! : null;
    return { ...next, design: mend(next.design, ids, single, mends) };
  };
  switch (change.change) {
    case 'dropTable': {
      const left = {
        ...design,
        tables: design.tables.filter(({ id }) => id !== table.id),
        kept: design.kept.filter((item) => item.table !== table.id),
      };
      return { design: mend(left, idsOfTable(table), null, change.mends ?? []), carry };
    }
    case 'changeTable':
      return replace({ ...table, ...change.set });
    case 'addField':
      if (fieldOf(table, change.field.id)) fail(`${change.field.label} is already there.`);
      return replace({ ...table, fields: [...table.fields, change.field] });
    case 'changeField': {
      const next = { ...at(change.field), ...change.set };
      const fields = table.fields.map((other) => (other.id === next.id ? next : other));
      return replace(
        { ...table, fields },
        change.convert ? { [next.id]: { from: 'convert', convert: change.convert } } : {},
      );
    }
    case 'dropField':
      return without([at(change.field).id], [], change.mends ?? [], {});
    case 'moveField': {
      const field = at(change.field);
      const others = table.fields.filter(({ id }) => id !== field.id);
      return replace({
        ...table,
        fields: [...others.slice(0, change.to), field, ...others.slice(change.to)],
      });
    }
    case 'splitField': {
      const { id } = source(change.field);
      const { separator, into } = change;
      return without([id], into, change.mends ?? [], {
        [into[0].id]: { from: 'part', field: id, separator, part: 0 },
        [into[1].id]: { from: 'part', field: id, separator, part: 1 },
      });
    }
    case 'mergeFields': {
      const { separator, into } = change;
      const fields = change.fields.map((id) => source(id).id) as [string, string];
      return without(fields, [into], change.mends ?? [], { [into.id]: { from: 'parts', fields, separator } });
    }
  }
}
