/** A condition under a name, for rules of APIs and operations to call. */
export interface ConditionRule {
  /** Letters, digits, blanks, dashes and underscores, beginning with a letter. */
  readonly name: string;
  readonly description: string;
  /** In CEL; true lets the request pass. */
  readonly source: string;
}

/** A condition as a rule holds it: one that others share, by its name, or one of its own. */
export type ConditionUse = { readonly kind: 'shared'; readonly name: string } | { readonly kind: 'own'; readonly name: string; readonly source: string };

/**
 * Bounds of conditions: characters of a source, conditions of one rule, shared ones of a release; and of one evaluation:
 * its steps (one for each turn of a macro, each item or 64 characters compared), characters or items of a value that it makes.
 */
export const CONDITION_BOUNDS = { source: 2000, perRule: 20, shared: 200, steps: 10_000, made: 65_536 } as const;
