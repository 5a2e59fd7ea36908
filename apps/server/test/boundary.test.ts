import type { ApiView, AttentionView, ImportView, PublishView, ProviderView } from '@virga/protocol';
import { join } from 'node:path';
import { Sequelize } from 'sequelize';
import { askToken, PASSWORD, publishGates, RESOURCE, RunningServer, startStandins, until, type Standins } from './harness.js';

/** The control API as an attacker meets it, and what a release keeps of its own when the draft goes on. */
let server: RunningServer;
let standins: Standins;
let apiId: string;
let trustId: string;
let endpoints: { method: string; path: string }[] = [];
const JSON_TYPE = { 'content-type': 'application/json' };

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(join(server.folder, 'standins'), server.url);
  ({ apiId, providerId: trustId } = await publishGates(server, standins));
  const { text } = await server.call('GET', '/control/openapi.json', undefined, {});
  const { paths } = JSON.parse(text) as { paths: Record<string, Record<string, unknown>> };
  endpoints = Object.entries(paths).flatMap(([path, item]) =>
    Object.keys(item).map((method) => ({ method: method.toUpperCase(), path: path.replace(/\{[^{}]+\}/g, 'x') })),
  );
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

const isSignIn = ({ method, path }: { method: string; path: string }): boolean => path === '/control/v1/session' && method === 'POST';
const session = async (): Promise<{ cookie: string; csrf: string }> => {
  const made = await server.call<{ csrfToken: string }>('POST', '/control/v1/session', { name: 'operator', password: PASSWORD }, JSON_TYPE);
  return { cookie: (made.headers.get('set-cookie') ?? '').split(';')[0] ?? '', csrf: made.body.csrfToken };
};

describe('every endpoint of the control API', () => {
  test('there are many, and only signing in is open', async () => {
    expect(endpoints.length).toBeGreaterThan(50);
    const open: string[] = [];
    for (const endpoint of endpoints) {
      const { status } = await server.call(endpoint.method, endpoint.path, endpoint.method === 'GET' || endpoint.method === 'DELETE' ? undefined : {}, {});
      if (status !== 401) open.push(`${endpoint.method} ${endpoint.path} ${status}`);
    }
    expect(open).toEqual([expect.stringMatching(/^POST \/control\/v1\/session 4(22|29)$/)]);
  });

  test('a session alone changes nothing without its CSRF token', async () => {
    const { cookie } = await session();
    const changed: string[] = [];
    for (const endpoint of endpoints.filter((item) => item.method !== 'GET' && !isSignIn(item))) {
      const { status } = await server.call(endpoint.method, endpoint.path, endpoint.method === 'DELETE' ? undefined : {}, { cookie });
      // Scanners have a credential of their own, and a session is none.
      if (status !== (endpoint.path.startsWith('/scanner/') ? 401 : 403)) changed.push(`${endpoint.method} ${endpoint.path} ${status}`);
    }
    expect(changed).toEqual([]);
  });

  test('no answer to a wrong body is a fault, and each names a place or a thing that is not there', async () => {
    const faults: string[] = [];
    for (const endpoint of endpoints.filter(
      (item) => ['POST', 'PUT', 'PATCH'].includes(item.method) && !isSignIn(item) && !item.path.endsWith('/draft/discard'),
    )) {
      for (const body of [[], 'text', 7, { unexpected: true }, { __proto__: { admin: true } }]) {
        const { status } = await server.call(endpoint.method, endpoint.path, JSON.stringify(body));
        if (status >= 500) faults.push(`${endpoint.method} ${endpoint.path} ${JSON.stringify(body)}: ${status}`);
      }
    }
    expect(faults).toEqual([]);
  });

  test('nobody reads an answer from another site: no CORS header anywhere', async () => {
    const { cookie } = await session();
    for (const path of ['/control/v1/apis', '/control/v1/bench/issuer', '/control/openapi.json']) {
      const answer = await server.call('GET', path, undefined, { cookie, origin: 'https://evil.example' });
      expect([...answer.headers.keys()].filter((name) => name.startsWith('access-control-'))).toEqual([]);
    }
  });

  test('the callback of the bench cannot be made to do anything but end a grant that was begun', async () => {
    for (const query of [
      '',
      '?code=x',
      '?state=x&code=y',
      `?state=${'x'.repeat(5000)}`,
      '?state[]=x',
      '?error=%3Cscript%3Ealert(1)%3C/script%3E&state=%22%3E',
    ]) {
      const answer = await fetch(`${server.url}/control/v1/bench/callback${query}`);
      const text = await answer.text();
      expect([answer.status, text.includes('<script>alert')]).toEqual([200, false]);
      expect(answer.headers.get('content-security-policy')).toContain("default-src 'self'");
    }
    const posted = await fetch(`${server.url}/control/v1/bench/callback`, { method: 'POST', headers: JSON_TYPE, body: '{"fragment":{"a":1}}' });
    expect(await posted.text()).toContain('This sign-in is not known');
  });
});

describe('a contract that names its provider', () => {
  const contract = (url: string) => `openapi: 3.1.0
info: { title: Named, version: '1' }
security: [{ sso: [] }]
paths: { /a: { get: {} } }
components: { securitySchemes: { sso: { type: openIdConnect, openIdConnectUrl: '${url}' } } }
`;
  test.each([
    ['trusted already: bound', () => `${standins.issuer}/.well-known/openid-configuration`, () => [trustId]],
    ['not trusted: a hint, and nobody gets in', () => 'https://nobody.example/.well-known/openid-configuration', () => []],
    ['almost alike: not bound', () => `${standins.issuer}/x/.well-known/openid-configuration`, () => []],
  ])('%s', async (name, url, providers) => {
    const { api } = await server.ok<ImportView>('POST', '/apis', {
      source: { text: contract(url()) },
      basePath: `/named-${name.length}`,
      upstreamUrl: 'http://127.0.0.1:9',
    });
    expect(api.schemes.map((scheme) => [scheme.metadataUrl, scheme.providers])).toEqual([[url(), providers()]]);
    await server.ok('DELETE', `/apis/${api.id}`);
  });
});

describe('a release keeps what it was made with', () => {
  const call = async (token: string) => (await fetch(`${server.gatewayUrl}/gates/gates`, { headers: { authorization: `Bearer ${token}` } })).status;
  const fresh = async () =>
    (await askToken(standins.dunlin, 'inspection-kit:inspection-demo-secret', { grant_type: 'client_credentials', scope: 'gates:read', resource: RESOURCE }))[
      'access_token'
    ] ?? '';

  test('a wrong secret in the draft breaks nothing that is live; published it does; rolled back it is right again', async () => {
    const source = { kind: 'introspection', endpoint: `${standins.dunlin}/token/introspection`, clientId: 'virga-gateway', secret: 'gateway-demo-secret' };
    const dunlin = await server.ok<ProviderView>('POST', '/providers', { name: 'Dunlin', issuer: standins.dunlin, source, allowLoopbackHttp: true });
    const api = await server.ok<ApiView>('GET', `/apis/${apiId}`);
    await server.ok('PATCH', `/apis/${apiId}`, { schemes: api.schemes.map((scheme) => ({ ...scheme, providers: [trustId, dunlin.id] })) });
    const good = await server.ok<PublishView>('POST', '/releases', { note: 'right' });
    expect(await call(await fresh())).toBe(200);
    await server.ok('PATCH', `/providers/${dunlin.id}`, { source: { ...source, secret: 'a wrong secret' } });
    expect(await call(await fresh())).toBe(200);
    await server.ok('POST', '/releases', { note: 'wrong' });
    expect(await call(await fresh())).toBe(503);
    await server.ok('POST', `/releases/${good.release.number}/roll-back`, { note: '' });
    expect(await call(await fresh())).toBe(200);
    await server.ok('PATCH', `/providers/${dunlin.id}`, {
      source: { kind: 'introspection', endpoint: source.endpoint, clientId: 'virga-gateway', timeoutMs: 900 },
    });
    expect((await server.ok<ProviderView>('GET', `/providers/${dunlin.id}`)).source).toMatchObject({ secretSet: true, timeoutMs: 900 });
  });

  test('secrets, revocations and kept tokens are still there after a restart', async () => {
    await server.ok('POST', '/revocations', { kind: 'subject', providerId: trustId, value: 'somebody', reason: 'left' });
    await server.stop();
    await server.start();
    expect((await server.call<{ items: { value: string }[] }>('GET', '/control/v1/revocations')).body.items.map((item) => item.value)).toEqual(['somebody']);
    await until(async () => (await call(await fresh()).catch(() => 0)) === 200);
  });

  test('a revocation and a table of before that do not say what they seem to need attention, the gravest first', async () => {
    await server.stop();
    const database = new Sequelize({ dialect: 'sqlite', storage: join(server.folder, 'virga.sqlite'), logging: false });
    await database.query("INSERT INTO revocations VALUES ('odd', 'client', ?, 'work\u200bshop', NULL, 'left', 1)", { replacements: [trustId] });
    const table = { name: 'odd', description: '', key_column: 'gate', columns: '["gate"]', rows: '[["7 "]]', row_count: 1, changed_at: 1, changed_by: 'me' };
    await database.getQueryInterface().bulkInsert('fact_tables', [table]);
    await database.close();
    await server.start();
    const { items } = await server.ok<AttentionView>('GET', '/overlook/attention');
    const at = (link: string, mark: string): number => items.findIndex((item) => item.link === link && item.mark === mark);
    const [revocation, odd] = [at(`/providers/${trustId}`, 'refused'), at('/tables?name=odd', 'would-refuse')];
    expect(items[revocation]).toMatchObject({
      title: 'What is revoked at Trust is not what it looks like',
      detail: expect.stringContaining('has a character that is not seen (U+200B)') as string,
    });
    expect([revocation >= 0, odd > revocation]).toEqual([true, true]);
    const order = items.map(({ mark }) => ['refused', 'would-refuse', 'unknown'].indexOf(mark));
    expect(order).toEqual([...order].sort((a, b) => a - b));
  });
});
