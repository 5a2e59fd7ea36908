import type { ApiView, AuthorizerInput, AuthorizerView, ProbeView, ProblemDocument, PublishView, TrialReportView, TriedList } from '@virga/protocol';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { RunningServer } from './harness.js';

let server: RunningServer;
let upstream: Server;
let apiId: string;
const CONTRACT = `openapi: 3.1.0
info: { title: Moves, version: '1.0' }
security: [{}]
paths:
  /moves: { get: { responses: {} }, post: { responses: {} } }
`;
const HALF = { kind: 'own', name: 'half', source: 'request.body.opening <= 50' };

beforeAll(async () => {
  upstream = createServer((req, res) => void req.resume().on('end', () => res.end('{}')));
  await new Promise<void>((resolve) => upstream.listen(0, '127.0.0.1', resolve));
  server = new RunningServer();
  await server.start();
  const upstreamUrl = `http://127.0.0.1:${(upstream.address() as AddressInfo).port}`;
  ({
    api: { id: apiId },
  } = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/moves', upstreamUrl }));
});
afterAll(async () => {
  await server.stop();
  upstream.closeAllConnections();
  upstream.close();
});

const set = (change: object) => server.ok<ApiView>('PATCH', `/apis/${apiId}/operations`, { ids: ['POST /moves'], ...change });
const probe = async (body: string | undefined, headers = [{ name: 'Content-Type', value: 'application/json' }], forward = false) => {
  const asked = { method: 'POST', target: '/moves/moves', headers, sender: 'nobody', against: 'draft', forward, ...(body === undefined ? {} : { body }) };
  const { outcome, steps } = await server.ok<ProbeView>('POST', '/probe', asked);
  return [outcome, steps.find((step) => step.outcome === 'refuse')?.code ?? null];
};

test('a condition that reads the body is set, and a trial of the draft decides by the body that was composed', async () => {
  await set({ conditions: [HALF] });
  for (const forward of [false, true]) {
    expect(await probe('{"opening":50}', undefined, forward)).toEqual(['passed', null]);
    expect(await probe('{"opening":51}', undefined, forward)).toEqual(['refused', 'condition.not-met']);
    expect(await probe('{"opening":1,"opening":51}', undefined, forward)).toEqual(['refused', 'condition.unread']);
    expect(await probe('{"opening":1}', [], forward)).toEqual(['refused', 'condition.unread']);
    expect(await probe(undefined, undefined, forward)).toEqual(['refused', 'condition.error']);
  }
});

test('a condition that reads what no body has a name for is refused with its place', async () => {
  const answer = await server.call<ProblemDocument>('PATCH', `/control/v1/apis/${apiId}/operations`, {
    ids: ['POST /moves'],
    conditions: [{ ...HALF, source: 'request.bodies.opening <= 50' }],
  });
  expect([answer.status, JSON.stringify(answer.body)]).toEqual([422, expect.stringContaining('no member bodies') as string]);
});

describe('a script that is shown the body', () => {
  const input = (change: object = {}): AuthorizerInput => ({
    name: 'by amount',
    description: '',
    script: {
      source: 'function decide({ request }) {\n  return { allow: request.body?.opening <= 50 };\n}',
      timeMs: 200,
      megabytes: 8,
      tables: [],
      body: true,
      ...change,
    },
    service: null,
    passes: [],
    cache: null,
    cases: [{ name: 'half', input: '{"request":{"method":"POST","body":{"opening":50}}}', expected: 'allow' }],
  });
  const put = (body: unknown) => server.call<ProblemDocument & AuthorizerView>('PUT', '/control/v1/authorizers/by%20amount', body);

  test('is saved with that, and tried with cases that have one', async () => {
    const saved = await put(input());
    expect([saved.status, saved.body.script?.body]).toEqual([200, true]);
    const tried = await server.ok<TriedList>('POST', '/authorizers/try', {
      authorizer: { ...input(), cases: [] },
      inputs: ['{"request":{"body":{"opening":50}}}', '{"request":{"body":{"opening":51}}}', '{"request":{}}'],
    });
    expect(tried.items.map(({ says }) => says)).toEqual(['allow', 'deny', 'deny']);
  });

  test('is not shown one where nobody said so: its case and its source say that', async () => {
    const unseen = await put(input({ body: false }));
    expect([unseen.status, JSON.stringify(unseen.body)]).toEqual([422, expect.stringContaining('request has no member body') as string]);
    const blind = { ...input({ body: false, source: 'function decide() {\n  return { allow: true };\n}' }), cases: [] };
    const tried = await server.ok<TriedList>('POST', '/authorizers/try', { authorizer: blind, inputs: ['{"request":{"body":{}}}', '{"request":{}}'] });
    expect(tried.items.map(({ says }) => says)).toEqual(['error', 'allow']);
    // What says nothing of bodies is what scripts were before.
    const { body: _left, ...script } = blind.script ?? { body: false };
    expect(await put({ ...blind, script })).toMatchObject({ status: 200, body: { script: { body: false } } });
    for (const body of [null, 'true', 1, []]) expect([body, (await put({ ...blind, script: { ...script, body } })).status]).toEqual([body, 422]);
  });

  test('keeps no answers', async () => {
    const kept = await put({ ...input(), cache: { seconds: 60, key: ['ANYBODY'] } });
    expect([kept.status, JSON.stringify(kept.body)]).toEqual([422, expect.stringContaining('answers that hang on a body are not kept') as string]);
  });

  test('decides of calls through the draft and of what is live', async () => {
    expect((await put(input())).status).toBe(200);
    await set({ conditions: [], authorizers: ['by amount'] });
    expect(await probe('{"opening":50}')).toEqual(['passed', null]);
    expect(await probe('{"opening":51}')).toEqual(['refused', 'authorizer.denied']);
    await server.ok<PublishView>('POST', '/releases', { note: 'by amount' });
    const { gatewayUrl } = await server.ok<{ gatewayUrl: string }>('GET', '/standing');
    const post = async (body: string): Promise<number> =>
      (await fetch(`${gatewayUrl}/moves/moves`, { method: 'POST', body, headers: { 'content-type': 'application/json' } })).status;
    expect([await post('{"opening":50}'), await post('{"opening":51}'), await post('{"opening":1,"opening":2}')]).toEqual([200, 403, 400]);
  });
});

test('a saved trial keeps the body that was composed, and is decided by it', async () => {
  await set({ conditions: [HALF], authorizers: [] });
  const call = { method: 'POST', target: '/moves/moves', headers: [{ name: 'Content-Type', value: 'application/json' }] };
  const save = (name: string, expected: string, change: object) => server.ok('POST', '/trials/saved', { name, expected, call: { ...call, ...change } });
  await save('half passes', 'passed', { body: '{"opening":50}' });
  await save('all is refused', 'refused', { body: '{"opening":100}' });
  await save('nobody knows', 'refused', { bodyBytes: 15 });
  const resultsOf = async () => {
    const { items } = await server.ok<TrialReportView>('POST', '/trials/run', {});
    return Object.fromEntries(items.filter(({ name }) => name.startsWith('saved: ')).map(({ tried, result }) => [tried, result]));
  };
  expect(await resultsOf()).toEqual({ 'half passes': 'holds', 'all is refused': 'holds', 'nobody knows': 'not-known' });
  await set({ conditions: [{ ...HALF, source: 'request.body.opening <= 100' }] });
  expect(await resultsOf()).toMatchObject({ 'all is refused': 'fails' });
  const long = await server.call('POST', '/control/v1/trials/saved', { name: 'long', expected: 'refused', call: { ...call, body: 'x'.repeat(16_385) } });
  expect(long.status).toBe(422);
  // Publishing stops on it.
  const stopped = await server.call<ProblemDocument>('POST', '/control/v1/releases', { note: 'wider' });
  expect([stopped.status, JSON.stringify(stopped.body)]).toEqual([409, expect.stringContaining('all is refused') as string]);
});
