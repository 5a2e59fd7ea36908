import type { JsonObject } from '../token/read-token.js';
import type { SubscriptionFact } from './subscription.js';
import type { TableFact, TableRows } from './table-fact.js';

/** A consumer's program, as far as decisions look at it. */
export interface ClientFact {
  readonly id: string;
  readonly name: string;
  /** Nothing of a client that is off is accepted. */
  readonly enabled: boolean;
  readonly roles: readonly string[];
  /** What its operator says of it, for rules and header fields; see `faultOfMetadata`. */
  readonly metadata: JsonObject;
}

/**
 * What a client can prove itself with. `provider-client` is a `client_id` at an identity provider: its tokens are of this
 * client too.
 */
export const CREDENTIAL_KINDS = ['key', 'basic', 'certificate', 'provider-client'] as const;
export type CredentialKind = (typeof CREDENTIAL_KINDS)[number];

/** One credential of a client. Holds no secret: what was made by chance is kept as its SHA-256. */
export interface CredentialFact {
  readonly id: string;
  readonly clientId: string;
  readonly kind: CredentialKind;
  /** What people call it; for `basic` the name that is sent. */
  readonly name: string;
  /**
   * What it is found by: the key's SHA-256, the name that is sent, the certificate's SHA-256 (RFC 8705 section 3.1), or
   * what `providerClient` makes of provider and client. SHA-256 in base64url.
   */
  readonly lookup: string;
  /** SHA-256 of the secret, base64url, for `basic`; null otherwise. */
  readonly digest: string | null;
  /** Milliseconds since the epoch; null never. */
  readonly expiresAt: number | null;
  /** Milliseconds since the epoch; null while it is good. A revoked credential stays, so that its use can be named. */
  readonly revokedAt: number | null;
}

/** One fact that changed; `value` null takes it away. */
export type DirectoryChange =
  | { readonly what: 'client'; readonly id: string; readonly value: ClientFact | null }
  | { readonly what: 'credential'; readonly id: string; readonly value: CredentialFact | null }
  | { readonly what: 'subscription'; readonly id: string; readonly value: SubscriptionFact | null }
  | { readonly what: 'table'; readonly id: string; readonly value: TableFact | null };

/** What a `provider-client` is found by. */
export const providerClient = (providerId: string, client: string): string => `${providerId}\n${client}`;

/** Who a credential belongs to. */
export interface Holder {
  readonly client: ClientFact;
  readonly credential: CredentialFact;
}

/** Who clients are, and what tables hold, as decisions ask. */
export interface DirectorySource {
  find(kind: Exclude<CredentialKind, 'basic'>, lookup: string): Holder | null;
  /** The secrets that a client has under a name, more than one while they are rotated; none where several clients have the name. */
  secretsOf(name: string): readonly Holder[];
  /** Whether any client is joined with one of a provider, so that nobody need look for it. */
  readonly joinsProviders: boolean;
  /** Subscriptions of a client, whatever their state. */
  subscriptionsOf(clientId: string): readonly SubscriptionFact[];
  /** The rows of a table as it is now; null where there is none. */
  table(name: string): TableRows | null;
}
