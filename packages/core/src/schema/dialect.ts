/** How schemas of a document are read. */
export interface Dialect {
  readonly name: 'json-schema-2020-12' | 'json-schema-draft-4' | 'openapi-3.0';
  /** `$id`, `$anchor`, `$dynamicRef`, lists of types, boolean schemas and all keywords of 2020-12. */
  readonly modern: boolean;
  /** `nullable`, `readOnly`, `writeOnly`, `discriminator`, and formats of OpenAPI. */
  readonly openApi: boolean;
  /** The member that names a schema; null where there is none. */
  readonly id: '$id' | 'id' | null;
}

/** JSON Schema 2020-12, which is what OpenAPI 3.1 builds on (3.1.2 section 4.8.24). */
export const JSON_SCHEMA_2020: Dialect = { name: 'json-schema-2020-12', modern: true, openApi: true, id: '$id' };
/** JSON Schema draft 4. */
export const JSON_SCHEMA_DRAFT_4: Dialect = { name: 'json-schema-draft-4', modern: false, openApi: false, id: 'id' };
/** The schemas of OpenAPI 3.0 (3.0.4 section 4.7.24): draft 5 with changes, `$ref` alone, no names inside. */
export const OPENAPI_30: Dialect = { name: 'openapi-3.0', modern: false, openApi: true, id: null };

const MODERN = new Set([
  'https://json-schema.org/draft/2020-12/schema',
  'https://spec.openapis.org/oas/3.1/dialect/base',
  'https://spec.openapis.org/oas/3.1/dialect/2024-11-10',
]);

/** The dialect that a `$schema` or `jsonSchemaDialect` names; null for one that is not read. */
export function dialectNamed(uri: string): Dialect | null {
  const plain = uri.replace(/#$/, '');
  if (MODERN.has(plain)) return JSON_SCHEMA_2020;
  return plain === 'http://json-schema.org/draft-04/schema' ? JSON_SCHEMA_DRAFT_4 : null;
}
