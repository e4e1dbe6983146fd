import * as v from 'valibot';
import {
  asText,
  catalogOf,
  displayOf,
  displaySql,
  fieldOf,
  tableOf,
  type Design,
  type Form,
} from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import { levelOf, shownRows } from '@heathridge/core/form';
import type { RowKey } from '@heathridge/core/rows';
import type { Connection } from '../store/driver';
import { guarded, prepared } from '../store/statements';
import { alsoSql } from './among';
import { keyColumns } from './json';

/** A record that somebody has worked on, newest first. */
export interface Worked {
  readonly screen: string;
  readonly key: RowKey;
  /** What its row is shown as; null where nothing shows it. */
  readonly title: string | null;
  /** When it was last changed, in UTC. */
  readonly at: string;
  readonly added: boolean;
}

/** Records that are told of. */
const MOST_WORKED = 8;

/** Entries of history that are looked through, from the newest on: who has done nothing in them has rested long. */
const MOST_HISTORY = 20_000;
/** Entries of one person that are looked through: a save of many rows has many. */
const MOST_OWN = 300;

const Kept = v.record(v.string(), v.union([v.string(), v.number(), v.boolean(), v.null()]));
const Key = v.array(v.union([v.string(), v.number()]));

/**
 * The records that a person has added or changed last and that are still there, each with a screen on which it
 * opens: its own row, or the one to which a row of a subform belongs.
 */
export function workedOn(db: Connection, design: Design, screens: readonly Form[], by: string): Worked[] {
  const newest = prepared(db, 'SELECT max(id) FROM hr_history').get([]) as [number | null];
  const sql =
    "SELECT table_id, key || '', op, at, coalesce(after, before) || '' FROM hr_history " +
    `WHERE "by" = ? AND id > ? ORDER BY id DESC LIMIT ${MOST_OWN}`;
  const found: Worked[] = [];
  const seen = new Set<string>();
  for (const row of guarded(db, sql, 5).all(by, (newest[0] ?? 0) - MOST_HISTORY)) {
    const [id, keyText, op, at, kept] = row as [string, string, string, string, string | null];
    const place = placeOf(design, screens, id, keyText, op, kept);
    if (!place || seen.has(place.known)) continue;
    seen.add(place.known);
    const title = titleOf(db, design, place.screen, place.key);
    if (title === undefined) continue;
    found.push({ screen: place.screen.id, key: place.key, title, at, added: place.isOwn && op === 'insert' });
    if (found.length === MOST_WORKED) break;
  }
  return found;
}

/** On which screen a row of history is seen, and the key of the record there. */
function placeOf(
  design: Design,
  screens: readonly Form[],
  id: string,
  keyText: string,
  op: string,
  kept: string | null,
): { readonly screen: Form; readonly key: RowKey; readonly known: string; readonly isOwn: boolean } | null {
  const table = design.tables.find((other) => other.id === id);
  if (!table) return null;
  const of = (screen: Form, key: RowKey, isOwn: boolean) => ({
    screen,
    key,
    known: `${screen.table} ${JSON.stringify(key)}`,
    isOwn,
  });
  const own = screens.find((screen) => screen.table === id);
  const key = v.safeParse(Key, parsed(keyText));
  // Of an earlier design, with another key: it may mean any row now.
  if (own)
    return op !== 'delete' && key.success && key.output.length === table.key.length
      ? of(own, key.output, true)
      : null;
  for (const screen of screens)
    for (const { link } of levelOf(design, screen)?.levels ?? []) {
      const parent = link && fieldOf(table, link.id) ? v.safeParse(Kept, parsed(kept)) : null;
      const value = parent?.success ? parent.output[link!.id] : undefined;
      if (typeof value === 'string' || typeof value === 'number') return of(screen, [value], false);
    }
  return null;
}

function parsed(text: string | null): unknown {
  if (text === null) return null;
  try {
    return JSON.parse(text);
  } catch {
    // Another tool may have written anything there.
    return null;
  }
}

/** What the record of a screen is shown as; undefined when it is not there any more. */
function titleOf(db: Connection, design: Design, screen: Form, key: RowKey): string | null | undefined {
  const table = tableOf(design, screen.table);
  const title = displaySql(table, asText(displayOf(table)), { catalog: catalogOf(design), row: 't' });
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const sql = `SELECT ${title} FROM ${sqlName(table.name)} AS t WHERE ${where.join(' AND ')}${alsoSql(design, table, shownRows(screen))}`;
  const row = guarded(db, sql, 1).get(...key) as [string | null] | undefined;
  return row && row[0];
}
