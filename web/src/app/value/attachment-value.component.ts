import { Component, computed, inject, input, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { Api } from './api.service';
import { Attachments } from './attachments.service';
import { problemOf } from './problem';
import type { Held } from './value-input.component';

/** A picture or a file of a row: what is there, and the way to choose another or none. */
@Component({
  selector: 'hr-attachment-input',
  imports: [MatButtonModule, MatIconModule],
  template: `
    <div
      class="box"
      [class.over]="over()"
      (dragover)="drag($event)"
      (dragleave)="over.set(false)"
      (drop)="drop($event)"
    >
      @if (address(); as url) {
        @if (picture()) {
          <a [href]="url" target="_blank" rel="noopener"
            ><img [src]="preview()" [alt]="held().text ?? 'Picture'" (error)="noPreview.set(true)"
          /></a>
        }
      }
      <div class="beside">
        @if (address(); as url) {
          <a class="cut name" dir="auto" [href]="url" target="_blank" rel="noopener">{{
            held().text || 'attachment'
          }}</a>
        } @else {
          <span class="soft name">{{ busy() ? 'Sending …' : picture() ? 'No picture' : 'No file' }}</span>
        }
        @if (!readonly()) {
          <span class="row">
            <button
              matButton="outlined"
              class="compact"
              type="button"
              [id]="chooserId()"
              [attr.aria-label]="label() + (address() ? ': replace' : ': choose')"
              (click)="chooser.click()"
            >
              <mat-icon svgIcon="upload" />{{ address() ? 'Replace' : 'Choose' }}
            </button>
            <input
              #chooser
              hidden
              type="file"
              [attr.accept]="picture() ? 'image/*' : null"
              (change)="choose(chooser)"
            />
            @if (address()) {
              <button
                matIconButton
                type="button"
                [attr.aria-label]="'Take ' + label() + ' away'"
                (click)="clear()"
              >
                <mat-icon svgIcon="close" />
              </button>
            }
          </span>
        }
      </div>
    </div>
    @if (problem()) {
      <p class="message" role="alert">{{ problem() }}</p>
    }
  `,
  styles: `
    .box {
      display: flex;
      align-items: center;
      gap: 8px;
      min-height: 34px;
      padding: 3px 6px;
      border: 1px dashed var(--hr-line);
      border-radius: 6px;
    }
    .beside {
      display: flex;
      flex: 1;
      flex-wrap: wrap;
      align-items: center;
      gap: 4px 8px;
      min-width: 0;
    }
    .name {
      flex: 1 1 110px;
      min-width: 0;
    }
    .over {
      background: var(--hr-moss-tint);
    }
    img {
      display: block;
      max-width: 120px;
      max-height: 72px;
      border-radius: 4px;
    }
    label:focus-within {
      outline: 2px solid var(--hr-moss);
      outline-offset: 1px;
    }
  `,
})
export class AttachmentInputComponent {
  private readonly api = inject(Api);
  private readonly attachments = inject(Attachments);
  readonly held = input.required<Held>();
  readonly picture = input.required<boolean>();
  readonly readonly = input(false);
  readonly inputId = input('');
  readonly label = input('');
  readonly changed = output<Held>();
  readonly busy = signal(false);
  readonly over = signal(false);
  readonly noPreview = signal(false);
  readonly problem = signal('');
  readonly chooserId = computed(() => this.inputId() || `file-${this.label()}`);
  readonly address = computed(() => this.url('whole'));
  readonly preview = computed(() => this.url(this.noPreview() ? 'whole' : 'preview'));

  choose(input: HTMLInputElement): void {
    const [file] = input.files ?? [];
    input.value = '';
    if (file) this.send(file);
  }

  drag(event: DragEvent): void {
    if (this.readonly()) return;
    event.preventDefault();
    this.over.set(true);
  }

  drop(event: DragEvent): void {
    this.over.set(false);
    const [file] = event.dataTransfer?.files ?? [];
    if (this.readonly() || !file) return;
    event.preventDefault();
    this.send(file);
  }

  clear(): void {
    this.problem.set('');
    this.changed.emit({ value: null, text: null });
  }

  private send(file: File): void {
    this.busy.set(true);
    this.problem.set('');
    this.api.upload(this.attachments.file, file, this.picture()).subscribe({
      next: ({ id, name }) => {
        this.busy.set(false);
        this.noPreview.set(false);
        this.changed.emit({ value: id, text: name });
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(problemOf(error).detail);
      },
    });
  }

  private url(part: 'whole' | 'preview'): string | null {
    const { value } = this.held();
    return typeof value === 'number' ? this.api.attachment(this.attachments.file, value, part) : null;
  }
}
