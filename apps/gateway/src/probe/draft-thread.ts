import type { DirectorySource } from '@virga/core';
import type { NodeAnswer } from '@virga/protocol/node';
import { Worker } from 'node:worker_threads';
import { answerDirectory } from '../ports/asked-directory.js';
import type { Facts } from '../ports/known-facts.js';
import type { AboutDraft, DraftThreadData, FromDrafts, ToDrafts } from './draft-messages.js';

/** Bounds of the thread that tries drafts. */
export const DRAFT_THREAD = {
  /** Its heap, megabytes. */
  megabytes: 512,
  /** Questions that wait at one time. */
  waiting: 64,
  /** It ends when nothing was asked for so long, and gives back its memory. */
  idleMs: 300_000,
} as const;

const PROGRAM = new URL('../../dist/probe/draft-worker.js', import.meta.url);

export interface DraftThreadOptions {
  readonly controlUrl: string;
  readonly token: string;
  readonly directory: () => DirectorySource;
  readonly facts: () => Facts | null;
  readonly log: (text: string) => void;
}

/**
 * Tries drafts in a thread of its own: they are compiled, decided and sent on there, with keys and connections apart
 * from those of live traffic. It is started with the first question, and anew when it ended.
 */
export class DraftThread {
  readonly #options: DraftThreadOptions;
  readonly #asked = new Map<string, (answer: NodeAnswer) => void>();
  #worker: Worker | null = null;
  #idle: NodeJS.Timeout | null = null;

  constructor(options: DraftThreadOptions) {
    this.#options = options;
  }

  /** Secrets and revocations changed. */
  hearFacts(): void {
    const facts = this.#options.facts();
    if (facts !== null && this.#worker) this.#tell(this.#worker, { type: 'facts', facts });
  }

  /** Never rejects: why there is no answer is an answer. */
  ask(ask: AboutDraft, publicOrigin: string): Promise<NodeAnswer> {
    if (this.#asked.size >= DRAFT_THREAD.waiting) return Promise.resolve(failed(ask.askId, 'too many drafts are tried at one time'));
    return new Promise((resolve) => {
      this.#asked.set(ask.askId, resolve);
      try {
        this.#tell((this.#worker ??= this.#start()), { type: 'ask', ask, publicOrigin });
      } catch (error) {
        this.#settle(failed(ask.askId, (error as Error).message));
      }
      this.#wait();
    });
  }

  async stop(): Promise<void> {
    if (this.#idle) clearTimeout(this.#idle);
    const worker = this.#worker;
    this.#worker = null;
    await worker?.terminate();
    this.#failAll('the node stops');
  }

  #start(): Worker {
    const { controlUrl, token, directory, log } = this.#options;
    const line = answerDirectory(directory);
    const worker = new Worker(PROGRAM, {
      workerData: { controlUrl, token, directory: line } satisfies DraftThreadData,
      transferList: [line.port],
      resourceLimits: { maxOldGenerationSizeMb: DRAFT_THREAD.megabytes },
    });
    worker.unref();
    worker.on('message', (message: FromDrafts) => (message.type === 'log' ? log(message.text) : this.#settle(message.answer)));
    worker.on('error', (error) => log(`the thread that tries drafts ended: ${error.message}`));
    worker.on('exit', () => {
      if (this.#worker !== worker) return;
      this.#worker = null;
      this.#failAll('the thread that tries drafts ended; try again');
    });
    const facts = this.#options.facts();
    if (facts !== null) this.#tell(worker, { type: 'facts', facts });
    return worker;
  }

  #tell(worker: Worker, message: ToDrafts): void {
    worker.postMessage(message);
  }

  #settle(answer: NodeAnswer): void {
    this.#asked.get(answer.askId)?.(answer);
    this.#asked.delete(answer.askId);
  }

  #failAll(reason: string): void {
    for (const askId of [...this.#asked.keys()]) this.#settle(failed(askId, reason));
  }

  /** Begins to count the time without questions anew. */
  #wait(): void {
    if (this.#idle) clearTimeout(this.#idle);
    this.#idle = setTimeout(() => {
      if (this.#asked.size > 0) return this.#wait();
      const worker = this.#worker;
      this.#worker = null;
      void worker?.terminate();
    }, DRAFT_THREAD.idleMs);
    this.#idle.unref();
  }
}

const failed = (askId: string, error: string): NodeAnswer => ({ askId, probe: null, examined: null, error });
