import {
  explainRule,
  subjectsOfClient,
  type CompiledLimit,
  type CompiledRelease,
  type Counters,
  type DirectorySource,
  type KnownClient,
  type LimitSubject,
  type Measure,
} from '@virga/core';
import type { NodeStandings } from '@virga/protocol/node';

/** So many limits are looked at for one client; those of single operations come last. */
const MOST_LIMITS = 200;

/** Limits of an API or an operation that count nobody else; of others, those are told of that the client came under lately. */
const OWN: ReadonlySet<LimitSubject['kind']> = new Set(['client', 'credential'] as const);

const NOTHING: NodeStandings = { standings: [], unknown: [], more: 0 };

/**
 * How the limits stand that requests of a client are counted by: those of the plans that it has, and those of the gateway, the APIs and
 * the operations. Nothing is counted by looking.
 * @throws Error when the counters cannot be reached
 */
export async function standingOf(client: KnownClient, release: CompiledRelease | null, directory: DirectorySource, counters: Counters): Promise<NodeStandings> {
  if (release === null) return NOTHING;
  const nowMs = Date.now();
  const planned = new Set(directory.subscriptionsOf(client.id).flatMap(({ planId, state }) => (state === 'active' || state === 'suspended' ? [planId] : [])));
  const all = [...release.plans.filter(({ rule }) => planned.has(rule.id)).flatMap((plan) => plan.limits), ...byWidth(release.limits)];
  const limits = all.slice(0, MOST_LIMITS).flatMap((limit) => {
    const { name, by, pointer } = limit;
    const { apiId = '', operationId = null, words = '' } = explainRule(release.document, pointer) ?? {};
    const recalled = client.recalled.filter((one) => apiId === '' || (one.apiId === apiId && (operationId === null || one.operationId === operationId)));
    if (apiId !== '' && recalled.length === 0 && !OWN.has(by.kind)) return [];
    return [{ limit, told: { name, by, apiId, rule: words }, subjects: subjectsOfClient(by, { ...client, recalled }) }];
  });
  const asked = limits.flatMap(({ limit, told, subjects }) =>
    subjects.map(({ subject, whose }) => ({ mode: limit.mode, told, whose, demand: { group: limit.group, subject, measure: limit.measureAt(nowMs) } })),
  );
  const unknown = limits.flatMap(({ told, subjects }) => (subjects.length === 0 ? [told] : []));
  const more = Math.max(0, all.length - MOST_LIMITS);
  if (asked.length === 0) return { standings: [], unknown, more };
  const found = await counters.look(
    asked.map(({ demand }) => demand),
    nowMs,
  );
  if ('away' in found) throw new Error(`the counters cannot be reached (${found.away})`);
  const standings = asked.flatMap(({ mode, told, whose, demand }, index) => {
    const standing = found[index];
    if (!standing) return [];
    const { left, waitMs, resetMs } = standing;
    return [{ ...told, whose, of: mostOf(demand.measure), left, waitMs, resetMs, mode }];
  });
  return { standings, unknown, more };
}

/** Limits of the gateway and of APIs before those of operations, of which there may be many. */
function byWidth(limits: readonly CompiledLimit[]): readonly CompiledLimit[] {
  const ofOperation = ({ pointer }: CompiledLimit): boolean => pointer.includes('/operations/');
  return [...limits.filter((limit) => !ofOperation(limit)), ...limits.filter(ofOperation)];
}

const mostOf = (measure: Measure): number => (measure.kind === 'bucket' ? measure.burst : measure.requests);
