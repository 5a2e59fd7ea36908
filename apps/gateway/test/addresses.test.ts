import { NO_FENCE, type AddressRule, type ApiRule, type CallerAddressRule, type FenceRule, type ReleaseDocument } from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import type { GatewayNode } from '../src/gateway-node.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, raw, startNode, until } from './harness.js';

// The node hears on 127.0.0.1, so that is where every connection comes from.
let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let port: number;
let number = 0;

beforeAll(async () => {
  control = new FakeControl();
  await control.start();
  [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
  ({ node, url, port } = await startNode(control));
});
afterAll(async () => {
  await node.stop();
  await control.stop();
  for (const { server } of [upstream, issuer]) {
    server.closeAllConnections();
    server.close();
  }
});

interface Rules {
  readonly addresses?: AddressRule;
  readonly fence?: FenceRule;
  readonly callerAddress?: CallerAddressRule | null;
}

const documentOf = ({ addresses = { kind: 'anywhere' }, fence = NO_FENCE, callerAddress = null }: Rules): ReleaseDocument => {
  const document = documentFor(upstream.url, issuer.issuer);
  const [api] = document.apis as [ApiRule];
  return { ...document, networks: [{ name: 'field', description: '', entries: ['192.0.2.0/24'] }], fence, callerAddress, apis: [{ ...api, addresses }] };
};
async function publish(rules: Rules): Promise<void> {
  number++;
  control.send({ type: 'release', number, hash: `h${number}`, document: documentOf(rules) });
  await until(() => node.status().release?.number === number, `release ${number}`);
}
const get = (path: string, headers: Record<string, string> = {}) => fetch(`${url}${path}`, { headers });
const only = (...of: string[]): AddressRule => ({ kind: 'only', of });
const behind: CallerAddressRule = { header: 'x-forwarded-for', trustedHops: ['127.0.0.1'] };

test('the address of the connection counts, and no header stands for it', async () => {
  await publish({ addresses: only('127.0.0.0/8') });
  expect((await get('/a/open/1', { 'x-forwarded-for': '203.0.113.9' })).status).toBe(200);
  await publish({ addresses: only('field') });
  for (const name of ['x-forwarded-for', 'forwarded', 'x-real-ip', 'client-ip', 'true-client-ip'])
    expect((await get('/a/open/1', { [name]: name === 'forwarded' ? 'for=192.0.2.7' : '192.0.2.7' })).status).toBe(403);
});

test('behind a trusted hop the one that it names counts, and the upstream is told of that one', async () => {
  await publish({ addresses: only('field'), callerAddress: behind });
  const answer = await get('/a/open/1', { 'x-forwarded-for': '203.0.113.9, 192.0.2.7' });
  expect(answer.status).toBe(200);
  const { headers } = (await answer.json()) as { headers: IncomingHttpHeaders };
  expect([headers['x-forwarded-for'], headers['forwarded']]).toEqual(['192.0.2.7', expect.stringMatching(/^for=192\.0\.2\.7;/) as unknown]);
  const trace = await until(() => control.traces.find(({ id }) => id === answer.headers.get('x-request-id')), 'the trace');
  expect([trace.address, trace.steps.find(({ step }) => step === 'address')]).toEqual([
    '192.0.2.7',
    expect.objectContaining({
      code: 'address.within',
      rule: '/apis/0/addresses',
      operands: { address: '192.0.2.7', by: 'field (192.0.2.0/24)', via: ['127.0.0.1'] },
    }) as unknown,
  ]);
});

// What callers write in front, twice, in another spelling or so that it cannot be read.
test.each([
  'X-Forwarded-For: 192.0.2.7, 203.0.113.9',
  'X-Forwarded-For: 192.0.2.7\r\nX-Forwarded-For: 203.0.113.9',
  'X-Forwarded-For: 192.0.2.7, unknown',
  'X-Forwarded-For: 192.0.2.7,',
  'X-Forwarded-For: ',
  'X-Forwarded-For: 192.0.2.007',
  'X-Forwarded-For: 3221225991',
  'X-Forwarded-For: ::192.0.2.7',
  'X_Forwarded_For: 192.0.2.7',
  'X-Forwarded: for=192.0.2.7',
  'Forwarded: for=192.0.2.7',
])('%j does not get in', async (lines) => {
  await publish({ addresses: only('field'), callerAddress: behind });
  const before = upstream.requests.length;
  expect(await raw(port, `GET /a/open/1 HTTP/1.1\r\nHost: x\r\n${lines}\r\nConnection: close\r\n\r\n`)).toMatch(/^HTTP\/1\.1 403 /);
  expect(upstream.requests.length).toBe(before);
});

test('an address that is hidden leaves the upstream without one, not with that of the hop', async () => {
  await publish({ callerAddress: behind });
  const { headers } = (await (await get('/a/open/1', { 'x-forwarded-for': '_hidden' })).json()) as { headers: IncomingHttpHeaders };
  expect([headers['x-forwarded-for'], headers['forwarded']]).toEqual(['unknown', expect.stringMatching(/^for=unknown;/) as unknown]);
});

test('the fence stands before every path, what the gateway answers itself included', async () => {
  const metadata = '/.well-known/oauth-protected-resource/a';
  await publish({});
  expect((await get(metadata)).status).toBe(200);
  await publish({ fence: { mode: 'enforce', addresses: only('field') } });
  for (const path of ['/a/open/1', '/nowhere', metadata, '/a/guarded']) {
    const answer = await get(path);
    expect([path, answer.status, ((await answer.json()) as { title: string }).title]).toEqual([path, 403, 'Not from this address']);
    const refused = await until(() => control.traces.find(({ id }) => id === answer.headers.get('x-request-id')), 'the trace');
    expect(refused.steps.map(({ step, outcome }) => `${step} ${outcome}`)).toEqual(['fence refuse']);
  }
  await publish({ fence: { mode: 'observe', addresses: only('field') } });
  const passed = await get('/a/open/1');
  expect(passed.status).toBe(200);
  const trace = await until(() => control.traces.find(({ id }) => id === passed.headers.get('x-request-id')), 'the trace');
  expect([trace.outcome, trace.step, trace.steps[0]?.rule]).toEqual(['would-refuse', 'fence', '/fence/addresses']);
});

test('a certificate header is believed by the hop that connects, whatever address it names', async () => {
  const document = documentOf({ callerAddress: behind });
  number++;
  control.send({
    type: 'release',
    number,
    hash: `h${number}`,
    document: { ...document, certificateHeader: { name: 'client-cert', trustedHops: ['192.0.2.0/24'] } },
  });
  await until(() => node.status().release?.number === number, 'the release');
  const { headers } = (await (await get('/a/open/1', { 'x-forwarded-for': '192.0.2.7', 'client-cert': ':AAAA:' })).json()) as { headers: IncomingHttpHeaders };
  expect(headers['client-cert']).toBeUndefined();
});

test('a draft is asked about any address', async () => {
  await publish({});
  const document = documentOf({ addresses: only('field') });
  const probe = async (from: string | null) => {
    const askId = `from ${from ?? 'nowhere'}`;
    const request = { method: 'GET', target: '/a/open/1', headers: [['host', 'x']] as [string, string][], body: null, from };
    control.send({ type: 'probe', askId, hash: 'draft', document, request, forward: false });
    return (await until(() => control.answers.find((one) => one.askId === askId), 'the answer')).probe?.code;
  };
  expect(await probe('192.0.2.7')).toBe('upstream.not-called');
  expect(await probe('203.0.113.9')).toBe('address.outside');
  expect(await probe(null)).toBe('address.outside');
});
