import { UPSTREAM_LIMITS, type ReleaseDocument, type UpstreamLimits, AS_ITS_API } from '@virga/core';
import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import { connect, createServer as createTcpServer, type AddressInfo, type Server as TcpServer, type Socket } from 'node:net';
import { setTimeout as delay } from 'node:timers/promises';
import type { GatewayNode } from '../src/gateway-node.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, raw, startNode, until } from './harness.js';

/** What one caller, one upstream or one publish can bring down. */
let control: FakeControl;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let port: number;
let number = 0;
const servers: (Server | TcpServer)[] = [];
const sockets: Socket[] = [];

const SMALL: UpstreamLimits = { ...UPSTREAM_LIMITS, connections: 4, waiting: 4, waitMs: 600, paceMs: 1000, leastBytesPerSecond: 500 };

const documentWith = (upstreamUrl: string, limits: UpstreamLimits = SMALL, responseTimeoutMs = 5000): ReleaseDocument => {
  const document = documentFor(upstreamUrl, issuer.issuer);
  return { ...document, apis: document.apis.map((api) => ({ ...api, upstream: { ...api.upstream, responseTimeoutMs, limits } })) };
};
const publish = async (document: ReleaseDocument): Promise<void> => {
  const next = ++number;
  control.send({ type: 'release', number: next, hash: `h${next}`, document });
  await until(() => control.statuses.some((status) => status.release?.number === next), `release ${next}`);
};
const against = async (handle: (req: IncomingMessage, res: ServerResponse) => void, limits = SMALL, responseTimeoutMs = 5000) => {
  const upstream = await echoUpstream(handle);
  servers.push(upstream.server);
  await publish(documentWith(upstream.url, limits, responseTimeoutMs));
  return upstream;
};
/** A connection from an address of its own on loopback, that sends and never reads unless asked to. */
function open(text: string, from = '127.0.0.1'): Socket {
  const socket = connect({ port, host: '127.0.0.1', localAddress: from });
  socket.on('error', () => undefined);
  socket.pause();
  socket.write(text, 'latin1');
  sockets.push(socket);
  return socket;
}
/** Asks once from an address and reads to the end. */
function ask(path: string, from: string): Promise<{ status: number; tookMs: number; text: string }> {
  const started = performance.now();
  return new Promise((resolve, reject) => {
    const socket = connect({ port, host: '127.0.0.1', localAddress: from });
    let text = '';
    socket.on('data', (part) => (text += part.toString('latin1')));
    socket.on('error', reject);
    socket.on('close', () => resolve({ status: Number(text.slice(9, 12)), tookMs: performance.now() - started, text }));
    socket.write(`GET ${path} HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n`);
    sockets.push(socket);
  });
}
const GET = 'GET /a/open/1 HTTP/1.1\r\nHost: x\r\n\r\n';
const codes = () => control.traces.map((trace) => trace.code);

beforeEach(async () => {
  control = new FakeControl();
  await control.start();
  issuer = await makeIssuer();
  servers.push(issuer.server);
  ({ node, url, port } = await startNode(control));
  await until(() => control.statuses.length > 0, 'the node');
});
afterEach(async () => {
  for (const socket of sockets.splice(0)) socket.destroy();
  for (const server of servers.splice(0)) {
    if ('closeAllConnections' in server) server.closeAllConnections();
    server.close();
  }
  await node.stop();
  await control.stop();
});

describe('one caller cannot hold an upstream', () => {
  test('that never answers: others are served, and the share is refused by its name', async () => {
    await against((req, res) => (req.url === '/open/hang' ? undefined : res.end('ok')));
    for (let index = 0; index < 40; index++) open('GET /a/open/hang HTTP/1.1\r\nHost: x\r\n\r\n');
    await delay(200);
    for (let index = 0; index < 5; index++) {
      const other = await ask('/a/open/1', '127.0.0.2');
      expect(other.status).toBe(200);
    }
    await until(() => codes().includes('upstream.share') && codes().includes('upstream.busy'), 'the refusals');
    const refused = await ask('/a/open/1', '127.0.0.1');
    expect(refused.status).toBe(503);
    expect(refused.text.toLowerCase()).toContain('retry-after:');
  });

  test('by reading a long answer slowly, or not at all: it is cut off', async () => {
    let closed = 0;
    await against((req, res) => {
      if (req.url !== '/open/long') return void res.end('ok');
      res.on('close', () => (closed += res.writableFinished ? 0 : 1));
      const more = (): void => {
        while (!res.destroyed && res.write(Buffer.alloc(65_536)));
      };
      res.on('drain', more);
      more();
    });
    for (let index = 0; index < 2; index++) open('GET /a/open/long HTTP/1.1\r\nHost: x\r\n\r\n');
    await until(() => closed === 2, 'the cut');
    await until(() => codes().includes('message.reader-too-slow'), 'its trace');
    expect((await ask('/a/open/1', '127.0.0.1')).status).toBe(200);
  });

  test('by sending a byte a second: it is cut off with 408', async () => {
    await against((req, res) => void req.resume().on('end', () => res.end('ok')));
    const socket = open('POST /a/open/1 HTTP/1.1\r\nHost: x\r\nContent-Length: 100000\r\n\r\nx');
    let text = '';
    socket.on('data', (part) => (text += part.toString('latin1')));
    socket.resume();
    const drip = setInterval(() => socket.write('x'), 300);
    await until(() => text !== '', 'the answer');
    clearInterval(drip);
    expect(text).toMatch(/^HTTP\/1\.1 408/);
    await until(() => codes().includes('message.sender-too-slow'), 'its trace');
  });

  test('a steady slow transfer that keeps the least pace is let through', async () => {
    await against((req, res) => void req.resume().on('end', () => res.end('ok')), { ...SMALL, leastBytesPerSecond: 100 });
    const socket = open('POST /a/open/1 HTTP/1.1\r\nHost: x\r\nConnection: close\r\nContent-Length: 3000\r\n\r\n');
    let text = '';
    socket.on('data', (part) => (text += part.toString('latin1')));
    socket.resume();
    for (let index = 0; index < 15; index++) {
      socket.write('x'.repeat(200));
      await delay(150);
    }
    await until(() => text !== '', 'the answer');
    expect(text).toMatch(/^HTTP\/1\.1 200/);
  });

  test('time limits count from arrival, waiting included', async () => {
    // The first holds the only connection for most of what the second may take in all.
    let first = true;
    const answer = (_req: IncomingMessage, res: ServerResponse): void => {
      if (first) setTimeout(() => res.end('ok'), 2500);
      first = false;
    };
    await against(answer, { ...SMALL, connections: 1, sharePercent: 100, waitMs: 10_000 }, 3500);
    const answers = await Promise.all([ask('/a/open/1', '127.0.0.1'), ask('/a/open/1', '127.0.0.1')]);
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 504]);
    // Counted from its turn it would take 6000 ms; the library that measures the answer looks about twice a second.
    expect(Math.max(...answers.map(({ tookMs }) => tookMs))).toBeLessThan(5500);
  });

  test('whatever callers and upstream do, every connection comes back', async () => {
    const moods = ['answer', 'hang', 'break', 'half', 'early', 'slow'] as const;
    await against(
      (req, res) => {
        const mood = moods[Number(req.url?.slice(-1)) % moods.length];
        if (mood === 'break') return void req.socket.destroy();
        if (mood === 'hang') return;
        if (mood === 'half') {
          res.writeHead(200, { 'content-length': '1000' });
          res.write('x');
          return void setTimeout(() => req.socket.destroy(), 20);
        }
        if (mood === 'slow') return void setTimeout(() => res.end('ok'), 60);
        if (mood === 'early') return void res.writeHead(413).end('no');
        req.resume().on('end', () => res.end('x'.repeat(200_000)));
      },
      { ...SMALL, sharePercent: 100, waiting: 50, waitMs: 300 },
      500,
    );
    for (let round = 0; round < 12; round++) {
      const callers = Array.from({ length: 25 }, (_, index) => {
        const path = `/a/open/${index % 10}`;
        const body = index % 3 === 0 ? 'x'.repeat(50_000) : '';
        const head = body
          ? `POST ${path} HTTP/1.1\r\nHost: x\r\nContent-Length: ${body.length + (index % 2) * 100}\r\n\r\n${body}`
          : `GET ${path} HTTP/1.1\r\nHost: x\r\n\r\n`;
        const socket = open(head);
        socket.resume();
        return socket;
      });
      await delay(30 + 20 * (round % 3));
      for (const [index, socket] of callers.entries()) if (index % 4 !== 0) socket.destroy();
      await delay(30);
      for (const socket of callers) socket.destroy();
    }
    await delay(1200);
    const answers = await Promise.all(Array.from({ length: 4 }, () => ask('/a/open/5', '127.0.0.3')));
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200]);
    await until(() => node.status().inFlight === 0, 'the end of all requests');
  });

  test('a proved client counts as itself, wherever it calls from', async () => {
    await against((req, res) => (req.method === 'POST' ? undefined : res.end('ok')));
    const tokens = await Promise.all([issuer.sign({ client_id: 'one' }), issuer.sign({ client_id: 'two' })]);
    for (const from of ['127.0.0.1', '127.0.0.2', '127.0.0.3'])
      for (let index = 0; index < 2; index++) open(`POST /a/guarded HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${tokens[0]}\r\n\r\n`, from);
    await delay(400);
    const status = async (token = '') => (await fetch(`${url}/a/guarded`, { headers: { authorization: `Bearer ${token}` } })).status;
    expect([await status(tokens[1]), await status(tokens[0])]).toEqual([200, 503]);
  });
});

describe('publishing', () => {
  test('takes no connection from a request that waits for its answer or for its token', async () => {
    const slow = await against((_req, res) => void setTimeout(() => res.end('ok'), 450), { ...SMALL, waitMs: 5000 });
    const token = await issuer.sign();
    const waiting = [fetch(`${url}/a/open/1`), fetch(`${url}/a/guarded`, { headers: { authorization: `Bearer ${token}` } })];
    const queued = Array.from({ length: 3 }, () => ask('/a/open/1', '127.0.0.2'));
    await delay(150);
    const other = await echoUpstream();
    servers.push(other.server);
    await publish(documentWith(other.url));
    await publish({ ...documentWith(other.url), providers: [], apis: [] });
    expect((await Promise.all(waiting)).map((answer) => answer.status)).toEqual([200, 200]);
    expect((await Promise.all(queued)).map((answer) => answer.status)).toEqual([200, 200, 200]);
    expect(slow.requests).toHaveLength(5);
    expect((await fetch(`${url}/a/open/1`)).status).toBe(404);
  });

  test('thousands of operations keeps the serving thread for moments only', async () => {
    const upstream = await against((_req, res) => void res.end('ok'));
    const document = documentWith(upstream.url);
    const [api] = document.apis;
    const operations = Array.from({ length: 2000 }, (_, index) => ({
      id: `GET /r${index}/{id}`,
      method: 'GET',
      path: `/r${index}/{id}`,
      ...AS_ITS_API,
    }));
    if (api) await publish({ ...document, apis: [{ ...api, operations: [...api.operations, ...operations] }] });
    expect((await fetch(`${url}/a/r1999/7`)).status).toBe(401);
  });
});

describe('messages', () => {
  const upload = (size: number) => `POST /a/guarded HTTP/1.1\r\nHost: x\r\nContent-Length: ${size}\r\n\r\n${'x'.repeat(Math.min(size, 3_000_000))}`;

  test('an early refusal of an upload can be read by its sender (RFC 9112 section 9.6)', async () => {
    await against((_req, res) => void res.end('ok'));
    for (const size of [100, 300_000, 3_000_000]) expect(await raw(port, upload(size), 1000)).toMatch(/^HTTP\/1\.1 401 [\s\S]*credential-needed/);
  });

  test('an early answer of the upstream leaves the connection usable or closed, never hanging', async () => {
    await against((req, res) => {
      if (req.method !== 'POST') return void res.end('ok');
      res.writeHead(413, { 'content-length': '3' });
      res.end('big');
    });
    const body = 'x'.repeat(500_000);
    const socket = open(`POST /a/open/1 HTTP/1.1\r\nHost: x\r\nContent-Length: ${body.length}\r\n\r\n${body}${GET}`);
    let text = '';
    let ended = false;
    socket.on('data', (part) => (text += part.toString('latin1')));
    socket.on('close', () => (ended = true));
    socket.resume();
    await until(() => ended || (text.match(/HTTP\/1\.1/g) ?? []).length === 2, 'the end');
    expect(text).toMatch(/^HTTP\/1\.1 413/);
  });

  test('a 304 keeps its Content-Length and has no body', async () => {
    await against((_req, res) => {
      res.writeHead(304, { 'content-length': '5000', etag: '"a"' });
      res.end();
    });
    const received = await raw(port, GET + GET, 600);
    expect(received.match(/^HTTP\/1\.1 304/gm)).toHaveLength(2);
  });

  test('a malformed message behind a good one waits until the good one is answered', async () => {
    await against((_req, res) => {
      res.write('first part ');
      setTimeout(() => res.end('second part'), 300);
    });
    const received = await raw(port, `${GET}NONSENSE\r\n\r\n`, 1200);
    expect(received).toMatch(/^HTTP\/1\.1 200[\s\S]*first part[\s\S]*second part[\s\S]*HTTP\/1\.1 400/);
  });

  test.each<[string, string, number, string]>([
    ['more header fields than are read', `GET /a/open/1 HTTP/1.1\r\nHost: x\r\n${'A: 1\r\n'.repeat(1500)}\r\n`, 431, 'message.headers-too-many'],
    [
      'a transfer coding beside chunked',
      'POST /a/open/1 HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: gzip, chunked\r\n\r\n0\r\n\r\n',
      501,
      'message.transfer-coding',
    ],
    ['a Host with blanks and marks', 'GET /a/open/1 HTTP/1.1\r\nHost: a b<script>\r\n\r\n', 400, 'message.host-malformed'],
    ['an empty Host', 'GET /a/open/1 HTTP/1.1\r\nHost:\r\n\r\n', 400, 'message.host-malformed'],
    ['a Host with a path', 'GET /a/open/1 HTTP/1.1\r\nHost: a/b\r\n\r\n', 400, 'message.host-malformed'],
    ['a query where the authority ends', 'GET http://host?x=/a/open/1 HTTP/1.1\r\nHost: host\r\n\r\n', 404, 'route.no-api'],
  ])('%s', async (_name, text, status, code) => {
    const upstream = await against((_req, res) => void res.end('ok'));
    expect(await raw(port, text)).toMatch(new RegExp(`^HTTP/1\\.1 ${status}`));
    expect(upstream.requests).toHaveLength(0);
    await until(() => codes().includes(code as never), code);
  });

  test.each(['example.test', 'example.test:8080', '[::1]:4181', '127.0.0.1', 'a_b.example.'])('the Host %s is one', async (host) => {
    await against((req, res) => void res.end(req.headers['x-forwarded-host']));
    expect(await raw(port, `GET /a/open/1 HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n\r\n`)).toContain(host);
  });

  test('blanks between Bearer and the token are one way of sending it (RFC 9110 section 11.4)', async () => {
    await against((_req, res) => void res.end('ok'));
    const token = await issuer.sign();
    for (const blanks of [' ', '    ']) expect((await fetch(`${url}/a/guarded`, { headers: { authorization: `Bearer${blanks}${token}` } })).status).toBe(200);
  });

  test('OPTIONS with an origin goes nowhere where the API has no CORS rule', async () => {
    const upstream = await against((_req, res) => void res.end('ok'));
    const headers = { origin: 'https://evil.example', 'access-control-request-method': 'GET' };
    expect((await fetch(`${url}/a/open/1`, { method: 'OPTIONS', headers })).status).toBe(405);
    expect(upstream.requests).toHaveLength(0);
  });

  test.each(['/é', '/a"b<c>'])('a base path %s that needs escapes is cut off where it ends', async (basePath) => {
    const upstream = await echoUpstream();
    servers.push(upstream.server);
    const document = documentWith(upstream.url);
    const [api] = document.apis;
    if (api) await publish({ ...document, apis: [{ ...api, basePath }] });
    const answer = await fetch(`${url}${encodeURI(basePath)}/open/1`);
    expect(((await answer.json()) as { url: string }).url).toBe('/open/1');
  });

  test.each(['HTTP/1.1 100 Continue\r\n\r\n', 'HTTP/1.1 100 Continue\r\nX: 1\r\n\r\nHTTP/1.1 100 Continue\r\n\r\n'])(
    'an unasked-for %j of the upstream is left out',
    async (interim) => {
      const tcp = createTcpServer((socket) => {
        socket.on('error', () => undefined);
        socket.on('data', () => {
          // In three pieces, so that no reader can count on getting it whole.
          socket.write(interim.slice(0, 7));
          setTimeout(() => {
            socket.write(interim.slice(7));
            // Begun only now: of two timers that are both late, the longer one may come first.
            setTimeout(() => socket.write('HTTP/1.1 200 OK\r\nContent-Length: 14\r\n\r\nHTTP/1.1 100 C'), 20);
          }, 20);
        });
      });
      await new Promise<void>((resolve) => tcp.listen(0, '127.0.0.1', resolve));
      servers.push(tcp);
      await publish(documentWith(`http://127.0.0.1:${(tcp.address() as AddressInfo).port}`));
      for (let round = 0; round < 2; round++) {
        const answer = await fetch(`${url}/a/open/1`);
        expect([answer.status, await answer.text()]).toEqual([200, 'HTTP/1.1 100 C']);
      }
    },
  );
});
