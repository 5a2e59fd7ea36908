import { Injectable } from '@nestjs/common';
import type { DirectoryChange } from '@virga/core';
import type { DirectoryEffect } from '@virga/protocol';
import { performance } from 'node:perf_hooks';
import { directoryPages } from '../store/client-store.js';
import { NodeHub } from './node-hub.js';

/** How long a change is waited for until every node has it. */
const EFFECT_MS = 2000;

/** The directory lane: every change of clients goes to all nodes at once, and the whole of it to a node that connects. */
@Injectable()
export class DirectoryFeed {
  readonly #hub: NodeHub;

  constructor(hub: NodeHub) {
    this.#hub = hub;
    hub.serveDirectory(directoryPages);
  }

  /** Tells all nodes of what has changed, after it was stored, and waits until each has it in force. */
  async tell(changes: readonly DirectoryChange[]): Promise<DirectoryEffect> {
    const startedAt = performance.now();
    const { told, live } = await this.#hub.tellDirectory(changes, EFFECT_MS);
    return { effectiveMs: live === told && told > 0 ? Math.round((performance.now() - startedAt) * 10) / 10 : null, nodesTold: told, nodesLive: live };
  }
}
