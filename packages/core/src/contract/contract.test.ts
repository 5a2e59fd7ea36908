import fc from 'fast-check';
import { readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fixture } from '../../test/support.js';
import { apiRule, requires } from '../../test/support.js';
import { compareCallers } from '../access/compare-callers.js';
import type { AccessRule } from '../document/access-rule.js';
import { AS_ITS_API } from '../document/plain-rules.js';
import type { ApiRule } from '../document/release-document.js';
import { diffContracts, type Declared } from './diff-contracts.js';
import { listOperations } from './list-operations.js';
import { readContract } from './read-contract.js';

const read = (text: string) => {
  const contract = readContract(text);
  return { contract, listed: contract.document && contract.version ? listOperations(contract.document) : null };
};
const minimal = (paths: string, rest = '') => `openapi: 3.1.0\ninfo: { title: T, version: '1' }\npaths:\n${paths}\n${rest}`;

describe('descriptions published with the OpenAPI Specification', () => {
  test.each([
    ['petstore.yaml', 3],
    ['petstore-expanded.yaml', 4],
    ['api-with-examples.yaml', 2],
    ['callback-example.yaml', 1],
    ['link-example.yaml', 6],
    ['uspto.yaml', 3],
  ])('%s has %i operations', (name, count) => {
    const { contract, listed } = read(fixture(`openapi/${name}`));
    expect(contract.problems).toEqual([]);
    expect(listed?.operations).toHaveLength(count);
  });
});

describe('@readme/oas-examples', () => {
  const root = dirname(createRequire(import.meta.url).resolve('@readme/oas-examples/package.json'));
  const files = ['3.0', '3.1'].flatMap((version) =>
    ['json', 'yaml'].flatMap((format) =>
      readdirSync(join(root, version, format))
        .filter((name) => /\.(json|yaml)$/.test(name))
        .map((name) => join(version, format, name)),
    ),
  );

  test('there are many', () => expect(files.length).toBeGreaterThan(60));

  test.each(files)('%s is read, and every path item method is listed', (file) => {
    const { contract, listed } = read(readFileSync(join(root, file), 'utf8'));
    expect(contract.problems.filter((problem) => problem.severity === 'error')).toEqual([]);
    const paths = Object.values((contract.document?.['paths'] ?? {}) as Record<string, Record<string, unknown>>);
    const methods = paths.flatMap((item) => Object.keys(item).filter((name) => /^(get|put|post|delete|options|head|patch|trace)$/.test(name)));
    const dropped = listed?.problems.items.filter((problem) => problem.severity === 'error' && problem.pointer.startsWith('/paths')) ?? [];
    if (paths.every((item) => item['$ref'] === undefined) && dropped.length === 0) expect(listed?.operations).toHaveLength(methods.length);
  });
});

describe('security as the first draft of who may call', () => {
  const text = minimal(
    '  /a: { get: {}, post: { security: [] }, put: { security: [{ s: [x] }, { s: [y, z] }, {}] } }\n  /b: { get: { security: [{ k: [] }, { missing: [] }] } }',
    'security: [{ s: [r] }]\ncomponents: { securitySchemes: { s: { type: oauth2, flows: { clientCredentials: { tokenUrl: https://x.example, scopes: { r: read } } } }, k: { type: http, scheme: digest } } }',
  );

  test('is read with default, override, public and anonymous', () => {
    const { listed } = read(text);
    const by = (method: string, path: string) => listed?.operations.find((item) => item.method === method && item.path === path)?.access;
    expect(listed?.access).toEqual({ kind: 'required', origin: 'contract', alternatives: [[{ scheme: 's', scopes: ['r'], match: 'all', roles: [] }]] });
    expect(by('GET', '/a')).toBeNull();
    expect(by('POST', '/a')).toEqual({ kind: 'public', origin: 'contract' });
    expect(by('PUT', '/a')).toMatchObject({ alternatives: [[{ scopes: ['x'] }], [{ scopes: ['y', 'z'] }], []] });
    expect(listed?.scopes).toEqual([{ name: 'r', description: 'read' }]);
    expect(listed?.schemes.map((scheme) => scheme.type)).toEqual(['oauth2', 'unsupported']);
    expect(listed?.problems.items.map((problem) => problem.pointer)).toEqual(
      expect.arrayContaining(['/components/securitySchemes/k', '/paths/~1b/get/security/1/missing']),
    );
  });

  test('where the contract says that metadata is, for openIdConnect alone', () => {
    const contract = `openapi: 3.1.0
info: { title: T, version: '1' }
paths: { /a: { get: {} } }
components:
  securitySchemes:
    one: { type: openIdConnect, openIdConnectUrl: 'https://a.example/.well-known/openid-configuration' }
    two: { type: openIdConnect }
    three: { type: oauth2, openIdConnectUrl: 'https://b.example', flows: {} }
    four: { type: openIdConnect, openIdConnectUrl: 7 }
`;
    expect(read(contract).listed?.schemes.map((scheme) => [scheme.name, scheme.metadataUrl, scheme.providers])).toEqual([
      ['one', 'https://a.example/.well-known/openid-configuration', []],
      ['two', null, []],
      ['three', null, []],
      ['four', null, []],
    ]);
  });

  test('no word about security is open, which is not the same as public', () => expect(read(minimal('  /a: { get: {} }')).listed?.access.kind).toBe('open'));
});

describe('descriptions that cannot be used in part or at all', () => {
  test.each<[string, string, RegExp, number | null]>([
    ['empty', '', /empty/, null],
    ['broken JSON', '{\n  "openapi": "3.1.0",\n  "info": }', /not JSON/, 3],
    ['broken YAML', 'openapi: 3.1.0\n  info: [', /not YAML/, null],
    ['a list', '- a\n- b', /not an object/, 1],
    ['2.0', 'swagger: "2.0"\ninfo: {}', /version 2.0/, null],
    ['3.2', 'openapi: 3.2.0', /3\.2\.0 is not read/, null],
    ['a number as version', 'openapi: 3.1', /number/, null],
    ['something else', 'hello: world', /no member/, null],
  ])('%s', (_name, text, message, line) => {
    const { problems, version } = readContract(text);
    expect(version).toBeNull();
    expect(problems[0]).toMatchObject({ severity: 'error', message: expect.stringMatching(message) });
    if (line !== null) expect(problems[0]?.line).toBe(line);
  });

  test('circles, missing targets and foreign references are named with their line', () => {
    const text = minimal(
      "  /a: { $ref: '#/paths/~1b' }\n  /b: { $ref: '#/paths/~1a' }\n  /c:\n    get:\n      responses:\n        '200': { $ref: 'https://other.example/x.yaml' }\n        '404': { $ref: '#/components/responses/Gone' }",
    );
    const { contract, listed } = read(text);
    const messages = listed?.problems.items.map((problem) => problem.message).join('\n') ?? '';
    expect(messages).toMatch(/leads back to itself/);
    expect(messages).toMatch(/outside this document/);
    expect(messages).toMatch(/which is not there/);
    const foreign = listed?.problems.items.find((problem) => problem.message.includes('outside'))?.pointer ?? '';
    expect(contract.locate([foreign]).get(foreign)).toBe(9);
  });

  test('operations that match alike, repeated ids and broken templates are named', () => {
    const { listed } = read(
      minimal('  /a/{x}: { get: { operationId: one } }\n  /a/{y}: { get: { operationId: one } }\n  /b/{: { get: {} }\n  /c: { get: { operationId: one } }'),
    );
    const messages = listed?.problems.items.map((problem) => problem.message).join('\n') ?? '';
    expect(messages).toMatch(/matches the same requests/);
    expect(messages).toMatch(/unbalanced brace/);
    expect(messages).toMatch(/another operation has the operationId one/);
    expect(listed?.operations).toHaveLength(2);
  });

  test('an alias bomb, deep nesting and names of prototypes do no harm', () => {
    const bomb = `a: &a [x]\n${'bcdefghijk'
      .split('')
      .map((name, index) => `${name}: &${name} [${Array(20).fill(`*${'abcdefghij'[index]}`).join(',')}]`)
      .join('\n')}\nopenapi: 3.1.0`;
    expect(readContract(bomb).document).toBeNull();
    expect(readContract(`{"openapi":"3.1.0","paths":${'{"a":'.repeat(300)}1${'}'.repeat(300)}}`).problems[0]?.message).toMatch(/nested deeper/);
    const { listed } = read(
      '{"openapi":"3.1.0","paths":{"/a":{"get":{"security":[{"__proto__":[]},{"constructor":[]}],"responses":{"200":{"$ref":"#/__proto__/x"}}}}},"components":{"securitySchemes":{"toString":{"$ref":"#/constructor"}}}}',
    );
    expect(listed?.operations).toHaveLength(1);
  });

  test('a repeated member of JSON is told with its line', () => {
    expect(readContract('{\n"openapi": "3.1.0",\n"paths": {},\n"paths": {}\n}').problems).toEqual([
      { severity: 'notice', pointer: '/paths', line: 4, message: expect.stringContaining('twice') },
    ]);
  });

  test('ten megabytes and thousands of operations are read', () => {
    const paths = Object.fromEntries(
      Array.from({ length: 5000 }, (_, index) => [`/things/${index}/{id}`, { get: { operationId: `op${index}`, description: 'x'.repeat(1900) } }]),
    );
    const { contract, listed } = read(JSON.stringify({ openapi: '3.1.0', info: { title: 'T', version: '1' }, paths }));
    expect(contract.problems).toEqual([]);
    expect(listed?.operations).toHaveLength(5000);
  });

  test('no text makes reading throw', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.json(),
          fc.json().map((json) => `{"openapi":"3.1.0","paths":${json},"components":${json},"security":${json}}`),
        ),
        (text) => void read(text),
      ),
      { numRuns: 500 },
    );
  });
});

describe('a requirement that cannot be read lets nobody in (OpenAPI 3.1.2 section 4.8.30)', () => {
  const schemes = 'components: { securitySchemes: { trust: { type: http, scheme: bearer } } }';
  const ofOperation = (security: string) => {
    const { listed } = read(minimal(`  /a:\n    get:\n      security: ${security}`, schemes));
    return { rule: listed?.operations[0]?.access, errors: listed?.problems.items.filter((item) => item.severity === 'error') ?? [] };
  };
  const NOBODY = { kind: 'required', origin: 'contract', alternatives: [] };

  test.each([
    '["trust"]',
    '[null]',
    '[["trust"]]',
    '[7]',
    '{}',
    '{ trust: [] }',
    '"trust"',
    'null',
    '[{ trust: read }]',
    '[{ trust: { read: true } }]',
    '[{ trust: [[read]] }]',
    '[{ trust: [null] }]',
    '[{ trust: null }]',
  ])('%s', (security) => {
    const { rule, errors } = ofOperation(security);
    expect(rule).toEqual(NOBODY);
    expect(errors[0]?.pointer).toMatch(/^\/paths\/~1a\/get\/security/);
  });

  test('a stray dash in YAML', () => expect(ofOperation('\n        -').rule).toEqual(NOBODY));

  test('beside others that can be read, only itself', () =>
    expect(ofOperation('[{ trust: [] }, null]').rule).toMatchObject({ alternatives: [[{ scheme: 'trust', scopes: [] }]] }));

  test.each(['[]', '[{}]', '[{}, {}]'])('%s asks for nothing', (security) =>
    expect(ofOperation(security).rule).toEqual({ kind: 'public', origin: 'contract' }),
  );

  test('as the default of the whole description too', () => {
    expect(read(minimal('  /a: { get: {} }', `security: [trust]\n${schemes}`)).listed?.access).toEqual(NOBODY);
  });

  test('no number of notices crowds an error out', () => {
    const many = Array.from({ length: 400 }, (_, index) => `  /p${index}: { get: {} }`).join('\n');
    const { problems } = read(minimal(`${many}\n  /z: { get: { security: [null] } }`)).listed ?? {};
    expect(problems?.items[0]).toMatchObject({ severity: 'error', pointer: '/paths/~1z/get/security/0' });
  });
});

describe('what would be lost without a word is named', () => {
  test.each<[string, string, RegExp]>([
    ['a path without slash', '  a: { get: {} }', /begins with a slash/],
    ['a method in capitals', '  /a: { GET: {} }', /small letters/],
    ['a query in a path', '  /a?b={c}: { get: {} }', /has no query/],
    ['what stands beside a reference', '  /b: { get: {} }\n  /a: { $ref: "#/paths/~1b", post: {} }', /beside \$ref/],
    ['a reference to another file', '  /a: { $ref: "other.yaml" }', /not in this document/],
    ['an operation that is none', '  /a: { get: null }', /an operation is an object/],
    ['two spellings of one path', '  /caf%C3%A9: { get: {} }\n  /café: { get: {} }', /matches the same requests/],
    ['no paths', '  {}', /no paths/],
  ])('%s', (_name, paths, message) => expect(read(minimal(paths)).listed?.problems.items[0]?.message).toMatch(message));

  test('“refuse everyone” is said only of operations that do', () => {
    const schemes = 'components: { securitySchemes: { k: { type: http, scheme: digest }, t: { type: http, scheme: bearer } } }';
    const said = (security: string) =>
      read(minimal(`  /a: { get: { operationId: a, security: ${security} } }`, schemes)).listed?.problems.items.map((item) => item.message);
    expect(said('[{ k: [] }]')).toEqual([expect.stringContaining('1 operation that takes nothing else refuse everyone')]);
    expect(said('[{ k: [] }, { t: [] }]')).toEqual([expect.stringContaining('no operation depends on it alone')]);
  });

  test('too many operations: none of them', () => {
    const many = Array.from({ length: 20_001 }, (_, index) => `"/p${index}":{"get":{}}`).join(',');
    const { listed } = read(`{"openapi":"3.1.0","info":{"title":"T","version":"1"},"paths":{${many}}}`);
    expect([listed?.operations.length, listed?.problems.items[0]?.severity]).toEqual([0, 'error']);
  });
});

describe('a newer description', () => {
  const trust = 'components: { securitySchemes: { s: { type: oauth2 }, k: { type: http, scheme: digest } } }';
  const apiOf = (paths: string, rest = '', change: Partial<ApiRule> = {}): { api: ApiRule; declared: Declared } => {
    const { listed } = read(minimal(paths, rest));
    if (!listed) throw new Error('the description cannot be read');
    const schemes = listed.schemes.map((scheme) => ({ ...scheme, providers: scheme.type === 'unsupported' ? [] : ['trust'] }));
    const operations = listed.operations.map(({ pointer: _pointer, ...own }) => ({ ...AS_ITS_API, ...own, id: `${own.method} ${own.path}` }));
    return { api: apiRule({ access: listed.access, schemes, operations, ...change }), declared: listed };
  };
  const diff = (before: ReturnType<typeof apiOf>, after: ReturnType<typeof apiOf>) => diffContracts(before.api, after.api, before.declared, after.declared);

  test('is compared by method and path, whatever its parameters are called', () => {
    expect(
      diff(apiOf('  /a/{id}: { get: { summary: A } }\n  /b: { get: {} }'), apiOf('  /a/{key}: { get: { summary: A } }\n  /c: { post: { security: [] } }')),
    ).toEqual([
      { kind: 'added', method: 'POST', path: '/c', detail: 'anyone, said public', callers: 'wider' },
      { kind: 'changed', method: 'GET', path: '/a/{key}', detail: 'path parameters renamed, was /a/{id}', callers: 'same' },
      { kind: 'removed', method: 'GET', path: '/b', detail: '', callers: 'same' },
    ]);
  });

  test('that changes the default names every operation that inherits it, wider ones first', () => {
    const paths = '  /a: { get: {} }\n  /b: { get: { security: [{ s: [x] }] } }';
    const changes = diff(apiOf(paths, `security: [{ s: [x] }]\n${trust}`), apiOf(paths.replace('[x]', '[x, y]'), `security: [{ s: [] }]\n${trust}`));
    expect(changes.map(({ method, path, callers }) => `${callers} ${method} ${path}`)).toEqual(['wider  default security', 'wider GET /a', 'narrower GET /b']);
  });

  test('that gives a scheme another type names the scheme and its operations', () => {
    const paths = '  /a: { get: { security: [{ s: [] }] } }';
    const changes = diff(apiOf(paths, trust), apiOf(paths, trust.replace('type: oauth2', 'type: mutualTLS')));
    expect(changes.map(({ path, callers }) => [path, callers])).toEqual([
      ['/a', 'wider'],
      ['security scheme s', 'same'],
    ]);
  });

  test('that declares something else under a rule set by hand says so', () => {
    const hand = (declared: string) => {
      const made = apiOf(`  /a: { get: { security: ${declared} } }`, trust);
      const operations = made.api.operations.map((one) => ({ ...one, access: requires('s', 'own') }));
      return { ...made, api: { ...made.api, operations } };
    };
    expect(diff(hand('[{ s: [x] }]'), hand('[{ s: [y] }]'))).toEqual([
      expect.objectContaining({ path: '/a', callers: 'same', detail: expect.stringMatching(/declared security was scope x, is scope y/) as string }),
    ]);
  });
});

test('who may call by two rules is compared by what they demand', () => {
  const schemes = [{ name: 's', type: 'oauth2' as const, declared: 'oauth2', metadataUrl: null, providers: ['p'], place: null }];
  const rule = (...alternatives: [string[], ('all' | 'any')?, string[]?][]): AccessRule => ({
    kind: 'required',
    origin: 'hand',
    alternatives: alternatives.map(([scopes, match = 'all', roles = []]) => [{ scheme: 's', scopes, match, roles }]),
  });
  const change = (before: AccessRule, after: AccessRule) => compareCallers({ access: before, schemes }, { access: after, schemes });
  expect(change(rule([['a']]), rule([['a']], [['b']]))).toBe('wider');
  expect(change(rule([['a']], [['b']]), rule([['b']]))).toBe('narrower');
  expect(change(rule([['a', 'b']]), rule([['a', 'b'], 'any']))).toBe('wider');
  expect(change(rule([['a', 'b'], 'any']), rule([['a']]))).toBe('narrower');
  expect(change(rule([['a'], 'all', ['r']]), rule([['a'], 'all', ['r', 't']]))).toBe('wider');
  expect(change(rule([['a'], 'all', ['r']]), rule([['a']]))).toBe('wider');
  expect(change(rule([['a', 'b']]), rule([['b', 'a']]))).toBe('same');
  expect(change(rule([['a']]), { kind: 'public', origin: 'hand' })).toBe('wider');
  expect(change({ kind: 'open', origin: 'hand' }, { kind: 'public', origin: 'hand' })).toBe('same');
  expect(change({ kind: 'required', origin: 'hand', alternatives: [] }, rule([['a']]))).toBe('wider');
});
