import type { CheckMode } from './modes.js';

/**
 * From where one may call. `of` names addresses, networks in CIDR form (RFC 4632, RFC 4291 section 2.3) and named networks.
 * Nobody is shut out by an empty list: it is refused.
 */
export type AddressRule =
  { readonly kind: 'anywhere' } | { readonly kind: 'only'; readonly of: readonly string[] } | { readonly kind: 'except'; readonly of: readonly string[] };

/** Networks under one name. */
export interface NetworkRule {
  /** Letters, digits, blanks, dashes and underscores, beginning with a letter. */
  readonly name: string;
  readonly description: string;
  /** Addresses and networks in CIDR form; no names. */
  readonly entries: readonly string[];
}

/** From where the gateway may be called at all, whatever is asked for. */
export interface FenceRule {
  readonly mode: CheckMode;
  readonly addresses: AddressRule;
}

/** How the address of a caller is found behind hops that say where a request came from. */
export interface CallerAddressRule {
  /** The field that these hops write: `forwarded` (RFC 7239) or `x-forwarded-for` (common practice). */
  readonly header: 'forwarded' | 'x-forwarded-for';
  /** Addresses, networks and named networks of hops that are believed. From anybody else the field is ignored. */
  readonly trustedHops: readonly string[];
}

export const ANYWHERE: AddressRule = Object.freeze({ kind: 'anywhere' });
export const NO_FENCE: FenceRule = Object.freeze({ mode: 'enforce', addresses: ANYWHERE });

/** Entries of one rule or network at most, and networks of a release. */
export const ADDRESS_BOUNDS = { entries: 5000, networks: 500 } as const;
