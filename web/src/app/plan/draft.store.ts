import { computed, effect, inject, Injectable, signal, untracked } from '@angular/core';
import {
  BehaviorSubject,
  catchError,
  concatMap,
  debounce,
  EMPTY,
  first,
  fromEvent,
  map,
  ReplaySubject,
  share,
  Subject,
  switchMap,
  tap,
  timer,
  type Observable,
  type Subscription,
} from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import {
  ChangeError,
  checkPlan,
  evolve,
  type Change,
  type Convert,
  type Evolved,
  type Mend,
} from '@heathridge/core/change';
import { catalogOf, type Design, type Field } from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { Api, type CheckResult, type Given, type Progress } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { askBeforeUnload } from '../shared/leave.guard';
import { newId } from '../shared/ids';
import { Toast } from '../shared/toast.service';
import type { NotUndone } from './not-undone.dialog';

type FieldPatch = Extract<Change, { change: 'changeField' }>['set'];

/** The table a change is about, if it is about one. */
export const tableOfChange = (change: Change): string | null =>
  'table' in change ? (typeof change.table === 'string' ? change.table : change.table.id) : null;

type Dropping = Extract<Change, { change: 'dropField' | 'dropTable' | 'splitField' | 'mergeFields' }>;

/** Whether a change takes something away. */
const drops = (change: Change, gone: string): change is Dropping =>
  (change.change === 'dropTable' && change.table === gone) ||
  ((change.change === 'dropField' || change.change === 'splitField') && change.field === gone) ||
  (change.change === 'mergeFields' && change.fields.includes(gone));

/** Bytes that a page may send while it goes, by the Fetch standard, with room for the rest of the request. */
const MOST_LEAVING = 60_000;

/** The draft of design changes: gathered here, kept on the server, checked and applied there. */
@Injectable()
export class DraftStore {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly toast = inject(Toast);
  /** What is to be kept on the server, when the next pause comes or `now`. */
  private readonly keeping = new Subject<'pause' | 'now'>();
  private unkept = false;
  /** How often the draft is on its way to the server. */
  private readonly sending = new BehaviorSubject(0);
  /** The file whose draft this is, and which one it is based on. */
  private of = '';
  private version = 0;
  private received = 0;

  readonly changes = signal<readonly Change[]>([]);
  readonly result = signal<CheckResult | null>(null);
  readonly busy = signal<'' | 'checking' | 'applying' | 'undoing'>('');
  /** How far the check or the apply is. */
  readonly progress = signal<Progress | null>(null);
  readonly problem = signal('');
  /** Why an applied change was not undone, and the rows that stand in the way. */
  readonly notUndone = signal<NotUndone | null>(null);
  /** What rows that stood in the way are to hold, from one try to undo to the next. */
  private given: { readonly version: number; readonly values: readonly Given[] } = { version: 0, values: [] };
  /** The draft as another window has kept it, while this one holds another. */
  readonly theirs = signal<{ readonly changes: readonly Change[]; readonly version: number } | null>(null);
  /** What the draft held before each edit, newest last: for taking edits back one by one. */
  private readonly past: (readonly Change[])[] = [];
  private running: Subscription | null = null;

  /** The design as it will be; as it is while the draft does not fit (its message says why). */
  readonly design = computed((): Design => this.drafted().design);
  readonly misfit = computed(() => this.drafted().misfit);
  readonly catalog = computed(() => catalogOf(this.design()));
  /** Whether there is a draft, or something to be said about one. */
  readonly stands = computed(
    () =>
      this.changes().length > 0 ||
      this.busy() === 'undoing' ||
      this.theirs() !== null ||
      this.notUndone() !== null,
  );
  /** What is wrong or worth knowing without asking the rows. */
  readonly notices = computed(() =>
    this.changes().length === 0
      ? []
      : checkPlan(this.store.design(), this.drafted().evolved, this.changes()).notices,
  );

  private readonly drafted = computed((): { design: Design; evolved: Evolved; misfit: string } => {
    const base = this.store.design();
    try {
      const evolved = evolve(base, this.changes());
      return { design: evolved.design, evolved, misfit: '' };
    } catch (error) {
      if (!(error instanceof ChangeError)) throw error;
      return { design: base, evolved: { design: base, carry: {} }, misfit: error.message };
    }
  });

  constructor() {
    this.keeping
      .pipe(
        debounce((when) => timer(when === 'now' ? 0 : 400)),
        // One after the other: each is based on the version that the one before it has made.
        concatMap(() => this.keep()),
        takeUntilDestroyed(),
      )
      .subscribe();
    // Whoever comes back to this window may have drafted in another meanwhile.
    fromEvent(window, 'focus')
      .pipe(
        switchMap(() => (this.of === '' ? EMPTY : this.look())),
        takeUntilDestroyed(),
      )
      .subscribe();
    // A page that is closed or read anew is hidden first; what is too long to be sent then is asked about.
    fromEvent(document, 'visibilitychange')
      .pipe(takeUntilDestroyed())
      .subscribe(() => document.hidden && this.leave());
    askBeforeUnload(() => this.isHeldUp());
    // What is kept on the server counts when the file is read, and never over what is not kept yet.
    this.receive();
    effect(() => {
      this.store.loads();
      untracked(() => this.receive());
    });
  }

  private receive(): void {
    const load = this.store.loads();
    if (load === this.received) return;
    this.received = load;
    const another = this.of !== this.store.file;
    if (this.unkept && !another) return;
    this.of = this.store.file;
    this.past.length = 0;
    this.changes.set(this.store.draft()?.changes ?? []);
    this.version = this.store.draftVersion();
    this.theirs.set(null);
    if (!another) return;
    this.result.set(null);
    this.problem.set('');
  }

  add(...changes: Change[]): void {
    this.set([...this.changes(), ...changes]);
  }

  /** Whether the draft adds this field. */
  isNewField(id: string): boolean {
    return !this.store.design().tables.some(({ fields }) => fields.some((field) => field.id === id));
  }

  /** Moves a field to another place in its table: one change, however often it is moved on. */
  moveField(table: string, field: string, to: number): void {
    const changes = this.changes();
    const last = changes.at(-1);
    const again = last?.change === 'moveField' && last.field === field;
    this.set([...(again ? changes.slice(0, -1) : changes), { change: 'moveField', table, field, to }]);
  }

  /** Changes a field, in the change that added it or changed it last when there is one. */
  changeField(table: string, field: string, set: FieldPatch, convert?: Convert): void {
    const added = this.changes().some(
      (change) =>
        change.change === 'addTable' &&
        change.table.id === table &&
        change.table.fields.some(({ id }) => id === field),
    );
    let merged = false;
    const changes = this.changes().map((change): Change => {
      if (added && change.change === 'addTable' && change.table.id === table) {
        merged = true;
        return {
          ...change,
          table: {
            ...change.table,
            fields: change.table.fields.map((other) => (other.id === field ? { ...other, ...set } : other)),
          },
        };
      }
      if (change.change === 'addField' && change.field.id === field) {
        merged = true;
        return { ...change, field: { ...change.field, ...set } as Field };
      }
      if (change.change === 'changeField' && change.field === field) {
        merged = true;
        return { ...change, set: { ...change.set, ...set }, ...(convert ? { convert } : {}) };
      }
      return change;
    });
    this.set(
      merged
        ? changes
        : [...changes, { change: 'changeField', table, field, set, ...(convert ? { convert } : {}) }],
    );
  }

  changeTable(table: string, set: Extract<Change, { change: 'changeTable' }>['set']): void {
    let merged = false;
    const changes = this.changes().map((change): Change => {
      if (change.change === 'addTable' && change.table.id === table) {
        merged = true;
        return { ...change, table: { ...change.table, ...set } };
      }
      if (change.change === 'changeTable' && change.table === table) {
        merged = true;
        return { ...change, set: { ...change.set, ...set } };
      }
      return change;
    });
    this.set(merged ? changes : [...changes, { change: 'changeTable', table, set }]);
  }

  /** Drops a field: one that the draft itself added just goes away again. */
  dropField(table: string, field: string): void {
    const rest = this.changes()
      .filter(
        (change) =>
          !('field' in change) ||
          (typeof change.field === 'string' ? change.field : change.field.id) !== field,
      )
      .map((change): Change =>
        change.change === 'addTable' && change.table.id === table
          ? {
              ...change,
              table: { ...change.table, fields: change.table.fields.filter(({ id }) => id !== field) },
            }
          : change,
      );
    const applied = this.store
      .design()
      .tables.some(({ id, fields }) => id === table && fields.some((other) => other.id === field));
    this.set(applied ? [...rest, { change: 'dropField', table, field }] : rest);
  }

  dropTable(table: string): void {
    const rest = this.changes().filter((change) => tableOfChange(change) !== table);
    const applied = this.store.design().tables.some(({ id }) => id === table);
    this.set(applied ? [...rest, { change: 'dropTable', table }] : rest);
  }

  /** Says what becomes of something that uses what the draft drops. */
  mend(gone: string, dependant: string, put: string | null): void {
    this.set(
      this.changes().map((change): Change => {
        if (!drops(change, gone)) return change;
        const others = (change.mends ?? []).filter((mend) => mend.dependant !== dependant);
        const next: Mend = { dependant, put };
        return { ...change, mends: [...others, next] };
      }),
    );
  }

  /** Takes a whole draft in place of the one that is there. */
  take(changes: readonly Change[]): void {
    this.set(changes);
  }

  /** Takes the newest edit back. */
  undo(): void {
    const before = this.past.pop();
    if (before) this.put(before);
    else this.put(this.changes().slice(0, -1));
  }

  /** Keeps at once what waits for a pause: Plan is left. */
  leave(): void {
    this.keep(true).subscribe();
  }

  setAside(): void {
    this.set([]);
    this.keeping.next('now');
    this.toast.say('The draft is set aside. Nothing was changed.');
  }

  check(): void {
    this.run(
      'checking',
      (watch) => this.api.checkDraft(this.store.file, this.draft(), watch),
      (result) => this.result.set(result),
    );
  }

  apply(): void {
    const count = this.changes().length;
    this.run(
      'applying',
      // A draft that is still on its way would otherwise arrive behind its own end.
      (watch) =>
        this.sending.pipe(
          first((times) => times === 0),
          switchMap(() => this.api.applyDraft(this.store.file, this.draft(), watch)),
        ),
      ({ design, counts, draftVersion }) => {
        // There is none any more, in whatever window it was written.
        this.at(draftVersion);
        this.unkept = false;
        this.theirs.set(null);
        this.past.length = 0;
        this.changes.set([]);
        this.result.set(null);
        this.store.take(design, counts);
        this.toast.say(
          `${count} ${count === 1 ? 'change is' : 'changes are'} applied. A safe copy was taken before.`,
        );
      },
    );
  }

  /** Undoes an applied draft. */
  undoApplied(version: number, more: readonly Given[] = []): void {
    this.notUndone.set(null);
    const known = this.given.version === version ? this.given.values : [];
    const values = [
      ...known.filter(
        (old) => !more.some(({ field, key }) => field === old.field && key.join() === old.key.join()),
      ),
      ...more,
    ];
    this.given = { version, values };
    this.run(
      'undoing',
      (watch) => this.api.undoChange(this.store.file, version, watch, values),
      ({ design, counts }) => {
        this.store.take(design, counts);
        this.toast.say('The change is undone. What people wrote since stays.');
      },
      (error) => {
        const { detail, findings } = problemOf(error);
        const result = (findings ?? null) as (CheckResult & Pick<NotUndone, 'fields'>) | null;
        const { findings: found = [], fields = [] } = result ?? {};
        this.notUndone.set({ version, message: detail, findings: found, fields });
      },
    );
  }

  /** Stops what is running: nothing in the file has changed then. */
  stop(): void {
    this.running?.unsubscribe();
    this.running = null;
    this.busy.set('');
    this.progress.set(null);
    this.toast.say('Stopped. Nothing was changed.');
    this.keeping.next('now');
    this.store.reload();
  }

  private run<T>(
    what: 'checking' | 'applying' | 'undoing',
    call: (watch: string) => Observable<T>,
    done: (result: T) => void,
    failed: (error: unknown) => void = (error) => this.failed(error),
  ): void {
    const watch = newId('w');
    this.busy.set(what);
    this.problem.set('');
    const looking = this.api
      .watching(this.store.file, watch)
      .subscribe((progress) => this.progress.set(progress));
    const ended = (): void => {
      looking.unsubscribe();
      this.busy.set('');
      this.progress.set(null);
      // What was not kept because it was being applied.
      this.keeping.next('now');
    };
    this.running = call(watch).subscribe({
      next: (result) => {
        ended();
        done(result);
      },
      error: (error: unknown) => {
        ended();
        failed(error);
      },
    });
    this.running.add(() => looking.unsubscribe());
  }

  private failed(error: unknown): void {
    const problem = problemOf(error);
    this.problem.set(problem.detail);
    if (problem.findings) this.result.set(problem.findings as CheckResult);
    // Somebody else was first: their design comes in, the draft stays and is laid upon it.
    if (!problem.type.endsWith('design-moved')) return;
    this.unkept = true;
    this.keep().subscribe({ complete: () => this.store.reload() });
  }

  draft() {
    return { base: this.store.design().version, changes: [...this.changes()] };
  }

  /** Whether the draft is short enough to be sent while its page goes; a UTF-16 unit is three bytes at most. */
  private canFollow(): boolean {
    return JSON.stringify(this.draft()).length * 3 < MOST_LEAVING;
  }

  /** Whether something of the draft would be lost if the page went now. */
  isHeldUp(): boolean {
    return (this.unkept || this.sending.value > 0) && !this.canFollow();
  }

  /** Keeps what is not kept yet. It goes on whoever stops listening. */
  private keep(leaving = false): Observable<unknown> {
    // Until it is settled which of two drafts counts, neither is kept over the other.
    if (!this.unkept || this.theirs()) return EMPTY;
    // One that is being applied has its end before it; whoever goes meanwhile finds it, should that fail.
    if (this.busy() === 'applying' && !leaving) return EMPTY;
    this.unkept = false;
    const keepalive = leaving && this.canFollow();
    // What is on its way already will have made the next version.
    const based = this.version + this.sending.value;
    this.sending.next(this.sending.value + 1);
    const sent = this.api.keepDraft(this.store.file, this.draft(), based, keepalive).pipe(
      tap({
        next: ({ version }) => {
          this.at(version);
          this.sending.next(this.sending.value - 1);
        },
        error: () => this.sending.next(this.sending.value - 1),
      }),
      catchError((error: unknown) => {
        this.unkept = true;
        if (problemOf(error).type.endsWith('document-moved')) return this.look();
        this.toast.problem(error);
        return EMPTY;
      }),
      share({ connector: () => new ReplaySubject(1), resetOnRefCountZero: false }),
    );
    sent.subscribe();
    return sent;
  }

  /** Which version the server has, by an answer that may have been overtaken by a later one. */
  private at(version: number): void {
    this.version = Math.max(this.version, version);
  }

  /** Asks whether another window has kept a draft since. */
  private look(): Observable<unknown> {
    return this.api.draft(this.of).pipe(
      // What is on its way from here is no other window's.
      switchMap((now) =>
        this.sending.pipe(
          first((times) => times === 0),
          map(() => now),
        ),
      ),
      tap(({ draft, version }) => {
        if (this.theirs()) return;
        if (version > this.version) this.meet(draft?.changes ?? [], version);
        // It was refused for what this window itself has kept meanwhile.
        else if (this.unkept) this.keeping.next('now');
      }),
      // Nobody asked for it: what cannot be told now is told when the draft is kept.
      catchError(() => EMPTY),
    );
  }

  /** Another window's draft: it is taken where nothing here would be lost, else both are shown. */
  private meet(changes: readonly Change[], version: number): void {
    const same = JSON.stringify(changes) === JSON.stringify(this.changes());
    if (this.unkept && !same) return this.theirs.set({ changes, version });
    this.version = version;
    this.unkept = false;
    if (same) return;
    this.past.push(this.changes());
    this.changes.set(changes);
    this.result.set(null);
    this.toast.say('The draft was changed in another window: this is how it is now.');
  }

  /** Goes on with the draft of the other window. */
  takeTheirs(): void {
    const theirs = this.theirs();
    if (!theirs) return;
    this.past.push(this.changes());
    this.changes.set(theirs.changes);
    this.version = theirs.version;
    this.unkept = false;
    this.theirs.set(null);
    this.result.set(null);
  }

  /** Goes on with the draft of this window, over the other. */
  keepMine(): void {
    const theirs = this.theirs();
    if (!theirs) return;
    this.version = theirs.version;
    this.theirs.set(null);
    this.keeping.next('now');
  }

  private set(changes: readonly Change[]): void {
    this.past.push(this.changes());
    this.put(changes);
  }

  private put(changes: readonly Change[]): void {
    this.changes.set(changes);
    this.result.set(null);
    this.problem.set('');
    this.unkept = true;
    this.keeping.next('pause');
  }
}
