import { Component, computed, inject, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { fieldOf } from '@heathridge/core/design';
import { partId, pictureId, type Column } from '@heathridge/core/form';
import type { Reading } from '@heathridge/core/values';
import { columnLabel, columnShown } from './column-shown';
import { isHidden, type RecordState } from './record.state';
import { Api } from '../shared/api.service';

interface CardLine {
  readonly id: string;
  readonly label: string;
  readonly text: string;
}

/**
 * A row as a card: what its first column holds at the head, and a line for each other one that holds anything. A card
 * with an id is gone to by keys, and does what is said of it; one without is only looked at.
 */
@Component({
  selector: 'hr-card',
  imports: [MatButton],
  template: `
    @if (card()) {
      <button
        matButton="text"
        class="words name"
        type="button"
        [attr.data-card]="card()"
        [attr.tabindex]="isEntry() ? 0 : -1"
        [attr.aria-current]="isPicked() ? 'true' : null"
        [attr.aria-label]="name() + (title() ? ', ' + title() : '')"
        (focus)="picked.emit()"
        (click)="picked.emit()"
        (dblclick)="opened.emit()"
        (keydown)="pressed.emit($event)"
      >
        <span class="cut" dir="auto">{{ title() || name() }}</span>
      </button>
    } @else {
      <strong class="name cut" dir="auto">{{ title() || name() }}</strong>
    }
    @if (picture(); as source) {
      <img class="picture" alt="" [src]="source" />
    }
    @if (lines().length > 0) {
      <dl>
        @for (line of lines(); track line.id) {
          <div class="line">
            <dt class="soft">{{ line.label }}</dt>
            <dd dir="auto">{{ line.text }}</dd>
          </div>
        }
      </dl>
    }
  `,
  styles: `
    :host {
      display: block;
    }
    .name {
      display: block;
      width: 100%;
      min-height: 24px;
      height: auto;
      padding: 0;
      padding-inline-end: var(--hr-card-room, 0);
      text-align: start;
      font-weight: 700;
      text-decoration: none;
    }
    /* The whole card is pressed, whatever of it is meant. */
    button.name::after {
      content: '';
      position: absolute;
      inset: 0;
      border-radius: inherit;
    }
    button.name:focus-visible {
      outline: none;
    }
    button.name:focus-visible::after {
      outline: 2px solid var(--hr-moss);
      outline-offset: 1px;
      border-radius: 8px;
    }
    .picture {
      display: block;
      max-width: 100%;
      max-height: 90px;
      margin-block: 4px;
      border-radius: 4px;
    }
    dl {
      display: grid;
      gap: 1px;
      margin: 2px 0 0;
      font-size: var(--hr-text-note);
    }
    .line {
      display: flex;
      flex-wrap: wrap;
      gap: 0 8px;
    }
    dd {
      margin: 0;
      min-width: 0;
      overflow-wrap: anywhere;
    }
  `,
})
export class CardComponent {
  private readonly api = inject(Api);
  readonly state = input.required<RecordState>();
  /** The id of the file whose pictures it shows. */
  readonly file = input.required<string>();
  /** What stands on it; the first at its head. */
  readonly columns = input.required<readonly Column[]>();
  readonly reading = input.required<Reading>();
  /** What the row is called: `Repair J-0641`. */
  readonly name = input('');
  readonly card = input('');
  /** Whether the Tab key goes to it, and whether it is the one that is picked. */
  readonly isEntry = input(false);
  readonly isPicked = input(false);
  readonly picked = output();
  readonly opened = output();
  readonly pressed = output<KeyboardEvent>();

  private readonly texts = computed((): CardLine[] => {
    const { table } = this.state();
    return this.columns().map((column) => ({
      id: partId(column),
      label: columnLabel(table, column),
      text: this.isPicture(column)
        ? ''
        : columnShown(this.state().record(), table, column, this.reading().locale),
    }));
  });
  readonly title = computed(() => this.texts()[0]?.text ?? '');
  readonly lines = computed(() =>
    this.texts()
      .slice(1)
      .filter(({ text }) => text !== ''),
  );
  /** The first picture of the row, or of one to which it leads; empty where there is none. */
  readonly picture = computed(() => {
    const row = this.state().record();
    for (const column of this.columns()) {
      if (column.part !== 'cell' || isHidden(row, column.field)) continue;
      const own = this.isPicture(column);
      const value =
        own || column.picture !== undefined
          ? row.held[own ? column.field : pictureId(column.field)]?.value
          : undefined;
      if (typeof value === 'number') return this.api.attachment(this.file(), value, 'preview');
    }
    return '';
  });

  private isPicture(column: Column): boolean {
    return column.part === 'cell' && fieldOf(this.state().table, column.field)?.type.kind === 'picture';
  }
}
