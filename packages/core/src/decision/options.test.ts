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
  SECONDS,
  TestKeys,
  type TestProvider,
} from '../../test/support.js';
import type { SchemeRequirement } from '../document/access-rule.js';
import type { OpaqueSource, ProviderRule } from '../document/provider-rule.js';
import { BEARER_HEADER, tokenRule, type TokenOverride } from '../document/token-rule.js';
import { compileRelease } from '../release/compile-release.js';
import type { IntrospectionAnswer } from '../token/introspection.js';
import { Revocations, type Revocation } from '../token/revocations.js';
import { answerOf } from './answer.js';
import { decide } from './decide.js';
import { Exchange, whoCalls } from './exchange.js';
import type { Ports } from './ports.js';

let trust: TestProvider;
beforeAll(async () => {
  trust = await makeProvider('trust');
});

interface Ask {
  readonly rule?: TokenOverride;
  readonly headers?: Record<string, string>;
  readonly query?: string;
  readonly requirement?: Partial<SchemeRequirement>;
  readonly ports?: Partial<Ports>;
  readonly others?: readonly ProviderRule[];
}

async function ask(token: string | null, { rule = {}, headers, query = '', requirement = {}, ports = {}, others = [] }: Ask = {}) {
  const access = requires('trust', 'gates:read');
  const [[one] = []] = access.kind === 'required' ? access.alternatives : [];
  const alternatives = [[{ ...(one as SchemeRequirement), ...requirement }]];
  const api = apiRule({
    token: tokenRule([AUDIENCE], rule),
    schemes: [{ name: 'trust', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust', ...others.map((item) => item.id)], place: null }],
    operations: [operation('GET', '/gates', { kind: 'required', origin: 'hand', alternatives })],
  });
  const release = compileRelease(
    releaseOf([trust.rule, ...others], api),
    portsOf(new TestKeys(trust), () => NOW, ports),
  );
  const exchange = new Exchange({
    method: 'GET',
    target: `/gates-api/gates${query}`,
    headers: headers ?? (token === null ? {} : { authorization: `Bearer ${token}` }),
    origin: 'https://gw.example',
  });
  const { finding } = await decide(release, exchange);
  return { code: finding.code, exchange, answer: answerOf(finding, exchange, { publicOrigin: 'https://gw.example', requestId: 'r' }) };
}
const codeOf = async (...args: Parameters<typeof ask>): Promise<string> => (await ask(...args)).code;
const PASSED = 'rights.sufficient';

describe('demands on a proved token', () => {
  test.each<[string, TokenOverride, Record<string, unknown>, string]>([
    ['the client named', { clients: ['rider-tablet'] }, {}, PASSED],
    ['azp, where client_id is not', { clients: ['rider-tablet'] }, { client_id: undefined, azp: 'rider-tablet' }, PASSED],
    ['another client', { clients: ['desk'] }, {}, 'claims.client'],
    ['no client at all', { clients: ['desk'] }, { client_id: undefined }, 'claims.client'],
    ['new enough', { maxAgeSeconds: 60 }, { iat: SECONDS - 60 }, PASSED],
    ['new enough with the leeway', { maxAgeSeconds: 60 }, { iat: SECONDS - 89 }, PASSED],
    ['too old', { maxAgeSeconds: 60 }, { iat: SECONDS - 90 }, 'claims.too-old'],
    ['of an age that it does not say', { maxAgeSeconds: 60 }, { iat: undefined }, 'claims.missing'],
    ['a leeway of its own', { leewaySeconds: 0 }, { exp: SECONDS - 1 }, 'token.expired'],
    ['a wider leeway of its own', { leewaySeconds: 300 }, { exp: SECONDS - 200 }, PASSED],
    ['a claim with its value', { claims: [{ path: 'org', values: ['a', 'b'] }] }, { org: 'b' }, PASSED],
    ['a claim among others', { claims: [{ path: 'org', values: ['b'] }] }, { org: ['a', 'b'] }, PASSED],
    ['a claim as a number', { claims: [{ path: 'level', values: ['3'] }] }, { level: 3 }, PASSED],
    ['a nested claim', { claims: [{ path: '/x/y', values: 'ANY_VALUE' }] }, { x: { y: false } }, PASSED],
    ['a claim with another value', { claims: [{ path: 'org', values: ['a'] }] }, { org: 'A' }, 'claims.value'],
    ['an object where a value is asked', { claims: [{ path: 'org', values: ['a'] }] }, { org: { a: 1 } }, 'claims.value'],
    ['no such claim', { claims: [{ path: 'org', values: 'ANY_VALUE' }] }, {}, 'claims.missing'],
    ['a claim that is null', { claims: [{ path: 'org', values: 'ANY_VALUE' }] }, { org: null }, 'claims.missing'],
    ['a claim of the prototype', { claims: [{ path: 'toString', values: 'ANY_VALUE' }] }, {}, 'claims.missing'],
    ['signed in strongly', { stepUp: { acrValues: ['key', 'card'], maxAgeSeconds: null } }, { acr: 'card' }, PASSED],
    ['signed in weakly', { stepUp: { acrValues: ['key'], maxAgeSeconds: null } }, { acr: 'password' }, 'claims.step-up'],
    ['signed in just now', { stepUp: { acrValues: [], maxAgeSeconds: 60 } }, { auth_time: SECONDS - 30 }, PASSED],
    ['signed in long ago', { stepUp: { acrValues: [], maxAgeSeconds: 60 } }, { auth_time: SECONDS - 100 }, 'claims.step-up'],
    ['signed in at a time that it does not say', { stepUp: { acrValues: [], maxAgeSeconds: 60 } }, {}, 'claims.step-up'],
    ['an algorithm that the operation takes', { algorithms: ['RS256', 'ES256'] }, {}, PASSED],
    ['an algorithm that only the provider takes', { algorithms: ['ES256'] }, {}, 'token.algorithm-refused'],
    ['any audience, said so', { audiences: 'ANY_AUDIENCE' }, { aud: 'https://other.example' }, PASSED],
  ])('%s', async (_name, rule, claims, code) => expect(await codeOf(await trust.sign(goodClaims(claims)), { rule })).toBe(code));

  test('another type than at+jwt can be asked for; without case', async () => {
    const rule = { type: 'trust+jwt' };
    expect(await codeOf(await trust.sign(goodClaims(), { typ: 'Trust+JWT' }), { rule })).toBe(PASSED);
    expect(await codeOf(await trust.sign(goodClaims(), { typ: 'at+jwt' }), { rule })).toBe('token.type-wrong');
  });

  test('the first demand that is not met decides: revocation before the rest', async () => {
    const entry: Revocation = { id: 'r', kind: 'jti', providerId: 'trust', value: 'one', issuedBefore: null, reason: 'x' };
    const ports = { revocations: () => new Revocations([entry]) };
    expect(await codeOf(await trust.sign(goodClaims()), { rule: { clients: ['desk'] }, ports })).toBe('claims.revoked');
  });
});

describe('revocations', () => {
  const entry = (change: Partial<Revocation>): Revocation => ({
    id: 'r',
    kind: 'subject',
    providerId: 'trust',
    value: 'rider.north',
    issuedBefore: null,
    reason: 'lost',
    ...change,
  });
  test.each<[string, Revocation, Record<string, unknown>, string]>([
    ['by subject', entry({}), {}, 'claims.revoked'],
    ['another subject', entry({ value: 'rider.south' }), {}, PASSED],
    ['the same subject of another provider', entry({ providerId: 'other' }), {}, PASSED],
    ['by client', entry({ kind: 'client', value: 'rider-tablet' }), {}, 'claims.revoked'],
    ['by id', entry({ kind: 'jti', value: 'one' }), {}, 'claims.revoked'],
    ['a subject that is called like the client', entry({ kind: 'client' }), {}, PASSED],
    ['issued before', entry({ issuedBefore: NOW - 59_000 }), {}, 'claims.revoked'],
    ['issued after', entry({ issuedBefore: NOW - 61_000 }), {}, PASSED],
    ['issued at no stated time', entry({ issuedBefore: NOW - 61_000 }), { iat: undefined }, 'claims.revoked'],
  ])('%s', async (_name, revoked, claims, code) => {
    expect(await codeOf(await trust.sign(goodClaims(claims)), { ports: { revocations: () => new Revocations([revoked]) } })).toBe(code);
  });

  test('the strictest of several counts, in any order, and one whose time cannot be read counts for all times', async () => {
    const token = await trust.sign(goodClaims());
    const full = entry({ issuedBefore: null });
    const old = entry({ issuedBefore: NOW - 600_000 });
    const unread = entry({ issuedBefore: 'yesterday' as unknown as number });
    for (const entries of [
      [full, old],
      [old, full],
      [old, unread],
      [unread, old],
    ])
      expect(await codeOf(token, { ports: { revocations: () => new Revocations(entries) } })).toBe('claims.revoked');
    expect(await codeOf(token, { ports: { revocations: () => new Revocations([old, old]) } })).not.toBe('claims.revoked');
  });

  // Of more than 53 bits a number is read as a neighbour of what was written (RFC 8259 section 6): neither of them gets through.
  test.each([
    ['9007199254740993', 9007199254740992, 'claims.revoked'],
    ['9007199254740992', 9007199254740992, 'claims.revoked'],
    ['1152921504606846977', 2 ** 60, 'claims.revoked'],
    ['9007199254740990', 9007199254740992, PASSED],
    ['9007199254740993', '9007199254740992', PASSED],
    ['77', '77.0', PASSED],
    ['077', 77, 'claims.revoked'],
    ['', 0, PASSED],
  ])('the jti %s is revoked, and a token says %j', async (value, jti, expected) => {
    const token = await trust.sign(goodClaims({ jti: jti as string }));
    const ports = { revocations: () => new Revocations([entry({ kind: 'jti', value, issuedBefore: null })]) };
    expect(await codeOf(token, { ports })).toBe(expected);
  });

  test('a jti that is a number is revoked by its digits', async () => {
    const token = await trust.sign(goodClaims({ jti: 77 as unknown as string }));
    const ports = { revocations: () => new Revocations([entry({ kind: 'jti', value: '77', issuedBefore: null })]) };
    expect(await codeOf(token, { ports })).toBe('claims.revoked');
  });
});

describe('roles', () => {
  test.each<[string, string[], unknown, string]>([
    ['one of them', ['rider', 'dispatcher'], ['rider'], PASSED],
    ['none of them', ['rider'], ['grower'], 'rights.role-missing'],
    ['no role at all', ['rider'], undefined, 'rights.role-missing'],
    ['none asked for', [], undefined, PASSED],
  ])('%s', async (_name, roles, held, code) => expect(await codeOf(await trust.sign(goodClaims({ roles: held })), { requirement: { roles } })).toBe(code));

  test('a missing scope is said before a missing role, and a role is no matter of scopes', async () => {
    const { code, answer } = await ask(await trust.sign(goodClaims({ scope: 'x' })), { requirement: { roles: ['rider'] } });
    expect([code, answer.headers['www-authenticate']]).toEqual(['rights.scope-missing', expect.stringContaining('scope="gates:read"')]);
    const role = await ask(await trust.sign(goodClaims()), { requirement: { roles: ['rider'] } });
    expect([role.answer.status, role.answer.headers['www-authenticate']]).toEqual([403, undefined]);
  });
});

describe('places of the token', () => {
  const places = {
    own: { kind: 'header', name: 'x-access', scheme: null },
    cookie: { kind: 'cookie', name: 'at' },
    query: { kind: 'query', name: 'key' },
  } as const;
  const otherWord = { kind: 'header', name: 'authorization', scheme: 'Token' } as const;
  const token = () => trust.sign(goodClaims());
  test.each<[string, TokenOverride, (token: string) => Pick<Ask, 'headers' | 'query'>, string]>([
    ['its own header', { places: [places.own] }, (t) => ({ headers: { 'x-access': t } }), PASSED],
    ['its own header, with Bearer in front', { places: [places.own] }, (t) => ({ headers: { 'x-access': `Bearer ${t}` } }), 'credential.malformed'],
    ['its own header, empty', { places: [places.own] }, () => ({ headers: { 'x-access': '' } }), 'credential.missing-elsewhere'],
    [
      'the usual header where it is not looked for',
      { places: [places.own] },
      (t) => ({ headers: { authorization: `Bearer ${t}` } }),
      'credential.missing-elsewhere',
    ],
    ['both', { places: [places.own] }, (t) => ({ headers: { 'x-access': t, authorization: `Bearer ${t}` } }), 'credential.repeated'],
    ['either of two', { places: [BEARER_HEADER, places.cookie] }, (t) => ({ headers: { cookie: `a=b; at=${t}` } }), PASSED],
    [
      'both of two',
      { places: [BEARER_HEADER, places.cookie] },
      (t) => ({ headers: { cookie: `at=${t}`, authorization: `Bearer ${t}` } }),
      'credential.repeated',
    ],
    ['one cookie twice', { places: [places.cookie] }, (t) => ({ headers: { cookie: `at=${t}; at=${t}` } }), 'credential.malformed'],
    ['a cookie of a longer name', { places: [places.cookie] }, (t) => ({ headers: { cookie: `xat=${t}` } }), 'credential.missing-elsewhere'],
    ['the query', { places: [places.query] }, (t) => ({ headers: {}, query: `?a=1&key=${t}` }), PASSED],
    ['the query, with the name encoded', { places: [places.query] }, (t) => ({ headers: {}, query: `?%6bey=${t}` }), PASSED],
    ['the query, twice', { places: [places.query] }, (t) => ({ headers: {}, query: `?key=${t}&key=${t}` }), 'credential.malformed'],
    ['the standard query beside the header', {}, (t) => ({ headers: { authorization: `Bearer ${t}` }, query: `?access_token=${t}` }), 'credential.repeated'],
    ['the standard query, its name encoded', {}, (t) => ({ headers: { authorization: `Bearer ${t}` }, query: `?%61ccess_token=${t}` }), 'credential.repeated'],
    // What some reader behind the gateway takes for the place, and nobody proves (common practice).
    ['its own header, and one in another spelling', { places: [places.own] }, (t) => ({ headers: { 'x-access': t, x_access: 'forged' } }), 'credential.alike'],
    ['its own header in another spelling alone', { places: [places.own] }, () => ({ headers: { 'x.access': 'forged' } }), 'credential.alike'],
    ['the query, and behind a semicolon', { places: [places.query] }, (t) => ({ headers: {}, query: `?key=${t}&a=1;key=forged` }), 'credential.alike'],
    ['the query, and with brackets', { places: [places.query] }, (t) => ({ headers: {}, query: `?key=${t}&key%5B%5D=forged` }), 'credential.alike'],
    ['the query, and in capitals', { places: [places.query] }, (t) => ({ headers: {}, query: `?%4BEY=forged&key=${t}` }), 'credential.alike'],
    [
      'the query, and a letter that is a form of another',
      { places: [places.query] },
      (t) => ({ headers: {}, query: `?%E2%84%AAey=forged&key=${t}` }),
      'credential.alike',
    ],
    ['the query beside other names', { places: [places.query] }, (t) => ({ headers: {}, query: `?keys=1&a[key]=2&key=${t}&b=%E4` }), PASSED],
    ['a cookie, and one behind a comma', { places: [places.cookie] }, (t) => ({ headers: { cookie: `at=${t}; a=b, at=forged` } }), 'credential.alike'],
    ['a cookie, and one in capitals', { places: [places.cookie] }, (t) => ({ headers: { cookie: `AT=forged; at=${t}` } }), 'credential.alike'],
    ['a cookie, and one with brackets', { places: [places.cookie] }, (t) => ({ headers: { cookie: `at=${t}; at[0]=forged` } }), 'credential.alike'],
    ['a cookie beside others', { places: [places.cookie] }, (t) => ({ headers: { cookie: `a="x, y"; at=${t}; attic=1` } }), PASSED],
    [
      'the standard query in capitals beside the header',
      {},
      (t) => ({ headers: { authorization: `Bearer ${t}` }, query: '?Access_Token=x' }),
      'credential.repeated',
    ],
    ['another word in front', { places: [otherWord] }, (t) => ({ headers: { authorization: `TOKEN ${t}` } }), PASSED],
    ['Bearer where another word is asked', { places: [otherWord] }, (t) => ({ headers: { authorization: `Bearer ${t}` } }), 'credential.other-scheme'],
  ])('%s', async (_name, rule, send, code) => expect(await codeOf(null, { rule, ...send(await token()) })).toBe(code));
});

describe('opaque tokens', () => {
  const source = (endpoint: string): OpaqueSource => ({
    kind: 'userinfo',
    endpoint,
    positiveSeconds: 60,
    negativeSeconds: 5,
    timeoutMs: 100,
    impliedAudience: AUDIENCE,
  });
  const asked = (id: string) => providerRule({ id, name: id, issuer: `https://${id}.example`, source: source(`https://${id}.example/me`), algorithms: [] });
  const says = (answers: Record<string, IntrospectionAnswer>) => {
    const calls: string[] = [];
    const introspection = {
      ask: (provider: ProviderRule) => {
        calls.push(provider.id);
        return Promise.resolve(answers[provider.id] ?? { outcome: 'unavailable' as const, reason: 'away' });
      },
    };
    return { calls, ports: { introspection } };
  };
  const good: IntrospectionAnswer = { outcome: 'answered', status: 200, document: { sub: 'kit', scope: 'gates:read' } };
  const bad: IntrospectionAnswer = { outcome: 'answered', status: 401, document: null };
  const others = [asked('dunlin'), asked('second')];

  test('go to the providers that take them, in the order of the release, until one knows them', async () => {
    const first = says({ dunlin: good, second: good });
    expect([await codeOf('an-opaque-token', { others, ports: first.ports }), first.calls]).toEqual([PASSED, ['dunlin']]);
    const second = says({ dunlin: bad, second: good });
    const found = await ask('an-opaque-token', { others, ports: second.ports });
    expect([found.code, second.calls, whoCalls(found.exchange)?.issuer]).toEqual([PASSED, ['dunlin', 'second'], 'https://second.example']);
  });

  test('“cannot be asked” outweighs “not mine”: whether the token is good is not known', async () => {
    for (const answers of [{ dunlin: bad }, { second: bad }] as Record<string, IntrospectionAnswer>[]) {
      const { code, answer } = await ask('an-opaque-token', { others, ports: says(answers).ports });
      expect([code, answer.status, answer.headers['retry-after']]).toEqual(['token.introspection-unavailable', 503, '5']);
    }
    expect(await codeOf('an-opaque-token', { others, ports: says({ dunlin: bad, second: bad }).ports })).toBe('token.inactive');
  });

  test('a JWT is never sent to them, unless its issuer is one of them', async () => {
    const { calls, ports } = says({ dunlin: good });
    expect(await codeOf(await trust.sign(goodClaims()), { others, ports })).toBe(PASSED);
    expect(await codeOf(await trust.sign(goodClaims({ iss: 'https://nobody.example' })), { others, ports })).toBe('token.issuer-unknown');
    expect(calls).toEqual([]);
    expect(await codeOf(await trust.sign(goodClaims({ iss: 'https://dunlin.example' })), { others, ports })).toBe(PASSED);
    expect(calls).toEqual(['dunlin']);
  });

  test('nothing is asked where nothing can be asked', async () => expect(await codeOf('an-opaque-token', { others })).toBe('token.introspection-unavailable'));
});

// Some frameworks take the method from it; header fields of that kind never go up (common practice).
describe('a query that names another method', () => {
  test.each(['_method=DELETE', '_METHOD=delete', '%5Fmethod=PUT', 'a=1;_method=PUT', '_method[]=PATCH', '_method%5Ba%5D=POST', 'a=1&_method=%20delete+'])(
    '%s is refused',
    async (query) => expect(await codeOf(null, { query: `?${query}` })).toBe('route.method-instead'),
  );
  test.each(['_method=GET', '_method=get', '_method=list', '_method=', '_method', 'method=DELETE', 'x_method=DELETE', 'a=_method=DELETE', '%=1'])(
    '%s says nothing of the kind',
    async (query) => expect(await codeOf(null, { query: `?${query}` })).toBe('credential.missing'),
  );
});
