import { Component, inject } from '@angular/core';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { RouterLink } from '@angular/router';
import { SessionService } from './session.service';

@Component({
  selector: 'hr-account-menu',
  imports: [MatIconModule, MatMenuModule, RouterLink],
  template: `
    <button
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
      <a mat-menu-item routerLink="/files"><mat-icon svgIcon="folder_open" />All files</a>
      <button mat-menu-item (click)="session.signOut()"><mat-icon svgIcon="logout" />Sign out</button>
    </mat-menu>
  `,
  styles: `
    .person {
      width: 28px;
      height: 28px;
      border: 0;
      border-radius: 50%;
      background: var(--heather);
      color: #fff;
      font-size: 11px;
      font-weight: 700;
      cursor: pointer;
    }
    .who {
      padding: 8px 16px;
      border-bottom: 1px solid var(--line);
      margin-bottom: 4px;
    }
  `,
})
export class AccountMenuComponent {
  readonly session = inject(SessionService);
}
