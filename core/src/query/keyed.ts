import {
  catalogOf,
  fits,
  type Answering,
  type Design,
  type DesignProblem,
  type Field,
  type Query,
  type Table,
} from '../design';
import { attempt, bind, typeName } from '../expression';
import { answerType, columnsOfRows, questionsOf, resultOf, scopeOf, tableOfQuery } from './scope';

/**
 * How a query tells rows of a table: its rows are rows of that table, or their keys stand in one of its columns, as a
 * field or through a lookup that leads there.
 */
export type Keyed = { readonly by: 'row' } | { readonly by: 'column'; readonly column: string };

/** How a query tells rows of a table; null where it tells none. */
export function keyedBy(design: Design, query: Query, table: Table): Keyed | null {
  if (query.written) return null;
  const isOwn = !query.group && !query.stack?.length && tableOfQuery(design, query)?.id === table.id;
  if (isOwn) return { by: 'row' };
  const result = table.key.length === 1 ? attempt(() => resultOf(design, query)) : null;
  if (!result?.ok) return null;
  const holdsKey = ({ id, type }: Field): boolean =>
    id === table.key[0] || (type.kind === 'lookup' && type.table === table.id);
  for (const [column, field] of result.value.shows) {
    // A column has the name of its own, and the field its id.
    if (holdsKey(field)) return { by: 'column', column };
  }
  return null;
}

/** A query with a column for each field of the key of the table that it starts from, and the ids of those columns. */
export function withKeys(
  design: Design,
  query: Query,
  table: Table,
): { readonly query: Query; readonly columns: readonly string[] } {
  const columns = table.key.map((id) => ({ id: `${id}_key`, label: `${id} key`, expression: `"#${id}"` }));
  const shown = columnsOfRows(design, query, scopeOf(design, query));
  return { query: { ...query, columns: [...shown, ...columns] }, columns: columns.map(({ id }) => id) };
}

/**
 * What keeps rows of a table from being limited to those that a query tells, said of the query; null where nothing does.
 * What is answered by something else than the reader needs no answer to start with.
 */
export function keyedProblem(
  design: Design,
  id: string,
  table: Table,
  answering: Answering = [],
): string | null {
  const query = design.queries.find((other) => other.id === id);
  if (!query) return 'is no longer there';
  const rows = table.plural.toLowerCase();
  if (!keyedBy(design, query, table)) return `does not tell which ${rows} are meant: none stand in its rows`;
  const open = questionsOf(design, query).find(
    ({ id: question, needed, start }) =>
      needed && start === null && !answering.some((answer) => answer.question === question),
  );
  return open ? `asks “${open.label}”, which has no answer to start with` : null;
}

/** What is wrong with what answers questions of a query, over rows of a table: its questions that are no longer there are answered in vain. */
export function answeringProblem(
  design: Design,
  query: Query,
  table: Table,
  answering: Answering,
): string | null {
  const catalog = catalogOf(design);
  const questions = questionsOf(design, query);
  for (const { question: id, by } of answering) {
    const question = questions.find((other) => other.id === id);
    if (!question) continue;
    const bound = attempt(() => bind(by, { catalog, table: table.id }).bound);
    if (!bound.ok) return `What answers “${question.label}” cannot be worked out: ${bound.error.message}`;
    const type = attempt(() => answerType(design, question));
    if (type.ok && !fits(bound.value.type, type.value))
      return `What answers “${question.label}” is ${typeName(bound.value.type)}, and ${typeName(type.value)} is asked for.`;
  }
  return null;
}

/** What is wrong with the queries whose rows lookups offer. */
export const lookupProblems = (design: Design): DesignProblem[] =>
  design.tables.flatMap((table) =>
    table.fields.flatMap(({ id, label, type }) => {
      if (type.kind !== 'lookup' || !type.query) return [];
      const target = design.tables.find((other) => other.id === type.table);
      if (!target) return [];
      const query = design.queries.find((other) => other.id === type.query);
      const wrong = query && answeringProblem(design, query, table, type.answers ?? []);
      if (wrong) return [{ table: table.id, field: id, message: wrong }];
      const problem = keyedProblem(design, type.query, target, type.answers);
      if (!problem) return [];
      const named = query?.label;
      const message = `The query${named === undefined ? '' : ` ${named}`} whose rows ${label} offers ${problem}.`;
      return [{ table: table.id, field: id, message }];
    }),
  );
