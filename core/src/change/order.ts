import { orderKeySql, sqlName } from '../expression';
import {
  orderedFields,
  orderKeyColumns,
  orderTable,
  typeOf,
  fieldOf,
  type Design,
  type Field,
  type Table,
} from '../design';

/** What keeps the order keys of a table beside its rows: see `orderedFields`. */
export interface OrderPart {
  readonly field: Field;
  readonly name: string;
  readonly create: readonly string[];
  /** Finds a row whose key does not stand there as it must. */
  readonly probe: string;
}

/** The tables of order keys of a table, with SQL that makes and fills each. */
export const orderParts = (design: Design, table: Table): OrderPart[] =>
  orderedFields(design, table).map((field) => {
    const name = orderTable(field);
    const keys = orderKeyColumns(table);
    const columns = table.key.map((id, i) => {
      const { type } = typeOf(design, fieldOf(table, id)!.type);
      return `k${i} ${type === 'number' || type === 'boolean' ? 'INTEGER' : 'TEXT'} NOT NULL`;
    });
    const copies = keys.map(({ copy }) => copy).join(', ');
    return {
      field,
      name,
      create: [
        `CREATE TABLE ${sqlName(name)} (${columns.join(', ')}, o TEXT, PRIMARY KEY (${copies})) STRICT, WITHOUT ROWID`,
        `INSERT INTO ${sqlName(name)} (${copies}, o) SELECT ${keys.map(({ own }) => `t.${own}`).join(', ')}, ${orderKeySql(`t.${sqlName(field.name)}`)} FROM ${sqlName(table.name)} AS t`,
        `CREATE INDEX ${sqlName(`index ${name}`)} ON ${sqlName(name)} (o, ${copies})`,
      ],
      probe: `SELECT 1 FROM ${sqlName(table.name)} AS t LEFT JOIN ${sqlName(name)} AS p ON ${keys.map(({ own, copy }) => `p.${copy} = t.${own}`).join(' AND ')} WHERE p.k0 IS NULL OR p.o IS NOT ${orderKeySql(`t.${sqlName(field.name)}`)} LIMIT 1`,
    };
  });

/**
 * The bodies of the triggers that keep order keys in step with the rows. A row that REPLACE takes away leaves
 * its keys behind: they lead to no row, and a row that comes with the same key puts its own in their place.
 */
export function orderBodies(
  design: Design,
  table: Table,
): {
  readonly columns: readonly string[];
  readonly insert: string;
  readonly update: string;
  readonly delete: string;
} | null {
  const fields = orderedFields(design, table);
  if (fields.length === 0) return null;
  const keys = orderKeyColumns(table);
  const copies = keys.map(({ copy }) => copy).join(', ');
  const each = (statement: (field: Field, name: string) => string): string =>
    fields.map((field) => `${statement(field, sqlName(orderTable(field)))};`).join(' ');
  const remove = (row: string): string =>
    each(
      (_, name) =>
        `DELETE FROM ${name} WHERE ${keys.map(({ own, copy }) => `${copy} = ${row}.${own}`).join(' AND ')}`,
    );
  const add = each(
    ({ name: column }, name) =>
      `INSERT INTO ${name} (${copies}, o) VALUES (${keys.map(({ own }) => `NEW.${own}`).join(', ')}, ${orderKeySql(`NEW.${sqlName(column)}`)})`,
  );
  const own = keys.map((key) => key.own);
  const texts = fields.map(({ name }) => sqlName(name));
  return {
    columns: [...new Set([...own, ...texts])],
    insert: `${remove('NEW')} ${add}`,
    update: `${remove('OLD')} ${remove('NEW')} ${add}`,
    delete: remove('OLD'),
  };
}

/** SQL that makes and fills the tables of order keys of a table. */
export const createOrders = (design: Design, table: Table): string[] =>
  orderParts(design, table).flatMap(({ create }) => create);
