import { Injectable } from '@nestjs/common';
import { OutboundError, guardedFetch } from '@virga/outbound';
import type { ContractReading, ContractSourceInput } from '@virga/protocol';
import { createHash } from 'node:crypto';
import { Worker } from 'node:worker_threads';
import { ContractRow } from '../../store/models/configuration.js';
import { Store } from '../../store/store.js';
import { fieldProblem, problem } from '../../http/problems.js';
import { Turns } from '../../http/turns.js';
import type { ContractResult } from './contract-result.js';
import type { ContractQuestion, UpgradeAnswer } from './contract-question.js';

/** Bounds of reading one description: time, memory of its thread, and how many are read or wait at one time. */
const READ_MS = 30_000;
const WORKER_MEGABYTES = 768;
const AT_ONCE = 2;
const WAITING = 16;
const FETCH_LIMITS = { maxBytes: 16 * 1024 * 1024, timeoutMs: 20_000, maxRedirects: 3 };

/** How a description of version 2.0 says so, in JSON or YAML, and within how many characters that is looked for. */
const VERSION_2 = /(?:^|[{,\n])\s*["']?swagger["']?\s*:\s*["']?2\.0/;
const VERSION_WITHIN = 200_000;

/** Fetching, reading and keeping API descriptions. */
@Injectable()
export class ContractService {
  readonly #store: Store;
  readonly #turns = new Turns(AT_ONCE, WAITING);

  constructor(store: Store) {
    this.#store = store;
  }

  /** The text of a source; one of version 2.0 as OpenAPI 3.0. @throws problem when it has none, cannot be fetched or cannot be upgraded */
  async textOf(source: ContractSourceInput): Promise<string> {
    const text = await this.#given(source);
    if (!VERSION_2.test(text.slice(0, VERSION_WITHIN))) return text;
    const { text: upgraded, says } = await this.#inThread<UpgradeAnswer>('upgrade-worker.js', { text });
    if (upgraded === null) throw fieldProblem('/source', `The description is of version 2.0 and could not be upgraded: ${says}`);
    return upgraded;
  }

  async #given(source: ContractSourceInput): Promise<string> {
    if ((source.text === undefined) === (source.url === undefined))
      throw fieldProblem('/source', 'Give the text of the description or its address, one of the two');
    if (source.text !== undefined) return source.text;
    try {
      const fetched = await guardedFetch(source.url ?? '', { allowLoopbackHttp: source.allowLoopback ?? false, privateHosts: [] }, FETCH_LIMITS);
      if (fetched.status !== 200) throw fieldProblem('/source/url', `The address answered ${fetched.status}`);
      return fetched.text;
    } catch (error) {
      if (error instanceof OutboundError) throw fieldProblem('/source/url', error.message);
      throw error;
    }
  }

  /** Reads a description in a worker thread, which is ended when it takes too long or too much memory. */
  read(text: string): Promise<ContractResult> {
    return this.#inThread<ContractResult>('contract-worker.js', { text });
  }

  /** Asks about the text of a description, in a thread of its own too. */
  ask<T>(question: ContractQuestion): Promise<T> {
    return this.#inThread<T>('question-worker.js', question);
  }

  async #inThread<T>(program: string, data: object): Promise<T> {
    const done = await this.#turns.take();
    if (!done) throw problem(503, 'Too many descriptions are read at one time', 'Try again in a moment.');
    try {
      return await this.#run<T>(program, data);
    } finally {
      done();
    }
  }

  #run<T>(program: string, data: object): Promise<T> {
    return new Promise((resolve, reject) => {
      const worker = new Worker(new URL(`./${program}`, import.meta.url), {
        workerData: data,
        resourceLimits: { maxOldGenerationSizeMb: WORKER_MEGABYTES },
      });
      const timer = setTimeout(() => {
        void worker.terminate();
        reject(problem(422, 'The description takes too long to read', `It was not read within ${READ_MS / 1000} s.`));
      }, READ_MS);
      worker.once('message', (result: T) => {
        clearTimeout(timer);
        resolve(result);
        void worker.terminate();
      });
      worker.once('error', (error) => {
        clearTimeout(timer);
        const memory = (error as NodeJS.ErrnoException).code === 'ERR_WORKER_OUT_OF_MEMORY';
        reject(
          problem(
            422,
            'The description cannot be read',
            memory ? `It needs more than the ${WORKER_MEGABYTES} MB that one description may take.` : error.message,
          ),
        );
      });
      worker.once('exit', () => {
        clearTimeout(timer);
        // Nothing when it was answered before.
        reject(problem(422, 'The description cannot be read', 'Reading it ended without a result.'));
      });
    });
  }

  /** Keeps a text under its hash. */
  async keep(text: string, format: 'json' | 'yaml'): Promise<string> {
    const hash = createHash('sha256').update(text).digest('hex');
    await this.#store.write((transaction) =>
      ContractRow.findOrCreate({ where: { hash }, defaults: { hash, format, text, createdAt: Date.now() }, transaction }),
    );
    return hash;
  }

  find(hash: string): Promise<ContractRow | null> {
    return ContractRow.findByPk(hash, { raw: true });
  }
}

export function readingOf(result: ContractResult): ContractReading {
  const { usable, title, version, openapi, format, servers, problems, problemCount } = result;
  return {
    usable,
    title,
    version,
    openapi,
    format,
    servers: [...servers],
    operationCount: result.operations.length,
    problems: problems.map((item) => ({ ...item })),
    problemCount,
  };
}
