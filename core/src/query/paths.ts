import { writtenName, type ExprField } from '../expression';
import {
  pathsFrom,
  plainField,
  tableOf,
  type Design,
  type Field,
  type FieldPath,
  type FieldType,
  type Query,
  type QueryQuestion,
  type Table,
} from '../design';
import { activeJoins, answeredBy, joinedTo, outputColumns, resultOf, sourceOf } from './scope';

/** The fields that expressions of a query may name: of the rows it starts from, then of those it puts beside them. */
export function queryPaths(design: Design, query: Query): FieldPath[] {
  const found = pathsOf(design, query.from);
  const of = new Map<string | null, string>([[null, query.from]]);
  for (const join of activeJoins(query)) {
    const to = joinedTo(design, join, of.get(join.at)!);
    of.set(join.id, to);
    if (join.by.by === 'link' || join.name === undefined) continue;
    const { id, name } = join;
    const called = name.replaceAll('_', ' ');
    for (const path of pathsOf(design, to))
      found.push({
        field: path.field,
        ids: [id, ...path.ids],
        text: `${writtenName(name)}.${path.text}`,
        label: `${called.charAt(0).toUpperCase()}${called.slice(1)} ${path.label.toLowerCase()}`.slice(0, 60),
        of: path.of === '' ? called : `${called}’s ${path.of}`,
      });
  }
  for (const question of query.questions) {
    const { id, name, label } = question;
    found.push({
      field: questionField(design, question),
      ids: [id],
      text: writtenName(name),
      label,
      of: 'the answer to',
    });
  }
  return found;
}

/** What is asked as a field, for the input in which it is answered. */
export function questionField(design: Design, { id, name, label, answer }: QueryQuestion): Field {
  if (answer.kind !== 'lookup')
    return plainField(id, name, label, answer.kind === 'text' ? { kind: 'text', most: null } : answer);
  const type = answeredBy(design, { answer })?.type;
  // What narrows the choices of a record has no record here.
  return plainField(
    id,
    name,
    label,
    type?.kind === 'lookup' ? { ...type, narrowed: undefined, answers: undefined, addHere: undefined } : TEXT,
  );
}

const TEXT: FieldType = { kind: 'text', most: null };

/** The columns of the result of a query, for conditions over it. */
export function resultPaths(design: Design, query: Query): FieldPath[] {
  const { table, shows } = resultOf(design, query);
  const labels = new Map(outputColumns(design, query).map(({ id, label }) => [id, label]));
  return table.fields.map((column) => {
    const label = labels.get(column.id) ?? column.name;
    const field = fieldOfColumn(column, label, shows.get(column.id));
    return { field, ids: [column.id], text: writtenName(column.name), label, of: '' };
  });
}

/** The fields of a table or of the result of a query, and those that their lookups lead to. */
function pathsOf(design: Design, id: string): FieldPath[] {
  const source = sourceOf(design, id);
  if (!source) return [];
  if (source.of === 'table') return pathsFrom(design, source.table);
  const { table, shows } = resultOf(design, source.query);
  const labels = new Map(outputColumns(design, source.query).map((column) => [column.id, column.label]));
  const own = table.fields.map((column): FieldPath => ({
    field: fieldOfColumn(column, labels.get(column.id) ?? column.name, shows.get(column.id)),
    ids: [column.id],
    text: writtenName(column.name),
    label: labels.get(column.id) ?? column.name,
    of: '',
  }));
  const led = own.flatMap(({ field, ids, text, label }) => {
    if (field.type.kind !== 'lookup') return [];
    const target: Table = tableOf(design, field.type.table);
    return pathsFrom(design, target).map((path): FieldPath => ({
      field: path.field,
      ids: [...ids, ...path.ids],
      text: `${text}.${path.text}`,
      label: `${label} ${path.label.toLowerCase()}`.slice(0, 60),
      of: path.of === '' ? label.toLowerCase() : `${label.toLowerCase()}’s ${path.of}`,
    }));
  });
  return [...own, ...led];
}

/** A column of a result as a field: of the kind in which it is shown. */
function fieldOfColumn({ id, name, kind, type }: ExprField, label: string, shown: Field | undefined): Field {
  if (shown) return { ...shown, id, name, label };
  switch (kind.kind) {
    case 'decimal':
    case 'money':
      return plainField(id, name, label, { kind: kind.kind, places: kind.places });
    case 'wholeNumber':
    case 'tick':
    case 'time':
      return plainField(id, name, label, { kind: kind.kind });
    case 'date':
    case 'dateTime':
      return plainField(id, name, label, { kind: kind.kind });
    default:
      return plainField(
        id,
        name,
        label,
        type.type === 'number' ? { kind: 'wholeNumber' } : { kind: 'text', most: null },
      );
  }
}
