import { chromium } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';

/** How Debian's Chromium is started where there is no desktop and no network. */
export const CHROMIUM = {
  executablePath: '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
};

/** Facts of a demo that runs with its data in a folder. */
export const demoFacts = (folder) => JSON.parse(readFileSync(join(folder, 'demo.json'), 'utf8'));

/** Opens a browser page signed in to the console of a demo. */
export async function signedIn(facts, options = {}) {
  const browser = await chromium.launch(CHROMIUM);
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: 'light', ...options });
  const page = await context.newPage();
  await page.goto(facts.consoleUrl);
  await page.getByLabel('Name').fill(facts.operator.name);
  await page.getByLabel('Password').fill(facts.operator.password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('navigation', { name: 'Screens' }).waitFor();
  return { browser, page };
}
