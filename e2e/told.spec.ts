import { accessible } from './axe';
import { expect, test } from './office';
import { Sentence } from './sentence';

test('a query tells which rows a list shows, how many of them Today counts, and what a board asks', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Query');
  const by = new Sentence(office);
  await by.saved('Cost more than they bring');
  const many = /^[\d,]+/.exec((await by.counted.textContent())!)![0];

  // A list of just those rows, whose number stands on Today.
  await office.stage('Screens');
  await office.button('New form').first().click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('radio', { name: 'a list' }).click();
  await dialog.getByRole('checkbox', { name: 'Instruments', exact: true }).check();
  await dialog.getByLabel('What is it called on the Desk?').fill('Cost too much');
  await office.button('Make it').click();
  await office.choose(page.getByLabel('Only rows of the query'), 'Cost more than they bring');
  await page.getByRole('checkbox', { name: 'How many there are stands on Today' }).check();
  await accessible(page, 'a list that shows the rows of a query');
  await office.button('Save screen').click();
  await office.said('Cost too much is saved');

  // A query that asks, drawn on a board.
  await office.stage('Query');
  await by.begin('Kinds hired', 'Hire');
  await by.pick('+ group by…', 'instrument’s kind Name');
  await by.chip('+ ask the reader for…').click();
  await by.panel.getByRole('button', { name: 'Ask something' }).click();
  await by.panel.getByLabel('What is asked').fill('Of which school');
  await by.panel.getByLabel('Name in conditions and columns').fill('wanted');
  await office.choose(by.panel.getByLabel('The answer is'), 'one of the choices of a field');
  await office.choose(by.panel.getByLabel('The choices of'), 'Player · School');
  await by.panel.getByRole('button', { name: 'Done' }).click();
  await by.keep('+ keep rows where…', 'Returned on', 'is filled');
  await by.chip('returned on is filled').click();
  await office.write('Condition', 'player.school = wanted');
  await by.save('Kinds hired');
  await office.stage('Screens');
  await office.button('New board').click();
  await dialog.getByLabel('What is it called on the Desk?').fill('By school');
  await dialog.getByRole('button', { name: 'Make it' }).click();
  await office.choose(page.getByLabel('Put a chart of a query on the board'), 'Kinds hired');
  await office.button('Save board').click();
  await office.said('By school is saved');

  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('tab', { name: 'Today' }).click();
  await expect(page.getByRole('link', { name: /^Cost too much/ })).toContainText(many);
  await page.getByRole('tab', { name: 'Cost too much' }).click();
  await expect(page.getByRole('status').filter({ hasText: `${many} instruments` })).toBeVisible();

  await page.getByRole('tab', { name: 'By school' }).click();
  const chart = page.getByRole('application', { name: /^Kinds hired/ });
  const numbers = async (): Promise<number> => {
    await office.button('Its numbers').click();
    const cells = page.getByRole('region', { name: /^Numbers of/ }).getByRole('cell');
    await expect(cells.first()).toBeVisible();
    const texts = await cells.allTextContents();
    await office.button('Its drawing').click();
    return texts.reduce(
      (sum, text) => sum + (/^[\d,]+$/.test(text.trim()) ? Number(text.replace(/\D/g, '')) : 0),
      0,
    );
  };
  await expect(chart).toBeVisible();
  const all = await numbers();
  const asks = page.getByRole('group', { name: 'What is asked here' });
  await accessible(page, 'a board that asks');
  await office.look(asks.getByLabel(/^Of which school/), 'a', /./);
  await expect(page).toHaveURL(/answers=/);
  await expect.poll(numbers).toBeLessThan(all);
  const some = await numbers();
  const school = await asks.getByLabel(/^Of which school/).inputValue();
  // The address has the answer: whoever comes back finds it so.
  await page.reload();
  await expect(asks.getByLabel(/^Of which school/)).toHaveValue(school);
  await expect.poll(numbers).toBe(some);

  // Nothing stays behind.
  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('Screens');
  for (const name of ['By school', 'Cost too much']) {
    await page.getByRole('button', { name, exact: true }).click();
    await office.button('Drop').click();
    await office.button('Drop it').click();
    await office.said(`${name} is dropped`);
  }
  await office.stage('Query');
  await by.saved('Kinds hired');
  await by.discard('Kinds hired');
});
