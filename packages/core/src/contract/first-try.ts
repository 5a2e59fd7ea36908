import { demandedMembers } from '../schema/demanded-members.js';
import { follow, listOf, recordOf, textOf, type Json } from './follow.js';

const DEPTH = 8;

/** A path with examples in place of parameters, and those of the query that are required. */
export function targetOf(document: Json, path: string, parameters: readonly Json[]): string {
  const valueFor = (one: Json): string => {
    const example = one['example'] ?? follow(document, Object.values(recordOf(one['examples']))[0]).value['value'];
    const value = example ?? plainExample(document, one['schema'], 0);
    return encodeURIComponent(typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' ? String(value) : '1');
  };
  const filled = path.replace(/\{([^{}]+)\}/g, (_, name: string) => {
    const parameter = parameters.find((one) => one['in'] === 'path' && one['name'] === name);
    return parameter ? valueFor(parameter) : '1';
  });
  const query = parameters
    .filter((one) => one['in'] === 'query' && one['required'] === true)
    .map((one) => `${encodeURIComponent(textOf(one['name']))}=${valueFor(one)}`);
  return filled + (query.length === 0 ? '' : `?${query.join('&')}`);
}

export function exampleBody(document: Json, content: unknown): string | null {
  const json = Object.entries(recordOf(content)).find(([type]) => /[/+]json\b/.test(type));
  if (!json) return null;
  const { value } = follow(document, json[1]);
  return JSON.stringify(plainExample(document, value['schema'], 0), null, 2);
}

const FORMAT_EXAMPLES: Readonly<Record<string, string>> = {
  date: '2026-01-31',
  'date-time': '2026-01-31T12:00:00Z',
  uuid: '00000000-0000-4000-8000-000000000000',
  email: 'name@mail.example',
  uri: 'https://site.example/',
};

/** A value that a schema is likely to take: its own example where it has one, required members only. */
function plainExample(document: Json, given: unknown, depth: number): unknown {
  const { value: schema } = follow(document, given);
  for (const known of [schema['example'], listOf(schema['examples'])[0], schema['default'], schema['const'], listOf(schema['enum'])[0]])
    if (known !== undefined) return known;
  if (depth > DEPTH) return null;
  const branch = listOf(schema['oneOf'])[0] ?? listOf(schema['anyOf'])[0];
  const parts = [
    schema,
    ...(branch === undefined ? [] : [follow(document, branch).value]),
    ...listOf(schema['allOf']).map((one) => follow(document, one).value),
  ];
  const properties = Object.assign({}, ...parts.map((one) => recordOf(one['properties']))) as Json;
  const required = new Set(parts.flatMap(demandedMembers));
  if (Object.keys(properties).length > 0)
    return Object.fromEntries(
      Object.entries(properties)
        .filter(([name, member]) => required.has(name) && follow(document, member).value['readOnly'] !== true)
        .map(([name, member]) => [name, plainExample(document, member, depth + 1)]),
    );
  const type = parts.map((one) => (Array.isArray(one['type']) ? (one['type'] as unknown[])[0] : one['type'])).find((one) => one !== undefined);
  switch (type) {
    case 'integer':
    case 'number':
      return typeof schema['minimum'] === 'number' ? schema['minimum'] : 1;
    case 'boolean':
      return true;
    case 'array':
      return [plainExample(document, schema['items'], depth + 1)];
    case 'object':
      return {};
    default:
      return FORMAT_EXAMPLES[textOf(schema['format'])] ?? 'text';
  }
}
