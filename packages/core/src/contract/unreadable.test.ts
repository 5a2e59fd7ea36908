import { NO_CONTRACT } from '../document/contract-rule.js';
import { wholeContract } from './check/contract-source.js';
import { operationContract, type OperationContract } from './check/operation-contract.js';
import { deviationsOf } from './check/parameter-check.js';
import { contractFaults } from './contract-faults.js';
import { listOperations } from './list-operations.js';

/** Tokens of a pointer to what is put in place of what was there. */
type Place = readonly (string | number)[];
type Probe = (contract: OperationContract) => { readonly length: number };

const PATH = '/x/{id}';
const OPERATION: Place = ['paths', PATH, 'post'];
const json = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));

const contractText = JSON.stringify({
  openapi: '3.1.0',
  paths: {
    [PATH]: {
      post: {
        security: [{ key: [] }],
        parameters: [
          { name: 'q', in: 'query', required: true, style: 'form', explode: false, schema: { type: 'array', items: { type: 'integer' }, uniqueItems: true } },
          { name: 'c', in: 'query', content: { 'application/json': { schema: { type: 'object', required: ['z'] } } } },
          { name: 'X-H', in: 'header', required: true, schema: { type: 'boolean' } },
        ],
        requestBody: {
          required: true,
          content: {
            'application/json': { schema: { $ref: '#/components/schemas/S' } },
            'application/x-www-form-urlencoded': {
              schema: { type: 'object', properties: { j: { type: 'object', required: ['b'] } } },
              encoding: { j: { contentType: 'application/json' } },
            },
            'application/octet-stream': { schema: { type: 'string', maxLength: 3 } },
          },
        },
        responses: {
          200: {
            description: '',
            headers: { 'X-N': { required: true, schema: { type: 'integer' } } },
            content: { 'application/json': { schema: { type: 'object', properties: { w: { type: 'string', writeOnly: true } } } } },
          },
          404: { description: '', content: { 'application/json': { schema: { type: 'object', required: ['why'] } } } },
        },
      },
    },
  },
  components: {
    securitySchemes: { key: { type: 'apiKey', in: 'header', name: 'X-K' } },
    schemas: {
      S: {
        type: 'object',
        properties: {
          n: { type: 'number', exclusiveMinimum: 1 },
          f: { type: 'string', format: 'uuid' },
          id: { type: 'integer', readOnly: true },
          l: { type: 'array', prefixItems: [{ type: 'integer' }], contains: { const: 'z' }, minContains: 1, maxContains: 2 },
          t: {
            oneOf: [{ $ref: '#/components/schemas/A' }, { $ref: '#/components/schemas/B' }],
            discriminator: { propertyName: 'k', mapping: { a: '#/components/schemas/A' } },
          },
          not: { not: { const: 'bad' } },
          if: { if: { const: 1 }, then: false },
          one: { oneOf: [{ const: 1 }, { type: 'integer' }] },
        },
        dependentRequired: { f: ['n'] },
        dependentSchemas: { l: { required: ['n'] } },
      },
      A: { type: 'object', properties: { k: { type: 'string' } }, required: ['k', 'a'] },
      B: { type: 'object', properties: { k: { type: 'string' } }, required: ['k', 'b'] },
    },
  },
});

/** The contract with something else in one place. */
function mutated(place: Place, value: unknown): Record<string, unknown> {
  const document = JSON.parse(contractText) as Record<string | number, unknown>;
  let at = document;
  for (const token of place.slice(0, -1)) at = at[token] as Record<string | number, unknown>;
  at[place[place.length - 1] as string] = value;
  return document;
}

const contractOf = (document: Record<string, unknown>, version: '3.0' | '3.1' = '3.1'): OperationContract => {
  const contract = operationContract(wholeContract(document, version), PATH, 'POST', { ...NO_CONTRACT, formats: true });
  if (contract === null) throw new Error('the contract does not describe the operation');
  return contract;
};
const faultsOf = (document: Record<string, unknown>, version: '3.0' | '3.1' = '3.1') =>
  contractFaults(document, version, [{ path: PATH, method: 'POST' }]).map(({ rule }) => rule);
const pointerOf = (place: Place) => place.map((token) => `/${String(token).replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');

const query =
  (text: string): Probe =>
  (contract) =>
    contract.query(text, new Set());
const header =
  (value: string | undefined): Probe =>
  (contract) =>
    contract.header(
      (name) => (name === 'x-h' ? value : undefined),
      () => (value === undefined ? [] : ['x-h']),
    );
const body =
  (value: unknown, type = 'application/json'): Probe =>
  (contract) =>
    contract.body(type, typeof value === 'string' ? new TextEncoder().encode(value) : json(value)).deviations;
const noBody: Probe = (contract) => contract.body(undefined, null).deviations;
const answerFields =
  (value: string | undefined): Probe =>
  (contract) =>
    contract.fields(200, (name) => (name === 'x-n' ? value : 'application/json'), true);
const answer =
  (status: number, value: unknown): Probe =>
  (contract) =>
    contract.answer(status, 'application/json', json(value)).deviations;
const security: Probe = (contract) => contract.security.alternatives;
const inSchema = (...tokens: Place): Place => ['components', 'schemas', 'S', ...tokens];
const member = (name: string, ...tokens: Place): Place => inSchema('properties', name, ...tokens);

const NO_FLAG = [null, 'true', 'yes', 1, [], {}];
const NO_OBJECT = [null, 'x', 7, true, [], ['x']];
const NO_TEXT = [null, 7, true, [], {}];
const NO_SCHEMA = [null, 7, [], { $ref: '#/gone' }, { $ref: 7 }, { type: 'x' }, { not: { type: 'x' } }];

/** What of a contract cannot be read, and something that is allowed by one that says nothing there. */
const UNREADABLE: readonly (readonly [what: string, place: Place, values: readonly unknown[], probe: Probe])[] = [
  ['whether a parameter is required', [...OPERATION, 'parameters', 0, 'required'], NO_FLAG, query('')],
  ['whether a header is required', [...OPERATION, 'parameters', 2, 'required'], NO_FLAG, header(undefined)],
  ['how a list is spread', [...OPERATION, 'parameters', 0, 'explode'], NO_FLAG, query('?q=1,2')],
  ['content of a parameter', [...OPERATION, 'parameters', 1, 'content'], [...NO_OBJECT, {}, { 'a/b': {}, 'a/c': {} }], query('?q=1&c={}')],
  ['a media type of a parameter', [...OPERATION, 'parameters', 1, 'content'], NO_OBJECT.map((one) => ({ 'application/json': one })), query('?q=1&c={}')],
  ['whether items differ', [...OPERATION, 'parameters', 0, 'schema', 'uniqueItems'], NO_FLAG, query('?q=1,1')],
  ['whether a body is required', [...OPERATION, 'requestBody', 'required'], NO_FLAG, noBody],
  ['content of a body', [...OPERATION, 'requestBody', 'content'], NO_OBJECT, body({})],
  ['a media type', [...OPERATION, 'requestBody', 'content', 'application/json'], NO_OBJECT, body({})],
  [
    'encodings',
    [...OPERATION, 'requestBody', 'content', 'application/x-www-form-urlencoded', 'encoding'],
    NO_OBJECT,
    body('a=1', 'application/x-www-form-urlencoded'),
  ],
  [
    'the encoding of a member',
    [...OPERATION, 'requestBody', 'content', 'application/x-www-form-urlencoded', 'encoding', 'j'],
    NO_OBJECT,
    body('a=1', 'application/x-www-form-urlencoded'),
  ],
  [
    'the content type of a member',
    [...OPERATION, 'requestBody', 'content', 'application/x-www-form-urlencoded', 'encoding', 'j', 'contentType'],
    NO_TEXT,
    body('a=1', 'application/x-www-form-urlencoded'),
  ],
  [
    'the type of bytes',
    [...OPERATION, 'requestBody', 'content', 'application/octet-stream', 'schema', 'type'],
    ['x', ['x'], 7],
    body('abc', 'application/octet-stream'),
  ],
  ['answers, for their status', [...OPERATION, 'responses'], NO_OBJECT, (contract) => contract.status(200)],
  ['answers, for their header fields', [...OPERATION, 'responses'], NO_OBJECT, answerFields('1')],
  ['answers, for their bodies', [...OPERATION, 'responses'], NO_OBJECT, answer(404, { why: 1 })],
  ['answers of a status', [...OPERATION, 'responses', '404'], NO_OBJECT, answer(404, { why: 1 })],
  ['answers of a status that are elsewhere', [...OPERATION, 'responses', '404', '$ref'], NO_TEXT, answer(404, { why: 1 })],
  ['a parameter that is elsewhere', [...OPERATION, 'parameters', 2, '$ref'], NO_TEXT, header('true')],
  ['a header that is elsewhere', [...OPERATION, 'responses', '200', 'headers', 'X-N', '$ref'], NO_TEXT, answerFields('1')],
  ['a body that is elsewhere', [...OPERATION, 'requestBody', '$ref'], NO_TEXT, body({})],
  ['header fields of an answer', [...OPERATION, 'responses', '200', 'headers'], NO_OBJECT, answerFields('1')],
  ['whether an answer has a field', [...OPERATION, 'responses', '200', 'headers', 'X-N', 'required'], NO_FLAG, answerFields(undefined)],
  ['content of an answer', [...OPERATION, 'responses', '200', 'content'], NO_OBJECT, answer(200, {})],
  ['content of an answer, for its type', [...OPERATION, 'responses', '200', 'content'], NO_OBJECT, answerFields('1')],
  [
    'what only requests carry',
    [...OPERATION, 'responses', '200', 'content', 'application/json', 'schema', 'properties', 'w', 'writeOnly'],
    NO_FLAG,
    answer(200, { w: 'x' }),
  ],
  ['what only answers carry', member('id', 'readOnly'), NO_FLAG, body({ id: 1 })],
  ['a format', member('f', 'format'), NO_TEXT, body({ f: 'x', n: 2 })],
  ['a reference', member('t', '$ref'), NO_TEXT, body({ t: { k: 'a', a: 1 } })],
  ['what tells alternatives apart', member('t', 'discriminator'), [...NO_OBJECT, {}, { propertyName: 7 }], body({ t: { k: 'a', a: 1 } })],
  ['names of alternatives', member('t', 'discriminator', 'mapping'), ['x', 7, ['x'], { a: 7 }], body({ t: { k: 'a', a: 1 } })],
  ['first items', member('l', 'prefixItems'), [null, 'x', 7, true, {}], body({ l: [1, 'z'], n: 2 })],
  ['how many items at most', member('l', 'maxContains'), [null, 'x', -1, 1.5, {}], body({ l: [1, 'z'], n: 2 })],
  ['how many items at least', member('l', 'minContains'), [null, 'x', -1, 1.5, {}], body({ l: [1, 'z'], n: 2 })],
  ['items to be contained', member('l', 'contains', '$ref'), ['#/gone', 7], body({ l: [1, 'z'], n: 2 })],
  ['what comes with a member', inSchema('dependentRequired', 'f'), [null, 'n', {}, [7]], body({ f: '7d444840-9dc0-11d1-b245-5ffdce74fad2', n: 2 })],
  ['a schema beside a member', inSchema('dependentSchemas', 'l'), [null, 'n', [], ['n']], body({ l: [1, 'z'], n: 2 })],
  // What cannot be read has not said no, so nothing follows from its saying no.
  ['what a value must not be', member('not', 'not'), NO_SCHEMA, body({ not: 'fine' })],
  ['a condition', member('if', 'if'), NO_SCHEMA, body({ if: 2 })],
  ['one of those of which one is allowed', member('one', 'oneOf', 0), NO_SCHEMA, body({ one: 2 })],
];

describe('what of a contract cannot be read', () => {
  test.each(UNREADABLE)('%s is met by nothing, and is said', (_what, place, values, probe) => {
    for (const value of values) {
      const document = mutated(place, value);
      expect([value, probe(contractOf(document)).length > 0]).toEqual([value, true]);
      const pointer = pointerOf(place);
      expect(faultsOf(document).some((rule) => rule.startsWith(pointer) || pointer.startsWith(rule))).toBe(true);
    }
  });

  test.each(UNREADABLE)('%s passes where it is as it was, or says nothing', (_what, place, _values, probe) => {
    const passes = [mutated(['x-none'], 1), JSON.parse(JSON.stringify(mutated(place, undefined))) as Record<string, unknown>].map(
      (document) => probe(contractOf(document)).length === 0,
    );
    expect(passes).toContain(true);
  });

  // OpenAPI 3.1.2 section 4.8.10.1: what an operation says replaces what the document says; that it says nothing readable does not.
  test('security of an operation is not that of the document', () => {
    for (const value of [null, 'key', {}, [null], ['key']]) {
      const document = mutated([...OPERATION, 'security'], value);
      expect(security(contractOf(document))).not.toEqual([]);
      expect(security(contractOf({ ...document, security: [] }))).not.toEqual([]);
    }
    expect(security(contractOf(mutated([...OPERATION, 'security'], [])))).toEqual([]);
  });

  // OpenAPI 3.0.4 section 4.7.24: as in draft 5, where these are flags (JSON Schema Validation draft-wright-00 sections 5.3 and 5.5, from memory).
  test('a bound that the version of the contract has not is met by nothing', () => {
    const older = (bound: unknown) => {
      const document = mutated(inSchema(), { type: 'object', properties: { n: { type: 'number', minimum: 1, exclusiveMinimum: bound } } });
      return [faultsOf(document, '3.0'), [1, 2].map((n) => body({ n })(contractOf(document, '3.0')).length === 0)] as const;
    };
    const at = `${pointerOf(member('n'))}/exclusiveMinimum`;
    expect(older(1)).toEqual([[at], [false, false]]);
    expect(older('true')).toEqual([[at], [false, false]]);
    expect(older(true)).toEqual([[], [false, true]]);
    expect(older(false)).toEqual([[], [true, true]]);
  });

  test('a parameter that stands twice in a list is held to both, and one of the path to what the operation says of it', () => {
    const parameter = (schema: object) => ({ name: 'q', in: 'query', schema });
    const passes = (document: Record<string, unknown>) => ['?q=a', '?q=12', '?q=123'].map((text) => query(text)(contractOf(document)).length === 0);
    const [digits, short] = [parameter({ type: 'string', pattern: '^[0-9]+$' }), parameter({ type: 'string', maxLength: 2 })];
    for (const list of [
      [digits, short],
      [short, digits],
    ])
      expect(passes(mutated([...OPERATION, 'parameters'], list))).toEqual([false, true, false]);
    const replaced = mutated([...OPERATION, 'parameters'], [short]);
    (replaced as { paths: Record<string, Record<string, unknown>> }).paths[PATH] = {
      ...(replaced as { paths: Record<string, Record<string, unknown>> }).paths[PATH],
      parameters: [digits],
    };
    expect(passes(replaced)).toEqual([true, true, false]);
  });

  test('a value that a check refuses without a word is refused', () => {
    expect(deviationsOf(() => false, 1, 'q', '/rule')).toMatchObject([{ name: 'q', rule: '/rule' }]);
  });

  test('alternatives of which any is enough are enough without it', () => {
    const document = mutated(member('one'), { anyOf: [{ $ref: '#/gone' }, { type: 'integer' }] });
    expect([2, 'x'].map((one) => body({ one })(contractOf(document)).length === 0)).toEqual([true, false]);
  });

  test('a path that is elsewhere is told where it leads nowhere', () => {
    for (const value of [...NO_TEXT, '#/gone']) {
      const { operations, problems } = listOperations(mutated(['paths', '/y'], { $ref: value }));
      expect([value, operations.map(({ path }) => path)]).toEqual([value, [PATH]]);
      expect(problems.items.filter(({ severity }) => severity === 'error').map(({ pointer }) => pointer)).toContain('/paths/~1y');
    }
  });

  test('a contract that can be read has no faults', () => {
    expect(faultsOf(JSON.parse(contractText) as Record<string, unknown>)).toEqual([]);
  });
});
