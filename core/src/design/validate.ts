import { attempt, bind, bindCondition, toSql, type Catalog, type Type } from '../expression';
import { catalogOf, displayOf, fieldOf, tableOf, typeOf } from './catalog';
import type { Design, Field, Table } from './schema';

/** Something in a design that cannot stand, said for people. */
export interface DesignProblem {
  readonly table: string;
  readonly field?: string;
  readonly message: string;
}

const twice = (names: readonly string[]): string | undefined =>
  names.find((name, i) => names.findIndex((other) => other.toLowerCase() === name.toLowerCase()) < i);

/** Everything that keeps the tables of a design from being made, in the order of the tables. */
export function validateTables(design: Design): DesignProblem[] {
  const problems: DesignProblem[] = [];
  const catalog = catalogOf(design);
  const doubled = twice(design.tables.map(({ name }) => name));
  if (doubled !== undefined) {
    const table = design.tables.filter(({ name }) => name.toLowerCase() === doubled.toLowerCase())[1]!;
    problems.push({ table: table.id, message: `Two tables are called ${table.label}.` });
  }
  // Without the table a lookup leads to, no path can be followed: that comes first.
  const lost = lostLookups(design);
  if (lost.length > 0) return [...problems, ...lost];
  for (const table of design.tables) {
    const found = (message: string, field?: Field): void => {
      problems.push({ table: table.id, field: field?.id, message });
    };
    tableProblems(design, table, found);
    for (const field of table.fields)
      fieldProblems(design, catalog, table, field, (message) => found(message, field));
  }
  return problems;
}

function lostLookups(design: Design): DesignProblem[] {
  return design.tables.flatMap((table) =>
    table.fields.flatMap(({ id, label, type }) =>
      type.kind === 'lookup' && !design.tables.some((other) => other.id === type.table)
        ? [
            {
              table: table.id,
              field: id,
              message: `The table that ${table.label} › ${label} looks up is no longer there.`,
            },
          ]
        : [],
    ),
  );
}

type Found = (message: string, field?: Field) => void;

function tableProblems(design: Design, table: Table, found: Found): void {
  const doubled = twice(table.fields.map(({ name }) => name));
  if (doubled !== undefined) {
    const field = table.fields.filter(({ name }) => name.toLowerCase() === doubled.toLowerCase())[1]!;
    found(`${table.label} has two fields called ${field.label}.`, field);
  }
  for (const id of table.key)
    if (!fieldOf(table, id)) found(`A key field of ${table.label} is no longer there.`);
  const running = table.fields.filter(({ type }) => type.kind === 'runningNumber');
  for (const field of running)
    if (table.key.length !== 1 || table.key[0] !== field.id)
      found('A running number is the key of its table, and a table has one.', field);
  const display = attempt(() => bind(displayOf(table), { catalog: catalogOf(design), table: table.id }));
  if (!display.ok) found(`How a ${table.label} is shown: ${display.error.message}`);
}

function fieldProblems(
  design: Design,
  catalog: Catalog,
  table: Table,
  field: Field,
  found: (message: string) => void,
): void {
  const { type } = field;
  if (type.kind === 'lookup') {
    const target = tableOf(design, type.table);
    if (target.key.length !== 1)
      return found(`${target.label} has a key of several fields; a lookup needs one.`);
    if (type.onDelete === 'leaveEmpty' && field.alwaysFilled)
      found('Always filled and “leave empty” on delete do not go together.');
    if (type.shows !== null) {
      const shows = attempt(() => bind(type.shows!, { catalog, table: target.id }));
      if (!shows.ok) found(`What it shows: ${shows.error.message}`);
    }
  }
  if (field.rule) {
    const { expression } = field.rule;
    const rule = attempt(() =>
      toSql(bindCondition(expression, { catalog, table: table.id }).bound, { catalog, row: 'NEW' }),
    );
    if (!rule.ok) found(`The rule: ${rule.error.message}`);
  }
  if (field.start !== null) {
    const start = attempt(() => bind(field.start!, { catalog, table: null }).bound.type);
    if (!start.ok) found(`The starting value: ${start.error.message}`);
    else if (!fits(start.value, typeOf(design, type)))
      found('The starting value is of another kind than the field.');
  }
}

/** Whether a value of one type can be kept as another: numbers only with no more places. */
export const fits = (from: Type, to: Type): boolean =>
  from.type === 'null' ||
  (from.type === 'number' && to.type === 'number' ? from.scale <= to.scale : from.type === to.type);
