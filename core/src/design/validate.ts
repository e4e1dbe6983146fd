import {
  attempt,
  bind,
  bindCondition,
  checkMessage,
  evaluate,
  failed,
  toSql,
  type Binding,
  type Bound,
  type Catalog,
  type Evaluation,
  type Type,
} from '../expression';
import { compare, fromText } from '../values';
import { catalogOf, displayOf, fieldOf, isStored, tableOf, typeOf } from './catalog';
import { doubledIds, doubledWords } from './ids';
import { readableName } from './names';
import { listOf } from './uses';
import type { Design, Field, FieldType, Rule, Table } from './schema';

/** Something in a design that cannot stand, said for people. */
export interface DesignProblem {
  readonly table: string;
  readonly field?: string;
  readonly message: string;
}

/** Names that the file keeps for what it makes by itself. */
const isOurs = (name: string): boolean => name.startsWith('~');

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
  for (const pair of doubledIds(design))
    problems.push({ table: pair[1].table ?? pair[0].table ?? '', message: doubledWords(pair) });
  // Without the table a lookup leads to, no path can be followed: that comes first.
  const lost = lostLookups(design);
  if (lost.length > 0) return [...problems, ...lost];
  // Nor has a key a kind while each is that of another.
  const circles = keysInCircles(design);
  if (circles.length > 0) return [...problems, ...circles];
  problems.push(...takenNames(design));
  for (const table of design.tables) {
    const found = (message: string, field?: Field): void => {
      problems.push({ table: table.id, field: field?.id, message });
    };
    for (const item of [table, ...table.fields, ...table.links])
      if (isOurs(item.name)) found(`${item.label}: a name cannot begin with “~”.`, fieldOf(table, item.id));
    tableProblems(design, table, found);
    for (const field of table.fields)
      fieldProblems(design, catalog, table, field, (message) => found(message, field));
  }
  return problems;
}

function lostLookups(design: Design): DesignProblem[] {
  const there = (id: string): boolean => design.tables.some((table) => table.id === id);
  const links = design.tables.flatMap((table) =>
    table.links
      .filter((link) => !there(link.table))
      .map(({ label }) => ({
        table: table.id,
        message: `The table that the link ${table.label} › ${label} leads to is no longer there.`,
      })),
  );
  const lookups = design.tables.flatMap((table) =>
    table.fields.flatMap(({ id, label, type }) =>
      type.kind === 'lookup' && !there(type.table)
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
  return [...lookups, ...links];
}

/** Keys that look up their own table, at once or by way of the keys of others: no first row could be added. */
function keysInCircles(design: Design): DesignProblem[] {
  const next = (table: Table): { field: Field; table: Table }[] =>
    table.key.flatMap((id) => {
      const field = fieldOf(table, id);
      return field?.type.kind === 'lookup' ? [{ field, table: tableOf(design, field.type.table) }] : [];
    });
  return design.tables.flatMap((table) =>
    next(table).flatMap(({ field, table: first }): DesignProblem[] => {
      const seen = new Set<string>();
      const open = [first];
      for (let at = open.pop(); at; at = open.pop()) {
        if (at.id === table.id)
          return [
            {
              table: table.id,
              field: field.id,
              message: `${field.label} cannot be a key of ${table.label}: it leads to ${table.label} again, so no row could be the first.`,
            },
          ];
        if (seen.has(at.id)) continue;
        seen.add(at.id);
        open.push(...next(at).map((step) => step.table));
      }
      return [];
    }),
  );
}

/** Tables whose name in the file is that of a view: of another table for other tools, or one that is kept. */
function takenNames(design: Design): DesignProblem[] {
  const lower = (name: string): string => name.toLowerCase();
  const views = new Map([
    ...design.kept
      .filter(({ what }) => what === 'view')
      .map(({ name }) => [lower(name), `the view ${name} that is kept as SQL`] as const),
    ...design.tables.map(
      (table) => [lower(readableName(table)), `the view of ${table.plural} for other tools`] as const,
    ),
  ]);
  return design.tables.flatMap(({ id, label, name }) => {
    const view = views.get(lower(name));
    return view ? [{ table: id, message: `${label}: the name ${name} is that of ${view}.` }] : [];
  });
}

type Found = (message: string, field?: Field) => void;

function tableProblems(design: Design, table: Table, found: Found): void {
  const doubled = twice(table.fields.map(({ name }) => name));
  if (doubled !== undefined) {
    const field = table.fields.filter(({ name }) => name.toLowerCase() === doubled.toLowerCase())[1]!;
    found(`${table.label} has two fields called ${field.label}.`, field);
  }
  for (const id of table.key) {
    const field = fieldOf(table, id);
    if (!field) found(`A key field of ${table.label} is no longer there.`);
    else if (!KEY_KINDS.has(field.type.kind))
      found(`${field.label} cannot be a key: it is worked out, a long text, a picture or a file.`, field);
  }
  const running = table.fields.filter(({ type }) => type.kind === 'runningNumber');
  for (const field of running)
    if (table.key.length !== 1 || table.key[0] !== field.id)
      found('A running number is the key of its table, and a table has one.', field);
  for (const ids of table.noTwoAlike) alikeProblem(table, ids, found);
  const catalog = catalogOf(design);
  for (const rule of table.rules)
    ruleProblem(catalog, table, rule, (message) => found(`A rule of ${table.label}: ${message}`));
  for (const link of table.links) linkProblem(design, table, link, found);
  for (const { field: id } of table.order) {
    const field = fieldOf(table, id);
    if (!field || !isStored(field))
      found(`The order of ${table.plural} names a field that is not kept there.`);
  }
  const display = attempt(() => writable(bind(displayOf(table), { catalog, table: table.id }), catalog));
  if (!display.ok) found(`How a ${table.label} is shown: ${display.error.message}`);
}

/** The kinds that may tell the rows of a table apart. */
export const KEY_KINDS = new Set<FieldType['kind']>([
  'text',
  'wholeNumber',
  'decimal',
  'money',
  'date',
  'time',
  'dateTime',
  'choice',
  'lookup',
  'runningNumber',
]);

function alikeProblem(table: Table, ids: readonly string[], found: Found): void {
  const fields = ids.map((id) => fieldOf(table, id));
  const what = `What no two ${table.plural.toLowerCase()} have alike`;
  if (fields.includes(undefined)) return found(`${what} names a field that is no longer there.`);
  if (new Set(ids).size < ids.length) return found(`${what} names a field twice.`);
  const same = (other: readonly string[]): boolean =>
    other.length === ids.length && other.every((id) => ids.includes(id));
  if (table.noTwoAlike.filter(same).length > 1)
    found(`${what} is said twice of ${listOf(fields.map((field) => field!.label))}.`);
  for (const field of fields)
    if (!isStored(field!) || field!.type.kind === 'picture' || field!.type.kind === 'file')
      found(`${field!.label} cannot be compared: it is worked out, a picture or a file.`, field);
}

function linkProblem(design: Design, table: Table, link: Table['links'][number], found: Found): void {
  const target = tableOf(design, link.table);
  if (
    target.key.length !== link.on.length ||
    target.key.some((id) => !link.on.some(({ other }) => other === id))
  )
    return found(`The link ${link.label} must hold every key field of ${target.label}, and nothing else.`);
  for (const { own: ownId, other: otherId } of link.on) {
    const [own, other] = [fieldOf(table, ownId), fieldOf(target, otherId)!];
    if (!own || !isStored(own)) return found(`A field of the link ${link.label} is no longer there.`);
    const [a, b] = [typeOf(design, own.type), typeOf(design, other.type)];
    if (a.type !== b.type || (a.type === 'number' && b.type === 'number' && a.scale !== b.scale))
      found(`${own.label} and ${target.label} › ${other.label} are of different kinds and cannot be linked.`);
    if (link.onDelete === 'leaveEmpty' && (own.alwaysFilled || table.key.includes(own.id)))
      found(`Always filled and “leave empty” on delete do not go together (${own.label}).`, own);
  }
}

/** Throws an ExpressionError where an expression is too much for the file, with or without its faults marked. */
function writable({ bound }: Binding, catalog: Catalog): Bound {
  for (const faults of ['raise', 'mark'] as const) toSql(bound, { catalog, row: 't', faults });
  return bound;
}

function ruleProblem(catalog: Catalog, table: Table, rule: Rule, found: (message: string) => void): void {
  const checked = attempt(() => {
    writable(bindCondition(rule.expression, { catalog, table: table.id }), catalog);
    checkMessage(rule.message, catalog, table.id);
  });
  if (!checked.ok) found(checked.error.message);
}

const bounds = (
  type: FieldType,
): { least?: string | null | undefined; greatest?: string | null | undefined; places: number } | null =>
  type.kind === 'wholeNumber'
    ? { ...type, places: 0 }
    : type.kind === 'decimal' || type.kind === 'money'
      ? type
      : null;

function boundsProblem(type: FieldType): string | null {
  const given = bounds(type);
  const [least, greatest] = [given?.least, given?.greatest].map((text) => (text ? fromText(text) : null));
  if ([least, greatest].some((bound) => bound && bound.scale > given!.places))
    return 'A bound has more decimal places than the field.';
  return least && greatest && compare(least, greatest) > 0 ? 'The least is more than the greatest.' : null;
}

/** A starting value reads no row, and what it is worth on one day it is on any. */
const SOME_DAY: Evaluation<null> = {
  row: null,
  today: '2024-02-29',
  now: '2024-02-29T12:00:00Z',
  read: () => null,
  follow: () => null,
  children: () => [],
};

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
    if (type.onDelete === 'leaveEmpty' && (field.alwaysFilled || table.key.includes(field.id)))
      found('Always filled and “leave empty” on delete do not go together.');
    lookupProblems(design, catalog, table, type, found);
  }
  const bound = boundsProblem(type);
  if (bound !== null) found(bound);
  if (type.kind === 'workedOut') {
    const worked = attempt(() => writable(bind(`"#${field.id}"`, { catalog, table: table.id }), catalog));
    if (!worked.ok) found(worked.error.message);
    if (field.alwaysFilled || field.noTwoAlike || field.indexed || field.start !== null || field.rule)
      found('A field that is worked out is not kept, so nothing can be asked of its values.');
  }
  if ((type.kind === 'picture' || type.kind === 'file') && field.noTwoAlike)
    found('Pictures and files are not compared.');
  if (field.rule) ruleProblem(catalog, table, field.rule, (message) => found(`The rule: ${message}`));
  if (field.start !== null) {
    const start = attempt(() => bind(field.start!, { catalog, table: null }).bound);
    if (!start.ok) found(`The starting value: ${start.error.message}`);
    else if (!fits(start.value.type, typeOf(design, type)))
      found('The starting value is of another kind than the field.');
    else {
      const worked = evaluate(start.value, SOME_DAY);
      if (!worked.ok) found(`The starting value cannot be worked out: ${worked.message}`);
    }
  }
}

function lookupProblems(
  design: Design,
  catalog: Catalog,
  table: Table,
  type: Extract<FieldType, { kind: 'lookup' }>,
  found: (message: string) => void,
): void {
  const ask = (what: string, work: () => unknown): void => {
    const asked = attempt(work);
    if (!asked.ok) found(`${what}: ${asked.error.message}`);
  };
  const over = { catalog, table: type.table };
  const there = (source: string): Bound => writable(bind(source, over), catalog);
  if (type.shows !== null) ask('What it shows', () => there(type.shows!));
  if (type.filter) ask('Which rows are offered', () => writable(bindCondition(type.filter!, over), catalog));
  if (type.order) ask('The order of the choices', () => there(type.order!.by));
  type.columns?.forEach((column, i) => ask(`Column ${i + 2} of the choices`, () => there(column)));
  const { narrowed } = type;
  if (narrowed)
    ask('What narrows it', () => {
      const own = writable(bind(narrowed.own, { catalog, table: table.id }), catalog);
      const other = there(narrowed.other);
      if (own.type.type !== other.type.type)
        failed('The two values it compares are of different kinds.', { start: 0, end: 0 });
    });
  for (const { by } of type.answers ?? [])
    ask('What answers the query of its choices', () =>
      writable(bind(by, { catalog, table: table.id }), catalog),
    );
}

/** Whether a value of one type can be kept as another: numbers only with no more places. */
export const fits = (from: Type, to: Type): boolean =>
  from.type === 'null' ||
  (from.type === 'number' && to.type === 'number' ? from.scale <= to.scale : from.type === to.type);
