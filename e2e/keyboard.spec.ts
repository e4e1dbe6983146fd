import { expect, test } from './office';
import type { Page } from '@playwright/test';

/** Presses Tab until something with this name has the focus. */
async function tabTo(page: Page, name: RegExp, most = 60): Promise<void> {
  for (let i = 0; i < most; i++) {
    const focused = await page.evaluate(() => {
      const element = document.activeElement as HTMLElement | null;
      if (!element || element === document.body) return '';
      const by = element.matches('[role="combobox"]') ? element.getAttribute('aria-labelledby') : null;
      const label = by
        ? document.getElementById(by.trim())
        : element.id
          ? document.querySelector(`label[for="${CSS.escape(element.id)}"]`)
          : element.closest('label');
      const own = element.matches('input, textarea, [role="combobox"]') ? '' : element.textContent;
      return [element.getAttribute('aria-label'), label?.textContent, own]
        .join(' ')
        .replace(/\s+/g, ' ')
        .trim();
    });
    if (name.test(focused)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error(`Tab never came to ${name}`);
}

/** Goes to the map, which is one stop of the Tab key, and from card to card to the one whose name begins so. */
async function toCard(page: Page, name: string): Promise<void> {
  const at = (): Promise<string | null> =>
    page.evaluate<string | null>("document.activeElement?.closest('.face')?.textContent?.trim() ?? null");
  for (let i = 0; i < 90 && (await at()) === null; i++) await page.keyboard.press('Tab');
  const keys = ['ArrowLeft', 'ArrowUp', 'ArrowRight', 'ArrowDown'];
  for (let i = 0; i < 16 && !(await at())?.startsWith(`${name}№`); i++)
    await page.keyboard.press(keys[Math.floor(i / 2) % 4]!);
  expect(await at()).toMatch(new RegExp(`^${name}№`));
}

/** Types without waiting for any key to be answered, as a practised hand does on a slow machine. */
const quickly = (page: Page, text: string): Promise<unknown> =>
  Promise.all([...text].map((character) => page.keyboard.type(character)));

test('a day’s work on the Desk, by keyboard alone', async ({ office, page }) => {
  await page.goto(office.url);
  await expect(page.getByRole('button', { name: 'Tobin Leck' })).toBeVisible();
  await tabTo(page, /Sign-in name/);
  await page.keyboard.type('tobin');
  await page.keyboard.press('Tab');
  await page.keyboard.type('brook-and-reed');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Files' })).toBeVisible();
  await tabTo(page, /^Quillbrook hire$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: /^Today/ })).toBeVisible();
  // The screens are one stop of the Tab key.
  await tabTo(page, /^Today$/);
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Enter');

  // Find, walk the list, open.
  await expect(page.getByRole('status').filter({ hasText: 'of 3,918' })).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.keyboard.type('oduya');
  await expect(page.getByRole('status').filter({ hasText: /^\s*7\d of 3,918/ })).toBeVisible();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
  const first = await page.getByRole('heading', { name: /^Hire \d+/ }).textContent();
  await page.keyboard.press('Alt+ArrowDown');
  await expect(page.getByRole('heading', { name: first!.trim() })).toBeHidden();

  // A new hire with a payment.
  await page.keyboard.press('Alt+n');
  await expect(page.getByRole('heading', { name: 'New hire' })).toBeVisible();
  await tabTo(page, /Player/);
  await page.keyboard.type('oduya, temi');
  await expect(page.getByRole('option').first()).toBeVisible();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Tab');
  await page.keyboard.type('viola');
  await expect(page.getByRole('option', { name: /Viola/ }).first()).toBeVisible();
  await page.keyboard.press('Enter');
  await tabTo(page, /Monthly fee/);
  await page.keyboard.type('11.5');
  await tabTo(page, /^Payment$/);
  await page.keyboard.press('Enter');
  await tabTo(page, /Amount, row 1/);
  await page.keyboard.type('11.50');
  await page.keyboard.press('Control+s');
  await office.said('is saved');
  await expect(page.getByText('Sum of amount £11.50')).toBeVisible();
});

test('planning by keyboard: a field is added, checked, set aside', async ({ office, page }) => {
  await office.signIn('Mara Ashdown');
  await tabTo(page, /^Quillbrook hire$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'School', exact: true })).toBeVisible();
  // Go to… leads anywhere.
  await page.keyboard.press('Control+k');
  await quickly(page, 'part table');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Part', exact: true })).toBeVisible();
  await tabTo(page, /^Field$/, 90);
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Label', { exact: true })).toBeFocused();
  await page.keyboard.type('Shelf');
  await page.keyboard.press('Tab');
  await tabTo(page, /Always filled/);
  await page.keyboard.press('Space');
  await tabTo(page, /^Check$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('region', { name: 'Draft' })).toContainText(
    '40 rows do not fit. Shelf is to be always filled',
  );
  await expect(page.getByRole('button', { name: 'Apply' })).toBeDisabled();
  await tabTo(page, /^Set aside$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('region', { name: 'Draft' })).toBeHidden();
});

test('a design from nothing by keyboard: tables, many to many, a rule from a shape, applied and undone', async ({
  office,
  page,
}) => {
  const draft = page.getByRole('region', { name: 'Draft' });
  const enter = async (name: RegExp): Promise<void> => {
    await tabTo(page, name);
    await page.keyboard.press('Enter');
  };
  await office.signIn('Mara Ashdown');
  await enter(/^New file$/);
  await expect(office.field('What is it called?')).toBeFocused();
  await page.keyboard.type('Choir');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'What does the office keep track of?' })).toBeVisible();
  await enter(/^Type the first table$/);
  await expect(office.field('What is one row of it?')).toBeFocused();
  await page.keyboard.type('Singer');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Singer' })).toBeVisible();
  await enter(/^Field$/);
  await expect(page.getByRole('textbox', { name: 'Label' })).toBeFocused();
  await page.keyboard.type('Born on');
  await page.keyboard.press('Tab');
  // A kind is chosen by typing its name.
  await expect(page.getByRole('combobox', { name: 'Kind' })).toBeFocused();
  await page.keyboard.type('Date');
  await expect(page.getByRole('combobox', { name: 'Kind' })).toHaveText('Date');

  // A rule, put together from a ready shape.
  await enter(/^put it together$/);
  await tabTo(page, /^Shape of the rule/);
  await page.keyboard.type('lies at least');
  await tabTo(page, /^years/);
  await page.keyboard.type('8');
  await enter(/^Use it$/);
  await expect(page.getByText(/reads: *born on/)).toContainText('8');

  await enter(/^Table$/);
  await expect(office.field('What is one row of it?')).toBeFocused();
  await page.keyboard.type('Concert');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Concert' })).toBeVisible();

  // Many to many, from a card.
  await toCard(page, 'Singer');
  await page.keyboard.press('l');
  const dialog = page.getByRole('dialog', { name: 'Link two tables' });
  await expect(dialog).toBeVisible();
  await tabTo(page, /^To/);
  await page.keyboard.type('Concert');
  await tabTo(page, /Each singer belongs to one concert/);
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await expect(dialog.getByRole('radio', { name: /^Many to many/ })).toBeChecked();
  await enter(/^Add to the draft$/);
  await expect(page.getByRole('heading', { name: 'Singer concert' })).toBeVisible();

  // What no two rows have alike, in two fields together.
  await toCard(page, 'Singer');
  await page.keyboard.press('Enter');
  await enter(/^Name, key, order and rules of this table$/);
  await enter(/^Fields together$/);
  for (const label of ['Number', 'Born on']) {
    await tabTo(page, new RegExp(`^${label}$`));
    await page.keyboard.press('Space');
  }
  await enter(/^Ask it$/);
  await expect(page.getByRole('list', { name: 'Rules of Singer' })).toContainText(
    'no two singers have Number and Born on alike',
  );

  // A card is moved, the draft is checked, applied and undone.
  const face = page.locator('.card-box .face').first();
  const before = await face.boundingBox();
  await toCard(page, 'Singer');
  await page.keyboard.press('Alt+ArrowRight');
  await expect.poll(async () => (await face.boundingBox())!.x).toBeGreaterThan(before!.x);
  await enter(/^Check$/);
  await expect(draft).toContainText('nothing stands in the way');
  await enter(/^Apply$/);
  await expect(draft).toBeHidden();
  await enter(/^More for this file/);
  // The menu takes the focus a moment after it is there: a key before that is nobody's.
  await expect(page.getByRole('menuitem').first()).toBeFocused();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('menuitem', { name: 'Applied changes' })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('dialog', { name: 'Applied changes' }).getByRole('listitem')).toHaveCount(1);
  await enter(/^Undo this$/);
  await expect(page.getByRole('heading', { name: 'What does the office keep track of?' })).toBeVisible();
});

test('the grid by keyboard: type over a cell, take the value from above', async ({ office, page }) => {
  await office.fillDemo('Parts');
  await expect(page.getByRole('gridcell', { name: 'Valve oil' })).toBeVisible();
  await page.getByRole('gridcell', { name: 'Valve oil' }).click();
  await page.keyboard.press('ArrowRight');
  await quickly(page, '9.75');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('gridcell', { name: '£9.75' })).toHaveCount(1);
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Control+d');
  await expect(page.getByRole('gridcell', { name: '£9.75' })).toHaveCount(2);
  await page.keyboard.press('F2');
  await page.keyboard.type('123');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('gridcell', { name: '£9.75' })).toHaveCount(2);

  // A lookup is typed and left at once: what was typed is found, though no list had come yet.
  await page.getByRole('button', { name: /^Kinds/ }).click();
  const family = page.locator('.ag-row[row-index="0"] [col-id="f_kindFamily"]').first();
  await expect(family).not.toBeEmpty();
  const other = (await family.innerText()) === 'Brass' ? 'Keyboard' : 'Brass';
  await family.click();
  await quickly(page, other);
  await page.keyboard.press('Tab');
  await expect(family).toHaveText(other);
  await family.click();
  await quickly(page, 'Zither family');
  await page.keyboard.press('Tab');
  await expect(page.getByText('Nothing matches “Zither family”')).toBeVisible();
  await expect(family).toHaveText('Zither family');
});

// The keyboard interaction of data grids, as the Grid pattern of the WAI-ARIA Authoring Practices has it.
test('the cursor moves through a grid by the keys of the published pattern', async ({ office, page }) => {
  await office.fillDemo('Repair lines');
  const grid = page.getByRole('grid').first();
  await expect(grid).toHaveAttribute('aria-colcount', '7');
  const count = page.getByRole('region', { name: 'Repair lines' }).getByRole('status').first();
  await expect(count).toHaveText(/^2,\d{3} rows$/);
  const rows = await count.innerText();
  const many = Number(rows.replace(/\D/g, ''));
  // As many rows as there are, and the headings, though few of them are drawn; -1 while that is not known.
  await expect
    .poll(async () => Number(await grid.getAttribute('aria-rowcount')))
    .toBeGreaterThanOrEqual(many);
  /** The row and the column of the cell with the cursor; zeros while rows are drawn anew and none has it. */
  const at = (): Promise<readonly [row: number, column: number]> =>
    page.evaluate(() => {
      const cell = document.activeElement;
      const row = cell?.getAttribute('role') === 'gridcell' ? cell.closest('[role="row"]') : null;
      return [
        Number(row?.getAttribute('aria-rowindex')),
        row ? Number(cell!.getAttribute('aria-colindex')) : 0,
      ];
    });
  const moves = async (key: string, row: number, column: number): Promise<void> => {
    await page.keyboard.press(key);
    await expect.poll(at, { message: key }).toEqual([row, column]);
  };
  await page.locator('[role="row"][row-index="0"] [role="gridcell"]').nth(1).click();
  await expect.poll(async () => (await at())[1]).toBe(2);
  const [top] = await at();
  await moves('ArrowRight', top, 3);
  await moves('ArrowDown', top + 1, 3);
  await moves('ArrowLeft', top + 1, 2);
  await moves('ArrowUp', top, 2);
  await moves('End', top, 7);
  // At an edge it does not move.
  await moves('ArrowRight', top, 7);
  await moves('Home', top, 1);
  await moves('ArrowLeft', top, 1);
  await moves('Control+End', top + many - 1, 7);
  await moves('Control+Home', top, 1);
  await page.keyboard.press('PageDown');
  await expect.poll(async () => (await at())[0]).toBeGreaterThan(top + 5);
  await page.keyboard.press('PageUp');
  await expect.poll(async () => (await at())[0]).toBe(top);
  // Editing: F2, Enter and a letter begin it, Escape ends it with the value as it was.
  await page.locator('[role="row"][row-index="1"] [role="gridcell"][col-id="f_repairLineWork"]').click();
  const was = await page.locator('[role="gridcell"]:focus').innerText();
  for (const key of ['F2', 'Enter', 'x']) {
    await page.keyboard.press(key);
    await expect(page.locator('[role="gridcell"] input:focus')).toBeVisible();
    await page.keyboard.press('Escape');
    await expect(page.locator('[role="gridcell"]:focus')).toHaveText(was);
  }
  // A range grows by Shift with the arrows, and is all there is by Ctrl+A.
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByText('4 cells in 2 rows picked')).toBeVisible();
  await page.keyboard.press('Control+a');
  await expect(page.getByText(/picked$/)).toContainText(rows);
});

test('asking, arranging and printing by keyboard', async ({ office, page }) => {
  const goTo = async (words: string): Promise<void> => {
    await page.keyboard.press('Control+k');
    await page.keyboard.type(words);
    await page.keyboard.press('Enter');
  };
  await office.signIn('Mara Ashdown');
  await tabTo(page, /^Quillbrook hire$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'School', exact: true })).toBeVisible();

  await goTo('overdue by school query');
  await expect(page.getByRole('application')).toBeVisible();
  await tabTo(page, /^\+ and…$/, 90);
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Keep rows where')).toBeFocused();
  await page.keyboard.type('Monthly fee');
  await page.keyboard.press('Tab');
  await page.keyboard.type('is more');
  await page.keyboard.press('Tab');
  await page.keyboard.type('10');
  await page.keyboard.press('Tab');
  await tabTo(page, /^Add$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'monthly fee is more than 10' })).toBeVisible();
  await page.keyboard.press('Control+s');
  await office.said('Overdue by school is saved');

  await goTo('hire desk screen');
  await expect(page.getByRole('button', { name: 'Monthly fee', exact: true })).toBeVisible();
  await tabTo(page, /^Monthly fee/, 90);
  await page.keyboard.press('Enter');
  await page.keyboard.press('Alt+ArrowLeft');
  // The widths are one stop of the Tab key: the arrows go along them, and each takes effect at once.
  await tabTo(page, /^3$/, 90);
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('radio', { name: '4', exact: true })).toBeChecked();
  await page.keyboard.press('Control+s');
  await office.said('Hire desk is saved');

  await goTo('repair spend report');
  await expect(page.getByRole('img', { name: 'Page 1' })).toBeVisible();
  await tabTo(page, /^Page after$/, 90);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('img', { name: 'Page 2' })).toBeVisible();
});
