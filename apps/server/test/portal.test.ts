import type {
  AttemptAnswer,
  InvitationMade,
  LookLink,
  OfferedApis,
  OfferedApiView,
  OfferedOperation,
  OfferedReleases,
  OwnClient,
  OwnClients,
  OwnSecretMade,
  PortalLog,
  PortalRequests,
  PortalTeam,
  PortalTeams,
  SubscriptionPage,
  TeamView,
  ClientUseView,
  ClientStanding,
} from '@virga/protocol';
import { mkdtempSync } from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { publishGates, RunningServer, startStandins, until, type Standins } from './harness.js';
import { PortalBrowser } from './portal-browser.js';

const PASSWORD = 'a long enough password';
const KEYED = `openapi: 3.1.0
info: { title: Levels, version: '1.0', description: Levels of the canal }
security: [{ key: [] }]
paths:
  /levels: { get: { operationId: levels, summary: Levels now, responses: { '200': { description: Levels } } } }
  /hidden: { get: { operationId: hidden, summary: Not for everybody } }
components: { securitySchemes: { key: { type: apiKey, in: header, name: x-key } } }
`;

let server: RunningServer;
let standins: Standins;
let levels: string;
let gates: string;

const control = <T = Record<string, never>>(method: string, path: string, body?: unknown) => server.ok<T>(method, `/portal${path}`, body);
const show = (id: string, seen: string, teams: string[] = []) => control('PUT', `/apis/${id}`, { seen, teams });
const team = async (name: string): Promise<string> => (await control<PortalTeam>('POST', '/teams', { name })).id;
const invited = async (teamId: string, role = 'owner'): Promise<string> =>
  (await control<InvitationMade>('POST', `/teams/${teamId}/invitations`, { role })).link;

/** Somebody of a new team of this name. */
async function somebodyOf(name: string): Promise<{ browser: PortalBrowser; teamId: string }> {
  const teamId = await team(name);
  const browser = new PortalBrowser(server);
  await browser.accept(await invited(teamId), `${name.replaceAll(' ', '-')}.owner`, PASSWORD);
  return { browser, teamId };
}

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(mkdtempSync(join(tmpdir(), 'virga-standins-')), server.url);
  ({ apiId: gates } = await publishGates(server, standins));
  const { api } = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: KEYED }, basePath: '/levels', upstreamUrl: standins.gates });
  levels = api.id;
  const plan = { description: '', rate: null, atOnce: null, requestBytes: null, mode: 'enforce' };
  await server.ok('POST', '/plans', {
    ...plan,
    name: 'Small',
    covers: [{ apiId: levels, operations: 'ALL' }],
    quota: { requests: 3, per: 'day', zone: 'UTC' },
    approval: 'by-hand',
  });
  await server.ok('PATCH', `/apis/${levels}`, { plan: { asked: true, attribute: null } });
  await server.ok('PATCH', `/apis/${levels}/operations`, { ids: ['GET /hidden'], hidden: true });
  await server.ok('POST', '/releases', { note: 'with plans' });
});
afterAll(async () => {
  await standins.stop();
  await server.stop();
});

test('from an invitation to a call that passes, and to its use: as the consumer and as the operator', async () => {
  await show(levels, 'signed-in');
  const { browser, teamId } = await somebodyOf('Canal café');
  expect((await browser.ok<OfferedApis>('GET', '/apis')).items.map(({ name }) => name)).toEqual(['Levels']);
  const client = await browser.ok<OwnClient>('POST', `/teams/${teamId}/clients`, { name: 'Menu board' });
  const { secret } = await browser.ok<OwnSecretMade>('POST', `/teams/${teamId}/clients/${client.id}/keys`, { name: 'first' });
  expect(secret).toMatch(/^vrk_/);
  const call = (key: string | null) =>
    browser.ok<AttemptAnswer>('POST', '/attempts', { apiId: levels, method: 'GET', target: '/levels/levels', headers: [{ name: 'x-key', value: key ?? '' }] });
  const refused = await call(secret);
  expect(refused.status).toBe(403);
  expect(refused.requestId).not.toBe('');

  const { plans } = await browser.ok<OfferedApiView>('GET', `/apis/${levels}`);
  const asked = await browser.ok<OwnClient>('POST', `/teams/${teamId}/clients/${client.id}/plans`, {
    planId: plans[0]?.id,
    reason: 'To show the level beside the dishes',
  });
  expect(asked.plans[0]).toMatchObject({ planName: 'Small', now: 'waiting', says: ['3 requests a day (UTC)'] });
  const { subscriptions } = await control<PortalRequests>('GET', '/requests');
  expect(subscriptions).toMatchObject([{ clientName: 'Menu board', reason: 'To show the level beside the dishes', askedBy: 'portal: The Canal-café.owner' }]);
  await server.ok('PATCH', `/subscriptions/${subscriptions[0]?.id ?? ''}`, { state: 'active', answer: 'Welcome' });
  const [own] = (await browser.ok<OwnClients>('GET', `/teams/${teamId}/clients`)).items;
  expect(own?.plans[0]).toMatchObject({ now: 'active', answer: 'Welcome', askedBy: 'The Canal-café.owner' });

  const statuses: number[] = [];
  for (let tries = 0; tries < 5; tries++) statuses.push((await call(secret)).status);
  expect(statuses.filter((status) => status === 429)).toHaveLength(2);
  const use = await until(async () => {
    const view = await browser.ok<ClientUseView>('GET', `/teams/${teamId}/clients/${client.id}/use?days=7`);
    return view.passed + view.refused >= 6 && view;
  }, 'the use');
  expect(use).toMatchObject({ passed: 3, refused: 3, apis: [{ apiName: 'Levels' }] });
  // By what a caller is told: which check it was is the operator's to know.
  expect(use.reasons).toHaveLength(2);
  expect(JSON.stringify(use)).not.toMatch(/limit\.quota|plan\.no-subscription/);
  const { items } = await browser.ok<ClientStanding>('GET', `/teams/${teamId}/clients/${client.id}/limits`);
  expect(items).toMatchObject([{ of: 3, left: 0, node: '' }]);
  // What others use together with it, what only observes, and what is of an API that it does not see, are the operator's to know.
  const limit = (name: string, kind: string, mode = 'enforce') => ({ name, by: { kind }, method: 'fixed', requests: 1000, seconds: 60, burst: null, mode });
  await server.ok('PATCH', '/limits', {
    limits: [limit('all', 'everyone'), limit('address', 'address'), limit('key', 'credential'), limit('soft', 'client', 'observe')],
  });
  await server.ok('PATCH', `/apis/${levels}`, { limits: [limit('of levels', 'client')] });
  await server.ok('PATCH', `/apis/${gates}`, { limits: [limit('of gates', 'client')] });
  await server.ok('POST', '/releases', {});
  const { items: shown } = await browser.ok<ClientStanding>('GET', `/teams/${teamId}/clients/${client.id}/limits`);
  expect(shown.map(({ name, rule, whose }) => `${name}, ${rule}, ${whose}`)).toEqual(['Small quota, , ', 'key, , first', 'of levels, Levels, ']);
  const { items: all } = await server.ok<ClientStanding>('GET', `/clients/${client.id}/limits`);
  expect(all.map(({ name }) => name).sort()).toEqual(['Small quota', 'address', 'all', 'key', 'of gates', 'of levels', 'soft']);

  const { items: log } = await control<PortalLog>('GET', '/log?only=decisions');
  expect(log.find(({ words }) => words.includes('its plan Small is active'))).toMatchObject({ by: 'automation', side: 'operator', teamName: 'Canal café' });
  // Declining is told apart from ending.
  await browser.ok('DELETE', `/teams/${teamId}/clients/${client.id}/plans/${own?.plans[0]?.id ?? ''}`);
  const again = await browser.ok<OwnClient>('POST', `/teams/${teamId}/clients/${client.id}/plans`, { planId: plans[0]?.id, reason: '' });
  await server.ok('PATCH', `/subscriptions/${again.plans[0]?.id ?? ''}`, { state: 'ended', answer: 'Not now' });
  const last = await browser.ok<OwnClient>('GET', `/teams/${teamId}/clients/${client.id}`);
  expect(last.plans.map(({ now }) => now)).toEqual(['declined', 'ended']);
});

test('who sees an API: nobody, everybody, who is signed in, some teams; hidden operations are on no page and can be called', async () => {
  const nobody = new PortalBrowser(server);
  const { browser: one, teamId } = await somebodyOf('Seers');
  const { browser: other } = await somebodyOf('Others');
  const seen = async (browser: PortalBrowser): Promise<number[]> => [
    (await browser.ok<OfferedApis>('GET', '/apis')).items.filter(({ id }) => id === levels).length,
    (await browser.call('GET', `/apis/${levels}`)).status,
    (await browser.call('GET', `/apis/${levels}/operation?of=${encodeURIComponent('GET /levels')}`)).status,
    (await browser.call('GET', `/apis/${levels}/changes`)).status,
  ];
  const [yes, no] = [
    [1, 200, 200, 200],
    [0, 404, 404, 404],
  ];
  await show(levels, 'nobody');
  for (const browser of [nobody, one, other]) expect(await seen(browser)).toEqual(no);
  await show(levels, 'everybody');
  for (const browser of [nobody, one, other]) expect(await seen(browser)).toEqual(yes);
  await show(levels, 'signed-in');
  expect([await seen(nobody), await seen(one), await seen(other)]).toEqual([no, yes, yes]);
  await show(levels, 'teams', [teamId]);
  expect([await seen(nobody), await seen(one), await seen(other)]).toEqual([no, yes, no]);
  expect((await one.call('GET', `/apis/${levels}/operation?of=${encodeURIComponent('GET /hidden')}`)).status).toBe(404);
  const view = await one.ok<OfferedApiView>('GET', `/apis/${levels}`);
  expect(JSON.stringify(view)).not.toContain('/hidden');
  const operation = await one.ok<OfferedOperation>('GET', `/apis/${levels}/operation?of=${encodeURIComponent('GET /levels')}`);
  expect(operation).toMatchObject({
    needs: [{ all: [{ kind: 'key', place: 'header', name: 'x-key' }] }],
    asksPlan: true,
    refusals: [{ status: 401 }, { status: 403 }, { status: 429 }, { status: 502 }],
  });
  // Asking for the plan of an API that one does not see.
  const { items } = await other.ok<OwnClients>('GET', `/teams/${(await other.site()).session?.teams[0]?.id ?? ''}/clients`);
  expect(items).toEqual([]);
  await show(levels, 'signed-in');
});

test('a session of one side is worth nothing at the other; neither is the control token', async () => {
  const { browser } = await somebodyOf('Two houses');
  expect((await server.call('GET', '/control/v1/clients', undefined, { cookie: browser.cookie })).status).toBe(401);
  expect((await server.call('GET', '/control/v1/clients', undefined, { cookie: browser.cookie.replace('virga_portal', 'virga_session') })).status).toBe(401);
  const signedIn = await server.call('POST', '/control/v1/session', { name: 'operator', password: 'a password of the test' }, {});
  const cookie = signedIn.headers
    .getSetCookie()
    .map((line) => line.split(';')[0])
    .join('; ');
  const tried = [cookie, cookie.replace('virga_session', 'virga_portal')];
  for (const one of tried) expect((await new PortalBrowser(server).call('GET', '/teams/x', undefined, { cookie: one })).status).toBe(401);
  const { status } = await new PortalBrowser(server).call('GET', '/teams/x', undefined, { authorization: `Bearer ${server.token}` });
  expect(status).toBe(401);
  // Neither has the other's endpoints.
  expect((await server.call('GET', '/portal/v1/site')).text).not.toContain('registration');
  expect((await fetch(`${server.portalUrl}/control/v1/standing`, { headers: { authorization: `Bearer ${server.token}` } })).status).toBe(404);
});

test('another team’s ids show nothing and change nothing, in every call', async () => {
  const { browser: owner, teamId } = await somebodyOf('Owners');
  const { browser: thief, teamId: thiefs } = await somebodyOf('Thieves');
  await show(levels, 'signed-in');
  const client = await owner.ok<OwnClient>('POST', `/teams/${teamId}/clients`, { name: 'Ours' });
  const { credentialId } = await owner.ok<OwnSecretMade>('POST', `/teams/${teamId}/clients/${client.id}/keys`, { name: 'k' });
  const planned = await owner.ok<OwnClient>('POST', `/teams/${teamId}/clients/${client.id}/plans`, { planId: 'small', reason: '' });
  const plan = planned.plans[0]?.id ?? '';
  const { invitation } = await owner.ok<InvitationMade>('POST', `/teams/${teamId}/invitations`, { role: 'member' });
  const accountId = (await owner.site()).session?.accountId ?? '';
  const before = JSON.stringify([await owner.ok('GET', `/teams/${teamId}`), await owner.ok('GET', `/teams/${teamId}/clients`)]);
  const calls: [string, string, unknown?][] = [
    ['GET', ''],
    ['POST', '/invitations', { role: 'member' }],
    ['DELETE', `/invitations/${invitation.id}`],
    ['PATCH', `/members/${accountId}`, { role: 'member' }],
    ['DELETE', `/members/${accountId}`],
    ['GET', '/clients'],
    ['POST', '/clients', { name: 'x' }],
    ['GET', `/clients/${client.id}`],
    ['PATCH', `/clients/${client.id}`, { name: 'x' }],
    ['DELETE', `/clients/${client.id}`],
    ['POST', `/clients/${client.id}/keys`, { name: 'x' }],
    ['POST', `/clients/${client.id}/keys/${credentialId}/rotation`, { overlapHours: 0 }],
    ['DELETE', `/clients/${client.id}/credentials/${credentialId}`],
    ['PUT', `/clients/${client.id}/credentials/${credentialId}/redirects`, { redirectUris: ['https://x.example/'] }],
    ['POST', `/clients/${client.id}/registrations`, { providerId: 'trust', redirectUris: ['https://x.example/'] }],
    ['POST', `/clients/${client.id}/plans`, { planId: 'small', reason: '' }],
    ['DELETE', `/clients/${client.id}/plans/${plan}`],
    ['GET', `/clients/${client.id}/use?days=1`],
    ['GET', `/clients/${client.id}/limits`],
  ];
  // With the other team's id, and with one's own in front of the other team's things.
  for (const [method, path, body] of calls) {
    const answer = await thief.call(method, `/teams/${teamId}${path}`, body);
    expect([method, path, answer.status]).toEqual([method, path, 404]);
    if (!/\/(clients\/|members\/|invitations\/).+/.test(path)) continue;
    const through = await thief.call(method, `/teams/${thiefs}${path}`, body);
    expect([method, path, through.status]).toEqual([method, path, 404]);
    expect(through.text).not.toContain('Ours');
  }
  // A client of one's own in front of another client's key and plan.
  const mine = await thief.ok<OwnClient>('POST', `/teams/${thiefs}/clients`, { name: 'Mine' });
  for (const [method, path, body] of [
    ['POST', `/keys/${credentialId}/rotation`, { overlapHours: 0 }],
    ['DELETE', `/credentials/${credentialId}`],
    ['DELETE', `/plans/${plan}`],
  ] as const)
    expect((await thief.call(method, `/teams/${thiefs}/clients/${mine.id}${path}`, body)).status).toBe(404);
  expect(JSON.stringify([await owner.ok('GET', `/teams/${teamId}`), await owner.ok('GET', `/teams/${teamId}/clients`)])).toBe(before);
  // A client that the operator keeps is nobody's.
  const { client: kept } = await server.ok<{ client: { id: string } }>('POST', '/clients', { name: 'Kept', owner: 'Thieves' });
  expect((await thief.call('GET', `/teams/${thiefs}/clients/${kept.id}`)).status).toBe(404);
});

test('what changes something comes from the portal’s own page with its token', async () => {
  const { browser, teamId } = await somebodyOf('Crossed');
  const post = (headers: Record<string, string>) => browser.call('POST', `/teams/${teamId}/clients`, { name: 'Forged' }, headers);
  expect((await post({ 'x-csrf-token': '' })).status).toBe(403);
  expect((await post({ 'x-csrf-token': 'x'.repeat(32) })).status).toBe(403);
  expect((await post({ origin: 'https://evil.example' })).status).toBe(403);
  expect((await post({ origin: server.url })).status).toBe(403);
  expect((await post({ origin: 'null' })).status).toBe(403);
  expect((await post({ 'sec-fetch-site': 'same-site' })).status).toBe(403);
  expect((await post({ 'content-type': 'text/plain' })).status).toBe(415);
  expect((await post({ 'content-type': 'application/x-www-form-urlencoded' })).status).toBe(415);
  expect((await browser.ok<OwnClients>('GET', `/teams/${teamId}/clients`)).items).toEqual([]);
  // Nobody is signed in, or out, by another page.
  const signIn = { name: 'Crossed.owner', password: PASSWORD };
  expect((await new PortalBrowser(server).call('POST', '/session', signIn, { origin: 'https://evil.example' })).status).toBe(403);
  expect((await browser.call('DELETE', '/session', undefined, { origin: 'https://evil.example' })).status).toBe(403);
  const { headers } = await new PortalBrowser(server).call('POST', '/session', signIn);
  expect(headers.getSetCookie()[0]).toMatch(/HttpOnly/);
  expect(headers.getSetCookie()[0]).toMatch(/SameSite=Strict/);
  expect(headers.getSetCookie()[0]).toMatch(/Path=\/portal\/v1/);
  const named = await new Promise<number | undefined>((resolve, reject) => {
    request(`${server.portalUrl}/portal/v1/site`, { headers: { host: 'evil.example' } }, (answer) => resolve(answer.resume().statusCode))
      .on('error', reject)
      .end();
  });
  expect(named).toBe(421);
});

test('an invitation is good once, however many take it at one time; withdrawn and old ones are not', async () => {
  const teamId = await team('Once');
  const link = await invited(teamId);
  const token = link.split('#')[1] ?? '';
  const tries = await Promise.all(
    ['a1', 'a2', 'a3'].map((name) =>
      new PortalBrowser(server).call('POST', '/invitations/account', { token, name: `once.${name}`, shownName: name, password: PASSWORD }),
    ),
  );
  expect(tries.filter(({ status }) => status === 204)).toHaveLength(1);
  for (const { status } of tries.filter((one) => one.status !== 204)) expect([410, 429]).toContain(status);
  expect((await control<PortalTeam>('GET', `/teams/${teamId}`)).people).toHaveLength(1);
  expect((await new PortalBrowser(server).call('POST', '/invitations/read', { token })).status).toBe(410);
  const { invitation, link: second } = await control<InvitationMade>('POST', `/teams/${teamId}/invitations`, { role: 'member' });
  await control('DELETE', `/teams/${teamId}/invitations/${invitation.id}`);
  for (const wrong of [second.split('#')[1], 'x', `${token} `, token.toUpperCase()])
    expect((await new PortalBrowser(server).call('POST', '/invitations/read', { token: wrong })).status).toBe(410);
  // Its secret is in no list.
  expect(JSON.stringify(await control('GET', `/teams/${teamId}`))).not.toContain(token);
});

test('registration: closed, by hand with a wait in which nothing is seen, and by itself', async () => {
  const register = (name: string) => ({ name, shownName: name, password: PASSWORD, team: `Team of ${name}`, reason: 'to look' }) as const;
  expect((await new PortalBrowser(server).call('POST', '/registrations', register('early'))).status).toBe(403);
  await control('PATCH', '/settings', { registration: 'by-hand' });
  const browser = new PortalBrowser(server);
  await browser.ok('POST', '/registrations', register('waiter'));
  const { session } = await browser.site();
  expect(session).toMatchObject({ state: 'waiting', teams: [] });
  await show(levels, 'signed-in');
  expect((await browser.ok<OfferedApis>('GET', '/apis')).items).toEqual([]);
  expect((await browser.call('POST', '/teams', { name: 'Another' })).status).toBe(403);
  expect((await browser.call('POST', '/attempts', { apiId: levels, method: 'GET', target: '/levels/levels', headers: [] })).status).toBe(403);
  const { accounts } = await control<PortalRequests>('GET', '/requests');
  expect(accounts).toMatchObject([{ name: 'waiter', reason: 'to look', state: 'waiting', how: 'registered' }]);
  await control('PATCH', `/accounts/${accounts[0]?.id ?? ''}`, { state: 'active' });
  expect((await browser.site()).session).toMatchObject({ state: 'active', teams: [{ name: 'Team of waiter', role: 'owner' }] });
  expect((await browser.ok<OfferedApis>('GET', '/apis')).items).not.toEqual([]);
  // Taken names, in any writing, and taken teams.
  for (const name of ['waiter', 'WAITER', 'ｗaiter']) {
    const answer = await new PortalBrowser(server).call<{ errors: { pointer: string }[] }>('POST', '/registrations', { ...register(name), team: 'New one' });
    expect([answer.status, answer.body.errors?.[0]?.pointer]).toEqual([422, '/name']);
  }
  await control('PATCH', '/settings', { registration: 'by-itself' });
  const quick = new PortalBrowser(server);
  await quick.ok('POST', '/registrations', register('quick'));
  expect((await quick.site()).session?.state).toBe('active');
  await control('PATCH', '/settings', { registration: 'closed' });
  // Switched off, whoever is in is out at once, and does not come in again.
  const { items } = await control<{ items: { id: string }[] }>('GET', '/accounts?text=quick');
  await control('PATCH', `/accounts/${items[0]?.id ?? ''}`, { state: 'off' });
  expect((await quick.site()).session).toBeNull();
  expect((await new PortalBrowser(server).call('POST', '/session', { name: 'quick', password: PASSWORD })).status).toBe(401);
});

test('owners keep their team: members invite nobody, the last owner stays, who is taken out sees nothing', async () => {
  const { browser: owner, teamId } = await somebodyOf('Kept together');
  const member = new PortalBrowser(server);
  const { link } = await owner.ok<InvitationMade>('POST', `/teams/${teamId}/invitations`, { role: 'member', note: 'for the new one' });
  await member.accept(link, 'new.member', PASSWORD);
  expect((await member.call('POST', `/teams/${teamId}/invitations`, { role: 'owner' })).status).toBe(403);
  const view = await member.ok<TeamView>('GET', `/teams/${teamId}`);
  expect(view).toMatchObject({ role: 'member', invitations: [] });
  const [ownerId, memberId] = [view.members[0]?.accountId ?? '', view.members[1]?.accountId ?? ''];
  expect((await member.call('DELETE', `/teams/${teamId}/members/${ownerId}`)).status).toBe(403);
  expect((await owner.call('DELETE', `/teams/${teamId}/members/${ownerId}`)).status).toBe(409);
  expect((await owner.call('PATCH', `/teams/${teamId}/members/${ownerId}`, { role: 'member' })).status).toBe(409);
  // Both see the same clients.
  await owner.ok('POST', `/teams/${teamId}/clients`, { name: 'Shared' });
  expect((await member.ok<OwnClients>('GET', `/teams/${teamId}/clients`)).items).toHaveLength(1);
  await owner.ok('DELETE', `/teams/${teamId}/members/${memberId}`);
  expect((await member.call('GET', `/teams/${teamId}/clients`)).status).toBe(404);
});

test('an operator looks as a team, once by each link, and changes nothing', async () => {
  const { browser, teamId } = await somebodyOf('Looked at');
  await browser.ok('POST', `/teams/${teamId}/clients`, { name: 'Theirs' });
  const { url } = await control<LookLink>('POST', '/looks', { teamId });
  const looking = new PortalBrowser(server);
  const code = url.split('#')[1];
  await looking.ok('POST', '/look', { code });
  expect((await looking.site()).session).toMatchObject({ looks: true, shownName: 'Looked at' });
  expect((await looking.ok<OwnClients>('GET', `/teams/${teamId}/clients`)).items).toMatchObject([{ name: 'Theirs' }]);
  expect((await looking.call('POST', `/teams/${teamId}/clients`, { name: 'x' })).status).toBe(403);
  expect((await looking.call('POST', '/attempts', { apiId: levels, method: 'GET', target: '/levels/levels', headers: [] })).status).toBe(403);
  expect((await new PortalBrowser(server).call('POST', '/look', { code })).status).toBe(410);
  // As somebody who is not signed in.
  await show(levels, 'signed-in');
  const { url: nobodys } = await control<LookLink>('POST', '/looks', { teamId: null });
  await looking.ok('POST', '/look', { code: nobodys.split('#')[1] });
  expect((await looking.ok<OfferedApis>('GET', '/apis')).items).toEqual([]);
  expect((await server.call('POST', '/control/v1/portal/looks', { teamId: 'none' })).status).toBe(404);
});

test('a call that is tried stays within the API that is seen, and within what a call may say', async () => {
  const { browser } = await somebodyOf('Triers');
  await show(levels, 'signed-in');
  await show(gates, 'nobody');
  const status = async (change: object): Promise<number> =>
    (await browser.call('POST', '/attempts', { apiId: levels, method: 'GET', target: '/levels/levels', headers: [], ...change })).status;
  expect(await status({})).toBe(200);
  for (const change of [{ apiId: gates, target: '/gates/sections' }, { apiId: 'none' }]) expect(await status(change)).toBe(404);
  for (const target of [
    '/gates/sections',
    '/levelsx',
    '/levels/../gates/sections',
    '/levels/%2e%2e/gates/sections',
    '/levels//x',
    '/levels\\..\\gates',
    'http://127.0.0.1:1/levels/',
    '//evil.example/levels/',
    '/levels/a b',
    '/levels/\r\nx: 1',
  ])
    expect([target, await status({ target })]).toEqual([target, 422]);
  for (const name of ['Host', 'content-length', 'Transfer-Encoding', 'connection', 'x-virga-probe', 'X-Virga-Caller', 'bad name', 'x\r\ny'])
    expect([name, await status({ headers: [{ name, value: '1' }] })]).toEqual([name, 422]);
  expect(await status({ headers: [{ name: 'x-a', value: '1\r\nx-b: 2' }] })).toBe(422);
  expect(await status({ method: 'CONNECT' })).toBe(422);
});

test('what the operator took away does not come back by itself: not by asking again, not for another program, not by taking the program away', async () => {
  const free = { description: '', rate: null, quota: null, atOnce: null, requestBytes: null, mode: 'enforce', approval: 'by-itself' };
  await server.ok('POST', '/plans', { ...free, name: 'Free', covers: [{ apiId: levels, operations: 'ALL' }] });
  await server.ok('POST', '/releases', { note: 'free' });
  await show(levels, 'signed-in');
  const { browser, teamId } = await somebodyOf('Comers back');
  const base = `/teams/${teamId}/clients`;
  const { id } = await browser.ok<OwnClient>('POST', base, { name: 'First' });
  const ask = (client: string) => browser.call<OwnClient>('POST', `${base}/${client}/plans`, { planId: 'free', reason: '' });
  const given = (await ask(id)).body.plans[0];
  expect(given?.now).toBe('active');
  await server.ok('PATCH', `/subscriptions/${given?.id ?? ''}`, { state: 'suspended' });
  expect((await browser.call('DELETE', `${base}/${id}/plans/${given?.id ?? ''}`)).status).toBe(409);
  expect((await ask(id)).status).toBe(409);
  expect((await browser.call('DELETE', `${base}/${id}`)).status).toBe(409);
  const second = await browser.ok<OwnClient>('POST', base, { name: 'Second' });
  expect((await ask(second.id)).body.plans[0]?.now).toBe('waiting');
  await server.ok('PATCH', `/subscriptions/${given?.id ?? ''}`, { state: 'ended' });
  expect((await ask(id)).body.plans.map(({ now }) => now)).toEqual(['waiting', 'ended']);
  // Who takes back what was asked was not declined.
  const waiting = (await browser.ok<OwnClient>('GET', `${base}/${second.id}`)).plans[0];
  expect((await browser.ok<OwnClient>('DELETE', `${base}/${second.id}/plans/${waiting?.id ?? ''}`)).plans[0]?.now).toBe('ended');
  expect((await browser.call('DELETE', `${base}/${second.id}`)).status).toBe(204);
  // Switched off by the operator, it stays.
  const third = await browser.ok<OwnClient>('POST', base, { name: 'Third' });
  await server.ok('PATCH', `/clients/${third.id}`, { enabled: false });
  expect((await browser.call('DELETE', `${base}/${third.id}`)).status).toBe(409);
});

test('names in every script are kept as they are; those too long, of nothing, or that turn what stands behind them are refused', async () => {
  const { browser, teamId } = await somebodyOf('Namers');
  const base = `/teams/${teamId}/clients`;
  const names = [
    'नहर का पानी',
    'قناة المياه',
    '運河の水位',
    'Ἀρχιμήδης',
    '💧'.repeat(50),
    'a'.repeat(100),
    '<script>alert(1)</script>',
    "'; DROP TABLE clients; --",
    '=1+1',
    '{{7*7}}',
  ];
  for (const name of names) expect((await browser.ok<OwnClient>('POST', base, { name })).name).toBe(name);
  expect((await browser.ok<OwnClients>('GET', base)).items.map((one) => one.name).sort()).toEqual([...names].sort());
  for (const name of ['', ' ', '\u200b', 'a\nb', 'a\u0000b', 'x\u202egnp.exe', 'x\u2066y', 'a'.repeat(10_000), '💧'.repeat(10_000), null, 7, ['a'], { a: 1 }])
    expect([name, (await browser.call('POST', base, { name })).status]).toEqual([name, 422]);
  expect((await browser.call('POST', base, { name: 'x', teamId: 'other', enabled: true, roles: ['admin'] })).status).toBe(422);
});

test('what changed in an API is told by release: new, changed and deprecated operations, and none that is hidden', async () => {
  await show(levels, 'everybody');
  const nobody = new PortalBrowser(server);
  expect((await nobody.ok<OfferedReleases>('GET', `/apis/${levels}/changes`)).items).toEqual([]);
  const text = KEYED.replace('summary: Levels now,', 'summary: Levels now, deprecated: true,').replace(
    '  /hidden:',
    '  /forecasts: { get: { operationId: forecasts, summary: Levels to come } }\n  /hidden:',
  );
  await server.ok('PUT', `/apis/${levels}/contract`, { source: { text } });
  await server.ok('POST', '/releases', { note: 'newer' });
  const { items } = await nobody.ok<OfferedReleases>('GET', `/apis/${levels}/changes`);
  expect(items).toHaveLength(1);
  expect(items[0]?.changes).toEqual([
    { kind: 'deprecated', method: 'GET', path: '/levels', summary: 'Levels now' },
    { kind: 'new', method: 'GET', path: '/forecasts', summary: 'Levels to come' },
  ]);
});

test('teams and everything else are still there after a restart; a session too', async () => {
  const { browser, teamId } = await somebodyOf('Stayers');
  await browser.ok('POST', `/teams/${teamId}/clients`, { name: 'Stays' });
  await server.stop();
  await server.start();
  expect((await browser.ok<OwnClients>('GET', `/teams/${teamId}/clients`)).items).toMatchObject([{ name: 'Stays' }]);
  expect((await control<PortalTeams>('GET', '/teams?text=Stayers')).items).toMatchObject([{ name: 'Stayers', members: 1, clients: 1 }]);
  expect((await server.ok<SubscriptionPage>('GET', '/subscriptions')).total).toBeGreaterThan(0);
});
