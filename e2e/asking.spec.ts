import { expect, test } from './office';
import { first, Sentence } from './sentence';

test('questions of a hire office are put together by hand and give what the saved ones give', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Query');
  const by = new Sentence(office);
  const { words: sentence, result, panel, counted } = by;

  // Overdue by school.
  const overdue = first(await by.saved('Overdue by school'), 2);
  await by.begin('Late, by hand', 'Hire');
  await by.pick('+ with its…', 'player');
  await by.pick('+ with its…', 'player’s school');
  await sentence.getByRole('button', { name: /school \(or none\)$/ }).click();
  await panel.getByLabel('only rows that have one').check();
  await panel.getByRole('button', { name: 'Done' }).click();
  await by.keep('+ keep rows where…', 'Returned on', 'is empty');
  await by.keep('+ and…', 'Due back', 'is before today');
  await office.button('+ group by…').click();
  await panel.getByRole('button', { name: 'player’s school Name', exact: true }).click();
  await by.pick('+ sort by…', 'Number of hires');
  await sentence.getByRole('button', { name: /^Number of hires, least/ }).click();
  await panel.getByLabel('most first, Z to A, latest first').check();
  await panel.getByRole('button', { name: 'Done' }).click();
  await expect.poll(async () => first(await by.rows(), 2)[0]).toBe(overdue[0]);
  expect(first(await by.rows(), 2).sort()).toEqual([...overdue].sort());
  await page.getByRole('radio', { name: 'Chart', exact: true }).click();
  await expect(page.getByRole('application')).toHaveAccessibleName(/^Late, by hand/);
  await by.save('Late, by hand');

  // Parts are dragged among those of their sort, and moved by keys; the funnel counts in the new order.
  const chip = (name: RegExp | string) => sentence.getByRole('button', { name });
  const drag = async (from: RegExp | string, to: RegExp | string): Promise<void> => {
    const [a, b] = [(await chip(from).boundingBox())!, (await chip(to).boundingBox())!];
    await page.mouse.move(a.x + a.width / 2, a.y + a.height / 2);
    await page.mouse.down();
    await page.mouse.move(a.x + a.width / 2 - 12, a.y + a.height / 2, { steps: 4 });
    await page.mouse.move(b.x + 6, b.y + b.height / 2, { steps: 12 });
    await page.mouse.up();
  };
  const parts = page.getByRole('listitem');
  await expect(parts.nth(3)).toContainText('returned on is empty');
  await drag('due back is before today', 'returned on is empty');
  await expect(sentence).toContainText(/due back is before today\s*and\s*returned on is empty/);
  await expect(parts.nth(3)).toContainText('due back is before today');
  await expect(panel).toHaveCount(0);
  await chip('due back is before today').click();
  await panel.getByRole('button', { name: 'Later' }).click();
  await expect(parts.nth(3)).toContainText('returned on is empty');
  // It goes nowhere else.
  await drag('due back is before today', /^Number of hires, most/);
  await expect(sentence).toContainText(/returned on is empty\s*and\s*due back is before today/);
  // As it was saved, so it stands again.
  await expect(office.button('Save query')).toBeDisabled();

  // How long it takes, and why.
  await page.getByRole('button', { name: /^(less than 1 |[\d.]+ )m?s/ }).click();
  await expect(panel.getByText(/^It takes .* at this moment/)).toBeVisible();
  await expect(panel.getByRole('heading', { name: 'What would help' })).toBeVisible();
  await panel.getByRole('button', { name: 'Close' }).click();
  await by.discard('Late, by hand');

  // Players without a phone; a result longer than what is shown at once.
  await by.saved('Players without a phone');
  const without = await counted.textContent();
  await by.begin('No phone, by hand', 'Player');
  await expect(page.getByText(/^Rows 1 to 1,000 of [\d,]+$/)).toBeVisible();
  await office.button('The last rows').click();
  await expect(page.getByText(/^Rows \d,001 to ([\d,]+) of \1$/)).toBeVisible();
  await expect(office.button('The rows after')).toBeDisabled();
  await by.keep('+ keep rows where…', 'Phone', 'is empty');
  await by.keep('+ and…', 'Active', 'is ticked');
  await expect(counted).toHaveText(without!);
  await by.save('No phone, by hand');
  await by.discard('No phone, by hand');

  // A text picked out of those that are there; a question that is answered with one of the choices of a field.
  await by.begin('By hand, of a school', 'Player');
  await office.button('+ keep rows where…').click();
  await office.choose(panel.getByLabel('Keep rows where'), 'Surname');
  await office.button('Pick one that is there…').click();
  const most = panel.getByRole('group', { name: 'Values that are there' }).getByRole('button').first();
  const many = /([\d,]+) rows/.exec((await most.textContent())!)![1]!;
  await most.click();
  await panel.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByRole('status').filter({ hasText: new RegExp(`^${many} rows$`) })).toBeVisible();
  await office.button('+ ask the reader for…').click();
  await panel.getByRole('button', { name: 'Ask something' }).click();
  await panel.getByLabel('What is asked').fill('Of which school');
  await panel.getByLabel('Name in conditions and columns').fill('wanted');
  await office.choose(panel.getByLabel('The answer is'), 'one of the choices of a field');
  await office.choose(panel.getByLabel('The choices of'), 'Player · School');
  await panel.getByRole('button', { name: 'Done' }).click();
  await sentence.getByRole('button', { name: /^surname is/ }).click();
  await office.write('Condition', 'school = wanted');
  await expect(panel).toHaveCount(0);
  const answer = page.getByLabel(/^Of which school/);
  await office.look(answer, 'a', /./);
  await expect(answer).not.toHaveValue('');
  const school = await answer.inputValue();
  await expect(result.getByRole('cell', { name: school }).first()).toBeVisible();
  await by.save('By hand, of a school');
  await by.discard('By hand, of a school');
});
