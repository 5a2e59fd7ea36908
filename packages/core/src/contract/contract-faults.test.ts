import { NO_CONTRACT } from '../document/contract-rule.js';
import { wholeContract } from './check/contract-source.js';
import { operationContract } from './check/operation-contract.js';
import { contractFaults } from './contract-faults.js';

const of = (schema: object, schemas: object = {}) => ({
  openapi: '3.1.0',
  paths: { '/x': { post: { requestBody: { content: { 'application/json': { schema } } }, responses: {} } } },
  components: { schemas },
});
const faultsOf = (document: object) => contractFaults(document as Record<string, unknown>, '3.1', [{ path: '/x', method: 'POST' }]).map(({ rule }) => rule);
const BODY = '/paths/~1x/post/requestBody/content/application~1json/schema';
const BAD = { type: 'number', minimum: 'a text' };

describe('what nothing can be held against', () => {
  test.each<[string, object, object, string]>([
    ['a member', { properties: { a: BAD } }, {}, `${BODY}/properties/a/minimum`],
    ['a member of a member', { properties: { a: { properties: { b: BAD } } } }, {}, `${BODY}/properties/a/properties/b/minimum`],
    ['a member of items', { properties: { a: { items: { properties: { b: BAD } } } } }, {}, `${BODY}/properties/a/items/properties/b/minimum`],
    [
      'a member behind a reference of a member',
      { properties: { a: { $ref: '#/components/schemas/S' } } },
      { S: { properties: { b: BAD } } },
      '/components/schemas/S/properties/b/minimum',
    ],
    ['a member that only answers carry', { properties: { a: { readOnly: true, ...BAD } } }, {}, `${BODY}/properties/a/minimum`],
    ['a member called __proto__', JSON.parse('{"properties":{"__proto__":{"minimum":"x"}}}') as object, {}, `${BODY}/properties/__proto__/minimum`],
    ['a member of an alternative', { oneOf: [{ properties: { a: BAD } }, {}] }, {}, `${BODY}/oneOf/0/properties/a/minimum`],
  ])('is found where no value came yet: %s', (_name, schema, schemas, rule) => expect(faultsOf(of(schema, schemas))).toContain(rule));

  test('of schemas that are members of themselves comes to an end', () => {
    const S = { properties: { again: { $ref: '#/components/schemas/S' }, other: { $ref: '#/components/schemas/T' }, a: BAD } };
    expect(faultsOf(of({ $ref: '#/components/schemas/S' }, { S, T: S })).sort()).toEqual(
      ['/components/schemas/S/properties/a/minimum', '/components/schemas/T/properties/a/minimum'].sort(),
    );
  });

  test('a member refuses what comes for it, and objects without it pass', () => {
    const document = of({ properties: { a: { properties: { b: BAD } }, fine: { type: 'string' } }, required: ['fine'] });
    const contract = operationContract(wholeContract(document, '3.1'), '/x', 'POST', NO_CONTRACT);
    const holds = (value: unknown) => contract?.body('application/json', new TextEncoder().encode(JSON.stringify(value))).deviations.length === 0;
    // In this order: what is made for the first value counts for the next.
    for (let turn = 0; turn < 2; turn++) {
      expect([holds({ fine: 'x' }), holds({ fine: 'x', a: {} }), holds({ fine: 'x', a: { b: 1 } }), holds({ fine: 1 }), holds({})]).toEqual([
        true,
        true,
        false,
        false,
        false,
      ]);
      expect([holds({ a: 1, fine: 'x' }), holds({ toString: 1, fine: 'x' }), holds({ constructor: {}, fine: 'x' })]).toEqual([true, true, true]);
    }
  });
});
