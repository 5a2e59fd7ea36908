import { describeAccess } from '../access/describe-access.js';
import type { AccessRule } from '../document/access-rule.js';
import { modeOf } from '../document/modes.js';
import type { ApiRule, OperationRule, SchemeRule } from '../document/release-document.js';
import { canonicalJson } from '../util/canonical-json.js';
import { isRecord, pointerOf } from '../util/json-pointer.js';
import type { ContractEdit } from './accept-deviation.js';
import { operationKey } from './diff-contracts.js';
import { listOperations } from './list-operations.js';

type Json = Readonly<Record<string, unknown>>;

/** How what the gateway asks stands to what the contract declares. */
export const SECURITY_KINDS = ['open-instead', 'asked-instead', 'other', 'only-observed', 'not-described'] as const;
export type SecurityKind = (typeof SECURITY_KINDS)[number];

/** One operation whose contract says other than what the gateway does. */
export interface SecurityGap {
  readonly operationId: string;
  readonly method: string;
  readonly path: string;
  readonly kind: SecurityKind;
  /** In words. */
  readonly declared: string;
  readonly enforced: string;
}

/** Checks that make a requirement one: where one of them only observes, it is asked and not enforced. */
const BY_WHICH = ['credential', 'token', 'key', 'basic', 'certificate', 'rights'] as const;

const isObserved = (api: ApiRule, operation: OperationRule): boolean => BY_WHICH.some((check) => modeOf(operation.modes ?? api.modes, check) === 'observe');

/** Roles and alternatives of scopes are ours: a contract cannot say them. */
function sayable(rule: AccessRule): unknown {
  if (rule.kind !== 'required') return [];
  return rule.alternatives.map((alternative) =>
    Object.fromEntries(alternative.map(({ scheme, scopes, match }) => [scheme, match === 'all' ? [...scopes].sort() : []])),
  );
}

/** Where the contract's security says other than what the gateway does, operation by operation. */
export function securityGaps(document: Json, api: ApiRule): SecurityGap[] {
  const listed = listOperations(document);
  const declaredOf = new Map(listed.operations.map((operation) => [operationKey(operation), operation.access ?? listed.access]));
  return api.operations.flatMap((operation): SecurityGap[] => {
    const enforced = operation.access ?? api.access;
    const declared = declaredOf.get(operationKey(operation));
    const gap = (kind: SecurityKind): SecurityGap => ({
      operationId: operation.id,
      method: operation.method,
      path: operation.path,
      kind,
      declared: declared ? describeAccess(declared, api.schemes) : 'nothing: it is not described',
      enforced: describeAccess(enforced, api.schemes),
    });
    if (!declared) return [gap('not-described')];
    const [asks, does] = [declared.kind === 'required', enforced.kind === 'required'];
    if (asks && !does) return [gap('open-instead')];
    if (!asks && does) return [gap('asked-instead')];
    if (asks && canonicalJson(sayable(declared)) !== canonicalJson(sayable(enforced))) return [gap('other')];
    return asks && isObserved(api, operation) ? [gap('only-observed')] : [];
  });
}

/** What a contract says of a scheme that it does not declare. */
function schemeObject({ type, metadataUrl, place }: SchemeRule): Json {
  switch (type) {
    case 'openIdConnect':
      return metadataUrl === null ? { type: 'http', scheme: 'bearer' } : { type: 'openIdConnect', openIdConnectUrl: metadataUrl };
    case 'oauth2':
      return { type: 'oauth2', flows: {} };
    case 'apiKey':
      return { type: 'apiKey', ...keyPlace(place) };
    case 'http-basic':
      return { type: 'http', scheme: 'basic' };
    case 'mutualTLS':
      return { type: 'mutualTLS' };
    default:
      return { type: 'http', scheme: 'bearer' };
  }
}

const keyPlace = (place: SchemeRule['place']): Json => ({ in: place?.kind ?? 'header', name: place?.name ?? 'x-api-key' });

/** Answers that the gateway gives itself where it asks for a credential (RFC 9457, RFC 6750 section 3). */
const REFUSALS: Readonly<Record<string, string>> = {
  '401': 'The gateway: no credential, or none that is genuine and in force',
  '403': 'The gateway: the caller may not do this',
};

const PROBLEM = {
  'application/problem+json': {
    schema: { type: 'object', properties: { type: { type: 'string' }, title: { type: 'string' }, status: { type: 'integer' }, instance: { type: 'string' } } },
  },
};

/**
 * The changes that make a contract say what the gateway really asks: schemes with where their keys travel, scopes of each operation,
 * and the refusals that it gives. What is only observed is asked of nobody.
 */
export function enforcedContract(document: Json, api: ApiRule): ContractEdit[] {
  const edits: ContractEdit[] = [];
  const declared = isRecord(document['components']) && isRecord(document['components']['securitySchemes']) ? document['components']['securitySchemes'] : {};
  const used = new Set(
    api.operations.flatMap(({ access }) => {
      const rule = access ?? api.access;
      return rule.kind === 'required' ? rule.alternatives.flat().map(({ scheme }) => scheme) : [];
    }),
  );
  const schemes: Record<string, unknown> = { ...declared };
  for (const scheme of api.schemes) {
    const known = schemes[scheme.name];
    if (known === undefined && used.has(scheme.name)) schemes[scheme.name] = schemeObject(scheme);
    // A key travels where the gateway looks for it.
    else if (isRecord(known) && scheme.type === 'apiKey' && scheme.place) schemes[scheme.name] = { ...known, ...keyPlace(scheme.place) };
  }
  if (canonicalJson(schemes) !== canonicalJson(declared))
    edits.push(
      isRecord(document['components'])
        ? { pointer: '/components/securitySchemes', value: schemes }
        : { pointer: '/components', value: { securitySchemes: schemes } },
    );
  const described = new Map(listOperations(document).operations.map((operation) => [operationKey(operation), operation]));
  const paths = isRecord(document['paths']) ? document['paths'] : {};
  for (const operation of api.operations) {
    const own = described.get(operationKey(operation));
    const item = own && paths[own.path];
    // Operations behind a reference are shared with others: what one asks must not be said of all.
    if (!own || !isRecord(item) || item['$ref'] !== undefined) continue;
    const rule = operation.access ?? api.access;
    const asks = rule.kind === 'required' && !isObserved(api, operation);
    edits.push({ pointer: `${own.pointer}/security`, value: asks ? sayable(rule) : [] });
    if (asks) edits.push(...refusals(item[operation.method.toLowerCase()], own.pointer));
  }
  return edits;
}

function refusals(operation: unknown, pointer: string): ContractEdit[] {
  const responses = isRecord(operation) && isRecord(operation['responses']) ? operation['responses'] : null;
  if (responses === null) return [];
  return Object.entries(REFUSALS).flatMap(([status, description]) =>
    responses[status] === undefined && responses['4XX'] === undefined
      ? [{ pointer: pointer + pointerOf('responses', status), value: { description, content: PROBLEM } }]
      : [],
  );
}
