import { sqlName } from '@heathridge/core/expression';
import { fieldOf, tableOf, type Design, type Table } from '@heathridge/core/design';
import {
  checkRow,
  mergeEdit,
  startValue,
  type RowChange,
  type RowError,
  type RowKey,
  type SavedRow,
  type SaveRequest,
} from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import type { Clock } from '../clock';
import type { Orm } from '../store/driver';
import type { OpenFile } from '../store/files';
import { history } from '../store/file-schema';
import { engineError, isConstraintError } from './engine-error';
import { byKey, checkKey, keyOf, rowTable } from './tables';

export type SaveResult =
  | { readonly ok: true; readonly saved: readonly SavedRow[] }
  | { readonly ok: false; readonly errors: readonly RowError[] };

type Row = Record<string, Value>;

class Refused extends Error {
  constructor(readonly errors: readonly RowError[]) {
    super('refused');
  }
}

/**
 * Makes row changes in one short transaction: check in the core, write, history, commit. All stand or
 * none does; what was refused comes back beside its field, with nothing changed.
 */
export function saveRows(file: OpenFile, request: SaveRequest, by: string, clock: Clock): SaveResult {
  const { design } = file;
  try {
    const saved = file.orm.transaction(
      (tx) => {
        const keys = new Map<string, RowKey>();
        const errors: RowError[] = [];
        const done: SavedRow[] = [];
        request.changes.forEach((change, index) => {
          const result = one(tx as unknown as Orm, file, design, change, index, keys, clock, by);
          if ('errors' in result) errors.push(...result.errors);
          else done.push(result);
        });
        if (errors.length > 0) throw new Refused(errors);
        return done;
      },
      { behavior: 'immediate' },
    );
    return { ok: true, saved };
  } catch (error) {
    if (error instanceof Refused) return { ok: false, errors: error.errors };
    throw error;
  }
}

type Outcome = SavedRow | { readonly errors: readonly RowError[] };

function one(
  tx: Orm,
  file: OpenFile,
  design: Design,
  change: RowChange,
  index: number,
  keys: Map<string, RowKey>,
  clock: Clock,
  by: string,
): Outcome {
  const table = design.tables.find(({ id }) => id === change.table);
  const key = 'key' in change ? change.key : null;
  const refuse = (message: string, field: string | null = null, rule: string | null = null): Outcome => ({
    errors: [{ change: index, table: change.table, key, field, rule, message }],
  });
  if (!table) return refuse('This table is no longer there.');
  const target = rowTable(design, table);
  const checking = { today: clock.today(), now: clock.now() };
  const log = (op: RowChange['op'], rowKey: RowKey, before: Row | null, after: Row | null): void => {
    tx.insert(history)
      .values({
        at: clock.now(),
        by,
        table: table.id,
        key: JSON.stringify(rowKey),
        op,
        before: before && JSON.stringify(before),
        after: after && JSON.stringify(after),
      })
      .run();
  };
  const attempt = <T>(work: () => T): T | { readonly errors: readonly RowError[] } => {
    try {
      return work();
    } catch (error) {
      if (!isConstraintError(error)) throw error;
      return {
        errors: [{ change: index, table: table.id, key, ...engineError(design, table, error as Error) }],
      };
    }
  };

  const values: Row = {};
  if (change.op !== 'delete') {
    for (const [id, value] of Object.entries(change.values)) {
      if (!fieldOf(table, id)) return refuse('A field of this row is no longer there.');
      if (value !== null && typeof value === 'object') {
        const parent = keys.get(value.temp);
        // Its parent was refused: that error says all there is to say.
        if (!parent) return { errors: [] };
        values[id] = parent[0] ?? null;
      } else values[id] = value;
    }
  }

  if (change.op === 'insert') {
    const row: Row = Object.fromEntries(
      table.fields.map((field) => [
        field.id,
        field.id in values ? (values[field.id] ?? null) : startValue(design, field, checking),
      ]),
    );
    const problems = checkRow(design, table, row, checking);
    if (problems.length > 0)
      return { errors: problems.map((problem) => ({ change: index, table: table.id, key, ...problem })) };
    return attempt(() => {
      const given = missingParents(file, design, table, row);
      if (given) return { errors: [{ change: index, table: table.id, key, ...given }] };
      const [inserted] = tx.insert(target).values(row).returning().all() as Row[];
      const rowKey = keyOf(table, inserted!);
      if (change.temp !== undefined) keys.set(change.temp, rowKey);
      log('insert', rowKey, null, inserted!);
      return { change: index, table: table.id, key: rowKey, temp: change.temp };
    });
  }

  const rowKey = checkKey(design, table, change.key);
  const current =
    rowKey &&
    (tx
      .select()
      .from(target)
      .where(byKey(design, table, rowKey))
      .get() as Row | undefined);
  if (!rowKey || !current)
    return refuse(`This ${table.label.toLowerCase()} is no longer there: somebody has deleted it.`);

  if (change.op === 'delete') {
    return attempt(() => {
      tx.delete(target)
        .where(byKey(design, table, rowKey))
        .run();
      log('delete', rowKey, current, null);
      return { change: index, table: table.id, key: rowKey };
    });
  }

  const { changes, clashes } = mergeEdit(current, change.was, values);
  if (clashes.length > 0)
    return {
      errors: clashes.map((id) => ({
        change: index,
        table: table.id,
        key,
        field: id,
        rule: null,
        message: `Somebody else has changed ${fieldOf(table, id)!.label} meanwhile.`,
        theirs: current[id] ?? null,
      })),
    };
  if (Object.keys(changes).length === 0) return { change: index, table: table.id, key: rowKey };
  const merged = { ...current, ...changes };
  const problems = checkRow(design, table, merged, checking);
  if (problems.length > 0)
    return { errors: problems.map((problem) => ({ change: index, table: table.id, key, ...problem })) };
  return attempt(() => {
    const given = missingParents(file, design, table, changes);
    if (given) return { errors: [{ change: index, table: table.id, key, ...given }] };
    tx.update(target)
      .set(changes)
      .where(byKey(design, table, rowKey))
      .run();
    log('update', rowKey, current, merged);
    return { change: index, table: table.id, key: keyOf(table, merged) };
  });
}

/** The engine does not say which foreign key failed, so lookups are asked one by one beforehand. */
function missingParents(
  file: OpenFile,
  design: Design,
  table: Table,
  values: Row,
): Pick<RowError, 'field' | 'rule' | 'message'> | null {
  for (const [id, value] of Object.entries(values)) {
    const field = fieldOf(table, id);
    if (value === null || field?.type.kind !== 'lookup') continue;
    const target = tableOf(design, field.type.table);
    const key = fieldOf(target, target.key[0]!)!;
    const sql = `SELECT 1 FROM ${sqlName(target.name)} WHERE ${sqlName(key.name)} = ?`;
    if (file.writer.prepare(sql).raw().get(value) === undefined)
      return {
        field: id,
        rule: null,
        message: `This ${target.label.toLowerCase()} is no longer there: please choose another.`,
      };
  }
  return null;
}
