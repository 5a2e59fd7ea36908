import { NO_LEARNING, NOTHING_SENSITIVE, unpack, type ApiRule, type LearnedBatch, type SensitiveUse, type TraceRecord } from '@virga/core';
import { randomBytes } from 'node:crypto';
import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import { SIGHTING_LIMITS } from '../src/sightings/sighting-thread.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, raw, startNode, until } from './harness.js';

let control: FakeControl;
let node: Awaited<ReturnType<typeof startNode>>;
let upstream: { url: string; server: Server; requests: IncomingMessage[] };
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let answer: (req: IncomingMessage, res: ServerResponse) => void;
let release = 0;

const MAIL = 'ada@orchard.example';
const json = (value: unknown, headers: Record<string, string> = {}) => {
  return (_req: IncomingMessage, res: ServerResponse): void =>
    void res.writeHead(200, { 'content-type': 'application/json', ...headers }).end(JSON.stringify(value));
};

beforeAll(async () => {
  issuer = await makeIssuer();
  upstream = await echoUpstream((req, res) => {
    req.resume();
    req.on('end', () => answer(req, res));
  });
  control = new FakeControl();
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

async function publish(change: Partial<ApiRule>): Promise<void> {
  const number = ++release;
  control.send({ type: 'release', number, hash: `h${number}`, document: documentFor(upstream.url, issuer.issuer, change) });
  await until(() => node.node.status().release?.number === number, `release ${number}`);
  control.sightings.length = 0;
}

const look = (...uses: readonly SensitiveUse[]): Partial<ApiRule> => ({ sensitive: { ...NOTHING_SENSITIVE, uses } });
const email = (answerAction: SensitiveUse['answer'], request: SensitiveUse['request'] = null): SensitiveUse => ({
  detector: 'email',
  request,
  answer: answerAction,
});

interface Got {
  readonly status: number;
  readonly head: string;
  readonly body: string;
}

async function send(head: string, body = '', headers = ''): Promise<Got> {
  const length = body === '' ? '' : `Content-Length: ${Buffer.byteLength(body)}\r\n`;
  const text = await raw(node.port, `${head} HTTP/1.1\r\nHost: g\r\nConnection: close\r\n${length}${headers}\r\n${body}`);
  const end = text.indexOf('\r\n\r\n');
  return { status: Number(text.slice(9, 12)), head: text.slice(0, end), body: text.slice(end + 4) };
}

const traceOf = (head: string): Promise<TraceRecord> => {
  const id = /x-virga-request: (\S+)|virga-request-id: (\S+)|x-request-id: (\S+)/i.exec(head)?.slice(1).find(Boolean) ?? '';
  return until(() => control.traces.find((trace) => trace.id === id), `the trace ${id} in ${head}`);
};

/** What was told of the API until something holds. */
async function told(holds: (batches: readonly LearnedBatch[]) => boolean): Promise<readonly LearnedBatch[]> {
  return until(() => {
    const batches = control.sightings.flatMap(({ apis }) => apis.map(({ learned }) => unpack<LearnedBatch>(learned)));
    return holds(batches) && batches;
  }, 'the report');
}

describe('sensitive data in answers', () => {
  test('masked on its way back: the rest stays, and the head says the new length', async () => {
    await publish(look(email('mask')));
    answer = json({ rows: [{ contact: MAIL, volume: 1.5 }] }, { etag: '"v1"', 'content-digest': 'sha-256=:AAAA:', 'x-own': 'yes' });
    const got = await send('GET /a/open/7');
    expect(got.status).toBe(200);
    expect(JSON.parse(got.body)).toEqual({ rows: [{ contact: 'a**@*******.*******', volume: 1.5 }] });
    expect(got.head).toMatch(new RegExp(`content-length: ${got.body.length}`, 'i'));
    expect(got.head).toMatch(/x-own: yes/i);
    expect(got.head).not.toMatch(/etag|digest/i);
    const trace = await traceOf(got.head);
    expect(trace.steps.find(({ step }) => step === 'sensitive-answer')).toMatchObject({
      outcome: 'pass',
      code: 'sensitive-answer.masked',
      operands: { places: ['/rows/*/contact'] },
    });
    expect(JSON.stringify(trace)).not.toContain(MAIL);
  });

  test.each<[string, (text: string) => Buffer]>([
    ['gzip', (text) => gzipSync(text)],
    ['br', (text) => brotliCompressSync(text)],
  ])('an upstream that packs its answer with %s all the same hides nothing', async (coding, packed) => {
    await publish(look(email('mask')));
    const body = packed(JSON.stringify({ contact: MAIL }));
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'application/json', 'content-encoding': coding }).end(body);
    const got = await send('GET /a/open/7', '', 'Accept-Encoding: gzip, br\r\n');
    expect(JSON.parse(got.body)).toEqual({ contact: 'a**@*******.*******' });
    expect(got.head).not.toMatch(/content-encoding/i);
  });

  test('refused: nothing of the answer leaves', async () => {
    await publish(look(email('refuse')));
    answer = json({ contact: MAIL, note: 'inside' });
    const got = await send('GET /a/open/7');
    expect(got.status).toBe(502);
    expect(got.head + got.body).not.toMatch(/ada|inside|orchard|mail/i);
    answer = json({ note: 'nothing in it' });
    expect((await send('GET /a/open/7')).status).toBe(200);
  });

  test.each<[string, Record<string, string>, string | Buffer]>([
    ['JSON that is none', { 'content-type': 'application/json' }, `{"contact":"${MAIL}"`],
    ['bytes that are no UTF-8', { 'content-type': 'text/plain' }, Buffer.concat([Buffer.from(MAIL), Buffer.from([0xff, 0xfe])])],
    ['a coding that is not read', { 'content-type': 'application/json', 'content-encoding': 'zstd' }, `{"contact":"${MAIL}"}`],
    ['a coding that it has not', { 'content-type': 'application/json', 'content-encoding': 'gzip' }, `{"contact":"${MAIL}"}`],
    ['a stream of events', { 'content-type': 'text/event-stream' }, `data: ${MAIL}\n\n`],
    ['a part of a body', { 'content-type': 'application/json', 'content-range': 'bytes 0-20/40' }, `{"contact":"${MAIL}`],
    ['more than is held', { 'content-type': 'application/json' }, JSON.stringify({ pad: 'x'.repeat(1_100_000), contact: MAIL })],
    ['a character by its number in HTML', { 'content-type': 'text/html' }, `<p>${MAIL.replace('@', '&#64;')}</p>`],
    ['a character by its number in XML', { 'content-type': 'application/xml' }, `<p>${MAIL.replace('@', '&#x40;')}</p>`],
    ['a text in UTF-16 that says so', { 'content-type': 'text/csv; charset=utf-16le' }, Buffer.from(MAIL, 'utf16le')],
    ['a text in UTF-16 that says nothing', { 'content-type': 'text/csv' }, Buffer.from(MAIL, 'utf16le')],
    ['a text in UTF-16 without a type', {}, Buffer.from(MAIL, 'utf16le')],
    ['a text in a set of seven bits', { 'content-type': 'text/plain; charset="utf-7"' }, MAIL.replace('@', '+AEA-')],
    ['bytes without a type that are no UTF-8', {}, Buffer.concat([Buffer.from(MAIL), Buffer.from([0xff])])],
    [
      'a part that is coded',
      { 'content-type': 'multipart/mixed; boundary=b' },
      `--b\r\nContent-Transfer-Encoding: base64\r\n\r\n${Buffer.from(MAIL).toString('base64')}\r\n--b--`,
    ],
    [
      'a part in another character set',
      { 'content-type': 'multipart/mixed; boundary=b' },
      Buffer.concat([Buffer.from('--b\r\nContent-Type: text/plain; charset=utf-16le\r\n\r\n'), Buffer.from(MAIL, 'utf16le'), Buffer.from('\r\n--b--')]),
    ],
    ['a text that is too long to be looked through', { 'content-type': 'text/plain' }, `${'x '.repeat(150_000)}${MAIL}`],
  ])('what cannot be looked into does not leave: %s', async (_, headers, body) => {
    for (const action of ['mask', 'refuse'] as const) {
      await publish(look(email(action)));
      answer = (_req, res) => void res.writeHead(200, headers).end(body);
      const got = await send('GET /a/open/7');
      expect(got.status).toBe(502);
      expect(got.head + got.body).not.toContain('orchard');
    }
  });

  // In two parts neither of them holds it (RFC 9110 sections 14.2 and 15.3.7).
  test('what is asked for by parts comes whole, and a part that comes all the same does not leave', async () => {
    const text = `write to ${MAIL} today`;
    for (const action of ['mask', 'refuse'] as const) {
      await publish(look(email(action)));
      answer = (req, res) => {
        const from = /^bytes=(\d+)-/.exec(req.headers.range ?? '')?.[1];
        if (from === undefined) return void res.writeHead(200, { 'content-type': 'text/plain' }).end(text);
        res.writeHead(206, { 'content-type': 'text/plain', 'content-range': `bytes ${from}-31/32` }).end(text.slice(Number(from)));
      };
      const got = await send('GET /a/open/7', '', 'Range: bytes=12-\r\nIf-Range: "v1"\r\n');
      expect([got.status, got.body.includes('orchard')]).toEqual([action === 'mask' ? 200 : 502, false]);
      answer = (_req, res) => void res.writeHead(206, { 'content-type': 'text/plain', 'content-range': 'bytes 12-31/32' }).end(text.slice(12));
      const part = await send('GET /a/open/7');
      expect([part.status, part.head.includes('orchard') || part.body.includes('orchard')]).toEqual([502, false]);
    }
    // Nobody looks into it: parts stay parts.
    await publish({});
    answer = (req, res) => void res.writeHead(req.headers.range === undefined ? 200 : 206).end('x');
    expect((await send('GET /a/open/7', '', 'Range: bytes=0-0\r\n')).status).toBe(206);
  });

  test('a text without a type is looked into; what is no text passes', async () => {
    await publish(look(email('mask')));
    answer = (_req, res) => void res.writeHead(200).end(`write to ${MAIL}`);
    expect((await send('GET /a/open/7')).body).toContain('a**@*******.*******');
    const image = randomBytes(64);
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'image/png' }).end(image);
    const got = await send('GET /a/open/7');
    expect(got.status).toBe(200);
    expect((await traceOf(got.head)).steps.find(({ step }) => step === 'sensitive-answer')).toMatchObject({
      outcome: 'skip',
      code: 'sensitive-answer.unchecked',
    });
  });

  test('header fields of answers: masked or refused, without content too', async () => {
    await publish(look(email('mask')));
    answer = (_req, res) => void res.writeHead(302, { location: `/people?mail=${MAIL}`, 'x-contact': [MAIL, 'none'] }).end();
    const got = await send('GET /a/open/7');
    expect(got.status).toBe(302);
    expect(got.head).toMatch(/location: .*a\*\*@/i);
    expect(got.head).not.toContain('orchard');
    await publish(look(email('refuse')));
    const refused = await send('GET /a/open/7');
    expect([refused.status, refused.head.includes('orchard')]).toEqual([502, false]);
  });

  test('cookies that are set are looked through too; a session in one is what belongs there', async () => {
    const jwt = `${Buffer.from('{"alg":"none"}').toString('base64url')}.${Buffer.from('{}').toString('base64url')}.`;
    await publish(look(email('mask'), { detector: 'jwt', request: null, answer: 'mask' }));
    answer = (_req, res) => void res.writeHead(200, { 'set-cookie': [`by=${MAIL}`, `session=${jwt}`], server: `${MAIL}/1.2`, 'x-token': jwt }).end();
    const { head } = await send('GET /a/open/7');
    expect(head).not.toContain('orchard');
    expect(head).toContain(`session=${jwt}`);
    expect(/x-token: (\S+)/i.exec(head)?.[1]).not.toBe(jwt);
  });

  test('an address in a field hides nothing by its escapes', async () => {
    await publish(look(email('mask')));
    answer = (_req, res) => void res.writeHead(302, { location: `/people?mail=${encodeURIComponent(MAIL)}&page=2`, 'x-own': '100%' }).end();
    const { head } = await send('GET /a/open/7');
    expect(head).not.toContain('orchard');
    expect([/location: (\S+)/i.exec(head)?.[1], /x-own: (\S+)/i.exec(head)?.[1]]).toEqual(['/people?mail=a**@*******.*******&page=2', '100%']);
    await publish(look(email('refuse')));
    expect((await send('GET /a/open/7')).status).toBe(502);
  });

  test('names of members, forms and lines of JSON are looked through too', async () => {
    await publish(look(email('mask')));
    answer = json({ byContact: { [MAIL]: { volume: 1 } }, rows: [{ [MAIL]: MAIL }] });
    const named = await send('GET /a/open/7');
    expect(JSON.parse(named.body)).toEqual({ byContact: { 'a**@*******.*******': { volume: 1 } }, rows: [{ 'a**@*******.*******': 'a**@*******.*******' }] });
    const trace = await traceOf(named.head);
    expect(trace.steps.find(({ step }) => step === 'sensitive-answer')?.operands['places']).toEqual(['/byContact/*', '/rows/*/*']);
    expect(JSON.stringify(trace)).not.toContain('orchard');
    for (const [type, body, masked] of [
      ['application/x-www-form-urlencoded', `a=1+2&mail=${encodeURIComponent(MAIL)}&b=%C3%A9`, 'a=1+2&mail=a**%40*******.*******&b=%C3%A9'],
      ['application/ndjson', `{"mail":"${MAIL}"}\n{"n":1}\n`, '{"mail":"a**@*******.*******"}\n{"n":1}\n'],
    ] as const) {
      answer = (_req, res) => void res.writeHead(200, { 'content-type': type }).end(body);
      expect([type, (await send('GET /a/open/7')).body]).toEqual([type, masked]);
    }
  });

  test('what is no text in parts stays as it is, byte by byte', async () => {
    await publish(look(email('mask')));
    const bytes = Buffer.from(Array.from({ length: 256 }, (_, index) => index));
    const body = (mail: string): Buffer =>
      Buffer.concat([Buffer.from('--b\r\nContent-Type: image/png\r\n\r\n'), bytes, Buffer.from(`\r\n--b\r\n\r\n${mail}\r\n--b--`)]);
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'multipart/mixed; boundary=b' }).end(body(MAIL));
    const got = await send('GET /a/open/7');
    expect([got.status, got.body]).toEqual([200, body('a**@*******.*******').toString('latin1')]);
  });

  test('a page with other characters by their numbers is masked as it stands', async () => {
    await publish(look(email('mask')));
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'text/html' }).end(`<p>${MAIL} &#169; &#x110000; &#0;</p>`);
    expect((await send('GET /a/open/7')).body).toBe('<p>a**@*******.******* &#169; &#x110000; &#0;</p>');
  });

  test('answers without content pass: HEAD, 204, 304', async () => {
    await publish(look(email('refuse')));
    answer = (_req, res) => void res.writeHead(204).end();
    expect((await send('GET /a/open/7')).status).toBe(204);
    answer = (_req, res) => void res.writeHead(304, { etag: '"1"' }).end();
    expect((await send('GET /a/open/7')).status).toBe(304);
    answer = (_req, res) => void res.writeHead(200, { 'content-type': 'application/json', 'content-length': '40' }).end();
    expect((await send('HEAD /a/open/7')).status).toBe(200);
  });

  test('an API that only observes changes nothing and refuses nothing', async () => {
    await publish({ ...look(email('mask'), { detector: 'card', request: null, answer: 'refuse' }), modes: { all: 'observe', checks: {} } });
    answer = json({ contact: MAIL, card: '4111111111111111' });
    const got = await send('GET /a/open/7');
    expect(got.body).toContain(MAIL);
    expect((await traceOf(got.head)).outcome).toBe('would-refuse');
  });
});

describe('sensitive data in requests', () => {
  test.each<[string, string, string, string]>([
    ['the query', `GET /a/open/7?contact=${encodeURIComponent(MAIL)}`, '', ''],
    ['the name of a parameter', `GET /a/open/7?${encodeURIComponent(MAIL)}`, '', ''],
    ['the path', `GET /a/open/${encodeURIComponent(MAIL)}`, '', ''],
    ['the path, every character of it escaped', `GET /a/open/${[...Buffer.from(MAIL)].map((code) => `%${code.toString(16)}`).join('')}`, '', ''],
    ['a header field', 'GET /a/open/7', '', `X-Contact: ${MAIL}\r\n`],
    ['a JSON body', 'POST /a/open/7', JSON.stringify({ deep: [{ contact: MAIL }] }), 'Content-Type: application/json\r\n'],
    ['a form', 'POST /a/open/7', `contact=${encodeURIComponent(MAIL)}`, 'Content-Type: application/x-www-form-urlencoded\r\n'],
    ['a part of a body', 'POST /a/open/7', MAIL.slice(0, 6), 'Content-Type: text/plain\r\nContent-Range: bytes 0-5/20\r\n'],
    ['a body that is not what it says', 'POST /a/open/7', `{"contact":"${MAIL}"`, 'Content-Type: application/json\r\n'],
  ])('is refused in %s, and the upstream sees nothing of it', async (_, head, body, headers) => {
    await publish(look(email(null, 'refuse')));
    answer = json({});
    upstream.requests.length = 0;
    const got = await send(head, body, headers);
    expect(got.status).toBe(400);
    expect(got.head + got.body).not.toContain('orchard');
    expect(upstream.requests).toHaveLength(0);
  });

  test('what belongs into a field is none: programs have versions, hops have addresses', async () => {
    await publish(look({ detector: 'ip-address', request: 'refuse', answer: null }, email(null, 'refuse')));
    answer = json({});
    const browser = 'User-Agent: Browser/120.0.0.0 (made-up)\r\nSec-CH-UA: "Browser";v="120.0.0.0"\r\nX-Forwarded-For: 203.0.113.9\r\n';
    expect((await send('GET /a/open/7', '', browser)).status).toBe(200);
    expect((await send('GET /a/open/7', '', 'X-Peer: 203.0.113.9\r\n')).status).toBe(400);
  });

  test('a call without any passes', async () => {
    await publish(look(email(null, 'refuse')));
    answer = json({});
    expect((await send('POST /a/open/7?limit=3', '{"note":"dry"}', 'Content-Type: application/json\r\n')).status).toBe(200);
  });
});

describe('what is only told of', () => {
  test('by operation, place and caller, masked; and whether it reached them', async () => {
    await publish(look(email('tell', 'tell'), { detector: 'card', request: null, answer: 'mask' }));
    answer = json({ rows: [{ contact: MAIL }, { contact: 'ben@orchard.example' }], card: '4111111111111111' });
    await send(`POST /a/open/${MAIL}?notify=${MAIL}`, JSON.stringify({ by: MAIL }), 'Content-Type: application/json\r\n');
    const ofPost = (all: Awaited<ReturnType<typeof told>>) => all.flatMap((batch) => batch.findings).filter(({ operation }) => operation.startsWith('POST'));
    // What was found of requests before may be told in a batch of its own.
    const findings = ofPost(await told((all) => ofPost(all).length >= 5));
    const text = JSON.stringify(findings, (_key, value: unknown) => (value instanceof Map ? [...value] : value));
    expect(text).not.toMatch(/ada@|ben@|41111111/);
    expect(findings.map(({ detector, side, at, operation, values, passed }) => [detector, side, at, operation, values, passed]).sort()).toEqual(
      [
        ['card', 'answer-body', '/card', 'POST /open/{id}', 1, 0],
        ['email', 'answer-body', '/rows/*/contact', 'POST /open/{id}', 2, 1],
        ['email', 'body', '/by', 'POST /open/{id}', 1, 1],
        ['email', 'path', 'segment 2', 'POST /open/{id}', 1, 1],
        ['email', 'query', 'notify', 'POST /open/{id}', 1, 1],
      ].sort(),
    );
    expect([...(findings[0]?.callers ?? [])]).toEqual([['127.0.0.1', 1]]);
  });
});

describe('learning', () => {
  const learning = { on: true, answers: 'successful' } as const;

  test('operations that no contract has, and what operations of it look like; credentials are not learned', async () => {
    await publish({ learning, unmatched: [{ prefix: '/v0', mode: 'pass' }], access: { kind: 'public', origin: 'hand' } });
    answer = json([{ meter: 'mtr-0001', volume: 3 }]);
    for (let turn = 0; turn < 6; turn++)
      await send(
        `GET /a/v0/export/${turn + 10}?format=json&access_token=secret-${turn}secret`,
        '',
        'X-Batch: 4\r\nAuthorization: Bearer abc\r\nCookie: sid=1\r\n',
      );
    await send('POST /a/open/9', '{"opening":40}', 'Content-Type: application/json\r\n');
    const batches = await told(
      (all) =>
        all.flatMap(({ paths }) => paths).reduce((sum, { operation }) => sum + operation.seen, 0) >= 6 && all.some(({ operations }) => operations.length > 0),
    );
    const [path] = batches.flatMap(({ paths }) => paths);
    expect(path?.path).toBe('/v0/export/{}');
    expect([...(path?.operation.query.keys() ?? [])]).toEqual(['format', 'access_token']);
    expect([...(path?.operation.headers.keys() ?? [])]).toEqual(['x-batch']);
    expect(control.sightings.map(({ apis }) => JSON.stringify(apis)).join()).not.toMatch(/secret-|Bearer|mtr-0001/);
    const [operation] = batches.flatMap(({ operations }) => operations);
    expect(operation?.[0]).toBe('POST /open/{id}');
    expect(operation?.[1].bodies.get('application/json')?.members.get('opening')).toMatchObject({ integers: 1 });
  });

  test('only from answers that were asked for, and from nothing that the gateway refused', async () => {
    await publish({ learning, unmatched: [{ prefix: '/', mode: 'pass' }], access: { kind: 'public', origin: 'hand' } });
    answer = (req, res) => void res.writeHead(req.url?.includes('moved') ? 302 : req.url?.includes('gone') ? 404 : 200).end();
    for (const path of ['/moved', '/gone', '/fine']) await send(`GET /a${path}`);
    await send('GET /a/guarded');
    await send('GET /elsewhere');
    expect((await told((all) => all.some(({ paths }) => paths.length > 0))).flatMap(({ paths }) => paths.map(({ path }) => path))).toEqual(['/fine']);
    await publish({ learning: { on: true, answers: 'redirects' }, unmatched: [{ prefix: '/', mode: 'pass' }], access: { kind: 'public', origin: 'hand' } });
    for (const path of ['/moved', '/gone']) await send(`GET /a${path}`);
    expect((await told((all) => all.some(({ paths }) => paths.length > 0))).flatMap(({ paths }) => paths.map(({ path }) => path))).toEqual(['/moved']);
  });

  test('a report that could not be told is told again, once', async () => {
    await publish({ learning });
    answer = json({});
    control.failRecords = 3;
    await send('GET /a/open/1');
    await told((all) => all.length > 0);
    expect(new Set(control.sightings.map(({ id }) => id)).size).toBe(control.sightings.length);
    expect(control.sightings.reduce((sum, { taken }) => sum + taken, 0)).toBe(1);
  });

  test('too many requests are passed over and counted; none waits, none is lost', async () => {
    await publish({ learning });
    answer = json({ ok: true });
    const statuses = new Map<number, number>();
    const from = performance.now();
    await Promise.all(
      Array.from({ length: 40 }, async () => {
        for (let turn = 0; turn < 25; turn++) {
          const { status } = await fetch(`${node.url}/a/open/5`);
          statuses.set(status, (statuses.get(status) ?? 0) + 1);
        }
      }),
    );
    const lasted = performance.now() - from;
    expect([...statuses]).toEqual([[200, 1000]]);
    await until(() => control.sightings.reduce((sum, { taken, dropped }) => sum + taken + dropped, 0) === 1000, 'all counted');
    // As many as the time allows that they took here: a slow machine sends fewer at once.
    const most = SIGHTING_LIMITS.operationBurst + (SIGHTING_LIMITS.operationPerSecond * lasted) / 1000;
    expect(control.sightings.reduce((sum, { taken }) => sum + taken, 0)).toBeLessThanOrEqual(Math.ceil(most));
  });

  test('where nothing is asked for, nobody looks', async () => {
    await publish({ learning: NO_LEARNING });
    answer = json({ contact: MAIL });
    await send('GET /a/open/1');
    await new Promise((resolve) => setTimeout(resolve, 1500));
    expect(control.sightings).toEqual([]);
  });
});
