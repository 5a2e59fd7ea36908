import { finding, type Finding } from '../verdict/codes.js';
import type { VerifiedToken } from './verified-token.js';

/** What a revocation can be of. */
export const REVOCATION_KINDS = ['jti', 'subject', 'client'] as const;

/** Tokens that are refused although they are genuine and in time. Takes effect at once, apart from any release. */
export interface Revocation {
  readonly id: string;
  readonly kind: (typeof REVOCATION_KINDS)[number];
  /** Whose token it is: the same subject or jti of another provider is another one. */
  readonly providerId: string;
  readonly value: string;
  /** Tokens issued before this are refused, milliseconds since the epoch; null refuses later ones too. */
  readonly issuedBefore: number | null;
  readonly reason: string;
}

/** Revocations, looked up by what tokens say. Of several for one thing the strictest counts, in whatever order they came. */
export class Revocations {
  readonly #byKey = new Map<string, Revocation>();

  constructor(entries: readonly Revocation[] = []) {
    for (const entry of entries) {
      const { kind, providerId, value } = entry;
      this.#add(keyOf(kind, providerId, value), entry);
      // A number of a token is compared as it is read: one of more than 53 bits is refused with its neighbours, since it may be either.
      if (kind === 'jti' && value.trim() !== '' && Number.isFinite(Number(value))) this.#add(keyOf(kind, providerId, Number(value)), entry);
    }
  }

  #add(key: string, entry: Revocation): void {
    const earlier = this.#byKey.get(key);
    if (!earlier || boundOf(entry) > boundOf(earlier)) this.#byKey.set(key, entry);
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
      // Some providers number their tokens.
      if (typeof value !== 'string' && typeof value !== 'number') continue;
      const entry = this.#byKey.get(keyOf(kind, token.provider.id, value));
      // A token that does not say when it was issued counts as issued before.
      if (entry && !(typeof iat === 'number' && iat * 1000 >= boundOf(entry))) {
        return finding('claims.revoked', { kind, provider: token.provider.name, reason: entry.reason });
      }
    }
    return null;
  }
}

/** Until when tokens are refused by their time of issue; a bound that is missing or no number refuses all of them. */
const boundOf = ({ issuedBefore }: Revocation): number => (typeof issuedBefore === 'number' && Number.isFinite(issuedBefore) ? issuedBefore : Infinity);

const keyOf = (kind: Revocation['kind'], providerId: string, value: string | number): string => `${kind}\n${providerId}\n${typeof value}\n${value}`;
