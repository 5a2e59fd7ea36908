import type { ClientFact, KnownCredential, KnownFacts, SubscriptionFact, TableFact } from '@virga/core';
import { directoryPages } from './client-store.js';
import { RevocationRow } from './models/tokens.js';

/** What decisions look at beside a release, as it is now, without what proves anybody. */
export async function readKnownFacts(): Promise<KnownFacts> {
  const clients: ClientFact[] = [];
  const credentials: KnownCredential[] = [];
  const subscriptions: SubscriptionFact[] = [];
  const tables: TableFact[] = [];
  for await (const page of directoryPages())
    for (const change of page) {
      if (change.value === null) continue;
      if (change.what === 'client') clients.push(change.value);
      else if (change.what === 'table') tables.push(change.value);
      else if (change.what === 'subscription') subscriptions.push(change.value);
      else {
        const { id, clientId, kind, name, expiresAt, revokedAt, lookup } = change.value;
        // What keys and names are found by is nothing that a browser has to know.
        credentials.push({ id, clientId, kind, name, expiresAt, revokedAt, lookup: kind === 'certificate' || kind === 'provider-client' ? lookup : null });
      }
    }
  const rows = await RevocationRow.findAll({ raw: true });
  const revocations = rows.map(({ id, kind, providerId, value, issuedBefore, reason }) => ({
    id,
    kind,
    providerId,
    value,
    reason,
    issuedBefore: issuedBefore === null ? null : Number(issuedBefore),
  }));
  return { clients, credentials, subscriptions, tables, revocations };
}
