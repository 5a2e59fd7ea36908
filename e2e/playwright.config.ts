import { defineConfig } from '@playwright/test';
import { CHROMIUM } from '../scripts/lib/browser.mjs';

export default defineConfig({
  testDir: '.',
  globalSetup: './prepare.ts',
  timeout: 150_000,
  // A machine that is busy may take its time: what is never there is a failure all the same.
  expect: { timeout: 30_000 },
  // Each with a demo of its own, which all files that it takes share.
  workers: 2,
  fullyParallel: false,
  outputDir: '../test-results',
  reporter: [['line'], ['json', process.env['PLAYWRIGHT_JSON_OUTPUT_NAME'] ? {} : { outputFile: '../test-results/e2e.json' }]],
  use: {
    actionTimeout: 30_000,
    viewport: { width: 1280, height: 800 },
    permissions: ['clipboard-read', 'clipboard-write'],
    launchOptions: CHROMIUM,
  },
});
