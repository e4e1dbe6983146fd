import { writtenName } from '@heathridge/core/expression';
import { tableOf, type Design, type Field, type Table } from '@heathridge/core/design';

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
