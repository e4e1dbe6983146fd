import {
  columnsKey,
  factsFrom,
  factsSql,
  type ColumnFacts,
  type ForeignSchema,
  type ForeignTable,
} from '@heathridge/core/exchange';
import { sqlName } from '@heathridge/core/expression';
import type { Connection } from '../store/driver';
import { guarded } from '../store/statements';

interface Master {
  readonly type: string;
  readonly name: string;
  readonly tbl_name: string;
  readonly sql: string | null;
}

/**
 * Rows up to which every one is asked what its columns hold. Of more some are asked, from all over the table:
 * what they do not bear out is seen when all are copied and compared, and then every row is asked.
 */
const ASK_ALL = 20_000;
const SAMPLE = 2000;

const all = (db: Connection, sql: string, ...values: (string | number)[]): unknown[][] =>
  db.prepare(sql).raw().all(values) as unknown[][];

/** A name for the number of a row that no column takes for itself. */
export const rowidOf = (columns: readonly string[]): string | null =>
  ['rowid', '_rowid_', 'oid'].find((name) => !columns.some((column) => column.toLowerCase() === name)) ??
  null;

/**
 * Reads the schema of a file that Heathridge did not make, with what its columns hold. `short` are the columns whose
 * texts are known to be short ones, see {@link columnsKey}.
 */
export function foreignSchema(db: Connection, short: ReadonlySet<string>): ForeignSchema {
  const master = guarded(db, 'SELECT type, name, tbl_name, sql FROM sqlite_master ORDER BY rowid', 4)
    .all()
    .map(([type, name, tbl_name, sql]) => ({ type, name, tbl_name, sql }) as Master);
  const kinds = new Map(
    (
      guarded(db, "SELECT name, type, wr FROM pragma_table_list WHERE schema = 'main'", 3).all() as [
        string,
        string,
        number,
      ][]
    ).map(([name, type, withoutRowid]) => [name, { type, withoutRowid: withoutRowid === 1 }]),
  );
  const own = (name: string): boolean => !/^sqlite_/i.test(name);
  const tables = master.filter(
    ({ type, name }) => type === 'table' && own(name) && kinds.get(name)?.type === 'table',
  );
  const pragma = (name: string): number => (all(db, `PRAGMA ${name}`)[0] as [number])[0];
  return {
    version: pragma('user_version'),
    application: pragma('application_id'),
    tables: tables.map((table) => readTable(db, table, kinds.get(table.name)!.withoutRowid, short)),
    views: master
      .filter(({ type, sql }) => type === 'view' && sql)
      .map(({ name, sql }) => ({ name, sql: sql! })),
    triggers: master
      .filter(({ type, sql }) => type === 'trigger' && sql)
      .map(({ name, tbl_name, sql }) => ({ name, table: tbl_name, sql: sql! })),
    // The tables in which a virtual one keeps its rows are none of anybody's.
    others: master
      .filter(({ type, name }) => type === 'table' && own(name) && kinds.get(name)?.type === 'virtual')
      .map(({ name }) => name),
  };
}

function readTable(
  db: Connection,
  { name, sql }: Master,
  withoutRowid: boolean,
  short: ReadonlySet<string>,
): ForeignTable {
  const columns = guarded(
    db,
    'SELECT name, type, "notnull", dflt_value, pk, hidden FROM pragma_table_xinfo(?)',
    6,
  ).all(name) as [string, string, number, string | null, number, number][];
  const rowid = withoutRowid ? null : rowidOf(columns.map(([column]) => column));
  const numbers = rowid
    ? (all(
        db,
        // Asked one by one each is found at once.
        `SELECT (SELECT CAST(min(${rowid}) AS REAL) FROM ${sqlName(name)}), (SELECT CAST(max(${rowid}) AS REAL) FROM ${sqlName(name)})`,
      )[0] as [number | null, number | null])
    : [null, null];
  const sampled =
    rowid !== null &&
    numbers.every((number) => Number.isSafeInteger(number)) &&
    all(db, `SELECT 1 FROM ${sqlName(name)} LIMIT 1 OFFSET ${ASK_ALL}`).length > 0;
  const facts = columnFacts(
    db,
    name,
    columns.map(([column]) => column),
    sampled ? sampleOf(name, rowid, numbers as [number, number]) : sqlName(name),
  );
  return {
    name,
    sql: sql ?? '',
    withoutRowid,
    rowid,
    numbers: numbers[0] === null ? null : (numbers as [number, number]),
    columns: columns.map(([column, type, notNull, given, pk, hidden], i) => ({
      name: column,
      type,
      notNull: notNull === 1,
      default: given,
      pk,
      generated: hidden > 1,
      facts: facts[i]!,
      sampled,
      isShort: short.has(columnsKey(name, [column])),
    })),
    indexes: (
      guarded(
        db,
        'SELECT l.name, l."unique", l.origin, l.partial, m.sql FROM pragma_index_list(?) AS l LEFT JOIN sqlite_master AS m ON m.name = l.name',
        5,
      ).all(name) as [string, number, string, number, string | null][]
    ).map(([index, unique, origin, partial, text]) => ({
      name: index,
      unique: unique === 1,
      origin,
      partial: partial === 1,
      sql: text,
      columns: guarded(db, 'SELECT name FROM pragma_index_info(?) ORDER BY seqno', 1)
        .all(index)
        .map(([column]) => column as string | null),
    })),
    foreignKeys: foreignKeys(db, name),
  };
}

/** SQL for some rows from all over a table. */
const sampleOf = (table: string, rowid: string, [first, last]: readonly [number, number]): string =>
  `(SELECT t.* FROM generate_series(0, ${SAMPLE - 1}) AS g JOIN ${sqlName(table)} AS t ON t.${rowid} = ` +
  `(SELECT min(${rowid}) FROM ${sqlName(table)} WHERE ${rowid} >= ${first} + g.value * (${last} - ${first}) / ${SAMPLE - 1}))`;

/** What columns of a table hold, each asked of these rows. Several at a time: a row may have very many. */
export function columnFacts(
  db: Connection,
  table: string,
  columns: readonly string[],
  rows = sqlName(table),
): ColumnFacts[] {
  const found: ColumnFacts[] = [];
  const AT_ONCE = 20;
  for (let i = 0; i < columns.length; i += AT_ONCE) {
    const some = columns.slice(i, i + AT_ONCE);
    const answers = all(db, `SELECT ${some.map(factsSql).join(', ')} FROM ${rows} AS o`)[0] as number[];
    const each = answers.length / some.length;
    some.forEach((_, n) => found.push(factsFrom(answers.slice(n * each, (n + 1) * each))));
  }
  return found;
}

function foreignKeys(db: Connection, table: string): ForeignTable['foreignKeys'] {
  const rows = guarded(
    db,
    'SELECT id, "table", "from", "to", on_delete FROM pragma_foreign_key_list(?) ORDER BY id DESC, seq',
    5,
  ).all(table) as [number, string, string, string | null, string][];
  const ids = [...new Set(rows.map(([id]) => id))];
  return ids.map((wanted) => {
    const own = rows.filter(([id]) => id === wanted);
    const [, to, , , onDelete] = own[0]!;
    return { to, onDelete, pairs: own.map(([, , from, other]) => [from, other] as const) };
  });
}
