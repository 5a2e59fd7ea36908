import type { Holder } from '../directory/facts.js';
import { finding, type Finding } from '../verdict/codes.js';

/** Why a credential that was found is not good: revoked, expired, or of a client that is off. Null when it is. */
export function judgeHolder(kind: 'key' | 'basic' | 'certificate', { client, credential }: Holder, nowMs: number): Finding | null {
  const held = { client: client.name, name: credential.name };
  const { revokedAt, expiresAt } = credential;
  if (revokedAt !== null) return finding(`${kind}.revoked`, { ...held, at: revokedAt });
  // The moment of its expiry is over; what is no time has expired.
  if (expiresAt !== null && !(nowMs < expiresAt)) return finding(`${kind}.expired`, { ...held, at: expiresAt, now: nowMs });
  return client.enabled ? null : finding(`${kind}.client-off`, held);
}
