import type { Algorithm } from './algorithms.js';

/** Where a token travels. A token in a query ends up in logs: allowed only where someone said so (RFC 6750 section 5.3). */
export type TokenPlace =
  /** Name in lower case. With a scheme, the value is scheme, blank, token; without, the token alone. */
  | { readonly kind: 'header'; readonly name: string; readonly scheme: string | null }
  | { readonly kind: 'cookie'; readonly name: string }
  | { readonly kind: 'query'; readonly name: string };

/** The way of RFC 6750 section 2.1. */
export const BEARER_HEADER: TokenPlace = { kind: 'header', name: 'authorization', scheme: 'Bearer' };

/** A claim that must be there. The path is read as in a claim map. */
export interface ClaimDemand {
  readonly path: string;
  /** One of these must be its value, or among its values; `ANY_VALUE` asks only that it is there. */
  readonly values: readonly string[] | 'ANY_VALUE';
}

/** How strongly and how lately the user must have signed in (RFC 9470). */
export interface StepUpRule {
  /** Any one of these; empty asks for none. */
  readonly acrValues: readonly string[];
  /** Seconds since `auth_time`; null asks for none. */
  readonly maxAgeSeconds: number | null;
}

/** How the tokens of an API are verified. Leaving a check out takes a word in capitals, never a missing value. */
export interface TokenRule {
  /** Where the token may be, one to four places. */
  readonly places: readonly TokenPlace[];
  /** The `typ` asked for: `at+jwt` (RFC 9068) or another; `ANY_TYPE` takes any that is not an ID token. */
  readonly type: string;
  /** Any one of these must be in `aud`; `ANY_AUDIENCE` leaves it unchecked. */
  readonly audiences: readonly string[] | 'ANY_AUDIENCE';
  /** Narrows what the provider's list takes; `AS_PROVIDER` does not. */
  readonly algorithms: readonly Algorithm[] | 'AS_PROVIDER';
  /** The clients (`client_id`, `azp`) whose tokens are taken. */
  readonly clients: readonly string[] | 'ANY_CLIENT';
  /** Clock difference allowed, seconds, 0 to 300. */
  readonly leewaySeconds: number | 'AS_PROVIDER';
  /** Longest time since `iat`, seconds; null asks for none. */
  readonly maxAgeSeconds: number | null;
  readonly claims: readonly ClaimDemand[];
  /** Proof of possession by DPoP (RFC 9449). A token bound to a key needs its proof whatever stands here. */
  readonly dpop: 'if-bound' | 'required';
  /** Whether proofs must carry a nonce of this gateway (RFC 9449 section 9). */
  readonly dpopNonce: boolean;
  /** Binding to a client certificate (RFC 8705 section 3). A bound token needs its certificate whatever stands here. */
  readonly certificate: 'if-bound' | 'required';
  /** Name of the secret with the private keys (JWK or JWK Set) that open encrypted tokens; null takes none. */
  readonly decryptionSecret: string | null;
  readonly stepUp: StepUpRule | null;
}

/** What one operation asks for instead of the API. */
export type TokenOverride = Partial<TokenRule>;

/** A rule that asks for no more than the standards do. */
export const tokenRule = (audiences: TokenRule['audiences'], change: TokenOverride = {}): TokenRule => ({
  places: [BEARER_HEADER],
  type: 'ANY_TYPE',
  audiences,
  algorithms: 'AS_PROVIDER',
  clients: 'ANY_CLIENT',
  leewaySeconds: 'AS_PROVIDER',
  maxAgeSeconds: null,
  claims: [],
  dpop: 'if-bound',
  dpopNonce: false,
  certificate: 'if-bound',
  decryptionSecret: null,
  stepUp: null,
  ...change,
});
