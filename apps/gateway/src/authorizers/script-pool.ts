import { SCRIPT_SLOWEST, type NotAsked, type ScriptCall, type ScriptCallee, type ScriptRun, type TableRows } from '@virga/core';
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { ScriptAnswer, ScriptAsk, ScriptBegun } from './script-messages.js';

/** Bounds of running scripts. */
export const SCRIPT_POOL = {
  /** Threads at most; as many as there are processors where these are fewer. */
  threads: 4,
  /** Heap of a thread beside its interpreters, megabytes. */
  megabytes: 256,
  /** Calls of all authorizers that wait at one time, and of one. */
  waiting: 1000,
  waitingOfOne: 250,
  /** How long a call may wait for a thread, milliseconds. */
  waitMs: 2000,
  /** How long a thread is left to a script beyond the longest that a call may take, before it is ended: what no interpreter stops by itself. */
  graceMs: 100,
  /** How long a script that did not stop by itself is left alone: ending threads and starting others is what it could keep a node busy with. */
  aloneMs: 10_000,
  /** How long a thread may take to make a script ready. */
  beginMs: 10_000,
} as const;

const PROGRAM = new URL('../../dist/authorizers/script-worker.js', import.meta.url);

interface Waiting {
  readonly callee: ScriptCallee;
  readonly call: ScriptCall;
  readonly since: number;
  readonly resolve: (run: ScriptRun | NotAsked) => void;
}

interface Thread {
  readonly worker: Worker;
  /** Tables as they were sent to it. */
  readonly tables: Map<string, TableRows>;
  busy: { readonly waiting: Waiting; readonly number: number; timer: NodeJS.Timeout } | null;
}

/**
 * Runs scripts in threads, one call at a time in each. Authorizers take turns, so that one whose calls take long keeps the others
 * waiting for one call of it at most; what waits is bounded, and a thread that a script does not give back is ended.
 */
export class ScriptPool {
  readonly #log: (text: string) => void;
  readonly #size = Math.min(SCRIPT_POOL.threads, Math.max(2, availableParallelism()));
  readonly #threads: Thread[] = [];
  /** Calls that wait, by authorizer, in the order in which these take turns. */
  readonly #queues = new Map<string, Waiting[]>();
  /** Scripts that are left alone, and until when. Bounded: each of them has cost a thread. */
  readonly #alone = new Map<string, number>();
  #waiting = 0;
  #number = 0;
  #stopped = false;

  constructor(log: (text: string) => void) {
    this.#log = log;
  }

  /** Never rejects. */
  run(callee: ScriptCallee, call: ScriptCall): Promise<ScriptRun | NotAsked> {
    if (this.#stopped) return Promise.resolve({ kind: 'unavailable', says: 'the node stops' });
    if (this.#isAlone(callee.identity))
      return Promise.resolve({ kind: 'busy', says: `it did not stop a moment ago, and is left alone for ${SCRIPT_POOL.aloneMs / 1000} s` });
    const queue = this.#queues.get(callee.identity) ?? [];
    if (queue.length >= SCRIPT_POOL.waitingOfOne) return Promise.resolve({ kind: 'busy', says: `${SCRIPT_POOL.waitingOfOne} calls of it wait already` });
    if (this.#waiting >= SCRIPT_POOL.waiting) return Promise.resolve({ kind: 'busy', says: `${SCRIPT_POOL.waiting} calls of authorizers wait already` });
    return new Promise((resolve) => {
      queue.push({ callee, call, since: performance.now(), resolve });
      if (queue.length === 1) this.#queues.set(callee.identity, queue);
      this.#waiting++;
      this.#next();
    });
  }

  async stop(): Promise<void> {
    this.#stopped = true;
    const threads = this.#threads.splice(0);
    for (const { busy } of threads) if (busy) this.#settle(busy, { kind: 'unavailable', says: 'the node stops' });
    for (let waiting = this.#take(); waiting; waiting = this.#take()) waiting.resolve({ kind: 'unavailable', says: 'the node stops' });
    await Promise.all(threads.map(({ worker }) => worker.terminate()));
  }

  /** The next call, of the authorizer whose turn it is; undefined where nothing waits. */
  #take(): Waiting | undefined {
    for (const [identity, queue] of this.#queues) {
      const waiting = queue.shift();
      this.#queues.delete(identity);
      if (waiting === undefined) continue;
      // It goes behind the others.
      if (queue.length > 0) this.#queues.set(identity, queue);
      this.#waiting--;
      return waiting;
    }
    return undefined;
  }

  #next(): void {
    while (this.#waiting > 0) {
      const thread = this.#threads.find(({ busy }) => busy === null) ?? (this.#threads.length < this.#size ? this.#start() : null);
      if (thread === null) return;
      const waiting = this.#take();
      if (waiting === undefined) return;
      if (performance.now() - waiting.since > SCRIPT_POOL.waitMs) waiting.resolve({ kind: 'busy', says: `it waited for ${SCRIPT_POOL.waitMs} ms` });
      else this.#give(thread, waiting);
    }
  }

  #give(thread: Thread, waiting: Waiting): void {
    const { callee, call } = waiting;
    const number = ++this.#number;
    const changed = [...call.tables].filter(([name, rows]) => thread.tables.get(name) !== rows).map(([name, rows]) => ({ name, rows }));
    for (const { name, rows } of changed) thread.tables.set(name, rows);
    thread.busy = {
      waiting,
      number,
      timer: setTimeout(() => this.#end(thread, { kind: 'fault', says: 'it could not be made ready', line: 0, column: 0 }), SCRIPT_POOL.beginMs),
    };
    thread.worker.postMessage({
      number,
      identity: callee.identity,
      script: callee.script,
      input: call.input,
      hidden: call.hidden,
      tables: changed,
    } satisfies ScriptAsk);
  }

  #start(): Thread {
    const worker = new Worker(PROGRAM, { resourceLimits: { maxOldGenerationSizeMb: SCRIPT_POOL.megabytes } });
    const thread: Thread = { worker, tables: new Map(), busy: null };
    worker.unref();
    worker.on('message', (message: ScriptAnswer | ScriptBegun) => this.#hear(thread, message));
    worker.on('error', (error) => this.#log(`a thread that runs scripts ended: ${error.message}`));
    worker.on('exit', () => this.#gone(thread, { kind: 'fault', says: 'the thread that ran it ended', line: 0, column: 0 }));
    this.#threads.push(thread);
    return thread;
  }

  #hear(thread: Thread, message: ScriptAnswer | ScriptBegun): void {
    const { busy } = thread;
    if (busy === null) return;
    if ('begun' in message) {
      if (message.begun !== busy.number) return;
      clearTimeout(busy.timer);
      const mostMs = busy.waiting.callee.script.timeMs * SCRIPT_SLOWEST + SCRIPT_POOL.graceMs;
      busy.timer = setTimeout(() => this.#end(thread, { kind: 'time' }), mostMs);
      return;
    }
    if (message.number !== busy.number) return;
    thread.busy = null;
    this.#settle(busy, message.run);
    this.#next();
  }

  #settle({ waiting, timer }: NonNullable<Thread['busy']>, run: ScriptRun | NotAsked): void {
    clearTimeout(timer);
    waiting.resolve(run);
  }

  #isAlone(identity: string): boolean {
    const until = this.#alone.get(identity);
    if (until === undefined) return false;
    if (performance.now() < until) return true;
    this.#alone.delete(identity);
    return false;
  }

  /** Ends a thread that does not come back. What waits for the same script is told at once. */
  #end(thread: Thread, run: ScriptRun): void {
    const identity = thread.busy?.waiting.callee.identity;
    if (identity !== undefined) {
      this.#alone.set(identity, performance.now() + SCRIPT_POOL.aloneMs);
      const queue = this.#queues.get(identity) ?? [];
      this.#queues.delete(identity);
      this.#waiting -= queue.length;
      for (const waiting of queue) waiting.resolve({ kind: 'busy', says: 'it did not stop for the call before this one' });
    }
    this.#log(`a thread that runs scripts was ended: ${run.kind === 'time' ? 'a script did not stop' : 'a script could not be made ready'}`);
    this.#gone(thread, run);
    void thread.worker.terminate();
  }

  #gone(thread: Thread, run: ScriptRun): void {
    const at = this.#threads.indexOf(thread);
    if (at < 0) return;
    this.#threads.splice(at, 1);
    const { busy } = thread;
    thread.busy = null;
    if (busy) this.#settle(busy, run);
    this.#next();
  }
}
