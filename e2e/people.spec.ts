import { expect, test } from './office';

test('the builder makes a role, lets somebody in with it, and looks through its eyes', async ({
  office,
  page,
  browser,
}) => {
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('People');
  await office.button('New role').first().click();
  await page.getByRole('textbox', { name: 'What is it called?' }).fill('Counter');
  await page.keyboard.press('Enter');
  const screens = page.getByRole('group', { name: 'Screens' });
  // Whatever others have made meanwhile is not hers either.
  await expect(screens.getByRole('checkbox', { name: 'Repairs' })).toBeVisible();
  for (const name of await screens.locator('mat-checkbox').allTextContents())
    if (!['Hire desk', 'Players'].includes(name.trim()))
      await screens.getByRole('checkbox', { name: name.trim(), exact: true }).uncheck();
  await page.getByRole('group', { name: 'Hires' }).getByRole('checkbox', { name: 'delete' }).uncheck();
  await page.getByRole('group', { name: 'Payments' }).getByRole('checkbox', { name: 'see' }).uncheck();
  const players = page.getByRole('group', { name: 'Players', exact: true });
  await players.getByRole('button', { name: 'every field' }).click();
  await players.getByRole('radiogroup', { name: 'Phone' }).getByRole('radio', { name: 'not see' }).click();
  await office.button('Save role').click();
  await office.said('Counter is saved');

  await office.button('Let somebody in').click();
  await page.getByRole('textbox', { name: 'Signs in as' }).fill('robin.vale');
  await office.choose(page.getByRole('combobox', { name: 'Finds on the Desk' }), 'Counter');
  await office.button('Let in').click();
  await page.getByRole('textbox', { name: 'Name, as colleagues see it' }).fill('Robin Vale');
  await page.getByRole('textbox', { name: /^First password/ }).fill('a quiet counter');
  await office.button('Let in').click();
  await expect(page.getByRole('group', { name: 'Robin Vale' })).toBeVisible();

  const finds = async (at: typeof page): Promise<void> => {
    await expect(at.getByRole('tab')).toHaveText(['Today', 'Hire desk', 'Players']);
    await at.getByRole('tab', { name: 'Hire desk' }).click();
    await expect(at.getByRole('heading', { name: /^Hire / })).toBeVisible();
    await expect(at.getByRole('button', { name: 'Delete' })).toBeHidden();
    await expect(at.getByRole('heading', { name: 'Payments' })).toBeHidden();
    await at.getByRole('tab', { name: 'Players' }).click();
    await expect(at.getByRole('heading', { name: /^Player / })).toBeVisible();
    await expect(at.getByLabel('Email')).toBeVisible();
    await expect(at.getByLabel('Phone')).toBeHidden();
  };
  await office.button('See its Desk').click();
  await finds(page);
  // It goes on after the page is read anew.
  await page.reload();
  await expect(page.getByRole('tab')).toHaveCount(3);
  await office.button('See everything').click();
  await expect(page.getByRole('tab', { name: 'Repairs' })).toBeVisible();

  const theirs = await (await browser.newContext()).newPage();
  await theirs.goto(office.url);
  await theirs.getByLabel('Sign-in name').fill('robin.vale');
  await theirs.getByLabel('Password').fill('a quiet counter');
  await theirs.getByRole('button', { name: 'Sign in', exact: true }).click();
  await theirs.getByRole('link', { name: 'Open the Desk of Quillbrook hire' }).click();
  await finds(theirs);
  // The first password was the builder's to know: it is changed by whose it is.
  await theirs.getByRole('button', { name: 'Account of Robin Vale' }).click();
  await theirs.getByRole('menuitem', { name: 'Change password' }).click();
  await theirs.getByLabel('The password you have').fill('a loud counter');
  await theirs.getByLabel(/^Another one/).fill('nobody else knows it');
  await theirs.keyboard.press('Enter');
  await expect(theirs.getByText('This is not the password that you have now.')).toBeVisible();
  await theirs.getByLabel('The password you have').fill('a quiet counter');
  await theirs.keyboard.press('Enter');
  await expect(theirs.getByText('Your password is changed.', { exact: false })).toBeVisible();
  await theirs.context().close();

  // What others do after this finds the office as it was.
  await page.getByRole('link', { name: 'To the Bench' }).click();
  await office.stage('People');
  await office.button('Drop').click();
  await office.button('Drop it').click();
  await expect(page.getByText('Robin Vale has the role Counter')).toBeVisible();
  await office.button('Close the file to Robin Vale').click();
  await office.button('Close it').click();
  await expect(page.getByRole('group', { name: 'Robin Vale' })).toBeHidden();
  await office.button('Drop').click();
  await office.button('Drop it').click();
  await expect(page.getByText('None yet: everybody finds every screen.')).toBeVisible();
});
