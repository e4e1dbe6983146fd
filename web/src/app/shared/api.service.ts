import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { Observable } from 'rxjs';
import type { Change, Notice, RowCheck } from '@heathridge/core/change';
import type { Design, Form, Query, Report, Settings, Table } from '@heathridge/core/design';
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
  readonly places: readonly Place[];
  readonly draft: Draft | null;
  readonly today: string;
}

export interface Finding extends Pick<RowCheck, 'table' | 'field' | 'sort' | 'message'> {
  readonly count: number;
  readonly sample: readonly { readonly key: RowKey; readonly value: string | number | null }[];
}

export interface CheckResult {
  readonly notices: readonly Notice[];
  readonly findings: readonly Finding[];
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

export type Choice = readonly [key: string | number, text: string];

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
  createFile = (name: string) => this.http.post<{ id: string }>('/api/files', { name });

  design = (file: string) => this.http.get<FileInfo>(`${base(file)}/design`);
  savePlaces = (file: string, places: readonly Place[]) => this.http.put(`${base(file)}/places`, { places });
  keepDraft = (file: string, draft: Draft) => this.http.put(`${base(file)}/draft`, draft);
  checkDraft = (file: string, draft: Draft) =>
    this.http.post<CheckResult>(`${base(file)}/draft/check`, draft);
  applyDraft = (file: string, draft: Draft) =>
    this.http.post<{ design: Design; counts: Record<string, number> }>(`${base(file)}/draft/apply`, draft);
  saveDefinition = (file: string, document: Query | Form | Report) =>
    this.http.put<{ design: Design }>(`${base(file)}/definitions/${document.id}`, document);
  dropDefinition = (file: string, id: string) =>
    this.http.delete<{ design: Design }>(`${base(file)}/definitions/${id}`);

  window = (file: string, table: string, request: WindowRequest) =>
    this.http.post<{ total: number; rows: Cell[][] }>(`${base(file)}/tables/${table}/window`, request);
  saveRows = (file: string, request: SaveRequest) =>
    this.http.post<{ saved: SavedRow[] }>(`${base(file)}/rows`, request);
  choices = (file: string, field: string, search: string): Observable<Choice[]> =>
    this.http.get<Choice[]>(`${base(file)}/lookups/${field}`, { params: { search } });
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
  screenChoices = (file: string, screen: string, field: string, search: string): Observable<Choice[]> =>
    this.http.get<Choice[]>(`${base(file)}/desk/screens/${screen}/lookups/${field}`, { params: { search } });
}

const base = (file: string): string => `/api/files/${encodeURIComponent(file)}`;
