import '@hyperjump/json-schema/openapi-3-0';
import { validate } from '@hyperjump/json-schema/openapi-3-1';
import { apiRule, NOW, operation, portsOf, releaseOf, requires, sha256, TestKeys } from '../../test/support.js';
import { Exchange } from '../decision/exchange.js';
import { decide } from '../decision/decide.js';
import { answerOf } from '../decision/answer.js';
import { Directory } from '../directory/directory.js';
import type { DirectoryChange } from '../directory/facts.js';
import type { AccessRule } from '../document/access-rule.js';
import type { GuessingRule, LimitRule } from '../document/limit-rule.js';
import type { PlanRule } from '../document/plan-rule.js';
import type { ApiRule, ReleaseDocument, SchemeRule } from '../document/release-document.js';
import { compileRelease } from '../release/compile-release.js';
import { valueAt } from '../util/json-pointer.js';
import { editContract } from './accept-deviation.js';
import { enforcedContract, securityGaps } from './enforced-contract.js';
import { readContract } from './read-contract.js';

type Json = Readonly<Record<string, unknown>>;

/** Two described operations and one behind a reference, which declares no security at all. */
const text = (version: string, inside = ''): string => `openapi: ${version}
info: { title: Gates, version: '1' }
# Kept by whoever wrote it.
paths:
  /x:
    get:
      responses:
        '200': { description: fine }
  /y:
    get:
      security: []
      responses:
        '200': { description: fine }
        4XX: { description: anything else }
${inside}`;

const SCHEMES: readonly SchemeRule[] = [
  { name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place: { kind: 'header', name: 'x-gate-key', scheme: null } },
  { name: 'name', type: 'http-basic', declared: 'http basic', metadataUrl: null, providers: [], place: null },
  { name: 'card', type: 'mutualTLS', declared: 'mutualTLS', metadataUrl: null, providers: [], place: null },
  { name: 'trust', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust'], place: null },
  {
    name: 'signed',
    type: 'openIdConnect',
    declared: 'openIdConnect',
    metadataUrl: 'https://sign-in.example/.well-known/openid-configuration',
    providers: ['trust'],
    place: null,
  },
  { name: 'bearer', type: 'http-bearer', declared: 'http bearer', metadataUrl: null, providers: ['trust'], place: null },
];
const NOTHING = { limits: [], plans: [], guessing: null };
const OPEN: AccessRule = { kind: 'public', origin: 'hand' };
const either = (...names: string[]): AccessRule => ({
  kind: 'required',
  origin: 'hand',
  alternatives: names.map((scheme) => [{ scheme, scopes: ['gates:read'], match: 'all', roles: ['rider'] }]),
});

const gates = (change: Partial<ApiRule> = {}): ApiRule =>
  apiRule({ schemes: SCHEMES, access: requires('key'), operations: [operation('GET', '/x'), operation('GET', '/y', OPEN)], ...change });

function written(
  contract: string,
  api: ApiRule,
  limiting: Parameters<typeof enforcedContract>[2] = NOTHING,
): { readonly text: string; readonly document: Json } {
  const edited = editContract(contract, 'yaml', enforcedContract(readContract(contract).document ?? {}, api, limiting));
  const { document, problems } = readContract(edited);
  expect(problems).toEqual([]);
  return { text: edited, document: document ?? {} };
}
const statuses = (document: Json, path: string): string[] => Object.keys(valueAt(document, `/paths/~1${path}/get/responses`) ?? {}).sort();

describe('a contract as it is enforced', () => {
  // The published schemas of the OpenAPI Specification 3.0 and 3.1, as they come with @hyperjump/json-schema 1.18.0.
  it.each([
    ['3.0.3', 'https://spec.openapis.org/oas/3.0/schema'],
    ['3.1.0', 'https://spec.openapis.org/oas/3.1/schema-base'],
  ])('is a description that keeps to %s, with schemes, scopes and refusals of every kind', async (version, schema) => {
    const api = gates({ access: either('key', 'name', 'card', 'trust', 'signed', 'bearer') });
    const { text: edited, document } = written(text(version), api, { ...NOTHING, limits: [LIMIT] });
    const checked = await validate(schema, document as never, 'BASIC');
    expect(checked.valid ? [] : checked.errors).toEqual([]);
    expect(edited).toContain('# Kept by whoever wrote it.');
    expect(valueAt(document, '/components/securitySchemes/key')).toEqual({ type: 'apiKey', in: 'header', name: 'x-gate-key' });
    // Scopes of schemes that have none may stand in 3.1 alone.
    const scopesOf = Object.assign({}, ...(valueAt(document, '/paths/~1x/get/security') as object[])) as Record<string, string[]>;
    const withScopes = Object.entries(scopesOf).flatMap(([name, scopes]) => (scopes.length > 0 ? [name] : []));
    expect(withScopes).toEqual(version.startsWith('3.0') ? ['trust', 'signed'] : SCHEMES.map(({ name }) => name));
    expect(statuses(document, 'x')).toEqual(['200', '401', '403', '429']);
    // What was said already stays; where nobody is asked, nothing is.
    expect([statuses(document, 'y'), valueAt(document, '/paths/~1y/get/security')]).toEqual([['200', '4XX'], []]);
    // Once more, and nothing is left to say.
    expect(written(edited, api, { ...NOTHING, limits: [LIMIT] }).text).toBe(edited);
  });

  it('says where a key really travels, and leaves schemes alone that nobody uses', () => {
    const inside = `components:
  securitySchemes:
    key: { type: apiKey, in: query, name: key, description: The key of the water office }
    old: { type: http, scheme: digest }
`;
    const { document } = written(text('3.1.0', inside), gates());
    expect(valueAt(document, '/components/securitySchemes')).toEqual({
      key: { type: 'apiKey', in: 'header', name: 'x-gate-key', description: 'The key of the water office' },
      old: { type: 'http', scheme: 'digest' },
    });
  });

  it('asks nobody for what is only observed, nor for what is public', () => {
    for (const api of [
      gates({ access: OPEN }),
      gates({ modes: { all: 'observe', checks: {} } }),
      gates({ modes: { all: 'enforce', checks: { key: 'observe' } } }),
    ]) {
      const { document } = written(text('3.1.0'), api);
      expect([valueAt(document, '/paths/~1x/get/security'), statuses(document, 'x')]).toEqual([[], ['200']]);
    }
  });

  it('does not touch what is shared behind a reference, nor describe what is not described', () => {
    const shared = `${text('3.1.0')}  /z: { $ref: '#/components/pathItems/Z' }
components:
  pathItems:
    Z: { get: { responses: { '200': { description: fine } } } }
`;
    const { document } = written(shared, gates({ operations: [operation('GET', '/z'), operation('GET', '/gone')] }));
    expect(valueAt(document, '/components/pathItems/Z/get')).toEqual({ responses: { '200': { description: 'fine' } } });
    expect(valueAt(document, '/paths/~1gone')).toBeUndefined();
  });
});

const LIMIT: LimitRule = { name: 'a minute', by: { kind: 'everyone' }, method: 'fixed', requests: 1, seconds: 60, burst: null, mode: 'enforce' };
const PLAN: PlanRule = {
  id: 'small',
  name: 'Small',
  description: '',
  covers: [{ apiId: 'gates', operations: 'ALL' }],
  rate: { requests: 1, seconds: 60, burst: 1 },
  quota: null,
  atOnce: null,
  requestBytes: null,
  mode: 'enforce',
  approval: 'by-hand',
};
const GUESSING: GuessingRule = { mode: 'enforce', seconds: 60, byAddress: 1, byCredential: null };
const ASKED = { asked: true, attribute: null };
const soft = { all: 'enforce', checks: { limit: 'observe' } } as const;

describe('429 is said where requests are refused for their number, and nowhere else', () => {
  const keys = new TestKeys();
  const facts: DirectoryChange[] = [
    { what: 'client', id: 'a', value: { id: 'a', name: 'A', enabled: true, roles: [], metadata: {} } },
    {
      what: 'credential',
      id: 'k',
      value: { id: 'k', clientId: 'a', kind: 'key', name: 'first', lookup: sha256('key-of-a'), digest: null, expiresAt: null, revokedAt: null },
    },
    { what: 'subscription', id: 's', value: { id: 's', clientId: 'a', planId: 'small', state: 'active', startsAt: null, endsAt: null } },
  ];

  /** Statuses that the gateway gives to the same calls, made again and again, with a good key and with a wrong one. */
  async function given(document: ReleaseDocument): Promise<Set<number>> {
    const directory = new Directory(facts);
    const found = new Set<number>();
    for (const key of ['key-of-a', 'wrong']) {
      const release = compileRelease(
        document,
        portsOf(keys, () => NOW, { directory: () => directory }),
      );
      for (let turn = 0; turn < 4; turn++) {
        const from = { address: '192.0.2.7', via: [], unread: '' };
        const exchange = new Exchange({ method: 'GET', target: '/gates-api/x', headers: { 'x-gate-key': key }, body: null, from });
        const verdict = await decide(release, exchange);
        if (verdict.kind === 'answer') found.add(answerOf(verdict.finding, exchange, { publicOrigin: 'https://gw.example', requestId: 'r' }).status);
        exchange.end();
      }
    }
    return found;
  }

  it.each<[string, Partial<ApiRule>, Partial<ReleaseDocument>]>([
    ['no rule at all', {}, {}],
    ['a limit of the gateway', {}, { limits: [LIMIT] }],
    ['a limit of the API', { limits: [LIMIT] }, {}],
    ['a limit of the operation', { operations: [{ ...operation('GET', '/x'), limits: [LIMIT] }] }, {}],
    ['a limit of another operation', { operations: [operation('GET', '/x'), { ...operation('GET', '/y', OPEN), limits: [LIMIT] }] }, {}],
    ['a limit that only observes', { limits: [{ ...LIMIT, mode: 'observe' }] }, {}],
    ['a limit where limits only observe', { limits: [LIMIT], modes: soft }, {}],
    ['a limit where the operation lets limits only observe', { limits: [LIMIT], operations: [{ ...operation('GET', '/x'), modes: soft }] }, {}],
    ['a limit of what anybody may call', { limits: [LIMIT], access: OPEN }, {}],
    ['a plan with a rate', { plan: ASKED }, { plans: [PLAN] }],
    ['a plan that only observes', { plan: ASKED }, { plans: [{ ...PLAN, mode: 'observe' }] }],
    ['a plan without a number', { plan: ASKED }, { plans: [{ ...PLAN, rate: null }] }],
    ['a plan that does not open it', { plan: ASKED }, { plans: [{ ...PLAN, covers: [] }] }],
    ['a plan that is not asked for', {}, { plans: [PLAN] }],
    [
      'a plan that the operation does not ask for',
      { plan: ASKED, operations: [{ ...operation('GET', '/x'), plan: { ...ASKED, asked: false } }] },
      { plans: [PLAN] },
    ],
    ['a plan where limits only observe', { plan: ASKED, modes: soft }, { plans: [PLAN] }],
    ['guessing that is held up', {}, { guessing: GUESSING }],
    ['guessing that is only observed', {}, { guessing: { ...GUESSING, mode: 'observe' } }],
    ['guessing where nobody is asked', { access: OPEN }, { guessing: GUESSING }],
  ])('%s', async (_name, api, document) => {
    const rule = gates({ schemes: SCHEMES.slice(0, 1), ...api });
    const release = { ...releaseOf([], rule), ...document };
    const declared = statuses(written(text('3.1.0'), rule, release).document, 'x').includes('429');
    expect(declared).toBe((await given(release)).has(429));
  });
});

describe('where the contract declares other than what is enforced', () => {
  const declares = (security: string): Json =>
    readContract(text('3.1.0').replace('    get:\n      responses', `    get:\n      security: ${security}\n      responses`)).document as Json;
  it.each<[string, string, Partial<ApiRule>, string[]]>([
    ['the same', '[{ key: [] }]', {}, []],
    ['the same in another order of scopes', '[{ key: [b, a] }]', { access: requires('key', 'a', 'b') }, []],
    ['more than is declared', '[]', {}, ['asked-instead']],
    ['nothing at all', '[{ key: [] }]', { access: OPEN }, ['open-instead']],
    ['another scheme', '[{ name: [] }]', {}, ['other']],
    ['one alternative more', '[{ key: [] }]', { access: either('key', 'name') }, ['other']],
    ['only observed', '[{ key: [] }]', { modes: { all: 'observe', checks: {} } }, ['only-observed']],
    ['an operation that is not described', '[{ key: [] }]', { operations: [operation('GET', '/z')] }, ['not-described']],
  ])('%s', (_name, security, api, kinds) => {
    const document = declares(security);
    const gaps = securityGaps(document, gates(api)).filter(({ path }) => path !== '/y');
    expect(gaps.map(({ kind }) => kind)).toEqual(kinds);
    for (const { declared, enforced } of gaps) expect([declared, enforced]).not.toContain('');
  });
});
