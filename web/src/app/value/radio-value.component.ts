import { Component, computed, forwardRef, viewChildren } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatRadioButton, MatRadioModule } from '@angular/material/radio';
import { ValuePart } from './value-part';

/** A choice out of a few that lie beside one another. */
@Component({
  selector: 'hr-radio-value',
  imports: [MatButton, MatRadioModule],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => RadioValueComponent) }],
  template: `
    <mat-radio-group
      [id]="at.inputId()"
      [disabled]="at.readonly()"
      [attr.aria-label]="at.label() ?? at.field().label"
      [attr.aria-invalid]="at.wrong()"
      [value]="at.held().value"
      (change)="at.emit({ value: $event.value })"
    >
      @for (choice of choices(); track choice) {
        <mat-radio-button [value]="choice">
          @if (colours()[choice]; as colour) {
            <span class="dot" [class]="colour"></span>
          }
          {{ choice }}
        </mat-radio-button>
      }
      @if (at.held().value !== null && !at.readonly()) {
        <button matButton="text" class="compact" type="button" (click)="at.emit({ value: null })">
          none
        </button>
      }
    </mat-radio-group>
    @if (at.says()) {
      <p class="message">{{ at.says() }}</p>
    }
  `,
  styles: `
    mat-radio-group {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 0 10px;
    }
  `,
})
export class RadioValueComponent extends ValuePart {
  private readonly buttons = viewChildren(MatRadioButton);
  private readonly type = computed(() => {
    const { type } = this.at.field();
    return type.kind === 'choice' ? type : null;
  });
  protected readonly choices = computed(() => this.type()?.choices ?? []);
  protected readonly colours = computed((): Readonly<Record<string, string>> => this.type()?.colours ?? {});

  override focus(): void {
    const buttons = this.buttons();
    (buttons.find(({ checked }) => checked) ?? buttons[0])?.focus();
  }
}
