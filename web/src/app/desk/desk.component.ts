import { Component, effect, inject, input } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTabsModule } from '@angular/material/tabs';
import { Router, RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { seeAs } from '../shared/as-role';
import { AccountMenuComponent } from '../shared/account-menu.component';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { isTypedIn } from '../shared/typed-in';
import { DeskLine } from './desk-news.service';
import { DeskStore } from './desk.store';
import { TabFocusDirective } from './tab-focus.directive';

/** The Desk: the office's name and its screens as tabs. */
@Component({
  selector: 'hr-desk',
  imports: [
    MatButton,
    MatIconModule,
    MatTabsModule,
    RouterLink,
    RouterLinkActive,
    RouterOutlet,
    AccountMenuComponent,
    TabFocusDirective,
  ],
  providers: [DeskLine, DeskStore],
  host: { '(document:keydown)': 'keys($event)' },
  template: `
    <header>
      <a class="name" routerLink="/files" aria-label="All files"
        ><svg viewBox="0 0 32 32" width="32" height="32" aria-hidden="true">
          <path fill="#c9a8d6" d="M1 26 12 9l6 9-5 8z" />
          <path fill="#7fc2a1" d="m10 26 11-15 10 15z" /></svg
        ><strong class="cut" dir="auto">{{ desk.info()?.name }}</strong></a
      >
      <nav mat-tab-nav-bar aria-label="Screens" mat-stretch-tabs="false" [tabPanel]="panel" hrTabFocus>
        <a
          mat-tab-link
          [routerLink]="['/desk', file(), 'today']"
          routerLinkActive
          #today="routerLinkActive"
          [active]="today.isActive"
          [class.here]="today.isActive"
          ><span class="row"><mat-icon svgIcon="home" />Today</span></a
        >
        @for (screen of desk.info()?.screens ?? []; track screen.id) {
          <a
            mat-tab-link
            [routerLink]="['/desk', file(), screen.shows === 'record' ? 'screen' : 'list', screen.id]"
            routerLinkActive
            #here="routerLinkActive"
            [active]="here.isActive"
            [class.here]="here.isActive"
            >{{ screen.label }}</a
          >
        }
        @for (board of desk.info()?.boards ?? []; track board.id) {
          <a
            mat-tab-link
            [routerLink]="['/desk', file(), 'board', board.id]"
            routerLinkActive
            #here="routerLinkActive"
            [active]="here.isActive"
            [class.here]="here.isActive"
            >{{ board.label }}</a
          >
        }
      </nav>
      @if (desk.info()?.role === 'builder') {
        @if (desk.info()?.duty; as duty) {
          <span class="as row" role="status"
            ><mat-icon svgIcon="visibility" aria-hidden="true" />as {{ duty
            }}<button matButton="text" class="compact" type="button" (click)="seeAll()">
              See everything
            </button></span
          >
        }
        <a class="bench" [routerLink]="['/file', file()]">To the Bench</a>
      }
      <hr-account-menu />
    </header>
    <main>
      <mat-tab-nav-panel #panel class="panel">
        @if (desk.failed()) {
          <div class="empty">
            <p>{{ desk.failed() }}</p>
            <button type="button" matButton="outlined" (click)="desk.open(file())">Try again</button>
            <a routerLink="/files">To the files</a>
          </div>
        } @else if (desk.info()) {
          <router-outlet />
        } @else {
          <div class="empty"><mat-icon class="spin" svgIcon="progress_activity" />Opening …</div>
        }
      </mat-tab-nav-panel>
    </main>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      grid-template-rows: 56px minmax(0, 1fr);
      height: 100vh;
    }
    header {
      display: flex;
      align-items: center;
      gap: 16px;
      padding: 0 16px;
      background: var(--hr-night);
      color: var(--hr-on-night);
    }
    header :focus-visible {
      outline-color: var(--hr-night-heather);
    }
    .name {
      display: flex;
      align-items: center;
      gap: 12px;
      min-width: 0;
      color: var(--hr-on-night);
      text-decoration: none;
    }
    nav {
      align-self: end;
      flex: 1;
      min-width: 0;
    }
    [mat-tab-link] {
      min-width: 0;
      margin-inline-end: 4px;
      padding-inline: 14px;
      border-radius: 8px 8px 0 0;
    }
    [mat-tab-link]:hover {
      background: var(--hr-night-shade);
    }
    [mat-tab-link].here {
      background: var(--hr-ground);
      font-weight: 700;
    }
    .row {
      gap: 6px;
    }
    .panel {
      display: block;
      height: 100%;
    }
    @media (max-width: 700px) {
      header {
        gap: 8px;
        padding: 0 8px;
      }
      .name strong,
      .bench {
        display: none;
      }
    }
    .as {
      padding-inline-start: 10px;
      border-radius: 6px;
      background: var(--hr-night-shade);
      white-space: nowrap;
    }
    .as button {
      color: var(--hr-night-soft);
      text-decoration: underline;
    }
    .bench {
      color: var(--hr-night-soft);
      white-space: nowrap;
    }
    main {
      min-height: 0;
      overflow: hidden;
    }
    @media print {
      :host {
        display: block;
        height: auto;
      }
      header {
        display: none;
      }
      main {
        overflow: visible;
      }
    }
  `,
})
export class DeskComponent {
  readonly desk = inject(DeskStore);
  private readonly dialogs = inject(LazyDialogs);
  private readonly router = inject(Router);
  readonly file = input.required<string>();

  constructor() {
    effect(() => this.desk.open(this.file()));
  }

  /** The builder sees the Desk as she finds it herself again. */
  seeAll(): void {
    seeAs(this.file(), null);
    void this.router.navigate(['/desk', this.file(), 'today']).then(() => this.desk.open(this.file()));
  }

  keys(event: KeyboardEvent): void {
    if (event.key === '?' && !isTypedIn(event.target))
      this.dialogs.open(() => import('../shared/keys.dialog').then((m) => m.KeysDialog)).subscribe();
  }
}
