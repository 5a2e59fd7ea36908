import type {
  ApiView,
  ClientChanged,
  ClientStanding,
  ClientUseView,
  CredentialMade,
  LimitsView,
  OperationPage,
  PlanList,
  PlanView,
  SubscriptionChanged,
  SubscriptionPage,
} from '@virga/protocol';
import { join } from 'node:path';
import { RunningServer, startStandins, type Standins, until } from './harness.js';

let server: RunningServer;
let standins: Standins;
let apiId: string;

const CONTRACT = `openapi: 3.1.0
info: { title: Gates, version: '1.0' }
paths:
  /gates:
    get: { operationId: list, security: [{ key: [] }] }
  /sections:
    get: { operationId: sections, security: [{ key: [] }] }
components:
  securitySchemes:
    key: { type: apiKey, in: header, name: X-Api-Key }
`;

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(join(server.folder, 'standins'), server.url);
  const { api } = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/gates', upstreamUrl: standins.gates });
  apiId = api.id;
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

const PLAN = { name: 'Small', description: 'for sites', rate: null, quota: null, atOnce: null, requestBytes: null, mode: 'enforce', approval: 'by-hand' };
const covers = (operations: string[] | 'ALL' = 'ALL') => [{ apiId, operations }];
const publish = () => server.ok('POST', '/releases', {});
const call = (key: string | null, path = '/gates') => fetch(`${server.gatewayUrl}/gates${path}`, { headers: { 'x-api-key': key ?? '' } });
const statusOf = async (key: string | null, path?: string) => (await call(key, path)).status;
const codeOf = async (answer: Response) => (await server.traceOf(answer)).code;
const customer = async (name: string): Promise<{ id: string; key: string }> => {
  const { client } = await server.ok<ClientChanged>('POST', '/clients', { name });
  const made = await server.ok<CredentialMade>('POST', `/clients/${client.id}/credentials`, { kind: 'key', name: 'first' });
  return { id: client.id, key: made.secret ?? '' };
};
const subscribe = (clientId: string, planId: string, times: object = {}) =>
  server.ok<SubscriptionChanged>('POST', '/subscriptions', { clientId, planId, startsAt: null, endsAt: null, ...times });
const change = (id: string, patch: object) => server.ok<SubscriptionChanged>('PATCH', `/subscriptions/${id}`, patch);
const titles = async () => (await server.ok<{ items: { title: string }[] }>('GET', '/overlook/attention')).items.map(({ title }) => title);
const refusal = async (method: string, path: string, body: object) => {
  const { status, text } = await server.call(method, `/control/v1${path}`, body);
  return `${status} ${text}`;
};

describe('letting a customer in', () => {
  test('an API that asks for a plan says what is missing, and a plan opens it at once for whoever has it', async () => {
    const small = await server.ok<PlanView>('POST', '/plans', { ...PLAN, covers: [] });
    expect(small).toMatchObject({ id: 'small', incomplete: expect.stringContaining('opens nothing') as string, live: false, says: [] });
    await server.ok('PATCH', `/apis/${apiId}`, { plan: { asked: true, attribute: null } });
    expect(await titles()).toEqual(expect.arrayContaining(['Gates: 2 operations ask for a plan that nobody can have', 'The plan Small is incomplete']));
    const rate = { requests: 1, seconds: 3600, burst: 2 };
    const set = await server.ok<PlanView>('PUT', '/plans/small', { ...PLAN, covers: covers(['GET /gates']), rate });
    expect(set).toMatchObject({ incomplete: '', opens: [{ apiName: 'Gates', operations: 1, asks: true, gone: [] }] });
    expect(await titles()).toContain('Gates: GET /sections asks for a plan that nobody can have');
    await publish();

    const { id, key } = await customer('Customer');
    const none = await call(key);
    expect([none.status, await codeOf(none)]).toEqual([403, 'plan.no-subscription']);
    const { subscription, effect } = await subscribe(id, 'small');
    expect([subscription.now, effect.nodesLive, (effect.effectiveMs ?? 999) < 200]).toEqual(['active', 1, true]);
    expect([await statusOf(key), await codeOf(await call(key, '/sections'))]).toEqual([200, 'plan.not-covered']);
    const { items } = await server.ok<ClientStanding>('GET', `/clients/${id}/limits`);
    expect(items).toMatchObject([{ name: 'Small rate', of: 2, left: 1, waitMs: 0 }]);
    expect([await statusOf(key), await statusOf(key)]).toEqual([200, 429]);
    const refused = await call(key);
    expect([await codeOf(refused), Number(refused.headers.get('retry-after')) > 3000]).toEqual(['limit.rate', true]);
    const trace = await server.ok<{ steps: { step: string; rule: { words: string } | null }[] }>('GET', `/traces/${refused.headers.get('x-request-id') ?? ''}`);
    expect(trace.steps.find(({ step }) => step === 'limit')?.rule?.words).toBe('The plan Small');
    const page = await server.ok<OperationPage>('GET', `/apis/${apiId}/operations/${encodeURIComponent('GET /gates')}`);
    expect(page.checks.find(({ step }) => step === 'plan')).toMatchObject({ part: 'plan', setAt: 'api', mode: 'enforce' });
    expect(page.checks.find(({ step }) => step === 'limit')?.asks).toContain('what its plan allows');
  });

  test('what a client used is counted exactly, and goes with it', async () => {
    const { id, key } = await customer('Counted');
    const use = (days = '') => server.ok<ClientUseView>('GET', `/clients/${id}/use${days}`);
    expect(await use()).toMatchObject({ passed: 0, refused: 0, apis: [], reasons: [], untold: 0 });
    await subscribe(id, 'small');
    for (let sent = 0; sent < 5; sent++) await call(key);
    await call(key, '/sections');
    await call('wrong');
    const counted = await until(async () => {
      const now = await use();
      return now.passed + now.refused >= 6 && now;
    });
    expect(counted.apis).toEqual([{ apiId, apiName: 'Gates', passed: 2, refused: 4 }]);
    expect(counted.reasons.map(({ code, outcome, stepName, count }) => [code, outcome, stepName, count])).toEqual([
      ['limit.rate', 'refused', 'Limits', 3],
      ['plan.not-covered', 'refused', 'Plan', 1],
    ]);
    for (const [days, slices, sliceMs] of [
      ['', 24, 3_600_000],
      ['?days=7', 28, 21_600_000],
      ['?days=30', 30, 86_400_000],
    ] as const) {
      const view = await use(days);
      expect([view.slices.length, view.sliceMs, view.to - view.from]).toEqual([slices, sliceMs, slices * sliceMs]);
      expect(view.slices.reduce((sum, { passed, refused }) => sum + passed * 100 + refused, 0)).toBe(204);
    }
    expect((await server.call('GET', `/control/v1/clients/${id}/use?days=2`)).status).toBe(422);
    expect((await server.call('GET', '/control/v1/clients/nobody/use')).status).toBe(404);
    // Another of its name begins anew.
    await server.call('DELETE', `/control/v1/clients/${id}`);
    expect((await server.call('GET', `/control/v1/clients/${id}/use`)).status).toBe(404);
    expect((await customer('Counted')).id).toBe(id);
    expect(await use('?days=30')).toMatchObject({ passed: 0, refused: 0 });
  });

  test('suspended, moved and ended act at once; what has ended stays so', async () => {
    const { id, key } = await customer('Moves');
    await server.ok<PlanView>('POST', '/plans', { ...PLAN, name: 'Free', covers: covers() });
    await publish();
    const { subscription } = await subscribe(id, 'free');
    expect(await statusOf(key)).toBe(200);
    for (const [patch, code] of [
      [{ state: 'suspended' }, 'plan.suspended'],
      [{ state: 'active', startsAt: Date.now() + 3_600_000 }, 'plan.not-yet'],
      [{ startsAt: null, endsAt: Date.now() - 1000 }, 'plan.ended'],
    ] as const) {
      await change(subscription.id, patch);
      const answer = await call(key);
      expect([answer.status, await codeOf(answer)]).toEqual([403, code]);
    }
    await change(subscription.id, { endsAt: Date.now() + 60_000 });
    expect(await statusOf(key)).toBe(200);
    const ended = await change(subscription.id, { state: 'ended' });
    expect([ended.subscription.now, await statusOf(key)]).toEqual(['ended', 403]);
    expect(await refusal('PATCH', `/subscriptions/${subscription.id}`, { state: 'active' })).toMatch(/^409/);
    await subscribe(id, 'free');
    expect(await statusOf(key)).toBe(200);
    expect(await refusal('POST', '/subscriptions', { clientId: id, planId: 'free', startsAt: null, endsAt: null })).toMatch(/^409/);
    const { items, total } = await server.ok<SubscriptionPage>('GET', `/subscriptions?clientId=${id}`);
    expect([total, items.map(({ state, planName, clientName }) => [state, planName, clientName])]).toEqual([
      2,
      [
        ['active', 'Free', 'Moves'],
        ['ended', 'Free', 'Moves'],
      ],
    ]);
  });

  test('what was asked for waits for somebody, unless the plan approves by itself', async () => {
    const { id, key } = await customer('Asks');
    const asked = await server.ok<SubscriptionChanged>('POST', '/subscriptions', {
      clientId: id,
      planId: 'free',
      startsAt: null,
      endsAt: null,
      waits: true,
      reason: 'a map',
    });
    expect(asked.subscription).toMatchObject({ now: 'waiting', reason: 'a map', decidedBy: null });
    const waiting = await call(key);
    expect([waiting.status, await codeOf(waiting)]).toEqual([403, 'plan.waiting']);
    expect(await titles()).toContain('A client waits for a plan');
    await change(asked.subscription.id, { state: 'active' });
    expect(await statusOf(key)).toBe(200);
    await server.ok<PlanView>('POST', '/plans', { ...PLAN, name: 'Open', covers: covers(), approval: 'by-itself' });
    const other = await customer('Has at once');
    const itself = await server.ok<SubscriptionChanged>('POST', '/subscriptions', {
      clientId: other.id,
      planId: 'open',
      startsAt: null,
      endsAt: null,
      waits: true,
    });
    expect(itself.subscription.now).toBe('active');
    await change(itself.subscription.id, { state: 'ended' });
    await server.call('DELETE', '/control/v1/plans/open');
  });

  test('what clients have cannot be taken away from under them; a client takes its plans with it', async () => {
    const { id } = await customer('Goes');
    const { subscription } = await subscribe(id, 'free');
    expect(await refusal('DELETE', '/plans/free', {})).toMatch(/^409/);
    await server.call('DELETE', `/control/v1/clients/${id}`);
    expect(await refusal('PATCH', `/subscriptions/${subscription.id}`, { state: 'ended' })).toMatch(/^404/);
  });

  test('all of it survives a restart, quotas too', async () => {
    const { id, key } = await customer('Lasting');
    await server.ok<PlanView>('POST', '/plans', { ...PLAN, name: 'Daily', covers: covers(), quota: { requests: 2, per: 'month', zone: 'Europe/Berlin' } });
    await publish();
    await subscribe(id, 'daily');
    expect(await statusOf(key)).toBe(200);
    await server.stop();
    expect(await server.start()).toBeNull();
    await until(async () => (await server.ok<{ nodes: { state: string }[] }>('GET', '/standing')).nodes[0]?.state === 'connected');
    expect([await statusOf(key), await statusOf(key)]).toEqual([200, 429]);
    const { items } = await server.ok<PlanList>('GET', '/plans');
    expect(items.map(({ id: plan, active, live }) => [plan, active, live])).toEqual([
      ['small', 1, true],
      ['free', 2, true],
      ['daily', 1, true],
    ]);
  });
});

describe('limits', () => {
  test('of the gateway, the API and an operation are set in the draft and told as sentences', async () => {
    const limit = { name: 'a minute', by: { kind: 'header', name: 'X-Team' }, method: 'bucket', requests: 60, seconds: 60, burst: 5, mode: 'observe' };
    const before = await server.ok<LimitsView>('GET', '/limits');
    expect([before.limits, before.guessing, before.counted, before.nodes]).toEqual([[], null, 'each', 1]);
    const guessing = { mode: 'enforce', seconds: 60, byAddress: 1000, byCredential: null };
    const view = await server.ok<LimitsView>('PATCH', '/limits', { limits: [limit], guessing, counting: { away: 'alone', sharePercent: 25, tell: 'always' } });
    expect(view.limits).toEqual([{ ...limit, by: { kind: 'header', name: 'x-team' } }]);
    expect(view.says).toEqual(['5 at once and 60 requests in a minute evenly after that, with each value of the header x-team']);
    const api = await server.ok<ApiView>('PATCH', `/apis/${apiId}`, { limits: [{ ...limit, by: { kind: 'address' }, method: 'sliding', burst: null }] });
    expect(api.limits.length).toBe(1);
    const operation = {
      ids: ['GET /gates'],
      limits: [{ ...limit, name: 'own', by: { kind: 'everyone' }, method: 'fixed', burst: null }],
      plan: { asked: false, attribute: null },
    };
    await server.ok('PATCH', `/apis/${apiId}/operations`, operation);
    // The operation asks for no plan any more: who was stopped for want of one gets in, and that has to be said by name.
    const held = await server.call<{ errors: { pointer: string }[] }>('POST', '/control/v1/releases', {});
    const overrule = held.body.errors.map(({ pointer }) => pointer.slice('/overrule/'.length));
    expect([held.status, overrule]).toEqual([409, expect.arrayContaining(['Gates GET /gates/gates: a good caller whose plan is suspended'])]);
    await server.ok('POST', '/releases', { overrule });
    const { key } = await customer('Told');
    const answer = await call(key);
    // Limits that only observe are not told of to callers.
    expect([answer.status, answer.headers.get('ratelimit')]).toEqual([200, null]);
    await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates'], limits: [{ ...operation.limits[0], mode: 'enforce' }] });
    await publish();
    const told = await call(key);
    expect([told.headers.get('ratelimit-policy'), told.headers.get('ratelimit')]).toEqual(['"own";q=60;w=60', expect.stringMatching(/^"own";r=\d+;t=\d+$/)]);
  });

  test.each<[string, string, string, object]>([
    [
      'a limit of nothing',
      'PATCH',
      '/limits',
      { limits: [{ name: 'x', by: { kind: 'client' }, method: 'fixed', requests: 0, seconds: 60, burst: null, mode: 'enforce' }] },
    ],
    [
      'a limit by nothing',
      'PATCH',
      '/limits',
      { limits: [{ name: 'x', by: { kind: 'nobody' }, method: 'fixed', requests: 1, seconds: 60, burst: null, mode: 'enforce' }] },
    ],
    [
      'a header without a name',
      'PATCH',
      '/limits',
      { limits: [{ name: 'x', by: { kind: 'header' }, method: 'fixed', requests: 1, seconds: 60, burst: null, mode: 'enforce' }] },
    ],
    ['null for the limits', 'PATCH', '/limits', { limits: null }],
    ['a plan of an API that there is not', 'POST', '/plans', { ...PLAN, name: 'X', covers: [{ apiId: 'none', operations: 'ALL' }] }],
    ['a plan without a name', 'POST', '/plans', { ...PLAN, name: '', covers: [] }],
    ['a plan of a name that is taken', 'POST', '/plans', { ...PLAN, name: 'small', covers: [] }],
    ['a zone that there is not', 'POST', '/plans', { ...PLAN, name: 'X', covers: [], quota: { requests: 1, per: 'day', zone: 'Here/There' } }],
    ['a subscription of nobody', 'POST', '/subscriptions', { clientId: 'none', planId: 'small', startsAt: null, endsAt: null }],
    ['a subscription to nothing', 'POST', '/subscriptions', { clientId: 'customer', planId: 'none', startsAt: null, endsAt: null }],
    ['an end before the start', 'POST', '/subscriptions', { clientId: 'moves', planId: 'small', startsAt: 1_900_000_000_000, endsAt: 1_800_000_000_000 }],
    // Taken for milliseconds, the first would have begun in 1970 and the second never end.
    ['a start in seconds', 'POST', '/subscriptions', { clientId: 'moves', planId: 'small', startsAt: 1_900_000_000, endsAt: null }],
    ['an end in microseconds', 'POST', '/subscriptions', { clientId: 'moves', planId: 'small', startsAt: null, endsAt: 1_900_000_000_000_000 }],
  ])('%s is not taken', async (_name, method, path, body) => expect(await refusal(method, path, body)).toMatch(/^422/));
});
