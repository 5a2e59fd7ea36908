import { ConfigError, takesOpaqueTokens, upgradeDocument, type CarriedDocument, type KeySource, type Ports } from '@virga/core';
import type { Introspector, KeyLease, ProviderKeys } from '@virga/outbound';
import type { FeedMessage, NodeStatus } from '@virga/protocol/node';
import { setImmediate } from 'node:timers/promises';
import type { NodeContracts } from './contracts/node-contracts.js';
import type { DocumentParts, WholeDocument } from './control/document-parts.js';
import { compileBetweenRequests, LiveRelease } from './live-release.js';
import type { SightingThread } from './sightings/sighting-thread.js';
import type { ReleaseSnapshot, Snapshot } from './snapshot/snapshot.js';
import type { UpstreamPools } from './upstream/pools.js';

type ReleaseMessage = Extract<FeedMessage, { type: 'release' }>;

export interface ReleaseLaneParts {
  readonly keys: ProviderKeys;
  readonly introspector: Introspector;
  readonly pools: UpstreamPools;
  readonly snapshot: Snapshot;
  readonly parts: DocumentParts;
  readonly contracts: NodeContracts;
  readonly sightings: SightingThread;
  readonly ports: (keys: KeySource) => Ports;
  /** What is known when a release is kept: without it, it is not served again. */
  readonly known: () => { readonly withFacts: boolean; readonly withDirectory: boolean };
  readonly log: (text: string) => void;
}

/** Releases as they come to a node: put together, compiled, put in force and kept, one after the other. */
export class ReleaseLane {
  readonly #with: ReleaseLaneParts;
  #live: LiveRelease | null = null;
  #effectiveAt = 0;
  #refused: NodeStatus['refusedRelease'] = null;
  #taking: Promise<unknown> = Promise.resolve();
  #keeping: Promise<void> = Promise.resolve();

  constructor(parts: ReleaseLaneParts) {
    this.#with = parts;
  }

  /** The release in force; null for none. */
  get live(): LiveRelease | null {
    return this.#live;
  }

  /** What the node says of it. */
  get state(): Pick<NodeStatus, 'release' | 'refusedRelease'> {
    const live = this.#live;
    return { release: live && { number: live.number, hash: live.hash, effectiveAt: this.#effectiveAt }, refusedRelease: this.#refused };
  }

  /**
   * Takes a release that the control plane sent, after those that came before it: the last one counts.
   * @returns whether it is in force; false when it cannot be used, and the one before serves on
   */
  hear({ number, hash, document }: ReleaseMessage): Promise<boolean> {
    const taking = this.#taking.then(() => this.#take(number, hash, () => this.#with.parts.join(document), document));
    this.#taking = taking;
    return taking;
  }

  /** Serves a release that was read from disk. */
  async recall({ number, hash, document }: ReleaseSnapshot): Promise<void> {
    await this.#take(number, hash, () => Promise.resolve({ document, parts: new Map() }), null);
  }

  /** Resolves when the release in force is on disk, or could not be written. */
  async settle(): Promise<void> {
    await this.#taking;
    await this.#keeping;
  }

  /** @param keep what is to be kept on disk once it is in force; null where it came from there */
  async #take(number: number, hash: string, join: () => Promise<WholeDocument>, keep: CarriedDocument | null): Promise<boolean> {
    if (this.#live?.number === number && this.#live.hash === hash) return true;
    let lease: KeyLease | null = null;
    try {
      const whole = await join();
      const document = upgradeDocument(whole.document);
      const trial = document.providers.find((provider) => provider.draftOnly);
      if (trial) throw new ConfigError('/providers', `${trial.name} may be trusted in drafts only`);
      await this.#with.contracts.load(document);
      const held = (lease = this.#with.keys.lease(document.providers));
      const compiled = await compileBetweenRequests(document, this.#with.ports(held));
      const before = this.#live;
      this.#live = new LiveRelease(number, hash, compiled, this.#with.pools, () => held.close());
      this.#with.keys.follow(document.providers);
      this.#with.introspector.follow(document.providers.filter(takesOpaqueTokens));
      this.#effectiveAt = Date.now();
      this.#refused = null;
      before?.retire();
      this.#with.sightings.follow(document);
      void this.#with.contracts.keepFor(document);
      this.#with.log(`release ${number} is live`);
      if (keep !== null) this.#keeping = this.#keep(number, hash, keep, whole.parts);
      return true;
    } catch (error) {
      lease?.close();
      const reason = error instanceof ConfigError ? `${error.pointer}: ${error.message}` : (error as Error).message;
      this.#refused = { number, reason };
      this.#with.log(`release ${number} cannot be used: ${reason}`);
      return false;
    }
  }

  async #keep(number: number, hash: string, document: CarriedDocument, parts: ReadonlyMap<string, string>): Promise<void> {
    await setImmediate();
    await this.#with.snapshot.write({ number, hash, document, parts, ...this.#with.known() });
  }
}
