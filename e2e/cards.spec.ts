import type { Locator, Page } from '@playwright/test';
import { accessible } from './axe';
import { expect, test } from './office';

const lane = (page: Page, name: string): Locator => page.getByRole('region', { name, exact: true });
const cardsIn = (where: Locator): Locator => where.locator('[data-card]');

/** How many rows a column says that it has. */
const countOf = async (where: Locator): Promise<number> => {
  const head = await where.locator('div').first().textContent();
  return Number(/(\d[\d,]*)/.exec(head!)![1]);
};

async function drag(page: Page, card: Locator, to: Locator): Promise<void> {
  const [from, target] = [(await card.boundingBox())!, (await to.boundingBox())!];
  await page.mouse.move(from.x + 20, from.y + 10);
  await page.mouse.down();
  await page.mouse.move(from.x + 40, from.y + 30, { steps: 4 });
  await page.mouse.move(target.x + target.width / 2, target.y + target.height / 2, { steps: 12 });
  await page.mouse.up();
}

test('cards on the Desk are put into other columns by mouse, keys and a menu, and taken back', async ({
  office,
  page,
  browser,
}) => {
  test.slow();
  await office.signIn('Tobin Leck');
  await page.getByRole('link', { name: 'Open the Desk of Quillbrook hire' }).click();
  await expect(page.getByRole('link', { name: /Workshop.*cards of repairs/ })).toBeVisible();
  await page.getByRole('tab', { name: 'Workshop' }).click();
  const [waiting, bench, done] = ['Waiting', 'On the bench', 'Done'].map((name) => lane(page, name));
  await expect(cardsIn(waiting!).first()).toBeVisible();
  await accessible(page, 'cards in columns on the Desk');
  const before = await countOf(bench!);

  // By keys: the card stays the one with the cursor.
  const first = cardsIn(waiting!).first();
  const name = (await first.textContent())!.trim();
  const where = (of: Locator): Locator => of.getByRole('button', { name: new RegExp(`^Repair ${name}, `) });
  await first.focus();
  await page.keyboard.press('Control+ArrowRight');
  await office.said(`Repair ${name} is in “On the bench” now.`);
  await expect(where(bench!)).toBeFocused();
  await expect.poll(() => countOf(bench!)).toBe(before + 1);
  await page.getByRole('button', { name: 'Take it back' }).click();
  await office.said('It is as it was before');
  await expect(where(waiting!)).toBeVisible();
  await expect.poll(() => countOf(bench!)).toBe(before);

  // A colleague with the same cards sees what happens.
  const other = await browser.newContext();
  const hers = await other.newPage();
  await hers.goto(office.url);
  await hers.getByRole('button', { name: 'Mara Ashdown' }).click();
  await expect(hers.getByRole('heading', { name: 'Files' })).toBeVisible();
  await hers.goto(page.url());
  await expect(where(lane(hers, 'Waiting'))).toBeVisible();

  // By mouse; what is dropped is no press: nothing is opened by it.
  await drag(page, where(waiting!), done!);
  await office.said(`Repair ${name} is in “Done” now.`);
  await expect(where(done!)).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Workshop' })).toBeVisible();
  await expect(where(lane(hers, 'Done'))).toBeVisible({ timeout: 15_000 });
  await other.close();

  // From its menu, back to where it was.
  await page.getByRole('button', { name: `What can be done with Repair ${name}` }).click();
  await page.getByRole('menuitem', { name: 'Move to Waiting', exact: true }).click();
  await office.said(`Repair ${name} is in “Waiting” now.`);
  await expect(where(waiting!)).toBeFocused();

  // Enter opens the record; a new one begins with the state of its column.
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: `Repair ${name}` })).toBeVisible();
  await page.getByRole('tab', { name: 'Workshop' }).click();
  await page.getByRole('button', { name: 'New repair in On the bench' }).click();
  await expect(page.getByRole('heading', { name: 'New repair' })).toBeVisible();
  await expect(page.getByRole('combobox', { name: /^State/ })).toContainText('On the bench');
});

test('cards in columns are made in one step, and found again as they were left', async ({ office, page }) => {
  test.slow();
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Screens');
  await office.button('New form').first().click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('radio', { name: 'cards in columns' }).click();
  await dialog.getByRole('checkbox', { name: 'Repairs' }).check();
  await office.choose(dialog.getByLabel('Its cards stand in columns by'), 'Technician');
  await dialog.getByLabel('What is it called on the Desk?').fill('Who mends');
  await accessible(page, 'making cards in columns');
  await office.button('Make it').click();
  await expect(page.getByRole('group', { name: 'Its cards' })).toContainText('No technician');
  await accessible(page, 'designing cards in columns');
  await office.button('Save screen').click();
  await office.said('Who mends is saved');
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Who mends' }).click();
  const cards = page.getByRole('region', { name: 'Who mends' });
  // 640 repairs, of each column 50 at once.
  await expect(cards.getByRole('status').first()).toContainText('640 repairs');
  const column = lane(page, 'Wanda Zielinska');
  await expect(cardsIn(column)).toHaveCount(50);
  await column.getByRole('button', { name: /more: read on$/ }).click();
  await expect.poll(() => cardsIn(column).count()).toBeGreaterThan(50);

  // Found by words and in another order, which is kept for her.
  await office.choose(page.getByRole('combobox', { name: 'Order of the cards' }), 'Brought in, last first');
  await page.getByRole('searchbox', { name: 'Find repairs' }).fill('trumpet');
  await expect(cards.getByRole('status').first()).not.toContainText('640');
  await page.reload();
  await expect(page.getByRole('combobox', { name: 'Order of the cards' })).toContainText('last first');

  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Screens');
  await page.getByRole('button', { name: 'Who mends', exact: true }).click();
  await office.button('Drop').click();
  await office.button('Drop it').click();
  // Behind an open dialog nothing is found, be it there or not.
  await office.said('Who mends is dropped');
  await expect(page.getByRole('button', { name: 'Hire desk', exact: true })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Who mends', exact: true })).toHaveCount(0);
});
