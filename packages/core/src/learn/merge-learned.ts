import { templateShape } from '../contract/diff-contracts.js';
import type { ContractEdit } from '../contract/accept-deviation.js';
import { isRecord, pointerOf } from '../util/json-pointer.js';
import type { DescribedOperation } from './learned-document.js';

type Json = Readonly<Record<string, unknown>>;

/** How a learned operation joins a contract. */
export interface Merge {
  readonly path: string;
  readonly pointer: string;
  readonly edits: readonly ContractEdit[];
}

/**
 * Works out how an operation joins a contract: beside others of the same path, with its names for parameters, in its dialect.
 * Null where the contract has it already.
 * @param security what its requirement says; undefined leaves that to the contract as a whole
 */
export function mergeLearned(document: Json, { path, method, operation }: DescribedOperation, security: readonly Json[] | undefined): Merge | null {
  const paths = isRecord(document['paths']) ? document['paths'] : {};
  const known = Object.keys(paths).find((one) => templateShape(one) === templateShape(path));
  const item = known === undefined ? undefined : paths[known];
  const name = method.toLowerCase();
  if (isRecord(item) && item[name] !== undefined) return null;
  const renamed = known === undefined ? operation : withNames(operation, namesIn(path), namesIn(known));
  const old = typeof document['openapi'] === 'string' && document['openapi'].startsWith('3.0');
  const own = { ...((old ? inDialect30(renamed) : renamed) as Json), ...(security === undefined ? {} : { security }) };
  const at = known ?? path;
  const pointer = pointerOf('paths', at, name);
  if (!isRecord(document['paths'])) return { path: at, pointer, edits: [{ pointer: '/paths', value: { [at]: { [name]: own } } }] };
  if (!isRecord(item)) return { path: at, pointer, edits: [{ pointer: pointerOf('paths', at), value: { [name]: own } }] };
  return { path: at, pointer, edits: [{ pointer, value: own }] };
}

const namesIn = (path: string): string[] => [...path.matchAll(/\{([^{}]*)\}/g)].map(([, name]) => name ?? '');

function withNames(operation: Json, from: readonly string[], to: readonly string[]): Json {
  const { parameters } = operation;
  if (!Array.isArray(parameters)) return operation;
  return {
    ...operation,
    parameters: (parameters as Json[]).map((one) => (one['in'] === 'path' ? { ...one, name: to[from.indexOf(String(one['name']))] ?? one['name'] } : one)),
  };
}

/** Schemas of what was learned as OpenAPI 3.0 writes them: one type each, and `nullable`. */
function inDialect30(value: unknown): unknown {
  if (Array.isArray(value)) return (value as unknown[]).map(inDialect30);
  if (!isRecord(value)) return value;
  const { type } = value;
  const rest = Object.fromEntries(
    Object.entries(value)
      .filter(([name]) => name !== 'type' || !Array.isArray(type))
      .map(([name, one]) => [name, inDialect30(one)]),
  );
  if (type === 'null') return { nullable: true };
  if (!Array.isArray(type)) return rest;
  const types = (type as string[]).filter((one) => one !== 'null');
  const nullable = types.length < type.length ? { nullable: true } : {};
  return types.length === 1 ? { type: types[0], ...rest, ...nullable } : { ...withoutTypeRules(rest), ...nullable };
}

/** What is of several types is described by none of them. */
const withoutTypeRules = (schema: Json): Json =>
  Object.fromEntries(Object.entries(schema).filter(([name]) => !['format', 'properties', 'required', 'items', 'additionalProperties'].includes(name)));

/** An operation without some of what was learned. @param pointers into the operation; what is not there is passed over */
export function leaveOut(operation: Json, pointers: readonly string[]): Json {
  const left = new Set(pointers);
  const copy = (value: unknown, at: string): unknown => {
    if (Array.isArray(value)) return (value as unknown[]).flatMap((one, index) => (left.has(`${at}/${index}`) ? [] : [copy(one, `${at}/${index}`)]));
    if (!isRecord(value)) return value;
    const kept = Object.entries(value).filter(([name]) => !left.has(at + pointerOf(name)));
    // A member that is not described is not asked for either.
    const properties = isRecord(value['properties']) ? value['properties'] : null;
    return Object.fromEntries(
      kept.flatMap(([name, one]): [string, unknown][] => {
        const required = name === 'required' && properties !== null && Array.isArray(one);
        const own = required
          ? (one as unknown[]).filter((member) => !left.has(`${at}/properties${pointerOf(String(member))}`))
          : copy(one, at + pointerOf(name));
        // A list that nothing is left of says nothing.
        return Array.isArray(own) && own.length === 0 && (one as unknown[]).length > 0 ? [] : [[name, own]];
      }),
    );
  };
  return copy(operation, '') as Json;
}
