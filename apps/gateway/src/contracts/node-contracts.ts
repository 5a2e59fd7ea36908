import { contractInForce, ContractSource, looksAtContract, PartedContract, type ContractStore, type ReleaseDocument } from '@virga/core';
import { readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { HeldTexts } from './held-texts.js';
import type { ContractThreadData, FromContractThread, ReadContractAsk } from './contract-messages.js';

const PROGRAM = new URL('../../dist/contracts/contract-worker.js', import.meta.url);

/** Bounds of reading one contract: its thread's heap, megabytes, and how long it may take. */
const CONTRACT_THREAD = { megabytes: 1024, milliseconds: 60_000 } as const;

export interface NodeContractsOptions extends ContractThreadData {
  readonly log: (text: string) => void;
}

/**
 * Contracts that a node holds requests against. They are read in a thread of their own, which hands over its bytes; what an
 * operation needs of it is read when the first request comes.
 */
export class NodeContracts implements ContractStore {
  readonly #options: NodeContractsOptions;
  readonly #held = new Map<string, ContractSource>();
  readonly #loading = new Map<string, Promise<void>>();
  #worker: Worker | null = null;
  #turn: Promise<unknown> = Promise.resolve();

  constructor(options: NodeContractsOptions) {
    this.#options = options;
  }

  /** Starts the thread that reads them before it is needed: starting one keeps whoever serves meanwhile. */
  start(): void {
    this.#worker ??= this.#begin();
  }

  async stop(): Promise<void> {
    await this.#worker?.terminate();
  }

  find(hash: string): ContractSource | null {
    return this.#held.get(hash) ?? null;
  }

  /** Makes ready what a document needs. @throws Error when a contract is not to be had: a release without it would not be what was published */
  async load(document: ReleaseDocument): Promise<void> {
    for (const { hash, name } of contractsOf(document)) {
      await this.#load(hash).catch((error: Error) => {
        throw new Error(`the contract of ${name} is not to be had: ${error.message}`);
      });
    }
  }

  /** Lets go of all that a document does not need, on disk too. */
  async keepFor(document: ReleaseDocument): Promise<void> {
    const wanted = new Set(contractsOf(document).map(({ hash }) => hash));
    for (const hash of this.#held.keys()) if (!wanted.has(hash)) this.#held.delete(hash);
    const { folder } = this.#options;
    if (folder === null) return;
    const files = await readdir(folder).catch(() => []);
    for (const file of files)
      if (file.endsWith('.sealed') && !wanted.has(file.slice(0, -7))) await rm(join(folder, file), { force: true }).catch(() => undefined);
  }

  #load(hash: string): Promise<void> {
    if (this.#held.has(hash)) return Promise.resolve();
    const loading = this.#loading.get(hash) ?? this.#read(hash).finally(() => this.#loading.delete(hash));
    this.#loading.set(hash, loading);
    return loading;
  }

  /** One after the other: they share the thread. */
  #read(hash: string): Promise<void> {
    const reading = this.#turn.then(() => this.#readNow(hash));
    this.#turn = reading.catch(() => undefined);
    return reading;
  }

  #readNow(hash: string): Promise<void> {
    const worker = (this.#worker ??= this.#begin());
    return new Promise((resolve, reject) => {
      const settle = (end: () => void): void => {
        clearTimeout(timer);
        worker.off('message', hear);
        worker.off('exit', ended);
        worker.unref();
        end();
      };
      const fail = (says: string): void => settle(() => reject(new Error(says)));
      const ended = (): void => fail('reading it ended without a result');
      const timer = setTimeout(() => {
        fail('reading it takes too long');
        void worker.terminate();
      }, CONTRACT_THREAD.milliseconds);
      const hear = (message: FromContractThread): void => {
        switch (message.type) {
          case 'log':
            this.#options.log(message.text);
            return;
          case 'failed':
            fail(message.says);
            return;
          case 'read':
            this.#held.set(hash, new ContractSource(message.version, new PartedContract(new HeldTexts(message.parts)), message.names));
            settle(resolve);
        }
      };
      worker.on('message', hear);
      worker.on('exit', ended);
      worker.ref();
      worker.postMessage({ hash } satisfies ReadContractAsk);
    });
  }

  #begin(): Worker {
    const { controlUrl, token, folder, log } = this.#options;
    const worker = new Worker(PROGRAM, {
      workerData: { controlUrl, token, folder } satisfies ContractThreadData,
      resourceLimits: { maxOldGenerationSizeMb: CONTRACT_THREAD.megabytes },
    });
    worker.unref();
    worker.on('error', (error) => log(`the thread that reads contracts ended: ${error.message}`));
    worker.on('exit', () => {
      if (this.#worker === worker) this.#worker = null;
    });
    return worker;
  }
}

/**
 * Contracts that something is held against, each once, with the name of an API of it. What is not built as a document is
 * left for whoever compiles it to refuse.
 */
function contractsOf(document: ReleaseDocument): readonly { readonly hash: string; readonly name: string }[] {
  const found = new Map<string, string>();
  try {
    for (const { contract, contractHash, operations, name } of document.apis) {
      const wanted = looksAtContract(contract) || operations.some(({ contract: own }) => own !== null && looksAtContract(contractInForce(contract, own)));
      if (wanted && contractHash !== null) found.set(contractHash, name);
    }
  } catch (error) {
    if (!(error instanceof TypeError)) throw error;
  }
  return [...found].map(([hash, name]) => ({ hash, name }));
}
