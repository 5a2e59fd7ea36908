import { tokenRule, type ApiRule, type OpaqueSource, type ReleaseDocument, type Revocation, type TokenOverride } from '@virga/core';
import { INTROSPECTION_LIMITS } from '@virga/outbound';
import { calculateJwkThumbprint, CompactEncrypt, exportJWK, generateKeyPair, SignJWT, type CryptoKey, type JWK } from 'jose';
import { createHash, randomUUID, X509Certificate } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { createServer, type IncomingHttpHeaders, type IncomingMessage, type Server } from 'node:http';
import { request as httpsRequest } from 'node:https';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { GatewayNode } from '../src/gateway-node.js';
import { AUDIENCE, documentFor, echoUpstream, FakeControl, makeIssuer, NODE_TOKEN, providerFor, startNode, until } from './harness.js';

const fixture = (name: string): string => fileURLToPath(new URL(`fixtures/${name}`, import.meta.url));
const sha256 = (text: string): string => createHash('sha256').update(text).digest('base64url');

let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let folder: string;
let number = 0;
const servers: Server[] = [];
const nodes: GatewayNode[] = [];

const publish = async (document: ReleaseDocument): Promise<void> => {
  const mine = ++number;
  control.send({ type: 'release', number: mine, hash: `h${mine}`, document });
  await until(() => control.statuses.some((status) => status.release?.number === mine), `release ${mine}`);
};
const withRule = (rule: TokenOverride, change: Partial<ApiRule> = {}): ReleaseDocument =>
  documentFor(upstream.url, issuer.issuer, { token: tokenRule([AUDIENCE], { type: 'at+jwt', ...rule }), ...change });
const tell = (secrets: Record<string, string>, revocations: Revocation[] = []) => control.send({ type: 'private-facts', secrets, revocations });
const get = (headers: Record<string, string>, path = '/a/guarded') => fetch(url + path, { headers });
const codeOf = async (answer: Response) =>
  (await until(() => control.traces.find((trace) => trace.id === answer.headers.get('x-request-id')), 'the trace')).code;

beforeEach(async () => {
  control = new FakeControl();
  await control.start();
  upstream = await echoUpstream();
  issuer = await makeIssuer();
  servers.push(upstream.server, issuer.server);
  ({ node, url, folder } = await startNode(control));
  nodes.push(node);
  await until(() => control.statuses.length > 0, 'the node');
});
afterEach(async () => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
  await Promise.all(nodes.splice(0).map((item) => item.stop()));
  await control.stop();
});

/** A client that holds a key and makes proofs with it (RFC 9449 section 4.2, from memory). */
async function makeHolder() {
  const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
  const jwk = await exportJWK(publicKey);
  const proof = (token: string, claims: Record<string, unknown> = {}, key: CryptoKey = privateKey) =>
    new SignJWT({ jti: randomUUID(), htm: 'GET', htu: `${url}/a/guarded`, ath: sha256(token), ...claims })
      .setIssuedAt()
      .setProtectedHeader({ typ: 'dpop+jwt', alg: 'ES256', jwk })
      .sign(key);
  return { jkt: await calculateJwkThumbprint(jwk), proof };
}

describe('DPoP at the gateway (RFC 9449)', () => {
  test('a bound token passes with its proof, once; as Bearer, without, or with another’s proof it does not', async () => {
    await publish(withRule({}));
    const holder = await makeHolder();
    const thief = await makeHolder();
    const token = await issuer.sign({ cnf: { jkt: holder.jkt } });
    const dpop = await holder.proof(token);
    const good = await get({ authorization: `DPoP ${token}`, dpop });
    expect(good.status).toBe(200);
    // The proof travels no further than the gateway’s trace, where it is masked.
    expect(JSON.stringify(await until(() => control.traces.find((trace) => trace.id === good.headers.get('x-request-id'))))).not.toContain(dpop.slice(-20));
    expect(await codeOf(await get({ authorization: `DPoP ${token}`, dpop }))).toBe('proof.replayed');
    expect(await codeOf(await get({ authorization: `Bearer ${token}` }))).toBe('proof.bound-as-bearer');
    expect(await codeOf(await get({ authorization: `DPoP ${token}` }))).toBe('proof.missing');
    expect(await codeOf(await get({ authorization: `DPoP ${token}`, dpop: await thief.proof(token) }))).toBe('proof.key');
    expect(await codeOf(await get({ authorization: `DPoP ${token}`, dpop: await holder.proof(token, { htu: `${url}/a/other` }) }))).toBe('proof.target');
    expect(await codeOf(await get({ authorization: `DPoP ${await issuer.sign()}`, dpop: await holder.proof(token) }))).toBe('proof.not-bound');
  });

  test('two proofs in one request are refused', async () => {
    await publish(withRule({}));
    const holder = await makeHolder();
    const token = await issuer.sign({ cnf: { jkt: holder.jkt } });
    const answer = await get({ authorization: `DPoP ${token}`, dpop: `${await holder.proof(token)}, ${await holder.proof(token)}` });
    expect([answer.status, await codeOf(answer)]).toEqual([401, 'proof.repeated']);
  });

  test('the challenge names DPoP and its algorithms where it is required (section 7.1)', async () => {
    await publish(withRule({ dpop: 'required' }));
    const answer = await get({ authorization: `Bearer ${await issuer.sign()}` });
    expect(await codeOf(answer)).toBe('proof.not-bound');
    expect(answer.headers.get('www-authenticate')).toMatch(/^DPoP realm="A", error="invalid_token".*algs="[^"]*ES256[^"]*"/);
    expect((await get({})).headers.get('www-authenticate')).toMatch(/^DPoP realm="A", resource_metadata=/);
  });

  test('a nonce is handed out and then asked for (section 9)', async () => {
    await publish(withRule({ dpopNonce: true }));
    const holder = await makeHolder();
    const token = await issuer.sign({ cnf: { jkt: holder.jkt } });
    const first = await get({ authorization: `DPoP ${token}`, dpop: await holder.proof(token) });
    expect([first.status, first.headers.get('www-authenticate')]).toEqual([401, expect.stringContaining('error="use_dpop_nonce"')]);
    const nonce = first.headers.get('dpop-nonce') ?? '';
    expect(nonce.length).toBeGreaterThan(16);
    expect((await get({ authorization: `DPoP ${token}`, dpop: await holder.proof(token, { nonce }) })).status).toBe(200);
    expect(
      await codeOf(
        await get({ authorization: `DPoP ${token}`, dpop: await holder.proof(token, { nonce: `${nonce.slice(0, -2)}${nonce.endsWith('AA') ? 'BB' : 'AA'}` }) }),
      ),
    ).toBe('proof.nonce');
  });
});

describe('certificate binding (RFC 8705 section 3)', () => {
  const APPENDIX_A = 'A4DtL2JmUMhAsvJj5tKyn64SqzmuXbMrJa0n761y5v0';
  const der = (name: string) => new X509Certificate(readFileSync(fixture(name))).raw;

  test('by a header of a hop that is trusted, in both spellings; the value of appendix A', async () => {
    const pem = encodeURIComponent(readFileSync(fixture('rfc8705-appendix-a.pem'), 'utf8'));
    const structured = `:${der('rfc8705-appendix-a.pem').toString('base64')}:`;
    const document = withRule({});
    await publish({ ...document, certificateHeader: { name: 'client-cert', trustedHops: ['127.0.0.0/8'] } });
    const bound = `Bearer ${await issuer.sign({ cnf: { 'x5t#S256': APPENDIX_A } })}`;
    expect((await get({ authorization: bound, 'client-cert': structured })).status).toBe(200);
    expect((await get({ authorization: bound, 'client-cert': pem })).status).toBe(200);
    expect(await codeOf(await get({ authorization: bound }))).toBe('proof.certificate-missing');
    expect(await codeOf(await get({ authorization: bound, 'client-cert': 'nonsense' }))).toBe('proof.certificate-missing');
    expect(await codeOf(await get({ authorization: bound, 'client-cert': `:${der('client.pem').toString('base64')}:` }))).toBe('proof.certificate-other');
    // From a hop that is not named the header counts for nothing, and does not travel on.
    await publish({ ...document, certificateHeader: { name: 'client-cert', trustedHops: ['192.0.2.7'] } });
    expect(await codeOf(await get({ authorization: bound, 'client-cert': structured }))).toBe('proof.certificate-missing');
    const open = await fetch(`${url}/a/open/1`, { headers: { 'client-cert': structured } });
    expect(((await open.json()) as { headers: IncomingHttpHeaders }).headers).not.toHaveProperty('client-cert');
  });

  test('by the TLS listener, where the handshake proved the key', async () => {
    const tls = { port: 0, certificateFile: fixture('server.pem'), keyFile: fixture('server-key.pem') };
    const own = new GatewayNode({
      name: 'tls',
      host: '127.0.0.1',
      port: 0,
      controlUrl: control.url,
      token: NODE_TOKEN,
      folder: `${folder}-tls`,
      tls,
      log: () => undefined,
    });
    nodes.push(own);
    await own.start();
    await publish(withRule({ certificate: 'required' }));
    const tlsUrl = await until(() => own.status().release && own.status().tlsUrl, 'the TLS listener');
    const thumbprint = createHash('sha256').update(der('client.pem')).digest('base64url');
    const call = (token: string, name: string | null) =>
      new Promise<number>((resolve, reject) => {
        const identity = name === null ? {} : { cert: readFileSync(fixture(`${name}.pem`)), key: readFileSync(fixture(`${name}-key.pem`)) };
        httpsRequest(
          `${tlsUrl}/a/guarded`,
          { ca: readFileSync(fixture('server.pem')), ...identity, agent: false, headers: { authorization: `Bearer ${token}` } },
          (answer) => {
            answer.resume();
            resolve(answer.statusCode ?? 0);
          },
        )
          .on('error', reject)
          .end();
      });
    const bound = await issuer.sign({ cnf: { 'x5t#S256': thumbprint } });
    expect(await call(bound, 'client')).toBe(200);
    expect(await call(bound, 'other')).toBe(401);
    expect(await call(bound, null)).toBe(401);
    expect(await call(await issuer.sign(), 'client')).toBe(401);
    expect(upstream.requests[upstream.requests.length - 1]?.headers['x-forwarded-proto']).toBe('https');
  });
});

/** A provider that is asked about tokens. */
async function makeAsked(answer: (token: string, req: IncomingMessage) => { status?: number; body: unknown; delayMs?: number }) {
  const calls: { token: string; authorization: string; body: URLSearchParams }[] = [];
  const server = createServer((req, res) => {
    let text = '';
    req.on('data', (part) => (text += String(part)));
    req.on('end', () => {
      const body = new URLSearchParams(text);
      const token = body.get('token') ?? req.headers.authorization?.slice(7) ?? '';
      calls.push({ token, authorization: req.headers.authorization ?? '', body });
      const { status = 200, body: said, delayMs = 0 } = answer(token, req);
      setTimeout(() => {
        res.writeHead(status, { 'content-type': 'application/json' });
        res.end(typeof said === 'string' ? said : JSON.stringify(said));
      }, delayMs);
    });
  });
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { endpoint: `http://127.0.0.1:${(server.address() as AddressInfo).port}/introspect`, calls, server };
}

const opaque = (endpoint: string, change: object = {}): OpaqueSource => ({
  kind: 'introspection',
  credential: { method: 'client_secret_basic', clientId: 'gate way', secret: 'client-secret' },
  endpoint,
  positiveSeconds: 60,
  negativeSeconds: 60,
  timeoutMs: 300,
  impliedAudience: null,
  ...change,
});
const asking = (source: OpaqueSource): ReleaseDocument => {
  const document = withRule({});
  const asked = providerFor('https://dunlin.example', { id: 'd', name: 'Dunlin', source, algorithms: [] });
  return {
    ...document,
    providers: [...document.providers, asked],
    apis: document.apis.map((api) => ({ ...api, schemes: api.schemes.map((scheme) => ({ ...scheme, providers: ['p', 'd'] })) })),
  };
};
const active = (claims: object = {}) => ({ active: true, aud: AUDIENCE, scope: 'read', sub: 'kit', ...claims });

describe('opaque tokens (RFC 7662)', () => {
  test('are asked about once, however many requests carry them, and beside JWTs of another provider', async () => {
    const dunlin = await makeAsked((token) => ({ body: token === 'good-token-1' ? active() : { active: false }, delayMs: 60 }));
    tell({ 'client-secret': 's:cret%' });
    await publish(asking(opaque(dunlin.endpoint)));
    const statuses = await Promise.all(Array.from({ length: 30 }, async () => (await get({ authorization: 'Bearer good-token-1' })).status));
    expect(new Set(statuses)).toEqual(new Set([200]));
    expect(dunlin.calls).toHaveLength(1);
    // RFC 6749 section 2.3.1: both parts are form-encoded before they are put together.
    expect(Buffer.from(dunlin.calls[0]?.authorization.slice(6) ?? '', 'base64').toString()).toBe('gate+way:s%3Acret%25');
    expect(await codeOf(await get({ authorization: 'Bearer bad-token-22' }))).toBe('token.inactive');
    expect(await codeOf(await get({ authorization: 'Bearer bad-token-22' }))).toBe('token.inactive');
    expect(dunlin.calls).toHaveLength(2);
    expect((await get({ authorization: `Bearer ${await issuer.sign()}` })).status).toBe(200);
    expect(dunlin.calls).toHaveLength(2);
  });

  test('the provider’s own error is in the trace and not in the answer; the circuit opens and closes again', async () => {
    let broken = true;
    const dunlin = await makeAsked(() => (broken ? { status: 500, body: { error: 'secret-inner-fault' } } : { body: active() }));
    tell({ 'client-secret': 's' });
    await publish(asking(opaque(dunlin.endpoint)));
    const first = await get({ authorization: 'Bearer token-number-0' });
    expect([first.status, first.headers.get('retry-after')]).toEqual([503, '5']);
    expect(await first.text()).not.toContain('secret-inner-fault');
    const trace = await until(() => control.traces.find((item) => item.id === first.headers.get('x-request-id')), 'the trace');
    expect(JSON.stringify(trace.steps)).toContain('secret-inner-fault');
    for (let index = 1; index < INTROSPECTION_LIMITS.failuresToOpen + 4; index++) await get({ authorization: `Bearer token-number-${index}` });
    expect(dunlin.calls).toHaveLength(INTROSPECTION_LIMITS.failuresToOpen);
    const report = () => node.status().providers.find((provider) => provider.providerId === 'd');
    expect(report()).toMatchObject({ state: 'failing', calls: INTROSPECTION_LIMITS.failuresToOpen });
    broken = false;
    await new Promise((resolve) => setTimeout(resolve, INTROSPECTION_LIMITS.openMs));
    expect((await get({ authorization: 'Bearer token-number-0' })).status).toBe(200);
    expect(report()).toMatchObject({ state: 'reachable' });
  });

  test.each<[string, object, Parameters<typeof makeAsked>[0], number, string]>([
    ['slow', {}, () => ({ body: active(), delayMs: 900 }), 503, 'token.introspection-unavailable'],
    ['huge', {}, () => ({ body: { ...active(), padding: 'x'.repeat(400_000) } }), 503, 'token.introspection-unavailable'],
    ['twice', {}, () => ({ body: `{"active":false,${JSON.stringify(active()).slice(1)}` }), 503, 'token.introspection-unavailable'],
    ['with two clients', {}, () => ({ body: active({ client_id: ['one', 'other'] }) }), 401, 'token.claim-malformed'],
    ['for another API', {}, () => ({ body: active({ aud: 'https://other.example' }) }), 401, 'token.audience-wrong'],
    ['without audience', {}, () => ({ body: active({ aud: undefined }) }), 401, 'token.audience-missing'],
    ['without audience, which is implied', { impliedAudience: AUDIENCE }, () => ({ body: active({ aud: undefined }) }), 200, 'upstream.answered'],
    ['without the scope', {}, () => ({ body: active({ scope: 'other' }) }), 403, 'rights.scope-missing'],
    [
      'a userinfo endpoint that takes it',
      { kind: 'userinfo', impliedAudience: AUDIENCE },
      (token) => ({ body: { sub: token, scope: 'read' } }),
      200,
      'upstream.answered',
    ],
    ['a userinfo endpoint that does not', { kind: 'userinfo' }, () => ({ status: 401, body: {} }), 401, 'token.inactive'],
  ])('answered %s', async (_name, change, answer, status, code) => {
    const dunlin = await makeAsked(answer);
    tell({ 'client-secret': 's' });
    await publish(asking(opaque(dunlin.endpoint, change)));
    const got = await get({ authorization: 'Bearer some-opaque-token' });
    expect([got.status, await codeOf(got)]).toEqual([status, code]);
  });

  test('client authentication by post and by private_key_jwt (RFC 7523 section 2.2)', async () => {
    const dunlin = await makeAsked(() => ({ body: active() }));
    const { privateKey } = await generateKeyPair('ES256', { extractable: true });
    tell({ 'client-secret': JSON.stringify({ ...(await exportJWK(privateKey)), alg: 'ES256', kid: 'me' }) });
    await publish(asking(opaque(dunlin.endpoint, { credential: { method: 'private_key_jwt', clientId: 'me', secret: 'client-secret' } })));
    expect((await get({ authorization: 'Bearer opaque-token-1' })).status).toBe(200);
    const [head = '', claims = ''] = (dunlin.calls[0]?.body.get('client_assertion') ?? '').split('.').map((part) => Buffer.from(part, 'base64url').toString());
    expect(JSON.parse(head)).toEqual({ alg: 'ES256', kid: 'me' });
    expect(JSON.parse(claims)).toMatchObject({ iss: 'me', sub: 'me', aud: 'https://dunlin.example', jti: expect.any(String) as string });
    tell({ 'client-secret': 's3' });
    await publish(asking(opaque(dunlin.endpoint, { credential: { method: 'client_secret_post', clientId: 'me', secret: 'client-secret' } })));
    expect((await get({ authorization: 'Bearer opaque-token-2' })).status).toBe(200);
    expect(Object.fromEntries(dunlin.calls[1]?.body ?? [])).toMatchObject({ client_id: 'me', client_secret: 's3', token: 'opaque-token-2' });
  });
});

describe('encrypted tokens (RFC 7516), nested', () => {
  test('are opened with the API’s own key; the same token is not taken where there is none', async () => {
    const { privateKey, publicKey } = await generateKeyPair('RSA-OAEP-256', { extractable: true });
    const jwk: JWK = { ...(await exportJWK(privateKey)), kid: 'api-1', alg: 'RSA-OAEP-256' };
    const encrypt = async (inner: string) =>
      new CompactEncrypt(new TextEncoder().encode(inner))
        .setProtectedHeader({ alg: 'RSA-OAEP-256', enc: 'A256GCM', kid: 'api-1', cty: 'JWT' })
        .encrypt(publicKey);
    tell({ 'api-keys': JSON.stringify({ keys: [jwk] }) });
    const document = withRule({ decryptionSecret: 'api-keys' });
    const [api] = document.apis;
    if (!api) throw new Error('there is an API');
    await publish({ ...document, apis: [api, { ...api, id: 'b', basePath: '/b', token: tokenRule([AUDIENCE]) }] });
    const authorization = `Bearer ${await encrypt(await issuer.sign())}`;
    expect((await get({ authorization })).status).toBe(200);
    expect((await get({ authorization })).status).toBe(200);
    expect(await codeOf(await get({ authorization }, '/b/guarded'))).toBe('token.encrypted');
    expect(await codeOf(await get({ authorization: `Bearer ${await encrypt('no token at all')}` }))).toBe('token.opaque');
    expect(await codeOf(await get({ authorization: `${authorization.slice(0, -4)}AAAA` }))).toBe('token.decryption-failed');
    tell({});
    expect(await codeOf(await get({ authorization: `Bearer ${await encrypt(await issuer.sign({ jti: '2' }))}` }))).toBe('token.secret-missing');
  });
});

describe('where the token travels', () => {
  test.each<[string, TokenOverride, (token: string) => { headers?: Record<string, string>; query?: string }]>([
    ['a header of its own', { places: [{ kind: 'header', name: 'x-access', scheme: null }] }, (token) => ({ headers: { 'x-access': token } })],
    [
      'a header with another word',
      { places: [{ kind: 'header', name: 'authorization', scheme: 'Token' }] },
      (token) => ({ headers: { authorization: `token ${token}` } }),
    ],
    ['a cookie', { places: [{ kind: 'cookie', name: 'at' }] }, (token) => ({ headers: { cookie: `x=1; at=${token}; y=2` } })],
    ['the query, where someone said so', { places: [{ kind: 'query', name: 'access_token' }] }, (token) => ({ query: `?a=1&access_token=${token}&b=2` })],
  ])('%s; it does not travel on when it must not, nor into a trace', async (_name, rule, send) => {
    const document = withRule(rule);
    await publish({ ...document, apis: document.apis.map((api) => ({ ...api, upstream: { ...api.upstream, sendCredential: false } })) });
    const token = await issuer.sign();
    const { headers = {}, query = '' } = send(token);
    const answer = await fetch(`${url}/a/guarded${query}`, { headers });
    expect(answer.status).toBe(200);
    const echo = JSON.stringify(await answer.json());
    expect(echo).not.toContain(token.slice(-30));
    if (query !== '') expect(echo).toContain('/guarded?a=1&b=2');
    if ('cookie' in headers) expect(echo).toContain('x=1; y=2');
    const trace = await until(() => control.traces.find((item) => item.id === answer.headers.get('x-request-id')), 'the trace');
    expect(JSON.stringify(trace)).not.toContain(token.slice(-30));
    expect((await get({})).status).toBe(401);
    const twice = await fetch(`${url}/a/guarded${query || `?access_token=${token}`}`, {
      headers: query ? { ...headers, authorization: `Bearer ${token}` } : headers,
    });
    expect(twice.status).toBe(400);
  });

  test('a public operation withholds the usual header too', async () => {
    const document = withRule({});
    await publish({ ...document, apis: document.apis.map((api) => ({ ...api, upstream: { ...api.upstream, sendCredential: false } })) });
    const echo = (await (await get({ authorization: 'Bearer whatever-it-is' }, '/a/open/1')).json()) as { headers: IncomingHttpHeaders };
    expect(echo.headers).not.toHaveProperty('authorization');
  });
});

describe('step-up (RFC 9470) and revocation', () => {
  test('the challenge names what is needed', async () => {
    await publish(withRule({ stepUp: { acrValues: ['urn:basin:key'], maxAgeSeconds: 300 } }));
    const now = Math.floor(Date.now() / 1000);
    const weak = await get({ authorization: `Bearer ${await issuer.sign({ acr: 'urn:basin:password', auth_time: now })}` });
    expect(weak.status).toBe(401);
    expect(weak.headers.get('www-authenticate')).toMatch(/error="insufficient_user_authentication".*acr_values="urn:basin:key", max_age="300"/);
    expect(await codeOf(await get({ authorization: `Bearer ${await issuer.sign({ acr: 'urn:basin:key', auth_time: now - 400 })}` }))).toBe('claims.step-up');
    expect((await get({ authorization: `Bearer ${await issuer.sign({ acr: 'urn:basin:key', auth_time: now - 100 })}` })).status).toBe(200);
  });

  test('a revocation takes effect at once, for known tokens too, and outlives the node; taken back, it ends at once', async () => {
    await publish(withRule({}));
    const authorization = `Bearer ${await issuer.sign({ jti: 'stolen' })}`;
    expect((await get({ authorization })).status).toBe(200);
    const revocation: Revocation = { id: 'r', kind: 'jti', providerId: 'p', value: 'stolen', issuedBefore: null, reason: 'tablet lost' };
    tell({ kept: 'a secret value' }, [revocation]);
    await until(() => existsSync(join(folder, 'private-facts')), 'the facts on disk');
    await expect(get({ authorization }).then((answer) => answer.status)).resolves.toBe(401);
    expect(readFileSync(join(folder, 'private-facts')).includes('a secret value')).toBe(false);
    await node.stop();
    await control.stop();
    const again = await startNode(control, folder);
    nodes.splice(0, nodes.length, again.node);
    url = again.url;
    expect((await get({ authorization })).status).toBe(401);
    expect((await get({ authorization: `Bearer ${await issuer.sign({ jti: 'other' })}` })).status).toBe(200);
    await control.start(control.port);
    await until(() => again.node.status() && control.statuses.some((status) => status.pid === process.pid), 'the node');
  });

  test('a document that trusts the bench is never served live', async () => {
    await publish(withRule({}));
    const document = withRule({});
    const bench = { ...document, providers: [...document.providers, providerFor('https://bench.example', { id: 'bench', draftOnly: true })] };
    control.send({ type: 'release', number: 900, hash: 'x', document: bench });
    const refused = await until(() => control.statuses.find((status) => status.refusedRelease?.number === 900), 'the refusal');
    expect(refused.refusedRelease?.reason).toMatch(/drafts only/);
    expect((await get({ authorization: `Bearer ${await issuer.sign()}` })).status).toBe(200);
  });
});

test('a secret for HS tokens is used for its provider alone', async () => {
  const secret = 'a shared secret of more than 32 bytes';
  const hs = providerFor('https://old.example', { id: 'h', name: 'Old', source: { kind: 'secret', secret: 'hs' }, algorithms: ['HS256'] });
  tell({ hs: secret });
  const document = withRule({ type: 'ANY_TYPE' });
  await publish({
    ...document,
    providers: [...document.providers, hs],
    apis: document.apis.map((api) => ({ ...api, schemes: api.schemes.map((scheme) => ({ ...scheme, providers: ['p', 'h'] })) })),
  });
  const sign = (iss: string) =>
    new SignJWT({ iss, aud: AUDIENCE, scope: 'read' }).setExpirationTime('5m').setProtectedHeader({ alg: 'HS256' }).sign(new TextEncoder().encode(secret));
  expect((await get({ authorization: `Bearer ${await sign('https://old.example')}` })).status).toBe(200);
  expect(await codeOf(await get({ authorization: `Bearer ${await sign(issuer.issuer)}` }))).toBe('token.algorithm-confused');
});
