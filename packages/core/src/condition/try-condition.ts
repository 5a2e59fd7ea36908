import { timestampFromMs } from '@bufbuild/protobuf/wkt';
import { inOtherCase } from '../message/alike-names.js';
import { holdsRounded, ROUNDED } from '../util/is-rounded.js';
import { isRecord } from '../util/json-pointer.js';
import { compileCondition, type ConditionResult } from './compile-condition.js';
import type { ConditionFault } from './condition-fault.js';
import { sampleBody } from './body-places.js';
import { celValue } from './cel-value.js';
import { inputOf, type ConditionScope } from './condition-input.js';
import type { ConditionType } from './condition-type.js';
import { lookedAt, mistakenMember, namesBelow, pathsBelow } from './looked-at.js';

/** What a condition comes to with values given by hand: what it comes to with a request, or what is wrong with it or with them. */
export type TriedCondition =
  ConditionResult | { readonly kind: 'faults'; readonly faults: readonly ConditionFault[] } | { readonly kind: 'values'; readonly says: string };

/**
 * Evaluates a condition over values written as JSON, by the code that the gateway runs.
 * @param values an object with the variables; times as in RFC 3339
 */
export function tryCondition(source: string, scope: ConditionScope, values: unknown): TriedCondition {
  const compiled = compileCondition(source, scope);
  if (!('evaluate' in compiled)) return { kind: 'faults', faults: compiled };
  const body = isRecord(values) && isRecord(values['request']) ? values['request']['body'] : undefined;
  // What the gateway refuses before it asks.
  const names = namesBelow(['request', 'body'], compiled.looksAt);
  if ((names === null || names.length > 0) && holdsRounded(lookedAt(body, names)))
    return { kind: 'values', says: `a whole number in request.body ${ROUNDED}: the gateway refuses it` };
  const other = mistakenMember(body, pathsBelow(['request', 'body'], compiled.looksAt));
  if (other !== null) return { kind: 'values', says: `the member ${inOtherCase(other)}: the gateway refuses it` };
  const variables = readVariables(values, scope);
  return typeof variables === 'string' ? { kind: 'values', says: variables } : compiled.evaluate(variables);
}

/** The variables of conditions, of values written as JSON. @returns them, or what is wrong with the values */
export function readVariables(values: unknown, scope: ConditionScope): Record<string, unknown> | string {
  if (!isRecord(values)) return 'the values are an object with members such as request';
  const input = inputOf(scope);
  const variables: Record<string, unknown> = Object.create(null) as Record<string, unknown>;
  for (const [name, value] of Object.entries(values)) {
    const type = input[name]?.type;
    if (!type) return `nothing is called ${name}`;
    const wrong = read(value, type, name, (made) => (variables[name] = made));
    if (wrong !== null) return wrong;
  }
  return variables;
}

/** Reads a value of a type. @returns what is wrong with it, null when nothing is */
function read(value: unknown, type: ConditionType, at: string, put: (made: unknown) => void): string | null {
  if (type.kind === 'timestamp') {
    const ms = typeof value === 'string' ? Date.parse(value) : NaN;
    if (Number.isNaN(ms)) return `${at} is a time such as 2026-05-01T06:00:00Z`;
    put(timestampFromMs(ms));
    return null;
  }
  if (type.kind === 'string') {
    if (typeof value !== 'string') return `${at} is a text`;
    put(value);
    return null;
  }
  if (type.kind === 'list') {
    if (!Array.isArray(value) || !value.every((item) => typeof item === 'string')) return `${at} is a list of texts`;
    put(value);
    return null;
  }
  if (type.kind === 'dyn') {
    put(celValue(value));
    return null;
  }
  if (!isRecord(value) || (type.kind !== 'record' && type.kind !== 'map')) return `${at} is an object`;
  const map = new Map<string, unknown>();
  for (const [name, item] of Object.entries(value)) {
    const member = type.kind === 'map' ? type.of : type.members[name]?.type;
    if (!member) return `${at} has no member ${name}`;
    const wrong = read(item, member, `${at}.${name}`, (made) => map.set(name, made));
    if (wrong !== null) return wrong;
  }
  put(map);
  return null;
}

/** Values to begin with: every member of the scope that a caller with a token usually has, and a body as contracts describe it. */
export function sampleValues(
  { parameters, attributes, tables, bodyMembers = [] }: ConditionScope,
  request: { readonly method: string; readonly path: string },
  nowMs: number,
): Record<string, unknown> {
  const body = bodyMembers.length === 0 ? undefined : sampleBody(bodyMembers);
  return {
    principal: { subject: 'somebody', roles: [], scopes: [], attributes: Object.fromEntries((attributes ?? []).map((name) => [name, ['']])) },
    client: { id: 'a-client' },
    credentials: ['token'],
    request: {
      ...request,
      ...(body === undefined ? {} : { body }),
      parameters: Object.fromEntries((parameters ?? []).map((name) => [name, '1'])),
      query: {},
      headers: {},
      address: '192.0.2.7',
    },
    ...(tables === null ? {} : { resource: Object.fromEntries(Object.keys(tables).map((name) => [name, {}])) }),
    now: new Date(nowMs).toISOString(),
  };
}
