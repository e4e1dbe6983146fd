/**
 * A name for SQL and expressions from a label: lower case letters and digits with `_` between words
 * (`Due back` → `due_back`). A label without any letter or digit gives `fallback`.
 */
export function nameFromLabel(label: string, fallback: string): string {
  const all = label
    .normalize('NFC')
    .toLowerCase()
    .replace(/[’']/g, '')
    .replace(/[^\p{L}\p{N}]+/gu, '_')
    .replace(/^_+|_+$/g, '');
  // By whole characters: half of one is none.
  const name = Array.from(all).slice(0, 50).join('');
  if (name === '') return fallback;
  return /^\p{N}/u.test(name) || /^(hr|sqlite)(_|$)/.test(name) ? `n_${name}` : name;
}

/** The name itself, or with the first number behind it that no other (ignoring case) has. */
export function uniqueName(name: string, taken: Iterable<string>): string {
  const used = new Set([...taken].map((other) => other.toLowerCase()));
  if (!used.has(name.toLowerCase())) return name;
  for (let n = 2; ; n++) if (!used.has(`${name}_${n}`.toLowerCase())) return `${name}_${n}`;
}

/** The name of the view in which other tools read a table as people see it. */
export const readableName = ({ name }: { readonly name: string }): string => `${name}_readable`;

/**
 * Columns of that view which hold a key, beside those that hold the text it is shown by: the id of each field that
 * is shown so, and what its column is called.
 */
export function readableKeys(table: {
  readonly fields: readonly { readonly id: string; readonly name: string; readonly type: { kind: string } }[];
}): ReadonlyMap<string, string> {
  const taken = table.fields.map(({ name }) => name);
  const keys = new Map<string, string>();
  for (const { id, name, type } of table.fields) {
    if (type.kind !== 'lookup' && type.kind !== 'picture' && type.kind !== 'file') continue;
    const key = uniqueName(`${name}_key`, taken);
    taken.push(key);
    keys.set(id, key);
  }
  return keys;
}
