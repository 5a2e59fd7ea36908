import type { CompiledOperation, Exchange, ReleaseDocument } from '@virga/core';
import { Worker } from 'node:worker_threads';
import { placesOf } from '../live-release.js';
import { RateBudget } from '../records/rate-budget.js';
import { SeenExchange } from './seen-exchange.js';
import type { FromSightingThread, SeenApiReport, SeenRequest, ToSightingThread, WatchedRelease } from './sighting-messages.js';

const PROGRAM = new URL('../../dist/sightings/sighting-worker.js', import.meta.url);

/** How much is looked into. What is beyond it is passed over and counted: looking never keeps a request waiting. */
export const SIGHTING_LIMITS = {
  perSecond: 500,
  burst: 1000,
  /** Of one operation, so that one that is called often leaves room for others. */
  operationPerSecond: 100,
  operationBurst: 200,
  /** Requests and bytes that are on their way to the thread or wait there. */
  waiting: 2000,
  waitingBytes: 16 * 1024 * 1024,
  /** Requests that cross at one time, and how long the first of them waits, milliseconds. */
  together: 32,
  gatherMs: 20,
  /** How long a report may take, milliseconds. */
  reportMs: 10_000,
} as const;

/** The thread's heap, megabytes. */
const MEGABYTES = 512;

/**
 * Hands requests that an upstream answered to a thread that learns from them and looks for sensitive data. It drops rather than
 * waits: when the thread is behind, or too many come, a request is passed over and counted.
 */
export class SightingThread {
  readonly #log: (text: string) => void;
  #watched = new Set<string>();
  #release: WatchedRelease | null = null;
  #worker: Worker | null = null;
  #gathered: SeenRequest[] = [];
  #gatheredBytes = 0;
  #timer: NodeJS.Timeout | null = null;
  #waiting = 0;
  #waitingBytes = 0;
  readonly #all = new RateBudget(SIGHTING_LIMITS.perSecond, SIGHTING_LIMITS.burst);
  #each = new WeakMap<CompiledOperation, RateBudget>();
  #taken = 0;
  #dropped = 0;
  #answer: ((apis: readonly SeenApiReport[] | null) => void) | null = null;

  constructor(log: (text: string) => void) {
    this.#log = log;
  }

  /** Looks for what a release asks for; a thread is started when the first one asks for something. */
  follow(document: ReleaseDocument): void {
    const apis = document.apis.filter(({ learning, sensitive }) => learning.on || sensitive.uses.length > 0);
    this.#watched = new Set(apis.map(({ id }) => id));
    this.#each = new WeakMap();
    this.#release = {
      apis: apis.map(({ id, learning, sensitive }) => ({ id, learning, uses: sensitive.uses })),
      detectors: document.detectors,
      places: document.apis.flatMap(placesOf),
    };
    if (this.#watched.size > 0 || this.#worker !== null) this.#tell({ type: 'follow', release: this.#release });
  }

  /** Begins to look at a request that goes up; null where nobody looks, or there is too much to look at. */
  begin({ api, operation }: Exchange, now: number): SeenExchange | null {
    if (api === null || operation === null || !this.#watched.has(api.rule.id)) return null;
    let own = this.#each.get(operation);
    if (!own) this.#each.set(operation, (own = new RateBudget(SIGHTING_LIMITS.operationPerSecond, SIGHTING_LIMITS.operationBurst)));
    const room = this.#waiting < SIGHTING_LIMITS.waiting && this.#waitingBytes < SIGHTING_LIMITS.waitingBytes;
    if (room && own.take(now) && this.#all.take(now)) return new SeenExchange();
    this.#dropped++;
    return null;
  }

  /** Hands over what was seen. */
  hand(seen: SeenRequest): void {
    this.#taken++;
    this.#gathered.push(seen);
    const bytes = (seen.request?.bytes.length ?? 0) + (seen.answer?.bytes.length ?? 0);
    this.#gatheredBytes += bytes;
    this.#waiting++;
    this.#waitingBytes += bytes;
    if (this.#gathered.length >= SIGHTING_LIMITS.together) this.#cross();
    else this.#timer ??= setTimeout(() => this.#cross(), SIGHTING_LIMITS.gatherMs).unref();
  }

  #cross(): void {
    if (this.#timer) clearTimeout(this.#timer);
    this.#timer = null;
    const requests = this.#gathered;
    if (requests.length === 0) return;
    const bytes = this.#gatheredBytes;
    this.#gathered = [];
    this.#gatheredBytes = 0;
    const bodies = requests.flatMap(({ request, answer }) => [request, answer].flatMap((body) => (body === null ? [] : [body.bytes.buffer])));
    this.#tell({ type: 'seen', requests, bytes }, bodies);
  }

  /** Requests that were looked into and those that were passed over, since this was asked last. */
  takeCounts(): { readonly taken: number; readonly dropped: number } {
    const counts = { taken: this.#taken, dropped: this.#dropped };
    this.#taken = 0;
    this.#dropped = 0;
    return counts;
  }

  /** What was learned and found since this was asked last; null where that is nothing. */
  async report(): Promise<readonly SeenApiReport[] | null> {
    this.#cross();
    if (this.#worker === null || this.#answer !== null) return null;
    const answered = new Promise<readonly SeenApiReport[] | null>((resolve) => {
      const timer = setTimeout(() => resolve(null), SIGHTING_LIMITS.reportMs).unref();
      this.#answer = (apis) => {
        clearTimeout(timer);
        resolve(apis);
      };
    });
    this.#tell({ type: 'report' });
    const apis = await answered;
    this.#answer = null;
    return apis;
  }

  async stop(): Promise<void> {
    if (this.#timer) clearTimeout(this.#timer);
    const worker = this.#worker;
    this.#worker = null;
    await worker?.terminate();
  }

  #tell(message: ToSightingThread, bodies: ArrayBuffer[] = []): void {
    this.#worker ??= this.#begin();
    this.#worker.postMessage(message, bodies);
  }

  #begin(): Worker {
    const worker = new Worker(PROGRAM, { resourceLimits: { maxOldGenerationSizeMb: MEGABYTES } });
    worker.unref();
    worker.on('message', (message: FromSightingThread) => {
      if (message.type === 'report') this.#answer?.(message.apis);
      else {
        this.#waiting -= message.requests;
        this.#waitingBytes -= message.bytes;
        this.#taken = Math.max(0, this.#taken - message.faults.length);
        this.#dropped += message.faults.length;
        if (message.faults[0] !== undefined) this.#log(`a request could not be looked into: ${message.faults[0]}`);
      }
    });
    worker.on('error', (error) => this.#log(`the thread that learns from traffic ended and is begun again: ${error.message}`));
    worker.on('exit', () => {
      if (this.#worker !== worker) return;
      // What it had not told is lost, and was seen all the same.
      this.#worker = null;
      this.#waiting = 0;
      this.#waitingBytes = 0;
      this.#answer?.(null);
    });
    if (this.#release) worker.postMessage({ type: 'follow', release: this.#release } satisfies ToSightingThread);
    return worker;
  }
}
