/** A scheme that a credential must meet, and the scopes it must hold. */
export interface SchemeRequirement {
  readonly scheme: string;
  readonly scopes: readonly string[];
  /** OpenAPI means all of them; `any` is ours. */
  readonly match: 'all' | 'any';
  /** Roles of the principal, any one of which is enough; empty asks for none. */
  readonly roles: readonly string[];
}

/** Schemes that must be met together. None at all is OpenAPI's `{}`: anonymous calls are enough. */
export type Alternative = readonly SchemeRequirement[];

/** Who wrote a rule: the imported contract or an engineer. */
export type RuleOrigin = 'contract' | 'hand';

/**
 * Who may call. `open` means that nobody has decided yet: it lets everyone in like `public`, and is reported until
 * somebody says `public` or requires something. `required` has the semantics of OpenAPI 3.1.2 section 4.8.30:
 * one alternative is enough, all schemes of an alternative are needed.
 */
export type AccessRule =
  | { readonly kind: 'open'; readonly origin: RuleOrigin }
  | { readonly kind: 'public'; readonly origin: RuleOrigin }
  | { readonly kind: 'required'; readonly origin: RuleOrigin; readonly alternatives: readonly Alternative[] };
