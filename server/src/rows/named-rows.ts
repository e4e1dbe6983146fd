import { sqlName } from '@heathridge/core/expression';
import {
  asText,
  catalogOf,
  displaySql,
  fieldOf,
  lookupDisplay,
  tableOf,
  type Design,
  type Field,
  type FieldType,
  type Table,
} from '@heathridge/core/design';
import { soughtText, type FindRow } from '@heathridge/core/sheet';
import type { Connection } from '../store/driver';
import { guarded } from '../store/statements';

type Key = string | number;

/** The rows of a table by the text that stands for each. */
interface ShownKeys {
  /** By the text itself, and by the text as it is looked for. */
  readonly exact: ReadonlyMap<string, Key | 'several'>;
  readonly alike: ReadonlyMap<string, Key | 'several'>;
  /** The text itself, by the text as it is looked for. */
  readonly texts: ReadonlyMap<string, string>;
}

export const countOf = (db: Connection, table: Table): number =>
  (
    db
      .prepare(`SELECT count(*) FROM ${sqlName(table.name)}`)
      .raw()
      .get() as [number]
  )[0];

/** Reads all rows that a lookup can lead to, by what it shows of them. */
export function shownKeys(
  db: Connection,
  design: Design,
  type: Extract<FieldType, { kind: 'lookup' }>,
): ShownKeys {
  const target = tableOf(design, type.table);
  const key = sqlName(fieldOf(target, target.key[0]!)!.name);
  const shown = displaySql(target, asText(lookupDisplay(design, type)), {
    catalog: catalogOf(design),
    row: 't',
  });
  const sql = `SELECT t.${key}, coalesce(${shown}, CAST(t.${key} AS TEXT)) FROM ${sqlName(target.name)} AS t`;
  const exact = new Map<string, Key | 'several'>();
  const alike = new Map<string, Key | 'several'>();
  const texts = new Map<string, string>();
  const put = (map: Map<string, Key | 'several'>, text: string, own: Key): void =>
    void map.set(text, map.has(text) && map.get(text) !== own ? 'several' : own);
  for (const [own, text] of guarded(db, sql, 2).all() as [Key, string][]) {
    put(exact, text.trim(), own);
    put(alike, soughtText(text), own);
    texts.set(soughtText(text), text.trim());
  }
  return { exact, alike, texts };
}

/** The rows that lookups can lead to, read when they are first asked for. */
export class NamedRows {
  private readonly known = new Map<string, ShownKeys>();

  constructor(
    private readonly db: Connection,
    private readonly design: Design,
  ) {}

  /** Finds the row that a text names: first by the text as it stands, then whatever its case and blanks. */
  readonly find: FindRow = (field, text) => {
    const keys = this.keysOf(field);
    const exact = keys?.exact.get(text.trim());
    if (exact !== undefined && exact !== 'several') return exact;
    return keys?.alike.get(soughtText(text)) ?? exact ?? null;
  };

  /** The texts by which rows of a lookup are shown, by how they are looked for. */
  textsOf(field: Field): ReadonlyMap<string, string> {
    return this.keysOf(field)?.texts ?? new Map();
  }

  private keysOf({ id, type }: Field): ShownKeys | null {
    if (type.kind !== 'lookup') return null;
    const known = this.known.get(id) ?? shownKeys(this.db, this.design, type);
    this.known.set(id, known);
    return known;
  }
}
