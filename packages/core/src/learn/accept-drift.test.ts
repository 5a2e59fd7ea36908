import { editContract } from '../contract/accept-deviation.js';
import { readContract } from '../contract/read-contract.js';
import { acceptDrift } from './accept-drift.js';

const TEXT = `openapi: 3.1.0
info: { title: T, version: '1' }
paths:
  /readings/{meterId}:
    parameters:
      - { name: meterId, in: path, required: true, schema: { type: string } }
      - { name: X-Season, in: header, required: true, schema: { type: string } }
    post:
      parameters:
        - { $ref: '#/components/parameters/Page' }
      requestBody: { content: { application/json: { schema: { $ref: '#/components/schemas/Reading' } } } }
      responses:
        '200': { description: Fine, content: { application/json: { schema: { type: array, items: { $ref: '#/components/schemas/Reading' } } } } }
        default: { description: Wrong }
components:
  parameters:
    Page: { name: page, in: query, required: true, schema: { type: integer } }
  schemas:
    Reading:
      type: object
      required: [litres, at]
      properties:
        litres: { type: integer }
        at: { type: string }
        notes: { allOf: [{ type: object, properties: { by: { type: string } } }] }
        others: { type: object, additionalProperties: { type: object, properties: { level: { type: number } } } }
`;
const OPERATION = { method: 'POST', path: '/readings/{id}' };
type Row = Parameters<typeof acceptDrift>[2];
const row = (kind: Row['kind'], where: string, at: string, found = ''): Row => ({ kind, where, at, found });

function accepted(text: string, drift: Row): { says: string; after: Record<string, unknown> } | null {
  const acceptance = acceptDrift(readContract(text).document ?? {}, OPERATION, drift);
  if (!acceptance) return null;
  const after = readContract(editContract(text, 'yaml', acceptance.edits));
  expect(after.problems.filter(({ severity }) => severity === 'error')).toEqual([]);
  return { says: acceptance.says, after: after.document ?? {} };
}
const at = (document: unknown, ...path: (string | number)[]): unknown =>
  path.reduce<unknown>((value, part) => (value as Record<string | number, unknown> | undefined)?.[part], document);
const POST = ['paths', '/readings/{meterId}', 'post'] as const;
const READING = ['components', 'schemas', 'Reading'] as const;

test.each<[string, Row, readonly (string | number)[], unknown]>([
  [
    'a parameter that nobody named',
    row('undescribed', 'query', 'since'),
    [...POST, 'parameters', 1],
    { name: 'since', in: 'query', schema: { type: 'string' } },
  ],
  ['a header field of the API’s own', row('undescribed', 'header', 'x-crew'), [...POST, 'parameters', 1, 'in'], 'header'],
  ['a parameter that is left out, behind a reference', row('missing', 'query', 'page'), ['components', 'parameters', 'Page', 'required'], undefined],
  [
    'a header field of the path that is left out',
    row('missing', 'header', 'x-season'),
    ['paths', '/readings/{meterId}', 'parameters', 1, 'required'],
    undefined,
  ],
  ['a parameter of another type', row('other-type', 'query', 'page', 'word'), ['components', 'parameters', 'Page', 'schema', 'type'], undefined],
  ['a status', row('undescribed', 'answer 200', 'text/csv'), [...POST, 'responses', '200', 'content', 'text/csv'], {}],
  ['a content type of a body', row('undescribed', 'request', 'application/xml'), [...POST, 'requestBody', 'content', 'application/xml'], {}],
  [
    'a content type of an answer without any',
    row('undescribed', 'answer 404', 'application/json'),
    [...POST, 'responses', 'default', 'content'],
    { 'application/json': {} },
  ],
  ['a member', row('undescribed', 'request', '/keeper'), [...READING, 'properties', 'keeper'], {}],
  ['a member of each item', row('undescribed', 'answer 200', '/*/keeper'), [...READING, 'properties', 'keeper'], {}],
  ['a member of what is composed', row('undescribed', 'request', '/notes/when'), [...READING, 'properties', 'notes', 'allOf', 0, 'properties', 'when'], {}],
  [
    'a member of members without names',
    row('undescribed', 'request', '/others/*/unit'),
    [...READING, 'properties', 'others', 'additionalProperties', 'properties', 'unit'],
    {},
  ],
  ['a member that is left out', row('missing', 'request', '/at'), [...READING, 'required'], ['litres']],
  ['a member of another type', row('other-type', 'request', '/litres', 'string'), [...READING, 'properties', 'litres', 'type'], ['integer', 'string']],
  ['a member that may be null', row('other-type', 'answer 200', '/*/at', 'null'), [...READING, 'properties', 'at', 'type'], ['string', 'null']],
  [
    'a whole that is no list',
    row('other-type', 'answer 200', '', 'object'),
    [...POST, 'responses', '200', 'content', 'application/json', 'schema', 'type'],
    ['array', 'object'],
  ],
])('%s is accepted by one change, and the contract stays right', (_, drift, place, wanted) => {
  const { says, after } = accepted(TEXT, drift) ?? {};
  expect(says).toBeTruthy();
  expect(at(after, ...place)).toEqual(wanted);
});

test('a status that no answer stands for, and a body where none was described', () => {
  const bare = `openapi: 3.1.0\ninfo: { title: T, version: '1' }\npaths: { '/readings/{meterId}': { post: { parameters: [{ name: meterId, in: path, required: true, schema: {} }], responses: { '200': { description: '' } } } } }\n`;
  expect(at(accepted(bare, row('undescribed', 'answer 202', ''))?.after, ...POST, 'responses', '202')).toEqual({ description: 'Seen in traffic' });
  expect(at(accepted(bare, row('undescribed', 'request', 'application/json'))?.after, ...POST, 'requestBody')).toEqual({ content: { 'application/json': {} } });
});

test('in OpenAPI 3.0 null is `nullable`, and another type is none asked for', () => {
  const old = TEXT.replace('3.1.0', '3.0.4');
  expect(at(accepted(old, row('other-type', 'request', '/at', 'null'))?.after, ...READING, 'properties', 'at')).toEqual({ type: 'string', nullable: true });
  expect(at(accepted(old, row('other-type', 'request', '/litres', 'string'))?.after, ...READING, 'properties', 'litres')).toEqual({});
});

test.each<[string, Row]>([
  ['what was never seen', row('never-seen', 'query', 'page')],
  ['a parameter that is gone', row('missing', 'query', 'gone')],
  ['a place that no schema speaks of', row('undescribed', 'request', '/nothing/here')],
  ['a member that is asked for no more', row('missing', 'request', '/keeper')],
  ['an answer that is gone', row('other-type', 'answer 201', '/x', 'string')],
  ['a place that cannot be read', row('undescribed', 'elsewhere', '/x')],
])('for %s there is no change to propose', (_, drift) => {
  expect(accepted(TEXT, drift)).toBeNull();
});

test('an operation that is gone has none either', () => {
  expect(acceptDrift(readContract(TEXT).document ?? {}, { method: 'GET', path: '/x' }, row('undescribed', 'query', 'a'))).toBeNull();
});
