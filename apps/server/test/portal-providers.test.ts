import type { InvitationMade, OwnClient, OwnSecretMade, OwnToken, PortalTeam } from '@virga/protocol';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { publishGates, RunningServer, signInAt, startStandins, type Standins } from './harness.js';
import { PortalBrowser } from './portal-browser.js';

const PASSWORD = 'a long enough password';

let server: RunningServer;
let standins: Standins;
let gates: string;
let providerId: string;

const control = <T = Record<string, never>>(method: string, path: string, body?: unknown) => server.ok<T>(method, `/portal${path}`, body);
const open = (change: object = {}) =>
  control('PATCH', '/settings', {
    providers: [
      { providerId, label: 'Sign in', clientId: 'water-portal', secret: 'portal-demo-secret', scopes: [], signIn: true, registration: true, ...change },
    ],
  });

/** Goes to the provider's page and comes back to the portal. @returns the page that the portal shows */
async function signInBy(
  browser: PortalBrowser,
  name: string,
  invitation?: string,
  back = browser,
): Promise<{ status: number; text: string; callback: string }> {
  const { goTo } = await browser.ok<{ goTo: string }>('POST', '/sign-in', { providerId, ...(invitation === undefined ? {} : { invitation }) });
  const asked = new URL(goTo).searchParams;
  expect(asked.get('code_challenge_method')).toBe('S256');
  const callback = (await signInAt(goTo, name)).replace(`${server.portalUrl}/portal/v1`, '');
  const { status, text } = await back.call('GET', callback, undefined, { origin: '' });
  return { status, text, callback };
}

async function somebodyOf(name: string): Promise<{ browser: PortalBrowser; teamId: string; clientId: string }> {
  const { id } = await control<PortalTeam>('POST', '/teams', { name });
  const { link } = await control<InvitationMade>('POST', `/teams/${id}/invitations`, { role: 'owner' });
  const browser = new PortalBrowser(server);
  await browser.accept(link, `${name}.owner`, PASSWORD);
  const client = await browser.ok<OwnClient>('POST', `/teams/${id}/clients`, { name: 'App' });
  return { browser, teamId: id, clientId: client.id };
}

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(mkdtempSync(join(tmpdir(), 'virga-standins-')), server.url);
  ({ apiId: gates, providerId } = await publishGates(server, standins));
  await control('PUT', `/apis/${gates}`, { seen: 'signed-in', teams: [] });
});
afterAll(async () => {
  await standins.stop();
  await server.stop();
});

test('signing in at a provider: nobody uninvited, then by invitation; known again by issuer and subject', async () => {
  await open({ signIn: false });
  expect((await new PortalBrowser(server).call('POST', '/sign-in', { providerId })).status).toBe(422);
  await open();
  const uninvited = await signInBy(new PortalBrowser(server), 'grower.217');
  expect(uninvited.status).toBe(403);
  const { id } = await control<PortalTeam>('POST', '/teams', { name: 'Growers' });
  const { link } = await control<InvitationMade>('POST', `/teams/${id}/invitations`, { role: 'owner' });
  const browser = new PortalBrowser(server);
  const { status, text, callback } = await signInBy(browser, 'grower.217', link.split('#')[1]);
  expect([status, text.includes('You are signed in')]).toEqual([200, true]);
  const { session } = await browser.site();
  expect(session).toMatchObject({ hasPassword: false, state: 'active', teams: [{ name: 'Growers', role: 'owner' }] });
  // The same answer of the provider is good once, the invitation too.
  expect((await browser.call('GET', callback)).status).toBe(422);
  const again = new PortalBrowser(server);
  expect((await signInBy(again, 'grower.217')).status).toBe(200);
  expect((await again.site()).session?.accountId).toBe(session?.accountId);
  const other = new PortalBrowser(server);
  expect((await other.call('POST', '/sign-in', { providerId, invitation: link.split('#')[1] })).status).toBe(410);
});

test('a sign-in that was begun in one browser cannot be ended in another (RFC 9700 section 4.7), nor with a made-up answer', async () => {
  await open();
  const { id } = await control<PortalTeam>('POST', '/teams', { name: 'Stolen' });
  const { link } = await control<InvitationMade>('POST', `/teams/${id}/invitations`, { role: 'owner' });
  const victim = new PortalBrowser(server);
  const { status } = await signInBy(new PortalBrowser(server), 'rider.north', link.split('#')[1], victim);
  expect(status).toBe(422);
  expect((await victim.site()).session).toBeNull();
  const browser = new PortalBrowser(server);
  const { goTo } = await browser.ok<{ goTo: string }>('POST', '/sign-in', { providerId });
  const state = new URL(goTo).searchParams.get('state') ?? '';
  for (const query of [`state=${state}&code=made-up`, `state=${state}`, 'code=x', '', `state=${state}&error=access_denied`])
    expect((await browser.call('GET', `/sign-in/callback?${query}`)).status).toBeGreaterThanOrEqual(400);
  expect((await browser.site()).session).toBeNull();
});

test('an account that is switched off does not come in by its provider either', async () => {
  await open();
  await control('PATCH', '/settings', { registration: 'by-itself' });
  const browser = new PortalBrowser(server);
  expect((await signInBy(browser, 'auditor')).status).toBe(200);
  const { session } = await browser.site();
  await control('PATCH', '/settings', { registration: 'closed' });
  await control('PATCH', `/accounts/${session?.accountId ?? ''}`, { state: 'off' });
  expect((await browser.site()).session).toBeNull();
  expect((await signInBy(new PortalBrowser(server), 'auditor')).status).toBe(403);
});

test('a provider that is closed to the portal ends the sessions that it vouched for, at once, and no others', async () => {
  await open();
  await control('PATCH', '/settings', { registration: 'by-itself' });
  const browser = new PortalBrowser(server);
  expect((await signInBy(browser, 'rider.north')).status).toBe(200);
  await control('PATCH', '/settings', { registration: 'closed' });
  const { browser: withPassword } = await somebodyOf('passwords');
  const seen = async () => [(await browser.site()).session?.accountId ?? null, (await withPassword.site()).session?.accountId ?? null];
  const [account, other] = await seen();
  expect([account, other]).toEqual([expect.any(String), expect.any(String)]);
  await open({ signIn: false });
  expect(await seen()).toEqual([null, other]);
  expect((await browser.call('GET', '/teams/any')).status).toBe(401);
  // Open again, it is the same person; taken out, closed with it.
  await open();
  expect(await seen()).toEqual([account, other]);
  await control('PATCH', '/settings', { providers: [] });
  expect(await seen()).toEqual([null, other]);
});

test('a token as a program and as somebody who signs in, for an API that is seen; it is nobody else’s', async () => {
  await open();
  const { browser } = await somebodyOf('tokens');
  const { browser: other } = await somebodyOf('others');
  const input = { providerId, clientId: 'workshop', clientSecret: 'workshop-demo-secret', scopes: ['gates:read'], apiId: gates };
  const got = await browser.ok<OwnToken>('POST', '/tokens', { ...input, grant: 'client_credentials' });
  expect(got).toMatchObject({ state: 'done', goTo: null });
  const call = (token: string) =>
    browser.ok<{ status: number }>('POST', '/attempts', {
      apiId: gates,
      method: 'GET',
      target: '/gates/gates',
      headers: [{ name: 'authorization', value: `Bearer ${token}` }],
    });
  expect((await call(got.accessToken ?? '')).status).toBe(200);
  expect((await call('x')).status).toBe(401);
  const begun = await browser.ok<OwnToken>('POST', '/tokens', { ...input, grant: 'authorization_code' });
  const back = (await signInAt(begun.goTo ?? '', 'rider.north')).replace(`${server.portalUrl}/portal/v1`, '');
  // The console's own page for such answers does not take it.
  expect((await server.call('GET', `/control/v1/bench/callback?${back.split('?')[1] ?? ''}`)).text).toContain('not known');
  expect((await new PortalBrowser(server).call('GET', back)).text).toContain('The provider gave a token');
  expect((await other.call('GET', `/tokens/${begun.id}`)).status).toBe(404);
  expect((await server.call('GET', `/control/v1/bench/grants/${begun.id}`)).status).toBe(404);
  const taken = await browser.ok<OwnToken>('GET', `/tokens/${begun.id}`);
  expect((await call(taken.accessToken ?? '')).status).toBe(200);
  expect(JSON.stringify(taken)).not.toMatch(/refreshToken|idToken|exchanges/);
  // Nobody's grants push those of somebody else out.
  const waiting = await browser.ok<OwnToken>('POST', '/tokens', { ...input, grant: 'authorization_code' });
  const theirs: string[] = [];
  for (let turn = 0; turn < 7; turn++) theirs.push((await other.ok<OwnToken>('POST', '/tokens', { ...input, grant: 'authorization_code' })).id);
  expect(await browser.ok<OwnToken>('GET', `/tokens/${waiting.id}`)).toMatchObject({ state: 'waiting' });
  const statuses = await Promise.all(theirs.map(async (id) => (await other.call('GET', `/tokens/${id}`)).status));
  expect(statuses).toEqual([404, 404, 200, 200, 200, 200, 200]);
  // Wrong secrets are told in the provider's own words; a provider that is not open is none.
  expect(await browser.ok<OwnToken>('POST', '/tokens', { ...input, clientSecret: 'wrong', grant: 'client_credentials' })).toMatchObject({
    state: 'failed',
    accessToken: null,
  });
  await control('PATCH', '/settings', { providers: [] });
  expect((await browser.call('POST', '/tokens', { ...input, grant: 'client_credentials' })).status).toBe(422);
});

test('a program is registered at a provider whose registration is open, and its redirect addresses are changed there (RFC 7591, RFC 7592)', async () => {
  await open({ registration: false });
  const { browser, teamId, clientId } = await somebodyOf('registered');
  const { browser: thief, teamId: thiefs } = await somebodyOf('registrars');
  const base = `/teams/${teamId}/clients/${clientId}`;
  const register = (redirectUris: string[]) => browser.call<OwnSecretMade>('POST', `${base}/registrations`, { providerId, redirectUris });
  expect((await register(['https://app.example/back'])).status).toBe(422);
  await open();
  for (const wrong of ['javascript:alert(1)', 'http://app.example/', 'https://app.example/#x', 'app', 'https://user:x@app.example/'])
    expect([wrong, (await register([wrong])).status]).toEqual([wrong, 422]);
  const { status, body: made } = await register(['https://app.example/back']);
  expect(status).toBe(201);
  const credential = made.client.credentials.find(({ id }) => id === made.credentialId);
  expect(credential).toMatchObject({ kind: 'provider-client', redirectUris: ['https://app.example/back'] });
  expect(made.secret).toBeTruthy();
  const changed = await browser.ok<OwnClient>('PUT', `${base}/credentials/${made.credentialId}/redirects`, {
    redirectUris: ['https://app.example/back', 'https://app.example/other'],
  });
  expect(changed.credentials[0]?.redirectUris).toHaveLength(2);
  // The provider sends browsers there now, and nowhere else.
  const authorize = (redirect: string) => {
    const query = {
      client_id: credential?.hint.split(' of ')[0] ?? '',
      response_type: 'code',
      scope: 'openid',
      redirect_uri: redirect,
      state: 's',
      code_challenge: 'x'.repeat(43),
      code_challenge_method: 'S256',
    };
    return fetch(`${standins.issuer}/auth?${new URLSearchParams(query).toString()}`, { redirect: 'manual' });
  };
  expect((await authorize('https://app.example/other')).status).toBe(303);
  expect((await authorize('https://evil.example/')).status).toBe(400);
  expect(
    (await thief.call('PUT', `/teams/${thiefs}/clients/${clientId}/credentials/${made.credentialId}/redirects`, { redirectUris: ['https://evil.example/'] }))
      .status,
  ).toBe(404);
  await browser.ok('DELETE', `${base}/credentials/${made.credentialId}`);
  expect((await browser.call('PUT', `${base}/credentials/${made.credentialId}/redirects`, { redirectUris: ['https://app.example/'] })).status).toBe(409);
});
