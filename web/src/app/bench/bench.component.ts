import { ApplicationRef, Component, computed, effect, inject, input, ViewContainerRef } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { documentsOf, type DocumentType } from '@heathridge/core/design';
import { AccountMenuComponent } from '../shared/account-menu.component';
import { DraftStore } from '../plan/draft.store';
import { FileStore } from '../file/file.store';
import { GoToDialog, type GoTo } from './go-to.dialog';
import { Router } from '@angular/router';
import { LazyDialogs } from '../shared/lazy-dialogs.service';

/** The stages of the trail that do something yet, in the order in which a builder works. */
const STAGES = [
  { path: 'plan', label: 'Plan' },
  { path: 'fill', label: 'Fill' },
  { path: 'query', label: 'Query' },
  { path: 'screens', label: 'Screens' },
  { path: 'print', label: 'Print' },
  { path: 'people', label: 'People' },
] as const;

/** The stage in which documents of a type are edited, and what one is called there and in its address. */
const DOCUMENT_PAGES: Readonly<Record<DocumentType, { readonly path: string; readonly what: string }>> = {
  query: { path: 'query', what: 'query' },
  form: { path: 'screens', what: 'screen' },
  board: { path: 'screens/boards', what: 'board' },
  report: { path: 'print', what: 'report' },
  role: { path: 'people', what: 'role' },
};

@Component({
  selector: 'hr-bench',
  imports: [MatButton, MatIconModule, RouterLink, RouterLinkActive, RouterOutlet, AccountMenuComponent],
  providers: [FileStore, DraftStore],
  host: { '(document:keydown)': 'keys($event)' },
  template: `
    <header>
      <a class="file" routerLink="/files" [attr.aria-label]="store.name() + ': all files'">
        <img src="mark.svg" alt="" width="32" height="32" />
        <strong class="cut" dir="auto">{{ store.name() }}</strong>
        <mat-icon svgIcon="keyboard_arrow_down" />
      </a>
      <nav aria-label="Stages">
        @for (stage of stages; track stage.path) {
          <a
            [routerLink]="['/file', file(), stage.path]"
            queryParamsHandling=""
            routerLinkActive="here"
            ariaCurrentWhenActive="page"
            ><span class="dot" aria-hidden="true"></span>{{ stage.label }}</a
          >
        }
      </nav>
      <div class="right">
        <button matButton="outlined" class="goto" type="button" (click)="goTo()">
          <mat-icon svgIcon="search" /><span class="long">Go to… <kbd>Ctrl K</kbd></span>
        </button>
        <a matButton="outlined" [routerLink]="['/desk', file()]"
          ><mat-icon svgIcon="storefront" /><span class="long">Open the Desk</span></a
        >
        <hr-account-menu />
      </div>
    </header>
    @if (store.loaded()) {
      @if (unsound()) {
        <p class="unsound row" role="status">
          <mat-icon svgIcon="warning" />
          <span class="grow">This file does not keep what it promises: another tool has written to it.</span>
          <button matButton="outlined" class="compact" type="button" (click)="showSound()">Look at it</button>
        </p>
      }
      <main><router-outlet /></main>
    } @else if (store.failed()) {
      <main class="empty">
        <p>{{ store.failed() }}</p>
        <button matButton="outlined" (click)="store.reload()">Try again</button
        ><a routerLink="/files">To the files</a>
      </main>
    } @else {
      <main class="empty"><mat-icon class="spin" svgIcon="progress_activity" />Opening the file …</main>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      grid-template-rows: 56px auto minmax(0, 1fr);
      height: 100vh;
    }
    header {
      display: grid;
      grid-template-columns: minmax(0, 1fr) auto minmax(0, 1fr);
      align-items: center;
      gap: 12px;
      padding: 0 16px;
      background: var(--hr-paper);
      border-bottom: 1px solid var(--hr-line);
    }
    .file {
      display: flex;
      align-items: center;
      gap: 10px;
      min-width: 0;
      color: inherit;
      text-decoration: none;
    }
    nav {
      display: flex;
    }
    nav a {
      position: relative;
      display: grid;
      justify-items: center;
      gap: 4px;
      min-width: 64px;
      padding: 4px 10px 2px;
      color: var(--hr-soft);
      text-decoration: none;
      border-radius: 6px;
    }
    nav a + a::before {
      content: '';
      position: absolute;
      top: 10px;
      right: calc(50% + 7px);
      width: calc(100% - 14px);
      height: 2px;
      background: var(--hr-line);
    }
    .dot {
      width: 14px;
      height: 14px;
      border: 2px solid var(--hr-edge);
      border-radius: 50%;
      background: var(--hr-paper);
      z-index: 1;
    }
    nav a.here {
      color: var(--hr-moss);
      font-weight: 700;
    }
    .here .dot {
      border-color: var(--hr-moss);
      background: var(--hr-moss);
      box-shadow: 0 0 0 4px var(--hr-moss-tint);
    }
    .right {
      display: flex;
      justify-content: flex-end;
      align-items: center;
      gap: 12px;
      min-width: 0;
    }
    kbd {
      margin-inline-start: 22px;
      padding: 0 5px;
      border: 1px solid var(--hr-line);
      border-radius: 4px;
      background: var(--hr-paper);
      font: inherit;
      font-size: var(--hr-text-tiny);
    }
    /* Where there is little room the icons stand for what they do; who listens still hears it. */
    @media (max-width: 1000px) {
      .long {
        position: absolute;
        width: 1px;
        height: 1px;
        overflow: hidden;
        clip-path: inset(50%);
      }
      header {
        gap: 4px;
      }
      .right {
        gap: 6px;
      }
    }
    @media (max-width: 700px) {
      header {
        grid-template-columns: auto minmax(0, 1fr) auto;
        padding: 0 8px;
      }
      .file strong {
        display: none;
      }
      nav {
        overflow-x: auto;
      }
      nav a {
        min-width: 48px;
        padding-inline: 4px;
        font-size: var(--hr-text-small);
      }
    }
    main {
      grid-row: 3;
      min-height: 0;
      overflow: hidden;
    }
    .unsound {
      grid-row: 2;
      margin: 0;
      padding: 6px 16px;
      color: var(--hr-gorse);
      background: var(--hr-gorse-tint);
      border-bottom: 1px solid var(--hr-line);
    }
  `,
})
export class BenchComponent {
  readonly store = inject(FileStore);
  private readonly dialog = inject(MatDialog);
  private readonly dialogs = inject(LazyDialogs);
  private readonly app = inject(ApplicationRef);
  private readonly container = inject(ViewContainerRef);
  private readonly router = inject(Router);
  /** The file's id, from the address. */
  readonly file = input.required<string>();
  readonly stages = STAGES;

  /** True when the file was found not to be sound. */
  readonly unsound = computed(() => {
    const known = this.store.soundness();
    return known !== null && known.findings.length + known.missing.length + known.damage.length > 0;
  });

  constructor() {
    effect(() => this.store.open(this.file()));
  }

  showSound(): void {
    this.dialogs
      .open(() => import('../plan/sound.dialog').then((m) => m.SoundDialog), {
        viewContainerRef: this.container,
      })
      .subscribe();
  }

  keys(event: KeyboardEvent): void {
    if (event.ctrlKey && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      this.goTo();
    } else if (
      event.key === '?' &&
      !(event.target as HTMLElement).closest('input, textarea, select, [contenteditable], .ag-cell-edit')
    ) {
      this.dialogs.open(() => import('../shared/keys.dialog').then((m) => m.KeysDialog)).subscribe();
    }
  }

  goTo(): void {
    if (!this.store.loaded() || this.dialog.openDialogs.length > 0) return;
    const design = this.store.design();
    const items: GoTo[] = [
      ...STAGES.map(({ path, label }) => ({ label, what: 'stage', link: [path], query: {} })),
      ...design.tables.flatMap(({ id, label, plural }) => [
        { label, what: 'table, in Plan', link: ['plan'], query: { table: id } },
        { label: plural, what: 'rows, in Fill', link: ['fill'], query: { table: id } },
      ]),
      ...documentsOf(design).map(({ id, label, type }) => {
        const { path, what } = DOCUMENT_PAGES[type];
        return { label, what, link: path.split('/'), query: { [what]: id } };
      }),
    ];
    const opened = this.dialog.open<GoToDialog, readonly GoTo[], GoTo>(GoToDialog, {
      data: items,
      position: { top: '64px' },
      width: '520px',
    });
    // Drawn within this key press, so that the next key is typed into it already.
    this.app.tick();
    opened
      .afterClosed()
      .subscribe(
        (item) =>
          item &&
          void this.router.navigate(['/file', this.file(), ...item.link], { queryParams: item.query }),
      );
  }
}
