import { endingOf, type Ending, type Exchange, type RecordBatch, type StepCount, type TraceRecord, type TrafficCount } from '@virga/core';
import { buildTrace, type FinishedRequest } from './build-trace.js';
import { RateBudget } from './rate-budget.js';

/** How much is kept. Counters are exact whatever these say. */
export const RECORD_LIMITS = {
  /** Traces held in memory until they are sent. */
  ringSize: 4096,
  /** Traces a second, and how many may come at once. */
  passedPerSecond: 50,
  passedBurst: 100,
  refusedPerSecond: 200,
  refusedBurst: 400,
  batchSize: 500,
  /** Different counters held while the control plane is away. */
  maxCounters: 50_000,
} as const;

const DAY_MS = 86_400_000;

interface Counter {
  readonly key: Omit<TrafficCount, 'count' | 'totalUs'>;
  count: number;
  totalUs: number;
}

/**
 * Counts every request and keeps traces in a ring until they are sent. Under load passed requests are sampled; refused
 * ones are kept up to a rate of their own. A batch stays the same until the control plane has taken it.
 */
export class Recorder {
  readonly #node: string;
  readonly #ring: TraceRecord[] = [];
  #counters = new Map<string, Counter>();
  readonly #passed = new RateBudget(RECORD_LIMITS.passedPerSecond, RECORD_LIMITS.passedBurst);
  readonly #refused = new RateBudget(RECORD_LIMITS.refusedPerSecond, RECORD_LIMITS.refusedBurst);
  #unsent = { passed: 0, refused: 0, steps: 0 };

  constructor(node: string) {
    this.#node = node;
  }

  /** @param keep keeps the trace whatever the load: for probes */
  finish(exchange: Exchange, done: FinishedRequest, keep = false): void {
    const ending = endingOf(exchange, done.found);
    this.#count(exchange, done, ending);
    // What would have been refused is kept as what was: it is what somebody looks for before the switch.
    const refused = ending.outcome !== 'passed';
    const budget = refused ? this.#refused : this.#passed;
    if (keep || budget.take(done.at)) this.#push(buildTrace(this.#node, exchange, done));
    else if (refused) this.#unsent.refused++;
    else this.#unsent.passed++;
  }

  #count(exchange: Exchange, done: FinishedRequest, { outcome, step, code }: Ending): void {
    const minute = done.at - (done.at % 60_000);
    const apiId = exchange.api?.rule.id ?? null;
    const operationId = exchange.operation?.rule.id ?? null;
    let key = `${minute} ${apiId ?? ''} ${operationId ?? ''} ${done.status}`;
    for (const taken of exchange.steps) key += taken.outcome === 'would-refuse' ? ` !${taken.finding.code}` : ` ${taken.finding.code}`;
    let counter = this.#counters.get(key);
    if (!counter) {
      const fresh = {
        minute,
        apiId,
        operationId,
        step,
        code,
        outcome,
        status: done.status,
        steps: exchange.steps.map((taken): StepCount => ({ step: taken.step, code: taken.finding.code, outcome: taken.outcome })),
      };
      counter = this.#counters.size < RECORD_LIMITS.maxCounters ? this.#begin(key, fresh) : this.#beginCoarse(fresh);
    }
    counter.count++;
    counter.totalUs += Math.round(done.totalMs * 1000);
  }

  #begin(key: string, counted: Counter['key']): Counter {
    const counter = { key: counted, count: 0, totalUs: 0 };
    this.#counters.set(key, counter);
    return counter;
  }

  /** Past the bound requests are still counted, by the day, without their API and steps: less is known of them, none is lost. */
  #beginCoarse(counted: Counter['key']): Counter {
    const minute = counted.minute - (counted.minute % DAY_MS);
    const key = `${minute}   ${counted.outcome} ${counted.code} ${counted.status}`;
    this.#unsent.steps++;
    return this.#counters.get(key) ?? this.#begin(key, { ...counted, minute, apiId: null, operationId: null, steps: [] });
  }

  #push(trace: TraceRecord): void {
    if (this.#ring.length >= RECORD_LIMITS.ringSize) {
      const lost = this.#ring.shift();
      if (lost && lost.outcome !== 'passed') this.#unsent.refused++;
      else this.#unsent.passed++;
    }
    this.#ring.push(trace);
  }

  /** Takes what is to be sent next out of the recorder; null when there is nothing. */
  takeBatch(): RecordBatch | null {
    if (this.#ring.length === 0 && this.#counters.size === 0) return null;
    const traces = this.#ring.splice(0, RECORD_LIMITS.batchSize);
    const counts = [...this.#counters.values()].map(({ key, count, totalUs }): TrafficCount => ({ ...key, count, totalUs }));
    this.#counters = new Map();
    const unsent = this.#unsent;
    this.#unsent = { passed: 0, refused: 0, steps: 0 };
    return { traces, counts, unsent };
  }
}
