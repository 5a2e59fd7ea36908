import fc from 'fast-check';
import { calculateJwkThumbprint, exportJWK, generateKeyPair, SignJWT, type CryptoKey, type JWK } from 'jose';
import { NOW, SECONDS, sha256 } from '../../test/support.js';
import { readConfirmation } from './confirmation.js';
import { DPOP_WINDOW, verifyProof, type ProofFacts } from './dpop-proof.js';
import { LocalReplayMemory } from './replay-memory.js';
import { sameTarget } from './same-target.js';

const TOKEN = 'the.access.token';
const URL_ASKED = 'https://gw.example/gates/G-1';
let privateKey: CryptoKey;
let jwk: JWK;
let facts: ProofFacts;

beforeAll(async () => {
  const pair = await generateKeyPair('ES256', { extractable: true });
  privateKey = pair.privateKey;
  jwk = await exportJWK(pair.publicKey);
  facts = { method: 'POST', url: URL_ASKED, thumbprint: await calculateJwkThumbprint(jwk), tokenHash: sha256(TOKEN), nowMs: NOW, acceptsNonce: null };
});

const good = () => ({ jti: 'one', htm: 'POST', htu: URL_ASKED, iat: SECONDS, ath: sha256(TOKEN) });
const sign = (claims: Record<string, unknown> = {}, header: Record<string, unknown> = {}, key: CryptoKey = privateKey) =>
  new SignJWT({ ...good(), ...claims }).setProtectedHeader({ typ: 'dpop+jwt', alg: 'ES256', jwk, ...header }).sign(key);
const codeOf = async (proof: string, change: Partial<ProofFacts> = {}): Promise<string> => {
  const result = await verifyProof(proof, { ...facts, ...change });
  return 'code' in result ? result.code : 'genuine';
};

/** RFC 9449 section 4.3; its text and values are from memory. */
describe('a DPoP proof', () => {
  test('that is genuine, fresh and for this request passes', async () => {
    expect(await verifyProof(await sign(), facts)).toMatchObject({ algorithm: 'ES256', jti: 'one', thumbprint: facts.thumbprint });
  });

  test.each<[string, Record<string, unknown>, Record<string, unknown>, string]>([
    ['another type', {}, { typ: 'JWT' }, 'proof.malformed'],
    ['no key', {}, { jwk: undefined }, 'proof.malformed'],
    ['another method', { htm: 'GET' }, {}, 'proof.method'],
    ['the method in small letters', { htm: 'post' }, {}, 'proof.method'],
    ['another path', { htu: 'https://gw.example/gates/G-2' }, {}, 'proof.target'],
    ['another host', { htu: 'https://other.example/gates/G-1' }, {}, 'proof.target'],
    ['http for https', { htu: 'http://gw.example/gates/G-1' }, {}, 'proof.target'],
    ['no address', { htu: 7 }, {}, 'proof.target'],
    ['no id', { jti: undefined }, {}, 'proof.malformed'],
    ['an id too long', { jti: 'x'.repeat(DPOP_WINDOW.maxJti + 1) }, {}, 'proof.malformed'],
    ['no time', { iat: undefined }, {}, 'proof.malformed'],
    ['a life that is over', { exp: SECONDS }, {}, 'proof.malformed'],
    ['a life that cannot be read', { exp: 'soon' }, {}, 'proof.malformed'],
    ['a life that has not begun', { nbf: SECONDS + 60 }, {}, 'proof.malformed'],
    ['too old', { iat: SECONDS - DPOP_WINDOW.pastSeconds - 1 }, {}, 'proof.time'],
    ['of the future', { iat: SECONDS + DPOP_WINDOW.futureSeconds + 1 }, {}, 'proof.time'],
    ['no token', { ath: undefined }, {}, 'proof.token'],
    ['another token', { ath: sha256('another') }, {}, 'proof.token'],
  ])('with %s is refused', async (_name, claims, header, code) => {
    const proof =
      header['jwk'] === undefined && 'jwk' in header
        ? await new SignJWT(good()).setProtectedHeader({ typ: 'dpop+jwt', alg: 'ES256' }).sign(privateKey)
        : await sign(claims, header);
    expect(await codeOf(proof)).toBe(code);
  });

  test.each<[string, Record<string, unknown>]>([
    ['is for another algorithm', { alg: 'ES384' }],
    ['names no algorithm that there is', { alg: null }],
    ['is for encryption', { use: 'enc' }],
    ['is for signing only', { key_ops: ['sign'] }],
  ])('with a key that %s is refused', async (_name, change) => expect(await codeOf(await sign({}, { jwk: { ...jwk, ...change } }))).toBe('proof.malformed'));

  test('may say more than it must: its key’s use, its own life, its media type in full', async () => {
    const more = { jwk: { ...jwk, alg: 'ES256', use: 'sig', key_ops: ['verify'] }, typ: 'application/DPoP+JWT' };
    expect(await codeOf(await sign({ exp: SECONDS + 30, nbf: SECONDS }, more))).toBe('genuine');
  });

  test('may be slow by the window and fast by a little', async () => {
    expect(await codeOf(await sign({ iat: SECONDS - DPOP_WINDOW.pastSeconds + 1 }))).toBe('genuine');
    expect(await codeOf(await sign({ iat: SECONDS + DPOP_WINDOW.futureSeconds - 1 }))).toBe('genuine');
  });

  test('of another key is refused, with its own key and with the first one’s', async () => {
    const stranger = await generateKeyPair('ES256', { extractable: true });
    const own = await exportJWK(stranger.publicKey);
    expect(await codeOf(await sign({}, { jwk: own }, stranger.privateKey))).toBe('proof.key');
    expect(await codeOf(await sign({}, {}, stranger.privateKey))).toBe('proof.signature');
  });

  test('that carries its private key, a symmetric or a short one is refused', async () => {
    expect(await codeOf(await sign({}, { jwk: await exportJWK(privateKey) }))).toBe('proof.malformed');
    const secret = new TextEncoder().encode('x'.repeat(32));
    const hmac = await new SignJWT(good()).setProtectedHeader({ typ: 'dpop+jwt', alg: 'HS256', jwk }).sign(secret);
    expect(await codeOf(hmac)).toBe('proof.algorithm');
    const head = Buffer.from(JSON.stringify({ typ: 'dpop+jwt', alg: 'none', jwk })).toString('base64url');
    expect(await codeOf(`${head}.${Buffer.from(JSON.stringify(good())).toString('base64url')}.`)).toBe('proof.algorithm');
  });

  test('needs a nonce of ours where one is asked for (section 9)', async () => {
    const acceptsNonce = (nonce: string) => nonce === 'n-1';
    expect(await codeOf(await sign(), { acceptsNonce })).toBe('proof.nonce');
    expect(await codeOf(await sign({ nonce: 'n-0' }), { acceptsNonce })).toBe('proof.nonce');
    expect(await codeOf(await sign({ nonce: 'n-1' }), { acceptsNonce })).toBe('genuine');
  });

  test('what is no proof at all is named so', async () => {
    for (const text of ['', 'x', 'a.b.c', 'a.b.c.d.e', 'x'.repeat(DPOP_WINDOW.maxLength + 1)]) expect(await codeOf(text)).toBe('proof.malformed');
  });

  test('with any bit flipped is refused', async () => {
    const proof = await sign();
    await fc.assert(
      fc.asyncProperty(fc.nat(proof.length - 1), fc.integer({ min: 0, max: 5 }), async (at, bit) => {
        const alphabet = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_';
        const index = alphabet.indexOf(proof.charAt(at));
        if (index < 0) return;
        const flipped = proof.slice(0, at) + (alphabet[index ^ (1 << bit)] ?? 'A') + proof.slice(at + 1);
        expect(await codeOf(flipped)).not.toBe('genuine');
      }),
      { numRuns: 150 },
    );
  });
});

describe('the address of a proof (RFC 9449 section 4.3 point 9, RFC 3986 section 6.2)', () => {
  test.each([
    ['https://GW.example/gates/G-1', true],
    ['HTTPS://gw.example:443/gates/G-1', true],
    ['https://gw.example/gates/G-1?x=1', true],
    ['https://gw.example/gates/G-1#top', true],
    ['https://gw.example/gates/%47-1', true],
    ['https://gw.example/a/../gates/G-1', true],
    ['https://gw.example/gates/g-1', false],
    ['https://gw.example/gates/G-1/', false],
    ['https://gw.example/gates%2FG-1', false],
    ['https://user@gw.example/gates/G-1', false],
    ['gw.example/gates/G-1', false],
  ])('%s', (htu, same) => expect(sameTarget(htu, URL_ASKED)).toBe(same));
});

describe('the memory of used proofs', () => {
  test('knows a proof for its time, whatever else comes', () => {
    const memory = new LocalReplayMemory(0, 1000, 100);
    expect(memory.see('a', 0, 1000, 0)).toBe('new');
    expect(memory.see('a', 0, 1000, 10)).toBe('used');
    for (let index = 0; index < 50; index++) memory.see(`x${index}`, 0, 1000 + index, index);
    expect(memory.see('a', 0, 1000, 999)).toBe('used');
    expect(memory.see('a', 0, 3000, 2500)).toBe('new');
  });

  test('refuses everything when it is full, rather than forget (fail closed)', () => {
    const memory = new LocalReplayMemory(0, 1000, 3);
    for (const key of ['a', 'b', 'c']) expect(memory.see(key, 0, 900, 0)).toBe('new');
    expect(memory.see('d', 0, 900, 1)).toEqual({ unknowable: expect.stringContaining('3 proofs') as string });
    expect(memory.see('d', 0, 5000, 4000)).toBe('new');
  });

  test('cannot tell of proofs from before it began', () => {
    const memory = new LocalReplayMemory(500, 1000);
    expect(memory.see('a', 499, 900, 600)).toEqual({ unknowable: expect.stringContaining('began') as string });
    expect(memory.see('a', 500, 900, 600)).toBe('new');
  });
});

test('what a token is bound to (RFC 7800 section 3.1, RFC 8705 section 3.1, RFC 9449 section 6.1)', () => {
  expect(readConfirmation({})).toBeNull();
  expect(readConfirmation({ cnf: { jkt: 'a' } })).toEqual({ jkt: 'a', certificate: null, unknown: [] });
  expect(readConfirmation({ cnf: { 'x5t#S256': 'b', jkt: 'a' } })).toEqual({ jkt: 'a', certificate: 'b', unknown: [] });
  expect(readConfirmation({ cnf: { jwk: {} } })?.unknown).toEqual(['jwk']);
  for (const cnf of [{}, null, [], '', { jkt: '' }, { 'x5t#S256': null }, { jkt: 'a', extra: 1 }]) expect(readConfirmation({ cnf })?.unknown).toHaveLength(1);
  expect(readConfirmation({ cnf: { jkt: 7 } })?.unknown).toEqual(['jkt']);
  expect(readConfirmation({ cnf: 'a' })?.unknown).toHaveLength(1);
});
