import { isAlgorithm, type Algorithm } from '../document/algorithms.js';
import type { ProviderRule } from '../document/provider-rule.js';
import type { FindUnread, ReadPrincipal } from './principal.js';
import { finding, type Code, type Finding } from '../verdict/codes.js';
import { readToken, UnreadToken, type ReadToken, type UnreadKind } from './read-token.js';
import { idTokenMarks } from './token-kind.js';
import type { VerifiedToken } from './verified-token.js';
import { verifyWithCandidates, type SignatureOutcome, type SignaturePlatform, type VerificationKey } from './verify-signature.js';
import { whenThere, type Awaitable } from '../util/awaitable.js';

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

/** A provider made ready: its rule and how its claims are read. */
export interface TrustedProvider {
  readonly rule: ProviderRule;
  readonly readPrincipal: ReadPrincipal;
  readonly findUnread: FindUnread;
}

export interface TokenVerifier {
  /** Providers of the release by issuer, byte for byte (RFC 8725 section 3.8, RFC 9207 for why exact). */
  readonly byIssuer: ReadonlyMap<string, TrustedProvider>;
  readonly keys: KeySource;
  /** What checks signatures. */
  readonly signatures: SignaturePlatform;
}

const UNREAD_CODES = {
  opaque: 'token.opaque',
  encrypted: 'token.encrypted',
  cut: 'token.cut',
  'too-long': 'token.too-long',
  malformed: 'token.malformed',
  'duplicate-member': 'token.duplicate-member',
  'too-deep': 'token.too-deep',
  'too-many-claims': 'token.too-many-claims',
} as const satisfies Record<UnreadKind, Code>;

/** The finding of a text that could not be read as a signed JWT. */
export const unreadFinding = (token: UnreadToken): Finding => finding(UNREAD_CODES[token.kind], { part: token.part });

/** One look at what the token says of itself, before any key is tried. */
export interface HeaderCheck {
  readonly id: 'signed' | 'critical-header' | 'issuer' | 'algorithm';
  readonly run: (token: ReadToken, verifier: TokenVerifier) => Finding | null;
}

/**
 * In this order, because each takes for granted what the one before it found: a token that is not signed needs no
 * issuer, and which algorithms are taken is known only once the issuer is.
 */
export const HEADER_CHECKS: readonly HeaderCheck[] = Object.freeze([
  { id: 'signed', run: checkSigned },
  { id: 'critical-header', run: checkCritical },
  { id: 'issuer', run: checkIssuer },
  { id: 'algorithm', run: checkAlgorithm },
] as const);

function checkSigned({ header }: ReadToken): Finding | null {
  const { alg, kid } = header;
  if (typeof alg !== 'string' || (kid !== undefined && typeof kid !== 'string')) return finding('token.malformed', { part: 'header' });
  return alg.toLowerCase() === 'none' ? finding('token.algorithm-none', { alg }) : null;
}

function checkCritical({ header }: ReadToken): Finding | null {
  return header['crit'] === undefined ? null : finding('token.critical-header', { crit: nameList(header['crit']) });
}

function checkIssuer({ claims }: ReadToken, { byIssuer }: TokenVerifier): Finding | null {
  const issuer = claims['iss'];
  if (typeof issuer !== 'string') return finding('token.issuer-missing', {});
  if (byIssuer.has(issuer)) return null;
  const known = [...byIssuer.keys()];
  const bare = (text: string) => text.replace(/\/+$/, '');
  const near = known.find((item) => bare(item) === bare(issuer));
  if (near !== undefined) return finding('token.issuer-slash', { issuer: shorten(issuer), known: near });
  return finding('token.issuer-unknown', { issuer: shorten(issuer), known: known.slice(0, 20) });
}

function checkAlgorithm({ header, claims }: ReadToken, { byIssuer }: TokenVerifier): Finding | null {
  const alg = String(header['alg']);
  const provider = byIssuer.get(String(claims['iss']))?.rule;
  if (!provider || (isAlgorithm(alg) && provider.algorithms.includes(alg))) return null;
  if (/^HS\d/.test(alg)) return finding('token.algorithm-confused', { alg: shorten(alg), accepted: [...provider.algorithms], provider: provider.name });
  return finding('token.algorithm-refused', { alg: shorten(alg), accepted: [...provider.algorithms], by: provider.name });
}

/**
 * Verifies the form, issuer, algorithm and signature of a token. The issuer named in the payload chooses the
 * provider, and only keys of that provider are tried, so a token of issuer A never verifies with keys of issuer B.
 * Looks at neither times, audience nor rights. RFC 7515 section 5.2, RFC 8725 sections 3.1 to 3.8.
 * @param decryptedBy name of the secret that opened the token, where it came encrypted
 */
export function verifyToken(text: string, verifier: TokenVerifier, decryptedBy: string | null = null): Awaitable<VerifiedToken | Finding> {
  const token = readToken(text);
  if (token instanceof UnreadToken) return unreadFinding(token);
  for (const check of HEADER_CHECKS) {
    const wrong = check.run(token, verifier);
    if (wrong) return wrong;
  }
  return verifyGenuine(text, token, verifier, decryptedBy);
}

/** The last step of `verifyToken`: the signature, by the keys of the issuer. The header checks must have passed. */
export function verifyGenuine(text: string, token: ReadToken, verifier: TokenVerifier, decryptedBy: string | null): Awaitable<VerifiedToken | Finding> {
  const { header, claims } = token;
  const trusted = verifier.byIssuer.get(String(claims['iss']));
  if (!trusted) return finding('token.issuer-missing', {});
  const algorithm = header['alg'] as Algorithm;
  const kid = (header['kid'] as string | undefined) ?? null;
  return whenThere(verifyWithKeys(text, kid, algorithm, trusted.rule, verifier), (held) =>
    'code' in held ? held : vouched(trusted, token, held.generation, decryptedBy),
  );
}

/** What a token says, taken as said by its provider. Only for tokens that were proved, or to explain one that was not. */
export function vouched(trusted: TrustedProvider, { header, claims }: ReadToken, generation: number, decryptedBy: string | null): VerifiedToken {
  const { rule } = trusted;
  const { exp } = claims;
  return {
    provider: rule,
    form: 'jwt',
    typ: typeof header['typ'] === 'string' ? shorten(header['typ'], 40) : null,
    claims,
    algorithm: String(header['alg']),
    kid: typeof header['kid'] === 'string' ? header['kid'] : null,
    generation,
    decryptedBy,
    // A token without exp is never kept; the largest leeway counts, because an operation may allow more than its provider.
    usableUntil: typeof exp === 'number' ? (exp + MAX_LEEWAY_SECONDS) * 1000 : 0,
    idTokenMarks: idTokenMarks(header, claims),
    unread: trusted.findUnread(claims),
    principal: trusted.readPrincipal(claims),
  };
}

/** The largest clock difference that any rule may allow. */
export const MAX_LEEWAY_SECONDS = 300;

type Verified = { readonly key: VerificationKey; readonly generation: number } | Finding;

function verifyWithKeys(
  text: string,
  kid: string | null,
  algorithm: Algorithm,
  provider: ProviderRule,
  { keys, signatures }: TokenVerifier,
): Awaitable<Verified> {
  const held = keys.held(provider.id);
  return whenThere(verifyWithCandidates(text, kid, algorithm, held.keys, signatures), (result): Awaitable<Verified> => {
    if (result.outcome === 'valid') return { key: result.key, generation: held.generation };
    // The provider may have rotated, under a new kid or under the old one. The source bounds how often it asks.
    return keys.refetch(provider).then(async (again): Promise<Verified> => {
      if (again.generation === held.generation) return failureOf(result, kid, algorithm, provider, held);
      const second = await verifyWithCandidates(text, kid, algorithm, again.keys, signatures);
      return second.outcome === 'valid' ? { key: second.key, generation: again.generation } : failureOf(second, kid, algorithm, provider, again);
    });
  });
}

/** Why no key verifies a token. */
function failureOf(result: SignatureOutcome, kid: string | null, algorithm: Algorithm, provider: ProviderRule, held: HeldKeys): Finding {
  if (held.state === 'none') return finding('token.keys-unavailable', { provider: provider.name });
  if (result.outcome === 'invalid')
    return finding('token.signature-invalid', { kid: kid === null ? null : shorten(kid), alg: algorithm, provider: provider.name });
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
