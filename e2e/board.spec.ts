import type { Locator, Page } from '@playwright/test';
import { accessible } from './axe';
import { expect, test } from './office';

const part = (page: Page, name: string): Locator => page.getByRole('region', { name, exact: true });
const rowsOf = (page: Page, name: string): Locator => part(page, name).locator('[role="row"][row-index]');

/** How many there are, as a number says it. */
async function numberOf(page: Page, name: string): Promise<number> {
  const text = await part(page, name).getByRole('status').textContent();
  return Number(/[\d,]+/.exec(text ?? '')?.[0].replace(/,/g, '') ?? NaN);
}

test('a board on the Desk is narrowed as a whole, by what is found and by days, and its rows are worked on there', async ({
  office,
  page,
}) => {
  test.slow();
  await office.signIn('Tobin Leck');
  await page.getByRole('link', { name: 'Open the Desk of Quillbrook hire' }).click();
  await page.getByRole('link', { name: /^Overview/ }).click();
  await expect(page.getByRole('heading', { name: 'Overview' })).toBeVisible();
  await expect(rowsOf(page, 'Repairs').first()).toBeVisible();
  await expect.poll(() => numberOf(page, 'All hires')).toBeGreaterThan(3000);
  await expect.poll(() => numberOf(page, 'In the workshop')).toBeGreaterThan(0);
  const [repairs, all] = [await numberOf(page, 'In the workshop'), await numberOf(page, 'All hires')];
  await accessible(page, 'a board on the Desk');

  // One instrument: every part follows, and the address tells it.
  const repair = rowsOf(page, 'Repairs').first().locator('[col-id="f_repairInstrument"]');
  const instrument = (await repair.textContent())!.trim();
  await page.keyboard.press('Control+k');
  await expect(page.getByLabel('Instrument', { exact: true })).toBeFocused();
  await page.keyboard.type(/A-\d+/.exec(instrument)![0]);
  await page.getByRole('option', { name: instrument }).click();
  await expect.poll(() => numberOf(page, 'All hires')).toBeLessThan(100);
  const count = part(page, 'Repairs').getByRole('status');
  await expect(count).toHaveText(/^\d+ repairs?$/);
  // Both are on their way: the number may still be that of all of them.
  await expect
    .poll(async () => (await rowsOf(page, 'Repairs').count()) - parseInt((await count.textContent())!, 10))
    .toBe(0);
  for (const cell of await rowsOf(page, 'Repairs').locator('[col-id="f_repairInstrument"]').all())
    await expect(cell).toHaveText(instrument);
  await page.reload();
  await expect(page.getByLabel('Instrument', { exact: true })).toHaveValue(instrument);
  await expect.poll(() => numberOf(page, 'All hires')).toBeLessThan(100);

  // What is begun here is for that instrument.
  await part(page, 'Repairs').getByRole('button', { name: 'Repair', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'New repair' })).toBeVisible();
  await expect(office.field(/^Instrument/)).toHaveValue(instrument);
  await page.goBack();
  await expect(page.getByRole('heading', { name: 'Overview' })).toBeVisible();

  // Days, in words and as they are written; what is no date is told and stays.
  await page.getByRole('button', { name: /^All again/ }).click();
  await expect.poll(() => numberOf(page, 'All hires')).toBe(all);
  await office.choose(page.getByRole('combobox', { name: 'Begun' }), 'this year');
  await expect.poll(() => numberOf(page, 'All hires')).toBeLessThan(all);
  const year = await numberOf(page, 'All hires');
  await page.getByRole('button', { name: 'The days before' }).click();
  await expect(page.getByLabel('from', { exact: true })).toHaveValue(/2025$/);
  await expect.poll(() => numberOf(page, 'All hires')).not.toBe(year);
  await page.getByLabel('from', { exact: true }).fill('31 feb');
  await page.keyboard.press('Tab');
  await expect(page.getByText('“31 feb” is no date.')).toBeVisible();
  await accessible(page, 'a board with a day that is none');
  await office.choose(page.getByRole('combobox', { name: 'Begun' }), 'all days');
  await expect.poll(() => numberOf(page, 'In the workshop')).toBe(repairs);

  // A card is put into another column on the board, and taken back there.
  const cards = part(page, 'Workshop');
  const card = cards.getByRole('region', { name: 'Waiting', exact: true }).locator('[data-card]').first();
  const name = (await card.textContent())!.trim();
  await card.focus();
  await page.keyboard.press('Control+ArrowRight');
  await office.said(`Repair ${name} is in “On the bench” now.`);
  await page.getByRole('button', { name: 'Take it back' }).click();
  await office.said('It is as it was before');
  await expect(cards.getByRole('region', { name: 'Waiting', exact: true })).toContainText(name);

  // A row is opened where rows are opened, and the way back leads to the board.
  await rowsOf(page, 'Repairs').first().getByRole('button', { name: 'Open' }).click();
  await expect(page.getByRole('heading', { name: /^Repair J-/ })).toBeVisible();
  await page.goBack();
  await expect(part(page, 'Workshop')).toBeVisible();
});

test('a board is made of screens in one step, arranged by mouse and keys, and found on the Desk', async ({
  office,
  page,
}) => {
  test.slow();
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Screens');
  await expect(page.getByRole('navigation', { name: 'Boards' }).getByRole('button')).toHaveText(/Overview/);
  await page.keyboard.press('Control+k');
  await page.keyboard.type('Overview');
  await expect(page.getByRole('option', { name: /Overview/ })).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'This board' })).toBeVisible();
  await expect(page.getByText('It narrows every part.').first()).toBeVisible();
  await page
    .getByRole('navigation', { name: 'Screens on the Desk' })
    .getByRole('button', { name: 'Stock' })
    .click();
  await expect(page.getByRole('heading', { name: 'This screen' })).toBeVisible();
  await office.button('New board').click();
  const dialog = page.getByRole('dialog', { name: 'New board' });
  await dialog.getByRole('checkbox', { name: 'Late back' }).check();
  await dialog.getByRole('checkbox', { name: 'Repairs' }).check();
  await dialog.getByLabel('What is it called on the Desk?').fill('Morning');
  await accessible(page, 'a new board');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('textbox', { name: 'Name of the board' })).toHaveValue('Morning');
  await expect(part(page, 'Repairs').locator('hr-list-grid [row-index="0"]').first()).toBeVisible();

  // By keys it gets another place and size; both steps are undone.
  const repairs = part(page, 'Repairs').getByRole('button', { name: 'Repairs' });
  const names = (): Promise<(string | null)[]> =>
    page
      .locator('hr-board')
      .getByRole('region')
      .evaluateAll((parts) => parts.map((at) => at.getAttribute('aria-label')));
  expect(await names()).toEqual(['Late back', 'Late back', 'Repairs']);
  await repairs.focus();
  await page.keyboard.press('Alt+ArrowUp');
  await expect.poll(names).toEqual(['Late back', 'Repairs', 'Late back']);
  await expect(repairs).toBeFocused();
  const high = (await part(page, 'Repairs').boundingBox())!.height;
  await repairs.press('Alt+Shift+ArrowDown');
  await expect
    .poll(async () => (await part(page, 'Repairs').boundingBox())!.height)
    .toBeGreaterThan(high + 20);
  await office.button('Undo').click();
  await office.button('Undo').click();
  await expect.poll(names).toEqual(['Late back', 'Late back', 'Repairs']);

  // By mouse it is dragged to the front, and pulled wider by its corner.
  const [from, to] = [(await repairs.boundingBox())!, (await part(page, 'Late back').first().boundingBox())!];
  await page.mouse.move(from.x + 60, from.y + 20);
  await page.mouse.down();
  await page.mouse.move(from.x + 40, from.y + 10, { steps: 5 });
  await page.mouse.move(to.x + 20, to.y + 20, { steps: 15 });
  await page.mouse.up();
  await expect.poll(names).toEqual(['Repairs', 'Late back', 'Late back']);
  const box = (await part(page, 'Repairs').boundingBox())!;
  await page.mouse.move(box.x + box.width - 8, box.y + box.height - 8);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width + 300, box.y + box.height - 8, { steps: 8 });
  await page.mouse.up();
  await expect
    .poll(async () => (await part(page, 'Repairs').boundingBox())!.width)
    .toBeGreaterThan(box.width + 100);

  // Days narrow it too, the repairs alone by when they are done.
  await page.keyboard.press('Escape');
  await office.button('Heading').click();
  await page.getByRole('textbox', { name: 'It says' }).fill('Before ten');
  await page.keyboard.press('Tab');
  await expect(page.getByRole('heading', { name: 'Before ten' }).first()).toBeVisible();
  await part(page, 'Before ten').getByRole('button', { name: 'Before ten' }).click();
  await office.choose(page.getByLabel('Add a filter'), 'days, from … to …');
  await repairs.click();
  await office.choose(page.getByLabel('By Days it is narrowed'), 'by done on');
  await accessible(page, 'a board that is designed');
  await office.button('Save board').click();
  await office.said('Morning is saved');

  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('link', { name: /^Morning/ }).click();
  await expect(page.getByRole('heading', { name: 'Morning' })).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Before ten' })).toBeVisible();
  await page.getByLabel('from', { exact: true }).fill('1.1.2026');
  await page.keyboard.press('Tab');
  await expect(part(page, 'Repairs').getByRole('status')).toHaveText(/^\d+ repairs$/);

  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Screens');
  await page.getByRole('navigation', { name: 'Boards' }).getByRole('button', { name: 'Morning' }).click();
  await office.button('Drop').click();
  await office.button('Drop it').click();
  await office.said('Morning is dropped');
});
