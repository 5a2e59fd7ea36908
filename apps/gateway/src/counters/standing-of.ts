import type { CompiledLimit, CompiledRelease, Counters, DirectorySource, Measure } from '@virga/core';
import type { NodeStanding } from '@virga/protocol/node';

/**
 * How the limits of a client stand: those of the plans that it has, and those of the gateway, the APIs and the operations that
 * count each client. Nothing is counted by looking.
 * @throws Error when the counters cannot be reached
 */
export async function standingOf(clientId: string, release: CompiledRelease | null, directory: DirectorySource, counters: Counters): Promise<NodeStanding[]> {
  if (release === null) return [];
  const nowMs = Date.now();
  const planned = new Set(directory.subscriptionsOf(clientId).flatMap(({ planId, state }) => (state === 'active' || state === 'suspended' ? [planId] : [])));
  const limits = [
    ...release.plans.filter(({ rule }) => planned.has(rule.id)).flatMap((plan) => plan.limits),
    ...release.limits.filter(({ by }) => by.kind === 'client'),
  ];
  if (limits.length === 0) return [];
  const demands = limits.map(({ group, measureAt }) => ({ group, subject: `c ${clientId}`, measure: measureAt(nowMs) }));
  const standings = await counters.look(demands, nowMs);
  if ('away' in standings) throw new Error(`the counters cannot be reached (${standings.away})`);
  return standings.map(({ left, waitMs, resetMs }, index) => {
    const { name, mode } = limits[index] as CompiledLimit;
    return { name, of: mostOf((demands[index] as (typeof demands)[number]).measure), left, waitMs, resetMs, mode };
  });
}

const mostOf = (measure: Measure): number => (measure.kind === 'bucket' ? measure.burst : measure.requests);
