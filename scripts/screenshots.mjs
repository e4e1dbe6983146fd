// npm run screenshots: renews docs/screenshots/ from the demo data, one picture of each main view.
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { buildServer, buildWeb, install, root, systemPackages } from './setup.mjs';

install();
systemPackages();
await buildServer();
buildWeb();
const { chromium } = await import('@playwright/test');
const { CHROMIUM, startServer } = await import('./browser.mjs');

const folder = join(root, 'docs', 'screenshots');
mkdirSync(folder, { recursive: true });
const server = await startServer();
const browser = await chromium.launch(CHROMIUM);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = async (name) => {
  await page.waitForTimeout(700);
  await page.screenshot({ path: join(folder, `${name}.png`) });
  process.stdout.write(`${name}.png\n`);
};

const choose = async (field, option) => {
  await page.getByLabel(field, { exact: true }).click();
  await page.getByRole('option', { name: option, exact: true }).click();
};

try {
  await page.goto(server.url);
  await page.getByRole('button', { name: 'Mara Ashdown' }).waitFor();
  await page.getByRole('button', { name: 'Mara Ashdown' }).click();
  await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).waitFor();
  await shot('files');
  await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).click();
  await page.locator('[data-table="t_hire"] .face').click();
  await page.getByRole('button', { name: /^Returned on/ }).click();
  await page.getByLabel('Always filled').check();
  await page.getByRole('button', { name: 'Check' }).click();
  await page.getByText('do not fit').waitFor();
  await page.getByRole('button', { name: 'Show what it touches' }).click();
  await shot('plan');
  await page.getByRole('button', { name: 'Show and mend' }).click();
  await page.getByRole('dialog').getByRole('textbox').nth(5).waitFor();
  await shot('plan-mend');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Set aside' }).click();
  await page.locator('mat-snack-bar-container').waitFor({ state: 'detached' });

  await page.locator('[data-table="t_school"] .face').click();
  await page.getByRole('button', { name: /^District/ }).click();
  await choose('Kind', 'Choice');
  await page.getByRole('button', { name: 'Make the 5 values found its choices' }).click();
  await page.getByText('all of them can be read').waitFor();
  await page.locator('.right .scroll').evaluate((element) => element.scrollTo(0, 220));
  await shot('plan-convert');
  await page.getByRole('button', { name: 'Set aside' }).click();
  await page.locator('mat-snack-bar-container').waitFor({ state: 'detached' });

  await page.locator('[data-table="t_hire"] .face').click();
  await page.getByRole('button', { name: /^Due back/ }).click();
  await page.getByRole('button', { name: 'Drop this field' }).click();
  await page.getByText('This must be settled first').waitFor();
  await shot('plan-drop');
  await page.getByRole('button', { name: 'Set aside' }).click();
  await page.locator('mat-snack-bar-container').waitFor({ state: 'detached' });

  await page.locator('[data-table="t_instrument"] .face').click();
  await page.getByRole('button', { name: /^Kind looks up/ }).click();
  await page
    .getByRole('button', { name: /^Each instrument belongs to exactly one kind/ })
    .dispatchEvent('click');
  await shot('plan-lookup');
  await page.getByRole('button', { name: 'Link Repair to another table' }).click();
  await choose('To', 'School');
  await shot('plan-link');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'More for this file' }).click();
  await page.getByRole('menuitem', { name: 'Applied changes' }).click();
  await page.getByRole('button', { name: 'Undo this' }).waitFor();
  await shot('plan-changes');
  await page.keyboard.press('Escape');

  await page.getByRole('link', { name: 'Fill' }).click();
  await page.getByRole('button', { name: /^Hires/ }).click();
  await page.locator('[role="gridcell"][col-id="f_hireDueBack"]').nth(2).dblclick();
  await page.getByRole('textbox', { name: 'Due back' }).fill('1 jan 2001');
  await page.keyboard.press('Enter');
  await page.getByRole('alert').waitFor();
  await page.locator('[role="row"][row-index="4"] [role="gridcell"]').nth(2).click();
  await page.keyboard.press('Alt+ArrowDown');
  await page
    .getByRole('region', { name: /^Payments of hire/ })
    .getByRole('gridcell')
    .nth(1)
    .waitFor();
  await shot('fill');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: /^Players/ }).click();
  await page.getByRole('link', { name: 'Bring in' }).click();
  await page.getByLabel('A sheet to bring in').setInputFiles('demo/sheets/players.csv');
  await page.getByRole('button', { name: 'Mend' }).first().click();
  await page.getByRole('button', { name: 'Read 31 as what is most like them' }).click();
  await page.getByText('421 good').waitFor();
  await page.getByRole('button', { name: 'Show why' }).click();
  await shot('bring');

  await page.getByRole('link', { name: 'Query' }).click();
  await page.getByRole('application').waitFor();
  await shot('query');
  await page.getByRole('link', { name: 'Screens' }).click();
  await page.getByRole('button', { name: 'Repairs', exact: true }).click();
  await page.getByRole('button', { name: 'Cost of this repair', exact: true }).click();
  await page.getByRole('textbox', { name: 'Expression of this field' }).waitFor();
  await shot('screens');
  await page.getByRole('link', { name: 'Print' }).click();
  await page.getByRole('img', { name: 'Page 1' }).waitFor();
  await shot('print');

  await page.getByRole('link', { name: 'People' }).click();
  await page.getByRole('button', { name: 'New role' }).first().click();
  await page.getByRole('textbox', { name: 'What is it called?' }).fill('Counter');
  await page.keyboard.press('Enter');
  await page.getByRole('group', { name: 'Screens' }).getByRole('checkbox', { name: 'Instruments' }).uncheck();
  const players = page.getByRole('group', { name: 'Players', exact: true });
  await players.getByRole('checkbox', { name: 'delete' }).uncheck();
  await players.getByRole('button', { name: 'every field' }).click();
  await players.getByRole('radiogroup', { name: 'Phone' }).getByRole('radio', { name: 'not see' }).click();
  await shot('people');
  await page.getByRole('button', { name: 'Drop' }).click();
  await page.getByRole('button', { name: 'Drop it' }).click();

  await page.getByRole('link', { name: 'Open the Desk' }).click();
  await page.getByRole('heading', { name: /^Today/ }).waitFor();
  await shot('today');
  await page.getByRole('tab', { name: 'Stock' }).click();
  await page
    .getByRole('region', { name: /^Repair lines of/ })
    .getByRole('gridcell')
    .first()
    .waitFor();
  await page.waitForTimeout(800);
  await shot('lists');
  await page.getByRole('tab', { name: 'Workshop' }).click();
  // The last column is read last.
  await page.getByRole('region', { name: 'Done' }).getByRole('listitem').nth(3).waitFor();
  await shot('cards');
  await page.getByRole('tab', { name: 'Hire desk' }).click();
  await page.getByRole('tab', { name: 'Overview' }).click();
  await page.locator('hr-board-list [row-index="0"]').first().waitFor();
  await page.locator('[data-card]').first().waitFor();
  await page.waitForTimeout(800);
  await shot('board');
  await page.getByRole('tab', { name: 'Hire desk' }).click();
  await page.getByRole('searchbox').fill('oduya');
  await page.waitForTimeout(800);
  await page.locator('.entry').nth(1).click();
  await page.locator('.entry[aria-current="true"]').nth(0).waitFor();
  await page.getByRole('textbox', { name: /^Due back/ }).fill('1 jan 2001');
  await page.keyboard.press('Tab');
  await page.getByText('comes back after the day').waitFor();
  await shot('desk');
} finally {
  await browser.close();
  await server.stop();
}
