import { booleanAttribute, Component, computed, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatListModule } from '@angular/material/list';

/** What a list at the side of a page leads to. */
export interface Listed {
  readonly id: string;
  readonly label: string;
  /** How many it holds, where that is to be seen. */
  readonly count?: number;
  /** Set where something in it is to be mended. */
  readonly warns?: boolean;
}

/** The list at the left of a page, from which what it holds is opened, and a new one begun. */
@Component({
  selector: 'hr-documents',
  imports: [MatButton, MatIconModule, MatListModule],
  host: { role: 'complementary', '[attr.aria-label]': 'about()' },
  template: `
    @for (group of groups(); track group.heading) {
      <h2>{{ group.heading }}</h2>
      <mat-nav-list [attr.aria-label]="group.heading">
        @for (item of group.list; track item.id) {
          <button
            mat-list-item
            type="button"
            [activated]="item.id === current()"
            [attr.aria-current]="item.id === current()"
            (click)="group.opened.emit(item.id)"
          >
            <span matListItemTitle dir="auto">{{ item.label }}</span>
            @if (item.warns) {
              <span matListItemMeta class="warns"
                ><mat-icon svgIcon="warning" aria-hidden="true" /><span class="visually-hidden"
                  >something in it is to be mended</span
                ></span
              >
            }
            @if (item.count !== undefined) {
              <span matListItemMeta>{{ item.count.toLocaleString('en-GB') }}</span>
            }
          </button>
        } @empty {
          <p class="soft none">{{ group.none }}</p>
        }
      </mat-nav-list>
      @if (group.act) {
        <button
          matButton="outlined"
          class="new"
          type="button"
          [disabled]="disabled()"
          (click)="group.begun.emit()"
        >
          <mat-icon svgIcon="add" />{{ group.act }}
        </button>
      }
    }
    <ng-content />
  `,
  styles: `
    :host {
      display: block;
      overflow: auto;
      background: var(--hr-paper);
      border-right: 1px solid var(--hr-line);
    }
    h2 {
      padding: 18px 18px 8px;
      font-size: var(--hr-text-base);
      font-weight: 400;
      color: var(--hr-soft);
    }
    .warns {
      color: var(--hr-gorse-deep);
    }
    .none {
      padding: 4px 18px;
    }
    .new {
      margin: 14px 18px;
    }
    [mat-list-item] {
      padding-inline: 18px;
      border: 0;
      background: none;
      text-align: start;
    }
    [mat-list-item][aria-current='true'] {
      box-shadow: inset 3px 0 var(--hr-moss);
      font-weight: 700;
    }
  `,
})
export class DocumentsComponent {
  /** What those hear who listen: `Queries`. */
  readonly about = input.required<string>();
  readonly heading = input.required<string>();
  readonly list = input.required<readonly Listed[]>();
  readonly current = input<string | undefined>(undefined);
  /** What the button says that begins a new one; empty where nothing is begun here. */
  readonly act = input('');
  /** What is said where the list is empty. */
  readonly none = input('');
  readonly disabled = input(false, { transform: booleanAttribute });
  /** A second list beneath the first, of what is made of what stands in that. */
  readonly others = input<readonly Listed[]>([]);
  readonly othersHeading = input('');
  readonly othersNone = input('');
  readonly otherAct = input('');
  readonly opened = output<string>();
  readonly begun = output();
  readonly otherOpened = output<string>();
  readonly otherBegun = output();

  readonly groups = computed(() => [
    {
      heading: this.heading(),
      list: this.list(),
      none: this.none(),
      act: this.act(),
      opened: this.opened,
      begun: this.begun,
    },
    ...(this.othersHeading()
      ? [
          {
            heading: this.othersHeading(),
            list: this.others(),
            none: this.othersNone(),
            act: this.otherAct(),
            opened: this.otherOpened,
            begun: this.otherBegun,
          },
        ]
      : []),
  ]);
}
