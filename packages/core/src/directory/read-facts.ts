import { isRecord } from '../util/json-pointer.js';
import { readSubscription } from './subscription.js';
import { readTable } from './table-fact.js';
import { faultOfMetadata, NO_METADATA } from './client-metadata.js';
import { CREDENTIAL_KINDS, type ClientFact, type CredentialFact, type DirectoryChange } from './facts.js';

const isTime = (value: unknown): value is number | null => value === null || (typeof value === 'number' && Number.isFinite(value));
const isText = (value: unknown): value is string => typeof value === 'string' && value !== '';

/** Reads a fact about a client; null for what has not the form of one. */
export function readClient(value: unknown): ClientFact | null {
  if (!isRecord(value)) return null;
  // What versions before there was metadata kept has none.
  const { id, name, enabled, roles, metadata = NO_METADATA } = value;
  if (!isText(id) || typeof name !== 'string' || typeof enabled !== 'boolean') return null;
  if (!Array.isArray(roles) || !roles.every((role) => typeof role === 'string')) return null;
  if (!isRecord(metadata) || faultOfMetadata(metadata) !== null) return null;
  // Most clients have none: they share one.
  return { id, name, enabled, roles, metadata: Object.keys(metadata).length === 0 ? NO_METADATA : metadata };
}

/** Reads a fact about a credential; null for what has not the form of one. */
export function readCredential(value: unknown): CredentialFact | null {
  if (!isRecord(value)) return null;
  const { id, clientId, kind, name, lookup, digest, expiresAt, revokedAt } = value;
  const known = CREDENTIAL_KINDS.find((one) => one === kind);
  if (!known || !isText(id) || !isText(clientId) || typeof name !== 'string' || !isText(lookup)) return null;
  if (!isTime(expiresAt) || !isTime(revokedAt)) return null;
  if (known === 'basic' ? !isText(digest) : digest !== null) return null;
  return { id, clientId, kind: known, name, lookup, digest: known === 'basic' ? (digest as string) : null, expiresAt, revokedAt };
}

/** Reads changes of the directory; null when one of them has not the form: half a change must not count. */
export function readChanges(value: unknown): readonly DirectoryChange[] | null {
  if (!Array.isArray(value)) return null;
  const changes: DirectoryChange[] = [];
  for (const item of value as unknown[]) {
    const change = readChange(item);
    if (change === null) return null;
    changes.push(change);
  }
  return changes;
}

function readChange(item: unknown): DirectoryChange | null {
  if (!isRecord(item) || !isText(item['id'])) return null;
  const { id, what, value } = item;
  if (what === 'client') {
    const client = value === null ? null : readClient(value);
    return value !== null && client?.id !== id ? null : { what, id, value: client };
  }
  if (what === 'table') {
    const table = value === null ? null : readTable(value);
    return value !== null && table?.id !== id ? null : { what, id, value: table };
  }
  if (what === 'subscription') {
    const subscription = value === null ? null : readSubscription(value);
    return value !== null && subscription?.id !== id ? null : { what, id, value: subscription };
  }
  if (what !== 'credential') return null;
  const credential = value === null ? null : readCredential(value);
  return value !== null && credential?.id !== id ? null : { what, id, value: credential };
}
