import { isRecord } from '../util/json-pointer.js';

const NONE: readonly string[] = [];

/** Names in the list `required` of a schema (JSON Schema 2020-12 validation, section 6.5.3), each once. What is no text names nothing. */
export function listedMembers({ required }: Readonly<Record<string, unknown>>): readonly string[] {
  return Array.isArray(required) ? [...new Set(required.filter((name): name is string => typeof name === 'string'))] : NONE;
}

/**
 * Names of described members whose own schema says `required: true`, as draft 3 of JSON Schema had it (section 5.7). No version of OpenAPI
 * has that, and many descriptions do: whoever wrote it means that the object has the member. Any word but `false` is one for it, unless it is
 * a list, which asks for members of the member.
 */
export function markedMembers({ properties }: Readonly<Record<string, unknown>>): readonly string[] {
  if (!isRecord(properties)) return NONE;
  let marked: string[] | null = null;
  for (const name of Object.keys(properties)) {
    const member = properties[name];
    if (isRecord(member) && isMarked(member['required'])) (marked ??= []).push(name);
  }
  return marked ?? NONE;
}

const isMarked = (required: unknown): boolean => required !== undefined && required !== false && !Array.isArray(required);

/** Names of the members that an object must have by a schema of a description, whichever way it is said. */
export const demandedMembers = (schema: Readonly<Record<string, unknown>>): readonly string[] => [
  ...new Set([...listedMembers(schema), ...markedMembers(schema)]),
];
