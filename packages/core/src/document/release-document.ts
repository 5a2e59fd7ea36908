import { NO_FENCE, type AddressRule, type CallerAddressRule, type FenceRule, type NetworkRule } from './address-rule.js';
import type { AuthorizerRule } from './authorizer-rule.js';
import type { CallerFields } from './caller-fields.js';
import type { ConditionRule, ConditionUse } from './condition-rule.js';
import type { ContractOverride, ContractRule } from './contract-rule.js';
import type { AccessRule } from './access-rule.js';
import type { HeaderLanes, MessageOverride, MessageRule } from './message-rule.js';
import type { ModeRule } from './modes.js';
import type { ProviderRule } from './provider-rule.js';
import type { TokenOverride, TokenPlace, TokenRule } from './token-rule.js';
import type { LearningRule } from './learning-rule.js';
import { NO_GUESSING, USUAL_COUNTING, type CountingRule, type GuessingRule, type LimitRule } from './limit-rule.js';
import type { PlanRule, PlanUse } from './plan-rule.js';
import type { DetectorRule, SensitiveRule } from './sensitive-rule.js';
import type { UnmatchedRule } from './unmatched-rule.js';
import type { UpstreamLimits } from './upstream-limits.js';

/** The version of the document's form. A reader refuses a form that it does not know. */
export const RELEASE_FORMAT = 10;

/** A release: the whole configuration of a gateway, immutable, addressed by the hash of its canonical JSON. */
export interface ReleaseDocument {
  readonly format: typeof RELEASE_FORMAT;
  readonly environment: string;
  readonly providers: readonly ProviderRule[];
  readonly certificateHeader: CertificateHeaderRule | null;
  /** Networks that rules call by their names. */
  readonly networks: readonly NetworkRule[];
  /** From where the gateway may be called at all. */
  readonly fence: FenceRule;
  /** How the address of a caller is found; null takes that of the connection. */
  readonly callerAddress: CallerAddressRule | null;
  /** Conditions that rules call by their names. */
  readonly conditions: readonly ConditionRule[];
  /** Authorizers that rules call by their names. */
  readonly authorizers: readonly AuthorizerRule[];
  /** Detectors of sensitive data of its own, beside those that every release knows. */
  readonly detectors: readonly DetectorRule[];
  /** What was agreed with clients. */
  readonly plans: readonly PlanRule[];
  /** What limits every request that is let in. */
  readonly limits: readonly LimitRule[];
  /** What holds up whoever guesses credentials; null holds up nobody. */
  readonly guessing: GuessingRule | null;
  readonly counting: CountingRule;
  readonly apis: readonly ApiRule[];
}

/** A document that serves nothing. */
export const emptyDocument = (environment: string): ReleaseDocument => ({
  format: RELEASE_FORMAT,
  environment,
  providers: [],
  certificateHeader: null,
  networks: [],
  fence: NO_FENCE,
  callerAddress: null,
  conditions: [],
  authorizers: [],
  detectors: [],
  plans: [],
  limits: [],
  guessing: NO_GUESSING,
  counting: USUAL_COUNTING,
  apis: [],
});

/** A client certificate that a hop in front of the gateway has verified and passes on (RFC 9440, RFC 8705 section 6.5). */
export interface CertificateHeaderRule {
  /** Lower case. The value is that of RFC 9440 section 2.1 (`:base64:`), or a URL-encoded PEM (common practice). */
  readonly name: string;
  /** Addresses and networks in CIDR form whose header is believed. From anybody else it is ignored. */
  readonly trustedHops: readonly string[];
}

export interface UpstreamRule {
  /** Scheme, host, port and an optional path prefix. */
  readonly url: string;
  readonly connectTimeoutMs: number;
  /** Time from a request's arrival to the first byte of its answer, waiting included, and between two parts of its body. */
  readonly responseTimeoutMs: number;
  /** Whether the caller's Authorization header travels on. */
  readonly sendCredential: boolean;
  /** In which fields it is told from where a request came. */
  readonly callerFields: CallerFields;
  /** What callers can hold of it. */
  readonly limits: UpstreamLimits;
}

/** The API as a protected resource (RFC 9728). */
export interface ResourceRule {
  readonly identifier: string;
  readonly scopes: readonly { readonly name: string; readonly description: string }[];
}

export interface CorsRule {
  /** Exact origins, or the one entry `*`, which cannot go with credentials. */
  readonly origins: readonly string[];
  readonly credentials: boolean;
  readonly requestHeaders: readonly string[];
  readonly exposedHeaders: readonly string[];
  readonly maxAgeSeconds: number;
}

/** Types of security schemes (OpenAPI 3.1.2 section 4.8.27) that can be proved here, and what cannot. */
export const SCHEME_TYPES = ['oauth2', 'openIdConnect', 'http-bearer', 'apiKey', 'http-basic', 'mutualTLS', 'unsupported'] as const;
export type SchemeType = (typeof SCHEME_TYPES)[number];

/** Whether tokens of providers meet a scheme of this type. */
export const takesTokens = (type: SchemeType): boolean => type === 'oauth2' || type === 'openIdConnect' || type === 'http-bearer';

/** One security scheme of the API. `unsupported` keeps its declared type and can be met by nobody. */
export interface SchemeRule {
  readonly name: string;
  readonly type: SchemeType;
  readonly declared: string;
  /** Where the contract says that the provider's metadata is (`openIdConnectUrl`): a hint for binding, trusted by nobody. */
  readonly metadataUrl: string | null;
  /** Provider ids whose tokens meet it; empty for types that no token meets. */
  readonly providers: readonly string[];
  /** Where the key of an `apiKey` travels; null for every other type. */
  readonly place: TokenPlace | null;
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
  /** What this operation asks of tokens instead of the API; null takes the API's rule whole. */
  readonly token: TokenOverride | null;
  /** What this operation asks of bodies instead of the API; null takes the API's rule whole. */
  readonly message: MessageOverride | null;
  /** Modes of its checks; null takes the API's. */
  readonly modes: ModeRule | null;
  /** From where it may be called; null takes the API's rule. The gateway's fence stands before either. */
  readonly addresses: AddressRule | null;
  /** Conditions that all have to hold; null takes the API's, a list stands in their place. */
  readonly conditions: readonly ConditionUse[] | null;
  /** Names of authorizers that all have to allow it; null takes the API's, a list stands in their place. */
  readonly authorizers: readonly string[] | null;
  /** What of the contract is held against this operation, as changes of the API's rule; null takes that whole. */
  readonly contract: ContractOverride | null;
  /** Whether a plan is asked for here; null takes the API's. */
  readonly plan: PlanUse | null;
  /** What limits it beside the limits of the gateway and of the API. */
  readonly limits: readonly LimitRule[];
  /** Whether reference pages leave it out. It can be called all the same. */
  readonly hidden: boolean;
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
  /** What bodies may be. */
  readonly message: MessageRule;
  /** Changes of header fields. */
  readonly headers: HeaderLanes;
  /** From where it may be called. */
  readonly addresses: AddressRule;
  /** Conditions that all have to hold, in order. */
  readonly conditions: readonly ConditionUse[];
  /** Names of authorizers that all have to allow it, in order. */
  readonly authorizers: readonly string[];
  /** Which checks refuse and which only observe. */
  readonly modes: ModeRule;
  /** What of the contract is held against requests and answers. */
  readonly contract: ContractRule;
  /** What becomes of requests whose path no operation matches. */
  readonly unmatched: readonly UnmatchedRule[];
  /** What is learned from its traffic. */
  readonly learning: LearningRule;
  /** What sensitive data is looked for, and what becomes of it. */
  readonly sensitive: SensitiveRule;
  /** Whether a plan is asked for. */
  readonly plan: PlanUse;
  /** What limits it beside the limits of the gateway. */
  readonly limits: readonly LimitRule[];
  /** SHA-256 (hexadecimal) of the contract's text; null for an API without one. */
  readonly contractHash: string | null;
  readonly operations: readonly OperationRule[];
}
