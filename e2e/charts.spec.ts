import { accessible } from './axe';
import { expect, test } from './office';

test('what a hire office asks is answered with its funnel, drawn, laid out both ways, and led back to its rows', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).click();
  await office.stage('Query');
  const queries = page.getByRole('navigation', { name: 'Queries' });
  const open = (name: string) => queries.getByRole('button', { name, exact: true }).click();
  const look = (name: string) => page.getByRole('radio', { name, exact: true }).click();
  const result = page.getByRole('region', { name: 'Result' });
  const chart = page.getByRole('application');
  for (const name of [
    'Overdue by school',
    'Takings against last year',
    'Repair cost by kind',
    'Repair cost per month on hire',
    'Cost more than they bring',
    'Parts to order',
    'Hires begun by month',
  ]) {
    await open(name);
    await expect(chart, name).toHaveAccessibleName(new RegExp(`^${name}`));
    await expect(page.getByRole('img', { name, exact: true }).locator('path').first(), name).toBeVisible();
    await expect(page.getByRole('heading', { name: 'Where the rows go' })).toBeVisible();
    await look('Rows');
    await expect(result.getByRole('row').nth(1), name).toBeVisible();
  }
  for (const name of ['Instruments never hired', 'Players without a phone', 'Free to mend brass']) {
    await open(name);
    await expect(page.getByRole('heading', { name: 'Where the rows go' })).toBeVisible();
    await expect(result.getByRole('row').nth(1), name).toBeVisible();
  }

  // A chart: its marks by keys, its numbers as a list, its rows.
  await open('Takings by month and method');
  await expect(chart).toBeVisible();
  await chart.focus();
  await page.keyboard.press('End');
  const said = page.getByRole('status').filter({ hasText: /, Transfer: £/ });
  await expect(said).toBeVisible();
  const takings = /£[\d,.]+/.exec((await said.textContent())!)![0];
  await accessible(page, 'a chart');
  await office.button('Its numbers').click();
  await expect(
    page
      .getByRole('region', { name: /^Numbers of/ })
      .getByRole('cell', { name: takings })
      .first(),
  ).toBeVisible();
  await office.button('Its drawing').click();
  await chart.focus();
  await page.keyboard.press('End');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/^Rows behind \w+ \d{4}, Transfer$/)).toBeVisible();
  await expect(result.getByRole('cell', { name: 'Transfer' }).first()).toBeVisible();
  await office.button('Back to the result').click();
  const saving = page.waitForEvent('download');
  await office.button('Picture').click();
  await page.getByRole('menuitem', { name: /^As SVG/ }).click();
  expect((await saving).suggestedFilename()).toBe('Takings by month and method.svg');

  // A pivot: a cell leads to as many rows as it says.
  await look('Pivot');
  const cell = (row: number, column: string) =>
    page.locator(`[role=row][row-index="${row}"] [col-id="${column}"]`);
  await expect(cell(1, 'cell 0 1')).toHaveText(/^\d+$/);
  const count = await cell(1, 'cell 0 1').textContent();
  await accessible(page, 'a pivot');
  await cell(1, 'cell 0 1').click();
  await expect(page.getByText(/^Rows behind \w+ \d{4}, Card$/)).toBeVisible();
  await expect(page.getByText(`${count!.trim()} rows`, { exact: true })).toBeVisible();
  await office.button('Back to the result').click();
  await expect(cell(1, 'cell 0 1')).toBeVisible();

  // What a part leaves out.
  await open('Overdue by school');
  const left = page.getByRole('button', { name: /^leaves out/ }).last();
  await expect(left).toBeVisible();
  const lost = /[\d,]+/.exec((await left.textContent())!)![0];
  await left.click();
  await expect(page.getByText(/^Left out by “due back is before today”/)).toBeVisible();
  await expect(page.getByText(`${lost} rows`, { exact: true })).toBeVisible();
});

test('a query goes on in SQL, says where it is wrong, and is read by another', async ({ office, page }) => {
  await office.signIn('Mara Ashdown');
  await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).click();
  await office.stage('Query');
  const result = page.getByRole('region', { name: 'Result' });
  await office.button('New query').first().click();
  await office.field('What is it called?').fill('Schools in SQL');
  await office.choose(page.getByLabel('Take every'), 'written: what SQL gives');
  await office.button('Begin').click();
  const editor = page.getByRole('textbox', { name: 'SQL of this query' });
  await expect(result.getByRole('row').nth(1)).toBeVisible();
  const write = async (sql: string): Promise<void> => {
    await editor.click();
    await page.keyboard.press('ControlOrMeta+a');
    // As one piece: what is offered while one types is another matter.
    await page.keyboard.insertText(sql);
  };
  await write('SELECT name, distric FROM school');
  await expect(page.getByText('There is no column “distric” here. Is it “district”?')).toBeVisible();
  await write('DELETE FROM school');
  await expect(page.getByText('A query only reads')).toBeVisible();
  await write(
    'SELECT s.name AS school, count(*) AS players FROM school AS s JOIN player AS p ON p.school = s.number GROUP BY s.number',
  );
  await expect(result.getByRole('columnheader', { name: 'players' })).toBeVisible();
  await accessible(page, 'a query in SQL');
  await office.button('Save query').click();
  await office.said('Schools in SQL is saved');
  await office.button('New query').first().click();
  await office.field('What is it called?').fill('Large schools');
  await office.choose(page.getByLabel('Take every'), 'rows of another query: Schools in SQL');
  await office.button('Begin').click();
  await expect(result.getByRole('columnheader', { name: 'players' })).toBeVisible();
  await office.button('Save query').click();
  await office.said('Large schools is saved');
  for (const name of ['Large schools', 'Schools in SQL']) {
    await page.getByRole('button', { name, exact: true }).click();
    await office.button('Drop').click();
    await page.getByRole('dialog').getByRole('button', { name: /^Drop/ }).click();
    await office.said(`${name} is dropped`);
  }
});

test('a chart and a pivot stand on a board, follow its filter, and can be taken off again', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).click();
  await office.stage('Screens');
  const overview = page.getByRole('button', { name: 'Overview', exact: true });
  await overview.click();
  await office.choose(page.getByLabel('Put a chart of a query on the board'), 'Takings by month and method');
  await office.choose(page.getByLabel('Put a pivot of a query on the board'), 'Takings by month and method');
  await page.getByLabel('It is called').fill('Takings, laid out');
  await page.getByLabel('It is called').press('Tab');
  await office.button('Save board').click();
  await office.said('Overview is saved');
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('link', { name: /^Overview/ }).click();
  const chart = page.getByRole('region', { name: 'Takings by month and method', exact: true });
  const pivot = page.getByRole('region', { name: 'Takings, laid out', exact: true });
  const all = chart.getByRole('img').locator('path');
  await expect(all.first()).toBeVisible();
  const before = await all.count();
  await expect(pivot.getByText('All', { exact: true }).first()).toBeVisible();
  await office.choose(page.getByRole('combobox', { name: 'Begun' }), 'this year');
  // The pivot of all years has more months than that of one.
  await expect.poll(() => all.count()).toBeLessThan(before);
  await accessible(page, 'a board with a chart and a pivot');
  // A mark leads to its rows by keys, and back to where one was.
  await chart.getByRole('application').focus();
  for (const key of ['ArrowRight', 'ArrowRight', 'Enter']) await page.keyboard.press(key);
  await expect(chart.getByRole('heading', { name: /^Rows behind \w+ \d{4}, / })).toBeVisible();
  await expect(chart.getByRole('status').filter({ hasText: /^\d+ rows?$/ })).toBeVisible();
  await accessible(page, 'a board with the rows behind a mark');
  await expect(office.button('Back to Takings by month and method')).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(chart.getByRole('application')).toBeFocused();
  // Nothing stays behind.
  await page.goto(new URL('/', page.url()).href);
  await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).click();
  await office.stage('Screens');
  await overview.click();
  for (const name of ['Takings by month and method', 'Takings, laid out']) {
    await page.getByRole('button', { name, exact: true }).click();
    await office.button('Take it off the board').click();
  }
  await office.button('Save board').click();
  await office.said('Overview is saved');
});
