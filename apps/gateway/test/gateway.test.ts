import { BEARER_HEADER, RELEASE_FORMAT, tokenRule, type AddressRule } from '@virga/core';
import type { IncomingHttpHeaders, Server } from 'node:http';
import { calculateJwkThumbprint, exportJWK, generateKeyPair, SignJWT } from 'jose';
import { createHash, createHmac } from 'node:crypto';
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { CALLER_HEADER, PROBE_HEADER } from '@virga/protocol/node';
import { GatewayNode } from '../src/gateway-node.js';
import { RECORD_LIMITS } from '../src/records/recorder.js';
import { AUDIENCE, documentFor, echoUpstream, FakeControl, makeIssuer, NODE_TOKEN, raw, startNode, until } from './harness.js';

type Echo = { method: string; url: string; headers: IncomingHttpHeaders; body: string };

let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let port: number;
let folder: string;
const servers: Server[] = [];

const publish = async (number: number, document = documentFor(upstream.url, issuer.issuer)): Promise<void> => {
  control.send({ type: 'release', number, hash: `h${number}`, document });
  await until(() => control.statuses.some((status) => status.release?.number === number), `release ${number}`);
};
const get = (path: string, init: RequestInit = {}) => fetch(url + path, init);
const bearer = async (claims = {}): Promise<Record<string, string>> => ({ authorization: `Bearer ${await issuer.sign(claims)}` });
const traceOf = (id: string | null) => until(() => control.traces.find((trace) => trace.id === id), 'the trace');

beforeEach(async () => {
  control = new FakeControl();
  await control.start();
  upstream = await echoUpstream();
  issuer = await makeIssuer();
  servers.push(upstream.server, issuer.server);
  ({ node, url, port, folder } = await startNode(control));
  await until(() => control.statuses.length > 0, 'the node');
  await publish(1);
});
afterEach(async () => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
  await node.stop();
  await control.stop();
});

describe('forwarding', () => {
  test('a request that passes goes up with what the upstream may know, and comes back', async () => {
    const answer = await get('/a/open/x%2Dy?q=1&r=%2F', { method: 'POST', body: 'hello', headers: { 'content-type': 'text/plain', 'x-mine': '1' } });
    const echo = (await answer.json()) as Echo;
    expect(echo).toMatchObject({ method: 'POST', url: '/open/x-y?q=1&r=%2F', body: 'hello' });
    expect(echo.headers).toMatchObject({
      'x-mine': '1',
      'content-length': '5',
      'x-forwarded-for': '127.0.0.1',
      'x-forwarded-proto': 'http',
      'x-forwarded-host': `127.0.0.1:${port}`,
    });
    expect(echo.headers['forwarded']).toBe(`for=127.0.0.1;host="127.0.0.1:${port}";proto=http`);
    expect(echo.headers['x-request-id']).toBe(answer.headers.get('x-request-id'));
    expect(answer.headers.get('x-own')).toBe('yes');
  });

  test('hop-by-hop fields end at the gateway, both ways (RFC 9110 section 7.6.1)', async () => {
    const received = await raw(
      port,
      'GET /a/open/1 HTTP/1.1\r\nHost: x\r\nConnection: close, X-Gone\r\nX-Gone: 1\r\nTE: trailers\r\nUpgrade: h2c\r\nKeep-Alive: 1\r\nProxy-Authorization: Basic eA==\r\n\r\n',
    );
    expect(received).toMatch(/^HTTP\/1.1 200/);
    const headers = upstream.requests[0]?.headers ?? {};
    for (const name of ['x-gone', 'te', 'upgrade', 'keep-alive', 'proxy-authorization']) expect(headers[name]).toBeUndefined();
    expect(received.toLowerCase()).not.toContain('x-hop');
  });

  test('what a caller claims about itself or about another method is not passed on', async () => {
    const echo = (await (
      await get('/a/open/1', {
        headers: {
          'x-forwarded-for': '6.6.6.6',
          forwarded: 'for=6.6.6.6',
          'x-http-method-override': 'DELETE',
          'x-original-url': '/admin',
          'x-real-ip': '6.6.6.6',
        },
      })
    ).json()) as Echo;
    expect(JSON.stringify(echo.headers)).not.toMatch(/6\.6\.6\.6|DELETE|\/admin/);
  });

  test('a W3C trace is continued, a broken one begun anew', async () => {
    const parent = '00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01';
    const known = (await (await get('/a/open/1', { headers: { traceparent: parent } })).json()) as Echo;
    expect(known.headers['traceparent']).toMatch(/^00-0af7651916cd43dd8448eb211c80319c-(?!b7ad6b7169203331)[0-9a-f]{16}-01$/);
    const fresh = (await (await get('/a/open/1', { headers: { traceparent: '00-zz-1-01' } })).json()) as Echo;
    expect(fresh.headers['traceparent']).toMatch(/^00-[0-9a-f]{32}-[0-9a-f]{16}-00$/);
  });

  test('HEAD, 204 and large bodies in both directions arrive whole', async () => {
    const head = await get('/a/open/1', { method: 'HEAD' });
    expect([head.status, await head.text()]).toEqual([200, '']);
    const large = 'x'.repeat(3_000_000);
    const echo = (await (await get('/a/open/1', { method: 'PUT', body: large })).json()) as Echo;
    expect(echo.body).toHaveLength(large.length);
  });

  test('a caller that reads slowly slows the upstream down instead of filling memory', async () => {
    let written = 0;
    let blocked = false;
    const fast = await echoUpstream((_req, res) => {
      const more = (): void => {
        while (written < 64 * 1024 * 1024) {
          written += 65_536;
          if (!res.write(Buffer.alloc(65_536))) {
            blocked = true;
            return void res.once('drain', more);
          }
        }
        res.end();
      };
      more();
    });
    servers.push(fast.server);
    await publish(2, documentFor(fast.url, issuer.issuer));
    const answer = await get('/a/open/1');
    const reader = answer.body?.getReader();
    await reader?.read();
    await new Promise((resolve) => setTimeout(resolve, 500));
    expect(blocked).toBe(true);
    expect(written).toBeLessThan(40 * 1024 * 1024);
    let size = 0;
    for (let part = await reader?.read(); part && !part.done; part = await reader?.read()) size += part.value.length;
    expect(size).toBeGreaterThan(63 * 1024 * 1024);
  });

  test('the credential stays with the gateway when the API says so', async () => {
    const document = documentFor(upstream.url, issuer.issuer);
    const [api] = document.apis;
    if (!api) throw new Error('no api');
    await publish(2, { ...document, apis: [{ ...api, upstream: { ...api.upstream, sendCredential: false } }] });
    const echo = (await (await get('/a/guarded', { headers: await bearer() })).json()) as Echo;
    expect(echo.headers.authorization).toBeUndefined();
  });
});

describe('an upstream in trouble', () => {
  const against = async (handle: Parameters<typeof echoUpstream>[0]) => {
    const broken = await echoUpstream(handle);
    servers.push(broken.server);
    await publish(2, documentFor(broken.url, issuer.issuer));
    return broken;
  };

  test('down is 502 with a code of its own', async () => {
    await publish(2, documentFor('http://127.0.0.1:9', issuer.issuer));
    const answer = await get('/a/open/1');
    expect([answer.status, answer.headers.get('content-type')]).toEqual([502, 'application/problem+json']);
    expect((await traceOf(answer.headers.get('x-request-id'))).code).toBe('upstream.unreachable');
  });

  test('silent is 504', async () => {
    await against(() => undefined);
    const answer = await get('/a/open/1');
    expect(answer.status).toBe(504);
    expect((await traceOf(answer.headers.get('x-request-id'))).code).toBe('upstream.timeout');
  });

  test('a connection that breaks before the answer is tried once more for GET, never for POST', async () => {
    let calls = 0;
    await against((req, res) => (++calls === 1 ? req.socket.destroy() : res.end('ok')));
    expect((await get('/a/open/1')).status).toBe(200);
    calls = 0;
    expect((await get('/a/open/1', { method: 'POST', body: 'x' })).status).toBe(502);
    expect(calls).toBe(1);
  });

  test('an answer that breaks off breaks for the caller too, and is recorded', async () => {
    await against((req, res) => {
      res.writeHead(200, { 'content-length': '1000' });
      res.write('part');
      setTimeout(() => req.socket.destroy(), 50);
    });
    await expect(get('/a/open/1').then((answer) => answer.text())).rejects.toThrow();
    await until(() => control.traces.some((trace) => trace.code === 'upstream.broken'));
  });

  test.each<[string, string]>([
    ['breaks off behind its head', 'HTTP/1.1 200 OK\r\nDate: Thu, 01 Jan 1970 00:00:00 GMT\r\nX-Of: upstream\r\nContent-Length: 1000\r\n\r\n'],
    ['is less than a small body', 'HTTP/1.1 200 OK\r\nX-Of: upstream\r\nContent-Length: 2\r\nContent-Length: 4\r\n\r\nbody'],
  ])('an answer that %s is 502 while nothing of it has left', async (_name, bytes) => {
    await against((req) => void req.socket.write(bytes, () => setTimeout(() => req.socket.destroy(), 50)));
    const answer = await get('/a/open/1');
    expect([answer.status, answer.headers.get('content-type'), answer.headers.get('x-of')]).toEqual([502, 'application/problem+json', null]);
    expect(Math.abs(Date.parse(answer.headers.get('date') ?? '') - Date.now())).toBeLessThan(60_000);
    expect(await traceOf(answer.headers.get('x-request-id'))).toMatchObject({ code: 'upstream.broken', status: 502 });
  });

  test.each([
    [204, null],
    [304, '4'],
  ])('a %d has no content, whatever the upstream says and sends behind it (RFC 9112 section 6.3)', async (status, length) => {
    let calls = 0;
    const bytes = `HTTP/1.1 ${status} Odd\r\nX-Of: upstream\r\nContent-Length: 4\r\n\r\nHTTP/1.1 200 OK\r\nContent-Length: 6\r\n\r\nforged`;
    await against((req, res) => void (++calls === 1 ? req.socket.write(bytes) : res.end('own')));
    const answer = await get('/a/open/1');
    expect([answer.status, answer.headers.get('content-length'), answer.headers.get('x-of'), await answer.text()]).toEqual([status, length, 'upstream', '']);
    // What came behind it is nobody's answer.
    expect(await (await get('/a/open/2')).text()).toBe('own');
  });

  test('a caller that leaves ends the call upstream', async () => {
    let ended = false;
    await against((req) => req.on('close', () => (ended = true)));
    const leaving = new AbortController();
    const asked = get('/a/open/1', { signal: leaving.signal });
    await new Promise((resolve) => setTimeout(resolve, 150));
    leaving.abort();
    await expect(asked).rejects.toThrow();
    await until(() => ended, 'the upstream call');
    await until(() => control.traces.some((trace) => trace.code === 'upstream.caller-left'));
  });
});

describe('messages that two readers could understand differently (RFC 9112)', () => {
  test.each([
    ['both lengths', 'POST /a/open/1 HTTP/1.1\r\nHost: x\r\nContent-Length: 4\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n'],
    ['two lengths', 'POST /a/open/1 HTTP/1.1\r\nHost: x\r\nContent-Length: 4\r\nContent-Length: 5\r\n\r\nabcd'],
    ['a length that is no number', 'POST /a/open/1 HTTP/1.1\r\nHost: x\r\nContent-Length: +4\r\n\r\nabcd'],
    ['a bare CR in a header', 'GET /a/open/1 HTTP/1.1\r\nHost: x\r\nX-A: a\rb\r\n\r\n'],
    ['a folded header', 'GET /a/open/1 HTTP/1.1\r\nHost: x\r\nX-A: a\r\n b\r\n\r\n'],
    ['a blank before the colon', 'GET /a/open/1 HTTP/1.1\r\nHost: x\r\nX-A : a\r\n\r\n'],
    ['a NUL in a header', 'GET /a/open/1 HTTP/1.1\r\nHost: x\r\nX-A: a\0b\r\n\r\n'],
    ['no Host', 'GET /a/open/1 HTTP/1.1\r\n\r\n'],
    ['two Hosts', 'GET /a/open/1 HTTP/1.1\r\nHost: x\r\nHost: y\r\n\r\n'],
    ['transfer coding that is not chunked last', 'POST /a/open/1 HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked, identity\r\n\r\n0\r\n\r\n'],
    ['CONNECT', 'CONNECT a.example:443 HTTP/1.1\r\nHost: a.example:443\r\n\r\n'],
  ])('%s is refused before it reaches the upstream', async (_name, text) => {
    const received = await raw(port, text);
    expect(received).toMatch(/^HTTP\/1.1 4\d\d/);
    expect(upstream.requests).toHaveLength(0);
  });

  test('two Authorization headers are refused, whichever would have been good', async () => {
    const token = await issuer.sign();
    const received = await raw(port, `GET /a/guarded HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${token}\r\nAuthorization: Bearer bad\r\n\r\n`);
    expect(received).toMatch(/^HTTP\/1.1 400/);
  });

  test('headers beyond the limit are 431, and everything of this kind has a trace', async () => {
    expect(await raw(port, `GET /a/open/1 HTTP/1.1\r\nHost: x\r\nX-A: ${'a'.repeat(40_000)}\r\n\r\n`)).toMatch(/^HTTP\/1.1 431/);
    await raw(port, 'NONSENSE\r\n\r\n');
    await until(
      () => control.traces.some((trace) => trace.code === 'message.headers-too-large') && control.traces.some((trace) => trace.code === 'message.malformed'),
    );
  });

  test.each([
    '/a/open/../guarded',
    '/a/open/%2e%2e/guarded',
    '/a//guarded',
    '/a/open;x/guarded',
    '/a/open%2f..%2fguarded',
    '/A/guarded',
    '/a/GUARDED',
    '/a/guarded/',
    '/a/guarded%20',
  ])('%s reaches nothing', async (path) => {
    expect(await raw(port, `GET ${path} HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n`)).toMatch(/^HTTP\/1.1 4\d\d/);
    expect(upstream.requests).toHaveLength(0);
  });
});

describe('tokens over sockets', () => {
  test('401, 401, 403, 200 with their reasons', async () => {
    const token = await issuer.sign();
    const [head = '', body = '', signature = ''] = token.split('.');
    const tampered = [head, Buffer.from(Buffer.from(body, 'base64url').toString().replace('rider', 'other')).toString('base64url'), signature].join('.');
    const outcome = async (authorization?: string) => {
      const answer = await get('/a/guarded', authorization === undefined ? {} : { headers: { authorization } });
      return [answer.status, (await traceOf(answer.headers.get('x-request-id'))).code];
    };
    expect(await outcome()).toEqual([401, 'credential.missing']);
    expect(await outcome(`Bearer ${tampered}`)).toEqual([401, 'token.signature-invalid']);
    expect(await outcome(`Bearer ${await issuer.sign({ scope: 'other' })}`)).toEqual([403, 'rights.scope-missing']);
    expect(await outcome(`Bearer ${token}`)).toEqual([200, 'upstream.answered']);
  });

  test('a rotated key is found with one fetch; unknown ones cause at most one in a cool-down', async () => {
    expect((await get('/a/guarded', { headers: await bearer() })).status).toBe(200);
    const before = issuer.state.fetches;
    await issuer.rotate();
    // The cool-down after the first fetch has to pass.
    await new Promise((resolve) => setTimeout(resolve, 10_100));
    expect((await get('/a/guarded', { headers: await bearer() })).status).toBe(200);
    expect(issuer.state.fetches).toBe(before + 1);
    issuer.state.kid = 'nobody';
    const answers = await Promise.all(Array.from({ length: 20 }, async () => (await get('/a/guarded', { headers: await bearer() })).status));
    expect(new Set(answers)).toEqual(new Set([401]));
    expect(issuer.state.fetches).toBe(before + 1);
  });

  test('resource metadata is served per API (RFC 9728)', async () => {
    const answer = await get('/.well-known/oauth-protected-resource/a');
    expect(await answer.json()).toMatchObject({ resource: AUDIENCE, authorization_servers: [issuer.issuer] });
    expect((await get('/.well-known/oauth-protected-resource/b')).status).toBe(404);
  });
});

describe('releases', () => {
  test('publishing under load loses no request, and each request is decided by one release', async () => {
    let stop = false;
    const statuses: number[] = [];
    const callers = Array.from({ length: 8 }, async () => {
      while (!stop) statuses.push((await get('/a/open/1')).status);
    });
    for (let number = 2; number <= 30; number++) await publish(number);
    stop = true;
    await Promise.all(callers);
    expect(statuses.length).toBeGreaterThan(20);
    expect(statuses.every((status) => status === 200)).toBe(true);
  });

  test('a release that cannot be used leaves the old one serving and is told', async () => {
    const document = documentFor(upstream.url, issuer.issuer);
    control.send({ type: 'release', number: 2, hash: 'h2', document: { ...document, format: (RELEASE_FORMAT + 1) as typeof document.format } });
    await until(() => control.statuses.some((status) => status.refusedRelease?.number === 2));
    expect((await get('/a/open/1')).status).toBe(200);
  });

  test('a node serves on without its control plane, starts from disk without it, and comes back by itself', async () => {
    await until(() => existsSync(join(folder, 'release.sealed')), 'the kept release');
    await control.stop();
    expect((await get('/a/open/1')).status).toBe(200);
    const second = await startNode(control, folder);
    expect((await fetch(`${second.url}/a/open/1`)).status).toBe(200);
    await second.node.stop();
    const taken = control.traces.length;
    await control.start(control.port);
    await until(() => control.traces.length > taken, 'the records of the meantime');
    await publish(2);
  });

  test('a node that has nothing to serve says so', async () => {
    const lonely = new FakeControl();
    await lonely.start();
    const fresh = await startNode(lonely);
    const answer = await fetch(`${fresh.url}/a/open/1`);
    expect([answer.status, answer.headers.get('retry-after')]).toEqual([503, '5']);
    await fresh.node.stop();
    await lonely.stop();
  });
});

describe('records', () => {
  const counted = () => control.batches.flatMap((batch) => batch.counts).reduce((sum, count) => sum + count.count, 0);

  test('counters are exact while passed traces are sampled under load', async () => {
    const before = counted();
    for (let round = 0; round < 10; round++) await Promise.all(Array.from({ length: 50 }, () => get('/a/open/1')));
    await until(() => counted() - before === 500, 'all counters');
    const unsent = control.batches.reduce((sum, batch) => sum + batch.unsent.passed, 0);
    const kept = control.traces.filter((trace) => trace.outcome === 'passed').length;
    expect(unsent).toBeGreaterThan(0);
    expect(kept + unsent).toBe(500);
  });

  test('a batch that was not taken is sent again under the same id', async () => {
    control.failRecords = 2;
    const answer = await get('/a/open/1');
    await traceOf(answer.headers.get('x-request-id'));
    expect(new Set(control.batches.map((batch) => batch.id)).size).toBe(control.batches.length);
    const own = control.traces.filter((trace) => trace.id === answer.headers.get('x-request-id'));
    expect(own).toHaveLength(1);
    // An id that is found again in the traces is not taken for a secret.
    expect(own[0]?.responseHeaders).toContainEqual(['x-request-id', own[0]?.id]);
  });

  test('what piled up while nobody took it goes in pieces, all of it', async () => {
    const before = control.batches.length;
    control.failRecords = 2;
    await Promise.all(Array.from({ length: 150 }, (_, index) => get(`/nothing-here/${index}`)));
    const told = () => control.traces.filter(({ path }) => path.startsWith('/nothing-here/'));
    await until(() => told().length === 150, 'all traces');
    expect(new Set(told().map(({ path }) => path)).size).toBe(150);
    for (const { traces } of control.batches.slice(before)) expect(traces.length).toBeLessThanOrEqual(RECORD_LIMITS.batchSize);
  });

  test('a node that stops sends all that is left, also where a report is under way', async () => {
    const slow = new FakeControl();
    await slow.start();
    slow.recordsTakeMs = 400;
    const own = await startNode(slow);
    slow.send({ type: 'release', number: 1, hash: 'h1', document: documentFor(upstream.url, issuer.issuer) });
    await until(() => own.node.status().release?.number === 1, 'the release');
    await fetch(`${own.url}/a/open/1`);
    await until(() => slow.recordsUnderWay > 0, 'a report under way');
    await fetch(`${own.url}/a/open/2`);
    await own.node.stop();
    expect(slow.traces.map(({ path }) => path)).toEqual(['/a/open/1', '/a/open/2']);
    await slow.stop();
  });

  test('no credential is in any record, wherever the caller put it', async () => {
    const token = await issuer.sign();
    await get(`/a/open/${token}?access_token=${token}`, {
      headers: { authorization: `Bearer ${token}`, cookie: `t=${token}`, 'x-other': token, 'user-agent': `me ${token.slice(0, 40)}` },
    });
    await get('/a/guarded', { headers: { authorization: `Bearer ${token}x` } });
    await get('/a/guarded', { headers: { authorization: 'Bearer opaque-secret-1' } });
    await until(() => control.traces.length >= 3);
    const text = JSON.stringify(control.batches);
    expect(text).not.toContain(token.split('.')[2]);
    expect(text).not.toContain(token.split('.')[1]?.slice(0, 20));
    expect(text).not.toContain('opaque-secret-1');
  });

  test('a marked secret sent everywhere is in nothing that is written', async () => {
    const places = [
      BEARER_HEADER,
      { kind: 'header', name: 'x-rider', scheme: null },
      { kind: 'cookie', name: 'gate' },
      { kind: 'query', name: 'who' },
    ] as const;
    await publish(2, documentFor(upstream.url, issuer.issuer, { token: tokenRule([AUDIENCE], { places }) }));
    let count = 0;
    const mark = (): string => `mark3d-s3cret-${++count}`;
    const long = (): string => `M4rk${++count}Zk3jR8sLq0Xw7Yt2`;
    const spots: ((secret: string) => [string, Record<string, string>])[] = [
      (secret) => ['', { authorization: `Bearer ${secret}` }],
      (secret) => ['', { authorization: secret }],
      (secret) => ['', { authorization: `${secret} again` }],
      (secret) => ['', { authorization: `Basic ${Buffer.from(`u:${secret}`).toString('base64')}` }],
      (secret) => ['', { authorization: `Bearer ${secret}, Bearer ${secret}` }],
      (secret) => ['', { 'x-rider': secret }],
      (secret) => ['', { 'x-rider': `"${secret}"` }],
      (secret) => ['', { cookie: `gate=${secret}; other=${secret}` }],
      (secret) => [`?who=${secret}`, {}],
      (secret) => [`?who=${secret}&who=${secret}`, {}],
      (secret) => [`?access_token=${secret}`, {}],
      ...['pwd', 'pass', 'pin', 'auth', 'password', 'api_key', 'otp'].map((name) => (secret: string): [string, Record<string, string>] => [
        `?${name}=${secret}`,
        {},
      ]),
      ...['x-api-key', 'x-auth', 'x-pin', 'x-session'].map((name) => (secret: string): [string, Record<string, string>] => ['', { [name]: secret }]),
      (secret) => [`?note=${secret}`, { 'x-rider': secret, 'x-note': secret, referer: `https://x.example/?pass=${secret}` }],
    ];
    const asked: Promise<Response>[] = [];
    for (const spot of spots)
      for (const path of ['/a/guarded', '/a/open/1', '/a/nothing']) {
        const [query, headers] = spot(mark());
        asked.push(get(path + query, { headers }));
      }
    for (const path of ['/a/open/', '/a/nothing/', '/a/open/token/', '/']) asked.push(get(path + long()));
    await Promise.all(asked);
    await until(() => control.batches.flatMap((batch) => batch.counts).reduce((sum, item) => sum + item.count, 0) >= asked.length, 'all of them');
    const written = JSON.stringify([control.batches, control.statuses, control.answers]);
    expect(written).not.toMatch(/mark3d-s3cret|M4rk\d/);
    expect(written).not.toContain(Buffer.from('mark3d').toString('base64').slice(2, 8));
  });

  test('a signed probe is kept whatever the load, and its mark does not travel on', async () => {
    for (let round = 0; round < 4; round++) await Promise.all(Array.from({ length: 60 }, () => get('/a/open/1')));
    const mark = `n.${createHmac('sha256', NODE_TOKEN).update('n').digest('base64url')}`;
    const answer = await get('/a/open/1', { headers: { [PROBE_HEADER]: mark } });
    expect(((await answer.json()) as Echo).headers[PROBE_HEADER]).toBeUndefined();
    await traceOf(answer.headers.get('x-request-id'));
  });
});

test('a call that the portal carries comes from where its user is; a mark that is wrong, old or of somebody else from nowhere', async () => {
  const document = documentFor(upstream.url, issuer.issuer);
  const from = (addresses: AddressRule) => ({ ...document, apis: document.apis.map((api) => ({ ...api, addresses })) });
  await publish(2, from({ kind: 'only', of: ['203.0.113.0/24'] }));
  const marked = (address: string, { at = Date.now(), token = NODE_TOKEN } = {}): Record<string, string> => {
    const said = `${at}~n~${address}`;
    return { [CALLER_HEADER]: `${said}~${createHmac('sha256', token).update(`caller ${said}`).digest('base64url')}` };
  };
  const statusOf = async (headers: Record<string, string>): Promise<number> => (await get('/a/open/1', { headers })).status;
  expect(await statusOf(marked('203.0.113.9'))).toBe(200);
  expect(upstream.requests[0]?.headers).toMatchObject({ 'x-forwarded-for': '203.0.113.9' });
  expect(upstream.requests[0]?.headers[CALLER_HEADER]).toBeUndefined();
  expect(await statusOf({})).toBe(403);
  expect(await statusOf(marked('198.51.100.1'))).toBe(403);
  expect(await statusOf(marked('203.0.113.9', { at: Date.now() - 120_000 }))).toBe(403);
  expect(await statusOf(marked('203.0.113.9', { token: 'another' }))).toBe(403);
  // Loopback may call, an unknown place may not.
  const wrong = marked('127.0.0.1', { token: 'another' })[CALLER_HEADER] ?? '';
  for (const [number, rule] of [
    [3, { kind: 'only', of: ['127.0.0.0/8'] }],
    [4, { kind: 'except', of: ['203.0.113.0/24'] }],
  ] as const) {
    await publish(number, from(rule));
    expect(await statusOf({})).toBe(200);
    for (const mark of ['', 'x', '~~~', `${Date.now()}~n~127.0.0.1~`, wrong]) expect(await statusOf({ [CALLER_HEADER]: mark })).toBe(403);
  }
});

describe('probes of a draft', () => {
  const probe = async (document = documentFor(upstream.url, issuer.issuer), forward = false, headers: [string, string][] = []) => {
    const askId = `ask-${Math.random()}`;
    control.send({
      type: 'probe',
      askId,
      hash: JSON.stringify(document),
      document,
      forward,
      request: { method: 'GET', target: '/a/guarded', headers: [['host', 'x'], ...headers], body: null },
    });
    return until(() => control.answers.find((answer) => answer.askId === askId), 'the answer');
  };

  test('are decided by the draft without being sent on, unless asked to', async () => {
    expect((await probe()).probe).toMatchObject({ outcome: 'refused', code: 'credential.missing', answer: { status: 401 } });
    const headers: [string, string][] = [['Authorization', `Bearer ${await issuer.sign()}`]];
    expect((await probe(undefined, false, headers)).probe).toMatchObject({ outcome: 'passed', code: 'upstream.not-called', answer: null });
    expect(upstream.requests).toHaveLength(0);
    expect((await probe(undefined, true, headers)).probe).toMatchObject({ outcome: 'passed', code: 'upstream.answered', answer: { status: 200 } });
    expect(upstream.requests).toHaveLength(1);
  });

  test('a draft that distrusts the provider does not disturb live traffic', async () => {
    const headers = await bearer();
    const document = documentFor(upstream.url, 'http://127.0.0.1:9');
    expect((await probe(document, false, [['authorization', headers['authorization'] ?? '']])).probe?.code).toBe('token.issuer-unknown');
    expect((await get('/a/guarded', { headers })).status).toBe(200);
  });

  test('a draft that cannot be compiled is answered with the reason', async () => {
    const document = documentFor(upstream.url, issuer.issuer, { basePath: '/a/' });
    expect((await probe(document)).error).toMatch(/base path/);
  });
});

describe('what a node learned and kept', () => {
  const folderFile = (name: string) => join(folder, name);
  const settled = () => until(() => existsSync(folderFile('release.sealed')) && existsSync(folderFile('keys.sealed')), 'the files');

  test.each<[string, (file: string) => void]>([
    ['edited', (file) => writeFileSync(file, Buffer.from(readFileSync(file)).fill(7, 40, 44))],
    [
      'replaced by a plain release',
      (file) => writeFileSync(file, JSON.stringify({ number: 9, hash: 'h', document: documentFor(upstream.url, issuer.issuer) })),
    ],
    ['emptied', (file) => writeFileSync(file, '')],
  ])('a release on disk that was %s is not served, and the node says so', async (_name, edit) => {
    await settled();
    await node.stop();
    edit(folderFile('release.sealed'));
    const lonely = new FakeControl();
    await lonely.start();
    ({ node, url } = await startNode(lonely, folder));
    expect((await get('/a/open/1')).status).toBe(503);
    await until(() => lonely.statuses.some((status) => status.problems?.some((problem) => problem.includes('was not served'))), 'the word of it');
    await lonely.stop();
  });

  test('without the revocations that it knew, a node does not serve its release again', async () => {
    control.send({ type: 'private-facts', secrets: {}, revocations: [] });
    await until(() => existsSync(folderFile('private-facts')));
    await publish(2);
    await settled();
    await new Promise((resolve) => setTimeout(resolve, 100));
    await node.stop();
    await control.stop();
    const facts = readFileSync(folderFile('private-facts'));
    for (const change of [() => rmSync(folderFile('private-facts')), () => writeFileSync(folderFile('private-facts'), 'x')]) {
      change();
      ({ node, url } = await startNode(control, folder));
      expect((await get('/a/open/1')).status).toBe(503);
      await node.stop();
    }
    writeFileSync(folderFile('private-facts'), facts);
    ({ node, url } = await startNode(control, folder));
    expect((await get('/a/open/1')).status).toBe(200);
  });

  test('last good keys serve on over a restart while the provider is down', async () => {
    const headers = await bearer();
    expect((await get('/a/guarded', { headers })).status).toBe(200);
    await settled();
    await node.stop();
    await control.stop();
    issuer.state.down = true;
    ({ node, url } = await startNode(control, folder));
    expect((await get('/a/guarded', { headers })).status).toBe(200);
    expect(node.status().providers[0]?.state).toBe('last-good');
  });

  test('a proof that was used is used after a publish; of one from before a restart nobody can say', async () => {
    const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
    const jwk = await exportJWK(publicKey);
    const token = await issuer.sign({ cnf: { jkt: await calculateJwkThumbprint(jwk) } });
    const ath = createHash('sha256').update(token).digest('base64url');
    const prove = () =>
      new SignJWT({ jti: String(Math.random()), htm: 'GET', htu: `${url}/a/guarded`, iat: Math.floor(Date.now() / 1000), ath })
        .setProtectedHeader({ alg: 'ES256', typ: 'dpop+jwt', jwk })
        .sign(privateKey);
    const call = async (dpop: string) => {
      const answer = await get('/a/guarded', { headers: { authorization: `DPoP ${token}`, dpop } });
      return [answer.status, (await traceOf(answer.headers.get('x-request-id'))).code];
    };
    const proof = await prove();
    expect(await call(proof)).toEqual([200, 'upstream.answered']);
    await publish(2, documentFor(upstream.url, issuer.issuer, { name: 'Renamed' }));
    expect(await call(proof)).toEqual([401, 'proof.replayed']);
    expect(await call(await prove())).toEqual([200, 'upstream.answered']);
    const before = node.status().gatewayUrl;
    const early = await prove();
    await settled();
    await node.stop();
    node = new GatewayNode({
      name: 'again',
      host: '127.0.0.1',
      port: Number(new URL(before).port),
      controlUrl: control.url,
      token: NODE_TOKEN,
      folder,
      log: () => undefined,
    });
    await node.start();
    expect(await call(early)).toEqual([401, 'proof.unknowable']);
    await new Promise((resolve) => setTimeout(resolve, 1000));
    expect(await call(await prove())).toEqual([200, 'upstream.answered']);
  });

  test('several drafts are tried at one time, and none takes from another', async () => {
    const drafts = Array.from({ length: 6 }, (_, index) => documentFor(upstream.url, issuer.issuer, { name: `Draft ${index}` }));
    const token = await issuer.sign();
    const headers: [string, string][] = [
      ['host', 'x'],
      ['authorization', `Bearer ${token}`],
    ];
    const asks = Array.from({ length: 24 }, (_, index) => `many-${index}`);
    for (const [index, askId] of asks.entries()) {
      const document = drafts[index % 6];
      if (document)
        control.send({
          type: 'probe',
          askId,
          hash: `d${index % 6}`,
          document,
          forward: true,
          request: { method: 'GET', target: '/a/guarded', headers, body: null },
        });
    }
    await until(() => asks.every((askId) => control.answers.some((answer) => answer.askId === askId)), 'all answers');
    expect(new Set(control.answers.map((answer) => answer.probe?.code ?? answer.error))).toEqual(new Set(['upstream.answered']));
  });
});
