import type { AccessRule } from './access-rule.js';
import type { Algorithm } from './algorithms.js';

/** The version of the document's form. A reader refuses a form that it does not know. */
export const RELEASE_FORMAT = 1;

/** A release: the whole configuration of a gateway, immutable, addressed by the hash of its canonical JSON. */
export interface ReleaseDocument {
  readonly format: typeof RELEASE_FORMAT;
  readonly environment: string;
  readonly providers: readonly ProviderRule[];
  readonly apis: readonly ApiRule[];
}

/** An identity provider and how its tokens are trusted. */
export interface ProviderRule {
  readonly id: string;
  readonly name: string;
  /** Compared byte for byte with discovery's `issuer` and with `iss` (RFC 8414 section 3.3). */
  readonly issuer: string;
  readonly algorithms: readonly Algorithm[];
  /** Clock difference allowed, seconds, 0 to 300. */
  readonly leewaySeconds: number;
  /** How long keys may serve after the last good fetch, seconds, 60 to 604800. */
  readonly lastGoodSeconds: number;
  /** Lets this provider be asked over plain http, and only when its host is loopback. */
  readonly allowLoopbackHttp: boolean;
  /** Hosts in private networks that may be asked, by name. */
  readonly privateHosts: readonly string[];
}

export interface UpstreamRule {
  /** Scheme, host, port and an optional path prefix. */
  readonly url: string;
  readonly connectTimeoutMs: number;
  /** Time to the first byte of the answer, and between two parts of its body. */
  readonly responseTimeoutMs: number;
  /** Whether the caller's Authorization header travels on. */
  readonly sendCredential: boolean;
}

/** The API as a protected resource (RFC 9728). */
export interface ResourceRule {
  readonly identifier: string;
  readonly scopes: readonly { readonly name: string; readonly description: string }[];
}

export interface TokenRule {
  /** `at+jwt` asks for the explicit type of RFC 9068; `ANY_TYPE` takes any that is not an ID token. */
  readonly type: 'at+jwt' | 'ANY_TYPE';
  /** Any one of these must be in `aud`; `ANY_AUDIENCE` leaves it unchecked. */
  readonly audiences: readonly string[] | 'ANY_AUDIENCE';
}

export interface CorsRule {
  /** Exact origins, or the one entry `*`, which cannot go with credentials. */
  readonly origins: readonly string[];
  readonly credentials: boolean;
  readonly requestHeaders: readonly string[];
  readonly exposedHeaders: readonly string[];
  readonly maxAgeSeconds: number;
}

/** One security scheme of the API. `unsupported` keeps its declared type and can be met by nobody. */
export interface SchemeRule {
  readonly name: string;
  readonly type: 'oauth2' | 'openIdConnect' | 'http-bearer' | 'unsupported';
  readonly declared: string;
  /** Where the contract says that the provider's metadata is (`openIdConnectUrl`): a hint for binding, trusted by nobody. */
  readonly metadataUrl: string | null;
  /** Provider ids whose tokens meet it. */
  readonly providers: readonly string[];
}

export interface OperationRule {
  readonly id: string;
  readonly method: string;
  /** Path template below the base path (OpenAPI path templating). */
  readonly path: string;
  readonly operationId: string | null;
  readonly summary: string;
  /** Null takes the API's default. */
  readonly access: AccessRule | null;
}

export interface ApiRule {
  readonly id: string;
  readonly name: string;
  readonly version: string;
  /** Empty or begins with a slash and does not end with one. */
  readonly basePath: string;
  readonly enabled: boolean;
  readonly upstream: UpstreamRule;
  readonly resource: ResourceRule;
  readonly token: TokenRule;
  readonly cors: CorsRule | null;
  readonly schemes: readonly SchemeRule[];
  readonly access: AccessRule;
  readonly contractHash: string | null;
  readonly operations: readonly OperationRule[];
}
