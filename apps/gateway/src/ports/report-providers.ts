import type { Introspector, ProviderKeys } from '@virga/outbound';
import type { NodeProviderReport } from '@virga/protocol/node';

/** What this node knows of every provider: those with keys, and those that are asked about tokens. */
export function reportProviders(keys: ProviderKeys, introspector: Introspector): NodeProviderReport[] {
  const asked = introspector.report().map(({ providerId, state, reason, calls, askedAt }): NodeProviderReport => ({
    providerId,
    state,
    reason,
    fetchedAt: null,
    triedAt: askedAt,
    keys: [],
    refused: [],
    calls,
  }));
  return [...keys.report().map((report): NodeProviderReport => ({ ...report, calls: null })), ...asked];
}
