import type { CredentialKind } from '@virga/core';
import type { ClientSummary, CredentialView } from '@virga/protocol';
import { clientFact } from '../../store/client-store.js';
import type { ClientRow, CredentialRow } from '../../store/models/clients.js';

export const KIND_WORDS: Readonly<Record<CredentialKind, string>> = {
  key: 'the key',
  basic: 'the Basic secret',
  certificate: 'the certificate',
  'provider-client': 'the client of a provider',
};

export const timeOf = (value: number | null): number | null => (value === null ? null : Number(value));

export function stateOf({ revokedAt, expiresAt }: Pick<CredentialRow, 'revokedAt' | 'expiresAt'>, now: number): CredentialView['state'] {
  if (revokedAt !== null) return 'revoked';
  return expiresAt !== null && Number(expiresAt) <= now ? 'expired' : 'good';
}

/** @param providerName of a client at a provider; null for other kinds */
export function credentialView(row: CredentialRow, providerName: string | null, now: number): CredentialView {
  const { id, kind, name, madeBy, lastUsedFrom, replacedBy, leakedBy } = row;
  return {
    id,
    kind,
    name,
    hint: providerName === null ? row.hint : `${row.hint} of ${providerName}`,
    state: stateOf(row, now),
    expiresAt: timeOf(row.expiresAt),
    revokedAt: timeOf(row.revokedAt),
    madeAt: Number(row.madeAt),
    madeBy,
    lastUsedAt: timeOf(row.lastUsedAt),
    lastUsedFrom,
    replacedBy,
    leakedAt: timeOf(row.leakedAt),
    leakedBy,
  };
}

export function summaryOf(row: ClientRow, credentials: readonly CredentialRow[], now: number): ClientSummary {
  const good = (kind: CredentialKind): number => credentials.filter((one) => one.kind === kind && stateOf(one, now) === 'good').length;
  const { id, name, enabled, roles } = clientFact(row);
  const uses = credentials.flatMap(({ lastUsedAt }) => (lastUsedAt === null ? [] : [Number(lastUsedAt)]));
  return {
    id,
    name,
    enabled,
    roles: [...roles],
    owner: row.owner,
    keys: good('key'),
    secrets: good('basic'),
    certificates: good('certificate'),
    providerClients: good('provider-client'),
    lastUsedAt: uses.length === 0 ? null : Math.max(...uses),
    madeAt: Number(row.madeAt),
  };
}
