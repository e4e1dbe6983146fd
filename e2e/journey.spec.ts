import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test, type OfficePage } from './office';

/** Adds a field to the picked table; a label and, where wanted, a kind. */
async function addField(office: OfficePage, label: string, kind?: string): Promise<void> {
  await office.button('Field').click();
  await expect(office.field('Label')).toHaveValue(/^New field/);
  await office.field('Label').fill(label);
  await office.field('Label').press('Tab');
  if (kind) await office.choose(office.field('Kind'), kind);
}

test('a builder makes a file, designs it, fills it, asks it, and prints it', async ({
  office,
  page,
  context,
}) => {
  await office.signIn('Mara Ashdown');
  await office.button('New file').click();
  await office.field('What is it called?').fill('Tool library');
  await office.button('Make file').click();

  // Plan: two tables, a link, a rule, a starting value.
  await expect(page.getByRole('heading', { name: 'What does the office keep track of?' })).toBeVisible();
  await office.button('Type the first table').click();
  await office.field('What is one row of it?').fill('Borrower');
  await office.button('Add to the draft').click();
  await addField(office, 'Full name');
  await page.getByLabel('Always filled').check();
  await page.getByLabel('No two alike').check();

  await office.button('Table').click();
  await office.field('What is one row of it?').fill('Loan');
  await office.button('Add to the draft').click();
  await addField(office, 'Borrower', 'Lookup');
  await page.getByLabel('Always filled').check();
  await addField(office, 'Lent on', 'Date');
  await office.write('Starting value', 'CURRENT_DATE');
  await addField(office, 'Due back', 'Date');
  await office.write('Rule', 'due_back > lent_on');
  await office.field('What people read when it fails').fill('It comes back after it was lent.');
  await office.field('What people read when it fails').press('Tab');
  await addField(office, 'Fee', 'Money');
  await addField(office, 'State', 'Choice');
  await office.field('Choice 1').fill('Out');
  await office.field('Choice 1').press('Tab');
  await office.field('Another choice').fill('Back');
  await office.field('Another choice').press('Enter');

  // A rule that makes no sense is told at once, in its place.
  await office.write('Rule', 'fee >');
  await expect(page.getByText('The expression ends too early.')).toBeVisible();
  await office.write('Rule', '');

  await expect(page.getByRole('region', { name: 'Draft' })).toContainText('drafted');
  await office.button('Check').click();
  await expect(page.getByRole('region', { name: 'Draft' })).toContainText('nothing stands in the way');
  await office.button('Apply').click();
  await office.said(/applied\. A safe copy was taken/);
  await expect(page.getByRole('region', { name: 'Draft' })).toBeHidden();

  // The link in plain words.
  await page.locator('.link .hit').first().click({ force: true });
  await expect(page.getByText('Each loan belongs to exactly one borrower')).toBeVisible();

  // Fill: rows through the row at the foot.
  await office.stage('Fill');
  await office.button(/^Borrowers/).click();
  for (const name of ['Ada Quist', 'Bo Reed']) {
    await office.button(/^Row/).click();
    await page.keyboard.type(name);
    await page.keyboard.press('Enter');
    await office.button(/Add the row/).click();
    await office.said('is added');
    await page.keyboard.press('Escape');
  }
  await expect(page.getByRole('status').filter({ hasText: '2 rows' })).toBeVisible();

  // A refused value stays in the cell, with its message, and nothing typed is lost.
  const second = page.getByRole('gridcell', { name: 'Bo Reed' });
  await second.dblclick();
  await page.getByRole('textbox', { name: 'Full name' }).fill('Ada Quist');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toContainText('Another borrower has this Full name already.');
  await expect(page.getByRole('gridcell', { name: 'Ada Quist' })).toHaveCount(2);
  await page.locator('.ag-cell.refused').dblclick();
  await page.getByRole('textbox', { name: 'Full name' }).fill('Bo Reeve');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toBeHidden();
  await expect(page.getByRole('gridcell', { name: 'Bo Reeve' })).toBeVisible();

  // Screens: a form in one step, reordered, widened, saved.
  await office.stage('Screens');
  await office.button('New form').first().click();
  await page.getByRole('checkbox', { name: 'Borrowers' }).check();
  // What leads to a borrower comes along.
  await expect(page.getByRole('checkbox', { name: 'Loans' })).toBeChecked();
  await office.button('Make it').click();
  await expect(page.getByRole('button', { name: 'Loans', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Full name', exact: true }).click();
  await page.getByRole('radiogroup', { name: 'Width, of 12' }).getByRole('radio', { name: '12' }).click();
  await office.button('earlier').click();
  await office.button('Save screen').click();
  await office.said('Borrowers is saved');

  // Desk: parent and children together, stopped by a rule, put right, found again.
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Borrowers' }).click();
  await office.button(/New borrower/).click();
  await office.field(/^Full name/).fill('Cleo Vane');
  await office.button('Loan').click();
  await page.getByLabel('Due back, row 1').fill('yesterday');
  await page.getByLabel('Fee, row 1').fill('2.5');
  await page.getByLabel('Fee, row 1').press('Tab');
  await expect(page.getByText('It comes back after it was lent.')).toBeVisible();
  await office.button(/^Save/).click();
  await expect(page.getByRole('alert')).toContainText('Not saved yet');
  await page.getByLabel('Due back, row 1').fill('+14');
  await office.button(/^Save/).click();
  await office.said('is saved');
  await page.getByRole('searchbox').fill('cleo');
  await expect(page.locator('.entry')).toHaveCount(1);
  await expect(page.getByText('Sum of fee £2.50')).toBeVisible();

  // Query: a sentence with a condition, a group and totals; and its funnel.
  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Query');
  await office.button('New query').first().click();
  await office.field('What is it called?').fill('Loans by borrower');
  await office.choose(page.getByLabel('Take every'), 'Loan');
  await office.button('Begin').click();
  await office.button('+ keep rows where…').click();
  await office.choose(page.getByLabel('Keep rows where'), 'Fee');
  await office.choose(page.getByLabel('how', { exact: true }), 'is more than');
  await page.getByLabel('Value', { exact: true }).fill('1');
  await page.getByLabel('Value', { exact: true }).press('Tab');
  await page.getByRole('dialog').getByRole('button', { name: 'Add' }).click();
  await expect(page.getByRole('button', { name: 'fee is more than 1' })).toBeVisible();
  await office.button('+ group by…').click();
  await page.getByRole('dialog').getByRole('button', { name: 'borrower Full name' }).click();
  await expect(
    page.getByRole('region', { name: 'Result' }).getByRole('cell', { name: 'Cleo Vane' }),
  ).toBeVisible();
  await expect(page.getByText('Where the rows go')).toBeVisible();
  await office.button('Save query').click();
  await office.said('Loans by borrower is saved');
  await page.getByRole('radio', { name: 'SQL' }).click();
  await expect(page.getByLabel('SQL of this query')).toContainText('GROUP BY');

  // Print: a report with a group and a sum, the same in preview and PDF.
  await office.stage('Print');
  await office.button('New report').first().click();
  await office.choose(page.getByLabel('Prints the rows of'), 'table: Loans');
  await office.field('What is its title?').fill('Loans and fees');
  await office.button('Lay it out').click();
  await page.getByRole('treeitem', { name: 'Fee' }).click();
  await page.getByRole('radiogroup', { name: 'Added up' }).getByRole('radio', { name: 'yes' }).click();
  await office.choose(page.getByLabel('A heading for each'), 'Borrower');
  await expect(page.getByRole('img', { name: 'Page 1' })).toContainText('All 1 row');
  await office.button('Save report').click();
  await office.said('Loans and fees is saved');
  const [popup] = await Promise.all([context.waitForEvent('page'), office.button('PDF').click()]);
  const answer = await page.request.get(popup.url());
  const file = join(mkdtempSync(join(tmpdir(), 'heathridge-pdf-')), 'report.pdf');
  writeFileSync(file, await answer.body());
  const text = execFileSync('pdftotext', ['-layout', file, '-'], { encoding: 'utf8' });
  expect(text).toContain('Loans and fees');
  expect(text).toMatch(/All 1 row\s+£2\.50/);
});
