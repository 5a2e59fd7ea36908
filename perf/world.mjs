import { emptyDocument, splitDocument, STANDARD_CLAIM_MAP, tokenRule, UPSTREAM_LIMITS, AS_ITS_API, NOTHING_MORE } from '@virga/core';
import { exportJWK, generateKeyPair, SignJWT } from 'jose';
import { hash } from 'node:crypto';
import { createServer } from 'node:http';

export const AUDIENCE = 'https://bench.example';
export const NODE_TOKEN = 'bench';

const listening = (server) => new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve(server.address().port)));

/** An issuer over HTTP, and tokens of it. */
export async function makeIssuer(algorithm = 'RS256') {
  const { privateKey, publicKey } = await generateKeyPair(algorithm, { extractable: true });
  const jwk = { ...(await exportJWK(publicKey)), kid: 'bench-1', alg: algorithm, use: 'sig' };
  let issuer = '';
  const server = createServer((req, res) => {
    res.writeHead(200, { 'content-type': 'application/json' });
    res.end(JSON.stringify(req.url.endsWith('/keys') ? { keys: [jwk] } : { issuer, jwks_uri: `${issuer}/keys` }));
  });
  issuer = `http://127.0.0.1:${await listening(server)}`;
  const sign = (jti) => {
    const now = Math.floor(Date.now() / 1000);
    return new SignJWT({
      iss: issuer,
      aud: AUDIENCE,
      sub: 'rider.north',
      client_id: 'rider-tablet',
      iat: now,
      exp: now + 3600,
      jti: String(jti),
      scope: 'gates:read gates:operate',
      roles: ['rider'],
      sections: ['north-1', 'north-2'],
    })
      .setProtectedHeader({ alg: algorithm, kid: 'bench-1', typ: 'at+jwt' })
      .sign(privateKey);
  };
  return { issuer, jwk, publicKey, sign, close: () => server.close() };
}

/** A release of some operations, all guarded. */
export function release(upstreamUrl, issuer, operations = 100) {
  return {
    ...emptyDocument('bench'),
    providers: [
      {
        id: 'p',
        name: 'Bench',
        issuer,
        source: { kind: 'discovery' },
        algorithms: ['RS256', 'ES256', 'EdDSA'],
        leewaySeconds: 30,
        lastGoodSeconds: 3600,
        allowLoopbackHttp: true,
        privateHosts: [],
        claimMap: STANDARD_CLAIM_MAP,
        draftOnly: false,
      },
    ],
    apis: [
      {
        id: 'a',
        name: 'Bench',
        version: '1',
        basePath: '/bench',
        enabled: true,
        upstream: {
          url: upstreamUrl,
          connectTimeoutMs: 1000,
          responseTimeoutMs: 5000,
          sendCredential: true,
          callerFields: 'x-forwarded',
          limits: UPSTREAM_LIMITS,
        },
        resource: { identifier: AUDIENCE, scopes: [] },
        token: tokenRule([AUDIENCE], { type: 'at+jwt' }),
        cors: null,
        schemes: [{ name: 's', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['p'], place: null }],
        access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 's', scopes: ['gates:read'], match: 'all', roles: [] }]] },
        ...NOTHING_MORE,
        operations: Array.from({ length: operations }, (_, index) => ({
          id: `GET /group${index % 97}/things${index}/{id}`,
          method: 'GET',
          path: `/group${index % 97}/things${index}/{id}`,
          ...AS_ITS_API,
        })),
      },
    ],
  };
}

/** The same document with an address rule, a condition and an authorizer whose answers are kept. */
export function ruled(document) {
  const script = {
    kind: 'script',
    body: false,
    source: 'function decide({ principal }) { return { allow: principal.scopes.includes("gates:read") } }',
    timeMs: 20,
    megabytes: 8,
    tables: [],
  };
  return {
    ...document,
    authorizers: [{ name: 'reads', description: '', by: script, passes: [], cache: { seconds: 600, key: ['caller', 'operation', 'path'] }, cases: [] }],
    apis: document.apis.map((api) => ({
      ...api,
      addresses: { kind: 'only', of: ['127.0.0.0/8', '2001:db8::/32'] },
      conditions: [{ kind: 'own', name: 'reads', source: 'request.method == "GET" && "gates:read" in principal.scopes' }],
      authorizers: ['reads'],
    })),
  };
}

/** The control plane as a node needs it: a feed, and an open ear for records. */
export async function makeControl() {
  const feeds = new Set();
  const seen = { traces: 0, counted: 0, unsent: 0, taken: 0, dropped: 0, effective: new Map(), directory: null };
  let live = null;
  let split = null;
  const contracts = new Map();
  const server = createServer((req, res) => {
    const contract = req.url.startsWith('/nodes/v1/contracts/') ? contracts.get(req.url.slice(20)) : undefined;
    if (contract !== undefined) return void res.writeHead(200, { 'content-type': 'text/plain; charset=utf-8' }).end(contract);
    if (req.method === 'GET') {
      res.writeHead(200);
      res.write(`${JSON.stringify({ type: 'hello', controlPlane: 'bench' })}\n`);
      if (live) res.write(`${JSON.stringify(live)}\n`);
      feeds.add(res);
      return;
    }
    let text = '';
    req.on('data', (part) => (text += part));
    req.on('end', () => {
      const body = JSON.parse(text);
      if (req.url.endsWith('/parts')) return void res.end(body.hashes.map((one) => `${split.parts.get(one) ?? ''}\n`).join(''));
      if (req.url.endsWith('/records')) {
        seen.traces += body.traces.length;
        for (const count of body.counts) seen.counted += count.count;
        seen.unsent += body.unsent.passed;
      } else if (req.url.endsWith('/sightings')) {
        seen.taken += body.taken;
        seen.dropped += body.dropped;
      } else if (body.directory !== undefined) seen.directory = body.directory;
      if (body.release && !seen.effective.has(body.release.number)) seen.effective.set(body.release.number, body.release.effectiveAt);
      res.writeHead(204).end();
    });
  });
  const port = await listening(server);
  const publish = async (number, document) => {
    split = splitDocument(document, (text) => hash('sha256', text, 'base64url'));
    live = { type: 'release', number, hash: `h${number}`, document: split.carried };
    const at = Date.now();
    const line = `${JSON.stringify(live)}\n`;
    for (const feed of feeds) feed.write(line);
    while (!seen.effective.has(number)) await new Promise((resolve) => setTimeout(resolve, 2));
    return seen.effective.get(number) - at;
  };
  let number = 0;
  /** Sends a change of the directory. @returns milliseconds until the node says that it is in force */
  const change = async (changes, whole = null) => {
    number++;
    const at = performance.now();
    for (const feed of feeds) feed.write(`${JSON.stringify({ type: 'directory', number, whole, changes })}\n`);
    while (seen.directory !== number) await new Promise((resolve) => setTimeout(resolve, 1));
    return performance.now() - at;
  };
  return {
    url: `http://127.0.0.1:${port}`,
    seen,
    contracts,
    publish,
    change,
    connected: () => feeds.size > 0,
    close: () => (server.closeAllConnections(), server.close()),
  };
}
