import {
  NO_CONTRACT,
  CONTRACT_PARTS,
  type ApiRule,
  type ContractMode,
  type ContractPart,
  type ContractRule,
  type ReleaseDocument,
  type TraceRecord,
} from '@virga/core';
import { createHash } from 'node:crypto';
import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import { gzipSync } from 'node:zlib';
import { HeldBodies, HeldBody } from '../src/transit/held-bodies.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, raw, startNode, until } from './harness.js';

const POSITION = {
  type: 'object',
  required: ['opening'],
  properties: { opening: { type: 'integer', minimum: 0, maximum: 100 }, reason: { type: 'string' } },
  additionalProperties: false,
};
const ANSWER = {
  description: '',
  headers: { 'x-count': { schema: { type: 'integer' } } },
  content: { 'application/json': { schema: { type: 'object', required: ['ok'], properties: { ok: { type: 'boolean' } }, additionalProperties: false } } },
};
const DOCUMENT = {
  openapi: '3.1.0',
  info: { title: 'A', version: '1' },
  paths: {
    '/open/{id}': {
      parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'integer' } }],
      get: { parameters: [{ name: 'limit', in: 'query', schema: { type: 'integer', maximum: 50 } }], responses: { 200: ANSWER, 204: { description: '' } } },
      post: { requestBody: { required: true, content: { 'application/json': { schema: POSITION } } }, responses: { 200: ANSWER } },
    },
    '/guarded': { get: { responses: { 200: ANSWER } } },
  },
};
const TEXT = JSON.stringify(DOCUMENT);
const HASH = createHash('sha256').update(TEXT).digest('hex');

const all = (mode: ContractMode): Record<ContractPart, ContractMode> =>
  Object.fromEntries(CONTRACT_PARTS.map((part) => [part, mode])) as Record<ContractPart, ContractMode>;

let control: FakeControl;
let node: Awaited<ReturnType<typeof startNode>>;
let upstream: { url: string; server: Server; requests: IncomingMessage[] };
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let answer: (req: IncomingMessage, res: ServerResponse) => void;
let bodies: string[] = [];
let release = 0;

const good = (res: ServerResponse): void => void res.writeHead(200, { 'content-type': 'application/json' }).end('{"ok":true}');

beforeAll(async () => {
  issuer = await makeIssuer();
  upstream = await echoUpstream((req, res) => {
    let text = '';
    req.on('data', (part: Buffer) => (text += part.toString()));
    req.on('end', () => {
      bodies.push(text);
      answer(req, res);
    });
  });
  control = new FakeControl();
  control.contracts.set(HASH, TEXT);
  await control.start();
  node = await startNode(control);
});

afterAll(async () => {
  await node.node.stop();
  await control.stop();
  upstream.server.closeAllConnections();
  upstream.server.close();
  issuer.server.close();
});

beforeEach(() => {
  bodies = [];
  answer = (_req, res) => good(res);
});

function documentOf(contract: Partial<ContractRule>, change: Partial<ApiRule> = {}): ReleaseDocument {
  return documentFor(upstream.url, issuer.issuer, { contract: { ...NO_CONTRACT, ...contract }, contractHash: HASH, ...change });
}

async function publish(document: ReleaseDocument): Promise<void> {
  const number = ++release;
  control.send({ type: 'release', number, hash: `h${number}`, document });
  await until(() => node.node.status().release?.number === number, `release ${number}`);
}

interface Got {
  readonly status: number;
  readonly text: string;
  readonly head: string;
  readonly body: string;
}

async function send(head: string, body = '', headers = ''): Promise<Got> {
  const length = body === '' ? '' : `Content-Length: ${Buffer.byteLength(body)}\r\n`;
  const text = await raw(node.port, `${head} HTTP/1.1\r\nHost: g\r\nConnection: close\r\n${length}${headers}\r\n${body}`);
  const end = text.indexOf('\r\n\r\n');
  const [top, rest] = [text.slice(0, end), text.slice(end + 4)];
  return { status: Number(text.slice(9, 12)), text, head: top, body: /transfer-encoding: chunked/i.test(top) ? dechunked(rest) : rest };
}

function dechunked(text: string): string {
  const line = text.indexOf('\r\n');
  const size = parseInt(text.slice(0, line), 16);
  return size > 0 ? text.slice(line + 2, line + 2 + size) + dechunked(text.slice(line + 4 + size)) : '';
}

const post = (body: string, headers = 'Content-Type: application/json\r\n'): Promise<Got> => send('POST /a/open/7', body, headers);
const traceOf = ({ head }: Got): Promise<TraceRecord> => {
  const id = /x-request-id: (\S+)/i.exec(head)?.[1];
  return until(() => control.traces.find((trace) => trace.id === id), 'the trace');
};
const stepOf = async (got: Got, step: string) => (await traceOf(got)).steps.find((one) => one.step === step);

describe('every part enforced', () => {
  beforeAll(() => publish(documentOf({ parts: all('enforce') })));

  test('a request and an answer that keep to the contract pass', async () => {
    const got = await post('{"opening":50}');
    expect(got.status).toBe(200);
    expect(got.body).toBe('{"ok":true}');
    expect(bodies).toEqual(['{"opening":50}']);
    const { steps } = await traceOf(got);
    expect(steps.filter(({ step }) => step.startsWith('contract')).map(({ step, outcome }) => `${step} ${outcome}`)).toEqual([
      'contract pass',
      'contract-path pass',
      'contract-query pass',
      'contract-header pass',
      'contract-cookie pass',
      'contract-security pass',
      'contract-type pass',
      'contract-body pass',
      'contract-status pass',
      'contract-fields pass',
      'contract-answer pass',
    ]);
  });

  test.each([
    ['GET /a/open/seven', '', '', 400, 'contract-path.differs'],
    ['GET /a/open/7?limit=51', '', '', 400, 'contract-query.differs'],
    ['GET /a/open/7?debug=1', '', '', 400, 'contract-query.differs'],
    ['GET /a/open/7?limit=1&limit=2', '', '', 400, 'contract-query.differs'],
    ['POST /a/open/7', '{"opening":50}', 'Content-Type: text/plain\r\n', 415, 'contract-type.differs'],
    ['POST /a/open/7', '{"opening":50}', '', 415, 'contract-type.differs'],
    ['POST /a/open/7', '{"opening":101}', 'Content-Type: application/json\r\n', 400, 'contract-body.differs'],
    ['POST /a/open/7', '{"opening":5,"role":"admin"}', 'Content-Type: application/json\r\n', 400, 'contract-body.differs'],
    ['POST /a/open/7', '{"opening":5,"opening":500}', 'Content-Type: application/json\r\n', 400, 'contract-body.differs'],
    ['POST /a/open/7', '{"opening":5', 'Content-Type: application/json\r\n', 400, 'contract-body.differs'],
    ['POST /a/open/7', '', 'Content-Type: application/json\r\n', 400, 'contract-body.differs'],
    ['GET /a/open/7', '{}', 'Content-Type: application/json\r\n', 415, 'contract-type.differs'],
    ['PUT /a/open/7', '{}', 'Content-Type: application/json\r\n', 404, 'contract.not-described'],
  ])('%s with %j %s is answered %d', async (head, body, headers, status, code) => {
    const got = await send(head, body, headers);
    expect(got.status).toBe(status);
    expect(bodies).toEqual([]);
    expect((await traceOf(got)).code).toBe(code);
  });

  test('the caller is told where and what, as a problem document, and never its own value', async () => {
    const got = await post('{"opening":98765432101,"reason":5}');
    expect(JSON.parse(got.body)).toMatchObject({
      status: 400,
      title: 'The body is not as the contract of this API says',
      errors: [{ detail: 'at most 100', pointer: '#/opening' }, { pointer: '#/reason' }],
    });
    expect(got.body).not.toContain('98765432101');
    const query = await send('GET /a/open/7?limit=51');
    expect(JSON.parse(query.body)).toMatchObject({ errors: [{ detail: 'at most 50', parameter: 'limit' }] });
    expect((await send('POST /a/open/7', 'x', 'Content-Type: text/plain\r\n')).head).toMatch(/\r\naccept: application\/json/i);
  });

  test('a body is asked for only when the head has passed', async () => {
    const expecting = (path: string) => send(`POST ${path}`, '', 'Content-Type: application/json\r\nContent-Length: 14\r\nExpect: 100-continue\r\n');
    expect((await expecting('/a/open/7')).text).toMatch(/^HTTP\/1\.1 100 Continue/);
    expect((await expecting('/a/open/x')).text).toMatch(/^HTTP\/1\.1 400/);
  });

  test('a chunked body is put together, and reaches the upstream as one of known length', async () => {
    const text = await raw(
      node.port,
      'POST /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n7\r\n{"openi\r\n7\r\nng":1}\n\r\n0\r\n\r\n',
    );
    expect(text).toMatch(/^HTTP\/1\.1 200/);
    expect(bodies).toEqual(['{"opening":1}\n']);
    expect(upstream.requests.at(-1)?.headers).toMatchObject({ 'content-length': '14' });
  });

  test('a coded body is looked into and goes on as it came; another coding, and one that it is not, are refused', async () => {
    const coded = (body: Buffer, coding: string) =>
      raw(
        node.port,
        `POST /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\nContent-Type: application/json\r\nContent-Encoding: ${coding}\r\nContent-Length: ${body.length}\r\n\r\n${body.toString('latin1')}`,
      );
    expect(await coded(gzipSync('{"opening":1}'), 'gzip')).toMatch(/^HTTP\/1\.1 200/);
    expect(await coded(gzipSync('{"opening":101}'), 'gzip')).toMatch(/^HTTP\/1\.1 400/);
    expect(await coded(Buffer.from('{"opening":1}'), 'gzip')).toMatch(/^HTTP\/1\.1 415/);
    expect(await coded(Buffer.from('{"opening":1}'), 'compress')).toMatch(/^HTTP\/1\.1 415/);
    // A few bytes that would unpack to far more than is held.
    expect(await coded(gzipSync(`{"opening":1,"reason":"${'a'.repeat(4_000_000)}"}`), 'gzip')).toMatch(/^HTTP\/1\.1 413/);
  });

  test('a body larger than what is held is refused, by its length or while it comes', async () => {
    expect((await send('POST /a/open/7', '', 'Content-Type: application/json\r\nContent-Length: 1048577\r\n')).status).toBe(413);
    const chunk = `10000\r\n${' '.repeat(65536)}\r\n`;
    const text = await raw(
      node.port,
      `POST /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n${chunk.repeat(17)}0\r\n\r\n`,
    );
    expect(text).toMatch(/^HTTP\/1\.1 413/);
    expect(bodies).toEqual([]);
  });

  test.each<[string, (res: ServerResponse) => void, string]>([
    [
      'another member',
      (res) => void res.writeHead(200, { 'content-type': 'application/json' }).end('{"ok":true,"iban":"GB82WEST12345698765432"}'),
      'contract-answer.differs',
    ],
    ['no JSON', (res) => void res.writeHead(200, { 'content-type': 'application/json' }).end('<html>stack trace'), 'contract-answer.differs'],
    [
      'a body in two parts',
      (res) => void (res.writeHead(200, { 'content-type': 'application/json' }), res.write('{"ok":'), setTimeout(() => res.end('"iban"}'), 30)),
      'contract-answer.differs',
    ],
    ['another content type', (res) => void res.writeHead(200, { 'content-type': 'text/html' }).end('<p>iban'), 'contract-fields.differs'],
    ['no content type', (res) => void res.writeHead(200).end('iban'), 'contract-answer.differs'],
    [
      'a header field of another type',
      (res) => void res.writeHead(200, { 'content-type': 'application/json', 'x-count': 'iban' }).end('{"ok":true}'),
      'contract-fields.differs',
    ],
    ['another status', (res) => void res.writeHead(203, { 'content-type': 'application/json' }).end('{"ok":true}'), 'contract-status.differs'],
    ['no body', (res) => void res.writeHead(200, { 'content-type': 'application/json' }).end(), 'contract-answer.differs'],
    [
      'a coding that cannot be read',
      (res) => void res.writeHead(200, { 'content-type': 'application/json', 'content-encoding': 'zap' }).end('iban'),
      'contract-answer.coded',
    ],
    [
      'too much',
      (res) => void res.writeHead(200, { 'content-type': 'application/json' }).end(`{"ok":true}${' '.repeat(1_100_000)}`),
      'contract-answer.too-large',
    ],
    [
      'a length beyond what is held',
      (res) => void (res.writeHead(200, { 'content-type': 'application/json', 'content-length': 2_000_000 }), res.write('{"ok":')),
      'contract-answer.too-large',
    ],
  ])('an answer with %s is 502 and nothing of it leaves', async (_what, reply, code) => {
    answer = (_req, res) => reply(res);
    const got = await send('GET /a/open/7');
    expect(got.status).toBe(502);
    expect(got.text).not.toMatch(/iban|stack|x-count/);
    expect((await traceOf(got)).code).toBe(code);
  });

  test('a coded answer is asked for without, and looked into all the same', async () => {
    const coded = gzipSync('{"ok":true}');
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'application/json', 'content-encoding': 'gzip' }).end(coded);
    const got = await send('GET /a/open/7', '', 'Accept-Encoding: gzip, br\r\n');
    expect(upstream.requests.at(-1)?.headers['accept-encoding']).toBe('identity');
    expect(got.status).toBe(200);
    expect(Buffer.from(got.body, 'latin1').equals(coded)).toBe(true);
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'application/json', 'content-encoding': 'gzip' }).end(gzipSync('{"ok":1}'));
    expect((await send('GET /a/open/7')).status).toBe(502);
  });

  test('an answer without a body, and one to HEAD, pass', async () => {
    answer = (_req, res) => void res.writeHead(204).end();
    expect((await send('GET /a/open/7')).status).toBe(204);
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'application/json', 'content-length': 11 }).end();
    expect((await send('HEAD /a/open/7')).status).toBe(200);
  });

  test('an upstream that breaks off half an answer is 502', async () => {
    answer = (_req, res) => {
      res.writeHead(200, { 'content-type': 'application/json', 'content-length': 11 });
      res.write('{"ok":');
      setTimeout(() => res.destroy(), 30);
    };
    const got = await send('GET /a/open/7');
    expect(got.status).toBe(502);
    expect(got.text).not.toContain('"ok"');
  });
});

describe('observed', () => {
  beforeAll(() => publish(documentOf({ parts: all('observe') })));

  test('whatever differs passes as it came, and is written down', async () => {
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'application/json' }).end('{"ok":true,"more":1}');
    const got = await send('POST /a/open/x?debug=1', '{"opening":500}', 'Content-Type: application/json\r\n');
    expect(got.status).toBe(200);
    expect(got.body).toBe('{"ok":true,"more":1}');
    expect(bodies).toEqual(['{"opening":500}']);
    const trace = await traceOf(got);
    expect(trace.outcome).toBe('would-refuse');
    expect(trace.steps.filter(({ outcome }) => outcome === 'would-refuse').map(({ code }) => code)).toEqual([
      'contract-path.differs',
      'contract-query.differs',
      'contract-body.differs',
      'contract-answer.differs',
    ]);
  });

  test('nobody waits for it: the answer begins before its end has come', async () => {
    answer = (_req, res) => {
      res.writeHead(200, { 'content-type': 'application/json' });
      res.write('{"ok":');
      setTimeout(() => res.end('true}'), 400);
    };
    const from = Date.now();
    let first = 0;
    const response = await fetch(`${node.url}/a/open/7`);
    const reader = response.body?.getReader();
    for (;;) {
      const part = await reader?.read();
      if (!part || part.done) break;
      first ||= Date.now() - from;
    }
    expect(first).toBeLessThan(300);
  });

  test('what is larger than is read passes, and the trace says so', async () => {
    const got = await post(`{"opening":1,"reason":"${'a'.repeat(1_100_000)}"}`);
    expect(got.status).toBe(200);
    expect(await stepOf(got, 'contract-body')).toMatchObject({ outcome: 'would-refuse', code: 'contract-body.too-large' });
  });
});

describe('modes and choices', () => {
  test('a part that is off is no step, and one operation can have modes of its own', async () => {
    const base = documentOf({ parts: { ...all('off'), 'contract-body': 'enforce' } });
    const operations = (base.apis[0]?.operations ?? []).map((operation) =>
      operation.id === 'POST /open/{id}'
        ? { ...operation, contract: { parts: { 'contract-body': 'observe' as const, 'contract-path': 'enforce' as const } } }
        : operation,
    );
    await publish({ ...base, apis: base.apis.map((api) => ({ ...api, operations })) });
    const got = await post('{"opening":500}');
    expect(got.status).toBe(200);
    const { steps } = await traceOf(got);
    expect(steps.filter(({ step }) => step.startsWith('contract')).map(({ step, outcome }) => `${step} ${outcome}`)).toEqual([
      'contract pass',
      'contract-path pass',
      'contract-body would-refuse',
    ]);
    expect((await send('POST /a/open/x', '{"opening":500}', 'Content-Type: application/json\r\n')).status).toBe(400);
  });

  test('an API that only observes does so here too', async () => {
    await publish(documentOf({ parts: all('enforce') }, { modes: { all: 'observe', checks: {} } }));
    const got = await post('{"opening":500}');
    expect(got.status).toBe(200);
    expect((await traceOf(got)).outcome).toBe('would-refuse');
  });

  test('larger bodies may pass unchecked, whole, and the trace says so', async () => {
    await publish(documentOf({ parts: all('enforce'), bodyBytes: 1024, largerBody: 'pass' }));
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'application/json' }).end(`{"ok":true}${' '.repeat(3000)}`);
    const body = `{"opening":1,"reason":"${'a'.repeat(3000)}"}`;
    const got = await post(body);
    expect(got.status).toBe(200);
    expect(bodies).toEqual([body]);
    expect(got.body.length).toBe(3011);
    expect(await stepOf(got, 'contract-body')).toMatchObject({ outcome: 'skip', code: 'contract-body.unchecked' });
    expect(await stepOf(got, 'contract-answer')).toMatchObject({ outcome: 'skip', code: 'contract-answer.unchecked' });
    const chunked = `POST /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n`;
    const text = await raw(node.port, `${chunked}384\r\n${'x'.repeat(900)}\r\n384\r\n${'y'.repeat(900)}\r\n0\r\n\r\n`);
    expect(text).toMatch(/^HTTP\/1\.1 200/);
    expect(bodies.at(-1)).toBe('x'.repeat(900) + 'y'.repeat(900));
  });

  test('the credential that the contract declares was sent, or not', async () => {
    const text = JSON.stringify({
      ...DOCUMENT,
      components: { securitySchemes: { k: { type: 'apiKey', in: 'header', name: 'X-Key' }, b: { type: 'http', scheme: 'basic' } } },
      security: [{ k: [] }, { b: [] }],
    });
    const hash = createHash('sha256').update(text).digest('hex');
    control.contracts.set(hash, text);
    await publish(documentOf({ parts: { ...all('off'), 'contract-security': 'enforce' } }, { contractHash: hash }));
    expect((await send('GET /a/open/7')).status).toBe(401);
    expect((await send('GET /a/open/7', '', 'X-Key: anything\r\n')).status).toBe(200);
    expect((await send('GET /a/open/7', '', 'Authorization: Basic YTpi\r\n')).status).toBe(200);
    expect((await send('GET /a/open/7', '', 'Authorization: Bearer YTpi\r\n')).status).toBe(401);
  });
});

describe('paths that no operation matches', () => {
  let token: string;
  const get = (path: string, credential = true, method = 'GET') => send(`${method} ${path}`, '', credential ? `Authorization: Bearer ${token}\r\n` : '');

  beforeAll(async () => {
    token = await issuer.sign();
    const unmatched = [
      { prefix: '/v0', mode: 'pass' },
      { prefix: '/v0/closed', mode: 'refuse' },
      { prefix: '/old', mode: 'observe' },
    ] as const;
    await publish(documentOf({ parts: all('enforce') }, { unmatched }));
  });

  test('are refused unless something is said for their prefix, the longest one', async () => {
    for (const path of ['/a/other', '/a/v0x', '/a/v0/closed', '/a/v0/closed/x', '/a/V0/export']) expect([path, (await get(path)).status]).toEqual([path, 404]);
    for (const path of ['/a/v0', '/a/v0/export', '/a/v0/closedx']) expect([path, (await get(path)).status]).toEqual([path, 200]);
    expect(upstream.requests.at(-1)?.url).toBe('/v0/closedx');
  });

  test('have to meet what the API asks by default', async () => {
    expect((await get('/a/v0/export', false)).status).toBe(401);
    const trace = await traceOf(await get('/a/v0/export', true, 'DELETE'));
    expect(trace.steps.map(({ step, code }) => `${step} ${code}`)).toEqual(expect.arrayContaining(['route route.let-through', 'rights rights.sufficient']));
    expect(trace.steps.some(({ step }) => step.startsWith('contract'))).toBe(false);
    expect(trace.operationId).toBe('');
  });

  test('pass where they are only observed, and are counted as what would be refused', async () => {
    const trace = await traceOf(await get('/a/old/things'));
    expect([trace.status, trace.outcome, trace.code]).toEqual([200, 'would-refuse', 'route.no-operation']);
    expect(trace.steps.find(({ step }) => step === 'route')).toMatchObject({ mode: 'observe', outcome: 'would-refuse', rule: '/apis/0/unmatched/2' });
    expect((await get('/a/old/things', false)).status).toBe(401);
  });

  test('open no operation in another spelling, and no other method of one', async () => {
    await publish(documentOf({}, { unmatched: [{ prefix: '/', mode: 'pass' }] }));
    for (const path of ['/a/OPEN/7', '/a/Guarded', '/a/guarded/', '/a/open/7/']) expect([path, (await get(path)).status >= 400]).toEqual([path, true]);
    const other = await get('/a/guarded', true, 'DELETE');
    expect(other.status).toBe(405);
    expect(other.head).toMatch(/\r\nallow: GET, HEAD, POST, PUT/i);
    expect((await get('/a/open/../v0')).status).toBe(400);
  });
});

describe('a contract that is not to be had', () => {
  test('keeps the release from being taken, and the one before serves on', async () => {
    await publish(documentOf({ parts: all('enforce') }));
    for (const contractHash of ['0'.repeat(64), createHash('sha256').update('no contract').digest('hex')]) {
      if (contractHash !== '0'.repeat(64)) control.contracts.set(contractHash, 'no contract');
      const number = ++release;
      control.send({ type: 'release', number, hash: `h${number}`, document: documentOf({ parts: all('enforce') }, { contractHash }) });
      await until(() => node.node.status().refusedRelease?.number === number, 'the refusal');
      expect(node.node.status().refusedRelease?.reason).toMatch(/^the contract of A is not to be had/);
    }
    // A text that is not the one with this hash is none.
    control.contracts.set('f'.repeat(64), TEXT);
    const number = ++release;
    control.send({ type: 'release', number, hash: `h${number}`, document: documentOf({ parts: all('enforce') }, { contractHash: 'f'.repeat(64) }) });
    await until(() => node.node.status().refusedRelease?.number === number, 'the refusal');
    expect((await post('{"opening":500}')).status).toBe(400);
  });

  test('a node that starts alone has it on its disk', async () => {
    await publish(documentOf({ parts: all('enforce') }));
    await node.node.stop();
    control.contracts.clear();
    await control.stop();
    node = await startNode(control, node.folder);
    expect((await post('{"opening":500}')).status).toBe(400);
    expect((await post('{"opening":5}')).status).toBe(200);
  });
});

test('one caller can hold a quarter of the room for bodies, and gives back what it held', () => {
  const room = new HeldBodies(400);
  const [first, second, other] = ['a', 'a', 'b'].map((holder) => new HeldBody(1000, holder, room)) as [HeldBody, HeldBody, HeldBody];
  expect(first.add(Buffer.alloc(80))).toBe(true);
  expect(second.add(Buffer.alloc(30))).toBe(false);
  expect(second.full).toBe('no-room');
  expect(other.add(Buffer.alloc(100))).toBe(true);
  first.drop();
  first.drop();
  second.drop();
  expect(room.bytes).toBe(100);
  expect(new HeldBody(1000, 'a', room).add(Buffer.alloc(100))).toBe(true);
});
