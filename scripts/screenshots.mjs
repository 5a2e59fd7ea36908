// Takes one picture of each main view from the demo data, into docs/screenshots.
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { prepare, ROOT } from './lib/prepare.mjs';

await prepare();
const { demoFacts, signedIn } = await import('./lib/browser.mjs');
const out = join(ROOT, 'docs', 'screenshots');
const folder = mkdtempSync(join(tmpdir(), 'virga-shots-'));
mkdirSync(out, { recursive: true });

const demo = spawn(process.execPath, [join(ROOT, 'scripts/demo.mjs'), '--port-base', '4380', '--data', folder], { stdio: ['ignore', 'pipe', 'inherit'] });
await new Promise((resolve, reject) => {
  demo.stdout.on('data', (part) => String(part).includes('Ctrl-C stops everything') && resolve());
  demo.once('exit', () => reject(new Error('the demo ended')));
});
// A picture that cannot be taken ends everything, the demo included.
process.on('exit', () => demo.kill('SIGINT'));
const facts = demoFacts(folder);
const headers = { authorization: `Bearer ${facts.controlToken}`, 'content-type': 'application/json' };
const control = async (method, path, body) => {
  const answer = await fetch(facts.controlUrl + path, { method, headers, ...(body ? { body: JSON.stringify(body) } : {}) });
  return answer.json().catch(() => null);
};
const { items: apis } = await control('GET', '/apis');
const gates = apis.find((item) => item.name === 'Headgates').id;
const meters = apis.find((item) => item.name === 'Meter readings').id;
const { items: traces } = await control('GET', `/traces?code=rights.scope-missing&api=${gates}&limit=1`);
const { items: providers } = await control('GET', '/providers');

const { browser, page } = await signedIn(facts, { deviceScaleFactor: 1 });
const shot = async (name, path, arrange) => {
  await page.goto(facts.consoleUrl + path);
  await page.locator('h1').first().waitFor();
  await page.waitForTimeout(900);
  await arrange?.();
  await page.screenshot({ path: join(out, `${name}.png`) });
};

// A change that is not published, so that the pictures show one.
await control('PATCH', `/apis/${gates}/operations`, { ids: ['GET /sections/{section}/flow'], access: { kind: 'public' } });
await shot('overlook', '/');
await shot('api', `/apis/${gates}`);
await shot('operation', `/apis/${meters}/operations/${encodeURIComponent('GET /basin-volumes')}`);
// Some calls, so that its limits show what is used.
for (let index = 0; index < 4; index++) await fetch(`${facts.gatewayUrl}/readings/basin-volumes`, { headers: { 'x-basin-key': facts.keys[0].key } });
await shot('client', '/clients/open-data-site', async () => {
  await page.getByRole('table', { name: 'What it opens' }).waitFor();
});
await shot('clients', '/clients');
await shot('plans', '/plans');
await shot('provider', `/providers/${providers[0].id}`);
await shot('trace', `/traces/${traces[0].id}`);
await shot('reach', '/reach', async () => {
  const chart = page.locator('svg.reach');
  await chart.waitFor();
  await chart.focus();
  for (let row = 0; row < 3; row++) await page.keyboard.press('ArrowDown');
  for (let column = 0; column < 3; column++) await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Enter');
  await page.getByText('What it is let in by').waitFor();
});
await shot('trials', '/trials', async () => {
  await page.getByText(/trials of/).waitFor();
});
await shot('probe', `/apis/${gates}`, async () => {
  await page.getByRole('listitem').filter({ hasText: 'POST/gates/{gateId}/positions' }).getByRole('button', { name: 'probe' }).click();
  await page.getByLabel('Path and query').fill('/headgates/gates/G-12/positions');
  await page.getByLabel('Body').fill('{ "opening": 35, "reason": "evening turn" }');
  await page.getByLabel('Who sends it').selectOption({ label: 'Open data job' });
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await page.getByRole('button', { name: /lacks the scope/ }).waitFor();
});
const personas = (await control('GET', '/personas')).items;
const persona = (name) => personas.find((item) => item.name.startsWith(name)).id;
const { accessToken } = await control('POST', `/personas/${persona('Open data')}/token`);
const readToken = async () => {
  await page.getByLabel(/paste anything/).fill(accessToken);
  await page.getByLabel('API or provider').selectOption({ label: 'Headgates' });
  await page.getByRole('combobox', { name: 'Operation' }).selectOption('POST /gates/{gateId}/positions');
  await page.getByRole('button', { name: 'Verify', exact: true }).click();
  await page.getByText('The gateway answers 403.').waitFor();
};
await shot('authorizer', '/authorizers/named/own%20section', async () => {
  await page.getByText('all hold').waitFor();
});
await shot('bench', '/bench', readToken);
await shot('condition', `/apis/${gates}/operations/${encodeURIComponent('POST /gates/{gateId}/positions')}`, async () => {
  await page.getByRole('button', { name: 'on what conditions' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('checkbox', { name: /as the API says/ }).uncheck();
  await dialog.getByRole('button', { name: 'write a condition' }).click();
  await dialog.getByLabel('Name').last().fill('own tablet');
  await dialog.getByLabel('Condition own tablet').click();
  await page.keyboard.type('"rider" in principal.roles && client.id == "rider-tablet" && request.parameters.gateId.startsWith("G-")');
  await page.keyboard.press('Escape');
  await dialog.getByRole('button', { name: 'take them from the last request that came' }).click();
  await page.waitForTimeout(800);
});
await shot('contract', '/contract', async () => {
  await page.getByRole('link', { name: /no member “keeper”/ }).click();
  await page.getByRole('button', { name: 'Let the contract accept this' }).click();
  await page.getByText('The contract then names the member keeper').waitFor();
  await page.waitForTimeout(600);
});
await shot('inventory', '/inventory', async () => {
  await page.getByRole('link', { name: /GET \/v0\/export/ }).waitFor();
});
await shot('sensitive', '/sensitive', async () => {
  await page.getByRole('link', { name: /E-mail address, GET \/v0\/export/ }).click();
  await page.getByText('Who received it').waitFor();
});
// The portal, as somebody of a team sees it.
const account = facts.portalAccounts.find(({ team }) => team === 'Open data site');
await page.goto(`${facts.portalUrl}/sign-in`);
await page.getByLabel('Name').fill(account.name);
await page.getByLabel('Password').fill(account.password);
await page.getByRole('button', { name: 'Sign in', exact: true }).click();
await page.getByText('sign out').waitFor();
const portalShot = async (name) => {
  await page.mouse.move(0, 0);
  await page.waitForTimeout(900);
  await page.screenshot({ path: join(out, `${name}.png`) });
};
await page.getByRole('link', { name: 'Meter readings' }).waitFor();
await portalShot('portal');
await page.goto(`${facts.portalUrl}/apis/${meters}?of=${encodeURIComponent('GET /basin-volumes')}`);
await page.getByLabel('Your key').fill(facts.keys[0].key);
await page.getByRole('button', { name: 'Call it' }).click();
await page.locator('[data-answer]').waitFor();
await portalShot('portal-reference');
await browser.close();
demo.kill('SIGINT');
await new Promise((resolve) => demo.once('exit', resolve));
console.log(`pictures in ${out}`);
