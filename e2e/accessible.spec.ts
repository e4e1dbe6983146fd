import { fileURLToPath } from 'node:url';
import { accessible } from './axe';
import { expect, test } from './office';

const PLAYERS = fileURLToPath(new URL('../demo/sheets/players.csv', import.meta.url));

test('every page meets WCAG 2.2 AA', async ({ office, page }) => {
  // Each page is looked at in three looks; there are many.
  test.setTimeout(900_000);
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
  await expect(office.field('Kind')).toBeVisible();
  await accessible(page, 'Plan with an open field');
  await office.button('Write several fields').click();
  await page.getByRole('dialog').getByRole('textbox').fill('joined: date\nplot -> Plot');
  await accessible(page, 'fields as lines');
  await office.button('Cancel').click();
  await office.stage('Fill');
  await expect(page.getByRole('gridcell').nth(5)).toBeVisible();
  await accessible(page, 'Fill');
  // What leads to a row is told in its last columns, and unfolded beneath it.
  await page.getByRole('gridcell').nth(5).click();
  await page.keyboard.press('Alt+ArrowDown');
  await expect(page.getByRole('region', { name: / of / }).getByRole('gridcell').first()).toBeVisible();
  await accessible(page, 'rows beneath a row');
  await page.keyboard.press('Escape');
  for (const entry of ['Columns…', 'Keep this view…']) {
    await office.button('Usual view').click();
    await page.getByRole('menuitem', { name: entry }).click();
    await expect(page.getByRole('dialog')).toBeVisible();
    await accessible(page, entry);
    await page.keyboard.press('Escape');
    await expect(page.getByRole('dialog')).toBeHidden();
  }
  await office.button('History').click();
  await page.getByRole('menuitem', { name: 'What was done to rows' }).click();
  await expect(page.getByRole('dialog')).toBeVisible();
  await accessible(page, 'the history of rows');
  await page.keyboard.press('Escape');
  await page.getByRole('link', { name: 'Bring in' }).click();
  await expect(page.getByRole('heading', { name: 'Bring in a sheet' })).toBeVisible();
  await accessible(page, 'a sheet to choose');
  await page.getByLabel('A sheet to bring in').setInputFiles(PLAYERS);
  await page.getByRole('button', { name: 'Mend' }).first().click();
  await page.getByRole('button', { name: 'Show why' }).click();
  await accessible(page, 'a sheet to bring in');
  await office.stage('Query');
  await expect(page.getByRole('application')).toBeVisible();
  await accessible(page, 'Query');
  await office.button('+ and…').click();
  await accessible(page, 'a part of the sentence');
  await page.keyboard.press('Escape');
  await office.stage('Screens');
  await page.getByRole('button', { name: 'Due back', exact: true }).click();
  await accessible(page, 'Screens');
  // A form with rows within rows, one of them unfolded, with a section and tabs, and how it is begun.
  await office.button('New form').first().click();
  await page.getByRole('checkbox', { name: 'Players' }).check();
  await page.getByLabel('What is it called on the Desk?').fill('Rows in rows');
  await accessible(page, 'New form');
  await office.button('Make it').click();
  await page.getByRole('button', { name: 'Phone', exact: true }).click();
  await office.choose(page.getByLabel('It stands'), 'in a new section');
  await page.getByRole('button', { name: 'Email', exact: true }).click();
  await office.choose(page.getByLabel('It stands'), 'on a new tab');
  await page.getByRole('button', { name: /^Row 1 of Hires/ }).click();
  await accessible(page, 'Screens, with parts within parts');
  await office.button('Worked out').click();
  await expect(page.getByRole('textbox', { name: 'Expression of this field' })).toBeVisible();
  await office.choose(page.getByLabel('Its label stands'), 'left of it, at the right');
  await accessible(page, 'Screens, with something worked out');
  // A look of its own: its colours are read in the light and in the dark.
  await page.getByRole('heading', { name: 'Worked out' }).click();
  await page.keyboard.press('Escape');
  await office.choose(page.getByRole('combobox', { name: 'It looks' }), 'Bands, heather');
  await office.button('Save screen').click();
  await office.said('is saved');
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  await page.getByRole('button', { name: 'Condition', exact: true }).click();
  await expect(page.getByRole('region', { name: 'Repairs' })).toBeVisible();
  await accessible(page, 'Screens, with lists');
  await page.getByRole('button', { name: /^Account of/ }).click();
  await page.getByRole('menuitem', { name: 'Change password' }).click();
  await expect(page.getByRole('dialog')).toBeVisible();
  await accessible(page, 'another password');
  await page.keyboard.press('Escape');
  await office.stage('People');
  await office.button('New role').first().click();
  await page.getByRole('textbox', { name: 'What is it called?' }).fill('Counter');
  await page.keyboard.press('Enter');
  await page.getByRole('group', { name: 'Payments' }).getByRole('button', { name: 'every field' }).click();
  await office.button('Let somebody in').click();
  await accessible(page, 'People');
  await office.button('Drop').click();
  await office.button('Drop it').click();
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Rows in rows' }).click();
  await page.locator('.entry', { hasText: 'P-1204' }).click();
  await page.getByRole('button', { name: /^Row 1 of Hires/ }).click();
  await accessible(page, 'Desk, with rows within rows');
  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Print');
  await expect(page.getByRole('img', { name: 'Page 1' })).toBeVisible();
  await accessible(page, 'Print');
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await expect(page.getByRole('heading', { name: /^Today/ })).toBeVisible();
  await accessible(page, 'Today');
  await page.getByRole('tab', { name: 'Stock' }).click();
  await expect(
    page
      .getByRole('region', { name: /^Repairs of/ })
      .getByRole('gridcell')
      .first(),
  ).toBeVisible();
  await accessible(page, 'lists');
  await page.getByRole('tab', { name: 'Hire desk' }).click();
  await page.locator('.entry').first().click();
  await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
  await accessible(page, 'a record');
  await office.field(/^Due back/).fill('nonsense');
  await office.field(/^Due back/).press('Tab');
  await accessible(page, 'a record with a message');
});

test('Plan’s editors and dialogs meet WCAG 2.2 AA', async ({ office, page }) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  const more = async (item: RegExp): Promise<void> => {
    await office.button('More for this file').click();
    await page.getByRole('menuitem', { name: item }).click();
    await expect(page.getByRole('dialog')).toBeVisible();
  };
  const close = async (): Promise<void> => {
    await page.keyboard.press('Escape');
    await expect(page.getByRole('dialog')).toBeHidden();
  };
  await page.locator('[data-table="t_hire"] .face').click();
  await office.button('Name, key, order and rules of this table').click();
  await expect(page.getByText('Rows are listed in the order of')).toBeVisible();
  await office.button('Fields together').click();
  await expect(office.button('Ask it')).toBeDisabled();
  await accessible(page, 'the table editor');
  await office.button('Name, key, order and rules of this table').click();
  await office.button(/^Player looks up/).click();
  await accessible(page, 'a lookup');
  await office.button(/^Monthly fee/).click();
  await office.button('put it together').click();
  await expect(page.getByLabel('Shape of the rule')).toBeVisible();
  await accessible(page, 'a rule from a shape');
  await office.button('Link Hire to another table').click();
  await office.choose(page.getByRole('dialog').getByLabel('To', { exact: true }), 'Part');
  await accessible(page, 'the link dialog');
  await close();
  for (const item of [/^Find links/, /^Applied changes/, /^How this office writes/]) {
    await more(item);
    await accessible(page, String(item));
    await close();
  }
  await page.locator('[data-table="t_school"] .face').click();
  await office.button(/^District/).click();
  await office.choose(office.field('Kind'), 'Choice');
  await expect(page.getByText('23 rows cannot be read.')).toBeVisible();
  await accessible(page, 'a conversion');
  await office.button('Drop this field').click();
  await accessible(page, 'the draft');
  await office.button('Set aside').click();
  await office.button(/^District/).click();
  await office.button('Split or merge').click();
  await expect(page.getByRole('dialog')).toBeVisible();
  await accessible(page, 'split or merge');
  await close();
  await office.button(/^Phone/).click();
  await page.getByLabel('Always filled').check();
  await office.button('Check').click();
  await expect(page.getByRole('region', { name: 'Draft' })).toContainText('nothing stands in the way');
  await office.button('Set aside').click();
});
