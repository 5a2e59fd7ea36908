import type { ContractSource } from '../contract/check/contract-source.js';
import { Directory } from '../directory/directory.js';
import type { DirectorySource } from '../directory/facts.js';
import { LocalReplayMemory, type ReplayMemory } from '../proof/replay-memory.js';
import type { Introspection } from '../token/introspection.js';
import { Revocations } from '../token/revocations.js';
import { AnswerMemory } from '../authorizer/answer-memory.js';
import type { Authorizers } from '../authorizer/ask.js';
import { TokenCache } from '../token/token-cache.js';
import { WEB_SIGNATURES, type SignaturePlatform } from '../token/verify-signature.js';
import type { KeySource } from '../token/verify-token.js';
import type { Counters } from '../limit/counters.js';
import { MemoryCounters } from '../limit/memory-counters.js';
import type { LocalCounters } from '../limit/unshared-counters.js';
import type { CompiledStep } from './compiled.js';

/** Nonces that this gateway hands out for proofs (RFC 9449 section 9). */
export interface NonceSource {
  /** The nonce to hand out now. */
  current(nowMs: number): string;
  accepts(nonce: string, nowMs: number): boolean;
}

/** Values of secrets by their names. A release holds names only. */
export interface SecretSource {
  value(name: string): string | null;
}

/** Contracts by the hash of their text. A release holds hashes only. */
export interface ContractStore {
  /** Null for one that is not here. */
  find(hash: string): ContractSource | null;
}

/** All that a decision needs from outside. Live traffic, rehearsal and trials pass different ports to the same code. */
export interface Ports {
  /** Milliseconds since the epoch. */
  now(): number;
  /** A clock for durations, milliseconds with fractions. */
  ticks(): number;
  /** SHA-256 of the UTF-8 bytes of a text, base64url without padding: also what `ath` of a DPoP proof is. */
  digest(text: string): string;
  readonly keys: KeySource;
  /** What checks signatures. */
  readonly signatures: SignaturePlatform;
  readonly introspection: Introspection;
  readonly replay: ReplayMemory;
  /** Tokens that were verified before. */
  readonly tokens: TokenCache;
  readonly nonces: NonceSource;
  readonly secrets: SecretSource;
  /** Contracts of APIs. */
  readonly contracts: ContractStore;
  /** What runs scripts and asks decision services. */
  readonly authorizers: Authorizers;
  /** Counts requests against limits. */
  readonly counters: Counters;
  /** Counts failures to prove oneself, without waiting. */
  readonly guesses: LocalCounters;
  revocations(): Revocations;
  /** Clients and their credentials as they are now. */
  directory(): DirectorySource;
  /** Told of a fault inside a step, which refuses the request: its stack is for the log of whoever runs the decision. */
  fault(error: unknown, at: string): void;
  /**
   * What stands in for a check that hangs on facts nobody has; left out by whoever decides what callers sent. Asked once for
   * each step while a release is compiled.
   */
  readonly standIn?: (step: CompiledStep) => CompiledStep;
}

const NOBODY = () => Promise.resolve({ kind: 'unavailable', says: 'nothing is asked outside here' } as const);
const NOBODY_ASKED: Authorizers = { run: NOBODY, ask: NOBODY, answers: new AnswerMemory(), told: () => undefined };
const NOBODY_KNOWN = new Directory();
const NONE_REVOKED = new Revocations();

/** Ports for where nothing can be asked outside: what would need it is refused (fail closed). */
export function closedPorts(given: Pick<Ports, 'now' | 'ticks' | 'digest' | 'keys'> & Partial<Ports>): Ports {
  return {
    signatures: WEB_SIGNATURES,
    introspection: { ask: () => Promise.resolve({ outcome: 'unavailable', reason: 'nothing is asked outside here' }) },
    replay: new LocalReplayMemory(),
    tokens: given.tokens ?? new TokenCache(),
    nonces: { current: () => '', accepts: () => false },
    secrets: { value: () => null },
    contracts: { find: () => null },
    authorizers: NOBODY_ASKED,
    counters: new MemoryCounters(),
    guesses: new MemoryCounters(),
    revocations: () => NONE_REVOKED,
    directory: () => NOBODY_KNOWN,
    fault: () => undefined,
    ...given,
  };
}
