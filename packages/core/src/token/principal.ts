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
}

/** Reads the principal out of the claims of one provider. A number that was rounded is no value of it. */
export type ReadPrincipal = (claims: JsonObject) => Principal;

/** The path of a claim that the principal is read from and whose number was rounded; null for none. */
export type FindRounded = (claims: JsonObject) => string | null;
