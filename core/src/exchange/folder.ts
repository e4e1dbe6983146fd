import * as v from 'valibot';
import {
  Definition,
  designFrom,
  doubledIds,
  doubledWords,
  emptyDesign,
  FORMAT,
  formatOf,
  LaterFormat,
  LIST_NAMES,
  listOfType,
  readDefinitions,
  type Design,
} from '../design';

/** A file of the folder in which a whole definition is written. */
export interface FolderFile {
  /** With forward slashes: `tables/hire.json`. */
  readonly path: string;
  readonly text: string;
}

export type FolderRead =
  | { readonly ok: true; readonly design: Omit<Design, 'version'> }
  | { readonly ok: false; readonly message: string };

const slug = (label: string): string =>
  label
    .normalize('NFD')
    .replace(/[\u0300-\u036f]/g, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 40);

const written = (value: unknown): string => `${JSON.stringify(value, null, 2)}\n`;

/**
 * A whole definition as files of readable JSON, one an object. It is stable: the same design gives the
 * same bytes, members keep the order of their schema, and a change of one object changes its file alone.
 * `order.json` says in which order objects of a sort stand.
 */
export function toFolder(design: Design): FolderFile[] {
  const files: FolderFile[] = [
    { path: 'settings.json', text: written(v.parse(Definition, design.settings)) },
  ];
  const order: Record<string, string[]> = {};
  for (const list of LIST_NAMES)
    for (const document of design[list]) {
      const name = 'name' in document ? document.name : document.label;
      (order[list] ??= []).push(document.id);
      const path = `${list}/${[slug(name), document.id].filter((part) => part !== '').join('.')}.json`;
      files.push({ path, text: written(v.parse(Definition, document)) });
    }
  files.push({ path: 'order.json', text: written(order) });
  return files.sort((a, b) => (a.path < b.path ? -1 : a.path > b.path ? 1 : 0));
}

const Order = v.record(v.string(), v.array(v.string()));

/**
 * The place of a member that was given and not read, such as `fields.0.lable`; null when every one was. What is
 * misspelt would else be left out without a word.
 */
function unknownMember(given: unknown, read: unknown, place = ''): string | null {
  if (typeof given !== 'object' || given === null || typeof read !== 'object' || read === null) return null;
  const known = read as Readonly<Record<string, unknown>>;
  for (const [name, value] of Object.entries(given)) {
    const at = place === '' ? name : `${place}.${name}`;
    if (!Object.hasOwn(known, name)) return at;
    const inside = unknownMember(value, known[name], at);
    if (inside !== null) return inside;
  }
  return null;
}

/** Why people could not tell two things apart by their labels; null when they can. */
function doubledLabels(design: Pick<Design, 'tables'>): string | null {
  const twice = (items: readonly { readonly label: string }[]): string | undefined => {
    const labels = items.map(({ label }) => label.trim().toLowerCase());
    return items.find((_, i) => labels.indexOf(labels[i]!) < i)?.label;
  };
  const table = twice(design.tables);
  if (table !== undefined) return `Two tables are called ${table}.`;
  for (const { label, fields } of design.tables) {
    const field = twice(fields);
    if (field !== undefined) return `${label} has two fields called ${field}.`;
  }
  return null;
}

/** Reads a folder back. The message of a refusal names the file at fault. */
export function fromFolder(files: readonly FolderFile[]): FolderRead {
  const documents: Definition[] = [];
  let order: Record<string, string[]> = {};
  const values: { readonly path: string; readonly value: unknown }[] = [];
  for (const { path, text } of files) {
    if (!path.endsWith('.json')) continue;
    try {
      values.push({ path, value: JSON.parse(text) });
    } catch (error) {
      return { ok: false, message: `${path} is no JSON: ${(error as Error).message}` };
    }
  }
  const format = formatOf(values.map(({ value }) => value));
  for (const { path, value } of values) {
    try {
      if (/(^|\/)order\.json$/.test(path)) order = v.parse(Order, value);
      else {
        const read = readDefinitions([value], format);
        // An earlier format has members that are called otherwise now.
        const unknown = format === FORMAT ? unknownMember(value, read[0]) : null;
        if (unknown !== null) return { ok: false, message: `${path}, ${unknown}: This is not known here.` };
        documents.push(...read);
      }
    } catch (error) {
      if (error instanceof LaterFormat) return { ok: false, message: error.message };
      if (!v.isValiError(error)) throw error;
      const [issue] = error.issues;
      const at = v.getDotPath(issue);
      return { ok: false, message: `${path}${at ? `, ${at}` : ''}: ${issue.message}` };
    }
  }
  if (documents.length === 0) return { ok: false, message: 'There is no definition in this folder.' };
  const ids = documents.map(({ id }) => id);
  const twice = ids.find((id, i) => ids.indexOf(id) < i);
  if (twice !== undefined) return { ok: false, message: `Two files describe ${twice}.` };
  const place = ({ id, type }: Definition): number => {
    const at = type === 'settings' ? -1 : (order[listOfType(type)] ?? []).indexOf(id);
    return at < 0 ? Number.MAX_SAFE_INTEGER : at;
  };
  const sorted = [...documents].sort((a, b) => place(a) - place(b) || (a.id < b.id ? -1 : 1));
  const settings = documents.some(({ type }) => type === 'settings') ? [] : [emptyDesign().settings];
  const design = designFrom([...settings, ...sorted]);
  const [doubled] = doubledIds(design);
  if (doubled) return { ok: false, message: doubledWords(doubled) };
  const labels = doubledLabels(design);
  return labels === null ? { ok: true, design } : { ok: false, message: labels };
}
