import { DOCUMENT } from '@angular/common';
import { DragDrop, type DragRef, type DropListRef } from '@angular/cdk/drag-drop';
import { afterNextRender, DestroyRef, Directive, effect, ElementRef, inject, Injector } from '@angular/core';
import { FormEditor } from './form-editor.service';

/** Columns of the grid on which cells lie, and the fewest of one cell. */
const [COLUMNS, FEWEST] = [12, 2];
/** Pixels that the pointer goes before a part comes along: a click stays a click. */
const THRESHOLD = 5;

/**
 * Lets what lies on the grid of a form be dragged to another place of its level, and be made wider or narrower by its
 * edge. It is for the designer alone: the Desk, which shows the same parts, loads nothing of it.
 */
@Directive({
  selector: '[hrArrange]',
  host: { '(pointerdown)': 'pressed($event)' },
})
export class ArrangeDirective {
  private readonly editor = inject(FormEditor);
  private readonly dragging = inject(DragDrop);
  private readonly injector = inject(Injector);
  private readonly document = inject(DOCUMENT);
  private readonly canvas = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private lists: { readonly ref: DropListRef<string>; readonly items: readonly DragRef<string>[] }[] = [];

  constructor() {
    effect(() => {
      this.editor.form();
      // Those whose parts have just been put elsewhere are drawn anew first.
      afterNextRender(() => this.connect(), { injector: this.injector });
    });
    inject(DestroyRef).onDestroy(() => this.disconnect());
  }

  private disconnect(): void {
    for (const { ref, items } of this.lists) {
      items.forEach((item) => item.dispose());
      ref.dispose();
    }
    this.lists = [];
  }

  private connect(): void {
    this.disconnect();
    const all = this.canvas.querySelectorAll<HTMLElement>('[data-level]');
    this.lists = [...all].map((element) => {
      const ref = this.dragging.createDropList<string>(element);
      ref.data = element.dataset['level']!;
      const cells = [...element.children].filter(
        (child): child is HTMLElement => child instanceof HTMLElement,
      );
      const items = cells.map((cell) => {
        const item = this.dragging.createDrag<string>(cell, {
          dragStartThreshold: THRESHOLD,
          pointerDirectionChangeThreshold: THRESHOLD,
        });
        item.data = cell.dataset['part']!;
        return item;
      });
      ref.withItems(items).withOrientation('mixed').withScrollableParents([this.canvas]);
      ref.dropped.subscribe(({ item, container, currentIndex }) => {
        const [list] = this.lists.filter((other) => other.ref === container);
        const rest = (list?.items ?? []).filter((other) => other !== item);
        const behind = rest[currentIndex - 1];
        const before = rest[currentIndex];
        if (behind) this.editor.putBeside(item.data as string, behind.data, 'behind');
        else if (before) this.editor.putBeside(item.data as string, before.data, 'before');
      });
      return { ref, items };
    });
    // A field of a row stays with the rows of its table.
    for (const { ref } of this.lists)
      ref.connectedTo(this.lists.filter((other) => other.ref.data === ref.data).map((other) => other.ref));
  }

  /** Makes a cell wider or narrower by the edge that was pressed. */
  pressed(event: PointerEvent): void {
    const edge = event.target instanceof Element ? event.target.closest('[data-edge]') : null;
    const cell = edge?.closest<HTMLElement>('[data-part]');
    const grid = cell?.parentElement;
    if (!cell || !grid || event.button !== 0) return;
    // It is not dragged then.
    event.preventDefault();
    event.stopPropagation();
    const { left } = cell.getBoundingClientRect();
    const column = grid.getBoundingClientRect().width / COLUMNS;
    let width = 0;
    const abort = new AbortController();
    const { signal } = abort;
    this.document.addEventListener(
      'pointermove',
      ({ clientX }) => {
        width = Math.min(COLUMNS, Math.max(FEWEST, Math.round((clientX - left) / column)));
        cell.style.setProperty('--span', String(width));
      },
      { signal },
    );
    const end = (): void => {
      abort.abort();
      if (width > 0) this.editor.setWidth(cell.dataset['part']!, width);
    };
    this.document.addEventListener('pointerup', end, { signal });
    this.document.addEventListener('pointercancel', end, { signal });
  }
}
