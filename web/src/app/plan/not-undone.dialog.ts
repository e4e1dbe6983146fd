import { Component, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatTableModule } from '@angular/material/table';
import { showKey, valueKind, type Field } from '@heathridge/core/design';
import { checkValue, type Value } from '@heathridge/core/values';
import { FileStore } from '../file/file.store';
import type { Finding, Given } from '../shared/api.service';
import type { Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';
import { LineComponent } from '../shared/line.component';

/** Why an applied change was not undone: the rows in the way, and the fields they concern as they will be. */
export interface NotUndone {
  readonly version: number;
  readonly message: string;
  readonly findings: readonly Finding[];
  readonly fields: readonly Field[];
}

interface Line {
  readonly key: Given['key'];
  readonly shown: string;
  readonly held: Held;
  /** True once somebody has said something of it. */
  readonly isSaid: boolean;
}

interface Group {
  readonly finding: Finding;
  readonly field: Field;
  /** True for the first of the fields that a finding is about. */
  readonly isFirst: boolean;
  readonly lines: Line[];
}

const isOne = (field: Field, text: string): boolean => checkValue(valueKind(field.type), text).ok;

/** Rows that would not fit once a change is undone, and what their fields are to hold then. */
@Component({
  selector: 'hr-not-undone-dialog',
  imports: [MatTableModule, MatButton, MatDialogModule, ValueInputComponent, LineComponent],
  template: `
    <h2 mat-dialog-title>What these rows are to hold</h2>
    <mat-dialog-content class="body">
      <p class="soft">Nothing in the file changes before the change is undone with them.</p>
      @for (group of groups(); track $index; let g = $index) {
        <section [attr.aria-label]="group.field.label">
          @if (group.isFirst) {
            <p>{{ group.finding.message }}</p>
            @if (group.finding.fields.length > 1) {
              <p class="soft">What you leave blank here stays as it is.</p>
            }
          }
          <table mat-table class="facts" [dataSource]="group.lines" [trackBy]="byRow">
            <ng-container matColumnDef="row">
              <th *matHeaderCellDef mat-header-cell scope="col">Row</th>
              <th *matCellDef="let line" mat-cell scope="row">{{ line.shown }}</th>
            </ng-container>
            <ng-container matColumnDef="field">
              <th *matHeaderCellDef mat-header-cell scope="col">{{ group.field.label }}</th>
              <td *matCellDef="let line; let i = index" mat-cell>
                @if (group.field.type.kind === 'lookup') {
                  <hr-line
                    placeholder="key of the row, or empty"
                    [about]="group.field.label + ' of ' + line.shown"
                    [value]="keyOf(line.held)"
                    (changed)="lead(g, i, $event)"
                  />
                } @else {
                  <hr-value-input
                    [field]="group.field"
                    [held]="line.held"
                    [reading]="store.reading()"
                    [label]="group.field.label + ' of ' + line.shown"
                    (changed)="take(g, i, $event)"
                  />
                }
              </td>
            </ng-container>
            <tr *matHeaderRowDef="columns" mat-header-row></tr>
            <tr *matRowDef="let line; columns: columns" mat-row></tr>
          </table>
          @if (group.lines.length > 1 && group.finding.sort !== 'alike') {
            <button matButton="outlined" class="compact" type="button" (click)="likeFirst(g)">
              Put the first into all
            </button>
          }
          @if (group.finding.count > group.lines.length) {
            <p class="soft small">
              {{ group.finding.count - group.lines.length }} more rows come up after these.
            </p>
          }
        </section>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Close</button>
      <button type="button" matButton="filled" [disabled]="unread()" (click)="ref.close(given())">
        Undo with these
      </button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      min-width: 480px;
      max-height: 60vh;
    }
    td {
      min-width: 220px;
    }
    section {
      padding: 8px 0;
    }
  `,
})
export class NotUndoneDialog {
  readonly columns = ['row', 'field'];
  readonly byRow = (_: number, { shown }: Line): string => shown;
  private readonly data = inject<NotUndone>(MAT_DIALOG_DATA);
  readonly store = inject(FileStore);
  readonly ref = inject<MatDialogRef<NotUndoneDialog, readonly Given[]>>(MatDialogRef);
  readonly groups = signal<readonly Group[]>(
    this.data.findings.flatMap((finding) =>
      this.data.fields
        .filter(({ id }) => finding.fields.includes(id))
        .map((field, i) => ({ finding, field, isFirst: i === 0, lines: this.lines(finding, field) })),
    ),
  );

  private lines({ table, sample, fields }: Finding, field: Field): Line[] {
    return sample.map(({ key, value }) => {
      // A text that would do as it is need not be typed again.
      const does = typeof value === 'string' && field.id === fields[0] && isOne(field, value);
      const held = { value: does ? value : null };
      return { key: [...key], shown: this.shown(table, key), held, isSaid: false };
    });
  }

  take(group: number, line: number, held: Held): void {
    this.groups.update((groups) =>
      groups.map((old, g) =>
        g === group
          ? {
              ...old,
              lines: old.lines.map((each, i) => (i === line ? { ...each, held, isSaid: true } : each)),
            }
          : old,
      ),
    );
  }

  /** The key that a lookup holds, as it is typed. */
  keyOf({ value }: Held): string {
    return typeof value === 'string' || typeof value === 'number' ? String(value) : '';
  }

  /** The key of another row, as a number where the table that is looked up has numbers. */
  lead(group: number, line: number, text: string): void {
    const trimmed = text.trim();
    const number = Number(trimmed);
    const value: Value = trimmed === '' ? null : Number.isSafeInteger(number) ? number : trimmed;
    this.take(group, line, { value });
  }

  likeFirst(group: number): void {
    this.groups.update((groups) =>
      groups.map((old, g) =>
        g === group
          ? { ...old, lines: old.lines.map((each) => ({ ...each, held: old.lines[0]!.held, isSaid: true })) }
          : old,
      ),
    );
  }

  unread(): boolean {
    return this.groups().some(({ lines }) => lines.some(({ held }) => held.problem !== undefined));
  }

  given(): readonly Given[] {
    // Of what several fields hold together, one that nobody has said anything of stays as it is.
    return this.groups().flatMap(({ finding, field, lines }) =>
      lines
        .filter(({ isSaid }) => isSaid || finding.fields.length === 1)
        .map(({ key, held }) => ({ field: field.id, key, value: held.value })),
    );
  }

  private shown(id: string, key: Finding['sample'][number]['key']): string {
    const table = this.store.design().tables.find((candidate) => candidate.id === id);
    return table ? `${table.label} ${showKey(table, key, this.store.locale())}` : key.join(' · ');
  }
}
