import { expect, test } from './office';

/** Today as people here write it. */
const today = (): string =>
  new Date().toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });

test('a day in the office, from the Desk: hired out, paid, returned, repaired, printed, put right', async ({
  office,
  page,
}) => {
  await page.addInitScript(() => {
    window.print = () => document.body.setAttribute('data-printed', document.title);
  });
  await office.signIn('Tobin Leck');
  await office.openDemo();

  // What is late stands on Today, and leads to those hires.
  const late = page.getByRole('link', { name: /^Late back \d/ });
  const number = /\d[\d,]*/.exec((await late.textContent())!)![0];
  await late.click();
  await expect(page.getByRole('status').filter({ hasText: `${number} hires` })).toBeVisible();

  // Hired out, by keyboard, with two payments.
  await page.getByRole('tab', { name: 'Hire desk' }).click();
  await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
  await page.keyboard.press('Alt+n');
  await expect(page.getByRole('heading', { name: 'New hire' })).toBeVisible();
  await office.look(office.field(/^Player/), 'Whitlam, Dora', /Whitlam, Dora/);
  await office.look(office.field(/^Instrument/), 'A-0858', /A-0858/);
  await office.field(/^Monthly fee/).fill('12.50');
  const payments = page.getByRole('region', { name: 'Payments' });
  await payments.getByRole('button', { name: 'Payment', exact: true }).click();
  await payments.getByRole('textbox', { name: 'Amount, row 1' }).fill('12.50');
  await payments.getByRole('textbox', { name: 'Amount, row 1' }).press('Enter');
  await payments.getByRole('textbox', { name: 'Amount, row 2' }).fill('7.75');
  await page.keyboard.press('Tab');
  // Worked by hand: 12.50 and 7.75 are 20.25.
  await expect(payments.getByRole('group', { name: 'Sums of Payments' })).toContainText('£20.25');
  await expect(office.field(/^Paid/)).toHaveValue('£20.25');
  await page.keyboard.press('Control+s');
  await office.said(/Hire \d+ is saved/);
  const hire = (await page.getByRole('heading', { name: /^Hire \d+/ }).textContent())!.trim();

  // The wrong amount was taken: it is put right, and that is taken back.
  const amount = payments.getByRole('textbox', { name: 'Amount, row 2' });
  await amount.click();
  await amount.fill('70.75');
  await page.keyboard.press('Control+s');
  await office.said(`${hire} is saved`);
  await expect(office.field(/^Paid/)).toHaveValue('£83.25');
  await page.getByRole('button', { name: 'Take it back' }).click();
  await office.said('It is as it was before');
  await expect(office.field(/^Paid/)).toHaveValue('£20.25');

  // It comes back the same day, and is printed.
  await office.field(/^Returned on/).fill(today());
  await page.keyboard.press('Control+s');
  await office.said(`${hire} is saved`);
  await expect(office.field(/^Returned on/)).toHaveValue(today());
  await office.button('Print').click();
  await expect(page.locator('body[data-printed]')).toBeVisible();

  // It goes to the bench, with two lines; what they cost follows each of them.
  await page.getByRole('tab', { name: 'Repairs' }).click();
  await expect(page.getByRole('heading', { name: /^Repair J-/ })).toBeVisible();
  await page.keyboard.press('Alt+n');
  await office.look(office.field(/^Instrument/), 'A-0858', /A-0858/);
  await office.look(office.field(/^Technician/), 'Petra', /Petra/);
  await office.field(/^Fault/).fill('A snare has come loose.');
  const lines = page.getByRole('region', { name: 'Repair lines' });
  await lines.getByRole('button', { name: 'Repair line', exact: true }).click();
  for (const [row, work, cost] of [
    [1, 'New snares', '32.50'],
    [2, 'Tune it', '22.75'],
  ] as const) {
    await lines.getByRole('textbox', { name: `Work, row ${row}` }).fill(work);
    await lines.getByRole('textbox', { name: `Cost, row ${row}` }).fill(cost);
    if (row === 1) await lines.getByRole('textbox', { name: 'Cost, row 1' }).press('Enter');
  }
  await page.keyboard.press('Tab');
  await expect(page.getByText('£55.25').first()).toBeVisible();
  await page.keyboard.press('Control+s');
  await office.said(/Repair J-\d+ is saved/);
  const repair = (await page.getByRole('heading', { name: /^Repair J-/ }).textContent())!.trim();

  // It stands in the list of the stock, behind its instrument.
  await page.getByRole('tab', { name: 'Stock' }).click();
  await page.getByRole('searchbox').fill('A-0858');
  const repairs = page.getByRole('region', { name: 'Repairs of instrument A-0858' });
  await expect(repairs.getByRole('gridcell', { name: 'A snare has come loose.' })).toBeVisible();

  // What others do after this finds the office as it was.
  for (const [tab, title] of [
    ['Repairs', repair],
    ['Hire desk', hire],
  ] as const) {
    await page.getByRole('tab', { name: tab }).click();
    // The newest comes first.
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
    await page.locator('.entry').first().click();
    await expect(page.getByRole('heading', { name: title })).toBeVisible();
    await office.button('Delete').click();
    await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
    await office.said(`${title} is deleted`);
  }
});

test('the form for repairs, with what is done in each and at what price, is made from nothing in a few steps', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Screens');
  await office.button('New form').first().click();
  await page.getByRole('dialog').getByRole('checkbox', { name: 'Repairs' }).check();
  await page.getByLabel('What is it called on the Desk?').fill('Job sheet');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('region', { name: 'Repair lines' })).toBeVisible();
  await office.button('Worked out').click();
  await office.write('Expression of this field', 'COALESCE(SUM(repair_lines.cost), 0)');
  await page.getByRole('textbox', { name: 'Label' }).fill('What it costs');
  await page.keyboard.press('Tab');
  await office.button('Save screen').click();
  await office.said('Job sheet is saved');
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Job sheet' }).click();
  await expect(page.getByRole('heading', { name: /^Repair J-/ })).toBeVisible();
  await expect(page.getByText('What it costs')).toBeVisible();
  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Screens');
  await page.getByRole('button', { name: 'Job sheet' }).click();
  await office.button('Drop').click();
  await office.button('Drop it').click();
  await expect(page.getByRole('button', { name: 'Hire desk', exact: true })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Job sheet' })).toHaveCount(0);
});
