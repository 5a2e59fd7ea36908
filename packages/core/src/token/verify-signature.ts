import type { CryptoKey, JWK } from 'jose';
import { ALGORITHMS, isAlgorithm, isAlgorithmOf, type Algorithm } from '../document/algorithms.js';
import { decodeBase64url, isCanonicalBase64url } from '../util/base64url.js';
import { readPart, UnreadToken } from './read-token.js';

/** One key that may verify signatures, made ready before any token arrives. */
export interface VerificationKey {
  readonly kid: string | null;
  readonly keyType: string;
  readonly curve: string | null;
  readonly bits: number;
  /** The algorithm the key is bound to (`alg`, RFC 7517 section 4.4), or null where its publisher left it open. */
  readonly algorithm: string | null;
  /** SHA-256 thumbprint, base64url (RFC 7638). */
  readonly thumbprint: string;
  /** Public keys come from a key set; secrets are set by hand. Only a secret may serve an HS algorithm. */
  readonly origin: 'key-set' | 'secret';
  /** The key, imported for one algorithm. */
  material(algorithm: Algorithm): Promise<CryptoKey>;
  readonly jwk: Readonly<JWK>;
}

export type SignatureOutcome = { readonly outcome: 'valid'; readonly key: VerificationKey } | { readonly outcome: 'invalid' | 'no-key' };

const ascii = new TextEncoder();

/** Whether a key may verify a token of this algorithm: type, curve, size, own `alg` (RFC 8725 section 3.1). */
export function keyServes(key: VerificationKey, algorithm: Algorithm): boolean {
  const facts = ALGORITHMS[algorithm];
  return (
    key.keyType === facts.keyType &&
    (facts.curve === null || key.curve === facts.curve) &&
    key.bits >= facts.minBits &&
    (key.algorithm === null || isAlgorithmOf(key.algorithm, algorithm)) &&
    (facts.keyType === 'oct') === (key.origin === 'secret')
  );
}

/**
 * The keys that may verify a token with this `kid` and algorithm, in the order they are tried (RFC 7515 section 6). All
 * that fit are tried; a key set is bounded where it is read.
 */
export function candidateKeys(keys: readonly VerificationKey[], kid: string | null, algorithm: Algorithm): VerificationKey[] {
  return keys.filter((key) => (kid === null || key.kid === kid) && keyServes(key, algorithm));
}

/**
 * Verifies a compact JWS (RFC 7515 section 5.2) with one of the keys given. Keys named or carried by the token's own
 * header (`jku`, `x5u`, `jwk`, `x5c`) are never looked at. `crit` is refused, because no extension is understood.
 */
export async function verifySignature(jws: string, kid: string | null, algorithm: string, keys: readonly VerificationKey[]): Promise<SignatureOutcome> {
  if (!isAlgorithm(algorithm)) return { outcome: 'no-key' };
  // Every part, so that one token has one spelling: decoders are lenient with blanks and loose bits.
  const parts = jws.split('.', 4);
  if (parts.length !== 3 || !parts.every(isCanonicalBase64url)) return { outcome: 'invalid' };
  const header = readPart(parts[0] ?? '', 'header');
  if (header instanceof UnreadToken || header['alg'] !== algorithm || header['crit'] !== undefined) return { outcome: 'invalid' };
  return verifyWithCandidates(jws, kid, algorithm, keys);
}

/** Like `verifySignature`, for a token whose parts were found to be canonical and whose header was looked at already. */
export async function verifyWithCandidates(jws: string, kid: string | null, algorithm: Algorithm, keys: readonly VerificationKey[]): Promise<SignatureOutcome> {
  const candidates = candidateKeys(keys, kid, algorithm);
  if (candidates.length === 0) return { outcome: 'no-key' };
  const end = jws.lastIndexOf('.');
  // The signing input is ASCII: RFC 7515 section 5.1, step 8.
  const input = ascii.encode(jws.slice(0, end));
  const signature = decodeBase64url(jws.slice(end + 1));
  const { check } = ALGORITHMS[algorithm];
  for (const key of candidates) {
    try {
      if (await crypto.subtle.verify(check, await key.material(algorithm), signature, input)) return { outcome: 'valid', key };
    } catch {
      // The next candidate decides; a fault of the platform is a refusal like any other (fail closed).
    }
  }
  return { outcome: 'invalid' };
}
