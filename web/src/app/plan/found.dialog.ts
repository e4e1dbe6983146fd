import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { Observable } from 'rxjs';
import { fieldOf, isGiven, showKey, type Field } from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import { keptText } from '@heathridge/core/values';
import { FileStore } from '../file/file.store';
import { heldOf } from '../desk/record.state';
import { Api, type Finding, type RowToMend } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import type { Fetch, Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';

export interface FoundData {
  readonly finding: Finding;
  /** Reads a page of the rows, from this one on. */
  rows(offset: number): Observable<{ readonly rows: readonly RowToMend[] }>;
}

interface Line {
  readonly key: RowKey;
  readonly title: string;
  readonly held: Readonly<Record<string, Held>>;
  readonly was: Readonly<Record<string, Held>>;
  readonly message: string;
  readonly saved: boolean;
}

/** What is saved is composed: letters that another tool has left apart are mended by saving them. */
const composed = (held: Held): Held =>
  typeof held.value === 'string' ? { ...held, value: keptText(held.value) } : held;

/** Rows that a check has found, with the fields by which they can be mended at once. */
@Component({
  selector: 'hr-found-dialog',
  imports: [MatButtonModule, MatDialogModule, ValueInputComponent, MatTooltipModule],
  template: `
    <h2 mat-dialog-title>{{ title }}</h2>
    <mat-dialog-content class="body">
      <p>{{ data.finding.message }}</p>
      @if (problem()) {
        <p class="message" role="alert">{{ problem() }}</p>
      }
      <table>
        <thead>
          <tr>
            <th scope="col">Row</th>
            @for (field of fields(); track field.id) {
              <th scope="col">{{ field.label }}</th>
            }
            <th scope="col"><span class="visually-hidden">Save</span></th>
          </tr>
        </thead>
        <tbody>
          @for (line of lines(); track line.key.join('|'); let i = $index) {
            <tr>
              <th scope="row" class="cut" dir="auto" [matTooltip]="line.title">
                {{ line.title }}
                @if (keyText(line); as text) {
                  <span class="soft small">{{ text }}</span>
                }
              </th>
              @for (field of fields(); track field.id) {
                <td>
                  <hr-value-input
                    [field]="field"
                    [held]="line.held[field.id] ?? { value: null }"
                    [reading]="store.reading()"
                    [fetch]="fetch"
                    [label]="field.label + ' of ' + line.title"
                    [marksOnly]="true"
                    (changed)="take(i, field, $event)"
                  />
                </td>
              }
              <td>
                @if (line.saved) {
                  <span class="moss small">mended</span>
                } @else {
                  <button matButton="outlined" class="compact" type="button" (click)="save(i)">Save</button>
                }
              </td>
            </tr>
            @if (line.message) {
              <tr>
                <td class="message" [attr.colspan]="fields().length + 2" role="alert">{{ line.message }}</td>
              </tr>
            }
          } @empty {
            <tr>
              <td class="soft" [attr.colspan]="fields().length + 2">
                {{ busy() ? 'Looking for them …' : 'None are left.' }}
              </td>
            </tr>
          }
        </tbody>
      </table>
      @if (lines().length < data.finding.count && lines().length > 0) {
        <button matButton="outlined" class="compact" type="button" [disabled]="busy()" (click)="more()">
          Show more
        </button>
      }
      @if (fields().length === 0) {
        <p class="soft">
          The field is new in this draft: give it a starting value, or change what is asked of it.
        </p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <span class="soft small note">Each row is saved at once, like on a form.</span>
      <button type="button" matButton="filled" (click)="ref.close(anySaved())">
        {{ anySaved() ? 'Close and check again' : 'Close' }}
      </button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      gap: 10px;
      min-width: 560px;
    }
    table {
      border-collapse: collapse;
      width: 100%;
    }
    th,
    td {
      padding: 4px 6px;
      border-bottom: 1px solid var(--hr-line);
      text-align: left;
      font-weight: 400;
      max-width: 260px;
    }
    thead th {
      color: var(--hr-soft);
    }
    .note {
      margin-right: auto;
    }
    .moss {
      color: var(--hr-moss);
    }
  `,
})
export class FoundDialog {
  private readonly api = inject(Api);
  readonly store = inject(FileStore);
  readonly data = inject<FoundData>(MAT_DIALOG_DATA);
  readonly ref = inject<MatDialogRef<FoundDialog, boolean>>(MatDialogRef);
  readonly title = `${this.data.finding.count.toLocaleString('en-GB')} ${this.data.finding.count === 1 ? 'row' : 'rows'} to mend`;
  readonly lines = signal<readonly Line[]>([]);
  readonly busy = signal(true);
  private readonly wanted = new Set<number>();
  readonly problem = signal('');
  readonly anySaved = computed(() => this.lines().some(({ saved }) => saved));
  /** Fields that are in the file as it is: only those can be saved. */
  readonly fields = computed((): Field[] => {
    const table = this.table();
    return table
      ? this.data.finding.fields.flatMap((id) => fieldOf(table, id) ?? []).filter((field) => !isGiven(field))
      : [];
  });
  private readonly table = computed(() =>
    this.store.design().tables.find(({ id }) => id === this.data.finding.table),
  );
  readonly fetch: Fetch = (field, request) => this.api.choices(this.store.file, field, request);

  constructor() {
    this.more();
  }

  /** The key as people see it, where it is a value of its own: several rows may be shown alike. */
  keyText({ key, title }: Line): string {
    const table = this.table();
    const field = table?.key.length === 1 ? fieldOf(table, table.key[0]!) : undefined;
    if (!field || field.type.kind === 'lookup') return '';
    const text = showKey(table!, key, this.store.locale());
    return title.includes(text) ? '' : text;
  }

  more(): void {
    this.busy.set(true);
    this.data.rows(this.lines().length).subscribe({
      next: ({ rows }) => {
        this.busy.set(false);
        const found = rows.flatMap(({ key, title, cells }): Line[] => {
          if (!cells) return [];
          const was = Object.fromEntries(Object.entries(cells).map(([id, cell]) => [id, heldOf(cell)]));
          const held = Object.fromEntries(Object.entries(was).map(([id, each]) => [id, composed(each)]));
          return [{ key, title: title ?? key.join(' · '), held, was, message: '', saved: false }];
        });
        this.lines.update((lines) => [...lines, ...found]);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(problemOf(error).detail);
      },
    });
  }

  take(index: number, field: Field, held: Held): void {
    this.put(index, (line) => ({
      ...line,
      held: { ...line.held, [field.id]: held },
      message: held.problem ?? '',
      saved: false,
    }));
    if (held.sought !== true && this.wanted.delete(index)) this.save(index);
  }

  save(index: number): void {
    const line = this.lines()[index]!;
    // What is still looked up is waited for: then the row is saved.
    if (Object.values(line.held).some(({ sought }) => sought === true)) {
      this.wanted.add(index);
      return;
    }
    const ids = this.fields()
      .map(({ id }) => id)
      .filter((id) => (line.held[id]?.value ?? null) !== (line.was[id]?.value ?? null));
    const unread = this.fields().find(({ id }) => line.held[id]?.problem !== undefined);
    if (unread || ids.length === 0) {
      const message = unread ? line.held[unread.id]!.problem! : 'Nothing is changed here yet.';
      this.put(index, (now) => ({ ...now, message }));
      return;
    }
    const pick = (from: Line['held']) => Object.fromEntries(ids.map((id) => [id, from[id]?.value ?? null]));
    const change = {
      op: 'update' as const,
      table: this.data.finding.table,
      key: line.key,
      values: pick(line.held),
      was: pick(line.was),
    };
    this.api.saveRows(this.store.file, { changes: [change] }).subscribe({
      next: () => this.put(index, (now) => ({ ...now, was: now.held, message: '', saved: true })),
      error: (error: unknown) => {
        const { errors, detail } = problemOf(error);
        this.put(index, (now) => ({ ...now, message: errors?.[0]?.message ?? detail }));
      },
    });
  }

  private put(index: number, change: (line: Line) => Line): void {
    this.lines.update((lines) => lines.map((line, i) => (i === index ? change(line) : line)));
  }
}
