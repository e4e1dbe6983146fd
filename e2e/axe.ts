import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';

/** Waits until nothing on the page is fading in or out any more: halfway, no contrast can be told. */
async function settled(page: Page): Promise<void> {
  // News goes by itself, and while it does nothing of it can be read.
  await expect(page.locator('mat-snack-bar-container')).toHaveCount(0, { timeout: 20_000 });
  await page.waitForFunction(
    () =>
      Array.from(
        document.querySelectorAll(
          '.mat-mdc-dialog-inner-container, .cdk-overlay-backdrop, .mat-mdc-menu-panel, .mat-mdc-snackbar-surface',
        ),
      ).every((part) => getComputedStyle(part).opacity === '1') &&
      // What turns for ever, such as a progress spinner, is no fading.
      document
        .getAnimations()
        .every(
          ({ playState, effect }) =>
            playState !== 'running' || effect?.getComputedTiming().iterations === Infinity,
        ),
  );
  // A part that is read when it is wanted stands there for a moment before it is bound to its values.
  await page.evaluate(
    (quiet) =>
      new Promise<void>((resolve) => {
        let timer = setTimeout(done, quiet);
        const observer = new MutationObserver(() => {
          clearTimeout(timer);
          timer = setTimeout(done, quiet);
        });
        observer.observe(document, { subtree: true, childList: true, attributes: true });
        function done(): void {
          observer.disconnect();
          resolve();
        }
      }),
    QUIET,
  );
}

/** Milliseconds in which nothing of a page may change before it is looked at. */
const QUIET = 100;

/** The looks that a person can choose. */
const LOOKS = [
  ['light', 'usual'],
  ['dark', 'usual'],
  ['light', 'large'],
] as const;

/** WCAG 2.2 AA, as axe-core checks it, in every look. */
export async function accessible(page: Page, what: string): Promise<void> {
  for (const [colours, size] of [...LOOKS, ['system', 'usual'] as const]) {
    await page.evaluate(
      (look) => {
        document.documentElement.dataset['look'] = look.colours;
        document.documentElement.dataset['size'] = look.size;
      },
      { colours, size },
    );
    // The last is what it was before.
    if (colours === 'system') return;
    await settled(page);
    const axe = new AxeBuilder({ page });
    // What a look changes is colours and sizes alone.
    const { violations } = await (
      colours === 'light' && size === 'usual'
        ? axe.withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
        : axe.withRules(['color-contrast', 'target-size', 'scrollable-region-focusable'])
    ).analyze();
    const found = violations.map(
      ({ id, nodes }) =>
        `${id}: ${nodes
          .slice(0, 3)
          .map(({ html }) => html.slice(0, 160))
          .join(' | ')}`,
    );
    expect(found, `${what}, ${colours}, ${size}`).toEqual([]);
  }
}
