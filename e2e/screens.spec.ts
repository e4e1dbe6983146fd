import { expect, test } from './office';

test('a form over three tables is made in one step, arranged, and used: rows within rows are saved with their record', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Screens');
  await office.button('New form').first().click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('checkbox', { name: 'Players' }).check();
  await expect(dialog.getByRole('status')).toContainText('Players, one at a time');
  await expect(dialog.getByRole('status')).toContainText('Payments, within each');
  await dialog.getByLabel('What is it called on the Desk?').fill('Hired and paid');
  await office.button('Make it').click();
  await expect(page.getByRole('button', { name: 'Hires', exact: true })).toBeVisible();

  // Several cells into a section, the hires onto a tab, by mouse and keyboard; each step is undone and done again.
  await page.getByRole('button', { name: 'Phone', exact: true }).click();
  await page.getByRole('button', { name: 'Email', exact: true }).click({ modifiers: ['Shift'] });
  await office.choose(page.getByLabel('It stands'), 'in a new section');
  await page.getByRole('button', { name: 'Section', exact: true }).press('Enter');
  await page.getByLabel('Heading').fill('How to reach them');
  await page.keyboard.press('Tab');
  await expect(page.getByRole('region', { name: 'How to reach them' })).toContainText('Phone');
  await office.button('Undo').click();
  await expect(page.getByRole('region', { name: 'Section', exact: true })).toContainText('Phone');
  await office.button('Do again').click();
  await page.getByRole('button', { name: 'Hires', exact: true }).press('Enter');
  await office.choose(page.getByLabel('It stands'), 'on a new tab');
  await page.getByRole('tab', { name: 'Tab', exact: true }).press('Enter');
  await page.getByLabel('Name of tab 1').fill('What they hired');
  await page.keyboard.press('Tab');
  // A cell is dragged before another, and made wider by its edge; both are steps that can be undone.
  const cells = page.getByRole('group', { name: 'Player', exact: true }).first().getByRole('button');
  const boxOf = async (name: string) =>
    (await page.getByRole('button', { name, exact: true }).boundingBox())!;
  const names = () => cells.evaluateAll((all) => all.map((cell) => cell.getAttribute('aria-label')));
  const before = await names();
  expect(before.slice(0, 2)).toEqual(['Number', 'Surname']);
  const [active, surname] = [await boxOf('Active'), await boxOf('Surname')];
  await page.mouse.move(active.x + 20, active.y + 14);
  await page.mouse.down();
  await page.mouse.move(surname.x + 60, surname.y + 14, { steps: 10 });
  await page.mouse.move(surname.x + 16, surname.y + 14, { steps: 5 });
  await page.mouse.up();
  await expect.poll(async () => (await names()).slice(0, 3)).toEqual(['Number', 'Active', 'Surname']);
  const narrow = await boxOf('Surname');
  await page.mouse.move(narrow.x + narrow.width - 3, narrow.y + narrow.height / 2);
  await page.mouse.down();
  await page.mouse.move(narrow.x + narrow.width - 200, narrow.y + narrow.height / 2, { steps: 8 });
  await page.mouse.up();
  await expect.poll(async () => (await boxOf('Surname')).width).toBeLessThan(narrow.width - 100);
  await office.button('Undo').click();
  await office.button('Undo').click();
  await expect.poll(names).toEqual(before);
  await office.button('Save screen').click();
  await office.said('Hired and paid is saved');

  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Hired and paid' }).click();
  await page.getByRole('searchbox', { name: 'Find players' }).fill('Whitlam, Dora');
  await page.locator('.entry', { hasText: 'P-1204' }).click();
  await expect(page.getByRole('heading', { name: 'Player P-1204' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'How to reach them' })).toContainText('Email');
  const hires = page.getByRole('region', { name: 'Hires' });
  const open = hires.getByRole('button', { name: /^Row 1 of Hires/ });
  const had = Number(/(\d+) payment/.exec((await open.getAttribute('aria-label'))!)![1]);
  await open.click();
  const payments = hires.getByRole('region', { name: 'Payments' });
  await payments.getByRole('button', { name: 'Payment', exact: true }).click();
  const amount = payments.getByRole('textbox', { name: `Amount, row ${had + 1}` });

  // What is wrong within a row that is folded is shown there.
  await amount.fill('0');
  await amount.press('Tab');
  await open.click();
  await page.keyboard.press('Control+s');
  // It is said above, and beside the field.
  await expect(page.getByText('An amount is more than 0.')).toHaveCount(2);
  await amount.fill('12.50');
  await page.keyboard.press('Control+s');
  await office.said(/Player P-\d+ is saved/);
  await expect(open).toHaveAccessibleName(new RegExp(`: ${had + 1} payments?`));
  await page.reload();
  await expect(open).toHaveAccessibleName(new RegExp(`: ${had + 1} payments?`));
});
