import { type Comparison, comparison, failing, list, meeting, notAsked } from './code-entry.js';

/** A time as it is written in comparisons. */
export const stamp = (ms: number): string => new Date(ms).toISOString();

/** A length of time in words. */
export function span(ms: number): string {
  const seconds = Math.round(Math.abs(ms) / 1000);
  if (seconds < 120) return `${seconds} s`;
  if (seconds < 7200) return `${Math.round(seconds / 60)} min`;
  return seconds < 172_800 ? `${Math.round(seconds / 3600)} h` : `${Math.round(seconds / 86_400)} days`;
}

type Times = { at: number; now: number; leewaySeconds: number };
type Verified = { provider: string; alg: string; kid: string | null; expiresAt: number | null; now: number; audience: string };

type Part = { part: string | null };

const times =
  (claim: string, wanted: string) =>
  (o: Times): Comparison[] => [comparison(claim, `${wanted} ${stamp(o.now)} (now), leeway ${o.leewaySeconds} s`, stamp(o.at))];
const verified = (o: Verified): Comparison[] => [
  comparison('issuer', null, o.provider),
  comparison('key', null, o.kid ?? 'no kid'),
  comparison('algorithm', null, o.alg),
  comparison('audience', o.audience, o.audience === 'ANY_AUDIENCE' ? 'not compared' : 'matches'),
  comparison('exp', `after ${stamp(o.now)}`, o.expiresAt === null ? null : stamp(o.expiresAt)),
];
/** How long a token still lives, in words, or nothing. */
export const lives = (o: Pick<Verified, 'expiresAt' | 'now'>): string => (o.expiresAt === null ? '' : `; expires in ${span(o.expiresAt - o.now)}`);

/** Is the token a genuine access token of a trusted issuer, for this API, now? */
export const TOKEN_CODES = {
  'token.not-sent': notAsked<Record<never, never>>('token', { sentence: () => 'No token.' }),
  'token.verified': meeting<Verified>('token', {
    example: { provider: 'Trust Sign-in', alg: 'RS256', kid: 'k1', expiresAt: 1767225900000, now: 1767225600000, audience: 'https://gates.example' },
    sentence: (o) => `${o.provider}, ${o.alg}, signature verified${lives(o)}.`,
    compare: verified,
    standard: 'RFC 7515 section 5.2, RFC 9068 section 4',
  }),
  'token.known': meeting<Verified>('token', {
    example: { provider: 'Trust Sign-in', alg: 'RS256', kid: 'k1', expiresAt: 1767225900000, now: 1767225600000, audience: 'https://gates.example' },
    sentence: (o) => `${o.provider}, ${o.alg}, known, signature not verified again${lives(o)}.`,
    compare: verified,
    standard: 'RFC 7515 section 5.2, RFC 9068 section 4',
  }),
  'token.opaque': failing<Part>('token', 401, {
    example: { part: null },
    challenge: 'invalid_token',
    title: 'The token is not one that this API takes',
    sentence: () => 'The token is not a JWT (it has no three parts), and none of the providers of this operation takes opaque tokens here.',
    standard: 'RFC 7519 section 7.2',
    remedy:
      'Ask the provider for a JWT access token; many give one only when the request names the API (parameter “resource” or “audience”). A token that was cut off also looks like this.',
  }),
  'token.cut': failing<Part>('token', 401, {
    example: { part: null },
    challenge: 'invalid_token',
    title: 'The token is malformed',
    sentence: () => 'The token begins like a JWT but has not three parts: it was cut off, or something was put behind it.',
    standard: 'RFC 7515 section 3.1',
    remedy: 'Compare its length with the one the provider issued. Fields with a length limit, a copy of a shortened line and a lost line are the usual causes.',
  }),
  'token.too-many-claims': failing<Part>('token', 401, {
    example: { part: null },
    challenge: 'invalid_token',
    title: 'The token is malformed',
    sentence: () => 'The token has more than 400 claims.',
    standard: 'RFC 8259 section 9 (limits), common practice',
    remedy: 'No proper issuer does this. Look at who called.',
  }),
  'token.too-long': failing<Part>('token', 401, {
    example: { part: null },
    challenge: 'invalid_token',
    title: 'The token is too long',
    sentence: () => 'The token is longer than 16384 characters.',
    standard: 'RFC 8725 section 3.11 and common practice',
    remedy: 'Let the provider put fewer claims in; group lists are the usual cause.',
  }),
  'token.malformed': failing<Part>('token', 401, {
    example: { part: null },
    challenge: 'invalid_token',
    title: 'The token is malformed',
    sentence: (o) => `The ${o.part ?? 'token'} is not what a JWT has there: canonical base64url of a JSON object (for the signature: of bytes).`,
    standard: 'RFC 7515 section 5.2, RFC 7519 section 7.2',
    remedy: 'Compare the token with the one the provider issued: cut ends, line breaks, spaces and a changed last character are the usual causes.',
  }),
  'token.duplicate-member': failing<Part>('token', 401, {
    example: { part: null },
    challenge: 'invalid_token',
    title: 'The token is malformed',
    sentence: (o) => `A member of the ${o.part ?? 'token'} stands in it twice; two readers could take two different values.`,
    standard: 'RFC 7515 section 4, RFC 7519 section 4',
    remedy: 'No proper issuer does this. Look at who called.',
  }),
  'token.too-deep': failing<Part>('token', 401, {
    example: { part: null },
    challenge: 'invalid_token',
    title: 'The token is malformed',
    sentence: (o) => `The ${o.part ?? 'token'} is nested deeper than 16 levels.`,
    standard: 'RFC 8259 section 9 (limits), common practice',
    remedy: 'No proper issuer does this. Look at who called.',
  }),
  'token.algorithm-none': failing<{ alg: string }>('token', 401, {
    example: { alg: 'HS256' },
    challenge: 'invalid_token',
    title: 'The token is not signed',
    sentence: (o) => `The token’s header says alg “${o.alg}”: it is not signed, so anybody can have written it.`,
    compare: (o) => [comparison('alg', 'a signature algorithm', o.alg)],
    standard: 'RFC 8725 sections 2.1 and 3.2',
    remedy: 'This is an attack or a test. It is never accepted, and no setting changes that.',
  }),
  'token.algorithm-confused': failing<{ alg: string; accepted: readonly string[]; provider: string }>('token', 401, {
    example: { alg: 'HS256', accepted: ['RS256'], provider: 'Trust Sign-in' },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) =>
      `The token says ${o.alg}, a shared-secret algorithm, where ${o.provider} signs with ${list(o.accepted)}: its public key would be the secret, which anybody has.`,
    compare: (o) => [comparison('alg', list(o.accepted), o.alg)],
    standard: 'RFC 8725 sections 2.1 and 3.1',
    remedy:
      'Most often this is an attack. If the provider really signs with a shared secret, add it as a provider with that secret, apart from its public keys.',
  }),
  'token.algorithm-refused': failing<{ alg: string; accepted: readonly string[]; by: string }>('token', 401, {
    example: { alg: 'HS256', accepted: ['RS256'], by: 'the API' },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `The token is signed with ${o.alg}; ${o.by} takes ${list(o.accepted)}.`,
    compare: (o) => [comparison('alg', list(o.accepted), o.alg)],
    standard: 'RFC 8725 section 3.1',
    remedy: 'If the provider really signs with it, add it to the algorithms of the provider, and of the API where it narrows them.',
  }),
  'token.critical-header': failing<{ crit: readonly string[] }>('token', 401, {
    example: { crit: ['b64'] },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `The token’s header declares critical extensions that this gateway does not know: ${list(o.crit)}.`,
    standard: 'RFC 7515 section 4.1.11',
    remedy: 'Let the provider issue tokens without them.',
  }),
  'token.issuer-missing': failing<Record<never, never>>('token', 401, {
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: () => 'The token has no issuer (iss), so no key can be chosen for it.',
    compare: () => [comparison('iss', 'a trusted issuer', null)],
    standard: 'RFC 9068 section 2.2, RFC 8725 section 3.8',
    remedy: 'Let the provider put iss into its access tokens.',
  }),
  'token.issuer-unknown': failing<{ issuer: string; known: readonly string[] }>('token', 401, {
    example: { issuer: 'https://other.example', known: ['https://trust.example'] },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `The token names the issuer ${o.issuer}, which no provider of this release has.`,
    compare: (o) => [comparison('iss', list(o.known), o.issuer)],
    standard: 'RFC 8725 section 3.8',
    remedy:
      'Compare letter by letter: a slash at the end and another environment’s host are the usual causes. If the issuer is right, trust it under Providers and publish.',
  }),
  'token.issuer-slash': failing<{ issuer: string; known: string }>('token', 401, {
    example: { issuer: 'https://other.example', known: 'https://trust.example' },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) =>
      `The token names the issuer ${o.issuer}; trusted is ${o.known}. They differ only in the slash at the end, and issuers are compared byte for byte.`,
    compare: (o) => [comparison('iss', o.known, o.issuer)],
    standard: 'RFC 8725 section 3.8, RFC 8414 section 3.3',
    remedy: 'Trust the provider under the issuer exactly as its tokens and its metadata spell it.',
  }),
  'token.issuer-not-accepted': failing<{ provider: string; accepted: readonly string[] }>('token', 401, {
    example: { provider: 'Trust Sign-in', accepted: ['State Water Registry'] },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `The token is of ${o.provider}; this operation takes tokens of ${list(o.accepted)}.`,
    compare: (o) => [comparison('provider', list(o.accepted), o.provider)],
    standard: 'RFC 8725 section 3.8',
    remedy: 'Use a token of an accepted provider, or bind this provider to a scheme of the API.',
  }),
  'token.key-unknown': failing<{ kid: string | null; alg: string; held: readonly string[]; provider: string }>('token', 401, {
    example: { kid: 'k1', alg: 'HS256', held: ['k2', 'k3'], provider: 'Trust Sign-in' },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) =>
      o.kid === null
        ? `The token names no key, and no key of ${o.provider} fits ${o.alg}.`
        : `The token names the key ${o.kid}, which ${o.provider} does not publish for ${o.alg}.`,
    compare: (o) => [comparison('kid', list(o.held), o.kid)],
    standard: 'RFC 7515 section 4.1.4, RFC 7517 section 4.5',
    remedy: 'The key set was asked again where it was due. Either the token is of another environment, or its key was withdrawn: get a new token.',
  }),
  'token.keys-unavailable': failing<{ provider: string }>('token', 503, {
    example: { provider: 'Trust Sign-in' },
    title: 'The token cannot be checked at the moment',
    sentence: (o) =>
      `No keys of ${o.provider} are held: the provider cannot be reached, and the time that last good keys may serve is over or there never were any.`,
    standard: 'RFC 9110 section 15.6.4; fail closed (common practice)',
    remedy: 'Open the provider: it says what the last fetch met.',
  }),
  'token.signature-invalid': failing<{ kid: string | null; alg: string; provider: string }>('token', 401, {
    example: { kid: 'k1', alg: 'HS256', provider: 'Trust Sign-in' },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `The signature does not match: the token was changed after ${o.provider} signed it, or somebody else signed it.`,
    compare: (o) => [comparison('signature', `${o.alg} by key ${o.kid ?? 'of the provider'}`, 'does not verify')],
    standard: 'RFC 7515 section 5.2',
    remedy: 'Get the token from the provider again and compare. A token changed on its way, a copy that lost characters, and a forgery all look like this.',
  }),
  'token.id-token': failing<{ marks: readonly string[]; typ: string | null; audience: readonly string[] }>('token', 401, {
    example: { marks: ['nonce'], typ: 'JWT', audience: ['grower-app'] },
    challenge: 'invalid_token',
    title: 'This is an ID token; an access token is needed',
    sentence: (o) => `This is an ID token (${list(o.marks)}). It tells a client who signed in; it is not a right to call an API.`,
    compare: (o) => [comparison('kind', 'access token', 'ID token'), comparison('aud', 'the API', list(o.audience)), comparison('typ', 'at+jwt', o.typ)],
    standard: 'OpenID Connect Core 1.0 section 2 (from memory), RFC 9068 section 2.1',
    remedy:
      'In the client, send access_token of the token answer and not id_token. If only an ID token comes, ask for a scope of this API or name it as resource.',
  }),
  'token.type-wrong': failing<{ typ: string | null; wanted: string }>('token', 401, {
    example: { typ: 'JWT', wanted: 'at+jwt' },
    challenge: 'invalid_token',
    title: 'The token is of another type',
    sentence: (o) => `The token’s header says typ ${o.typ ?? 'nothing'}; this API asks for ${o.wanted}.`,
    compare: (o) => [comparison('typ', o.wanted, o.typ)],
    standard: 'RFC 9068 sections 2.1 and 4, RFC 8725 section 3.11',
    remedy: 'Send an access token of RFC 9068; or, when the provider marks its access tokens otherwise, let the API take any type.',
  }),
  'token.audience-missing': failing<{ wanted: readonly string[] }>('token', 401, {
    example: { wanted: ['https://gates.example'] },
    challenge: 'invalid_token',
    title: 'The token is not for this API',
    sentence: () => 'The token has no audience (aud), so it does not say for which API it was issued.',
    compare: (o) => [comparison('aud', list(o.wanted), null)],
    standard: 'RFC 9068 sections 2.2 and 4, RFC 8725 section 3.9',
    remedy: 'Let the client name the API when it asks for the token (RFC 8707, parameter resource).',
  }),
  'token.audience-wrong': failing<{ found: readonly string[]; wanted: readonly string[] }>('token', 401, {
    example: { found: ['https://ledger.example'], wanted: ['https://gates.example'] },
    challenge: 'invalid_token',
    title: 'The token is not for this API',
    sentence: (o) => `The token was issued for ${list(o.found)}, not for this API.`,
    compare: (o) => [comparison('aud', list(o.wanted), list(o.found))],
    standard: 'RFC 9068 section 4, RFC 8725 section 3.9',
    remedy:
      'Let the client ask for a token for this API (RFC 8707, parameter resource). If the provider spells the audience otherwise, add that spelling to the API’s audiences.',
  }),
  'token.expiry-missing': failing<Record<never, never>>('token', 401, {
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: () => 'The token has no expiry (exp): it would be good for ever.',
    compare: () => [comparison('exp', 'a time', null)],
    standard: 'RFC 9068 section 2.2',
    remedy: 'Let the provider issue tokens that expire.',
  }),
  'token.expired': failing<Times>('token', 401, {
    example: { at: 1767225540000, now: 1767225600000, leewaySeconds: 30 },
    challenge: 'invalid_token',
    title: 'The token has expired',
    sentence: (o) => `The token expired ${span(o.now - o.at)} ago.`,
    compare: times('exp', 'after'),
    standard: 'RFC 7519 section 4.1.4',
    remedy: 'Let the client get a new token, by refresh or by signing in again. If the token is fresh, compare the clocks of provider and gateway.',
  }),
  'token.not-yet-valid': failing<Times>('token', 401, {
    example: { at: 1767225540000, now: 1767225600000, leewaySeconds: 30 },
    challenge: 'invalid_token',
    title: 'The token is not valid yet',
    sentence: (o) => `The token becomes valid in ${span(o.at - o.now)}.`,
    compare: times('nbf', 'not after'),
    standard: 'RFC 7519 section 4.1.5',
    remedy: 'Compare the clocks of provider and gateway; allow more leeway only when they cannot be set right.',
  }),
  'token.issued-in-future': failing<Times>('token', 401, {
    example: { at: 1767225540000, now: 1767225600000, leewaySeconds: 30 },
    challenge: 'invalid_token',
    title: 'The token is not valid yet',
    sentence: (o) => `The token says that it was issued ${span(o.at - o.now)} from now.`,
    compare: times('iat', 'not after'),
    standard: 'RFC 7519 section 4.1.6',
    remedy: 'Compare the clocks of provider and gateway.',
  }),
  'token.claim-malformed': failing<{ claim: string; wanted: string }>('token', 401, {
    example: { claim: 'exp', wanted: 'a number' },
    challenge: 'invalid_token',
    title: 'The token is malformed',
    sentence: (o) => `The claim ${o.claim} is not ${o.wanted}.`,
    compare: (o) => [comparison(o.claim, o.wanted, 'something else')],
    standard: 'RFC 7519 sections 2 and 4.1',
    remedy: 'Let the provider write the claim as the standard says; times are numbers of seconds, not texts and not milliseconds.',
  }),
} as const;
