import { LiveAnnouncer } from '@angular/cdk/a11y';
import { Component, computed, inject, input, output } from '@angular/core';
import { CdkDrag, CdkDragHandle, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { isGiven, type Field } from '@heathridge/core/design';
import { moved, type Level } from '@heathridge/core/form';

/** The order in which the Tab key goes through the fields of a level: that of reading, or one made by hand. */
@Component({
  selector: 'hr-tab-order',
  imports: [CdkDrag, CdkDragHandle, CdkDropList, MatButton, MatIconButton, MatIconModule],
  host: { class: 'field', role: 'group', 'aria-label': 'Order of the Tab key' },
  template: `
    <span class="label">The Tab key goes</span>
    @if (order() === undefined) {
      <p class="soft">as one reads.</p>
      @if (fields().length > 1) {
        <button matButton="outlined" class="compact" type="button" (click)="byHand()">
          In another order…
        </button>
      }
    } @else {
      <ol cdkDropList (cdkDropListDropped)="dropped($event)">
        @for (field of fields(); track field.id; let i = $index) {
          <li cdkDrag class="row">
            <mat-icon cdkDragHandle svgIcon="drag_indicator" aria-hidden="true" />
            <span class="number">{{ i + 1 }}</span>
            <span class="grow cut" dir="auto">{{ field.label }}</span>
            <button
              matIconButton
              type="button"
              [disabled]="i === 0"
              [attr.aria-label]="field.label + ' earlier'"
              (click)="move(i, i - 1)"
            >
              <mat-icon svgIcon="arrow_upward" />
            </button>
            <button
              matIconButton
              type="button"
              [disabled]="i === fields().length - 1"
              [attr.aria-label]="field.label + ' later'"
              (click)="move(i, i + 1)"
            >
              <mat-icon svgIcon="arrow_downward" />
            </button>
          </li>
        }
      </ol>
      <button matButton="outlined" class="compact" type="button" (click)="changed.emit(undefined)">
        As one reads again
      </button>
    }
  `,
  styles: `
    ol {
      display: grid;
      margin: 0 0 8px;
      padding: 0;
      list-style: none;
      border: 1px solid var(--hr-line);
      border-radius: 6px;
    }
    li {
      gap: 6px;
      padding: 0 4px 0 8px;
      background: var(--hr-paper);
      border-bottom: 1px solid var(--hr-line);
    }
    li:last-child {
      border-bottom: 0;
    }
    .number {
      min-width: 1.4em;
      font-weight: 700;
      color: var(--hr-moss);
    }
    mat-icon[cdkDragHandle] {
      cursor: grab;
    }
  `,
})
export class TabOrderComponent {
  private readonly announcer = inject(LiveAnnouncer);
  readonly level = input.required<Level>();
  /** The ids of its fields as they were put by hand; undefined for the order of reading. */
  readonly order = input.required<readonly string[] | undefined>();
  readonly changed = output<string[] | undefined>();
  /** Those that are typed into, in the order that holds. */
  readonly fields = computed((): Field[] =>
    this.level()
      .cells.filter(({ cell, field }) => cell.people === 'type' && !isGiven(field))
      .map(({ field }) => field),
  );

  byHand(): void {
    this.changed.emit(this.fields().map(({ id }) => id));
  }

  move(from: number, to: number): void {
    const ids = moved(
      this.fields().map(({ id }) => id),
      from,
      to,
    );
    void this.announcer.announce(`${this.fields()[from]!.label} is number ${to + 1} of ${ids.length}.`);
    this.changed.emit(ids);
  }

  dropped({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    if (previousIndex !== currentIndex) this.move(previousIndex, currentIndex);
  }
}
