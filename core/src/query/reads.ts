import { idsUsed, type Design, type Query } from '../design';
import { allRead } from './scope';

/**
 * The tables whose rows a query reads, through others and through what is worked out too: when one of them changes its
 * result may be another. Null where that cannot be told, of one that is written in SQL.
 */
export function tablesRead(design: Design, query: Query): ReadonlySet<string> | null {
  const queries = allRead(design, query);
  if (queries.some(({ written }) => written)) return null;
  const tables = new Set<string>();
  const ids = idsUsed(queries);
  // A set is gone through with what is added meanwhile.
  for (const id of ids)
    for (const table of design.tables) {
      const field = table.fields.find((own) => own.id === id);
      const link = table.links.find((own) => own.id === id);
      if (table.id !== id && !field && !link) continue;
      tables.add(table.id);
      if (link) ids.add(link.table);
      if (field?.type.kind === 'lookup') {
        const to = field.type.table;
        ids.add(to);
        // What a row is shown as.
        idsUsed(field.type.shows ?? design.tables.find((other) => other.id === to)?.display ?? '', ids);
      }
      if (field?.type.kind === 'workedOut') idsUsed(field.type.expression, ids);
      if (
        table.id === id &&
        queries.some(({ columns, group, from }) => from === id && columns.length === 0 && !group)
      )
        // All of its fields are shown.
        table.fields.forEach((own) => ids.add(own.id));
    }
  return tables;
}
