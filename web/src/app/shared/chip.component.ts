import { A11yModule } from '@angular/cdk/a11y';
import type { CdkOverlayOrigin } from '@angular/cdk/overlay';
import { OverlayModule } from '@angular/cdk/overlay';
import { NgTemplateOutlet } from '@angular/common';
import { Component, contentChild, effect, input, signal, TemplateRef, untracked } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatTooltipModule } from '@angular/material/tooltip';

/** A part of the sentence: pressed, it opens a small panel in which the part is changed. */
@Component({
  selector: 'hr-chip',
  imports: [A11yModule, MatButton, NgTemplateOutlet, OverlayModule, MatTooltipModule],
  template: `
    <button
      matButton="text"
      disableRipple
      type="button"
      [class]="'chip ' + look()"
      cdkOverlayOrigin
      #origin="cdkOverlayOrigin"
      [disabled]="disabled()"
      [matTooltip]="hint()"
      [attr.aria-expanded]="open()"
      (click)="open.set(!open())"
    >
      <span [class.out]="off()">{{ text() }}</span>
      @if (off()) {
        <span class="visually-hidden">, left out for now</span>
      }
    </button>
    <ng-template
      cdkConnectedOverlay
      [cdkConnectedOverlayOrigin]="origin"
      [cdkConnectedOverlayOpen]="open()"
      (overlayOutsideClick)="outside($event, origin)"
      (detach)="close()"
    >
      <div
        class="pop"
        cdkTrapFocus
        [cdkTrapFocusAutoCapture]="true"
        role="dialog"
        [attr.aria-label]="about()"
      >
        <ng-container [ngTemplateOutlet]="panel()" />
      </div>
    </ng-template>
  `,
  styleUrl: './chip.component.scss',
})
export class ChipComponent {
  readonly text = input.required<string>();
  /** What the panel is about, for those who listen. */
  readonly about = input.required<string>();
  readonly look = input<'' | 'link' | 'add'>('');
  readonly hint = input('');
  /** Whether it says nothing for now. */
  readonly off = input(false);
  readonly disabled = input(false);
  /** Set for a part that has just been added and is to be filled in. */
  readonly startOpen = input(false);
  readonly open = signal(false);
  protected readonly panel = contentChild.required<TemplateRef<unknown>>(TemplateRef);

  constructor() {
    effect(() => {
      const start = this.startOpen();
      untracked(() => start && this.open.set(true));
    });
  }

  close(): void {
    this.open.set(false);
  }

  /** A click on the part itself is its own affair: it would open again at once. */
  protected outside(event: MouseEvent, { elementRef }: CdkOverlayOrigin): void {
    if (!(elementRef.nativeElement as HTMLElement).contains(event.target as Node)) this.close();
  }
}
