import { computed, inject, Injectable, signal } from '@angular/core';
import {
  catchError,
  EMPTY,
  expand,
  filter,
  Subject,
  switchMap,
  tap,
  timer,
  type Observable,
  type Subscription,
} from 'rxjs';
import { catalogOf, localeOf, type Design, type DesignDocument } from '@heathridge/core/design';
import type { Reading } from '@heathridge/core/values';
import {
  Api,
  type Cards,
  type FileInfo,
  type OutsideSource,
  type Soundness,
  type Theirs,
  type Versions,
} from '../shared/api.service';
import { problemOf } from '../shared/problem';
import type { Clash } from './clash.dialog';
import { Attachments } from '../shared/attachments.service';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { Toast } from '../shared/toast.service';

/** The open file on the Bench: its definitions, as applied, and what comes with them. */
@Injectable()
export class FileStore {
  private readonly api = inject(Api);
  private readonly toast = inject(Toast);
  private readonly attachments = inject(Attachments);
  private readonly info = signal<FileInfo | null>(null);
  private readonly dialogs = inject(LazyDialogs);
  private listening: Subscription | null = null;
  /** The id of a document that is to be read anew, in place of what is being edited. */
  readonly replaced = new Subject<string>();
  private id = '';

  readonly loaded = computed(() => this.info() !== null);
  readonly failed = signal('');
  readonly name = computed(() => this.info()?.name ?? '');
  readonly today = computed(() => this.info()?.today ?? '2000-01-01');
  readonly counts = computed(() => this.info()?.counts ?? {});
  readonly places = computed(() => this.info()?.places ?? []);
  /** The tables whose rows come from outside, and what came the last time. */
  readonly sources = computed((): readonly OutsideSource[] => this.info()?.sources ?? []);
  /** What the cards of the map show; null while nobody has chosen. */
  readonly cards = computed(() => this.info()?.cards ?? null);
  readonly draft = computed(() => this.info()?.draft ?? null);
  readonly draftVersion = computed(() => this.info()?.draftVersion ?? 0);
  /** Counts how often the file was read from the server: what was kept there is taken anew then. */
  readonly loads = signal(0);
  /** What the file said when it was asked whether it is sound; null until it has. */
  readonly soundness = signal<Soundness | null>(null);
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
    this.soundness.set(null);
    this.reload();
  }

  showOnCards(cards: Cards): void {
    this.info.update((info) => info && { ...info, cards });
    this.api.saveCards(this.id, cards).subscribe({ error: (error: unknown) => this.toast.problem(error) });
  }

  reload(): void {
    this.failed.set('');
    this.api.design(this.id).subscribe({
      next: (info) => {
        this.info.set(info);
        this.loads.update((count) => count + 1);
        this.listen();
      },
      error: (error: unknown) => {
        this.failed.set(`This file could not be opened. ${problemOf(error).detail}`);
      },
    });
  }

  /** Waits until the file, which is asked in the background, has said whether it is sound. */
  private listen(): void {
    this.listening?.unsubscribe();
    this.listening = this.api
      .soundness(this.id)
      .pipe(
        expand(({ asking }) =>
          asking ? timer(3000).pipe(switchMap(() => this.api.soundness(this.id))) : EMPTY,
        ),
        filter(({ asking }) => !asking),
        // Nobody asked for it here: what cannot be told is told when somebody does.
        catchError(() => EMPTY),
      )
      .subscribe(({ result }) => this.soundness.set(result));
  }

  /** Puts a newer design in place, as the server gave it. */
  take(design: Design, counts = this.counts(), versions?: Versions): void {
    const info = this.info();
    if (info) this.info.set({ ...info, design, counts, versions: versions ?? info.versions });
  }

  /** Reads anew which tables have their rows from outside. */
  readSources(): void {
    this.api.sources(this.id).subscribe({
      next: ({ sources }) => this.info.update((info) => info && { ...info, sources }),
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  /** Takes note of how many rows a table has now. */
  counted(table: string, rows: number): void {
    const info = this.info();
    if (info && info.counts[table] !== rows)
      this.info.set({ ...info, counts: { ...info.counts, [table]: rows } });
  }

  /** The version of a document as it was read here; 0 for one that is not in the file. */
  versionOf(id: string): number {
    return this.info()?.versions[id]?.version ?? 0;
  }

  /** Saves a query, form or report; says so, or says why not. */
  save(document: DesignDocument, begun = this.versionOf(document.id)): Observable<unknown> {
    return this.api.saveDefinition(this.id, document, begun).pipe(
      tap(({ design, versions }) => {
        this.take(design, this.counts(), versions);
        this.toast.say(`${document.label} is saved.`);
      }),
      catchError((error: unknown) => {
        const { theirs } = problemOf(error);
        if (theirs) return this.clash(document, theirs);
        this.toast.problem(error);
        return EMPTY;
      }),
    );
  }

  /** Shows both versions of a document that somebody else has changed meanwhile, and does what is chosen. */
  private clash(mine: DesignDocument, theirs: Theirs): Observable<unknown> {
    const data: Clash = { mine, theirs, locale: localeOf(this.design().settings) };
    return this.dialogs
      .open<unknown, Clash, 'mine' | 'theirs'>(() => import('./clash.dialog').then((m) => m.ClashDialog), {
        data,
      })
      .pipe(
        switchMap((choice) => {
          if (choice === 'mine') return this.save(mine, theirs.version);
          if (choice === 'theirs') this.replaced.next(mine.id);
          if (choice === 'theirs') this.reload();
          return EMPTY;
        }),
      );
  }

  drop(document: DesignDocument): Observable<unknown> {
    return this.api.dropDefinition(this.id, document.id, this.versionOf(document.id)).pipe(
      tap(({ design, versions }) => {
        this.take(design, this.counts(), versions);
        this.toast.say(`${document.label} is dropped.`);
      }),
      catchError((error: unknown) => {
        this.toast.problem(error);
        return EMPTY;
      }),
    );
  }
}
