import { defineConfig } from '@playwright/test';
import { CHROMIUM } from '../scripts/browser.mjs';

export default defineConfig({
  testDir: '.',
  workers: 1,
  retries: 0,
  timeout: 300_000,
  expect: { timeout: 25_000 },
  reporter: [['line'], ['./count-reporter.ts']],
  use: {
    browserName: 'chromium',
    launchOptions: CHROMIUM,
    viewport: { width: 1280, height: 800 },
    trace: 'off',
    actionTimeout: 25_000,
  },
});
