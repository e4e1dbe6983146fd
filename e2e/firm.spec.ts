import { join } from 'node:path';
import { AxeBuilder } from '@axe-core/playwright';
import Database from 'libsql';
import { expect, test } from './office';

test('a save is made once, however impatient people are, and waits for what is still looked up', async ({
  office,
  page,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Players');
  const count = async (): Promise<string> =>
    (await page.getByRole('status').filter({ hasText: ' of ' }).textContent())!.trim();
  await office.button(/^New player/).click();
  await office.field(/^Surname/).fill('Impatient');
  await office.field(/^First name/).fill('Ida');
  // The answer to what the lookup is left with comes late, and so does that to the save.
  const slowly = async (route: { continue(): Promise<void> }): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 700));
    await route.continue();
  };
  await page.route('**/lookups/**', slowly);
  await page.route('**/save', slowly);
  const school = office.field(/^School/);
  await school.click();
  await school.fill('Ansty Vale');
  for (let i = 0; i < 3; i++) await page.keyboard.press('Control+s');
  await office.said('is saved');
  await page.unroute('**/lookups/**');
  await page.unroute('**/save');
  await page.getByRole('searchbox').fill('Impatient');
  await expect.poll(count).toMatch(/^1 of/);
  await page.locator('.entry').first().click();
  await expect(office.field(/^School/)).toHaveValue(/^Ansty Vale/);
});

test('an answer that comes late does not show the wrong record', async ({ office, page }) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Players');
  let first = true;
  await page.route('**/record?**', async (route) => {
    if (first) {
      first = false;
      await new Promise((resolve) => setTimeout(resolve, 1200));
    }
    // The page may have given up on it by then.
    await route.continue().catch(() => undefined);
  });
  const [slow, quick] = [page.locator('.entry').nth(0), page.locator('.entry').nth(1)];
  await slow.click();
  await quick.click();
  await expect(quick).toHaveAttribute('aria-current', 'true');
  const title = await page.getByRole('heading', { name: /^Player / }).textContent();
  await page.waitForTimeout(1500);
  expect(await page.getByRole('heading', { name: /^Player / }).textContent()).toBe(title);
  await expect(quick).toHaveAttribute('aria-current', 'true');
});

test('a draft stays with its file while other stages are worked on', async ({ office, page }) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await page.locator('[data-table="t_school"] .face').click();
  await office.button(/^Phone/).click();
  await page.getByLabel('Always filled').check();
  const strip = page.getByRole('region', { name: 'Draft' });
  await expect(strip).toContainText('1 change drafted.');
  await office.stage('Query');
  await page
    .getByLabel('Name of the query')
    .or(page.getByRole('heading', { level: 1 }))
    .first()
    .waitFor();
  await office.stage('Screens');
  await page
    .getByRole('checkbox', { name: /delete/ })
    .first()
    .uncheck();
  await office.button('Save screen').click();
  await office.said('is saved');
  await office.stage('Plan');
  await expect(strip).toContainText('1 change drafted.');
  await page.reload();
  await expect(strip).toContainText('1 change drafted.');
  await office.button('Set aside').click();
  await expect(strip).toBeHidden();
  // The screen just saved lets nobody delete: the Desk offers no way to.
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Hire desk' }).click();
  await page.locator('.entry').first().click();
  await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
  await expect(office.button('Delete')).toBeHidden();
  await expect(office.button(/^Save/)).toBeVisible();

  // Others find it as it was.
  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Screens');
  await page
    .getByRole('checkbox', { name: /delete/ })
    .first()
    .check();
  await office.button('Save screen').click();
  await office.said('is saved');
});

test('a browser without a calendar of its own reads one, and shows the same times', async ({
  office,
  page,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Hire desk');
  // The newest hire opens by itself; times stand in what is typed in, as well as in the page's text.
  const shown = async (): Promise<string> => {
    await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
    await expect(page.getByLabel('Last changed')).toHaveValue(/\d{4} \d{2}:\d{2}/);
    const texts = await page.locator('main').last().innerText();
    const values = await page
      .getByRole('textbox')
      .evaluateAll((all) => all.map((item) => (item as HTMLInputElement).value));
    return [texts, ...values].join('\n');
  };
  const kinds = (): Promise<string> =>
    page.evaluate(`typeof Temporal + ' ' + /native/.test(String(globalThis.Temporal?.Instant))`);
  const own = await shown();
  expect(await kinds()).toBe('object true');
  await page.addInitScript('delete globalThis.Temporal');
  await page.reload();
  const others = await shown();
  expect(await kinds()).toBe('object false');
  expect(others).toBe(own);
});

test('what cannot be read from the server is told, and the draft is there when it can', async ({
  office,
  page,
  context,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await page.getByRole('button', { name: 'Field', exact: true }).waitFor();
  // Parts of a page are code of their own, read when somebody moves or they are wanted.
  office.expected = /Failed to fetch dynamically imported module/;
  await context.route(/\.js$/, (route) => route.fulfill({ status: 404 }));
  await page.locator('[data-table="t_school"] .face').click();
  await page.getByRole('button', { name: 'Field', exact: true }).click();
  const alerts = page.getByRole('alert').filter({ hasText: 'could not be read from the server' });
  await expect(alerts).toHaveCount(2);
  await office.stage('Query');
  await office.said('This could not be read from the server');
  await expect(page.getByRole('heading', { name: 'School' })).toBeVisible();
  await context.unroute(/\.js$/);
  await page.getByRole('button', { name: 'Read the page again' }).first().click();
  await expect(page.getByRole('region', { name: 'Draft' })).toContainText('1 change drafted.');
  await office.button('Set aside').click();
});

test('a page that is read anew at once has the draft; a screen that is not saved is asked about', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await page.locator('[data-table="t_school"] .face').click();
  const strip = page.getByRole('region', { name: 'Draft' });
  await page.getByRole('button', { name: 'Field', exact: true }).click();
  await page.reload();
  await expect(strip).toContainText('1 change drafted.');
  await office.button('Set aside').click();
  await office.stage('Screens');
  const may = page.getByRole('checkbox', { name: /delete/ }).first();
  await may.setChecked(!(await may.isChecked()));
  const asked: string[] = [];
  page.on('dialog', (dialog) => {
    asked.push(dialog.type());
    void dialog.accept();
  });
  await page.reload();
  expect(asked).toEqual(['beforeunload']);
});

test('rows that another tool has put in are found, told, and mended', async ({ office, page, server }) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await expect(office.button('More for this file')).toBeVisible();
  const [, file] = /\/file\/(f_\w+)/.exec(page.url())!;
  const db = new Database(join(server.data, 'files', `${file}.db`));
  db.exec(`PRAGMA foreign_keys = OFF; PRAGMA ignore_check_constraints = ON;
    UPDATE hire SET due_back = 'soon' WHERE hire_number = 1418`);
  db.close();
  await office.button('More for this file').click();
  await page.getByRole('menuitem', { name: 'Is everything sound?' }).click();
  const dialog = page.getByRole('dialog', { name: 'Is everything sound?' });
  await expect(dialog).toContainText('Due back holds a value that its kind does not allow.');
  const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag22aa']).analyze();
  expect(violations.map(({ id, help }) => `${id}: ${help}`)).toEqual([]);
  await dialog.getByRole('button', { name: 'Mend it' }).click();
  const due = page.getByRole('textbox', { name: /^Due back of/ });
  await due.fill('1 jan 2031');
  await due.press('Tab');
  await page.getByRole('dialog').last().getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('mended')).toBeVisible();
  await office.button('Close and check again').click();
  await expect(dialog).toContainText('Every row keeps every rule');
  await dialog.getByRole('button', { name: 'Close' }).click();
  await expect(page.getByText('does not keep what it promises')).toBeHidden();
});
