import { apiRule, makeProvider, operation, providerRule, releaseOf, requires } from '../../test/support.js';
import type { AccessRule } from '../document/access-rule.js';
import type { AuthorizerRule } from '../document/authorizer-rule.js';
import { sourceOf, STANDARD_CLAIM_MAP } from '../document/claim-map.js';
import type { ApiRule, ReleaseDocument } from '../document/release-document.js';
import { tokenRule } from '../document/token-rule.js';
import { canonicalJson } from '../util/canonical-json.js';
import { diffReleases } from './diff-releases.js';

const withRoles = (...roles: string[]): AccessRule => ({
  kind: 'required',
  origin: 'hand',
  alternatives: [[{ scheme: 'trust', scopes: ['gates:read'], match: 'all', roles }]],
});

test('two releases are compared in words', async () => {
  const { rule } = await makeProvider('trust');
  const before = releaseOf([rule], apiRule({ operations: [operation('GET', '/a'), operation('GET', '/b')] }));
  const after = releaseOf(
    [{ ...rule, leewaySeconds: 60 }],
    apiRule({ version: '2', operations: [operation('GET', '/a', requires('trust', 'x')), operation('POST', '/c')] }),
    apiRule({ id: 'new', name: 'New', basePath: '/new' }),
  );
  expect(diffReleases(before, before)).toEqual([]);
  expect(diffReleases(before, after).map((change) => `${change.kind} ${change.subject}: ${change.detail}`)).toEqual([
    'changed trust: clock leeway 30 → 60',
    'changed Gates: version 1 → 2',
    'changed Gates GET /a: as the API → scope x',
    'added Gates POST /c: new: scope gates:read',
    'removed Gates GET /b: removed',
    'added New: new, 4 operations at /new',
  ]);
  expect(diffReleases(null, before).map((change) => change.kind)).toEqual(['added', 'added']);
});

test('equal documents have equal canonical text, whatever the order of their members (RFC 8785 section 3.2.3)', () => {
  expect(canonicalJson({ b: 1, a: [{ d: undefined, c: null }], '\u20ac': 'x' })).toBe('{"a":[{"c":null}],"b":1,"€":"x"}');
  expect(canonicalJson({ a: 1, b: 2 })).toBe(canonicalJson({ b: 2, a: 1 }));
});

describe('what is new about tokens is said too', () => {
  const base = () => releaseOf([providerRule()], apiRule({ operations: [operation('GET', '/a')] }));
  const details = (after: ReleaseDocument) => diffReleases(base(), after).map((change) => `${change.what} ${change.detail}`);

  test.each<[string, ReleaseDocument, string[]]>([
    [
      'another source of keys',
      releaseOf([providerRule({ source: { kind: 'key-set-url', url: 'https://a.example' } })], base().apis[0] as ApiRule),
      ['provider where its keys or answers come from changed'],
    ],
    [
      'a claim map',
      releaseOf([providerRule({ claimMap: { ...STANDARD_CLAIM_MAP, roles: sourceOf(['x']) } })], base().apis[0] as ApiRule),
      ['provider claim map changed'],
    ],
    [
      'token checks of an API',
      releaseOf([providerRule()], apiRule({ operations: [operation('GET', '/a')], token: tokenRule(['b']) })),
      ['api token checks changed'],
    ],
    [
      'token checks of an operation',
      releaseOf([providerRule()], apiRule({ operations: [{ ...operation('GET', '/a'), token: { clients: ['c'] } }] })),
      ['operation token checks changed'],
    ],
    [
      'a hop for certificates',
      { ...base(), certificateHeader: { name: 'client-cert', trustedHops: ['192.0.2.7'] } },
      ['gateway header of client certificates changed'],
    ],
    [
      'a role',
      releaseOf([providerRule()], apiRule({ operations: [operation('GET', '/a', withRoles('rider'))] })),
      ['operation as the API → scope gates:read and the role rider'],
    ],
    [
      'several roles',
      releaseOf([providerRule()], apiRule({ operations: [operation('GET', '/a', withRoles('rider', 'dispatcher'))] })),
      ['operation as the API → scope gates:read and one of the roles rider, dispatcher'],
    ],
  ])('%s', (_name, after, expected) => expect(details(after)).toEqual(expected));
});

test('authorizers are compared one by one, by their names', () => {
  const made = (name: string, change: Partial<AuthorizerRule> = {}): AuthorizerRule => ({
    name,
    description: '',
    by: { kind: 'script', source: 'function decide() { return { allow: true } }', timeMs: 20, megabytes: 8, tables: [], body: false },
    passes: [],
    cache: null,
    cases: [],
    ...change,
  });
  const of = (...authorizers: AuthorizerRule[]): ReleaseDocument => ({ ...releaseOf([providerRule()], apiRule()), authorizers });
  const said = diffReleases(of(made('one'), made('two'), made('three')), of(made('one'), made('two', { passes: ['x-a'] }), made('four')));
  expect(said.map(({ what, id, kind, detail }) => [what, id, kind, detail])).toEqual([
    ['authorizer', 'two', 'changed', 'header fields that it may pass up changed'],
    ['authorizer', 'four', 'added', 'new, a script'],
    ['authorizer', 'three', 'removed', 'removed'],
  ]);
});
