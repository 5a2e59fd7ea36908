import { contractInForce, ContractSource, looksAtContract, PartedContract, type ContractStore, type ReleaseDocument } from '@virga/core';
import { readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import type { ContractThreadData, FromContractThread } from './contract-messages.js';

const PROGRAM = new URL('../../dist/contracts/contract-worker.js', import.meta.url);

/** Bounds of reading one contract: its thread's heap, megabytes, and how long it may take. */
const CONTRACT_THREAD = { megabytes: 1024, milliseconds: 60_000 } as const;

export interface NodeContractsOptions extends Omit<ContractThreadData, 'hash'> {
  readonly log: (text: string) => void;
}

/**
 * Contracts that a node holds requests against. Each is read in a thread of its own and comes over in small parts; what an
 * operation needs of it is read when the first request comes.
 */
export class NodeContracts implements ContractStore {
  readonly #options: NodeContractsOptions;
  readonly #held = new Map<string, ContractSource>();
  readonly #loading = new Map<string, Promise<void>>();

  constructor(options: NodeContractsOptions) {
    this.#options = options;
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

  #read(hash: string): Promise<void> {
    const { controlUrl, token, folder, log } = this.#options;
    return new Promise((resolve, reject) => {
      const worker = new Worker(PROGRAM, {
        workerData: { hash, controlUrl, token, folder } satisfies ContractThreadData,
        resourceLimits: { maxOldGenerationSizeMb: CONTRACT_THREAD.megabytes },
      });
      const parts = new Map<string, string>();
      const fail = (says: string): void => {
        clearTimeout(timer);
        reject(new Error(says));
        void worker.terminate();
      };
      const timer = setTimeout(() => fail('reading it takes too long'), CONTRACT_THREAD.milliseconds);
      worker.on('message', (message: FromContractThread) => {
        switch (message.type) {
          case 'log':
            log(message.text);
            return;
          case 'parts':
            for (const [pointer, text] of message.parts) parts.set(pointer, text);
            return;
          case 'failed':
            fail(message.says);
            return;
          case 'read':
            clearTimeout(timer);
            this.#held.set(hash, new ContractSource(message.version, new PartedContract(parts), message.names));
            resolve();
            void worker.terminate();
        }
      });
      worker.on('error', (error) => fail(error.message));
      worker.on('exit', () => fail('reading it ended without a result'));
    });
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
