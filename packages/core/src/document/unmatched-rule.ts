/** What becomes of a request whose path no operation of the API matches: refused, let through and counted as refused, or let through. */
export const UNMATCHED_MODES = ['refuse', 'observe', 'pass'] as const;
export type UnmatchedMode = (typeof UNMATCHED_MODES)[number];

/** The same for all paths below a prefix; of several the longest counts, and where none does they are refused. */
export interface UnmatchedRule {
  /** Below the base path: begins with a slash and does not end with one; `/` alone is every path. */
  readonly prefix: string;
  readonly mode: UnmatchedMode;
}

/** Prefixes of one API. */
export const MOST_UNMATCHED = 50;

/** The rule for a path below the base; null where none is about it. */
export function unmatchedRule(rules: readonly UnmatchedRule[], below: string): UnmatchedRule | null {
  let found: UnmatchedRule | null = null;
  for (const rule of rules) {
    const within = rule.prefix === '/' || below === rule.prefix || below.startsWith(`${rule.prefix}/`);
    if (within && (found === null || rule.prefix.length > found.prefix.length)) found = rule;
  }
  return found;
}
