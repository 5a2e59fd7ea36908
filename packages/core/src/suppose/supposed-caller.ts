import type { ClientFact, CredentialFact } from '../directory/facts.js';
import type { SubscriptionFact } from '../directory/subscription.js';
import type { TableFact } from '../directory/table-fact.js';
import type { Principal } from '../token/principal.js';
import type { JsonObject } from '../token/read-token.js';
import type { Revocation } from '../token/revocations.js';

/** A token that somebody is supposed to hold: one that its provider would vouch for, whoever made it. */
export interface SupposedToken {
  readonly kind: 'token';
  readonly providerId: string;
  readonly form: 'jwt' | 'opaque';
  readonly typ: string | null;
  readonly claims: JsonObject;
  /** Members of the principal that stand in place of what the claim map makes of the claims; null for none. */
  readonly principal: Partial<Principal> | null;
  /** Whether nobody knows what else it says: of a token that was described and not read. */
  readonly vague: boolean;
}

/** What somebody is supposed to prove itself with. Credentials of clients are named by their ids; no secret is needed to suppose one. */
export type SupposedCredential =
  | SupposedToken
  | { readonly kind: 'key' | 'basic' | 'certificate'; readonly credentialId: string }
  /** A token or a key as it was pasted: it is decided as it stands. */
  | { readonly kind: 'pasted'; readonly as: 'token' | 'key'; readonly text: string };

/** Kinds of callers, in the order in which they are shown. */
export const CALLER_KINDS = ['nobody', 'pasted', 'persona', 'client', 'role', 'provider'] as const;
export type CallerKind = (typeof CALLER_KINDS)[number];

/** Somebody who might call, with all that it could prove itself with. */
export interface SupposedCaller {
  readonly id: string;
  readonly kind: CallerKind;
  readonly name: string;
  readonly credentials: readonly SupposedCredential[];
  /** What is to be known about it beside its name; left out where that is nothing. */
  readonly note?: string;
}

/** A credential of a client as far as suppositions look at it: what proves it is left out. */
export type KnownCredential = Pick<CredentialFact, 'id' | 'clientId' | 'kind' | 'name' | 'expiresAt' | 'revokedAt'> & {
  /** The thumbprint of a certificate, or the lookup of a client at a provider; null for keys and Basic. */
  readonly lookup: string | null;
};

/** What is known beside the release: clients, tables and revocations as they are now. */
export interface KnownFacts {
  readonly clients: readonly ClientFact[];
  readonly credentials: readonly KnownCredential[];
  readonly subscriptions: readonly SubscriptionFact[];
  readonly tables: readonly TableFact[];
  readonly revocations: readonly Revocation[];
}

export const NOTHING_KNOWN: KnownFacts = Object.freeze({ clients: [], credentials: [], subscriptions: [], tables: [], revocations: [] });
