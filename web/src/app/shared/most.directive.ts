import { Directive, ElementRef, inject, input, numberAttribute, type OnDestroy } from '@angular/core';
import { characters } from '@heathridge/core/values';

let count = 0;

/**
 * Refuses a text of more characters than fit, in words, and leaves it as it was typed: nothing is cut off. What
 * is too long does not reach whoever listens to the input.
 */
@Directive({ selector: 'input[hrMost], textarea[hrMost]' })
export class MostDirective implements OnDestroy {
  readonly hrMost = input.required({ transform: numberAttribute });
  private readonly host =
    inject<ElementRef<HTMLInputElement | HTMLTextAreaElement>>(ElementRef).nativeElement;
  private message: HTMLElement | null = null;
  private readonly listen = (event: Event): void => {
    if (this.fits()) return;
    event.stopImmediatePropagation();
  };

  constructor() {
    // On its way down, before anybody else hears of it.
    for (const type of ['input', 'change']) this.host.addEventListener(type, this.listen, { capture: true });
    this.host.dir = 'auto';
  }

  ngOnDestroy(): void {
    for (const type of ['input', 'change'])
      this.host.removeEventListener(type, this.listen, { capture: true });
    this.message?.remove();
  }

  private fits(): boolean {
    const [has, most] = [characters(this.host.value), this.hrMost()];
    const fits = has <= most;
    if (fits) {
      this.message?.remove();
      this.message = null;
      this.host.removeAttribute('aria-invalid');
      this.host.removeAttribute('aria-describedby');
      return true;
    }
    this.message ??= this.place();
    this.message.textContent = `At most ${most} characters fit here; this has ${has}, and is not taken yet.`;
    this.host.setAttribute('aria-invalid', 'true');
    this.host.setAttribute('aria-describedby', this.message.id);
    return false;
  }

  private place(): HTMLElement {
    const message = document.createElement('p');
    message.className = 'message too-long';
    message.id = `most-${++count}`;
    message.setAttribute('role', 'alert');
    this.host.insertAdjacentElement('afterend', message);
    return message;
  }
}
