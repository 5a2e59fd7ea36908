import type { CheckMode } from './modes.js';

/** Operations of one API that a plan opens. What is no longer there opens nothing. */
export interface PlanCover {
  readonly apiId: string;
  /** Ids of operations; `ALL` for every one, those that come later too. */
  readonly operations: readonly string[] | 'ALL';
}

export const QUOTA_SPANS = ['day', 'week', 'month'] as const;
export type QuotaSpan = (typeof QUOTA_SPANS)[number];

/** What was agreed with clients: what they may call, and how much of it. Null asks for nothing. */
export interface PlanRule {
  readonly id: string;
  readonly name: string;
  readonly description: string;
  readonly covers: readonly PlanCover[];
  /** Evenly, so many in so much time, and so many at once. */
  readonly rate: { readonly requests: number; readonly seconds: number; readonly burst: number } | null;
  /** By the calendar of a zone (an IANA name); weeks begin on Monday (ISO 8601). */
  readonly quota: { readonly requests: number; readonly per: QuotaSpan; readonly zone: string } | null;
  /** Requests under way at one time. */
  readonly atOnce: number | null;
  /** Bytes of a request's body. */
  readonly requestBytes: number | null;
  /** Whether what goes beyond is refused or only written down. */
  readonly mode: CheckMode;
  /** Whether a client that asks for it has it at once, or waits for somebody. */
  readonly approval: 'by-hand' | 'by-itself';
}

/** Whether an API, or an operation, is opened by a plan alone. */
export interface PlanUse {
  readonly asked: boolean;
  /** Own member of the claim map that may name the plan, by id or name, in place of a subscription; null for none. */
  readonly attribute: string | null;
}

export const NO_PLAN: PlanUse = Object.freeze({ asked: false, attribute: null });

export const PLAN_RANGES = { plans: 200, covers: 200, atOnce: [1, 100_000], requestBytes: [0, 1_099_511_627_776] } as const;
