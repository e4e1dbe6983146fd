import { Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatRadioModule } from '@angular/material/radio';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import type { Change } from '@heathridge/core/change';
import { nameFromLabel, plainField, uniqueName, type Field, type Table } from '@heathridge/core/design';
import { newId } from '../shared/ids';
import { SELECT } from '../shared/select';
import { LineComponent } from '../shared/line.component';

export interface Reshaping {
  readonly table: Table;
  readonly field: Field;
}

const SEPARATORS = [
  [', ', 'a comma and a blank'],
  [' ', 'a blank'],
  [',', 'a comma'],
  [' - ', 'a dash between blanks'],
  ['/', 'a slash'],
  [';', 'a semicolon'],
] as const;

/** Splits one text field in two at a separator, or merges two into one. */
@Component({
  selector: 'hr-reshape',
  imports: [MatButtonModule, FormsModule, MatDialogModule, SELECT, LineComponent, MatRadioModule],
  template: `
    <h2 mat-dialog-title>{{ data.field.label }}: split or merge</h2>
    <mat-dialog-content class="body">
      <mat-radio-group aria-label="What to do" [value]="way()" (change)="choose($event.value)">
        <mat-radio-button value="split">Split it into two</mat-radio-button>
        <mat-radio-button value="merge" [disabled]="others().length === 0"
          >Merge it with another</mat-radio-button
        >
      </mat-radio-group>
      @if (way() === 'merge') {
        <div class="field">
          <span class="label" id="rs-other-label">The other field, which comes behind</span>
          <mat-form-field
            ><mat-select
              id="rs-other"
              [ngModel]="other()"
              (ngModelChange)="other.set($event)"
              aria-labelledby="rs-other-label"
            >
              @for (item of others(); track item.id) {
                <mat-option [value]="item.id">{{ item.label }}</mat-option>
              }
            </mat-select></mat-form-field
          >
        </div>
      }
      <div class="field">
        <span class="label">{{ way() === 'split' ? 'Where this stands first' : 'With this between' }}</span>
        <div class="row">
          <mat-form-field
            ><mat-select
              aria-label="Usual separators"
              [ngModel]="separator()"
              (ngModelChange)="separator.set($event)"
            >
              @for (item of separators; track item[0]) {
                <mat-option [value]="item[0]">{{ item[1] }}</mat-option>
              }
              @if (!usual()) {
                <mat-option [value]="separator()">as written</mat-option>
              }
            </mat-select></mat-form-field
          >
          <hr-line
            code
            most="10"
            [about]="way() === 'split' ? 'Where this stands first' : 'With this between'"
            [value]="separator()"
            (typed)="separator.set($event)"
          />
        </div>
      </div>
      <hr-line
        [label]="way() === 'split' ? 'What stands before it' : 'The new field'"
        inputId="rs-one"
        most="60"
        [value]="one()"
        (typed)="one.set($event)"
      />
      @if (way() === 'split') {
        <hr-line
          label="What stands behind it"
          inputId="rs-two"
          most="60"
          hint="A value without the separator goes into the first field whole."
          [value]="two()"
          (typed)="two.set($event)"
        />
      }
      <p class="soft small">
        The old {{ way() === 'split' ? 'field is' : 'fields are' }} dropped in the same draft. What uses
        {{ way() === 'split' ? 'it' : 'them' }} is listed in the draft, to be mended there.
      </p>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
      <button type="button" matButton="filled" [disabled]="!ready()" (click)="done()">
        Add to the draft
      </button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      gap: 12px;
      min-width: 420px;
    }
  `,
})
export class ReshapeDialog {
  readonly data = inject<Reshaping>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<ReshapeDialog, Change>>(MatDialogRef);
  readonly separators = SEPARATORS;
  readonly way = signal<'split' | 'merge'>('split');
  readonly separator = signal<string>(', ');
  readonly one = signal(`${this.data.field.label} 1`);
  readonly two = signal(`${this.data.field.label} 2`);
  readonly others = computed(() =>
    this.data.table.fields.filter(
      ({ id, type }) =>
        id !== this.data.field.id &&
        (type.kind === 'text' || type.kind === 'longText' || type.kind === 'choice'),
    ),
  );
  readonly other = signal(this.others()[0]?.id ?? '');
  readonly usual = computed(() => SEPARATORS.some(([text]) => text === this.separator()));
  readonly ready = computed(
    () =>
      this.one().trim() !== '' &&
      (this.way() === 'merge' ? this.other() !== '' : this.separator() !== '' && this.two().trim() !== ''),
  );

  choose(way: 'split' | 'merge'): void {
    this.way.set(way);
    this.one.set(way === 'split' ? `${this.data.field.label} 1` : this.data.field.label);
    if (way === 'merge') this.separator.set(' ');
  }

  done(): void {
    const { table, field } = this.data;
    const gone = this.way() === 'split' ? [field.id] : [field.id, this.other()];
    const taken = table.fields.filter(({ id }) => !gone.includes(id)).map(({ name }) => name);
    const made = (label: string): Field => {
      const name = uniqueName(nameFromLabel(label, 'field'), taken);
      taken.push(name);
      return plainField(
        newId('f'),
        name,
        label.trim(),
        this.way() === 'split'
          ? { kind: 'text', most: null }
          : { kind: field.type.kind === 'longText' ? 'longText' : 'text' },
      );
    };
    this.ref.close(
      this.way() === 'split'
        ? {
            change: 'splitField',
            table: table.id,
            field: field.id,
            separator: this.separator(),
            into: [made(this.one()), made(this.two())],
          }
        : {
            change: 'mergeFields',
            table: table.id,
            fields: [field.id, this.other()],
            separator: this.separator(),
            into: made(this.one()),
          },
    );
  }
}
