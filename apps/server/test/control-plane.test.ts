import type { ApiView, OperationView, ProbeView, ProviderView, PublishView, ReleaseView, StandingView, TracePage } from '@virga/protocol';
import { KEY_TIMES } from '@virga/outbound';
import { execFileSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { once } from 'node:events';
import { createServer, request } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { CONTRACT, PASSWORD, publishGates, RESOURCE, RunningServer, startStandins, type Standins, until } from './harness.js';

let server: RunningServer;
let standins: Standins;
let apiId: string;
let providerId: string;
const WORKSHOP = 'workshop:workshop-demo-secret';

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(join(server.folder, 'standins'), server.url);
  ({ apiId, providerId } = await publishGates(server, standins));
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

const call = (path: string, token?: string, init: RequestInit = {}) =>
  fetch(`${server.gatewayUrl}/gates${path}`, { ...init, headers: token ? { authorization: `Bearer ${token}` } : {} });
const traceOf = (answer: Response) => server.traceOf(answer);

describe('who may use the control API', () => {
  const json = { 'content-type': 'application/json' };
  const signIn = (password: string, name = 'operator') => server.call<{ csrfToken: string }>('POST', '/control/v1/session', { name, password }, json);

  test('nobody without a credential, and not with the node’s token', async () => {
    const nodeToken = readFileSync(join(server.folder, 'node-token'), 'utf8').trim();
    expect((await server.call('GET', '/control/v1/apis', undefined, {})).status).toBe(401);
    expect((await server.call('GET', '/control/v1/apis', undefined, { authorization: `Bearer ${nodeToken}` })).status).toBe(401);
    expect((await server.call('POST', '/nodes/v1/records', {}, { authorization: `Bearer ${server.token}` })).status).toBe(401);
  });

  test('a session comes in a cookie that no script and no other site gets, and changes need its CSRF token', async () => {
    const made = await signIn(PASSWORD);
    const cookie = made.headers.get('set-cookie') ?? '';
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    const held = { cookie: cookie.split(';')[0] ?? '' };
    expect((await server.call('GET', '/control/v1/apis', undefined, held)).status).toBe(200);
    expect((await server.call('POST', '/control/v1/draft/discard', {}, held)).status).toBe(403);
    expect((await server.call('POST', '/control/v1/draft/discard', {}, { ...held, 'x-csrf-token': 'wrong' })).status).toBe(403);
    expect((await server.call('POST', '/control/v1/draft/discard', {}, { ...held, 'x-csrf-token': made.body.csrfToken })).status).toBe(204);
    expect((await server.call('DELETE', '/control/v1/session', undefined, { ...held, 'x-csrf-token': made.body.csrfToken })).status).toBe(204);
    expect((await server.call('GET', '/control/v1/apis', undefined, held)).status).toBe(401);
  });

  test('wrong passwords are slowed down, the same for accounts that do not exist', async () => {
    // At once: one after the other a busy machine may take longer than the pause. Some of the budget was used before.
    const statuses = (await Promise.all(Array.from({ length: 9 }, () => signIn('wrong', 'nobody')))).map(({ status }) => status);
    expect([...new Set(statuses)].sort()).toEqual([401, 429]);
    expect(statuses.filter((status) => status === 401).length).toBeLessThanOrEqual(6);
  });

  test('a page under another host name gets nothing', async () => {
    const status = await new Promise((resolve) =>
      request(
        {
          host: '127.0.0.1',
          port: server.port,
          path: '/control/v1/apis',
          headers: { host: `evil.example:${server.port}`, authorization: `Bearer ${server.token}` },
        },
        (answer) => resolve(answer.statusCode),
      ).end(),
    );
    expect(status).toBe(421);
  });

  test('the password is not kept, nor shown', () => {
    expect(server.output).toContain(PASSWORD);
    for (const name of readdirSync(server.folder).filter((file) => file.startsWith('virga.sqlite')))
      expect(readFileSync(join(server.folder, name), 'latin1')).not.toContain(PASSWORD);
  });
});

describe('bad input', () => {
  test.each<[string, string, string, unknown, number, string | null]>([
    ['no JSON', 'POST', '/apis', '{"a":', 400, null],
    ['a member too many', 'POST', '/releases', { note: 'x', evil: 1 }, 422, '/evil'],
    [
      'a nested field',
      'PATCH',
      '/apis/ID',
      { upstream: { url: 'ftp://x', connectTimeoutMs: 5, responseTimeoutMs: 100, sendCredential: true } },
      422,
      '/upstream/url',
    ],
    [
      'fields for callers that nobody knows',
      'PATCH',
      '/apis/ID',
      { upstream: { url: 'http://x', connectTimeoutMs: 500, responseTimeoutMs: 100, sendCredential: true, callerFields: 'X-Forwarded' } },
      422,
      '/upstream/callerFields',
    ],
    [
      'a field in a list',
      'PATCH',
      '/apis/ID',
      {
        resource: {
          identifier: 'urn:x',
          scopes: [
            { name: 'ok', description: '' },
            { name: 'not ok', description: '' },
          ],
        },
      },
      422,
      '/resource/scopes/1/name',
    ],
    ['no audience', 'PATCH', '/apis/ID', { token: { type: 'at+jwt', anyAudience: false, audiences: [] } }, 422, '/token/audiences'],
    [
      'a scheme that is not there',
      'PATCH',
      '/apis/ID/operations',
      { ids: ['GET /gates'], access: { kind: 'required', alternatives: [{ schemes: [{ scheme: 'nope', scopes: [], match: 'all' }] }] } },
      422,
      '/access/alternatives/0/schemes/0/scheme',
    ],
    ['an operation that is not there', 'PATCH', '/apis/ID/operations', { ids: ['GET /nope'], access: null }, 422, '/ids'],
    ['a base path with a blank', 'PATCH', '/apis/ID', { basePath: '/a b' }, 422, '/basePath'],
    ['the gateway’s own path', 'PATCH', '/apis/ID', { basePath: '/.well-known' }, 422, '/basePath'],
    ['an issuer with a query', 'POST', '/providers', { name: 'x', issuer: 'https://x.example/?a=1' }, 422, '/issuer'],
    ['an issuer on loopback without permission', 'POST', '/providers', { name: 'x', issuer: 'http://127.0.0.1:9' }, 422, '/issuer'],
    ['a leeway out of range', 'PATCH', '/providers/PID', { leewaySeconds: 301 }, 422, '/leewaySeconds'],
    ['an algorithm that is none', 'PATCH', '/providers/PID', { algorithms: ['none'] }, 422, '/algorithms'],
    ['a symmetric algorithm', 'PATCH', '/providers/PID', { algorithms: ['HS256'] }, 422, '/algorithms/0'],
    ['a description that is none', 'POST', '/apis', { source: { text: 'hello' }, basePath: '/x', upstreamUrl: 'http://127.0.0.1:1' }, 422, '/source'],
    [
      'a description on loopback',
      'POST',
      '/apis',
      { source: { url: 'http://127.0.0.1:1/x' }, basePath: '/x', upstreamUrl: 'http://127.0.0.1:1' },
      422,
      '/source/url',
    ],
    ['a cursor that is none', 'GET', "/traces?before=1'%20OR", undefined, 422, '/before'],
    ['a thing that is not there', 'GET', '/apis/nope', undefined, 404, null],
    ['a provider in use', 'DELETE', '/providers/PID', undefined, 409, null],
    [
      'a header with a line break',
      'POST',
      '/probe',
      { method: 'GET', target: '/', headers: [{ name: 'x', value: 'a\r\nb' }], sender: 'nobody', against: 'draft', forward: false },
      422,
      '/headers/0/value',
    ],
  ])('%s', async (_name, method, path, body, status, pointer) => {
    const before = (await server.ok<StandingView>('GET', '/standing')).changeCount;
    const answer = await server.call<{ status: number; errors?: { pointer: string }[] }>(
      method,
      `/control/v1${path.replace('PID', providerId).replace('ID', apiId)}`,
      body,
    );
    expect([answer.status, answer.body.status, answer.headers.get('content-type')]).toEqual([status, status, 'application/problem+json; charset=utf-8']);
    if (pointer !== null) expect(answer.body.errors?.map((error) => error.pointer)).toContain(pointer);
    expect((await server.ok<StandingView>('GET', '/standing')).changeCount).toBe(before);
  });

  test('a body beyond the limit is 413', async () => {
    expect((await server.call('POST', '/control/v1/probe', { method: 'x'.repeat(5_000_000) })).status).toBe(413);
  });
});

describe('the fields that say from where a request came', () => {
  const fieldsOf = async () => (await server.ok<ApiView>('GET', `/apis/${apiId}`)).upstream;

  test('are the usual ones for a new API, and stay as they are where a change says nothing of them', async () => {
    const { callerFields, limits, ...rest } = await fieldsOf();
    expect(callerFields).toBe('x-forwarded');
    await server.ok('PATCH', `/apis/${apiId}`, { upstream: { ...rest, callerFields: 'forwarded' } });
    expect(await fieldsOf()).toEqual({ ...rest, callerFields: 'forwarded', limits });
    await server.ok('PATCH', `/apis/${apiId}`, { upstream: { ...rest, connectTimeoutMs: 2500 } });
    expect(await fieldsOf()).toEqual({ ...rest, connectTimeoutMs: 2500, callerFields: 'forwarded', limits });
    for (const wrong of [null, '', 7, ['both'], 'none'])
      expect((await server.call('PATCH', `/control/v1/apis/${apiId}`, { upstream: { ...rest, callerFields: wrong } })).status).toBe(422);
    await server.ok('POST', '/draft/discard');
  });
});

describe('the line from end to end', () => {
  test('401 without, 401 tampered, 403 without the scope, 200 with it; each with its reason in a trace', async () => {
    const reader = await standins.token(WORKSHOP, 'gates:read', RESOURCE);
    const [head = '', payload = '', signature = ''] = reader.split('.');
    const edited = [head, Buffer.from(Buffer.from(payload, 'base64url').toString().replace('gates:read', 'gates:both')).toString('base64url'), signature].join(
      '.',
    );
    const outcomes = [];
    for (const answer of [
      await call('/gates'),
      await call('/gates', edited),
      await call('/gates/G-1/positions', reader, { method: 'POST' }),
      await call('/gates', reader),
      await call('/sections'),
    ]) {
      const trace = await traceOf(answer);
      outcomes.push([answer.status, trace.code, trace.steps.length]);
    }
    expect(outcomes).toEqual([
      [401, 'credential.missing', 2],
      [401, 'token.signature-invalid', 3],
      [403, 'rights.scope-missing', 6],
      [200, 'upstream.answered', 7],
      [200, 'upstream.answered', 3],
    ]);
  });

  test('a trace explains itself: sentence, values, clause, remedy, what the caller was told', async () => {
    const trace = await traceOf(await call('/gates', await standins.token(WORKSHOP, 'gates:read', 'https://elsewhere.example')));
    const token = trace.steps.find((step) => step.step === 'token');
    expect(token).toMatchObject({
      outcome: 'refuse',
      code: 'token.audience-wrong',
      toldStatus: 401,
      comparisons: [{ what: 'aud', wanted: RESOURCE, found: 'https://elsewhere.example' }],
    });
    expect(token?.standard).toContain('RFC 9068');
    expect(token?.remedy).toContain('resource');
  });

  test('traces are found by every filter, page by page', async () => {
    const items = async (query: string) => (await server.ok<TracePage>('GET', `/traces?${query}`)).items;
    expect((await items('outcome=refused')).every((item) => item.outcome === 'refused')).toBe(true);
    expect((await items('code=credential.missing')).length).toBeGreaterThan(0);
    expect((await items(`api=${apiId}&status=403`)).every((item) => item.status === 403)).toBe(true);
    expect(await items('text=no%25such')).toEqual([]);
    expect((await items('client=workshop')).length).toBeGreaterThan(0);
    const first = await server.ok<TracePage>('GET', '/traces?limit=2');
    const second = await server.ok<TracePage>('GET', `/traces?limit=2&before=${first.next}`);
    expect(new Set([...first.items, ...second.items].map((item) => item.id)).size).toBe(4);
  });

  test('the probe decides by the draft, forwards only when asked, and calls the live gateway for real', async () => {
    const token = await standins.token(WORKSHOP, 'gates:read', RESOURCE);
    const probe = (change: object) =>
      server.ok<ProbeView>('POST', '/probe', {
        method: 'GET',
        target: '/gates/gates',
        headers: [],
        sender: 'token',
        token,
        against: 'draft',
        forward: false,
        ...change,
      });
    expect(await probe({})).toMatchObject({ outcome: 'passed', answer: null });
    expect(await probe({ forward: true })).toMatchObject({ outcome: 'passed', answer: { status: 200 } });
    const live = await probe({ against: 'live' });
    expect(live).toMatchObject({ outcome: 'passed', answer: { status: 200 } });
    expect(live.traceId).not.toBeNull();
    expect(await probe({ sender: 'nobody', against: 'live' })).toMatchObject({ outcome: 'refused', answer: { status: 401 } });
    await server.ok('PATCH', `/apis/${apiId}/operations`, {
      ids: ['GET /gates'],
      access: { kind: 'required', alternatives: [{ schemes: [{ scheme: 'trust', scopes: ['gates:operate'], match: 'all' }] }] },
    });
    expect((await probe({})).steps.map((step) => step.code)).toContain('rights.scope-missing');
    expect((await probe({ against: 'live' })).outcome).toBe('passed');
    await server.ok('POST', '/draft/discard', {});
  });

  test('a persona gets its token by client credentials, and its secret is sealed', async () => {
    const secret = 'workshop-demo-secret';
    const persona = await server.ok<{ id: string; secret: string }>('POST', '/personas', {
      name: 'W',
      providerId,
      grant: 'client_credentials',
      clientId: 'workshop',
      clientSecret: secret,
      scopes: ['gates:read'],
      resource: RESOURCE,
    });
    expect(persona.secret).toBe('kept');
    const view = await server.ok<ProbeView>('POST', '/probe', {
      method: 'GET',
      target: '/gates/gates',
      headers: [],
      sender: 'persona',
      personaId: persona.id,
      proof: 'tampered',
      against: 'live',
      forward: false,
    });
    expect(view.steps.map((step) => step.code)).toContain('token.signature-invalid');
    for (const name of readdirSync(server.folder).filter((file) => file.startsWith('virga.sqlite')))
      expect(readFileSync(join(server.folder, name), 'latin1')).not.toContain(secret);
  });

  test('publish takes effect at once, history says what changed, roll back brings it back', async () => {
    const before = (await server.ok<StandingView>('GET', '/standing')).live?.number ?? 0;
    await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates', 'GET /sections'], access: { kind: 'public' } });
    const standing = await server.ok<StandingView>('GET', '/standing');
    expect(standing.changes.map((change) => change.detail)).toEqual(['as the API → anyone, said public', 'anyone, said public, now set by hand']);
    expect((await call('/gates')).status).toBe(401);
    // What was guarded and would not be any more stops the release, unless that is meant and said.
    const stopped = await server.call<{ errors: { pointer: string }[] }>('POST', '/control/v1/releases', { note: 'open for a day' });
    expect([stopped.status, stopped.body.errors.map(({ pointer }) => pointer)]).toEqual([409, ['/overrule/Gates GET /gates/gates: no credential']]);
    const published = await server.ok<PublishView>('POST', '/releases', { note: 'open for a day', overrule: ['Gates GET /gates/gates: no credential'] });
    const kept = await server.ok<ReleaseView>('GET', `/releases/${published.release.number}`);
    expect([kept.trials?.fails, kept.trials?.overruled]).toEqual([1, ['Gates GET /gates/gates: no credential']]);
    expect(published).toMatchObject({ nodesLive: 1, release: { number: before + 1, note: 'open for a day' } });
    expect(published.effectiveMs).not.toBeNull();
    expect((await call('/gates')).status).toBe(200);
    expect((await server.call('POST', '/control/v1/releases', {})).status).toBe(409);
    const back = await server.ok<PublishView>('POST', `/releases/${before}/roll-back`, {});
    expect(back.release).toMatchObject({ number: before + 2, rolledBackTo: before });
    expect((await call('/gates')).status).toBe(401);
    expect((await server.ok<ReleaseView>('GET', `/releases/${before + 1}`)).changes).toHaveLength(2);
    await server.ok('POST', '/draft/discard', {});
  });

  test('a newer contract keeps rules set by hand and says what changes before it is taken', async () => {
    await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates'], access: { kind: 'public' } });
    const newer = CONTRACT.replace('/sections: { get: { security: [] } }', '/flows: { get: {} }').replace('{gateId}', '{id}');
    const dry = await server.ok<{ applied: boolean; changes: { kind: string; path: string }[] }>('PUT', `/apis/${apiId}/contract`, {
      source: { text: newer },
      dryRun: true,
    });
    expect([dry.applied, dry.changes.map((change) => `${change.kind} ${change.path}`)]).toEqual([
      false,
      ['changed /gates/{id}/positions', 'added /flows', 'removed /sections'],
    ]);
    await server.ok('PUT', `/apis/${apiId}/contract`, { source: { text: newer } });
    const { items } = await server.ok<{ items: OperationView[] }>('GET', `/apis/${apiId}/operations`);
    expect(items.find((item) => item.path === '/gates')).toMatchObject({ who: 'anyone, said public', setAt: 'operation', setBy: 'hand' });
    expect((await server.ok<ApiView>('GET', `/apis/${apiId}`)).schemes[0]?.providers).toEqual([providerId]);
    await server.ok('POST', '/draft/discard', {});
  });

  test('no token bytes are anywhere in the database', async () => {
    const token = await standins.token(WORKSHOP, 'gates:read', RESOURCE);
    await call(`/gates?access_token=${token}`, token);
    await call(`/gates/${token}`, token);
    const answer = await call('/gates', token);
    await traceOf(answer);
    const [, payload = '', signature = ''] = token.split('.');
    for (const name of readdirSync(server.folder).filter((file) => file.startsWith('virga.sqlite'))) {
      const bytes = readFileSync(join(server.folder, name), 'latin1');
      expect(bytes).not.toContain(signature.slice(0, 24));
      expect(bytes).not.toContain(payload.slice(0, 40));
    }
  });
});

describe('the API’s own description', () => {
  test('is a valid OpenAPI 3.1 document with schemas, errors and security for every operation', async () => {
    const { Validator } = await import('@seriousme/openapi-schema-validator');
    const { text } = await server.call('GET', '/control/openapi.json', undefined, {});
    const document = JSON.parse(text) as {
      paths: Record<string, Record<string, { responses: Record<string, unknown>; security?: unknown[] }>>;
      components: { schemas: Record<string, unknown> };
    };
    expect(await new Validator().validate(JSON.parse(text) as Record<string, unknown>)).toMatchObject({ valid: true });
    for (const item of Object.values(document.paths))
      for (const operation of Object.values(item)) expect(Object.keys(operation.responses)).toEqual(expect.arrayContaining(['401', '422', '500']));
    for (const [, name] of text.matchAll(/"#\/components\/schemas\/(\w+)"/g)) expect(document.components.schemas).toHaveProperty(name ?? '');
  });

  test('answers are what it says', async () => {
    const { default: Ajv } = await import('ajv/dist/2020.js');
    const document = JSON.parse((await server.call('GET', '/control/openapi.json', undefined, {})).text) as object;
    const ajv = new (
      Ajv as unknown as new (options: object) => {
        addSchema: (schema: object, key: string) => void;
        compile: (schema: object) => ((value: unknown) => boolean) & { errors?: unknown };
      }
    )({ strict: false, validateFormats: false });
    ajv.addSchema(document, 'control');
    for (const [path, name] of [
      ['/standing', 'StandingView'],
      ['/apis', 'ApiList'],
      [`/apis/${apiId}`, 'ApiView'],
      [`/apis/${apiId}/operations`, 'OperationList'],
      ['/providers', 'ProviderList'],
      ['/releases', 'ReleaseList'],
      ['/releases/1', 'ReleaseView'],
      ['/traces?limit=5', 'TracePage'],
      ['/overlook/fall', 'FallView'],
      ['/overlook/attention', 'AttentionView'],
      ['/personas', 'PersonaList'],
      ['/nodes', 'NodeList'],
      ['/settings/retention', 'RetentionDto'],
    ] as const) {
      const check = ajv.compile({ $ref: `control#/components/schemas/${name}` });
      const answer = await server.ok('GET', path);
      expect({ path, valid: check(answer), errors: check.errors }).toEqual({ path, valid: true, errors: null });
    }
  });
});

describe('restarts and outages', () => {
  test('killing the control plane loses no request; it comes back, takes its node up and has everything still', async () => {
    const token = await standins.token(WORKSHOP, 'gates:read', RESOURCE);
    expect((await call('/gates', token)).status).toBe(200);
    const { nodes } = await server.ok<StandingView>('GET', '/standing');
    let stop = false;
    const statuses: number[] = [];
    const caller = (async () => {
      while (!stop) statuses.push((await call('/gates', token)).status);
    })();
    await server.stop('SIGKILL');
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await server.start();
    const back = await until(async () => {
      const standing = await server.ok<StandingView>('GET', '/standing');
      return standing.nodes[0]?.state === 'connected' && standing;
    });
    stop = true;
    await caller;
    expect(new Set(statuses)).toEqual(new Set([200]));
    expect(back.nodes[0]?.startedAt).toBe(nodes[0]?.startedAt);
    expect(back.apiCount).toBe(1);
    // Passed requests are sampled under load, so one of them alone need not leave a trace; a later one does.
    await until(async () => {
      const later = await call('/gates', token);
      await new Promise((resolve) => setTimeout(resolve, 400));
      return (await server.call('GET', `/control/v1/traces/${later.headers.get('x-request-id')}`)).status === 200;
    });
  });

  test('two provider restarts and a key rotation during traffic: nothing wrong is refused, nothing wrong is let in', async () => {
    // The stand-in upstreams die with the provider, so requests go to an upstream of the test's own meanwhile.
    const upstream = createServer((_, answer) => answer.end('{}')).listen(0, '127.0.0.1');
    await once(upstream, 'listening');
    const sendTo = async (url: string) => {
      await server.ok('PATCH', `/apis/${apiId}`, { upstream: { url, connectTimeoutMs: 2000, responseTimeoutMs: 10_000, sendCredential: false } });
      await server.ok('POST', '/releases', { note: `upstream ${url}` });
    };
    await sendTo(`http://127.0.0.1:${(upstream.address() as AddressInfo).port}`);
    let token = await standins.token(WORKSHOP, 'gates:read', RESOURCE);
    const statuses: number[] = [];
    let stop = false;
    const caller = (async () => {
      while (!stop) {
        statuses.push((await call('/gates', token)).status);
        await new Promise((resolve) => setTimeout(resolve, 20));
      }
    })();
    const port = Number(new URL(standins.issuer).port);
    for (let round = 0; round < 2; round++) {
      await standins.stop('SIGKILL');
      await expect(fetch(standins.issuer)).rejects.toThrow();
      // While it is away the keys cannot be read again; the last good ones serve.
      await server.ok('POST', `/providers/${providerId}/refresh`);
      expect((await server.ok<ProviderView>('GET', `/providers/${providerId}`)).state).toBe('last-good');
      standins = await startStandins(join(server.folder, 'standins'), server.url, port);
    }
    await until(async () => (await server.ok<ProviderView>('GET', `/providers/${providerId}`)).state === 'reachable');
    await new Promise((resolve) => setTimeout(resolve, KEY_TIMES.coolDownMs));
    await fetch(`${standins.issuer}/standin/rotate-keys`, { method: 'POST' });
    token = await standins.token(WORKSHOP, 'gates:read', RESOURCE);
    const fresh = await call('/gates', token);
    expect(fresh.status).toBe(200);
    const provider = await until(async () => {
      const view = await server.ok<ProviderView>('GET', `/providers/${providerId}`);
      return view.keys.length === 2 && view;
    });
    expect(provider.keys.map((key) => key.kid).sort()).toEqual(['basin-1', 'basin-2']);
    expect((await call('/gates', `${token.slice(0, -6)}AAAAAA`)).status).toBe(401);
    stop = true;
    await caller;
    expect(statuses.length).toBeGreaterThan(20);
    expect(new Set(statuses)).toEqual(new Set([200]));
    await sendTo(standins.gates);
    upstream.close();
  });

  test('the node is started again when it dies', async () => {
    const pid = Number(readFileSync(join(server.folder, 'node', 'pid'), 'utf8'));
    process.kill(pid, 'SIGKILL');
    await until(async () => (await call('/sections').catch(() => null))?.status === 200, 'the answer of a new node');
  });

  test('stopping ends the node too and leaves no process', async () => {
    const pid = Number(readFileSync(join(server.folder, 'node', 'pid'), 'utf8'));
    await server.stop();
    expect(() => process.kill(pid, 0)).toThrow();
    await server.start();
    expect((await server.ok<StandingView>('GET', '/standing')).live?.number).toBeGreaterThan(0);
  });
});

describe('settings that cannot be used', () => {
  test.each<[Record<string, string>, string[], RegExp]>([
    // An empty host would be every address of this machine, an empty store each node by itself.
    [{ VIRGA_HOST: '' }, [], /the setting VIRGA_HOST is there and empty/],
    [{ VIRGA_HOST: ' ' }, [], /the setting VIRGA_HOST is there and empty/],
    [{ VIRGA_REDIS_URL: '' }, [], /the setting VIRGA_REDIS_URL is there and empty/],
    [{ VIRGA_TLS_PORT: '' }, [], /the setting VIRGA_TLS_PORT is there and empty/],
    // One that is misspelt would count as left out, and each node by itself.
    [{ VIRGA_REDIS_URI: 'redis://127.0.0.1:6379' }, [], /there is no setting VIRGA_REDIS_URI; there are .*VIRGA_REDIS_URL/],
    [{ virga_host: '127.0.0.1' }, ['--no-node'], /there is no setting virga_host/],
    [{}, ['--no-portl'], /there is no option --no-portl; there are --no-node and --no-portal/],
    [{ VIRGA_OPERATOR_PASSWORD: '' }, ['--no-node'], /VIRGA_OPERATOR_PASSWORD has at least 8 characters/],
    [{ VIRGA_OPERATOR_PASSWORD: '       a' }, ['--no-node'], /VIRGA_OPERATOR_PASSWORD has at least 8 characters/],
    [{ VIRGA_PORTAL_HOPS: '10.0.0.0/8x' }, ['--no-node'], /VIRGA_PORTAL_HOPS names addresses/],
  ])('%j %j is told, and nothing starts', async (set, args, says) => {
    const fresh = new RunningServer();
    fresh.settings = set;
    expect(await fresh.start(args)).toBe(1);
    expect(fresh.output).toMatch(says);
  });
});

describe('a database that cannot be used', () => {
  const sqlite = (folder: string, statement: string) =>
    execFileSync(
      process.execPath,
      [
        '-e',
        `const s=require('sqlite3');const d=new s.Database(${JSON.stringify(join(folder, 'virga.sqlite'))});d.exec(${JSON.stringify(statement)},e=>{if(e)throw e;d.close()})`,
      ],
      { env: { ...process.env, NODE_OPTIONS: '' } },
    );

  test('one of a newer version is refused with a clear message', async () => {
    const fresh = new RunningServer();
    await fresh.start(['--no-node']);
    await fresh.stop();
    sqlite(fresh.folder, "INSERT INTO migrations (name) VALUES ('999-future')");
    expect(await fresh.start(['--no-node'])).toBe(1);
    expect(fresh.output).toMatch(/written by a newer version \(it has 999-future\)/);
  });

  test('a broken one is refused and not touched', async () => {
    const { writeFileSync } = await import('node:fs');
    const broken = new RunningServer();
    writeFileSync(join(broken.folder, 'virga.sqlite'), 'this is not a database, '.repeat(200));
    expect(await broken.start(['--no-node'])).toBe(1);
    expect(broken.output).toMatch(/cannot be used/);
    expect(readFileSync(join(broken.folder, 'virga.sqlite'), 'utf8')).toContain('this is not a database');
  });
});
