import { attempt, bind, fromStored, inWords, type Catalog } from '../expression';
import {
  listOf,
  type Design,
  type GroupColumn,
  type Measure,
  type Query,
  type QueryCondition,
  type QueryJoin,
} from '../design';
import { joinLabel, type Place } from './edit';
import { keepScope } from './compile';
import { joinedTo, outputColumns, scopeOf, sourceOf, sourceWords } from './scope';

/** What can be changed in a sentence. */
export type PartName =
  | 'from'
  | 'stack'
  | 'join'
  | 'where'
  | 'column'
  | 'group'
  | 'measure'
  | 'keep'
  | 'unlike'
  | 'sort'
  | 'first'
  | 'question';

/** A stretch of a sentence: words between its parts, a part, or a place where one may be added. */
export type Stretch =
  | { readonly says: 'words'; readonly key: string; readonly text: string }
  | {
      readonly says: 'part';
      readonly key: string;
      readonly what: PartName;
      /** Which of its sort: an index, or a place in a tree of conditions. */
      readonly at: Place;
      readonly text: string;
      readonly off: boolean;
      readonly note: string;
      /** Several conditions of which all hold, or any. */
      readonly isGroup: boolean;
    }
  | {
      readonly says: 'add';
      readonly key: string;
      readonly what: PartName;
      readonly at: Place;
      readonly text: string;
    };

/** How expressions of a query are read. */
export interface Reader {
  /** With current names in place of ids; as it is kept where that cannot be. */
  readonly text: (stored: string) => string;
  /** In plain words; as text where it cannot be bound. */
  readonly words: (stored: string) => string;
}

export const readerOf = (catalog: Catalog, table: string): Reader => {
  const text = (stored: string): string => {
    const result = attempt(() => fromStored(stored, catalog, table));
    return result.ok ? result.value : stored;
  };
  return {
    text,
    words: (stored) => {
      const written = text(stored);
      const result = attempt(() => inWords(bind(written, { catalog, table }).bound, written));
      return result.ok ? result.value : written;
    },
  };
};

const RAW: Reader = { text: (stored) => stored, words: (stored) => stored };

/** Reads the expressions of a query, and those over its result. */
export function readersOf(design: Design, query: Query): { readonly own: Reader; readonly result: Reader } {
  const own = attempt(() => scopeOf(design, query));
  const result = attempt(() => keepScope(design, query));
  return {
    own: own.ok ? readerOf(own.value.catalog, own.value.table) : RAW,
    result: result.ok ? readerOf(result.value.catalog, result.value.table) : RAW,
  };
}

/** What is worked out for each group, for people. */
export const MEASURE_WORDS: Readonly<Record<Measure['total'], string>> = {
  count: 'count',
  distinct: 'count of different values',
  sum: 'sum',
  average: 'average',
  median: 'median',
  least: 'least',
  most: 'most',
  first: 'first',
  last: 'last',
  joined: 'list',
  share: 'share',
  running: 'running sum',
  change: 'change to the one before',
};

export function measureWords({ total, expression, by }: Measure, rows: string, { words }: Reader): string {
  if (expression === null) {
    const count = `count of ${rows}`;
    return total === 'count' ? count : total === 'running' ? `running ${count}` : `${total} of the ${count}`;
  }
  const of = words(expression);
  switch (total) {
    case 'distinct':
      return `count of different values of ${of}`;
    case 'first':
    case 'last':
      return `${total} ${of}${by === undefined ? '' : ` by ${words(by)}`}`;
    case 'change':
      return `change of ${of}`;
    default:
      return `${MEASURE_WORDS[total]} of ${of}`;
  }
}

/** Writes a query as a sentence: a pure function of it, whose parts say what they change. */
export function sentenceOf(design: Design, query: Query): Stretch[] {
  const source = sourceOf(design, query.from);
  const rows = source ? sourceWords(source) : { label: 'table that is gone', plural: 'rows that are gone' };
  const out: Stretch[] = [];
  const say = (text: string): void => {
    out.push({ says: 'words', key: `w${out.length} ${text}`, text });
  };
  const part = (
    what: PartName,
    at: Place,
    text: string,
    {
      off = false,
      note = '',
    }: { readonly off?: boolean | undefined; readonly note?: string | undefined } = {},
    isGroup = false,
  ): void => {
    out.push({
      says: 'part',
      key: `${what} ${at.join('.')}${isGroup ? ' group' : ''}`,
      what,
      at,
      text,
      off,
      note,
      isGroup,
    });
  };
  const add = (what: PartName, text: string, at: Place = []): void => {
    out.push({ says: 'add', key: `add ${what} ${at.join('.')}`, what, at, text });
  };
  const between = (i: number, last: number): string => (i === 0 ? '' : i === last ? ' and ' : ', ');
  // Of what is written in SQL only what it asks for stands in words.
  if (query.written) {
    say('Take the rows that its SQL gives. ');
    asks();
    return out;
  }
  const { own, result } = readersOf(design, query);

  say('Take every ');
  part('from', [], source?.of === 'query' ? `row of ${rows.label}` : rows.label.toLowerCase());
  (query.stack ?? []).forEach((id, i, all) => {
    const beneath = sourceOf(design, id);
    say(i === all.length - 1 ? ' and ' : ', ');
    part('stack', [i], beneath ? sourceWords(beneath).label : 'a query that is gone');
  });
  if (source?.of === 'query') add('stack', '+ and beneath it…');
  query.joins.forEach((join, i) => {
    say(`, ${i === 0 ? 'with' : 'and'} `);
    part('join', [i], joinWords(design, query, join, own), join);
  });
  add('join', '+ with its…');
  say('. ');

  const conditions = (
    what: 'where' | 'keep',
    list: readonly QueryCondition[],
    place: Place,
    joiner: string,
    reader: Reader,
  ): void =>
    list.forEach((condition, i) => {
      const at = [...place, i];
      if (i > 0) say(joiner);
      if (condition.is === 'so') {
        part(what, at, reader.words(condition.expression), condition);
        return;
      }
      const isAny = condition.is === 'any';
      part(what, at, isAny ? 'any of' : 'all of', condition, true);
      say(' (');
      conditions(what, condition.of, at, isAny ? ' or ' : ' and ', reader);
      add(what, isAny ? '+ or…' : '+ and…', at);
      say(')');
    });

  if (query.where.length > 0) say('Keep rows where ');
  conditions('where', query.where, [], ' and ', own);
  add('where', query.where.length > 0 ? '+ and…' : '+ keep rows where…');
  say('. ');

  const { group } = query;
  if (group) {
    say('Group by ');
    group.by.forEach((column, i) => {
      say(between(i, group.by.length - 1));
      part('group', [i], groupWords(column, own));
    });
    if (group.by.length === 0) say('nothing: all in one ');
    add('group', group.by.length > 0 ? '+ and by…' : '+ by…');
    say(', working out ');
    group.measures.forEach((measure, i) => {
      say(between(i, group.measures.length - 1));
      part('measure', [i], measureWords(measure, rows.plural.toLowerCase(), own));
    });
    add('measure', '+ and the…');
  } else {
    say('Show ');
    query.columns.forEach((column, i) => {
      say(between(i, query.columns.length));
      part('column', [i], own.words(column.expression));
    });
    if (query.columns.length === 0) say('all its fields ');
    add('column', query.columns.length > 0 ? '+ and…' : '+ only…');
    if (query.unlike) {
      say(', ');
      part('unlike', [], 'unlike rows only');
    }
    say('. ');
    add('group', '+ group by…');
    if (!query.unlike) add('unlike', '+ unlike rows only');
  }
  if (query.keep.length > 0) {
    say(group ? ', keeping groups where ' : ' Of these keep rows where ');
    conditions('keep', query.keep, [], ' and ', result);
  }
  if (group || query.keep.length > 0)
    add('keep', query.keep.length > 0 ? '+ and…' : '+ keeping groups where…');
  if (group || query.keep.length > 0) say('. ');

  const columns = attempt(() => outputColumns(design, query));
  const label = (id: string): string =>
    (columns.ok ? columns.value.find((column) => column.id === id)?.label : undefined) ??
    'a column that is gone';
  if (query.sort.length > 0) say('Sort by ');
  query.sort.forEach(({ column, descending }, i) => {
    if (i > 0) say(', then ');
    part('sort', [i], `${label(column)}, ${descending ? 'most first' : 'least first'}`);
  });
  add('sort', query.sort.length > 0 ? '+ then by…' : '+ sort by…');
  if (query.sort.length > 0) say('. ');
  if (query.first === null) add('first', '+ keep only the first…');
  else {
    const of = (query.firstOf ?? []).map(label);
    const each = of.length > 0 ? ` of each ${listOf(of)}` : '';
    part('first', [], `Keep only the first ${query.first.toLocaleString('en-GB')}${each}`);
    say('. ');
  }
  asks();
  return out;

  function asks(): void {
    if (query.questions.length > 0) say(' Ask the reader for ');
    query.questions.forEach((question, i) => {
      say(between(i, query.questions.length - 1));
      part('question', [i], question.label.toLowerCase());
    });
    add('question', query.questions.length > 0 ? '+ and for…' : '+ ask the reader for…');
    if (query.questions.length > 0) say('.');
  }
}

const groupWords = ({ expression, step }: GroupColumn, { words }: Reader): string =>
  step ? `${step} of ${words(expression)}` : words(expression);

function joinWords(design: Design, query: Query, join: QueryJoin, { words }: Reader): string {
  const none = join.keepWithout ? ' (or none)' : '';
  const to = attempt(() => joinedTo(design, join, rowsAt(design, query, join.at)));
  const label = to.ok ? joinLabel(design, join, to.value) : 'a link that is gone';
  const { by } = join;
  const source = 'from' in by ? sourceOf(design, by.from) : null;
  const plural = source ? sourceWords(source).plural.toLowerCase() : label;
  if (by.by === 'same') return `${plural} with the same text as its ${words(by.own)}${none}`;
  if (by.by === 'condition') return `${plural} where ${words(by.condition)}${none}`;
  const around = query.joins.find(({ id }) => id === join.at);
  if (!around) return `its ${label}${none}`;
  const of = attempt(() =>
    joinLabel(design, around, joinedTo(design, around, rowsAt(design, query, around.at))),
  );
  return `the ${of.ok ? of.value : 'rows'}’s ${label}${none}`;
}

/** The table or query beside whose rows a join stands. */
export function rowsAt(design: Design, query: Query, at: string | null): string {
  if (at === null) return query.from;
  const join = query.joins.find(({ id }) => id === at);
  return join ? joinedTo(design, join, rowsAt(design, query, join.at)) : query.from;
}

/** A sentence as text, without the places where something may be added. */
export const plainSentence = (design: Design, query: Query): string =>
  sentenceOf(design, query)
    .flatMap((stretch) => (stretch.says === 'add' ? [] : [stretch.text]))
    .join('')
    .replace(/\s+([.,])/g, '$1')
    .replace(/([.,])(?:\s*[.,])+/g, '$1')
    .replace(/\s+/g, ' ')
    .trim();
