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
  const before = Number(/(\d+) payment/.exec((await open.getAttribute('aria-label'))!)![1]);
  await open.click();
  const payments = hires.getByRole('region', { name: 'Payments' });
  await payments.getByRole('button', { name: 'Payment', exact: true }).click();
  const amount = payments.getByRole('textbox', { name: `Amount, row ${before + 1}` });

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
  await expect(open).toHaveAccessibleName(new RegExp(`: ${before + 1} payments?`));
  await page.reload();
  await expect(open).toHaveAccessibleName(new RegExp(`: ${before + 1} payments?`));
});
