import { finding, type Finding } from '../verdict/codes.js';
import type { TokenRule } from '../document/release-document.js';
import { isAccessTokenType } from './token-kind.js';
import { shorten, type VerifiedToken } from './verify-token.js';

/**
 * Checks of a genuine token against the rule of one API, in this order: what kind of token it is comes first,
 * because an ID token also has the wrong audience, and the kind is the mistake to name; then whom it was issued for;
 * then the times, which alone can mend themselves.
 * RFC 7519 section 4.1, RFC 8725 sections 3.9 and 3.11, RFC 9068 section 4.
 * @param nowMs milliseconds since the epoch
 */
export function checkClaims(token: VerifiedToken, rule: TokenRule, nowMs: number): Finding | null {
  return checkKind(token, rule) ?? checkAudience(token, rule) ?? checkTimes(token, nowMs);
}

function checkKind(token: VerifiedToken, rule: TokenRule): Finding | null {
  const typ = token.header['typ'];
  const found = typeof typ === 'string' ? shorten(typ, 40) : null;
  if (token.idTokenMarks.length > 0 && isIdToken(token, rule)) {
    return finding('token.id-token', { marks: [...token.idTokenMarks], typ: found, audience: audiencesOf(token) ?? [] });
  }
  if (rule.type === 'at+jwt' && !isAccessTokenType(typ)) return finding('token.type-wrong', { typ: found, wanted: 'at+jwt' });
  return null;
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
  const audience = token.claims['aud'];
  if (typeof audience === 'string') return wanted.includes(audience);
  return Array.isArray(audience) && audience.some((item) => typeof item === 'string' && wanted.includes(item));
}

function checkAudience(token: VerifiedToken, rule: TokenRule): Finding | null {
  if (rule.audiences === 'ANY_AUDIENCE' || hasAudience(token, rule.audiences)) return null;
  const found = audiencesOf(token);
  if (found === null) {
    return token.claims['aud'] === undefined
      ? finding('token.audience-missing', { wanted: [...rule.audiences] })
      : finding('token.claim-malformed', { claim: 'aud', wanted: 'a string or an array of strings' });
  }
  return finding('token.audience-wrong', { found: found.slice(0, 8).map((item) => shorten(item)), wanted: [...rule.audiences] });
}

function checkTimes(token: VerifiedToken, nowMs: number): Finding | null {
  const { exp, nbf, iat } = token.claims;
  const leewayMs = token.provider.leewaySeconds * 1000;
  const detail = (at: number) => ({ at: Math.round(at * 1000), now: nowMs, leewaySeconds: token.provider.leewaySeconds });
  if (exp === undefined) return finding('token.expiry-missing', {});
  if (!isNumericDate(exp)) return malformedTime('exp');
  if (nbf !== undefined && !isNumericDate(nbf)) return malformedTime('nbf');
  if (iat !== undefined && !isNumericDate(iat)) return malformedTime('iat');
  if (nowMs >= exp * 1000 + leewayMs) return finding('token.expired', detail(exp));
  if (nbf !== undefined && nowMs < nbf * 1000 - leewayMs) return finding('token.not-yet-valid', detail(nbf));
  if (iat !== undefined && nowMs < iat * 1000 - leewayMs) return finding('token.issued-in-future', detail(iat));
  return null;
}

const malformedTime = (claim: string): Finding => finding('token.claim-malformed', { claim, wanted: 'a number of seconds since 1970 (NumericDate)' });

/** NumericDate of RFC 7519 section 2: seconds, fractions allowed; bounded so that arithmetic stays exact. */
function isNumericDate(value: unknown): value is number {
  return typeof value === 'number' && Number.isFinite(value) && Math.abs(value) <= 1e13;
}
