import { takesOpaqueTokens, upgradeDocument, type CarriedDocument } from '@virga/core';
import type { Introspector, ProviderKeys } from '@virga/outbound';
import type { NodeContracts } from '../contracts/node-contracts.js';
import type { DocumentParts } from '../control/document-parts.js';
import { compileBetweenRequests, LiveRelease } from '../live-release.js';
import { nodePorts, type NodeParts } from '../ports/node-ports.js';
import type { UpstreamPools } from '../upstream/pools.js';

/** Drafts that are held ready at one time. */
export const MAX_DRAFTS = 4;

/** What drafts are tried with, apart from live traffic. */
export interface DraftParts extends Omit<NodeParts, 'keys' | 'introspection' | 'contracts'> {
  readonly contracts: NodeContracts;
  readonly keys: ProviderKeys;
  readonly introspection: Introspector;
  readonly pools: UpstreamPools;
  readonly parts: DocumentParts;
}

/**
 * Documents that are tried: each is compiled once, with keys and connections apart from those of live traffic. Several
 * are tried at one time without taking anything from each other; the one used longest ago goes first.
 */
export class Drafts {
  readonly #parts: DraftParts;
  readonly #held = new Map<string, Promise<LiveRelease>>();

  constructor(parts: DraftParts) {
    this.#parts = parts;
  }

  /** Runs something with a document that is not live. @throws ConfigError when the document cannot be used */
  async with<T>(hash: string, document: CarriedDocument, use: (draft: LiveRelease) => Promise<T>): Promise<T> {
    const opening = this.#held.get(hash) ?? this.#open(hash, document);
    this.#held.delete(hash);
    this.#held.set(hash, opening);
    let draft: LiveRelease;
    try {
      draft = await opening;
    } catch (error) {
      if (this.#held.get(hash) === opening) this.#held.delete(hash);
      throw error;
    }
    draft.begin();
    try {
      return await use(draft);
    } finally {
      draft.end();
    }
  }

  async #open(hash: string, carried: CarriedDocument): Promise<LiveRelease> {
    for (const [oldest, opening] of this.#held) {
      if (this.#held.size < MAX_DRAFTS) break;
      this.#held.delete(oldest);
      void opening.then((draft) => draft.retire()).catch(() => undefined);
    }
    const document = upgradeDocument((await this.#parts.parts.join(carried)).document);
    await this.#parts.contracts.load(document);
    const keys = this.#parts.keys.lease(document.providers);
    try {
      this.#parts.introspection.follow(document.providers.filter(takesOpaqueTokens));
      const compiled = await compileBetweenRequests(document, nodePorts({ ...this.#parts, keys }));
      return new LiveRelease(0, hash, compiled, this.#parts.pools, () => keys.close());
    } catch (error) {
      keys.close();
      throw error;
    }
  }
}
