import { openShop, partsOn, type Shop } from '../stand-in/shop';
import { accessible } from './axe';
import { expect, test } from './office';
import { Sentence } from './sentence';

let shop: Shop;
test.beforeAll(async () => {
  shop = await openShop();
});
test.afterAll(() => shop.close());

test('rows from outside stand in a table, are fetched again, asked about, and undone', async ({
  office,
  page,
}) => {
  await office.signIn('Mara Ashdown');
  await office.button('New file').click();
  await office.field('What is it called?').fill('From outside');
  await office.button('Make file').click();
  await office.stage('Fill');
  await page.getByRole('link', { name: 'Bring in a sheet' }).click();

  // What is no address, and what is no list, is said in words; what was typed stays.
  await office.button('Fetch from an address').click();
  const address = office.field('Address of a service or a list outside');
  await address.fill('parts.json');
  await address.press('Enter');
  await expect(page.getByRole('alert')).toContainText('This is no address');
  await address.fill(shop.parts);
  await address.press('Enter');
  await expect(page.getByRole('alert')).toContainText('answered 404 not found');
  await expect(address).toHaveValue(shop.parts);
  await accessible(page, 'an address that cannot be fetched');
  await address.fill(`${shop.parts}.json`);
  await address.press('Enter');

  await expect(page.getByRole('heading', { name: 'Bring in parts.json' })).toBeVisible();
  await office.choose(page.getByLabel('Is fetched'), 'again when somebody asks');
  await office.choose(page.getByLabel('Rows that are gone there'), 'are deleted here too');
  await expect(page.getByText('A row is told by code.')).toBeVisible();
  await accessible(page, 'a sheet that is to be fetched again');
  await office.button('Bring in 20 rows').click();

  const source = page.getByRole('group', { name: 'Parts, from outside' });
  await expect(source).toContainText(/fetched .*: 20 added/);
  await expect(page.getByRole('status').filter({ hasText: /^20 rows$/ })).toBeVisible();
  const [gone] = partsOn(0).filter(({ code }) => !partsOn(1).some((one) => one.code === code));
  await expect(page.getByRole('gridcell', { name: gone!.code, exact: true })).toBeVisible();
  shop.later(1);
  await office.button('Fetch again').click();
  await expect(source).toContainText('1 deleted');
  await expect(page.getByRole('status').filter({ hasText: /^19 rows$/ })).toBeVisible();
  await expect(page.getByRole('gridcell', { name: gone!.code, exact: true })).toHaveCount(0);
  await accessible(page, 'rows from outside');

  // A query starts from them, and fetches them too.
  await office.stage('Query');
  const by = new Sentence(office);
  await by.begin('What is sold', 'from outside: Part');
  await expect(by.counted).toHaveText('19 rows');
  await expect(source).toBeVisible();
  await by.save('What is sold');
  shop.later(-1);
  await office.button('Fetch again').click();
  await expect(by.counted).toHaveText('20 rows');
  await accessible(page, 'a query over rows from outside');

  // Nobody answers there: that stands beside the rows, which stay.
  await office.stage('Fill');
  const { port } = new URL(shop.parts);
  await shop.close();
  await office.button('Fetch again').click();
  await expect(source).toContainText('nothing came: 127.0.0.1');
  await expect(page.getByRole('status').filter({ hasText: /^20 rows$/ })).toBeVisible();
  shop = await openShop(Number(port));
  shop.later(1);
  await office.button('Fetch again').click();
  await expect(page.getByRole('status').filter({ hasText: /^19 rows$/ })).toBeVisible();
  await office.button('Undo').click();
  await expect(page.getByRole('status').filter({ hasText: /^20 rows$/ })).toBeVisible();

  await office.button('More about where Parts come from').click();
  await page.getByRole('menuitem', { name: 'Fetch them no more…' }).click();
  await office.button('Fetch them no more').click();
  await expect(source).toHaveCount(0);
  await expect(page.getByRole('status').filter({ hasText: /^20 rows$/ })).toBeVisible();
});
