import type { OpaqueSource, ProviderRule } from '../document/provider-rule.js';
import { isRecord } from '../util/json-pointer.js';
import { finding, type Finding } from '../verdict/codes.js';
import { isNumericDate } from './check-claims.js';
import type { JsonObject } from './read-token.js';
import type { VerifiedToken } from './verified-token.js';
import { MAX_LEEWAY_SECONDS, shorten, type TrustedProvider } from './verify-token.js';

/** A provider that is asked about opaque tokens. */
export type OpaqueProvider = ProviderRule & { readonly source: OpaqueSource };

/** What asking came to. `unavailable` covers everything that is not an answer; its reason is for operators only. */
export type IntrospectionAnswer =
  { readonly outcome: 'answered'; readonly status: number; readonly document: unknown } | { readonly outcome: 'unavailable'; readonly reason: string };

/** Asks providers about tokens: one call in flight for each token, a circuit breaker for each provider. */
export interface Introspection {
  /** @param digest the token's hash, by which calls for one token are joined and bad answers remembered */
  ask(provider: OpaqueProvider, token: string, digest: string): Promise<IntrospectionAnswer>;
}

/**
 * Reads what a provider said about a token: RFC 7662 section 2.2, or the claims of a userinfo-like endpoint, where a
 * 2xx answer means active and 400, 401, 403 or 404 that it is not. Everything else is no answer (fail closed).
 * @param nowMs milliseconds since the epoch
 */
export function readIntrospection(
  answer: IntrospectionAnswer,
  trusted: TrustedProvider & { readonly rule: OpaqueProvider },
  nowMs: number,
): VerifiedToken | Finding {
  const { rule } = trusted;
  const unavailable = (reason: string): Finding => finding('token.introspection-unavailable', { provider: rule.name, reason: shorten(reason) });
  if (answer.outcome === 'unavailable') return unavailable(answer.reason);
  const { status, document } = answer;
  const inactive = finding('token.inactive', { provider: rule.name, source: rule.source.kind, status });
  if (rule.source.kind === 'userinfo' && [400, 401, 403, 404].includes(status)) return inactive;
  if (status < 200 || status > 299) return unavailable(`${rule.source.endpoint} answered ${status}${problemOf(document)}`);
  if (!isRecord(document)) return unavailable('the answer is not a JSON object');
  if (rule.source.kind === 'introspection') {
    if (document['active'] === false) return inactive;
    if (document['active'] !== true) return unavailable('the answer has no member active that is true or false');
  }
  return vouchedByAnswer(document, trusted, nowMs, unavailable);
}

function vouchedByAnswer(
  document: JsonObject,
  trusted: TrustedProvider & { readonly rule: OpaqueProvider },
  nowMs: number,
  unavailable: (reason: string) => Finding,
): VerifiedToken | Finding {
  const { rule } = trusted;
  const issuer = document['iss'];
  if (issuer !== undefined && issuer !== rule.issuer) {
    return finding('token.introspection-issuer', { provider: rule.name, issuer: shorten(String(issuer)), wanted: rule.issuer });
  }
  const { positiveSeconds, impliedAudience } = rule.source;
  const { exp } = document;
  if (exp !== undefined && !isNumericDate(exp)) return unavailable('the answer’s exp is not a number of seconds');
  const claims: JsonObject = { ...document, iss: rule.issuer, ...(document['aud'] === undefined && impliedAudience !== null ? { aud: impliedAudience } : {}) };
  const restsUntil = nowMs + positiveSeconds * 1000;
  return {
    provider: rule,
    form: 'opaque',
    typ: null,
    claims,
    algorithm: null,
    kid: null,
    generation: 0,
    decryptedBy: null,
    usableUntil: exp === undefined ? restsUntil : Math.min(restsUntil, (exp + MAX_LEEWAY_SECONDS) * 1000),
    idTokenMarks: [],
    unread: trusted.findUnread(claims),
    principal: trusted.readPrincipal(claims),
  };
}

/** The provider's own error (RFC 6749 section 5.2), for the operator. */
function problemOf(document: unknown): string {
  if (!isRecord(document)) return '';
  const parts = [document['error'], document['error_description']].filter((part) => typeof part === 'string');
  return parts.length === 0 ? '' : `: ${parts.map((part) => shorten(part, 100)).join(', ')}`;
}
