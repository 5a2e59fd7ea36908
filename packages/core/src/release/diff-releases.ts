import { describeAccess } from '../access/describe-access.js';
import type { AccessRule } from '../document/access-rule.js';
import type { ProviderRule } from '../document/provider-rule.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import { describePlan } from '../limit/describe-limit.js';
import { canonicalJson } from '../util/canonical-json.js';

/** One difference between two releases, in words and with what it is about. */
export interface ReleaseChange {
  readonly kind: 'added' | 'removed' | 'changed';
  readonly what: 'provider' | 'gateway' | 'authorizer' | 'plan' | 'api' | 'operation';
  /** Id of the provider, plan or API, name of the authorizer. */
  readonly id: string;
  /** Id of the operation, where it is about one. */
  readonly operationId: string | null;
  readonly subject: string;
  readonly detail: string;
}

/** Member names as they are said in a difference. */
const SAID: Readonly<Record<string, string>> = {
  basePath: 'base path',
  source: 'where its keys or answers come from',
  claimMap: 'claim map',
  networks: 'named networks',
  fence: 'from where the gateway may be called',
  callerAddress: 'how the address of a caller is found',
  addresses: 'from where it may be called',
  conditions: 'conditions',
  authorizers: 'authorizers',
  by: 'script or service',
  passes: 'header fields that it may pass up',
  cache: 'how long its answers are kept, and for whom',
  cases: 'cases',
  certificateHeader: 'header of client certificates',
  lastGoodSeconds: 'time last good keys may serve',
  leewaySeconds: 'clock leeway',
  allowLoopbackHttp: 'http on loopback',
  privateHosts: 'private hosts',
  resource: 'identifier and scopes',
  token: 'token checks',
  cors: 'CORS',
  schemes: 'security schemes',
  access: 'who may call, by default',
  contractHash: 'contract text',
  contract: 'what of the contract is checked',
  unmatched: 'paths that no operation matches',
  learning: 'what is learned from traffic',
  sensitive: 'what sensitive data is looked for',
  detectors: 'detectors of its own',
  hidden: 'left out of reference pages',
  plan: 'whether a plan is asked for',
  limits: 'limits',
  guessing: 'what holds up guessing',
  counting: 'how requests are counted',
  covers: 'what it opens',
  atOnce: 'requests under way',
  requestBytes: 'size of bodies',
  approval: 'how it is approved',
  enabled: 'switched on',
  operationId: 'operationId',
};

/** What differs between two release documents, providers first, then APIs with their operations. */
export function diffReleases(before: ReleaseDocument | null, after: ReleaseDocument): ReleaseChange[] {
  return [
    ...diffProviders(before?.providers ?? [], after.providers),
    ...diffGateway(before, after),
    ...diffAuthorizers(before, after),
    ...diffPlans(before, after),
    ...diffApis(before?.apis ?? [], after.apis),
  ];
}

/** What belongs to the gateway as a whole. */
function diffGateway(before: ReleaseDocument | null, after: ReleaseDocument): ReleaseChange[] {
  const detail = before ? changedMembers(before, after, ['format', 'environment', 'providers', 'apis', 'authorizers', 'plans']) : '';
  return detail === '' ? [] : [{ kind: 'changed', what: 'gateway', id: 'gateway', operationId: null, subject: 'Gateway', detail }];
}

function diffAuthorizers(before: ReleaseDocument | null, after: ReleaseDocument): ReleaseChange[] {
  return pairs(before?.authorizers ?? [], after.authorizers, ({ name }) => name).flatMap(({ kind, old, fresh, one }) => {
    const detail = kind === 'changed' ? changedMembers(old, fresh, []) : kind === 'added' ? `new, a ${one.by.kind}` : 'removed';
    return detail === '' ? [] : [{ kind, what: 'authorizer' as const, id: one.name, operationId: null, subject: `Authorizer ${one.name}`, detail }];
  });
}

function diffPlans(before: ReleaseDocument | null, after: ReleaseDocument): ReleaseChange[] {
  return pairs(before?.plans ?? [], after.plans, ({ id }) => id).flatMap(({ kind, old, fresh, one }) => {
    const said = describePlan(one).join(', ');
    const detail = kind === 'changed' ? changedMembers(old, fresh, []) : kind === 'added' ? `new${said === '' ? '' : `: ${said}`}` : 'removed';
    return detail === '' ? [] : [{ kind, what: 'plan' as const, id: one.id, operationId: null, subject: `Plan ${one.name}`, detail }];
  });
}

function diffProviders(before: readonly ProviderRule[], after: readonly ProviderRule[]): ReleaseChange[] {
  return pairs(before, after, (provider) => provider.id).flatMap(({ kind, old, fresh, one }) => {
    const detail = kind === 'changed' ? changedMembers(old, fresh, []) : kind === 'added' ? `trusted, ${one.issuer}` : 'no longer trusted';
    return detail === '' ? [] : [{ kind, what: 'provider' as const, id: one.id, operationId: null, subject: one.name, detail }];
  });
}

function diffApis(before: readonly ApiRule[], after: readonly ApiRule[]): ReleaseChange[] {
  return pairs(before, after, (api) => api.id).flatMap(({ kind, old, fresh, one }): ReleaseChange[] => {
    const change = (detail: string): ReleaseChange => ({ kind, what: 'api', id: one.id, operationId: null, subject: one.name, detail });
    if (kind === 'added') return [change(`new, ${one.operations.length} operations at ${one.basePath || '/'}`)];
    if (kind === 'removed') return [change(`removed, ${one.operations.length} operations stop being served`)];
    const own = changedMembers(old, fresh, ['operations', 'access']);
    const access =
      old && fresh && canonicalJson(old.access) !== canonicalJson(fresh.access)
        ? `${describeAccess(old.access)} → ${describeAccess(fresh.access)} (default)`
        : '';
    const changes = [own, access].filter(Boolean).map(change);
    return [...changes, ...(old && fresh ? diffOperations(old, fresh) : [])];
  });
}

function diffOperations(before: ApiRule, after: ApiRule): ReleaseChange[] {
  return pairs(before.operations, after.operations, (operation) => operation.id).flatMap(({ kind, old, fresh, one }) => {
    const detail = kind === 'changed' ? operationDetail(old, fresh) : kind === 'added' ? `new: ${describeAccess(one.access ?? after.access)}` : 'removed';
    if (detail === '') return [];
    return [{ kind, what: 'operation' as const, id: after.id, operationId: one.id, subject: `${after.name} ${one.method} ${one.path}`, detail }];
  });
}

/** How a rule changed; the same words on both sides mean that only its author did. */
function sayAccess(before: AccessRule | null, after: AccessRule | null): string {
  if (canonicalJson(before) === canonicalJson(after)) return '';
  const [was, is] = [describeAccess(before), describeAccess(after)];
  return was === is ? `${is}, now set ${after?.origin === 'hand' ? 'by hand' : 'by the contract'}` : `${was} → ${is}`;
}

function operationDetail(old: OperationRule | null, fresh: OperationRule | null): string {
  if (!old || !fresh) return '';
  const access = sayAccess(old.access, fresh.access);
  return [access, changedMembers(old, fresh, ['access'])].filter(Boolean).join('; ');
}

function changedMembers(old: object | null, fresh: object | null, except: readonly string[]): string {
  if (!old || !fresh) return '';
  const before = old as Readonly<Record<string, unknown>>;
  const after = fresh as Readonly<Record<string, unknown>>;
  const names = [...new Set([...Object.keys(before), ...Object.keys(after)])].filter(
    (name) => !except.includes(name) && before[name] !== after[name] && canonicalJson(before[name] ?? null) !== canonicalJson(after[name] ?? null),
  );
  return names.map((name) => sayChange(name, before[name], after[name])).join('; ');
}

function sayChange(name: string, before: unknown, after: unknown): string {
  const said = SAID[name] ?? name;
  const simple = [before, after].every((value) => ['string', 'number', 'boolean'].includes(typeof value));
  return simple && name !== 'contractHash' ? `${said} ${String(before)} → ${String(after)}` : `${said} changed`;
}

interface Pair<T> {
  readonly kind: ReleaseChange['kind'];
  readonly old: T | null;
  readonly fresh: T | null;
  readonly one: T;
}

function pairs<T>(before: readonly T[], after: readonly T[], key: (item: T) => string): Pair<T>[] {
  const old = new Map(before.map((item) => [key(item), item]));
  const keys = new Set(after.map(key));
  const fresh = after.map((one): Pair<T> => {
    const earlier = old.get(key(one));
    return { kind: earlier === undefined ? 'added' : 'changed', old: earlier ?? null, fresh: one, one };
  });
  const removed = before.filter((item) => !keys.has(key(item))).map((one): Pair<T> => ({ kind: 'removed', old: one, fresh: null, one }));
  return [...fresh, ...removed];
}
