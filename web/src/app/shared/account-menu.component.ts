import { Component, inject } from '@angular/core';
import { MatIconButton } from '@angular/material/button';
import { MatDivider } from '@angular/material/divider';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { RouterLink } from '@angular/router';
import type { Look } from './api.service';
import { LazyDialogs } from './lazy-dialogs.service';
import { SessionService } from './session.service';
import { Toast } from './toast.service';

@Component({
  selector: 'hr-account-menu',
  imports: [MatIconButton, MatDivider, MatIconModule, MatMenuModule, RouterLink],
  template: `
    <button
      matIconButton
      class="person"
      [matMenuTriggerFor]="menu"
      [attr.aria-label]="'Account of ' + session.person()?.name"
    >
      {{ session.initials() }}
    </button>
    <mat-menu #menu="matMenu">
      <div class="who">
        <strong>{{ session.person()?.name }}</strong><br /><span class="soft"
          >signed in as {{ session.person()?.login }}</span
        >
      </div>
      @for (choice of choices; track choice.of) {
        <button mat-menu-item [matMenuTriggerFor]="options">
          {{ choice.label }} <span class="soft">{{ words[session.look()[choice.of]] }}</span>
        </button>
        <mat-menu #options="matMenu">
          @for (option of choice.options; track option) {
            <button
              mat-menu-item
              role="menuitemradio"
              [attr.aria-checked]="session.look()[choice.of] === option"
              (click)="set(choice.of, option)"
            >
              @if (session.look()[choice.of] === option) {
                <mat-icon svgIcon="check" />
              } @else {
                <mat-icon />
              }
              {{ words[option] }}
            </button>
          }
        </mat-menu>
      }
      <mat-divider />
      <button mat-menu-item (click)="changePassword()"><mat-icon svgIcon="key" />Change password</button>
      <a mat-menu-item routerLink="/files"><mat-icon svgIcon="folder_open" />All files</a>
      <button mat-menu-item (click)="session.signOut()"><mat-icon svgIcon="logout" />Sign out</button>
    </mat-menu>
  `,
  styles: `
    .person {
      border-radius: 50%;
      background: var(--hr-heather);
      color: var(--hr-on-colour);
      font-size: var(--hr-text-tiny);
      font-weight: 700;
    }
    .who {
      padding: 8px 16px;
      border-bottom: 1px solid var(--hr-line);
      margin-bottom: 4px;
    }
  `,
})
export class AccountMenuComponent {
  readonly session = inject(SessionService);
  private readonly dialogs = inject(LazyDialogs);
  private readonly toast = inject(Toast);
  readonly words = {
    system: 'as the system',
    light: 'light',
    dark: 'dark',
    usual: 'usual',
    large: 'large',
  } as const;
  readonly choices = [
    { of: 'colours', label: 'Colours', options: ['system', 'light', 'dark'] },
    { of: 'size', label: 'Size', options: ['usual', 'large'] },
  ] as const;

  changePassword(): void {
    this.dialogs
      .open<unknown, null, boolean>(() => import('./password.dialog').then((m) => m.PasswordDialog))
      .subscribe((changed) => {
        if (changed) this.toast.say('Your password is changed. Elsewhere you sign in with it anew.');
      });
  }

  set(of: keyof Look, value: string): void {
    this.session.setLook({ ...this.session.look(), [of]: value });
  }
}
