import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { attempt, idsIn, sqlText, toStored } from '@heathridge/core/expression';
import {
  boardOf,
  boardsOf,
  isDrawn,
  isOnScreen,
  narrowedBy,
  Narrowing,
  tableOn,
  type Chosen,
  type DrawnPart,
} from '@heathridge/core/board';
import { answeredBy, detailColumns, pivotFor, questionsOf, so, type Answers } from '@heathridge/core/query';
import { AnswersBody, GroupKeys, MOST_DRAWN, MOST_ROWS as MOST_BEHIND, sameQuestion } from './query';
import {
  catalogOf,
  conditionIn,
  Id,
  idsUsed,
  tableOf,
  type Board,
  type Design,
  type Form,
  type Table,
  type Query,
  type QueryColumn,
  type QueryQuestion,
} from '@heathridge/core/design';
import {
  lanesBy,
  cellsOf,
  foundIn,
  levelOf,
  levelTo,
  paneAt,
  type Level,
  type Pane,
  askedBy,
  shownRows,
} from '@heathridge/core/form';
import {
  designOf,
  hiddenIf,
  mayAsk,
  refusedChange,
  rowsOnScreen,
  rowsThere,
  screensOf,
  seesLookup,
  tablesOn,
  visibleFields,
  type Viewer,
} from '@heathridge/core/people';
import { GridView, Key, NOTHING, SaveRequest } from '@heathridge/core/rows';
import { todayIn } from '../http/context';
import { Problem } from '../problem';
import type { Call, Router } from '../http/routes';
import { isAmong } from '../rows/among';
import { readBeyond } from '../rows/read';
import { secondLine } from '../rows/window';
import { workedOn } from '../rows/worked';
import { along, count, list, more, page, record } from '../reading/rows';
import { MOST_PREPARED } from '../rows/prepared-change';
import { sizeOf } from '../rows/undo-entry';
import { assertWritable, type OpenFile } from '../store/files';
import { prepared } from '../store/statements';
import {
  checkedKeys,
  choicesFor,
  ChoicesBody,
  keyFrom,
  MOST_OF_SAVE,
  save,
  Search,
  tableAt,
  undone,
} from './rows';
import { keepListView, listViews } from './list-views';

/** Rows of a list that are read at once. */
const MOST_ROWS = 200;

/**
 * Those tables and every table that their lookups, rules and worked-out fields, and these ids, lead to: what the page
 * needs to know to show and check a row.
 */
function tablesAround(design: Design, start: readonly Table[], ids: ReadonlySet<string>): Table[] {
  const owners = new Map(
    design.tables.flatMap((table) => [...table.fields, ...table.links].map(({ id }) => [id, table])),
  );
  const owning = (used: ReadonlySet<string>): Table[] => [...used].flatMap((id) => owners.get(id) ?? []);
  const found = new Set([...start, ...owning(ids)]);
  for (const table of found) {
    for (const { type } of table.fields) {
      const target = type.kind === 'lookup' ? design.tables.find(({ id }) => id === type.table) : undefined;
      if (target) found.add(target);
    }
    for (const { table: id } of table.links)
      design.tables.filter((other) => other.id === id).forEach((other) => found.add(other));
    for (const owner of owning(idsUsed(table))) found.add(owner);
  }
  return design.tables.filter((table) => found.has(table));
}

/** The screen that the address names. */
function screenOf({ screen }: Viewer): Form {
  if (!screen) throw new Problem('not-found', 'This screen is no longer there.');
  return screen;
}

/** The level of a screen to which links lead, and that of its record. */
function levelsAt(file: OpenFile, viewer: Viewer, path: readonly string[]): { root: Level; level: Level } {
  const root = levelOf(designOf(file.design, viewer), screenOf(viewer));
  const level = root && levelTo(root, path);
  if (!root || !level) throw new Problem('not-found', 'This subform is no longer there.');
  return { root, level };
}

/** The list of a screen to which links lead. */
function paneOf(file: OpenFile, viewer: Viewer, path: readonly string[]): Pane {
  const pane = paneAt(designOf(file.design, viewer), screenOf(viewer), path);
  if (!pane) throw new Problem('not-found', 'This list is no longer there.');
  return pane;
}

/** Refuses to be asked by what somebody does not see of a row: what comes of it would tell it. */
function assertSeen(
  design: Design,
  viewer: Viewer,
  table: Table,
  { sort, conditions }: Omit<GridView, 'columns'>,
): void {
  // What is not there for some of the rows would be told by which rows come.
  const kept = hiddenIf(design, viewer, table);
  const seen = new Set(visibleFields(design, viewer, table).flatMap(({ id }) => (kept.has(id) ? [] : [id])));
  const stored = conditions.flatMap((condition) => {
    const bound = attempt(() => {
      conditionIn(design, table.id, condition);
      // By name a field is meant as much as by its id.
      return idsIn(toStored(condition, catalogOf(design), table.id));
    });
    if (!bound.ok) throw new Problem('bad-request', bound.error.message);
    return bound.value;
  });
  if ([...sort.map(({ field }) => field), ...stored].some((id) => !seen.has(id)))
    throw new Problem('bad-request', 'This list has no such column.');
}

/** Refuses rows that lead to one that is not, or no longer, among those that a level of the screen shows. */
function assertShown(file: OpenFile, viewer: Viewer, path: readonly string[], key: string | number): void {
  const { table, subform } = levelsAt(file, viewer, path).level;
  const shown = shownRows(subform ?? screenOf(viewer));
  if (!isAmong(file.reader, file.design, table, [key], [shown]))
    throw new Problem('not-found', `This ${table.label.toLowerCase()} is no longer there.`);
}

/** The board that is named, as it is there for whoever looks. */
function boardAt({ design }: OpenFile, viewer: Viewer, id: string): Board {
  const known = design.boards.find((other) => other.id === id);
  const board = known && boardOf(design, viewer, known);
  if (!board) throw new Problem('not-found', 'This board is no longer there.');
  return board;
}

/** What the rows of a screen meet by what is chosen in the filters of a board on which it stands. */
function narrowing(file: OpenFile, viewer: Viewer, { board: id, part: at, chosen }: Narrowing): string[] {
  const { design } = file;
  const board = boardAt(file, viewer, id);
  const part = board.parts.filter(isOnScreen).find((other) => other.id === at);
  if (part?.screen !== viewer.screen?.id)
    throw new Problem('not-found', 'This part is no longer on the board.');
  const conditions = narrowedBy(design, board, part!, chosen);
  for (const condition of conditions) {
    const bound = attempt(() => conditionIn(design, screenOf(viewer).table, condition));
    if (!bound.ok) throw new Problem('bad-request', bound.error.message);
  }
  assertChosen(file, viewer, board, chosen);
  return conditions;
}

/** What the queries of a board's parts ask, each once, with the parts that ask it. */
function askedOn(
  { design }: OpenFile,
  board: Board,
): { readonly question: QueryQuestion; readonly parts: string[] }[] {
  const found = new Map<string, { readonly question: QueryQuestion; readonly parts: string[] }>();
  for (const part of board.parts.filter(isDrawn)) {
    const query = design.queries.find(({ id }) => id === part.query);
    for (const question of query ? questionsOf(design, query) : [])
      found.set(question.id, { question, parts: [...(found.get(question.id)?.parts ?? []), part.id] });
  }
  return [...found.values()];
}

/** Refuses an answer by a row that is not there for whoever looks. */
function assertAnswered(file: OpenFile, viewer: Viewer, query: Query, given: Answers): void {
  for (const question of questionsOf(file.design, query)) {
    const field = answeredBy(file.design, question);
    const key = given[question.id] ?? null;
    if (field?.type.kind !== 'lookup' || key === null || typeof key === 'boolean') continue;
    const table = tableAt(file, field.type.table);
    if (!isAmong(file.reader, file.design, table, [key], [rowsThere(viewer, table)]))
      throw new Problem('not-found', `This ${table.label.toLowerCase()} is no longer there.`);
  }
}

/** Refuses a filter by a row that is not there for whoever looks. */
function assertChosen(file: OpenFile, viewer: Viewer, board: Board, chosen: readonly Chosen[]): void {
  const { design, reader } = file;
  for (const filter of board.filters) {
    const key = chosen.find((choice) => choice.filter === filter.id)?.key ?? null;
    if (filter.by !== 'row' || key === null) continue;
    const table = tableAt(file, filter.table);
    // Whether other rows lead to one that is not there for her is not told.
    if (!isAmong(reader, design, table, [key], [rowsThere(viewer, table)]))
      throw new Problem('not-found', `This ${table.label.toLowerCase()} is no longer there.`);
  }
}

/** A value of a key of one field. */
const KeyPart = v.union([v.pipe(v.string(), v.maxLength(1000)), v.number()]);

/** What a part of a board is drawn for: what is chosen in the filters, and the answers to what its query asks. */
const DrawnBody = {
  part: Id,
  chosen: v.optional(Narrowing.entries.chosen, []),
  answers: v.optional(AnswersBody, {}),
};

/** The query that a part of a board draws, and what narrows it for whoever looks. Throws where it is not there for her. */
function drawnPart(
  { file, viewer, params }: Pick<Call, 'file' | 'viewer' | 'params'>,
  { part: at, chosen, answers: given }: v.InferOutput<v.ObjectSchema<typeof DrawnBody, undefined>>,
): { readonly part: DrawnPart; readonly query: Query; readonly only: readonly string[] } {
  const board = boardAt(file, viewer, params['board']!);
  const part = board.parts.filter(isDrawn).find(({ id }) => id === at);
  const query = file.design.queries.find(({ id }) => id === part?.query);
  if (!part || !query) throw new Problem('not-found', 'This part is no longer on the board.');
  assertChosen(file, viewer, board, chosen);
  assertAnswered(file, viewer, query, given);
  const table = tableOn(file.design, part);
  const only = [...narrowedBy(file.design, board, part, chosen), ...(table ? rowsThere(viewer, table) : [])];
  return { part, query, only };
}

/** What is shown of the rows behind a part of a board: nothing that is kept from whoever looks. */
function shownBehind(design: Design, { duty }: Viewer, query: Query): QueryColumn[] {
  if (query.columns.length > 0 || query.written) return query.columns;
  const { own, grouped } = detailColumns(design, query);
  const columns = [...own, ...grouped].filter(
    (column) => duty === null || mayAsk(design, duty, { ...query, columns: [column] }),
  );
  // Where nothing is said all that is usual would be shown.
  if (columns.length === 0) throw new Problem('not-allowed', 'Nothing of these rows is open to you.');
  return columns;
}

export function deskRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk',
    answer: answers.DeskInfo,
    needs: 'colleague',
    summary: 'The Desk: the screens of a file',
    handler: ({ context, file, params, viewer }) => ({
      name: context.files.name(params['file']!),
      role: viewer.role,
      duty: viewer.duty?.label ?? null,
      settings: file.design.settings,
      today: todayIn(context, file),
      boards: boardsOf(file.design, viewer).map(({ id, label }) => ({ id, label })),
      screens: screensOf(file.design, viewer).map((form) => {
        const table = tableAt(file, form.table);
        const { id, label, rights } = form;
        const listed = lanesBy(form, table) ? ('cards' as const) : ('list' as const);
        const shows = form.list ? listed : ('record' as const);
        const names = { table: table.id, one: table.label, many: table.plural };
        return { id, label, shows, adds: rights.add, ...names };
      }),
    }),
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/worked',
    answer: answers.Worked,
    needs: 'colleague',
    summary: 'The records you have worked on last, and the draft of the design you have not finished',
    handler: ({ context: { accounts }, file, person, viewer }) => ({
      records: workedOn(
        file.reader,
        designOf(file.design, viewer),
        screensOf(file.design, viewer).filter((form) => !form.list),
        person.name,
      ),
      draft: viewer.role === 'builder' ? accounts.openDraft(file.id, person.id) : null,
    }),
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/watches',
    answer: answers.Watches,
    needs: 'colleague',
    summary: 'How many rows the lists have whose number stands on Today',
    handler: async ({ context: { jobs }, file, viewer, gone: signal }) => {
      const design = designOf(file.design, viewer);
      const watched = screensOf(file.design, viewer).filter(({ list }) => list?.watch);
      const watches: { screen: string; count: number }[] = [];
      // One after another: whoever opens Today takes no more than one child.
      for (const form of watched) {
        const asked = { ...NOTHING, conditions: shownRows(form) };
        const table = tableOf(design, form.table);
        watches.push({ screen: form.id, count: await count({ file, design, jobs, signal }, table, asked) });
      }
      return { watches };
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/boards/:board',
    answer: answers.BoardInfo,
    needs: 'colleague',
    summary: 'A board: the screens that stand on it, and what narrows them',
    handler: ({ context, file, viewer, params }) => {
      const board = boardAt(file, viewer, params['board']!);
      const asked = askedOn(file, board).map(({ parts, question }) => ({
        parts,
        asked: askedBy(designOf(file.design, viewer), [question], todayIn(context, file))[0]!,
      }));
      return { board, asked };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/boards/:board/drawn',
    answer: answers.BoardDrawing,
    needs: 'colleague',
    summary: 'What the query of a part of a board gives, narrowed by what is chosen in its filters',
    body: v.object(DrawnBody),
    handler: async (call) => {
      const { context, file, gone, body } = call;
      const { part, query, only } = drawnPart(call, body);
      const given = body.answers;
      const pivot = query.group ? { pivot: query.pivot ?? pivotFor(query) } : {};
      const { columns, rows, keys, more, totals } = await context.jobs.runOnce(
        sameQuestion(file, todayIn(context, file), ['drawn', part.part, query.id, only, given]),
        file.path,
        {
          task: 'query',
          design: file.design,
          query: { ...query, ...pivot, where: [...query.where, ...only.map(so)] },
          answers: given,
          today: todayIn(context, file),
          limit: MOST_DRAWN,
          totals: part.part === 'pivot',
          counted: false,
        },
        { signal: gone },
      );
      return { query: { ...query, ...pivot }, columns, rows, keys, more, totals };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/boards/:board/behind',
    answer: answers.QueryRows,
    needs: 'colleague',
    summary: 'The rows behind one group of what a part of a board draws',
    body: v.object({ ...DrawnBody, keys: GroupKeys }),
    handler: (call) => {
      const { context, file, viewer, gone, body } = call;
      const { query, only } = drawnPart(call, body);
      const columns = shownBehind(file.design, viewer, query);
      return context.jobs.run(
        file.path,
        {
          task: 'query rows',
          design: file.design,
          query: { ...query, columns, where: [...query.where, ...only.map(so)] },
          answers: body.answers,
          today: todayIn(context, file),
          limit: MOST_BEHIND,
          asked: { what: 'cell', keys: body.keys },
        },
        { signal: gone },
      );
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/boards/:board/choices',
    answer: answers.Choices,
    needs: 'colleague',
    summary: 'Rows to choose from in a filter of a board, or for the answer to what a query on it asks',
    body: v.object({
      /** The filter, or the lookup whose choices answer a question. */
      filter: Id,
      search: ChoicesBody.entries.search,
      only: ChoicesBody.entries.only,
    }),
    handler: ({ context, file, viewer, params, body: { filter: id, ...asked }, gone }) => {
      const board = boardAt(file, viewer, params['board']!);
      const lookups = askedOn(file, board).flatMap(({ question: { answer } }) =>
        answer.kind === 'lookup' ? [answer.field] : [],
      );
      const all = { ...asked, row: null, key: null, all: true };
      if (lookups.includes(id)) return choicesFor(context, file, id, all, gone, viewer);
      const filter = board.filters.find((other) => other.id === id);
      const way = filter?.ways.find((other) => other.way !== null)?.way;
      if (filter?.by !== 'row' || !way) throw new Problem('not-found', 'This filter is no longer there.');
      return choicesFor(context, file, way.at(-1)!, all, gone, viewer);
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/screens/:screen',
    answer: answers.ScreenInfo,
    needs: 'colleague',
    summary: 'A screen and the tables it works on',
    handler: ({ context, file, person, viewer }) => {
      const form = screenOf(viewer);
      const design = designOf(file.design, viewer);
      const tables = tablesAround(design, tablesOn(design, form), idsUsed(form.parts));
      return {
        form,
        tables,
        settings: file.design.settings,
        second: secondLine(design, viewer, tableOf(design, form.table)).map(({ id }) => id),
        views: listViews(file, form.id, person.id),
        today: todayIn(context, file),
      };
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/screens/:screen/list',
    answer: answers.RecordList,
    needs: 'colleague',
    summary: 'The record list: entries and how many there are',
    query: v.object({ ...Search.entries, after: v.optional(v.pipe(v.string(), v.maxLength(2000))) }),
    handler: async ({ context: { jobs }, file, viewer, query, reply, gone: signal }) => {
      const form = screenOf(viewer);
      const design = designOf(file.design, viewer);
      const table = tableOf(design, form.table);
      const after = query.after === undefined ? null : keyFrom(file, table, query.after);
      const reading = { file, design, jobs, signal };
      const { search } = query;
      const conditions = shownRows(form);
      const shows = foundIn(form, table);
      const asked = { search, after, limit: 60, conditions, shows, sort: form.order ?? [] };
      const [entries, total] = await Promise.all([
        list(reading, viewer, table, asked),
        count(reading, table, { search, conditions, shows }),
      ]);
      const all = search.trim() === '' ? total : await count(reading, table, { ...NOTHING, conditions });
      return reply.type('application/json').send(`{"total":${total},"all":${all},"entries":${entries}}`);
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/screens/:screen/record',
    answer: answers.RecordData,
    needs: 'colleague',
    summary: 'A record with the rows of its subforms',
    query: v.object({ key: v.pipe(v.string(), v.maxLength(2000)) }),
    handler: async ({ context: { jobs }, file, viewer, query, reply, gone: signal }) => {
      const form = screenOf(viewer);
      const table = tableAt(file, form.table);
      const design = designOf(file.design, viewer);
      const json = await record(
        { file, design, jobs, signal },
        viewer,
        form,
        keyFrom(file, table, query.key),
      );
      if (json === null)
        throw new Problem('not-found', `This ${table.label.toLowerCase()} is no longer there.`);
      return reply.type('application/json').send(json);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/rows',
    answer: answers.RecordRows,
    needs: 'colleague',
    summary: 'Further rows of a subform, from a place on',
    body: v.object({
      /** The links of the subforms that lead there, from the record on. */
      path: v.pipe(v.array(Id), v.minLength(1), v.maxLength(12)),
      /** The key of the row to which they lead. */
      parent: KeyPart,
      start: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e9)),
    }),
    handler: async ({ context: { jobs }, file, viewer, body: at, reply, gone: signal }) => {
      levelsAt(file, viewer, at.path);
      assertShown(file, viewer, at.path.slice(0, -1), at.parent);
      const design = designOf(file.design, viewer);
      const rows = await more({ file, design, jobs, signal }, viewer, screenOf(viewer), at);
      return reply.type('application/json').send(rows);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/page',
    answer: answers.Page,
    needs: 'colleague',
    summary: 'Rows of a list, from a place on, and how many there are',
    body: v.object({
      /** The links that lead to its rows from those of the first list. */
      path: v.optional(v.pipe(v.array(Id), v.maxLength(12)), []),
      /** The key of the row to which its rows lead; null for the first list. */
      parent: v.optional(v.nullable(KeyPart), null),
      start: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e9)),
      limit: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(MOST_ROWS)),
      search: Search.entries.search,
      sort: v.optional(GridView.entries.sort, []),
      conditions: v.optional(GridView.entries.conditions, []),
      /** On which board the list stands, and what is chosen in the filters there. */
      on: v.optional(v.nullable(Narrowing), null),
    }),
    handler: async ({ context: { jobs }, file, viewer, body, reply, gone: signal }) => {
      const { path, parent, start, limit, search, sort } = body;
      const { form } = paneOf(file, viewer, path);
      const design = designOf(file.design, viewer);
      const table = tableOf(design, form.table);
      assertSeen(design, viewer, table, body);
      const link = path.at(-1);
      if ((link === undefined) !== (parent === null))
        throw new Problem('bad-request', 'Rows that follow belong to one row of the list before them.');
      if (parent !== null) assertShown(file, viewer, path.slice(0, -1), parent);
      const belongs =
        parent === null ? [] : [`"#${link}" = ${typeof parent === 'string' ? sqlText(parent) : parent}`];
      const narrowed = body.on ? narrowing(file, viewer, body.on) : [];
      const conditions = [...shownRows(form), ...belongs, ...narrowed, ...body.conditions];
      const shows = foundIn({ ...form, finds: cellsOf(form.parts).map(({ field }) => field) }, table);
      const request = {
        start,
        limit,
        search,
        shows,
        conditions,
        sort: sort.length > 0 ? sort : (form.order ?? []),
      };
      const { total, rows } = await page({ file, design, jobs, signal }, viewer, form, request);
      return reply.type('application/json').send(`{"total":${total},"rows":${rows}}`);
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/desk/screens/:screen/view',
    answer: answers.KeptView,
    needs: 'colleague',
    summary: 'Keep how you look at a list: for yourself, or, as its builder, for everyone',
    body: v.object({
      path: v.optional(v.pipe(v.array(Id), v.maxLength(12)), []),
      everyone: v.boolean(),
      view: v.nullable(GridView),
    }),
    handler: ({ context, file, person, viewer, params, body: { path, everyone, view } }) => {
      paneOf(file, viewer, path);
      if (everyone && viewer.role !== 'builder')
        throw new Problem('not-allowed', 'Only the builder of this file may do this.');
      assertWritable(file);
      return {
        id: keepListView(file, [params['screen']!, ...path], everyone ? null : person, view, context.clock),
      };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/beyond',
    answer: answers.BeyondLink,
    needs: 'colleague',
    summary: 'What is worked out on a screen reads of the row that somebody has just chosen in a lookup',
    body: v.object({
      /** The links of the subforms that lead to the row with the lookup, from the record on. */
      path: v.pipe(v.array(Id), v.maxLength(12)),
      link: Id,
      key: KeyPart,
    }),
    handler: ({ file, viewer, body: { path, link, key }, reply }) => {
      const json = seesLookup(file.design, viewer, link)
        ? readBeyond(file.reader, file.design, viewer, levelsAt(file, viewer, path), link, key)
        : undefined;
      if (json === undefined) throw new Problem('not-found', 'Nothing on this screen is worked out from it.');
      return reply.type('application/json').send(`{"row":${json}}`);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/here',
    answer: answers.Others,
    needs: 'colleague',
    summary: 'Say which record you have open, again and again while you do; who else has it open',
    body: v.object({
      /** Tells the pages of one person apart. */
      page: v.pipe(v.string(), v.minLength(1), v.maxLength(40)),
      /** Null once it is left. */
      key: v.nullable(Key),
    }),
    handler: ({ context, file, person, viewer, body: { page, key } }) => {
      const form = screenOf(viewer);
      const table = tableAt(file, form.table);
      const own = key && checkedKeys(file, table, [key])[0]!;
      if (own && !isAmong(file.reader, file.design, table, own, [shownRows(form)]))
        throw new Problem('not-found', `This ${table.label.toLowerCase()} is no longer there.`);
      const at = own && { table: table.id, key: own };
      return { others: context.presence.here(file.id, page, person, at, Date.parse(context.clock.now())) };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/along',
    answer: answers.Along,
    needs: 'colleague',
    summary: 'What would become of other rows if a record were deleted; nothing is changed',
    body: v.object({ key: Key, table: v.optional(Id) }),
    handler: async ({ context: { jobs }, file, viewer, body, gone: signal }) => {
      const table = tableAt(file, body.table ?? screenOf(viewer).table);
      const refusal = refusedChange(file.design, viewer, { op: 'delete', table: table.id, key: body.key });
      if (refusal !== null) throw new Problem('not-allowed', refusal);
      const keys = checkedKeys(file, table, [body.key]);
      if (
        keys.some(
          (key) => !isAmong(file.reader, file.design, table, key, rowsOnScreen(file.design, viewer, table)),
        )
      )
        throw new Problem('not-found', `This ${table.label.toLowerCase()} is no longer there.`);
      return { along: await along({ file, jobs, signal }, table, keys) };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/save',
    answer: answers.SavedRows,
    needs: 'colleague',
    summary: 'Save a record and rows of its subforms together, all or none',
    body: SaveRequest,
    most: MOST_OF_SAVE,
    handler: (call) => {
      screenOf(call.viewer);
      return save(call, call.body);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/undo',
    answer: answers.Undone,
    needs: 'colleague',
    summary: 'Take back a save of one’s own, with all rows that went along with it: all of it or nothing',
    body: v.object({ entry: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(1e15)) }),
    handler: async ({ context, file, viewer, body: { entry } }) => {
      screenOf(viewer);
      const { clock, news } = context;
      const own = prepared(file.reader, 'SELECT 1 FROM hr_log WHERE id = ? AND substr(request, 1, ?) = ?');
      const mark = `${viewer.id} `;
      if (own.get([entry, mark.length, mark]) === undefined || sizeOf(file.reader, entry) > MOST_PREPARED)
        throw new Problem('not-undone', 'This is no save of yours that could be taken back here.');
      assertWritable(file);
      const order = { entry, by: viewer.name, now: clock.now(), today: todayIn(context, file) };
      const done = await undone(context, file, order);
      const tables = done.tables.map((table) => ({ table, changed: null }));
      news.tell(file.id, { account: viewer.id, by: viewer.name, entry: done.entry, tables, design: false });
      return done;
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/lookups/:field',
    answer: answers.Choices,
    needs: 'colleague',
    summary: 'Choices of a lookup on this screen, narrowed by the row it stands in',
    body: ChoicesBody,
    handler: ({ context, file, viewer, params, body, gone }) => {
      screenOf(viewer);
      if (!seesLookup(file.design, viewer, params['field']!))
        throw new Problem('not-found', 'This lookup is not on this screen.');
      return choicesFor(context, file, params['field']!, body, gone, viewer);
    },
  });
}
