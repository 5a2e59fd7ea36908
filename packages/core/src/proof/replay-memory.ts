import type { Awaitable } from '../util/awaitable.js';

/**
 * Whether a proof was used before. `unknowable`: this memory cannot tell, so the proof is refused; `away`: nor could it of another
 * one now, because what nodes remember together cannot be reached.
 */
export type Replay = 'new' | 'used' | { readonly unknowable: string } | { readonly away: string };

/** Remembers proofs that were used, so that none is used twice (RFC 9449 section 11.1). */
export interface ReplayMemory {
  /**
   * Looks a key up and remembers it until `untilMs` when it is new.
   * @param madeMs when the proof says that it was made, milliseconds since the epoch
   */
  see(key: string, madeMs: number, untilMs: number, nowMs: number): Awaitable<Replay>;
}

/** At most this many proofs are remembered; past that, proofs are refused rather than forgotten. */
export const REPLAY_LIMIT = 200_000;

/**
 * A memory for one process, by arithmetic on the times given. Two halves take turns, so that forgetting costs nothing.
 * When it is full, and for proofs made before it began to remember, it cannot tell: fail closed.
 */
export class LocalReplayMemory implements ReplayMemory {
  readonly #limit: number;
  readonly #halfMs: number;
  readonly #sinceMs: number;
  #young = new Map<string, number>();
  #old = new Map<string, number>();
  #turnedAt = 0;

  /**
   * @param sinceMs proofs made before this may have been used at an earlier life of the process, milliseconds since the epoch
   * @param lifeMs the longest time that anything is remembered
   */
  constructor(sinceMs = 0, lifeMs = 120_000, limit = REPLAY_LIMIT) {
    this.#sinceMs = sinceMs;
    this.#halfMs = lifeMs;
    this.#limit = limit;
  }

  see(key: string, madeMs: number, untilMs: number, nowMs: number): Replay {
    if (nowMs - this.#turnedAt > this.#halfMs) {
      this.#old = nowMs - this.#turnedAt > 2 * this.#halfMs ? new Map<string, number>() : this.#young;
      this.#young = new Map();
      this.#turnedAt = nowMs;
    }
    const until = this.#young.get(key) ?? this.#old.get(key);
    if (until !== undefined && nowMs <= until) return 'used';
    if (madeMs < this.#sinceMs) return { unknowable: 'it was made before this node began to remember' };
    if (this.#young.size + this.#old.size >= this.#limit) return { unknowable: `it remembers ${this.#limit} proofs already` };
    this.#young.set(key, Math.min(untilMs, nowMs + this.#halfMs));
    return 'new';
  }
}
