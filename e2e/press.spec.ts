import { accessible } from './axe';
import { expect, test } from './office';

/** Today as people here write it. */
const today = (): string =>
  new Date().toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });

test('buttons on the Desk: a hire is begun from its player, given back in one press, taken back, printed', async ({
  office,
  page,
}) => {
  // What opens in a page of its own is a paper, which this browser would only fetch.
  await page.addInitScript(() => {
    window.open = (url) => {
      document.body.setAttribute('data-opened', String(url));
      return null;
    };
  });
  await office.signIn('Tobin Leck');
  await office.openDemo();
  await page.getByRole('tab', { name: 'Players' }).click();
  await page.getByRole('searchbox', { name: 'Find players' }).fill('Whitlam, Dora');
  await page.locator('.entry', { hasText: 'P-1204' }).click();
  await expect(page.getByRole('heading', { name: 'Player P-1204' })).toBeVisible();
  await office.button('New hire').click();
  await expect(page.getByRole('heading', { name: 'New hire' })).toBeVisible();
  // The player is there already, and the cursor stands in what comes next.
  await expect(office.field(/^Player/)).toHaveValue('Whitlam, Dora');
  await expect(office.field(/^Instrument/)).toBeFocused();
  await office.look(office.field(/^Instrument/), 'A-0858', /A-0858/);
  await office.field(/^Monthly fee/).fill('14.25');

  // What is typed is saved first; the date is that of today, and goes again.
  await office.button('Back today').click();
  await office.said('Back today: 1 hire changed.');
  await expect(office.field(/^Returned on/)).toHaveValue(today());
  const hire = (await page.getByRole('heading', { name: /^Hire \d+/ }).textContent())!.trim();
  await page.getByRole('button', { name: 'Take it back' }).click();
  await office.said('It is as it was before');
  await expect(office.field(/^Returned on/)).toHaveValue('');
  await expect(office.field(/^Monthly fee/)).toHaveValue('£14.25');

  // Its payments, on paper.
  const payments = page.getByRole('region', { name: 'Payments' });
  await payments.getByRole('button', { name: 'Payment', exact: true }).click();
  await payments.getByRole('textbox', { name: 'Amount, row 1' }).fill('14.25');
  await office.button('Payments on paper').click();
  await office.said(`${hire} is saved`);
  await expect(page.locator('body[data-opened]')).toBeVisible();
  const paper = await page.request.get(
    office.url + (await page.locator('body').getAttribute('data-opened'))!,
  );
  expect([paper.status(), paper.headers()['content-type']]).toEqual([200, 'application/pdf']);

  await expect(page.getByRole('heading', { name: hire })).toBeVisible();
  await office.button('Delete').click();
  await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
  await office.said(`${hire} is deleted`);
});

test('a form of the builder’s own: a button that changes what belongs to a record, a condition, tabs, a picture, the Tab key', async ({
  office,
  page,
}) => {
  test.slow();
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Screens');
  await office.button('New form').first().click();
  await page.getByRole('dialog').getByRole('checkbox', { name: 'Repairs' }).check();
  await page.getByLabel('What is it called on the Desk?').fill('Bench');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('region', { name: 'Repair lines' })).toBeVisible();

  // A picture, drawn here: what is none is refused.
  const chooser = page.getByLabel('A picture for this form');
  await chooser.setInputFiles({ name: 'not.png', mimeType: 'image/png', buffer: Buffer.from('no') });
  await office.said('not.png is no picture that can be shown');
  const drawn = await page.evaluate(() => {
    const canvas = document.createElement('canvas');
    canvas.width = canvas.height = 60;
    canvas.getContext('2d')!.fillRect(10, 10, 40, 40);
    return canvas.toDataURL('image/png').split(',')[1]!;
  });
  await chooser.setInputFiles({
    name: 'Mark.png',
    mimeType: 'image/png',
    buffer: Buffer.from(drawn, 'base64'),
  });
  await expect(page.getByRole('img', { name: 'Mark' })).toBeVisible();

  // A button for the lines of a repair.
  await page.getByRole('button', { name: 'Button', exact: true }).click();
  await page.getByRole('textbox', { name: 'It says' }).fill('Double the cost');
  await page.keyboard.press('Tab');
  await office.choose(page.getByLabel('Pressed, it'), 'changes rows');
  await office.choose(page.getByLabel('Which rows'), 'its repair lines, by repair');
  await office.choose(page.getByLabel('Set a field'), 'Cost');
  await office.write('What Cost becomes', 'cost * 2');
  await accessible(page, 'a button that changes rows, and a picture');

  // The fault is not there for repairs that are done.
  await page.getByRole('button', { name: 'Fault', exact: true }).click();
  const hidden = page.getByRole('group', { name: 'Not there where' });
  await hidden.getByRole('button', { name: '+ a condition…' }).click();
  await office.choose(page.getByLabel('Where', { exact: true }), 'Done on');
  await office.choose(page.getByLabel('how', { exact: true }), 'is filled');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(hidden).toContainText('done on is filled');

  // The lines stand on a tab; the Tab key goes to the technician first.
  await page.getByRole('button', { name: 'Repair lines', exact: true }).press('Enter');
  await office.choose(page.getByLabel('It stands'), 'on a new tab');
  await expect(page.getByRole('listbox')).toHaveCount(0);
  await page.keyboard.press('Escape');
  await expect(page.getByRole('heading', { name: 'This screen' })).toBeVisible();
  await office.button('In another order…').click();
  await office.button('Technician earlier').click();
  await accessible(page, 'an order of the Tab key by hand');
  await office.button('Save screen').click();
  await office.said('Bench is saved');

  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Bench' }).click();
  await expect(page.getByRole('heading', { name: /^Repair J-/ })).toBeVisible();
  await expect(page.getByRole('img', { name: 'Mark' })).toBeVisible();

  // By hand the technician comes before the instrument, and behind the last field the buttons.
  await page.keyboard.press('Alt+n');
  await expect(page.getByRole('heading', { name: 'New repair' })).toBeVisible();
  await expect(office.field(/^Technician/)).toBeFocused();
  await page.keyboard.press('Escape');
  await page.keyboard.press('Tab');
  await expect(office.field(/^Instrument/)).toBeFocused();
  await page.keyboard.press('Escape');
  await page.keyboard.press('Shift+Tab');
  await expect(office.field(/^Technician/)).toBeFocused();
  await expect(page.getByText('Fault', { exact: true })).toBeVisible();
  await office.field(/^Done on/).fill('today');
  await office.field(/^Done on/).press('Tab');
  await expect(page.getByText('Fault', { exact: true })).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();

  // Of a repair with lines each is shown before it changes, and all come back.
  await page.locator('.entry').nth(3).click();
  await expect(page.getByRole('region', { name: 'Repair lines' })).toBeVisible();
  const sum = page.getByRole('group', { name: 'Sums of Repair lines' });
  await expect(sum).toContainText('£');
  const before = await sum.textContent();
  const pounds = (text: string | null): number =>
    Math.round(Number(/£([\d,.]+)/.exec(text!)![1]!.replace(/,/g, '')) * 100);
  await office.button('Double the cost').click();
  const dialog = page.getByRole('dialog', { name: 'Double the cost' });
  await expect(dialog).toContainText('would change. Nothing has changed yet.');
  await accessible(page, 'a change shown row by row, over a form with a picture, a tab and a button');
  await dialog.getByRole('button', { name: /^Change \d/ }).click();
  await office.said(/Double the cost: \d+ repair lines? changed/);
  await expect.poll(async () => pounds(await sum.textContent())).toBe(2 * pounds(before));
  await page.getByRole('button', { name: 'Take it back' }).click();
  await expect(sum).toHaveText(before!);

  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Screens');
  await page.getByRole('button', { name: 'Bench', exact: true }).click();
  await office.button('Drop').click();
  await office.button('Drop it').click();
  await expect(page.getByRole('button', { name: 'Hire desk', exact: true })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Bench', exact: true })).toHaveCount(0);
});

test('columns of a list are dragged to another place while it is designed', async ({ office, page }) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Screens');
  await page.getByRole('button', { name: 'Late back', exact: true }).click();
  const heads = page.getByRole('columnheader');
  const names = async (): Promise<string[]> =>
    (await heads.allTextContents()).map((text) => text.trim()).filter((text) => text !== '');
  await expect(heads.first()).toBeVisible();
  const before = await names();
  expect(before.slice(0, 3)).toEqual(['Hire number', 'Player', 'Instrument']);
  const boxOf = async (name: string) =>
    (await page.getByRole('columnheader', { name, exact: true }).boundingBox())!;
  const [from, to] = [await boxOf('Due back'), await boxOf('Player')];
  await page.mouse.move(from.x + 30, from.y + 14);
  await page.mouse.down();
  await page.mouse.move(to.x + 60, to.y + 14, { steps: 12 });
  await page.mouse.move(to.x + 10, to.y + 14, { steps: 6 });
  await page.mouse.up();
  await expect.poll(async () => (await names()).slice(0, 3)).toEqual(['Hire number', 'Due back', 'Player']);
  await office.button('Undo').click();
  await expect.poll(names).toEqual(before);
});
