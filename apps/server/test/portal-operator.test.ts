import type {
  AttemptAnswer,
  InvitationMade,
  LookLink,
  NoticeList,
  OwnClient,
  OwnSecretMade,
  PageList,
  PageText,
  PageView,
  PortalAccounts,
  PortalLog,
  PortalSettingsView,
  PortalTeam,
  ProblemDocument,
  ShownApis,
} from '@virga/protocol';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { Sequelize } from 'sequelize';
import { RunningServer, until } from './harness.js';
import { PortalBrowser } from './portal-browser.js';

const PASSWORD = 'a long enough password';
const CONTRACT = `openapi: 3.1.0
info: { title: Echo, version: '1.0' }
security: []
paths:
  /echo: { get: {}, post: {}, head: {} }
  /long: { get: {} }
  /binary: { get: {} }
  /endless: { get: {} }
  /broken: { get: {} }
`;
/** The least PNG that there is: its eight first bytes are what is looked at. */
const PNG = `data:image/png;base64,${Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex').toString('base64')}`;

let server: RunningServer;
let upstream: Server;
let echo: string;

const control = <T = Record<string, never>>(method: string, path: string, body?: unknown) => server.ok<T>(method, `/portal${path}`, body);
const refused = (method: string, path: string, body?: unknown) => server.call<ProblemDocument>(method, `/control/v1/portal${path}`, body);
const pointersOf = async (method: string, path: string, body: unknown): Promise<string[]> => {
  const answer = await refused(method, path, body);
  expect(answer.status).toBe(422);
  return (answer.body.errors ?? []).map(({ pointer }) => pointer);
};

async function somebodyOf(name: string): Promise<{ browser: PortalBrowser; teamId: string; accountId: string }> {
  const { id } = await control<PortalTeam>('POST', '/teams', { name });
  const { link } = await control<InvitationMade>('POST', `/teams/${id}/invitations`, { role: 'owner' });
  const browser = new PortalBrowser(server);
  const { session } = await browser.accept(link, `${name}.owner`, PASSWORD);
  return { browser, teamId: id, accountId: session?.accountId ?? '' };
}

beforeAll(async () => {
  upstream = createServer((came, response) => {
    const path = came.url ?? '';
    if (path.startsWith('/long')) return void response.end('x'.repeat(400 * 1024));
    if (path.startsWith('/binary')) return void response.end(Buffer.from([0, 1, 2, 255]));
    if (path.startsWith('/broken')) return void response.destroy();
    if (path.startsWith('/endless')) {
      response.writeHead(200);
      const more = setInterval(() => response.write('x'.repeat(64 * 1024)), 5);
      return void response.once('close', () => clearInterval(more));
    }
    const parts: Buffer[] = [];
    came.on('data', (part: Buffer) => parts.push(part));
    came.on('end', () => {
      response.setHeader('x-answer', 'é'.normalize('NFC'));
      response.end(JSON.stringify({ method: came.method, url: came.url, headers: came.headers, body: Buffer.concat(parts).toString('utf8') }));
    });
  });
  await new Promise<void>((resolve) => upstream.listen(0, '127.0.0.1', resolve));
  server = new RunningServer();
  await server.start();
  const upstreamUrl = `http://127.0.0.1:${(upstream.address() as AddressInfo).port}`;
  const { api } = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/e', upstreamUrl });
  echo = api.id;
  await server.ok('PATCH', `/apis/${echo}`, { access: { kind: 'public' } });
  await server.ok('POST', '/releases', { note: 'echo' });
  await control('PUT', `/apis/${echo}`, { seen: 'signed-in', teams: [] });
});
afterAll(async () => {
  await server.stop();
  upstream.closeAllConnections();
  upstream.close();
});

describe('the look', () => {
  test('is what was set, at once, and nothing else changes with it', async () => {
    const before = await control<PortalSettingsView>('GET', '/settings');
    expect(before).toMatchObject({ registration: 'closed', providers: [], url: server.portalUrl });
    await control('PATCH', '/settings', { name: 'Basin', mark: PNG, colour: '#2F7F86', welcome: '# Hello', contact: 'apis@basin.example' });
    const site = await new PortalBrowser(server).site();
    expect(site).toMatchObject({
      name: 'Basin',
      mark: PNG,
      colour: '#2F7F86',
      welcome: '# Hello',
      contact: 'apis@basin.example',
      registration: 'closed',
      session: null,
    });
    await control('PATCH', '/settings', { mark: '' });
    expect(await new PortalBrowser(server).site()).toMatchObject({ name: 'Basin', mark: '' });
  });

  test.each<[string, object, string]>([
    ['no name', { name: '' }, '/name'],
    ['a name of blanks', { name: '   ' }, '/name'],
    ['a name of two lines', { name: 'a\nb' }, '/name'],
    ['a colour by name', { colour: 'red' }, '/colour'],
    ['a colour that ends a rule', { colour: '#fff;}body{display:none' }, '/colour'],
    ['an SVG, which could run something', { mark: `data:image/svg+xml;base64,${Buffer.from('<svg/>').toString('base64')}` }, '/mark'],
    ['a page', { mark: 'data:text/html;base64,PGI+' }, '/mark'],
    ['an address', { mark: 'https://elsewhere.example/mark.png' }, '/mark'],
    ['a PNG that is none', { mark: `data:image/png;base64,${Buffer.from('<script>').toString('base64')}` }, '/mark'],
    ['a JPEG that is a PNG', { mark: PNG.replace('png', 'jpeg') }, '/mark'],
    [
      'a picture that is too large',
      { mark: `data:image/png;base64,${Buffer.concat([Buffer.from('89504e470d0a1a0a', 'hex'), Buffer.alloc(66_000)]).toString('base64')}` },
      '/mark',
    ],
    ['null', { name: null }, '/name'],
    ['another registration', { registration: 'open' }, '/registration'],
    [
      'a provider that is none',
      { providers: [{ providerId: 'x', label: 'x', clientId: 'x', scopes: [], signIn: true, registration: false }] },
      '/providers/0/providerId',
    ],
    ['a member that there is not', { teams: [] }, '/teams'],
  ])('%s is refused', async (_, change, pointer) => {
    expect(await pointersOf('PATCH', '/settings', change)).toContain(pointer);
  });

  test('settings that cannot be read close the portal rather than open it', async () => {
    const folder = server.folder;
    await server.stop();
    const database = new Sequelize({ dialect: 'sqlite', storage: join(folder, 'virga.sqlite'), logging: false });
    const [[kept]] = (await database.query(`SELECT value FROM settings WHERE name = 'portal'`)) as unknown as [[{ value: string }]];
    await database.query(`UPDATE settings SET value = '{"registration":"by-itself"' WHERE name = 'portal'`);
    await server.start();
    const visitor = new PortalBrowser(server);
    expect((await visitor.call('GET', '/site')).status).toBe(500);
    expect((await visitor.call('GET', '/apis')).status).toBe(500);
    expect((await visitor.call('POST', '/registrations', { name: 'sneaky', shownName: 'S', password: PASSWORD, team: 'S' })).status).toBe(500);
    await server.stop();
    await database.query(`UPDATE settings SET value = ? WHERE name = 'portal'`, { replacements: [kept.value] });
    await database.close();
    await server.start();
    expect((await visitor.site()).name).toBe('Basin');
    expect((await control<PortalAccounts>('GET', '/accounts?text=sneaky')).total).toBe(0);
  });
});

test('an end, a state or a role that cannot be read lets nobody in', async () => {
  const { browser, teamId, accountId } = await somebodyOf('unreadable');
  const { link } = await control<InvitationMade>('POST', `/teams/${teamId}/invitations`, { role: 'member' });
  const database = new Sequelize({ dialect: 'sqlite', storage: join(server.folder, 'virga.sqlite'), logging: false });
  const set = (table: string, column: string, value: string, where: string) => database.query(`UPDATE ${table} SET ${column} = '${value}' WHERE ${where}`);
  const trying = () => browser.call('POST', '/attempts', { apiId: echo, method: 'GET', target: '/e/echo', headers: [] });
  expect((await trying()).status).toBe(200);
  for (const state of ['', 'Active', 'ACTIVE ', 'on', '1']) {
    await set('portal_accounts', 'state', state, `id = '${accountId}'`);
    expect([state, (await browser.site()).session, (await trying()).status]).toEqual([state, null, 401]);
  }
  await set('portal_accounts', 'state', 'active', `id = '${accountId}'`);
  await browser.site();
  for (const role of ['', 'Owner', 'admin']) {
    await set('portal_members', 'role', role, `account_id = '${accountId}'`);
    expect((await browser.call('POST', `/teams/${teamId}/invitations`, { role: 'owner' })).status).toBe(403);
  }
  for (const end of ['never', '', 'NaN']) {
    await set('portal_invitations', 'expires_at', end, `team_id = '${teamId}' AND used_at IS NULL`);
    expect((await new PortalBrowser(server).call('POST', '/invitations/read', { token: link.split('#')[1] })).status).toBe(410);
    await set('portal_sessions', 'expires_at', end, `account_id = '${accountId}'`);
    expect([end, (await trying()).status]).toEqual([end, 401]);
  }
  await database.close();
});

describe('who sees an API', () => {
  test.each<[string, unknown]>([
    ['no team of some', { seen: 'teams', teams: [] }],
    ['a team that is none', { seen: 'teams', teams: ['none'] }],
    ['a word that is none', { seen: 'all', teams: [] }],
    ['null', { seen: null, teams: [] }],
    ['no teams', { seen: 'teams' }],
  ])('%s is refused and changes nothing', async (_, input) => {
    expect((await refused('PUT', `/apis/${echo}`, input)).status).toBe(422);
    expect((await control<ShownApis>('GET', '/apis')).items).toMatchObject([{ apiId: echo, seen: 'signed-in', live: true, operations: 7, hidden: 0 }]);
  });

  test('an API that is not live is seen by nobody, whatever stands at it', async () => {
    const { browser } = await somebodyOf('lookers');
    const { api } = await server.ok<{ api: { id: string } }>('POST', '/apis', {
      source: { text: CONTRACT.replace('Echo', 'Draft') },
      basePath: '/draft',
      upstreamUrl: 'http://127.0.0.1:9',
    });
    await control('PUT', `/apis/${api.id}`, { seen: 'everybody', teams: [] });
    expect((await browser.call('GET', `/apis/${api.id}`)).status).toBe(404);
    await server.ok('DELETE', `/apis/${api.id}`);
    // Switched off, it is shown no more, once that is live.
    await server.ok('PATCH', `/apis/${echo}`, { enabled: false });
    expect((await browser.call('GET', `/apis/${echo}`)).status).toBe(200);
    await server.ok('POST', '/releases', { note: 'off' });
    expect((await browser.call('GET', `/apis/${echo}`)).status).toBe(404);
    await server.ok('PATCH', `/apis/${echo}`, { enabled: true });
    await server.ok('POST', '/releases', { note: 'on again' });
  });
});

test('pages and notices: written, read by those who may, in their order and their time, taken away', async () => {
  const { browser } = await somebodyOf('readers');
  const visitor = new PortalBrowser(server);
  const page = (title: string, change: object = {}) =>
    control<PageView>('POST', '/pages', { title, text: `# ${title}`, seen: 'everybody', position: 5, ...change });
  const open = await page('Über uns');
  const same = await page('Über uns', { position: 1 });
  const inside = await page('Inside', { seen: 'signed-in', position: 2 });
  expect(same.slug).not.toBe(open.slug);
  expect((await visitor.site()).pages.map(({ slug }) => slug)).toEqual([same.slug, open.slug]);
  expect((await browser.site()).pages.map(({ slug }) => slug)).toEqual([same.slug, inside.slug, open.slug]);
  expect((await visitor.call('GET', `/pages/${inside.slug}`)).status).toBe(404);
  expect(await browser.ok<PageText>('GET', `/pages/${inside.slug}`)).toMatchObject({ title: 'Inside', text: '# Inside' });
  await control('PUT', `/pages/${open.slug}`, { title: 'About', text: 'new', seen: 'signed-in', position: 5 });
  expect((await visitor.call('GET', `/pages/${open.slug}`)).status).toBe(404);
  for (const wrong of [{ title: '' }, { position: -1 }, { position: 1.5 }, { seen: 'teams' }, { text: 'a'.repeat(100_001) }, { text: null }])
    expect((await refused('POST', '/pages', { title: 'x', text: '', seen: 'everybody', position: 1, ...wrong })).status).toBe(422);
  for (const { slug } of (await control<PageList>('GET', '/pages')).items) await control('DELETE', `/pages/${slug}`);
  expect((await browser.site()).pages).toEqual([]);
  expect((await refused('DELETE', `/pages/${open.slug}`)).status).toBe(404);

  const now = Date.now();
  const notice = (text: string, fromAt: number | null, untilAt: number | null) => control('POST', '/notices', { text, tone: 'news', fromAt, untilAt });
  await notice('stands', null, null);
  await notice('later', now + 3_600_000, null);
  await notice('over', null, now - 1);
  await notice('within', now - 1000, now + 3_600_000);
  expect((await visitor.site()).notices.map(({ text }) => text).sort()).toEqual(['stands', 'within']);
  expect((await refused('POST', '/notices', { text: 'x', tone: 'news', fromAt: now, untilAt: now })).status).toBe(422);
  for (const { id } of (await control<NoticeList>('GET', '/notices')).items) await control('DELETE', `/notices/${id}`);
  expect((await visitor.site()).notices).toEqual([]);
});

describe('an account', () => {
  test('changes its password with the one that there was, which ends what was open elsewhere', async () => {
    const { browser } = await somebodyOf('changers');
    const elsewhere = new PortalBrowser(server);
    await elsewhere.signIn('changers.owner', PASSWORD);
    expect((await browser.call('PATCH', '/account', { oldPassword: 'not it at all', password: 'another long one' })).status).toBe(422);
    expect((await browser.call('PATCH', '/account', { password: 'another long one' })).status).toBe(422);
    expect((await browser.call('PATCH', '/account', { oldPassword: PASSWORD, password: 'short' })).status).toBe(422);
    await browser.ok('PATCH', '/account', { oldPassword: PASSWORD, password: 'another long one' });
    expect((await browser.site()).session).not.toBeNull();
    expect((await elsewhere.site()).session).toBeNull();
    expect((await elsewhere.call('POST', '/session', { name: 'changers.owner', password: PASSWORD })).status).toBe(401);
    await browser.ok('PATCH', '/account', { shownName: 'Somebody else' });
    expect((await browser.site()).session?.shownName).toBe('Somebody else');
  });

  test('that forgot it gets a link that is good once; the last one that was made counts', async () => {
    const { browser, accountId } = await somebodyOf('forgetters');
    const first = await control<InvitationMade>('POST', `/accounts/${accountId}/password`);
    const { link } = await control<InvitationMade>('POST', `/accounts/${accountId}/password`);
    const visitor = new PortalBrowser(server);
    const choose = (one: string) => visitor.call('POST', '/invitations/password', { token: one.split('#')[1], password: 'chosen anew by link' });
    expect((await choose(first.link)).status).toBe(410);
    // It lets nobody into a team, and makes no account.
    expect((await visitor.call('POST', '/invitations/account', { token: link.split('#')[1], name: 'thief', shownName: 'T', password: PASSWORD })).status).toBe(
      404,
    );
    expect((await choose(link)).status).toBe(204);
    expect((await choose(link)).status).toBe(410);
    expect((await visitor.site()).session?.accountId).toBe(accountId);
    expect((await browser.site()).session).toBeNull();
  });

  test('signs out, and the session is worth nothing afterwards', async () => {
    const { browser } = await somebodyOf('leavers');
    const { cookie } = browser;
    await browser.ok('DELETE', '/session');
    expect((await browser.call('GET', '/teams/x')).status).toBe(401);
    expect((await browser.call('GET', '/teams/x', undefined, { cookie })).status).toBe(401);
  });

  test('is taken away by whom it is of: with the password, once no team would be without an owner, with every session', async () => {
    const { browser, teamId, accountId } = await somebodyOf('quitters');
    const elsewhere = new PortalBrowser(server);
    await elsewhere.signIn('quitters.owner', PASSWORD);
    for (const body of [{}, { password: '' }, { password: 'not it at all' }]) expect((await browser.call('POST', '/account/removal', body)).status).toBe(422);
    for (const password of [null, 1, [PASSWORD]]) expect((await browser.call('POST', '/account/removal', { password })).status).toBe(422);
    // A team with a client, and then one with somebody else, is left to somebody.
    const client = await browser.ok<{ id: string }>('POST', `/teams/${teamId}/clients`, { name: 'Left behind' });
    const owning = await browser.call('POST', '/account/removal', { password: PASSWORD });
    expect([owning.status, owning.text]).toEqual([409, expect.stringContaining('quitters has clients and nobody but you') as string]);
    const { link } = await browser.ok<InvitationMade>('POST', `/teams/${teamId}/invitations`, { role: 'member' });
    const other = new PortalBrowser(server);
    const heir = (await other.accept(link, 'quitters.heir', PASSWORD)).session?.accountId ?? '';
    const only = await browser.call('POST', '/account/removal', { password: PASSWORD });
    expect([only.status, only.text]).toEqual([409, expect.stringContaining('make somebody else an owner first') as string]);
    await browser.ok('PATCH', `/teams/${teamId}/members/${heir}`, { role: 'owner' });
    await browser.ok('POST', '/account/removal', { password: PASSWORD });
    expect((await browser.site()).session).toBeNull();
    expect((await elsewhere.site()).session).toBeNull();
    expect((await elsewhere.call('POST', '/session', { name: 'quitters.owner', password: PASSWORD })).status).toBe(401);
    expect((await control<PortalAccounts>('GET', '/accounts?text=quitters.owner')).total).toBe(0);
    expect((await server.call('PATCH', `/control/v1/portal/accounts/${accountId}`, { state: 'active' })).status).toBe(404);
    // What is the team's stays the team's, and the log says who left.
    expect((await other.ok<{ items: { id: string }[] }>('GET', `/teams/${teamId}/clients`)).items.map(({ id }) => id)).toEqual([client.id]);
    const { items } = await control<PortalLog>('GET', '/log');
    expect(items.find(({ words }) => words === 'the account quitters.owner taken away')).toMatchObject({ side: 'consumer' });
    // The name is free again, and whoever takes it is nobody of that team.
    const { id: newcomers } = await control<PortalTeam>('POST', '/teams', { name: 'newcomers' });
    const again = new PortalBrowser(server);
    const { session } = await again.accept(
      (await control<InvitationMade>('POST', `/teams/${newcomers}/invitations`, { role: 'owner' })).link,
      'quitters.owner',
      PASSWORD,
    );
    expect(session?.teams.map(({ name }) => name)).toEqual(['newcomers']);
    expect((await again.call('GET', `/teams/${teamId}/clients`)).status).toBe(404);
  });

  test('is taken away with a team of its own that has nothing; an operator may take any away, at once', async () => {
    const { browser, teamId } = await somebodyOf('alone');
    await browser.ok('POST', '/account/removal', { password: PASSWORD });
    expect((await server.call('GET', `/control/v1/portal/teams/${teamId}`)).status).toBe(404);
    const { browser: owner, teamId: kept, accountId } = await somebodyOf('removed');
    await owner.ok('POST', `/teams/${kept}/clients`, { name: 'Stays' });
    const { link } = await control<InvitationMade>('POST', `/accounts/${accountId}/password`);
    await server.ok('DELETE', `/portal/accounts/${accountId}`);
    expect((await owner.call('GET', `/teams/${kept}/clients`)).status).toBe(401);
    expect((await server.call('DELETE', `/control/v1/portal/accounts/${accountId}`)).status).toBe(404);
    // A link for its password brings nobody back.
    expect((await owner.call('POST', '/invitations/password', { token: link.split('#')[1], password: PASSWORD })).status).toBe(410);
    expect(await control<PortalTeam>('GET', `/teams/${kept}`)).toMatchObject({ people: [], programs: [{ name: 'Stays' }] });
  });

  test('is taken away by nobody else: not without a session, not while one looks, not from another page', async () => {
    const { browser, teamId } = await somebodyOf('stayers');
    expect((await new PortalBrowser(server).call('POST', '/account/removal', { password: PASSWORD })).status).toBe(401);
    expect((await browser.call('POST', '/account/removal', { password: PASSWORD }, { 'x-csrf-token': 'none' })).status).toBe(403);
    expect((await browser.call('POST', '/account/removal', { password: PASSWORD }, { origin: 'https://elsewhere.example' })).status).toBe(403);
    const { url } = await control<LookLink>('POST', '/looks', { teamId });
    const looker = new PortalBrowser(server);
    await looker.ok('POST', '/look', { code: url.split('#')[1] });
    await looker.site();
    expect((await looker.call('POST', '/account/removal', {})).status).toBe(403);
    expect((await browser.site()).session).not.toBeNull();
  });

  test('is found by name, with teams, how it came and when it was last in', async () => {
    const { items, total } = await control<PortalAccounts>('GET', '/accounts?text=changers');
    expect(total).toBe(1);
    expect(items).toMatchObject([{ name: 'changers.owner', how: 'invited', provider: '', teams: ['changers'], state: 'active' }]);
    expect(items[0]?.lastSignInAt).toBeGreaterThan(Date.now() - 600_000);
    expect(JSON.stringify(await control('GET', '/accounts'))).not.toMatch(/scrypt|password"/);
  });
});

describe('a call that is tried', () => {
  let browser: PortalBrowser;
  beforeAll(async () => {
    ({ browser } = await somebodyOf('callers'));
  });
  const attempt = (change: object) => browser.ok<AttemptAnswer>('POST', '/attempts', { apiId: echo, method: 'GET', target: '/e/echo', headers: [], ...change });

  test('arrives as it was composed, with the address of whoever tries it, and comes back whole', async () => {
    const answer = await attempt({
      method: 'POST',
      target: '/e/echo?q=1&r=%C3%A9',
      headers: [
        { name: 'X-Mine', value: 'a, b' },
        { name: 'content-type', value: 'text/plain' },
      ],
      body: 'Wasser é 水',
    });
    expect(answer.status).toBe(200);
    const came = JSON.parse(answer.body ?? '') as { method: string; url: string; headers: Record<string, string>; body: string };
    expect(came).toMatchObject({
      method: 'POST',
      url: '/echo?q=1&r=%C3%A9',
      body: 'Wasser é 水',
      headers: { 'x-mine': 'a, b', 'content-type': 'text/plain', 'x-forwarded-for': browser.address },
    });
    expect(Object.keys(came.headers).filter((name) => /virga|cookie|csrf/.test(name))).toEqual([]);
    expect(answer.requestId).toMatch(/^[\w-]{8,}$/);
    // The operator finds it by what the page names.
    await until(async () => (await server.call('GET', `/control/v1/traces/${answer.requestId}`)).status === 200, 'the trace');
  });

  test('sends no body with GET and HEAD, and reads none of HEAD', async () => {
    expect(JSON.parse((await attempt({ body: 'x' })).body ?? '')).toMatchObject({ body: '' });
    expect(await attempt({ method: 'HEAD' })).toMatchObject({ status: 200, body: '', bodyBytes: 0, cut: false });
  });

  test('is cut where the answer is long, ended where it does not end, and named where it is no text', async () => {
    expect(await attempt({ target: '/e/long' })).toMatchObject({ bodyBytes: 400 * 1024, cut: true });
    expect((await attempt({ target: '/e/long' })).body).toHaveLength(256 * 1024);
    const endless = await attempt({ target: '/e/endless' });
    expect(endless).toMatchObject({ status: 200, cut: true });
    expect(await attempt({ target: '/e/binary' })).toMatchObject({ body: null, bodyBytes: 4 });
    expect((await attempt({ target: '/e/broken' })).status).toBe(502);
    expect((await attempt({ target: '/e/nothing-here' })).status).toBe(404);
  });
});

test('every step of a consumer and of the operator stands in the log, by name, and none of it can be taken for the operator’s', async () => {
  const { browser, teamId } = await somebodyOf('logged');
  await browser.ok('PATCH', '/account', { shownName: 'operator' });
  await browser.site();
  const client = await browser.ok<OwnClient>('POST', `/teams/${teamId}/clients`, { name: 'Logged app' });
  const { secret, credentialId } = await browser.ok<OwnSecretMade>('POST', `/teams/${teamId}/clients/${client.id}/keys`, { name: 'first' });
  await browser.ok('DELETE', `/teams/${teamId}/clients/${client.id}/credentials/${credentialId}`);
  await browser.ok('DELETE', `/teams/${teamId}/clients/${client.id}`);
  const { items } = await control<PortalLog>('GET', '/log');
  const own = items.filter(({ teamName }) => teamName === 'logged');
  expect(own.map(({ words }) => words)).toEqual([
    expect.stringContaining('taken away with its credentials'),
    'Logged app: the key “first” revoked',
    'Logged app: the key “first” made',
    'Logged app: added as a client',
    expect.stringContaining('joined as owner'),
    'invited somebody as owner',
    'the team logged made',
  ]);
  expect(own.slice(0, 4).every(({ by, side }) => by === 'portal: operator' && side === 'consumer')).toBe(true);
  expect(JSON.stringify(items)).not.toContain(secret ?? 'none');
  // The chained log of edits has them too, and its chain holds.
  const edits = await server.ok<{ items: { by: string; words: string[] }[]; brokenAt: number | null }>('GET', '/draft/edits');
  expect(edits.brokenAt).toBeNull();
  expect(edits.items.filter(({ by }) => by === 'portal: operator')).toHaveLength(4);
  // Older ones by pages.
  const older = await control<PortalLog>('GET', `/log?before=${own[3]?.number ?? 0}`);
  expect(older.items.every(({ number }) => number < (own[3]?.number ?? 0))).toBe(true);
});
