import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import { map, type Observable } from 'rxjs';
import type { Change, Converted, Notice, RowCheck } from '@heathridge/core/change';
import type {
  Design,
  Form,
  LinkOffer,
  MapDrawing,
  Query,
  Report,
  Settings,
  Table,
} from '@heathridge/core/design';
import type { ResultColumn } from '@heathridge/core/query';
import type { PageModel } from '@heathridge/core/report';
import type { RowKey, SavedRow, SaveRequest } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';

export interface Person {
  readonly id: string;
  readonly login: string;
  readonly name: string;
  readonly maker: boolean;
}

export interface DemoSignIn {
  readonly login: string;
  readonly password: string;
  readonly name: string;
  readonly role: string;
}

export interface SessionInfo {
  readonly person: Person | null;
  readonly firstVisit: boolean;
  readonly demo: readonly DemoSignIn[];
}

export interface FileEntry {
  readonly id: string;
  readonly name: string;
  readonly role: 'builder' | 'colleague';
  readonly changedAt: string;
  readonly size: number;
}

export interface Draft {
  readonly base: number;
  readonly changes: readonly Change[];
}

export interface Place {
  readonly table: string;
  readonly x: number;
  readonly y: number;
}

export interface FileInfo {
  readonly name: string;
  readonly design: Design;
  readonly counts: Readonly<Record<string, number>>;
  readonly versions: Versions;
  readonly places: readonly Place[];
  readonly draft: Draft | null;
  readonly today: string;
}

/** The version of each definition by its id, and who changed it last. */
export type Versions = Readonly<
  Record<string, { readonly version: number; readonly at: string | null; readonly by: string | null }>
>;

/** What stands in the file in place of a document that somebody else has changed meanwhile. */
export interface Theirs {
  /** Null when it was dropped. */
  readonly document: Query | Form | Report | null;
  readonly version: number;
  readonly by: string | null;
  readonly at: string | null;
}

/** What a file answers when it is asked whether it is sound. */
export interface Soundness {
  readonly findings: readonly Finding[];
  readonly missing: readonly string[];
  readonly damage: readonly string[];
}

export interface Finding extends Pick<RowCheck, 'table' | 'field' | 'fields' | 'sort' | 'message' | 'rule'> {
  readonly number: number;
  readonly count: number;
  readonly sample: readonly { readonly key: RowKey; readonly value: string | number | null }[];
}

export interface CheckResult {
  readonly notices: readonly Notice[];
  readonly findings: readonly Finding[];
  readonly unread: readonly { readonly field: string; readonly values: readonly Converted[] }[];
  readonly clear: boolean;
  readonly version: number;
}

/** A cell as it travels: a plain value, or `[key, text]` for a lookup. */
export type Cell = Value | readonly [string | number, string | null];

export interface RecordRow {
  readonly key: RowKey;
  readonly cells: Readonly<Record<string, Cell>>;
}

export interface RecordData {
  readonly record: RecordRow;
  readonly subforms: readonly { readonly link: string; readonly rows: readonly RecordRow[] }[];
}

/** A choice of a lookup: the key, what is shown of its row, and the further columns. */
export type Choice = readonly [key: string | number, text: string, ...columns: string[]];

/** What choices are asked with: the row a lookup stands in narrows them, `only` asks for one key alone. */
export interface ChoiceRequest {
  readonly search: string;
  readonly row?: Readonly<Record<string, Value>> | null;
  readonly only?: string | number | null;
}

export interface Attachment {
  readonly id: number;
  readonly name: string;
  readonly type: string;
  /** Bytes. */
  readonly size: number;
  readonly preview: boolean;
}

/** How far long work is. */
export interface Progress {
  readonly step: number;
  readonly of: number;
  readonly what: string;
}

export interface AppliedChange {
  readonly version: number;
  readonly at: string;
  readonly by: string;
  readonly what: 'draft applied' | 'draft undone';
  readonly changes: readonly Change[];
  readonly names: Readonly<Record<string, string>>;
  readonly undoneAt: string | null;
  readonly undoneBy: string | null;
  readonly canUndo: boolean;
}

/** What the values of a field become as another kind. */
export interface Preview {
  readonly values: number;
  readonly rows: number;
  readonly failing: number;
  readonly ambiguous: number;
  readonly list: readonly Converted[];
}

/** A row that a check finds, with its cells by field id; null when it has gone. */
export interface RowToMend {
  readonly key: RowKey;
  readonly value: string | number | null;
  readonly title: string | null;
  readonly cells: Readonly<Record<string, Cell>> | null;
}

export interface QueryResult {
  readonly columns: readonly ResultColumn[];
  readonly rows: readonly (readonly Value[])[];
  readonly more: boolean;
  readonly sql: string;
  readonly funnel: readonly { readonly part: string; readonly label: string; readonly count: number }[];
}

export interface WindowRequest {
  readonly start: number;
  readonly limit: number;
  readonly sort: { readonly field: string; readonly descending: boolean } | null;
  readonly search: string;
}

export interface DeskInfo {
  readonly name: string;
  readonly role: 'builder' | 'colleague';
  readonly settings: Settings;
  readonly today: string;
  readonly screens: readonly {
    readonly id: string;
    readonly label: string;
    readonly one: string;
    readonly many: string;
  }[];
}

export interface ScreenInfo {
  readonly form: Form;
  readonly tables: readonly Table[];
  readonly settings: Settings;
  readonly second: readonly string[];
  readonly today: string;
}

export interface ListEntry {
  readonly key: RowKey;
  readonly title: string | null;
  readonly second: readonly Cell[];
}

/** The API, one method a route. Errors come as HttpErrorResponse: see `problemOf`. */
@Injectable({ providedIn: 'root' })
export class Api {
  private readonly http = inject(HttpClient);

  session = () => this.http.get<SessionInfo>('/api/session');
  signIn = (login: string, password: string) =>
    this.http.post<{ person: Person }>('/api/session', { login, password });
  signOut = () => this.http.delete('/api/session');
  createAccount = (login: string, name: string, password: string) =>
    this.http.post<{ person: Person }>('/api/accounts', { login, name, password });

  files = () => this.http.get<{ files: FileEntry[] }>('/api/files');
  createFile = (name: string, timeZone: string) =>
    this.http.post<{ id: string }>('/api/files', { name, timeZone });
  adoptFile = (picked: File, name: string) =>
    this.http.post<{ id: string; notes: readonly string[] }>('/api/files/adopt', picked, {
      params: { name },
      headers: { 'content-type': 'application/vnd.sqlite3' },
    });

  design = (file: string) => this.http.get<FileInfo>(`${base(file)}/design`);
  savePlaces = (file: string, places: readonly Place[]) => this.http.put(`${base(file)}/places`, { places });
  keepDraft = (file: string, draft: Draft) => this.http.put(`${base(file)}/draft`, draft);
  checkDraft = (file: string, draft: Draft, watch: string) =>
    this.http.post<CheckResult>(`${base(file)}/draft/check`, { ...draft, watch });
  applyDraft = (file: string, draft: Draft, watch: string) =>
    this.http.post<{ design: Design; counts: Record<string, number> }>(`${base(file)}/draft/apply`, {
      ...draft,
      watch,
    });
  progress = (file: string, watch: string) =>
    this.http.get<{ progress: Progress | null }>(`${base(file)}/progress/${watch}`);
  found = (file: string, draft: Draft, number: number, offset: number) =>
    this.http.post<{ rows: RowToMend[] }>(`${base(file)}/draft/found`, { ...draft, number, offset });
  preview = (file: string, draft: Draft, table: string, field: string) =>
    this.http.post<Preview>(`${base(file)}/draft/preview`, { ...draft, table, field });
  linkOffers = (
    file: string,
    request: {
      readonly between?: { readonly child: string; readonly parent: string };
      readonly watch?: string;
    },
  ) => this.http.post<{ offers: LinkOffer[] }>(`${base(file)}/links/offers`, request);
  mapPdf = (file: string, drawing: MapDrawing) =>
    this.http.post(`${base(file)}/map/pdf`, drawing, { responseType: 'blob' });
  definitionsZip = (file: string) => `${base(file)}/definitions.zip`;
  schemaSql = (file: string) => `${base(file)}/schema.sql`;
  readDefinitions = (file: string, picked: File) =>
    this.http.post<Draft>(`${base(file)}/definitions/read`, picked, {
      headers: { 'content-type': 'application/octet-stream' },
    });
  changes = (file: string) => this.http.get<{ changes: AppliedChange[] }>(`${base(file)}/changes`);
  undoChange = (file: string, version: number, watch: string) =>
    this.http.post<{ design: Design; counts: Record<string, number> }>(
      `${base(file)}/changes/${version}/undo`,
      { watch },
    );
  saveDefinition = (file: string, document: Query | Form | Report, begun: number) =>
    this.http.put<{ design: Design; versions: Versions }>(`${base(file)}/definitions/${document.id}`, {
      document,
      base: begun,
    });
  dropDefinition = (file: string, id: string, begun: number) =>
    this.http.delete<{ design: Design; versions: Versions }>(`${base(file)}/definitions/${id}`, {
      params: { base: begun },
    });
  soundness = (file: string) =>
    this.http.get<{ asking: boolean; result: Soundness | null }>(`${base(file)}/sound`);
  askSoundness = (file: string, watch: string) => this.http.post<Soundness>(`${base(file)}/sound`, { watch });
  unsound = (file: string, number: number, offset: number) =>
    this.http.post<{ rows: RowToMend[] }>(`${base(file)}/sound/found`, { number, offset });
  repair = (file: string) => this.http.post<Soundness>(`${base(file)}/sound/repair`, {});

  window = (file: string, table: string, request: WindowRequest) =>
    this.http.post<{ total: number; rows: Cell[][] }>(`${base(file)}/tables/${table}/window`, request);
  row = (file: string, table: string, key: RowKey) =>
    this.http.get<{ cells: Cell[] }>(`${base(file)}/tables/${table}/row`, {
      params: { key: JSON.stringify(key) },
    });
  saveRows = (file: string, request: SaveRequest) =>
    this.http.post<{ saved: SavedRow[] }>(`${base(file)}/rows`, request);
  choices = (file: string, field: string, request: ChoiceRequest): Observable<readonly Choice[]> =>
    this.http
      .post<{ choices: Choice[] }>(`${base(file)}/lookups/${field}`, request)
      .pipe(map(({ choices }) => choices));
  previewForm = (file: string, form: Form, key: RowKey | null) =>
    this.http.post<RecordData | null>(`${base(file)}/forms/preview`, { form, key });

  runQuery = (file: string, query: Query) =>
    this.http.post<QueryResult>(`${base(file)}/query/run`, { query });
  reportPages = (file: string, report: Report) =>
    this.http.post<PageModel>(`${base(file)}/reports/pages`, { report });
  reportPdf = (file: string, report: string) => `${base(file)}/reports/${report}/pdf`;

  desk = (file: string) => this.http.get<DeskInfo>(`${base(file)}/desk`);
  screen = (file: string, screen: string) =>
    this.http.get<ScreenInfo>(`${base(file)}/desk/screens/${screen}`);
  list = (file: string, screen: string, search: string, after: RowKey | null) =>
    this.http.get<{ total: number; all: number; entries: ListEntry[] }>(
      `${base(file)}/desk/screens/${screen}/list`,
      {
        params: { search, ...(after ? { after: JSON.stringify(after) } : {}) },
      },
    );
  record = (file: string, screen: string, key: RowKey) =>
    this.http.get<RecordData>(`${base(file)}/desk/screens/${screen}/record`, {
      params: { key: JSON.stringify(key) },
    });
  saveRecord = (file: string, screen: string, request: SaveRequest) =>
    this.http.post<{ saved: SavedRow[] }>(`${base(file)}/desk/screens/${screen}/save`, request);
  screenChoices = (
    file: string,
    screen: string,
    field: string,
    request: ChoiceRequest,
  ): Observable<readonly Choice[]> =>
    this.http
      .post<{ choices: Choice[] }>(`${base(file)}/desk/screens/${screen}/lookups/${field}`, request)
      .pipe(map(({ choices }) => choices));

  upload = (file: string, picked: File, picture: boolean) =>
    this.http.post<Attachment>(`${base(file)}/attachments`, picked, {
      params: { name: picked.name, picture: picture ? 'yes' : 'no' },
      headers: { 'content-type': 'application/octet-stream' },
    });
  attachment = (file: string, id: number, part: 'whole' | 'preview') =>
    `${base(file)}/attachments/${id}${part === 'preview' ? '/preview' : ''}`;
}

const base = (file: string): string => `/api/files/${encodeURIComponent(file)}`;
