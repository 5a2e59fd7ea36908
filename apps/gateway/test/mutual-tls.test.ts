import { UPSTREAM_LIMITS, type ApiRule, type DirectoryChange, type ReleaseDocument } from '@virga/core';
import { createHash, X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { request as httpsRequest } from 'node:https';
import type { AddressInfo } from 'node:net';
import { connect } from 'node:tls';
import { fileURLToPath } from 'node:url';
import { GatewayNode } from '../src/gateway-node.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, NODE_TOKEN, startNode, until } from './harness.js';

// The scheme `mutualTLS` of OpenAPI 3.1.2 section 4.8.27 with certificates that a client was given (RFC 8705 section 2.2), over real handshakes.

const fixture = (name: string): string => fileURLToPath(new URL(`fixtures/${name}`, import.meta.url));
/** Thumbprint as RFC 8705 section 3.1 has it, by the platform. */
const thumbprintOf = (name: string): string =>
  createHash('sha256')
    .update(new X509Certificate(readFileSync(fixture(`${name}.pem`))).raw)
    .digest('base64url');

const client: DirectoryChange = { what: 'client', id: 'a', value: { id: 'a', name: 'Logger fleet', enabled: true, roles: ['reader'], metadata: {} } };
const certificate = (change: object = {}): DirectoryChange => ({
  what: 'credential',
  id: 'c',
  value: {
    id: 'c',
    clientId: 'a',
    kind: 'certificate',
    name: 'field box',
    lookup: thumbprintOf('client'),
    digest: null,
    expiresAt: null,
    revokedAt: null,
    ...change,
  },
});

let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let plain: GatewayNode;
let plainUrl: string;
let tlsUrl: string;

function guarded(): ReleaseDocument {
  const document = documentFor(upstream.url, issuer.issuer);
  const [api] = document.apis as [ApiRule];
  const scheme = { name: 'tls', type: 'mutualTLS', declared: 'mutualTLS', metadataUrl: null, providers: [], place: null } as const;
  const access = {
    kind: 'required',
    origin: 'hand',
    alternatives: [[{ scheme: 'tls', scopes: [], match: 'all', roles: ['reader'] }]],
  } as const;
  return { ...document, apis: [{ ...api, access, schemes: [...api.schemes, scheme] }] };
}

beforeEach(async () => {
  control = new FakeControl();
  await control.start();
  [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
  control.first.push({ type: 'directory', number: 1, whole: { first: true, last: true }, changes: [client, certificate()] });
  control.send({ type: 'release', number: 1, hash: 'h', document: guarded() });
  const started = await startNode(control);
  ({ node: plain, url: plainUrl } = started);
  const tls = { port: 0, certificateFile: fixture('server.pem'), keyFile: fixture('server-key.pem') };
  const shared = { host: '127.0.0.1', port: 0, controlUrl: control.url, token: NODE_TOKEN, log: () => undefined };
  node = new GatewayNode({ ...shared, name: 'tls', folder: `${started.folder}-tls`, tls });
  await node.start();
  await until(() => plain.status().release && node.status().directory === 1, 'the release');
  tlsUrl = await until(() => node.status().release && node.status().tlsUrl, 'the TLS listener');
});
afterEach(async () => {
  await Promise.all([node.stop(), plain.stop()]);
  await control.stop();
  for (const { server } of [upstream, issuer]) {
    server.closeAllConnections();
    server.close();
  }
});

const call = (name: string | null, headers: Record<string, string> = {}) =>
  new Promise<{ status: number; code: string }>((resolve, reject) => {
    const identity = name === null ? {} : { cert: readFileSync(fixture(`${name}.pem`)), key: readFileSync(fixture(`${name}-key.pem`)) };
    httpsRequest(`${tlsUrl}/a/guarded`, { ca: readFileSync(fixture('server.pem')), ...identity, agent: false, headers }, (answer) => {
      let text = '';
      answer.on('data', (part) => (text += String(part)));
      answer.on('end', () => {
        const body = JSON.parse(text) as { code?: string };
        resolve({ status: answer.statusCode ?? 0, code: body.code ?? '' });
      });
    })
      .on('error', reject)
      .end();
  });
const change = async (number: number, ...changes: DirectoryChange[]) => {
  control.send({ type: 'directory', number, whole: null, changes });
  await until(() => node.status().directory === number, `change ${number}`);
};

test('the certificate of a client calls for it; another one, or none, does not', async () => {
  expect((await call('client')).status).toBe(200);
  expect(upstream.requests).toHaveLength(1);
  expect(await call('other')).toMatchObject({ status: 401 });
  expect(await call(null)).toMatchObject({ status: 401 });
  // What a certificate proves is proved by a handshake, never by what a request says of itself.
  const pem = readFileSync(fixture('client.pem'), 'utf8').replace(/-----[^-]+-----|\s/g, '');
  const claimed = { 'client-cert': `:${pem}:`, 'x-client-cert': pem, 'x-forwarded-client-cert': pem, 'ssl-client-cert': pem };
  expect((await call(null, claimed)).status).toBe(401);
  expect((await call('other', claimed)).status).toBe(401);
  expect((await fetch(`${plainUrl}/a/guarded`, { headers: claimed })).status).toBe(401);
  expect(upstream.requests).toHaveLength(1);
});

test('revoked, run out, taken away or of a client that is off, it calls no more', async () => {
  await change(2, certificate({ revokedAt: 1 }));
  expect((await call('client')).status).toBe(401);
  await change(3, certificate({ expiresAt: Date.now() - 1 }));
  expect((await call('client')).status).toBe(401);
  await change(4, certificate());
  expect((await call('client')).status).toBe(200);
  await change(5, { ...client, value: { id: 'a', name: 'Logger fleet', enabled: false, roles: ['reader'], metadata: {} } });
  expect((await call('client')).status).toBe(401);
  await change(6, { ...client, value: { id: 'a', name: 'Logger fleet', enabled: true, roles: [], metadata: {} } });
  expect((await call('client')).status).toBe(403);
  await change(7, { what: 'credential', id: 'c', value: null }, client);
  expect((await call('client')).status).toBe(401);
});

test('a caller that sends too slowly is cut off here as well', async () => {
  const document = guarded();
  const patient = createServer((req) => void req.resume());
  await new Promise<void>((resolve) => patient.listen(0, '127.0.0.1', resolve));
  const url = `http://127.0.0.1:${(patient.address() as AddressInfo).port}`;
  const limits = { ...UPSTREAM_LIMITS, paceMs: 1000, leastBytesPerSecond: 500 };
  const apis = document.apis.map((api) => ({ ...api, upstream: { ...api.upstream, url, limits } }));
  control.send({ type: 'release', number: 2, hash: 'h2', document: { ...document, apis } });
  await until(() => node.status().release?.number === 2, 'the release');
  const { hostname, port } = new URL(tlsUrl);
  const socket = connect({ host: hostname, port: Number(port), ca: readFileSync(fixture('server.pem')) });
  let text = '';
  socket.on('data', (part: Buffer) => (text += part.toString('latin1')));
  socket.write('POST /a/open/1 HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\n\r\nx');
  await until(() => text.startsWith('HTTP/1.1 408 '), 'the refusal');
  socket.destroy();
  patient.closeAllConnections();
  patient.close();
});
