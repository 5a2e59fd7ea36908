import { LRUCache } from 'lru-cache';
import type { VerifiedToken } from './verified-token.js';

/** At most this many verified tokens are kept by one release of one node. */
export const TOKEN_CACHE_SIZE = 100_000;

/**
 * Verified tokens by the hash of their text, so that no token is held. It belongs to one compiled release, so a new
 * release starts empty; an entry is dropped when the keys that verified it have changed since, or when its time is up.
 */
export class TokenCache {
  readonly #entries: LRUCache<string, VerifiedToken>;

  constructor(size = TOKEN_CACHE_SIZE) {
    this.#entries = new LRUCache({ max: size });
  }

  /** @param generation the present generation of the keys of the entry's provider, asked only on a hit */
  find(hash: string, nowMs: number, generation: (providerId: string) => number): VerifiedToken | null {
    const token = this.#entries.get(hash);
    if (!token) return null;
    if (nowMs >= token.usableUntil || (token.form === 'jwt' && token.generation !== generation(token.provider.id))) {
      this.#entries.delete(hash);
      return null;
    }
    return token;
  }

  keep(hash: string, token: VerifiedToken, nowMs: number): void {
    if (nowMs < token.usableUntil) this.#entries.set(hash, token);
  }

  get size(): number {
    return this.#entries.size;
  }
}
