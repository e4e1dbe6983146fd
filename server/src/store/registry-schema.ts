import { integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** The office's registry: who there is, which files there are, who may open them. */
export const account = sqliteTable('account', {
  id: text('id').primaryKey(),
  /** What is typed to sign in; compared without case. */
  login: text('login').notNull().unique(),
  name: text('name').notNull(),
  passwordHash: text('password_hash').notNull(),
  /** May make files. */
  maker: integer('maker', { mode: 'boolean' }).notNull(),
  /** How this person has the pages look. */
  colours: text('colours', { enum: ['system', 'light', 'dark'] })
    .notNull()
    .default('system'),
  size: text('size', { enum: ['usual', 'large'] })
    .notNull()
    .default('usual'),
  createdAt: text('created_at').notNull(),
});

export const session = sqliteTable('session', {
  /** SHA-256 of the cookie's value: the registry itself signs nobody in. */
  id: text('id').primaryKey(),
  account: text('account')
    .notNull()
    .references(() => account.id, { onDelete: 'cascade' }),
  expiresAt: text('expires_at').notNull(),
});

export const file = sqliteTable('file', {
  id: text('id').primaryKey(),
  name: text('name').notNull().unique(),
  createdAt: text('created_at').notNull(),
});

export const access = sqliteTable(
  'access',
  {
    file: text('file')
      .notNull()
      .references(() => file.id, { onDelete: 'cascade' }),
    account: text('account')
      .notNull()
      .references(() => account.id, { onDelete: 'cascade' }),
    role: text('role', { enum: ['builder', 'colleague'] }).notNull(),
    /** The id of what the builder of the file lets a colleague do on the Desk; null for everything. */
    duty: text('duty'),
  },
  (table) => [primaryKey({ columns: [table.file, table.account] })],
);

/** A draft of design changes, kept for its builder until it is applied or set aside. */
export const draft = sqliteTable(
  'draft',
  {
    file: text('file')
      .notNull()
      .references(() => file.id, { onDelete: 'cascade' }),
    account: text('account')
      .notNull()
      .references(() => account.id, { onDelete: 'cascade' }),
    /** Empty once it was applied or set aside: its version goes on. */
    document: text('document').notNull(),
    changedAt: text('changed_at').notNull(),
    /** Counts how often it was kept. */
    version: integer('version').notNull().default(0),
  },
  (table) => [primaryKey({ columns: [table.file, table.account] })],
);

/** Facts about this installation, such as the demo sign-ins that the first page offers. */
export const fact = sqliteTable('fact', { name: text('name').primaryKey(), value: text('value').notNull() });
