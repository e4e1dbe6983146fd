import { Component, computed, input, output, signal } from '@angular/core';
import { MatIconModule } from '@angular/material/icon';
import { MatListModule } from '@angular/material/list';
import { LineComponent } from './line.component';

/** Something that may be picked; `of` says what it belongs to. */
export interface Pickable {
  readonly id: string;
  readonly label: string;
  readonly of?: string;
  readonly icon?: string;
  /** Said behind it. */
  readonly note?: string;
}

/** Things from which on there is a line to find them by. */
const MANY = 13;

/** A list out of which one thing is picked; one that is long has a line to find them by. */
@Component({
  selector: 'hr-pick',
  imports: [LineComponent, MatIconModule, MatListModule],
  template: `
    @if (list().length >= many) {
      <hr-line
        type="search"
        [about]="'Find in ' + about()"
        placeholder="Find…"
        (typed)="sought.set($event)"
        (keydown.enter)="takeFirst()"
      />
    }
    <mat-action-list [attr.aria-label]="about()">
      @for (item of matching(); track item.id) {
        <button mat-list-item type="button" (click)="picked.emit(item.id)">
          @if (item.icon) {
            <mat-icon matListItemIcon [svgIcon]="item.icon" />
          }
          <span matListItemTitle>
            @if (item.of) {
              <span class="soft">{{ item.of }}&ngsp;</span>
            }
            {{ item.label }}
            @if (item.note) {
              <span class="soft small">{{ item.note }}</span>
            }
          </span>
        </button>
      }
    </mat-action-list>
    @if (matching().length === 0) {
      <p class="soft" role="status">Nothing here has “{{ sought().trim() }}” in it.</p>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 6px;
    }
  `,
})
export class PickComponent {
  readonly about = input.required<string>();
  readonly list = input.required<readonly Pickable[]>();
  readonly picked = output<string>();
  protected readonly many = MANY;
  protected readonly sought = signal('');
  protected readonly matching = computed(() => {
    const text = this.sought().trim().toLocaleLowerCase();
    return this.list().filter(({ label, of = '' }) => `${of} ${label}`.toLocaleLowerCase().includes(text));
  });

  /** Enter in the line takes the first that is left, once something is sought. */
  protected takeFirst(): void {
    const [first] = this.matching();
    if (first && this.sought().trim() !== '') this.picked.emit(first.id);
  }
}
