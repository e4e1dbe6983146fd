import { Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialog, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { MatTooltipModule } from '@angular/material/tooltip';
import { MatTableModule } from '@angular/material/table';
import { firstValueFrom, type Observable } from 'rxjs';
import { fieldOf, isGiven, showKey, type Field } from '@heathridge/core/design';
import type { RowChange, RowKey } from '@heathridge/core/rows';
import { FAULT_WORDS } from '@heathridge/core/expression';
import { keptText, type Value } from '@heathridge/core/values';
import { FileStore } from '../file/file.store';
import { heldOf } from '../desk/record.state';
import { Api, type Finding, type RowToMend } from '../shared/api.service';
import { ConfirmDialog, type Confirmation } from '../shared/confirm.dialog';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { problemOf } from '../shared/problem';
import { SelectComponent, type Option } from '../shared/select.component';
import { StripComponent } from '../shared/strip.component';
import { isCut, type Fetch, type Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';

export interface FoundData {
  readonly finding: Finding;
  /** Reads a page of the rows, from this one on. */
  rows(offset: number, limit?: number): Observable<{ readonly rows: readonly RowToMend[] }>;
}

interface Line {
  readonly key: RowKey;
  readonly title: string;
  readonly held: Readonly<Record<string, Held>>;
  readonly was: Readonly<Record<string, Held>>;
  readonly message: string;
  readonly saved: boolean;
}

/** What an expression does not give for a row. */
class Unworked extends Error {}

/** Rows that are read, and saved, together. */
const TOGETHER = 500;

/** What is saved is composed: letters that another tool has left apart are mended by saving them. */
const composed = (held: Held): Held =>
  typeof held.value === 'string' && !isCut(held) ? { ...held, value: keptText(held.value) } : held;

/** Letters of a save: long texts, and what stood there before, are more than one may hold of hundreds of rows. */
const MOST_LETTERS = 1_000_000;

/** Changes as they are saved together: as many as there is room for, one at least. */
function inParts(changes: readonly RowChange[]): RowChange[][] {
  const parts: RowChange[][] = [];
  let room = 0;
  for (const change of changes) {
    const letters = JSON.stringify(change).length;
    if (parts.length === 0 || letters > room) {
      parts.push([]);
      room = MOST_LETTERS;
    }
    parts.at(-1)!.push(change);
    room -= letters;
  }
  return parts;
}

/** Rows that a check has found, with the fields by which they can be mended at once. */
@Component({
  selector: 'hr-found-dialog',
  imports: [
    MatTableModule,
    ExpressionEditorComponent,
    MatButton,
    MatDialogModule,
    MatProgressBarModule,
    MatTooltipModule,
    SelectComponent,
    StripComponent,
    ValueInputComponent,
  ],
  template: `
    <h2 mat-dialog-title>{{ title }}</h2>
    <mat-dialog-content class="body">
      <p>{{ data.finding.message }}</p>
      @if (problem()) {
        <hr-strip [text]="problem()" />
      }
      @if (all(); as at) {
        <div class="row" role="status">
          <mat-progress-bar class="grow" aria-label="How far it is" [value]="(100 * at.done) / at.of" />
          <span>{{ number(at.done) }} of {{ number(at.of) }} rows</span>
          <button matButton="outlined" class="compact" type="button" (click)="stop()">Stop</button>
        </div>
      } @else if (data.finding.count > 1 && lines().length > 0) {
        <div class="row many" role="group" aria-label="All rows at once">
          @if (filling(); as field) {
            @if (fields().length > 1) {
              <hr-select
                about="The field to fill in all rows"
                [options]="choices()"
                [value]="field.id"
                (changed)="choose($event)"
              />
            }
            @if (isWritten()) {
              <hr-expression-editor
                class="grow"
                [label]="field.label + ' of all rows, as an expression'"
                [value]="written().text"
                [catalog]="store.catalog()"
                [table]="data.finding.table"
                (changed)="written.set($event)"
              />
            } @else {
              <hr-value-input
                class="grow"
                [label]="field.label + ' of all rows'"
                [field]="field"
                [held]="fill()"
                [reading]="store.reading()"
                [fetch]="fetch"
                (changed)="filled($event)"
              />
            }
            <button matButton="text" class="compact" type="button" (click)="isWritten.set(!isWritten())">
              {{ isWritten() ? 'with a value' : 'with an expression' }}
            </button>
            <button
              matButton="outlined"
              class="compact"
              type="button"
              [disabled]="isWritten() && (!written().ok || written().text.trim() === '')"
              (click)="fillAll()"
            >
              Fill all {{ number(data.finding.count) }}
            </button>
          }
          <button matButton="outlined" class="compact danger" type="button" (click)="deleteAll()">
            Delete all {{ number(data.finding.count) }}
          </button>
        </div>
      }
      <table mat-table multiTemplateDataRows class="facts" [dataSource]="mutable()" [trackBy]="byKey">
        <ng-container matColumnDef="row">
          <th *matHeaderCellDef mat-header-cell scope="col">Row</th>
          <th *matCellDef="let line" mat-cell scope="row" class="cut" dir="auto" [matTooltip]="line.title">
            {{ line.title }}
            @if (keyText(line); as text) {
              <span class="soft small">{{ text }}</span>
            }
          </th>
        </ng-container>
        @for (field of fields(); track field.id) {
          <ng-container [matColumnDef]="field.id">
            <th *matHeaderCellDef mat-header-cell scope="col">{{ field.label }}</th>
            <td *matCellDef="let line; let i = dataIndex" mat-cell>
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
          </ng-container>
        }
        <ng-container matColumnDef="save">
          <th *matHeaderCellDef mat-header-cell scope="col"><span class="visually-hidden">Save</span></th>
          <td *matCellDef="let line; let i = dataIndex" mat-cell>
            @if (line.saved) {
              <span class="moss small">mended</span>
            } @else {
              <button matButton="outlined" class="compact" type="button" (click)="save(i)">Save</button>
            }
          </td>
        </ng-container>
        <ng-container matColumnDef="message">
          <td
            *matCellDef="let line"
            mat-cell
            class="message"
            role="alert"
            [attr.colspan]="columns().length"
            [class.none]="!line.message"
          >
            {{ line.message }}
          </td>
        </ng-container>
        <tr *matHeaderRowDef="columns(); sticky: true" mat-header-row></tr>
        <tr *matRowDef="let line; columns: columns()" mat-row></tr>
        <tr *matRowDef="let line; columns: messageColumns" mat-row [class.none]="!line.message"></tr>
        <tr *matNoDataRow>
          <td class="soft" [attr.colspan]="columns().length">
            {{ busy() ? 'Looking for them …' : 'None are left.' }}
          </td>
        </tr>
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
      <span class="soft small note"
        >Each row is saved at once, like on a form; all of them, {{ number(together) }} at a time.</span
      >
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
    th,
    td {
      max-width: 260px;
    }
    .none {
      display: none;
    }
    .many {
      padding: 8px;
      border-radius: var(--hr-corner);
      background: var(--hr-ground);
    }
    .many hr-select {
      width: 160px;
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
  private readonly dialog = inject(MatDialog);
  readonly store = inject(FileStore);
  readonly data = inject<FoundData>(MAT_DIALOG_DATA);
  readonly ref = inject<MatDialogRef<FoundDialog, boolean>>(MatDialogRef);
  readonly title = `${this.data.finding.count.toLocaleString('en-GB')} ${this.data.finding.count === 1 ? 'row' : 'rows'} to mend`;
  readonly lines = signal<readonly Line[]>([]);
  readonly busy = signal(true);
  private readonly wanted = new Set<number>();
  readonly problem = signal('');
  /** Whether all rows have been worked on, with whatever success. */
  private readonly anyTogether = signal(false);
  readonly anySaved = computed(() => this.anyTogether() || this.lines().some(({ saved }) => saved));
  /** How far the work on all rows is; null while none is going on. */
  readonly all = signal<{ readonly done: number; readonly of: number } | null>(null);
  private stopped = false;
  readonly together = TOGETHER;
  /** The field that is filled in all rows, and with what. */
  private readonly chosen = signal<string | null>(null);
  readonly filling = computed(
    () => this.fields().find(({ id }) => id === this.chosen()) ?? this.fields()[0] ?? null,
  );
  readonly fill = signal<Held>({ value: null });
  /** Whether all rows are filled with what an expression gives for each, and which it is. */
  readonly isWritten = signal(false);
  readonly written = signal<{ readonly text: string; readonly ok: boolean }>({ text: '', ok: true });
  /** What is still looked up is waited for: then all rows are filled. */
  private fillWanted = false;
  readonly choices = computed((): Option[] => this.fields().map(({ id, label }) => ({ id, label })));
  /** Fields that are in the file as it is: only those can be saved. */
  readonly fields = computed((): Field[] => {
    const table = this.table();
    return table
      ? this.data.finding.fields.flatMap((id) => fieldOf(table, id) ?? []).filter((field) => !isGiven(field))
      : [];
  });
  readonly columns = computed(() => ['row', ...this.fields().map(({ id }) => id), 'save']);
  readonly messageColumns = ['message'];
  /** What the table takes may not be told as read-only. */
  readonly mutable = computed(() => [...this.lines()]);
  readonly byKey = (_: number, { key }: Line): string => key.join('|');
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

  number(count: number): string {
    return count.toLocaleString('en-GB');
  }

  choose(field: string): void {
    this.chosen.set(field);
    this.fill.set({ value: null });
  }

  filled(held: Held): void {
    this.fill.set(held);
    if (held.sought === true || !this.fillWanted) return;
    this.fillWanted = false;
    this.fillAll();
  }

  fillAll(): void {
    const [field, held] = [this.filling(), this.fill()];
    if (field && this.isWritten()) {
      void this.forAll('filled', (rows) => this.workedOut(field, rows));
      return;
    }
    this.fillWanted = held.sought === true;
    if (!field || this.fillWanted || held.problem !== undefined) return;
    void this.forAll('filled', (rows) => rows.map((row) => this.filledRow(field, row, held.value)));
  }

  private filledRow({ id }: Field, { key, cells }: RowToMend, value: Value): RowChange {
    const was = cells ? heldOf(cells[id] ?? null) : { value: null };
    return {
      op: 'update',
      table: this.data.finding.table,
      key,
      values: { [id]: value },
      // What is not here as a whole cannot be told of.
      was: isCut(was) ? {} : { [id]: was.value },
    };
  }

  /** Rows filled with what the expression gives for each; none where it cannot be worked out for one. */
  private async workedOut(field: Field, rows: readonly RowToMend[]): Promise<RowChange[]> {
    const request = { field: field.id, expression: this.written().text, keys: rows.map(({ key }) => key) };
    const { values } = await firstValueFrom(
      this.api.workOut(this.store.file, this.data.finding.table, request),
    );
    return rows.map((row, i) => {
      const value = values[i] ?? null;
      if (value !== null && typeof value === 'object')
        throw new Unworked(
          `For ${row.title ?? row.key.join(' · ')} it cannot be worked out: ${FAULT_WORDS[value.fault]}`,
        );
      return this.filledRow(field, row, value);
    });
  }

  deleteAll(): void {
    const { count, table } = this.data.finding;
    const data: Confirmation = {
      title: `Delete all ${this.number(count)} rows?`,
      text: 'They are taken out of the file now, whatever becomes of the draft. The history keeps what they held.',
      act: 'Delete them',
      stay: 'Keep them',
      danger: true,
    };
    this.dialog
      .open<ConfirmDialog, Confirmation, boolean>(ConfirmDialog, { data })
      .afterClosed()
      .subscribe((sure) => {
        if (sure)
          void this.forAll('deleted', (rows) => rows.map(({ key }) => ({ op: 'delete', table, key })));
      });
  }

  stop(): void {
    this.stopped = true;
  }

  /** Saves a change of every row that is found, some hundreds together, and looks again at what is left. */
  private async forAll(
    what: string,
    change: (rows: readonly RowToMend[]) => RowChange[] | Promise<RowChange[]>,
  ): Promise<void> {
    this.stopped = false;
    this.problem.set('');
    const of = this.data.finding.count;
    this.all.set({ done: 0, of });
    let done = 0;
    try {
      // All are read before any is changed: what is mended is found no more, and the next would move up.
      const rows: RowToMend[] = [];
      // Of those with long texts fewer come at once than were asked for.
      for (let page = 1; page > 0 && rows.length < of && !this.stopped;) {
        const found = await firstValueFrom(this.data.rows(rows.length, TOGETHER));
        page = found.rows.length;
        rows.push(...found.rows);
      }
      for (let at = 0; at < rows.length && !this.stopped; at += TOGETHER) {
        for (const changes of inParts(await change(rows.slice(at, at + TOGETHER)))) {
          if (this.stopped) break;
          await firstValueFrom(this.api.saveRows(this.store.file, { changes }));
          done += changes.length;
          this.all.set({ done, of });
        }
      }
      if (this.stopped) this.problem.set(`It was stopped: ${this.number(done)} rows are ${what}.`);
    } catch (error) {
      const { errors, detail } =
        error instanceof Unworked ? { errors: [], detail: error.message } : problemOf(error);
      const rest =
        done === 0 ? 'Nothing has changed' : `${this.number(done)} rows are ${what}, the rest is as it was`;
      this.problem.set(`${errors?.[0]?.message ?? detail} ${rest}.`);
    }
    this.all.set(null);
    if (done > 0) this.anyTogether.set(true);
    this.lines.set([]);
    this.more();
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
    const pick = (of: readonly string[], from: Line['held']) =>
      Object.fromEntries(of.map((id) => [id, from[id]?.value ?? null]));
    // What is not here as a whole cannot be told of.
    const whole = ids.filter((id) => !isCut(line.was[id]));
    const change = {
      op: 'update' as const,
      table: this.data.finding.table,
      key: line.key,
      values: pick(ids, line.held),
      was: pick(whole, line.was),
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
