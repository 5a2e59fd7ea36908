import { AUDIENCE, apiRule, goodClaims, makeProvider, NOW, operation, portsOf, releaseOf, requires, TestKeys, type TestProvider } from '../../test/support.js';
import type { AccessRule } from '../document/access-rule.js';
import type { ApiRule } from '../document/release-document.js';
import { UPSTREAM_LIMITS } from '../document/upstream-limits.js';
import type { ProviderRule } from '../document/provider-rule.js';
import { checkRights, compileRights } from '../access/check-rights.js';
import { compileRelease } from '../release/compile-release.js';
import { ConfigError } from '../util/config-error.js';
import { answerOf } from './answer.js';
import type { CompiledRelease } from './compiled.js';
import { decide } from './decide.js';
import { Exchange } from './exchange.js';
import { resourceMetadata } from './resource-metadata.js';

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

const compile = (...apis: ApiRule[]): CompiledRelease =>
  compileRelease(releaseOf([trust.rule, other.rule], ...(apis.length > 0 ? apis : [apiRule()])), portsOf(keys));

async function ask(release: CompiledRelease, method: string, target: string, headers: Record<string, string> = {}) {
  const exchange = new Exchange({ method, target, headers });
  const verdict = await decide(release, exchange);
  const answer = verdict.kind === 'answer' ? answerOf(verdict.finding, exchange, { publicOrigin: 'https://gw.example', requestId: 'r1' }) : null;
  return { verdict, exchange, code: verdict.finding.code, kind: verdict.kind, answer, challenge: answer?.headers['www-authenticate'] };
}

const bearer = (token: string, scheme = 'Bearer') => ({ authorization: `${scheme} ${token}` });
const METADATA = 'resource_metadata="https://gw.example/.well-known/oauth-protected-resource/gates-api"';

describe('answers of RFC 6750', () => {
  test('no credential: 401, a bare challenge and no error code (section 3.1)', async () => {
    const { answer, challenge } = await ask(compile(), 'GET', '/gates-api/gates');
    expect(answer?.status).toBe(401);
    expect(challenge).toBe(`Bearer realm="Gates", ${METADATA}`);
    expect(challenge).not.toContain('error');
  });

  test('a bad token: 401 invalid_token', async () => {
    const { answer, challenge } = await ask(compile(), 'GET', '/gates-api/gates', bearer('not.a.token'));
    expect(answer?.status).toBe(401);
    expect(challenge).toContain('error="invalid_token"');
  });

  test('a missing right: 403 insufficient_scope that names the scopes', async () => {
    const { answer, challenge } = await ask(compile(), 'POST', '/gates-api/gates/G-1/positions', bearer(await trust.sign(goodClaims())));
    expect(answer?.status).toBe(403);
    expect(challenge).toContain('error="insufficient_scope"');
    expect(challenge).toContain('scope="gates:operate"');
  });

  test.each([
    ['nothing behind Bearer', 'Bearer '],
    ['no scheme', 'abc.def.ghi'],
    ['Bearer twice', 'Bearer Bearer abc'],
    ['quotes', 'Bearer "abc"'],
    ['a blank inside', 'Bearer abc def'],
    ['two headers, joined', 'Bearer abc, Bearer def'],
  ])('a malformed request (%s): 400 invalid_request', async (_name, authorization) => {
    const { answer, challenge } = await ask(compile(), 'GET', '/gates-api/gates', { authorization });
    expect(answer?.status).toBe(400);
    expect(challenge).toContain('error="invalid_request"');
  });

  test('more than one way of sending a token is refused (section 2)', async () => {
    const { code } = await ask(compile(), 'GET', '/gates-api/gates?access_token=abc', bearer(await trust.sign(goodClaims())));
    expect(code).toBe('credential.repeated');
  });

  test('a token in the query alone is not read', async () => {
    const { code, answer } = await ask(compile(), 'GET', `/gates-api/gates?access_token=${await trust.sign(goodClaims())}`);
    expect([code, answer?.status]).toEqual(['credential.in-query', 401]);
  });

  test.each(['bearer', 'BEARER', 'Bearer'])('the scheme %s is compared without case', async (scheme) => {
    expect((await ask(compile(), 'GET', '/gates-api/gates', bearer(await trust.sign(goodClaims()), scheme))).kind).toBe('forward');
  });

  test('another scheme is named to the operator only', async () => {
    const { code, challenge } = await ask(compile(), 'GET', '/gates-api/gates', { authorization: 'Basic dTpw' });
    expect(code).toBe('credential.other-scheme');
    expect(challenge).not.toContain('error');
  });

  test('which check refused a token stays with the operator', async () => {
    const release = compile();
    const third = await makeProvider('trust');
    const forged = await ask(release, 'GET', '/gates-api/gates', bearer(await third.sign(goodClaims())));
    const foreign = await ask(release, 'GET', '/gates-api/gates', bearer(await trust.sign(goodClaims({ iss: 'https://nobody.example' }))));
    expect([forged.code, foreign.code]).toEqual(['token.signature-invalid', 'token.issuer-unknown']);
    expect(forged.answer).toEqual(foreign.answer);
  });

  test('no caller’s claim comes back in an answer', async () => {
    const { answer } = await ask(compile(), 'GET', '/gates-api/gates', bearer(await trust.sign(goodClaims({ aud: 'https://"evil\r\nset-cookie: x.example' }))));
    expect(JSON.stringify(answer)).not.toContain('evil');
  });
});

describe('steps of a request', () => {
  test('a good token passes every check in order, the second time known', async () => {
    const release = compile();
    const token = await trust.sign(goodClaims());
    const first = await ask(release, 'GET', '/gates-api/gates/G-12', bearer(token));
    expect(first.exchange.steps.map((step) => step.finding.code)).toEqual([
      'route.matched',
      'credential.found',
      'token.verified',
      'proof.not-asked',
      'claims.not-asked',
      'rights.sufficient',
    ]);
    expect(first.exchange.parameters).toEqual(['G-12']);
    const again = decide(release, new Exchange({ method: 'GET', target: '/gates-api/gates', headers: bearer(token) }));
    expect(again).not.toBeInstanceOf(Promise);
    expect((await again).kind).toBe('forward');
  });

  test('all exchanges have one shape from the beginning', async () => {
    const fresh = new Exchange({ method: 'GET', target: '/', headers: {} });
    const names = Object.keys(fresh);
    const { exchange } = await ask(compile(), 'GET', '/gates-api/gates', bearer(await trust.sign(goodClaims())));
    expect(Object.keys(exchange)).toEqual(names);
  });

  test('a fault inside a step is a refusal (fail closed), and its error is told with the step', async () => {
    const faults: unknown[] = [];
    const release = compileRelease(
      releaseOf([trust.rule], apiRule()),
      portsOf(keys, () => NOW, { fault: (error, at) => faults.push([at, (error as Error).message]) }),
    );
    keys.held = () => {
      throw new Error('broken');
    };
    const { code, answer } = await ask(release, 'GET', '/gates-api/gates', bearer(await trust.sign(goodClaims())));
    expect([code, answer?.status]).toEqual(['gateway.fault', 500]);
    expect(faults).toEqual([['token', 'broken']]);
  });

  test('a known token is not taken any more when its keys were withdrawn or it expired meanwhile', async () => {
    let now = NOW;
    const release = compileRelease(
      releaseOf([trust.rule], apiRule()),
      portsOf(keys, () => now),
    );
    const headers = bearer(await trust.sign(goodClaims()));
    expect((await ask(release, 'GET', '/gates-api/gates', headers)).kind).toBe('forward');
    now += 700_000;
    expect((await ask(release, 'GET', '/gates-api/gates', headers)).code).toBe('token.expired');
    now = NOW;
    keys.set('trust', { ...other.key });
    expect((await ask(release, 'GET', '/gates-api/gates', headers)).code).toBe('token.key-unknown');
  });

  test('a token known under one release is known under the next, unless its provider is trusted in another way', async () => {
    const ports = portsOf(keys);
    const token = bearer(await trust.sign(goodClaims()));
    const under = async (rule: ProviderRule) =>
      (await ask(compileRelease(releaseOf([rule], apiRule()), ports), 'GET', '/gates-api/gates', token)).exchange.steps[2]?.finding.code;
    const again = (): ProviderRule => JSON.parse(JSON.stringify(trust.rule)) as ProviderRule;
    expect(await under(trust.rule)).toBe('token.verified');
    expect(await under(again())).toBe('token.known');
    const client = { ...trust.rule.claimMap.client, paths: ['azp'] };
    expect(await under({ ...again(), claimMap: { ...trust.rule.claimMap, client } })).toBe('token.verified');
  });

  test('what matches nothing is refused', async () => {
    const release = compile(apiRule(), apiRule({ id: 'off', name: 'Off', basePath: '/off', enabled: false }));
    expect((await ask(release, 'GET', '/elsewhere')).code).toBe('route.no-api');
    expect((await ask(release, 'GET', '/gates-api/unknown')).code).toBe('route.no-operation');
    expect((await ask(release, 'GET', '/off/gates')).code).toBe('route.api-off');
    const { code, answer } = await ask(release, 'DELETE', '/gates-api/gates');
    expect([code, answer?.status, answer?.headers['allow']]).toEqual(['route.method-not-allowed', 405, 'GET, HEAD']);
  });

  test('a public operation asks for nothing', async () => {
    const { exchange, kind } = await ask(compile(), 'GET', '/gates-api/public', { authorization: 'Bearer whatever' });
    expect(kind).toBe('forward');
    expect(exchange.steps.map((step) => step.finding.code)).toEqual(['route.matched', 'credential.not-asked']);
  });
});

describe('security requirements (OpenAPI 3.1.2 section 4.8.30)', () => {
  const schemes: ApiRule['schemes'] = [
    { name: 'a', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust'], place: null },
    { name: 'b', type: 'openIdConnect', declared: 'openIdConnect', metadataUrl: null, providers: ['other', 'trust'], place: null },
    { name: 'key', type: 'unsupported', declared: 'http digest', metadataUrl: null, providers: [], place: null },
  ];
  const outcome = async (access: AccessRule, token: string | null) => {
    const api = apiRule({ schemes, operations: [operation('GET', '/x', access)], access: { kind: 'public', origin: 'hand' } });
    return (await ask(compile(api), 'GET', '/gates-api/x', token === null ? {} : bearer(token))).code;
  };
  const rule = (...alternatives: (readonly [string, string[], ('all' | 'any')?][])[]): AccessRule => ({
    kind: 'required',
    origin: 'hand',
    alternatives: alternatives.map((one) => one.map(([scheme, scopes, match = 'all']) => ({ scheme, scopes, match, roles: [] }))),
  });

  test('without a principal nobody meets anything but `{}`, whoever asks', () => {
    const scheme = { name: 'a', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust'], place: null } as const;
    const of = (access: AccessRule) => compileRights(access, [scheme]);
    const [closed, nobody, optional] = [of(rule([['a', []]])), of(rule()), of(rule([], [['a', ['x']]]))];
    if (!closed || !nobody || !optional) throw new Error('these rules ask for something');
    expect([closed, nobody, optional].map((rights) => checkRights(rights, []).found.code)).toEqual([
      'rights.nothing-proved',
      'rights.nothing-proved',
      'rights.anonymous',
    ]);
  });

  test.each([[[AUDIENCE, 7]], [[AUDIENCE, null]], [{ 0: AUDIENCE }], [7]])('an audience %j that cannot be read is refused', async (aud) => {
    expect(await outcome(rule([['a', []]]), await trust.sign(goodClaims({ aud: aud as string[] })))).toBe('token.claim-malformed');
  });

  test('one alternative is enough', async () => {
    const either = rule([['a', ['x']]], [['b', ['gates:read']]]);
    expect(await outcome(either, await trust.sign(goodClaims()))).toBe('rights.sufficient');
    expect(await outcome(either, await other.sign(goodClaims()))).toBe('rights.sufficient');
    expect(await outcome(either, await other.sign(goodClaims({ scope: 'x' })))).toBe('rights.scope-missing');
  });

  test('all schemes of an alternative are needed', async () => {
    const both = rule([
      ['a', ['x']],
      ['b', ['y']],
    ]);
    expect(await outcome(both, await trust.sign(goodClaims({ scope: 'x y' })))).toBe('rights.sufficient');
    expect(await outcome(both, await trust.sign(goodClaims({ scope: 'x' })))).toBe('rights.scope-missing');
    expect(await outcome(both, await other.sign(goodClaims({ scope: 'x y' })))).toBe('rights.provider-not-accepted');
  });

  test('`{}` takes anonymous callers, and still refuses a bad proof', async () => {
    const optional = rule([], [['a', ['x']]]);
    expect(await outcome(optional, null)).toBe('rights.anonymous');
    expect(await outcome(optional, await trust.sign(goodClaims()))).toBe('rights.anonymous');
    expect(await outcome(optional, await trust.sign(goodClaims({ exp: 1 })))).toBe('token.expired');
  });

  test('all or any of the scopes; `scope` as text or `scp` as an array', async () => {
    const all = rule([['a', ['x', 'y']]]);
    const any = rule([['a', ['x', 'y'], 'any']]);
    const one = await trust.sign(goodClaims({ scope: undefined, scp: ['y'] }));
    expect(await outcome(all, one)).toBe('rights.scope-missing');
    expect(await outcome(any, one)).toBe('rights.sufficient');
  });

  test('a scheme that cannot be checked lets nobody in', async () => {
    expect(await outcome(rule([['key', []]]), await trust.sign(goodClaims()))).toBe('credential.not-checkable');
    expect(
      await outcome(
        rule([
          ['key', []],
          ['a', []],
        ]),
        await trust.sign(goodClaims()),
      ),
    ).toBe('rights.provider-not-accepted');
    expect(await outcome(requires('nothing-of-that-name'), await trust.sign(goodClaims()))).toBe('credential.not-checkable');
  });

  test('a provider that no alternative accepts is refused at the token', async () => {
    expect(await outcome(rule([['a', []]]), await other.sign(goodClaims()))).toBe('token.issuer-not-accepted');
  });
});

describe('browsers', () => {
  const cors = { origins: ['https://map.example'], credentials: false, requestHeaders: ['authorization'], exposedHeaders: [], maxAgeSeconds: 600 };
  const preflight = (origin: string) => ({ origin, 'access-control-request-method': 'POST' });

  test('a preflight is answered before any credential check', async () => {
    const { code, answer } = await ask(compile(apiRule({ cors })), 'OPTIONS', '/gates-api/gates/G-1/positions', preflight('https://map.example'));
    expect([code, answer?.status]).toEqual(['preflight.answered', 204]);
    expect(answer?.headers).toMatchObject({
      'access-control-allow-origin': 'https://map.example',
      'access-control-allow-methods': 'POST',
      'access-control-allow-headers': 'authorization',
    });
  });

  test('a refusal carries the CORS headers, so that the page sees the 401', async () => {
    const { answer } = await ask(compile(apiRule({ cors })), 'GET', '/gates-api/gates', { origin: 'https://map.example' });
    expect([answer?.status, answer?.headers['access-control-allow-origin']]).toEqual([401, 'https://map.example']);
  });

  test('other origins get none', async () => {
    const release = compile(apiRule({ cors }));
    expect((await ask(release, 'OPTIONS', '/gates-api/gates/G-1/positions', preflight('https://evil.example'))).answer?.status).toBe(403);
    expect((await ask(release, 'GET', '/gates-api/gates', { origin: 'https://evil.example' })).answer?.headers['access-control-allow-origin']).toBeUndefined();
    expect((await ask(compile(), 'OPTIONS', '/gates-api/gates/G-1/positions', preflight('https://map.example'))).answer?.status).toBe(405);
  });
});

describe('resource metadata (RFC 9728, from memory)', () => {
  test('names the resource, its servers and its scopes', () => {
    const release = compile();
    const api = release.metadata.get('/.well-known/oauth-protected-resource/gates-api');
    expect(api && resourceMetadata(release, api)).toEqual({
      resource: 'https://api.example',
      resource_name: 'Gates',
      authorization_servers: ['https://sign-in.example'],
      scopes_supported: ['gates:read'],
      bearer_methods_supported: ['header'],
      dpop_signing_alg_values_supported: ['RS256', 'RS384', 'RS512', 'PS256', 'PS384', 'PS512', 'ES256', 'ES384', 'ES512', 'EdDSA', 'Ed25519'],
      dpop_bound_access_tokens_required: false,
      tls_client_certificate_bound_access_tokens: false,
    });
  });
});

describe('a release that cannot be used says where', () => {
  test.each<[string, ApiRule[], string]>([
    ['two APIs with one base path', [apiRule(), apiRule({ id: 'b' })], '/apis/1/basePath'],
    [
      'a provider that is not there',
      [apiRule({ schemes: [{ name: 's', type: 'oauth2', declared: '', metadataUrl: null, providers: ['nobody'], place: null }] })],
      '/apis/0/schemes/0/providers/0',
    ],
    ['operations that match alike', [apiRule({ operations: [operation('GET', '/{a}'), operation('GET', '/{b}')] })], '/apis/0/operations/1'],
    ['a base path with a dot segment', [apiRule({ basePath: '/a/..' })], '/apis/0/basePath'],
    [
      'any origin with credentials',
      [apiRule({ cors: { origins: ['*'], credentials: true, requestHeaders: [], exposedHeaders: [], maxAgeSeconds: 0 } })],
      '/apis/0/cors/credentials',
    ],
    [
      'credentials in the upstream address',
      [
        apiRule({
          upstream: { url: 'http://u:p@h', connectTimeoutMs: 100, responseTimeoutMs: 100, sendCredential: true, callerFields: 'both', limits: UPSTREAM_LIMITS },
        }),
      ],
      '/apis/0/upstream/url',
    ],
  ])('%s', (_name, apis, pointer) => {
    let caught: unknown;
    try {
      compile(...apis);
    } catch (error) {
      caught = error;
    }
    expect(caught).toBeInstanceOf(ConfigError);
    expect((caught as ConfigError).pointer).toBe(pointer);
  });
});
