/** Remembers proofs that were used, so that none is used twice (RFC 9449 section 11.1). */
export interface ReplayMemory {
  /** True when this key was remembered already; remembers it until `untilMs` otherwise. */
  seen(key: string, untilMs: number, nowMs: number): boolean;
}

/** At most this many proofs are remembered; past that, proofs are refused rather than forgotten. */
export const REPLAY_LIMIT = 200_000;

/**
 * A memory for one process, by arithmetic on the times given. Two halves take turns, so that forgetting costs nothing.
 * When it is full everything counts as seen: fail closed.
 */
export class LocalReplayMemory implements ReplayMemory {
  readonly #limit: number;
  readonly #halfMs: number;
  #young = new Map<string, number>();
  #old = new Map<string, number>();
  #turnedAt = 0;

  /** @param lifeMs the longest time that anything is remembered */
  constructor(lifeMs = 120_000, limit = REPLAY_LIMIT) {
    this.#halfMs = lifeMs;
    this.#limit = limit;
  }

  seen(key: string, untilMs: number, nowMs: number): boolean {
    if (nowMs - this.#turnedAt > this.#halfMs) {
      this.#old = nowMs - this.#turnedAt > 2 * this.#halfMs ? new Map<string, number>() : this.#young;
      this.#young = new Map();
      this.#turnedAt = nowMs;
    }
    const until = this.#young.get(key) ?? this.#old.get(key);
    if (until !== undefined && nowMs <= until) return true;
    if (this.#young.size + this.#old.size >= this.#limit) return true;
    this.#young.set(key, Math.min(untilMs, nowMs + this.#halfMs));
    return false;
  }
}
