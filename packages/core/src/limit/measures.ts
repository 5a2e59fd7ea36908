import type { Measure, Standing } from './counters.js';

/** What is remembered of one subject under one limit: two numbers whose meaning the kind of the measure says. */
export interface Count {
  /** `fixed`, `sliding`: the beginning of the span that is counted. `bucket`: when it was counted last. `calendar`: the span's beginning. */
  at: number;
  /** `fixed`, `calendar`: requests of the span. `sliding`: of the span. `bucket`: tokens that are missing. `at-once`: under way. */
  used: number;
  /** `sliding`: requests of the span before. */
  before: number;
}

export const newCount = (): Count => ({ at: 0, used: 0, before: 0 });

/**
 * Brings a count to a moment. A clock that was set back by less than a span changes nothing: time that was counted is not
 * counted twice. One that was set back further, as after a wrong clock was put right, begins anew.
 */
export function bringTo(count: Count, measure: Measure, nowMs: number): void {
  switch (measure.kind) {
    case 'fixed': {
      const from = Math.floor(nowMs / measure.spanMs) * measure.spanMs;
      if (from > count.at || count.at - from > measure.spanMs) restart(count, from);
      return;
    }
    case 'sliding': {
      const { spanMs } = measure;
      const from = Math.floor(nowMs / spanMs) * spanMs;
      if (from === count.at || (count.at > from && count.at - from <= spanMs)) return;
      const before = from - count.at === spanMs ? count.used : 0;
      restart(count, from);
      count.before = before;
      return;
    }
    case 'bucket': {
      const passed = nowMs - count.at;
      if (passed >= 0) {
        count.used = Math.max(0, count.used - (passed * measure.requests) / measure.spanMs);
        count.at = nowMs;
      } else if (-passed > measure.spanMs) restart(count, nowMs);
      return;
    }
    case 'calendar':
      if (count.at !== measure.from) restart(count, measure.from);
      return;
    case 'at-once':
      return;
  }
}

function restart(count: Count, at: number): void {
  count.at = at;
  count.used = 0;
  count.before = 0;
}

/** Room for one more is there from this much on: counts of buckets and of sliding spans are fractions. */
const ALMOST = 1e-9;

/** Whether a count that was brought to a moment has room for one more: what `standingOf` says is over has none. */
export function hasRoom(count: Count, measure: Measure, nowMs: number): boolean {
  switch (measure.kind) {
    case 'fixed':
    case 'calendar':
    case 'at-once':
      return measure.requests - count.used >= 1 - ALMOST;
    case 'bucket':
      return measure.burst - count.used >= 1 - ALMOST;
    case 'sliding':
      return slidingRoom(count, measure, nowMs) >= 1 - ALMOST;
  }
}

/** A standing that nobody else holds: whoever asked for it may write into it. */
type FreshStanding = { -readonly [Member in keyof Standing]: Standing[Member] };

/** How a count that was brought to a moment stands. */
export function standingOf(count: Count, measure: Measure, nowMs: number): FreshStanding {
  switch (measure.kind) {
    case 'fixed': {
      const resetMs = Math.max(1, count.at + measure.spanMs - nowMs);
      return standing(measure.requests - count.used, count.used === 0 ? 0 : resetMs, resetMs);
    }
    case 'calendar': {
      const resetMs = Math.max(1, measure.until - nowMs);
      return standing(measure.requests - count.used, count.used === 0 ? 0 : resetMs, resetMs);
    }
    case 'sliding':
      return slidingStanding(count, measure, nowMs);
    case 'bucket': {
      const perMs = measure.requests / measure.spanMs;
      const room = measure.burst - count.used;
      return standing(room, count.used / perMs, (1 - room) / perMs);
    }
    case 'at-once':
      return {
        over: count.used >= measure.requests,
        left: Math.max(0, measure.requests - count.used),
        waitMs: count.used >= measure.requests ? 1000 : 0,
        resetMs: null,
      };
  }
}

/** @param room requests that there is room for, fractions allowed @param backMs until all is there again @param waitMs until there is room, where there is none */
function standing(room: number, backMs: number, waitMs: number): FreshStanding {
  const over = room < 1 - ALMOST;
  return { over, left: Math.max(0, Math.floor(room + ALMOST)), waitMs: over ? Math.max(1, Math.ceil(waitMs - ALMOST)) : 0, resetMs: Math.ceil(backMs) };
}

type SpanMeasure = Extract<Measure, { readonly kind: 'fixed' | 'sliding' }>;

/** The span before counts by the share of it that the span which ends now still reaches into. */
function slidingRoom({ at, used, before }: Count, { requests, spanMs }: SpanMeasure, nowMs: number): number {
  const into = Math.min(spanMs, Math.max(0, nowMs - at));
  return requests - used - before * (1 - into / spanMs);
}

function slidingStanding(count: Count, measure: SpanMeasure, nowMs: number): FreshStanding {
  const { at, used, before } = count;
  const { requests, spanMs } = measure;
  const room = slidingRoom(count, measure, nowMs);
  const endMs = at + spanMs - nowMs;
  const backMs = used > 0 ? endMs + spanMs : before > 0 ? endMs : 0;
  if (room >= 1 - ALMOST) return standing(room, backMs, 0);
  // Room comes as the span before goes; where that is not enough, this one has to become the span before, and go in its turn.
  const lacks = 1 - room;
  const inThis = used + 1 <= requests ? (lacks * spanMs) / Math.max(before, ALMOST) : endMs + ((used + 1 - requests) * spanMs) / used;
  return standing(room, backMs, inThis);
}

/** Counts one more. */
export function countOne(count: Count): void {
  count.used++;
}

/** From when on a count tells nothing that a new one would not; Infinity while something is under way. */
export function worthlessAt({ at, used, before }: Count, measure: Measure): number {
  switch (measure.kind) {
    case 'fixed':
      return at + measure.spanMs;
    case 'sliding':
      return used > 0 ? at + 2 * measure.spanMs : before > 0 ? at + measure.spanMs : 0;
    case 'bucket':
      return at + (used * measure.spanMs) / measure.requests;
    case 'calendar':
      return measure.until;
    case 'at-once':
      return used > 0 ? Infinity : 0;
  }
}
