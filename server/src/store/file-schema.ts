import type { Definition } from '@heathridge/core/design';
import { sql } from 'drizzle-orm';
import { blob, index, integer, primaryKey, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** Everything the builder has made: one JSON document a row. */
export const definition = sqliteTable('hr_definition', {
  id: text('id').primaryKey(),
  type: text('type').$type<Definition['type']>().notNull(),
  /** The place among documents of its type. */
  position: integer('position').notNull(),
  document: text('document').notNull(),
  /** Grows with every change of this document; who saves it says which one she began with. */
  version: integer('version').notNull().default(1),
  changedAt: text('changed_at'),
  changedBy: text('changed_by'),
});

/**
 * Everything that has happened in the file, in order: nothing changes without an entry. The rows of a save
 * are in `hr_history`, a change of the design in `hr_change`.
 */
export const log = sqliteTable(
  'hr_log',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    at: text('at').notNull(),
    by: text('by').notNull(),
    what: text('what', {
      enum: ['rows', 'design', 'document', 'format', 'taken in', 'brought in', 'undone'],
    }).notNull(),
    /** The name that whoever sent a save gave it, with theirs before it: it is done once. */
    request: text('request'),
    /** What was asked for under that name, as a digest, and what was answered. */
    digest: text('digest'),
    answer: text('answer'),
    /**
     * For a document: it before and after, as JSON. For what was brought in: what it was and how many rows. For
     * what was undone: the entry that it undoes.
     */
    detail: text('detail'),
  },
  (table) => [
    // Only saves have names: what has none is kept out, and costs nothing.
    uniqueIndex('hr_log_name')
      .on(table.request)
      .where(sql`request IS NOT NULL`),
  ],
);

/** Design changes as applied, newest last; the version of the design is the last one's number. */
export const change = sqliteTable('hr_change', {
  version: integer('version').primaryKey({ autoIncrement: true }),
  at: text('at').notNull(),
  by: text('by').notNull(),
  what: text('what').notNull(),
  changes: text('changes').notNull(),
  /** The safe copy taken before, by file name. */
  safeCopy: text('safe_copy'),
  /** The design before and after, as JSON: what undoing goes back to, and from. */
  before: text('before'),
  after: text('after'),
  /** The newest row of history when it was applied: later ones have changed rows since. */
  historyMark: integer('history_mark'),
  log: integer('log'),
  undoneAt: text('undone_at'),
  undoneBy: text('undone_by'),
});

/** Pictures and files of rows, kept apart from them: only asking for one reads its bytes. */
export const attachment = sqliteTable('hr_attachment', {
  id: integer('id').primaryKey({ autoIncrement: true }),
  name: text('name').notNull(),
  /** Media type. */
  type: text('type').notNull(),
  /** Bytes. */
  size: integer('size').notNull(),
  sha256: text('sha256').notNull(),
  at: text('at').notNull(),
  by: text('by').notNull(),
  /** The account that brought it. */
  account: text('account'),
  /** A small WebP of a picture. */
  preview: blob('preview', { mode: 'buffer' }),
  bytes: blob('bytes', { mode: 'buffer' }).notNull(),
});

/** Every change of a row: who, when, before and after. */
export const history = sqliteTable(
  'hr_history',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    at: text('at').notNull(),
    by: text('by').notNull(),
    table: text('table_id').notNull(),
    key: text('key').notNull(),
    op: text('op', { enum: ['insert', 'update', 'delete'] }).notNull(),
    before: text('before'),
    after: text('after'),
    /** The entry of the log that it belongs to: all rows of one save have the same. */
    log: integer('log'),
  },
  // What has happened to one row is asked for by its key.
  (row) => [index('hr_history_row').on(row.table, row.key)],
);

/** What the keys of rows became where a change of the design moved them: both as JSON arrays. */
export const rekeyed = sqliteTable(
  'hr_rekeyed',
  {
    /** The version of the design that the change led to. */
    change: integer('change').notNull(),
    table: text('table_id').notNull(),
    was: text('was').notNull(),
    now: text('now').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.change, table.table, table.was] }),
    uniqueIndex('hr_rekeyed_now').on(table.change, table.table, table.now),
  ],
);

/** Where the cards of the map lie. */
export const place = sqliteTable(
  'hr_place',
  { table: text('table_id').notNull(), x: integer('x').notNull(), y: integer('y').notNull() },
  (table) => [uniqueIndex('hr_place_table').on(table.table)],
);

/** How those who plan a file look at it, such as what stands on the cards of the map. */
export const sight = sqliteTable('hr_sight', {
  name: text('name').primaryKey(),
  value: text('value').notNull(),
});

/**
 * Letters, and pairs of letters, that do not stand in composed text wherever they like, see `apartSql`: with
 * their combining class, or -1.
 */
export const mark = sqliteTable('hr_mark', {
  mark: text('mark').primaryKey(),
  class: integer('class').notNull(),
});

/** How letters beyond ASCII are ordered: what the order keys of texts are made with, see `orderKeySql`. */
export const letter = sqliteTable('hr_letter', {
  letter: text('letter').primaryKey(),
  folded: text('folded').notNull(),
  sorted: text('sorted').notNull(),
});

/** How a sheet with these headings was brought into a table the last time. */
export const bringing = sqliteTable(
  'hr_bringing',
  {
    table: text('table_id').notNull(),
    /** The headings in their order, as a JSON array. */
    headings: text('headings').notNull(),
    plan: text('plan').notNull(),
    at: text('at').notNull(),
    by: text('by').notNull(),
  },
  (table) => [primaryKey({ columns: [table.table, table.headings] })],
);

/** A way of looking at the rows of a table: its columns, their order, what is asked. */
export const view = sqliteTable(
  'hr_view',
  {
    id: text('id').primaryKey(),
    table: text('table_id').notNull(),
    name: text('name').notNull(),
    /** The account whose own it is; null for everyone's. */
    account: text('account'),
    document: text('document').notNull(),
    at: text('at').notNull(),
    by: text('by').notNull(),
  },
  (table) => [index('hr_view_table').on(table.table)],
);

/** From where outside the rows of a table come, and how: see `Source` of the core. */
export const source = sqliteTable('hr_source', {
  table: text('table_id').primaryKey(),
  address: text('address').notNull(),
  plan: text('plan').notNull(),
  /** Who set it up, in whose name it is fetched by itself. */
  by: text('by').notNull(),
  /** When it was fetched last, or tried, and what came of it. */
  at: text('at').notNull(),
  told: text('told').notNull(),
});
