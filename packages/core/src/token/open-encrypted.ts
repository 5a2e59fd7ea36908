import { compactDecrypt, importJWK, type CryptoKey, type JWK } from 'jose';
import { isRecord } from '../util/json-pointer.js';
import { decodeUtf8, isCanonicalBase64url } from '../util/base64url.js';
import { finding, type Finding } from '../verdict/codes.js';
import { readPart, UnreadToken } from './read-token.js';
import { shorten, unreadFinding } from './verify-token.js';

/**
 * Key management and content encryption that are taken (RFC 7518 sections 4 and 5). Not taken: RSA1_5, open to padding
 * oracles (RFC 8725 section 3.2); the password based ones, whose cost the sender chooses (RFC 8725 section 3.4, RFC 7518
 * section 8.1).
 */
export const ENCRYPTION_ALGORITHMS: readonly string[] = Object.freeze([
  'RSA-OAEP',
  'RSA-OAEP-256',
  'RSA-OAEP-384',
  'RSA-OAEP-512',
  'ECDH-ES',
  'ECDH-ES+A128KW',
  'ECDH-ES+A192KW',
  'ECDH-ES+A256KW',
  'A128KW',
  'A192KW',
  'A256KW',
  'A128GCMKW',
  'A192GCMKW',
  'A256GCMKW',
  'dir',
]);
export const CONTENT_ENCRYPTIONS: readonly string[] = Object.freeze(['A128CBC-HS256', 'A192CBC-HS384', 'A256CBC-HS512', 'A128GCM', 'A192GCM', 'A256GCM']);

/** One private key that opens tokens. */
interface OpeningKey {
  readonly kid: string | null;
  readonly jwk: JWK;
  readonly imported: Map<string, Promise<CryptoKey | Uint8Array>>;
}

/** At most this many keys are tried for a token that names none. */
const MAX_KEYS = 8;

/** Private keys out of a secret that holds a JWK or a JWK Set; null when it holds neither. */
export function readOpeningKeys(secret: string): readonly OpeningKey[] | null {
  let value: unknown;
  try {
    value = JSON.parse(secret);
  } catch {
    return null;
  }
  const entries = isRecord(value) ? (Array.isArray(value['keys']) ? (value['keys'] as unknown[]) : [value]) : [];
  const keys = entries.filter(isRecord).filter((jwk) => typeof jwk['d'] === 'string' || jwk['kty'] === 'oct');
  return keys.length === 0
    ? null
    : keys.slice(0, MAX_KEYS).map((jwk) => ({ kid: typeof jwk['kid'] === 'string' ? jwk['kid'] : null, jwk: jwk, imported: new Map() }));
}

/**
 * Opens an encrypted token (RFC 7516 section 5.2) that holds a signed one (RFC 7519 section 5.2, nested). Compressed
 * content is refused, since its size is the sender's choice (RFC 8725 section 3.6). Every failure has one code, so that
 * no caller learns which part was wrong.
 * @returns the signed token inside
 */
export async function openEncrypted(text: string, keys: readonly OpeningKey[]): Promise<string | Finding> {
  const parts = text.split('.');
  if (!parts.every(isCanonicalBase64url)) return finding('token.malformed', { part: null });
  const header = readPart(parts[0] ?? '', 'header');
  if (header instanceof UnreadToken) return unreadFinding(header);
  const { alg, enc, kid } = header;
  if (header['zip'] !== undefined)
    return finding('token.encryption-refused', { alg: shorten(String(alg)), enc: shorten(String(enc)), reason: 'it is compressed' });
  if (!ENCRYPTION_ALGORITHMS.includes(String(alg)) || !CONTENT_ENCRYPTIONS.includes(String(enc))) {
    return finding('token.encryption-refused', { alg: shorten(String(alg)), enc: shorten(String(enc)), reason: 'its algorithms are not taken' });
  }
  // A key serves the one algorithm that it is made for (RFC 7517 section 4.4), and nothing else. Used directly, a key is made for the content encryption.
  const use = alg === 'dir' ? enc : alg;
  const named = keys.filter((key) => (typeof kid !== 'string' || key.kid === null || key.kid === kid) && (key.jwk.alg === undefined || key.jwk.alg === use));
  for (const key of named) {
    const plain = await tryKey(text, key, String(alg));
    if (plain !== null) return plain;
  }
  return finding('token.decryption-failed', { alg: String(alg), enc: String(enc), kid: typeof kid === 'string' ? shorten(kid) : null });
}

async function tryKey(text: string, key: OpeningKey, alg: string): Promise<string | null> {
  try {
    let material = key.imported.get(alg);
    if (!material) key.imported.set(alg, (material = importJWK({ ...key.jwk, ext: true }, alg)));
    const { plaintext } = await compactDecrypt(text, await material, {
      keyManagementAlgorithms: [...ENCRYPTION_ALGORITHMS],
      contentEncryptionAlgorithms: [...CONTENT_ENCRYPTIONS],
    });
    return decodeUtf8(plaintext);
  } catch {
    // A key that does not fit; the next one decides.
    return null;
  }
}
