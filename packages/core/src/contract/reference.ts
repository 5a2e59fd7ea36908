import { demandedMembers } from '../schema/demanded-members.js';
import { isRecord, pointerOf, valueAt } from '../util/json-pointer.js';
import { ownMember } from '../util/own-member.js';
import { exampleBody, targetOf } from './first-try.js';
import { follow, listOf, recordOf, textOf, type Json } from './follow.js';
import { listOperations, type ContractOperation } from './list-operations.js';

/** One line of a schema as a page shows it: a member, or an alternative. */
export interface SchemaLine {
  readonly depth: number;
  /** Of a member; `*` for every item of a list; a word for an alternative; empty for the whole. */
  readonly name: string;
  readonly type: string;
  readonly required: boolean;
  /** What it must keep to beside its type, in words. */
  readonly rules: readonly string[];
  /** JSON texts of the only values that it may have; left out where others may come, or there are too many to tell. */
  readonly values?: readonly string[];
  readonly description: string;
}

export interface ReferenceParameter extends Omit<SchemaLine, 'depth'> {
  readonly in: string;
}

/** A body in one of its types. */
export interface ReferenceBody {
  readonly type: string;
  readonly lines: readonly SchemaLine[];
  /** JSON text of an example that the contract gives; null where it gives none. */
  readonly example: string | null;
}

export interface ReferenceAnswer {
  readonly status: string;
  readonly description: string;
  readonly headers: readonly Omit<SchemaLine, 'depth'>[];
  readonly bodies: readonly ReferenceBody[];
}

/** One operation for those who call it. */
export interface ReferenceOperation {
  readonly summary: string;
  readonly description: string;
  readonly deprecated: boolean;
  readonly parameters: readonly ReferenceParameter[];
  readonly bodyRequired: boolean;
  readonly bodies: readonly ReferenceBody[];
  readonly answers: readonly ReferenceAnswer[];
  /** Path and query with examples in place of parameters, and a body: what a first try can send. */
  readonly attempt: { readonly target: string; readonly body: string | null };
}

/** Operations that belong together by their first tag. */
export interface ReferenceGroup {
  readonly name: string;
  readonly description: string;
  readonly operations: readonly (Pick<ContractOperation, 'method' | 'path' | 'summary'> & { readonly deprecated: boolean })[];
}

/** What a description is about, and what is in it. */
export interface ReferenceIndex {
  readonly title: string;
  readonly version: string;
  readonly description: string;
  readonly groups: readonly ReferenceGroup[];
}

const MOST_LINES = 300;
const MOST_SCHEMAS = 2000;
const MOST_DEPTH = 8;
/** Values that are told, and those of them that are said in words. */
const MOST_VALUES = 200;
const MOST_SAID = 20;
/** Lists in lists that a type says in words. */
const MOST_LISTS = 3;

/** Operations by their first tags, in the order of the tags; those without one come last. */
export function referenceIndex(document: Json): ReferenceIndex {
  const info = recordOf(document['info']);
  const tags = new Map(listOf(document['tags']).map((tag) => [textOf(recordOf(tag)['name']), textOf(recordOf(tag)['description'])]));
  const groups = new Map<string, ReferenceGroup['operations'][number][]>([...tags.keys()].map((name) => [name, []]));
  for (const { method, path, summary, pointer } of listOperations(document).operations) {
    const operation = recordOf(valueAt(document, pointer));
    const tag = textOf(listOf(operation['tags'])[0]);
    const own = groups.get(tag) ?? [];
    own.push({ method, path, summary, deprecated: operation['deprecated'] === true });
    groups.set(tag, own);
  }
  const named = [...groups].filter(([, operations]) => operations.length > 0).sort(([a], [b]) => Number(a === '') - Number(b === ''));
  return {
    title: textOf(info['title']),
    version: textOf(info['version']),
    description: textOf(info['description']),
    groups: named.map(([name, operations]) => ({ name, description: tags.get(name) ?? '', operations })),
  };
}

/** One operation; null where the description has none of this method and path. */
export function referenceOperation(document: Json, method: string, path: string): ReferenceOperation | null {
  const found = listOperations(document).operations.find((one) => one.method === method && one.path === path);
  if (!found) return null;
  const item = follow(document, valueAt(document, pointerOf('paths', path))).value;
  const operation = recordOf(valueAt(document, found.pointer) ?? item[method.toLowerCase()]);
  const own = listOf(operation['parameters']).map((one) => follow(document, one).value);
  const taken = new Set(own.map((one) => `${textOf(one['in'])} ${textOf(one['name'])}`));
  const shared = listOf(item['parameters'])
    .map((one) => follow(document, one).value)
    .filter((one) => !taken.has(`${textOf(one['in'])} ${textOf(one['name'])}`));
  const parameters = [...shared, ...own];
  const body = follow(document, operation['requestBody']).value;
  const bodies = bodiesOf(document, body['content'], 'writing');
  return {
    summary: textOf(operation['summary']),
    description: textOf(operation['description']),
    deprecated: operation['deprecated'] === true,
    parameters: parameters.map((one) => ({ ...nameless(document, one), name: textOf(one['name']), in: textOf(one['in']), required: one['required'] === true })),
    bodyRequired: body['required'] === true,
    bodies,
    answers: Object.entries(recordOf(operation['responses'])).map(([status, response]) => answerOf(document, status, follow(document, response).value)),
    attempt: { target: targetOf(document, path, parameters), body: bodies[0]?.example ?? exampleBody(document, body['content']) },
  };
}

/** How values of parameters of the path are written that do not stand there as they are (OpenAPI 3.1 section 4.8.12.4). */
const WRITTEN: Readonly<Record<string, string>> = { matrix: 'behind ;name=', label: 'behind a dot' };

/** A parameter or header field: its description and the rules of its schema. */
function nameless(document: Json, one: Json): Omit<SchemaLine, 'depth' | 'name' | 'required'> {
  const media = Object.entries(recordOf(one['content']))[0];
  const schema = follow(document, media ? recordOf(media[1])['schema'] : one['schema']).value;
  const { type, ...told } = wordsOf(document, schema);
  const style = one['in'] === 'path' ? ownMember(WRITTEN, textOf(one['style'])) : undefined;
  return {
    type: media ? `${type} as ${media[0]}` : style ? `${type}, written ${style}` : type,
    ...told,
    description: textOf(one['description']) || textOf(schema['description']),
  };
}

function answerOf(document: Json, status: string, response: Json): ReferenceAnswer {
  return {
    status,
    description: textOf(response['description']),
    headers: Object.entries(recordOf(response['headers'])).map(([name, header]) => {
      const value = follow(document, header).value;
      return { ...nameless(document, value), name, required: value['required'] === true };
    }),
    bodies: bodiesOf(document, response['content'], 'reading'),
  };
}

/** Whether a body is written by a caller or read: members that only the other side sees are left out. */
type Way = 'reading' | 'writing';

function bodiesOf(document: Json, content: unknown, way: Way): ReferenceBody[] {
  return Object.entries(recordOf(content)).map(([type, media]) => {
    const { value } = follow(document, media);
    const lines: SchemaLine[] = [];
    if (value['schema'] !== undefined)
      addLines(document, value['schema'], { depth: 0, name: '', required: false, way, seen: [], budget: { left: MOST_SCHEMAS } }, lines);
    return { type, lines, example: exampleOf(document, value) };
  });
}

function exampleOf(document: Json, media: Json): string | null {
  const first = Object.values(recordOf(media['examples']))[0];
  const value =
    media['example'] ?? (first === undefined ? undefined : follow(document, first).value['value']) ?? follow(document, media['schema']).value['example'];
  return value === undefined ? null : JSON.stringify(value, null, 2);
}

interface Place {
  readonly depth: number;
  readonly name: string;
  readonly required: boolean;
  readonly way: Way;
  /** Names of schemas that this one stands inside: one that stands inside itself is named and not written again. */
  readonly seen: readonly string[];
  /** How many schemas are still looked into: one that is put together of many that are put together could go on for ever. */
  readonly budget: { left: number };
}

function addLines(document: Json, given: unknown, place: Place, lines: SchemaLine[]): void {
  if (lines.length >= MOST_LINES) return;
  const { value: schema, name: called } = follow(document, given);
  const again = called !== '' && place.seen.includes(called);
  const { type, ...told } = wordsOf(document, schema);
  const { depth, name, required } = place;
  // The whole says nothing where its members or its alternatives do.
  if (depth > 0 || name !== '' || (type !== 'object' && branchesOf(schema).length === 0))
    lines.push({ depth, name, type: again ? `${type}, as ${called} above` : type, required, ...told, description: textOf(schema['description']) });
  if (again || depth > MOST_DEPTH) return;
  addInner(document, schema, { ...place, seen: called === '' ? place.seen : [...place.seen, called] }, lines);
}

const branchesOf = (schema: Json): unknown[] => [...listOf(schema['oneOf']), ...listOf(schema['anyOf'])];

function addInner(document: Json, schema: Json, place: Place, lines: SchemaLine[]): void {
  if (--place.budget.left < 0) return;
  const { depth, way } = place;
  const below = depth + (place.name === '' && depth === 0 ? 0 : 1);
  const required = new Set(demandedMembers(schema));
  for (const [name, member] of Object.entries(recordOf(schema['properties']))) {
    const hidden = follow(document, member).value[way === 'writing' ? 'readOnly' : 'writeOnly'] === true;
    if (!hidden) addLines(document, member, { ...place, depth: below, name, required: required.has(name) }, lines);
  }
  if (isRecord(schema['additionalProperties']))
    addLines(document, schema['additionalProperties'], { ...place, depth: below, name: 'any other', required: false }, lines);
  // What only asks for some members together says nothing that a page could list.
  for (const part of listOf(schema['allOf'])) {
    const { value, name: called } = follow(document, part);
    if (called === '') addInner(document, value, place, lines);
    else if (!place.seen.includes(called)) addInner(document, value, { ...place, seen: [...place.seen, called] }, lines);
  }
  for (const [index, branch] of branchesOf(schema).entries())
    addLines(document, branch, { ...place, depth: below, name: index === 0 ? 'either' : 'or', required: false }, lines);
  if (isRecord(schema['items'])) {
    const items = follow(document, schema['items']).value;
    // Lists of plain values say so in their type.
    if (isRecord(items['properties']) || listOf(items['oneOf']).length + listOf(items['anyOf']).length + listOf(items['allOf']).length > 0)
      addLines(document, schema['items'], { ...place, depth: below, name: '*', required: false }, lines);
  }
}

/** Types of the only values that there are. */
const typesOfValues = (values: readonly unknown[]): string[] => [
  ...new Set(values.map((one) => (one === null ? 'null' : Array.isArray(one) ? 'array' : typeof one))),
];

/** Rules that are said as they are, with the words before their values. */
const RULES: readonly (readonly [keyword: string, words: string])[] = [
  ['minimum', 'at least'],
  ['exclusiveMinimum', 'more than'],
  ['maximum', 'at most'],
  ['exclusiveMaximum', 'less than'],
  ['multipleOf', 'a multiple of'],
  ['minLength', 'characters at least'],
  ['maxLength', 'characters at most'],
  ['pattern', 'like'],
  ['minItems', 'items at least'],
  ['maxItems', 'items at most'],
  ['default', 'default'],
];

/** @param lists how many lists it stands in, one in the other */
function wordsOf(document: Json, schema: Json, lists = 0): Pick<SchemaLine, 'type' | 'rules' | 'values'> {
  const types = (Array.isArray(schema['type']) ? (schema['type'] as unknown[]) : [schema['type']]).filter((one): one is string => typeof one === 'string');
  // A list may be one of such lists.
  const items = isRecord(schema['items']) && lists < MOST_LISTS ? wordsOf(document, follow(document, schema['items']).value, lists + 1).type : '';
  const named = types.map((one) => (one === 'array' && items !== '' ? `list of ${items}` : one));
  const guessed =
    named.length > 0
      ? named
      : isRecord(schema['properties'])
        ? ['object']
        : typesOfValues([...(schema['const'] === undefined ? [] : [schema['const']]), ...listOf(schema['enum'])]);
  const format = textOf(schema['format']);
  const allowed = listOf(schema['enum']).map((one) => JSON.stringify(one));
  const more = allowed.length > MOST_SAID ? ` and ${allowed.length - MOST_SAID} more` : '';
  const always = schema['const'] === undefined ? null : JSON.stringify(schema['const']);
  const values = always === null ? allowed : [always];
  const rules = RULES.flatMap(([keyword, words]) => {
    const value = schema[keyword];
    return typeof value === 'number' || typeof value === 'string' || typeof value === 'boolean' ? [`${words} ${String(value)}`] : [];
  });
  return {
    type: `${[...guessed, ...(schema['nullable'] === true ? ['null'] : [])].join(' or ') || 'anything'}${format === '' ? '' : ` (${format})`}`,
    rules: [
      ...(allowed.length > 0 ? [`one of ${allowed.slice(0, MOST_SAID).join(', ')}${more}`] : []),
      ...(always === null ? [] : [`always ${always}`]),
      ...rules,
    ],
    // A version that knows null beside its schema allows it beside its values.
    ...(values.length > 0 && values.length <= MOST_VALUES ? { values: schema['nullable'] === true ? [...values, 'null'] : values } : {}),
  };
}
