import { expect, test } from './office';

test('a colleague finds a record, is stopped by a rule, and saves', async ({ office, page }) => {
  await office.signIn('Tobin Leck');
  await expect(page.getByRole('button', { name: 'New file' })).toBeHidden();
  await office.openDemo();
  await expect(page.getByRole('heading', { name: /^Today/ })).toBeVisible();
  await page.getByRole('link', { name: /^Hire desk find/ }).click();
  await page.getByRole('searchbox').fill('oduya, t');
  await expect(page.getByRole('status').filter({ hasText: /of 3,918 hires/ })).toBeVisible();
  await page.locator('.entry').first().click();
  await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
  const title = await page.getByRole('heading', { name: /^Hire \d+/ }).textContent();

  const due = office.field(/^Due back/);
  await due.fill('1 jan 2001');
  await due.press('Tab');
  await expect(page.getByText('An instrument comes back after the day it was hired.')).toBeVisible();
  await office.button(/^Save/).click();
  await expect(page.getByRole('alert')).toContainText('Not saved yet');
  await expect(due).toHaveValue('1 Jan 2001');
  // What is wrong is named, in order, and leads to where it stands.
  await office.field(/^Note/).focus();
  const wrong = page.getByRole('list', { name: 'What is wrong' }).getByRole('button');
  await expect(wrong).toHaveText(['Due back: An instrument comes back after the day it was hired.']);
  await wrong.click();
  await expect(due).toBeFocused();
  await due.fill('+30');
  await due.press('Tab');
  await expect(wrong).toHaveCount(0);
  await expect(page.getByText('An instrument comes back after the day it was hired.')).toHaveCount(0);
  await office.button(/^Save/).click();
  await office.said('is saved');

  await page.reload();
  await expect(page.getByRole('heading', { name: title!.trim() })).toBeVisible();
});

test('what cannot be read stays as it was typed', async ({ office, page }) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Players');
  await page.locator('.entry').first().click();
  await office.field(/^Born/).fill('the third of May');
  await office.field(/^Born/).press('Tab');
  await expect(page.getByText('“the third of May” is not a date.')).toBeVisible();
  await expect(office.field(/^Born/)).toHaveValue('the third of May');
  await expect(page.getByText('not saved yet', { exact: true })).toBeVisible();

  // Leaving asks first.
  await page.locator('.entry').nth(1).click();
  await expect(page.getByRole('heading', { name: 'Leave without saving?' })).toBeVisible();
  await office.button('Stay here').click();
  await expect(office.field(/^Born/)).toHaveValue('the third of May');
  await office.button('Undo').click();
  await expect(page.getByText('not saved yet', { exact: true })).toBeHidden();
});

test('what is sound is saved when it is left: for the next record, for a new one, for another screen', async ({
  office,
  page,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Players');
  const note = page.getByRole('textbox', { name: 'Phone' });
  const title = page.getByRole('heading', { name: /^Player P-/ });
  const first = await title.textContent();
  const leave: [string, () => Promise<void>][] = [
    ['01632 960001', () => page.keyboard.press('Alt+ArrowDown')],
    ['01632 960002', () => page.keyboard.press('Alt+n')],
    ['01632 960003', () => page.getByRole('tab', { name: 'Repairs' }).click()],
  ];
  for (const [phone, go] of leave) {
    await expect(title).toHaveText(first!);
    await note.fill(phone);
    await go();
    await office.said(`${first} is saved`);
    await expect(title.filter({ hasText: first! })).toBeHidden();
    await expect(page.getByRole('dialog')).toBeHidden();
    await page.getByRole('tab', { name: 'Today' }).click();
    await page.getByRole('tab', { name: 'Players' }).click();
    await expect(title).toHaveText(first!);
    await expect(note).toHaveValue(phone);
  }
});

test('before a record is deleted it is said what goes along, and what stands in the way', async ({
  office,
  page,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Hire desk');
  await office.button('Payment').click();
  await page
    .getByRole('textbox', { name: /^Amount, row/ })
    .last()
    .fill('5');
  await page.keyboard.press('Control+s');
  await office.said(/Hire \d+ is saved/);
  await office.button('Delete').click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('heading')).toHaveText(/^Delete hire \d+\?$/);
  await expect(dialog.getByRole('listitem')).toHaveText(/^\d+ payments? goe?s? along \(Hire\)\.$/);
  await dialog.getByRole('button', { name: 'Keep it' }).click();
  await page.getByRole('tab', { name: 'Players' }).click();
  await page.getByRole('searchbox', { name: 'Find players' }).fill('Whitlam, Dora');
  await page.locator('.entry', { hasText: 'P-1204' }).click();
  await expect(page.getByRole('heading', { name: 'Player P-1204' })).toBeVisible();
  await office.button('Delete').click();
  await expect(dialog.getByRole('heading')).toHaveText('Player P-1204 cannot be deleted');
  await expect(dialog.getByRole('listitem')).toHaveText(/^\d+ hires, by Player/);
  await expect(dialog.getByRole('button')).toHaveText(['Close']);
});

test('a lookup leads to the screen of the row it stands for', async ({ office, page }) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Hire desk');
  await page.locator('.entry').nth(3).click();
  await expect(page.locator('.entry').nth(3)).toHaveAttribute('aria-current', 'true');
  const player = await office.field(/^Player/).inputValue();
  // What was typed is saved on the way, as whenever a record is left.
  await office.field(/^Note/).fill('On the way.');
  await page.getByRole('link', { name: 'Open player on Players' }).click();
  await office.said(/Hire \d+ is saved/);
  await expect(page.getByRole('heading', { name: /^Player P-/ })).toBeVisible();
  await expect(office.field(/^Surname/)).toHaveValue(player.split(',')[0]!);
});

test('a save is taken back, by what is said of it and by a key', async ({ office, page }) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Players');
  await page.getByRole('searchbox', { name: 'Find players' }).fill('Whitlam, Dora');
  await page.locator('.entry', { hasText: 'P-1204' }).click();
  await expect(page.getByRole('heading', { name: 'Player P-1204' })).toBeVisible();
  const phone = office.field(/^Phone/);
  const before = await phone.inputValue();
  for (const [typed, back] of [
    ['01632 960111', () => office.button('Take it back').click()],
    ['01632 960222', () => page.keyboard.press('Control+z')],
  ] as const) {
    await phone.fill(typed);
    await page.keyboard.press('Control+s');
    await office.said('Player P-1204 is saved');
    await expect(phone).toHaveValue(typed);
    await back();
    await office.said('It is as it was before');
    await expect(phone).toHaveValue(before);
  }
});

test('what is typed and not saved is there after the page was closed, and Today offers it', async ({
  office,
  page,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Players');
  await page.locator('.entry').nth(2).click();
  await expect(page.locator('.entry').nth(2)).toHaveAttribute('aria-current', 'true');
  const title = (await page.getByRole('heading', { level: 1 }).textContent())!.trim();
  // The line is not even left.
  await office.field(/^Phone/).fill('01632 96099');
  // Another window comes before it: it is kept, and the cursor stays for whoever comes back.
  await page.evaluate(() => {
    Object.defineProperty(document, 'visibilityState', { value: 'hidden', configurable: true });
    document.dispatchEvent(new Event('visibilitychange'));
    Object.defineProperty(document, 'visibilityState', { value: 'visible', configurable: true });
  });
  await expect(office.field(/^Phone/)).toBeFocused();
  await expect(page.getByText('not saved yet', { exact: true })).toBeVisible();
  await office.field(/^Phone/).fill('01632 960999');
  page.on('dialog', (dialog) => void dialog.accept());
  await page.reload();
  await expect(page.getByText('and not saved. Save it, or take it back with Undo.')).toBeVisible();
  await expect(office.field(/^Phone/)).toHaveValue('01632 960999');

  await page.goto(page.url().replace(/screen\/.*/, 'today'));
  const unfinished = page.getByRole('region', { name: 'Not finished' });
  await expect(unfinished).toContainText(title);
  await unfinished.getByRole('button', { name: 'Go on' }).click();
  await expect(office.field(/^Phone/)).toHaveValue('01632 960999');
  await office.button(/^Save/).click();
  await office.said('is saved');
  await expect(page.getByText('not saved yet', { exact: true })).toBeHidden();
  await page.getByRole('tab', { name: 'Today' }).click();
  await expect(page.getByRole('region', { name: 'What you worked on last' })).toContainText(
    'Players · changed',
  );
  await expect(unfinished).toBeHidden();
});

test('a colleague is refused the Bench, by the page and by the API', async ({ office, page }) => {
  await office.signIn('Tobin Leck');
  await office.openDemo();
  await expect(page.getByRole('heading', { name: /^Today/ })).toBeVisible();
  await expect(page.getByRole('link', { name: 'To the Bench' })).toBeHidden();
  const file = /desk\/(\w+)/.exec(page.url())![1]!;
  for (const [method, path] of [
    ['get', 'design'],
    ['post', 'rows'],
    ['post', 'query/run'],
  ] as const) {
    const answer = await page.request[method](
      `${office.url}/api/files/${file}/${path}`,
      method === 'post' ? { data: {} } : {},
    );
    expect(answer.status()).toBe(403);
  }
  await page.goto(`${office.url}/file/${file}/plan`);
  await expect(page.getByText('This file could not be opened.')).toBeVisible();
});

test('two people change one record: fields merge, a clash shows both', async ({
  office,
  page,
  browser,
  server,
}) => {
  await office.signIn('Tobin Leck');
  await office.openDemoDesk('Players');
  await page.getByRole('searchbox').fill('P-0 7');
  await page.getByRole('searchbox').fill('');
  await page.locator('.entry').nth(3).click();
  await expect(office.field(/^Surname/)).toBeVisible();
  const other = await (await browser.newContext()).newPage();
  await other.goto(server.url);
  await other.getByRole('button', { name: 'Mara Ashdown' }).click();
  await expect(other.getByRole('heading', { name: 'Files' })).toBeVisible();
  await other.goto(page.url());
  // Who comes second is told at once that somebody has it open already.
  await expect(other.getByText('Tobin Leck has it open too')).toBeVisible();
  await office.field(/^Surname/).fill('Mergeby');
  await office.field(/^First name/).fill('Kit');
  await other.getByRole('textbox', { name: /^Surname/ }).fill('Clashwood');
  await other.getByRole('textbox', { name: /^Phone/ }).fill('01632 960999');
  await other.getByRole('button', { name: /^Save/ }).click();
  await expect(other.locator('mat-snack-bar-container')).toContainText('is saved');

  // What he has not touched is shown as she left it; what he typed stays as it is.
  await office.said('Mara Ashdown has changed this player');
  await expect(office.field(/^Phone/)).toHaveValue('01632 960999');
  await expect(office.field(/^Surname/)).toHaveValue('Mergeby');
  await office.button(/^Save/).click();
  await expect(
    page.getByText(/Somebody else has changed Surname meanwhile\. They put “Clashwood”/),
  ).toHaveCount(2);
  await office.button(/^Save/).click();
  await office.said('is saved');
  await expect(office.field(/^Phone/)).toHaveValue('01632 960999');
  await expect(office.field(/^Surname/)).toHaveValue('Mergeby');
  // On her page, where nothing was typed since, it is so too.
  await expect(other.getByRole('textbox', { name: /^Surname/ })).toHaveValue('Mergeby');
  await other.context().close();
});

test('a value is typed over when it is entered by Tab, and mended where it is clicked', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemoDesk('Hire desk');
  await page.locator('.entry').nth(3).click();
  await expect(page.getByRole('heading', { name: /^Hire \d+/ })).toBeVisible();
  const fee = page.getByRole('textbox', { name: /^Monthly fee/ });
  await expect(fee).toHaveValue(/^£/);
  await page.getByRole('textbox', { name: /^Returned on/ }).focus();
  await page.keyboard.press('Tab');
  await expect(fee).toBeFocused();
  await page.keyboard.type('12.5');
  await page.keyboard.press('Tab');
  await expect(fee).toHaveValue('£12.50');
  // A click at the end leaves the cursor there: what is there stays.
  const box = (await fee.boundingBox())!;
  await page.mouse.click(box.x + box.width - 4, box.y + box.height / 2);
  await page.keyboard.press('Backspace');
  await page.keyboard.press('Backspace');
  await page.keyboard.type('75');
  await page.keyboard.press('Tab');
  await expect(fee).toHaveValue('£12.75');
  await office.button('Undo').click();
});
