import fc from 'fast-check';
import { base64url, exportJWK, generateKeyPair, SignJWT } from 'jose';
import { createHmac } from 'node:crypto';
import { AUDIENCE, goodClaims, ISSUER, makeProvider, NOW, SECONDS, TestKeys, verifierOf, type TestProvider } from '../../test/support.js';
import { tokenRule, type TokenRule } from '../document/token-rule.js';
import { readKey } from '../provider/read-key-set.js';
import type { Code, Finding } from '../verdict/codes.js';
import { checkClaims } from './check-claims.js';
import { TokenCache } from './token-cache.js';
import type { VerifiedToken } from './verified-token.js';
import { verifyToken } from './verify-token.js';

const RULE = tokenRule([AUDIENCE]);
let trust: TestProvider;
let other: TestProvider;
let keys: TestKeys;

beforeAll(async () => {
  trust = await makeProvider('trust');
  other = await makeProvider('other', 'https://other.example', 'ES256');
});
beforeEach(() => {
  keys = new TestKeys(trust, other);
});

const isFinding = (value: VerifiedToken | Finding): value is Finding => 'code' in value;

/** The code that a token ends with: of verification, of its claims, or null when it passes. */
async function judge(token: string, rule = RULE, now = NOW): Promise<Code | null> {
  const verified = await verifyToken(token, verifierOf(keys, trust.rule, other.rule));
  return isFinding(verified) ? verified.code : (checkClaims(verified, rule, now)?.code ?? null);
}

describe('a token of a trusted issuer', () => {
  test('passes when it is genuine, for this API, now', async () => {
    expect(await judge(await trust.sign(goodClaims()))).toBeNull();
    expect(await judge(await other.sign(goodClaims()))).toBeNull();
    expect(await judge(await trust.sign(goodClaims({ aud: ['https://elsewhere.example', AUDIENCE] })))).toBeNull();
  });

  test.each<[string, Record<string, unknown>, Code]>([
    ['no audience', { aud: undefined }, 'token.audience-missing'],
    ['another audience', { aud: 'https://elsewhere.example' }, 'token.audience-wrong'],
    ['an audience that begins alike', { aud: `${AUDIENCE}/` }, 'token.audience-wrong'],
    ['an audience that is a number', { aud: 7 }, 'token.claim-malformed'],
    ['expired', { exp: SECONDS - 31 }, 'token.expired'],
    ['expired by exactly the leeway', { exp: SECONDS - 30 }, 'token.expired'],
    ['no expiry', { exp: undefined }, 'token.expiry-missing'],
    ['expiry as text', { exp: `${SECONDS + 60}` }, 'token.claim-malformed'],
    ['expiry in milliseconds', { exp: (SECONDS + 60) * 1e6 }, 'token.claim-malformed'],
    ['not yet valid', { nbf: SECONDS + 31 }, 'token.not-yet-valid'],
    ['issued in the future', { iat: SECONDS + 31 }, 'token.issued-in-future'],
    ['another issuer', { iss: 'https://nobody.example' }, 'token.issuer-unknown'],
    ['the issuer with a slash at the end', { iss: `${ISSUER}/` }, 'token.issuer-slash'],
    ['no issuer', { iss: undefined }, 'token.issuer-missing'],
  ])('is refused with %s', async (_name, claims, code) => {
    expect(await judge(await trust.sign(goodClaims(claims)))).toBe(code);
  });

  test('may be off by less than the leeway', async () => {
    expect(await judge(await trust.sign(goodClaims({ exp: SECONDS - 29, nbf: SECONDS + 29, iat: SECONDS + 29 })))).toBeNull();
  });

  test('is asked for its explicit type where the API wants it (RFC 9068 section 4)', async () => {
    const rule: TokenRule = { ...RULE, type: 'at+jwt' };
    expect(await judge(await trust.sign(goodClaims()), rule)).toBeNull();
    expect(await judge(await trust.sign(goodClaims(), { typ: 'application/AT+JWT' }), rule)).toBeNull();
    expect(await judge(await trust.sign(goodClaims(), { typ: 'JWT' }), rule)).toBe('token.type-wrong');
  });
});

describe('an ID token in place of an access token is named', () => {
  test.each<[string, Record<string, unknown>]>([
    ['nonce', { nonce: 'n', aud: 'rider-tablet' }],
    ['at_hash', { at_hash: 'x', aud: 'rider-tablet' }],
    ['nonce, with the right audience', { nonce: 'n' }],
    ['azp equal to its audience', { azp: 'rider-tablet', aud: 'rider-tablet', client_id: undefined }],
    ['one audience in an array, equal to azp', { azp: 'rider-tablet', aud: ['rider-tablet'], client_id: undefined }],
  ])('by %s', async (_name, claims) => {
    expect(await judge(await trust.sign(goodClaims(claims), { typ: 'JWT' }))).toBe('token.id-token');
  });

  test('an access token with azp is not one', async () => {
    expect(await judge(await trust.sign(goodClaims({ azp: 'rider-tablet' }), { typ: 'JWT' }))).toBeNull();
  });
});

describe('keys belong to their issuer', () => {
  test('a token of one issuer never verifies with keys of another', async () => {
    const forged = await other.sign(goodClaims({ iss: ISSUER }), { kid: 'trust-1' });
    expect(await judge(forged)).toBe('token.algorithm-refused');
    const sameKind = await makeProvider('third', 'https://third.example');
    expect(await judge(await sameKind.sign(goodClaims({ iss: ISSUER }), { kid: 'trust-1' }))).toBe('token.signature-invalid');
  });

  test('a key carried or named by the token itself is never used (RFC 8725 section 3.10)', async () => {
    const { privateKey, publicKey } = await generateKeyPair('RS256', { extractable: true });
    const jwk = await crypto.subtle.exportKey('jwk', publicKey);
    for (const header of [{ jwk }, { jku: 'https://evil.example/keys', kid: 'evil' }, { x5u: 'https://evil.example/cert' }]) {
      const token = await new SignJWT(goodClaims({ iss: ISSUER })).setProtectedHeader({ alg: 'RS256', ...header }).sign(privateKey);
      expect(['token.signature-invalid', 'token.key-unknown']).toContain(await judge(token));
    }
  });

  test('a public RSA key is no HMAC secret (RFC 8725 section 2.1)', async () => {
    const head = base64url.encode(JSON.stringify({ alg: 'HS256', kid: 'trust-1', typ: 'at+jwt' }));
    const body = base64url.encode(JSON.stringify(goodClaims({ iss: ISSUER })));
    const mac = createHmac('sha256', String(trust.jwk.n)).update(`${head}.${body}`).digest('base64url');
    expect(await judge(`${head}.${body}.${mac}`)).toBe('token.algorithm-confused');
  });

  test.each(['none', 'None', 'NONE', 'nOnE'])('alg %s is refused as unsigned', async (alg) => {
    const [, body = ''] = (await trust.sign(goodClaims())).split('.');
    expect(await judge(`${base64url.encode(JSON.stringify({ alg }))}.${body}.`)).toBe('token.algorithm-none');
  });

  test('critical extensions are refused (RFC 7515 section 4.1.11)', async () => {
    const [, body = '', signature = ''] = (await trust.sign(goodClaims())).split('.');
    expect(await judge(`${base64url.encode(JSON.stringify({ alg: 'RS256', crit: ['exp'], exp: 1 }))}.${body}.${signature}`)).toBe('token.critical-header');
  });
});

describe('rotation and outages', () => {
  test('an unknown kid asks the provider once, and the new key is used', async () => {
    const rotated = await makeProvider('trust');
    keys.onRefetch = () => keys.set('trust', rotated.key);
    keys.set('trust', { ...trust.key, kid: 'old' });
    expect(await judge(await rotated.sign(goodClaims()))).toBeNull();
    expect(keys.refetches).toBe(1);
  });

  test('a known kid with a bad signature asks once: a provider may put a new key under an old name', async () => {
    const third = await makeProvider('trust');
    expect(await judge(await third.sign(goodClaims()))).toBe('token.signature-invalid');
    expect(keys.refetches).toBe(1);
    keys.onRefetch = () => keys.set('trust', third.key);
    expect(await judge(await third.sign(goodClaims()))).toBeNull();
  });

  test('a token without kid is tried with every key that fits', async () => {
    const many = await Promise.all(Array.from({ length: 12 }, () => makeProvider('trust')));
    keys.set('trust', ...many.map((provider) => provider.key));
    expect(await judge(await (many[11] as TestProvider).sign(goodClaims(), { kid: undefined }))).toBeNull();
  });

  test.each(['EdDSA', 'Ed25519'])('a key that names %s serves both names (RFC 9864 section 2.2)', async (named) => {
    const { privateKey, publicKey } = await generateKeyPair('Ed25519', { extractable: true });
    const key = await readKey({ ...(await exportJWK(publicKey)), kid: 'e', alg: named });
    const verifier = verifierOf(keys, { ...trust.rule, algorithms: ['EdDSA', 'Ed25519'] });
    if (key) keys.set('trust', key);
    for (const alg of ['EdDSA', 'Ed25519']) {
      const token = await new SignJWT(goodClaims({ iss: ISSUER })).setProtectedHeader({ alg, kid: 'e' }).sign(privateKey);
      expect(await verifyToken(token, verifier)).toMatchObject({ algorithm: alg });
    }
  });

  test('no keys at all fails closed with a code of its own', async () => {
    keys.set('trust');
    expect(await judge(await trust.sign(goodClaims()))).toBe('token.keys-unavailable');
  });
});

describe('hostile spellings', () => {
  const encode = (text: string) => base64url.encode(text);

  test.each<[string, (token: string) => string, Code]>([
    ['opaque', () => 'b64-opaque-reference', 'token.opaque'],
    ['cut', (token) => token.slice(0, token.lastIndexOf('.')), 'token.cut'],
    ['five parts that are no JWE', () => 'a.b.c.d.e', 'token.opaque'],
    ['a JWE', (token) => `${token}.b.c`, 'token.encrypted'],
    ['padding', (token) => `${token}=`, 'token.malformed'],
    ['a blank inside', (token) => token.replace('.', '. '), 'token.malformed'],
    ['too long', () => `${'a'.repeat(20_000)}.b.c`, 'token.too-long'],
    ['a header that is an array', (token) => [encode('[]'), ...token.split('.').slice(1)].join('.'), 'token.opaque'],
    ['a repeated member', (token) => [encode('{"alg":"RS256","alg":"none"}'), ...token.split('.').slice(1)].join('.'), 'token.duplicate-member'],
    [
      'a repeated member in escapes',
      (token) => [encode('{"alg":"RS256","\\u0061lg":"none"}'), ...token.split('.').slice(1)].join('.'),
      'token.duplicate-member',
    ],
    ['deep nesting', (token) => [token.split('.')[0], encode(`{"a":${'['.repeat(40)}${']'.repeat(40)}}`), token.split('.')[2]].join('.'), 'token.too-deep'],
  ])('%s', async (_name, spoil, code) => {
    expect(await judge(spoil(await trust.sign(goodClaims())))).toBe(code);
  });

  test('no token with a flipped bit passes', async () => {
    const tokens = await Promise.all([trust.sign(goodClaims()), other.sign(goodClaims())]);
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...tokens), fc.nat(), fc.integer({ min: 0, max: 6 }), async (token, place, bit) => {
        const at = place % token.length;
        const flipped = token.slice(0, at) + String.fromCharCode(token.charCodeAt(at) ^ (1 << bit)) + token.slice(at + 1);
        expect(await judge(flipped)).not.toBeNull();
      }),
      { numRuns: 600 },
    );
  });

  test('every other last character of a signature is refused, though some decode to the same bytes', async () => {
    const token = await trust.sign(goodClaims());
    for (const character of 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_') {
      if (token.endsWith(character)) continue;
      expect(await judge(token.slice(0, -1) + character)).not.toBeNull();
    }
  });
});

describe('the cache of verified tokens', () => {
  const held = async (): Promise<VerifiedToken> => {
    const verified = await verifyToken(await trust.sign(goodClaims()), verifierOf(keys, trust.rule));
    if (isFinding(verified)) throw new Error(verified.code);
    return verified;
  };

  test('gives equal rules one object, and rules that differ in anything two', () => {
    const cache = new TokenCache();
    const rule = cache.ruleOf(trust.rule);
    expect(cache.ruleOf(JSON.parse(JSON.stringify(trust.rule)) as typeof rule)).toBe(rule);
    expect(cache.ruleOf({ ...rule, leewaySeconds: rule.leewaySeconds + 1 })).not.toBe(rule);
  });

  test('forgets at expiry, when keys change, and beyond its size', async () => {
    const token = await held();
    const cache = new TokenCache(2);
    const generation = () => true;
    cache.keep('a', token, NOW);
    expect(cache.find('a', NOW, generation)).toBe(token);
    expect(cache.find('a', NOW, () => false)).toBeNull();
    cache.keep('a', token, NOW);
    // The largest leeway that a rule may allow counts here; the checks of each request look at the times again.
    expect(cache.find('a', NOW + 899_000, generation)).toBe(token);
    expect(cache.find('a', NOW + 900_000, generation)).toBeNull();
    for (const name of ['a', 'b', 'c']) cache.keep(name, token, NOW);
    expect(cache.size).toBe(2);
    expect(cache.find('a', NOW, generation)).toBeNull();
  });
});
