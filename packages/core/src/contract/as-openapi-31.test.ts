import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { examplesOf, filesBelow, mutants } from '../../test/published-contracts.js';
import { SchemaCompiler } from '../schema/compile-schema.js';
import { Run } from '../schema/run.js';
import { editContract } from './accept-deviation.js';
import { asOpenApi31 } from './as-openapi-31.js';
import { wholeContract } from './check/contract-source.js';
import { contractFaults } from './contract-faults.js';
import { eachSchema } from './each-schema.js';
import { listOperations } from './list-operations.js';
import { readContract } from './read-contract.js';

// Published descriptions from the registry: @readme/oas-examples 8.2.2 (MIT) and @blockfrost/openapi 0.1.93 (Apache-2.0).
const MODULES = join(import.meta.dirname, '../../../../node_modules');
const FILES = [...filesBelow(join(MODULES, '@readme/oas-examples/3.0/json')), join(MODULES, '@blockfrost/openapi/openapi.yaml')];

function read(text: string) {
  const { document, version } = readContract(text);
  if (document === null || version === null) throw new Error('it is read');
  const source = wholeContract(document, version);
  if (source.dialect === null) throw new Error('its dialect is read');
  return {
    document,
    version,
    source,
    compiler: new SchemaCompiler(source.set, source.dialect, 'request', { unknown: 'as-said', formats: true, readOnlySent: false }),
  };
}

const upgraded = (text: string, format: 'json' | 'yaml'): string => editContract(text, format, asOpenApi31(readContract(text).document ?? {}));

let decided = 0;
let refused = 0;

test.each(FILES)('%s says the same as OpenAPI 3.1', (file) => {
  const text = readFileSync(file, 'utf8');
  const format = file.endsWith('.yaml') ? 'yaml' : 'json';
  const [old, fresh] = [read(text), read(upgraded(text, format))];
  expect([old.version, fresh.version]).toEqual(['3.0', '3.1']);
  expect(listOperations(fresh.document)).toEqual(listOperations(old.document));
  const faults = ({ document, version }: typeof old) => contractFaults(document, version, listOperations(document).operations);
  expect(faults(fresh)).toEqual(faults(old));
  expect(asOpenApi31(fresh.document)).toEqual([]);
  for (const [pointer, example] of examplesOf(old.source, old.document)) {
    const [before, after] = [old, fresh].map(({ compiler, source }) => compiler.value(source.schema(pointer)));
    for (const value of [example, ...[...mutants(example)].slice(0, 60)]) {
      const verdict = before?.(value, new Run(false));
      expect({ pointer, value, verdict: after?.(value, new Run(false)) }).toEqual({ pointer, value, verdict });
      decided++;
      if (!verdict) refused++;
    }
  }
});

afterAll(() => {
  expect(decided).toBeGreaterThan(400);
  expect(refused).toBeGreaterThan(100);
});

const YAML = `openapi: 3.0.3
info: { title: A, version: '1' } # ours
paths:
  /x:
    get:
      responses:
        200:
          description: fine
          headers:
            x-left: { schema: { type: integer, nullable: true } }
          content:
            application/json:
              schema:
                $ref: '#/components/schemas/One'
                nullable: true
        default:
          description: else
          content: { application/json: { schema: { type: string, nullable: true } } }
components:
  parameters:
    tags: { name: tags, in: query, schema: { type: number, minimum: 1, exclusiveMinimum: true } }
  schemas:
    One:
      type: object
      required: [size]
      properties:
        size: { type: number, maximum: 9, exclusiveMaximum: true, minimum: 1, exclusiveMinimum: false }
        nullable: { type: string, enum: [a, null], nullable: true }
        const: { const: 7, allOf: [{ nullable: true }] }
      example: { nullable: true, exclusiveMinimum: true }
      x-else: { nullable: true }
`;

describe('what changes (OpenAPI 3.1.2 section 4.8.24, 3.0.4 section 4.7.24)', () => {
  const { document } = read(upgraded(YAML, 'yaml'));

  test('a type for nullable, bounds for flags, nothing beside a reference, and no keyword that would begin to count', () => {
    expect(document).toMatchObject({ openapi: '3.1.0', info: { title: 'A', version: '1' } });
    expect(document['components']).toEqual({
      parameters: { tags: { name: 'tags', in: 'query', schema: { type: 'number', exclusiveMinimum: 1 } } },
      schemas: {
        One: {
          type: 'object',
          required: ['size'],
          properties: {
            size: { type: 'number', exclusiveMaximum: 9, minimum: 1 },
            nullable: { type: ['string', 'null'], enum: ['a', null] },
            const: { allOf: [{}] },
          },
          example: { nullable: true, exclusiveMinimum: true },
          'x-else': { nullable: true },
        },
      },
    });
    expect(document['paths']).toEqual({
      '/x': {
        get: {
          responses: {
            200: {
              description: 'fine',
              headers: { 'x-left': { schema: { type: ['integer', 'null'] } } },
              content: { 'application/json': { schema: { $ref: '#/components/schemas/One' } } },
            },
            default: { description: 'else', content: { 'application/json': { schema: { type: ['string', 'null'] } } } },
          },
        },
      },
    });
  });

  test('what is not changed stays as it was written', () => {
    const after = upgraded(YAML, 'yaml');
    for (const line of [`info: { title: A, version: '1' } # ours`, '        200:', '      x-else: { nullable: true }'])
      expect(after.split('\n')).toContain(line);
  });

  test('a schema that only a reference leads to is one, and is changed once', () => {
    const text = JSON.stringify({
      openapi: '3.0.0',
      info: { title: 'A', version: '1' },
      paths: {},
      'x-own': { Two: { type: 'string', nullable: true, $defs: { Three: { type: 'integer', nullable: true } } } },
      components: { schemas: { One: { properties: { a: { $ref: '#/x-own/Two' }, b: { $ref: '#/x-own/Two/%24defs/Three' }, c: { $ref: '#/x-own/Two' } } } } },
    });
    expect(JSON.parse(upgraded(text, 'json'))).toMatchObject({
      'x-own': { Two: { type: ['string', 'null'], $defs: { Three: { type: ['integer', 'null'] } } } },
    });
  });
});

test('every place of OpenAPI that leads to a schema is known, and what only looks like one is none', () => {
  const schema = {};
  const media = { content: { 'x-own/json': { schema, encoding: { part: { headers: { 'x-a': { schema } } } }, example: { schema } } } };
  const item = {
    parameters: [{ schema }, media],
    trace: {
      parameters: [{ schema }],
      requestBody: media,
      responses: { default: { headers: { 'x-b': media }, ...media }, 'x-none': media },
      callbacks: { called: { '{$url}': { get: { requestBody: media } }, 'x-none': { get: { requestBody: media } } } },
    },
    servers: [{ schema }],
  };
  const found: string[] = [];
  eachSchema(
    {
      paths: { '/schema': item, 'x-none': item },
      webhooks: { 'x-hook': { post: { requestBody: media } } },
      components: {
        schemas: { 'x-One': {}, example: {} },
        headers: { tags: { schema } },
        pathItems: { value: { parameters: [{ schema }] } },
        examples: { one: { schema } },
      },
      tags: [{ schema }],
    },
    (_schema, pointer) => found.push(pointer),
  );
  const of = (at: string): string[] => [`${at}/content/x-own~1json/schema`, `${at}/content/x-own~1json/encoding/part/headers/x-a/schema`];
  const path = '/paths/~1schema';
  expect([...found].sort()).toEqual(
    [
      `${path}/parameters/0/schema`,
      ...of(`${path}/parameters/1`),
      `${path}/trace/parameters/0/schema`,
      ...of(`${path}/trace/requestBody`),
      ...of(`${path}/trace/responses/default`),
      ...of(`${path}/trace/responses/default/headers/x-b`),
      ...of(`${path}/trace/callbacks/called/{$url}/get/requestBody`),
      ...of('/webhooks/x-hook/post/requestBody'),
      '/components/schemas/x-One',
      '/components/schemas/example',
      '/components/headers/tags/schema',
      '/components/pathItems/value/parameters/0/schema',
    ].sort(),
  );
});
