import { fileURLToPath } from 'node:url';
import type { Page } from '@playwright/test';
import { expect, test, type OfficePage } from './office';

const sheet = (name: string): string => fileURLToPath(new URL(`../demo/sheets/${name}`, import.meta.url));

/** Opens a file of its own, with nothing in it. */
async function newFile(office: OfficePage, page: Page, name: string): Promise<void> {
  await office.signIn('Mara Ashdown');
  await office.button('New file').click();
  await office.field('What is it called?').fill(name);
  await office.button('Make file').click();
  await expect(page.getByRole('heading', { name: 'What does the office keep track of?' })).toBeVisible();
}

test('an empty file begins with a sheet: a table with its rows, taken out again by one press', async ({
  office,
  page,
}) => {
  await newFile(office, page, 'From a sheet');
  await page.getByRole('link', { name: 'Bring in a sheet' }).click();
  await page.getByLabel('A sheet to bring in').setInputFiles(sheet('players.xlsx'));
  await expect(page.getByText('424 rows', { exact: true })).toBeVisible();
  await expect(page.getByRole('textbox', { name: 'One row is called' })).toHaveValue('Player');
  // One date of birth is none that can be read.
  await expect(page.getByRole('status')).toContainText('423 good');
  await page.getByRole('button', { name: 'Bring in 423 rows' }).click();
  await expect(page.getByRole('heading', { name: 'Players' })).toBeVisible();
  await expect(
    page.locator('[role="gridcell"][col-id]').filter({ hasText: 'Jessamy' }).first(),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).filter({ hasText: 'Undo' }).click();
  await expect(page.getByText('Players: taken out again.')).toBeVisible();
  await office.stage('Plan');
  await expect(page.getByRole('heading', { name: 'What does the office keep track of?' })).toBeVisible();
});

test('the demo’s messy spreadsheet comes into its players: what is misspelt is mended, what is wrong is told', async ({
  office,
  page,
}) => {
  await office.fillDemo('Players');
  const count = page.getByRole('region', { name: 'Players' }).getByRole('status').first();
  await expect(count).toHaveText(/^1,\d{3} rows$/);
  const before = await count.innerText();
  await page.getByRole('link', { name: 'Bring in' }).click();
  await page.getByLabel('A sheet to bring in').setInputFiles(sheet('players.csv'));
  await expect(page.getByRole('combobox', { name: 'Goes into' })).toContainText('Players');
  const result = page.getByRole('status').filter({ hasText: 'good' });
  await expect(result).toContainText('387 good');
  await page.getByRole('button', { name: 'Mend' }).first().click();
  await page.getByRole('button', { name: 'Read 31 as what is most like them' }).click();
  await expect(result).toContainText('421 good');
  await page.getByRole('button', { name: 'Show why' }).click();
  const why = page.getByRole('region', { name: 'Rows that are not taken' });
  await expect(why.getByRole('row')).toHaveCount(4);
  await expect(why).toContainText('A date of birth lies in the past.');
  await page.getByRole('button', { name: 'Bring in 421 rows' }).click();
  await expect(page.getByText('421 players added.')).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).filter({ hasText: 'Undo' }).click();
  await expect(page.getByText('All rows are as they were.')).toBeVisible();
  await page.reload();
  await expect(count).toHaveText(before);
});

test('fifty rows are entered without the mouse, a block is pasted, and steps are undone and done again', async ({
  office,
  page,
}) => {
  test.slow();
  await page.context().grantPermissions(['clipboard-read', 'clipboard-write']);
  await newFile(office, page, 'By keyboard');
  await page.getByRole('link', { name: 'Bring in a sheet' }).click();
  await expect(page.getByRole('heading', { name: 'Bring in a sheet' })).toBeVisible();
  await page.evaluate(() => navigator.clipboard.writeText('Name\tPages\tDue\nFirst\t10\t25/04/2026\n'));
  await page.keyboard.press('Control+v');
  await page.getByRole('textbox', { name: 'One row is called' }).fill('Job');
  await page.keyboard.press('Tab');
  const bring = page.getByRole('button', { name: 'Bring in 1 row' });
  await expect(bring).toBeEnabled();
  await bring.press('Enter');
  await expect(page.getByRole('heading', { name: 'Jobs' })).toBeVisible();
  const rows = page.getByRole('region', { name: 'Jobs' }).getByRole('status').first();
  await expect(rows).toHaveText('1 row');
  // The news is about what came in: it must not lie over what is done next.
  await page.keyboard.press('Alt+n');
  for (let n = 1; n <= 50; n++) {
    await expect(page.locator('[role="gridcell"] input:not([type="checkbox"]):focus')).toBeVisible();
    await page.keyboard.type(`Job ${n}`);
    await page.keyboard.press('Tab');
    await page.keyboard.type(String(n));
    await page.keyboard.press('Tab');
    await page.keyboard.type('4 nov 2026');
    await page.keyboard.press('Control+Enter');
    await expect(rows).toHaveText(`${n + 1} rows`);
  }
  await page.keyboard.press('Escape');
  const at = (row: number, name: string) =>
    page.locator(`[role="row"][row-index="${row}"] [role="gridcell"]`).filter({ hasText: name }).first();
  await at(0, 'First').click();
  await expect(at(0, 'First')).toBeFocused();
  await page.keyboard.press('Shift+ArrowDown');
  await expect(page.getByText('2 cells in 2 rows picked')).toBeVisible();
  await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByText('4 cells in 2 rows picked')).toBeVisible();
  await page.keyboard.press('Control+c');
  expect(await page.evaluate(() => navigator.clipboard.readText())).toBe('First\t10\nJob 1\t1');
  await page.evaluate(() => navigator.clipboard.writeText('Pasted\t7\nAlso\tnone'));
  await page.keyboard.press('Control+v');
  await expect(page.getByRole('dialog')).toContainText('Row 2, Pages: “none” is not a number.');
  await page.keyboard.press('Escape');
  await expect(at(0, 'First')).toBeVisible();
  await at(0, 'First').click();
  await page.evaluate(() => navigator.clipboard.writeText('Pasted\t7\nAlso\t8'));
  await page.keyboard.press('Control+v');
  await expect(at(1, 'Also')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(at(0, 'First')).toBeVisible();
  await page.keyboard.press('Control+y');
  await expect(at(0, 'Pasted')).toBeVisible();
  await page.getByRole('button', { name: 'History' }).press('Enter');
  await page.getByRole('menuitem', { name: 'What was done to rows' }).press('Enter');
  await expect(page.getByRole('dialog')).toContainText('2 jobs changed');
  await page.keyboard.press('Escape');
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    (async () => {
      await page.getByRole('button', { name: 'Download these rows' }).press('Enter');
      await page.getByRole('menuitem', { name: 'As CSV' }).press('Enter');
    })(),
  ]);
  expect(download.suggestedFilename()).toBe('Jobs.csv');
});

test('what somebody else changes is seen at once, and where two change one field both are asked about', async ({
  office,
  page,
  browser,
}) => {
  await office.signIn('Mara Ashdown');
  await page.getByRole('link', { name: 'By keyboard', exact: true }).click();
  await office.stage('Fill');
  const other = await browser.newPage();
  await other.goto(office.url);
  await other.getByRole('button', { name: 'Mara Ashdown' }).click();
  await other.getByRole('link', { name: 'By keyboard', exact: true }).click();
  await other.getByRole('link', { name: 'Fill' }).click();
  const at = (of: Page, row: number, column: number) =>
    of.locator(`[role="row"][row-index="${row}"] [role="gridcell"][aria-colindex="${column}"]`);
  await expect(at(page, 4, 3)).toHaveText('Job 4');
  await expect(at(other, 4, 3)).toHaveText('Job 4');
  await at(page, 6, 3).click();
  await at(other, 4, 3).click();
  await other.keyboard.type('Changed by another');
  await other.keyboard.press('Enter');
  await expect(at(page, 4, 3)).toHaveText('Changed by another');
  await expect(at(page, 6, 3)).toBeFocused();
  // Both begin with the same value; the second to save is asked.
  await at(page, 5, 3).click();
  await page.keyboard.type('Mine');
  await at(other, 5, 3).click();
  await other.keyboard.type('Theirs');
  await other.keyboard.press('Enter');
  await expect(at(other, 5, 3)).toHaveText('Theirs');
  await page.keyboard.press('Enter');
  const clash = page.getByRole('alert').filter({ hasText: 'Which is right?' });
  await expect(clash).toContainText('somebody has put “Theirs” there meanwhile, and you “Mine”');
  await clash.getByRole('button', { name: 'Keep “Mine”' }).click();
  await expect(at(other, 5, 3)).toHaveText('Mine');
  await expect(clash).toBeHidden();
  await other.close();
});

test('a picture that is pasted goes into the cell with the cursor, and one that is none is refused', async ({
  office,
  page,
}) => {
  await office.fillDemo('Instruments');
  const cell = page.locator('[role="row"][row-index="2"] [role="gridcell"][col-id="f_instrumentPicture"]');
  await page.locator('[role="row"][row-index="2"] [role="gridcell"]').nth(1).click();
  // Columns that lie out of sight are drawn when the cursor comes near.
  for (let i = 0; i < 20 && !(await cell.isVisible()); i++) await page.keyboard.press('ArrowRight');
  await cell.click();
  const before = await cell.innerText();
  const paste = (name: string, isPicture: boolean): Promise<void> =>
    page.evaluate(
      async ([called, picture]) => {
        const canvas = document.createElement('canvas');
        const drawn = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/png'));
        const clipboardData = new DataTransfer();
        clipboardData.items.add(new File([picture ? drawn! : 'nonsense'], called, { type: 'image/png' }));
        document.activeElement!.dispatchEvent(
          new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true }),
        );
      },
      [name, isPicture] as const,
    );
  await paste('seen.png', true);
  await expect(cell).toHaveText('seen.png');
  await paste('none.png', false);
  await expect(page.getByText(/no picture|not a picture/i)).toBeVisible();
  await expect(cell).toHaveText('seen.png');
  await cell.click();
  await page.keyboard.press('Control+z');
  await expect(cell).toHaveText(before);
});
