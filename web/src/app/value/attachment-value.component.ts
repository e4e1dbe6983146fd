import { Component, computed, ElementRef, forwardRef, inject, signal, viewChild } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { Api } from '../shared/api.service';
import { Attachments } from '../shared/attachments.service';
import { problemOf } from '../shared/problem';
import { ValuePart } from './value-part';

/** A picture or a file of a row: what is there, and the way to choose another or none. */
@Component({
  selector: 'hr-attachment-value',
  imports: [MatButton, MatIconButton, MatIconModule],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => AttachmentValueComponent) }],
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
            ><img [src]="preview()" [alt]="at.held().text ?? 'Picture'" (error)="noPreview.set(true)"
          /></a>
        }
      }
      <div class="beside">
        @if (address(); as url) {
          <a class="cut name" dir="auto" [href]="url" target="_blank" rel="noopener">{{
            at.held().text || 'attachment'
          }}</a>
        } @else {
          <span class="soft name">{{ busy() ? 'Sending …' : picture() ? 'No picture' : 'No file' }}</span>
        }
        @if (!at.readonly()) {
          <span class="row">
            <button
              #button
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
            @if (picture() && hasCamera) {
              <button
                matIconButton
                type="button"
                [attr.aria-label]="label() + ': take a picture'"
                (click)="camera.click()"
              >
                <mat-icon svgIcon="photo_camera" />
              </button>
              <input
                #camera
                hidden
                type="file"
                accept="image/*"
                capture="environment"
                (change)="choose(camera)"
              />
            }
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
    @if (problem() || at.says(); as message) {
      <p class="message" role="alert">{{ message }}</p>
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
  `,
})
export class AttachmentValueComponent extends ValuePart {
  private readonly api = inject(Api);
  private readonly attachments = inject(Attachments);
  private readonly button = viewChild<unknown, ElementRef<HTMLElement>>('button', { read: ElementRef });
  protected readonly picture = computed(() => this.at.field().type.kind === 'picture');
  protected readonly label = computed(() => this.at.label() ?? this.at.field().label);
  /** What is held in the hand has a camera; elsewhere the same button would only choose a file. */
  protected readonly hasCamera = matchMedia('(pointer: coarse)').matches;
  readonly busy = signal(false);
  readonly over = signal(false);
  readonly noPreview = signal(false);
  readonly problem = signal('');
  readonly chooserId = computed(() => this.at.inputId() || `file-${this.label()}`);
  readonly address = computed(() => this.url('whole'));
  readonly preview = computed(() => this.url(this.noPreview() ? 'whole' : 'preview'));

  override focus(): void {
    this.button()?.nativeElement.focus();
  }

  choose(input: HTMLInputElement): void {
    const [file] = input.files ?? [];
    input.value = '';
    if (file) this.send(file);
  }

  drag(event: DragEvent): void {
    if (this.at.readonly()) return;
    event.preventDefault();
    this.over.set(true);
  }

  drop(event: DragEvent): void {
    this.over.set(false);
    const [file] = event.dataTransfer?.files ?? [];
    if (this.at.readonly() || !file) return;
    event.preventDefault();
    this.send(file);
  }

  clear(): void {
    this.problem.set('');
    this.at.emit({ value: null, text: null });
  }

  private send(file: File): void {
    this.busy.set(true);
    this.problem.set('');
    this.api.upload(this.attachments.file, file, this.picture()).subscribe({
      next: ({ id, name }) => {
        this.busy.set(false);
        this.noPreview.set(false);
        this.at.emit({ value: id, text: name });
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(problemOf(error).detail);
      },
    });
  }

  private url(part: 'whole' | 'preview'): string | null {
    const { value } = this.at.held();
    return typeof value === 'number' ? this.api.attachment(this.attachments.file, value, part) : null;
  }
}
