import { demandedMembers } from '../schema/demanded-members.js';
import { isRecord, pointerOf, valueAt } from '../util/json-pointer.js';
import type { SeenOperation, SeenParameter } from './seen-operation.js';
import { LEAST_FOR_REQUIRED, typesOf, type SeenShape } from './seen-shape.js';
import { schemaOfKinds } from './text-kind.js';
import type { Evidence } from './evidence.js';

type Json = Readonly<Record<string, unknown>>;

/** How traffic and contract disagree about one field. */
export const DRIFT_KINDS = ['undescribed', 'never-seen', 'other-type', 'missing'] as const;
export type DriftKind = (typeof DRIFT_KINDS)[number];

/** One field of an operation about which traffic and contract disagree. */
export interface Drift {
  readonly kind: DriftKind;
  /** `query`, `header`, `request`, or `answer` with the status. */
  readonly where: string;
  /** A parameter's name, a status, a content type, or a pointer into bodies with `*` for every item of a list. */
  readonly at: string;
  /** What the contract says, and what was seen. */
  readonly said: string;
  readonly found: string;
  /** In how many of how many it was found so. */
  readonly count: number;
  readonly of: number;
  readonly first: number;
  readonly last: number;
  /** How often on which day, by days since 1970 (UTC). */
  readonly days: readonly (readonly [day: number, count: number])[];
}

/** Fields that are told of one operation. */
const MOST_FIELDS = 200;
const MOST_DEPTH = 20;

/** Requests that must have been seen before what the contract names and nobody sends counts as never seen. */
const LEAST_FOR_NEVER = 20;

/**
 * Compares what was seen of an operation with what its contract says, field by field. Schemas are followed inside the document;
 * where one has branches, what any of them names is described.
 * @param item the path item, for parameters of all its operations
 */
export function driftOf(document: Json, item: Json, operation: Json, seen: SeenOperation): Drift[] {
  const follow = (value: unknown): Json | null => {
    let one = value;
    for (let turn = 0; turn < MOST_DEPTH && isRecord(one) && typeof one['$ref'] === 'string'; turn++)
      one = one['$ref'].startsWith('#') ? valueAt(document, decodeURIComponent(one['$ref'].slice(1))) : undefined;
    return isRecord(one) ? one : null;
  };
  const found: Drift[] = [];
  const report: Report = (kind, where, at, said, seenAs, evidence, count, of) => {
    const { first, last, days } = evidence;
    if (found.length < MOST_FIELDS)
      found.push({
        kind,
        where,
        at,
        said,
        found: seenAs,
        count,
        of,
        first: Number.isFinite(first) ? first : 0,
        last,
        days: [...days].sort(([a], [b]) => a - b),
      });
  };
  compareParameters([item['parameters'], operation['parameters']].flatMap(listOf).map(follow), seen, follow, report);
  const body = follow(operation['requestBody']);
  const content = recordOf(body?.['content']);
  for (const [type, shape] of seen.bodies) {
    const media = mediaFor(content, type);
    if (media === undefined) {
      if (type !== '') report('undescribed', 'request', type, body === null ? 'no body' : Object.keys(content).join(', '), type, shape, shape.seen, seen.seen);
    } else compareShape(follow(media)?.['schema'], shape, 'request', '', follow, report, 0);
  }
  const responses = recordOf(operation['responses']);
  for (const [status, answers] of seen.answers) {
    const where = `answer ${status}`;
    const response = follow(responses[String(status)] ?? responses[`${Math.floor(status / 100)}XX`] ?? responses['default']);
    if (response === null) {
      report('undescribed', where, '', Object.keys(responses).join(', '), `status ${status}`, answers, answers.seen, seen.seen);
      continue;
    }
    const types = recordOf(response['content']);
    for (const [type, shape] of answers.contents) {
      const media = mediaFor(types, type);
      if (media === undefined) {
        if (type !== '') report('undescribed', where, type, Object.keys(types).join(', ') || 'no body', type, shape, shape.seen, answers.seen);
      } else compareShape(follow(media)?.['schema'], shape, where, '', follow, report, 0);
    }
  }
  if (seen.seen >= LEAST_FOR_NEVER)
    for (const status of Object.keys(responses))
      if (/^2\d\d$/.test(status) && !seen.answers.has(Number(status)))
        report('never-seen', `answer ${status}`, '', `status ${status}`, 'never', seen, 0, seen.seen);
  return found;
}

type Follow = (value: unknown) => Json | null;
type Report = (kind: DriftKind, where: string, at: string, said: string, found: string, evidence: Evidence, count: number, of: number) => void;

const listOf = (value: unknown): unknown[] => (Array.isArray(value) ? (value as unknown[]) : []);
const recordOf = (value: unknown): Json => (isRecord(value) ? value : {});

function mediaFor(content: Json, type: string): unknown {
  return (
    content[type] ??
    content[`${type.split('/')[0] ?? ''}/*`] ??
    content['*/*'] ??
    Object.entries(content).find(([name]) => name.split(';')[0]?.trim().toLowerCase() === type)?.[1]
  );
}

function compareParameters(parameters: readonly (Json | null)[], seen: SeenOperation, follow: Follow, report: Report): void {
  for (const place of ['query', 'header'] as const) {
    const said = new Map<string, Json>();
    for (const one of parameters) if (one && one['in'] === place) said.set(place === 'header' ? String(one['name']).toLowerCase() : String(one['name']), one);
    const known = place === 'query' ? seen.query : seen.headers;
    // Objects and free forms spread over names that the contract does not list.
    const open = [...said.values()].some((one) => one['content'] !== undefined || typesSaid(follow(one['schema']), follow).includes('object'));
    for (const [name, own] of known) {
      const parameter = said.get(name) ?? said.get(name.replace(/\[\]$/, ''));
      if (!parameter) {
        // Header fields that no contract names are common: only those of an API's own are told.
        if (!open && (place === 'query' || name.startsWith('x-'))) report('undescribed', place, name, 'not named', kindsOf(own), own, own.seen, seen.seen);
        continue;
      }
      const types = typesSaid(follow(parameter['schema']), follow);
      const type = String(schemaOfKinds(own.kinds)['type']);
      if (types.length === 1 && ['integer', 'number', 'boolean'].includes(types[0] as string) && !fits(type, types))
        report('other-type', place, name, types.join(' or '), kindsOf(own), own, own.seen, seen.seen);
    }
    for (const [name, parameter] of said) {
      const own = known.get(name) ?? known.get(`${name}[]`);
      if (parameter['required'] === true && seen.seen >= LEAST_FOR_REQUIRED && (own?.seen ?? 0) < seen.seen && parameter['schema'] !== undefined && !open)
        report('missing', place, name, 'required', `in ${own?.seen ?? 0} of ${seen.seen}`, own ?? seen, seen.seen - (own?.seen ?? 0), seen.seen);
      else if (!own && seen.seen >= LEAST_FOR_NEVER && !open) report('never-seen', place, name, 'named', 'never', seen, 0, seen.seen);
    }
  }
}

const kindsOf = ({ kinds }: SeenParameter): string => [...kinds.keys()].join(' or ') || 'empty';

const fits = (type: string, said: readonly string[]): boolean => said.includes(type) || (type === 'integer' && said.includes('number'));

/** All schemas that speak of a value at one place: itself, and what it is composed of. */
function branches(schema: Json | null, follow: Follow, depth = 0): Json[] {
  if (schema === null || depth > MOST_DEPTH) return [];
  const inner = ['allOf', 'oneOf', 'anyOf'].flatMap((name) => listOf(schema[name])).flatMap((one) => branches(follow(one), follow, depth + 1));
  // Siblings of a reference count (JSON Schema 2020-12 section 8.2.3.1).
  return [schema, ...inner];
}

function typesSaid(schema: Json | null, follow: Follow): string[] {
  const found = new Set<string>();
  for (const one of branches(schema, follow)) {
    for (const type of Array.isArray(one['type']) ? (one['type'] as unknown[]) : [one['type']]) if (typeof type === 'string') found.add(type);
    if (one['nullable'] === true) found.add('null');
  }
  return [...found];
}

function compareShape(schema: unknown, shape: SeenShape, where: string, at: string, follow: Follow, report: Report, depth: number): void {
  const own = follow(schema);
  if (own === null || depth > MOST_DEPTH) return;
  const all = branches(own, follow);
  const types = typesSaid(own, follow);
  if (types.length > 0)
    for (const type of typesOf(shape))
      if (!fits(type, types)) report('other-type', where, at, types.join(' or '), type, shape, countOf(shape, type), shape.seen);
  if (shape.objects > 0) compareMembers(all, shape, where, at, follow, report, depth);
  if (shape.items) {
    const items = all.map((one) => one['items']).find(isRecord);
    if (items) compareShape(items, shape.items, where, `${at}/*`, follow, report, depth + 1);
  }
}

const countOf = (shape: SeenShape, type: string): number =>
  ({
    object: shape.objects,
    array: shape.lists,
    string: shape.texts,
    number: shape.numbers,
    integer: shape.integers,
    boolean: shape.booleans,
    null: shape.nulls,
  })[type] ?? 0;

function compareMembers(all: readonly Json[], shape: SeenShape, where: string, at: string, follow: Follow, report: Report, depth: number): void {
  const said = new Map<string, unknown>();
  for (const one of all) for (const [name, member] of Object.entries(recordOf(one['properties']))) if (!said.has(name)) said.set(name, member);
  const others = all.map((one) => one['additionalProperties']).find(isRecord);
  const patterns = all.some((one) => isRecord(one['patternProperties']));
  for (const [name, member] of shape.members) {
    const place = `${at}${pointerOf(name)}`;
    if (said.has(name)) compareShape(said.get(name), member, where, place, follow, report, depth + 1);
    else if (others) compareShape(others, member, where, `${at}/*`, follow, report, depth + 1);
    else if (said.size > 0 && !patterns) report('undescribed', where, place, 'not named', typesOf(member).join(' or '), member, member.seen, shape.objects);
  }
  if (shape.objects < LEAST_FOR_REQUIRED) return;
  const alone = all.length === 1;
  const required = new Set(all.flatMap(demandedMembers));
  for (const [name, member] of said) {
    const own = shape.members.get(name);
    const place = `${at}${pointerOf(name)}`;
    const hidden = where === 'request' ? 'readOnly' : 'writeOnly';
    if (follow(member)?.[hidden] === true) continue;
    if (alone && required.has(name) && (own?.seen ?? 0) < shape.objects)
      report('missing', where, place, 'required', `in ${own?.seen ?? 0} of ${shape.objects}`, own ?? shape, shape.objects - (own?.seen ?? 0), shape.objects);
    else if (!own && shape.objects >= LEAST_FOR_NEVER) report('never-seen', where, place, 'named', 'never', shape, 0, shape.objects);
  }
}
