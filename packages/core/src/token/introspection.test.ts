import { AUDIENCE, NOW, providerRule, SECONDS } from '../../test/support.js';
import { STANDARD_CLAIM_MAP } from '../document/claim-map.js';
import type { OpaqueSource } from '../document/provider-rule.js';
import { tokenRule } from '../document/token-rule.js';
import { compileClaimMap } from '../provider/compile-claim-map.js';
import { compileFindUnread } from '../provider/unread-claims.js';
import { checkClaims } from './check-claims.js';
import { readIntrospection, type IntrospectionAnswer, type OpaqueProvider } from './introspection.js';

const ASKED = { endpoint: 'https://dunlin.example/introspect', positiveSeconds: 60, negativeSeconds: 5, timeoutMs: 1000, impliedAudience: null };
const INTROSPECTION: OpaqueSource = { kind: 'introspection', credential: { method: 'client_secret_basic', clientId: 'g', secret: 'n' }, ...ASKED };
const USERINFO: OpaqueSource = { kind: 'userinfo', ...ASKED };

function read(document: unknown, source: OpaqueSource = INTROSPECTION, status = 200) {
  const rule = providerRule({ id: 'dunlin', name: 'Dunlin', issuer: 'https://dunlin.example', source, claimMap: STANDARD_CLAIM_MAP }) as OpaqueProvider;
  const answer: IntrospectionAnswer = { outcome: 'answered', status, document };
  return readIntrospection(answer, { rule, readPrincipal: compileClaimMap(rule), findUnread: compileFindUnread(rule) }, NOW);
}
const codeOf = (...args: Parameters<typeof read>): string => {
  const result = read(...args);
  return 'code' in result ? result.code : 'active';
};

describe('an introspection answer (RFC 7662 section 2.2)', () => {
  test.each<[string, unknown, number, string]>([
    ['active', { active: true }, 200, 'active'],
    ['not active', { active: false }, 200, 'token.inactive'],
    ['not active, whatever else it says', { active: false, scope: 'gates:read', exp: SECONDS + 60 }, 200, 'token.inactive'],
    ['active as a text', { active: 'true' }, 200, 'token.introspection-unavailable'],
    ['no member active', { scope: 'gates:read' }, 200, 'token.introspection-unavailable'],
    ['a list', [{ active: true }], 200, 'token.introspection-unavailable'],
    ['no JSON', null, 200, 'token.introspection-unavailable'],
    ['the gateway’s own credential refused', { error: 'invalid_client' }, 401, 'token.introspection-unavailable'],
    ['a fault of the provider', { active: true }, 500, 'token.introspection-unavailable'],
    ['a redirect', {}, 302, 'token.introspection-unavailable'],
    ['another issuer', { active: true, iss: 'https://elsewhere.example' }, 200, 'token.introspection-issuer'],
    ['its own issuer', { active: true, iss: 'https://dunlin.example' }, 200, 'active'],
    ['an expiry that is a text', { active: true, exp: 'tomorrow' }, 200, 'token.introspection-unavailable'],
  ])('%s', (_name, document, status, code) => expect(codeOf(document, INTROSPECTION, status)).toBe(code));

  test('the provider’s own error is for the operator', () => {
    expect(read({ error: 'invalid_client', error_description: 'no such client' }, INTROSPECTION, 401)).toMatchObject({
      operands: { reason: 'https://dunlin.example/introspect answered 401: invalid_client, no such client' },
    });
  });

  test('is used for its stated time and never past exp and the largest leeway', () => {
    expect(read({ active: true })).toMatchObject({ usableUntil: NOW + 60_000 });
    expect(read({ active: true, exp: SECONDS - 290 })).toMatchObject({ usableUntil: NOW + 10_000 });
  });

  test('is held to audience and times like any token', () => {
    const judge = (document: object, source = INTROSPECTION) => {
      const token = read({ active: true, ...document }, source);
      return 'code' in token ? token.code : (checkClaims(token, tokenRule([AUDIENCE], { type: 'at+jwt' }), NOW)?.code ?? null);
    };
    expect(judge({ aud: AUDIENCE })).toBeNull();
    expect(judge({ aud: 'https://elsewhere.example' })).toBe('token.audience-wrong');
    expect(judge({})).toBe('token.audience-missing');
    expect(judge({}, { ...INTROSPECTION, impliedAudience: AUDIENCE })).toBeNull();
    expect(judge({ aud: 'https://elsewhere.example' }, { ...INTROSPECTION, impliedAudience: AUDIENCE })).toBe('token.audience-wrong');
    expect(judge({ aud: AUDIENCE, exp: SECONDS - 31 })).toBe('token.expired');
    expect(judge({ aud: AUDIENCE, nbf: SECONDS + 31 })).toBe('token.not-yet-valid');
  });

  test('its claims go through the claim map, under the provider’s issuer', () => {
    expect(read({ active: true, sub: 'kit-7', client_id: 'kit', scope: 'gates:read readings:read' })).toMatchObject({
      principal: { issuer: 'https://dunlin.example', subject: 'kit-7', client: 'kit', scopes: ['gates:read', 'readings:read'] },
    });
  });
});

describe('a userinfo-like answer', () => {
  test.each<[number, unknown, string]>([
    [200, { sub: 'x' }, 'active'],
    [200, { active: false, sub: 'x' }, 'active'],
    [401, {}, 'token.inactive'],
    [403, null, 'token.inactive'],
    [404, null, 'token.inactive'],
    [429, {}, 'token.introspection-unavailable'],
    [503, {}, 'token.introspection-unavailable'],
    [200, 'fine', 'token.introspection-unavailable'],
  ])('%i %j', (status, document, code) => expect(codeOf(document, USERINFO, status)).toBe(code));
});
