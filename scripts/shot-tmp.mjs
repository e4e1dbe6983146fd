const { chromium } = await import('@playwright/test');
const { CHROMIUM, startServer } = await import('./browser.mjs');
const server = await startServer();
const browser = await chromium.launch(CHROMIUM);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = async (n) => { await page.waitForTimeout(700); await page.screenshot({ path: `/tmp/w/${n}.png` }); };
try {
  await page.goto(server.url);
  await page.getByRole('button', { name: 'Mara Ashdown' }).click();
  await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).waitFor();
  await page.setInputFiles('#take-in', '/tmp/w/guests.db');
  await page.getByText('How are these texts to be read?').waitFor();
  await shot('enc1');
  await page.getByLabel('Cyrillic').check();
  await shot('enc2');
  await page.getByLabel('Windows-1252').check();
  await page.getByRole('button', { name: 'Take it in like this' }).click();
  await page.getByText('is taken in').waitFor();
  await shot('enc3');
  await page.getByRole('button', { name: 'Go to its plan' }).click();
  await page.getByRole('link', { name: 'Fill' }).click();
  await page.waitForTimeout(1500);
  await page.getByRole('columnheader', { name: 'Name' }).click();
  await shot('enc4');
} finally { await browser.close(); await server.stop?.(); }
process.exit(0);
