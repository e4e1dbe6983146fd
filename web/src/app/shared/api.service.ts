import { HttpClient, HttpParams } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import {
  catchError,
  EMPTY,
  filter,
  map,
  of,
  retry,
  switchMap,
  throwError,
  timer,
  type MonoTypeOperatorFunction,
  type Observable,
} from 'rxjs';
import { problemOf } from './problem';
import { Toast } from './toast.service';
import type * as answers from '@heathridge/core/api';
import type { Encoding } from '@heathridge/core/exchange';
import type { Chosen, Narrowing } from '@heathridge/core/board';
import type { DesignDocument, Form, MapDrawing, Query, Report } from '@heathridge/core/design';
import type { Answers, RowsAsked as QueryRowsAsked } from '@heathridge/core/query';
import type { PageModel } from '@heathridge/core/report';
import type { GridView, NamedView, RowsAsked, RowKey, SaveRequest } from '@heathridge/core/rows';
import type { BringPlan, SheetStyle } from '@heathridge/core/sheet';
import type { Value } from '@heathridge/core/values';

/* What the API answers, by the schemas of the core that describe it. */
export type Person = answers.Answer<typeof answers.Person>;
export type Look = answers.Answer<typeof answers.Look>;
export type DemoSignIn = answers.Answer<typeof answers.DemoSignIn>;
export type SessionInfo = answers.Answer<typeof answers.SessionInfo>;
export type AdoptedFile = answers.Answer<typeof answers.AdoptedFile>;
export type FileEntry = answers.Answer<typeof answers.FileEntry>;
export type Draft = answers.Answer<typeof answers.Draft>;
export type Place = answers.Answer<typeof answers.Place>;
export type Cards = answers.Cards;
export type Worked = answers.Answer<typeof answers.Worked>;
export type FileInfo = answers.Answer<typeof answers.FileInfo>;
export type Versions = answers.Answer<typeof answers.Versions>;
export type Soundness = answers.Answer<typeof answers.Soundness>;
export type Finding = answers.Answer<typeof answers.Finding>;
export type CheckResult = answers.Answer<typeof answers.CheckResult>;
export type Cell = answers.Answer<typeof answers.Cell>;
type People = answers.Answer<typeof answers.People>;
export type Member = People['people'][number];
export type { RecordRow, RecordRows } from '@heathridge/core/api';
export type RecordData = answers.Answer<typeof answers.RecordData>;
export type FormPreview = answers.Answer<typeof answers.FormPreview>;
export type Choice = answers.Answer<typeof answers.Choice>;
export type Attachment = answers.Answer<typeof answers.Attachment>;
export type Progress = answers.Answer<typeof answers.Progress>;
export type AppliedChange = answers.Answer<typeof answers.AppliedChange>;
export type AppliedChanges = answers.Answer<typeof answers.AppliedChanges>;
export type Preview = answers.Answer<typeof answers.Preview>;
export type RowToMend = answers.Answer<typeof answers.RowToMend>;
export type Advice = answers.Answer<typeof answers.Advice>;
export type QueryCounts = answers.Answer<typeof answers.QueryCounts>;
export type QueryResult = answers.Answer<typeof answers.QueryResult>;
/** A board, and what the queries of its parts ask. */
export type BoardInfo = answers.Answer<typeof answers.BoardInfo>;
export type BoardDrawing = answers.Answer<typeof answers.BoardDrawing>;
export type QueryRows = answers.Answer<typeof answers.QueryRows>;
export type DeskInfo = answers.Answer<typeof answers.DeskInfo>;
export type ScreenInfo = answers.Answer<typeof answers.ScreenInfo>;
export type SheetLook = answers.Answer<typeof answers.SheetLook>;
export type OutsideSource = answers.Answer<typeof answers.OutsideSources>['sources'][number];
export type CheckedSheet = answers.Answer<typeof answers.CheckedSheet>;
export type BroughtSheet = answers.Answer<typeof answers.BroughtSheet>;
export type KnownView = answers.Answer<typeof answers.Views>['views'][number];
export type ListEntry = answers.Answer<typeof answers.ListEntry>;

/** What stands in the file in place of a document that somebody else has changed meanwhile. */
/** What a field of a row is to hold once a change is undone: the row by its key as it is now. */
export interface Given {
  readonly field: string;
  readonly key: RowKey;
  readonly value: Value;
}

export interface Theirs {
  /** Null when it was dropped. */
  readonly document: DesignDocument | null;
  readonly version: number;
  readonly by: string | null;
  readonly at: string | null;
}

/** What choices are asked with: the row a lookup stands in narrows them, `only` asks for one key alone. */
export interface ChoiceRequest {
  readonly search: string;
  readonly row?: Readonly<Record<string, Value>> | null;
  readonly only?: string | number | null;
}

export interface SortBy {
  readonly field: string;
  readonly descending: boolean;
}

export interface WindowRequest extends RowsAsked {
  readonly start: number;
  readonly limit: number;
  /** The first counts most; none for the usual order. */
  readonly sort: readonly SortBy[];
}

/** Which rows of a list are asked for. */
export interface PageRequest extends WindowRequest {
  /** The links that lead to its rows from those of the first list, and the key of the row they lead to. */
  readonly path: readonly string[];
  readonly parent: string | number | null;
  /** On which board it stands, and what is chosen in the filters there. */
  readonly on?: Narrowing | null;
}

/** Milliseconds between two tries of a save that waits, and after how many of them it is told again. */
const TURN = 1000;
const TELL_EVERY = 5;

/** The API, one method a route. Errors come as HttpErrorResponse: see `problemOf`. */
/** Some of the rows that were asked for, and how many there are in all. */
interface SomeRows {
  readonly rows: readonly unknown[];
  readonly total: number;
}

/** Asks for rows until those are there that were meant: where their texts are long the server sends fewer at once. */
function gathered<R extends { readonly start: number; readonly limit: number }, A extends SomeRows>(
  request: R,
  ask: (request: R) => Observable<A>,
): Observable<A> {
  const { start, limit } = request;
  const on = (read: A): Observable<A> => {
    const there = read.rows.length;
    if (there === 0 || there >= Math.min(limit, read.total - start)) return of(read);
    return ask({ ...request, start: start + there, limit: limit - there }).pipe(
      switchMap((next) =>
        next.rows.length === 0 ? of(read) : on({ ...next, rows: [...read.rows, ...next.rows] }),
      ),
    );
  };
  return ask(request).pipe(switchMap(on));
}

/** A button of a screen, and the row for which it is pressed: by its key, and the links that lead to it. */
export interface ButtonAt {
  readonly button: { readonly id: string };
  readonly path: readonly string[];
  readonly key: RowKey;
}

@Injectable({ providedIn: 'root' })
export class Api {
  private readonly http = inject(HttpClient);
  private readonly toast = inject(Toast);

  session = () => this.http.get<SessionInfo>('/api/session');
  signIn = (login: string, password: string) =>
    this.http.post<answers.Answer<typeof answers.SignedIn>>('/api/session', { login, password });
  signOut = () => this.http.delete('/api/session');
  keepLook = (look: Look) => this.http.put<Look>('/api/session/look', look);
  changePassword = (current: string, next: string) =>
    this.http.put<unknown>('/api/session/password', { current, next });
  createAccount = (login: string, name: string, password: string) =>
    this.http.post<answers.Answer<typeof answers.SignedIn>>('/api/accounts', { login, name, password });

  files = () => this.http.get<answers.Answer<typeof answers.FileList>>('/api/files');
  createFile = (name: string, timeZone: string) =>
    this.http.post<answers.Answer<typeof answers.MadeFile>>('/api/files', { name, timeZone });
  /** Takes a file in; how far that is `takingIn` tells of the same watch. */
  adoptFile = (picked: File, name: string, encoding: Encoding | null, watch: string) =>
    this.http.post<AdoptedFile>('/api/files/adopt', picked, {
      params: encoding ? { name, encoding, watch } : { name, watch },
      headers: { 'content-type': 'application/vnd.sqlite3' },
    });

  adoptPackage = (picked: File, name: string, watch: string) =>
    this.http.post<answers.Answer<typeof answers.TakenPackage>>('/api/files/package', picked, {
      params: { name, watch },
      headers: { 'content-type': 'application/x-sheet' },
    });
  wholeFile = (file: string, form: 'xlsx' | 'json') => `${base(file)}/whole/${form}`;
  packageZip = (file: string) => `${base(file)}/package.zip`;

  takingIn = (watch: string) =>
    this.http.get<answers.Answer<typeof answers.ProgressAnswer>>(`/api/taking-in/${watch}`);

  design = (file: string) => this.http.get<FileInfo>(`${base(file)}/design`);
  saveCards = (file: string, cards: Cards) => this.http.put(`${base(file)}/cards`, { cards });
  savePlaces = (file: string, places: readonly Place[]) => this.http.put(`${base(file)}/places`, { places });
  draft = (file: string) => this.http.get<answers.Answer<typeof answers.DraftNow>>(`${base(file)}/draft`);
  /** Refused with `document-moved` where another window has kept one since `version`. */
  /** With `keepalive` it is sent to its end when the page is gone meanwhile: 64 KiB at most, by the Fetch standard. */
  keepDraft = (file: string, draft: Draft, version: number, keepalive = false) =>
    this.http.put<answers.Answer<typeof answers.KeptDraft>>(
      `${base(file)}/draft`,
      { ...draft, version },
      { keepalive },
    );
  checkDraft = (file: string, draft: Draft, watch: string) =>
    this.http.post<CheckResult>(`${base(file)}/draft/check`, { ...draft, watch });
  applyDraft = (file: string, draft: Draft, watch: string) =>
    this.http.post<answers.Answer<typeof answers.AppliedDraft>>(`${base(file)}/draft/apply`, {
      ...draft,
      watch,
    });
  progress = (file: string, watch: string) =>
    this.http.get<answers.Answer<typeof answers.ProgressAnswer>>(`${base(file)}/progress/${watch}`);
  /** How far work is that was begun under a name, told again and again until nobody listens any more. */
  watching = (file: string, watch: string): Observable<Progress> =>
    timer(400, 500).pipe(
      // An answer that does not come in time is asked for again; one that fails tells nothing new.
      switchMap(() => this.progress(file, watch).pipe(catchError(() => EMPTY))),
      map(({ progress }) => progress),
      filter((progress) => progress !== null),
    );
  found = (file: string, draft: Draft, number: number, offset: number, limit?: number) =>
    this.http.post<answers.Answer<typeof answers.RowsToMend>>(`${base(file)}/draft/found`, {
      ...draft,
      number,
      offset,
      limit,
    });
  preview = (file: string, draft: Draft, table: string, field: string) =>
    this.http.post<Preview>(`${base(file)}/draft/preview`, { ...draft, table, field });
  linkOffers = (
    file: string,
    request: {
      readonly between?: { readonly child: string; readonly parent: string };
      readonly watch?: string;
    },
  ) => this.http.post<answers.Answer<typeof answers.LinkOffers>>(`${base(file)}/links/offers`, request);
  mapPdf = (file: string, drawing: MapDrawing) =>
    this.http.post(`${base(file)}/map/pdf`, drawing, { responseType: 'blob' });
  definitionsZip = (file: string) => `${base(file)}/definitions.zip`;
  schemaSql = (file: string) => `${base(file)}/schema.sql`;
  readDefinitions = (file: string, picked: File) =>
    this.http.post<Draft>(`${base(file)}/definitions/read`, picked, {
      headers: { 'content-type': 'application/octet-stream' },
    });
  changes = (file: string) =>
    this.http.get<answers.Answer<typeof answers.AppliedChanges>>(`${base(file)}/changes`);
  undoChange = (file: string, version: number, watch: string, given: readonly Given[]) =>
    this.http.post<answers.Answer<typeof answers.ChangedDesign>>(`${base(file)}/changes/${version}/undo`, {
      watch,
      given,
    });
  saveDefinition = (file: string, document: DesignDocument, begun: number) =>
    this.http.put<answers.Answer<typeof answers.SavedDocument>>(`${base(file)}/definitions/${document.id}`, {
      document,
      base: begun,
    });
  dropDefinition = (file: string, id: string, begun: number) =>
    this.http.delete<answers.Answer<typeof answers.SavedDocument>>(`${base(file)}/definitions/${id}`, {
      params: { base: begun },
    });
  soundness = (file: string) =>
    this.http.get<answers.Answer<typeof answers.KnownSoundness>>(`${base(file)}/sound`);
  askSoundness = (file: string, watch: string) => this.http.post<Soundness>(`${base(file)}/sound`, { watch });
  unsound = (file: string, number: number, offset: number, limit?: number) =>
    this.http.post<answers.Answer<typeof answers.RowsToMend>>(`${base(file)}/sound/found`, {
      number,
      offset,
      limit,
    });
  repair = (file: string) => this.http.post<Soundness>(`${base(file)}/sound/repair`, {});

  /** What would become of other rows if these were deleted. */
  along = (file: string, table: string, keys: readonly RowKey[]) =>
    this.http.post<answers.Answer<typeof answers.Along>>(`${base(file)}/tables/${table}/along`, { keys });
  children = (file: string, table: string, keys: readonly RowKey[], links: readonly string[]) =>
    this.http.post<answers.Answer<typeof answers.Children>>(`${base(file)}/tables/${table}/children`, {
      keys,
      links,
    });
  window = (file: string, table: string, request: WindowRequest) =>
    gathered(request, (asked) =>
      this.http.post<answers.Answer<typeof answers.Window>>(`${base(file)}/tables/${table}/window`, asked),
    );
  row = (file: string, table: string, key: RowKey) =>
    this.http.get<answers.Answer<typeof answers.Row>>(`${base(file)}/tables/${table}/row`, {
      params: { key: JSON.stringify(key) },
    });
  workOut = (
    file: string,
    table: string,
    request: { field: string; expression: string; keys: readonly RowKey[] },
  ) =>
    this.http.post<answers.Answer<typeof answers.WorkedOut>>(
      `${base(file)}/tables/${table}/work-out`,
      request,
    );
  saveRows = (file: string, request: SaveRequest) =>
    this.http
      .post<answers.Answer<typeof answers.SavedRows>>(`${base(file)}/rows`, request)
      .pipe(this.inTurn());
  views = (file: string, table: string) =>
    this.http.get<answers.Answer<typeof answers.Views>>(`${base(file)}/tables/${table}/views`);
  keepView = (file: string, table: string, view: NamedView) =>
    this.http.put<answers.Answer<typeof answers.KeptView>>(`${base(file)}/tables/${table}/views`, view);
  dropView = (file: string, table: string, view: string) =>
    this.http.delete(`${base(file)}/tables/${table}/views/${view}`);
  takeOut = (
    file: string,
    table: string,
    request: Omit<WindowRequest, 'start' | 'limit'> & {
      readonly form: 'csv' | 'xlsx' | 'json';
      readonly fields: readonly string[];
    },
  ) => this.http.post(`${base(file)}/tables/${table}/out`, request, { responseType: 'blob' });
  /** Puts a block of texts over rows, and below them: all of it or nothing. */
  pasteRows = (
    file: string,
    table: string,
    block: {
      readonly keys: readonly RowKey[];
      readonly fields: readonly string[];
      readonly cells: readonly (readonly string[])[];
    },
  ) =>
    this.http
      .post<answers.Answer<typeof answers.SavedRows>>(`${base(file)}/tables/${table}/paste`, block)
      .pipe(this.inTurn());
  choices = (file: string, field: string, request: ChoiceRequest): Observable<readonly Choice[]> =>
    this.http
      .post<answers.Answer<typeof answers.Choices>>(`${base(file)}/lookups/${field}`, request)
      .pipe(map(({ choices }) => choices));
  previewForm = (file: string, form: Form, key: RowKey | null) =>
    this.http.post<FormPreview | null>(`${base(file)}/forms/preview`, { form, key });

  sendSheet = (file: string, picked: Blob, name: string, watch: string) =>
    this.http.post<SheetLook>(`${base(file)}/sheets`, picked, {
      params: { name, watch },
      headers: { 'content-type': 'application/x-sheet' },
    });
  /** Has the server fetch a sheet from an address outside. */
  fetchSheet = (file: string, address: string, watch: string) =>
    this.http.post<SheetLook>(`${base(file)}/sheets/fetch`, { address, watch });
  sources = (file: string) =>
    this.http.get<answers.Answer<typeof answers.OutsideSources>>(`${base(file)}/sources`);
  /** Fetches the rows of a table from its outside source once more. */
  fetchSource = (file: string, table: string, watch: string) =>
    // What is typed meanwhile is not to wait until somebody outside has answered.
    this.http.post<answers.Answer<typeof answers.FetchedSource>>(
      `${base(file)}/tables/${table}/source/fetch`,
      {
        watch,
      },
    );
  dropSource = (file: string, table: string) => this.http.delete(`${base(file)}/tables/${table}/source`);
  lookAtSheet = (file: string, sheet: string, style: Partial<SheetStyle>, watch: string) =>
    this.http.post<SheetLook>(`${base(file)}/sheets/${sheet}/look`, { style, watch });
  checkSheet = (file: string, sheet: string, plan: BringPlan, watch: string) =>
    this.http.post<CheckedSheet>(`${base(file)}/sheets/${sheet}/check`, { plan, watch });
  bringSheet = (file: string, sheet: string, watch: string) =>
    this.http.post<BroughtSheet>(`${base(file)}/sheets/${sheet}/bring`, { watch }).pipe(this.inTurn());
  dropSheet = (file: string, sheet: string) => this.http.delete(`${base(file)}/sheets/${sheet}`);
  notTaken = (file: string, sheet: string) => `${base(file)}/sheets/${sheet}/not-taken.csv`;
  pastOfRow = (file: string, table: string, key: RowKey) =>
    this.http.get<answers.Answer<typeof answers.PastOfRow>>(`${base(file)}/tables/${table}/past`, {
      params: { key: JSON.stringify(key) },
    });
  pastOfFile = (file: string, before: number | null) =>
    this.http.get<answers.Answer<typeof answers.PastOfFile>>(`${base(file)}/log`, {
      params: before === null ? {} : { before },
    });
  /** Undoes an entry of the log: a save, or what was brought in. */
  undoEntry = (file: string, entry: number) =>
    this.http
      .post<answers.Answer<typeof answers.Undone>>(`${base(file)}/log/${entry}/undo`, {})
      .pipe(this.inTurn());

  /** `rows`: at most so many; `totals`: with those of its pivot. */
  runQuery = (
    file: string,
    query: Query,
    answers: Answers = {},
    how: {
      readonly rows?: number;
      readonly start?: number;
      readonly totals?: boolean;
      readonly counted?: boolean;
    } = {},
  ) => this.http.post<QueryResult>(`${base(file)}/query/run`, { query, answers, ...how });
  /** What the query of a part of a board gives. */
  /** The rows behind one group of what a part of a board draws. */
  boardBehind = (
    file: string,
    board: string,
    asked: {
      part: string;
      chosen: readonly Chosen[];
      answers: Answers;
      keys: Readonly<Record<string, string | null>>;
    },
  ) => this.http.post<QueryRows>(`${base(file)}/desk/boards/${board}/behind`, asked);
  boardDrawn = (
    file: string,
    board: string,
    asked: { readonly part: string; readonly chosen: readonly Chosen[]; readonly answers: Answers },
  ) => this.http.post<BoardDrawing>(`${base(file)}/desk/boards/${board}/drawn`, asked);
  /** How many rows each part of a query leaves; `last` is what is known of the last. */
  /** How many rows its parts leave; those that are counted already `progress` tells of the same watch. */
  queryCounts = (file: string, query: Query, given: Answers, last: number | null, watch: string) =>
    this.http.post<QueryCounts>(`${base(file)}/query/counts`, { query, answers: given, last, watch });
  /** Why a query is slow; how far that is `progress` tells of the same watch. */
  queryAdvice = (file: string, query: Query, given: Answers, watch: string) =>
    this.http.post<Advice>(`${base(file)}/query/advice`, { query, answers: given, watch });
  queryRows = (file: string, query: Query, answers: Answers, asked: QueryRowsAsked) =>
    this.http.post<QueryRows>(`${base(file)}/query/rows`, { query, answers, asked });
  reportPages = (file: string, report: Report, given: Answers) =>
    this.http.post<PageModel>(`${base(file)}/reports/pages`, { report, answers: given });
  /** The address of a report as PDF, with the answers to what its query asks. */
  reportPdf = (file: string, report: string, given: Answers) => {
    const asked = new HttpParams({ fromObject: { answers: JSON.stringify(given) } });
    return `${base(file)}/reports/${report}/pdf${Object.keys(given).length > 0 ? `?${asked.toString()}` : ''}`;
  };

  people = (file: string) => this.http.get<People>(`${base(file)}/people`);
  addMember = (
    file: string,
    member: Pick<Member, 'login' | 'role' | 'duty'> & { readonly name?: string; readonly password?: string },
  ) => this.http.post<People>(`${base(file)}/people`, member);
  putMember = (file: string, person: string, standing: Pick<Member, 'role' | 'duty'>) =>
    this.http.put<People>(`${base(file)}/people/${person}`, standing);
  dropMember = (file: string, person: string) => this.http.delete<People>(`${base(file)}/people/${person}`);

  desk = (file: string) => this.http.get<DeskInfo>(`${base(file)}/desk`);
  worked = (file: string) => this.http.get<Worked>(`${base(file)}/desk/worked`);
  watches = (file: string) =>
    this.http.get<answers.Answer<typeof answers.Watches>>(`${base(file)}/desk/watches`);
  screen = (file: string, screen: string) =>
    this.http.get<ScreenInfo>(`${base(file)}/desk/screens/${screen}`);
  list = (file: string, screen: string, search: string, after: RowKey | null) =>
    this.http.get<answers.Answer<typeof answers.RecordList>>(`${base(file)}/desk/screens/${screen}/list`, {
      params: { search, ...(after ? { after: JSON.stringify(after) } : {}) },
    });
  record = (file: string, screen: string, key: RowKey) =>
    this.http.get<RecordData>(`${base(file)}/desk/screens/${screen}/record`, {
      params: { key: JSON.stringify(key) },
    });
  /** What would become of other rows if a record were deleted. */
  recordAlong = (file: string, screen: string, key: RowKey, table?: string) =>
    this.http.post<answers.Answer<typeof answers.Along>>(`${base(file)}/desk/screens/${screen}/along`, {
      key,
      ...(table === undefined ? {} : { table }),
    });
  board = (file: string, board: string) => this.http.get<BoardInfo>(`${base(file)}/desk/boards/${board}`);
  /** Rows to choose from in a filter of a board, or for an answer by a lookup. */
  filterChoices = (
    file: string,
    board: string,
    asked: { readonly filter: string; readonly search: string; readonly only: string | number | null },
  ): Observable<readonly Choice[]> =>
    this.http
      .post<answers.Answer<typeof answers.Choices>>(`${base(file)}/desk/boards/${board}/choices`, asked)
      .pipe(map(({ choices }) => choices));
  page = (file: string, screen: string, request: PageRequest) =>
    gathered(request, (asked) =>
      this.http.post<answers.Answer<typeof answers.Page>>(`${base(file)}/desk/screens/${screen}/page`, asked),
    );
  /** Keeps how a list is looked at; null for as it is by itself. */
  keepListView = (
    file: string,
    screen: string,
    kept: { readonly path: readonly string[]; readonly everyone: boolean; readonly view: GridView | null },
  ) => this.http.put<unknown>(`${base(file)}/desk/screens/${screen}/view`, kept);
  /** Says which record is open on a page, null once it is left; and hears who else has it open. */
  here = (file: string, screen: string, page: string, key: RowKey | null) =>
    this.http
      .post<answers.Answer<typeof answers.Others>>(`${base(file)}/desk/screens/${screen}/here`, { page, key })
      .pipe(map(({ others }) => others));
  moreRows = (
    file: string,
    screen: string,
    request: { readonly path: readonly string[]; readonly parent: string | number; readonly start: number },
  ) => this.http.post<answers.RecordRows>(`${base(file)}/desk/screens/${screen}/rows`, request);
  beyond = (
    file: string,
    screen: string,
    request: { readonly path: readonly string[]; readonly link: string; readonly key: string | number },
  ) =>
    this.http
      .post<answers.Answer<typeof answers.BeyondLink>>(`${base(file)}/desk/screens/${screen}/beyond`, request)
      .pipe(map(({ row }) => row));
  saveRecord = (file: string, screen: string, request: SaveRequest) =>
    this.http
      .post<answers.Answer<typeof answers.SavedRows>>(`${base(file)}/desk/screens/${screen}/save`, request)
      .pipe(this.inTurn());
  undoSave = (file: string, screen: string, entry: number) =>
    this.http.post<answers.Answer<typeof answers.Undone>>(`${base(file)}/desk/screens/${screen}/undo`, {
      entry,
    });
  /** The address of what a button prints for a row. */
  buttonPdf = (file: string, screen: string, { button, path, key }: ButtonAt): string =>
    `${base(file)}/desk/screens/${screen}/buttons/${button.id}/print?${new HttpParams({
      fromObject: { path: path.join(), key: JSON.stringify(key) },
    }).toString()}`;
  previewButton = (file: string, screen: string, { button, path, key }: ButtonAt) =>
    this.http.post<answers.PreparedChange>(
      `${base(file)}/desk/screens/${screen}/buttons/${button.id}/preview`,
      { path, key },
    );
  runButton = (file: string, screen: string, { button, path, key }: ButtonAt, mark: string) =>
    this.http.post<answers.Answer<typeof answers.SavedRows>>(
      `${base(file)}/desk/screens/${screen}/buttons/${button.id}/run`,
      { path, key, mark },
    );
  screenChoices = (
    file: string,
    screen: string,
    field: string,
    request: ChoiceRequest,
  ): Observable<readonly Choice[]> =>
    this.http
      .post<answers.Answer<typeof answers.Choices>>(
        `${base(file)}/desk/screens/${screen}/lookups/${field}`,
        request,
      )
      .pipe(map(({ choices }) => choices));

  upload = (file: string, picked: File, picture: boolean) =>
    this.http.post<Attachment>(`${base(file)}/attachments`, picked, {
      params: { name: picked.name, picture: picture ? 'yes' : 'no' },
      headers: { 'content-type': 'application/octet-stream' },
    });
  /** How many bytes the pictures and files of a database have, and may have. */
  attached = (file: string) =>
    this.http.get<answers.Answer<typeof answers.Attached>>(`${base(file)}/attachments`);
  attachment = (file: string, id: number, part: 'whole' | 'preview') =>
    `${base(file)}/attachments/${id}${part === 'preview' ? '/preview' : ''}`;

  /** A save waits for its turn while the design is being changed, and is then checked against the new one. */
  private inTurn<T>(): MonoTypeOperatorFunction<T> {
    return retry<T>({
      delay: (error: unknown, times) => {
        if (problemOf(error).type !== 'changing') {
          this.toast.past();
          return throwError(() => error);
        }
        if (times % TELL_EVERY === 1)
          this.toast.say('This file is being changed at this moment: your save waits for its turn.');
        return timer(TURN);
      },
    });
  }
}

const base = (file: string): string => `/api/files/${encodeURIComponent(file)}`;
