import { NO_CONTRACT, type ContractPart } from '../document/contract-rule.js';
import { acceptDeviation, editContract } from './accept-deviation.js';
import type { Deviation } from './check/deviation.js';
import { wholeContract } from './check/contract-source.js';
import { operationContract, type OperationContract } from './check/operation-contract.js';
import { readContract } from './read-contract.js';

const YAML = `openapi: 3.1.0
info: { title: A, version: '1' }
paths:
  /x:
    # Positions of gates.
    post:
      parameters:
        - { name: section, in: query, required: true, schema: { type: string, enum: [north] } }
      requestBody:
        required: true
        content:
          application/json:
            schema: { $ref: '#/components/schemas/Position' }
      responses:
        '200':
          description: fine
          content:
            application/json: { schema: { type: array, items: { $ref: '#/components/schemas/Position' } } }
components:
  schemas:
    Position:
      type: object
      required: [opening, reason]
      properties:
        opening: { type: integer, maximum: 100 }
        reason: { type: string }
        id: { type: string, readOnly: true }
      additionalProperties: false
`;
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const json = (text: string) => (contract: OperationContract) => contract.body('application/json', bytes(text)).deviations;

const CASES: readonly (readonly [string, ContractPart, (contract: OperationContract) => readonly Deviation[]])[] = [
  ['a query parameter', 'contract-query', (contract) => contract.query('?section=north&debug=1', new Set())],
  ['a query parameter that is missing', 'contract-query', (contract) => contract.query('', new Set())],
  ['another word', 'contract-query', (contract) => contract.query('?section=south', new Set())],
  ['another content type', 'contract-type', (contract) => contract.type('text/csv', true)],
  ['no body', 'contract-body', (contract) => contract.body('application/json', null).deviations],
  ['a larger number', 'contract-body', json('{"opening":101,"reason":""}')],
  ['another type', 'contract-body', json('{"opening":1,"reason":7}')],
  ['null', 'contract-body', json('{"opening":1,"reason":null}')],
  ['a fraction', 'contract-body', json('{"opening":1.5,"reason":""}')],
  ['a member too much', 'contract-body', json('{"opening":1,"reason":"","by":"rider"}')],
  ['a member that is missing', 'contract-body', json('{"opening":1}')],
  ['a member that is read only', 'contract-body', json('{"opening":1,"reason":"","id":"7"}')],
  ['another status', 'contract-status', (contract) => contract.status(202)],
  ['another type of answer', 'contract-fields', (contract) => contract.fields(200, (name) => (name === 'content-type' ? 'text/csv' : undefined), true)],
];

describe.each([
  ['yaml', YAML],
  ['json', JSON.stringify(readContract(YAML).document, null, 2)],
  ['yaml', YAML.replace('3.1.0', '3.0.3')],
] as const)('a contract in %s', (format, text) => {
  const contractOf = (of: string): OperationContract => {
    const { document, version } = readContract(of);
    const contract = document && version && operationContract(wholeContract(document, version), '/x', 'POST', NO_CONTRACT);
    if (!contract) throw new Error('the contract is read');
    return contract;
  };

  test.each(CASES)('accepts %s, and nothing else changes', (_what, part, look) => {
    const [deviation, ...others] = look(contractOf(text));
    expect(others).toEqual([]);
    const { document } = readContract(text);
    const accepted = deviation && document && acceptDeviation(document, part, deviation);
    if (!accepted) throw new Error('it can be accepted');
    const edited = editContract(text, format, accepted.edits);
    expect(readContract(edited).problems.filter(({ severity }) => severity === 'error')).toEqual([]);
    expect(look(contractOf(edited))).toEqual([]);
    // Comments and the lines around stay.
    const [before, after] = [text.split('\n'), edited.split('\n')];
    expect(before.filter((line) => !after.includes(line)).length).toBeLessThanOrEqual(format === 'json' ? 6 : 2);
    if (format === 'yaml') expect(edited).toContain('# Positions of gates.');
  });
});

test('what cannot be told is not guessed at', () => {
  const { document } = readContract(YAML);
  const deviation = { name: '', at: '', rule: '/components/schemas/Position/oneOf', keyword: 'oneOf', wanted: '', found: 'an object' };
  for (const keyword of ['oneOf', 'not', 'unreadable', 'cost', 'style', 'discriminator'])
    expect(document && acceptDeviation(document, 'contract-body', { ...deviation, keyword })).toBeNull();
});

describe('a description in YAML with changes', () => {
  const text = `openapi: 3.0.3
paths:
  /x:
    get:
      responses: &answers
        200:
          description: fine # as ever
          content: {}
        default: { description: else }
  /y:
    get:
      responses: *answers
`;

  test('names that are numbers are found, as are places behind an alias', () => {
    const after = editContract(text, 'yaml', [
      { pointer: '/paths/~1x/get/responses/200/content', value: { 'text/plain': {} } },
      { pointer: '/paths/~1y/get/responses/default', value: undefined },
      { pointer: '/paths/~1y/get/responses/404', value: { description: 'nothing' } },
    ]);
    const { document, problems, locate } = readContract(after);
    expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
    const answers = { 200: { description: 'fine', content: { 'text/plain': {} } }, 404: { description: 'nothing' } };
    expect(document?.['paths']).toEqual({ '/x': { get: { responses: answers } }, '/y': { get: { responses: answers } } });
    expect(after).toContain('# as ever');
    const lines = locate(['/paths/~1x/get/responses/200', '/paths/~1y/get/responses/200/description', '/paths/~1x/get/responses/201']);
    expect([...lines.keys()]).toEqual(['/paths/~1x/get/responses/200', '/paths/~1y/get/responses/200/description']);
    expect(after.split('\n')[(lines.get('/paths/~1y/get/responses/200/description') ?? 0) - 1]).toContain('description: fine');
  });
});
