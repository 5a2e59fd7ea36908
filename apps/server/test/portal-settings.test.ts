import type { AttemptAnswer, InvitationMade, PortalTeam } from '@virga/protocol';
import { createServer, request, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { RunningServer } from './harness.js';
import { PortalBrowser } from './portal-browser.js';

const CONTRACT = `openapi: 3.1.0
info: { title: Placed, version: '1.0' }
security: []
paths: { /open: { get: { summary: Open } } }
`;
const NAMES = ['VIRGA_PORTAL_URL', 'VIRGA_PORTAL_HOPS', 'VIRGA_PORTAL_PORT'] as const;

let server: RunningServer;
let upstream: Server;

beforeAll(async () => {
  upstream = createServer((_came, response) => response.end('{}'));
  await new Promise<void>((resolve) => upstream.listen(0, '127.0.0.1', resolve));
});
beforeEach(() => {
  server = new RunningServer();
});
afterEach(async () => {
  for (const name of NAMES) delete process.env[name];
  await server.stop();
});
afterAll(() => {
  upstream.close();
});

const start = (env: Partial<Record<(typeof NAMES)[number], string>>, args: string[] = ['--no-node']): Promise<number | null> => {
  Object.assign(process.env, env);
  return server.start(args);
};

/** Asks the portal by a name of one's own. @returns status and cookies */
const named = (host: string, path: string, body?: object): Promise<{ status: number; cookies: string[] }> =>
  new Promise((resolve, reject) => {
    const sent = request(
      `${server.portalUrl}/portal/v1${path}`,
      { method: body ? 'POST' : 'GET', headers: { host, ...(body ? { 'content-type': 'application/json' } : {}) } },
      (answer) => resolve({ status: answer.resume().statusCode ?? 0, cookies: answer.headers['set-cookie'] ?? [] }),
    );
    sent.on('error', reject);
    sent.end(body && JSON.stringify(body));
  });

test.each([
  ['VIRGA_PORTAL_URL', 'apis.example'],
  ['VIRGA_PORTAL_URL', 'https://apis.example/portal'],
  ['VIRGA_PORTAL_HOPS', 'proxy.example'],
  ['VIRGA_PORTAL_HOPS', '192.0.2.0/33'],
  ['VIRGA_PORTAL_PORT', 'none'],
])('%s = %s is refused in words', async (name, value) => {
  expect(await start({ [name]: value })).toBe(1);
  expect(server.output).toMatch(/cannot start: .*(VIRGA_PORTAL|a port is a number)/);
});

test('without a portal none is served, and the rest is', async () => {
  expect(await start({}, ['--no-node', '--no-portal'])).toBeNull();
  await expect(fetch(server.portalUrl)).rejects.toThrow();
  expect((await server.call('GET', '/control/v1/portal/settings')).status).toBe(200);
});

test('under a name of its own: that host is served and no other, cookies travel over TLS only', async () => {
  await start({ VIRGA_PORTAL_URL: 'https://apis.basin.example' });
  expect((await named('apis.basin.example', '/site')).status).toBe(200);
  expect((await named(new URL(server.portalUrl).host, '/site')).status).toBe(200);
  expect((await named('elsewhere.example', '/site')).status).toBe(421);
  const { id } = await server.ok<PortalTeam>('POST', '/portal/teams', { name: 'T' });
  const { link } = await server.ok<InvitationMade>('POST', `/portal/teams/${id}/invitations`, { role: 'owner' });
  expect(link.startsWith('https://apis.basin.example/invitation#')).toBe(true);
  const account = { token: link.split('#')[1], name: 'one', shownName: 'One', password: 'a long enough password' };
  const { status, cookies } = await named('apis.basin.example', '/invitations/account', account);
  expect(status).toBe(204);
  expect(cookies[0]).toMatch(/; Secure/);
});

describe('behind a proxy', () => {
  /** Tries a call that one network alone may make, as the proxy says where it comes from. @returns what came of each */
  async function tried(...forwarded: string[]): Promise<number[]> {
    const { api } = await server.ok<{ api: { id: string } }>('POST', '/apis', {
      source: { text: CONTRACT },
      basePath: '/p',
      upstreamUrl: `http://127.0.0.1:${(upstream.address() as AddressInfo).port}`,
    });
    await server.ok('PATCH', `/apis/${api.id}`, { access: { kind: 'public' }, addresses: { kind: 'only', of: ['203.0.113.0/24'] } });
    await server.ok('POST', '/releases', { note: 'placed' });
    await server.ok('PUT', `/portal/apis/${api.id}`, { seen: 'signed-in', teams: [] });
    const { id } = await server.ok<PortalTeam>('POST', '/portal/teams', { name: 'T' });
    const { link } = await server.ok<InvitationMade>('POST', `/portal/teams/${id}/invitations`, { role: 'owner' });
    const browser = new PortalBrowser(server);
    await browser.accept(link, 'one', 'a long enough password');
    const input = { apiId: api.id, method: 'GET', target: '/p/open', headers: [] };
    const statuses = [];
    for (const from of forwarded) statuses.push((await browser.call<AttemptAnswer>('POST', '/attempts', input, { 'x-forwarded-for': from })).body.status);
    return statuses;
  }

  test('what it says of where one is counts, and what was written in front of that does not', async () => {
    await start({ VIRGA_PORTAL_HOPS: '127.0.0.0/8, ::1' }, []);
    expect(await tried('203.0.113.9', '203.0.113.9, 198.51.100.1')).toEqual([200, 403]);
  });

  test('where no proxy is named, nobody says where one is', async () => {
    await start({}, []);
    expect(await tried('203.0.113.9')).toEqual([403]);
  });
});
