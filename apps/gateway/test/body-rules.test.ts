import { NO_CONTRACT, SCRIPT_DEFAULTS, type ApiRule, type AuthorizerRule, type ConditionUse, type ServiceSource, type TraceRecord } from '@virga/core';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { brotliCompressSync, crc32, deflateRawSync, deflateSync, gunzipSync, gzipSync } from 'node:zlib';
import { HELD } from '../src/transit/held-bodies.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, raw, startNode, until } from './harness.js';

let control: FakeControl;
let node: Awaited<ReturnType<typeof startNode>>;
let upstream: { url: string; server: Server; requests: IncomingMessage[] };
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let bodies: string[] = [];
let number = 0;

/** A decision service that allows an opening of at most 50, slowly where it is told to. */
let waits = 0;
let asked: { context?: { opening?: unknown; all?: unknown } }[] = [];
const service = createServer((req, res) => {
  let text = '';
  req.on('data', (part: Buffer) => (text += part.toString()));
  req.on('end', () => {
    const question = JSON.parse(text) as { context?: { opening?: unknown; all?: unknown } };
    asked.push(question);
    const answer = JSON.stringify({ decision: Number(question.context?.opening) <= 50 });
    setTimeout(() => res.writeHead(200, { 'content-type': 'application/json' }).end(answer), waits);
  });
});

beforeAll(async () => {
  issuer = await makeIssuer();
  upstream = await echoUpstream((req, res) => {
    let text = '';
    req.on('data', (part: Buffer) => (text += part.toString('latin1')));
    req.on('end', () => {
      bodies.push(text);
      res.writeHead(200, { 'content-type': 'application/json' }).end('{"ok":true}');
    });
  });
  await new Promise<void>((done) => service.listen(0, '127.0.0.1', done));
  control = new FakeControl();
  await control.start();
  control.first.push({ type: 'directory', number: 0, whole: { first: true, last: true }, changes: [] });
  node = await startNode(control);
  await until(() => node.node.status().directory === 0, 'the directory');
});

afterAll(async () => {
  await node.node.stop();
  await control.stop();
  for (const server of [upstream.server, issuer.server, service]) {
    server.closeAllConnections();
    server.close();
  }
});

beforeEach(() => {
  bodies = [];
  asked = [];
  waits = 0;
});

const own = (source: string): ConditionUse => ({ kind: 'own', name: 'half', source });
const HALF = [own('request.body.opening <= 50')];

async function publish(change: Partial<ApiRule>, authorizers: readonly AuthorizerRule[] = []): Promise<void> {
  number++;
  const document = documentFor(upstream.url, issuer.issuer);
  const [api] = document.apis as [ApiRule];
  const called = authorizers.map(({ name }) => name);
  control.send({
    type: 'release',
    number,
    hash: `h${number}`,
    document: { ...document, authorizers, apis: [{ ...api, access: { kind: 'public', origin: 'hand' }, authorizers: called, ...change }] },
  });
  await until(() => node.node.status().release?.number === number, `release ${number}`);
}

const authorizer = (by: AuthorizerRule['by']): AuthorizerRule => ({ name: 'by body', description: '', by, passes: ['x-opening'], cache: null, cases: [] });
const script = (source: string): AuthorizerRule => authorizer({ kind: 'script', source, ...SCRIPT_DEFAULTS, timeMs: 150, tables: [], body: true });
const decides = (): ServiceSource => ({
  kind: 'service',
  url: `http://127.0.0.1:${(service.address() as AddressInfo).port}/evaluation`,
  credential: null,
  timeoutMs: 2000,
  allowLoopbackHttp: true,
  privateHosts: [],
  signIn: null,
  question: {
    subjectType: 'user',
    subjectId: '"somebody"',
    action: '"move"',
    resourceType: 'gate',
    resourceId: '"G-1"',
    properties: [
      { of: 'context', name: 'opening', value: 'request.body.opening' },
      { of: 'context', name: 'all', value: 'request.body' },
    ],
  },
});

const JSON_TYPE = 'Content-Type: application/json\r\n';
/** The first call of a script waits until its interpreter is ready. */
const BEGIN_MS = 10_000;
const post = async (body: string, headers = JSON_TYPE): Promise<string> =>
  raw(node.port, `POST /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\nContent-Length: ${Buffer.byteLength(body)}\r\n${headers}\r\n${body}`, BEGIN_MS);
const packed = (text: string): Uint8Array<ArrayBuffer> => new Uint8Array(gzipSync(text));
const statusOf = (answer: string): string => answer.slice(9, 12);
const chunked = (...parts: readonly string[]): string =>
  [...parts.map((part) => `${Buffer.byteLength(part).toString(16)}\r\n${part}\r\n`), '0\r\n\r\n'].join('');
const traceOf = (answer: string): Promise<TraceRecord> => {
  const id = /x-request-id: (\S+)/i.exec(answer)?.[1];
  return until(() => control.traces.find((trace) => trace.id === id), 'the trace');
};

describe('a condition that reads the body', () => {
  beforeAll(() => publish({ conditions: HALF }));

  test('lets the good body through untouched, and nothing of another one', async () => {
    expect(statusOf(await post('{ "opening":\t50 }'))).toBe('200');
    expect(bodies).toEqual(['{ "opening":\t50 }']);
    const refused = await post('{"opening":51}');
    expect(refused).toMatch(/^HTTP\/1\.1 403 [\s\S]*application\/problem\+json/);
    expect(refused).not.toMatch(/opening|half/);
    expect(bodies).toHaveLength(1);
    expect((await traceOf(refused)).steps.at(-1)).toMatchObject({
      step: 'condition',
      outcome: 'refuse',
      rule: '/apis/0/conditions/0',
      code: 'condition.not-met',
      operands: { seen: ['request.body.opening: 51'] },
    });
  });

  test('is asked once the body is whole, however it comes', async () => {
    const head = `POST /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\n${JSON_TYPE}Transfer-Encoding: chunked\r\n\r\n`;
    expect(statusOf(await raw(node.port, head + chunked('{"open', 'ing":', '50}')))).toBe('200');
    expect(statusOf(await raw(node.port, head + chunked('{"open', 'ing":', '51}')))).toBe('403');
    expect(statusOf(await raw(node.port, head + chunked('{"opening":50', '}', ' ,"opening":99}')))).toBe('400');
    expect(bodies).toEqual(['{"opening":50}']);
    // Until its end has come nothing of it goes up.
    await raw(node.port, head + chunked('{"opening":50}').replace('0\r\n\r\n', ''), 300);
    expect(bodies).toHaveLength(1);
  });

  test('is not asked for a body before the head has passed', async () => {
    await publish({
      conditions: HALF,
      access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 's', scopes: ['read'], match: 'all', roles: [] }]] },
    });
    const head = `POST /a/guarded HTTP/1.1\r\nHost: g\r\nConnection: close\r\n${JSON_TYPE}Content-Length: 14\r\nExpect: 100-continue\r\n`;
    const refused = await raw(node.port, `${head}\r\n`);
    expect(statusOf(refused)).toBe('401');
    const authorization = `Authorization: Bearer ${await issuer.sign()}\r\n`;
    expect(await raw(node.port, `${head}${authorization}\r\n`, 300)).toMatch(/^HTTP\/1\.1 100 /);
    await publish({ conditions: HALF });
  });

  test.each<[string, string, string]>([
    ['a member twice', '{"opening":1,"opening":99}', JSON_TYPE],
    ['no type', '{"opening":1}', ''],
    ['another type', '{"opening":1}', 'Content-Type: text/plain\r\n'],
    ['two types', '{"opening":1}', `${JSON_TYPE}Content-Type: text/plain\r\n`],
    ['a coding that it does not have', '{"opening":1}', `${JSON_TYPE}Content-Encoding: gzip\r\n`],
    ['a coding that nobody reads', '{"opening":1}', `${JSON_TYPE}Content-Encoding: compress\r\n`],
    ['two codings', '{"opening":1}', `${JSON_TYPE}Content-Encoding: identity\r\nContent-Encoding: br\r\n`],
    ['a list', '[{"opening":1}]', JSON_TYPE],
    ['an empty body', '', JSON_TYPE],
    ['half of it', '{"opening":1', JSON_TYPE],
    ['two of it', '{"opening":1}{"opening":99}', JSON_TYPE],
  ])('refuses %s and calls nobody', async (_words, body, headers) => {
    expect(statusOf(await post(body, headers))).toMatch(/^40[03]$/);
    expect(bodies).toEqual([]);
  });

  test('reads one packed content, to its end: what readers take for another, or go on reading, is refused', async () => {
    const sent = async (coding: string, ...parts: readonly Uint8Array[]): Promise<number> => {
      const headers = { 'content-type': 'application/x-www-form-urlencoded', 'content-encoding': coding };
      return (await fetch(`${node.url}/a/open/7`, { method: 'POST', body: new Uint8Array(Buffer.concat(parts)), headers })).status;
    };
    await publish({ conditions: [own('request.body.opening == "5"')] });
    const [five, one] = ['opening=5', '1'].map((text) => gzipSync(text)) as [Buffer, Buffer];
    const changed = (bytes: Buffer, at: number, value: number): Buffer => {
      const copy = Buffer.from(bytes);
      copy[at < 0 ? copy.length + at : at] = value;
      return copy;
    };
    // RFC 1952 section 2.3: a head with all that it may have; the platform's own reader takes it.
    const flags = Buffer.from([0x1f, 0x8b, 8, 4 | 8 | 16 | 2, 0, 0, 0, 0, 0, 255, 3, 0, 1, 2, 3, ...Buffer.from('name\0comment\0', 'latin1')]);
    const checked = Buffer.alloc(2);
    checked.writeUInt16LE(crc32(flags) & 0xffff);
    const full = Buffer.concat([flags, checked, five.subarray(10)]);
    expect(gunzipSync(full).toString()).toBe('opening=5');
    for (const good of [five, full]) expect(await sent('gzip', good)).toBe(200);
    expect(await sent('deflate', deflateSync('opening=5'))).toBe(200);
    expect(await sent('br', brotliCompressSync('opening=5'))).toBe(200);
    const calls = bodies.length;
    expect(calls).toBe(4);
    for (const bad of [
      [five, one],
      [gzipSync(''), five],
      [five, gzipSync('')],
      [five, Buffer.alloc(1)],
      [five, Buffer.alloc(8), one],
      [five, Buffer.from('&opening=51')],
      [five.subarray(0, -1)],
      [five.subarray(0, -8)],
      [five.subarray(0, 11)],
      [changed(five, -8, 0)],
      [changed(five, -1, 1)],
      [changed(five, 3, 0x20)],
      [changed(five, 2, 7)],
      [changed(full, 12, 9)],
      [Buffer.from([0x1f, 0x8b, 8, 8, 0, 0, 0, 0, 0, 0, 65])],
      [Buffer.from([0x1f, 0x8b, 8])],
    ])
      expect(`${await sent('gzip', ...bad)} ${Buffer.concat(bad).toString('hex')}`).toMatch(/^400/);
    expect(await sent('deflate', deflateSync('opening=5'), deflateSync('1'))).toBe(400);
    expect(await sent('deflate', deflateRawSync('opening=5'))).toBe(400);
    expect(await sent('br', brotliCompressSync('opening=5'), brotliCompressSync('1'))).toBe(400);
    expect(bodies.length).toBe(calls);
    await publish({ conditions: HALF });
  });

  test('reads what is coded, and no more of it than the bound', async () => {
    const fetched = async (body: Uint8Array<ArrayBuffer> | string, headers: Record<string, string> = {}): Promise<number> =>
      (await fetch(`${node.url}/a/open/7`, { method: 'POST', body, headers: { 'content-type': 'application/json', ...headers } })).status;
    expect(await fetched(packed('{"opening":50}'), { 'content-encoding': 'gzip' })).toBe(200);
    expect(await fetched(packed('{"opening":51}'), { 'content-encoding': 'gzip' })).toBe(403);
    expect(bodies).toHaveLength(1);
    await publish({ conditions: HALF, contract: { ...NO_CONTRACT, bodyBytes: 2048, largerBody: 'pass' } });
    const padded = (bytes: number): string => `{"opening":50,"note":"${'x'.repeat(bytes)}"}`;
    expect(await fetched(padded(1000))).toBe(200);
    expect(await fetched(padded(3000))).toBe(400);
    expect(await fetched(packed(padded(100_000)), { 'content-encoding': 'gzip' })).toBe(400);
    // What says nothing of its length is refused as soon as it has too much.
    const head = `POST /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\n${JSON_TYPE}Transfer-Encoding: chunked\r\n\r\n`;
    expect(statusOf(await raw(node.port, head + chunked(padded(3000))))).toBe('400');
    expect(bodies).toHaveLength(2);
    await publish({ conditions: HALF });
  });

  test('gives back what it held, whoever leaves', async () => {
    await until(() => HELD.bytes === 0, 'nothing held');
    for (let turn = 0; turn < 20; turn++) {
      const socket = connect(node.port, '127.0.0.1');
      socket.on('error', () => undefined);
      socket.write(`POST /a/open/7 HTTP/1.1\r\nHost: g\r\n${JSON_TYPE}Content-Length: 100000\r\n\r\n${'x'.repeat(50_000)}`);
      await until(() => HELD.bytes > 0, 'something held');
      socket.destroy();
      await until(() => HELD.bytes === 0, 'nothing held');
    }
    // Of one that goes half away, nothing more can come: it is told so at once.
    const half = connect({ port: node.port, host: '127.0.0.1', allowHalfOpen: true });
    let told = '';
    half.on('data', (part: Buffer) => (told += part.toString()));
    half.end(`POST /a/open/7 HTTP/1.1\r\nHost: g\r\n${JSON_TYPE}Content-Length: 100000\r\n\r\n${'x'.repeat(50_000)}`);
    await until(() => half.readableEnded, 'the end');
    half.destroy();
    expect(told).toMatch(/^HTTP\/1\.1 400 [\s\S]*connection: close/i);
    await until(() => HELD.bytes === 0, 'nothing held');
    expect(statusOf(await post('{"opening":50}'))).toBe('200');
  });

  test('says what it would have refused where it only observes, and the body travels on', async () => {
    await publish({ conditions: HALF, modes: { all: 'enforce', checks: { condition: 'observe' } } });
    const answer = await post('{"opening":99}');
    expect(statusOf(answer)).toBe('200');
    expect(bodies).toEqual(['{"opening":99}']);
    const trace = await traceOf(answer);
    expect([trace.outcome, trace.steps.find(({ step }) => step === 'condition')]).toMatchObject([
      'would-refuse',
      { outcome: 'would-refuse', code: 'condition.not-met' },
    ]);
    await publish({ conditions: HALF });
  });
});

describe('a script that is shown the body', () => {
  beforeAll(() =>
    publish({}, [
      script(`function decide({ request }) {
        if (request.query.loop) for (;;);
        const { body } = request;
        return { allow: body !== undefined && body.opening <= 50, reason: 'too wide', tell: true, headers: { 'x-opening': String(body?.opening) } };
      }`),
    ]),
  );

  test('decides by it, and passes up what it made of it', async () => {
    expect(statusOf(await post('{"opening":50}'))).toBe('200');
    expect(upstream.requests.at(-1)?.headers['x-opening']).toBe('50');
    const denied = await post('{"opening":51}');
    expect(statusOf(denied)).toBe('403');
    expect(denied).toContain('too wide');
    expect(bodies).toHaveLength(1);
    expect((await traceOf(denied)).steps.at(-1)).toMatchObject({ step: 'authorizer', code: 'authorizer.denied', rule: '/apis/0/authorizers/0' });
  });

  test('is asked without one where none was sent, and is not where it cannot be read', async () => {
    expect(statusOf(await raw(node.port, 'GET /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\n\r\n', BEGIN_MS))).toBe('403');
    const twice = await post('{"opening":1,"opening":2}');
    expect(statusOf(twice)).toBe('400');
    expect((await traceOf(twice)).steps.at(-1)).toMatchObject({
      code: 'authorizer.unread',
      operands: { says: expect.stringContaining('reader takes') as string },
    });
    // A whole number that the script would see as its neighbour.
    expect(statusOf(await post('{"opening":1,"id":1234567890123456789}'))).toBe('400');
    expect(bodies).toEqual([]);
  });

  test('that does not end refuses the one request', async () => {
    const slow = raw(
      node.port,
      `POST /a/open/7?loop=1 HTTP/1.1\r\nHost: g\r\nConnection: close\r\n${JSON_TYPE}Content-Length: 14\r\n\r\n{"opening":50}`,
      BEGIN_MS,
    );
    expect(statusOf(await post('{"opening":50}'))).toBe('200');
    expect(statusOf(await slow)).toMatch(/403|50\d/);
    expect(bodies).toHaveLength(1);
  });

  test('that only observes is waited for, and lets the body through', async () => {
    await publish({ modes: { all: 'enforce', checks: { authorizer: 'observe' } } }, [
      script('function decide({ request }) { return { allow: request.body.opening <= 50 } }'),
    ]);
    const answer = await post('{"opening":99}');
    expect(statusOf(answer)).toBe('200');
    expect(bodies).toEqual(['{"opening":99}']);
    expect((await traceOf(answer)).outcome).toBe('would-refuse');
  });
});

describe('a decision service that is asked about the body', () => {
  beforeAll(() => publish({}, [authorizer(decides())]));

  test('is told what the question says of it, and nothing goes up before its answer', async () => {
    waits = 100;
    expect(statusOf(await post('{"opening":50,"by":"hand"}'))).toBe('200');
    expect(asked.map(({ context }) => context)).toEqual([{ opening: 50, all: { opening: 50, by: 'hand' } }]);
    expect(statusOf(await post('{"opening":51}'))).toBe('403');
    expect(bodies).toHaveLength(1);
  });

  test('is not asked about a body that cannot be read, or that has no such member', async () => {
    expect(statusOf(await post('{"opening":1,"opening":2}'))).toBe('400');
    // A question that comes to no value refuses, as a condition does.
    for (const body of ['{}', 'null', '']) expect([body, statusOf(await post(body))]).toEqual([body, '403']);
    expect([asked, bodies]).toEqual([[], []]);
  });

  test('is no reason to call the upstream for a caller that has left', async () => {
    waits = 400;
    const socket = connect(node.port, '127.0.0.1');
    socket.on('error', () => undefined);
    socket.write(`POST /a/open/7 HTTP/1.1\r\nHost: g\r\n${JSON_TYPE}Content-Length: 14\r\n\r\n{"opening":50}`);
    await until(() => asked.length === 1, 'the question');
    socket.destroy();
    await new Promise((done) => setTimeout(done, 700));
    expect([bodies, HELD.bytes]).toEqual([[], 0]);
  });

  test('many bodies at once each get their own answer', async () => {
    waits = 20;
    const openings = Array.from({ length: 60 }, (_, index) => index + 21);
    const statuses = await Promise.all(openings.map(async (opening) => statusOf(await post(JSON.stringify({ opening })))));
    expect(statuses).toEqual(openings.map((opening) => (opening <= 50 ? '200' : '403')));
    expect(bodies.map((body) => (JSON.parse(body) as { opening: number }).opening).sort((a, b) => a - b)).toEqual(openings.filter((opening) => opening <= 50));
  });
});
