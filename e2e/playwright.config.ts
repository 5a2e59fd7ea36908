import { defineConfig } from '@playwright/test';
import { CHROMIUM } from '../scripts/lib/browser.mjs';

export default defineConfig({
  testDir: '.',
  timeout: 90_000,
  expect: { timeout: 10_000 },
  workers: 1,
  fullyParallel: false,
  outputDir: '../test-results',
  reporter: [['line'], ['json', process.env['PLAYWRIGHT_JSON_OUTPUT_NAME'] ? {} : { outputFile: '../test-results/e2e.json' }]],
  use: {
    actionTimeout: 10_000,
    viewport: { width: 1280, height: 800 },
    permissions: ['clipboard-read', 'clipboard-write'],
    launchOptions: CHROMIUM,
  },
});
