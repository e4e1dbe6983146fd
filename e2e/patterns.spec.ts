import { expect, test } from './office';

// The keyboard interactions that the WAI-ARIA Authoring Practices (W3C) publish, on the Desk.

test('a list on the Desk moves its cursor, and begins and ends typing, as the Grid pattern has it', async ({
  office,
  page,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemo();
  await page.getByRole('tab', { name: 'Stock' }).click();
  const first = page.getByRole('region', { name: 'Stock' });
  await expect(first.getByRole('status')).toContainText('instruments');
  const many = Number((await first.getByRole('status').textContent())!.replace(/\D/g, ''));
  const grid = page.getByRole('grid').first();
  await expect
    .poll(async () => Number(await grid.getAttribute('aria-rowcount')))
    .toBeGreaterThanOrEqual(many);
  const columns = Number(await grid.getAttribute('aria-colcount'));
  /** The row and the column of the cell with the cursor. */
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
  await grid.locator('[role="row"][row-index="0"] [col-id="f_instrumentMaker"]').click();
  await expect.poll(async () => (await at())[0]).toBeGreaterThan(0);
  const [top, column] = await at();
  await moves('ArrowDown', top + 1, column);
  await moves('ArrowRight', top + 1, column + 1);
  await moves('ArrowLeft', top + 1, column);
  await moves('ArrowUp', top, column);
  await moves('End', top, columns);
  await moves('ArrowRight', top, columns);
  await moves('Home', top, 1);
  await moves('ArrowLeft', top, 1);
  await moves('Control+End', top + many - 1, columns);
  await moves('Control+Home', top, 1);
  await page.keyboard.press('PageDown');
  await expect.poll(async () => (await at())[0]).toBeGreaterThan(top + 2);
  await page.keyboard.press('PageUp');
  await expect.poll(async () => (await at())[0]).toBe(top);

  const maker = grid.locator('[role="row"][row-index="1"] [col-id="f_instrumentMaker"]');
  await maker.click();
  const was = await maker.innerText();
  for (const key of ['F2', 'Enter', 'x']) {
    await page.keyboard.press(key);
    await expect(grid.locator('[role="gridcell"] input:focus')).toBeVisible();
    await page.keyboard.press('Escape');
    await expect(grid.locator('[role="gridcell"]:focus')).toHaveText(was);
  }
});

test('a lookup is a combobox with a list, and a dialog keeps the cursor until it is closed, as their patterns have it', async ({
  office,
  page,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemo();
  await page.getByRole('tab', { name: 'Hire desk' }).click();
  await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
  const player = page.getByRole('combobox', { name: /^Player/ });
  const was = await player.inputValue();
  await player.focus();
  await page.keyboard.press('Escape');
  await expect(player).toHaveAttribute('aria-expanded', 'false');
  await page.keyboard.press('ArrowDown');
  await expect(player).toHaveAttribute('aria-expanded', 'true');
  await expect(page.getByRole('option').first()).toBeVisible();
  const active = (): Promise<string | null> => player.getAttribute('aria-activedescendant');
  await expect.poll(active).not.toBeNull();
  const first = await active();
  await page.keyboard.press('ArrowDown');
  await expect.poll(active).not.toBe(first);
  await page.keyboard.press('ArrowUp');
  await expect.poll(active).toBe(first);
  // The cursor stays in the line while the list is gone through.
  await expect(player).toBeFocused();
  await page.keyboard.press('Escape');
  await expect(player).toHaveAttribute('aria-expanded', 'false');
  await expect(player).toHaveValue(was);
  await page.keyboard.press('ControlOrMeta+a');
  await page.keyboard.type('Whitlam, Dora');
  await expect(page.getByRole('option', { name: /Whitlam, Dora/ }).first()).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(player).toHaveValue('Whitlam, Dora');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(player).toHaveValue(was);

  const remove = office.button('Delete');
  await remove.focus();
  await page.keyboard.press('Enter');
  const dialog = page.getByRole('dialog');
  await expect(dialog).toBeVisible();
  // What lies beneath it is not there for who listens.
  await expect(page.getByRole('tab')).toHaveCount(0);
  const inside = (): Promise<boolean> =>
    dialog.evaluate((element) => element.contains(document.activeElement));
  await expect.poll(inside).toBe(true);
  for (const key of ['Tab', 'Tab', 'Tab', 'Tab', 'Shift+Tab', 'Shift+Tab', 'Shift+Tab']) {
    await page.keyboard.press(key);
    await expect.poll(inside, { message: key }).toBe(true);
  }
  await page.keyboard.press('Escape');
  await expect(dialog).toHaveCount(0);
  await expect(remove).toBeFocused();
});
