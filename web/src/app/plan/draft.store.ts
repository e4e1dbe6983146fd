import { computed, effect, inject, Injectable, signal, untracked } from '@angular/core';
import { debounceTime, Subject, switchMap } from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { applyChanges, ChangeError, checkPlan, type Change } from '@heathridge/core/change';
import { catalogOf, type Design, type Field } from '@heathridge/core/design';
import { FileStore } from '../bench/file.store';
import { Api, type CheckResult } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { Toast } from '../shared/toast.service';

type FieldPatch = Extract<Change, { change: 'changeField' }>['set'];

/** The draft of design changes: gathered here, kept on the server, checked and applied there. */
@Injectable()
export class DraftStore {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly toast = inject(Toast);
  private readonly keeping = new Subject<void>();

  readonly changes = signal<readonly Change[]>([]);
  readonly result = signal<CheckResult | null>(null);
  readonly busy = signal<'' | 'checking' | 'applying'>('');
  readonly problem = signal('');

  /** The design as it will be; as it is while the draft does not fit (its message says why). */
  readonly design = computed((): Design => this.drafted().design);
  readonly misfit = computed(() => this.drafted().misfit);
  readonly catalog = computed(() => catalogOf(this.design()));
  /** What is wrong or worth knowing without asking the rows. */
  readonly notices = computed(() =>
    this.changes().length === 0 ? [] : checkPlan(this.store.design(), this.design()).notices,
  );

  private readonly drafted = computed((): { design: Design; misfit: string } => {
    const base = this.store.design();
    try {
      return { design: applyChanges(base, this.changes()), misfit: '' };
    } catch (error) {
      if (!(error instanceof ChangeError)) throw error;
      return { design: base, misfit: error.message };
    }
  });

  constructor() {
    this.keeping
      .pipe(
        debounceTime(400),
        switchMap(() => this.api.keepDraft(this.store.file, this.draft())),
        takeUntilDestroyed(),
      )
      .subscribe({ error: (error: unknown) => this.toast.problem(error) });
    effect(() => {
      const kept = this.store.draft();
      untracked(() => kept && this.changes.set(kept.changes));
    });
  }

  add(...changes: Change[]): void {
    this.set([...this.changes(), ...changes]);
  }

  /** Changes a field, in the change that added it or changed it last when there is one. */
  changeField(table: string, field: string, set: FieldPatch): void {
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
        return { ...change, set: { ...change.set, ...set } };
      }
      return change;
    });
    this.set(merged ? changes : [...changes, { change: 'changeField', table, field, set }]);
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
    const rest = this.changes().filter(
      (change) => (typeof change.table === 'string' ? change.table : change.table.id) !== table,
    );
    const applied = this.store.design().tables.some(({ id }) => id === table);
    this.set(applied ? [...rest, { change: 'dropTable', table }] : rest);
  }

  /** Takes the newest change back. */
  undo(): void {
    this.set(this.changes().slice(0, -1));
  }

  setAside(): void {
    this.set([]);
    this.toast.say('The draft is set aside. Nothing was changed.');
  }

  check(): void {
    this.busy.set('checking');
    this.problem.set('');
    this.api.checkDraft(this.store.file, this.draft()).subscribe({
      next: (result) => {
        this.result.set(result);
        this.busy.set('');
      },
      error: (error: unknown) => this.failed(error),
    });
  }

  apply(): void {
    this.busy.set('applying');
    this.problem.set('');
    const count = this.changes().length;
    this.api.applyDraft(this.store.file, this.draft()).subscribe({
      next: ({ design, counts }) => {
        this.changes.set([]);
        this.result.set(null);
        this.busy.set('');
        this.store.take(design, counts);
        this.toast.say(
          `${count} ${count === 1 ? 'change is' : 'changes are'} applied. A safe copy was taken before.`,
        );
      },
      error: (error: unknown) => this.failed(error),
    });
  }

  private failed(error: unknown): void {
    const problem = problemOf(error);
    this.busy.set('');
    this.problem.set(problem.detail);
    if (problem.findings) this.result.set(problem.findings as CheckResult);
    // Somebody else was first: their design comes in, the draft stays and is laid upon it.
    if (problem.type.endsWith('design-moved'))
      this.api.keepDraft(this.store.file, this.draft()).subscribe({
        next: () => this.store.reload(),
        error: (second: unknown) => this.toast.problem(second),
      });
  }

  private draft() {
    return { base: this.store.design().version, changes: [...this.changes()] };
  }

  private set(changes: readonly Change[]): void {
    this.changes.set(changes);
    this.result.set(null);
    this.problem.set('');
    this.keeping.next();
  }
}
