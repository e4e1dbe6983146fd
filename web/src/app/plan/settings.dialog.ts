import { Component, computed, inject } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { localeOf, Settings } from '@heathridge/core/design';
import { showValue } from '@heathridge/core/values';
import { minorUnits } from '@heathridge/core/plan';
import { bySchema } from '../shared/by-schema';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { DATE_ORDERS } from './date-orders';

const DECIMAL_MARKS = options([
  ['.', 'a point: 12.50'],
  [',', 'a comma: 12,50'],
] as const);
const GROUP_MARKS = options([
  [',', 'a comma: 1,234'],
  ['.', 'a point: 1.234'],
  [' ', 'a blank: 1 234'],
  ['’', 'an apostrophe: 1’234'],
  ['', 'nothing: 1234'],
] as const);

/** How the office writes numbers, money, dates and times. It holds everywhere in the file. */
@Component({
  selector: 'hr-settings-dialog',
  imports: [LineComponent, MatButton, MatDialogModule, ReactiveFormsModule, SelectComponent],
  template: `
    <h2 mat-dialog-title>How this office writes</h2>
    <form [formGroup]="form" (ngSubmit)="done()">
      <mat-dialog-content class="body">
        <hr-line
          label="Currency, as a sign or a code of ISO 4217"
          inputId="st-currency"
          [hint]="'A new Money field has ' + places() + ' decimal places.'"
          formControlName="currency"
        />
        <hr-select
          label="Decimal mark"
          inputId="st-decimal"
          [options]="decimalMarks"
          formControlName="decimalMark"
        />
        <hr-select
          label="Between thousands"
          inputId="st-group"
          [options]="groupMarks"
          formControlName="groupMark"
        />
        <hr-select
          label="A date of three numbers is"
          inputId="st-order"
          [options]="dateOrders"
          formControlName="dateOrder"
        />
        <hr-select label="Clocks show the time of" [options]="zones" formControlName="timeZone" />
        <p class="sample">{{ sample() }}</p>
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
    .sample {
      padding: 8px 12px;
      background: var(--hr-ground);
      border-radius: 6px;
    }
  `,
})
export class SettingsDialog {
  private readonly was = inject<Settings>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<SettingsDialog, Settings>>(MatDialogRef);
  readonly decimalMarks = DECIMAL_MARKS;
  readonly groupMarks = GROUP_MARKS;
  readonly dateOrders = DATE_ORDERS;
  readonly zones: readonly Option[] = [
    ...new Set([this.was.timeZone, 'UTC', ...Intl.supportedValuesOf('timeZone')]),
  ].map((zone) => ({ id: zone, label: zone }));
  readonly form = new FormGroup({
    currency: this.control('currency'),
    decimalMark: this.control('decimalMark'),
    groupMark: this.control('groupMark'),
    dateOrder: this.control('dateOrder'),
    timeZone: this.control('timeZone'),
  });
  private readonly values = toSignal(this.form.valueChanges, { initialValue: this.form.getRawValue() });
  readonly settings = computed((): Settings => {
    const settings = { ...this.was, ...this.values() };
    return { ...settings, currency: settings.currency.trim() };
  });
  readonly places = computed(() => minorUnits(this.settings().currency));
  readonly sample = computed(() => {
    const locale = localeOf(this.settings());
    return [
      showValue({ kind: 'money', places: 2 }, '-1234567.50', locale),
      showValue({ kind: 'date', style: 'numbers' }, '2026-11-04', locale),
      showValue({ kind: 'dateTime' }, '2026-07-04T12:30:00Z', locale),
    ].join('   ·   ');
  });

  done(): void {
    this.form.markAllAsTouched();
    const isAsItWas = JSON.stringify(this.settings()) === JSON.stringify(this.was);
    if (this.form.valid) this.ref.close(isAsItWas ? undefined : this.settings());
  }

  private control<K extends 'currency' | 'decimalMark' | 'groupMark' | 'dateOrder' | 'timeZone'>(
    name: K,
  ): FormControl<Settings[K]> {
    const validators = bySchema(Settings.entries[name]);
    return new FormControl(this.was[name], { nonNullable: true, validators }) as FormControl<Settings[K]>;
  }
}
