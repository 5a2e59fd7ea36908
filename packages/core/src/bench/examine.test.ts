import { exportJWK, generateKeyPair, type JWTPayload } from 'jose';
import {
  apiRule,
  AUDIENCE,
  goodClaims,
  ISSUER,
  makeProvider,
  NOW,
  operation,
  portsOf,
  releaseOf,
  requires,
  SECONDS,
  sha256,
  TestKeys,
  type TestProvider,
} from '../../test/support.js';
import { Directory } from '../directory/directory.js';
import type { TokenOverride } from '../document/token-rule.js';
import { compileRelease } from '../release/compile-release.js';
import { entryOf, type Code } from '../verdict/codes.js';
import { explain } from '../verdict/explain.js';
import { Revocations } from '../token/revocations.js';
import { examine } from './examine.js';
import { tamper } from './tamper.js';

let trust: TestProvider;
beforeAll(async () => {
  trust = await makeProvider('trust');
});

async function ask(credential: string, token: TokenOverride | null = null, headers: Record<string, string> = {}, revocations = new Revocations()) {
  const rule = { ...operation('GET', '/gates/{gateId}', requires('trust', 'gates:read')), token };
  const release = compileRelease(
    releaseOf([trust.rule], apiRule({ operations: [rule] })),
    portsOf(new TestKeys(trust), () => NOW, { revocations: () => revocations }),
  );
  const [compiled] = release.apis[0]?.operations ?? [];
  if (!compiled) throw new Error('there is an operation');
  return examine(release, { credential, operation: compiled, basePath: '/gates-api', headers, origin: 'https://gw.example', certificate: null, key: null });
}

describe('a key that goes along', () => {
  const held = new Directory([
    { what: 'client', id: 'a', value: { id: 'a', name: 'Meter site', enabled: true, roles: [], metadata: {} } },
    {
      what: 'credential',
      id: 'k',
      value: { id: 'k', clientId: 'a', kind: 'key', name: 'site', lookup: sha256('the-key'), digest: null, expiresAt: null, revokedAt: null },
    },
  ]);
  const place = { kind: 'query', name: 'key', scheme: null } as const;
  const keyScheme = { name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place } as const;
  const needs = (scheme: string) => ({ scheme, scopes: [], match: 'all' as const, roles: [] });

  async function askBoth(credential: string, key: string | null) {
    const { schemes } = apiRule();
    const access = { kind: 'required', origin: 'hand', alternatives: [[needs('trust'), needs('key')]] } as const;
    const api = apiRule({ schemes: [...schemes, keyScheme], operations: [operation('GET', '/gates/{gateId}', access)] });
    const release = compileRelease(
      releaseOf([trust.rule], api),
      portsOf(new TestKeys(trust), () => NOW, { directory: () => held }),
    );
    const [compiled] = release.apis[0]?.operations ?? [];
    if (!compiled) throw new Error('there is an operation');
    const found = await examine(release, {
      credential,
      operation: compiled,
      basePath: '/gates-api',
      headers: {},
      origin: 'https://gw.example',
      certificate: null,
      key,
    });
    const codes = (id: string) => found.checks.filter((check) => check.id === id).map((check) => check.finding.code);
    return {
      verdict: found.verdict.code,
      key: codes('key'),
      rights: codes('rights'),
      decides: found.checks.filter((check) => check.decides).map(({ id }) => id),
    };
  }

  test('is held against the operation beside the token, each told for itself', async () => {
    const token = await trust.sign(goodClaims());
    const old = await trust.sign(goodClaims({ exp: SECONDS - 300 }));
    expect(await askBoth(token, 'the-key')).toEqual({ verdict: 'rights.sufficient', key: ['key.known'], rights: ['rights.sufficient'], decides: [] });
    expect(await askBoth(token, 'another')).toMatchObject({ verdict: 'key.unknown', key: ['key.unknown'], decides: ['key'] });
    expect(await askBoth(token, null)).toMatchObject({ verdict: 'rights.credential-missing', key: ['key.not-sent'], decides: ['rights'] });
    expect(await askBoth(old, 'the-key')).toMatchObject({ verdict: 'token.expired', key: ['key.known'], decides: ['expiry'] });
    expect(await askBoth(old, 'another')).toMatchObject({ verdict: 'token.expired', key: ['key.unknown'], decides: ['expiry'] });
  });
});

const encode = (value: unknown): string => Buffer.from(JSON.stringify(value)).toString('base64url');

/** The commonest mistakes, each with the sentence that must name it and what to do (common practice). */
describe('the twenty commonest mistakes get a sentence that says what they are', () => {
  const mistakes: [string, () => Promise<string> | string, Code, RegExp, (TokenOverride | null)?][] = [
    ['ID token', () => trust.sign(goodClaims({ nonce: 'n', aud: 'rider-tablet' }), { typ: 'JWT' }), 'token.id-token', /ID token/],
    ['wrong audience', () => trust.sign(goodClaims({ aud: 'https://other.example' })), 'token.audience-wrong', /issued for https:\/\/other/],
    ['expired', () => trust.sign(goodClaims({ exp: SECONDS - 300 })), 'token.expired', /expired 5 min ago/],
    ['clock off', () => trust.sign(goodClaims({ iat: SECONDS + 120, nbf: undefined })), 'token.issued-in-future', /from now/],
    ['another environment’s issuer', () => trust.sign(goodClaims({ iss: 'https://staging.example' })), 'token.issuer-unknown', /staging\.example/],
    ['rotated key', () => trust.sign(goodClaims(), { kid: 'trust-0' }), 'token.key-unknown', /key trust-0/],
    ['slash at the end of the issuer', () => trust.sign(goodClaims({ iss: `${ISSUER}/` })), 'token.issuer-slash', /slash/],
    ['missing scope', () => trust.sign(goodClaims({ scope: 'readings:read' })), 'rights.scope-missing', /lacks the scope gates:read/],
    ['scope in another claim', () => trust.sign(goodClaims({ scope: undefined, permissions: ['gates:read'] })), 'rights.scope-missing', /lacks/],
    [
      'HS for RS',
      () => `${encode({ alg: 'HS256', kid: 'trust-1' })}.${encode(goodClaims({ iss: ISSUER }))}.${'A'.repeat(43)}`,
      'token.algorithm-confused',
      /shared-secret/,
    ],
    ['opaque where a JWT is expected', () => 'OPX9uEqrZKyPQXQIcSgLbga8YEfgWbb0XMEg2N6tdGn', 'token.opaque', /not a JWT/],
    ['doubled Bearer', async () => `Bearer ${await trust.sign(goodClaims())}`, 'credential.malformed', /stands twice/],
    ['quoted', async () => `"${await trust.sign(goodClaims())}"`, 'credential.malformed', /in quotes/],
    ['cut', async () => (await trust.sign(goodClaims())).split('.').slice(0, 2).join('.'), 'token.cut', /cut off/],
    ['line break inside', async () => (await trust.sign(goodClaims())).replace('.', '.\n'), 'credential.malformed', /white space|line break/],
    ['wrong typ', () => trust.sign(goodClaims(), { typ: 'JWT' }), 'token.type-wrong', /typ JWT/, { type: 'at+jwt' }],
    ['token bound to a key, sent as Bearer', () => trust.sign(goodClaims({ cnf: { jkt: 'x'.repeat(43) } })), 'proof.bound-as-bearer', /sent as Bearer/],
    [
      'step-up missing',
      () => trust.sign(goodClaims({ acr: 'password' })),
      'claims.step-up',
      /strength password/,
      { stepUp: { acrValues: ['key'], maxAgeSeconds: null } },
    ],
  ];

  test.each(mistakes)('%s', async (_name, make, code, words, token = null) => {
    const found = await ask(await make(), token);
    expect(found.verdict.code).toBe(code);
    const said = explain(found.verdict.code, found.verdict.operands);
    expect(said?.sentence).toMatch(words);
    expect(said?.remedy.length).toBeGreaterThan(20);
    expect(said?.standard).not.toBe('');
    expect(found.checks.filter((check) => check.decides).map((check) => check.finding.code)).toEqual([code]);
  });

  test('no kid: the keys that fit are tried, and a stranger’s signature is still refused', async () => {
    expect((await ask(await trust.sign(goodClaims(), { kid: undefined }))).verdict.code).toBe('rights.sufficient');
  });

  test('revoked', async () => {
    const entry = { id: 'r', kind: 'subject', providerId: 'trust', value: 'rider.north', issuedBefore: null, reason: 'tablet lost' } as const;
    const found = await ask(await trust.sign(goodClaims()), null, {}, new Revocations([entry]));
    expect(found.verdict.code).toBe('claims.revoked');
    expect(explain(found.verdict.code, found.verdict.operands)?.sentence).toContain('tablet lost');
  });

  test('token in the query', async () => {
    const found = await ask(await trust.sign(goodClaims()), { places: [{ kind: 'query', name: 'access_token' }] });
    expect(found.verdict.code).toBe('rights.sufficient');
    const stray = await ask('', null);
    expect(stray.verdict.code).toBe('credential.malformed');
  });
});

describe('an examination', () => {
  test('runs every check, though the first already decided, by the codes of the gateway', async () => {
    const { checks, verdict, token } = await ask(await trust.sign(goodClaims({ aud: 'https://other.example', exp: SECONDS - 300, scope: 'x' })));
    expect(verdict.code).toBe('token.audience-wrong');
    const refused = checks.filter((check) => entryOf(check.finding.code).says === 'fails').map((check) => check.finding.code);
    expect(refused).toEqual(['token.audience-wrong', 'token.expired', 'rights.scope-missing']);
    expect(checks.map((check) => check.id)).toEqual([
      'form',
      'signed',
      'critical-header',
      'issuer',
      'algorithm',
      'signature',
      'provider',
      'provider-algorithm',
      'kind',
      'type',
      'audience',
      'expiry',
      'not-before',
      'issued-at',
      'identity',
      'proof',
      'revoked',
      'client-off',
      'rights',
    ]);
    expect(token?.principal).toMatchObject({ subject: 'rider.north', scopes: ['x'] });
  });

  test('of a token that nobody vouches for still reads it, and says that no key was chosen', async () => {
    const { checks, token } = await ask(await trust.sign(goodClaims({ iss: 'https://nobody.example' })));
    expect(checks.find((check) => check.id === 'signature')?.finding.code).toBe('bench.check-unknown');
    expect(checks.find((check) => check.id === 'audience')?.finding.code).toBe('bench.check-passed');
    expect(token?.principal).toMatchObject({ issuer: 'https://nobody.example', subject: 'rider.north' });
  });

  test('passes where the gateway passes, with what was compared', async () => {
    const { checks, verdict } = await ask(await trust.sign(goodClaims()));
    expect(entryOf(verdict.code).says).toBe('meets');
    expect(checks.every((check) => entryOf(check.finding.code).says !== 'fails' && !check.decides)).toBe(true);
    expect(checks.find((check) => check.id === 'audience')?.finding.operands).toMatchObject({ wanted: AUDIENCE, found: AUDIENCE });
  });
});

describe('tampering', () => {
  const tools = async (own: boolean) => ({
    publicKey: trust.jwk,
    nowSeconds: SECONDS,
    sign: own
      ? (header: Readonly<Record<string, unknown>>, claims: Readonly<Record<string, unknown>>) =>
          trust.sign(JSON.parse(JSON.stringify(claims)) as JWTPayload, header)
      : null,
  });

  test.each([
    ['with the issuer’s key at hand', true],
    ['with the old signature', false],
  ])('%s: every variant is stopped by the check that it is meant for', async (_name, own) => {
    const variants = (await tamper(await trust.sign(goodClaims()), await tools(own))) ?? [];
    expect(variants.length).toBeGreaterThan(28);
    expect(new Set(variants.map((variant) => variant.id)).size).toBe(variants.length);
    const wrong: string[] = [];
    for (const { id, token, expected } of variants) {
      const { verdict } = await ask(token);
      if (entryOf(verdict.code).says !== 'fails' || !expected.includes(verdict.code)) wrong.push(`${id}: ${verdict.code}, expected ${expected.join(' or ')}`);
    }
    expect(wrong).toEqual([]);
  });

  test('each variant differs from the token, and what is no JWT gives none', async () => {
    const token = await trust.sign(goodClaims());
    for (const variant of (await tamper(token, await tools(true))) ?? []) expect(variant.token).not.toBe(token);
    expect(await tamper('opaque-token', await tools(true))).toBeNull();
  });

  test('a stranger’s own key does not help, whatever header names it', async () => {
    const { publicKey } = await generateKeyPair('RS256', { extractable: true });
    const variants = (await tamper(await trust.sign(goodClaims()), { ...(await tools(false)), publicKey: await exportJWK(publicKey) })) ?? [];
    for (const { token } of variants) expect(entryOf((await ask(token)).verdict.code).says).toBe('fails');
  });
});
