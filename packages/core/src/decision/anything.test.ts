import fc from 'fast-check';
import {
  apiRule,
  AUDIENCE,
  goodClaims,
  makeProvider,
  NOW,
  operation,
  portsOf,
  providerRule,
  releaseOf,
  requires,
  TestKeys,
  type TestProvider,
} from '../../test/support.js';
import type { OpaqueSource } from '../document/provider-rule.js';
import { tokenRule } from '../document/token-rule.js';
import { verifyProof } from '../proof/dpop-proof.js';
import { compileClaimMap } from '../provider/compile-claim-map.js';
import { compileFindUnread } from '../provider/unread-claims.js';
import { readKeySet } from '../provider/read-key-set.js';
import { compileRelease } from '../release/compile-release.js';
import { readIntrospection, type OpaqueProvider } from '../token/introspection.js';
import { openEncrypted, readOpeningKeys } from '../token/open-encrypted.js';
import { readToken } from '../token/read-token.js';
import { CODES, entryOf, isCode, type Finding } from '../verdict/codes.js';
import { explain } from '../verdict/explain.js';
import { answerOf } from './answer.js';
import type { CompiledRelease } from './compiled.js';
import { decide } from './decide.js';
import { Exchange } from './exchange.js';

/** Whatever comes in, a code comes out: nothing throws, nothing passes that should not, and nothing breaks an answer. */
let trust: TestProvider;
let release: CompiledRelease;
const encode = (value: unknown): string => Buffer.from(JSON.stringify(value)).toString('base64url');

beforeAll(async () => {
  trust = await makeProvider('trust');
  const rule = tokenRule([AUDIENCE], {
    places: [
      { kind: 'header', name: 'authorization', scheme: 'Bearer' },
      { kind: 'cookie', name: 'at' },
    ],
    stepUp: { acrValues: ['key'], maxAgeSeconds: 60 },
    claims: [{ path: '/a/b', values: ['x'] }],
  });
  const api = apiRule({ token: rule, operations: [operation('GET', '/gates', requires('trust', 'gates:read'))] });
  release = compileRelease(releaseOf([trust.rule], api), portsOf(new TestKeys(trust)));
});

const ask = async (headers: Record<string, string>, target = '/gates-api/gates') => {
  const exchange = new Exchange({ method: 'GET', target, headers, origin: 'https://gw.example' });
  const { kind, finding } = await decide(release, exchange);
  return { kind, finding, exchange };
};

const hostileText = fc.oneof(
  fc.string(),
  fc.string({ unit: 'binary' }),
  fc.constantFrom('', ' ', '\r\n', '"', '\\', '\u0000', 'Bearer', 'DPoP ', 'eyJ', '..', '...', 'a.b.c', '{}'),
);

describe('requests', () => {
  test('with any credential header, cookie and query end in a known refusal', async () => {
    await fc.assert(
      fc.asyncProperty(hostileText, hostileText, hostileText, async (authorization, cookie, query) => {
        const { kind, finding } = await ask({ authorization, cookie, dpop: query }, `/gates-api/gates?${encodeURIComponent(query)}`);
        expect([kind, isCode(finding.code), finding.code === 'gateway.fault']).toEqual(['answer', true, false]);
      }),
      { numRuns: 400 },
    );
  });

  test('with any header and payload under a genuine-looking form end in a known refusal', async () => {
    await fc.assert(
      fc.asyncProperty(fc.jsonValue(), fc.jsonValue(), fc.base64String(), async (header, claims, signature) => {
        const token = `${encode(header)}.${encode(claims)}.${signature.replace(/[+/=]/g, '')}`;
        const { kind, finding } = await ask({ authorization: `Bearer ${token}` });
        expect([kind, finding.code === 'gateway.fault']).toEqual(['answer', false]);
      }),
      { numRuns: 400 },
    );
  });

  test('with any claims that were really signed are decided without a fault', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.dictionary(
          fc.constantFrom('aud', 'exp', 'nbf', 'iat', 'sub', 'scope', 'scp', 'roles', 'acr', 'auth_time', 'cnf', 'a', 'jti', 'client_id', 'kind', 'part'),
          fc.jsonValue(),
        ),
        async (claims) => {
          const { finding } = await ask({ authorization: `Bearer ${await trust.sign({ ...goodClaims(), ...(claims as object) })}` });
          expect(finding.code).not.toBe('gateway.fault');
        },
      ),
      { numRuns: 200 },
    );
  });
});

describe('what is read', () => {
  const source: OpaqueSource = {
    kind: 'userinfo',
    endpoint: 'https://p.example/me',
    positiveSeconds: 60,
    negativeSeconds: 5,
    timeoutMs: 100,
    impliedAudience: null,
  };
  const asked = providerRule({ id: 'o', source }) as OpaqueProvider;

  test('tokens, proofs and encrypted tokens: any text', async () => {
    const keys = readOpeningKeys(JSON.stringify({ kty: 'oct', k: Buffer.alloc(32).toString('base64url') })) ?? [];
    const facts = { method: 'GET', url: 'https://gw.example/', thumbprint: null, tokenHash: '', nowMs: NOW, acceptsNonce: null };
    await fc.assert(
      fc.asyncProperty(hostileText, async (text) => {
        expect(() => readToken(text)).not.toThrow();
        expect('code' in (await verifyProof(text, facts))).toBe(true);
        expect(typeof (await openEncrypted(text, keys))).toBe('object');
        expect(readOpeningKeys(text)).toBeNull();
      }),
      { numRuns: 300 },
    );
  });

  test('key sets and answers of providers: any JSON', async () => {
    const read = compileClaimMap(asked);
    await fc.assert(
      fc.asyncProperty(fc.jsonValue(), fc.integer({ min: 100, max: 599 }), async (document, status) => {
        const set = await readKeySet(document);
        expect(set === null || set.keys.length === 0).toBe(true);
        const result = readIntrospection(
          { outcome: 'answered', status, document },
          { rule: asked, readPrincipal: read, findUnread: compileFindUnread(asked) },
          NOW,
        );
        if ('code' in result) expect(isCode(result.code)).toBe(true);
        else expect(result.principal.issuer).toBe(asked.issuer);
      }),
      { numRuns: 300 },
    );
  });

  test('a key set of any keys uses none that is not whole, and names the rest', async () => {
    const key = fc.record(
      {
        kty: fc.constantFrom('RSA', 'EC', 'OKP', 'oct', 'x', 7),
        n: fc.base64String(),
        e: fc.constantFrom('AQAB', 'AQ', '', 3),
        crv: fc.constantFrom('P-256', 'Ed25519', 'P-1', null),
        x: fc.base64String(),
        y: fc.base64String(),
        use: fc.constantFrom('sig', 'enc', 1),
        alg: fc.constantFrom('RS256', 'ES256', 'none', 5),
        key_ops: fc.constantFrom(['verify'], ['sign'], 'verify'),
        d: fc.constantFrom('AQ', undefined),
      },
      { requiredKeys: [] },
    );
    await fc.assert(
      fc.asyncProperty(fc.array(key, { maxLength: 5 }), async (keys) => {
        const set = await readKeySet({ keys });
        expect((set?.keys.length ?? 0) + (set?.refused.length ?? 0)).toBe(keys.length);
        for (const refused of set?.refused ?? []) expect(refused.reason).not.toBe('');
      }),
      { numRuns: 150 },
    );
  });
});

describe('what is answered', () => {
  /** RFC 9110 section 11.6.1: a scheme, then names with quoted strings; several challenges in a row. */
  const PARAMETER = String.raw`[a-z_]+="[\x20\x21\x23-\x5b\x5d-\x7e]*"`;
  const CHALLENGE = new RegExp(`^(?:(?:Bearer|DPoP|Basic|ApiKey|ClientCertificate) ${PARAMETER}(?:, ${PARAMETER})*(?:, |$))+$`);
  const codes = (Object.keys(CODES) as (keyof typeof CODES)[]).filter((code) => entryOf(code).says === 'fails');

  test.each(codes)('%s: a challenge that parses, a problem that is JSON, whatever the caller wrote', async (code) => {
    const { exchange } = await ask({});
    await fc.assert(
      fc.asyncProperty(fc.array(hostileText, { minLength: 1, maxLength: 4 }), fc.integer(), async (texts, number) => {
        const operands = new Proxy(
          {},
          {
            get: (_target, name) =>
              ['scopes', 'acrValues', 'wanted', 'accepted'].includes(String(name)) ? texts : name === 'maxAgeSeconds' ? number : (texts[0] ?? ''),
          },
        );
        const answer = answerOf({ code, operands } as Finding, exchange, { publicOrigin: 'https://gw.example', requestId: 'r' });
        const challenge = answer.headers['www-authenticate'];
        if (challenge !== undefined) expect(challenge).toMatch(CHALLENGE);
        expect((JSON.parse(answer.body ?? '{}') as { status: number }).status).toBe(answer.status);
        for (const value of Object.values(answer.headers)) expect(value).not.toMatch(/[\r\n]/);
        await Promise.resolve();
      }),
      { numRuns: 10 },
    );
  });

  test('what is explained never fails for codes of this version, and is null for others', () => {
    expect(explain('constructor', {})).toBeNull();
    expect(explain('__proto__', {})).toBeNull();
  });
});
