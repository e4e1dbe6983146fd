import { sqlName } from '@heathridge/core/expression';
import { fieldOf, stampsTime, type Table } from '@heathridge/core/design';
import {
  checkRow,
  mergeEdit,
  ruleMessage,
  startValue,
  type RowChange,
  type RowChecking,
  type RowError,
  type RowKey,
} from '@heathridge/core/rows';
import { keptText, type Value } from '@heathridge/core/values';
import { prepared } from '../store/statements';
import { changesKey, rememberDeletedAlong, rememberRekeyed } from './along';
import { toStored, type Stored } from './codec';
import { engineError, isConstraintError } from './engine-error';
import { missingParent } from './parents';
import { remember, type Row } from '../store/history';
import {
  columnsOf,
  currentRow,
  keyCondition,
  rowFrom,
  type Outcome,
  type Placed,
  type Saving,
} from './saving';
import { checkKey, keyOf } from './tables';
import { faultyRule, shownForRow } from './unsaved-row';

type Of<Op extends RowChange['op']> = Extract<RowChange, { op: Op }>;
type Refusal = Pick<RowError, 'field' | 'rule' | 'message'> & { readonly theirs?: Value };

const refusedBy = (
  { change, index }: Placed,
  problems: readonly Refusal[],
): { readonly errors: readonly RowError[] } => ({
  errors: problems.map((problem) => ({
    change: index,
    table: change.table,
    key: 'key' in change ? change.key : null,
    ...problem,
  })),
});

const plain = (message: string, field: string | null = null): Refusal => ({ field, rule: null, message });

/** Makes one change of a save, or says why it is refused. Throws what is not the row's fault. */
export function changeRow(saving: Saving, placed: Placed): Outcome {
  const { change } = placed;
  const table = saving.design.tables.find(({ id }) => id === change.table);
  if (!table) return refusedBy(placed, [plain('This table is no longer there.')]);
  switch (change.op) {
    case 'insert':
      return insertRow(saving, table, { ...placed, change });
    case 'update':
      return updateRow(saving, table, { ...placed, change });
    case 'delete':
      return deleteRow(saving, table, { ...placed, change });
  }
}

/** Checking with what other rows have to tell for a message, asked of the file. */
const checkingFor = (saving: Saving, table: Table, row: Row, rest: Partial<RowChecking>): RowChecking => ({
  today: saving.today,
  now: saving.now,
  ...rest,
  elsewhere: (expression) => shownForRow(saving.db, saving.design, table, row, expression),
});

/** Does what the engine may refuse, and puts its words into ours. */
function attempted(saving: Saving, table: Table, placed: Placed, row: Row, work: () => Outcome): Outcome {
  try {
    return work();
  } catch (error) {
    if (!isConstraintError(error)) throw error;
    const { broken, ...mapped } = engineError(saving.design, table, error as Error);
    if (!broken) return refusedBy(placed, [faultyRule(saving.db, saving.design, table, row) ?? mapped]);
    const own = broken.table.id === table.id;
    const values = own ? new Map(Object.entries(row)) : new Map<string, Value>();
    const checking = own ? checkingFor(saving, table, row, {}) : saving;
    return refusedBy(placed, [
      { ...mapped, message: ruleMessage(saving.design, broken.table, broken.rule, values, checking) },
    ]);
  }
}

/**
 * The values of a change with the keys of rows added before it, texts composed; or why they cannot be taken.
 */
function given(
  { keys, refused, restores }: Saving,
  table: Table,
  change: Of<'insert'> | Of<'update'>,
): { readonly values: Row } | { readonly refusals: readonly Refusal[] } {
  const values: Record<string, Value> = {};
  for (const [id, value] of Object.entries(change.values)) {
    const field = fieldOf(table, id);
    if (!field) return { refusals: [plain('A field of this row is no longer there.')] };
    const isStamp = field.type.kind === 'stamp';
    if (field.type.kind === 'workedOut' || (isStamp && !restores)) {
      if (value === null && change.op === 'insert') continue;
      return { refusals: [plain(`${field.label} is filled by itself and cannot be set.`, id)] };
    }
    if (value !== null && typeof value === 'object') {
      const parent = keys.get(value.temp);
      // Where its parent was refused that error says all there is to say.
      if (!parent && refused.has(value.temp)) return { refusals: [] };
      if (!parent) return { refusals: [plain(`${field.label} names a row that is not in this save.`, id)] };
      values[id] = parent[0] ?? null;
    } else
      values[id] =
        typeof value === 'string' && (field.type.kind === 'text' || field.type.kind === 'longText')
          ? keptText(value)
          : value;
  }
  return { values };
}

function insertRow(saving: Saving, table: Table, placed: Placed<Of<'insert'>>): Outcome {
  const { change, index } = placed;
  const { db, design, keys } = saving;
  const taken = given(saving, table, change);
  if ('refusals' in taken) return refusedBy(placed, taken.refusals);
  const { values } = taken;
  const { fields, list } = columnsOf(table);
  const row: Row = {
    ...Object.fromEntries(
      fields.map((field) => [
        field.id,
        field.id in values ? (values[field.id] ?? null) : startValue(design, field, saving),
      ]),
    ),
    ...(saving.restores ? {} : stamps(saving, table, ['createdAt', 'createdBy', 'changedAt', 'changedBy'])),
  };
  const problems = checkRow(design, table, row, checkingFor(saving, table, row, { isNew: true }));
  if (problems.length > 0) return refusedBy(placed, problems);
  return attempted(saving, table, placed, row, () => {
    const lost = missingParent(saving, table, row, row);
    if (lost) return refusedBy(placed, [lost]);
    const places = fields.map(() => '?').join(', ');
    const sql = `INSERT INTO ${sqlName(table.name)} (${list}) VALUES (${places}) RETURNING ${list}`;
    const [cells] = prepared(db, sql).all(
      fields.map((field) => toStored(field, row[field.id] ?? null)),
    ) as Stored[][];
    const inserted = rowFrom(table, cells!);
    const key = keyOf(table, inserted);
    if (change.temp !== undefined) keys.set(change.temp, key);
    remember(saving, table, key, 'insert', null, inserted);
    return { change: index, table: table.id, key, temp: change.temp };
  });
}

/** The row a change is about, as it is now; or why there is none. */
function found(
  saving: Saving,
  table: Table,
  placed: Placed<Of<'update'> | Of<'delete'>>,
): { readonly key: RowKey; readonly row: Row } | { readonly errors: readonly RowError[] } {
  const key = checkKey(saving.design, table, placed.change.key);
  const row = key && currentRow(saving, table, key);
  if (!key || !row)
    return refusedBy(placed, [
      plain(`This ${table.label.toLowerCase()} is no longer there: somebody has deleted it.`),
    ]);
  return { key, row };
}

function updateRow(saving: Saving, table: Table, placed: Placed<Of<'update'>>): Outcome {
  const { change, index } = placed;
  const { db, design } = saving;
  const taken = given(saving, table, change);
  if ('refusals' in taken) return refusedBy(placed, taken.refusals);
  const now = found(saving, table, placed);
  if ('errors' in now) return now;
  const { key, row } = now;
  const { changes, clashes } = mergeEdit(row, change.was, taken.values);
  if (clashes.length > 0)
    return refusedBy(
      placed,
      clashes.map((id) => ({
        ...plain(`Somebody else has changed ${fieldOf(table, id)!.label} meanwhile.`, id),
        theirs: row[id] ?? null,
      })),
    );
  if (Object.keys(changes).length === 0) return { change: index, table: table.id, key };
  Object.assign(changes, stamps(saving, table, ['changedAt', 'changedBy']));
  const merged: Row = { ...row, ...changes };
  const problems = checkRow(design, table, merged, checkingFor(saving, table, merged, { was: row }));
  if (problems.length > 0) return refusedBy(placed, problems);
  return attempted(saving, table, placed, merged, () => {
    const lost = missingParent(saving, table, changes, merged);
    if (lost) return refusedBy(placed, [lost]);
    // Before the rows that follow its key: whoever reads the history is to see why they change.
    remember(saving, table, key, 'update', row, merged);
    if (changesKey(table, changes)) rememberRekeyed(saving, table, row, merged);
    const set = columnsOf(table).fields.filter(({ id }) => id in changes);
    const sql = `UPDATE ${sqlName(table.name)} SET ${set.map(({ name }) => `${sqlName(name)} = ?`).join(', ')} WHERE ${keyCondition(table)}`;
    prepared(db, sql).run([...set.map((field) => toStored(field, changes[field.id]!)), ...key]);
    return { change: index, table: table.id, key: keyOf(table, merged) };
  });
}

function deleteRow(saving: Saving, table: Table, placed: Placed<Of<'delete'>>): Outcome {
  const now = found(saving, table, placed);
  if ('errors' in now) return now;
  const { key, row } = now;
  return attempted(saving, table, placed, row, () => {
    rememberDeletedAlong(saving, table, row);
    prepared(saving.db, `DELETE FROM ${sqlName(table.name)} WHERE ${keyCondition(table)}`).run(key);
    remember(saving, table, key, 'delete', row, null);
    return { change: placed.index, table: table.id, key };
  });
}

/** The values of the stamps of a row, as they are at this moment. */
export function stamps(
  { now, by }: Pick<Saving, 'now' | 'by'>,
  table: Table,
  of: readonly ('createdAt' | 'createdBy' | 'changedAt' | 'changedBy')[],
): Row {
  return Object.fromEntries(
    table.fields.flatMap(({ id, type }) =>
      type.kind === 'stamp' && of.includes(type.of) ? [[id, stampsTime(type.of) ? now : by] as const] : [],
    ),
  );
}
