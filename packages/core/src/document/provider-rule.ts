import type { Algorithm } from './algorithms.js';
import type { ClaimMap } from './claim-map.js';

/** A public key as published: the members of a JWK (RFC 7517 section 4) that keys need. */
export type PublishedKey = Readonly<Record<string, unknown>>;

/** How the gateway proves itself to an endpoint of the provider: RFC 6749 section 2.3.1, RFC 7523 section 2.2. */
export interface EndpointCredential {
  readonly method: 'client_secret_basic' | 'client_secret_post' | 'private_key_jwt';
  readonly clientId: string;
  /** Name of the secret; a release never holds its value. A private JWK (RFC 7517) for `private_key_jwt`. */
  readonly secret: string;
}

/** An endpoint that says what an opaque token means. Times in seconds and milliseconds as named. */
export interface OpaqueTokens {
  readonly endpoint: string;
  /** How long a good answer may be used, 0 to 3600; never past the token's own `exp`. */
  readonly positiveSeconds: number;
  /** How long a bad answer may be used, 0 to 300. */
  readonly negativeSeconds: number;
  /** 50 to 30000. */
  readonly timeoutMs: number;
  /** Counted as `aud` when the answer names none; null leaves it missing. */
  readonly impliedAudience: string | null;
}

/** Where trust in a provider's tokens comes from. */
export type ProviderSource =
  /** Metadata under the issuer names the key set (RFC 8414, OpenID Connect Discovery). */
  | { readonly kind: 'discovery' }
  /** A key set at an address of its own (RFC 7517 section 5). */
  | { readonly kind: 'key-set-url'; readonly url: string }
  /** Keys set by hand: a pasted key set, PEM or certificate. */
  | { readonly kind: 'keys'; readonly keys: readonly PublishedKey[] }
  /** A shared secret for the HS algorithms, by the secret's name. */
  | { readonly kind: 'secret'; readonly secret: string }
  /** Opaque tokens asked about at the provider (RFC 7662). */
  | ({ readonly kind: 'introspection'; readonly credential: EndpointCredential } & OpaqueTokens)
  /** Opaque tokens tried at a userinfo-like endpoint: a 2xx answer means active, its members are the claims. */
  | ({ readonly kind: 'userinfo' } & OpaqueTokens);

/** An identity provider and how its tokens are trusted. */
export interface ProviderRule {
  readonly id: string;
  readonly name: string;
  /** Compared byte for byte with discovery's `issuer` and with `iss` (RFC 8414 section 3.3). */
  readonly issuer: string;
  readonly source: ProviderSource;
  readonly algorithms: readonly Algorithm[];
  /** Clock difference allowed, seconds, 0 to 300. */
  readonly leewaySeconds: number;
  /** How long keys may serve after the last good fetch, seconds, 60 to 604800. */
  readonly lastGoodSeconds: number;
  /** Lets this provider be asked over plain http, and only when its host is loopback. */
  readonly allowLoopbackHttp: boolean;
  /** Hosts in private networks that may be asked, by name. */
  readonly privateHosts: readonly string[];
  readonly claimMap: ClaimMap;
  /** True for the bench's own issuer: a document that holds it can be tried, never published. */
  readonly draftOnly: boolean;
}

export type OpaqueSource = Extract<ProviderSource, { kind: 'introspection' | 'userinfo' }>;

/** A provider whose tokens mean nothing without asking it. */
export const takesOpaqueTokens = (provider: ProviderRule): provider is ProviderRule & { readonly source: OpaqueSource } =>
  provider.source.kind === 'introspection' || provider.source.kind === 'userinfo';
