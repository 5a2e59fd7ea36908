import type { CodeOf, Finding } from '../verdict/codes.js';
import { finding } from '../verdict/codes.js';
import type { ProviderRule } from '../document/release-document.js';
import { isAlgorithm, type Algorithm } from '../document/algorithms.js';
import { readPrincipal, type Principal } from './principal.js';
import { readToken, type JsonObject, type UnreadToken } from './read-token.js';
import { idTokenMarks } from './token-kind.js';
import { verifyWithCandidates, type VerificationKey } from './verify-signature.js';

/** The keys of one provider as they are held now. `generation` grows with every change of them. */
export interface HeldKeys {
  readonly generation: number;
  readonly state: 'fresh' | 'last-good' | 'none';
  readonly keys: readonly VerificationKey[];
}

/** Where keys come from. One source serves all releases of a process. */
export interface KeySource {
  /** The keys held now, without waiting. */
  held(providerId: string): HeldKeys;
  /** Asks the provider again: one fetch in flight, and at most one for each cool-down; resolves with what is held then. */
  refetch(provider: ProviderRule): Promise<HeldKeys>;
}

/** A token whose signature is genuine and whose issuer owns the key. Times, audience and rights are not checked yet. */
export interface VerifiedToken {
  readonly provider: ProviderRule;
  readonly header: JsonObject;
  readonly claims: JsonObject;
  readonly algorithm: string;
  readonly kid: string | null;
  readonly thumbprint: string;
  readonly generation: number;
  readonly idTokenMarks: readonly string[];
  readonly principal: Principal;
}

export interface TokenVerifier {
  /** Providers of the release by issuer, byte for byte (RFC 8725 section 3.8, RFC 9207 for why exact). */
  readonly byIssuer: ReadonlyMap<string, ProviderRule>;
  readonly keys: KeySource;
}

const UNREAD_CODES = {
  opaque: 'token.opaque',
  encrypted: 'token.encrypted',
  'too-long': 'token.too-long',
  malformed: 'token.malformed',
  'duplicate-member': 'token.duplicate-member',
  'too-deep': 'token.too-deep',
} as const satisfies Record<UnreadToken['kind'], CodeOf>;

/**
 * Verifies the form, issuer, algorithm and signature of a token. The issuer named in the payload chooses the
 * provider, and only keys of that provider are tried, so a token of issuer A never verifies with keys of issuer B.
 */
export async function verifyToken(text: string, verifier: TokenVerifier): Promise<VerifiedToken | Finding> {
  const read = readToken(text);
  if (read.kind !== 'jws') return finding(UNREAD_CODES[read.kind], { part: read.part });
  const { header, claims } = read;
  const algorithm = header['alg'];
  if (typeof algorithm !== 'string') return finding('token.malformed', { part: 'header' });
  if (algorithm.toLowerCase() === 'none') return finding('token.algorithm-none', { alg: algorithm });
  if (header['crit'] !== undefined) return finding('token.critical-header', { crit: nameList(header['crit']) });
  const kid = header['kid'] ?? null;
  if (kid !== null && typeof kid !== 'string') return finding('token.malformed', { part: 'header' });
  const issuer = claims['iss'];
  if (typeof issuer !== 'string') return finding('token.issuer-missing', {});
  const provider = verifier.byIssuer.get(issuer);
  if (!provider) return finding('token.issuer-unknown', { issuer: shorten(issuer), known: [...verifier.byIssuer.keys()] });
  if (!isAlgorithm(algorithm) || !provider.algorithms.includes(algorithm)) {
    return finding('token.algorithm-refused', { alg: shorten(algorithm), accepted: [...provider.algorithms], provider: provider.name });
  }
  const held = await verifyWithKeys(text, kid, algorithm, provider, verifier.keys);
  if ('code' in held) return held;
  return {
    provider,
    header,
    claims,
    algorithm,
    kid,
    thumbprint: held.key.thumbprint,
    generation: held.generation,
    idTokenMarks: idTokenMarks(header, claims),
    principal: readPrincipal(claims, provider),
  };
}

async function verifyWithKeys(
  text: string,
  kid: string | null,
  algorithm: Algorithm,
  provider: ProviderRule,
  source: KeySource,
): Promise<{ key: VerificationKey; generation: number } | Finding> {
  let held = source.held(provider.id);
  let result = await verifyWithCandidates(text, kid, algorithm, held.keys);
  const namesAKeyWeHold = kid !== null && held.keys.some((key) => key.kid === kid);
  if (result.outcome !== 'valid' && !namesAKeyWeHold) {
    // An unknown kid, or none and no key fitted: the provider may have rotated. The source bounds how often it asks.
    const again = await source.refetch(provider);
    if (again.generation !== held.generation) {
      held = again;
      result = await verifyWithCandidates(text, kid, algorithm, held.keys);
    }
  }
  if (result.outcome === 'valid') return { key: result.key, generation: held.generation };
  if (held.state === 'none') return finding('token.keys-unavailable', { provider: provider.name });
  if (result.outcome === 'invalid') return finding('token.signature-invalid', { kid, alg: algorithm, provider: provider.name });
  return finding('token.key-unknown', {
    kid: kid === null ? null : shorten(kid),
    alg: algorithm,
    held: held.keys.map((key) => key.kid ?? key.thumbprint),
    provider: provider.name,
  });
}

const nameList = (value: unknown): string[] => (Array.isArray(value) ? value.slice(0, 8).map((item) => shorten(String(item))) : [shorten(String(value))]);

/** Bounds a text that a caller chose before it enters a trace. */
export function shorten(text: string, length = 200): string {
  return text.length <= length ? text : `${text.slice(0, length)}… (${text.length} characters)`;
}
