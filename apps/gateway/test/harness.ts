import {
  emptyDocument,
  STANDARD_CLAIM_MAP,
  tokenRule,
  type ApiRule,
  type ProviderRule,
  type RecordBatch,
  type ReleaseDocument,
  type TraceRecord,
  UPSTREAM_LIMITS,
  AS_ITS_API,
  NOTHING_MORE,
} from '@virga/core';
import type { FeedMessage, NodeAnswer, NodeStatus, PartsAsk, SightingReport } from '@virga/protocol/node';
import { exportJWK, generateKeyPair, SignJWT, type JWTPayload } from 'jose';
import { mkdtempSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { GatewayNode } from '../src/gateway-node.js';
import type { NodeOptions } from '../src/node-options.js';

export const NODE_TOKEN = 'node-token-of-the-test';
export const AUDIENCE = 'https://api.example';

const listening = (server: Server): Promise<number> =>
  new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)));
const bodyOf = async (req: IncomingMessage): Promise<string> => {
  let text = '';
  for await (const part of req) text += String(part);
  return text;
};

/** A control plane as a node sees it, with everything it was told. */
export class FakeControl {
  readonly traces: TraceRecord[] = [];
  readonly batches: (RecordBatch & { id: string })[] = [];
  readonly statuses: NodeStatus[] = [];
  readonly answers: NodeAnswer[] = [];
  #server: Server | null = null;
  #feeds = new Set<ServerResponse>();
  #live: FeedMessage | null = null;
  /** Whatever a node is told before its release when it connects. */
  readonly first: FeedMessage[] = [];
  /** Texts of contracts by hash. */
  readonly contracts = new Map<string, string>();
  /** Parts of documents by hash, and every list of hashes that was asked for. */
  readonly parts = new Map<string, string>();
  readonly partsAsked: (readonly string[])[] = [];
  url = '';
  port = 0;
  readonly sightings: SightingReport[] = [];
  failRecords = 0;
  /** How long records are taken for, milliseconds, and how many of them are being taken. */
  recordsTakeMs = 0;
  recordsUnderWay = 0;

  async start(port = 0): Promise<void> {
    this.#server = createServer((req, res) => void this.#serve(req, res));
    this.port = await (port === 0 ? listening(this.#server) : new Promise<number>((resolve) => this.#server?.listen(port, '127.0.0.1', () => resolve(port))));
    this.url = `http://127.0.0.1:${this.port}`;
  }

  async #serve(req: IncomingMessage, res: ServerResponse): Promise<void> {
    if (req.headers.authorization !== `Bearer ${NODE_TOKEN}`) return void res.writeHead(401).end();
    if (req.url?.startsWith('/nodes/v1/contracts/')) {
      const text = this.contracts.get(req.url.slice('/nodes/v1/contracts/'.length));
      return void res.writeHead(text === undefined ? 404 : 200, { 'content-type': 'text/plain; charset=utf-8' }).end(text);
    }
    if (req.method === 'GET') {
      res.writeHead(200, { 'content-type': 'application/x-ndjson' });
      res.write(`${JSON.stringify({ type: 'hello', controlPlane: 'test' })}\n`);
      this.#feeds.add(res);
      res.on('close', () => this.#feeds.delete(res));
      for (const message of this.first) res.write(`${JSON.stringify(message)}\n`);
      if (this.#live) res.write(`${JSON.stringify(this.#live)}\n`);
      return;
    }
    const body = JSON.parse(await bodyOf(req)) as never;
    if (req.url === '/nodes/v1/parts') {
      const { hashes } = body as PartsAsk;
      this.partsAsked.push(hashes);
      return void res.end(hashes.map((hash) => `${this.parts.get(hash) ?? ''}\n`).join(''));
    }
    if (req.url === '/nodes/v1/records') {
      if (this.failRecords-- > 0) return void res.writeHead(500).end();
      this.recordsUnderWay++;
      await new Promise((resolve) => setTimeout(resolve, this.recordsTakeMs));
      this.recordsUnderWay--;
      this.batches.push(body);
      this.traces.push(...(body as RecordBatch).traces);
    } else if (req.url === '/nodes/v1/sightings') {
      if (this.failRecords-- > 0) return void res.writeHead(500).end();
      this.sightings.push(body);
    } else if (req.url === '/nodes/v1/status') this.statuses.push(body);
    else this.answers.push(body);
    res.writeHead(204).end();
  }

  send(message: FeedMessage): void {
    if (message.type === 'release') this.#live = message;
    for (const feed of this.#feeds) feed.write(`${JSON.stringify(message)}\n`);
  }

  async stop(): Promise<void> {
    this.#server?.closeAllConnections();
    await new Promise<void>((resolve) => this.#server?.close(() => resolve()));
  }
}

/** Waits until something holds; fails after a time that is long on the slowest machine. */
export async function until<T>(look: () => Promise<T | null | undefined | false> | T | null | undefined | false, what = 'it'): Promise<T> {
  for (const from = Date.now(); Date.now() - from < 60_000;) {
    const found = await look();
    if (found) return found;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  throw new Error(`${what} did not happen`);
}

/** An HTTP upstream that says what it got. */
export async function echoUpstream(
  handle?: (req: IncomingMessage, res: ServerResponse) => void,
): Promise<{ url: string; server: Server; requests: IncomingMessage[] }> {
  const requests: IncomingMessage[] = [];
  const server = createServer((req, res) => {
    requests.push(req);
    if (handle) return handle(req, res);
    void bodyOf(req).then((body) => {
      res.writeHead(200, { 'content-type': 'application/json', 'x-own': 'yes', connection: 'keep-alive, x-hop', 'x-hop': 'secret' });
      res.end(JSON.stringify({ method: req.method, url: req.url, headers: req.headers, body }));
    });
  });
  return { url: `http://127.0.0.1:${await listening(server)}`, server, requests };
}

const makePair = () => generateKeyPair('RS256', { extractable: true });
/** Key pairs of issuers that are gone: to make one takes longer than most tests. */
const sparePairs: Awaited<ReturnType<typeof makePair>>[] = [];

/** An issuer over HTTP with one key, which no other one has at the same time. */
export async function makeIssuer() {
  const pair = sparePairs.pop() ?? (await makePair());
  const state = {
    keys: [{ ...(await exportJWK(pair.publicKey)), kid: 'k1', alg: 'RS256', use: 'sig' }],
    privateKey: pair.privateKey,
    kid: 'k1',
    fetches: 0,
    down: false,
  };
  const server = createServer((req, res) => {
    if (state.down) return void req.socket.destroy();
    if (req.url?.endsWith('/keys')) state.fetches++;
    res.writeHead(200, { 'content-type': 'application/json' });
    res.end(JSON.stringify(req.url?.endsWith('/keys') ? { keys: state.keys } : { issuer, jwks_uri: `${issuer}/keys` }));
  }).once('close', () => sparePairs.push(pair));
  const issuer = `http://127.0.0.1:${await listening(server)}`;
  const sign = (claims: JWTPayload = {}): Promise<string> => {
    const now = Math.floor(Date.now() / 1000);
    return new SignJWT({ iss: issuer, aud: AUDIENCE, sub: 'rider', client_id: 'tablet', iat: now, exp: now + 300, scope: 'read', ...claims })
      .setProtectedHeader({ alg: 'RS256', kid: state.kid, typ: 'at+jwt' })
      .sign(state.privateKey);
  };
  const rotate = async (): Promise<void> => {
    const next = await makePair();
    state.kid = `k${state.keys.length + 1}`;
    state.keys = [{ ...(await exportJWK(next.publicKey)), kid: state.kid, alg: 'RS256', use: 'sig' }, ...state.keys];
    state.privateKey = next.privateKey;
  };
  return { issuer, state, sign, rotate, server };
}

export const providerFor = (issuer: string, change: Partial<ProviderRule> = {}): ProviderRule => ({
  id: 'p',
  name: 'Provider',
  issuer,
  source: { kind: 'discovery' },
  algorithms: ['RS256'],
  leewaySeconds: 0,
  lastGoodSeconds: 3600,
  allowLoopbackHttp: true,
  privateHosts: [],
  claimMap: STANDARD_CLAIM_MAP,
  draftOnly: false,
  ...change,
});

export function documentFor(upstreamUrl: string, issuer: string, change: Partial<ApiRule> = {}): ReleaseDocument {
  const scoped = { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 's', scopes: ['read'], match: 'all', roles: [] }]] } as const;
  return {
    ...emptyDocument('test'),
    providers: [providerFor(issuer)],
    apis: [
      {
        id: 'a',
        name: 'A',
        version: '1',
        basePath: '/a',
        enabled: true,
        upstream: { url: upstreamUrl, connectTimeoutMs: 3000, responseTimeoutMs: 3000, sendCredential: true, callerFields: 'both', limits: UPSTREAM_LIMITS },
        resource: { identifier: AUDIENCE, scopes: [] },
        token: tokenRule([AUDIENCE], { type: 'at+jwt' }),
        cors: null,
        schemes: [{ name: 's', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['p'], place: null }],
        access: scoped,
        ...NOTHING_MORE,
        operations: ['GET', 'POST', 'PUT'].flatMap((method) => [
          {
            id: `${method} /open/{id}`,
            method,
            path: '/open/{id}',
            ...AS_ITS_API,
            access: { kind: 'public', origin: 'hand' } as const,
          },
          {
            id: `${method} /guarded`,
            method,
            path: '/guarded',
            ...AS_ITS_API,
          },
        ]),
        ...change,
      },
    ],
  };
}

export async function startNode(
  control: FakeControl,
  folder = mkdtempSync(join(tmpdir(), 'virga-node-')),
  more: Partial<NodeOptions> = {},
): Promise<{ node: GatewayNode; url: string; port: number; folder: string }> {
  const node = new GatewayNode({ name: 'test', host: '127.0.0.1', port: 0, controlUrl: control.url, token: NODE_TOKEN, folder, log: () => undefined, ...more });
  const url = await node.start();
  return { node, url, port: Number(new URL(url).port), folder };
}

/** A node in front of one upstream, with its first release in force. @param handle what the upstream answers; it echoes where that is left out */
export async function startGuarded(handle?: Parameters<typeof echoUpstream>[0]) {
  const control = new FakeControl();
  await control.start();
  const upstream = await echoUpstream(handle);
  const issuer = await makeIssuer();
  const { node, port } = await startNode(control);
  await until(() => control.statuses.length > 0, 'the node');
  control.send({ type: 'release', number: 1, hash: 'h1', document: documentFor(upstream.url, issuer.issuer) });
  await until(() => control.statuses.some(({ release }) => release?.number === 1), 'release 1');
  const stop = async (): Promise<void> => {
    for (const server of [upstream.server, issuer.server]) {
      server.closeAllConnections();
      server.close();
    }
    await node.stop();
    await control.stop();
  };
  return { control, upstream, issuer, node, port, stop };
}

/** Writes bytes to a port and reads until the other side closes or is silent: longer for its first word than between others, where nothing is said. */
export function raw(port: number, text: string, silenceMs?: number): Promise<string> {
  return new Promise((resolve, reject) => {
    const socket = connect(port, '127.0.0.1');
    let received = '';
    socket.setTimeout(silenceMs ?? 3000, () => socket.destroy());
    socket.on('data', (part) => {
      received += part.toString('latin1');
      socket.setTimeout(silenceMs ?? 400);
    });
    socket.on('close', () => resolve(received));
    socket.on('error', reject);
    socket.write(text, 'latin1');
  });
}
