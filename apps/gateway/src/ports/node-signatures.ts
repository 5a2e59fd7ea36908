import { ALGORITHMS, WEB_SIGNATURES, type Algorithm, type AlgorithmFacts, type SignaturePlatform, type VerificationKey } from '@virga/core';
import { constants, createHmac, createPublicKey, createVerify, timingSafeEqual, verify, type KeyObject, type VerifyKeyObjectInput } from 'node:crypto';

/**
 * Keys of at most so many bits are checked at once, on the thread that serves. Measured on one slow core, such a check keeps
 * it for 0.03 (RSA of 2048 bits), 0.09 (P-256) or 0.13 ms (Ed25519), less than handing it to another thread costs. Larger
 * ones take longer than a request may hold up others, and go to the platform's own threads.
 */
const AT_ONCE_BITS: Readonly<Record<string, number>> = { RSA: 3072, EC: 256, OKP: 256, oct: Infinity };

const keys = new WeakMap<VerificationKey, KeyObject>();

/** Signatures checked by the platform's own library, at once where that is cheap. */
export const NODE_SIGNATURES: SignaturePlatform = {
  check: (algorithm, key, input, signature) => {
    if (!(key.bits <= (AT_ONCE_BITS[key.keyType] ?? 0))) return WEB_SIGNATURES.check(algorithm, key, input, signature);
    const check: AlgorithmFacts['check'] = ALGORITHMS[algorithm].check;
    const hash = check.hash?.replace('SHA-', 'sha') ?? null;
    if (check.name === 'HMAC') return sameMac(hash ?? '', key, input, signature);
    const options = optionsFor(algorithm, keyObjectOf(key));
    // Piece by piece costs less than at once; what hashes by itself (EdDSA) is checked at once alone.
    return hash === null
      ? verify(null, Buffer.from(input, 'latin1'), options, signature)
      : createVerify(hash).update(input, 'latin1').verify(options, signature);
  },
};

function keyObjectOf(key: VerificationKey): KeyObject {
  let object = keys.get(key);
  if (!object) keys.set(key, (object = createPublicKey({ key: key.jwk as never, format: 'jwk' })));
  return object;
}

/** ECDSA in JWS is two numbers side by side (RFC 7518 section 3.4); the salt of PSS is as long as the hash (section 3.5). */
function optionsFor(algorithm: Algorithm, key: KeyObject): VerifyKeyObjectInput {
  const check: AlgorithmFacts['check'] = ALGORITHMS[algorithm].check;
  switch (check.name) {
    case 'ECDSA':
      return { key, dsaEncoding: 'ieee-p1363' };
    case 'RSA-PSS':
      return { key, padding: constants.RSA_PKCS1_PSS_PADDING, saltLength: check.saltLength ?? 0 };
    case 'RSASSA-PKCS1-v1_5':
      return { key, padding: constants.RSA_PKCS1_PADDING };
    default:
      return { key };
  }
}

function sameMac(hash: string, { jwk }: VerificationKey, input: string, signature: Uint8Array): boolean {
  if (typeof jwk.k !== 'string') return false;
  const mac = createHmac(hash, Buffer.from(jwk.k, 'base64url')).update(input, 'latin1').digest();
  return mac.length === signature.length && timingSafeEqual(mac, signature);
}
