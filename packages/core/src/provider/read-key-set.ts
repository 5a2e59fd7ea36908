import { calculateJwkThumbprint, importJWK, type CryptoKey, type JWK } from 'jose';
import { ALGORITHMS, isAlgorithmOf, type Algorithm } from '../document/algorithms.js';
import { isCanonicalBase64url } from '../util/base64url.js';
import { rsaWeakness } from './weak-rsa.js';
import { isRecord } from '../util/json-pointer.js';
import type { VerificationKey } from '../token/verify-signature.js';

/** A key of a set that is not used, and why, in words for the operator. */
export interface RefusedKey {
  readonly index: number;
  readonly kid: string | null;
  readonly reason: string;
}

export interface ReadKeySet {
  readonly keys: readonly VerificationKey[];
  readonly refused: readonly RefusedKey[];
}

/** At most this many keys of one set are read. */
export const MAX_KEYS = 500;
const PRIVATE_MEMBERS = ['d', 'p', 'q', 'dp', 'dq', 'qi', 'oth'];

/**
 * Reads a JWK Set (RFC 7517 section 5). Keys that cannot verify signatures here are refused by name and do not spoil
 * the rest: encryption keys, unknown types and curves, RSA below 2048 bits (RFC 7518 section 3.3), symmetric keys,
 * and keys published with their private part, which anybody could sign with.
 * @returns null when the document is not a key set at all
 */
export async function readKeySet(document: unknown): Promise<ReadKeySet | null> {
  if (!isRecord(document) || !Array.isArray(document['keys'])) return null;
  const keys: VerificationKey[] = [];
  const refused: RefusedKey[] = [];
  const entries = document['keys'].slice(0, MAX_KEYS) as unknown[];
  for (const [index, entry] of entries.entries()) {
    const kid = isRecord(entry) && typeof entry['kid'] === 'string' ? entry['kid'] : null;
    const reason = isRecord(entry) ? reasonToRefuse(entry) : 'it is not an object';
    const key = reason === null ? await readKey(entry as JWK) : null;
    if (key) keys.push(key);
    else refused.push({ index, kid, reason: reason ?? 'its members are not a valid key' });
  }
  if (document['keys'].length > MAX_KEYS) refused.push({ index: MAX_KEYS, kid: null, reason: `only the first ${MAX_KEYS} keys of a set are read` });
  return { keys, refused };
}

function reasonToRefuse(jwk: Record<string, unknown>): string | null {
  const type = jwk['kty'];
  if (type === 'oct') return 'a published symmetric key is no secret';
  if (type !== 'RSA' && type !== 'EC' && type !== 'OKP') return `key type ${JSON.stringify(type)} is not known`;
  if (PRIVATE_MEMBERS.some((name) => jwk[name] !== undefined)) return 'it is published with its private part';
  if (jwk['use'] !== undefined && jwk['use'] !== 'sig') return `its use is ${JSON.stringify(jwk['use'])}, not "sig"`;
  const operations = jwk['key_ops'];
  if (operations !== undefined && !(Array.isArray(operations) && operations.includes('verify'))) return 'its key_ops do not include "verify"';
  const algorithm = jwk['alg'];
  if (algorithm !== undefined) {
    const fits = typeof algorithm === 'string' && Object.hasOwn(ALGORITHMS, algorithm) && ALGORITHMS[algorithm as Algorithm].keyType === type;
    if (!fits) return `its alg ${JSON.stringify(algorithm)} does not go with key type ${type}`;
  }
  const spelt = misspelt(jwk);
  if (spelt !== null) return spelt;
  if (type === 'RSA') {
    const bits = bitsOf(jwk['n']);
    if (bits < 2048) return `RSA key of ${bits} bits; at least 2048 are needed`;
    return rsaWeakness(jwk['n'], jwk['e']);
  }
  if (algorithmsFor(jwk).length === 0) return `curve ${JSON.stringify(jwk['crv'])} is not known`;
  return null;
}

/** Members that every key of a type needs (RFC 7518 sections 6.2.1 and 6.3.1, RFC 8037 section 2). */
const NEEDED: Readonly<Record<string, readonly string[]>> = { RSA: ['n', 'e'], EC: ['crv', 'x', 'y'], OKP: ['crv', 'x'] };

/** What is missing from the members of a key or spelt in another alphabet; null when nothing is. */
function misspelt(jwk: Record<string, unknown>): string | null {
  const needed = NEEDED[String(jwk['kty'])] ?? [];
  const missing = needed.filter((name) => jwk[name] === undefined);
  if (missing.length > 0) {
    const chain = jwk['x5c'] === undefined ? '' : '; it has a certificate chain (x5c) alone, and that is no key of its own (RFC 7517 section 4.7)';
    return `its ${missing.join(' and ')} ${missing.length === 1 ? 'is' : 'are'} missing${chain}`;
  }
  const text = (name: string): string => (typeof jwk[name] === 'string' ? jwk[name] : '');
  const standard = needed.find((name) => name !== 'crv' && /[+/=]/.test(text(name)));
  if (standard !== undefined) return `its ${standard} is in standard base64; base64url without padding is needed (RFC 7515 section 2)`;
  const wrong = needed.find((name) => text(name) === '' || (name !== 'crv' && !isCanonicalBase64url(text(name))));
  return wrong === undefined ? null : `its ${wrong} is not base64url (RFC 7515 section 2)`;
}

/** Makes one acceptable JWK ready; null when its members do not form a key. Also used for keys set by hand. */
export async function readKey(jwk: JWK, origin: VerificationKey['origin'] = 'key-set'): Promise<VerificationKey | null> {
  const algorithms = algorithmsFor(jwk);
  const first = algorithms[0];
  if (!first) return null;
  const imported = new Map<Algorithm, Promise<CryptoKey>>();
  const material = (algorithm: Algorithm) => {
    let key = imported.get(algorithm);
    if (!key) imported.set(algorithm, (key = importKey(jwk, algorithm)));
    return key;
  };
  try {
    await material(first);
    return {
      kid: jwk.kid ?? null,
      keyType: jwk.kty ?? '',
      curve: jwk.crv ?? null,
      bits: bitsOfKey(jwk),
      algorithm: jwk.alg ?? null,
      thumbprint: await calculateJwkThumbprint(jwk, 'sha256'),
      origin,
      material,
      jwk,
    };
  } catch {
    return null;
  }
}

/** A key for one algorithm. A secret is imported as what it is for, so that it can do nothing else. */
async function importKey(jwk: JWK, algorithm: Algorithm): Promise<CryptoKey> {
  const key = await importJWK({ ...jwk, ext: true }, algorithm);
  if (!(key instanceof Uint8Array)) return key;
  return crypto.subtle.importKey('raw', new Uint8Array(key), ALGORITHMS[algorithm].check, false, ['verify']);
}

function algorithmsFor(jwk: JWK): Algorithm[] {
  return (Object.keys(ALGORITHMS) as Algorithm[]).filter((name) => {
    const facts = ALGORITHMS[name];
    return facts.keyType === jwk.kty && (facts.curve === null || facts.curve === jwk.crv) && (jwk.alg === undefined || isAlgorithmOf(jwk.alg, name));
  });
}

/** Size of a key in bits, as RFC 7518 counts it; 0 for one that is none. */
export function bitsOfKey(jwk: JWK): number {
  if (jwk.kty === 'RSA') return bitsOf(jwk.n);
  if (jwk.kty === 'oct') return typeof jwk.k === 'string' ? Math.floor((jwk.k.length * 6) / 8) * 8 : 0;
  return { 'P-256': 256, 'P-384': 384, 'P-521': 521, Ed25519: 256 }[jwk.crv ?? ''] ?? 0;
}

/** Bits of a big-endian base64url integer, leading zero bits not counted. */
function bitsOf(value: unknown): number {
  if (typeof value !== 'string' || value === '' || !isCanonicalBase64url(value)) return 0;
  const bytes = Uint8Array.from(atob(value.replaceAll('-', '+').replaceAll('_', '/')), (c) => c.charCodeAt(0));
  const start = bytes.findIndex((byte) => byte !== 0);
  return start < 0 ? 0 : (bytes.length - start) * 8 - Math.clz32(bytes[start] ?? 0) + 24;
}
