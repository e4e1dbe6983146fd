import { expect, test } from './office';

test('rows are asked for as a sentence and sorted by several columns, by keyboard', async ({
  office,
  page,
}) => {
  await office.fillDemo('Hires');
  const count = page.getByRole('region', { name: 'Hires' }).getByRole('status');
  await expect(count).toHaveText(/^3,\d{3} rows$/);
  const asked = page.getByRole('group', { name: 'Which hires are shown' });
  const choose = async (field: string, option: string): Promise<void> => {
    const select = page.getByRole('combobox', { name: field, exact: true });
    await select.press('Enter');
    await page.getByRole('option', { name: option, exact: true }).waitFor();
    const find = page.getByRole('searchbox', { name: `Find in ${field}` });
    if (await find.isVisible()) {
      await find.fill(option);
      await find.press('Enter');
    } else {
      const at = (): Promise<string | null> =>
        select.evaluate((element) => {
          const active = element.getAttribute('aria-activedescendant');
          return active === null ? null : (document.getElementById(active)?.textContent.trim() ?? null);
        });
      for (let before = await at(); before !== option; before = await at()) {
        await page.keyboard.press('ArrowDown');
        await expect.poll(at).not.toBe(before);
      }
      await page.keyboard.press('Enter');
    }
    await expect(page.getByRole('listbox', { name: field })).toBeHidden();
  };
  await asked.getByRole('button', { name: '+ only where…' }).press('Enter');
  await choose('Keep rows where', 'Returned on');
  await choose('how', 'is empty');
  await page.getByRole('button', { name: 'Add', exact: true }).press('Enter');
  await expect(count).toHaveText(/^\d{3} of 3,\d{3} rows$/);
  const out = await count.innerText();

  await asked.getByRole('button', { name: '+ and…' }).press('Enter');
  await choose('Keep rows where', 'Player');
  await choose('how', 'is one of');
  const which = page.getByRole('combobox', { name: 'Value' });
  await which.fill('oduya, ');
  await page.getByRole('option').first().waitFor();
  await which.press('Enter');
  await expect(page.getByRole('button', { name: /^Take Oduya, .* out$/ })).toBeVisible();
  await page.getByRole('button', { name: 'Add', exact: true }).press('Enter');
  await expect(asked.getByRole('button', { name: /^player is Oduya, / })).toBeVisible();
  await expect(count).not.toHaveText(out);

  // A part is changed as an expression, or taken out where it stands.
  await asked.getByRole('button', { name: /^player is Oduya, / }).press('Enter');
  await page.getByRole('button', { name: 'Take out' }).press('Enter');
  await expect(count).toHaveText(out);

  await page.getByRole('columnheader', { name: 'Monthly fee' }).click();
  await page.getByRole('columnheader', { name: 'Hired on' }).click({ modifiers: ['Shift'] });
  await expect(asked).toContainText('Sorted by Monthly fee, rising, then Hired on, rising');
  const fees = page.locator('[role="gridcell"][col-id="f_hireMonthlyFee"]');
  await expect(fees.first()).toHaveText('£7.00');
  // Ticked rows are counted, and their amounts added up.
  for (const row of [0, 1, 2])
    await page
      .locator(`[role="row"][row-index="${row}"] [role="gridcell"]`)
      .first()
      .getByRole('checkbox')
      .check();
  await expect(page.getByRole('status').filter({ hasText: '3 rows ticked' })).toContainText(
    /Monthly fee\s*£21\.00/,
  );
  await asked.getByRole('button', { name: 'Usual order' }).press('Enter');
  await expect(asked).toContainText('Press a heading to sort');
  await asked.getByRole('button', { name: 'Show all' }).press('Enter');
  // What is not seen any more is not ticked any more.
  await expect(page.getByText('3 rows ticked')).toBeHidden();
  await expect(page.getByRole('button', { name: 'Delete 3' })).toBeHidden();
  await expect(count).toHaveText(/^3,\d{3} rows$/);
});

test('before rows are deleted it is said what goes along, and what stands in the way', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Fill');
  const tick = async (...rows: number[]): Promise<void> => {
    for (const row of rows)
      await page
        .locator(`[role="row"][row-index="${row}"] [role="gridcell"]`)
        .first()
        .getByRole('checkbox')
        .check();
  };
  await page.getByRole('button', { name: /^Players/ }).click();
  await expect(page.locator('[role="gridcell"][col-id="f_playerSurname"]').first()).toBeVisible();
  await tick(0, 1, 2);
  await office.button('Delete 3').click();
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('3 players cannot be deleted');
  await expect(dialog.getByRole('listitem')).toHaveText(
    /^\d+ hires, by Player: they have to be deleted or changed first\.$/,
  );
  await expect(dialog.getByRole('button')).toHaveText(['Close']);
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: /^Hires/ }).click();
  await expect(page.locator('[role="gridcell"][col-id="f_hireDueBack"]').first()).toBeVisible();
  await expect(office.button('Delete 3')).toBeHidden();
  await tick(0, 1);
  await office.button('Delete 2').click();
  await expect(dialog).toContainText('Delete 2 hires?');
  await expect(dialog.getByRole('listitem')).toHaveText(/^\d+ payments? goe?s? along \(Hire\)\.$/);
  // The tests that follow count the hires.
  await dialog.getByRole('button', { name: 'Keep them' }).click();
  await expect(dialog).toBeHidden();
  await expect(office.button('Delete 2')).toBeVisible();
});

test('what leads to a row is unfolded beneath it by keys, changed, added to, and put back', async ({
  office,
  page,
}) => {
  await office.fillDemo('Repairs');
  const led = page
    .locator('[role="row"][row-index="2"] [role="gridcell"][col-id="led_repairLineRepair"]')
    .first();
  const cell = page.locator('[role="row"][row-index="2"] [role="gridcell"][col-id="f_repairBroughtIn"]');
  await cell.click();
  await page.keyboard.press('Alt+ArrowDown');
  const beneath = page.getByRole('region', { name: /^Repair lines of repair J-/ });
  await expect(beneath.getByRole('status').first()).toHaveText(/^\d+ rows$/);
  const before = await beneath.getByRole('status').first().innerText();
  const many = Number.parseInt(before, 10);
  const work = beneath.locator('[role="gridcell"][col-id="f_repairLineWork"]');
  const was = await work.first().innerText();
  // The cursor is within: a value is typed over.
  await expect(beneath.locator('[role="gridcell"]:focus')).toBeVisible();
  for (let i = 0; i < 6 && !(await work.first().evaluate((cell) => cell === document.activeElement)); i++)
    await page.keyboard.press('ArrowRight');
  await page.keyboard.type('Looked over');
  await page.keyboard.press('Enter');
  await expect(work.first()).toHaveText('Looked over');
  await expect(office.button('Undo')).toBeEnabled();
  // Alt with a letter is a command: it types nothing into the cell it is pressed on. A line that is refused waits, with all that was typed, and is added once it is right.
  await page.keyboard.press('Alt+n');
  await page.keyboard.press('Tab');
  await page.keyboard.type('Tuned twice');
  await page.keyboard.press('Control+Enter');
  await expect(beneath.getByText('The new row waits:')).toBeVisible();
  await expect(beneath.getByRole('gridcell', { name: 'Tuned twice' })).toBeVisible();
  await beneath.locator('[row-id="new"] [role="gridcell"][col-id="f_repairLineCost"]').dblclick();
  await page.keyboard.type('12.50');
  await page.keyboard.press('Control+Enter');
  await expect(beneath.getByRole('status').first()).toHaveText(`${many + 1} rows`);
  await expect(beneath.locator('[row-id="new"] input:focus')).toBeVisible();
  // Out of the list of a lookup, out of its cell, back to the row.
  await expect(async () => {
    await page.keyboard.press('Escape');
    await expect(led).toBeFocused({ timeout: 500 });
  }).toPass();
  // What stands in the cell tells of it at once.
  await expect(led).toContainText(`${many + 1}: `);
  await page.keyboard.press('Control+z');
  await expect(led).toContainText(`${many}: `);
  await page.keyboard.press('Control+z');
  await expect(work.first()).toHaveText(was);
  await expect(beneath.getByRole('status').first()).toHaveText(before);
  await page.keyboard.press('Enter');
  await expect(beneath).toBeHidden();
});
