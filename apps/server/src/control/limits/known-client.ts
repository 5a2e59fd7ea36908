import type { JsonObject, KnownClient, RecalledRequest, TraceRecord } from '@virga/core';
import { CredentialRow, type ClientRow } from '../../store/models/clients.js';
import { findTraces } from '../../store/record-store.js';

/** Traces that are looked at, and how old they may be. */
const TRACES = 50;
const RECENT_MS = 86_400_000;

/**
 * What is known of a client by which its requests are counted: what is said of it, its credentials, and its requests of the last day
 * whose traces are kept.
 * @param issuerOf the issuer of a provider; null where it is not trusted
 */
export async function knownClient({ id, metadata }: ClientRow, issuerOf: (providerId: string) => string | null): Promise<KnownClient> {
  const [rows, traces] = await Promise.all([
    CredentialRow.findAll({ where: { clientId: id }, order: [['madeAt', 'DESC']], raw: true }),
    findTraces({ client: id, since: Date.now() - RECENT_MS }, TRACES),
  ]);
  const now = Date.now();
  const own = new Set(rows.map((row) => row.id));
  const joined = new Set(rows.flatMap(({ kind, lookup }) => (kind === 'provider-client' ? [lookup.split('\n')[0]] : [])));
  return {
    id,
    metadata: JSON.parse(metadata) as JsonObject,
    credentials: rows.flatMap(({ id: credentialId, kind, name, revokedAt, expiresAt }) =>
      kind === 'provider-client' || revokedAt !== null || (expiresAt !== null && Number(expiresAt) <= now) ? [] : [{ kind, id: credentialId, name }],
    ),
    recalled: traces.flatMap(({ body, apiId, operationId, address, providerId, subject }): RecalledRequest[] => {
      const { who, requestHeaders } = JSON.parse(body) as Partial<Pick<TraceRecord, 'who' | 'requestHeaders'>>;
      // Another client may be called the same by a provider that this one is not joined with.
      const isOwn = who?.credentials.some((credential) => own.has(credential.id)) === true || (providerId !== null && joined.has(providerId));
      if (!isOwn) return [];
      const principal = who?.principal ?? null;
      return [
        {
          apiId,
          operationId,
          // As traces have it.
          address: address === 'unknown' ? null : address,
          providerId,
          issuer: providerId === null ? null : issuerOf(providerId),
          subject: principal === null ? null : subject,
          attributes: principal?.attributes ?? null,
          headers: requestHeaders ?? [],
        },
      ];
    }),
  };
}
