import type { CheckMode } from '../document/modes.js';
import type { Awaitable } from '../util/awaitable.js';

/** How one limit counts; times in milliseconds. */
export type Measure =
  | { readonly kind: 'fixed' | 'sliding'; readonly requests: number; readonly spanMs: number }
  | { readonly kind: 'bucket'; readonly requests: number; readonly spanMs: number; readonly burst: number }
  /** A span of the calendar that has begun; milliseconds since the epoch. */
  | { readonly kind: 'calendar'; readonly requests: number; readonly from: number; readonly until: number }
  | { readonly kind: 'at-once'; readonly requests: number };

/** One limit that a request comes under, and whose request it is. */
export interface Demand {
  /** What counts apart from other limits: it names all that a count hangs on. */
  readonly group: string;
  readonly subject: string;
  readonly measure: Measure;
  readonly mode: CheckMode;
}

/** How one limit stands after a request was counted, or was not. */
export interface Standing {
  /** Whether there was no room for the request. */
  readonly over: boolean;
  /** Requests that would still pass now. */
  readonly left: number;
  /** Milliseconds until there is room again; 0 where there is. */
  readonly waitMs: number;
  /** Milliseconds until all of it is there again; null where that hangs on requests that are under way. */
  readonly resetMs: number | null;
}

/** What came of asking: all limits that enforce count the request, or none of them does. */
export interface Counted {
  /** In the order of the demands. */
  readonly standings: readonly Standing[];
  /** The enforced demand that refused with the longest wait; -1 where none did. */
  readonly refused: number;
  /** What is given back when the request has ended; null where nothing is held. */
  readonly hold: Hold | null;
  /** Whether nodes that share counters counted together; `alone` where they could not be reached. */
  readonly where: 'here' | 'together' | 'alone';
}

/** Something that a request holds while it is under way. */
export interface Hold {
  release(): void;
}

/** That nobody could count: the shared counters are away, and nothing is counted without them. */
export interface Uncounted {
  readonly away: string;
}

/** Counts requests against limits. Belongs to a node and outlives every release. */
export interface Counters {
  take(demands: readonly Demand[], nowMs: number): Awaitable<Counted | Uncounted>;
  /** How limits stand, without counting anything. */
  look(demands: readonly Omit<Demand, 'mode'>[], nowMs: number): Awaitable<readonly Standing[] | Uncounted>;
}
