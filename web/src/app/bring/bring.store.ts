import { computed, effect, inject, Injectable, signal, untracked } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import {
  catchError,
  EMPTY,
  finalize,
  map,
  Subject,
  switchMap,
  takeUntil,
  tap,
  timer,
  type Observable,
} from 'rxjs';
import { localeOf, type Table } from '@heathridge/core/design';
import { pluralOf } from '@heathridge/core/plan';
import {
  matchHeadings,
  missingFields,
  proposeKnown,
  proposeNew,
  toldStyles,
  undecided,
  askedAgain,
  type Again,
  type BringPlan,
  type SheetStyle,
} from '@heathridge/core/sheet';
import { FileStore } from '../file/file.store';
import {
  Api,
  type BroughtSheet,
  type CheckedSheet,
  type Progress,
  type SheetLook,
} from '../shared/api.service';
import { newId } from '../shared/ids';
import { problemOf } from '../shared/problem';
import { Toast } from '../shared/toast.service';

/** Milliseconds after a change until the rows are checked. */
const PAUSE = 400;
/** The part of a sheet's headings that must name fields of a table for it to be thought of first. */
const MOST_ALIKE = 0.6;

/** A sheet on its way into the file: how it is read, what is to become of it, and what checking said. */
@Injectable()
export class BringStore {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly toast = inject(Toast);
  private readonly looked = signal<SheetLook | null>(null);
  private readonly stopped = new Subject<void>();

  readonly sheet = computed(() => this.looked()?.sheet ?? null);
  readonly look = computed(() => this.looked()?.look ?? null);
  readonly plan = signal<BringPlan | null>(null);
  /** The plan as it was proposed, from which what was left out comes back. */
  readonly proposed = signal<BringPlan | null>(null);
  private readonly found = signal<{ readonly plan: BringPlan; readonly answer: CheckedSheet } | null>(null);
  /** What checking said of the plan as it is now; what was said of another one is no news of this. */
  readonly checked = computed((): CheckedSheet | null => {
    const found = this.found();
    return found && found.plan === this.plan() ? found.answer : null;
  });
  /** How it is to be fetched again; null where it comes this once. */
  readonly again = signal<Again | null>(null);
  readonly progress = signal<Progress | null>(null);
  readonly busy = signal<'reading' | 'checking' | 'bringing' | null>(null);
  readonly problem = signal('');
  /** Rows that the file itself refused when they were to be written. */
  readonly refused = signal<Extract<BroughtSheet, { done: false }>['problems']>([]);

  readonly table = computed((): Table | null => {
    const plan = this.plan();
    if (!plan) return null;
    if (plan.into.table === 'new') return plan.into.made;
    const { id } = plan.into;
    return this.store.design().tables.find((table) => table.id === id) ?? null;
  });
  readonly told = computed(() => {
    const look = this.look();
    return look ? toldStyles(look.columns, localeOf(this.store.design().settings)) : [];
  });
  readonly headings = computed(() => this.look()?.columns.map(({ heading }) => heading) ?? []);
  /** What must be said before any row can be checked; empty when all is. */
  readonly open = computed(() => {
    const [plan, table] = [this.plan(), this.table()];
    return plan && table ? (undecided(this.store.design(), table, plan, this.headings()) ?? '') : '';
  });
  /** Fields that are always filled and get no value. */
  readonly missing = computed(() => {
    const [plan, table] = [this.plan(), this.table()];
    return plan && table && plan.mode !== 'update' ? missingFields(table, plan) : [];
  });
  /** Rows that are written: added, changed or deleted. */
  readonly good = computed(() => {
    const checked = this.checked();
    return checked ? checked.added + checked.changed + checked.gone.deleted : 0;
  });
  readonly remembered = computed(() => this.looked()?.remembered ?? []);

  constructor() {
    toObservable(this.plan)
      .pipe(
        // Another plan ends the check of the one before at once.
        switchMap((plan) =>
          timer(PAUSE).pipe(
            switchMap(() =>
              plan && this.open() === '' ? this.check(plan).pipe(map((answer) => ({ plan, answer }))) : EMPTY,
            ),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((found) => this.found.set(found));
    effect(() => {
      this.plan();
      untracked(() => this.refused.set([]));
    });
  }

  /** Sends a sheet, which is then looked at. `into` names the table that it is meant for, if one is. */
  send(picked: Blob, name: string, into: string | null): void {
    this.forget();
    this.reading((watch) => this.api.sendSheet(this.store.file, picked, name, watch), into);
  }

  /** Fetches a sheet from an address outside, which is then looked at. */
  fetch(address: string, into: string | null): void {
    this.forget();
    this.reading((watch) => this.api.fetchSheet(this.store.file, address, watch), into);
  }

  /** Looks at the sheet again, read otherwise. What is to become of it is proposed anew. */
  relook(style: Partial<SheetStyle>): void {
    const [sheet, look, plan] = [this.sheet(), this.look(), this.plan()];
    if (!sheet || !look) return;
    const into = plan?.into.table === 'known' ? plan.into.id : null;
    const isNew = plan?.into.table === 'new';
    this.reading((watch) => this.api.lookAtSheet(this.store.file, sheet.id, style, watch), into, isNew);
  }

  private reading(ask: (watch: string) => Observable<SheetLook>, into: string | null, asNew = false): void {
    this.watched('reading', ask).subscribe((answer) => {
      this.looked.set(answer);
      this.propose(asNew ? null : this.likelyTable(answer, into));
    });
  }

  /**
   * The table that a sheet is most probably meant for; null for one of its own. `meant` is the one whose rows were
   * looked at, which is right unless the headings are plainly those of another.
   */
  private likelyTable({ look, remembered }: SheetLook, meant: string | null): string | null {
    const last = remembered.find(({ table }) => table === meant) ?? remembered[0];
    if (last) return last.table;
    const headings = look.columns.map(({ heading }) => heading);
    const alike = this.store
      .design()
      .tables.map((table) => ({
        id: table.id,
        share: matchHeadings(headings, table).filter((field) => field !== null).length / headings.length,
      }))
      .sort((a, b) => b.share - a.share);
    const own = alike.find(({ id }) => id === meant);
    const [best] = alike;
    const isOther = best !== undefined && best.share >= MOST_ALIKE && (own?.share ?? 0) < best.share / 2;
    if (isOther) return best.id;
    return meant ?? (best && best.share >= MOST_ALIKE ? best.id : null);
  }

  /** Proposes what becomes of the sheet: in a table that is there, or one of its own. */
  propose(into: string | null): void {
    const looked = this.looked();
    if (!looked) return;
    const design = this.store.design();
    const table = design.tables.find(({ id }) => id === into);
    const { look, sheet } = looked;
    const label = labelOf(sheet.name);
    const plan = table
      ? proposeKnown(
          design,
          table,
          look.columns,
          look.style,
          looked.remembered.find((one) => one.table === table.id)?.plan ?? null,
        )
      : proposeNew(design, label, pluralOf(label), look.columns, look.style, newId);
    this.proposed.set(plan);
    this.plan.set(plan);
    // What somebody said of fetching it again holds wherever it goes.
    this.fetchAgain(this.again());
  }

  /** Says whether it is fetched again, how often, and what becomes then of rows that are gone there. */
  fetchAgain(again: Again | null): void {
    const [plan, table, look] = [this.plan(), this.table(), this.look()];
    this.again.set(again);
    if (plan && table && look) this.plan.set(askedAgain(plan, table, look.columns, again));
  }

  change(plan: BringPlan): void {
    this.plan.set(plan);
  }

  private check(plan: BringPlan): Observable<CheckedSheet> {
    return this.watched('checking', (watch) =>
      this.api.checkSheet(this.store.file, this.sheet()!.id, plan, watch),
    );
  }

  /** Brings the good rows in; tells of it once they are in the file. */
  bring(done: (brought: Extract<BroughtSheet, { done: true }>) => void): void {
    const sheet = this.sheet();
    if (!sheet || this.busy()) return;
    this.watched('bringing', (watch) => this.api.bringSheet(this.store.file, sheet.id, watch)).subscribe(
      (answer) => {
        if (!answer.done) {
          this.refused.set(answer.problems);
          return;
        }
        this.store.take(answer.design as never, answer.counts);
        if (this.again()) this.store.readSources();
        this.looked.set(null);
        this.plan.set(null);
        done(answer);
      },
    );
  }

  /** Ends what is going on. */
  stop(): void {
    this.stopped.next();
  }

  /** Throws the sheet away. */
  forget(): void {
    this.stop();
    const sheet = this.sheet();
    if (sheet)
      this.api
        .dropSheet(this.store.file, sheet.id)
        .subscribe({ error: (error: unknown) => this.toast.problem(error) });
    this.looked.set(null);
    this.plan.set(null);
    this.again.set(null);
    this.problem.set('');
  }

  notTaken(): string {
    return this.api.notTaken(this.store.file, this.sheet()!.id);
  }

  /** Does something that takes a while, watched; what goes wrong stays to be read. */
  private watched<T>(
    what: 'reading' | 'checking' | 'bringing',
    ask: (watch: string) => Observable<T>,
  ): Observable<T> {
    const watch = newId('w');
    this.problem.set('');
    this.progress.set(null);
    this.busy.set(what);
    const looking = this.api
      .watching(this.store.file, watch)
      .subscribe((progress) => this.progress.set(progress));
    return ask(watch).pipe(
      takeUntil(this.stopped),
      tap({ error: (error: unknown) => this.problem.set(problemOf(error).detail) }),
      catchError(() => EMPTY),
      finalize(() => {
        looking.unsubscribe();
        this.busy.set(null);
        this.progress.set(null);
      }),
    );
  }
}

/** What a table of a sheet is called at first: the name of the sheet, without its ending. */
function labelOf(name: string): string {
  const plain = name
    .replace(/\.[a-z0-9]{1,5}$/i, '')
    .replace(/[_\s]+/g, ' ')
    .trim();
  const words = [...(plain === '' ? 'Sheet' : plain)].slice(0, 50).join('');
  const one = words.replace(/ies$/, 'y').replace(/([^s])s$/, '$1');
  return one.charAt(0).toUpperCase() + one.slice(1);
}
