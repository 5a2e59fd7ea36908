import type { INestApplication } from '@nestjs/common';
import { DocumentBuilder, SwaggerModule, type OpenAPIObject } from '@nestjs/swagger';
import * as protocol from '@virga/protocol';
import { mayBeLeftOut, wordInstead } from '@virga/protocol';
import { defaultMetadataStorage } from 'class-transformer/cjs/storage.js';
import { validationMetadatasToSchemas } from 'class-validator-jsonschema';
import { SESSION_COOKIE } from '../session/session.service.js';

type Parameter = { name: string; in: 'query'; required: boolean; schema: unknown };
type Operation = { operationId?: string; parameters?: Parameter[] };

/** Query DTOs of the operations that take filters; the parameters are made from the same classes that validate them. */
const QUERIES: Readonly<Record<string, string>> = {
  '/control/v1/traces': 'TraceQuery',
  '/control/v1/overlook/fall': 'FallQuery',
  '/control/v1/clients': 'ClientQuery',
  '/control/v1/draft/edits': 'EditQuery',
};
const OPEN_OPERATIONS = new Set(['SessionController_signIn']);

/** The control API's own description, OpenAPI 3.1, with schemas made from the DTO classes that validate requests. */
export function controlDocument(app: INestApplication): OpenAPIObject {
  const config = new DocumentBuilder()
    .setTitle('Virga Ridge control API')
    .setDescription('All that the console does goes through this API. Errors are problem details (RFC 9457).')
    .setVersion('1')
    .addBearerAuth({ type: 'http', scheme: 'bearer', description: 'The control token, for automation' }, 'controlToken')
    .addCookieAuth(
      SESSION_COOKIE,
      { type: 'apiKey', in: 'cookie', name: SESSION_COOKIE, description: 'A session of the console; changes also need the header X-CSRF-Token' },
      'session',
    )
    .addSecurityRequirements('controlToken')
    .addSecurityRequirements('session')
    .build();
  const document = SwaggerModule.createDocument(app, config, { operationIdFactory: (controller, method) => `${controller}_${method}` });
  const schemas = validationMetadatasToSchemas({
    classTransformerMetadataStorage: defaultMetadataStorage as never,
    refPointerPrefix: '#/components/schemas/',
  }) as Record<string, { properties?: Record<string, Record<string, unknown>>; required?: string[] }>;
  for (const [name, schema] of Object.entries(schemas)) {
    allowWords(name, schema);
    allowNull(name, schema);
  }
  for (const [path, name] of Object.entries(QUERIES)) addQuery((document.paths[path] as Record<string, Operation> | undefined)?.['get'], schemas[name]);
  for (const item of Object.values(document.paths) as Record<string, Operation & { security?: unknown }>[]) {
    for (const operation of Object.values(item)) if (OPEN_OPERATIONS.has(operation.operationId ?? '')) operation.security = [];
  }
  return { ...document, openapi: '3.1.0', components: { ...document.components, schemas: schemas } };
}

/** An optional member of an answer is written as null; the classes say so only in their types. */
function allowNull(name: string, schema: { properties?: Record<string, Record<string, unknown>>; required?: string[] }): void {
  if (!(name in protocol)) return;
  for (const [member, property] of Object.entries(schema.properties ?? {})) {
    const type = (protocol as Readonly<Record<string, unknown>>)[name] as { prototype?: object } | undefined;
    if (schema.required?.includes(member) || (type?.prototype && mayBeLeftOut(type.prototype, member))) continue;
    schema.properties = { ...schema.properties, [member]: { anyOf: [property, { type: 'null' }] } };
  }
}

/** Members that may hold a word in place of their value; their type says no more than that it is one of two, and not that they must be there. */
function allowWords(name: string, schema: { properties?: Record<string, Record<string, unknown>>; required?: string[] }): void {
  const type = (protocol as Readonly<Record<string, unknown>>)[name] as { prototype?: object } | undefined;
  for (const [member, property] of Object.entries(schema.properties ?? {})) {
    const word = type?.prototype && wordInstead(type.prototype, member);
    if (word === undefined || !schema.properties) continue;
    const { $ref: _of, ...own } = property;
    if (!mayBeLeftOut(type?.prototype ?? {}, member)) schema.required = [...new Set([...(schema.required ?? []), member])];
    schema.properties[member] = {
      anyOf: [Array.isArray(own['items']) || member === 'contentTypes' ? { type: 'array', items: { type: 'string' } } : own, { const: word }],
    };
  }
}

function addQuery(operation: Operation | undefined, schema: { properties?: Record<string, unknown> } | undefined): void {
  if (!operation || !schema) return;
  operation.parameters = Object.entries(schema.properties ?? {}).map(([name, property]) => ({ name, in: 'query', required: false, schema: property }));
}
