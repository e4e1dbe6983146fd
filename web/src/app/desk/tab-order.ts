import type { InteractivityChecker } from '@angular/cdk/a11y';
import { isGiven } from '@heathridge/core/design';
import { buttonsOf } from '@heathridge/core/form';
import type { RowState } from './record.state';
import type { Sheet } from './sheet.service';

/** What the Tab key goes through, of a row whose order was made by hand: its fields that take something, then its buttons. */
export function tabStops(sheet: Sheet, row: RowState): string[] {
  const { cells, subform } = row.level;
  const fields = cells.filter(({ field, cell }) => !isGiven(field) && !sheet.isRead(row, field, cell));
  const buttons = buttonsOf((subform ?? sheet.state().form).parts);
  return [...fields.map(({ field }) => field.id), ...buttons.map(({ id }) => id)];
}

/** What names the place of a stop on the page. */
export const stopAt = (row: RowState, id: string): string => `${row.id} ${id}`;

/** All that the Tab key reaches within an element, in the order of the page. */
const tabbables = (element: ParentNode, checker: InteractivityChecker): HTMLElement[] =>
  [...element.querySelectorAll<HTMLElement>('*')].filter(
    (other) => checker.isTabbable(other) && checker.isFocusable(other) && checker.isVisible(other),
  );

/** Whether the Tab key leaves an element from within: nothing further in it takes the cursor. */
export function leavesBy(
  by: 1 | -1,
  element: HTMLElement,
  from: Element,
  checker: InteractivityChecker,
): boolean {
  const inside = tabbables(element, checker);
  return inside.at(by === 1 ? -1 : 0) === from;
}

/**
 * What the Tab key comes to from the last stop of a row, or backwards from the first: the next that is none of its
 * stops, behind all of them or before. Null where there is nothing more on the page.
 */
export function beyondStops(
  by: 1 | -1,
  row: RowState,
  root: Document,
  checker: InteractivityChecker,
): HTMLElement | null {
  const all = tabbables(root.body, checker);
  const isOwn = (element: HTMLElement): boolean =>
    element.closest<HTMLElement>('[data-stop]')?.dataset['stop']?.startsWith(`${row.id} `) ?? false;
  const at = by === 1 ? all.map(isOwn).lastIndexOf(true) : all.findIndex(isOwn);
  return all[at + by] ?? null;
}
