import { calculateJwkThumbprint, compactVerify, importJWK, type JWK } from 'jose';
import { ALGORITHMS, PUBLIC_KEY_ALGORITHMS, isAlgorithm, isAlgorithmOf, type Algorithm } from '../document/algorithms.js';
import { bitsOfKey } from '../provider/read-key-set.js';
import { isRecord } from '../util/json-pointer.js';
import { finding, type Finding } from '../verdict/codes.js';
import { isNumericDate } from '../token/check-claims.js';
import { readToken, UnreadToken } from '../token/read-token.js';
import { shorten } from '../token/verify-token.js';
import { sameTarget } from './same-target.js';

/** How old a proof may be, and how far ahead its clock, seconds (RFC 9449 section 11.1). */
export const DPOP_WINDOW = { pastSeconds: 60, futureSeconds: 10, maxLength: 8192, maxJti: 256 } as const;

/** What a proof is held against. */
export interface ProofFacts {
  /** The method of the request, as the proof's `htm` must spell it. */
  readonly method: string;
  /** Scheme, authority and path of the request, without query. */
  readonly url: string;
  /** Thumbprint of the key that the token is bound to: `cnf.jkt`. */
  readonly thumbprint: string | null;
  /** base64url of SHA-256 of the access token: what `ath` must be. */
  readonly tokenHash: string;
  readonly nowMs: number;
  /** Whether a nonce is one of ours and fresh; null when none is asked for. */
  readonly acceptsNonce: ((nonce: string) => boolean) | null;
}

/** A proof that holds, and how long its `jti` must be remembered. */
export interface VerifiedProof {
  readonly algorithm: Algorithm;
  readonly thumbprint: string;
  readonly jti: string;
  /** When it says that it was made, milliseconds since the epoch. */
  readonly madeAt: number;
  readonly rememberUntil: number;
}

const wrong = (reason: string): Finding => finding('proof.malformed', { reason });

/**
 * Checks a DPoP proof against its request and its token, in the order of RFC 9449 section 4.3. Whether its `jti` was
 * seen before is for the caller to ask, last of all, so that no invalid proof fills the memory.
 */
export async function verifyProof(text: string, facts: ProofFacts): Promise<VerifiedProof | Finding> {
  if (text.length > DPOP_WINDOW.maxLength) return wrong(`it is longer than ${DPOP_WINDOW.maxLength} characters`);
  const token = readToken(text);
  if (token instanceof UnreadToken) return wrong('it is not a signed JWT');
  const { header, claims } = token;
  if (!isProofType(header['typ'])) return wrong('its typ is not dpop+jwt');
  if (header['crit'] !== undefined) return wrong('it has critical extensions');
  const alg = header['alg'];
  if (!isAlgorithm(alg) || !PUBLIC_KEY_ALGORITHMS.includes(alg))
    return finding('proof.algorithm', { alg: shorten(String(alg), 40), accepted: [...PUBLIC_KEY_ALGORITHMS] });
  const key = await readProofKey(header['jwk'], alg);
  if (typeof key === 'string') return wrong(key);
  try {
    await compactVerify(text, key.material, { algorithms: [alg] });
  } catch {
    return finding('proof.signature', { alg });
  }
  return checkMembers(claims, facts) ?? checkBinding(claims, facts, key.thumbprint, alg);
}

/** Media types are compared without case, and “application/” may stand in front (RFC 7515 section 4.1.9). */
const isProofType = (typ: unknown): boolean => typeof typ === 'string' && /^(application\/)?dpop\+jwt$/i.test(typ);

type Members = Readonly<Record<string, unknown>>;

function checkMembers(claims: Members, facts: ProofFacts): Finding | null {
  const { jti, htm, htu, iat } = claims;
  if (typeof jti !== 'string' || jti === '' || jti.length > DPOP_WINDOW.maxJti) return wrong(`its jti is not a text of 1 to ${DPOP_WINDOW.maxJti} characters`);
  if (htm !== facts.method) return finding('proof.method', { wanted: facts.method, found: shorten(String(htm), 40) });
  if (typeof htu !== 'string' || !sameTarget(htu, facts.url)) return finding('proof.target', { wanted: facts.url, found: shorten(String(htu)) });
  if (facts.acceptsNonce && (typeof claims['nonce'] !== 'string' || !facts.acceptsNonce(claims['nonce']))) {
    return finding('proof.nonce', { sent: claims['nonce'] !== undefined });
  }
  if (typeof iat !== 'number' || !Number.isFinite(iat)) return wrong('its iat is not a number of seconds');
  const { pastSeconds, futureSeconds } = DPOP_WINDOW;
  if (facts.nowMs > (iat + pastSeconds) * 1000 || facts.nowMs < (iat - futureSeconds) * 1000) {
    return finding('proof.time', { at: Math.round(iat * 1000), now: facts.nowMs, pastSeconds, futureSeconds });
  }
  return checkLife(claims, facts.nowMs);
}

/** Times that RFC 9449 does not ask for but RFC 7519 sections 4.1.4 and 4.1.5 give a meaning. */
function checkLife({ exp, nbf }: Members, nowMs: number): Finding | null {
  if (exp !== undefined && !(isNumericDate(exp) && nowMs < exp * 1000)) return wrong('its exp has passed or is no number of seconds');
  if (nbf !== undefined && !(isNumericDate(nbf) && nowMs >= (nbf - DPOP_WINDOW.futureSeconds) * 1000))
    return wrong('its nbf is in the future or no number of seconds');
  return null;
}

function checkBinding(claims: Members, facts: ProofFacts, thumbprint: string, algorithm: Algorithm): VerifiedProof | Finding {
  if (claims['ath'] !== facts.tokenHash) return finding('proof.token', { sent: claims['ath'] !== undefined });
  if (facts.thumbprint !== null && facts.thumbprint !== thumbprint) return finding('proof.key', { wanted: facts.thumbprint, found: thumbprint });
  const rememberUntil = ((claims['iat'] as number) + DPOP_WINDOW.pastSeconds) * 1000 + 1;
  return { algorithm, thumbprint, jti: claims['jti'] as string, madeAt: (claims['iat'] as number) * 1000, rememberUntil };
}

const PRIVATE_MEMBERS = ['d', 'p', 'q', 'dp', 'dq', 'qi', 'k', 'oth'];

/** The public key inside a proof; in words why it is none. It proves nothing by itself: its thumbprint must be that of the token. */
async function readProofKey(jwk: unknown, algorithm: Algorithm): Promise<{ material: Awaited<ReturnType<typeof importJWK>>; thumbprint: string } | string> {
  if (!isRecord(jwk)) return 'it carries no public key (jwk)';
  if (PRIVATE_MEMBERS.some((name) => jwk[name] !== undefined)) return 'it carries a private key';
  if (jwk['alg'] !== undefined && !isAlgorithmOf(jwk['alg'], algorithm)) return `its key is for ${JSON.stringify(jwk['alg']).slice(0, 40)}`;
  if (jwk['use'] !== undefined && jwk['use'] !== 'sig') return 'its key is not for signatures (use)';
  const operations = jwk['key_ops'];
  if (operations !== undefined && !(Array.isArray(operations) && operations.includes('verify'))) return 'its key is not for checking signatures (key_ops)';
  const facts = ALGORITHMS[algorithm];
  if (jwk['kty'] !== facts.keyType || (facts.curve !== null && jwk['crv'] !== facts.curve)) return `its key does not go with ${algorithm}`;
  if (bitsOfKey(jwk) < facts.minBits) return 'its key is too short';
  try {
    return { material: await importJWK(jwk as JWK, algorithm), thumbprint: await calculateJwkThumbprint(jwk, 'sha256') };
  } catch {
    return 'its key is not a valid key';
  }
}
