import { entryOf, type Exchange, type RecordBatch, type StepId, type TraceRecord, type TrafficCount } from '@virga/core';
import { buildTrace, decidingStep, type FinishedRequest } from './build-trace.js';
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
  #unsent = { passed: 0, refused: 0 };

  constructor(node: string) {
    this.#node = node;
  }

  /** @param keep keeps the trace whatever the load: for probes */
  finish(exchange: Exchange, done: FinishedRequest, keep = false): void {
    const refused = entryOf(done.found.code).outcome === 'refuse';
    this.#count(exchange, done, decidingStep(exchange, done.found), refused);
    const budget = refused ? this.#refused : this.#passed;
    if (keep || budget.take(done.at)) this.#push(buildTrace(this.#node, exchange, done));
    else if (refused) this.#unsent.refused++;
    else this.#unsent.passed++;
  }

  #count(exchange: Exchange, done: FinishedRequest, step: StepId, refused: boolean): void {
    const minute = done.at - (done.at % 60_000);
    const apiId = exchange.api?.rule.id ?? null;
    const operationId = exchange.operation?.rule.id ?? null;
    const key = `${minute} ${apiId ?? ''} ${operationId ?? ''} ${done.found.code} ${done.status}`;
    let counter = this.#counters.get(key);
    if (!counter) {
      const fresh = {
        minute,
        apiId,
        operationId,
        step,
        code: done.found.code,
        outcome: refused ? ('refused' as const) : ('passed' as const),
        status: done.status,
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

  /** Past the bound requests are still counted, by the day and without their API: less is known of them, none is lost. */
  #beginCoarse(counted: Counter['key']): Counter {
    const minute = counted.minute - (counted.minute % DAY_MS);
    const key = `${minute}   ${counted.code} ${counted.status}`;
    return this.#counters.get(key) ?? this.#begin(key, { ...counted, minute, apiId: null, operationId: null });
  }

  #push(trace: TraceRecord): void {
    if (this.#ring.length >= RECORD_LIMITS.ringSize) {
      const lost = this.#ring.shift();
      if (lost?.outcome === 'refused') this.#unsent.refused++;
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
    this.#unsent = { passed: 0, refused: 0 };
    return { traces, counts, unsent };
  }
}
