import { Component, computed, inject } from '@angular/core';
import { takeUntilDestroyed, toSignal } from '@angular/core/rxjs-interop';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatRadioModule } from '@angular/material/radio';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { map } from 'rxjs';
import { Between, Separator, type Change } from '@heathridge/core/change';
import {
  Label,
  nameFromLabel,
  plainField,
  uniqueName,
  type Field,
  type Table,
} from '@heathridge/core/design';
import { bySchema } from '../shared/by-schema';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent, type Option } from '../shared/select.component';

export interface Reshaping {
  readonly table: Table;
  readonly field: Field;
}

type Way = 'split' | 'merge';

const SEPARATORS: readonly Option[] = options([
  [', ', 'a comma and a blank'],
  [' ', 'a blank'],
  [',', 'a comma'],
  [' - ', 'a dash between blanks'],
  ['/', 'a slash'],
  [';', 'a semicolon'],
]);

/** Splits one text field in two at a separator, or merges two into one. */
@Component({
  selector: 'hr-reshape',
  imports: [LineComponent, MatButton, MatDialogModule, MatRadioModule, ReactiveFormsModule, SelectComponent],
  template: `
    @let way = now().way;
    @let where = way === 'split' ? 'Where this stands first' : 'With this between';
    <h2 mat-dialog-title>{{ data.field.label }}: split or merge</h2>
    <form [formGroup]="form" (ngSubmit)="done()">
      <mat-dialog-content class="body">
        <mat-radio-group aria-label="What to do" formControlName="way">
          <mat-radio-button value="split">Split it into two</mat-radio-button>
          <mat-radio-button value="merge" [disabled]="others.length === 0"
            >Merge it with another</mat-radio-button
          >
        </mat-radio-group>
        @if (way === 'merge') {
          <hr-select
            label="The other field, which comes behind"
            inputId="rs-other"
            [options]="others"
            formControlName="other"
          />
        }
        <div class="field">
          <span class="label">{{ where }}</span>
          <div class="row">
            <hr-select
              about="Usual separators"
              placeholder="as written"
              [options]="separators"
              [value]="usual()"
              (changed)="form.controls.separator.setValue($event)"
            />
            <hr-line code [about]="where" formControlName="separator" />
          </div>
        </div>
        <hr-line
          [label]="way === 'split' ? 'What stands before it' : 'The new field'"
          inputId="rs-one"
          formControlName="one"
        />
        @if (way === 'split') {
          <hr-line
            label="What stands behind it"
            inputId="rs-two"
            hint="A value without the separator goes into the first field whole."
            formControlName="two"
          />
        }
        <p class="soft small">
          The old {{ way === 'split' ? 'field is' : 'fields are' }} dropped in the same draft. What uses
          {{ way === 'split' ? 'it' : 'them' }} is listed in the draft, to be mended there.
        </p>
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
        <button type="submit" matButton="filled">Add to the draft</button>
      </mat-dialog-actions>
    </form>
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
  readonly others = this.data.table.fields.filter(
    ({ id, type }) =>
      id !== this.data.field.id &&
      (type.kind === 'text' || type.kind === 'longText' || type.kind === 'choice'),
  );
  readonly form = new FormGroup({
    way: new FormControl<Way>('split', { nonNullable: true }),
    other: new FormControl(this.others[0]?.id ?? '', { nonNullable: true }),
    separator: new FormControl(', ', { nonNullable: true, validators: bySchema(Separator) }),
    one: new FormControl(`${this.data.field.label} 1`, { nonNullable: true, validators: bySchema(Label) }),
    two: new FormControl(`${this.data.field.label} 2`, { nonNullable: true, validators: bySchema(Label) }),
  });
  protected readonly now = toSignal(this.form.valueChanges.pipe(map(() => this.form.getRawValue())), {
    initialValue: this.form.getRawValue(),
  });
  /** The separator, where it is one that is offered. */
  protected readonly usual = computed(
    () => SEPARATORS.find(({ id }) => id === this.now().separator)?.id ?? null,
  );

  constructor() {
    const { way, separator, one, two } = this.form.controls;
    way.valueChanges.pipe(takeUntilDestroyed()).subscribe((chosen) => {
      const isMerge = chosen === 'merge';
      // Two texts may be joined with nothing between; a text cannot be split there.
      separator.setValidators(bySchema(isMerge ? Between : Separator));
      separator.setValue(isMerge ? ' ' : ', ');
      one.setValue(isMerge ? this.data.field.label : `${this.data.field.label} 1`);
      if (isMerge) two.disable();
      else two.enable();
    });
  }

  done(): void {
    this.form.markAllAsTouched();
    if (!this.form.valid) return;
    const { way, other, separator, one, two } = this.form.getRawValue();
    const { table, field } = this.data;
    const gone = way === 'split' ? [field.id] : [field.id, other];
    const taken = table.fields.filter(({ id }) => !gone.includes(id)).map(({ name }) => name);
    const made = (label: string): Field => {
      const name = uniqueName(nameFromLabel(label, 'field'), taken);
      taken.push(name);
      return plainField(
        newId('f'),
        name,
        label.trim(),
        way === 'split'
          ? { kind: 'text', most: null }
          : { kind: field.type.kind === 'longText' ? 'longText' : 'text' },
      );
    };
    this.ref.close(
      way === 'split'
        ? { change: 'splitField', table: table.id, field: field.id, separator, into: [made(one), made(two)] }
        : {
            change: 'mergeFields',
            table: table.id,
            fields: [field.id, other],
            separator,
            into: made(one),
          },
    );
  }
}
