import { Injectable, type OnApplicationShutdown } from '@nestjs/common';
import type { ReleaseDocument, SavedTrial, TrialReport } from '@virga/core';
import { Worker } from 'node:worker_threads';
import { SavedTrialRow } from '../../store/models/trials.js';
import { problem } from '../../http/problems.js';
import { readKnownFacts } from '../../store/known-facts.js';
import type { TrialsAsked, TrialsDone } from './trial-messages.js';

const BOUNDS = {
  /** One run may take so long, milliseconds. */
  runMs: 120_000,
  /** The thread ends when nothing was asked for so long. */
  idleMs: 120_000,
  megabytes: 768,
} as const;

interface Waiting {
  readonly resolve: (report: TrialReport) => void;
  readonly reject: (error: Error) => void;
  readonly timer: NodeJS.Timeout;
}

/** Runs the trials of a release in a thread of its own. What could not be run is an error, never a report without it. */
@Injectable()
export class TrialRunner implements OnApplicationShutdown {
  readonly #waiting = new Map<number, Waiting>();
  #worker: Worker | null = null;
  #idle: NodeJS.Timeout | null = null;
  #asked = 0;

  async run(document: ReleaseDocument, before: ReleaseDocument | null): Promise<TrialReport> {
    const [facts, saved] = await Promise.all([readKnownFacts(), readSaved()]);
    const guarded = [document, before].some((one) => one?.apis.some(({ operations }) => operations.length > 0));
    if (!guarded && saved.length === 0) return { items: [], counts: { holds: 0, fails: 0, observed: 0, 'not-known': 0 }, operations: 0, cut: false, tookMs: 0 };
    return this.#ask({ document, before, facts, saved, nowMs: Date.now() });
  }

  async onApplicationShutdown(): Promise<void> {
    await this.#end('the control plane stops');
  }

  #ask(question: Omit<TrialsAsked, 'number'>): Promise<TrialReport> {
    const number = ++this.#asked;
    return new Promise((resolve, reject) => {
      const timer = setTimeout(() => void this.#end(`they took longer than ${BOUNDS.runMs / 1000} s`), BOUNDS.runMs);
      this.#waiting.set(number, { resolve, reject, timer });
      this.#worker ??= this.#start();
      this.#worker.postMessage({ number, ...question } satisfies TrialsAsked);
      this.#wait();
    });
  }

  #start(): Worker {
    const worker = new Worker(new URL('./trial-worker.js', import.meta.url), { resourceLimits: { maxOldGenerationSizeMb: BOUNDS.megabytes } });
    worker.unref();
    worker.on('message', ({ number, report, error }: TrialsDone) => {
      const asked = this.#waiting.get(number);
      if (!asked) return;
      this.#waiting.delete(number);
      clearTimeout(asked.timer);
      if (report === null) asked.reject(notRun(error ?? 'there was no answer'));
      else asked.resolve(report);
    });
    worker.on('error', (error) => void this.#end(error.message, worker));
    worker.on('exit', () => void this.#end('the thread ended', worker));
    return worker;
  }

  /** Ends the thread, and fails what waits for it. @param of the thread that ended by itself */
  async #end(reason: string, of: Worker | null = this.#worker): Promise<void> {
    if (of === null || of !== this.#worker) return;
    this.#worker = null;
    if (this.#idle) clearTimeout(this.#idle);
    for (const { reject, timer } of this.#waiting.values()) {
      clearTimeout(timer);
      reject(notRun(reason));
    }
    this.#waiting.clear();
    await of.terminate();
  }

  #wait(): void {
    if (this.#idle) clearTimeout(this.#idle);
    this.#idle = setTimeout(() => (this.#waiting.size > 0 ? this.#wait() : void this.#end('idle')), BOUNDS.idleMs);
    this.#idle.unref();
  }
}

const notRun = (reason: string): Error => problem(503, 'The trials could not be run', `${reason}. Nothing is published without them; try again.`);

export async function readSaved(): Promise<SavedTrial[]> {
  const rows = await SavedTrialRow.findAll({ order: [['savedAt', 'ASC']], raw: true });
  return rows.map(({ id, name, expected, call }) => ({ id, name, expected, ...(JSON.parse(call) as Pick<SavedTrial, 'call' | 'atMs'>) }));
}
