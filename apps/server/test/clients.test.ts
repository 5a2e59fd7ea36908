import type {
  ApiSummary,
  ClientChanged,
  ClientPage,
  ClientStanding,
  CredentialMade,
  FallView,
  OperationPage,
  OperationView,
  PublishView,
  StandingView,
  TracePage,
} from '@virga/protocol';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { RESOURCE, RunningServer, startStandins, type Standins, until } from './harness.js';

let server: RunningServer;
let standins: Standins;
let apiId: string;
let providerId: string;

/** OpenAPI's ways to ask for keys beside tokens: alone, together with a token, instead of one; Basic; a certificate; and nothing. */
const CONTRACT = `openapi: 3.1.0
info: { title: Gates, version: '1.0' }
paths:
  /gates: { get: { operationId: key, security: [{ key: [] }] } }
  /sections: { get: { operationId: open } }
  /both: { get: { operationId: both, security: [{ key: [], trust: ['gates:read'] }] } }
  /either: { get: { operationId: either, security: [{ key: [] }, { trust: ['gates:read'] }] } }
  /basic: { get: { operationId: basic, security: [{ name: [] }] } }
  /certificate: { get: { operationId: certificate, security: [{ host: [] }] } }
components:
  securitySchemes:
    key: { type: apiKey, in: header, name: X-Api-Key }
    name: { type: http, scheme: basic }
    host: { type: mutualTLS }
    trust: { type: http, scheme: bearer }
`;

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(join(server.folder, 'standins'), server.url);
  ({ id: providerId } = await server.ok<{ id: string }>('POST', '/providers', { name: 'Trust', issuer: standins.issuer, allowLoopbackHttp: true }));
  const { api } = await server.ok<{ api: { id: string; schemes: object[]; upstream: object } }>('POST', '/apis', {
    source: { text: CONTRACT },
    basePath: '/gates',
    upstreamUrl: standins.gates,
  });
  apiId = api.id;
  expect(api.schemes).toMatchObject([{ type: 'apiKey', place: { kind: 'header', name: 'x-api-key' } }, { type: 'http-basic' }, { type: 'mutualTLS' }, {}]);
  await server.ok('PATCH', `/apis/${apiId}`, {
    schemes: api.schemes.map((scheme) => ({ ...scheme, providers: [providerId] })),
    token: { type: 'at+jwt', anyAudience: false, audiences: [RESOURCE] },
    upstream: { ...api.upstream, sendCredential: false },
  });
  await server.ok('POST', '/releases', {});
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

const call = (path: string, headers: Record<string, string> = {}) => fetch(`${server.gatewayUrl}/gates${path}`, { headers });
const statusOf = async (path: string, headers: Record<string, string> = {}) => (await call(path, headers)).status;
const traceOf = (answer: Response) => server.traceOf(answer);
const codeOf = async (answer: Response) => (await traceOf(answer)).code;
const addClient = async (name: string, change: object = {}) => (await server.ok<ClientChanged>('POST', '/clients', { name, ...change })).client.id;
const addKey = (clientId: string, change: object = {}) =>
  server.ok<CredentialMade>('POST', `/clients/${clientId}/credentials`, { kind: 'key', name: 'first', ...change });

describe('clients', () => {
  test('a key is shown once, works at once, is kept as a hash only, and ends at once', async () => {
    const id = await addClient('Open data site');
    const made = await addKey(id);
    const key = { 'x-api-key': made.secret ?? '' };
    expect(made.secret).toMatch(/^vrk_[0-9A-Za-z]{38}$/);
    expect(made.effect).toMatchObject({ nodesTold: 1, nodesLive: 1 });
    expect(made.effect.effectiveMs).toBeLessThan(200);
    const good = await call('/gates', key);
    expect([good.status, await codeOf(good)]).toEqual([200, 'upstream.answered']);
    const trace = await traceOf(good);
    expect([trace.client, trace.steps.map(({ step, outcome }) => `${step} ${outcome}`)]).toEqual([
      'open-data-site',
      ['route pass', 'credential pass', 'key pass', 'rights pass', 'upstream pass'],
    ]);
    expect(trace.steps.find(({ step }) => step === 'rights')?.rule).toMatchObject({ apiId, operationId: 'GET /gates', part: 'access' });
    for (const file of ['virga.sqlite', 'virga.sqlite-wal']) expect(readFileSync(join(server.folder, file)).includes(made.secret ?? '?')).toBe(false);
    expect(JSON.stringify(trace)).not.toContain(made.secret);
    const revoked = await server.ok<ClientChanged>('POST', `/clients/${id}/credentials/${made.credential.id}/revoke`);
    expect([revoked.client.keys, revoked.client.credentials[0]?.state]).toEqual([0, 'revoked']);
    const refused = await call('/gates', key);
    const unknown = await call('/gates', { 'x-api-key': 'vrk_unknown' });
    expect([refused.status, await codeOf(refused), await codeOf(unknown)]).toEqual([401, 'key.revoked', 'key.unknown']);
    const told = async (answer: Response) => ({ ...((await answer.json()) as object), instance: '' });
    expect(await told(refused)).toEqual(await told(unknown));
  });

  test('key and token together, and either of them, as the contract says', async () => {
    const made = await addKey(await addClient('Both'));
    const key = { 'x-api-key': made.secret ?? '' };
    const token = { authorization: `Bearer ${await standins.token('workshop:workshop-demo-secret', 'gates:read', RESOURCE)}` };
    expect([await statusOf('/both', { ...key, ...token }), await statusOf('/both', key), await statusOf('/both', token)]).toEqual([404, 401, 401]);
    expect([await statusOf('/either', key), await statusOf('/either', token), await statusOf('/either')]).toEqual([404, 404, 401]);
    const alone = await call('/both', key);
    expect([await codeOf(alone), (await traceOf(alone)).reason]).toEqual(['rights.credential-missing', expect.stringContaining('trust is missing')]);
    // The stand-in says 404 to paths that it does not have: it was reached, and saw no credential.
    const passed = await traceOf(await call('/both', { ...key, ...token }));
    expect([passed.step, passed.outcome, passed.client]).toEqual(['upstream', 'passed', 'both']);
  });

  test('a Basic secret and a certificate', async () => {
    const id = await addClient('Billing');
    const made = await server.ok<CredentialMade>('POST', `/clients/${id}/credentials`, { kind: 'basic', name: 'billing' });
    const basic = (secret: string) => ({ authorization: `Basic ${Buffer.from(`billing:${secret}`).toString('base64')}` });
    expect([await statusOf('/basic', basic(made.secret ?? '')), await statusOf('/basic', basic('x'))]).toEqual([404, 401]);
    // The same name again is taken while it is good, and free once it is revoked: the new secret counts then, the old one not.
    const again = () => server.call('POST', `/control/v1/clients/${id}/credentials`, { kind: 'basic', name: 'billing' });
    expect((await again()).status).toBe(422);
    await server.ok('POST', `/clients/${id}/credentials/${made.credential.id}/revoke`);
    expect(await statusOf('/basic', basic(made.secret ?? ''))).toBe(401);
    const next = (await again()) as unknown as { status: number; body: CredentialMade };
    expect([next.status, await statusOf('/basic', basic(next.body.secret ?? '')), await statusOf('/basic', basic(made.secret ?? ''))]).toEqual([201, 404, 401]);
    const pem = readFileSync(new URL('../../gateway/test/fixtures/client.pem', import.meta.url), 'utf8');
    const certificate = await server.ok<CredentialMade>('POST', `/clients/${id}/credentials`, { kind: 'certificate', name: 'host', certificate: pem });
    expect([certificate.secret, certificate.credential.expiresAt === null]).toEqual([null, false]);
    expect(await statusOf('/certificate')).toBe(401);
    const bad = await server.call('POST', `/control/v1/clients/${id}/credentials`, { kind: 'certificate', name: 'host', certificate: 'no PEM' });
    expect([bad.status, bad.text]).toEqual([422, expect.stringContaining('/certificate')]);
  });

  test('a client that is off, taken away or expired gets in with nothing', async () => {
    const id = await addClient('Switched');
    const { secret } = await addKey(id, { expiresAt: Date.now() + 3_600_000 });
    const key = { 'x-api-key': secret ?? '' };
    await server.ok('PATCH', `/clients/${id}`, { enabled: false });
    const off = await call('/gates', key);
    await server.ok('PATCH', `/clients/${id}`, { enabled: true });
    expect([off.status, await codeOf(off), await statusOf('/gates', key)]).toEqual([401, 'key.client-off', 200]);
    expect((await server.call('POST', `/control/v1/clients/${id}/credentials`, { kind: 'key', name: 'k', expiresAt: 5 })).status).toBe(422);
    await server.call('DELETE', `/control/v1/clients/${id}`);
    const gone = await call('/gates', key);
    expect([gone.status, await codeOf(gone), (await server.call('GET', `/control/v1/clients/${id}`)).status]).toEqual([401, 'key.unknown', 404]);
  });

  test('a client of a provider that is joined and switched off is off for its tokens too', async () => {
    const id = await addClient('Workshop');
    await server.ok('POST', `/clients/${id}/credentials`, { kind: 'provider-client', name: 'at Trust', providerId, providerClient: 'workshop' });
    const token = { authorization: `Bearer ${await standins.token('workshop:workshop-demo-secret', 'gates:read', RESOURCE)}` };
    expect((await traceOf(await call('/either', token))).client).toBe('workshop');
    await server.ok('PATCH', `/clients/${id}`, { enabled: false });
    const off = await call('/either', token);
    expect([off.status, await codeOf(off)]).toEqual([401, 'claims.client-off']);
    await server.call('DELETE', `/control/v1/clients/${id}`);
    expect(await statusOf('/either', token)).toBe(404);
  });

  test('are found by name, owner and how a key begins, a page at a time', async () => {
    const id = await addClient('Findable', { owner: 'Team of the basin' });
    const { secret } = await addKey(id);
    const find = async (text: string) => (await server.ok<ClientPage>('GET', `/clients?text=${encodeURIComponent(text)}`)).items.map((item) => item.id);
    expect([await find('findab'), await find('of the basin'), await find((secret ?? '').slice(0, 10))]).toEqual([[id], [id], [id]]);
    const page = await server.ok<ClientPage>('GET', '/clients?limit=2&offset=1');
    expect([page.items.length, page.total > 3]).toEqual([2, true]);
  });

  test.each<[string, string, object]>([
    ['no name', '/clients', {}],
    ['an empty name', '/clients', { name: '' }],
    ['null for a name', '/clients', { name: null }],
    ['a line break in the name', '/clients', { name: 'a\nb' }],
    ['enabled as a word', '/clients', { name: 'a', enabled: 'yes' }],
    ['roles as a word', '/clients', { name: 'a', roles: 'reader' }],
  ])('bad input is told: %s', async (_name, path, body) => expect((await server.call('POST', `/control/v1${path}`, body)).status).toBe(422));

  test('survive a restart of the control plane and of the node, the revoked ones revoked', async () => {
    const id = await addClient('Lasting');
    const [kept, ended] = [await addKey(id), await addKey(id, { name: 'second' })];
    await server.ok('POST', `/clients/${id}/credentials/${ended.credential.id}/revoke`);
    await server.stop();
    expect(await server.start()).toBeNull();
    await until(async () => (await server.ok<StandingView>('GET', '/standing')).nodes[0]?.state === 'connected');
    expect(await statusOf('/gates', { 'x-api-key': kept.secret ?? '' })).toBe(200);
    expect(await codeOf(await call('/gates', { 'x-api-key': ended.secret ?? '' }))).toBe('key.revoked');
  });
});

describe('guarding an open API without breaking a call', () => {
  const OPEN = 'GET /sections';
  const patch = (body: object) => server.ok<{ items: OperationView[] }>('PATCH', `/apis/${apiId}/operations`, { ids: [OPEN], ...body });
  const publish = () => server.ok<PublishView>('POST', '/releases', {});
  const access = { kind: 'required', alternatives: [{ schemes: [{ scheme: 'key', scopes: [], match: 'all' }] }] };

  test('it is observed, counted, looked at, then enforced', async () => {
    expect(await statusOf('/sections')).toBe(200);
    const { items } = await patch({ access, modes: { all: 'observe', checks: {} } });
    expect(items.find(({ id }) => id === OPEN)).toMatchObject({
      modes: { all: 'observe' },
      observed: expect.arrayContaining(['credential', 'rights']) as string[],
    });
    await publish();
    const statuses = await Promise.all(Array.from({ length: 20 }, () => statusOf('/sections')));
    expect(statuses.every((status) => status === 200)).toBe(true);
    const trace = await traceOf(await call('/sections', { 'x-api-key': 'nothing' }));
    expect([trace.outcome, trace.code, trace.status]).toEqual(['would-refuse', 'key.unknown', 200]);
    expect(trace.steps.find(({ step }) => step === 'key')).toMatchObject({ outcome: 'would-refuse', mode: 'observe', toldStatus: 401 });
    // The counts are exact, though traces may be sampled.
    const seen = await until(async () => {
      const operation = (await server.ok<{ items: OperationView[] }>('GET', `/apis/${apiId}/operations`)).items.find(({ id }) => id === OPEN);
      return operation && operation.wouldRefuse >= 21 && operation;
    });
    expect(seen.wouldRefuse).toBe(21);
    const page = await server.ok<OperationPage>('GET', `/apis/${apiId}/operations/${encodeURIComponent(OPEN)}`);
    const check = (step: string) => page.checks.find((one) => one.step === step);
    expect(check('credential')).toMatchObject({ mode: 'observe', modeSetAt: 'operation', wouldRefuse: 20 });
    expect(check('key')).toMatchObject({ wouldRefuse: 1, passed: 0 });
    expect(check('rights')).toMatchObject({ wouldRefuse: 21, part: 'access' });
    expect(check('route')).toMatchObject({ mode: null, setAt: 'gateway' });
    const fall = await server.ok<FallView>('GET', '/overlook/fall?minutes=60');
    expect(fall.layers.find(({ step }) => step === 'credential')?.wouldStop).toBe(20);
    const found = await server.ok<TracePage>('GET', '/traces?outcome=would-refuse');
    expect(found.items.length).toBe(21);
    expect((await server.ok<{ items: { title: string }[] }>('GET', '/overlook/attention')).items.map(({ title }) => title)).toContain(
      'Gates: GET /sections only observes',
    );
    const [api] = (await server.ok<{ items: ApiSummary[] }>('GET', '/apis')).items;
    expect([api?.observedCount, api?.wouldRefuse]).toEqual([1, 21]);
    await patch({ modes: null });
    await publish();
    const refused = await call('/sections');
    expect([refused.status, await codeOf(refused)]).toEqual([401, 'credential.missing-elsewhere']);
    const { secret } = await addKey(await addClient('Sections'));
    expect(await statusOf('/sections', { 'x-api-key': secret ?? '' })).toBe(200);
  });

  test.each<[string, unknown]>([
    ['another word', { all: 'off', checks: {} }],
    ['no word', { checks: {} }],
    ['a check that there is not', { all: 'observe', checks: { route: 'observe' } }],
    ['a mode that there is not', { all: 'enforce', checks: { token: 'never' } }],
    ['null for a mode', { all: 'enforce', checks: { token: null } }],
    ['no checks', { all: 'enforce' }],
  ])('modes with %s are not taken', async (_name, modes) => {
    expect((await server.call('PATCH', `/control/v1/apis/${apiId}/operations`, { ids: [OPEN], modes })).status).toBe(422);
    expect((await server.call('PATCH', `/control/v1/apis/${apiId}`, { modes })).status).toBe(422);
  });
});

describe('limits that count by something else than the client', () => {
  const limit = (name: string, by: object) => ({ name, by, method: 'fixed', requests: 1000, seconds: 86_400, burst: null, mode: 'observe' });
  const standing = (id: string) => server.ok<ClientStanding>('GET', `/clients/${id}/limits`);

  test('are told of it too, by its credentials and by what its last requests said', async () => {
    const before = [await addClient('Quiet'), await addClient('Met', { metadata: { tier: 'small' } })] as const;
    const [quiet, met] = before;
    const [first, second] = [await addKey(met), await addKey(met, { name: 'second' })];
    await server.ok('POST', `/clients/${met}/credentials`, { kind: 'provider-client', name: 'at Trust', providerId, providerClient: 'workshop' });
    await server.ok('PATCH', '/limits', {
      limits: [
        limit('all', { kind: 'everyone' }),
        limit('own', { kind: 'client' }),
        limit('user', { kind: 'principal' }),
        limit('address', { kind: 'address' }),
        limit('key', { kind: 'credential' }),
        limit('team', { kind: 'header', name: 'X-Team' }),
        limit('tier', { kind: 'metadata', name: 'tier' }),
        limit('section', { kind: 'attribute', name: 'sections' }),
      ],
    });
    const operation = { ids: ['GET /either'], limits: [limit('narrow', { kind: 'header', name: 'X-Team' })] };
    await server.ok('PATCH', `/apis/${apiId}/operations`, operation);
    await server.ok('POST', '/releases', {});
    const token = { authorization: `Bearer ${await standins.token('workshop:workshop-demo-secret', 'gates:read', RESOURCE)}` };
    const keys = [first, second].map(({ secret }) => ({ 'x-api-key': secret ?? '' }));
    for (const headers of [{ ...keys[0], 'x-team': 'north' }, { ...keys[0], 'x-team': 'south' }, { ...keys[1], 'x-team': 'north' }, { ...token }]) {
      const { client } = await traceOf(await call('/either', headers));
      expect(client).toBe('met');
    }
    const { items, unknown, more } = await standing(met);
    const used = items.map(({ name, whose, rule, of, left }) => `${name} ${whose} ${rule === 'The gateway: limits' ? '' : rule}: ${of - left}`);
    expect(used.sort()).toEqual([
      'address 127.0.0.1 : 4',
      'all all callers together : 4',
      'key first : 2',
      'key second : 1',
      'narrow all without x-team Gates, GET /either: limits: 1',
      'narrow x-team north Gates, GET /either: limits: 2',
      'narrow x-team south Gates, GET /either: limits: 1',
      'own  : 4',
      'section all without sections : 4',
      'team all without x-team : 1',
      'team x-team north : 2',
      'team x-team south : 1',
      'tier all of tier "small" : 4',
      'user without a user : 3',
      'user workshop : 1',
    ]);
    expect([unknown, more]).toEqual([[], 0]);
    // Nothing was asked by the other one: what hangs on requests is named, and nothing of it is guessed. Where it never came it comes under nothing.
    const other = await standing(quiet);
    expect(other.items.map(({ name, of, left }) => `${name}: ${of - left}`).sort()).toEqual(['all: 4', 'own: 0', 'tier: 0']);
    expect(other.unknown.map(({ name, says }) => `${name} ${says}`)).toEqual([
      'user of each user, or of each client where there is no user',
      'address from each address, of IPv6 each network of 64 bits',
      'key with each credential',
      'team with each value of the header x-team',
      'section with each sections of the token',
    ]);
  });
});
