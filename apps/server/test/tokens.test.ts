import type {
  ApiView,
  AttentionView,
  BenchIssuerView,
  DiscoveryView,
  ExamineView,
  GrantView,
  MintView,
  OperationList,
  ProblemDocument,
  ProviderComparison,
  ProviderView,
  RevocationList,
  RevocationView,
  SavedTokenList,
  SavedTokenView,
  TamperView,
} from '@virga/protocol';
import { exportSPKI, exportJWK, generateKeyPair, SignJWT } from 'jose';
import { randomUUID, createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { askToken, enterCode, publishGates, RESOURCE, RunningServer, signInAt, startStandins, until, type Standins } from './harness.js';

let server: RunningServer;
let standins: Standins;
let apiId: string;
let trustId: string;
let registry: ProviderView;
let dunlin: ProviderView;
const LOCAL = { allowLoopbackHttp: true };
const source = (paths: string[], change: object = {}) => ({ paths, split: 'none', stripPrefixes: [], table: [], unlisted: 'keep', fallback: [], ...change });

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(join(server.folder, 'standins'), server.url);
  ({ apiId, providerId: trustId } = await publishGates(server, standins));
  registry = await server.ok<ProviderView>('POST', '/providers', { name: 'State Water Registry', issuer: standins.registry, ...LOCAL });
  const claimMap = {
    ...registry.claimMap,
    scopes: source(['scp']),
    roles: source(['/registry/access/roles'], { table: [{ from: 'partner-agency', to: ['partner'] }], unlisted: 'drop' }),
    tenant: source(['org']),
  };
  await server.ok('PATCH', `/providers/${registry.id}`, { claimMap });
  const asked = {
    kind: 'introspection',
    endpoint: `${standins.dunlin}/token/introspection`,
    clientId: 'virga-gateway',
    secret: 'gateway-demo-secret',
    timeoutMs: 800,
  };
  dunlin = await server.ok<ProviderView>('POST', '/providers', { name: 'Dunlin Fieldworks', issuer: standins.dunlin, source: asked, ...LOCAL });
  const api = await server.ok<ApiView>('GET', `/apis/${apiId}`);
  await server.ok('PATCH', `/apis/${apiId}`, {
    schemes: api.schemes.map((scheme) => ({ ...scheme, providers: [trustId, registry.id, dunlin.id] })),
    token: { type: 'ANY_TYPE' },
  });
  await server.ok('POST', '/releases', { note: 'three providers' });
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

const call = async (token: string, path = '/gates', headers: Record<string, string> = {}) =>
  (await fetch(`${server.gatewayUrl}/gates${path}`, { headers: { authorization: `Bearer ${token}`, ...headers } })).status;
const trustToken = (scope = 'gates:read') => standins.token('workshop:workshop-demo-secret', scope, RESOURCE);
const registryToken = async () =>
  (await askToken(standins.registry, 'registry-sync:registry-demo-secret', { grant_type: 'client_credentials', scope: 'gates:read', resource: RESOURCE }))[
    'access_token'
  ] ?? '';
const dunlinToken = async () =>
  (await askToken(standins.dunlin, 'inspection-kit:inspection-demo-secret', { grant_type: 'client_credentials', scope: 'gates:read', resource: RESOURCE }))[
    'access_token'
  ] ?? '';
const examine = (token: string, target: object = { apiId, operationId: 'GET /gates' }) =>
  server.ok<ExamineView>('POST', '/bench/examinations', { token, against: 'draft', ...target });
const disturb = (issuer: string, mood: string) => fetch(`${issuer}/standin/${mood}`, { method: 'POST' });

describe('three providers with three shapes of tokens on one API', () => {
  test('all pass, each under its own issuer; a mapped role and tenant come out', async () => {
    expect([await call(await trustToken()), await call(await registryToken()), await call(await dunlinToken())]).toEqual([200, 200, 200]);
    const found = await examine(await registryToken());
    expect(found).toMatchObject({
      outcome: 'passed',
      principal: { issuer: standins.registry, scopes: ['gates:read'], roles: ['partner'], tenant: 'state-water' },
    });
    expect((await examine(await dunlinToken())).principal).toMatchObject({ issuer: standins.dunlin, client: 'inspection-kit' });
  });

  test('roles can be asked for, by operation', async () => {
    const access = { kind: 'required', alternatives: [{ schemes: [{ scheme: 'trust', scopes: ['gates:read'], match: 'all', roles: ['partner', 'rider'] }] }] };
    const { items } = await server.ok<OperationList>('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates'], access });
    expect(items.find((item) => item.id === 'GET /gates')?.who).toBe('scope gates:read and one of the roles partner, rider');
    expect((await examine(await registryToken())).outcome).toBe('passed');
    expect(await examine(await trustToken())).toMatchObject({ outcome: 'refused', code: 'rights.role-missing', status: 403 });
    await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates'], access: null });
  });

  test('a provider that is asked shows its calls, and its secret is nowhere to be read', async () => {
    const view = await until(async () => {
      const asked = await server.ok<ProviderView>('GET', `/providers/${dunlin.id}`);
      return asked.state !== 'not-asked' && asked;
    });
    expect(view).toMatchObject({ state: 'reachable', source: { kind: 'introspection', secretSet: true, clientId: 'virga-gateway' } });
    expect(view.calls).toBeGreaterThan(0);
    for (const path of [`/providers/${dunlin.id}`, '/providers', '/releases/2'])
      expect((await server.call('GET', `/control/v1${path}`)).text).not.toContain('gateway-demo-secret');
    for (const file of readdirSync(server.folder).filter((name) => name.startsWith('virga.sqlite')))
      expect(readFileSync(join(server.folder, file)).includes('gateway-demo-secret')).toBe(false);
  });
});

describe('a provider that misbehaves is named', () => {
  const discover = (issuer: string) => server.ok<DiscoveryView>('POST', '/providers/discover', { issuer, ...LOCAL });
  afterEach(() => disturb(standins.registry, 'calm'));

  test.each([
    ['wrong-issuer', /they differ only in a slash at the end/],
    ['weak-key', /RSA key of 1024 bits/],
    ['huge-document', /more than 524288 bytes/],
    ['not-json', /HTML or XML page, not with JSON/],
    ['failing', /answered 500/],
    ['outage', /could not be fetched|nothing listens/],
    ['slow?ms=20000&slow=6000', /did not answer within 5000 ms/],
  ])(
    '%s',
    async (mood, words) => {
      await disturb(standins.registry, mood);
      const said = await discover(standins.registry);
      expect([said.ok, said.problem]).toEqual([false, expect.stringMatching(words)]);
    },
    30_000,
  );

  test('an opaque provider that is down: 503, and the reason is the operator’s', async () => {
    const token = await dunlinToken();
    await disturb(standins.dunlin, 'failing');
    expect(await call(token)).toBe(503);
    const found = await examine(token);
    expect(found).toMatchObject({ code: 'token.introspection-unavailable', status: 503 });
    expect(found.sentence).toContain('answered 500');
    await disturb(standins.dunlin, 'calm');
  });
});

describe('other sources of trust', () => {
  test('a PEM, a certificate’s key or a JWK; a private key is turned away', async () => {
    const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
    const pem = await exportSPKI(publicKey);
    const made = await server.ok<ProviderView>('POST', '/providers', {
      name: 'By hand',
      issuer: 'https://by-hand.example',
      source: { kind: 'keys', keys: pem },
    });
    expect(made).toMatchObject({ algorithms: ['ES256'], source: { kind: 'keys', keyCount: 1 } });
    const token = await new SignJWT({ iss: 'https://by-hand.example', sub: 'x' }).setExpirationTime('5m').setProtectedHeader({ alg: 'ES256' }).sign(privateKey);
    expect(await examine(token, { providerId: made.id })).toMatchObject({ outcome: 'passed', target: 'By hand alone, any audience' });
    const wrong = await server.call<{ errors: { pointer: string; detail: string }[] }>('POST', '/control/v1/providers', {
      name: 'x',
      issuer: 'https://x.example',
      source: { kind: 'keys', keys: JSON.stringify(await exportJWK(privateKey)) },
    });
    expect([wrong.status, wrong.body.errors[0]]).toEqual([422, { pointer: '/source/keys', detail: expect.stringContaining('private part') }]);
    await server.ok('DELETE', `/providers/${made.id}`);
  });

  test.each<[string, object, string]>([
    ['no key at all', { kind: 'keys', keys: 'hello' }, '/source/keys'],
    ['a short secret', { kind: 'secret', secret: 'short' }, '/source/secret'],
    ['introspection without a client', { kind: 'introspection', endpoint: 'https://a.example/i', secret: 's' }, '/source/clientId'],
    ['introspection without a secret', { kind: 'introspection', endpoint: 'https://a.example/i', clientId: 'c' }, '/source/secret'],
    ['a key that is none', { kind: 'introspection', endpoint: 'https://a.example/i', clientId: 'c', method: 'private_key_jwt', secret: 'x' }, '/source/secret'],
    ['no endpoint', { kind: 'userinfo' }, '/source/endpoint'],
    ['a key set that cannot be fetched', { kind: 'key-set-url', url: 'https://127.0.0.1:1/keys' }, '/source/url'],
  ])('%s is refused with its place', async (_name, from, pointer) => {
    const answer = await server.call<{ errors: { pointer: string }[] }>('POST', '/control/v1/providers', {
      name: 'x',
      issuer: 'https://y.example',
      source: from,
    });
    expect([answer.status, answer.body.errors.map((error) => error.pointer)]).toEqual([422, [pointer]]);
  });

  test('what is set and what the provider says are compared', async () => {
    const same = await server.ok<ProviderComparison>('GET', `/providers/${registry.id}/comparison`);
    expect([same.said.ok, same.differences]).toEqual([true, []]);
    await server.ok('PATCH', `/providers/${registry.id}`, { algorithms: ['RS256'], source: { kind: 'key-set-url', url: `${standins.registry}/other` } });
    const { differences } = await server.ok<ProviderComparison>('GET', `/providers/${registry.id}/comparison`);
    expect(differences.map((item) => item.what)).toEqual(['Key set', 'Algorithms of its keys', 'Algorithms without a key']);
    await server.ok('POST', '/draft/discard');
  });
});

describe('verification options', () => {
  test('a wrong one is refused with its place', async () => {
    const patch = (token: object) => server.call<{ errors: { pointer: string }[] }>('PATCH', `/control/v1/apis/${apiId}`, { token });
    for (const [token, pointer] of [
      [{ places: [{ kind: 'header', name: 'host', scheme: '' }] }, '/token/places/0/name'],
      [{ audiences: [] }, '/token/audiences'],
      [{ dpop: 'required', places: [{ kind: 'cookie', name: 'at' }] }, '/token/dpop'],
      [{ decryptionKeys: 'hello' }, '/token/decryptionKeys'],
      [{ stepUp: { acrValues: [], maxAgeSeconds: -1 } }, '/token/stepUp/maxAgeSeconds'],
      [
        {
          places: [
            { kind: 'query', name: 'a' },
            { kind: 'query', name: 'a' },
          ],
        },
        '/token/places/1',
      ],
    ] as const) {
      const answer = await patch(token);
      expect([answer.status, answer.body.errors.map((error) => error.pointer)]).toEqual([422, [pointer]]);
    }
  });

  test('an operation may ask for more than its API, and the draft’s question sees it', async () => {
    const { items } = await server.ok<OperationList>('PATCH', `/apis/${apiId}/operations`, {
      ids: ['GET /gates'],
      token: {
        clients: ['rider-tablet'],
        maxAgeSeconds: 60,
        claims: [{ path: 'sub', values: [] }],
        stepUp: { acrValues: ['urn:basin:key'], maxAgeSeconds: null },
      },
    });
    expect(items.find((item) => item.id === 'GET /gates')?.tokenWords).toBe('client rider-tablet; at most 60 s old; sub there; step-up urn:basin:key');
    const found = await examine(await trustToken());
    expect(found.checks.filter((check) => check.outcome === 'refuse').map((check) => check.code)).toEqual(['claims.client', 'claims.step-up']);
    expect(found.checks.filter((check) => check.decides).map((check) => check.code)).toEqual(['claims.client']);
    expect((await examine(await trustToken(), { apiId, operationId: 'GET /gates', against: 'live' })).outcome).toBe('passed');
    await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates'], token: null });
  });
});

test('tokens in the query and for any audience are pointed at', async () => {
  const before = await server.ok<ApiView>('GET', `/apis/${apiId}`);
  await server.ok('PATCH', `/apis/${apiId}`, { token: { places: [...(before.token.places ?? []), { kind: 'query', name: 'key' }] } });
  await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates'], token: { anyAudience: true, audiences: [] } });
  await server.ok('POST', '/releases', { note: 'weak', overrule: ['Gates GET /gates/gates: a token for another API'] });
  const { items } = await server.ok<AttentionView>('GET', '/overlook/attention');
  expect(items.map((item) => item.title)).toEqual(
    expect.arrayContaining(['Gates takes tokens in the query', 'Gates: GET /gates takes tokens for any audience']),
  );
  await server.ok('PATCH', `/apis/${apiId}`, { token: { places: before.token.places } });
  await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates'], token: null });
  await server.ok('POST', '/releases', { note: 'strong again' });
});

describe('revocations', () => {
  test('stop tokens at once and let them pass again', async () => {
    const token = await trustToken();
    expect(await call(token)).toBe(200);
    const made = await server.ok<RevocationView>('POST', '/revocations', { kind: 'client', providerId: trustId, value: 'workshop', reason: 'key leaked' });
    expect(made.providerName).toBe('Trust');
    await until(async () => (await call(token)) === 401, 'the revocation');
    expect(await examine(token)).toMatchObject({ code: 'claims.revoked' });
    expect((await server.ok<RevocationList>('GET', '/revocations')).items).toHaveLength(1);
    await server.ok('DELETE', `/revocations/${made.id}`);
    await until(async () => (await call(token)) === 200, 'the way back');
    expect((await server.call('DELETE', `/control/v1/revocations/${made.id}`)).status).toBe(404);
    expect((await server.call('POST', '/control/v1/revocations', { kind: 'jti', providerId: 'nobody', value: 'x', reason: 'y' })).status).toBe(422);
  });

  test.each(['workshop ', '\tworkshop', 'work\u200bshop', 'workshop\u00a0'])('of %j, which no token says, are refused', async (value) => {
    const answer = await server.call<ProblemDocument>('POST', '/control/v1/revocations', { kind: 'client', providerId: trustId, value, reason: 'typed' });
    expect([answer.status, answer.body.errors?.[0]?.pointer]).toEqual([422, '/value']);
    expect((await server.ok<RevocationList>('GET', '/revocations')).items).toEqual([]);
  });

  test.each([1_700_000_000, -1, 0, 8.64e15])('of tokens of before %d, which is no moment in milliseconds, are refused', async (issuedBefore) => {
    const body = { kind: 'client', providerId: trustId, value: 'workshop', reason: 'typed', issuedBefore };
    const answer = await server.call<ProblemDocument>('POST', '/control/v1/revocations', body);
    expect([answer.status, answer.body.errors?.[0]?.pointer]).toEqual([422, '/issuedBefore']);
  });
});

describe('the bench', () => {
  test('its own tokens pass in a draft that trusts them, never live, and every tampered one is stopped', async () => {
    const { token, issuer } = await server.ok<MintView>('POST', '/bench/tokens', {
      algorithm: 'ES256',
      claims: { sub: 'rider.north', client_id: 'c', aud: RESOURCE, scope: 'gates:read' },
    });
    const about = await server.ok<BenchIssuerView>('GET', '/bench/issuer');
    expect(about.issuer).toBe(issuer);
    expect(JSON.stringify(about.keySet)).not.toMatch(/"d":/);
    expect(await examine(token)).toMatchObject({ outcome: 'refused', code: 'token.issuer-unknown' });
    const target = { apiId, operationId: 'GET /gates', trustBench: true };
    expect((await examine(token, target)).outcome).toBe('passed');
    expect(await call(token)).toBe(401);
    expect((await server.call('POST', '/control/v1/bench/examinations', { token, against: 'live', ...target })).status).toBe(422);
    const { rows } = await server.ok<TamperView>('POST', '/bench/tamperings', { token, against: 'draft', ...target });
    expect(rows.length).toBeGreaterThan(28);
    expect(rows.filter((row) => row.result !== 'stopped').map((row) => [row.id, row.code])).toEqual([]);
    const trusted = await server.ok<TamperView>('POST', '/bench/tamperings', { token: await trustToken(), against: 'live', apiId, operationId: 'GET /gates' });
    expect(trusted.rows.filter((row) => row.result !== 'stopped').map((row) => [row.id, row.code])).toEqual([]);
    expect(trusted.rows.find((row) => row.id === 'hmac-confusion')?.code).toBe('token.algorithm-confused');
  });

  test('its answer is the gateway’s: the same code in the trace of the same token', async () => {
    const token = await standins.token('workshop:workshop-demo-secret', 'gates:read', 'https://elsewhere.example');
    const answer = await fetch(`${server.gatewayUrl}/gates/gates`, { headers: { authorization: `Bearer ${token}` } });
    const found = await examine(token, { apiId, operationId: 'GET /gates', against: 'live' });
    expect([found.status, found.code]).toEqual([answer.status, 'token.audience-wrong']);
    expect(found.steps[found.steps.length - 1]?.code).toBe('token.audience-wrong');
  });

  test.each<[string, object, string]>([
    ['a public operation', { operationId: 'GET /sections' }, '/operationId'],
    ['an operation that is not there', { operationId: 'GET /nothing' }, '/operationId'],
    ['an API that is not there', { apiId: 'x' }, '/apiId'],
  ])('says what it cannot be held against: %s', async (_name, target, pointer) => {
    const answer = await server.call<{ errors: { pointer: string }[] }>('POST', '/control/v1/bench/examinations', {
      token: 'x',
      against: 'draft',
      apiId,
      ...target,
    });
    expect([answer.status, answer.body.errors.map((error) => error.pointer)]).toEqual([422, [pointer]]);
  });

  test('keeps a token by name without its signature, and nothing else of it', async () => {
    const token = await trustToken();
    const kept = await server.ok<SavedTokenView>('POST', '/bench/saved-tokens', { name: 'of the workshop', token });
    expect(kept.text).toBe(`${token.split('.').slice(0, 2).join('.')}.`);
    expect((await server.ok<SavedTokenList>('GET', '/bench/saved-tokens')).items.map((item) => item.name)).toEqual(['of the workshop']);
    for (const file of readdirSync(server.folder).filter((name) => name.startsWith('virga.sqlite')))
      expect(readFileSync(join(server.folder, file)).includes(token.split('.')[2] ?? '-')).toBe(false);
    expect((await server.call('POST', '/control/v1/bench/saved-tokens', { name: 'x', token: 'opaque-token-of-some-length' })).status).toBe(422);
    await server.ok('DELETE', `/bench/saved-tokens/${kept.id}`);
  });

  test('a DPoP token of the live provider is verified with its proof', async () => {
    const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
    const jwk = await exportJWK(publicKey);
    const proof = (htu: string, htm: string, more: object = {}) =>
      new SignJWT({ jti: randomUUID(), htm, htu, ...more }).setIssuedAt().setProtectedHeader({ typ: 'dpop+jwt', alg: 'ES256', jwk }).sign(privateKey);
    const answer = await fetch(`${standins.issuer}/token`, {
      method: 'POST',
      headers: {
        authorization: `Basic ${Buffer.from('workshop:workshop-demo-secret').toString('base64')}`,
        'content-type': 'application/x-www-form-urlencoded',
        dpop: await proof(`${standins.issuer}/token`, 'POST'),
      },
      body: new URLSearchParams({ grant_type: 'client_credentials', scope: 'gates:read', resource: RESOURCE }),
    });
    const { access_token: token, token_type: type } = (await answer.json()) as { access_token: string; token_type: string };
    expect(type).toBe('DPoP');
    const ath = createHash('sha256').update(token).digest('base64url');
    const get = async () =>
      (
        await fetch(`${server.gatewayUrl}/gates/gates`, {
          headers: { authorization: `DPoP ${token}`, dpop: await proof(`${server.gatewayUrl}/gates/gates`, 'GET', { ath }) },
        })
      ).status;
    expect(await get()).toBe(200);
    expect(await call(token)).toBe(401);
    expect((await examine(token)).code).toBe('proof.bound-as-bearer');
  });
});

/** RFC 7636 section 4.2; held to the values of its appendix B below. */
const challengeOf = (verifier: string): string => createHash('sha256').update(verifier).digest('base64url');

describe('tokens by every grant, from a live provider', () => {
  const begin = (input: object) => server.ok<GrantView>('POST', '/bench/grants', { providerId: trustId, scopes: ['gates:read'], resource: RESOURCE, ...input });
  const ended = (id: string): Promise<GrantView> =>
    until(async () => {
      const view = await server.ok<GrantView>('GET', `/bench/grants/${id}`);
      return view.state !== 'waiting' && view;
    }, 'the end of the grant');
  const WORKSHOP = { clientId: 'workshop', clientSecret: 'workshop-demo-secret' };

  test('client credentials; every exchange is shown and no secret with it', async () => {
    const view = await begin({ grant: 'client_credentials', ...WORKSHOP });
    expect(view).toMatchObject({ state: 'done', warnings: [] });
    expect((await examine(view.accessToken ?? '')).outcome).toBe('passed');
    expect(view.exchanges.map((exchange) => [exchange.method, exchange.status])).toEqual([
      ['GET', 200],
      ['POST', 200],
    ]);
    const shown = JSON.stringify(view.exchanges);
    expect(shown).not.toContain('workshop-demo-secret');
    expect(shown).not.toContain(view.accessToken);
    expect(view.exchanges[1]?.curl).toMatch(/^curl -X POST 'http.*\/token' .*-u "workshop:\$CLIENT_SECRET".*--data-urlencode 'grant_type=client_credentials'/);
  });

  test('authorization code with PKCE, then refresh; the answer is good once', async () => {
    const view = await begin({ grant: 'authorization_code', clientId: 'rider-tablet', scopes: ['openid', 'offline_access', 'gates:read'] });
    expect(view.goTo).toContain(
      `code_challenge=${createHash('sha256')
        .update(view.pkce?.verifier ?? '')
        .digest('base64url')}`,
    );
    const back = await signInAt(view.goTo ?? '', 'rider.north');
    expect(back.startsWith(`${server.url}/control/v1/bench/callback?`)).toBe(true);
    expect(await (await fetch(back)).text()).toContain('data-state="done"');
    const done = await ended(view.id);
    expect(done).toMatchObject({ state: 'done', idToken: expect.any(String), refreshToken: expect.any(String) });
    expect(await (await fetch(back)).text()).toContain('data-state="failed"');
    expect(await examine(done.idToken ?? '')).toMatchObject({ code: 'token.id-token' });
    const again = await begin({ grant: 'refresh_token', clientId: 'rider-tablet', refreshToken: done.refreshToken });
    expect(again).toMatchObject({ state: 'done' });
    expect((await examine(again.accessToken ?? '')).principal).toMatchObject({ subject: 'rider.north', roles: ['rider'] });
    // RFC 9700 section 4.14.2: a refresh token that was used already is refused, and its family with it.
    const reused = await begin({ grant: 'refresh_token', clientId: 'rider-tablet', refreshToken: done.refreshToken });
    expect([reused.state, reused.says]).toEqual(['failed', expect.stringContaining('invalid_grant')]);
  });

  test('device code (RFC 8628)', async () => {
    const view = await begin({ grant: 'device_code', clientId: 'gate-panel', scopes: ['openid', 'gates:read'] });
    expect(view).toMatchObject({ state: 'waiting', userCode: expect.stringMatching(/^[A-Z]{4}-[A-Z]{4}$/) });
    await enterCode(view.goTo ?? '', 'rider.south');
    const done = await ended(view.id);
    expect(done).toMatchObject({ state: 'done', idToken: expect.any(String) });
    expect((await examine(done.accessToken ?? '')).principal).toMatchObject({ subject: 'rider.south', client: 'gate-panel' });
    const other = await begin({ grant: 'device_code', clientId: 'gate-panel', scopes: ['gates:read'] });
    await server.ok('DELETE', `/bench/grants/${other.id}`);
    expect((await server.call('GET', `/control/v1/bench/grants/${other.id}`)).status).toBe(404);
  });

  test('the challenge of a PKCE pair is that of RFC 7636 appendix B', async () => {
    const { verifier, challenge } = await server.ok<{ verifier: string; challenge: string }>('POST', '/bench/pkce');
    expect(challengeOf(verifier)).toBe(challenge);
    expect(challengeOf('dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk')).toBe('E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM');
  });

  test('password and implicit, each with a warning', async () => {
    const password = await begin({ grant: 'password', clientId: 'old-kiosk', userName: 'grower.217', password: 'shared-water' });
    expect([password.state, password.warnings[0]]).toEqual(['done', expect.stringContaining('RFC 9700')]);
    expect(JSON.stringify(password.exchanges)).not.toContain('shared-water');
    const implicit = await begin({ grant: 'implicit', clientId: 'old-kiosk', scopes: ['openid', 'gates:read'] });
    expect(implicit.warnings[0]).toContain('RFC 9700');
    const back = new URL(await signInAt(implicit.goTo ?? '', 'grower.217'));
    expect(back.search).toBe('');
    const taken = await fetch(back.origin + back.pathname, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ fragment: back.hash.slice(1) }),
    });
    expect(await taken.text()).toContain('data-state="done"');
    expect(await ended(implicit.id)).toMatchObject({ state: 'done', accessToken: expect.any(String) });
  });

  test('token exchange (RFC 8693)', async () => {
    const subject = await begin({ grant: 'password', clientId: 'old-kiosk', userName: 'grower.217', password: 'shared-water' });
    const view = await begin({ grant: 'token_exchange', ...WORKSHOP, subjectToken: subject.accessToken });
    expect(view).toMatchObject({ state: 'done' });
    expect((await examine(view.accessToken ?? '')).principal).toMatchObject({ subject: 'grower.217', client: 'workshop' });
  });

  test('what goes wrong is said in the provider’s words', async () => {
    expect(await begin({ grant: 'client_credentials', clientId: 'workshop', clientSecret: 'wrong' })).toMatchObject({
      state: 'failed',
      says: expect.stringContaining('invalid_client'),
    });
    expect((await server.call('POST', '/control/v1/bench/grants', { providerId: trustId, grant: 'refresh_token', clientId: 'x', scopes: [] })).status).toBe(
      422,
    );
    expect((await server.call('POST', '/control/v1/bench/grants', { providerId: 'nobody', grant: 'password', clientId: 'x', scopes: [] })).status).toBe(404);
    const denied = await fetch(`${server.url}/control/v1/bench/callback?state=made-up&code=x`);
    expect(await denied.text()).toContain('This sign-in is not known');
  });
});
