import { fixture } from '../../test/support.js';
import { listOperations } from './list-operations.js';
import { operationContract } from './check/operation-contract.js';
import { wholeContract } from './check/contract-source.js';
import { NO_CONTRACT } from '../document/contract-rule.js';
import { readContract } from './read-contract.js';
import { referenceIndex, referenceOperation } from './reference.js';
import { readdirSync } from 'node:fs';
import { join } from 'node:path';

const DOCUMENT = {
  openapi: '3.1.0',
  info: { title: 'Meters', version: '1', description: 'Of a basin.' },
  tags: [{ name: 'reading', description: 'What was read' }],
  paths: {
    '/meters/{meterId}': {
      parameters: [{ name: 'meterId', in: 'path', required: true, schema: { type: 'string', pattern: '^M-[0-9]+$', example: 'M-7' } }],
      put: {
        tags: ['reading'],
        summary: 'Set a meter',
        parameters: [{ name: 'since', in: 'query', required: true, schema: { type: 'string', format: 'date' } }],
        requestBody: { required: true, content: { 'application/json': { schema: { $ref: '#/components/schemas/Meter' } } } },
        responses: {
          200: {
            description: 'Set',
            headers: { 'x-count': { schema: { type: 'integer' } } },
            content: { 'application/json': { schema: { $ref: '#/components/schemas/Meter' } } },
          },
        },
      },
    },
    '/status': { get: { summary: 'Status', responses: {} } },
  },
  components: {
    schemas: {
      Meter: {
        type: 'object',
        required: ['place', 'rows'],
        properties: {
          id: { type: 'integer', readOnly: true },
          place: { type: 'string', enum: ['north', 'south'], description: 'Where it stands' },
          rows: {
            type: 'array',
            items: {
              type: 'object',
              required: ['at'],
              properties: { at: { type: 'string', format: 'date-time' }, volume: { type: ['number', 'null'], minimum: 0 } },
            },
          },
          next: { $ref: '#/components/schemas/Meter' },
        },
      },
    },
  },
};

describe('a reference', () => {
  test('groups operations by their first tag, those without one last', () => {
    expect(referenceIndex(DOCUMENT)).toMatchObject({
      title: 'Meters',
      description: 'Of a basin.',
      groups: [
        { name: 'reading', description: 'What was read', operations: [{ method: 'PUT', path: '/meters/{meterId}' }] },
        { name: '', operations: [{ method: 'GET', path: '/status' }] },
      ],
    });
  });

  test('says what an operation takes and answers: members by depth, rules in words, schemas inside themselves once', () => {
    const found = referenceOperation(DOCUMENT, 'PUT', '/meters/{meterId}');
    expect(found?.parameters.map(({ name, in: where, type, rules }) => [name, where, type, rules])).toEqual([
      ['meterId', 'path', 'string', ['like ^M-[0-9]+$']],
      ['since', 'query', 'string (date)', []],
    ]);
    const lines = found?.bodies[0]?.lines.map(({ depth, name, type, required }) => [depth, name, type, required]);
    expect(lines).toEqual([
      [0, 'place', 'string', true],
      [0, 'rows', 'list of object', true],
      [1, '*', 'object', false],
      [2, 'at', 'string (date-time)', true],
      [2, 'volume', 'number or null', false],
      [0, 'next', 'object, as Meter above', false],
    ]);
    // What only the other side writes is in answers.
    expect(found?.answers[0]?.bodies[0]?.lines[0]).toMatchObject({ name: 'id' });
    expect(found?.answers[0]?.headers).toMatchObject([{ name: 'x-count', type: 'integer' }]);
  });

  test('offers a first try that the contract itself takes', () => {
    const attempt = referenceOperation(DOCUMENT, 'PUT', '/meters/{meterId}')?.attempt;
    expect(attempt?.target).toBe('/meters/M-7?since=2026-01-31');
    const contract = operationContract(wholeContract(DOCUMENT, '3.1'), '/meters/{meterId}', 'PUT', NO_CONTRACT);
    expect(contract?.body('application/json', Buffer.from(attempt?.body ?? '')).deviations).toEqual([]);
  });

  test('is made of every published description without a fault', () => {
    const folder = join(import.meta.dirname, '../../test/fixtures/openapi');
    let operations = 0;
    for (const name of readdirSync(folder)) {
      const { document } = readContract(fixture(`openapi/${name}`));
      if (!document) continue;
      const index = referenceIndex(document);
      const listed = listOperations(document).operations;
      expect(index.groups.reduce((sum, group) => sum + group.operations.length, 0)).toBe(listed.length);
      for (const { method, path } of listed) {
        operations++;
        expect(referenceOperation(document, method, path)).not.toBeNull();
      }
    }
    expect(operations).toBeGreaterThan(20);
    expect(referenceOperation(DOCUMENT, 'GET', '/meters/{meterId}')).toBeNull();
  });

  describe('of schemas that stand in themselves comes to an end', () => {
    const own = { $ref: '#/components/schemas/A' };
    const names = ['A', ...Array.from({ length: 23 }, (_, index) => `S${index}`)];
    const documentOf = (schemas: object) => ({
      paths: { '/x': { post: { requestBody: { content: { 'application/json': { schema: own } } }, responses: {} } } },
      components: { schemas },
    });
    const each = (make: (all: readonly object[]) => object) =>
      Object.fromEntries(names.map((name) => [name, make(names.map((other) => ({ $ref: `#/components/schemas/${other}` })))]));

    test.each<[string, Record<string, object>, unknown[]]>([
      ['lists of such lists', { A: { type: 'array', items: own } }, [[0, '', 'list of list of list of array']]],
      [
        'lists of lists with members',
        { A: { type: 'array', items: { type: 'object', properties: { next: own } } } },
        [
          [0, '', 'list of object'],
          [0, '*', 'object'],
          [1, 'next', 'list of object, as A above'],
        ],
      ],
      ['put together of itself', { A: { type: 'object', properties: { id: { type: 'string' } }, allOf: [own] } }, [[0, 'id', 'string']]],
      [
        'put together of each other',
        { A: { allOf: [{ $ref: '#/components/schemas/B' }] }, B: { properties: { id: {} }, allOf: [own] } },
        [[0, 'id', 'anything']],
      ],
      ['a name with a percent sign', { A: { $ref: '#/components/schemas/100%' }, '100%': { type: 'string' } }, [[0, '', 'string']]],
      ['a reference to itself', { A: own }, [[0, '', 'anything']]],
    ])('%s', (_name, schemas, lines) => {
      const document = documentOf(schemas);
      expect(referenceOperation(document, 'POST', '/x')?.bodies[0]?.lines.map(({ depth, name, type }) => [depth, name, type])).toEqual(
        expect.arrayContaining(lines),
      );
    });

    test.each<[string, Record<string, object>]>([
      ['allOf', each((allOf) => ({ type: 'object', allOf }))],
      ['oneOf', each((oneOf) => ({ oneOf }))],
      ['items', each((anyOf) => ({ type: 'array', items: { anyOf } }))],
      ['properties', each((all) => ({ type: 'object', properties: Object.fromEntries(all.map((one, index) => [`p${index}`, one])) }))],
    ])('two dozen of which each has all in its %s', (_name, schemas) => {
      const document = documentOf(schemas);
      expect(referenceOperation(document, 'POST', '/x')?.bodies[0]?.lines.length).toBeLessThanOrEqual(300);
    });
  });
});
