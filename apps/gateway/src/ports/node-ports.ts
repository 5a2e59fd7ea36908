import type {
  Authorizers,
  ContractStore,
  Counters,
  DirectorySource,
  Introspection,
  KeySource,
  LocalCounters,
  Ports,
  ReplayMemory,
  TokenCache,
} from '@virga/core';
import * as crypto from 'node:crypto';
import { performance } from 'node:perf_hooks';
import { NODE_SIGNATURES } from './node-signatures.js';
import type { Nonces } from './nonces.js';
import type { KnownFacts } from './known-facts.js';

/** What a node has that decisions ask for. */
export interface NodeParts {
  readonly keys: KeySource;
  readonly introspection: Introspection;
  readonly facts: KnownFacts;
  readonly nonces: Nonces;
  /** Belongs to the node and outlives every release: a proof used under one is used under the next. */
  readonly replay: ReplayMemory;
  readonly tokens: TokenCache;
  readonly authorizers: Authorizers;
  readonly contracts: ContractStore;
  /** Counts of limits, which outlive every release. */
  readonly counters: Counters;
  /** Failures to prove oneself. */
  readonly guesses: LocalCounters;
  /** Clients as they are now. */
  readonly directory: () => DirectorySource;
  fault(error: unknown, at: string): void;
}

/** The ports of a gateway node: real clocks, SHA-256, and what the node holds. */
export function nodePorts({
  keys,
  introspection,
  facts,
  nonces,
  replay,
  tokens,
  authorizers,
  contracts,
  counters,
  guesses,
  directory,
  fault,
}: NodeParts): Ports {
  return {
    now: Date.now,
    ticks: () => performance.now(),
    digest: (text) => crypto.hash('sha256', text, 'base64url'),
    keys,
    signatures: NODE_SIGNATURES,
    introspection,
    replay,
    tokens,
    fault,
    nonces,
    secrets: facts,
    authorizers,
    contracts,
    counters,
    guesses,
    revocations: () => facts.revocations,
    directory,
  };
}
