import { Component, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import { MatTableModule } from '@angular/material/table';
import equal from 'fast-deep-equal';
import type { DesignDocument } from '@heathridge/core/design';
import { showValue, type Locale } from '@heathridge/core/values';
import type { Theirs } from '../shared/api.service';

export interface Clash {
  readonly mine: DesignDocument;
  readonly theirs: Theirs;
  /** How the file writes dates, and by which clocks. */
  readonly locale: Locale;
}

interface Line {
  readonly what: string;
  readonly mine: string;
  readonly theirs: string;
}

/** Somebody else has changed a document meanwhile: both stand side by side, and one is chosen. */
@Component({
  selector: 'hr-clash-dialog',
  imports: [MatTableModule, MatButton, MatDialogModule],
  template: `
    <h2 mat-dialog-title>{{ data.mine.label }} was changed meanwhile</h2>
    <mat-dialog-content class="body">
      <p>
        {{ who }} has {{ data.theirs.document ? 'changed' : 'dropped' }} it {{ when }}. Nothing of yours is
        saved yet, and nothing is lost: choose which of the two stays.
      </p>
      @if (lines.length > 0) {
        <table mat-table class="facts" [dataSource]="lines">
          <ng-container matColumnDef="what">
            <th *matHeaderCellDef mat-header-cell scope="col">What differs</th>
            <th *matCellDef="let line" mat-cell scope="row">{{ line.what }}</th>
          </ng-container>
          <ng-container matColumnDef="mine">
            <th *matHeaderCellDef mat-header-cell scope="col">Yours</th>
            <td *matCellDef="let line" mat-cell>{{ line.mine }}</td>
          </ng-container>
          <ng-container matColumnDef="theirs">
            <th *matHeaderCellDef mat-header-cell scope="col">Theirs</th>
            <td *matCellDef="let line" mat-cell>{{ line.theirs }}</td>
          </ng-container>
          <tr *matHeaderRowDef="columns; sticky: true" mat-header-row></tr>
          <tr *matRowDef="let line; columns: columns" mat-row></tr>
        </table>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Go on with mine, unsaved</button>
      <button type="button" matButton="outlined" [mat-dialog-close]="'theirs'">
        {{ data.theirs.document ? 'Take theirs' : 'Let it go' }}
      </button>
      <button type="button" matButton="filled" [mat-dialog-close]="'mine'">Save mine over it</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      gap: 12px;
      min-width: 520px;
    }
    th,
    td {
      max-width: 300px;
    }
  `,
})
export class ClashDialog {
  readonly columns = ['what', 'mine', 'theirs'];
  readonly data = inject<Clash>(MAT_DIALOG_DATA);
  readonly who = this.data.theirs.by || 'Somebody else';
  readonly when = this.data.theirs.at
    ? `on ${showValue({ kind: 'dateTime' }, this.data.theirs.at, this.data.locale)}`
    : 'meanwhile';
  readonly lines = differing(this.data);
}

/** What each part of a document is called, in the order in which parts are told. */
export const WORDS: Readonly<Record<string, string>> = {
  label: 'Name',
  from: 'The rows it begins with',
  stack: 'Rows beneath those',
  table: 'The table it shows',
  where: 'Conditions',
  joins: 'Rows beside its own',
  questions: 'What it asks',
  keep: 'What is kept of its result',
  unlike: 'Unlike rows only',
  columns: 'Columns',
  group: 'Grouping',
  sort: 'Order',
  first: 'How many rows',
  firstOf: 'Of what so many',
  chart: 'Its chart',
  pivot: 'Its pivot',
  written: 'Its SQL',
  parts: 'What stands on it',
  opens: 'What it opens on',
  rights: 'What people may do',
  source: 'Where rows come from',
  paper: 'Paper',
  query: 'The query whose rows it shows',
  conditions: 'Which rows it shows',
  order: 'Their order',
  list: 'How its rows stand',
  finds: 'Where it is searched',
  look: 'How it looks',
  tabOrder: 'The order of the Tab key',
  filters: 'What narrows it',
  screens: 'Screens it finds',
  tables: 'Limits on tables',
  fields: 'Limits on fields',
};

/** The parts in which two versions differ, each in a few words. */
function differing({ mine, theirs }: Clash): Line[] {
  if (!theirs.document) return [];
  const [a, b] = [mine, theirs.document] as unknown as [Record<string, unknown>, Record<string, unknown>];
  return Object.keys(WORDS)
    .filter((key) => !equal(a[key], b[key]))
    .map((key) => ({ what: WORDS[key]!, mine: inShort(a[key]), theirs: inShort(b[key]) }));
}

function inShort(value: unknown): string {
  if (value === null || value === undefined) return 'none';
  if (Array.isArray(value)) {
    const names = value.map((item: unknown) =>
      typeof item === 'object' && item !== null && 'label' in item ? String(item.label) : null,
    );
    const many = `${value.length} ${value.length === 1 ? 'entry' : 'entries'}`;
    return names.every((name) => name !== null) && names.length > 0 ? names.join(', ') : many;
  }
  if (typeof value === 'object')
    return (
      Object.entries(value)
        .flatMap(([key, inner]) => (inner === true ? [key] : typeof inner === 'string' ? [inner] : []))
        .join(', ') || 'nothing'
    );
  return String(value);
}
