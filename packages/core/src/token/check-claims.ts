import type { TokenRule } from '../document/token-rule.js';
import { finding, type Finding } from '../verdict/codes.js';
import { isAccessTokenType } from './token-kind.js';
import type { VerifiedToken } from './verified-token.js';
import { shorten } from './verify-token.js';

/** One check of a genuine token against the rule of its operation. */
export interface TokenCheck {
  readonly id: 'provider-algorithm' | 'kind' | 'type' | 'audience' | 'expiry' | 'not-before' | 'issued-at' | 'identity';
  readonly run: (token: VerifiedToken, rule: TokenRule, nowMs: number) => Finding | null;
}

/**
 * In this order: what kind of token it is comes first, because an ID token also has the wrong audience, and the kind is
 * the mistake to name; then whom it was issued for; then the times, which alone can mend themselves.
 */
export const TOKEN_CHECKS: readonly TokenCheck[] = Object.freeze([
  { id: 'provider-algorithm', run: checkAlgorithm },
  { id: 'kind', run: checkKind },
  { id: 'type', run: checkType },
  { id: 'audience', run: checkAudience },
  { id: 'expiry', run: checkExpiry },
  { id: 'not-before', run: checkNotBefore },
  { id: 'issued-at', run: checkIssuedAt },
  { id: 'identity', run: checkIdentity },
] as const);

/**
 * Whether a genuine token is an access token for this API, now. RFC 7519 section 4.1, RFC 8725 sections 3.9 and 3.11,
 * RFC 9068 section 4.
 * @param nowMs milliseconds since the epoch
 */
export function checkClaims(token: VerifiedToken, rule: TokenRule, nowMs: number): Finding | null {
  // By index: going through a frozen list by its iterator makes an object for each of its items.
  for (let index = 0; index < TOKEN_CHECKS.length; index++) {
    const wrong = (TOKEN_CHECKS[index] as TokenCheck).run(token, rule, nowMs);
    if (wrong) return wrong;
  }
  return null;
}

function checkAlgorithm(token: VerifiedToken, rule: TokenRule): Finding | null {
  const { algorithm } = token;
  if (rule.algorithms === 'AS_PROVIDER' || algorithm === null || (rule.algorithms as readonly string[]).includes(algorithm)) return null;
  return finding('token.algorithm-refused', { alg: algorithm, accepted: [...rule.algorithms], by: 'this operation' });
}

function checkKind(token: VerifiedToken, rule: TokenRule): Finding | null {
  if (token.idTokenMarks.length === 0 || !isIdToken(token, rule)) return null;
  return finding('token.id-token', { marks: [...token.idTokenMarks], typ: token.typ, audience: audiencesOf(token)?.slice(0, 8) ?? [] });
}

function checkType(token: VerifiedToken, rule: TokenRule): Finding | null {
  if (rule.type === 'ANY_TYPE' || token.form === 'opaque') return null;
  const right = rule.type === 'at+jwt' ? isAccessTokenType(token.typ) : token.typ?.toLowerCase() === rule.type.toLowerCase();
  return right ? null : finding('token.type-wrong', { typ: token.typ, wanted: rule.type });
}

/** A client id as audience proves nothing when the API's own identifier is that client id; other marks always count. */
function isIdToken(token: VerifiedToken, rule: TokenRule): boolean {
  if (token.idTokenMarks.some((mark) => !mark.endsWith('equal to aud'))) return true;
  return rule.audiences === 'ANY_AUDIENCE' || !hasAudience(token, rule.audiences);
}

function audiencesOf(token: VerifiedToken): string[] | null {
  const audience = token.claims['aud'];
  if (typeof audience === 'string') return [audience];
  return Array.isArray(audience) && audience.every((item) => typeof item === 'string') ? audience : null;
}

function hasAudience(token: VerifiedToken, wanted: readonly string[]): boolean {
  return audiencesOf(token)?.some((item) => wanted.includes(item)) ?? false;
}

function checkAudience(token: VerifiedToken, rule: TokenRule): Finding | null {
  const found = audiencesOf(token);
  // What cannot be read is refused even where no audience is asked for (RFC 7519 section 4.1.3).
  if (found === null && token.claims['aud'] !== undefined) return finding('token.claim-malformed', { claim: 'aud', wanted: 'a string or an array of strings' });
  if (rule.audiences === 'ANY_AUDIENCE' || hasAudience(token, rule.audiences)) return null;
  if (found === null) return finding('token.audience-missing', { wanted: [...rule.audiences] });
  return finding('token.audience-wrong', { found: found.slice(0, 8).map((item) => shorten(item)), wanted: [...rule.audiences] });
}

/** The clock difference that counts for a token under a rule, seconds. */
export const leewayOf = (token: VerifiedToken, rule: TokenRule): number =>
  rule.leewaySeconds === 'AS_PROVIDER' ? token.provider.leewaySeconds : rule.leewaySeconds;

function checkExpiry(token: VerifiedToken, rule: TokenRule, nowMs: number): Finding | null {
  const { exp } = token.claims;
  // The provider itself vouches for an opaque token, and its answer is used only for a stated time.
  if (exp === undefined) return token.form === 'opaque' ? null : finding('token.expiry-missing', {});
  if (!isNumericDate(exp)) return malformedTime('exp');
  const leewaySeconds = leewayOf(token, rule);
  return nowMs >= (exp + leewaySeconds) * 1000 ? finding('token.expired', { at: Math.round(exp * 1000), now: nowMs, leewaySeconds }) : null;
}

function checkNotBefore(token: VerifiedToken, rule: TokenRule, nowMs: number): Finding | null {
  const { nbf } = token.claims;
  if (nbf === undefined) return null;
  if (!isNumericDate(nbf)) return malformedTime('nbf');
  const leewaySeconds = leewayOf(token, rule);
  return nowMs < (nbf - leewaySeconds) * 1000 ? finding('token.not-yet-valid', { at: Math.round(nbf * 1000), now: nowMs, leewaySeconds }) : null;
}

function checkIssuedAt(token: VerifiedToken, rule: TokenRule, nowMs: number): Finding | null {
  const { iat } = token.claims;
  if (iat === undefined) return null;
  if (!isNumericDate(iat)) return malformedTime('iat');
  const leewaySeconds = leewayOf(token, rule);
  return nowMs < (iat - leewaySeconds) * 1000 ? finding('token.issued-in-future', { at: Math.round(iat * 1000), now: nowMs, leewaySeconds }) : null;
}

/** Two callers who are read as one would be one caller (RFC 8259 section 6, RFC 7493 section 2.2). */
function checkIdentity({ unread }: VerifiedToken): Finding | null {
  return unread && finding('token.claim-malformed', { ...unread });
}

const malformedTime = (claim: string): Finding => finding('token.claim-malformed', { claim, wanted: 'a number of seconds since 1970 (NumericDate)' });

/** NumericDate of RFC 7519 section 2: seconds, fractions allowed; bounded so that arithmetic stays exact. */
export function isNumericDate(value: unknown): value is number {
  return typeof value === 'number' && Number.isFinite(value) && Math.abs(value) <= 1e13;
}
