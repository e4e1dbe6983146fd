import { expect, test, type OfficePage } from './office';
import type { Locator, Page } from '@playwright/test';

/** A cell of a list on the page, by its column’s heading. */
async function cell(list: Locator, row: number, heading: string): Promise<Locator> {
  const head = list.getByRole('columnheader', { name: heading, exact: true });
  const column = await head.getAttribute('col-id');
  return list.locator(`[row-index="${row}"]`).locator(`[role="gridcell"][col-id="${column}"]`);
}

const list = (page: Page, name: string | RegExp): Locator => page.getByRole('region', { name });

test('lists that follow one another are made in one step; a row is typed into, saved when it is left, taken back', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Screens');
  await office.button('New form').first().click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('radio', { name: 'a list' }).click();
  await dialog.getByRole('checkbox', { name: 'Schools' }).check();
  await expect(dialog.getByRole('status')).toContainText('Schools, beneath one another');
  await expect(dialog.getByRole('status')).toContainText('Hires, of the one picked');
  await dialog.getByLabel('What is it called on the Desk?').fill('By school');
  await office.button('Make it').click();
  // The first rows of each list are shown at once.
  await expect(page.getByRole('region', { name: 'Hires' }).getByRole('row').nth(1)).toBeVisible();
  await page.getByRole('checkbox', { name: 'change schools' }).check();
  await page.getByRole('button', { name: 'Hires', exact: true }).click();
  await page.getByRole('radio', { name: 'named in a cell' }).click();
  await expect(page.getByRole('region', { name: 'Hires' })).toHaveCount(0);
  await office.button('Save screen').click();
  await office.said('By school is saved');

  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'By school' }).click();
  const schools = list(page, 'By school');
  const name = await cell(schools, 1, 'Name');
  await name.click();
  // A school is told by its number.
  const number = await (await cell(schools, 1, 'Number')).textContent();
  const players = list(page, `Players of school ${number}`);
  await expect(players.getByRole('gridcell').first()).toBeVisible();
  // Alt and an arrow lead from list to list, and back.
  await page.keyboard.press('Alt+ArrowDown');
  await expect(players.locator(':focus')).toBeVisible();
  await page.keyboard.press('Alt+ArrowUp');
  await expect(schools.locator(':focus')).toBeVisible();

  const phone = await cell(schools, 1, 'Phone');
  const before = (await phone.textContent())!;
  await phone.click();
  await page.keyboard.press('Enter');
  await page.keyboard.press('ControlOrMeta+a');
  await page.keyboard.type('01 999 123');
  await page.keyboard.press('Enter');
  await expect(phone).toHaveText('01 999 123');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await office.said(`School ${number} is saved.`);
  await page.getByRole('button', { name: 'Take it back' }).click();
  await office.said('It is as it was before.');
  await expect(phone).toHaveText(before);

  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Screens');
  await page.getByRole('button', { name: 'By school' }).click();
  await office.button('Drop').click();
  await office.button('Drop it').click();
  await expect(page.getByRole('button', { name: 'Hire desk', exact: true })).toBeVisible();
  await expect(page.getByRole('button', { name: 'By school' })).toHaveCount(0);
});

/** How many rows the first list says it has. */
const counted = async (office: OfficePage): Promise<number> => {
  const text = await office.page
    .getByRole('status')
    .filter({ hasText: / instruments?$/ })
    .textContent();
  return Number(text!.replace(/\D/g, ''));
};

test('a colleague finds rows in a list, keeps how she looks at it, and opens one; what is wrong stays', async ({
  office,
  page,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemo();
  await page.getByRole('tab', { name: 'Stock' }).click();
  const stock = list(page, 'Stock');
  await expect((await cell(stock, 0, 'Condition')).first()).toBeVisible();
  const all = await counted(office);
  await office.button('+ only those where…').click();
  await office.choose(page.getByLabel('Keep rows where'), 'Condition');
  await office.choose(page.getByRole('combobox', { name: 'Value' }), 'Worn');
  await office.button('Add').click();
  await expect.poll(() => counted(office)).toBeLessThan(all);
  const worn = await counted(office);
  for (const row of [0, 3]) await expect(await cell(stock, row, 'Condition')).toHaveText('Worn');
  await stock.getByRole('columnheader', { name: 'Value' }).click();
  const first = await (await cell(stock, 0, 'Value')).textContent();
  // It is so again after it was left, until it is set back.
  await expect(page.getByRole('button', { name: 'Arrangement' })).toBeVisible();
  await page.getByRole('tab', { name: 'Today' }).click();
  await page.getByRole('tab', { name: 'Stock' }).click();
  await expect(await cell(stock, 0, 'Value')).toHaveText(first!);
  expect(await counted(office)).toBe(worn);
  await page.getByRole('button', { name: 'Arrangement' }).click();
  await page.getByRole('menuitem', { name: 'As it was before I arranged it' }).click();
  await expect.poll(() => counted(office)).toBe(all);

  // A value that breaks a rule waits where it was typed, by name.
  const value = await cell(stock, 2, 'Value');
  const was = await value.textContent();
  await value.click();
  await page.keyboard.press('Enter');
  await page.keyboard.press('ControlOrMeta+a');
  await page.keyboard.type('-5');
  await page.keyboard.press('Enter');
  await page.keyboard.press('ArrowUp');
  const wrong = page.getByRole('list', { name: 'What is wrong' });
  await expect(wrong).toContainText('A value is 0 or more.');
  await wrong.getByRole('button', { name: /A value is 0 or more/ }).click();
  await expect(value).toBeFocused();
  await wrong.getByRole('button', { name: 'Set aside' }).click();
  await expect(value).toHaveText(was!);

  const number = await (await cell(stock, 0, 'Asset number')).textContent();
  await (await cell(stock, 0, 'Asset number')).click();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: `Instrument ${number}` })).toBeVisible();
});
