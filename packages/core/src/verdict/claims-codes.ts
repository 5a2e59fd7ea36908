import { comparison, failing, list, meeting, notAsked } from './code-entry.js';
import { span, stamp } from './token-codes.js';

type StepUp = {
  acrValues: readonly string[];
  acr: string | null;
  maxAgeSeconds: number | null;
  signedInAt: number | null;
  now: number;
  because: string;
};

/** What the operation demands of a proved token beyond audience and time. */
export const CLAIMS_CODES = {
  'claims.not-asked': notAsked<Record<never, never>>('claims', { sentence: () => 'The rule demands nothing more of the token, and it is not revoked.' }),
  'claims.met': meeting<{ checks: readonly string[] }>('claims', {
    example: { checks: ['client', 'age'] },
    sentence: (o) => `The token meets every demand of the rule (${list(o.checks)}).`,
    standard: 'RFC 9068 section 4, RFC 8725 section 3.9',
  }),
  'claims.revoked': failing<{ kind: string; provider: string; reason: string }>('claims', 401, {
    example: { kind: 'jti', provider: 'Trust Sign-in', reason: 'tablet lost' },
    challenge: 'invalid_token',
    title: 'The token has been revoked',
    sentence: (o) => `The token was revoked here, by ${{ jti: 'its id (jti)', subject: 'its subject', client: 'its client' }[o.kind] ?? o.kind}: ${o.reason}.`,
    standard: 'RFC 6750 section 3.1 (revoked), RFC 7009',
    remedy: 'If the revocation was a mistake, take it back under the provider; it takes effect at once. Otherwise the caller signs in again.',
  }),
  'claims.client': failing<{ wanted: readonly string[]; found: string | null }>('claims', 403, {
    example: { wanted: ['rider-tablet'], found: 'grower-app' },
    title: 'This client may not call here',
    sentence: (o) => `The token was issued to ${o.found ?? 'no client that it names'}; this operation takes tokens of ${list(o.wanted)}.`,
    compare: (o) => [comparison('client', list(o.wanted), o.found)],
    standard: 'RFC 9068 section 2.2 (client_id); common practice',
    remedy: 'Add the client to the rule, or let the right client call. If the provider names the client in another claim, set that in its claim map.',
  }),
  'claims.too-old': failing<{ at: number; now: number; maxAgeSeconds: number }>('claims', 401, {
    example: { at: 1767218400000, now: 1767225600000, maxAgeSeconds: 3600 },
    challenge: 'invalid_token',
    title: 'The token is too old',
    sentence: (o) => `The token was issued ${span(o.now - o.at)} ago; this operation takes tokens of at most ${span(o.maxAgeSeconds * 1000)}.`,
    compare: (o) => [comparison('iat', `after ${stamp(o.now - o.maxAgeSeconds * 1000)}`, stamp(o.at))],
    standard: 'RFC 7519 section 4.1.6; common practice',
    remedy: 'Let the client get a new token. If the provider’s tokens live longer by design, raise the maximum age.',
  }),
  'claims.missing': failing<{ claim: string }>('claims', 403, {
    example: { claim: 'sections' },
    title: 'The token does not say what is needed',
    sentence: (o) => `The token has no claim ${o.claim}, which the rule demands.`,
    compare: (o) => [comparison(o.claim, 'to be there', null)],
    standard: 'RFC 7519 section 4; the rule of the operation',
    remedy: 'Let the provider put the claim into its tokens, or take the demand out of the rule. A claim inside another is named by a path like /outer/inner.',
  }),
  'claims.value': failing<{ claim: string; wanted: readonly string[]; found: readonly string[] }>('claims', 403, {
    example: { claim: 'sections', wanted: ['north'], found: ['south'] },
    title: 'The token does not say what is needed',
    sentence: (o) => `The claim ${o.claim} is ${list(o.found)}; the rule takes ${list(o.wanted)}.`,
    compare: (o) => [comparison(o.claim, list(o.wanted), list(o.found))],
    standard: 'RFC 7519 section 4; the rule of the operation',
    remedy: 'Compare letter by letter; values are compared with case. Change the rule only if the value is meant to be enough.',
  }),
  'claims.step-up': failing<StepUp>('claims', 401, {
    example: { acrValues: ['strong'], acr: 'weak', maxAgeSeconds: 300, signedInAt: 1767224700000, now: 1767225600000, because: 'both' },
    challenge: 'insufficient_user_authentication',
    title: 'A stronger or newer sign-in is needed',
    sentence: (o) =>
      o.because === 'stale'
        ? `The user signed in ${o.signedInAt === null ? 'at a time the token does not name' : `${span(o.now - o.signedInAt)} ago`}; at most ${span((o.maxAgeSeconds ?? 0) * 1000)} are allowed.`
        : `The sign-in was ${o.acr === null ? 'of no stated strength (no acr)' : `of strength ${o.acr}`}; ${list(o.acrValues)} is needed${o.because === 'both' ? ', and a newer one' : ''}.`,
    compare: (o) => [
      ...(o.acrValues.length > 0 ? [comparison('acr', list(o.acrValues), o.acr)] : []),
      ...(o.maxAgeSeconds === null
        ? []
        : [comparison('auth_time', `after ${stamp(o.now - o.maxAgeSeconds * 1000)}`, o.signedInAt === null ? null : stamp(o.signedInAt))]),
    ],
    standard: 'RFC 9470 sections 3 and 4',
    remedy: 'The client sends the user to sign in again with the acr_values and max_age of the challenge. Proper clients read them out of WWW-Authenticate.',
  }),
} as const;
