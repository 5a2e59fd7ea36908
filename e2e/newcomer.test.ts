import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect, signIn, test } from './demo';

const DESCRIPTION = `openapi: 3.1.0
info: { title: Orchards, version: '0.9' }
paths:
  /trees: { get: { summary: All trees } }
  /trees/{treeId}: { delete: { summary: Fell a tree } }
`;
const RESOURCE = 'https://orchards.example';
// The second walk goes on where the first one ended.
test.describe.configure({ mode: 'serial' });
let upstream: Server;
let upstreamUrl: string;

test.beforeAll(async () => {
  upstream = createServer((_req, res) => res.end(JSON.stringify({ trees: ['apple'] })));
  await new Promise<void>((resolve) => upstream.listen(0, '127.0.0.1', resolve));
  upstreamUrl = `http://127.0.0.1:${(upstream.address() as AddressInfo).port}`;
});
test.afterAll(() => upstream.close());

test('an API of one’s own: bring in, trust, require a scope, publish, call, read why', async ({ page, empty, demo }) => {
  test.setTimeout(180_000);
  await signIn(page, empty.consoleUrl, empty.password);
  await expect(page.getByText('Nothing flows yet')).toBeVisible();

  // Bring in, from pasted text; wrong input first.
  await page.getByRole('link', { name: 'Bring an API in' }).click();
  const editor = page.getByRole('textbox', { name: 'Description' });
  await editor.click();
  await page.keyboard.insertText('hello: world');
  await page.getByRole('button', { name: 'Read it' }).click();
  await expect(page.getByText('This description cannot be used.')).toBeVisible();
  await editor.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText(DESCRIPTION);
  await page.getByRole('button', { name: 'Read it' }).click();
  await expect(page.getByRole('status')).toContainText('2 operations');
  await page.getByLabel('Upstream address').fill('not an address');
  await page.getByRole('button', { name: 'Bring it in' }).click();
  await expect(page.getByText('An upstream is an http or https address')).toBeVisible();
  await page.getByLabel('Upstream address').fill(upstreamUrl);
  await page.getByRole('button', { name: 'Bring it in' }).click();
  await expect(page.getByRole('heading', { name: 'Orchards' })).toBeVisible();
  await expect(page.getByText('anyone, nobody has decided')).toHaveCount(2);

  // Trust the stand-in by its issuer.
  await page.getByRole('link', { name: /Providers/ }).click();
  await page.getByRole('link', { name: 'Trust a provider' }).click();
  const issuer = demo.standins[0]?.issuer ?? '';
  await page.getByLabel('Issuer').fill(`${issuer}/`);
  await page.getByLabel('this provider runs on this machine').check();
  await page.getByRole('button', { name: 'Ask the provider' }).click();
  await expect(page.getByText('they differ only in a slash at the end')).toBeVisible();
  await page.getByLabel('Issuer').fill(issuer);
  await page.getByRole('button', { name: 'Ask the provider' }).click();
  await expect(page.getByText('basin-1')).toBeVisible();
  await page.getByLabel('Name').fill('Stand-in');
  await page.getByRole('button', { name: 'Trust it in the draft' }).click();
  await expect(page.getByRole('heading', { name: 'Stand-in' })).toBeVisible();

  // Name the resource, bind a scheme, require a scope on one operation.
  // The list of providers that the page held is older than the provider, and the new one comes late.
  await page.route(/\/providers$/, async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 500));
    await route.continue();
  });
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Orchards', exact: true }).click();
  await page.getByRole('link', { name: 'Scopes and audience' }).click();
  await page.getByLabel('Identifier').fill(RESOURCE);
  await page.getByLabel('Audiences: one of these must be in aud').fill(RESOURCE);
  await page.getByRole('button', { name: 'a bearer token' }).click();
  await expect(page.getByRole('checkbox', { name: 'tokens of Stand-in' })).toBeChecked();
  await page.unroute(/\/providers$/);
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  await page.getByRole('link', { name: 'Operations' }).click();
  await page.getByRole('checkbox', { name: 'Select GET /trees' }).check();
  await page.getByRole('button', { name: 'who may call', exact: true }).click();
  await page.getByLabel('whoever proves who calls').check();
  await page.getByLabel('Add a scope').fill('trees:read');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText('scope trees:read')).toBeVisible();

  // Publish.
  await page.getByRole('button', { name: 'Publish' }).click();
  await page.getByLabel('Note, kept with the release').fill('first');
  await page.getByRole('dialog').getByRole('button', { name: 'Publish' }).click();
  await expect(page.getByText(/Release 1 is live on 1 node after/)).toBeVisible();
  await expect(page.getByText('nothing unpublished')).toBeVisible();

  // Call with no proof, tampered, without the scope, and well; from outside and from the probe.
  const token = async (scope: string): Promise<string> => {
    const answer = await fetch(`${issuer}/token`, {
      method: 'POST',
      headers: {
        authorization: `Basic ${Buffer.from('workshop:workshop-demo-secret').toString('base64')}`,
        'content-type': 'application/x-www-form-urlencoded',
      },
      body: new URLSearchParams({ grant_type: 'client_credentials', scope, resource: RESOURCE }),
    });
    return ((await answer.json()) as { access_token: string }).access_token;
  };
  const gateway = `http://127.0.0.1:${Number(new URL(empty.consoleUrl).port) + 1}`;
  const good = await token('trees:read');
  const call = async (value?: string): Promise<number> =>
    (await fetch(`${gateway}/orchards/trees`, value ? { headers: { authorization: `Bearer ${value}` } } : {})).status;
  expect([await call(), await call(`${good.slice(0, -8)}AAAAAAAA`), await call(await token('other')), await call(good)]).toEqual([401, 401, 403, 200]);

  await page.getByRole('button', { name: 'probe', exact: true }).first().click();
  await page.getByLabel('live gateway').check();
  await page.getByLabel('Who sends it').selectOption('token');
  await page.getByLabel(/^Token, sent behind/).fill(good);
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText('Passed', { exact: true })).toBeVisible();
  await expect(page.locator('pre').filter({ hasText: '"apple"' })).toBeVisible();

  // Read why in the traces.
  await page.keyboard.press('Escape');
  await page.getByRole('link', { name: 'Traces' }).click();
  await page.getByRole('listitem').filter({ hasText: 'lacks the scope' }).first().click();
  await expect(page.getByRole('heading', { name: 'Why it stopped at Rights' })).toBeVisible();
  await expect(page.getByText('What to do.')).toBeVisible();
  await expect(page.getByText('The caller was told 403')).toBeVisible();

  // What is open is pointed at.
  await page.getByRole('link', { name: 'Overlook' }).click();
  await expect(page.getByText('DELETE /trees/{treeId} is open to anyone')).toBeVisible();
});

test('two more providers with tokens of other shapes, without looking an address up', async ({ page, empty, demo }) => {
  test.setTimeout(180_000);
  const [trust, , , registry, dunlin] = demo.standins;
  await signIn(page, empty.consoleUrl, empty.password);
  const begin = async (issuer: string): Promise<void> => {
    await page.getByRole('link', { name: /^Providers/ }).click();
    await page.getByRole('link', { name: 'Trust a provider' }).click();
    await page.getByLabel('Issuer').fill(issuer);
    await page.getByLabel('this provider runs on this machine').check();
  };

  // ES256, scopes as an array: its claim map says where they are, and a sample shows what comes of it.
  await begin(registry?.issuer ?? '');
  await page.getByRole('button', { name: 'Ask the provider' }).click();
  await expect(page.getByText('registry-1')).toBeVisible();
  await page.getByLabel('Name').fill('Registry');
  await page.getByRole('button', { name: 'Trust it in the draft' }).click();
  await expect(page.getByRole('heading', { name: 'Registry' })).toBeVisible();
  await page.getByLabel('Scopes comes from').fill('scp');
  await page.getByLabel('A sample').fill('{ "sub": "s", "scp": ["trees:read"] }');
  await expect(page.getByLabel('Principal').getByText('trees:read')).toBeVisible();
  // While it is being set its button is called otherwise, and the last of this name is another one.
  const set = page.getByRole('button', { name: 'Set in the draft' });
  const own = set.nth((await set.count()) - 1);
  await own.click();
  await expect(own).toBeDisabled();

  // Opaque tokens: a wrong secret is not found out before tokens come, so it is set wrong first.
  await begin(dunlin?.issuer ?? '');
  await page.getByLabel('How its tokens are proved').selectOption('introspection');
  await page.getByRole('button', { name: 'Ask the provider' }).click();
  await expect(page.getByLabel('Address of the endpoint')).toHaveValue(`${dunlin?.issuer}/token/introspection`);
  await page.getByLabel('Name', { exact: true }).fill('Contractor');
  await page.getByRole('button', { name: 'Trust it in the draft' }).click();
  await expect(page.getByText('The gateway needs a', { exact: false }).first()).toBeVisible();
  await page.getByLabel('Client id of the gateway there').fill('virga-gateway');
  await page.getByLabel('Client secret').fill('not the secret');
  await page.getByRole('button', { name: 'Trust it in the draft' }).click();
  await expect(page.getByRole('heading', { name: 'Contractor' })).toBeVisible();

  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Orchards', exact: true }).click();
  await page.getByRole('link', { name: 'Scopes and audience' }).click();
  await page.getByLabel('tokens of Registry').check();
  await page.getByLabel('tokens of Contractor').check();
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  const publish = async (): Promise<void> => {
    await page.getByRole('button', { name: 'Publish' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Publish' }).click();
    await expect(page.getByText('nothing unpublished')).toBeVisible();
  };
  await publish();

  const gateway = `http://127.0.0.1:${Number(new URL(empty.consoleUrl).port) + 1}`;
  const call = async (issuer: string, client: string): Promise<number> => {
    const answer = await fetch(`${issuer}/token`, {
      method: 'POST',
      headers: { authorization: `Basic ${Buffer.from(client).toString('base64')}`, 'content-type': 'application/x-www-form-urlencoded' },
      body: new URLSearchParams({ grant_type: 'client_credentials', scope: 'trees:read', resource: RESOURCE }),
    });
    const { access_token: token } = (await answer.json()) as { access_token: string };
    return (await fetch(`${gateway}/orchards/trees`, { headers: { authorization: `Bearer ${token}` } })).status;
  };
  const ofTrust = () => call(trust?.issuer ?? '', 'workshop:workshop-demo-secret');
  const ofRegistry = () => call(registry?.issuer ?? '', 'registry-sync:registry-demo-secret');
  const ofContractor = () => call(dunlin?.issuer ?? '', 'inspection-kit:inspection-demo-secret');
  expect([await ofTrust(), await ofRegistry(), await ofContractor()]).toEqual([200, 200, 503]);

  // The provider's screen says why; set right and published, its tokens pass.
  await page.getByRole('link', { name: /^Providers/ }).click();
  await page.getByRole('row', { name: /Contractor/ }).click();
  await expect(page.getByText(/answered 401, invalid_client/)).toBeVisible();
  await page.getByLabel('Client secret').fill('gateway-demo-secret');
  await page.getByRole('button', { name: 'Set in the draft' }).first().click();
  await expect(page.getByText('changed, not published')).toBeVisible();
  await publish();
  expect([await ofTrust(), await ofRegistry(), await ofContractor()]).toEqual([200, 200, 200]);
});

test('an open operation is guarded by a key without breaking a call: observe, count, then enforce', async ({ page, empty }) => {
  test.setTimeout(180_000);
  const gateway = `http://127.0.0.1:${Number(new URL(empty.consoleUrl).port) + 1}`;
  const fell = async (key?: string): Promise<number> =>
    (await fetch(`${gateway}/orchards/trees/7`, { method: 'DELETE', headers: key === undefined ? {} : { 'x-api-key': key } })).status;
  await signIn(page, empty.consoleUrl, empty.password);
  expect(await fell()).toBe(200);
  const publish = async (): Promise<void> => {
    await page.getByRole('button', { name: 'Publish' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Publish' }).click();
    await expect(page.getByText('nothing unpublished')).toBeVisible();
  };

  // A scheme for keys, then who may call, then observe, all from the page of the operation.
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Orchards', exact: true }).click();
  await page.getByRole('link', { name: 'Scopes and audience' }).click();
  await page.getByRole('button', { name: 'an API key' }).click();
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  await page.getByRole('link', { name: 'Operations' }).click();
  await page.getByRole('link', { name: /DELETE \/trees\/\{treeId\}/ }).click({ position: { x: 60, y: 12 } });
  await expect(page.getByRole('table', { name: /Checks of this operation/ })).toContainText('Nothing: anyone, nobody has decided');
  await page.getByRole('button', { name: 'who may call', exact: true }).click();
  await page.getByLabel('whoever proves who calls').check();
  await page.getByLabel('Security scheme').selectOption('key');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('table', { name: /Checks of this operation/ })).toContainText('A key of a client that is on, in the header x-api-key');
  await page.getByRole('button', { name: 'what refuses, and what only observes' }).click();
  await page.getByLabel(/every check only observes/).check();
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('button', { name: 'observes', exact: true })).toHaveCount(3);
  await publish();

  // Nothing breaks, and what enforcing would refuse is counted before the switch, with its traces.
  expect(await Promise.all([fell(), fell(), fell('a-guess')])).toEqual([200, 200, 200]);
  await expect(page.getByRole('link', { name: '3 would have been refused' })).toBeVisible({ timeout: 20_000 });
  await page.getByRole('link', { name: '3 would have been refused' }).click();
  await expect(page.getByRole('listitem')).toHaveCount(3);
  await page.getByRole('listitem').filter({ hasText: 'belongs to no client' }).getByRole('link').first().click();
  await expect(page.getByRole('heading', { name: 'Why it would have stopped at API key' })).toBeVisible();
  await expect(page.getByText('Enforcing, the caller would have been told 401')).toBeVisible();
  await page.getByRole('link', { name: 'Overlook' }).click();
  await expect(page.getByText('DELETE /trees/{treeId} only observes')).toBeVisible();
  await expect(page.getByText('Enforcing would have refused 3 of', { exact: false })).toBeVisible();

  // A client gets a key, which works at once; then the checks refuse.
  await page.getByRole('link', { name: /^Clients/ }).click();
  await expect(page.getByText('No client yet')).toBeVisible();
  await page.getByRole('button', { name: 'Add a client' }).click();
  await page.getByRole('button', { name: 'Add it' }).click();
  await expect(page.getByText('A client needs a name')).toBeVisible();
  await page.getByLabel('Name', { exact: true }).fill('Forester');
  await page.getByRole('button', { name: 'Add it' }).click();
  await page.getByRole('button', { name: 'Give it a proof' }).click();
  await page.getByLabel('What you call it').fill('saw');
  await page.getByRole('button', { name: 'Give it, at once' }).click();
  const key = (await page.locator('[data-secret]').textContent())?.trim() ?? '';
  expect(key).toMatch(/^vrk_/);
  await page.getByRole('button', { name: 'I have put it away' }).click();
  await expect(page.getByText(key)).toHaveCount(0);
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Orchards', exact: true }).click();
  await page.getByRole('checkbox', { name: 'Select DELETE /trees/{treeId}' }).check();
  await page.getByRole('button', { name: 'modes', exact: true }).last().click();
  await expect(page.getByRole('link', { name: '3 would have been refused' })).toBeVisible();
  await page.getByLabel('as the API says').check();
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await publish();
  expect([await fell(), await fell('a-guess'), await fell(key)]).toEqual([401, 401, 200]);

  // Revoked, it is over at once; the trace says whose it was.
  await page.getByRole('link', { name: /^Clients/ }).click();
  await page.getByRole('listitem').filter({ hasText: 'Forester' }).getByRole('link').click();
  await page.getByRole('button', { name: 'revoke' }).click();
  await page.getByRole('button', { name: 'Revoke at once' }).click();
  await expect(page.getByRole('button', { name: 'revoke' })).toHaveCount(0);
  await expect.poll(() => fell(key), { timeout: 3000 }).toBe(401);
  await page.getByRole('link', { name: 'Traces', exact: true }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'The key “saw” of Forester was revoked' })).toBeVisible();
});
