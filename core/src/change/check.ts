import {
  bind,
  bindCondition,
  columnsRead,
  idsIn,
  sqlName,
  sqlText,
  toSql,
  type Catalog,
  type Sql,
} from '../expression';
import {
  catalogOf,
  fieldOf,
  findDocument,
  idsOfTable,
  KIND_LABELS,
  linksFrom,
  listOf,
  placesOf,
  rulesOf,
  storedFields,
  type Design,
  type Field,
  type Link,
  type Rule,
  type Table,
} from '../design';
import { decimal, round, toText } from '../values';
import {
  brokenDocuments,
  dependantsOf,
  documentProblems,
  FOLLOWS,
  namedInSqlBy,
  validateDesign,
  type Dependant,
} from '../documents';
import {
  Carrier,
  conversion,
  keyColumn,
  kindProblem,
  type KeyPlan,
  type MapPlan,
  type Returning,
} from './carry';
import type { Change, Evolved } from './changes';
import { kindCheck } from './ddl';

/** A question to the real rows: which of them would not survive the draft? */
export interface RowCheck {
  readonly table: string;
  /** Null when it concerns several fields. */
  readonly field: string | null;
  readonly sort: 'empty' | 'alike' | 'rule' | 'choice' | 'length' | 'kind' | 'convert' | 'orphan' | 'text';
  /** The rule that would be broken, for keeping it for new rows only. */
  readonly rule?: string | undefined;
  /** For people, without the count: `would break the rule on Due back: …`. */
  readonly message: string;
  /** The fields by which a row can be mended. */
  readonly fields: readonly string[];
  /** One number: how many rows. */
  readonly count: string;
  /**
   * Some of them (`?1` many, `?2` passed over): the key (as a JSON array) and the value as it is kept now.
   */
  readonly sample: string;
}

/** Something the draft cannot do, or does beyond what was asked, known without looking at rows. */
export interface Notice {
  readonly level: 'stop' | 'note';
  readonly table: string;
  readonly field?: string | undefined;
  readonly message: string;
  readonly dependants: readonly Dependant[];
  /** What is dropped, where each dependant can be mended. */
  readonly gone?: string | undefined;
}

export interface CheckPlan {
  readonly notices: readonly Notice[];
  /** Values to be read one by one before the rows can be asked. */
  readonly maps: readonly MapPlan[];
  readonly keys: readonly KeyPlan[];
  readonly rows: readonly RowCheck[];
  readonly rounded: readonly RoundedCheck[];
}

/** Numbers that lose places: nothing stands in their way, but how many change is told. */
export interface RoundedCheck {
  readonly table: string;
  readonly field: string;
  readonly label: string;
  /** The decimal places there were, and those there will be. */
  readonly places: readonly [number, number];
  /** Gives how many change, and one of them in units of the places there were. */
  readonly sql: string;
}

/** What is told of numbers that lose places: `12 values of Fee are rounded, 1000.50 to 1001 for one.` */
export function roundedWords(
  { label, places: [from, to] }: RoundedCheck,
  count: number,
  units: bigint,
): string {
  const [was, is] = [toText(decimal(units, from)), toText(round(decimal(units, from), to))];
  const many =
    count === 1 ? `A value of ${label} is` : `${count.toLocaleString('en')} values of ${label} are`;
  return `${many} rounded: ${was} becomes ${is}${count === 1 ? '' : ', for one'}.`;
}

/** What must be asked of the real rows before a draft is applied, and what is known already. */
export function checkPlan(
  before: Design,
  evolved: Evolved,
  changes: readonly Change[] = [],
  carrier = new Carrier(before, evolved),
): CheckPlan {
  const after = evolved.design;
  const notices: Notice[] = [...dropped(before, after), ...unfit(before, evolved, changes)];
  const stopped = (): boolean => notices.some(({ level }) => level === 'stop');
  const problems = validateDesign(after);
  // What is said of a dropped field need not be said again of each expression that misses it.
  if (!stopped() || problems.length === 0)
    notices.unshift(...problems.map((problem): Notice => ({ level: 'stop', ...problem, dependants: [] })));
  notices.push(...renamed(before, after), ...rekinded(before, after));
  if (!stopped()) notices.push(...broken(before, after));
  if (stopped()) return { notices, maps: [], keys: [], rows: [], rounded: [] };
  return {
    notices,
    maps: carrier.maps(),
    keys: carrier.keys(),
    rows: rowChecks(carrier, before, after),
    rounded: roundedChecks(carrier, before, after),
  };
}

function dropped(before: Design, after: Design): Notice[] {
  const notices: Notice[] = [];
  const gone = (
    table: Table,
    item: { id: string; label: string },
    ids: ReadonlySet<string>,
    field?: string,
  ): void => {
    const dependants = dependantsOf(after, ids);
    const used = dependants.length > 0;
    notices.push({
      level: used ? 'stop' : 'note',
      table: table.id,
      field,
      message: used
        ? `${item.label} is still used. Say what becomes of each place that uses it.`
        : `${item.label} and all it holds will be gone (until you undo).`,
      dependants,
      gone: item.id,
    });
  };
  for (const table of before.tables) {
    const next = after.tables.find(({ id }) => id === table.id);
    if (!next) {
      gone(table, table, idsOfTable(table));
      continue;
    }
    for (const field of table.fields)
      if (!fieldOf(next, field.id)) gone(table, field, new Set([field.id]), field.id);
  }
  return notices;
}

/** What cannot be made of fields at all, whatever they hold. */
function unfit(before: Design, { design: after }: Evolved, changes: readonly Change[]): Notice[] {
  const notices: Notice[] = [];
  const stop = (table: string, message: string, field?: string): void => {
    notices.push({ level: 'stop', table, field, message, dependants: [] });
  };
  for (const table of after.tables) {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old) continue;
    for (const field of table.fields) {
      const source = fieldOf(old, field.id);
      const problem = source ? kindProblem(source, field) : null;
      if (problem !== null) stop(table.id, problem, field.id);
      if (source && source.type.kind !== 'workedOut' && field.type.kind === 'workedOut')
        notices.push({
          level: 'note',
          table: table.id,
          field: field.id,
          message: `What ${field.label} holds will be gone: it is worked out from now on (until you undo).`,
          dependants: [],
        });
    }
    const moved = old.key.join() !== table.key.join();
    if (moved && table.key.length > 1) {
      const [user] = dependantsOf(after, table.id).filter(
        ({ kind, use }) => kind === 'field' && use.startsWith('a lookup'),
      );
      if (user) stop(table.id, `${user.label} looks up ${table.label}, so its key must stay a single field.`);
    }
  }
  const texts = new Set(['text', 'longText', 'choice']);
  for (const change of changes) {
    if (change.change !== 'splitField' && change.change !== 'mergeFields') continue;
    const old = before.tables.find(({ id }) => id === change.table);
    const ids = change.change === 'splitField' ? [change.field] : change.fields;
    const into = change.change === 'splitField' ? change.into : [change.into];
    for (const id of ids) {
      const field = old && fieldOf(old, id);
      if (field && !texts.has(field.type.kind))
        stop(
          change.table,
          `${field.label} is no text: only texts are split and merged. Make it a text first.`,
        );
    }
    for (const { label, type } of into)
      if (type.kind !== 'text' && type.kind !== 'longText')
        stop(change.table, `${label} must be a text: change its kind in a later draft.`);
  }
  return notices;
}

function renamed(before: Design, after: Design): Notice[] {
  return after.tables.flatMap((table) => {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old) return [];
    const notices: Notice[] = [];
    const follow = (item: { id: string; label: string }, was: string, field?: string): void => {
      const byId = dependantsOf(after, item.id).map((dependant) => ({ ...dependant, fate: FOLLOWS }));
      const dependants = [...byId, ...namedInSqlBy(before, old, field)];
      if (dependants.length > 0)
        notices.push({
          level: 'note',
          table: table.id,
          field,
          message: `${was} becomes ${item.label}; what uses it follows.`,
          dependants,
        });
    };
    if (old.name !== table.name) follow(table, old.label);
    for (const field of table.fields) {
      const source = fieldOf(old, field.id);
      if (source && source.name !== field.name) follow(field, source.label, field.id);
    }
    return notices;
  });
}

/** What uses a field that becomes another kind: it goes on with the new values, or cannot. */
function rekinded(before: Design, after: Design): Notice[] {
  const goesOn = ({ id }: Dependant): boolean => {
    const document = findDocument(after, id);
    return !document || documentProblems(after, document).length === 0;
  };
  return after.tables.flatMap((table) => {
    const old = before.tables.find(({ id }) => id === table.id);
    return table.fields.flatMap((field): Notice[] => {
      const was = old && fieldOf(old, field.id);
      if (!was || was.type.kind === field.type.kind) return [];
      const dependants = dependantsOf(after, field.id);
      if (dependants.length === 0) return [];
      const kind = KIND_LABELS[field.type.kind];
      return [
        {
          level: 'note',
          table: table.id,
          field: field.id,
          message: `${field.label} becomes a field of the kind ${kind}; this uses it.`,
          dependants: dependants.map((dependant) => ({
            ...dependant,
            fate: goesOn(dependant) ? 'goes on with the new values' : 'would not work any more',
          })),
        },
      ];
    });
  });
}

/** Documents that work now and would not any more, such as after a field's kind changes. */
const broken = (before: Design, after: Design): Notice[] =>
  brokenDocuments(before, after).map(({ document, problem }) => ({
    level: 'stop',
    table: after.tables[0]?.id ?? '',
    message: `The ${document.type} ${document.label} could not be used any more: ${problem}`,
    dependants: [],
  }));

/** Where a converted field's old value stands beside its new one while the rows are asked. */
const wasName = (field: Field): string => `hr was ${field.id}`;

/**
 * The checks run on the file as it is. Each is preceded by common table expressions that show every
 * changed table as it will be, under its new name, so that a rule over a new field can be asked too.
 */
function rowChecks(carrier: Carrier, before: Design, after: Design): RowCheck[] {
  const oldOf = (table: Table): Table | undefined => before.tables.find(({ id }) => id === table.id);
  const untouched = new Set<string>();
  const views = after.tables.flatMap((table) => {
    const old = oldOf(table);
    if (!old) {
      const returning = carrier.returning(table);
      const list = storedFields(table).map(
        ({ id, name }) => `${returning?.values.get(id)!.sql ?? 'NULL'} AS ${sqlName(name)}`,
      );
      const told = (returning?.key ?? []).map((sql, i) => `${sql} AS ${keyColumn(i)}`);
      const from = returning ? `FROM ${returning.from}` : 'WHERE 0';
      return [`${sqlName(table.name)} AS (SELECT ${[...list, ...told].join(', ')} ${from})`];
    }
    const columns = storedFields(table).map((field) => {
      const was = fieldOf(old, field.id);
      const value = carrier.value(old, table, field);
      return {
        field,
        value,
        same: was !== undefined && was.name === field.name && value === sqlName(was.name),
      };
    });
    if (old.name === table.name && columns.every(({ same }) => same)) {
      untouched.add(table.id);
      return [];
    }
    const list = columns.flatMap(({ field, value, same }) => {
      const was = fieldOf(old, field.id);
      const kept =
        !same && was && storedFields(old).includes(was)
          ? [`${sqlName(was.name)} AS ${sqlName(wasName(field))}`]
          : [];
      return [`${value} AS ${sqlName(field.name)}`, ...kept];
    });
    // Rows are told by the key they have now, also where the draft changes it.
    const keys = old.key.map((id, i) => `o.${sqlName(fieldOf(old, id)!.name)} AS ${keyColumn(i)}`);
    return [
      `${sqlName(table.name)} AS (SELECT ${[...list, ...keys].join(', ')} FROM ${carrier.from(old, table)})`,
    ];
  });
  const prelude = views.length > 0 ? `WITH ${views.join(', ')} ` : '';
  const checks: RowCheck[] = [];
  for (const table of after.tables) {
    const old = oldOf(table);
    const hasWas = (field: Field): boolean => {
      const was = old && fieldOf(old, field.id);
      if (!was || untouched.has(table.id) || !storedFields(old).includes(was)) return false;
      return !(was.name === field.name && carrier.value(old, table, field) === sqlName(was.name));
    };
    const ask: Ask = (fields, sort, message, where, rule) => {
      const [field] = fields;
      const from = `FROM ${sqlName(table.name)} AS t WHERE ${where}`;
      const columns = (old ?? table).key.map((id, i) =>
        untouched.has(table.id) ? sqlName(fieldOf(old ?? table, id)!.name) : keyColumn(i),
      );
      const key = `json_array(${columns.map((column) => `t.${column}`).join(', ')}) || ''`;
      const value = field ? `t.${sqlName(hasWas(field) ? wasName(field) : field.name)}` : 'NULL';
      checks.push({
        table: table.id,
        field: fields.length === 1 ? field!.id : null,
        fields: fields.map(({ id }) => id),
        sort,
        rule,
        message,
        count: `${prelude}SELECT count(*) ${from}`,
        sample: `${prelude}SELECT ${key}, ${value} ${from} LIMIT ?1 OFFSET ?2`,
      });
    };
    if (!old) {
      const returning = carrier.returning(table);
      if (returning) returningChecks(returning, after, table, ask);
      continue;
    }
    for (const field of storedFields(table)) fieldChecks(carrier, after, table, old, field, ask);
    tableChecks(carrier, after, table, old, ask);
  }
  return checks;
}

type Ask = (
  fields: readonly Field[],
  sort: RowCheck['sort'],
  message: string,
  where: string,
  rule?: string,
) => void;

/** SQL that is true for a row `t` that has the same values in these fields as another. */
export const alike = (table: Table, fields: readonly Field[]): string => {
  const own = fields.map(({ name }) => `t.${sqlName(name)}`);
  const columns = fields.map(({ name }) => sqlName(name));
  const filled = own.map((column) => `${column} IS NOT NULL`).join(' AND ');
  const tuple = (list: readonly string[]): string => (list.length === 1 ? list[0]! : `(${list.join(', ')})`);
  return `${filled} AND ${tuple(own)} IN (SELECT ${columns.join(', ')} FROM ${sqlName(table.name)} GROUP BY ${columns.join(', ')} HAVING count(*) > 1)`;
};

/** What the values of a field are to become, for messages. */
function newKindOf(after: Design, { type }: Field): string {
  if (type.kind === 'lookup') return `a row of ${labelOf(after, type.table)}`;
  return type.kind === 'choice' ? 'one of its choices' : 'the new kind';
}

function fieldChecks(
  carrier: Carrier,
  after: Design,
  table: Table,
  old: Table,
  field: Field,
  ask: Ask,
): void {
  const { before, evolved } = carrier;
  const source = fieldOf(old, field.id);
  const c = `t.${sqlName(field.name)}`;
  const carried = evolved.carry[field.id];
  const convert = carried?.from === 'convert' ? carried.convert : undefined;
  const how = source ? conversion(before, source, after, field, convert) : 'none';
  const converts = source !== undefined && how === 'map';
  const unread =
    converts && convert?.otherwise !== 'empty'
      ? carrier.unread(table, field, `t.${sqlName(wasName(field))}`, c)
      : null;
  if (unread !== null)
    ask(
      [field],
      'convert',
      `${field.label} holds a value that cannot be read as ${newKindOf(after, field)}.`,
      unread,
    );
  const same = staysSame(carrier, old, table, field);
  if (field.alwaysFilled && !(source?.alwaysFilled && same))
    ask(
      [field],
      'empty',
      `${field.label} is to be always filled, and is empty there.`,
      `${c} IS NULL${converts && convert?.otherwise !== 'empty' ? ` AND t.${sqlName(wasName(field))} IS NULL` : ''}`,
    );
  if (field.noTwoAlike && !(source?.noTwoAlike && same))
    ask(
      [field],
      'alike',
      `${field.label} is to have no two alike, and holds a value that another row has.`,
      alike(table, [field]),
    );
  if (source?.type.kind === 'workedOut') unworked(before, old, source, table, ask);
  const newKind = kindCheck(field, 'x');
  if (
    newKind !== null &&
    how !== 'map' &&
    newKind !== (source && how === 'same' ? kindCheck(source, 'x') : null)
  )
    kindQuestion(source, field, c, ask);
  newLink(carrier, after, table, field, ask);
}

function roundedChecks({ evolved }: Carrier, before: Design, after: Design): RoundedCheck[] {
  return after.tables.flatMap((table) => {
    const old = before.tables.find(({ id }) => id === table.id);
    return storedFields(table).flatMap((field): RoundedCheck[] => {
      const was = old && fieldOf(old, field.id);
      if (!old || !was || evolved.carry[field.id]?.from === 'part') return [];
      const carried = evolved.carry[field.id];
      const convert = carried?.from === 'convert' ? carried.convert : undefined;
      if (conversion(before, was, after, field, convert) !== 'scale') return [];
      const [from, to] = [placesOf(was.type), placesOf(field.type)];
      if (from <= to) return [];
      const c = sqlName(was.name);
      const unit = `1${'0'.repeat(from - to)}`;
      return [
        {
          table: table.id,
          field: field.id,
          label: field.label,
          places: [from, to],
          sql: `SELECT count(*), CAST(max(${c}) AS TEXT) FROM main.${sqlName(old.name)} WHERE ${c} % ${unit} <> 0`,
        },
      ];
    });
  });
}

/** What was worked out is to be kept: rows for which that cannot be done are told. */
function unworked(before: Design, old: Table, source: Field, table: Table, ask: Ask): void {
  const catalog = catalogOf(before);
  const { bound } = bind(`"#${source.id}"`, { catalog, table: old.id });
  const { sql, marked } = toSql(bound, { catalog, row: 'o', schema: 'main', faults: 'mark' });
  if (!marked) return;
  const own = old.key.map((id) => {
    const now = fieldOf(table, id);
    return now ? `o.${sqlName(fieldOf(old, id)!.name)} = t.${sqlName(now.name)}` : 'FALSE';
  });
  const ids = new Set(source.type.kind === 'workedOut' ? idsIn(source.type.expression) : []);
  const read = table.fields.filter(({ id }) => ids.has(id));
  ask(
    read.length > 0 ? read : [table.fields[0]!],
    'convert',
    `${source.label} cannot be worked out for this row, so there is nothing to keep.`,
    `EXISTS (SELECT 1 FROM main.${sqlName(old.name)} AS o WHERE ${own.join(' AND ')} AND typeof(${sql}) = 'blob')`,
  );
}

const labelOf = (design: Design, table: string): string =>
  design.tables.find(({ id }) => id === table)?.plural ?? 'the other table';

/** What a kind asks of values anew: said as exactly as can be. */
function kindQuestion(source: Field | undefined, field: Field, c: string, ask: Ask): void {
  const { type } = field;
  const was = source?.type;
  if (type.kind === 'choice' && was?.kind === 'choice') {
    const lost = was.choices.filter((choice) => !type.choices.includes(choice));
    if (lost.length > 0)
      ask(
        [field],
        'choice',
        `${field.label} holds a choice that is taken away.`,
        `${c} IN (${lost.map(sqlText).join(', ')})`,
      );
    return;
  }
  if (
    type.kind === 'text' &&
    type.most &&
    !type.pattern &&
    !(was?.kind === 'text' && was.most && was.most <= type.most)
  ) {
    ask(
      [field],
      'length',
      `${field.label} is longer than ${type.most} characters.`,
      `length(${c}) > ${type.most}`,
    );
    return;
  }
  if (type.kind === 'text' && !type.pattern && source) return;
  const bounded = type.kind === 'wholeNumber' || type.kind === 'decimal' || type.kind === 'money';
  const bounds = bounded && (type.least || type.greatest);
  if (
    bounded &&
    !bounds &&
    (was?.kind === 'wholeNumber' || was?.kind === 'decimal' || was?.kind === 'money')
  ) {
    ask([field], 'kind', `${field.label} would have more than 15 digits.`, `NOT (${kindCheck(field, c)!})`);
    return;
  }
  ask(
    [field],
    'kind',
    bounds
      ? `${field.label} lies outside ${type.least ?? 'the smallest'} to ${type.greatest ?? 'the largest'}.`
      : `${field.label} holds a value that its kind does not allow.`,
    `NOT (${kindCheck(field, c)!})`,
  );
}

const linkId = (link: Link): string =>
  [link.parent.id, ...link.on.map(([own, other]) => `${own.id}=${other.id}`)].join(' ');

/** SQL that is true for a row `t` whose link leads nowhere. */
export const orphaned = (link: Link): string => {
  const filled = link.on.map(([own]) => `t.${sqlName(own.name)} IS NOT NULL`);
  const same = link.on.map(([own, other]) => `p.${sqlName(other.name)} = t.${sqlName(own.name)}`);
  return `${filled.join(' AND ')} AND NOT EXISTS (SELECT 1 FROM ${sqlName(link.parent.name)} AS p WHERE ${same.join(' AND ')})`;
};

/** A lookup over values that stood there before: each needs its row. */
function newLink(carrier: Carrier, after: Design, table: Table, field: Field, ask: Ask): void {
  if (field.type.kind !== 'lookup') return;
  const { before } = carrier;
  const old = before.tables.find(({ id }) => id === table.id)!;
  const known = linksFrom(before, old).map(linkId);
  for (const link of linksFrom(after, table))
    if (
      link.id === field.id &&
      !known.includes(linkId(link)) &&
      (fieldOf(old, field.id) || carrier.fills(table, field))
    )
      askLink(link, ask);
}

/** Each row that holds something there needs the one it leads to. */
function askLink(link: Link, ask: Ask): void {
  const fields = link.on.map(([own]) => own);
  const [field] = fields;
  ask(
    fields,
    'orphan',
    link.id === field?.id
      ? `${field.label} holds a key that no row of ${link.parent.plural} has.`
      : `The link ${link.label} leads to no row of ${link.parent.plural}.`,
    orphaned(link),
  );
}

/**
 * Rows that come back with their table fitted once: they still do, but for the rows of other tables, and for the
 * values that are other ones than they had.
 */
function returningChecks({ values }: Returning, after: Design, table: Table, ask: Ask): void {
  const catalog = catalogOf(after);
  const isOther = (id: string): boolean => values.get(id)?.same === false;
  for (const link of linksFrom(after, table)) askLink(link, ask);
  const others = new Set(table.fields.filter(({ id }) => isOther(id)).map(({ name }) => name));
  for (const { rule, field } of rulesOf(table)) {
    const { bound } = bindCondition(rule.expression, { catalog, table: table.id });
    const reads = columnsRead(bound, table.id);
    if (rule.newRowsOnly || reads.every((read) => read.table === table.id && !others.has(read.column)))
      continue;
    askRule(catalog, table, rule, field, ask);
  }
  const single = table.fields.flatMap(({ id, noTwoAlike }) => (noTwoAlike ? [[id]] : []));
  for (const ids of [...single, ...table.noTwoAlike, table.key])
    if (ids.some(isOther))
      askUnlike(
        table,
        ids.map((id) => fieldOf(table, id)!),
        ask,
        ids === table.key,
      );
}

/** No row breaks a rule, whether it stands at a field or at the table. */
function askRule(catalog: Catalog, table: Table, rule: Rule, field: Field | null, ask: Ask): void {
  const { sql } = brokenSql(catalog, table, rule);
  ask(fieldsToMend(table, rule, field), 'rule', brokenWords(table, rule, field), sql, rule.id);
}

/** No two rows have the same in these fields together, which may be the key. */
function askUnlike(table: Table, fields: readonly Field[], ask: Ask, isKey = false): void {
  const labels = listOf(fields.map(({ label }) => label));
  ask(
    fields,
    'alike',
    isKey
      ? `${labels} would be the key, and another row has the same.`
      : `No two ${table.plural.toLowerCase()} are to have ${labels} alike, and another row has the same.`,
    alike(table, fields),
  );
}

/** Whether the values of a field stay what they are, in every row. */
function staysSame(carrier: Carrier, old: Table, table: Table, field: Field): boolean {
  const source = fieldOf(old, field.id);
  return source !== undefined && carrier.value(old, table, field) === sqlName(source.name);
}

/** The fields by which rows that break a rule can be mended: its own, or those it names. */
export function fieldsToMend(table: Table, rule: Rule, field: Field | null): readonly Field[] {
  if (field) return [field];
  const ids = new Set(idsIn(rule.expression));
  const own = table.fields.filter(({ id }) => ids.has(id));
  return own.length > 0 ? own : [table.fields[0]!];
}

/** SQL that is true for a row `t` that breaks a rule, or for which it cannot be worked out. */
export function brokenSql(catalog: Catalog, table: Table, rule: Rule): Sql {
  const { bound } = bindCondition(rule.expression, { catalog, table: table.id });
  const holds = toSql(bound, { catalog, row: 't', faults: 'mark' });
  if (!holds.marked) return { ...holds, sql: `NOT ${holds.sql}` };
  return {
    ...holds,
    sql: `(SELECT CASE typeof("~h") WHEN 'blob' THEN TRUE ELSE NOT "~h" END FROM (SELECT ${holds.sql} AS "~h"))`,
  };
}

/** What is said of rows that break a rule. */
export const brokenWords = (table: Table, rule: Rule, field: Field | null): string =>
  `They break the rule ${field ? `on ${field.label}` : `of ${table.label}`}: “${rule.message.replace(/\{[^}]*\}/g, '…')}”`;

function tableChecks(carrier: Carrier, after: Design, table: Table, old: Table, ask: Ask): void {
  const { before } = carrier;
  const catalog = catalogOf(after);
  const oldRules = new Map(rulesOf(old).map(({ rule }) => [rule.id, rule]));
  const isNew = (rule: Rule): boolean => {
    const was = oldRules.get(rule.id);
    return !rule.newRowsOnly && (was?.expression !== rule.expression || was.newRowsOnly === true);
  };
  for (const { rule, field } of rulesOf(table)) {
    if (!isNew(rule)) continue;
    askRule(catalog, table, rule, field, ask);
  }
  const key = table.key.map((id) => fieldOf(table, id)!);
  if (old.key.join() !== table.key.join()) {
    for (const field of key)
      if (field.type.kind !== 'runningNumber' && !field.alwaysFilled)
        ask(
          [field],
          'empty',
          `${field.label} is to be the key, and is empty there.`,
          `t.${sqlName(field.name)} IS NULL`,
        );
    askUnlike(table, key, ask, true);
  }
  const setOf = (ids: readonly string[]): string => [...ids].sort().join();
  const asked = old.noTwoAlike.map(setOf);
  for (const ids of table.noTwoAlike) {
    const fields = ids.map((id) => fieldOf(table, id)!);
    if (asked.includes(setOf(ids)) && fields.every((field) => staysSame(carrier, old, table, field)))
      continue;
    askUnlike(table, fields, ask);
  }
  const known = linksFrom(before, old).map(linkId);
  for (const link of linksFrom(after, table))
    if (link.on.length > 1 && !known.includes(linkId(link))) askLink(link, ask);
}
