import { describeAccess } from '../access/describe-access.js';
import type { AccessRule } from '../document/access-rule.js';
import { modeOf } from '../document/modes.js';
import type { ApiRule, OperationRule, ReleaseDocument, SchemeRule } from '../document/release-document.js';
import { compilePlan } from '../limit/compile-plan.js';
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
function sayable(rule: AccessRule, saysScopes: (scheme: string) => boolean = () => true): unknown {
  if (rule.kind !== 'required') return [];
  return rule.alternatives.map((alternative) =>
    Object.fromEntries(alternative.map(({ scheme, scopes, match }) => [scheme, match === 'all' && saysScopes(scheme) ? [...scopes].sort() : []])),
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

/** What a contract says of a scheme that it does not declare. OpenAPI 3.0 has no type for client certificates. */
function schemeObject({ type, metadataUrl, place }: SchemeRule, isOld: boolean): Json {
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
      return isOld ? { type: 'http', scheme: 'tls-client-certificate', description: 'The client certificate of the TLS connection' } : { type: 'mutualTLS' };
    default:
      return { type: 'http', scheme: 'bearer' };
  }
}

const keyPlace = (place: SchemeRule['place']): Json => ({ in: place?.kind ?? 'header', name: place?.name ?? 'x-api-key' });

/** What limits requests beside the rules of an API. */
export type LimitingRules = Pick<ReleaseDocument, 'limits' | 'plans' | 'guessing'>;

/** Whether a request can be refused because there were too many: by a limit, by what a plan allows, or after failures to prove oneself. */
function isLimited(api: ApiRule, operation: OperationRule, asks: boolean, { limits, plans, guessing }: LimitingRules): boolean {
  if (asks && guessing?.mode === 'enforce') return true;
  if (modeOf(operation.modes ?? api.modes, 'limit') === 'observe') return false;
  if ([...limits, ...api.limits, ...operation.limits].some(({ mode }) => mode === 'enforce')) return true;
  return (
    asks &&
    (operation.plan ?? api.plan).asked &&
    plans.some((plan) => plan.mode === 'enforce' && (plan.rate ?? plan.quota ?? plan.atOnce) !== null && compilePlan(plan, '').covers(api.id, operation.id))
  );
}

const PROBLEM = {
  'application/problem+json': {
    schema: { type: 'object', properties: { type: { type: 'string' }, title: { type: 'string' }, status: { type: 'integer' }, instance: { type: 'string' } } },
  },
};

/** Answers that the gateway gives itself (RFC 9457), with the header field that says what to do about them. */
const REFUSALS = {
  // RFC 9110 section 11.6.1
  401: {
    description: 'The gateway: no credential, or none that is genuine and in force',
    headers: { 'WWW-Authenticate': { description: 'What would be a proof', schema: { type: 'string' } } },
    content: PROBLEM,
  },
  403: { description: 'The gateway: the caller may not do this', content: PROBLEM },
  // RFC 6585 section 4, RFC 9110 section 10.2.3
  429: {
    description: 'The gateway: more requests than are allowed',
    headers: { 'Retry-After': { description: 'Seconds until another may come', schema: { type: 'integer', minimum: 0 } } },
    content: PROBLEM,
  },
} as const;

/**
 * The changes that make a contract say what the gateway really asks: schemes with where their keys travel, scopes of each operation,
 * and the refusals that it gives, 429 where something limits. What is only observed is asked of nobody.
 */
export function enforcedContract(document: Json, api: ApiRule, limiting: LimitingRules): ContractEdit[] {
  const edits: ContractEdit[] = [];
  const isOld = String(document['openapi']).startsWith('3.0');
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
    if (known === undefined && used.has(scheme.name)) schemes[scheme.name] = schemeObject(scheme, isOld);
    // A key travels where the gateway looks for it.
    else if (isRecord(known) && scheme.type === 'apiKey' && scheme.place) schemes[scheme.name] = { ...known, ...keyPlace(scheme.place) };
  }
  if (canonicalJson(schemes) !== canonicalJson(declared))
    edits.push(
      isRecord(document['components'])
        ? { pointer: '/components/securitySchemes', value: schemes }
        : { pointer: '/components', value: { securitySchemes: schemes } },
    );
  // In 3.0 only these have scopes (OpenAPI 3.0.4 section 4.8.30).
  const saysScopes = (name: string): boolean => !isOld || (isRecord(schemes[name]) && ['oauth2', 'openIdConnect'].includes(String(schemes[name]['type'])));
  const described = new Map(listOperations(document).operations.map((operation) => [operationKey(operation), operation]));
  const paths = isRecord(document['paths']) ? document['paths'] : {};
  for (const operation of api.operations) {
    const own = described.get(operationKey(operation));
    const item = own && paths[own.path];
    // Operations behind a reference are shared with others: what one asks must not be said of all.
    if (!own || !isRecord(item) || item['$ref'] !== undefined) continue;
    const rule = operation.access ?? api.access;
    const asks = rule.kind === 'required' && !isObserved(api, operation);
    edits.push({ pointer: `${own.pointer}/security`, value: asks ? sayable(rule, saysScopes) : [] });
    const given = [...(asks ? ([401, 403] as const) : []), ...(isLimited(api, operation, asks, limiting) ? ([429] as const) : [])];
    edits.push(...refusals(item[operation.method.toLowerCase()], own.pointer, given));
  }
  return edits;
}

function refusals(operation: unknown, pointer: string, given: readonly (keyof typeof REFUSALS)[]): ContractEdit[] {
  const responses = isRecord(operation) && isRecord(operation['responses']) ? operation['responses'] : null;
  if (responses === null || responses['4XX'] !== undefined) return [];
  return given.flatMap((status) =>
    responses[status] === undefined ? [{ pointer: pointer + pointerOf('responses', String(status)), value: REFUSALS[status] }] : [],
  );
}
