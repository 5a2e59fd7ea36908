import { LRUCache } from 'lru-cache';
import type { ProviderRule } from '../document/provider-rule.js';
import { canonicalJson } from '../util/canonical-json.js';
import type { VerifiedToken } from './verified-token.js';

/** At most this many verified tokens are kept by one node. */
export const TOKEN_CACHE_SIZE = 100_000;
/** Rules of providers that are told apart; more are simply not shared between releases. */
const MAX_RULES = 1000;

/**
 * Verified tokens by the hash of their text, so that no token is held. It belongs to whoever runs decisions and outlives
 * releases: an entry is used only under the very rule of its provider that it was verified by, and as long as the keys
 * that verified it are in force.
 */
export class TokenCache {
  readonly #entries: LRUCache<string, VerifiedToken>;
  readonly #rules = new Map<string, ProviderRule>();

  constructor(size = TOKEN_CACHE_SIZE) {
    this.#entries = new LRUCache({ max: size });
  }

  /** One object for all equal rules, so that releases which trust a provider alike share its tokens. */
  ruleOf(rule: ProviderRule): ProviderRule {
    const key = canonicalJson(rule);
    const known = this.#rules.get(key);
    if (known) return known;
    if (this.#rules.size < MAX_RULES) this.#rules.set(key, rule);
    return rule;
  }

  /** @param isCurrent whether an entry's provider and keys are those in force, asked only on a hit */
  find(hash: string, nowMs: number, isCurrent: (token: VerifiedToken) => boolean): VerifiedToken | null {
    const token = this.#entries.get(hash);
    if (!token) return null;
    if (nowMs >= token.usableUntil || !isCurrent(token)) {
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
