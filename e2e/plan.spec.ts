import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { AxeBuilder } from '@axe-core/playwright';
import type { Download, Page } from '@playwright/test';
import { expect, test, type OfficePage } from './office';

const draft = (page: Page) => page.getByRole('region', { name: 'Draft' });
const card = (page: Page, label: string) =>
  page.locator('.card-box').filter({ has: page.getByText(label, { exact: true }) });

async function more({ page }: OfficePage, name: string | RegExp): Promise<void> {
  await page.getByRole('button', { name: 'More for this file' }).click();
  await page.getByRole('menuitem', { name }).click();
}

async function saved(download: Promise<Download>): Promise<string> {
  const path = join(mkdtempSync(join(tmpdir(), 'heathridge-e2e-')), (await download).suggestedFilename());
  await (await download).saveAs(path);
  return path;
}

test('the builder links by dragging, converts, drops with mends, applies, and undoes it', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();

  // A link, by dragging from one card to another.
  const from = (await office.button('Link Repair to another table').boundingBox())!;
  const to = (await card(page, 'School').boundingBox())!;
  await page.mouse.move(from.x + from.width / 2, from.y + from.height / 2);
  await page.mouse.down();
  await page.mouse.move(to.x + to.width / 2, to.y + to.height / 2, { steps: 8 });
  await page.mouse.up();
  const dialog = page.getByRole('dialog', { name: 'Link two tables' });
  await expect(dialog.getByLabel('From')).toHaveText('Repair');
  await expect(dialog.getByLabel('To', { exact: true })).toHaveText('School');
  await office.choose(dialog.getByLabel('When a school is deleted'), 'leave the field empty');
  await office.button('Add to the draft').click();
  await expect(draft(page)).toContainText('1 change drafted.');

  // A text becomes a choice of the values it holds.
  await card(page, 'School').locator('.face').click();
  await office.button(/^District/).click();
  await office.choose(office.field('Kind'), 'Choice');
  await expect(page.getByText('23 rows cannot be read.')).toBeVisible();
  await office.button('Make the 5 values found its choices').click();
  await expect(page.getByText('all of them can be read.')).toBeVisible();

  // A field is dropped: each place that uses it is listed, and mended.
  await card(page, 'Hire').first().locator('.face').click();
  await office.button(/^Due back/).click();
  await office.button('Drop this field').click();
  await expect(draft(page)).toContainText('This must be settled first');
  await expect(office.button('Check')).toBeDisabled();
  await office.choose(
    page.getByLabel('What becomes of Hire desk: a field on it'),
    'put Returned on in its place',
  );
  await office.button('Take it out everywhere').click();
  await office.button('Check').click();
  await expect(draft(page)).toContainText('nothing stands in the way');
  await office.button('Apply').click();
  await office.said('3 changes are applied');
  await expect(office.button(/^Due back/)).toHaveCount(0);
  await card(page, 'School').locator('.face').click();
  await expect(office.button(/^District choice of/)).toBeVisible();

  // The list says who and when, and one press brings it all back.
  await more(office, 'Applied changes');
  const list = page.getByRole('dialog', { name: 'Applied changes' });
  await expect(list.getByRole('listitem').first()).toContainText('Mara Ashdown');
  await expect(list.getByRole('listitem').first()).toContainText('Due back');
  await list.getByRole('button', { name: 'Undo this' }).click();
  await office.said('The change is undone');
  await expect(office.button(/^District text/)).toBeVisible();
  await card(page, 'Hire').first().locator('.face').click();
  await expect(office.button(/^Due back/)).toBeVisible();
});

test('rows that break a new rule are mended there, or the rule is kept for new rows', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await card(page, 'Part').locator('.face').click();
  await office.button(/^Price/).click();

  // Put together from a ready shape, and read back in plain words.
  await office.button('put it together').click();
  await office.choose(page.getByLabel('Shape of the rule'), 'lies between two values');
  await office.field('from').fill('1');
  await office.field('to').fill('20');
  await office.button('Use it').click();
  await expect(page.getByText('price lies between 1 and 20')).toBeVisible();
  await office.button('Check').click();
  await expect(draft(page)).toContainText('do not fit');
  await office.button('Show what it touches').click();
  await office.button('Show and mend').click();
  const dialog = page.getByRole('dialog', { name: /to mend$/ });
  const input = dialog.getByRole('row').nth(1).getByRole('textbox');
  await input.fill('19.99');
  await dialog.getByRole('button', { name: 'Save' }).first().click();
  await expect(dialog.getByText('mended')).toBeVisible();
  await office.button('Close and check again').click();
  await office.button('Only for new rows').click();
  await office.button('Check').click();
  await expect(draft(page)).toContainText('nothing stands in the way');
  await office.button('Set aside').click();
});

test('lookups on the Desk are narrowed, and a missing row is added where it is missed', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemoDesk('Instruments');
  await page.locator('.entry').first().click();
  await expect(page.getByRole('heading', { name: /^Instrument A-/ })).toBeVisible();

  // Another family: the kind no longer goes with it, is emptied, and that is said.
  const family = await office.field('Family').inputValue();
  const kind = await office.field('Kind').inputValue();
  const other = family === 'Brass' ? 'Keyboard' : 'Brass';
  await office.look(office.field('Family'), other, other);
  await office.said(`Kind was emptied: ${kind} does not go with this family.`);
  await expect(office.field('Kind')).toHaveValue('');
  await office.field('Kind').click();
  const options = page.getByRole('listbox').getByRole('option');
  await expect(options.first()).toContainText(other);
  for (const option of await options.allTextContents()) expect(option).toContain(other);
  await page.keyboard.press('Escape');
  await office.button('Undo').click();
  await expect(office.field('Kind')).toHaveValue(kind);

  await page.getByRole('tab', { name: 'Hire desk' }).click();
  await office.button(/New hire/).click();
  await office.field('Player').click();
  await office.field('Player').fill('Zuberi');
  await page.getByRole('option', { name: 'Add “Zuberi” here' }).click();
  const dialog = page.getByRole('dialog', { name: 'New player' });
  await expect(dialog.getByLabel('Surname')).toHaveValue('Zuberi');
  await dialog.getByLabel('First name').fill('Amal');
  await dialog.getByRole('button', { name: 'Add and choose it' }).click();
  await expect(office.field('Player')).toHaveValue('Zuberi, Amal');
});

test('a foreign file is taken in, its links are found, and its definition goes out and in', async ({
  office,
  page,
}) => {
  const path = join(mkdtempSync(join(tmpdir(), 'heathridge-e2e-')), 'reading room.db');
  execFileSync('sqlite3', [path], {
    input: `CREATE TABLE members (id INTEGER PRIMARY KEY, full_name TEXT NOT NULL);
      CREATE TABLE books (isbn TEXT PRIMARY KEY, title TEXT NOT NULL, pages INTEGER CHECK (pages > 0));
      CREATE TABLE loans (id INTEGER PRIMARY KEY, isbn TEXT, member TEXT, lent DATE);
      CREATE VIEW lent_now AS SELECT * FROM loans;
      INSERT INTO members SELECT value, 'Member No ' || value FROM generate_series(1, 30);
      INSERT INTO books SELECT 'B' || value, 'Book ' || value, 99 + value FROM generate_series(1, 80);
      INSERT INTO loans SELECT value, 'B' || (1 + value % 81), 'member no ' || (1 + value % 30), '2026-01-05' FROM generate_series(1, 400);`,
  });
  await office.signIn('Mara Ashdown');
  await page.locator('input[type=file]').setInputFiles(path);
  const adopted = page.getByRole('dialog', { name: 'reading room is taken in' });
  await expect(adopted).toContainText('The view lent_now is kept as it is.');
  await office.button('Go to its plan').click();
  await expect(card(page, 'Loan')).toContainText('400 rows');

  await more(office, 'Find links by names and values');
  const offers = page.getByRole('dialog', { name: 'Links that the rows speak for' });
  await expect(offers.getByRole('listitem').filter({ hasText: 'Loan › Isbn leads to Book' })).toContainText(
    /99 % ?396 of 400 rows/,
  );
  await expect(
    offers.getByRole('listitem').filter({ hasText: 'Loan › Member leads to Member' }),
  ).toContainText('400 of 400 rows');
  await office.button('Add 2 links to the draft').click();
  await office.button('Check').click();
  await expect(draft(page)).toContainText('rows do not fit. Isbn holds a value');
  await office.button(/^Isbn/).click();
  await page.getByLabel('Leave the field empty where a value cannot be read').check();
  await office.button('Check').click();
  await expect(draft(page)).toContainText('nothing stands in the way');
  await office.button('Apply').click();
  await office.said('2 changes are applied');
  await page.locator('.link .hit').first().click({ force: true });
  await expect(page.getByText(/Each loan belongs to at most one/)).toBeVisible();

  // The definition, as a zipped folder of JSON: out, changed here, and in again.
  const zip = page.waitForEvent('download');
  await more(office, 'Save the definition');
  const definition = await saved(zip);
  await card(page, 'Loan').locator('.face').click();
  await office.button(/^Lent/).click();
  await office.field('Label').fill('Lent on');
  await office.field('Label').press('Tab');
  await office.button('Apply').click();
  await expect(draft(page)).toBeHidden();
  await expect(office.button(/^Lent on date/)).toBeVisible();
  await page.getByLabel('A definition, zipped').setInputFiles(definition);
  await expect(draft(page)).toContainText('1 change drafted.');
  await office.button('Apply').click();
  await expect(draft(page)).toBeHidden();
  await expect(office.button(/^Lent date/)).toBeVisible();

  const sql = page.waitForEvent('download');
  await more(office, 'Save the schema');
  const ddl = readFileSync(await saved(sql), 'utf8');
  expect(ddl).toContain('CREATE TABLE "loans"');
  expect(ddl).toContain('"lent" DATE');
  expect(ddl).toMatch(/FOREIGN KEY \("isbn"\)\s+REFERENCES "books"/);
});

test('texts that are no UTF-8 are read as somebody says, by keyboard', async ({ office, page }) => {
  const path = join(mkdtempSync(join(tmpdir(), 'heathridge-e2e-')), 'guests.db');
  execFileSync('sqlite3', [path], {
    input: `CREATE TABLE guest (id INTEGER PRIMARY KEY, name TEXT UNIQUE);
      INSERT INTO guest VALUES (1, 'Zora'), (2, CAST(x'c9766120' || x'4d6172' AS TEXT)), (3, 'eva mar'), (4, 'Ann');`,
  });
  await office.signIn('Mara Ashdown');
  const taking = page.locator('input[type=file]');
  await taking.setInputFiles(path);
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('1 text in guests is not written in UTF-8');
  await expect(dialog.getByRole('radio', { name: /Windows-1252/ })).toBeFocused();
  await expect(dialog.getByRole('row', { name: 'guest, name 2 Éva Mar' })).toBeVisible();
  const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag22aa']).analyze();
  expect(violations.map(({ id }) => id)).toEqual([]);
  await page.keyboard.press('ArrowUp');
  await expect(dialog.getByRole('row', { name: 'guest, name 2 Йva Mar' })).toBeVisible();
  // Left alone, nothing is taken in.
  await page.keyboard.press('Escape');
  await expect(dialog).toBeHidden();
  await expect(page.getByRole('link', { name: 'guests', exact: true })).toBeHidden();
  await taking.setInputFiles(path);
  await page.getByRole('button', { name: 'Take it in like this' }).press('Enter');
  await expect(page.getByRole('dialog')).toContainText('1 text in name of guest was no UTF-8');
  await page.getByRole('button', { name: 'Go to its plan' }).press('Enter');
  await page.getByRole('link', { name: 'Fill' }).press('Enter');
  await page.getByRole('columnheader', { name: 'Name' }).press('Enter');
  // In the order of letters, whatever their case and accents.
  await expect(page.getByRole('gridcell', { name: /^(Ann|eva mar|Éva Mar|Zora)$/ })).toHaveText([
    'Ann',
    'eva mar',
    'Éva Mar',
    'Zora',
  ]);
});

test('tables and fields are written as lines, moved, and shown on their cards', async ({ office, page }) => {
  await office.signIn('Mara Ashdown');
  await office.button('New file').click();
  await office.field('What is it called?').fill('Allotments');
  await office.button('Make file').click();
  await expect(page.getByRole('heading', { name: 'What does the office keep track of?' })).toBeVisible();
  await office.button('Write several in words').click();
  const dialog = page.getByRole('dialog', { name: 'Tables in words' });
  await dialog
    .getByRole('textbox')
    .fill('Plots\nsize\ngardener\n\nGardener\nname: text, always filled\njoined');
  await expect(dialog.getByRole('status')).toHaveText('2 new tables, 4 fields');
  await office.button('Add to the draft').click();
  await expect(card(page, 'Plot')).toContainText('→ Gardener');
  await card(page, 'Gardener').locator('.face').click();
  const right = page.getByRole('region', { name: 'The picked table' });
  await right.getByRole('button', { name: /^Joined date/ }).focus();
  await page.keyboard.press('Alt+ArrowUp');
  await expect(right.getByRole('listitem').nth(1)).toContainText('Joined');
  // By dragging as well: the last to the top.
  const handle = right.getByRole('listitem').nth(2).locator('.handle');
  await right.getByRole('listitem').nth(2).hover();
  const [from, to] = [
    (await handle.boundingBox())!,
    (await right.getByRole('listitem').first().boundingBox())!,
  ];
  await page.mouse.move(from.x + 6, from.y + 6);
  await page.mouse.down();
  await page.mouse.move(from.x + 6, from.y - 20, { steps: 4 });
  await page.mouse.move(from.x + 6, to.y + 4, { steps: 12 });
  await page.mouse.up();
  await expect(right.getByRole('listitem').first()).toContainText('Name');
  await office.button('Apply').click();
  await expect(draft(page)).toBeHidden();
  await page.getByRole('button', { name: 'More for the map' }).click();
  await page.getByRole('menuitemradio', { name: 'Cards: names only' }).click();
  await expect(card(page, 'Gardener')).not.toContainText('Joined');
  await page.reload();
  await expect(card(page, 'Gardener')).toBeVisible();
  await expect(card(page, 'Gardener')).not.toContainText('Joined');
});

test('the map is searched, laid out, and saved as SVG and PDF', async ({ office, page }) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await page.getByRole('searchbox', { name: 'Find a table or field on the map' }).fill('price');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Part', exact: true })).toBeVisible();
  await page.getByRole('searchbox', { name: 'Find a table or field on the map' }).fill('');

  const place = async () => (await card(page, 'Part').boundingBox())!;
  const before = await place();
  await page.mouse.move(before.x + 40, before.y + 20);
  await page.mouse.down();
  await page.mouse.move(before.x + 120, before.y + 90, { steps: 6 });
  const remembered = page.waitForResponse((response) => response.url().endsWith('/places'));
  await page.mouse.up();
  expect((await remembered).ok()).toBeTruthy();
  const moved = await place();
  expect(moved.x).toBeGreaterThan(before.x + 40);

  // Other tests write hires into the same file: the pictures say what the map says now.
  const hires = /[\d,]+ rows/.exec(await card(page, 'Hire').innerText())![0];
  expect(Number.parseInt(hires.replace(',', ''), 10)).toBeGreaterThanOrEqual(3918);

  const save = async (item: string): Promise<string> => {
    const download = page.waitForEvent('download');
    await office.button('More for the map').click();
    await page.getByRole('menuitem', { name: item }).click();
    return saved(download);
  };
  const svg = readFileSync(await save('Save as SVG'), 'utf8');
  expect(svg).toMatch(/^<svg /);
  for (const label of ['Repair line', hires]) expect(svg).toContain(label);
  const text = execFileSync('pdftotext', ['-layout', await save('Save as PDF'), '-'], { encoding: 'utf8' });
  for (const label of ['Repair line', hires, 'Asset number']) expect(text).toContain(label);

  const laid = page.waitForResponse((response) => response.url().endsWith('/places'));
  await office.button('More for the map').click();
  await page.getByRole('menuitem', { name: 'Lay it out along the links' }).click();
  expect((await laid).ok()).toBeTruthy();
});

test('bad input is told plainly, and loses nothing', async ({ office, page }) => {
  const folder = mkdtempSync(join(tmpdir(), 'heathridge-e2e-'));
  const put = (name: string, bytes: string | Buffer): string => {
    writeFileSync(join(folder, name), bytes);
    return join(folder, name);
  };
  execFileSync('sqlite3', [join(folder, 'whole.db')], { input: 'CREATE TABLE a (t TEXT);' });
  const cut = put('cut.db', readFileSync(join(folder, 'whole.db')).subarray(0, 3000));
  await office.signIn('Mara Ashdown');
  await page.locator('input[type=file]').setInputFiles(put('notes.db', 'no database at all'));
  const refused = page.getByRole('dialog', { name: 'is not taken in' });
  await expect(refused).toContainText('This is no SQLite file.');
  await page.keyboard.press('Escape');
  await expect(refused).toBeHidden();
  await page.locator('input[type=file]').setInputFiles(cut);
  await expect(refused).toContainText(/This file (cannot be read|is damaged)/);
  // What had the focus while it was taken in is gone by then.
  await expect(refused.getByRole('button', { name: 'Close' })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(refused).toBeHidden();

  await office.button('New file').click();
  await office.field('What is it called?').fill('Bad input');
  await office.button('Make file').click();
  await expect(office.button('Link')).toBeDisabled();
  await more(office, 'Find links by names and values');
  await expect(page.getByRole('dialog')).toContainText('No field holds keys of another table');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toBeHidden();
  await page.getByLabel('A definition, zipped').setInputFiles(put('notes.zip', 'no archive at all'));
  await office.said('This is no ZIP archive that can be read');

  await office.button('Type the first table').click();
  await office.field('What is one row of it?').fill('Thing');
  await office.button('Add to the draft').click();
  await office.button('Field').click();
  await office.field('Label').fill('Code');
  await office.field('Label').press('Tab');
  await office.field('Pattern').fill('A-!');
  await office.field('Pattern').press('Tab');
  await expect(page.getByText('“!” is no picture symbol')).toBeVisible();
  await expect(office.field('Pattern')).toHaveValue('A-!');
  await office.field('Pattern').fill('A-999');
  await office.field('Pattern').press('Tab');
  await office.button('Field').click();
  await office.field('Label').fill('Photo');
  await office.field('Label').press('Tab');
  await office.choose(office.field('Kind'), 'Picture');
  await office.button('Apply').click();
  await expect(draft(page)).toBeHidden();

  await office.stage('Screens');
  await office.button('New form').first().click();
  await office.button('Make it').click();
  await office.button('Save screen').click();
  await office.said('Things is saved');
  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Things' }).click();
  await office.button(/New thing/).click();
  await page.locator('input[type=file]').setInputFiles(put('photo.png', 'no picture at all'));
  await expect(page.getByRole('alert')).toContainText('photo.png is no picture that can be shown');
  await page.getByRole('textbox', { name: 'Code' }).pressSequentially('q7');
  await page.keyboard.press('Tab');
  await expect(page.getByText('“q-7” is not finished: its pattern is A-999.')).toBeVisible();
  await expect(page.getByRole('textbox', { name: 'Code' })).toHaveValue('q-7');
});
