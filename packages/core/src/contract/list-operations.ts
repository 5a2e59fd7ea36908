import type { AccessRule, SchemeRequirement } from '../document/access-rule.js';
import type { SchemeRule } from '../document/release-document.js';
import { METHOD_NAMES } from '../document/method-names.js';
import { readTemplate } from '../route/path-template.js';
import { ConfigError } from '../util/config-error.js';
import { isRecord, pointerOf, pointerToken, valueAt } from '../util/json-pointer.js';
import { ProblemList } from './problem.js';

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
  const info = recordOf(document['info']);
  const schemes = readSchemes(document, problems);
  const names = new Set(schemes.map((scheme) => scheme.name));
  const operations = readPaths(document, names, problems);
  if (operations.length === 0) problems.add('notice', '/paths', 'the description has no operations');
  checkReferences(document, problems);
  return {
    title: textOf(info['title']) || 'Untitled API',
    version: textOf(info['version']) || '0',
    servers: arrayOf(document['servers']).map((server) => textOf(recordOf(server)['url'])),
    operations,
    access: readSecurity(document['security'], '/security', names, problems) ?? { kind: 'open', origin: 'contract' },
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
    if (!path.startsWith('/')) continue;
    const pointer = pointerOf('paths', path);
    try {
      readTemplate(path, pointer);
    } catch (error) {
      problems.add('error', pointer, error instanceof ConfigError ? error.message : 'the path cannot be read');
      continue;
    }
    const item = follow(document, entry, pointer, problems);
    for (const method of METHOD_NAMES) {
      const operation = item[method.toLowerCase()];
      if (!isRecord(operation)) continue;
      const at = `${pointer}/${method.toLowerCase()}`;
      const key = `${method} ${path.replace(/\{[^{}]+\}/g, '{}')}`;
      const other = taken.get(key);
      if (other !== undefined) {
        problems.add('error', at, `matches the same requests as ${method} ${other}; only the first is used`);
        continue;
      }
      taken.set(key, path);
      if (operations.length >= MAX_OPERATIONS) {
        problems.add('error', at, `more than ${MAX_OPERATIONS} operations`);
        return operations;
      }
      operations.push(readOperation(operation, method, path, at, ids, schemes, problems));
    }
  }
  return operations;
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

/** `[]` says that no security is asked; `{}` inside says that anonymous calls are enough; absence inherits. */
function readSecurity(value: unknown, pointer: string, schemes: ReadonlySet<string>, problems: ProblemList): AccessRule | null {
  if (value === undefined) return null;
  if (!Array.isArray(value)) {
    problems.add('error', pointer, 'security is an array of requirements');
    return null;
  }
  if (value.length === 0) return { kind: 'public', origin: 'contract' };
  const alternatives = (value as unknown[]).map((requirement, index) =>
    Object.entries(recordOf(requirement)).map(([scheme, scopes]): SchemeRequirement => {
      if (!schemes.has(scheme))
        problems.add('error', `${pointer}/${index}/${pointerToken(scheme)}`, `there is no security scheme ${scheme}; nobody can meet this requirement`);
      return { scheme, scopes: arrayOf(scopes).filter((scope) => typeof scope === 'string'), match: 'all', roles: [] };
    }),
  );
  return { kind: 'required', origin: 'contract', alternatives };
}

function readSchemes(document: Json, problems: ProblemList): SchemeRule[] {
  return Object.entries(recordOf(recordOf(document['components'])['securitySchemes'])).map(([name, entry]) => {
    const pointer = pointerOf('components', 'securitySchemes', name);
    const scheme = follow(document, entry, pointer, problems);
    const type = textOf(scheme['type']);
    const httpScheme = textOf(scheme['scheme']).toLowerCase();
    const kind = type === 'oauth2' || type === 'openIdConnect' ? type : type === 'http' && httpScheme === 'bearer' ? 'http-bearer' : 'unsupported';
    const declared = type === 'http' ? `http ${httpScheme}` : type || 'unknown';
    if (kind === 'unsupported') problems.add('notice', pointer, `a scheme of type ${declared} is not checked yet; operations that ask for it refuse everyone`);
    const metadataUrl = kind === 'openIdConnect' ? textOf(scheme['openIdConnectUrl']).slice(0, 2000) || null : null;
    return { name, type: kind, declared, metadataUrl, providers: [] };
  });
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

/** Follows `$ref` inside the document; a circle or a missing target ends in an empty object. */
function follow(document: Json, value: unknown, pointer: string, problems: ProblemList): Json {
  let current = recordOf(value);
  const seen = new Set<string>();
  for (;;) {
    const reference = current['$ref'];
    if (typeof reference !== 'string') return current;
    if (!reference.startsWith('#') || seen.has(reference)) {
      if (seen.has(reference)) problems.add('error', pointer, `the reference ${reference} leads back to itself`);
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
