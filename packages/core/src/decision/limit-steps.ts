import type { CompiledLimit, CompiledPlan } from '../limit/compile-plan.js';
import type { Counted, Demand, Standing, Uncounted } from '../limit/counters.js';
import { clientSubject, subjectOf } from '../limit/subject-of.js';
import { whenThere, type Awaitable } from '../util/awaitable.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';

/** How a request was counted: the limits that it came under, and how they stand. */
export interface CountedLimits {
  readonly limits: readonly CompiledLimit[];
  readonly demands: readonly Demand[];
  readonly counted: Counted;
}

/** What an operation is limited by. */
export interface LimitsInForce {
  /** Limits of the gateway, the API and the operation. */
  readonly own: readonly CompiledLimit[];
  /** Whether the limits of plans come beside them. */
  readonly planned: boolean;
  /** Whether some plan that may open it only observes. */
  readonly softPlans: boolean;
}

const NONE_OBSERVED = finding('limit.no-more-observed', {});

/**
 * Compiles the steps that count a request, once, against all that limits it. One step speaks of limits that refuse, another of
 * those that only observe; where none can be of one kind, its step is left out.
 */
export function compileLimitSteps(
  { own, planned, softPlans }: LimitsInForce,
  observeAll: boolean,
  ports: Ports,
): { readonly enforced: Check | null; readonly observed: Check | null } {
  if (own.length === 0 && !planned) return { enforced: null, observed: null };
  const modeOf = (limit: CompiledLimit): Demand['mode'] => (observeAll ? 'observe' : limit.mode);
  const limitsWith = joining(own);
  const count = (exchange: Exchange): Awaitable<CountedLimits | Uncounted | null> => {
    const limits = limitsWith(exchange.plan);
    if (limits.length === 0) return null;
    const nowMs = ports.now();
    const demands: Demand[] = [];
    // One text for all limits of the client, which is looked up by each of them.
    let client: string | null = null;
    for (const limit of limits) {
      const subject = limit.by.kind === 'client' ? (client ??= clientSubject(exchange)) : subjectOf(limit.by, exchange);
      demands.push({ group: limit.group, subject, measure: limit.measureAt(nowMs), mode: modeOf(limit) });
    }
    return whenThere(ports.counters.take(demands, nowMs), (counted) => {
      if ('away' in counted) return counted;
      exchange.holds(counted.hold);
      return (exchange.counted = { limits, demands, counted });
    });
  };
  const said = own.map(({ name }) => name);
  const hangsOn = { kind: 'limit', names: planned ? [...said, 'the limits of its plan'] : said, surely: own.some(({ mode }) => mode === 'enforce') } as const;
  const mayEnforce = !observeAll && (own.some(({ mode }) => mode === 'enforce') || planned);
  const mayObserve = observeAll || softPlans || own.some(({ mode }) => mode === 'observe');
  const enforced: Check = { step: 'limit', about: null, run: (exchange) => whenThere(count(exchange), enforcedFinding), hangsOn };
  const observed: Check = {
    step: 'limit',
    about: null,
    run: (exchange) => (mayEnforce ? observedFinding(exchange.counted) : whenThere(count(exchange), observedFinding)),
    hangsOn,
  };
  return { enforced: mayEnforce ? enforced : null, observed: mayObserve ? observed : null };
}

/** The limits of an operation with those of a plan behind them, put together once for each plan. */
function joining(own: readonly CompiledLimit[]): (plan: CompiledPlan | null) => readonly CompiledLimit[] {
  const joined = new Map<CompiledPlan, readonly CompiledLimit[]>();
  return (plan) => {
    if (plan === null || plan.limits.length === 0) return own;
    let limits = joined.get(plan);
    if (!limits) joined.set(plan, (limits = [...own, ...plan.limits]));
    return limits;
  };
}

const NOTHING = finding('limit.none', {});

function enforcedFinding(counted: CountedLimits | Uncounted | null): Finding {
  if (counted === null) return NOTHING;
  if ('away' in counted) return finding('limit.away', { reason: counted.away });
  const { limits, demands, counted: came } = counted;
  if (came.refused >= 0)
    return overFinding(limits[came.refused] as CompiledLimit, demands[came.refused] as Demand, came.standings[came.refused] as Standing, came.where);
  const narrowest = narrowestOf(counted);
  if (narrowest < 0) return NOTHING;
  const { measure } = demands[narrowest] as Demand;
  return finding('limit.within', {
    limit: (limits[narrowest] as CompiledLimit).name,
    left: (came.standings[narrowest] as Standing).left,
    of: mostOf(measure),
    where: came.where,
  });
}

function observedFinding(counted: CountedLimits | Uncounted | null): Finding {
  if (counted === null) return NONE_OBSERVED;
  if ('away' in counted) return finding('limit.away', { reason: counted.away });
  const { limits, demands, counted: came } = counted;
  const index = demands.findIndex(({ mode }, at) => mode === 'observe' && (came.standings[at] as Standing).over);
  return index < 0 ? NONE_OBSERVED : overFinding(limits[index] as CompiledLimit, demands[index] as Demand, came.standings[index] as Standing, came.where);
}

function overFinding({ name, code, span, by }: CompiledLimit, { measure }: Demand, { waitMs }: Standing, where: string): Finding {
  return finding(code, { limit: name, of: measure.requests, span, by: 'name' in by ? `${by.kind} ${by.name}` : by.kind, waitMs, where });
}

/** Requests that can pass at once when nothing was used. */
export const mostOf = (measure: Demand['measure']): number => (measure.kind === 'bucket' ? measure.burst : measure.requests);

/** The enforced limit of which the least is left; -1 where none enforces. */
export function narrowestOf({ demands, counted }: CountedLimits): number {
  let found = -1;
  for (let index = 0; index < demands.length; index++) {
    if ((demands[index] as Demand).mode !== 'enforce') continue;
    if (found < 0 || (counted.standings[index] as Standing).left < (counted.standings[found] as Standing).left) found = index;
  }
  return found;
}
