import type {
  ApiView,
  AuthorizerInput,
  AuthorizerList,
  AuthorizerView,
  CaseInputView,
  CaseResults,
  ObservedList,
  OperationPage,
  ProbeView,
  ProblemDocument,
  PublishView,
  ReleaseView,
  TracePage,
  TriedList,
} from '@virga/protocol';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { RunningServer, until } from './harness.js';

let server: RunningServer;
let upstream: Server;
let apiId: string;
let service: { url: string; server: Server; asked: string[] };
const CONTRACT = `openapi: 3.1.0
info: { title: Gates, version: '1.0' }
security: [{}]
paths:
  /gates: { get: { responses: {} } }
  /gates/{gateId}: { get: { responses: {} }, put: { responses: {} } }
`;
const listening = (one: Server): Promise<number> => new Promise((resolve) => one.listen(0, '127.0.0.1', () => resolve((one.address() as AddressInfo).port)));

beforeAll(async () => {
  upstream = createServer((_req, res) => res.end('{}'));
  const asked: string[] = [];
  const decides = createServer((req, res) => {
    asked.push(String(req.headers.authorization));
    req.resume().on('end', () => res.end('{"decision":true}'));
  });
  service = { url: `http://127.0.0.1:${await listening(decides)}/access/v1/evaluation`, server: decides, asked };
  server = new RunningServer();
  await server.start();
  const upstreamUrl = `http://127.0.0.1:${await listening(upstream)}`;
  ({
    api: { id: apiId },
  } = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/gates', upstreamUrl }));
});
afterAll(async () => {
  await server.stop();
  for (const one of [upstream, service.server]) {
    one.closeAllConnections();
    one.close();
  }
});

const crew = (change: Partial<AuthorizerInput> = {}): AuthorizerInput => ({
  name: 'own crew',
  description: 'Only the crew of the gate',
  script: {
    source: 'function decide({ request }) {\n  return { allow: request.headers["x-crew"] === "south", reason: "another crew", tell: true };\n}',
    timeMs: 20,
    megabytes: 8,
    tables: [],
  },
  service: null,
  passes: [],
  cache: null,
  cases: [],
  ...change,
});
const put = (name: string, input: unknown, headers?: Record<string, string>) =>
  server.call<ProblemDocument & AuthorizerView>('PUT', `/control/v1/authorizers/${encodeURIComponent(name)}`, input, headers);
const view = (name = 'own crew') => server.ok<AuthorizerView>('GET', `/authorizers/${encodeURIComponent(name)}`);
const probe = async (method: string, target: string, headers: object[] = []) => {
  const { outcome, steps } = await server.ok<ProbeView>('POST', '/probe', { method, target, headers, sender: 'nobody', against: 'draft', forward: false });
  return { outcome, code: steps.at(-1)?.code };
};
const publish = (body: object = {}) => server.call<ProblemDocument & PublishView>('POST', '/control/v1/releases', body);
const CASE = { name: 'their own', input: '{"request":{"headers":{"x-crew":"south"}}}', expected: 'allow' as const };

test('one is tried before it is saved, with its place where it fails', async () => {
  const tried = (input: object, inputs: string[]) =>
    server.call<TriedList & ProblemDocument>('POST', '/control/v1/authorizers/try', { authorizer: input, inputs });
  const { status, body } = await tried(crew(), [CASE.input, '{"request":{"headers":{}}}', '{']);
  expect(status).toBe(200);
  expect(body.items.map(({ says }) => says)).toEqual(['allow', 'deny', 'error']);
  expect(body.items[1]?.sentence).toMatch(/another crew/);
  const failing = crew({
    script: { source: 'function decide(input) {\n  return input.principal.roles.includes("x");\n}', timeMs: 20, megabytes: 8, tables: [] },
  });
  expect((await tried(failing, ['{}'])).body.items[0]).toMatchObject({ says: 'error', line: 2 });
  expect((await server.ok<AuthorizerList>('GET', '/authorizers')).items).toEqual([]);
});

test('what is wrong is refused with the member that is wrong, and nothing is changed', async () => {
  const script = (source: string) => crew({ script: { source, timeMs: 20, megabytes: 8, tables: [] } });
  for (const [name, input, pointer] of [
    ['own crew', { ...crew(), script: null }, '/script'],
    ['own crew', { ...crew(), script: undefined }, '/script'],
    ['own crew', script('function decide( {'), '/script/source'],
    ['own crew', script('function other() {}'), '/script/source'],
    ['own crew', script('function decide({ principal }) { return principal.rolez }'), '/script/source'],
    ['own crew', crew({ passes: ['host'] }), '/passes/0'],
    ['own crew', crew({ passes: ['x-a', 'X-A'] }), '/passes/1'],
    ['own crew', crew({ cache: { seconds: 60, key: ['operation'] } }), '/cache/key'],
    ['own crew', crew({ cache: { seconds: 60, key: ['caller', 'moon' as never] } }), '/cache/key/1'],
    ['own crew', crew({ cache: { seconds: 0, key: ['caller'] } }), '/cache/seconds'],
    ['own crew', crew({ cases: [CASE, CASE] }), '/cases/1/name'],
    ['own crew', crew({ cases: [{ ...CASE, expected: 'perhaps' as never }] }), '/cases/0/expected'],
    ['own crew', { ...crew(), script: { ...crew().script, timeMs: 201 } }, '/script/timeMs'],
    ['own crew', { ...crew(), script: { ...crew().script, tables: ['no table name'] } }, '/script/tables/0'],
    ['5 crews', crew({ name: '5 crews' }), '/name'],
  ] as const) {
    const { status, body } = await put(name, input);
    expect({ pointer, status, found: body.errors?.map((error) => error.pointer) }).toEqual({
      pointer,
      status: 422,
      found: expect.arrayContaining([pointer]) as string[],
    });
  }
  expect((await put('another', crew())).status).toBe(404);
  expect((await server.ok<AuthorizerList>('GET', '/authorizers')).items).toEqual([]);
});

test('it is made, called by many operations at once, and decides in a probe of the draft with its reason', async () => {
  expect((await put('own crew', crew({ cases: [CASE] }))).status).toBe(200);
  await server.ok('POST', '/authorizers/own%20crew/uses', { apiId, operationIds: ['GET /gates/{gateId}', 'PUT /gates/{gateId}'], called: true });
  expect((await view()).uses.map(({ label }) => label)).toEqual(['GET /gates/{gateId}', 'PUT /gates/{gateId}']);
  expect(await probe('PUT', '/gates/gates/7')).toMatchObject({ outcome: 'refused', code: 'authorizer.denied' });
  expect(await probe('PUT', '/gates/gates/7', [{ name: 'x-crew', value: 'south' }])).toMatchObject({ outcome: 'passed' });
  expect((await probe('GET', '/gates/gates')).outcome).toBe('passed');
  const page = await server.ok<OperationPage>('GET', `/apis/${apiId}/operations/${encodeURIComponent('PUT /gates/{gateId}')}`);
  expect(page.checks.find(({ step }) => step === 'authorizer')).toMatchObject({
    part: 'authorizers',
    setAt: 'operation',
    asks: expect.stringMatching(/own crew/) as string,
  });
  for (const body of [
    { apiId: 'none', operationIds: null, called: true },
    { apiId, operationIds: ['GET /none'], called: true },
    { apiId, operationIds: null, called: 'yes' },
    { apiId, called: false },
    { apiId, operationIds: 'GET /gates', called: true },
  ])
    expect((await server.call('POST', '/control/v1/authorizers/own%20crew/uses', body)).status).toBe(422);
  // A rule of the API is for operations without a list of their own.
  await server.ok('POST', '/authorizers/own%20crew/uses', { apiId, operationIds: null, called: true });
  expect((await probe('GET', '/gates/gates')).code).toBe('authorizer.denied');
  await server.ok('POST', '/authorizers/own%20crew/uses', { apiId, operationIds: null, called: false });
  expect((await server.ok<ApiView>('GET', `/apis/${apiId}`)).authorizers).toEqual([]);
  expect((await server.call('DELETE', '/control/v1/authorizers/own%20crew')).status).toBe(409);
});

test('an edit from something that it is not any more is refused; a new name is followed by the rules', async () => {
  const { revision } = await view();
  expect(
    (await put('own crew', crew({ cases: [CASE], description: 'Other words' }), { authorization: `Bearer ${server.token}`, 'if-match': `"${revision}"` }))
      .status,
  ).toBe(200);
  expect(
    (await put('own crew', crew({ cases: [CASE], description: 'Third words' }), { authorization: `Bearer ${server.token}`, 'if-match': `"${revision}"` }))
      .status,
  ).toBe(412);
  expect((await put('own crew', crew({ name: 'crew of the gate', cases: [CASE] }))).status).toBe(200);
  expect((await view('crew of the gate')).uses).toHaveLength(2);
  expect((await server.call('GET', '/control/v1/authorizers/own%20crew')).status).toBe(404);
  expect((await probe('PUT', '/gates/gates/7')).code).toBe('authorizer.denied');
  expect((await put('crew of the gate', crew({ cases: [CASE] }))).status).toBe(200);
});

test('a failing case stops publishing, unless it is overruled by its name; what was run is kept with the release', async () => {
  const wrong = { ...CASE, name: 'strangers', expected: 'deny' as const };
  await put('own crew', crew({ cases: [CASE, wrong] }));
  const stopped = await publish();
  expect([stopped.status, stopped.body.errors?.map(({ pointer }) => pointer)]).toEqual([409, ['/overrule/own crew: strangers']]);
  expect((await publish({ overrule: ['own crew'] })).status).toBe(409);
  expect((await publish({ overrule: 'own crew: strangers' })).status).toBe(422);
  const run = await server.ok<CaseResults>('POST', '/authorizers/cases/run');
  expect(run.items.map(({ name, holds, says }) => [name, holds, says])).toEqual([
    ['their own', true, 'allow'],
    ['strangers', false, 'allow'],
  ]);
  const made = await publish({ overrule: ['own crew: strangers'] });
  expect(made.status).toBe(201);
  const { cases } = await server.ok<ReleaseView>('GET', `/releases/${made.body.release.number}`);
  expect(cases?.items.map(({ name, holds, overruled }) => [name, holds, overruled])).toEqual([
    ['their own', true, false],
    ['strangers', false, true],
  ]);
  await put('own crew', crew({ cases: [CASE] }));
  expect((await publish()).status).toBe(201);
});

test('over HTTP it refuses with 403 and its reason; a case is made of the trace; what it cost is counted', async () => {
  const call = (headers: Record<string, string> = {}) => fetch(`${server.gatewayUrl}/gates/gates/7?season=2026`, { method: 'PUT', headers });
  const refused = await call({ 'x-crew': 'north' });
  expect([refused.status, (await refused.json()) as unknown]).toEqual([403, expect.objectContaining({ detail: 'another crew' })]);
  expect((await call({ 'x-crew': 'south' })).status).toBe(200);
  const { id: traceId } = await until(async () => (await server.ok<TracePage>('GET', '/traces')).items.find(({ code }) => code === 'authorizer.denied'));
  const { input } = await server.ok<CaseInputView>('POST', '/authorizers/cases/of-trace', { traceId, tables: [] });
  expect(JSON.parse(input)).toMatchObject({
    request: { method: 'PUT', path: '/gates/gates/7', parameters: { gateId: '7' }, query: { season: '2026' }, headers: { 'x-crew': 'north' } },
  });
  const { items } = await server.ok<TriedList>('POST', '/authorizers/try', { authorizer: crew(), inputs: [input] });
  expect(items[0]?.says).toBe('deny');
  expect((await server.call('POST', '/control/v1/authorizers/cases/of-trace', { traceId: 'none', tables: [] })).status).toBe(404);
  let cost = (await view()).cost;
  for (let tries = 0; tries < 200 && cost.denied === 0; tries++) {
    await new Promise((resolve) => setTimeout(resolve, 50));
    ({ cost } = await view());
  }
  expect(cost).toMatchObject({ allowed: 1, denied: 1, failed: 0, kept: 0, p50: expect.any(Number) as number });
});

test('whom enforcing would refuse is told by caller before it is switched', async () => {
  const ids = ['PUT /gates/{gateId}'];
  await server.ok('PATCH', `/apis/${apiId}/operations`, { ids, modes: { all: 'enforce', checks: { authorizer: 'observe' } } });
  expect((await publish()).status).toBe(201);
  const call = (called: string) => fetch(`${server.gatewayUrl}/gates/gates/7`, { method: 'PUT', headers: { 'x-crew': called } });
  expect([(await call('north')).status, (await call('north')).status, (await call('south')).status]).toEqual([200, 200, 200]);
  const observed = () => server.ok<ObservedList>('GET', `/apis/${apiId}/observed`);
  let { items } = await observed();
  for (let tries = 0; tries < 200 && (items[0]?.requests ?? 0) < 2; tries++) {
    await new Promise((resolve) => setTimeout(resolve, 25));
    ({ items } = await observed());
  }
  expect(items).toEqual([
    { operationId: 'PUT /gates/{gateId}', subject: null, client: null, address: '127.0.0.1', step: 'authorizer', stepName: 'Authorizer', requests: 2 },
  ]);
  expect((await server.call('GET', '/control/v1/apis/none/observed')).status).toBe(404);
  await server.ok('PATCH', `/apis/${apiId}/operations`, { ids, modes: null });
});

test('answers that are kept say which operations they open, and are dropped', async () => {
  const input = crew({
    script: { source: 'function decide() { return { allow: true, covers: [{ method: "*", path: "/gates/gates/*" }] } }', timeMs: 20, megabytes: 8, tables: [] },
    cache: { seconds: 60, key: ['caller', 'operation', 'path'] },
  });
  const { items } = await server.ok<TriedList>('POST', '/authorizers/try', { authorizer: input, inputs: ['{}'] });
  expect(items[0]?.covers).toEqual([{ method: '*', path: '/gates/gates/*', operations: ['Gates: GET /gates/{gateId}', 'Gates: PUT /gates/{gateId}'] }]);
  expect((await server.call('POST', '/control/v1/authorizers/own%20crew/drop')).status).toBe(204);
  expect((await server.call('POST', '/control/v1/authorizers/none/drop')).status).toBe(404);
});

test('a service keeps its secret to itself and to the place that it was given for', async () => {
  const remote = (change: Partial<NonNullable<AuthorizerInput['service']>> = {}): AuthorizerInput =>
    crew({
      name: 'water right',
      script: null,
      service: {
        url: service.url,
        credential: { kind: 'bearer', secret: 'known-to-the-service' },
        timeoutMs: 1000,
        allowLoopbackHttp: true,
        privateHosts: [],
        question: {
          subjectType: 'user',
          subjectId: 'principal.subject',
          action: 'request.method',
          resourceType: 'gate',
          resourceId: 'request.path',
          properties: [],
        },
        signIn: null,
        ...change,
      },
    });
  const made = await put('water right', remote());
  expect(made.status).toBe(200);
  expect(JSON.stringify(made.body)).not.toMatch(/known-to/);
  const kept = remote({ credential: { kind: 'bearer' } });
  expect((await put('water right', { ...kept, description: 'Asks the trust' })).status).toBe(200);
  const elsewhere = remote({ credential: { kind: 'bearer' }, url: 'http://127.0.0.1:9/access' });
  expect((await put('water right', elsewhere)).body.errors?.[0]?.pointer).toBe('/service/credential/secret');
  const tried = await server.call<TriedList>('POST', '/control/v1/authorizers/try', { authorizer: elsewhere, inputs: ['{}'] });
  expect(tried.status).toBe(422);
  const { items } = await server.ok<TriedList>('POST', '/authorizers/try', {
    authorizer: kept,
    inputs: ['{"principal":{"subject":"grower.217"},"request":{"path":"/rights/7"}}', '{"request":{"path":"/x"}}'],
  });
  expect(items.map(({ says }) => says)).toEqual(['allow', 'error']);
  expect(service.asked).toEqual(['Bearer known-to-the-service']);
  for (const [change, pointer] of [
    [{ url: 'http://decides.example/access', allowLoopbackHttp: false, credential: null }, '/service/url'],
    [{ url: 'https://user:pw@decides.example/access', credential: null }, '/service/url'],
    [{ credential: { kind: 'basic', secret: 'x' } }, '/service/credential/name'],
    [{ credential: { kind: 'bearer', secret: 'two\r\nlines' } }, '/service/credential/secret'],
    [{ question: { ...remote().service!.question, subjectId: 'principal.sub' } }, '/service/question/subjectId'],
    [{ question: { ...remote().service!.question, action: '"a" +' } }, '/service/question/action'],
    [{ signIn: { pointer: 'context', value: 'x' } }, '/service/signIn/pointer'],
  ] as const) {
    const { status, body } = await put('water right', remote(change));
    expect({ pointer, status, found: body.errors?.map((error) => error.pointer) }).toEqual({
      pointer,
      status: 422,
      found: expect.arrayContaining([pointer]) as string[],
    });
  }
});
