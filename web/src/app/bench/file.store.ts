import { computed, inject, Injectable, signal } from '@angular/core';
import { catchError, EMPTY, tap, type Observable } from 'rxjs';
import {
  catalogOf,
  localeOf,
  type Design,
  type Form,
  type Query,
  type Report,
} from '@heathridge/core/design';
import type { Reading } from '@heathridge/core/values';
import { Api, type FileInfo } from '../shared/api.service';
import { Attachments } from '../shared/attachments.service';
import { Toast } from '../shared/toast.service';

/** The open file on the Bench: its definitions, as applied, and what comes with them. */
@Injectable()
export class FileStore {
  private readonly api = inject(Api);
  private readonly toast = inject(Toast);
  private readonly attachments = inject(Attachments);
  private readonly info = signal<FileInfo | null>(null);
  private id = '';

  readonly loaded = computed(() => this.info() !== null);
  readonly failed = signal('');
  readonly name = computed(() => this.info()?.name ?? '');
  readonly today = computed(() => this.info()?.today ?? '2000-01-01');
  readonly counts = computed(() => this.info()?.counts ?? {});
  readonly places = computed(() => this.info()?.places ?? []);
  readonly draft = computed(() => this.info()?.draft ?? null);
  /** Only read once `loaded`. */
  readonly design = computed(() => this.info()!.design);
  readonly catalog = computed(() => catalogOf(this.design()));
  readonly locale = computed(() => localeOf(this.design().settings));
  readonly reading = computed((): Reading => ({ locale: this.locale(), today: this.today() }));

  get file(): string {
    return this.id;
  }

  open(file: string): void {
    this.id = file;
    this.attachments.file = file;
    this.info.set(null);
    this.reload();
  }

  reload(): void {
    this.failed.set('');
    this.api.design(this.id).subscribe({
      next: (info) => this.info.set(info),
      error: (error: unknown) => {
        this.failed.set('This file could not be opened.');
        this.toast.problem(error);
      },
    });
  }

  /** Puts a newer design in place, as the server gave it. */
  take(design: Design, counts = this.counts()): void {
    const info = this.info();
    if (info) this.info.set({ ...info, design, counts, draft: null });
  }

  /** Saves a query, form or report; says so, or says why not. */
  save(document: Query | Form | Report): Observable<unknown> {
    return this.api.saveDefinition(this.id, document).pipe(
      tap(({ design }) => {
        this.take(design);
        this.toast.say(`${document.label} is saved.`);
      }),
      catchError((error: unknown) => {
        this.toast.problem(error);
        return EMPTY;
      }),
    );
  }

  drop(document: Query | Form | Report): Observable<unknown> {
    return this.api.dropDefinition(this.id, document.id).pipe(
      tap(({ design }) => {
        this.take(design);
        this.toast.say(`${document.label} is dropped.`);
      }),
      catchError((error: unknown) => {
        this.toast.problem(error);
        return EMPTY;
      }),
    );
  }
}
