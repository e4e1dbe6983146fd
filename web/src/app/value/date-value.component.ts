import { Component, computed, forwardRef, viewChild, type ElementRef } from '@angular/core';
import { MatIconButton } from '@angular/material/button';
import { MatDatepickerModule, type MatDatepickerInputEvent } from '@angular/material/datepicker';
import { MatIconModule } from '@angular/material/icon';
import { FIELD } from '../shared/field';
import { TypedPart, ValuePart } from './value-part';

/** A date, typed as people say dates, or picked in a calendar. */
@Component({
  selector: 'hr-date-value',
  imports: [FIELD, MatIconButton, MatDatepickerModule, MatIconModule],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => DateValueComponent) }],
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
        <!-- What the calendar hangs on: the line above reads far more than it would. -->
        <input
          class="behind"
          tabindex="-1"
          aria-hidden="true"
          [matDatepicker]="calendar"
          [value]="day()"
          (dateChange)="pick($event)"
        />
      }
      @if (!at.readonly()) {
        <button
          matIconSuffix
          matIconButton
          type="button"
          tabindex="-1"
          [attr.aria-label]="'Calendar for ' + at.field().label"
          (mousedown)="$event.preventDefault()"
          (click)="calendar.open()"
        >
          <mat-icon svgIcon="calendar_month" />
        </button>
      }
      <mat-datepicker #calendar />
      @if (at.says()) {
        <mat-error>{{ at.says() }}</mat-error>
      }
    </mat-form-field>
  `,
  styleUrl: './behind.scss',
})
export class DateValueComponent extends TypedPart {
  private readonly line = viewChild.required<ElementRef<HTMLInputElement>>('line');
  protected readonly day = computed(() => {
    const { value } = this.at.held();
    return typeof value === 'string' ? value : null;
  });

  protected override element(): HTMLInputElement {
    return this.line().nativeElement;
  }

  protected pick({ value }: MatDatepickerInputEvent<string>): void {
    if (value === null) return;
    this.draft.set(null);
    this.at.emit({ value });
  }
}
