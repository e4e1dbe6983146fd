import { DatePipe } from '@angular/common';
import { Component, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import type { Observable } from 'rxjs';
import type { Answer, PastOfFile, PastOfRow } from '@heathridge/core/api';
import { fieldOf, isGiven, valueKind, type Table } from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import { showValue, type Value } from '@heathridge/core/values';
import type { FileStore } from '../file/file.store';
import type { Steps } from '../file/steps.service';
import { Api } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { StripComponent } from '../shared/strip.component';

/** Characters of a value that are shown: a long text is known by its beginning. */
const MOST_SHOWN = 300;

/** What is looked back at: a row, or all that was done to rows. */
export interface Past {
  readonly store: FileStore;
  readonly steps: Steps;
  readonly row: {
    readonly table: Table;
    readonly key: RowKey;
    readonly title: string;
    /** What its fields hold now. */
    readonly now: (field: string) => Value;
  } | null;
  /** Something was put back: the rows are to be read again. */
  readonly changed: () => void;
}

type RowEntry = Answer<typeof PastOfRow>['past'][number];
type FileEntry = Answer<typeof PastOfFile>['past'][number];

const OPS = { insert: 'Added', update: 'Changed', delete: 'Deleted' } as const;
const DONE = { insert: 'added', update: 'changed', delete: 'deleted' } as const;
const WHATS = { rows: '', 'brought in': 'Brought in', undone: 'Undone' } as const;

/** What was done, when and by whom; fields are put back one by one, and whole steps undone. */
@Component({
  selector: 'hr-past-dialog',
  imports: [DatePipe, MatButton, MatDialogModule, MatIconModule, StripComponent],
  template: `
    <h2 mat-dialog-title>{{ data.row ? 'History of ' + data.row.title : 'What was done to rows' }}</h2>
    <mat-dialog-content class="body" tabindex="0">
      @if (problem()) {
        <hr-strip [text]="problem()" />
      }
      @if (row(); as entries) {
        <ol>
          @for (entry of entries; track $index) {
            <li>
              <p>
                <strong>{{ ops[entry.op] }}</strong>
                <span class="soft">
                  {{ entry.at | date: 'd MMM y, HH:mm:ss' }}, {{ entry.by || 'nobody by name' }}</span
                >
              </p>
              <ul>
                @for (change of entry.changes; track change.field) {
                  <li class="row">
                    <span class="grow"
                      ><span class="soft">{{ label(change.field) }}</span>
                      @if (entry.op === 'update') {
                        <span dir="auto"> {{ shown(change.field, change.before) }} →</span>
                      }
                      <span dir="auto">
                        {{ shown(change.field, entry.op === 'delete' ? change.before : change.after) }}</span
                      >
                    </span>
                    @if (entry.op === 'update' && mayPutBack(change)) {
                      <button
                        matButton="outlined"
                        class="compact"
                        type="button"
                        [disabled]="busy()"
                        (click)="putBack(change)"
                      >
                        Put back {{ shown(change.field, change.before) }}
                      </button>
                    }
                  </li>
                }
              </ul>
            </li>
          } @empty {
            <li class="soft">
              Nothing is known of this row: it has not been changed since Heathridge keeps its history.
            </li>
          }
        </ol>
      } @else if (file(); as entries) {
        <ol>
          @for (entry of entries; track entry.entry) {
            <li class="row">
              <span class="grow">
                <strong>{{ words(entry) }}</strong>
                <br />
                <span class="soft">
                  {{ entry.at | date: 'd MMM y, HH:mm:ss' }}, {{ entry.by || 'nobody by name' }}</span
                >
              </span>
              @if (entry.undone) {
                <span class="tag">undone</span>
              } @else {
                <button
                  matButton="outlined"
                  class="compact"
                  type="button"
                  [disabled]="busy()"
                  (click)="undo(entry)"
                >
                  <mat-icon svgIcon="undo" />{{ entry.what === 'undone' ? 'Do again' : 'Undo' }}
                </button>
              }
            </li>
          } @empty {
            <li class="soft">No row of this file has been changed yet.</li>
          }
        </ol>
        @if (more()) {
          <button matButton="text" type="button" [disabled]="busy()" (click)="load()">
            Show earlier ones
          </button>
        }
      } @else if (!problem()) {
        <p class="soft" role="status">Reading what was done …</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button matButton="filled" type="button" mat-dialog-close>Close</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      width: 620px;
      max-width: 100%;
    }
    ol,
    ul {
      margin: 0;
      padding: 0;
      list-style: none;
    }
    ol > li {
      padding: 8px 0;
      border-bottom: 1px solid var(--hr-line);
      overflow-wrap: anywhere;
    }
    ul > li {
      min-height: 30px;
      gap: 8px;
      padding-left: 14px;
    }
  `,
})
export class PastDialog {
  private readonly api = inject(Api);
  readonly data = inject<Past>(MAT_DIALOG_DATA);
  readonly ops = OPS;
  readonly row = signal<readonly RowEntry[] | null>(null);
  readonly file = signal<readonly FileEntry[] | null>(null);
  readonly more = signal(false);
  readonly busy = signal(false);
  readonly problem = signal('');

  constructor() {
    this.load();
  }

  load(): void {
    const { row, store } = this.data;
    const failed = { error: (error: unknown) => this.problem.set(problemOf(error).detail) };
    if (row) {
      this.api
        .pastOfRow(store.file, row.table.id, row.key)
        .subscribe({ next: ({ past }) => this.row.set(past), ...failed });
      return;
    }
    const known = this.file() ?? [];
    this.api.pastOfFile(store.file, known.at(-1)?.entry ?? null).subscribe({
      next: ({ past, more }) => {
        this.file.set([...known, ...past]);
        this.more.set(more);
      },
      ...failed,
    });
  }

  label(field: string): string {
    return fieldOf(this.data.row!.table, field)?.label ?? '';
  }

  shown(id: string, { value, text }: RowEntry['changes'][number]['before']): string {
    const field = fieldOf(this.data.row!.table, id);
    if (value === null || !field) return '(empty)';
    const all = text ?? showValue(valueKind(field.type), value, this.data.store.locale());
    return all.length > MOST_SHOWN ? `${all.slice(0, MOST_SHOWN)}…` : all;
  }

  /** What the row holds already need not be put back; what fills itself, or is not here as a whole, cannot be. */
  mayPutBack({ field: id, before }: RowEntry['changes'][number]): boolean {
    const { table, now } = this.data.row!;
    const field = fieldOf(table, id);
    if (!field || isGiven(field) || table.key.includes(id) || before.cut !== undefined) return false;
    return now(id) !== before.value;
  }

  putBack({ field, before }: RowEntry['changes'][number]): void {
    const { row, store, steps, changed } = this.data;
    const { table, key, now } = row!;
    const change = {
      op: 'update' as const,
      table: table.id,
      key,
      values: { [field]: before.value },
      was: { [field]: now(field) },
    };
    this.run(this.api.saveRows(store.file, { changes: [change] }), ({ entry }) => {
      steps.did(entry, `${this.label(field)} put back`);
      changed();
      this.load();
    });
  }

  undo({ entry }: FileEntry): void {
    const { store, changed } = this.data;
    this.run(this.api.undoEntry(store.file, entry), () => {
      changed();
      this.file.set(null);
      this.load();
    });
  }

  private run<T>(work: Observable<T>, done: (value: T) => void): void {
    this.busy.set(true);
    this.problem.set('');
    work.subscribe({
      next: (value) => {
        this.busy.set(false);
        done(value);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        const { errors, detail } = problemOf(error);
        this.problem.set(errors?.[0]?.message ?? detail);
      },
    });
  }

  /** An entry in words: `3 hires changed, 1 payment deleted`. */
  words({ what, rows, more, sheet }: FileEntry): string {
    const { tables } = this.data.store.design();
    const parts = rows.map(({ table, op, count }) => {
      const of = tables.find(({ id }) => id === table);
      const name = (count === 1 ? of?.label : of?.plural)?.toLowerCase() ?? 'rows of a table that is gone';
      return `${count.toLocaleString('en-GB')}${more ? ' or more' : ''} ${name} ${DONE[op]}`;
    });
    const begin = sheet ? `${WHATS[what]} ${sheet}: ` : WHATS[what] ? `${WHATS[what]}: ` : '';
    return `${begin}${parts.join(', ') || 'nothing'}`;
  }
}
