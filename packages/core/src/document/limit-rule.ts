import type { CheckMode } from './modes.js';

/** By what requests are counted apart. What has none of it is counted together, so that leaving it out opens nothing. */
export const LIMIT_SUBJECTS = ['everyone', 'client', 'principal', 'address', 'credential'] as const;
export type LimitSubject =
  | { readonly kind: (typeof LIMIT_SUBJECTS)[number] }
  /** A header field of the request; its name in lower case. */
  | { readonly kind: 'header'; readonly name: string }
  /** An own member of the claim map, or of what is said of the client (`client.metadata`). */
  | { readonly kind: 'attribute' | 'metadata'; readonly name: string };

/**
 * How requests are counted. `fixed`: so many in each span, all spans beginning at whole multiples since the epoch. `sliding`:
 * so many in the span that ends now, the span before counted by the share of it that still reaches in. `bucket`: so many may
 * come at once, and what was used comes back evenly.
 */
export const LIMIT_METHODS = ['fixed', 'sliding', 'bucket'] as const;
export type LimitMethod = (typeof LIMIT_METHODS)[number];

/** So many requests in so much time. */
export interface LimitRule {
  /** What people call it; each stands once in a list. Also the name of its RateLimit policy. */
  readonly name: string;
  readonly by: LimitSubject;
  readonly method: LimitMethod;
  /** Requests in the time below. */
  readonly requests: number;
  readonly seconds: number;
  /** Requests that may come at once, for `bucket`; null for the same number as above, and for every other method. */
  readonly burst: number | null;
  readonly mode: CheckMode;
}

/** Failures to prove oneself, counted before anything is proved: who guesses is held up. */
export interface GuessingRule {
  readonly mode: CheckMode;
  readonly seconds: number;
  /** Failures from one address in that time; null does not count by address. */
  readonly byAddress: number | null;
  /** Failures of one Basic name, or with one credential, in that time; null does not count so. */
  readonly byCredential: number | null;
}

/** How counting goes on when the counters that nodes share cannot be reached. */
export interface CountingRule {
  /** `refuse` lets nobody past a limit; `alone` lets each node count by itself, up to a share of every limit. */
  readonly away: 'refuse' | 'alone';
  /** Percent of each limit that a node lets through by itself, 1 to 100; at least one request. */
  readonly sharePercent: number;
  /** Whether answers that pass say what is left too, or only refusals. */
  readonly tell: 'always' | 'refusals';
}

export const NO_GUESSING: GuessingRule | null = null;
export const USUAL_COUNTING: CountingRule = Object.freeze({ away: 'refuse', sharePercent: 50, tell: 'refusals' });

/** Least and most of what limits say, and how many stand in one list. */
export const LIMIT_RANGES = {
  requests: [1, 1_000_000_000],
  seconds: [1, 2_678_400],
  burst: [1, 1_000_000_000],
  sharePercent: [1, 100],
  list: 20,
} as const;
