import {
  afterNextRender,
  Component,
  computed,
  inject,
  signal,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInputModule } from '@angular/material/input';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';

export interface GoTo {
  readonly label: string;
  readonly what: string;
  readonly link: readonly string[];
  readonly query: Readonly<Record<string, string>>;
}

/** Type part of a name, Enter goes there. */
@Component({
  selector: 'hr-go-to',
  imports: [MatDialogModule, MatFormFieldModule, MatInputModule],
  template: `
    <div class="box">
      <label class="visually-hidden" for="go-to">Go to</label>
      <mat-form-field class="whole">
        <input
          #box
          matInput
          id="go-to"
          placeholder="A table, query, screen, report or stage"
          autocomplete="off"
          role="combobox"
          aria-expanded="true"
          aria-controls="go-to-list"
          [attr.aria-activedescendant]="found().length ? 'go-to-' + at() : null"
          (input)="typed(box.value)"
          (keydown)="key($event)"
          cdkFocusInitial
        />
      </mat-form-field>
      <ul id="go-to-list" class="plain-list" role="listbox" aria-label="Places">
        @for (item of found(); track $index) {
          <li
            role="option"
            [id]="'go-to-' + $index"
            [attr.aria-selected]="$index === at()"
            tabindex="-1"
            (click)="ref.close(item)"
            (keydown.enter)="ref.close(item)"
          >
            <span class="grow cut" dir="auto">{{ item.label }}</span><span class="soft small">{{
              item.what
            }}</span>
          </li>
        } @empty {
          <li class="soft">Nothing here is called that.</li>
        }
      </ul>
    </div>
  `,
  styles: `
    .box {
      padding: 12px;
    }
    .whole {
      width: 100%;
    }
    ul {
      margin-top: 8px;
      max-height: 50vh;
      overflow: auto;
    }
    li {
      display: flex;
      gap: 12px;
      padding: 6px 10px;
      border-radius: 6px;
      cursor: pointer;
    }
    li[aria-selected='true'] {
      background: var(--hr-moss-tint);
    }
  `,
})
export class GoToDialog {
  readonly ref = inject<MatDialogRef<GoToDialog, GoTo>>(MatDialogRef);
  private readonly items = inject<readonly GoTo[]>(MAT_DIALOG_DATA);
  private readonly text = signal('');
  private readonly box = viewChild.required<ElementRef<HTMLInputElement>>('box');
  readonly at = signal(0);
  readonly found = computed(() => {
    const words = this.text().toLowerCase().split(/\s+/).filter(Boolean);
    return this.items
      .filter(({ label, what }) => words.every((word) => `${label} ${what}`.toLowerCase().includes(word)))
      .slice(0, 50);
  });

  constructor() {
    // At once: whoever pressed the keys is typing already.
    afterNextRender(() => this.box().nativeElement.focus());
  }

  typed(text: string): void {
    this.text.set(text);
    this.at.set(0);
  }

  key(event: KeyboardEvent): void {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step !== 0) {
      event.preventDefault();
      const count = Math.max(this.found().length, 1);
      this.at.update((at) => (at + step + count) % count);
      document.getElementById(`go-to-${this.at()}`)?.scrollIntoView({ block: 'nearest' });
    } else if (event.key === 'Enter') {
      const item = this.found()[this.at()];
      if (item) this.ref.close(item);
    }
  }
}
