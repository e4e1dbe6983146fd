import { defineConfig } from '@playwright/test';
import { CHROMIUM } from '../scripts/browser.mjs';

export default defineConfig({
  testDir: '.',
  workers: 1,
  retries: 0,
  timeout: 150_000,
  expect: { timeout: 10_000 },
  reporter: [['line'], ['./count-reporter.ts']],
  use: {
    browserName: 'chromium',
    launchOptions: CHROMIUM,
    viewport: { width: 1280, height: 800 },
    trace: 'off',
    actionTimeout: 10_000,
  },
});
