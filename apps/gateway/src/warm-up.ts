import {
  closedPorts,
  compileRelease,
  CONTRACT_PARTS,
  Directory,
  emptyDocument,
  NO_CONTRACT,
  STANDARD_CLAIM_MAP,
  tokenRule,
  UPSTREAM_LIMITS,
  wholeContract,
  type KeySource,
  type Ports,
  type ReleaseDocument,
  AS_ITS_API,
  NOTHING_MORE,
} from '@virga/core';
import { ProviderKeys } from '@virga/outbound';
import { generateKeyPairSync, randomBytes, sign, type KeyObject } from 'node:crypto';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { performance } from 'node:perf_hooks';
import { Client } from 'undici';
import { GatewayListener } from './listener/gateway-listener.js';
import { LiveRelease } from './live-release.js';
import { KnownFacts } from './ports/known-facts.js';
import { Nonces } from './ports/nonces.js';
import { nodePorts } from './ports/node-ports.js';
import { Recorder } from './records/recorder.js';
import { SightingThread } from './sightings/sighting-thread.js';
import { UpstreamPools } from './upstream/pools.js';

/** How often each request is made: code that ran a few times is kept in a faster form. */
const ROUNDS = 5;
/** How long all of it may take, milliseconds. */
const LONGEST_MS = 3000;
const LOOPBACK = '127.0.0.1';
const PROVIDER = 'warm-up';
const ORIGIN = 'https://gateway.invalid';
const ISSUER = 'https://warm-up.invalid';
const PATH = '/warm-up/things/one?page=1';

const THING = {
  type: 'object',
  required: ['id'],
  additionalProperties: false,
  properties: { id: { type: 'integer', minimum: 1 }, next: { $ref: '#/components/schemas/Thing' } },
};
const SCHEMAS = {
  Thing: THING,
  Things: {
    type: 'object',
    required: ['id', 'name'],
    properties: {
      id: { type: 'integer' },
      name: { type: 'string', pattern: '^[a-z]', maxLength: 20 },
      kind: { enum: ['small', 'large'] },
      note: { type: ['string', 'null'], maxLength: 200 },
      at: { type: 'string', format: 'date-time' },
      first: { $ref: '#/components/schemas/Thing' },
      others: { type: 'array', maxItems: 10, items: { $ref: '#/components/schemas/Thing' } },
      either: { oneOf: [{ type: 'string' }, { type: 'number', exclusiveMinimum: 0 }] },
    },
  },
};
const CONTENT = { 'application/json': { schema: { $ref: '#/components/schemas/Things' } } };
const CONTRACT = {
  openapi: '3.1.0',
  paths: {
    '/things/{id}': {
      post: {
        parameters: [
          { name: 'id', in: 'path', required: true, schema: { type: 'string' } },
          { name: 'page', in: 'query', schema: { type: 'integer', minimum: 1 } },
        ],
        requestBody: { required: true, content: CONTENT },
        responses: { 200: { description: '', content: CONTENT } },
      },
    },
  },
  components: { schemas: SCHEMAS },
};
const GOOD = '{"id":1,"name":"a","kind":"small","note":null,"at":"2026-01-01T00:00:00Z","first":{"id":1},"others":[{"id":2}],"either":1}';
const BAD = '{"id":"one","name":"A","kind":"none","others":[{"id":0,"more":true}],"either":0}';

let warmed: Promise<void> | null = null;

/**
 * Has some requests served, once in a process, before the first real one comes. What runs for the first time is read and prepared by
 * the platform while everybody waits: some 50 ms for the first request with a token and a body (docs/decisions/029). They go
 * through a listener, a release and an upstream of their own on loopback; nothing of them is kept or told.
 */
export function warmUp(): Promise<void> {
  return (warmed ??= serveSome());
}

async function serveSome(): Promise<void> {
  const { publicKey, privateKey } = generateKeyPairSync('ec', { namedCurve: 'P-256' });
  const upstream = createServer(
    (req, res) => void req.resume().once('end', () => res.writeHead(200, { 'content-type': 'application/json', 'content-length': GOOD.length }).end(GOOD)),
  );
  const pools = new UpstreamPools();
  try {
    await new Promise<void>((resolve, reject) => upstream.once('error', reject).listen(0, LOOPBACK, resolve));
    const document = documentWith(publicKey, `http://${LOOPBACK}:${(upstream.address() as AddressInfo).port}`);
    const lease = new ProviderKeys(Date.now).lease(document.providers);
    const live = new LiveRelease(0, PROVIDER, compileRelease(document, portsWith(lease)), pools, () => lease.close());
    await serve(live, privateKey);
    live.retire();
  } finally {
    await pools.close();
    upstream.close();
  }
}

async function serve(live: LiveRelease, key: KeyObject): Promise<void> {
  const context = {
    recorder: new Recorder(PROVIDER),
    sightings: new SightingThread(() => undefined),
    publicOrigin: ORIGIN,
    isProbe: () => false,
    markedCaller: () => '',
    fault: () => undefined,
  };
  const listener = new GatewayListener(context, () => live);
  const client = new Client(`http://${LOOPBACK}:${await listener.listen(0, LOOPBACK)}`);
  // It is better to be cold than to wait.
  const signal = AbortSignal.timeout(LONGEST_MS);
  try {
    for (let round = 0; round < ROUNDS; round++) {
      const good = tokenOf(key, round);
      for (const [token, body] of [
        [good, GOOD],
        [good, BAD],
        [`${good}A`, GOOD],
        [null, GOOD],
      ] as const) {
        const headers = { 'content-type': 'application/json', ...(token === null ? {} : { authorization: `Bearer ${token}` }) };
        const answer = await client.request({ method: 'POST', path: PATH, headers, body, signal });
        await answer.body.dump();
      }
    }
  } finally {
    await client.destroy();
    await listener.drain(0);
  }
}

function portsWith(keys: KeySource): Ports {
  const contract = wholeContract(CONTRACT, '3.1');
  const directory = new Directory();
  return nodePorts({
    ...closedPorts({ now: Date.now, ticks: () => performance.now(), digest: (text) => text, keys, contracts: { find: () => contract } }),
    facts: new KnownFacts(),
    nonces: new Nonces(randomBytes(16).toString('hex')),
    directory: () => directory,
  });
}

const base64 = (value: unknown): string => Buffer.from(JSON.stringify(value)).toString('base64url');

/** A token of the made-up provider, another one for each number. */
function tokenOf(key: KeyObject, number: number): string {
  const now = Math.floor(Date.now() / 1000);
  const claims = { iss: ISSUER, aud: ORIGIN, sub: 'nobody', client_id: 'nothing', iat: now, exp: now + 60, jti: String(number), scope: 'read' };
  const text = `${base64({ alg: 'ES256', kid: 'k', typ: 'at+jwt' })}.${base64(claims)}`;
  return `${text}.${sign('sha256', Buffer.from(text), { key, dsaEncoding: 'ieee-p1363' }).toString('base64url')}`;
}

function documentWith(key: KeyObject, upstreamUrl: string): ReleaseDocument {
  return {
    ...emptyDocument('warm-up'),
    providers: [
      {
        id: PROVIDER,
        name: 'Nobody',
        issuer: ISSUER,
        source: { kind: 'keys', keys: [{ ...key.export({ format: 'jwk' }), kid: 'k', alg: 'ES256' }] },
        algorithms: ['ES256'],
        leewaySeconds: 0,
        lastGoodSeconds: 3600,
        allowLoopbackHttp: false,
        privateHosts: [],
        claimMap: STANDARD_CLAIM_MAP,
        draftOnly: false,
      },
    ],
    apis: [
      {
        id: 'warm-up',
        name: 'Nothing',
        version: '1',
        basePath: '/warm-up',
        enabled: true,
        upstream: {
          url: upstreamUrl,
          connectTimeoutMs: 1000,
          responseTimeoutMs: 1000,
          sendCredential: false,
          callerFields: 'x-forwarded',
          limits: UPSTREAM_LIMITS,
        },
        resource: { identifier: ORIGIN, scopes: [] },
        token: tokenRule([ORIGIN], { type: 'at+jwt' }),
        cors: null,
        ...NOTHING_MORE,
        schemes: [{ name: 's', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: [PROVIDER], place: null }],
        access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 's', scopes: ['read'], match: 'all', roles: [] }]] },
        contract: { ...NO_CONTRACT, parts: Object.fromEntries(CONTRACT_PARTS.map((part) => [part, 'enforce'])) as typeof NO_CONTRACT.parts },
        contractHash: 'warm-up',
        operations: [{ ...AS_ITS_API, id: 'POST /things/{id}', method: 'POST', path: '/things/{id}' }],
      },
    ],
  };
}
