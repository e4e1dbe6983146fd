import { expect, test } from '@playwright/test';
import { startServer } from '../scripts/browser.mjs';

test('without demo data the first visit makes the builder’s account; what is saved outlives a restart', async ({
  page,
}) => {
  const first = await startServer({ demo: false });
  await page.goto(first.url);
  await expect(page.getByRole('heading', { name: 'Create the builder’s account' })).toBeVisible();
  await page.getByLabel('Your name').fill('Nell Farrow');
  await page.getByLabel('Sign-in name').fill('nell');
  await page.getByLabel(/^Password/).fill('short');
  await page.getByRole('button', { name: 'Create account' }).click();
  await expect(page.getByRole('alert')).toContainText('at least 10 characters');
  await page.getByLabel(/^Password/).fill('a long enough one');
  await page.getByRole('button', { name: 'Create account' }).click();
  await page.getByRole('button', { name: 'New file' }).click();
  await page.getByLabel('What is it called?').fill('../escape');
  await page.getByRole('button', { name: 'Make file' }).click();
  await expect(page.locator('mat-snack-bar-container')).toContainText('cannot hold /');
  await page.getByLabel('What is it called?').fill('Seed swap');
  await page.getByRole('button', { name: 'Make file' }).click();
  await page.getByRole('button', { name: 'Type the first table' }).click();
  await page.getByLabel('What is one row of it?').fill('Packet');
  await page.getByRole('button', { name: 'Add to the draft' }).click();
  // Not applied yet: the draft is kept all the same.
  await expect(page.getByRole('region', { name: 'Draft' })).toBeVisible();
  await page.waitForTimeout(1000);
  await first.stop({ keep: true });

  const second = await startServer({ demo: false, data: first.data });
  await page.goto(second.url);
  // The session is in the registry, so nobody has to sign in again.
  await page.getByRole('link', { name: 'Seed swap', exact: true }).click();
  await expect(page.getByRole('region', { name: 'Draft' })).toContainText('1 change drafted');
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(page.getByRole('region', { name: 'Draft' })).toBeHidden();
  await page.getByRole('link', { name: 'Fill' }).click();
  await page.getByRole('button', { name: /^Row/ }).click();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('heading', { name: 'Packets' })).toBeVisible();
  await second.stop();
});
