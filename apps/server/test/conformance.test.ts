import { CONTRACT_PARTS } from '@virga/core';
import type {
  AcceptView,
  ApiView,
  ContractPlaceView,
  ContractStandingList,
  ContractText,
  OperationList,
  ProbeView,
  TraceView,
  ViolationList,
} from '@virga/protocol';
import { readFileSync } from 'node:fs';
import { RunningServer, startStandins, type Standins, until } from './harness.js';

const TEXT = readFileSync(new URL('../../../demo/contracts/allotments.yaml', import.meta.url), 'utf8');
const GOOD = { kind: 'season', rightId: 'R-7', to: 'grower.404', season: '2026', cubicMetres: 300 };

let server: RunningServer;
let standins: Standins;
let id: string;

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(server.folder, server.url);
  const { api } = await server.ok<{ api: ApiView }>('POST', '/apis', { source: { text: TEXT }, basePath: '/allotments', upstreamUrl: standins.allotments });
  id = api.id;
  await server.ok('PATCH', `/apis/${id}`, { access: { kind: 'public' } });
  const { items } = await server.ok<OperationList>('GET', `/apis/${id}/operations`);
  await server.ok('PATCH', `/apis/${id}/operations`, { ids: items.map((one) => one.id), access: { kind: 'public' } });
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

const every = (mode: string): Record<string, string> => Object.fromEntries(CONTRACT_PARTS.map((part) => [part, mode]));
const send = (method: string, path: string, body?: unknown): Promise<Response> =>
  fetch(`${server.gatewayUrl}/allotments${path}`, {
    method,
    ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
  });
const publish = () => server.ok('POST', '/releases', {});
const violations = (query = ''): Promise<ViolationList> => server.ok<ViolationList>('GET', `/violations${query}`);

/** Waits until a list has what is looked for. */
describe('an API that was brought in', () => {
  it('looks at nothing of its contract until it is told to, and takes single parts', async () => {
    expect((await server.ok<ApiView>('GET', `/apis/${id}`)).contract.parts).toEqual(every('off'));
    const { contract } = await server.ok<ApiView>('PATCH', `/apis/${id}`, { contract: { parts: { 'contract-body': 'observe' }, bodyBytes: 4096 } });
    expect(contract).toMatchObject({ parts: { ...every('off'), 'contract-body': 'observe' }, bodyBytes: 4096, unknownQuery: 'refuse' });
  });

  it.each([
    [{ parts: { 'contract-body': 'sometimes' } }, '/contract/parts/contract-body'],
    [{ parts: { body: 'observe' } }, '/contract/parts/body'],
    [{ parts: null }, '/contract/parts'],
    [{ bodyBytes: 12 }, '/contract/bodyBytes'],
    [{ bodyBytes: '4096' }, '/contract/bodyBytes'],
    [{ formats: 'yes' }, '/contract/formats'],
    [null, '/contract'],
    [[], '/contract'],
  ])('%j is refused with its place, and changes nothing', async (contract, pointer) => {
    const before = await server.ok<ApiView>('GET', `/apis/${id}`);
    const answer = await server.call('PATCH', `/control/v1/apis/${id}`, { contract });
    expect(answer.status).toBe(422);
    expect(JSON.stringify(answer.body)).toContain(pointer);
    expect((await server.ok<ApiView>('GET', `/apis/${id}`)).contract).toEqual(before.contract);
  });
});

describe('paths that no operation matches', () => {
  it.each([
    [[{ prefix: 'v0', mode: 'pass' }]],
    [[{ prefix: '/v0/', mode: 'pass' }]],
    [[{ prefix: '', mode: 'pass' }]],
    [[{ prefix: '/v 0', mode: 'pass' }]],
    [[{ prefix: '/a/../b', mode: 'pass' }]],
    [[{ prefix: '/v0', mode: 'maybe' }]],
    [[{ prefix: '/v0' }]],
    [
      [
        { prefix: '/v0', mode: 'pass' },
        { prefix: '/v0', mode: 'refuse' },
      ],
    ],
    [null],
  ])('are let through by no rule like %j', async (unmatched) => {
    expect((await server.call('PATCH', `/control/v1/apis/${id}`, { unmatched })).status).toBe(422);
    expect((await server.ok<ApiView>('GET', `/apis/${id}`)).unmatched).toEqual([]);
  });

  it('are let through by prefix', async () => {
    await server.ok('PATCH', `/apis/${id}`, { unmatched: [{ prefix: '/archive', mode: 'observe' }] });
    await publish();
    // The upstream has no such path either; what is asked here is who answers.
    const answer = await send('GET', '/archive/2019');
    expect([answer.status, await answer.json()]).toEqual([404, { error: 'no such resource' }]);
    expect((await (await send('GET', '/other')).json()) as object).toMatchObject({ type: 'urn:virga:problem:not-found' });
    await server.ok('PATCH', `/apis/${id}`, { unmatched: [] });
  });
});

describe('observed', () => {
  beforeAll(async () => {
    await server.ok('PATCH', `/apis/${id}`, { contract: { parts: every('observe'), unknownMembers: 'refuse', bodyBytes: 1_048_576 } });
    await publish();
  });

  it('nothing is refused, and what differs is counted by place and caller', async () => {
    expect((await send('POST', '/transfers', GOOD)).status).toBe(202);
    for (const cubicMetres of [-1, -2]) expect((await send('POST', '/transfers', { ...GOOD, cubicMetres })).status).toBe(202);
    expect((await send('GET', '/rights?season=this')).status).toBe(200);
    expect((await send('GET', '/rights/R-7/statements')).status).toBe(200);
    const list = await until(async () => {
      const found = await violations();
      // What the last request did is told last.
      return found.items.some(({ part }) => part === 'contract-answer') ? found : undefined;
    });
    expect(
      list.items.map(({ path, part, name, at, keyword, found, wouldRefuse, refused, callers }) => [
        path,
        part,
        name,
        at,
        keyword,
        found,
        wouldRefuse,
        refused,
        callers,
      ]),
    ).toEqual(
      expect.arrayContaining([
        ['/transfers', 'contract-body', '', '/cubicMetres', 'exclusiveMinimum', 'a whole number', 2, 0, 1],
        ['/rights', 'contract-query', 'season', '', 'pattern', 'a text', 1, 0, 1],
        ['/rights/{rightId}/statements', 'contract-answer', '', '/items/*', 'unknown', 'an object', 1, 0, 1],
      ]),
    );
    expect(JSON.stringify(list)).not.toMatch(/GB82|WEST|"-1"/);
    expect(list.items.every(({ slices, wouldRefuse }) => slices.reduce((sum, one) => sum + one, 0) === wouldRefuse)).toBe(true);
    expect((await violations(`?api=${id}&part=contract-query&hours=1`)).items).toHaveLength(1);
    expect((await violations('?api=other')).items).toEqual([]);
  });

  it('counts are exact, by part', async () => {
    const standing = await until(async () => {
      const { items } = await server.ok<ContractStandingList>('GET', '/conformance');
      const one = items.find(({ apiId }) => apiId === id);
      return one?.parts.find(({ part }) => part === 'contract-answer')?.looked === 5 ? one : undefined;
    });
    expect(standing).toMatchObject({ described: true, observesAll: false, requests: 7 });
    expect(standing.parts.find(({ part }) => part === 'contract-body')).toEqual({ part: 'contract-body', looked: 5, refused: 0, wouldRefuse: 2 });
    expect(standing.parts.find(({ part }) => part === 'contract-answer')).toMatchObject({ wouldRefuse: 1 });
  });

  it.each(['?hours=0', '?hours=169', '?hours=many', '?part=body', '?api=a&api=b'])('%s is refused', async (query) =>
    expect((await server.call('GET', `/control/v1/violations${query}`)).status).toBe(422),
  );

  it('leads to the place in the contract', async () => {
    const one = (await violations('?part=contract-body')).items[0];
    const place = await server.ok<ContractPlaceView>('GET', `/apis/${id}/contract/place?pointer=${encodeURIComponent(one?.rule ?? '')}`);
    expect(place.value).toBe('0');
    expect(TEXT.split('\n')[(place.line ?? 0) - 1]).toContain('exclusiveMinimum: 0');
    expect(await server.ok<ContractPlaceView>('GET', `/apis/${id}/contract/place?pointer=/gone`)).toEqual({ line: null, value: null });
  });

  it('the contract can accept it: shown first, changed only when it is taken', async () => {
    const [one] = (await violations('?part=contract-answer')).items;
    const accepted = await server.ok<AcceptView>('POST', `/apis/${id}/contract/accept`, { violation: one?.id });
    expect(accepted.says).toBe('names the member account');
    expect(accepted.before).toBe(TEXT);
    expect((await server.ok<ContractText>('GET', `/apis/${id}/contract`)).text).toBe(TEXT);
    const [before, after] = [accepted.before.split('\n'), accepted.after.split('\n')];
    expect(after.filter((line) => !before.includes(line)).map((line) => line.trim())).toEqual(['account: {}']);
    await server.ok('PUT', `/apis/${id}/contract`, { source: { text: accepted.after } });
    const kept = await server.ok<ApiView>('GET', `/apis/${id}`);
    expect(kept.contract.parts).toEqual(every('observe'));
    await publish();
    const sent = (await send('GET', '/rights/R-7/statements')).headers.get('x-request-id') ?? '';
    const trace = await until(async () => {
      const { status, body } = await server.call('GET', `/control/v1/traces/${sent}`);
      return status === 200 ? (body as unknown as TraceView) : undefined;
    });
    expect(trace.steps.find(({ step }) => step === 'contract-answer')?.outcome).toBe('pass');
    expect((await server.call('POST', `/control/v1/apis/${id}/contract/accept`, { violation: 'gone' })).status).toBe(404);
  });
});

describe('enforced', () => {
  beforeAll(async () => {
    await server.ok('PATCH', `/apis/${id}`, { contract: { parts: { ...every('enforce'), 'contract-security': 'off' } } });
    await publish();
  });

  it('a bad transfer is refused with pointers, a good one passes', async () => {
    expect((await send('POST', '/transfers', GOOD)).status).toBe(202);
    const refused = await send('POST', '/transfers', { ...GOOD, cubicMetres: -300, state: 'confirmed' });
    expect(refused.status).toBe(400);
    expect(refused.headers.get('content-type')).toBe('application/problem+json');
    expect(await refused.json()).toMatchObject({ errors: [{ pointer: '#/cubicMetres', detail: 'more than 0' }, {}] });
  });

  it('a probe of the draft is decided by the same contract, forwarded or not', async () => {
    for (const forward of [false, true]) {
      const { outcome } = await server.ok<ProbeView>('POST', '/probe', {
        method: 'POST',
        target: '/allotments/transfers',
        sender: 'nobody',
        against: 'draft',
        forward,
        headers: [{ name: 'content-type', value: 'application/json' }],
        body: JSON.stringify({ ...GOOD, cubicMetres: -300 }),
      });
      expect(outcome).toBe('refused');
    }
    const good = await server.ok<ProbeView>('POST', '/probe', {
      method: 'POST',
      target: '/allotments/transfers',
      sender: 'nobody',
      against: 'draft',
      forward: true,
      headers: [{ name: 'content-type', value: 'application/json' }],
      body: JSON.stringify(GOOD),
    });
    expect(good.answer?.status).toBe(202);
    expect(good.steps.filter(({ step }) => step.startsWith('contract')).every(({ outcome }) => outcome === 'pass')).toBe(true);
  });

  it('an earlier release keeps the contract that it was published with', async () => {
    const stricter = TEXT.replace('maximum: 1000000', 'maximum: 100').replace('maximum: 1000000', 'maximum: 100');
    const { number } = await server.ok<{ live: { number: number } }>('GET', '/standing').then(({ live }) => live);
    await server.ok('PUT', `/apis/${id}/contract`, { source: { text: stricter } });
    await publish();
    expect((await send('POST', '/transfers', GOOD)).status).toBe(400);
    await server.ok('POST', `/releases/${number}/roll-back`, {});
    expect((await send('POST', '/transfers', GOOD)).status).toBe(202);
  });
});

it('a description whose schemas cannot be used says so when it is read', async () => {
  const text = TEXT.replace("pattern: '^R-", () => "pattern: '^(?=R)R-").replace('format: uuid', () => "$ref: 'deeds.yaml#/Deed'");
  const { problems } = await server.ok<{ problems: { pointer: string; message: string; line: number }[] }>('POST', '/contracts/read', { text });
  const told = problems.filter(({ message }) => message.startsWith('cannot be checked'));
  expect(told.map(({ pointer }) => pointer)).toEqual(
    expect.arrayContaining(['/components/parameters/rightId/schema/pattern', '/components/schemas/LastingTransfer/properties/deed/$ref']),
  );
  expect(told.every(({ line }) => line > 0)).toBe(true);
});
