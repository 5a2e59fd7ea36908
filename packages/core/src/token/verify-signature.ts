import type { CryptoKey, JWK } from 'jose';
import { ALGORITHMS, isAlgorithm, isAlgorithmOf, type Algorithm, type AlgorithmFacts } from '../document/algorithms.js';
import type { Awaitable } from '../util/awaitable.js';
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
 * The platform that checks signatures. One may answer at once, on the thread that asks, or later; a fault of it counts as
 * “does not match”, thrown or rejected.
 */
export interface SignaturePlatform {
  /** @param input the signing input, ASCII (RFC 7515 section 5.1, step 8) */
  check(algorithm: Algorithm, key: VerificationKey, input: string, signature: Uint8Array<ArrayBuffer>): boolean | Promise<boolean>;
}

const ascii = new TextEncoder();

/** Web Cryptography: there on every platform, and always later. */
export const WEB_SIGNATURES: SignaturePlatform = {
  check: async (algorithm, key, input, signature) =>
    crypto.subtle.verify(ALGORITHMS[algorithm].check, await key.material(algorithm), signature, ascii.encode(input)),
};

/**
 * Verifies a compact JWS (RFC 7515 section 5.2) with one of the keys given. Keys named or carried by the token's own
 * header (`jku`, `x5u`, `jwk`, `x5c`) are never looked at. `crit` is refused, because no extension is understood.
 */
export function verifySignature(
  jws: string,
  kid: string | null,
  algorithm: string,
  keys: readonly VerificationKey[],
  platform: SignaturePlatform = WEB_SIGNATURES,
): Awaitable<SignatureOutcome> {
  if (!isAlgorithm(algorithm)) return { outcome: 'no-key' };
  // Every part, so that one token has one spelling: decoders are lenient with blanks and loose bits.
  const parts = jws.split('.', 4);
  if (parts.length !== 3 || !parts.every(isCanonicalBase64url)) return { outcome: 'invalid' };
  const header = readPart(parts[0] ?? '', 'header');
  if (header instanceof UnreadToken || header['alg'] !== algorithm || header['crit'] !== undefined) return { outcome: 'invalid' };
  return verifyWithCandidates(jws, kid, algorithm, keys, platform);
}

/** Like `verifySignature`, for a token whose parts were found to be canonical and whose header was looked at already. */
export function verifyWithCandidates(
  jws: string,
  kid: string | null,
  algorithm: Algorithm,
  keys: readonly VerificationKey[],
  platform: SignaturePlatform,
): Awaitable<SignatureOutcome> {
  const candidates = candidateKeys(keys, kid, algorithm);
  if (candidates.length === 0) return { outcome: 'no-key' };
  const end = jws.lastIndexOf('.');
  return tryFrom(candidates, 0, algorithm, jws.slice(0, end), decodeBase64url(jws.slice(end + 1)), platform);
}

/**
 * How many bytes a signature has: as many as the modulus (RFC 8017 sections 8.1.2 and 8.2.2, step 1, from memory), two numbers of the
 * curve (RFC 7518 section 3.4), or the hash. The platform reads that of PSS as a number, so that one which begins with a zero byte
 * counts without it too, and one token had two spellings.
 */
function signatureLength(algorithm: Algorithm, { bits }: VerificationKey): number {
  const { keyType, check }: AlgorithmFacts = ALGORITHMS[algorithm];
  const bytes = Math.ceil(bits / 8);
  switch (keyType) {
    case 'RSA':
      return bytes;
    case 'EC':
    case 'OKP':
      return 2 * bytes;
    case 'oct':
      return Number(check.hash?.slice('SHA-'.length)) / 8;
  }
}

/** Tries the candidates in turn; waits only where the platform does. */
function tryFrom(
  candidates: readonly VerificationKey[],
  first: number,
  algorithm: Algorithm,
  input: string,
  signature: Uint8Array<ArrayBuffer>,
  platform: SignaturePlatform,
): Awaitable<SignatureOutcome> {
  for (let index = first; index < candidates.length; index++) {
    const key = candidates[index] as VerificationKey;
    if (signature.length !== signatureLength(algorithm, key)) continue;
    let matches: boolean | Promise<boolean>;
    try {
      matches = platform.check(algorithm, key, input, signature);
    } catch {
      // The next candidate decides; a fault of the platform is a refusal like any other (fail closed).
      continue;
    }
    if (matches === true) return { outcome: 'valid', key };
    if (matches === false) continue;
    return matches
      .catch(() => false)
      .then((later) => (later === true ? { outcome: 'valid', key } : tryFrom(candidates, index + 1, algorithm, input, signature, platform)));
  }
  return { outcome: 'invalid' };
}
