import {
  KIND_LABELS,
  nameFromLabel,
  plainField,
  uniqueName,
  type Design,
  type Field,
  type FieldType,
  type KindName,
  type Table,
} from '../design';
import type { Change } from '../change';
import { newTable, type MakeId } from './new-table';
import { plainType } from './plain-type';
import { pluralOf, singularOf } from './plural';

/**
 * A plan written as plain text. One line is one field, with its kind behind a colon or the table it looks up behind
 * an arrow; where neither is said, the kind is guessed from the words:
 *
 *     name
 *     joined: date
 *     fee: money, always filled
 *     state: choice of Out, Back
 *     plot -> Plot
 *
 * Several tables are paragraphs, each with its table's name in the first line.
 */
export interface WrittenField {
  /** Counted from 1, in the whole text. */
  readonly line: number;
  readonly text: string;
  readonly label: string;
  readonly type: FieldType;
  readonly alwaysFilled: boolean;
  readonly noTwoAlike: boolean;
  /** True where the kind was not said. */
  readonly guessed: boolean;
  /** The table that it looks up, as it is called; empty for other kinds. */
  readonly leadsTo: string;
}

/** A line that cannot be taken, and why. */
export interface WrittenFault {
  readonly line: number;
  readonly text: string;
  readonly fault: string;
}

export interface WrittenTable {
  readonly line: number;
  readonly label: string;
  readonly plural: string;
  /** The id of the table that is there already, or the one that it gets. */
  readonly id: string;
  readonly isNew: boolean;
  readonly fields: readonly WrittenField[];
  readonly faults: readonly WrittenFault[];
}

export interface WrittenPlan {
  readonly tables: readonly WrittenTable[];
  readonly changes: readonly Change[];
}

/** Lines that are read: a draft holds as many changes. */
const MOST_LINES = 1000;

/** Reads lines as fields of a table that is there already. */
export function readFieldLines(text: string, design: Design, table: Table, makeId: MakeId): WrittenPlan {
  const lines = numbered(text).filter((line) => line.text !== '');
  return planOf(design, [readTable(design, [], lines, table, false)], makeId);
}

/** Reads paragraphs as tables: of those that are there already, as further fields. */
export function readPlanText(text: string, design: Design, makeId: MakeId): WrittenPlan {
  const paragraphs: Line[][] = [];
  let isOpen = false;
  for (const line of numbered(text)) {
    // A paragraph that has begun says itself where it is cut off.
    if (line.line > MOST_LINES && !isOpen && paragraphs.length > 0) {
      paragraphs.at(-1)!.push({ ...line, text: line.text || '…' });
      break;
    }
    if (line.text === '') isOpen = false;
    else if (isOpen) paragraphs.at(-1)!.push(line);
    else {
      paragraphs.push([line]);
      isOpen = true;
    }
  }
  const heads: Table[] = [];
  for (const [head] of paragraphs) heads.push(tableFor(head!, design, heads, makeId));
  const tables: WrittenTable[] = [];
  for (const [i, [head, ...lines]] of paragraphs.entries()) {
    const { id } = heads[i]!;
    const isNew = !design.tables.some((table) => table.id === id);
    // Two paragraphs may be about one table.
    const before = fieldsOf(tables, id);
    tables.push({ ...readTable(design, heads, lines, heads[i]!, isNew, before), line: head!.line });
  }
  return planOf(design, tables, makeId, heads);
}

/**
 * One line as a field: its label, and its kind where the words say or suggest one. Null where it is no
 * field that can be taken.
 */
export function readFieldLine(text: string, design: Design): WrittenField | null {
  const read = readLine({ line: 1, text: text.trim() }, design.tables, design);
  return 'fault' in read ? null : read;
}

interface Line {
  readonly line: number;
  readonly text: string;
}

/** Lines without what people put before the entries of a list. */
const numbered = (text: string): Line[] =>
  text
    .normalize('NFC')
    .split(/\r\n|[\n\r\u2028\u2029]/)
    .map((line, i) => ({ line: i + 1, text: line.replace(/^\s*(?:[-*•‣–]\s+|\d+[.)]\s+)?/, '').trim() }));

const same = (a: string, b: string): boolean => plain(a) === plain(b);
const plain = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[\s_]+/g, ' ')
    .trim();

const titled = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

const called = (tables: readonly Table[], text: string): Table | undefined =>
  tables.find(({ label, plural, name }) => same(label, text) || same(plural, text) || same(name, text));

/** The table that a paragraph is about: one that is there, one that another paragraph has begun, or a new one. */
function tableFor(head: Line, design: Design, begun: readonly Table[], makeId: MakeId): Table {
  const text = head.text.replace(/\s*:\s*$/, '');
  const known = called([...design.tables, ...begun], text);
  if (known) return known;
  const one = singularOf(text);
  const label = titled(one);
  const plural = one === text ? pluralOf(label) : titled(text);
  return newTable(design, label, makeId, { plural, among: [...design.tables, ...begun] });
}

const fieldsOf = (tables: readonly WrittenTable[], id: string): WrittenField[] =>
  tables.filter((table) => table.id === id).flatMap(({ fields }) => fields);

/** The fields of a table that its lines write, `before` being those that earlier lines have written for it. */
function readTable(
  design: Design,
  heads: readonly Table[],
  lines: readonly Line[],
  table: Table,
  isNew: boolean,
  before: readonly WrittenField[] = [],
): WrittenTable {
  const fields: WrittenField[] = [];
  const faults: WrittenFault[] = [];
  const tables = [...design.tables, ...heads];
  for (const line of lines) {
    if (line.line > MOST_LINES) {
      faults.push({
        ...line,
        fault: `At most ${MOST_LINES} lines are read at once: put the rest in afterwards.`,
      });
      break;
    }
    const taken = readLine(line, tables, design);
    if ('fault' in taken) {
      faults.push(taken);
      continue;
    }
    // A new table has this key in any case.
    const isNumber = isNew && taken.guessed && same(taken.label, 'number');
    const read = isNumber ? { ...taken, type: plainType('runningNumber', design) } : taken;
    const isKey = isNew && read.type.kind === 'runningNumber';
    const earlier = [...before, ...fields];
    const twice =
      earlier.some(({ label }) => same(label, read.label)) ||
      (!isNew && table.fields.some(({ label }) => same(label, read.label)));
    if (twice) faults.push({ ...line, fault: `${table.label} has a field ${read.label} already.` });
    else if (read.type.kind === 'runningNumber' && !isKey)
      faults.push({ ...line, fault: `A running number is a key: ${table.label} has one already.` });
    else if (isKey && earlier.some(({ type }) => type.kind === 'runningNumber'))
      faults.push({ ...line, fault: `A table has one running number: its key.` });
    else fields.push(read);
  }
  const { id, label, plural } = table;
  return { line: lines[0]?.line ?? 1, label, plural, id, isNew, fields, faults };
}

/** What a kind is called, and what people write for it as well. */
const KINDS = new Map<string, KindName>([
  ...Object.entries(KIND_LABELS).map(([kind, label]) => [plain(label), kind as KindName] as const),
  ...([
    ['words', 'text'],
    ['long', 'longText'],
    ['notes', 'longText'],
    ['number', 'wholeNumber'],
    ['whole', 'wholeNumber'],
    ['integer', 'wholeNumber'],
    ['currency', 'money'],
    ['price', 'money'],
    ['yes or no', 'tick'],
    ['yes/no', 'tick'],
    ['true or false', 'tick'],
    ['day', 'date'],
    ['date time', 'dateTime'],
    ['photo', 'picture'],
    ['image', 'picture'],
    ['link', 'lookup'],
  ] as const),
]);

const LINE = /^(.*?)\s*(?:(->|→|=>|:)\s*(.*))?$/u;
const ASKED = /[,;]?\s*\b(always filled|no two alike)\s*$/i;

function readLine(line: Line, tables: readonly Table[], design: Design): WrittenField | WrittenFault {
  const fault = (text: string): WrittenFault => ({ ...line, fault: text });
  let text = line.text;
  const asked = { alwaysFilled: false, noTwoAlike: false };
  for (let found = ASKED.exec(text); found; found = ASKED.exec(text)) {
    if (/^always/i.test(found[1]!)) asked.alwaysFilled = true;
    else asked.noTwoAlike = true;
    text = text.slice(0, found.index).trim();
  }
  const [, before, mark, behind = ''] = LINE.exec(text)!;
  const label = titled(before!.trim());
  const written = (type: FieldType, guessed: boolean, leadsTo = ''): WrittenField => {
    const free = type.kind === 'runningNumber' || type.kind === 'stamp';
    const no = { alwaysFilled: false, noTwoAlike: false };
    const only = type.kind === 'tick' ? no : asked;
    return { ...line, label, type, ...(free ? no : only), guessed, leadsTo };
  };
  if (label === '') return fault('A field needs a name before its kind.');
  if (Array.from(label).length > 60) return fault('The name of a field has at most 60 characters.');
  if (mark === undefined) {
    const table = called(tables, label);
    if (table && table.key.length === 1) return written(lookupOf(table), true, table.label);
    return written(plainType(guessKind(label), design), true);
  }
  const lookup = /^lookup\s+(?:of|to|in)?\s*(.+)$/i.exec(behind);
  if (mark !== ':' || lookup) {
    const wanted = (lookup?.[1] ?? behind).trim();
    const table = called(tables, wanted);
    if (wanted === '') return fault('Which table does it look up? Write its name behind the arrow.');
    if (!table)
      return fault(
        `There is no table ${wanted}. Write a paragraph for it as well, or the name of one that is there.`,
      );
    if (table.key.length !== 1)
      return fault(`${table.label} has a key of several fields, and no lookup leads to those.`);
    return written(lookupOf(table), false, table.label);
  }
  return readKind(behind, label, design, tables, fault, written);
}

function readKind(
  behind: string,
  label: string,
  design: Design,
  tables: readonly Table[],
  fault: (text: string) => WrittenFault,
  written: (type: FieldType, guessed: boolean, leadsTo?: string) => WrittenField,
): WrittenField | WrittenFault {
  const choices = /^(?:choice\s*(?:of|:)?\s+)?([^,;/]+(?:[,;/][^,;/]+)+)$/i.exec(behind);
  const kind = KINDS.get(plain(behind));
  if (!kind && choices) {
    const list = choices[1]!.split(/[,;/]/).map((choice) => choice.trim());
    const twice = list.find((choice, i) => list.some((other, j) => j < i && other === choice));
    if (twice !== undefined) return fault(`“${twice}” stands twice among the choices.`);
    return written({ kind: 'choice', choices: list }, false);
  }
  if (!kind) {
    const table = called(tables, behind);
    if (table?.key.length === 1) return written(lookupOf(table), false, table.label);
    return fault(
      behind === ''
        ? `Which kind is ${label}? Write it behind the colon, or leave the colon out.`
        : `“${behind}” is no kind of field. There are ${Object.values(KIND_LABELS).join(', ').toLowerCase()}.`,
    );
  }
  switch (kind) {
    case 'choice':
      return fault('Which choices? Write them with commas between: choice of Out, Back.');
    case 'lookup': {
      const table = called(tables, label);
      return table?.key.length === 1
        ? written(lookupOf(table), false, table.label)
        : fault(`Which table does it look up? Write ${label} -> and the name of the table.`);
    }
    case 'workedOut':
      return fault('What is worked out needs its expression: add this field by itself.');
    default:
      return written(plainType(kind, design), false);
  }
}

const lookupOf = ({ id }: Table): FieldType => ({
  kind: 'lookup',
  table: id,
  shows: null,
  onDelete: 'refuse',
});

/** Words that tell a kind, at the end of a name or at its beginning. The first that fits counts. */
const TELLING: readonly (readonly [kind: KindName, words: RegExp])[] = [
  ['tick', /^(is|has|was|can|may|wants|needs) |^(active|done|closed|open|confirmed|approved|member)$/],
  ['dateTime', / at$|\b(date and time|moment|timestamp)$/],
  [
    'date',
    /\b(date|day|birthday|born|joined|left|started|ended|returned|back|due|deadline|until|since|on|from|to|expires)$|^date of /,
  ],
  ['time', /\b(time|opens|closes|begins|ends)$|^time of /],
  [
    'money',
    /\b(fee|fees|price|cost|costs|amount|salary|wage|wages|rent|deposit|sum|charge|charges|value|budget|balance)$|^(price|cost|value) of /,
  ],
  [
    'wholeNumber',
    /\b(count|quantity|pieces|age|year|seats|pages|stock|places|beds|rooms|people|persons|children|copies)$|^number of /,
  ],
  [
    'decimal',
    /\b(weight|height|length|width|depth|area|distance|hours|rate|percent|percentage|size|temperature)$/,
  ],
  ['picture', /\b(photo|photograph|picture|image|portrait|logo|drawing)$/],
  ['file', /\b(file|document|scan|attachment|contract|letter)$/],
  [
    'longText',
    /\b(note|notes|comment|comments|remark|remarks|description|address|details|memo|message|reason)$/,
  ],
];

/** The kind that the words of a name suggest; Text where they suggest none. */
export function guessKind(label: string): KindName {
  const words = plain(label);
  return TELLING.find(([, telling]) => telling.test(words))?.[0] ?? 'text';
}

function planOf(
  design: Design,
  tables: readonly WrittenTable[],
  makeId: MakeId,
  heads: readonly Table[] = [],
): WrittenPlan {
  const changes: Change[] = [];
  const later: Change[] = [];
  /** The names of the fields of each table that has been begun. */
  const taken = new Map<string, string[]>();
  for (const written of tables) {
    const head = heads.find(({ id }) => id === written.id);
    const own = design.tables.find(({ id }) => id === written.id) ?? head!;
    const key = written.isNew
      ? fieldsOf(tables, written.id).find(({ type }) => type.kind === 'runningNumber')
      : undefined;
    const label = key?.label ?? keyLabel(own.fields[0]!.label, fieldsOf(tables, written.id));
    const begun = written.isNew
      ? { ...own.fields[0]!, label, name: nameFromLabel(label, 'number') }
      : own.fields[0]!;
    if (written.isNew && !taken.has(own.id))
      changes.push({ change: 'addTable', table: { ...own, fields: [begun] } });
    const names = taken.get(own.id) ?? (written.isNew ? [begun] : own.fields).map(({ name }) => name);
    taken.set(own.id, names);
    for (const { label, type, alwaysFilled, noTwoAlike, line } of written.fields) {
      if (line === key?.line) continue;
      const name = uniqueName(nameFromLabel(label, 'field'), names);
      names.push(name);
      const field: Field = plainField(makeId('f'), name, label, type, { alwaysFilled, noTwoAlike });
      // Tables first: lookups lead to those of other paragraphs.
      later.push({ change: 'addField', table: own.id, field });
    }
  }
  return { tables, changes: [...changes, ...later] };
}

/** What the key of a new table is called beside fields one of which may be written with its name, as a house number. */
function keyLabel(wanted: string, fields: readonly WrittenField[]): string {
  const isFree = (label: string): boolean => !fields.some((field) => same(field.label, label));
  if (isFree(wanted)) return wanted;
  const label = KIND_LABELS.runningNumber;
  for (let n = 1; ; n++) {
    const free = n === 1 ? label : `${label} ${n}`;
    if (isFree(free)) return free;
  }
}
