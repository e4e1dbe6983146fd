import { attempt, bind, bindCondition, ExpressionError, idsIn } from '../expression';
import { catalogOf, type Design, type Query, type QueryJoin } from '../design';
import { compileQuery, keepScope } from './compile';
import { sqlFault } from './written';
import { activeJoins, typedColumns, leavesOf, scopeOf, sourceOf } from './scope';

/** What a join is called in what is said of it. */
export const joinWords = (design: Design, { by, name }: QueryJoin): string => {
  if (name !== undefined) return name;
  const source = 'from' in by ? sourceOf(design, by.from) : null;
  if (source) return source.of === 'table' ? source.table.label : source.query.label;
  const link = 'link' in by ? by.link : '';
  const found = design.tables
    .flatMap(({ fields, links }) => [...fields, ...links])
    .find(({ id }) => id === link);
  return found?.label ?? 'a link that is gone';
};

/** What keeps a query from being run, said for people; an empty list when it can be. */
export function queryProblems(design: Design, query: Query): string[] {
  if (query.written) return writtenProblems(design, query);
  if (!sourceOf(design, query.from)) return ['The table or query this query starts from is no longer there.'];
  if (query.group && query.group.by.length + query.group.measures.length === 0)
    return ['A group needs something to group by, or something to work out.'];
  const doubled = doubledName(design, query);
  if (doubled) return [doubled];
  try {
    const off = switchedOff(design, query);
    if (off) return [off];
    const scope = scopeOf(design, query);
    // Each by itself first: an error then points at its place in what was written.
    for (const { expression, off: isOff } of leavesOf(query.where))
      if (!isOff) bindCondition(expression, scope);
    // A starting value may not name a field.
    for (const { start } of query.questions)
      if (start !== null) bind(start, { catalog: scope.catalog, table: null });
    typedColumns(design, query, scope);
    const kept = leavesOf(query.keep);
    if (kept.length > 0) {
      const result = keepScope(design, query);
      for (const { expression, off: isOff } of kept) if (!isOff) bindCondition(expression, result);
    }
    compileQuery(design, query, { today: '2000-01-01' });
    return [];
  } catch (error) {
    if (error instanceof ExpressionError) return [error.message];
    throw error;
  }
}

/** What keeps SQL from being asked, as far as it can be told without the engine. */
function writtenProblems(design: Design, { written, questions }: Query): string[] {
  const fault = sqlFault(
    written!.sql,
    questions.map(({ name }) => name),
  );
  if (fault) return [fault.message];
  const names = questions.map(({ name }) => name.toLowerCase());
  const twice = names.find((name, i) => names.indexOf(name) < i);
  if (twice !== undefined) return [`Two things are asked for that are called “${twice}”.`];
  for (const { start } of questions) {
    const begun =
      start === null ? null : attempt(() => bind(start, { catalog: catalogOf(design), table: null }));
    if (begun && !begun.ok) return [begun.error.message];
  }
  return [];
}

/** Names that expressions of a query could not tell apart. */
function doubledName(design: Design, query: Query): string | null {
  const source = sourceOf(design, query.from)!;
  const label = source.of === 'table' ? source.table.label : source.query.label;
  const taken = new Map<string, string>();
  // What is wrong with the rows themselves is said elsewhere.
  const rows = attempt(() => scopeOf(design, { ...query, joins: [], questions: [], stack: [] }).base);
  if (rows.ok) {
    for (const { name } of rows.value.children)
      taken.set(name.toLowerCase(), `the rows that lead to ${label}`);
    for (const { name } of [...rows.value.fields, ...rows.value.links])
      taken.set(name.toLowerCase(), `a field of ${label}`);
  }
  const named = [
    ...query.joins.flatMap((join) =>
      join.by.by === 'link'
        ? []
        : [{ name: join.name, what: joinWords(design, join), is: 'the name of other rows' }],
    ),
    ...query.questions.map(({ name, label }) => ({
      name,
      what: label,
      is: 'the name of something that is asked',
    })),
  ];
  for (const { name, what, is } of named) {
    if (name === undefined)
      return `The rows “${what}” need a name by which conditions and columns know them.`;
    const other = taken.get(name.toLowerCase());
    if (other !== undefined) return `“${name}” is ${other} already: ${what} needs another name.`;
    taken.set(name.toLowerCase(), is);
  }
  const ids = [...query.joins, ...query.questions].map(({ id }) => id);
  if (new Set(ids).size < ids.length) return 'Two parts of this query have one id between them.';
  return null;
}

/** What is used although it is switched off. */
function switchedOff(design: Design, query: Query): string | null {
  const active = new Set(activeJoins(query).map(({ id }) => id));
  const off = new Map(
    query.joins.filter(({ id, by }) => by.by !== 'link' && !active.has(id)).map((join) => [join.id, join]),
  );
  if (off.size === 0) return null;
  const used = [
    ...leavesOf(query.where).flatMap(({ expression, off: isOff }) =>
      isOff ? [] : [['A condition', expression] as const],
    ),
    ...(query.group ? [...query.group.by, ...query.group.measures] : query.columns).map(
      ({ label, expression }) => [`The column ${label}`, expression ?? ''] as const,
    ),
  ];
  for (const [what, expression] of used) {
    const join = idsIn(expression)
      .map((id) => off.get(id))
      .find((item) => item !== undefined);
    if (join) return `${what} uses “${joinWords(design, join)}”, which is switched off.`;
  }
  return null;
}
