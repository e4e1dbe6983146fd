import { createReadable, createTriggers, indexesOf, keptObjects, orderParts } from '@heathridge/core/change';
import { readableName, type Design } from '@heathridge/core/design';
import { attempt, sqlName } from '@heathridge/core/expression';
import type { Connection } from './driver';
import { inTransaction, only } from './statements';

/**
 * Puts the triggers, the readable views and the order of texts of a design in place again, and indexes that are
 * missing, in one transaction. Rows are not touched. A table with an expression that this version does not take any more
 * keeps what holds it now: it must not keep the whole file from being opened, and the next draft says what is
 * wrong with it.
 */
export function remakeTriggers(db: Connection, design: Design): void {
  const made = design.tables.flatMap((table) => {
    const written = attempt(() => ({
      triggers: createTriggers(design, table),
      view: createReadable(design, table),
      orders: orderParts(design, table),
    }));
    return written.ok ? [{ table, ...written.value }] : [];
  });
  const keptNames = new Set(design.kept.map(({ name }) => name));
  const left = design.tables.filter((table) => !made.some((item) => item.table === table));
  const stays = (name: string): boolean =>
    keptNames.has(name) ||
    left.some(
      (table) => /^ (rule|texts|order) /.test(name.slice(table.name.length)) && name.startsWith(table.name),
    );
  inTransaction(db, () => {
    const kept = keptObjects(design);
    for (const { drop } of [...kept].reverse()) only(db, drop);
    const triggers = db.prepare("SELECT name FROM sqlite_schema WHERE type = 'trigger'").raw().all() as [
      string,
    ][];
    for (const [name] of triggers) if (!stays(name)) only(db, `DROP TRIGGER ${sqlName(name)}`);
    for (const { table } of made) only(db, `DROP VIEW IF EXISTS ${sqlName(readableName(table))}`);
    for (const { orders } of made)
      for (const { name, create } of orders) {
        only(db, `DROP TABLE IF EXISTS ${sqlName(name)}`);
        for (const sql of create) only(db, sql);
      }
    for (const table of design.tables) {
      const columns = namesIn(db, 'SELECT name FROM pragma_table_info(?)', table.name);
      const there = namesIn(
        db,
        "SELECT name FROM sqlite_schema WHERE type = 'index' AND tbl_name = ?",
        table.name,
      );
      // What another tool has taken out of a table is for the question whether all is sound.
      for (const index of indexesOf(design, table))
        if (!there.has(index.name) && index.columns.every((name) => columns.has(name))) only(db, index.sql);
    }
    for (const { triggers: list } of made) for (const sql of list) only(db, sql);
    for (const { view } of made) only(db, view);
    for (const { sql } of kept) only(db, sql);
  });
}

const namesIn = (db: Connection, sql: string, table: string): ReadonlySet<string> =>
  new Set((db.prepare(sql).raw().all([table]) as [string][]).map(([name]) => name));
