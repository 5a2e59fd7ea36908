import fc from 'fast-check';
import type { JWTPayload } from 'jose';
import { customFetch, validateJwtAccessToken, type AuthorizationServer } from 'oauth4webapi';
import { AUDIENCE, ISSUER, makeProvider, TestKeys, verifierOf, type TestProvider } from '../../test/support.js';
import { tokenRule } from '../document/token-rule.js';
import { checkClaims } from './check-claims.js';
import { verifyToken } from './verify-token.js';

/**
 * Second opinion: oauth4webapi decides RFC 9068 access tokens as a resource server of its own. Both must agree on
 * every generated token. Its clock is the real one, so times are real here.
 */
let trust: TestProvider;
let stranger: TestProvider;

beforeAll(async () => {
  trust = await makeProvider('trust');
  stranger = await makeProvider('trust');
});

async function theirs(token: string): Promise<boolean> {
  const server: AuthorizationServer = { issuer: ISSUER, jwks_uri: `${ISSUER}/keys` };
  const request = new Request(AUDIENCE, { headers: { authorization: `Bearer ${token}` } });
  const keySet = () => Promise.resolve(new Response(JSON.stringify({ keys: [trust.jwk] }), { headers: { 'content-type': 'application/json' } }));
  try {
    await validateJwtAccessToken(server, request, AUDIENCE, { [customFetch]: keySet });
    return true;
  } catch {
    return false;
  }
}

async function ours(token: string): Promise<boolean> {
  const rule = { ...trust.rule, leewaySeconds: 30 };
  const verified = await verifyToken(token, verifierOf(new TestKeys(trust), rule));
  return !('code' in verified) && checkClaims(verified, tokenRule([AUDIENCE], { type: 'at+jwt' }), Date.now()) === null;
}

test('both agree on generated good and bad tokens', async () => {
  const now = Math.floor(Date.now() / 1000);
  const mostly = <T>(good: T, ...bad: T[]) => fc.oneof({ weight: 6, arbitrary: fc.constant(good) }, { weight: 1, arbitrary: fc.constantFrom(...bad) });
  const claims = fc.record({
    iss: mostly<string>(ISSUER, `${ISSUER}/`, 'https://other.example'),
    aud: mostly<string | string[]>(AUDIENCE, [AUDIENCE, 'https://b.example'], 'https://b.example', ['https://b.example'], []),
    exp: mostly(now + 600, now - 600, now + 5),
    iat: mostly(now - 10, now - 4000),
    nbf: fc.option(mostly(now - 10, now + 600), { nil: undefined, freq: 3 }),
  });
  const header = fc.record({ typ: mostly<string | undefined>('at+jwt', 'application/at+jwt', 'AT+JWT', 'JWT', undefined) });
  let accepted = 0;
  await fc.assert(
    fc.asyncProperty(claims, header, fc.integer({ min: 0, max: 9 }), async (payload, head, spoil) => {
      const signer = spoil === 0 ? stranger : trust;
      const fixed: JWTPayload = { sub: 's', client_id: 'c', jti: 'j', ...payload };
      const signed = await signer.sign(fixed, head);
      const token = spoil === 1 ? signed.replace(/\.(.)/, (_all, first: string) => `.${first === 'e' ? 'f' : 'e'}`) : signed;
      const verdict = await ours(token);
      if (verdict) accepted++;
      expect({ token: { payload, head, spoil }, accepted: verdict }).toEqual({ token: { payload, head, spoil }, accepted: await theirs(token) });
    }),
    { numRuns: 400 },
  );
  expect(accepted).toBeGreaterThan(40);
});
