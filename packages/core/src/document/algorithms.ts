/** Facts of one signature algorithm. `keyType` and `curve` bind it to its keys, so that no key serves a foreign algorithm. */
export interface AlgorithmFacts {
  readonly keyType: 'RSA' | 'EC' | 'OKP' | 'oct';
  readonly curve: string | null;
  /** Least size of a key in bits: RFC 7518 sections 3.2, 3.3 and 3.5. */
  readonly minBits: number;
  /** What the platform's signature check is given (Web Cryptography API). */
  readonly check: SignatureCheck;
  readonly standard: string;
}

export interface SignatureCheck {
  readonly name: 'RSASSA-PKCS1-v1_5' | 'RSA-PSS' | 'ECDSA' | 'Ed25519' | 'HMAC';
  readonly hash?: string;
  readonly saltLength?: number;
}

const row = (keyType: AlgorithmFacts['keyType'], curve: string | null, minBits: number, check: SignatureCheck, standard: string): AlgorithmFacts => ({
  keyType,
  curve,
  minBits,
  check,
  standard,
});
const pkcs1 = (bits: number): SignatureCheck => ({ name: 'RSASSA-PKCS1-v1_5', hash: `SHA-${bits}` });
const pss = (bits: number): SignatureCheck => ({ name: 'RSA-PSS', hash: `SHA-${bits}`, saltLength: bits / 8 });
const ecdsa = (bits: number): SignatureCheck => ({ name: 'ECDSA', hash: `SHA-${bits}` });
const hmac = (bits: number): SignatureCheck => ({ name: 'HMAC', hash: `SHA-${bits}` });

/** Every JWS algorithm that can be accepted. `none` has no row and so can never be. */
export const ALGORITHMS = {
  RS256: row('RSA', null, 2048, pkcs1(256), 'RFC 7518 section 3.3'),
  RS384: row('RSA', null, 2048, pkcs1(384), 'RFC 7518 section 3.3'),
  RS512: row('RSA', null, 2048, pkcs1(512), 'RFC 7518 section 3.3'),
  PS256: row('RSA', null, 2048, pss(256), 'RFC 7518 section 3.5'),
  PS384: row('RSA', null, 2048, pss(384), 'RFC 7518 section 3.5'),
  PS512: row('RSA', null, 2048, pss(512), 'RFC 7518 section 3.5'),
  ES256: row('EC', 'P-256', 256, ecdsa(256), 'RFC 7518 section 3.4'),
  ES384: row('EC', 'P-384', 384, ecdsa(384), 'RFC 7518 section 3.4'),
  ES512: row('EC', 'P-521', 521, ecdsa(512), 'RFC 7518 section 3.4'),
  EdDSA: row('OKP', 'Ed25519', 256, { name: 'Ed25519' }, 'RFC 8037 section 3.1'),
  Ed25519: row('OKP', 'Ed25519', 256, { name: 'Ed25519' }, 'RFC 9864 section 2.2'),
  HS256: row('oct', null, 256, hmac(256), 'RFC 7518 section 3.2'),
  HS384: row('oct', null, 384, hmac(384), 'RFC 7518 section 3.2'),
  HS512: row('oct', null, 512, hmac(512), 'RFC 7518 section 3.2'),
} as const satisfies Record<string, AlgorithmFacts>;

export type Algorithm = keyof typeof ALGORITHMS;

/** Algorithms a provider's published keys can serve; the symmetric ones need a secret and are left out. */
export const PUBLIC_KEY_ALGORITHMS: readonly Algorithm[] = (Object.keys(ALGORITHMS) as Algorithm[]).filter((name) => ALGORITHMS[name].keyType !== 'oct');

/** Whether a key that names an algorithm serves another name: `EdDSA` with an Ed25519 key is what RFC 9864 calls `Ed25519`. */
export function isAlgorithmOf(named: unknown, algorithm: Algorithm): boolean {
  if (named === algorithm) return true;
  const same: readonly unknown[] = ['EdDSA', 'Ed25519'];
  return same.includes(named) && same.includes(algorithm);
}

export function isAlgorithm(name: unknown): name is Algorithm {
  return typeof name === 'string' && Object.hasOwn(ALGORITHMS, name);
}
