/**
 * Where one member of the principal comes from. A path that begins with a slash is a JSON Pointer (RFC 6901) into the
 * claims; any other path is the name of a claim, dots and slashes inside it included (`https://ids.example/roles`).
 */
export interface ClaimSource {
  /** Tried in order; the first that yields a value counts. */
  readonly paths: readonly string[];
  /** How a text that holds several values is split; arrays need nothing. */
  readonly split: 'space' | 'comma' | 'none';
  /** Prefixes taken off a value, the first that fits: for scopes written as resource/scope or as URIs. */
  readonly stripPrefixes: readonly string[];
  /** Values that stand for others, as a group that stands for a role. */
  readonly table: readonly ClaimTranslation[];
  /** What becomes of values that the table does not name. */
  readonly unlisted: 'keep' | 'drop';
  /** Used when nothing was found. A claim that is there and cannot be read, as an object, is not nothing. */
  readonly fallback: readonly string[];
}

export interface ClaimTranslation {
  readonly from: string;
  readonly to: readonly string[];
}

/** A member of the principal that rules may name beside the standard ones. */
export interface AttributeSource extends ClaimSource {
  readonly name: string;
}

/** How one provider's claims become a principal. The issuer is no part of it: no map can give it another one. */
export interface ClaimMap {
  readonly subject: ClaimSource;
  readonly client: ClaimSource;
  readonly scopes: ClaimSource;
  readonly roles: ClaimSource;
  readonly groups: ClaimSource;
  readonly tenant: ClaimSource;
  readonly acr: ClaimSource;
  readonly amr: ClaimSource;
  readonly authTime: ClaimSource;
  readonly attributes: readonly AttributeSource[];
}

/** The members of a claim map that yield one principal member each, in the order they are shown. */
export const MAPPED_MEMBERS = ['subject', 'client', 'scopes', 'roles', 'groups', 'tenant', 'acr', 'amr', 'authTime'] as const;
export type MappedMember = (typeof MAPPED_MEMBERS)[number];

export const sourceOf = (paths: readonly string[], split: ClaimSource['split'] = 'none'): ClaimSource => ({
  paths,
  split,
  stripPrefixes: [],
  table: [],
  unlisted: 'keep',
  fallback: [],
});

/** What the standards spell: RFC 9068 section 2.2, RFC 8693 section 4.2, OpenID Connect Core section 2 (from memory); `scp` is common practice. */
export const STANDARD_CLAIM_MAP: ClaimMap = {
  subject: sourceOf(['sub']),
  client: sourceOf(['client_id', 'azp']),
  scopes: sourceOf(['scope', 'scp'], 'space'),
  roles: sourceOf(['roles']),
  groups: sourceOf(['groups']),
  tenant: sourceOf(['tenant']),
  acr: sourceOf(['acr']),
  amr: sourceOf(['amr']),
  authTime: sourceOf(['auth_time']),
  attributes: [],
};
