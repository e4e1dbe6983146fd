import { DatePipe } from '@angular/common';
import { Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { MatSortModule, type Sort } from '@angular/material/sort';
import { MatTableModule } from '@angular/material/table';
import { Router, RouterLink } from '@angular/router';
import { Api, type FileEntry } from '../shared/api.service';
import { AskDialog, type Answer, type Question } from '../shared/ask.dialog';
import { AccountMenuComponent } from '../shared/account-menu.component';
import { sizeText } from '../shared/size';
import { SessionService } from '../shared/session.service';
import { uniqueName } from '@heathridge/core/design';
import { problemOf } from '../shared/problem';
import { Toast } from '../shared/toast.service';
import { NothingComponent } from '../frame/nothing.component';
import type { Encoding } from '@heathridge/core/exchange';
import { EncodingDialog, type Unread } from './encoding.dialog';
import { AdoptedDialog, type Adopted } from './adopted.dialog';
import { TakingDialog, type Taken, type Taking } from './taking.dialog';

@Component({
  selector: 'hr-files',
  imports: [
    AccountMenuComponent,
    DatePipe,
    MatButton,
    MatIconModule,
    MatMenuModule,
    MatSortModule,
    MatTableModule,
    NothingComponent,
    RouterLink,
  ],
  template: `
    <header>
      <img src="mark.svg" alt="" width="32" height="32" />
      <strong class="grow">Heathridge</strong>
      <hr-account-menu />
    </header>
    <main>
      <div class="row head">
        <h1 class="grow">Files</h1>
        @if (session.person()?.maker) {
          <button matButton="outlined" type="button" (click)="picker.click()">
            <mat-icon svgIcon="upload" />Take in a file
          </button>
          <input
            #picker
            id="take-in"
            hidden
            type="file"
            accept=".db,.sqlite,.sqlite3,.zip,application/vnd.sqlite3,application/zip"
            (change)="takeIn(picker)"
          />
          <button matButton="filled" (click)="make()"><mat-icon svgIcon="add" />New file</button>
        }
      </div>
      @if (files(); as list) {
        @if (list.length === 0) {
          <hr-nothing
            class="card"
            [text]="
              session.person()?.maker
                ? 'There is no file yet. A file holds the tables of one office, with everything built on them.'
                : 'No file is open to you yet: ask the person who builds them.'
            "
          />
        } @else {
          <div class="card">
            <table
              mat-table
              matSort
              [dataSource]="sorted()"
              [trackBy]="byId"
              (matSortChange)="sort.set($event)"
            >
              <ng-container matColumnDef="name">
                <th *matHeaderCellDef mat-header-cell mat-sort-header scope="col">Name</th>
                <td *matCellDef="let file" mat-cell>
                  <a
                    class="name"
                    dir="auto"
                    [routerLink]="file.role === 'builder' ? ['/file', file.id] : ['/desk', file.id]"
                    >{{ file.name }}</a
                  >
                </td>
              </ng-container>
              <ng-container matColumnDef="role">
                <th *matHeaderCellDef mat-header-cell scope="col">You are</th>
                <td *matCellDef="let file" mat-cell>{{ file.role }}</td>
              </ng-container>
              <ng-container matColumnDef="changedAt">
                <th *matHeaderCellDef mat-header-cell mat-sort-header scope="col">Last changed</th>
                <td *matCellDef="let file" mat-cell>{{ file.changedAt | date: 'd MMM y, HH:mm' }}</td>
              </ng-container>
              <ng-container matColumnDef="size">
                <th *matHeaderCellDef mat-header-cell mat-sort-header scope="col">Size</th>
                <td *matCellDef="let file" mat-cell>{{ size(file.size) }}</td>
              </ng-container>
              <ng-container matColumnDef="open">
                <th *matHeaderCellDef mat-header-cell scope="col">
                  <span class="visually-hidden">Open</span>
                </th>
                <td *matCellDef="let file" mat-cell class="actions">
                  @if (file.role === 'builder') {
                    <a
                      matButton="outlined"
                      class="compact"
                      [routerLink]="['/file', file.id]"
                      [attr.aria-label]="'Design ' + file.name"
                      >Design</a
                    >
                  }
                  <a
                    matButton="outlined"
                    class="compact"
                    [routerLink]="['/desk', file.id]"
                    [attr.aria-label]="'Open the Desk of ' + file.name"
                    ><mat-icon svgIcon="storefront" />Desk</a
                  >
                </td>
              </ng-container>
              <tr *matHeaderRowDef="columns" mat-header-row></tr>
              <tr *matRowDef="let file; columns: columns" mat-row></tr>
            </table>
          </div>
        }
      } @else if (failed()) {
        <div class="card empty">
          <p>The files could not be read.</p>
          <button matButton="outlined" (click)="load()">Try again</button>
        </div>
      } @else {
        <div class="card empty"><mat-icon class="spin" svgIcon="progress_activity" />Reading the files …</div>
      }
    </main>
  `,
  styles: `
    header {
      display: flex;
      align-items: center;
      gap: 12px;
      height: 56px;
      padding: 0 16px;
      background: var(--hr-paper);
      border-bottom: 1px solid var(--hr-line);
    }
    main {
      max-width: 900px;
      margin: 0 auto;
      padding: 32px 16px;
    }
    .head {
      gap: 8px;
      margin-bottom: 14px;
    }
    .card {
      overflow-x: auto;
    }
    table {
      width: 100%;
    }
    td {
      height: 44px;
    }
    .actions {
      text-align: end;
      white-space: nowrap;
    }
    .actions [matButton] {
      margin-left: 6px;
      vertical-align: middle;
    }
    .name {
      font-weight: 700;
      color: var(--hr-ink);
    }
  `,
})
export class FilesComponent {
  private readonly api = inject(Api);
  private readonly dialog = inject(MatDialog);
  private readonly router = inject(Router);
  private readonly toast = inject(Toast);
  readonly session = inject(SessionService);
  readonly files = signal<readonly FileEntry[] | null>(null);
  readonly failed = signal(false);
  readonly size = sizeText;
  readonly columns = ['name', 'role', 'changedAt', 'size', 'open'];
  /** As the server gives them until somebody sorts them. */
  readonly sort = signal<Sort>({ active: '', direction: '' });
  readonly sorted = computed((): FileEntry[] => {
    const { active, direction } = this.sort();
    const files = [...(this.files() ?? [])];
    const by = active as 'name' | 'changedAt' | 'size';
    if (direction === '') return files;
    const order = (a: FileEntry, b: FileEntry): number =>
      by === 'size' ? a.size - b.size : a[by].localeCompare(b[by], undefined, { numeric: true });
    return files.sort((a, b) => (direction === 'asc' ? order(a, b) : order(b, a)));
  });
  readonly byId = (_: number, { id }: FileEntry): string => id;

  constructor() {
    this.load();
  }

  load(): void {
    this.failed.set(false);
    this.api.files().subscribe({
      next: ({ files }) => this.files.set(files),
      error: (error: unknown) => {
        this.failed.set(true);
        this.toast.problem(error);
      },
    });
  }

  /** Takes in an SQLite file from elsewhere, under the name it has unless that is taken. */
  takeIn(input: HTMLInputElement): void {
    const [picked] = input.files ?? [];
    input.value = '';
    if (!picked) return;
    const name = uniqueName(
      picked.name.replace(/\.(db|sqlite3?|db3|zip)$/i, '').slice(0, 50) || 'File',
      this.files()?.map((file) => file.name) ?? [],
    );
    this.take(picked, name, null);
  }

  private take(picked: File, name: string, encoding: Encoding | null): void {
    this.dialog
      .open<TakingDialog, Taking, Taken>(TakingDialog, {
        data: { picked, name, encoding },
        disableClose: true,
      })
      .afterClosed()
      .subscribe((taken) => {
        if (!taken) return;
        if ('unread' in taken)
          this.dialog
            .open<EncodingDialog, Unread, Encoding>(EncodingDialog, { data: { name, unread: taken.unread } })
            .afterClosed()
            .subscribe((chosen) => chosen && this.take(picked, name, chosen));
        else if ('rows' in taken) {
          this.toast.say(`${name} is taken in: ${taken.rows.toLocaleString('en-GB')} rows.`);
          void this.router.navigate(['/file', taken.id]);
        } else
          this.dialog
            .open<AdoptedDialog, Adopted>(AdoptedDialog, { data: { name, ...taken } })
            .afterClosed()
            .subscribe(() => void this.router.navigate(['/file', taken.id]));
      });
  }

  /** Asks for the name of a new file; once more, with what was wrong, where it was refused. */
  make(name = '', problem = ''): void {
    const data: Question = {
      title: 'New file',
      label: 'What is it called?',
      act: 'Make file',
      value: name,
      problem,
      hint: 'One file holds the tables of one office.',
    };
    this.dialog
      .open<AskDialog, Question, Answer>(AskDialog, { data })
      .afterClosed()
      .subscribe((answer) => {
        if (!answer) return;
        this.api.createFile(answer.name, Intl.DateTimeFormat().resolvedOptions().timeZone).subscribe({
          next: ({ id }) => void this.router.navigate(['/file', id]),
          error: (error: unknown) => this.make(answer.name, problemOf(error).detail),
        });
      });
  }
}
