import { sqlName } from '@heathridge/core/expression';
import {
  fieldOf,
  linksFrom,
  stampsTime,
  storedFields,
  type Design,
  type Table,
} from '@heathridge/core/design';
import {
  checkRow,
  mergeEdit,
  ruleMessage,
  startValue,
  type RowChecking,
  type RowChange,
  type RowError,
  type RowKey,
  type SavedRow,
  type SaveRequest,
} from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import type { Clock } from '../clock';
import type { Orm } from '../store/driver';
import { assertWritable, type OpenFile } from '../store/files';
import { history } from '../store/file-schema';
import { engineError, isConstraintError } from './engine-error';
import { shownForRow, storedValue } from './unsaved-row';
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
  assertWritable(file);
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
  const checking = { today: clock.today(), now: clock.now(), isNew: change.op === 'insert' };
  /** Checking with what other rows have to tell for a message, asked of the file. */
  const checkingFor = (row: Row): RowChecking => ({
    ...checking,
    elsewhere: (expression) => shownForRow(file.writer, design, table, row, expression),
  });
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
  const attempt = <T>(row: Row, work: () => T): T | { readonly errors: readonly RowError[] } => {
    try {
      return work();
    } catch (error) {
      if (!isConstraintError(error)) throw error;
      const { broken, ...mapped } = engineError(design, table, error as Error);
      const own = broken?.table.id === table.id ? new Map(Object.entries(row)) : new Map<string, Value>();
      const message = broken
        ? ruleMessage(design, broken.table, broken.rule, own, own.size > 0 ? checkingFor(row) : checking)
        : mapped.message;
      return { errors: [{ change: index, table: table.id, key, ...mapped, message }] };
    }
  };

  const values: Row = {};
  if (change.op !== 'delete') {
    for (const [id, value] of Object.entries(change.values)) {
      const field = fieldOf(table, id);
      if (!field) return refuse('A field of this row is no longer there.');
      if (field.type.kind === 'workedOut' || field.type.kind === 'stamp') {
        if (value === null && change.op === 'insert') continue;
        return refuse(`${field.label} is filled by itself and cannot be set.`, id);
      }
      if (value !== null && typeof value === 'object') {
        const parent = keys.get(value.temp);
        // Its parent was refused: that error says all there is to say.
        if (!parent) return { errors: [] };
        values[id] = parent[0] ?? null;
      } else values[id] = value;
    }
  }

  if (change.op === 'insert') {
    const row: Row = {
      ...Object.fromEntries(
        storedFields(table).map((field) => [
          field.id,
          field.id in values ? (values[field.id] ?? null) : startValue(design, field, checking),
        ]),
      ),
      ...stamps(table, ['createdAt', 'createdBy', 'changedAt', 'changedBy'], clock, by),
    };
    const problems = checkRow(design, table, row, checkingFor(row));
    if (problems.length > 0)
      return { errors: problems.map((problem) => ({ change: index, table: table.id, key, ...problem })) };
    return attempt(row, () => {
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
    return attempt(current, () => {
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
  Object.assign(changes, stamps(table, ['changedAt', 'changedBy'], clock, by));
  const merged = { ...current, ...changes };
  const problems = checkRow(design, table, merged, checkingFor(merged));
  if (problems.length > 0)
    return { errors: problems.map((problem) => ({ change: index, table: table.id, key, ...problem })) };
  return attempt(merged, () => {
    const given = missingParents(file, design, table, changes, merged);
    if (given) return { errors: [{ change: index, table: table.id, key, ...given }] };
    tx.update(target)
      .set(changes)
      .where(byKey(design, table, rowKey))
      .run();
    log('update', rowKey, current, merged);
    return { change: index, table: table.id, key: keyOf(table, merged) };
  });
}

/** The values of the stamps of a row, as they are at this moment. */
function stamps(
  table: Table,
  of: readonly ('createdAt' | 'createdBy' | 'changedAt' | 'changedBy')[],
  clock: Clock,
  by: string,
): Row {
  return Object.fromEntries(
    table.fields.flatMap(({ id, type }) =>
      type.kind === 'stamp' && of.includes(type.of)
        ? [[id, stampsTime(type.of) ? clock.now() : by] as const]
        : [],
    ),
  );
}

/** The engine does not say which foreign key failed, so links are asked one by one beforehand. */
function missingParents(
  file: OpenFile,
  design: Design,
  table: Table,
  changed: Row,
  row = changed,
): Pick<RowError, 'field' | 'rule' | 'message'> | null {
  const isThere = (sql: string, values: readonly Value[]): boolean =>
    file.writer
      .prepare(sql)
      .raw()
      .get(...values) !== undefined;
  for (const { parent, on, label } of linksFrom(design, table)) {
    const values = on.map(([own]) => row[own.id] ?? null);
    if (values.includes(null) || !on.some(([own]) => own.id in changed)) continue;
    const stored = on.map(([own], i) => storedValue(own, values[i]!));
    const where = on.map(([, other]) => `${sqlName(other.name)} = ?`).join(' AND ');
    if (isThere(`SELECT 1 FROM ${sqlName(parent.name)} WHERE ${where}`, stored)) continue;
    const what = parent.label.toLowerCase();
    return {
      field: on[0]![0].id,
      rule: null,
      message:
        on.length === 1
          ? `This ${what} is no longer there: please choose another.`
          : `There is no ${what} with these values (${label}).`,
    };
  }
  for (const field of table.fields) {
    const value = changed[field.id] ?? null;
    if ((field.type.kind !== 'picture' && field.type.kind !== 'file') || value === null) continue;
    if (!isThere('SELECT 1 FROM hr_attachment WHERE id = ?', [value]))
      return {
        field: field.id,
        rule: null,
        message: 'This attachment is not in the file: please choose it again.',
      };
  }
  return null;
}
