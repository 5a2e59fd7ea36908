import fc from 'fast-check';
import { calculateJwkThumbprint, exportJWK, generateKeyPair, SignJWT, type CryptoKey, type JWK, type JWTPayload } from 'jose';
import { createPublicKey, generateKeyPairSync, sign as nodeSign, verify as nodeVerify } from 'node:crypto';
import { customFetch, validateJwtAccessToken, type AuthorizationServer } from 'oauth4webapi';
import { apiRule, AUDIENCE, ISSUER, makeProvider, operation, portsOf, releaseOf, requires, sha256, TestKeys, type TestProvider } from '../../test/support.js';
import type { CompiledRelease } from '../decision/compiled.js';
import { decide } from '../decision/decide.js';
import { Exchange } from '../decision/exchange.js';
import { tokenRule } from '../document/token-rule.js';
import { readKeySet } from '../provider/read-key-set.js';
import { compileRelease } from '../release/compile-release.js';
import { verifySignature } from './verify-signature.js';

/**
 * Second opinion: oauth4webapi decides RFC 9068 access tokens, with and without DPoP, as a resource server of its own.
 * Both must agree on every generated request. Its clock is the real one, so times are real here.
 */
const ORIGIN = 'https://gw.example';
const PATH = '/gates-api/gates';
let trust: TestProvider;
let stranger: TestProvider;
let release: CompiledRelease;
let holder: { key: CryptoKey; jwk: JWK; jkt: string };
let thief: typeof holder;

async function makeHolder(): Promise<typeof holder> {
  const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
  const jwk = await exportJWK(publicKey);
  return { key: privateKey, jwk, jkt: await calculateJwkThumbprint(jwk) };
}

beforeAll(async () => {
  trust = await makeProvider('trust');
  stranger = await makeProvider('trust');
  holder = await makeHolder();
  thief = await makeHolder();
  const api = apiRule({ token: tokenRule([AUDIENCE], { type: 'at+jwt' }), operations: [operation('GET', '/gates', requires('trust'))] });
  release = compileRelease(releaseOf([trust.rule], api), portsOf(new TestKeys(trust), Date.now));
});

interface Sent {
  readonly authorization: string;
  readonly dpop?: string;
}

async function theirs(sent: Sent): Promise<boolean> {
  const server: AuthorizationServer = { issuer: ISSUER, jwks_uri: `${ISSUER}/keys` };
  const request = new Request(ORIGIN + PATH, { headers: { ...sent } });
  const keySet = () => Promise.resolve(new Response(JSON.stringify({ keys: [trust.jwk] }), { headers: { 'content-type': 'application/json' } }));
  try {
    await validateJwtAccessToken(server, request, AUDIENCE, { [customFetch]: keySet });
    return true;
  } catch {
    return false;
  }
}

async function ours(sent: Sent): Promise<boolean> {
  return (await decide(release, new Exchange({ method: 'GET', target: PATH, headers: { ...sent }, origin: ORIGIN }))).kind === 'forward';
}

const mostly = <T>(good: T, ...bad: T[]) => fc.oneof({ weight: 9, arbitrary: fc.constant(good) }, { weight: 1, arbitrary: fc.constantFrom(...bad) });

test('both agree on a thousand generated requests, good and bad, with DPoP and without', async () => {
  const now = Math.floor(Date.now() / 1000);
  const claims = fc.record({
    iss: mostly<string>(ISSUER, `${ISSUER}/`, 'https://other.example'),
    aud: mostly<string | string[]>(AUDIENCE, [AUDIENCE, 'https://b.example'], 'https://b.example', ['https://b.example'], []),
    exp: mostly(now + 600, now - 600),
    iat: mostly(now - 10, now - 4000),
    nbf: fc.option(mostly(now - 10, now + 600), { nil: undefined, freq: 3 }),
    bound: fc.boolean(),
  });
  const typ = mostly<string | undefined>('at+jwt', 'application/at+jwt', 'AT+JWT', 'JWT', undefined);
  const proof = fc.record({
    sent: mostly(true, false),
    scheme: mostly('right', 'other'),
    mine: mostly(true, false),
    htm: mostly('GET', 'POST', 'get'),
    htu: mostly(ORIGIN + PATH, `${ORIGIN}${PATH}/x`, `https://other.example${PATH}`),
    /** Seconds from the moment of signing. */
    iat: mostly(0, -3600, 3600),
    ath: mostly('right', 'other', 'none'),
    typ: mostly('dpop+jwt', 'JWT'),
  });
  let [accepted, bound] = [0, 0];
  await fc.assert(
    fc.asyncProperty(claims, typ, proof, fc.integer({ min: 0, max: 14 }), async (payload, type, dpop, spoil) => {
      const { bound: isBound, ...fixed } = payload;
      const signer = spoil === 0 ? stranger : trust;
      const body: JWTPayload = { sub: 's', client_id: 'c', jti: 'j', ...fixed, ...(isBound ? { cnf: { jkt: holder.jkt } } : {}) };
      const signed = await signer.sign(body, { typ: type });
      const token = spoil === 1 ? signed.replace(/\.(.)/, (_all, first: string) => `.${first === 'e' ? 'f' : 'e'}`) : signed;
      const usesDpop = isBound === (dpop.scheme === 'right');
      const made = await makeProof(token, dpop);
      const sent: Sent = { authorization: `${usesDpop ? 'DPoP' : 'Bearer'} ${token}`, ...(usesDpop && dpop.sent ? { dpop: made } : {}) };
      const verdict = await ours(sent);
      if (verdict) accepted++;
      if (verdict && isBound) bound++;
      expect({ payload, type, dpop, spoil, accepted: verdict }).toEqual({ payload, type, dpop, spoil, accepted: await theirs(sent) });
    }),
    { numRuns: 1000 },
  );
  expect(accepted).toBeGreaterThan(150);
  expect(bound).toBeGreaterThan(40);
});

async function makeProof(token: string, wish: { mine: boolean; htm: string; htu: string; iat: number; ath: string; typ: string }): Promise<string> {
  const { key, jwk } = wish.mine ? holder : thief;
  const ath = wish.ath === 'none' ? {} : { ath: sha256(wish.ath === 'right' ? token : 'another token') };
  return new SignJWT({ jti: Math.random().toString(36).slice(2), htm: wish.htm, htu: wish.htu, iat: Math.floor(Date.now() / 1000) + wish.iat, ...ath })
    .setProtectedHeader({ typ: wish.typ, alg: 'ES256', jwk })
    .sign(key);
}

/** Second opinion on signatures: node:crypto signs and verifies on its own. */
describe('node:crypto and we agree on signatures', () => {
  const encode = (value: unknown): string => Buffer.from(JSON.stringify(value)).toString('base64url');
  const cases = [
    ['RS256', 'rsa', { modulusLength: 2048 }, 'sha256', {}],
    ['RS512', 'rsa', { modulusLength: 2048 }, 'sha512', {}],
    ['PS256', 'rsa', { modulusLength: 2048 }, 'sha256', { padding: 6, saltLength: 32 }],
    ['PS384', 'rsa', { modulusLength: 2048 }, 'sha384', { padding: 6, saltLength: 48 }],
    ['ES256', 'ec', { namedCurve: 'P-256' }, 'sha256', { dsaEncoding: 'ieee-p1363' }],
    ['ES384', 'ec', { namedCurve: 'P-384' }, 'sha384', { dsaEncoding: 'ieee-p1363' }],
    ['ES512', 'ec', { namedCurve: 'P-521' }, 'sha512', { dsaEncoding: 'ieee-p1363' }],
    ['EdDSA', 'ed25519', {}, null, {}],
  ] as const;

  test.each(cases)('%s', async (alg, type, options, hash, extra) => {
    const pair = generateKeyPairSync(type as 'rsa', options as { modulusLength: number });
    const jwk = pair.publicKey.export({ format: 'jwk' });
    const keys = (await readKeySet({ keys: [jwk] }))?.keys ?? [];
    const material = createPublicKey({ key: jwk, format: 'jwk' });
    const input = `${encode({ alg })}.${encode({ sub: 's' })}`;
    const signature = nodeSign(hash, Buffer.from(input), { key: pair.privateKey, ...extra });
    let agreed = 0;
    for (const spoil of [-1, 0, 5, signature.length - 1]) {
      const bytes = Buffer.from(signature);
      if (spoil >= 0) bytes[spoil] = (bytes[spoil] ?? 0) ^ 1;
      const other = nodeVerify(hash, Buffer.from(input), { key: material, ...extra }, bytes);
      const own = (await verifySignature(`${input}.${bytes.toString('base64url')}`, null, alg, keys)).outcome === 'valid';
      expect({ spoil, own }).toEqual({ spoil, own: other });
      if (own) agreed++;
    }
    expect(agreed).toBe(1);
  });
});
