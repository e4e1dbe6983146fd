/**
 * A name for SQL and expressions from a label: lower case letters and digits with `_` between words
 * (`Due back` → `due_back`). A label without any letter or digit gives `fallback`.
 */
export function nameFromLabel(label: string, fallback: string): string {
  const name = label
    .normalize('NFC')
    .toLowerCase()
    .replace(/[’']/g, '')
    .replace(/[^\p{L}\p{N}]+/gu, '_')
    .replace(/^_+|_+$/g, '')
    .slice(0, 50);
  if (name === '') return fallback;
  return /^\p{N}/u.test(name) || /^(hr|sqlite)(_|$)/.test(name) ? `n_${name}` : name;
}

/** The name itself, or with the first number behind it that no other (ignoring case) has. */
export function uniqueName(name: string, taken: Iterable<string>): string {
  const used = new Set([...taken].map((other) => other.toLowerCase()));
  if (!used.has(name.toLowerCase())) return name;
  for (let n = 2; ; n++) if (!used.has(`${name}_${n}`.toLowerCase())) return `${name}_${n}`;
}

/** A plural by the regular rules of English spelling; the builder may change it. */
export function pluralOf(label: string): string {
  if (/(s|x|z|ch|sh)$/i.test(label)) return `${label}es`;
  return /[^aeiou]y$/i.test(label) ? `${label.slice(0, -1)}ies` : `${label}s`;
}

/** A singular by the same rules; a word that may be none (`address`, `status`, `basis`) stays as it is. */
export function singularOf(label: string): string {
  if (/(ss|us|is)$/i.test(label)) return label;
  if (/[^aeiou]ies$/i.test(label)) return `${label.slice(0, -3)}y`;
  if (/(s|x|z|ch|sh)es$/i.test(label)) return label.slice(0, -2);
  return /.s$/i.test(label) ? label.slice(0, -1) : label;
}
