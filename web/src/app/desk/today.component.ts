import { Component, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { RouterLink } from '@angular/router';
import { showDate } from '@heathridge/core/values';
import { DeskStore } from './desk.store';

/** The first tab: what there is to open. */
@Component({
  selector: 'hr-today',
  imports: [MatButtonModule, MatIconModule, RouterLink],
  template: `
    <div class="page">
      <h1>Today, {{ date(desk.info()?.today ?? '') }}</h1>
      <div class="screens">
        @for (screen of desk.info()?.screens ?? []; track screen.id) {
          <div class="card">
            <a class="open" [routerLink]="['/desk', desk.file, 'screen', screen.id]"
              ><strong>{{ screen.label }}</strong
              ><span class="soft">find and change {{ screen.many.toLowerCase() }}</span></a
            >
            <a
              matButton="outlined"
              class="compact"
              [routerLink]="['/desk', desk.file, 'screen', screen.id]"
              [queryParams]="{ new: 1 }"
              ><mat-icon svgIcon="add" />New {{ screen.one.toLowerCase() }}</a
            >
          </div>
        } @empty {
          <div class="card empty">
            <p>No screen is on the Desk yet. The builder makes them in Screens.</p>
          </div>
        }
      </div>
    </div>
  `,
  styles: `
    .page {
      height: 100%;
      overflow: auto;
      padding: 28px 32px;
    }
    .screens {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(min(270px, 100%), 1fr));
      gap: 14px;
      margin-top: 18px;
    }
    .card {
      display: grid;
      gap: 12px;
      justify-items: start;
      padding: 16px;
    }
    .open {
      display: grid;
      color: inherit;
      text-decoration: none;
      font-size: var(--hr-text-large);
    }
    .open:hover strong {
      text-decoration: underline;
    }
  `,
})
export class TodayComponent {
  readonly desk = inject(DeskStore);
  readonly date = showDate;
}
