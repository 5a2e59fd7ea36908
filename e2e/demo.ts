import { test as base, expect, type Page } from '@playwright/test';
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const ROOT = fileURLToPath(new URL('..', import.meta.url));

/** What a demo writes about itself. */
export interface DemoFacts {
  readonly consoleUrl: string;
  readonly controlUrl: string;
  readonly controlToken: string;
  readonly gatewayUrl: string;
  readonly portalUrl: string;
  /** Keys and secrets of its clients. */
  readonly made: { readonly openDataKey: string; readonly billing: string };
  readonly operator: { readonly name: string; readonly password: string };
  readonly standins: readonly {
    readonly issuer: string;
    readonly address: string;
    readonly clients: readonly { readonly id: string; readonly secret: string }[];
    readonly users: readonly { readonly name: string; readonly password: string }[];
  }[];
}

async function startDemo(script: string, portBase: number, folder: string): Promise<ChildProcess> {
  const child = spawn(process.execPath, [join(ROOT, 'scripts', script), '--port-base', String(portBase), '--data', folder], {
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let output = '';
  await new Promise<void>((resolve, reject) => {
    const read = (part: Buffer): void => {
      output += part.toString();
      if (output.includes('Ctrl-C stops everything')) resolve();
    };
    child.stdout.on('data', read);
    child.stderr.on('data', read);
    child.once('exit', () => reject(new Error(`${script} ended: ${output.slice(-2000)}`)));
  });
  return child;
}

async function stopDemo(child: ChildProcess): Promise<void> {
  const gone = new Promise((resolve) => child.once('exit', resolve));
  child.kill('SIGINT');
  await gone;
}

// Below those that the system gives to connections by itself.
const portBase = (index: number): number => 20_000 + (process.pid % 290) * 40 + index * 20;

/** A demo for all tests of a file, as a user starts it. */
export const test = base.extend<{ console: Page }, { demo: DemoFacts; empty: { consoleUrl: string; password: string } }>({
  demo: [
    async ({}, use) => {
      const folder = mkdtempSync(join(tmpdir(), 'virga-e2e-'));
      const child = await startDemo('demo.mjs', portBase(0), folder);
      await use(JSON.parse(readFileSync(join(folder, 'demo.json'), 'utf8')) as DemoFacts);
      await stopDemo(child);
    },
    { scope: 'worker', timeout: 180_000 },
  ],
  empty: [
    async ({}, use) => {
      process.env['VIRGA_OPERATOR_PASSWORD'] = 'first-start-password';
      const child = await startDemo('start.mjs', portBase(1), mkdtempSync(join(tmpdir(), 'virga-e2e-empty-')));
      delete process.env['VIRGA_OPERATOR_PASSWORD'];
      await use({ consoleUrl: `http://127.0.0.1:${portBase(1)}`, password: 'first-start-password' });
      await stopDemo(child);
    },
    { scope: 'worker', timeout: 180_000 },
  ],
  console: async ({ page, demo }, use) => {
    await signIn(page, demo.consoleUrl, demo.operator.password);
    await use(page);
  },
});

export async function signIn(page: Page, url: string, password: string): Promise<void> {
  await page.goto(url);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('navigation', { name: 'Screens' })).toBeVisible();
}

export { expect };
