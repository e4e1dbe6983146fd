import { DOWN_ARROW } from '@angular/cdk/keycodes';
import { Component, provideZonelessChangeDetection, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { FormsModule } from '@angular/forms';
import { SELECT } from './select';

@Component({
  imports: [FormsModule, SELECT],
  template: `<mat-select aria-label="Kind" [ngModel]="kind()" (ngModelChange)="kind.set($event)">
    @for (word of words; track word) {
      <mat-option [value]="word" [disabled]="word === 'Dated'">{{ word }}</mat-option>
    }
  </mat-select>`,
})
class HostComponent {
  readonly words = ['Text', 'Dated', 'Date', 'Date and time', 'Tick'];
  readonly kind = signal('Text');
}

describe('a list of choices that is typed into while it is closed', () => {
  async function show(): Promise<{
    host: HostComponent;
    press: (...keys: string[]) => Promise<KeyboardEvent[]>;
  }> {
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection()] });
    const fixture = TestBed.createComponent(HostComponent);
    await fixture.whenStable();
    const select = (fixture.nativeElement as HTMLElement).querySelector('mat-select')!;
    const press = async (...keys: string[]): Promise<KeyboardEvent[]> => {
      const events = keys.map(
        (key) =>
          new KeyboardEvent('keydown', {
            key,
            // The library still asks for the code of a key.
            keyCode: key === 'ArrowDown' ? DOWN_ARROW : 0,
            bubbles: true,
            cancelable: true,
          }),
      );
      for (const event of events) select.dispatchEvent(event);
      await fixture.whenStable();
      return events;
    };
    return { host: fixture.componentInstance, press };
  }

  it('has each letter at once, with blanks within, and passes over what cannot be chosen', async () => {
    const { host, press } = await show();
    await press('d');
    expect(host.kind()).toBe('Date');
    await press(...'ate A');
    expect(host.kind()).toBe('Date and time');
  });

  it('stays as it is where nothing begins so', async () => {
    const { host, press } = await show();
    await press(...'dax');
    expect(host.kind()).toBe('Date');
  });

  it('leaves to the list what is no letter', async () => {
    const { host, press } = await show();
    const [first] = await press('ArrowDown');
    expect(first!.defaultPrevented).toBeTrue();
    expect(host.kind()).toBe('Date');
  });

  it('begins anew after a pause', async () => {
    const { host, press } = await show();
    const [first] = await press('d');
    const later = new KeyboardEvent('keydown', { key: 't', bubbles: true, cancelable: true });
    Object.defineProperty(later, 'timeStamp', { value: first!.timeStamp + 5000 });
    document.querySelector('mat-select')!.dispatchEvent(later);
    expect(host.kind()).toBe('Text');
  });
});
