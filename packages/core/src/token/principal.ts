import type { JsonObject } from './read-token.js';

/** Who is calling. It keeps its issuer, so that equal subjects of two providers stay two principals. */
export interface Principal {
  readonly providerId: string;
  readonly providerName: string;
  readonly issuer: string;
  readonly subject: string | null;
  readonly client: string | null;
  readonly scopes: readonly string[];
  readonly roles: readonly string[];
  readonly groups: readonly string[];
  readonly tenant: string | null;
  /** How strongly the user signed in (OpenID Connect Core section 2, RFC 9470). */
  readonly acr: string | null;
  readonly amr: readonly string[];
  /** When the user signed in, seconds since the epoch. */
  readonly authTime: number | null;
  /** Own members of the claim map. */
  readonly attributes: Readonly<Record<string, readonly string[]>>;
  /** Members of which something is there that is no value of them, as an object among texts: `groups`, or `attributes.NAME`. Left out for none. */
  readonly unread?: readonly string[];
}

/** Reads the principal out of the claims of one provider. A number that was rounded is no value of it. */
export type ReadPrincipal = (claims: JsonObject) => Principal;

/** A claim by its path, and what it should be. */
export interface UnreadClaim {
  readonly claim: string;
  readonly wanted: string;
}

/** A claim that the principal is read from and that does not say who is calling; null for none. */
export type FindUnread = (claims: JsonObject) => UnreadClaim | null;
