import { parseDocument } from 'yaml';
import { canonicalJson } from '../util/canonical-json.js';
import { isRecord, pointerToken, valueAt } from '../util/json-pointer.js';
import type { ContractPart } from '../document/contract-rule.js';
import type { Deviation } from './check/deviation.js';
import { yamlPlace } from './yaml-place.js';

/** One change of a document: a value at a pointer, or nothing there any more. */
export interface ContractEdit {
  readonly pointer: string;
  /** Undefined takes away what is there. */
  readonly value: unknown;
}

/** What a contract has to say so that a deviation is none, in words and as edits. Null where that cannot be told. */
export interface Acceptance {
  readonly says: string;
  readonly edits: readonly ContractEdit[];
}

type Json = Readonly<Record<string, unknown>>;

/** Types by how values are named. */
const TYPE_OF: readonly (readonly [RegExp, string])[] = [
  [/^null$/, 'null'],
  [/text/, 'string'],
  [/^a whole number$/, 'integer'],
  [/^a number$/, 'number'],
  [/^true or false$/, 'boolean'],
  [/^an object/, 'object'],
  [/^a list/, 'array'],
];

/** Keywords that can only be taken away: what came is not kept, so nobody can say how far to widen them. */
const TAKEN_AWAY = new Set([
  ...['enum', 'const', 'minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf', 'minLength', 'maxLength', 'pattern', 'format'],
  ...['minItems', 'maxItems', 'uniqueItems', 'contains', 'maxContains', 'minProperties', 'maxProperties', 'dependentRequired'],
]);

/** Works out how a contract accepts what deviated from it, with the smallest change that does. */
export function acceptDeviation(document: Json, part: ContractPart, { name, rule, keyword, found, member = null }: Deviation): Acceptance | null {
  const at = (pointer: string): unknown => valueAt(document, pointer);
  const set = (says: string, pointer: string, value: unknown): Acceptance => ({ says, edits: [{ pointer, value }] });
  const modern = typeof document['openapi'] === 'string' && !document['openapi'].startsWith('3.0');
  if (part === 'contract-query' && keyword === 'unknown') {
    const list = at(rule);
    const parameters: unknown[] = Array.isArray(list) ? (list as unknown[]) : [];
    return set(`names the query parameter ${name}`, rule, [...parameters, { name, in: 'query', schema: { type: 'string' } }]);
  }
  if (keyword === 'status') return set(`names the answer ${name}`, `${rule}/${pointerToken(name)}`, { description: 'Seen in traffic' });
  if (keyword === 'content' && /^[a-z0-9.+-]+\/[a-z0-9.+-]+$/.test(found)) {
    const content = rule.endsWith('/content') ? rule : `${rule}/content`;
    return isRecord(at(content)) ? set(`names the content type ${found}`, `${content}/${pointerToken(found)}`, {}) : null;
  }
  if (keyword === 'required') return acceptMissing(at, rule, member);
  if (member !== null && ['additionalProperties', 'unevaluatedProperties', 'unknown'].includes(keyword)) {
    const schema = followed(at, rule.replace(/\/(?:additionalProperties|unevaluatedProperties)$/, ''));
    if (schema === null) return null;
    const properties = at(`${schema}/properties`);
    const says = `names the member ${member}`;
    return isRecord(properties) ? set(says, `${schema}/properties/${pointerToken(member)}`, {}) : set(says, `${schema}/properties`, { [member]: {} });
  }
  if ((keyword === 'readOnly' || keyword === 'writeOnly') && member !== null) {
    const schema = followed(at, rule);
    return schema === null ? null : set(`lets ${member} travel both ways`, `${schema}/${keyword}`, undefined);
  }
  if (keyword === 'type') return acceptType(at, rule, found, modern);
  if (TAKEN_AWAY.has(keyword) && at(rule) !== undefined) return set(`asks no more for ${keyword} there`, rule, undefined);
  return null;
}

function acceptMissing(at: (pointer: string) => unknown, rule: string, member: string | null): Acceptance | null {
  const said = at(rule);
  if (member !== null && Array.isArray(said)) {
    const left = (said as unknown[]).filter((one) => one !== member);
    return { says: `does not ask for ${member}`, edits: [{ pointer: rule, value: left.length === 0 ? undefined : left }] };
  }
  if (said === true) return { says: member === null ? 'does not ask for a body' : `does not ask for ${member}`, edits: [{ pointer: rule, value: undefined }] };
  // A parameter of a path is always there.
  if (isRecord(said) && said['required'] === true && said['in'] !== 'path')
    return { says: 'does not ask for it', edits: [{ pointer: `${rule}/required`, value: undefined }] };
  return null;
}

/** How a schema takes a type more, at the pointer of its `type`. */
export function acceptType(at: (pointer: string) => unknown, rule: string, found: string, modern: boolean): Acceptance | null {
  const type = TYPE_OF.find(([words]) => words.test(found))?.[1];
  const said = at(rule);
  if (type === undefined || said === undefined) return null;
  if (modern) {
    const types: unknown[] = Array.isArray(said) ? (said as unknown[]) : [said];
    const all = type === 'number' ? types.filter((one) => one !== 'integer') : types;
    return { says: `allows ${type} there`, edits: [{ pointer: rule, value: [...all, type] }] };
  }
  if (type === 'null') return { says: 'allows null there', edits: [{ pointer: rule.replace(/\/type$/, '/nullable'), value: true }] };
  return { says: 'asks for no type there', edits: [{ pointer: rule, value: undefined }] };
}

/** The schema that a pointer leads to, behind references inside the document. */
export function followed(at: (pointer: string) => unknown, pointer: string): string | null {
  let place = pointer;
  for (let turn = 0; turn < 20; turn++) {
    const schema = at(place);
    if (!isRecord(schema)) return null;
    const reference = schema['$ref'];
    if (typeof reference !== 'string') return place;
    if (!reference.startsWith('#/')) return null;
    place = decodeURIComponent(reference.slice(1));
  }
  return null;
}

/** A description with some changes. What else stands in it stays as it was written, as far as its format allows. */
export function editContract(text: string, format: 'json' | 'yaml', edits: readonly ContractEdit[]): string {
  // JSON is YAML, and its flow style stays; a text of one line stays one.
  const document = parseDocument(text, { version: '1.2', logLevel: 'silent' });
  for (const { pointer, value } of edits) {
    const { path, parent } = yamlPlace(document, pointer);
    const made = value === undefined ? undefined : document.createNode(value, { flow: format === 'json' });
    // What stands behind an alias is changed where it was written.
    if (parent === null) document.setIn(path, made);
    else if (made === undefined) parent.delete(path[path.length - 1]);
    else parent.set(path[path.length - 1], made);
  }
  if (format === 'yaml') return withLinesOf(text, document.toString({ lineWidth: 0 }));
  return `${JSON.stringify(document.toJS({ maxAliasCount: 1000 }), null, /^\s*\{\s*\n/.test(text) ? indentOf(text) : 0)}\n`;
}

/** How many lines ahead a line is looked for that stands in both texts. */
const LOOK_AHEAD = 400;

/**
 * A YAML text as it was written again, with the lines of the text before wherever they say the same: writing it again spaces
 * brackets and quotes in its own way.
 */
function withLinesOf(before: string, after: string): string {
  const [old, fresh] = [before.split('\n'), after.split('\n')];
  const same = (a: string | undefined, b: string | undefined): boolean =>
    a !== undefined && b !== undefined && saysOf(a) === saysOf(b) && depthOf(a) === depthOf(b);
  const out: string[] = [];
  let at = 0;
  for (let index = 0; index < fresh.length; index++) {
    const line = fresh[index] as string;
    if (!same(old[at], line)) {
      // What was taken away is passed over, what came is kept; the next line that stands in both goes on.
      const ahead = old.slice(at, at + LOOK_AHEAD).findIndex((one, offset) => same(one, line) && same(old[at + offset + 1], fresh[index + 1]));
      if (ahead >= 0) at += ahead;
    }
    if (same(old[at], line)) out.push(old[at++] as string);
    else out.push(line);
  }
  const kept = out.join('\n');
  return canonicalJson(parseDocument(kept, { version: '1.2', logLevel: 'silent' }).toJS()) ===
    canonicalJson(parseDocument(after, { version: '1.2', logLevel: 'silent' }).toJS())
    ? kept
    : after;
}

const saysOf = (line: string): string => line.replace(/\s+/g, '').replaceAll('"', "'");
const depthOf = (line: string): number => line.length - line.trimStart().length;

const indentOf = (text: string): number => /^\s*\{\s*\n( +)/.exec(text)?.[1]?.length ?? 2;
