import type { ProviderRule } from '../document/provider-rule.js';
import type { Principal, UnreadClaim } from './principal.js';
import type { JsonObject } from './read-token.js';

/**
 * A token that its provider vouches for: by a signature whose key the issuer owns, or by an answer to introspection.
 * Audience, times, proof and rights are not checked yet.
 */
export interface VerifiedToken {
  readonly provider: ProviderRule;
  readonly form: 'jwt' | 'opaque';
  /** The header's `typ`; null where there is none. */
  readonly typ: string | null;
  readonly claims: JsonObject;
  /** Null for opaque tokens. */
  readonly algorithm: string | null;
  readonly kid: string | null;
  /** Generation of the provider's keys that vouched for it; 0 for opaque tokens. */
  readonly generation: number;
  /** Name of the secret that opened it, where it came encrypted (RFC 7516). */
  readonly decryptedBy: string | null;
  /** Until when this may be used without asking again, milliseconds since the epoch. */
  readonly usableUntil: number;
  readonly idTokenMarks: readonly string[];
  /** A claim that should say who is calling and does not; null for none. */
  readonly unread: UnreadClaim | null;
  readonly principal: Principal;
}
