import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect, test } from './office';

/** WCAG 2.2 AA, as axe-core checks it. */
async function accessible(page: Page, what: string): Promise<void> {
  const { violations } = await new AxeBuilder({ page })
    .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
    .analyze();
  const found = violations.map(
    ({ id, nodes }) =>
      `${id}: ${nodes
        .slice(0, 3)
        .map(({ html }) => html.slice(0, 160))
        .join(' | ')}`,
  );
  expect(found, what).toEqual([]);
}

test('every page meets WCAG 2.2 AA', async ({ office, page }) => {
  await page.goto(office.url);
  await expect(page.getByRole('button', { name: 'Mara Ashdown' })).toBeVisible();
  await accessible(page, 'sign-in');
  await office.signIn('Mara Ashdown');
  await accessible(page, 'files');
  await office.button('New file').click();
  await accessible(page, 'a dialog');
  await office.button('Cancel').click();
  await office.openDemo();
  await page
    .getByRole('button', { name: /^Surname|^Name text/ })
    .first()
    .click();
  await accessible(page, 'Plan with an open field');
  await office.stage('Fill');
  await expect(page.getByRole('gridcell').nth(5)).toBeVisible();
  await accessible(page, 'Fill');
  await office.stage('Query');
  await expect(page.getByRole('region', { name: 'Result' }).getByRole('cell').first()).toBeVisible();
  await accessible(page, 'Query');
  await office.button('+ and…').click();
  await accessible(page, 'a part of the sentence');
  await page.keyboard.press('Escape');
  await office.stage('Screens');
  await page.getByRole('button', { name: 'Due back', exact: true }).click();
  await accessible(page, 'Screens');
  await office.stage('Print');
  await expect(page.getByRole('img', { name: 'Page 1' })).toBeVisible();
  await accessible(page, 'Print');
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await expect(page.getByRole('heading', { name: /^Today/ })).toBeVisible();
  await accessible(page, 'Today');
  await page.getByRole('navigation', { name: 'Screens' }).getByRole('link', { name: 'Hire desk' }).click();
  await page.locator('.entry').first().click();
  await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
  await accessible(page, 'a record');
  await office.field(/^Due back/).fill('nonsense');
  await office.field(/^Due back/).press('Tab');
  await accessible(page, 'a record with a message');
});
