import { parts, type Bound, type Hop } from './bound';

/** A column that an expression looks at, of the row itself or of rows it is linked with. */
export interface ReadColumn {
  readonly table: string;
  readonly column: string;
}

/**
 * Every column that an expression over a row of `table` reads, those along which it goes from row to row
 * among them. Each stands there once.
 */
export function columnsRead(bound: Bound, table: string): ReadColumn[] {
  const found = new Map<string, ReadColumn>();
  const add = (of: string, column: string): void => {
    found.set(JSON.stringify([of, column]), { table: of, column });
  };
  const walk = (from: string, hops: readonly Hop[]): string => {
    let at = from;
    for (const hop of hops) {
      for (const [own, other] of hop.hop === 'link' ? hop.on : hop.child.on) {
        add(at, own);
        add(hop.table, other);
      }
      at = hop.table;
    }
    return at;
  };
  const visit = (node: Bound, rows: ReadonlyMap<number, string>): void => {
    let inner = rows;
    if (node.op === 'ref') add(walk(rows.get(node.row) ?? table, node.links), node.field.column);
    if (node.op === 'aggregate' && node.over)
      inner = new Map(rows).set(node.over.as, walk(rows.get(node.over.from) ?? table, node.over.hops));
    parts(node).forEach((part) => visit(part, inner));
  };
  visit(bound, new Map([[0, table]]));
  return [...found.values()];
}
