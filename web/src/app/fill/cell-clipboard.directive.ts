import { Directive, ElementRef, inject, input } from '@angular/core';
import { isTypedIn } from '../shared/typed-in';
import type { FillCells } from './cells.service';
import type { RowsEditor } from './rows-editor.service';

/** Whether a key is pressed in something that lies over the page: a dialog, a menu. One that fades away does not count. */
export const isOverPage = (target: EventTarget | null): boolean =>
  target instanceof Element && target.closest('.cdk-overlay-container') !== null;

/** Copying, cutting and pasting for the cells of the grid that has the cursor. */
@Directive({
  selector: 'ag-grid-angular[hrCellClipboard]',
  host: {
    '(document:copy)': 'copied($event)',
    '(document:cut)': 'cut($event)',
    '(document:paste)': 'pasted($event)',
  },
})
export class CellClipboardDirective {
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly cells = input.required<FillCells>({ alias: 'hrCellClipboard' });
  readonly editor = input.required<RowsEditor>();

  /** Whether it is meant for cells of this grid, and not for something typed into or a grid within it. */
  private isMeant(event: ClipboardEvent): boolean {
    // A dialog keeps the cursor within itself: one that is still fading away is in nobody's way.
    return !isTypedIn(event.target) && document.activeElement?.closest('ag-grid-angular') === this.element;
  }

  protected copied(event: ClipboardEvent): void {
    if (this.isMeant(event) && this.cells().copy(event.clipboardData)) event.preventDefault();
  }

  protected cut(event: ClipboardEvent): void {
    if (!this.isMeant(event) || !this.cells().copy(event.clipboardData)) return;
    event.preventDefault();
    this.cells().empty();
  }

  protected pasted(event: ClipboardEvent): void {
    if (!this.isMeant(event)) return;
    const picked = event.clipboardData?.files[0];
    const isTaken =
      (picked !== undefined && this.editor().pasteFile(picked)) ||
      this.cells().paste(event.clipboardData?.getData('text/plain') ?? '');
    if (isTaken) event.preventDefault();
  }
}
