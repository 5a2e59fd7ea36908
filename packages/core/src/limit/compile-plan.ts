import type { LimitSubject } from '../document/limit-rule.js';
import type { PlanRule } from '../document/plan-rule.js';
import { compileSpans } from './calendar-span.js';
import type { Measure } from './counters.js';

/** One limit, ready to be asked for: what it is called, whose requests it counts, and how. */
export interface CompiledLimit {
  readonly name: string;
  /** Where it stands in the release document. */
  readonly pointer: string;
  readonly group: string;
  readonly by: LimitSubject;
  readonly measureAt: (nowMs: number) => Measure;
  readonly mode: 'observe' | 'enforce';
  /** Its span in words; empty where it has none. */
  readonly span: string;
  /** Seconds of its span for the RateLimit fields; null where it has none that stays the same. */
  readonly windowSeconds: number | null;
  readonly code: 'limit.rate' | 'limit.quota' | 'limit.at-once';
}

export interface CompiledPlan {
  readonly rule: PlanRule;
  readonly pointer: string;
  readonly covers: (apiId: string, operationId: string) => boolean;
  readonly limits: readonly CompiledLimit[];
}

const SPAN_SECONDS = { day: 86_400, week: 604_800, month: null } as const;

/** Compiles a plan: what it opens, and its limits, which count each client apart. */
export function compilePlan(rule: PlanRule, pointer: string): CompiledPlan {
  const covers = new Map<string, ReadonlySet<string> | 'ALL'>();
  for (const { apiId, operations } of rule.covers) {
    const before = covers.get(apiId);
    if (operations === 'ALL' || before === 'ALL') covers.set(apiId, 'ALL');
    else covers.set(apiId, new Set([...(before ?? []), ...operations]));
  }
  return {
    rule,
    covers: (apiId, operationId) => {
      const own = covers.get(apiId);
      return own === 'ALL' || own?.has(operationId) === true;
    },
    pointer,
    limits: limitsOf(rule, pointer),
  };
}

function limitsOf({ id, name, rate, quota, atOnce, mode }: PlanRule, pointer: string): CompiledLimit[] {
  const by: LimitSubject = { kind: 'client' };
  const limits: CompiledLimit[] = [];
  if (rate) {
    const measure: Measure = { kind: 'bucket', requests: rate.requests, spanMs: rate.seconds * 1000, burst: rate.burst };
    limits.push({
      name: `${name} rate`,
      pointer: `${pointer}/rate`,
      group: `plan ${id} rate ${rate.seconds}`,
      by,
      measureAt: () => measure,
      mode,
      span: `${rate.seconds} s`,
      windowSeconds: rate.seconds,
      code: 'limit.rate',
    });
  }
  if (quota) {
    const spanAt = compileSpans(quota.per, quota.zone);
    limits.push({
      name: `${name} quota`,
      pointer: `${pointer}/quota`,
      group: `plan ${id} quota ${quota.per} ${quota.zone}`,
      by,
      measureAt: (nowMs) => ({ kind: 'calendar', requests: quota.requests, ...spanAt(nowMs) }),
      mode,
      span: quota.per,
      windowSeconds: SPAN_SECONDS[quota.per],
      code: 'limit.quota',
    });
  }
  if (atOnce !== null)
    limits.push({
      name: `${name} at once`,
      pointer: `${pointer}/atOnce`,
      group: `plan ${id} at once`,
      by,
      measureAt: () => ({ kind: 'at-once', requests: atOnce }),
      mode,
      span: '',
      windowSeconds: null,
      code: 'limit.at-once',
    });
  return limits;
}
