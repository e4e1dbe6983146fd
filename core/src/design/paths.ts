import { attempt, parse, sqlText, writtenName, type Catalog, type Node } from '../expression';
import { tableOf } from './catalog';
import type { Design, Field, Table } from './schema';

/** A field that can be reached from a table along its lookups. */
export interface FieldPath {
  readonly field: Field;
  /** Field ids from the table to the field. */
  readonly ids: readonly string[];
  /** As an expression: `player.school.name`. */
  readonly text: string;
  /** For people: `School name`. */
  readonly label: string;
  /** Whose field it is: `the player’s school`. Empty for the table's own. */
  readonly of: string;
}

const MOST_STEPS = 3;

/** The fields of a table, then those of the tables its lookups lead to, up to three steps away. */
export function pathsFrom(design: Design, table: Table): FieldPath[] {
  const found: FieldPath[] = [];
  const visit = (
    at: Table,
    ids: readonly string[],
    names: readonly string[],
    labels: readonly string[],
    seen: readonly string[],
  ): void => {
    for (const field of at.fields)
      found.push({
        field,
        ids: [...ids, field.id],
        text: [...names, field.name].map(writtenName).join('.'),
        label: (labels.length === 0 ? field.label : `${labels.at(-1)} ${field.label.toLowerCase()}`).slice(
          0,
          60,
        ),
        of: labels.map((label) => label.toLowerCase()).join('’s '),
      });
    if (ids.length >= MOST_STEPS) return;
    for (const field of at.fields) {
      if (field.type.kind !== 'lookup' || seen.includes(field.type.table)) continue;
      const next = tableOf(design, field.type.table);
      visit(next, [...ids, field.id], [...names, field.name], [...labels, field.label], [...seen, next.id]);
    }
  };
  visit(table, [], [], [], [table.id]);
  return found;
}

/** Rows of another table that lead to a row: of a hire its payments. */
export interface RowsLeading {
  /** As an expression over the row: `payments`. */
  readonly text: string;
  /** For people: `payments`; `repairs by technician` where several lookups lead there. */
  readonly label: string;
  /** Their fields, and those they lead to, as expressions over the row: `payments.paid_on`. */
  readonly paths: readonly FieldPath[];
}

/** The rows that lead to those of a table, by the name by which a catalog has them. */
export function rowsLeadingTo(design: Design, catalog: Catalog, table: string): RowsLeading[] {
  return catalog.table(table).children.flatMap(({ name, table: id }) => {
    const child = design.tables.find((other) => other.id === id);
    if (!child) return [];
    const text = writtenName(name);
    const paths = pathsFrom(design, child).map((path) => ({ ...path, text: `${text}.${path.text}` }));
    return [{ text, label: name.replaceAll('_', ' '), paths }];
  });
}

/** A condition that there are any of the rows that lead to a row (or none) which meet all of these, over the row. */
export function anyLeading(
  { text }: RowsLeading,
  are: 'any' | 'none',
  conditions: readonly string[],
): string {
  const [one, ...more] = conditions;
  // On lines of their own: the last line of a condition may be a comment.
  const met = more.length === 0 ? one : conditions.map((condition) => `(${condition}\n)`).join(' AND ');
  const filter = met === undefined ? '' : ` FILTER (WHERE ${met})`;
  return `COUNT(${text})${filter} ${are === 'any' ? '> 0' : '= 0'}`;
}

/** What joins fields into one text: the fields as paths (`player.surname`), and the text that stands between them. */
export interface JoinedFields {
  readonly fields: readonly string[];
  readonly between: string;
}

/**
 * Reads `surname || ', ' || first_name` as two fields with a comma between them. Null for any other expression, also
 * where different texts stand between the fields.
 */
export function joinedFields(text: string): JoinedFields | null {
  const parsed = attempt(() => parse(text));
  if (!parsed.ok) return null;
  const parts = concatenated(parsed.value);
  const fields: string[] = [];
  const betweens: string[] = [];
  let isBetween = false;
  for (const part of parts) {
    if (part.node === 'path' && part.steps.every(({ id }) => !id)) {
      if (fields.length > 0 && !isBetween) betweens.push('');
      fields.push(part.steps.map(({ name }) => writtenName(name)).join('.'));
      isBetween = false;
    } else if (part.node === 'text' && fields.length > 0 && !isBetween) {
      betweens.push(part.text);
      isBetween = true;
    } else return null;
  }
  const [between = ', '] = betweens;
  const isOne = fields.length > 0 && !isBetween && betweens.every((other) => other === between);
  return isOne ? { fields, between } : null;
}

/** The expression that {@link joinedFields} reads; empty for no fields. */
export const joinFields = ({ fields, between }: JoinedFields): string =>
  fields.join(between === '' ? ' || ' : ` || ${sqlText(between)} || `);

const concatenated = (node: Node): Node[] =>
  node.node === 'concat' ? [...concatenated(node.left), ...concatenated(node.right)] : [node];
