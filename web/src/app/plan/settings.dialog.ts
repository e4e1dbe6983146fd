import { Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { localeOf, type Settings } from '@heathridge/core/design';
import { isTimeZone, minorUnits, showValue } from '@heathridge/core/values';
import { MostDirective } from '../shared/most.directive';
import { SELECT } from '../shared/select';

/** How the office writes numbers, money, dates and times. It holds everywhere in the file. */
@Component({
  selector: 'hr-settings-dialog',
  imports: [MatButtonModule, MostDirective, FormsModule, MatDialogModule, SELECT],
  template: `
    <h2 mat-dialog-title>How this office writes</h2>
    <mat-dialog-content class="body">
      <div class="field">
        <label for="st-currency">Currency, as a sign or a code of ISO 4217</label>
        <input
          id="st-currency"
          class="input"
          hrMost="5"
          [ngModel]="settings().currency"
          (ngModelChange)="set({ currency: $event.trim() })"
        />
        <span class="soft small">A new Money field has {{ places() }} decimal places.</span>
      </div>
      <div class="field">
        <span class="label" id="st-decimal-label">Decimal mark</span>
        <mat-select
          id="st-decimal"
          class="input"
          [ngModel]="settings().decimalMark"
          (ngModelChange)="set({ decimalMark: $event })"
          aria-labelledby="st-decimal-label"
        >
          <mat-option value=".">a point: 12.50</mat-option>
          <mat-option value=",">a comma: 12,50</mat-option>
        </mat-select>
      </div>
      <div class="field">
        <span class="label" id="st-group-label">Between thousands</span>
        <mat-select
          id="st-group"
          class="input"
          [ngModel]="settings().groupMark"
          (ngModelChange)="set({ groupMark: $event })"
          aria-labelledby="st-group-label"
        >
          <mat-option value=",">a comma: 1,234</mat-option>
          <mat-option value=".">a point: 1.234</mat-option>
          <mat-option value=" ">a blank: 1 234</mat-option>
          <mat-option value="’">an apostrophe: 1’234</mat-option>
          <mat-option value="">nothing: 1234</mat-option>
        </mat-select>
      </div>
      <div class="field">
        <span class="label" id="st-order-label">A date of three numbers is</span>
        <mat-select
          id="st-order"
          class="input"
          [ngModel]="settings().dateOrder"
          (ngModelChange)="set({ dateOrder: $event })"
          aria-labelledby="st-order-label"
        >
          <mat-option value="dmy">day, month, year</mat-option>
          <mat-option value="mdy">month, day, year</mat-option>
          <mat-option value="ymd">year, month, day</mat-option>
        </mat-select>
      </div>
      <div class="field">
        <label for="st-zone">Clocks show the time of</label>
        <input
          id="st-zone"
          class="input"
          list="st-zones"
          [class.wrong]="!zoneOk()"
          [ngModel]="settings().timeZone"
          (ngModelChange)="set({ timeZone: $event.trim() })"
        />
        <datalist id="st-zones">
          @for (zone of zones; track zone) {
            <option [value]="zone"></option>
          }
        </datalist>
        @if (!zoneOk()) {
          <p class="message">This is not a time zone, such as Europe/London.</p>
        }
      </div>
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
  readonly zones = Intl.supportedValuesOf('timeZone');
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
