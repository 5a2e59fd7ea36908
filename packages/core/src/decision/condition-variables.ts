import { timestampFromMs } from '@bufbuild/protobuf/wkt';
import type { JsonObject } from '../token/read-token.js';
import { isSecretName } from '../util/secret-names.js';
import type { DirectorySource } from '../directory/facts.js';
import type { Exchange } from './exchange.js';
import { inOtherCase, inPlaceOf, otherCase, queryNames, takenForAny } from '../message/alike-names.js';
import { otherSpelling } from '../message/field-spelling.js';
import { formOf } from '../learn/mask-sample.js';
import { inBrackets, listBeside, namesAtSemicolons, readPairs, SEMICOLON, UnreadInput } from './query-pairs.js';
import { bodyValue, exactly, looksAtBody, unmistaken } from './request-body.js';
import { celValue } from '../condition/cel-value.js';
import { lookedAt, namesBelow, pathsBelow } from '../condition/looked-at.js';
import type { MemberPath } from '../condition/member-paths.js';
import type { Look } from '../condition/plainly-true.js';
import { CREDENTIAL_HEADERS } from '../condition/text-forms.js';

type Variables = Record<string, unknown>;
type Fill = (exchange: Exchange, nowMs: number, directory: DirectorySource) => unknown;

/**
 * Makes the variables of conditions out of a request: only the members that a condition looks at. What is not known is
 * left out, so that looking at it is an error.
 */
export function compileVariables(looksAt: readonly MemberPath[]): (exchange: Exchange, nowMs: number, directory: DirectorySource) => Variables {
  const fills = [...new Set(looksAt.map(([root]) => root as string))].map((root): [string, Fill] => [root, fillOf(root, looksAt)]);
  return (exchange, nowMs, directory) => {
    // Each name that is looked at is a member of its own, so that nothing is found behind it.
    const variables: Variables = {};
    for (const [name, fill] of fills) variables[name] = fill(exchange, nowMs, directory);
    return variables;
  };
}

function fillOf(root: string, looksAt: readonly MemberPath[]): Fill {
  const members = namesBelow([root], looksAt);
  switch (root) {
    case 'now':
      return (_exchange, nowMs) => timestampFromMs(nowMs);
    case 'resource':
      return (_exchange, _nowMs, directory) => mapOf(members ?? [], (name) => directory.table(name));
    case 'credentials':
      return ({ caller }) => caller?.by ?? [];
    case 'client':
      return ({ caller }) => mapOf(members ?? CLIENT_MEMBERS, (name) => clientMember(caller, name));
    case 'principal': {
      const attributes = namesBelow(['principal', 'attributes'], looksAt);
      return (exchange) => {
        readWhole(exchange, members, attributes);
        return mapOf(members ?? PRINCIPAL_MEMBERS, (name) => principalMember(exchange, name));
      };
    }
    case 'request': {
      const queried = namesBelow(['request', 'query'], looksAt);
      const fields = namesBelow(['request', 'headers'], looksAt);
      const bodied = looksAtBody(looksAt);
      const inBody = namesBelow(['request', 'body'], looksAt);
      const belowBody = pathsBelow(['request', 'body'], looksAt);
      return (exchange) => {
        const map = mapOf(members ?? REQUEST_MEMBERS, (name) => requestMember(exchange, name, queried, fields));
        // A body that is null was sent, and counts as there.
        const body = bodied ? bodyValue(exchange) : undefined;
        if (body !== undefined) map.set('body', celValue(exactly(lookedAt(unmistaken(body, belowBody), inBody))));
        return map;
      };
    }
    default:
      return () => undefined;
  }
}

/** Members that can be read of any request, and of any caller of whom everything could be read: looking at them alone finds no fault in either. */
const ALWAYS_READ: ReadonlyMap<string, ReadonlySet<string>> = new Map([
  ['principal', new Set(['subject', 'issuer', 'provider', 'tenant', 'scopes', 'roles', 'groups', 'acr', 'amr'])],
  ['client', new Set(['id', 'name'])],
  ['request', new Set(['method', 'path', 'operation', 'address'])],
]);

/** Whether what a condition looks at can be looked at without making variables, which are made of the whole to find what cannot be read in it. */
export const isAlwaysRead = (looksAt: readonly MemberPath[]): boolean =>
  looksAt.every(([variable = '', member = '', ...below]) => below.length === 0 && ALWAYS_READ.get(variable)?.has(member) === true);

/** Looks at members as the variables would have them; for what is always read and nothing else. */
export const lookAtRequest: Look<Exchange> = (exchange, variable, member) => {
  if (member === null) return undefined;
  switch (variable) {
    case 'principal':
      return principalMember(exchange, member);
    case 'client':
      return clientMember(exchange.caller, member);
    case 'request':
      return requestMember(exchange, member, null, null);
    default:
      return undefined;
  }
};

/** Whether something that the token says of its principal could not be read. */
export const isReadInPart = ({ caller }: Exchange): boolean => caller?.principal?.unread !== undefined;

const CLIENT_MEMBERS = ['id', 'name', 'metadata'];
const PRINCIPAL_MEMBERS = ['subject', 'issuer', 'provider', 'tenant', 'scopes', 'roles', 'groups', 'acr', 'amr', 'signedInAt', 'attributes'];
const REQUEST_MEMBERS = ['method', 'path', 'operation', 'parameters', 'query', 'headers', 'address'];

function mapOf(names: Iterable<string>, valueOf: (name: string) => unknown): Map<string, unknown> {
  const map = new Map<string, unknown>();
  for (const name of names) {
    const value = valueOf(name);
    if (value !== undefined && value !== null) map.set(name, value);
  }
  return map;
}

function clientMember(caller: Exchange['caller'], name: string): unknown {
  switch (name) {
    case 'id':
      return caller?.client;
    case 'name':
      return caller?.clientName;
    case 'metadata':
      return caller?.metadata ? metadataOf(caller.metadata) : undefined;
    default:
      return undefined;
  }
}

/** Metadata as conditions look at it, made once for each that is in force. */
const READ_METADATA = new WeakMap<JsonObject, ReadonlyMap<string, unknown>>();

function metadataOf(metadata: JsonObject): ReadonlyMap<string, unknown> {
  let read = READ_METADATA.get(metadata);
  if (!read) READ_METADATA.set(metadata, (read = celValue(metadata) as ReadonlyMap<string, unknown>));
  return read;
}

const ATTRIBUTES = 'attributes.';

/**
 * Holds a principal against what is looked at of it; null for all.
 * @throws UnreadInput for a member of which something cannot be read: what it does not hold is not known
 */
function readWhole({ caller }: Exchange, members: readonly string[] | null, attributes: readonly string[] | null): void {
  for (const member of caller?.principal?.unread ?? []) {
    const looked = member.startsWith(ATTRIBUTES)
      ? (members?.includes('attributes') ?? true) && (attributes?.includes(member.slice(ATTRIBUTES.length)) ?? true)
      : (members?.includes(member) ?? true);
    if (looked) throw new UnreadInput(`principal.${member}: something in the claim of the token is no value of it`);
  }
}

function principalMember({ caller }: Exchange, name: string): unknown {
  // A client has roles without any token.
  if (name === 'roles') return caller?.roles;
  const principal = caller?.principal;
  if (!principal) return undefined;
  switch (name) {
    case 'provider':
      return principal.providerName;
    case 'signedInAt':
      return principal.authTime === null ? undefined : timestampFromMs(principal.authTime * 1000);
    case 'attributes':
      // One without a value is one that nobody vouches for: to ask what it does not hold would be met by its missing.
      return new Map(Object.entries(principal.attributes).filter(([attribute, values]) => values.length > 0 && !isUnread(caller, ATTRIBUTES + attribute)));
    case 'subject':
    case 'issuer':
    case 'tenant':
    case 'scopes':
    case 'groups':
    case 'acr':
    case 'amr':
      return principal[name];
    default:
      return undefined;
  }
}

function requestMember(exchange: Exchange, name: string, queried: readonly string[] | null, fields: readonly string[] | null): unknown {
  const { operation } = exchange;
  switch (name) {
    case 'method':
      return exchange.method;
    case 'path':
      return exchange.path;
    case 'operation':
      return operation?.rule.id;
    case 'address':
      return exchange.from.address;
    case 'parameters': {
      const map = new Map<string, string>();
      operation?.parameterNames.forEach((parameter, index) => map.set(parameter, decodeURIComponent(exchange.parameters[index] ?? '')));
      return map;
    }
    case 'query':
      return readQuery(exchange.query, queried, hiddenNames(exchange, 'query'));
    case 'headers': {
      const hidden = hiddenNames(exchange, 'header');
      const other = otherSpelling(Object.keys(exchange.headers), fields);
      if (other !== null) throw new UnreadInput(`the header field ${other.slice(0, 60)} is taken for another one by some readers`);
      return mapOf(fields ?? Object.keys(exchange.headers), (field) =>
        CREDENTIAL_HEADERS.has(field) || hidden.has(field) ? undefined : exchange.header(field),
      );
    }
    default:
      return undefined;
  }
}

/** Names in which credentials of the API travel. */
function hiddenNames({ operation }: Exchange, kind: 'query' | 'header'): ReadonlySet<string> {
  if (!operation) return NONE;
  const places = [...operation.token.places, ...operation.api.token.places, ...operation.api.schemes.flatMap(({ place }) => place ?? [])];
  const names = places.filter((place) => place.kind === kind).map(({ name }) => (kind === 'header' ? name.toLowerCase() : name));
  return names.length === 0 ? NONE : new Set(names);
}

const NONE: ReadonlySet<string> = new Set();

/**
 * All that conditions can look at but tables, as a script is given it: times as in RFC 3339, a parameter that stands twice as a list.
 * @throws Error in words for what cannot be read
 */
export function inputOf(exchange: Exchange, nowMs: number, withBody: boolean): Readonly<Record<string, unknown>> {
  const body = withBody ? exactly(unmistaken(bodyValue(exchange), WHOLE)) : undefined;
  return {
    principal: plain(mapOf(PRINCIPAL_MEMBERS, (name) => (isUnread(exchange.caller, name) ? undefined : principalMember(exchange, name)))),
    client: {
      id: exchange.caller?.client ?? undefined,
      name: exchange.caller?.clientName ?? undefined,
      metadata: exchange.caller?.metadata ?? undefined,
    },
    credentials: exchange.caller?.by ?? [],
    request: {
      ...(plain(mapOf(REQUEST_MEMBERS, (name) => requestMember(exchange, name, NOTHING, Object.keys(exchange.headers)))) as object),
      query: queryLists(exchange),
      ...(body === undefined ? {} : { body }),
    },
    now: new Date(nowMs).toISOString(),
  };
}

/** Whether something of a member cannot be read: a script is not shown it, so that it does not take it for less than it is. */
const isUnread = (caller: Exchange['caller'], member: string): boolean => caller?.principal?.unread?.includes(member) ?? false;

const NOTHING: readonly string[] = [];
const WHOLE: readonly MemberPath[] = [[]];

function plain(value: unknown): unknown {
  if (value instanceof Map) return Object.fromEntries([...(value as Map<string, unknown>)].map(([name, item]) => [name, plain(item)]));
  if (typeof value === 'object' && value !== null && 'seconds' in value) return new Date(Number(value.seconds) * 1000).toISOString();
  return value;
}

function queryLists(exchange: Exchange): Record<string, string | string[]> {
  const hidden = hiddenNames(exchange, 'query');
  const values = new Map<string, string | string[]>();
  const text = exchange.query.slice(1);
  if (text.includes(';')) throw new UnreadInput(`the query has ${SEMICOLON}`);
  for (const [name, value] of readPairs(text)) {
    if (hidden.has(name)) continue;
    const before = values.get(name);
    values.set(name, before === undefined ? value : typeof before === 'string' ? [before, value] : [...before, value]);
  }
  readAlike([...values.keys()]);
  return Object.fromEntries(values);
}

/** @throws UnreadInput for two names of parameters that some readers take for one */
function readAlike(names: readonly string[]): void {
  const beside = listBeside(names);
  if (beside !== null) throw new UnreadInput(`the query parameter ${inBrackets(beside)}`);
  const other = otherCase(names, null);
  if (other !== null) throw new UnreadInput(`the query parameter ${inOtherCase(other)}`);
}

/** @param query with its question mark @param asked names that are looked at; null for all @throws Error for what readers understand differently */
function readQuery(query: string, asked: readonly string[] | null, hidden: ReadonlySet<string>): ReadonlyMap<string, string> {
  const map = new Map<string, string>();
  const text = query.slice(1);
  for (const name of namesAtSemicolons(text))
    if (asked === null || asked.includes(name)) throw new UnreadInput(`the query parameter ${name.slice(0, 60)} stands beside ${SEMICOLON}`);
  const taken = asked === null ? null : takenForAny(queryNames(text), asked);
  if (taken !== null) throw new UnreadInput(`the query parameter ${inPlaceOf(taken)}`);
  for (const [name, value] of readPairs(text)) {
    if ((asked && !asked.includes(name)) || hidden.has(name)) continue;
    if (map.has(name)) throw new UnreadInput(`the query parameter ${name.slice(0, 60)} stands twice, and readers differ in which one counts`);
    map.set(name, value);
  }
  if (asked === null) readAlike([...map.keys()]);
  return map;
}

/** So many values are shown beside a condition that does not hold, and so much of each. */
const MOST_SEEN = 8;
const MOST_CHARACTERS = 120;

/** Whether a condition looks at something that its name says is a secret, or at a body: then no message may quote values. */
export const looksAtSecrets = (looksAt: readonly MemberPath[]): boolean => looksAtBody(looksAt) || looksAt.some((path) => path.slice(1).some(isSecretName));

/** What a condition saw, for whoever asks why: each member with its value, secrets left out. */
export function seenBy(looksAt: readonly MemberPath[], variables: Variables): readonly string[] {
  return looksAt.slice(0, MOST_SEEN).map((path) => {
    const name = path.join('.');
    if (path.slice(1).some(isSecretName)) return `${name}: not shown`;
    let value: unknown = variables;
    for (const part of path) value = value instanceof Map ? value.get(part) : value === variables ? variables[part] : undefined;
    // Of texts in bodies, which may say anything about anybody, the form is told and nothing else.
    const inBody = path[0] === 'request' && path[1] === 'body';
    return `${name}: ${inBody ? bodyWords(value) : wordsOf(value).slice(0, MOST_CHARACTERS)}`;
  });
}

function bodyWords(value: unknown): string {
  if (typeof value === 'string') return value === '' ? 'empty' : `a text like ${formOf(value)}`;
  if (value === null) return 'null';
  return Array.isArray(value) ? `${value.length} ${value.length === 1 ? 'item' : 'items'}` : wordsOf(value);
}

function wordsOf(value: unknown): string {
  if (value === undefined || value === null) return 'not there';
  if (typeof value === 'string') return value === '' ? 'empty' : value;
  if (typeof value === 'number' || typeof value === 'boolean') return String(value);
  if (Array.isArray(value)) return value.length === 0 ? 'none' : value.map(String).join(', ');
  if (value instanceof Map) return `${value.size} ${value.size === 1 ? 'member' : 'members'}`;
  if (typeof value === 'object' && 'seconds' in value) return new Date(Number(value.seconds) * 1000).toISOString();
  return '';
}
