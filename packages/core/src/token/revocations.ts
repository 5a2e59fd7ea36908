import { finding, type Finding } from '../verdict/codes.js';
import type { VerifiedToken } from './verified-token.js';

/** Tokens that are refused although they are genuine and in time. Takes effect at once, apart from any release. */
export interface Revocation {
  readonly id: string;
  readonly kind: 'jti' | 'subject' | 'client';
  /** Whose token it is: the same subject or jti of another provider is another one. */
  readonly providerId: string;
  readonly value: string;
  /** Tokens issued before this are refused, milliseconds since the epoch; null refuses later ones too. */
  readonly issuedBefore: number | null;
  readonly reason: string;
}

/** Revocations, looked up by what tokens say. */
export class Revocations {
  readonly #byKey = new Map<string, Revocation>();

  constructor(entries: readonly Revocation[] = []) {
    for (const entry of entries) this.#byKey.set(keyOf(entry.kind, entry.providerId, entry.value), entry);
  }

  get size(): number {
    return this.#byKey.size;
  }

  /** Why this token is refused; null when it is not. */
  find(token: VerifiedToken): Finding | null {
    if (this.#byKey.size === 0) return null;
    const { jti, iat } = token.claims;
    const { subject, client } = token.principal;
    for (const [kind, value] of [
      ['jti', jti],
      ['subject', subject],
      ['client', client],
    ] as const) {
      if (typeof value !== 'string') continue;
      const entry = this.#byKey.get(keyOf(kind, token.provider.id, value));
      // A token that does not say when it was issued counts as issued before.
      if (entry && (entry.issuedBefore === null || typeof iat !== 'number' || iat * 1000 < entry.issuedBefore)) {
        return finding('claims.revoked', { kind, provider: token.provider.name, reason: entry.reason });
      }
    }
    return null;
  }
}

const keyOf = (kind: Revocation['kind'], providerId: string, value: string): string => `${kind}\n${providerId}\n${value}`;
