import {
  fieldOf,
  findField,
  shapedCondition,
  type ButtonAct,
  type Answering,
  type Design,
  type Field,
  type Form,
  type Query,
  type Report,
  type Table,
} from '../design';
import { questionsOf } from '../query';
import type { RowKey } from '../rows';
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
export const valueIs = ({ id, type }: Field, value: RowKey[number] | boolean): string =>
  typeof value === 'boolean'
    ? shapedCondition(`"#${id}"`, type, { id: value ? 'yes' : 'no', label: '', values: 0 }, [])
    : shapedCondition(`"#${id}"`, type, { id: '=', label: '', values: 1 }, [value]);

/**
 * How the rows of a report belong to those of a table: they are that table's own (null), or lead to it by a lookup;
 * undefined where they do neither.
 */
export function reportLink(design: Design, table: Table, report: Report): Field | null | undefined {
  const { source } = report;
  const query = queryOfReport(design, report);
  // Rows that SQL gives belong to no row that is known.
  if (query?.written) return undefined;
  const from = design.tables.find(({ id }) => id === (query ? query.from : source.id));
  if (from?.id === table.id) return null;
  return from?.fields.find(({ type }) => type.kind === 'lookup' && type.table === table.id);
}

/** The query whose rows a report prints; undefined for the rows of a table. */
export const queryOfReport = (design: Design, { source }: Pick<Report, 'source'>): Query | undefined =>
  source.kind === 'query' ? design.queries.find(({ id }) => id === source.id) : undefined;

/** Whether something that a report asks is answered. */
export function answersAny(design: Design, report: Report, answering: Answering = []): boolean {
  const query = queryOfReport(design, report);
  const asked = query ? questionsOf(design, query) : [];
  return answering.some(({ question }) => asked.some(({ id }) => id === question));
}

/** The table whose rows a button changes; undefined where it is gone, or they do not belong to the row any more. */
export function changedTable(design: Design, table: Table, { rows, of }: ChangeAct): Table | undefined {
  if (rows === 'this') return table;
  if (rows === 'all') return design.tables.find(({ id }) => id === of);
  const found = of === null ? undefined : findField(design, of);
  const type = found?.field.type;
  return type?.kind === 'lookup' && type.table === table.id ? found?.table : undefined;
}
