import { LocalReplayMemory, type Introspection, type KeySource, type Ports } from '@virga/core';
import * as crypto from 'node:crypto';
import { performance } from 'node:perf_hooks';
import type { Nonces } from './nonces.js';
import type { PrivateFacts } from './private-facts.js';

/** What a node has that decisions ask for. */
export interface NodeParts {
  readonly keys: KeySource;
  readonly introspection: Introspection;
  readonly facts: PrivateFacts;
  readonly nonces: Nonces;
}

/** The ports of a gateway node: real clocks, SHA-256, and what the node holds. A replayed proof is one seen by these ports before. */
export function nodePorts({ keys, introspection, facts, nonces }: NodeParts): Ports {
  return {
    now: Date.now,
    ticks: () => performance.now(),
    digest: (text) => crypto.hash('sha256', text, 'base64url'),
    keys,
    introspection,
    replay: new LocalReplayMemory(),
    nonces,
    secrets: facts,
    revocations: () => facts.revocations,
  };
}
