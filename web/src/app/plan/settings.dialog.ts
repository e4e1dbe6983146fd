import { Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { localeOf, type Settings } from '@heathridge/core/design';
import { isTimeZone, minorUnits, showValue } from '@heathridge/core/values';
import { SELECT } from '../shared/select';
import { LineComponent } from '../shared/line.component';
import { SelectComponent, type Option } from '../shared/select.component';

/** How the office writes numbers, money, dates and times. It holds everywhere in the file. */
@Component({
  selector: 'hr-settings-dialog',
  imports: [MatButtonModule, FormsModule, MatDialogModule, SELECT, LineComponent, SelectComponent],
  template: `
    <h2 mat-dialog-title>How this office writes</h2>
    <mat-dialog-content class="body">
      <hr-line
        label="Currency, as a sign or a code of ISO 4217"
        inputId="st-currency"
        most="5"
        [hint]="'A new Money field has ' + places() + ' decimal places.'"
        [value]="settings().currency"
        (typed)="set({ currency: $event.trim() })"
      />
      <div class="field">
        <span class="label" id="st-decimal-label">Decimal mark</span>
        <mat-form-field
          ><mat-select
            id="st-decimal"
            [ngModel]="settings().decimalMark"
            (ngModelChange)="set({ decimalMark: $event })"
            aria-labelledby="st-decimal-label"
          >
            <mat-option value=".">a point: 12.50</mat-option>
            <mat-option value=",">a comma: 12,50</mat-option>
          </mat-select></mat-form-field
        >
      </div>
      <div class="field">
        <span class="label" id="st-group-label">Between thousands</span>
        <mat-form-field
          ><mat-select
            id="st-group"
            [ngModel]="settings().groupMark"
            (ngModelChange)="set({ groupMark: $event })"
            aria-labelledby="st-group-label"
          >
            <mat-option value=",">a comma: 1,234</mat-option>
            <mat-option value=".">a point: 1.234</mat-option>
            <mat-option value=" ">a blank: 1 234</mat-option>
            <mat-option value="’">an apostrophe: 1’234</mat-option>
            <mat-option value="">nothing: 1234</mat-option>
          </mat-select></mat-form-field
        >
      </div>
      <div class="field">
        <span class="label" id="st-order-label">A date of three numbers is</span>
        <mat-form-field
          ><mat-select
            id="st-order"
            [ngModel]="settings().dateOrder"
            (ngModelChange)="set({ dateOrder: $event })"
            aria-labelledby="st-order-label"
          >
            <mat-option value="dmy">day, month, year</mat-option>
            <mat-option value="mdy">month, day, year</mat-option>
            <mat-option value="ymd">year, month, day</mat-option>
          </mat-select></mat-form-field
        >
      </div>
      <hr-select
        label="Clocks show the time of"
        [options]="zones"
        [value]="settings().timeZone"
        (changed)="set({ timeZone: $event })"
      />
      <p class="sample">{{ sample() }}</p>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
      <button
        type="button"
        matButton="filled"
        [disabled]="!zoneOk() || same()"
        (click)="ref.close(settings())"
      >
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
    .sample {
      padding: 8px 12px;
      background: var(--hr-ground);
      border-radius: 6px;
    }
  `,
})
export class SettingsDialog {
  private readonly was = inject<Settings>(MAT_DIALOG_DATA);
  readonly ref = inject<MatDialogRef<SettingsDialog, Settings>>(MatDialogRef);
  readonly settings = signal(this.was);
  readonly zones: readonly Option[] = [
    ...new Set([this.was.timeZone, 'UTC', ...Intl.supportedValuesOf('timeZone')]),
  ].map((zone) => ({ id: zone, label: zone }));
  readonly zoneOk = computed(() => isTimeZone(this.settings().timeZone));
  readonly places = computed(() => minorUnits(this.settings().currency));
  readonly same = computed(() => JSON.stringify(this.settings()) === JSON.stringify(this.was));
  readonly sample = computed(() => {
    const locale = localeOf(this.zoneOk() ? this.settings() : this.was);
    return [
      showValue({ kind: 'money', places: 2 }, '-1234567.50', locale),
      showValue({ kind: 'date', style: 'numbers' }, '2026-11-04', locale),
      showValue({ kind: 'dateTime' }, '2026-07-04T12:30:00Z', locale),
    ].join('   ·   ');
  });

  set(part: Partial<Settings>): void {
    this.settings.update((settings) => ({ ...settings, ...part }));
  }
}
