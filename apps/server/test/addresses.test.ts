import type { AttentionItem, AddressAnswer, AddressesView, ApiView, OperationPage, ProbeView, ProblemDocument, StandingView } from '@virga/protocol';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { RunningServer, until } from './harness.js';

let server: RunningServer;
let upstream: Server;
let apiId: string;
const CONTRACT = `openapi: 3.1.0
info: { title: Gates, version: '1.0' }
security: [{}]
paths:
  /gates: { get: { responses: {} } }
  /desk: { get: { responses: {} } }
`;

beforeAll(async () => {
  upstream = createServer((_req, res) => res.end('{}'));
  await new Promise<void>((resolve) => upstream.listen(0, '127.0.0.1', resolve));
  server = new RunningServer();
  await server.start();
  const upstreamUrl = `http://127.0.0.1:${(upstream.address() as AddressInfo).port}`;
  ({
    api: { id: apiId },
  } = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/gates', upstreamUrl }));
});
afterAll(async () => {
  await server.stop();
  upstream.closeAllConnections();
  upstream.close();
});

const set = (patch: object) => server.call<ProblemDocument & AddressesView>('PATCH', '/control/v1/addresses', patch);
const ask = (from: string, field?: string) => server.ok<AddressAnswer>('POST', '/addresses/question', { from, ...(field === undefined ? {} : { field }) });
const said = ({ verdicts }: AddressAnswer) => verdicts.map(({ name, passes, code }) => `${name}: ${passes ? 'passes' : 'stopped'}, ${code}`);
const probe = (from?: string, headers: object[] = []) =>
  server.ok<ProbeView>('POST', '/probe', {
    method: 'GET',
    target: '/gates/gates',
    headers,
    sender: 'nobody',
    against: 'draft',
    forward: false,
    ...(from && { from }),
  });

test('networks, fence, trusted hops and rules of APIs and operations are set in the draft, and asked about before they are live', async () => {
  const view = await server.ok<AddressesView>('GET', '/addresses');
  expect(view).toEqual({
    revision: view.revision,
    networks: [],
    fence: { mode: 'enforce', addresses: { kind: 'anywhere' } },
    callerAddress: null,
    refused: 0,
    wouldRefuse: 0,
    yours: '127.0.0.1',
  });
  expect(said(await ask('203.0.113.9'))).toEqual([]);
  const networks = [{ name: 'control room', description: '', entries: ['192.0.2.0/24'] }];
  expect((await set({ networks, callerAddress: { header: 'x-forwarded-for', trustedHops: ['127.0.0.1'] } })).status).toBe(200);
  await server.ok('PATCH', `/apis/${apiId}`, { addresses: { kind: 'only', of: ['control room'] } });
  await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /desk'], addresses: { kind: 'except', of: ['203.0.113.0/24'] } });
  expect(said(await ask('203.0.113.9'))).toEqual(['Gates: stopped, address.outside', 'Gates, GET /desk: stopped, address.excepted']);
  expect(said(await ask('::ffff:192.0.2.7'))).toEqual(['Gates: passes, address.within', 'Gates, GET /desk: passes, address.not-excepted']);
  expect(await ask('127.0.0.1', '203.0.113.1, 192.0.2.7')).toMatchObject({ address: '192.0.2.7', via: ['127.0.0.1'], networks: ['control room'] });
  expect(await ask('127.0.0.1', '192.0.2.7, unknown')).toMatchObject({ address: null, unread: 'unknown' });
  // What the question says, the gateway's own code says of a draft.
  expect((await probe('192.0.2.7')).outcome).toBe('passed');
  const refused = await probe();
  expect(refused).toMatchObject({ outcome: 'refused', answer: { status: 403 } });
  expect(refused.steps.at(-1)).toMatchObject({ step: 'address', rule: { apiId, operationId: null, part: 'addresses' } });
  expect((await probe(undefined, [{ name: 'x-forwarded-for', value: '192.0.2.7' }])).outcome).toBe('passed');
  expect(
    (
      await server.call('POST', '/control/v1/probe', {
        method: 'GET',
        target: '/',
        headers: [],
        sender: 'nobody',
        against: 'live',
        forward: false,
        from: '192.0.2.7',
      })
    ).status,
  ).toBe(422);
});

test.each([
  [{ networks: [{ name: 'a', description: '', entries: [] }] }, '/networks/0/entries'],
  [{ networks: [{ name: '', description: '', entries: ['192.0.2.1'] }] }, '/networks/0/name'],
  [{ networks: null }, '/networks'],
  [{ fence: { mode: 'enforce', addresses: { kind: 'only' } } }, '/fence/addresses/of'],
  [{ fence: { mode: 'enforce', addresses: { kind: 'only', of: [] } } }, '/fence/addresses/of'],
  [{ fence: { mode: 'enforce', addresses: { kind: 'only', of: ['10.0.0.1/8'] } } }, '/fence/addresses/of/0'],
  [{ fence: { mode: 'off', addresses: { kind: 'anywhere' } } }, '/fence/mode'],
  [{ fence: { mode: 'enforce', addresses: [] } }, '/fence/addresses'],
  [{ callerAddress: { header: 'x-real-ip', trustedHops: ['127.0.0.1'] } }, '/callerAddress/header'],
  [{ callerAddress: { header: 'forwarded', trustedHops: ['control-room'] } }, '/callerAddress/trustedHops/0'],
  // Taking a network away that a rule names would leave the rule without it.
  [{ networks: [] }, '/apis/0/addresses/of/0'],
])('%j is refused beside its field and changes nothing', async (patch, pointer) => {
  const before = await server.ok<AddressesView>('GET', '/addresses');
  const answer = await set(patch);
  expect([answer.status, answer.body.errors?.[0]?.pointer]).toEqual([422, pointer]);
  expect(await server.ok<AddressesView>('GET', '/addresses')).toEqual(before);
});

test('of two edits from the same beginning the second is told what the first made', async () => {
  const { revision, networks } = await server.ok<AddressesView>('GET', '/addresses');
  const edit = (name: string) =>
    server.call<ProblemDocument>(
      'PATCH',
      '/control/v1/addresses',
      { networks: [...networks, { name, description: '', entries: ['198.51.100.7'] }] },
      { authorization: `Bearer ${server.token}`, 'if-match': `"${revision}"` },
    );
  expect((await edit('mine')).status).toBe(200);
  const second = await edit('yours');
  expect([second.status, second.body.now?.content]).toEqual([
    412,
    expect.objectContaining({ networks: expect.arrayContaining([expect.objectContaining({ name: 'mine' })]) as unknown }) as unknown,
  ]);
  expect((await server.ok<AddressesView>('GET', '/addresses')).networks.map(({ name }) => name)).toEqual([...networks.map(({ name }) => name), 'mine']);
});

test('live, the fence counts what it would refuse before it refuses; the page of an operation has it; restarted, it stands', async () => {
  const status = async (path: string, headers: Record<string, string> = {}) => (await fetch(`${server.gatewayUrl}${path}`, { headers })).status;
  const published = async () => {
    await server.ok('POST', '/releases', {});
    const { live } = await server.ok<StandingView>('GET', '/standing');
    await until(async () => (await server.ok<StandingView>('GET', '/standing')).nodes[0]?.release === live?.number);
  };
  const fence = (mode: string) => ({ fence: { mode, addresses: { kind: 'only', of: ['192.0.2.7', '127.0.0.1'] } } });
  await set(fence('observe'));
  await published();
  const attention = async () => (await server.ok<{ items: AttentionItem[] }>('GET', '/overlook/attention')).items.map(({ title }) => title);
  expect(await attention()).toContain('The fence of the gateway only observes');
  expect(await status('/gates/gates', { 'x-forwarded-for': '192.0.2.7' })).toBe(200);
  expect(await status('/gates/gates', { 'x-forwarded-for': '192.0.2.9' })).toBe(200);
  expect(await status('/gates/gates', { 'x-forwarded-for': '203.0.113.9' })).toBe(403);
  const page = () => server.ok<OperationPage>('GET', `/apis/${apiId}/operations/${encodeURIComponent('GET /gates')}`);
  await until(async () => (await page()).operation.requests >= 3);
  const { checks } = await page();
  expect(checks.find(({ step }) => step === 'fence')).toMatchObject({ mode: 'observe', setAt: 'gateway', part: 'fence', passed: 1, wouldRefuse: 2 });
  expect(checks.find(({ step }) => step === 'address')).toMatchObject({
    asks: 'Only control room may call',
    mode: 'enforce',
    setAt: 'api',
    passed: 2,
    refused: 1,
  });
  expect(await server.ok<AddressesView>('GET', '/addresses')).toMatchObject({ refused: 0, wouldRefuse: 2 });
  await set(fence('enforce'));
  await published();
  expect(await status('/gates/gates', { 'x-forwarded-for': '192.0.2.9' })).toBe(403);
  expect(await attention()).not.toContain('The fence of the gateway only observes');
  await set({ callerAddress: { header: 'forwarded', trustedHops: ['0.0.0.0/1', '128.0.0.0/1'] } });
  await published();
  expect(await attention()).toContain('Everybody is a trusted hop');
  await server.ok('POST', '/releases/2/roll-back', {});
  await published();
  expect(await status('/anything')).toBe(404);
  await server.stop();
  await server.start();
  expect((await server.ok<AddressesView>('GET', '/addresses')).fence).toEqual(fence('enforce').fence);
  expect((await server.ok<ApiView>('GET', `/apis/${apiId}`)).addresses).toEqual({ kind: 'only', of: ['control room'] });
  await until(async () => (await status('/gates/gates', { 'x-forwarded-for': '192.0.2.7' }).catch(() => 503)) !== 503);
  expect(await status('/gates/gates', { 'x-forwarded-for': '192.0.2.9' })).toBe(403);
});
