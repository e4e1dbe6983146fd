import { expect, test } from './office';

test('a query puts child rows beside its own, counts each row once, asks its reader, and is read by another query', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).click();
  await office.stage('Query');
  const begin = async (name: string, from: string): Promise<void> => {
    await office.button('New query').first().click();
    await office.field('What is it called?').fill(name);
    await office.choose(page.getByLabel('Take every'), from);
    await office.button('Begin').click();
  };
  const sentence = page.getByRole('group', { name: 'The query as a sentence' });
  const panel = page.getByRole('dialog');
  const count = (label: string) => page.getByRole('listitem').filter({ hasText: label }).first();

  await begin('Takings by month', 'Hire');
  await office.button('+ with its…').click();
  await panel.getByRole('button', { name: 'payments, one by one' }).click();
  await expect(sentence.getByRole('button', { name: 'its payments (or none)' })).toBeVisible();
  await sentence.getByRole('button', { name: 'its payments (or none)' }).click();
  await panel.getByLabel('only rows that have one').check();
  await panel.getByRole('button', { name: 'Done' }).click();
  await expect(count('+ Payments')).toBeVisible();

  // Either of two conditions.
  await office.button('+ keep rows where…').click();
  await office.choose(panel.getByLabel('Keep rows where'), 'payment › Method');
  await office.choose(panel.getByLabel('Value', { exact: true }), 'Card');
  await panel.getByRole('button', { name: 'Add' }).click();
  await sentence.getByRole('button', { name: 'payment’s method is “Card”' }).click();
  await panel.getByRole('button', { name: 'Or else…' }).click();
  await office.choose(panel.getByLabel('or where'), 'payment › Method');
  await office.choose(panel.getByLabel('Value', { exact: true }), 'Cash');
  await panel.getByRole('button', { name: 'Add' }).click();
  await expect(sentence).toContainText('any of');

  // A condition that leaves nothing says how what it compares stands.
  await office.button('+ and…').click();
  await office.choose(panel.getByLabel('Keep rows where'), 'Monthly fee');
  await office.choose(panel.getByLabel('how'), 'is more than');
  await panel.getByLabel('Value', { exact: true }).fill('9000');
  await panel.getByLabel('Value', { exact: true }).press('Tab');
  await panel.getByRole('button', { name: 'Add' }).click();
  await expect(page.getByText('this part leaves nothing')).toBeVisible();
  await expect(page.getByText(/^Monthly fee runs from £/)).toBeVisible();
  await sentence.getByRole('button', { name: 'monthly fee is more than 9000' }).click();
  await panel.getByLabel('Leave it out for now').check();
  await panel.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByText('this part leaves nothing')).toHaveCount(0);

  await office.button('+ group by…').click();
  await panel.getByRole('button', { name: 'payment Paid on' }).click();
  await sentence.getByRole('button', { name: 'payment’s paid on' }).click();
  await office.choose(panel.getByLabel('In steps of a'), 'quarter');
  await panel.getByRole('button', { name: 'Done' }).click();
  await expect(
    page
      .getByRole('region', { name: 'Result' })
      .getByRole('cell', { name: /^Q\d \d{4}$/ })
      .first(),
  ).toBeVisible();
  await office.button('+ and the…').click();
  await panel.getByRole('button', { name: 'sum of payment Amount' }).click();
  await expect(page.getByText(/“Number of hires” counts a hire once for each of the payments/)).toBeVisible();
  await office.button('Count each hire once').click();
  await expect(page.getByText(/counts a hire once/)).toHaveCount(0);

  // What is asked of the reader.
  await office.button('+ ask the reader for…').click();
  await panel.getByRole('button', { name: 'Ask something' }).click();
  await panel.getByLabel('What is asked').fill('Since when');
  await panel.getByLabel('Name in conditions and columns').fill('since');
  await office.choose(panel.getByLabel('The answer is'), 'a date');
  await panel.getByRole('button', { name: 'Done' }).click();
  await expect(sentence.getByRole('button', { name: 'since when' })).toBeVisible();
  await office.button('Save query').click();
  await office.said('Takings by month is saved');

  // A query over it.
  await begin('Good quarters', 'rows of another query: Takings by month');
  await expect(sentence).toContainText('Take every');
  await expect(
    page
      .getByRole('region', { name: 'Result' })
      .getByRole('cell', { name: /^Q\d \d{4}$/ })
      .first(),
  ).toBeVisible();
  await expect(page.getByLabel(/^Since when/)).toBeVisible();
  await page.getByRole('radio', { name: 'SQL' }).click();
  await expect(page.getByLabel('SQL of this query')).toContainText('WITH takings_by_month AS');

  // Nothing stays behind.
  await page.getByRole('radio', { name: 'Words' }).click();
  await office.button('Save query').click();
  await office.said('Good quarters is saved');
  for (const name of ['Good quarters', 'Takings by month']) {
    await page.getByRole('button', { name, exact: true }).click();
    await office.button('Drop').click();
    await page.getByRole('dialog').getByRole('button', { name: /^Drop/ }).click();
    await office.said(`${name} is dropped`);
  }
});
