import { CompactSign, exportJWK, generateKeyPair, type CryptoKey, type JWK } from 'jose';
import type { Algorithm } from '../document/algorithms.js';
import { takesOpaqueTokens, type ProviderRule } from '../document/provider-rule.js';
import { readKey } from '../provider/read-key-set.js';
import type { JsonObject } from '../token/read-token.js';
import type { HeldKeys, KeySource } from '../token/verify-token.js';

/** Algorithms of keys that are made, the quickest first. */
const PREFERRED: readonly Algorithm[] = ['EdDSA', 'ES256', 'ES384', 'ES512', 'RS256', 'PS256', 'RS384', 'PS384', 'RS512', 'PS512'];

interface MadeKey {
  readonly algorithm: Algorithm;
  readonly privateKey: CryptoKey;
  readonly jwk: JWK;
  readonly held: HeldKeys;
}

const NO_KEYS: HeldKeys = { generation: 0, state: 'none', keys: [] };

/**
 * Keys that stand in place of those of the providers while trials run, so that tokens can be made that count as genuine. They
 * are made anew for each run and never leave it.
 */
export class TrialKeys implements KeySource {
  readonly #keys = new Map<string, MadeKey>();

  static async make(providers: readonly ProviderRule[]): Promise<TrialKeys> {
    const made = new TrialKeys();
    // A pair of one algorithm serves every provider that takes it: that they are told apart by issuer is what is tried.
    for (const provider of providers) {
      if (takesOpaqueTokens(provider)) continue;
      const algorithm = PREFERRED.find((one) => provider.algorithms.includes(one));
      if (algorithm === undefined) continue;
      const { privateKey, publicKey } = await generateKeyPair(algorithm, { extractable: true });
      const jwk: JWK = { ...(await exportJWK(publicKey)), kid: `trial-${provider.id}`, alg: algorithm, use: 'sig' };
      const key = await readKey(jwk);
      if (key) made.#keys.set(provider.id, { algorithm, privateKey, jwk, held: { generation: 1, state: 'fresh', keys: [key] } });
    }
    return made;
  }

  held(providerId: string): HeldKeys {
    return this.#keys.get(providerId)?.held ?? NO_KEYS;
  }

  refetch({ id }: ProviderRule): Promise<HeldKeys> {
    return Promise.resolve(this.held(id));
  }

  /** The public key of a provider; null where none could be made. */
  publicKey(providerId: string): JWK | null {
    return this.#keys.get(providerId)?.jwk ?? null;
  }

  /** Signs as a provider would; null for one that signs nothing here. */
  async sign(providerId: string, header: JsonObject, claims: JsonObject): Promise<string | null> {
    const key = this.#keys.get(providerId);
    if (!key) return null;
    return new CompactSign(new TextEncoder().encode(JSON.stringify(claims)))
      .setProtectedHeader({ ...header, alg: key.algorithm, kid: key.jwk.kid ?? '' })
      .sign(key.privateKey);
  }
}
