import { acceptDeviation, editContract } from '../contract/accept-deviation.js';
import { asOpenApi31 } from '../contract/as-openapi-31.js';
import { wholeContract } from '../contract/check/contract-source.js';
import { operationContract } from '../contract/check/operation-contract.js';
import { exampleBody } from '../contract/first-try.js';
import { readContract } from '../contract/read-contract.js';
import { referenceOperation } from '../contract/reference.js';
import { NO_CONTRACT } from '../document/contract-rule.js';
import { demandedMembers } from './demanded-members.js';

type Json = Record<string, unknown>;

const AT = '/paths/~1x/post/requestBody/content/application~1json/schema';
const of = (schema: object, version = '3.0.3') => ({
  openapi: version,
  info: { title: 'A', version: '1' },
  paths: { '/x': { post: { requestBody: { content: { 'application/json': { schema } } }, responses: {} } } },
  components: { schemas: { Text: { type: 'string' } } },
});
function deviationsOf(document: Json, value: unknown) {
  const version = String(document['openapi']).startsWith('3.0') ? '3.0' : '3.1';
  const contract = operationContract(wholeContract(document, version), '/x', 'POST', NO_CONTRACT);
  return contract?.body('application/json', new TextEncoder().encode(JSON.stringify(value))).deviations ?? [];
}
const rulesOf = (document: Json, value: unknown) => deviationsOf(document, value).map(({ rule }) => rule);

// From memory: JSON Schema draft 3 (draft-zyp-json-schema-03) section 5.7, "if the instance must have a value, and not be undefined".
describe.each(['3.0.3', '3.1.0'])('a member that says “required: true” itself, in OpenAPI %s', (version) => {
  const schema = { type: 'object', required: ['a'], properties: { a: { type: 'string' }, 'b/c': { type: 'string', required: true }, d: { type: 'string' } } };
  const document = of(schema, version);

  test('is asked for', () => {
    expect(rulesOf(document, { a: '', 'b/c': '' })).toEqual([]);
    expect(rulesOf(document, { a: '', d: '' })).toEqual([`${AT}/properties/b~1c/required`]);
    expect(rulesOf(document, {})).toEqual([`${AT}/required`, `${AT}/properties/b~1c/required`]);
    // What was made for the first value counts for the next.
    expect(rulesOf(document, { 'b/c': '' })).toEqual([`${AT}/required`]);
  });

  test.each<[string, object]>([
    ['where the list names it, too', { required: ['b'], properties: { b: { required: true } } }],
    ['beside a reference', { properties: { b: { $ref: '#/components/schemas/Text', required: true } } }],
    ['in an alternative', { oneOf: [{ properties: { b: { required: true } } }, { type: 'string' }] }],
    ['in a part', { allOf: [{ properties: { b: { required: true } } }, { type: 'object' }] }],
    ['as a text', { properties: { b: { required: 'true' } } }],
    ['as a number', { properties: { b: { required: 1 } } }],
    ['as null', { properties: { b: { required: null } } }],
  ])('is asked for %s', (_name, given) => {
    expect(deviationsOf(of(given, version), {}).map(({ member }) => member)).toContain('b');
    expect(deviationsOf(of(given, version), { b: '' })).toEqual([]);
  });

  test('of an answer alone is not asked for in a request', () => {
    expect(rulesOf(of({ properties: { b: { readOnly: true, required: true } } }, version), {})).toEqual([]);
  });

  test.each([
    ['false', { properties: { b: { required: false } } }],
    ['a list of its own', { properties: { b: { required: ['c'] } } }],
    ['true of the whole, which is there', { required: true, properties: { b: {} } }],
    ['true of items', { items: { required: true } }],
    ['the schema of a member called required', { properties: { required: { type: 'boolean' } } }],
  ])('is not one that says %s', (_name, given) => expect(rulesOf(of(given, version), {})).toEqual([]));

  test('is shown and tried as one that is required', () => {
    const page = referenceOperation(document, 'POST', '/x');
    const lines = page?.bodies[0]?.lines ?? [];
    expect(lines.map(({ name, required }) => [name, required])).toEqual([
      ['a', true],
      ['b/c', true],
      ['d', false],
    ]);
    expect(exampleBody(document, document.paths['/x'].post.requestBody.content)).toBe(JSON.stringify({ a: 'text', 'b/c': 'text' }, null, 2));
  });

  test('is asked for no more once that is accepted', () => {
    const [deviation] = deviationsOf(document, { a: '' });
    const accepted = deviation && acceptDeviation(document, 'contract-body', deviation);
    expect(accepted?.says).toBe('does not ask for b/c');
    const changed = readContract(editContract(JSON.stringify(document), 'json', accepted?.edits ?? [])).document as Json;
    expect(rulesOf(changed, { a: '' })).toEqual([]);
    expect(rulesOf(changed, {})).toEqual([`${AT}/required`]);
  });
});

test('an upgrade to OpenAPI 3.1 says it in the list', () => {
  const document = of({
    required: ['a'],
    properties: { a: {}, b: { required: true, type: 'string' }, c: { $ref: '#/components/schemas/Text', required: true } },
  });
  const upgraded = readContract(editContract(JSON.stringify(document), 'json', asOpenApi31(document))).document as ReturnType<typeof of>;
  expect(upgraded.paths['/x'].post.requestBody.content['application/json'].schema).toEqual({
    required: ['a', 'b', 'c'],
    properties: { a: {}, b: { type: 'string' }, c: { $ref: '#/components/schemas/Text' } },
  });
});

test('what is no schema demands nothing', () => {
  expect([{ properties: null, required: null }, { properties: [], required: [1] }, { properties: { a: true, b: null } }].map(demandedMembers)).toEqual([
    [],
    [],
    [],
  ]);
});
