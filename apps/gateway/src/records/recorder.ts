import {
  endingOf,
  type CompiledOperation,
  type CredentialUse,
  type Ending,
  type Exchange,
  type RecordBatch,
  type StepCount,
  type StepRecord,
  type TraceRecord,
  type TrafficCount,
} from '@virga/core';
import { buildTrace, type FinishedRequest } from './build-trace.js';
import { ClientUses } from './client-uses.js';
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
  /** Traces that are sent at one time: putting them together keeps whoever serves, two milliseconds for so many. */
  batchSize: 32,
  /** Credentials whose last use is held and sent at one time. */
  maxUses: 20_000,
  /** Different counts of what clients used that are held while the control plane is away. */
  maxClientUses: 50_000,
  /** Different counters held while the control plane is away. */
  maxCounters: 50_000,
} as const;

const DAY_MS = 86_400_000;
/** Goes before the code of a step that would have refused. No code is written so. */
const WOULD_REFUSE = '!';

interface Counter {
  readonly key: Omit<TrafficCount, 'count' | 'totalUs'>;
  count: number;
  totalUs: number;
}

/** Counters by what requests have in common: each text leads one node further, so that none has to be put together. */
class CounterNode {
  readonly next = new Map<string | number | null, CounterNode>();
  counter: Counter | null = null;

  /** @param grow whether a node that is not there is made; null otherwise */
  to(part: string | number | null, grow: boolean): CounterNode | null {
    let node = this.next.get(part) ?? null;
    if (node === null && grow) this.next.set(part, (node = new CounterNode()));
    return node;
  }
}

/** Whether a request of an operation is counted where another of the same operation was. */
function isLike(key: Counter['key'], minute: number, { api, steps }: Exchange, { status }: FinishedRequest): boolean {
  if (key.minute !== minute || key.status !== status || key.apiId !== (api?.rule.id ?? null) || key.steps.length !== steps.length) return false;
  for (let index = 0; index < steps.length; index++) {
    const [counted, taken] = [key.steps[index] as StepCount, steps[index] as StepRecord];
    if (counted.code !== taken.finding.code || counted.outcome !== taken.outcome) return false;
  }
  return true;
}

/**
 * Counts every request and keeps traces in a ring until they are sent. Under load passed requests are sampled; refused
 * ones are kept up to a rate of their own. A batch stays the same until the control plane has taken it.
 */
export class Recorder {
  readonly #node: string;
  readonly #ring: TraceRecord[] = [];
  #counters = new CounterNode();
  #coarse = new Map<string, Counter>();
  #held: Counter[] = [];
  /** The counter of the last request of each operation: most requests are like the last. */
  #last = new Map<CompiledOperation | null, Counter>();
  readonly #passed = new RateBudget(RECORD_LIMITS.passedPerSecond, RECORD_LIMITS.passedBurst);
  readonly #refused = new RateBudget(RECORD_LIMITS.refusedPerSecond, RECORD_LIMITS.refusedBurst);
  #unsent = { passed: 0, refused: 0, steps: 0 };
  #uses = new Map<string, { at: number; from: string }>();
  readonly #clients = new ClientUses(RECORD_LIMITS.maxClientUses);

  constructor(node: string) {
    this.#node = node;
  }

  /** @param keep keeps the trace whatever the load: for probes */
  finish(exchange: Exchange, done: FinishedRequest, keep = false): void {
    const ending = endingOf(exchange, done.found);
    this.#count(exchange, done, ending);
    if (exchange.credentials.length > 0) {
      this.#used(exchange, done);
      this.#clients.count(exchange.credentials, done.at, exchange.api?.rule.id ?? null, ending);
    }
    // What would have been refused is kept as what was: it is what somebody looks for before the switch.
    const refused = ending.outcome !== 'passed';
    const budget = refused ? this.#refused : this.#passed;
    if (keep || budget.take(done.at)) this.#push(buildTrace(this.#node, exchange, done));
    else if (refused) this.#unsent.refused++;
    else this.#unsent.passed++;
  }

  /** Past the bound the last use of those that came first is still told; the rest is told of when they are used again. */
  #used({ credentials }: Exchange, { at, address }: FinishedRequest): void {
    for (const { holder } of credentials) {
      if (holder === null) continue;
      const { id } = holder.credential;
      const known = this.#uses.get(id);
      if (known) {
        known.at = at;
        known.from = address;
      } else if (this.#uses.size < RECORD_LIMITS.maxUses) this.#uses.set(id, { at, from: address });
    }
  }

  #count(exchange: Exchange, done: FinishedRequest, ending: Ending): void {
    const minute = done.at - (done.at % 60_000);
    const last = this.#last.get(exchange.operation);
    const counter = last && isLike(last.key, minute, exchange, done) ? last : this.#find(minute, exchange, done, ending);
    counter.count++;
    counter.totalUs += Math.round(done.totalMs * 1000);
  }

  #find(minute: number, exchange: Exchange, { status }: FinishedRequest, { outcome, step, code }: Ending): Counter {
    const apiId = exchange.api?.rule.id ?? null;
    const operationId = exchange.operation?.rule.id ?? null;
    const grow = this.#held.length < RECORD_LIMITS.maxCounters;
    let node = this.#counters.to(minute, grow)?.to(apiId, grow)?.to(operationId, grow)?.to(status, grow) ?? null;
    for (const taken of exchange.steps) {
      if (taken.outcome === 'would-refuse') node = node?.to(WOULD_REFUSE, grow) ?? null;
      node = node?.to(taken.finding.code, grow) ?? null;
    }
    let counter = node?.counter ?? null;
    if (counter === null) {
      const steps = exchange.steps.map((taken): StepCount => ({ step: taken.step, code: taken.finding.code, outcome: taken.outcome }));
      const fresh = { minute, apiId, operationId, step, code, outcome, status, steps };
      if (node === null || !grow) return this.#beginCoarse(fresh);
      counter = node.counter = this.#begin(fresh);
    }
    this.#last.set(exchange.operation, counter);
    return counter;
  }

  #begin(key: Counter['key']): Counter {
    const counter = { key, count: 0, totalUs: 0 };
    this.#held.push(counter);
    return counter;
  }

  /** Past the bound requests are still counted, by the day, without their API and steps: less is known of them, none is lost. */
  #beginCoarse(counted: Counter['key']): Counter {
    const minute = counted.minute - (counted.minute % DAY_MS);
    this.#unsent.steps++;
    const key = `${minute} ${counted.outcome} ${counted.code} ${counted.status}`;
    let counter = this.#coarse.get(key);
    if (!counter) this.#coarse.set(key, (counter = this.#begin({ ...counted, minute, apiId: null, operationId: null, steps: [] })));
    return counter;
  }

  #push(trace: TraceRecord): void {
    if (this.#ring.length >= RECORD_LIMITS.ringSize) {
      const lost = this.#ring.shift();
      if (lost && lost.outcome !== 'passed') this.#unsent.refused++;
      else this.#unsent.passed++;
    }
    this.#ring.push(trace);
  }

  /** Whether more traces wait than are sent at one time. */
  get isBehind(): boolean {
    return this.#ring.length >= RECORD_LIMITS.batchSize;
  }

  /** Takes what is to be sent next out of the recorder; null when there is nothing. */
  takeBatch(): RecordBatch | null {
    if (this.#ring.length === 0 && this.#held.length === 0 && this.#uses.size === 0 && this.#clients.isEmpty) return null;
    const traces = this.#ring.splice(0, RECORD_LIMITS.batchSize);
    const counts = this.#held.map(({ key, count, totalUs }): TrafficCount => ({ ...key, count, totalUs }));
    this.#counters = new CounterNode();
    this.#last = new Map();
    this.#coarse = new Map();
    this.#held = [];
    const unsent = this.#unsent;
    this.#unsent = { passed: 0, refused: 0, steps: 0 };
    const uses = [...this.#uses].map(([id, use]): CredentialUse => ({ id, ...use }));
    this.#uses = new Map();
    return { traces, counts, unsent, uses, clients: this.#clients.take() };
  }
}
