import { renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { startServer } from '../scripts/browser.mjs';
import { OfficePage } from './office';

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
  await expect(page.getByRole('dialog').getByRole('alert')).toContainText('cannot hold /');
  await expect(page.getByLabel('What is it called?')).toHaveValue('../escape');
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

test('what is put in the place of a database file is told where people work, and nothing of theirs is lost', async ({
  page,
}) => {
  const server = await startServer();
  const office = new OfficePage(page, server.url);
  await office.signIn('Mara Ashdown');
  await office.openDemoDesk('Hire desk');
  const file = /desk\/([^/]+)/.exec(page.url())![1]!;
  const path = join(server.data, 'files', `${file}.db`);
  const note = office.field('Note');
  await page.locator('.entry').first().click();
  await note.fill('Kept before');
  await page.keyboard.press('Control+s');
  await office.said('is saved');
  renameSync(path, `${path}.aside`);
  writeFileSync(path, 'Dear colleagues');
  await note.fill('Typed meanwhile');
  await page.keyboard.press('Control+s');
  await expect(page.getByRole('alert')).toContainText('stands a file that is no database');
  // It does not say both.
  await expect(page.locator('mat-snack-bar-container')).toHaveCount(0);
  await page.reload();
  await expect(page.getByRole('main')).toContainText('stands a file that is no database');
  await page.goto(`${server.url}/file/${file}/fill`);
  await expect(page.getByRole('main')).toContainText('This file could not be opened.');
  renameSync(`${path}.aside`, path);
  await office.button('Try again').click();
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
  await page.goto(`${server.url}/files`);
  await office.openDemoDesk('Hire desk');
  await page.locator('.entry').first().click();
  await expect(note).toHaveValue('Typed meanwhile');
  await page.keyboard.press('Control+s');
  await office.said('is saved');
  await page.reload();
  await expect(note).toHaveValue('Typed meanwhile');
  await server.stop();
});
