import { Directive, effect, ElementRef, inject, input, type OnDestroy } from '@angular/core';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelect, MatSelectModule } from '@angular/material/select';

/** Milliseconds after which letters begin another word. */
const PAUSE = 1000;

/**
 * Chooses by typing, letter by letter, while the list is closed. The library waits until nobody has typed for a
 * while: who types a word and goes on with Tab would leave what was chosen before.
 */
@Directive({ selector: 'mat-select' })
export class QuickTypingDirective implements OnDestroy {
  private readonly select = inject(MatSelect);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private typed = '';
  private last = 0;

  constructor() {
    // Before the library's own listener.
    this.element.addEventListener('keydown', this.take, { capture: true });
  }

  ngOnDestroy(): void {
    this.element.removeEventListener('keydown', this.take, { capture: true });
  }

  private readonly take = (event: KeyboardEvent): void => {
    const { key, ctrlKey, altKey, metaKey, timeStamp } = event;
    if (this.select.panelOpen || this.select.disabled || key.length !== 1 || ctrlKey || altKey || metaKey)
      return;
    if (timeStamp - this.last > PAUSE) this.typed = '';
    // A blank opens the list, unless it stands within a word.
    if (key === ' ' && this.typed === '') return;
    event.preventDefault();
    event.stopImmediatePropagation();
    this.typed += key.toLocaleLowerCase();
    this.last = timeStamp;
    const option = this.select.options.find(
      ({ viewValue, disabled }) => !disabled && viewValue.trim().toLocaleLowerCase().startsWith(this.typed),
    );
    option?.select();
  };
}

/** Says of a list that what is chosen in it is wrong, as `hrWrong` does of a line. */
@Directive({ selector: 'mat-select[hrWrong]' })
export class WrongChoiceDirective {
  readonly hrWrong = input.required<boolean>();

  constructor() {
    const list = inject(MatSelect, { self: true });
    effect(() => {
      list.errorState = this.hrWrong();
      list.stateChanges.next();
    });
  }
}

/** What a component needs that has choices out of a short list. */
export const SELECT = [
  MatFormFieldModule,
  MatSelectModule,
  QuickTypingDirective,
  WrongChoiceDirective,
] as const;
