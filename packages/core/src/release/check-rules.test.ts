import { apiRule, operation, providerRule, portsOf, releaseOf, requires, TestKeys } from '../../test/support.js';
import { sourceOf, STANDARD_CLAIM_MAP } from '../document/claim-map.js';
import type { ProviderRule, ProviderSource } from '../document/provider-rule.js';
import type { ApiRule, ReleaseDocument } from '../document/release-document.js';
import type { AccessRule } from '../document/access-rule.js';
import type { Algorithm } from '../document/algorithms.js';
import { tokenRule, type TokenOverride, type TokenPlace } from '../document/token-rule.js';
import { UPSTREAM_LIMITS } from '../document/upstream-limits.js';
import { ConfigError } from '../util/config-error.js';
import { checkDocument } from './check-document.js';
import { compileRelease } from './compile-release.js';

/** The pointer of the first member that is wrong; null when the document is in order. */
function wrongAt(document: ReleaseDocument): string | null {
  try {
    checkDocument(document);
    compileRelease(document, portsOf(new TestKeys()));
    return null;
  } catch (error) {
    if (error instanceof ConfigError) return error.pointer;
    throw error;
  }
}
const ofProvider = (change: Partial<ProviderRule>): string | null => wrongAt(releaseOf([providerRule(change)], apiRule()));
const ofSource = (source: unknown): string | null => ofProvider({ source: source as ProviderSource, algorithms: ['RS256'] });
const ofRule = (change: TokenOverride): string | null => wrongAt(releaseOf([providerRule()], apiRule({ token: tokenRule(['a'], change) })));

const OPAQUE = { endpoint: 'https://a.example/i', positiveSeconds: 60, negativeSeconds: 5, timeoutMs: 1000, impliedAudience: null };
const CREDENTIAL = { method: 'client_secret_basic', clientId: 'c', secret: 'n' };

describe('providers of a release', () => {
  test.each<[string, Partial<ProviderRule>]>([
    ['discovery', {}],
    ['a key set at its own address', { source: { kind: 'key-set-url', url: 'https://a.example/keys' } }],
    ['keys by hand', { source: { kind: 'keys', keys: [{ kty: 'RSA' }] } }],
    ['a secret, with the algorithms of secrets', { source: { kind: 'secret', secret: 'name' }, algorithms: ['HS256', 'HS512'] }],
    ['introspection, with no algorithm at all', { source: { kind: 'introspection', credential: CREDENTIAL, ...OPAQUE } as ProviderSource, algorithms: [] }],
    ['a userinfo-like endpoint', { source: { kind: 'userinfo', ...OPAQUE }, algorithms: [] }],
  ])('are taken by %s', (_name, change) => expect(ofProvider(change)).toBeNull());

  test.each<[string, Partial<ProviderRule>, string]>([
    ['an issuer that is no URL', { issuer: 'sign-in' }, '/providers/0/issuer'],
    ['an issuer with a query', { issuer: 'https://a.example/?x' }, '/providers/0/issuer'],
    ['no algorithm', { algorithms: [] }, '/providers/0/algorithms'],
    ['an algorithm that there is not', { algorithms: ['none' as 'RS256'] }, '/providers/0/algorithms/0'],
    ['HS256 for published keys', { algorithms: ['RS256', 'HS256'] }, '/providers/0/algorithms/1'],
    ['RS256 for a secret', { source: { kind: 'secret', secret: 'name' }, algorithms: ['RS256'] }, '/providers/0/algorithms/0'],
    ['a leeway of ten minutes', { leewaySeconds: 600 }, '/providers/0/leewaySeconds'],
    ['a leeway that is no number', { leewaySeconds: Number.NaN }, '/providers/0/leewaySeconds'],
    ['last good keys for a month', { lastGoodSeconds: 2_600_000 }, '/providers/0/lastGoodSeconds'],
    [
      'two attributes of one name',
      { claimMap: { ...STANDARD_CLAIM_MAP, attributes: ['a', 'b'].map((path) => ({ name: 'x', ...sourceOf([path]) })) } },
      '/providers/0/claimMap/attributes/1/name',
    ],
    ['a path that is no pointer', { claimMap: { ...STANDARD_CLAIM_MAP, acr: sourceOf(['/~']) } }, '/providers/0/claimMap/acr/paths/0'],
  ])('are refused with %s', (_name, change, pointer) => expect(ofProvider(change)).toBe(pointer));

  test.each<[string, unknown, string]>([
    ['a key set at no address', { kind: 'key-set-url', url: 'keys.json' }, '/url'],
    ['a key set with credentials', { kind: 'key-set-url', url: 'https://u:p@a.example/keys' }, '/url'],
    ['a key set behind a fragment', { kind: 'key-set-url', url: 'https://a.example/keys#x' }, '/url'],
    ['no key', { kind: 'keys', keys: [] }, '/keys'],
    ['too many keys', { kind: 'keys', keys: Array.from({ length: 501 }, () => ({})) }, '/keys'],
    ['a secret without name', { kind: 'secret', secret: '' }, '/secret'],
    ['an endpoint that is none', { kind: 'userinfo', ...OPAQUE, endpoint: 'ftp://a.example' }, '/endpoint'],
    ['a good answer for a day', { kind: 'userinfo', ...OPAQUE, positiveSeconds: 86_400 }, '/positiveSeconds'],
    ['a bad answer for an hour', { kind: 'userinfo', ...OPAQUE, negativeSeconds: 3600 }, '/negativeSeconds'],
    ['no time to answer', { kind: 'userinfo', ...OPAQUE, timeoutMs: 0 }, '/timeoutMs'],
    ['a client without id', { kind: 'introspection', credential: { ...CREDENTIAL, clientId: '' }, ...OPAQUE }, '/credential/clientId'],
  ])('are refused with %s', (_name, source, pointer) => expect(ofSource(source)).toBe(`/providers/0/source${pointer}`));

  test('two with one issuer are refused', () => {
    expect(wrongAt(releaseOf([providerRule(), providerRule({ id: 'b' })], apiRule()))).toBe('/providers/1/issuer');
  });
});

describe('token rules of a release', () => {
  const header = (name: string, scheme: string | null = null): TokenPlace => ({ kind: 'header', name, scheme });

  test.each<[string, TokenOverride]>([
    ['four places', { places: [header('authorization', 'Bearer'), header('x-access'), { kind: 'cookie', name: 'at' }, { kind: 'query', name: 'token' }] }],
    [
      'words for what is left out',
      { audiences: 'ANY_AUDIENCE', algorithms: 'AS_PROVIDER', clients: 'ANY_CLIENT', type: 'ANY_TYPE', leewaySeconds: 'AS_PROVIDER' },
    ],
    [
      'everything asked for',
      { dpop: 'required', dpopNonce: true, certificate: 'required', stepUp: { acrValues: ['key'], maxAgeSeconds: 0 }, maxAgeSeconds: 60 },
    ],
    [
      'claims by name and by path',
      {
        claims: [
          { path: 'org', values: ['a'] },
          { path: '/a/b', values: 'ANY_VALUE' },
        ],
      },
    ],
  ])('are taken with %s', (_name, change) => expect(ofRule(change)).toBeNull());

  test.each<[string, TokenOverride, string]>([
    ['no place', { places: [] }, '/places'],
    ['five places', { places: ['a', 'b', 'c', 'd', 'e'].map((name) => header(name)) }, '/places'],
    ['one place twice', { places: [header('x'), header('x', 'Token')] }, '/places/1'],
    ['a header in capitals', { places: [header('X-Access')] }, '/places/0/name'],
    ['the Host header', { places: [header('host')] }, '/places/0/name'],
    ['the Cookie header, whole', { places: [header('cookie')] }, '/places/0/name'],
    ['the header of proofs', { places: [header('dpop')] }, '/places/0/name'],
    ['a header with a line break', { places: [header('x\r\ny')] }, '/places/0/name'],
    ['a scheme of two words', { places: [header('x', 'my token')] }, '/places/0/scheme'],
    ['a cookie with a semicolon', { places: [{ kind: 'cookie', name: 'a;b' }] }, '/places/0/name'],
    ['a parameter with an ampersand', { places: [{ kind: 'query', name: 'a&b' }] }, '/places/0/name'],
    ['an empty type', { type: '' }, '/type'],
    ['no audience and no word for it', { audiences: [] }, '/audiences'],
    ['no algorithm and no word for it', { algorithms: [] }, '/algorithms'],
    ['an algorithm that there is not', { algorithms: JSON.parse('["RS1"]') as Algorithm[] }, '/algorithms/0'],
    ['no client and no word for it', { clients: [] }, '/clients'],
    ['a leeway of ten minutes', { leewaySeconds: 600 }, '/leewaySeconds'],
    ['an age of nothing', { maxAgeSeconds: 0 }, '/maxAgeSeconds'],
    ['a demand for none of no values', { claims: [{ path: 'org', values: [] }] }, '/claims/0/values'],
    ['proofs without a header for their token', { dpop: 'required', places: [{ kind: 'cookie', name: 'at' }] }, '/dpop'],
    ['a sign-in in the future', { stepUp: { acrValues: [], maxAgeSeconds: -5 } }, '/stepUp/maxAgeSeconds'],
  ])('are refused with %s', (_name, change, pointer) => expect(ofRule(change)).toBe(`/apis/0/token${pointer}`));

  test('an operation’s own part is checked together with the API’s', () => {
    const own = (token: TokenOverride): Partial<ApiRule> => ({ operations: [operation('GET', '/a'), { ...operation('GET', '/b'), token }] });
    const at = (token: TokenOverride, rule: TokenOverride = {}) =>
      wrongAt(releaseOf([providerRule()], apiRule({ token: tokenRule(['a'], rule), ...own(token) })));
    expect(at({ clients: ['c'] })).toBeNull();
    expect(at({ dpop: 'required' }, { places: [{ kind: 'cookie', name: 'at' }] })).toBe('/apis/0/operations/1/token/dpop');
    expect(at({ claims: [{ path: '/~', values: 'ANY_VALUE' }] })).toBe('/apis/0/operations/1/token/claims/0/path');
  });

  test('hops of the certificate header are addresses or networks', () => {
    const document = releaseOf([providerRule()], apiRule());
    const at = (trustedHops: string[]) => wrongAt({ ...document, certificateHeader: { name: 'client-cert', trustedHops } });
    expect(at(['192.0.2.7', '2001:db8::/32'])).toBeNull();
    expect(at(['192.0.2.7', 'gateway.example'])).toBe('/certificateHeader/trustedHops/1');
  });
});

describe('what a release shares', () => {
  test('operations with equal rules have one fall line, others their own', () => {
    const release = compileRelease(
      releaseOf(
        [providerRule()],
        apiRule({
          operations: [
            operation('GET', '/a'),
            operation('GET', '/b'),
            operation('GET', '/c', requires('trust')),
            { ...operation('GET', '/d'), token: { clients: ['c'] } },
          ],
        }),
      ),
      portsOf(new TestKeys()),
    );
    const [a, b, c, d] = release.apis[0]?.operations ?? [];
    expect(a?.fallLine).toBe(b?.fallLine);
    expect(c?.fallLine).not.toBe(a?.fallLine);
    expect(d?.fallLine).not.toBe(a?.fallLine);
    expect([a?.token.clients, d?.token.clients]).toEqual(['ANY_CLIENT', ['c']]);
  });
});

describe('a release that an older writer, a hand or a fault made: what cannot be read is refused, never taken as nothing asked', () => {
  const scheme = { scheme: 'trust', scopes: ['x'], match: 'all', roles: [] };
  const ofAccess = (access: unknown): string | null => wrongAt(releaseOf([providerRule()], apiRule({ access: access as AccessRule })));
  const ofAlternatives = (...alternatives: unknown[]): string | null => ofAccess({ kind: 'required', origin: 'hand', alternatives });
  const ofOperation = (change: object): string | null =>
    wrongAt(releaseOf([providerRule()], apiRule({ operations: [{ ...operation('GET', '/a'), ...change }] })));
  const ofToken = (change: object): string | null => ofRule(change);

  test.each<[string, unknown, string]>([
    ['no rule', null, ''],
    ['a rule that is a word', 'public', ''],
    ['no kind', { origin: 'hand' }, '/kind'],
    ['a kind that nobody knows', { kind: 'anyone', origin: 'hand' }, '/kind'],
    ['a kind with a capital', { kind: 'Required', origin: 'hand', alternatives: [[scheme]] }, '/kind'],
    ['no alternatives', { kind: 'required', origin: 'hand' }, '/alternatives'],
    ['alternatives that are one', { kind: 'required', origin: 'hand', alternatives: { 0: [scheme] } }, '/alternatives'],
  ])('who may call: %s', (_name, access, pointer) => expect(ofAccess(access)).toBe(`/apis/0/access${pointer}`));

  test.each<[string, unknown, string]>([
    ['null', null, ''],
    ['a word', 'trust', ''],
    ['an object in place of a list', scheme, ''],
    ['a requirement that is null', [null], '/0'],
    ['no scheme', [{ ...scheme, scheme: undefined }], '/0/scheme'],
    ['an empty scheme', [{ ...scheme, scheme: '' }], '/0/scheme'],
    ['scopes that are a text', [{ ...scheme, scopes: 'x' }], '/0/scopes'],
    ['a scope that is none', [{ ...scheme, scopes: ['x', null] }], '/0/scopes/1'],
    ['no match', [{ ...scheme, match: undefined }], '/0/match'],
    ['a match that nobody knows', [{ ...scheme, match: 'some' }], '/0/match'],
    ['no roles', [{ ...scheme, roles: undefined }], '/0/roles'],
  ])('an alternative: %s', (_name, alternative, pointer) => expect(ofAlternatives([scheme], alternative)).toBe(`/apis/0/access/alternatives/1${pointer}`));

  test.each<[string, object, string]>([
    ['places that are none', { places: 'authorization' }, '/places'],
    ['a type that is null', { type: null }, '/type'],
    ['audiences that are a text', { audiences: 'https://a.example' }, '/audiences'],
    ['audiences that are null', { audiences: null }, '/audiences'],
    ['an audience that is a number', { audiences: [7] }, '/audiences/0'],
    ['clients that are null', { clients: null }, '/clients'],
    ['algorithms that are a text', { algorithms: 'RS256' }, '/algorithms'],
    ['an age that is a text', { maxAgeSeconds: '60' }, '/maxAgeSeconds'],
    ['a leeway that is a text', { leewaySeconds: '5' }, '/leewaySeconds'],
    ['claims that are null', { claims: null }, '/claims'],
    ['a demand that is a text', { claims: ['org'] }, '/claims/0'],
    ['a demand for values that are a text', { claims: [{ path: 'org', values: 'a' }] }, '/claims/0/values'],
    ['proofs that are on', { dpop: true }, '/dpop'],
    ['proofs that nobody knows', { dpop: 'always' }, '/dpop'],
    ['certificates that are null', { certificate: null }, '/certificate'],
    ['nonces that are a text', { dpopNonce: 'false' }, '/dpopNonce'],
    ['keys that are a number', { decryptionSecret: 7 }, '/decryptionSecret'],
    ['a step-up that is a word', { stepUp: 'key' }, '/stepUp'],
    ['a step-up of one text', { stepUp: { acrValues: 'key', maxAgeSeconds: null } }, '/stepUp/acrValues'],
  ])('tokens: %s', (_name, change, pointer) => expect(ofToken(change)).toBe(`/apis/0/token${pointer}`));

  test.each<[string, object, string]>([
    ['who may call as a word', { access: 'public' }, '/access'],
    ['who may call without kind', { access: {} }, '/access/kind'],
    ['tokens with a part that cannot be read', { token: { clients: 'x' } }, '/token/clients'],
    ['a method in small letters', { method: 'get' }, '/method'],
  ])('an operation: %s', (_name, change, pointer) => expect(ofOperation(change)).toBe(`/apis/0/operations/0${pointer}`));

  test.each<[string, object, string]>([
    ['switched on by a word', { enabled: 'yes' }, '/enabled'],
    ['switched on by nothing', { enabled: undefined }, '/enabled'],
    ['a credential that travels by a word', { upstream: { ...apiRule().upstream, sendCredential: 'no' } }, '/upstream/sendCredential'],
    ['a limit that is missing', { upstream: { ...apiRule().upstream, limits: { ...UPSTREAM_LIMITS, waiting: undefined } } }, '/upstream/limits/waiting'],
    ['a limit out of its range', { upstream: { ...apiRule().upstream, limits: { ...UPSTREAM_LIMITS, sharePercent: 0 } } }, '/upstream/limits/sharePercent'],
  ])('an API: %s', (_name, change, pointer) => expect(wrongAt(releaseOf([providerRule()], apiRule(change)))).toBe(`/apis/0${pointer}`));

  test.each<[string, object, string]>([
    ['no name', { name: undefined }, '/name'],
    ['an issuer that is null', { issuer: null }, '/issuer'],
    ['a source that is a word', { source: 'discovery' }, '/source'],
    ['a source that nobody knows', { source: { kind: 'anything' } }, '/source/kind'],
    ['algorithms that are a text', { algorithms: 'RS256' }, '/algorithms'],
    ['hosts that are null', { privateHosts: null }, '/privateHosts'],
    ['plain http by a word', { allowLoopbackHttp: 'yes' }, '/allowLoopbackHttp'],
    ['for drafts only by nothing', { draftOnly: null }, '/draftOnly'],
    ['no claim map', { claimMap: null }, '/claimMap'],
  ])('a provider: %s', (_name, change, pointer) => expect(ofProvider(change)).toBe(`/providers/0${pointer}`));

  test('limits are taken in their ranges, and nothing is left out', () => {
    expect(wrongAt(releaseOf([providerRule()], apiRule({ upstream: { ...apiRule().upstream, limits: UPSTREAM_LIMITS } })))).toBeNull();
    expect(wrongAt(releaseOf([providerRule()], apiRule({ upstream: { ...apiRule().upstream, limits: undefined as never } })))).toBe('/apis/0/upstream/limits');
    expect([ofOperation({ access: undefined }), ofOperation({ token: undefined }), ofOperation({ modes: undefined })]).toEqual(
      ['access', 'token', 'modes'].map((name) => `/apis/0/operations/0/${name}`),
    );
  });
});
