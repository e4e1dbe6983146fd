import { attempt } from '../expression';
import {
  boundIn,
  conditionIn,
  fieldOf,
  findField,
  fits,
  isGiven,
  shapedCondition,
  typeOf,
  type ButtonAct,
  type Design,
  type Field,
  type Form,
  type Report,
  type Table,
} from '../design';
import type { RowKey } from '../rows';
import { reportProblems } from '../report';
import { cellsOf } from './tree';

/** A prepared change of rows. */
export type ChangeAct = Extract<ButtonAct, { readonly act: 'change' }>;

/**
 * How another screen is reached from a row: on the row itself or on the one to which its lookup leads (`record`), on
 * the list of what belongs to it (`rows`), or with a new record that leads to it (`new`).
 */
export interface Way {
  readonly way: 'record' | 'rows' | 'new';
  /** Null for the row itself; else the lookup, of its own table or of the other screen's. */
  readonly link: string | null;
}

/** The ways from a row of a table to a screen, the nearest first. */
export function waysTo(design: Design, from: Table, screen: Form): Way[] {
  const to = design.tables.find(({ id }) => id === screen.table);
  if (!to) return [];
  const leading = ({ fields }: Table, { id }: Table): Field[] =>
    fields.filter(({ type }) => type.kind === 'lookup' && type.table === id);
  const ways: Way[] = [];
  if (!screen.list) {
    if (to.id === from.id) ways.push({ way: 'record', link: null });
    ways.push(...leading(from, to).map(({ id }) => ({ way: 'record' as const, link: id })));
  }
  const cells = cellsOf(screen.parts);
  for (const { id } of leading(to, from)) {
    const cell = cells.find(({ field }) => field === id);
    // What a list is asked by must be one of its columns; what a new record begins with, one of its fields.
    if (!cell || ways.some(({ link }) => link === id)) continue;
    if (screen.list) ways.push({ way: 'rows', link: id });
    else if (screen.rights.add && cell.people === 'type') ways.push({ way: 'new', link: id });
  }
  return ways;
}

/** The way that a button goes; null where there is none any more. */
export const wayOf = (design: Design, from: Table, screen: Form, link: string | null): Way | null =>
  waysTo(design, from, screen).find((way) => way.link === link) ?? null;

/** A condition that the row with a key meets, and no other, in stored form. */
export const keyIs = (table: Table, key: RowKey): string =>
  table.key.map((id, i) => valueIs(fieldOf(table, id)!, key[i]!)).join(' AND ');

/** A condition that rows meet which hold a value in a field. */
export const valueIs = ({ id, type }: Field, value: RowKey[number]): string =>
  shapedCondition(`"#${id}"`, type, { id: '=', label: '', values: 1 }, [value]);

/**
 * How the rows of a report belong to those of a table: they are that table's own (null), or lead to it by a lookup;
 * undefined where they do neither.
 */
export function reportLink(design: Design, table: Table, { source }: Report): Field | null | undefined {
  const query = source.kind === 'query' ? design.queries.find(({ id }) => id === source.id) : undefined;
  const from = design.tables.find(({ id }) => id === (query ? query.from : source.id));
  if (from?.id === table.id) return null;
  return from?.fields.find(({ type }) => type.kind === 'lookup' && type.table === table.id);
}

/** The table whose rows a button changes; undefined where it is gone, or they do not belong to the row any more. */
export function changedTable(design: Design, table: Table, { rows, of }: ChangeAct): Table | undefined {
  if (rows === 'this') return table;
  if (rows === 'all') return design.tables.find(({ id }) => id === of);
  const found = of === null ? undefined : findField(design, of);
  const type = found?.field.type;
  return type?.kind === 'lookup' && type.table === table.id ? found?.table : undefined;
}

/** What keeps a button from doing what it says, for the rows of a table. */
export function* buttonProblems(
  design: Design,
  table: Table,
  { label, does }: { readonly label: string; readonly does: ButtonAct },
): Generator<string> {
  const at = `The button ${label}`;
  if (does.act === 'print') {
    if (does.report === null) return;
    const report = design.reports.find(({ id }) => id === does.report);
    if (!report) yield `${at} prints a report that is no longer there.`;
    else if (reportProblems(design, report).length > 0)
      yield `${at} prints a report that cannot be laid out.`;
    else if (reportLink(design, table, report) === undefined)
      yield `${at} prints a report whose rows do not belong to ${table.plural.toLowerCase()}.`;
    return;
  }
  if (does.act === 'open') {
    const screen = design.forms.find(({ id }) => id === does.screen);
    if (!screen) yield `${at} opens a screen that is no longer there.`;
    else if (!wayOf(design, table, screen, does.link))
      yield `${at} opens ${screen.label}, to which nothing leads from here any more.`;
    return;
  }
  const changed = changedTable(design, table, does);
  if (!changed) {
    yield `${at} changes rows that are no longer there.`;
    return;
  }
  if (does.sets.length === 0) yield `${at} sets no field yet.`;
  for (const condition of does.conditions) {
    const bound = attempt(() => conditionIn(design, changed.id, condition));
    if (!bound.ok) yield `Which rows ${label} changes cannot be worked out: ${bound.error.message}`;
  }
  for (const { field: id, expression } of does.sets) {
    const field = fieldOf(changed, id);
    if (!field) {
      yield `${at} sets a field that is no longer there.`;
      continue;
    }
    if (isGiven(field) || field.type.kind === 'picture' || field.type.kind === 'file') {
      yield `${at} cannot set ${field.label}.`;
      continue;
    }
    const bound = attempt(() => boundIn(design, changed.id, expression).bound);
    if (!bound.ok) yield `What ${label} sets ${field.label} to cannot be worked out: ${bound.error.message}`;
    else if (!fits(bound.value.type, typeOf(design, field.type)))
      yield `What ${label} sets ${field.label} to is of another kind.`;
  }
}
