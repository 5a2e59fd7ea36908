import type { Page } from '@playwright/test';
import { expect, test, type DemoFacts } from './demo';

interface Listed {
  readonly items: readonly { readonly id: string; readonly name: string }[];
}

const control = async <T>(demo: DemoFacts, method: string, path: string, body?: object): Promise<T> => {
  const answer = await fetch(demo.controlUrl + path, {
    method,
    headers: { authorization: `Bearer ${demo.controlToken}`, 'content-type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  expect(answer.status).toBeLessThan(300);
  const text = await answer.text();
  return (text === '' ? {} : JSON.parse(text)) as T;
};
const idOf = async (demo: DemoFacts, kind: string, name: string): Promise<string> =>
  (await control<Listed>(demo, 'GET', `/${kind}`)).items.find((item) => item.name === name)?.id ?? '';
const open = async (page: Page, path: string): Promise<void> => {
  await page.goto(new URL(page.url()).origin + path);
  await expect(page.locator('h1').first()).toBeVisible();
};

test.afterEach(async ({ demo }) => {
  await control(demo, 'POST', '/draft/discard');
});

test('headers on the way up are changed, and the edit is taken back where all edits stand', async ({ console: page, demo }) => {
  await open(page, `/apis/${await idOf(demo, 'apis', 'Headgates')}/bodies`);
  await page.getByRole('button', { name: 'change a header on the way up' }).click();
  const name = page.getByLabel('Headers on the way up: name').last();
  await name.fill('not a name');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText('Not a header name')).toBeVisible();
  await name.fill('X-Reviewed-By');
  await page.getByLabel('Headers on the way up: text').last().fill('the gateway');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();

  await page.getByRole('link', { name: 'Releases', exact: true }).click();
  const newest = page
    .getByRole('table', { name: /^Edits, newest first/ })
    .getByRole('row')
    .first();
  await expect(newest).toContainText('Headgates: headers changed');
  await expect(newest).toContainText(`by ${demo.operator.name}`);
  await newest.getByRole('button', { name: /Take back edit/ }).click();
  await expect(newest).toContainText('Took back edit');
  await expect(page.getByText('nothing unpublished')).toBeVisible();
  const { headers } = await control<{ headers: { up: object[] } }>(demo, 'GET', `/apis/${await idOf(demo, 'apis', 'Headgates')}`);
  expect(headers.up).toEqual([]);
});

test('an upstream is told from where a request came in the fields that are chosen for it', async ({ console: page, demo }) => {
  const id = await idOf(demo, 'apis', 'Headgates');
  await open(page, `/apis/${id}/upstream`);
  const fields = page.getByLabel('Fields that tell the upstream from where a request came');
  await expect(fields).toHaveValue('x-forwarded');
  await fields.selectOption('Forwarded (RFC 7239)');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  expect((await control<{ upstream: object }>(demo, 'GET', `/apis/${id}`)).upstream).toMatchObject({ callerFields: 'forwarded' });
  await page.reload();
  await expect(fields).toHaveValue('forwarded');
});

test('who edits what somebody else has changed meanwhile is told so, and loses nothing of either', async ({ console: page, demo }) => {
  const id = await idOf(demo, 'apis', 'Headgates');
  await open(page, `/apis/${id}/bodies`);
  await page.getByLabel(/take away what the upstream says of its platform/).check();
  const { upstream } = await control<{ upstream: object }>(demo, 'GET', `/apis/${id}`);
  await control(demo, 'PATCH', `/apis/${id}`, { upstream: { ...upstream, responseTimeoutMs: 7000 } });
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('button', { name: 'set mine over it' })).toBeVisible();
  await expect(page.getByLabel(/take away what the upstream says of its platform/)).toBeChecked();
  await page.getByRole('button', { name: 'set mine over it' }).click();
  await expect(page.getByRole('button', { name: 'set mine over it' })).toBeHidden();
  const kept = await control<{ upstream: object; headers: { hidePlatform: boolean } }>(demo, 'GET', `/apis/${id}`);
  expect([kept.headers.hidePlatform, kept.upstream]).toEqual([true, { ...upstream, responseTimeoutMs: 7000 }]);
});

test('a dialog that began before somebody else changed the API says what differs, and sets nothing until it is told to', async ({ console: page, demo }) => {
  const id = await idOf(demo, 'apis', 'Headgates');
  await open(page, `/apis/${id}`);
  await page.getByRole('button', { name: 'modes' }).first().click();
  await page.getByLabel(/every check only observes/).check();
  await control(demo, 'PATCH', `/apis/${id}`, { version: '9.9' });
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('alert')).toContainText('is now "9.9"');
  const modes = async () => (await control<{ modes: { all: string } }>(demo, 'GET', `/apis/${id}`)).modes.all;
  expect(await modes()).toBe('enforce');
  await expect(dialog.getByRole('button', { name: 'set mine over it' })).toBeInViewport();
  await dialog.getByRole('button', { name: 'set mine over it' }).click();
  await expect(dialog).toBeHidden();
  const { version } = await control<{ version: string }>(demo, 'GET', `/apis/${id}`);
  expect([await modes(), version]).toEqual(['observe', '9.9']);
});

test('the bench holds a token and a key against an operation that asks for both', async ({ console: page, demo }) => {
  const id = await idOf(demo, 'apis', 'Meter readings');
  const { schemes } = await control<{ schemes: { name: string; type: string }[] }>(demo, 'GET', `/apis/${id}`);
  const tokens = schemes.find(({ type }) => !['apiKey', 'http-basic', 'mutualTLS'].includes(type))?.name ?? '';
  const needs = (scheme: string) => ({ scheme, scopes: [], match: 'all', roles: [] });
  await control(demo, 'PATCH', `/apis/${id}/operations`, {
    ids: ['GET /basin-volumes'],
    access: { kind: 'required', alternatives: [{ schemes: [needs('openData'), needs(tokens)] }] },
    modes: { all: 'enforce', checks: {} },
  });
  const persona = await idOf(demo, 'personas', 'Open data job');
  const { accessToken } = await control<{ accessToken: string }>(demo, 'POST', `/personas/${persona}/token`);
  await open(page, '/bench');
  await page.getByLabel(/paste anything/).fill(accessToken);
  await page.getByLabel('API or provider').selectOption({ label: 'Meter readings' });
  await page.getByRole('combobox', { name: 'Operation' }).selectOption('GET /basin-volumes');
  await page.getByRole('button', { name: 'Verify', exact: true }).click();
  const row = page.getByRole('list', { name: 'Checks' }).getByRole('listitem').filter({ hasText: 'API key' });
  await expect(row).toBeVisible();
  await page.getByLabel('API key that goes along').fill('vrk_nobody');
  await page.getByRole('button', { name: 'Verify', exact: true }).click();
  await expect(row).toContainText('belongs to no client');
  await page.getByLabel('API key that goes along').fill(demo.made.openDataKey);
  await page.getByRole('button', { name: 'Verify', exact: true }).click();
  await expect(row).toContainText('Open data site');
});
