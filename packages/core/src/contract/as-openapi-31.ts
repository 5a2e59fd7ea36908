import { demandedMembers, markedMembers } from '../schema/demanded-members.js';
import { isRecord, pointerParts, pointerToken, valueAt } from '../util/json-pointer.js';
import type { ContractEdit } from './accept-deviation.js';
import { eachSchema } from './each-schema.js';

type Json = Readonly<Record<string, unknown>>;

/** Keywords of JSON Schema 2020-12 that mean nothing in OpenAPI 3.0, and would begin to mean something. */
const NEW_KEYWORDS = [
  ...['const', 'if', 'then', 'else', 'contains', 'minContains', 'maxContains', 'prefixItems', 'propertyNames', 'dependencies', 'dependentRequired'],
  ...['dependentSchemas', 'unevaluatedItems', 'unevaluatedProperties', '$id', '$anchor', '$dynamicRef', '$dynamicAnchor'],
];
/** Members of a schema that hold one schema, a list of them, or some under names of their own. */
const ONE = ['items', 'not', 'additionalProperties'];
const SOME = ['allOf', 'anyOf', 'oneOf'];
const NAMED = ['properties', 'patternProperties'];

/**
 * The changes that make an OpenAPI 3.1 description of one of 3.0 that allows the same: `nullable` becomes a type, flags of bounds
 * become bounds, members that say `required: true` themselves come into the list, what stood beside `$ref` without a meaning goes (OpenAPI 3.1.2 section 4.8.24, 3.0.4 sections 4.7.23 and 4.7.24). None
 * for a description that is one already. What it does not change stays as it was written.
 */
export function asOpenApi31(document: Json): ContractEdit[] {
  if (!String(document['openapi']).startsWith('3.0')) return [];
  const upgrade = new Upgrade(document);
  eachSchema(document, (schema, pointer) => upgrade.schema(schema, pointer));
  upgrade.references();
  return [{ pointer: '/openapi', value: '3.1.0' }, ...upgrade.edits];
}

class Upgrade {
  readonly edits: ContractEdit[] = [];
  readonly #document: Json;
  /** Schemas that were seen, by pointer. */
  readonly #seen = new Set<string>();
  readonly #referred = new Set<string>();

  constructor(document: Json) {
    this.#document = document;
  }

  /** What references lead to is a schema, wherever it stands. */
  references(): void {
    for (const pointer of this.#referred) this.schema(valueAt(this.#document, pointer), pointer);
  }

  schema(schema: unknown, pointer: string): void {
    if (!isRecord(schema) || this.#seen.has(pointer)) return;
    this.#seen.add(pointer);
    const set = (name: string, value: unknown): void => void this.edits.push({ pointer: `${pointer}/${pointerToken(name)}`, value });
    const drop = (name: string): void => (Object.hasOwn(schema, name) ? set(name, undefined) : undefined);
    const reference = schema['$ref'];
    if (typeof reference === 'string') {
      for (const name of Object.keys(schema)) if (name !== '$ref' && name !== 'description' && name !== 'summary') drop(name);
      const target = reference.startsWith('#/') ? decoded(reference.slice(1)) : null;
      if (target !== null && pointerParts(target) !== null) this.#referred.add(target);
      return;
    }
    NEW_KEYWORDS.forEach(drop);
    if (markedMembers(schema).length > 0) set('required', demandedMembers(schema));
    else if (typeof schema['required'] === 'boolean') drop('required');
    if (schema['nullable'] === true && typeof schema['type'] === 'string') set('type', [schema['type'], 'null']);
    drop('nullable');
    for (const [flag, bound] of [
      ['exclusiveMinimum', 'minimum'],
      ['exclusiveMaximum', 'maximum'],
    ] as const) {
      if (typeof schema[flag] !== 'boolean') continue;
      if (schema[flag] && typeof schema[bound] === 'number') {
        set(flag, schema[bound]);
        drop(bound);
      } else drop(flag);
    }
    for (const name of ONE) this.schema(schema[name], `${pointer}/${name}`);
    for (const name of SOME) {
      const list = schema[name];
      if (Array.isArray(list)) list.forEach((item, index) => this.schema(item, `${pointer}/${name}/${index}`));
    }
    for (const name of NAMED) {
      const map = schema[name];
      if (isRecord(map)) for (const [own, item] of Object.entries(map)) this.schema(item, `${pointer}/${name}/${pointerToken(own)}`);
    }
  }
}

function decoded(text: string): string | null {
  try {
    return decodeURIComponent(text);
  } catch {
    return null;
  }
}
