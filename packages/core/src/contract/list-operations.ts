import type { AccessRule } from '../document/access-rule.js';
import { SCHEME_TYPES, type SchemeRule, type SchemeType } from '../document/release-document.js';
import type { TokenPlace } from '../document/token-rule.js';
import { METHOD_NAMES } from '../document/method-names.js';
import { readTemplate } from '../route/path-template.js';
import { ConfigError } from '../util/config-error.js';
import { isRecord, pointerOf, pointerToken, valueAt } from '../util/json-pointer.js';
import { ProblemList } from './problem.js';
import { readSecurity } from './read-security.js';

/** One operation of a description. */
export interface ContractOperation {
  readonly method: string;
  readonly path: string;
  readonly operationId: string | null;
  readonly summary: string;
  readonly pointer: string;
  /** What the operation itself says about security; null when it inherits. */
  readonly access: AccessRule | null;
}

/** What a description says, as far as routing and rights need it. */
export interface ListedContract {
  readonly title: string;
  readonly version: string;
  readonly servers: readonly string[];
  readonly operations: readonly ContractOperation[];
  readonly access: AccessRule;
  readonly schemes: readonly SchemeRule[];
  readonly scopes: readonly { readonly name: string; readonly description: string }[];
  readonly problems: ProblemList;
}

type Json = Readonly<Record<string, unknown>>;

const MAX_OPERATIONS = 20_000;

/**
 * Lists operations, security schemes and security requirements of an OpenAPI 3.0 or 3.1 document
 * (3.1.2 sections 4.8.8 to 4.8.10, 4.8.27 and 4.8.30). References are followed inside the document only.
 */
export function listOperations(document: Json): ListedContract {
  const problems = new ProblemList();
  if (!isRecord(document['paths']) || Object.keys(document['paths']).length === 0)
    problems.add(
      document['paths'] === undefined || isRecord(document['paths']) ? 'notice' : 'error',
      '/paths',
      'the description has no paths, so it has no operations',
    );
  if (document['x-upgraded-from'] === '2.0')
    problems.add('notice', '/x-upgraded-from', 'was of version 2.0 and was upgraded to OpenAPI 3.0 when it was brought in');
  const info = recordOf(document['info']);
  const schemes = readSchemes(document, problems);
  const names = new Set(schemes.map((scheme) => scheme.name));
  const operations = readPaths(document, names, problems);
  const access = readSecurity(document['security'], '/security', names, problems) ?? { kind: 'open', origin: 'contract' };
  nameUncheckable(schemes, operations, access, problems);
  checkReferences(document, problems);
  return {
    title: textOf(info['title']) || 'Untitled API',
    version: textOf(info['version']) || '0',
    servers: arrayOf(document['servers']).map((server) => textOf(recordOf(server)['url'])),
    operations,
    access,
    schemes,
    scopes: readScopes(document),
    problems,
  };
}

function readPaths(document: Json, schemes: ReadonlySet<string>, problems: ProblemList): ContractOperation[] {
  const operations: ContractOperation[] = [];
  const taken = new Map<string, string>();
  const ids = new Set<string>();
  for (const [path, entry] of Object.entries(recordOf(document['paths']))) {
    if (path.startsWith('x-')) continue;
    const pointer = pointerOf('paths', path);
    const template = templateOf(path, pointer, problems);
    if (template === null) continue;
    if (!isRecord(entry)) problems.add('error', pointer, 'a path item is an object; this one is not read');
    const item = follow(document, entry, pointer, problems);
    if (isRecord(entry) && entry['$ref'] !== undefined && Object.keys(item).length === 0)
      problems.add('error', pointer, `refers to ${String(entry['$ref']).slice(0, 120)}, which is not in this document; its operations are not read`);
    nameStrayMembers(recordOf(entry), item, pointer, problems);
    for (const method of METHOD_NAMES) {
      const operation = item[method.toLowerCase()];
      const at = `${pointer}/${method.toLowerCase()}`;
      if (operation === undefined) continue;
      if (!isRecord(operation)) {
        problems.add('error', at, 'an operation is an object; this one is not read');
        continue;
      }
      const key = `${method} ${template}`;
      const other = taken.get(key);
      if (other !== undefined) {
        problems.add('error', at, `matches the same requests as ${method} ${other}; only the first is used`);
        continue;
      }
      taken.set(key, path);
      if (operations.length >= MAX_OPERATIONS) {
        // Half of a description would leave the other half unguarded or unserved without a word.
        problems.add('error', '/paths', `the description has more than ${MAX_OPERATIONS} operations; none of them is taken`);
        return [];
      }
      operations.push(readOperation(operation, method, path, at, ids, schemes, problems));
    }
  }
  return operations;
}

/** A path in the form in which two spellings of it are one; null when it cannot be used. */
function templateOf(path: string, pointer: string, problems: ProblemList): string | null {
  if (!path.startsWith('/')) {
    problems.add('error', pointer, `a path begins with a slash, ${path.slice(0, 100)} does not; its operations are not read`);
    return null;
  }
  const mark = /[?#]/.exec(path)?.[0];
  if (mark !== undefined) {
    problems.add('error', pointer, `a path has no ${mark === '?' ? 'query' : 'fragment'}; ${path.slice(0, 100)} is never matched and not read`);
    return null;
  }
  try {
    return readTemplate(path, pointer)
      .map((segment) => (segment.kind === 'fixed' ? segment.text : (segment.around?.join('{}') ?? '{}')))
      .join('/');
  } catch (error) {
    problems.add('error', pointer, error instanceof ConfigError ? error.message : 'the path cannot be read');
    return null;
  }
}

const PATH_ITEM_MEMBERS = new Set(['$ref', 'summary', 'description', 'servers', 'parameters', ...METHOD_NAMES.map((name) => name.toLowerCase())]);

/** Names members of a path item that say something and are not read: methods in capitals, and what stands beside a reference. */
function nameStrayMembers(entry: Json, followed: Json, pointer: string, problems: ProblemList): void {
  for (const name of new Set([...Object.keys(entry), ...Object.keys(followed)])) {
    const at = `${pointer}/${pointerToken(name)}`;
    const lower = name.toLowerCase();
    if (
      entry['$ref'] !== undefined &&
      name !== '$ref' &&
      entry[name] !== undefined &&
      PATH_ITEM_MEMBERS.has(lower) &&
      !['summary', 'description'].includes(name)
    )
      problems.add('error', at, 'stands beside $ref, which replaces it; it is not read');
    else if (name !== lower && PATH_ITEM_MEMBERS.has(lower)) problems.add('error', at, `methods are written in small letters; ${name} is not read`);
    else if (!PATH_ITEM_MEMBERS.has(name) && !name.startsWith('x-'))
      problems.add('notice', at, `${name.slice(0, 60)} means nothing in a path item; it is not read`);
  }
}

/** Names schemes that cannot be checked, and how many operations nobody can call because of them. */
function nameUncheckable(schemes: readonly SchemeRule[], operations: readonly ContractOperation[], access: AccessRule, problems: ProblemList): void {
  for (const scheme of schemes.filter((item) => item.type === 'unsupported')) {
    const closed = operations.filter((operation) => {
      const rule = operation.access ?? access;
      return rule.kind === 'required' && rule.alternatives.every((alternative) => alternative.some((item) => item.scheme === scheme.name));
    }).length;
    const meaning =
      closed === 0
        ? 'no operation depends on it alone'
        : `${closed} ${closed === 1 ? 'operation that takes' : 'operations that take'} nothing else refuse everyone`;
    problems.add('notice', pointerOf('components', 'securitySchemes', scheme.name), `a scheme of type ${scheme.declared} is not checked yet; ${meaning}`);
  }
}

function readOperation(
  operation: Json,
  method: string,
  path: string,
  pointer: string,
  ids: Set<string>,
  schemes: ReadonlySet<string>,
  problems: ProblemList,
): ContractOperation {
  const operationId = textOf(operation['operationId']) || null;
  if (operationId === null) problems.add('notice', pointer, 'no operationId; the operation is known by its method and path');
  else if (ids.has(operationId)) problems.add('notice', `${pointer}/operationId`, `another operation has the operationId ${operationId}`);
  else ids.add(operationId);
  return {
    method,
    path,
    operationId,
    summary: textOf(operation['summary']).slice(0, 300),
    pointer,
    access: readSecurity(operation['security'], `${pointer}/security`, schemes, problems),
  };
}

function readSchemes(document: Json, problems: ProblemList): SchemeRule[] {
  return Object.entries(recordOf(recordOf(document['components'])['securitySchemes'])).map(([name, entry]) => {
    const pointer = pointerOf('components', 'securitySchemes', name);
    const scheme = follow(document, entry, pointer, problems);
    const type = textOf(scheme['type']);
    const httpScheme = textOf(scheme['scheme']).toLowerCase();
    const kind = schemeType(type, httpScheme);
    const place = kind === 'apiKey' ? readKeyPlace(scheme, pointer, problems) : null;
    const declared = type === 'http' ? `http ${httpScheme}` : type || 'unknown';
    const metadataUrl = kind === 'openIdConnect' ? textOf(scheme['openIdConnectUrl']).slice(0, 2000) || null : null;
    return { name, type: kind === 'apiKey' && place === null ? 'unsupported' : kind, declared, metadataUrl, providers: [], place };
  });
}

function schemeType(type: string, httpScheme: string): SchemeType {
  if (type === 'http') return httpScheme === 'bearer' ? 'http-bearer' : httpScheme === 'basic' ? 'http-basic' : 'unsupported';
  return SCHEME_TYPES.find((known) => known === type && !known.startsWith('http')) ?? 'unsupported';
}

/** Where the key of a scheme travels (OpenAPI 3.1.2 section 4.8.27); null where it does not say so. */
function readKeyPlace(scheme: Json, pointer: string, problems: ProblemList): TokenPlace | null {
  const name = textOf(scheme['name']);
  const where = scheme['in'];
  if (name === '' || name.length > 200 || (where !== 'header' && where !== 'cookie' && where !== 'query')) {
    problems.add('error', pointer, 'an apiKey says its name and whether it is in a header, a cookie or the query; nobody can meet it');
    return null;
  }
  if (where === 'query') problems.add('notice', pointer, `the key ${name} travels in the query: addresses end up in logs`);
  return where === 'header' ? { kind: where, name: name.toLowerCase(), scheme: null } : { kind: where, name };
}

function readScopes(document: Json): { name: string; description: string }[] {
  const scopes = new Map<string, string>();
  for (const scheme of Object.values(recordOf(recordOf(document['components'])['securitySchemes']))) {
    for (const flow of Object.values(recordOf(recordOf(scheme)['flows']))) {
      for (const [name, description] of Object.entries(recordOf(recordOf(flow)['scopes']))) scopes.set(name, textOf(description).slice(0, 500));
    }
  }
  return [...scopes].map(([name, description]) => ({ name, description }));
}

/** Follows `$ref` inside the document; a circle, a missing target or something that is no reference ends in an empty object. */
function follow(document: Json, value: unknown, pointer: string, problems: ProblemList): Json {
  let current = recordOf(value);
  const seen = new Set<string>();
  for (;;) {
    const reference = current['$ref'];
    if (reference === undefined) return current;
    if (typeof reference !== 'string' || !reference.startsWith('#') || seen.has(reference)) {
      if (typeof reference === 'string' && seen.has(reference)) problems.add('error', pointer, `the reference ${reference} leads back to itself`);
      return {};
    }
    seen.add(reference);
    current = recordOf(valueAt(document, fragmentOf(reference)));
  }
}

/** Names every reference that cannot be used. Walks each container once, so circles end. */
function checkReferences(document: Json, problems: ProblemList): void {
  const queue: { value: object; pointer: string }[] = [{ value: document, pointer: '' }];
  const seen = new Set<object>([document]);
  for (let item = queue.pop(); item; item = queue.pop()) {
    const isExample = /\/(examples?|default|enum|const)(\/|$)/.test(item.pointer);
    for (const [name, member] of Object.entries(item.value) as [string, unknown][]) {
      const pointer = `${item.pointer}/${pointerToken(name)}`;
      if (name === '$ref' && typeof member === 'string' && !isExample) checkReference(document, member, pointer, problems);
      else if (member !== null && typeof member === 'object' && !seen.has(member)) {
        seen.add(member);
        queue.push({ value: member, pointer });
      }
    }
  }
}

function checkReference(document: Json, reference: string, pointer: string, problems: ProblemList): void {
  const short = reference.slice(0, 120);
  if (!reference.startsWith('#'))
    problems.add('notice', pointer, `refers to ${short}, outside this document; such references are not followed. Bundle the description into one document`);
  else if (/^#(\/|$)/.test(reference) && valueAt(document, fragmentOf(reference)) === undefined)
    problems.add('notice', pointer, `refers to ${short}, which is not there`);
}

function fragmentOf(reference: string): string {
  try {
    return decodeURIComponent(reference.slice(1));
  } catch {
    return reference.slice(1);
  }
}

const recordOf = (value: unknown): Json => (isRecord(value) ? value : {});
const arrayOf = (value: unknown): unknown[] => (Array.isArray(value) ? value : []);
const textOf = (value: unknown): string => (typeof value === 'string' ? value : '');
