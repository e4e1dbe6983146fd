import { Component, computed, forwardRef, viewChild, type ElementRef } from '@angular/core';
import { MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTimepickerModule } from '@angular/material/timepicker';
import { FIELD } from '../shared/field';
import { TypedPart, ValuePart } from './value-part';

/** Any day: only its time counts. */
const DAY = '2000-01-01T';

/** A time of day, typed as people say times, or picked from the half hours. */
@Component({
  selector: 'hr-time-value',
  imports: [FIELD, MatIconButton, MatIconModule, MatTimepickerModule],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => TimeValueComponent) }],
  template: `
    <mat-form-field [class.read]="at.readonly()">
      <input
        #line
        matInput
        autocomplete="off"
        [hrWrong]="at.wrong()"
        [id]="at.inputId()"
        [readonly]="at.readonly()"
        [attr.aria-label]="at.label()"
        [value]="shown()"
        (pointerdown)="pointed = true"
        (focus)="begin()"
        (input)="type(line.value)"
        (blur)="leave()"
        (keydown.enter)="leave()"
      />
      @if (!at.readonly()) {
        <!-- What the list of times hangs on: the line above reads far more than it would. -->
        <input
          class="behind"
          tabindex="-1"
          aria-hidden="true"
          [matTimepicker]="clock"
          [value]="time()"
          (valueChange)="pick($event)"
        />
      }
      @if (!at.readonly()) {
        <button
          matIconSuffix
          matIconButton
          type="button"
          tabindex="-1"
          [attr.aria-label]="'Times for ' + at.field().label"
          (mousedown)="$event.preventDefault()"
          (click)="clock.open()"
        >
          <mat-icon svgIcon="schedule" />
        </button>
      }
      <mat-timepicker #clock interval="30m" />
      @if (at.says()) {
        <mat-error>{{ at.says() }}</mat-error>
      }
    </mat-form-field>
  `,
  styleUrl: './behind.scss',
})
export class TimeValueComponent extends TypedPart {
  private readonly line = viewChild.required<ElementRef<HTMLInputElement>>('line');
  protected readonly time = computed(() => {
    const { value } = this.at.held();
    return typeof value === 'string' ? DAY + value : null;
  });

  protected override element(): HTMLInputElement {
    return this.line().nativeElement;
  }

  protected pick(picked: string | null): void {
    const time = picked?.slice(DAY.length);
    // The list tells also what it was given.
    if (!time || time === this.at.held().value) return;
    this.draft.set(null);
    this.at.emit({ value: time });
  }
}
