import { Component, inject, signal, ViewContainerRef } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialog, MatDialogModule } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import type { Subscription } from 'rxjs';
import { FoundDialog, type FoundData } from './found.dialog';
import { Api, type Finding, type Progress } from '../shared/api.service';
import { newId } from '../shared/ids';
import { problemOf } from '../shared/problem';
import { FileStore } from '../file/file.store';

/** Is everything sound? What the file says of itself, and what to do about it. */
@Component({
  selector: 'hr-sound-dialog',
  imports: [MatButton, MatDialogModule, MatIconModule],
  template: `
    <h2 mat-dialog-title>Is everything sound?</h2>
    <mat-dialog-content class="body">
      @if (asking()) {
        <p class="row" role="status">
          <mat-icon class="spin" svgIcon="progress_activity" />
          <span>{{ progress()?.what ?? 'Asking the file, its rules and every row …' }}</span>
          @if (progress(); as at) {
            <span class="soft">{{ at.step }} of {{ at.of }}</span>
          }
        </p>
      } @else if (problem()) {
        <p class="message" role="alert">{{ problem() }}</p>
      } @else {
        @if (store.soundness(); as sound) {
          @if (sound.findings.length + sound.missing.length + sound.damage.length === 0) {
            <p class="row moss" role="status">
              <mat-icon svgIcon="check_circle" />Every row keeps every rule, every link has its row, and the
              file is whole.
            </p>
          }
          @for (finding of sound.findings; track finding.number) {
            <div class="line row">
              <mat-icon class="gorse" svgIcon="warning" />
              <span class="grow"
                ><strong>{{ tableOf(finding) }}</strong
                >: {{ finding.count.toLocaleString('en-GB') }} {{ finding.count === 1 ? 'row' : 'rows' }}.
                {{ finding.message }}</span
              >
              <button matButton="outlined" class="compact" type="button" (click)="mend(finding)">
                {{ finding.count === 1 ? 'Mend it' : 'Mend them' }}
              </button>
            </div>
          }
          @for (text of sound.missing; track text) {
            <p class="line row"><mat-icon class="gorse" svgIcon="warning" />{{ text }}</p>
          }
          @if (sound.missing.length > 0) {
            <button matButton="outlined" class="repair" type="button" (click)="repair()">
              Put this in place again
            </button>
          }
          @for (text of sound.damage; track text) {
            <p class="line row"><mat-icon class="rust" svgIcon="error" />{{ text }}</p>
          }
          @if (sound.damage.length > 0) {
            <p>The file is damaged on disk: go back to a safe copy, and keep this one aside.</p>
          }
        }
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      @if (asking()) {
        <button matButton="outlined" type="button" (click)="stop()">Stop</button>
      } @else {
        <button matButton="outlined" type="button" (click)="ask()">Ask again</button>
      }
      <button matButton="filled" type="button" mat-dialog-close>Close</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      gap: 10px;
      min-width: 560px;
    }
    .line {
      margin: 0;
      padding: 6px 0;
      border-bottom: 1px solid var(--hr-line);
    }
    .repair {
      justify-self: start;
    }
    .moss {
      color: var(--hr-moss);
    }
    .gorse {
      color: var(--hr-gorse);
    }
    .rust {
      color: var(--hr-rust);
    }
  `,
})
export class SoundDialog {
  private readonly api = inject(Api);
  private readonly dialog = inject(MatDialog);
  private readonly container = inject(ViewContainerRef);
  readonly store = inject(FileStore);
  readonly asking = signal(false);
  readonly progress = signal<Progress | null>(null);
  readonly problem = signal('');
  private running: Subscription | null = null;

  constructor() {
    this.ask();
  }

  tableOf({ table }: Finding): string {
    return this.store.design().tables.find(({ id }) => id === table)?.plural ?? '';
  }

  ask(): void {
    const watch = newId('w');
    this.asking.set(true);
    this.problem.set('');
    const looking = this.api
      .watching(this.store.file, watch)
      .subscribe((progress) => this.progress.set(progress));
    this.running = this.api.askSoundness(this.store.file, watch).subscribe({
      next: (sound) => {
        this.store.soundness.set(sound);
        this.asking.set(false);
      },
      error: (error: unknown) => {
        this.problem.set(problemOf(error).detail);
        this.asking.set(false);
      },
    });
    this.running.add(() => {
      looking.unsubscribe();
      this.progress.set(null);
    });
  }

  stop(): void {
    this.running?.unsubscribe();
    this.asking.set(false);
  }

  mend(finding: Finding): void {
    const data: FoundData = {
      finding,
      rows: (offset, limit) => this.api.unsound(this.store.file, finding.number, offset, limit),
    };
    this.dialog
      .open<FoundDialog, FoundData, boolean>(FoundDialog, { data, viewContainerRef: this.container })
      .afterClosed()
      .subscribe((mended) => mended && this.ask());
  }

  repair(): void {
    this.asking.set(true);
    this.api.repair(this.store.file).subscribe({
      next: (sound) => {
        this.store.soundness.set(sound);
        this.asking.set(false);
      },
      error: (error: unknown) => {
        this.problem.set(problemOf(error).detail);
        this.asking.set(false);
      },
    });
  }
}
