/** A token bucket by arithmetic on the times given: `perSecond` on average, `burst` at once. */
export class RateBudget {
  readonly #perMs: number;
  readonly #burst: number;
  #left: number;
  #at = 0;

  constructor(perSecond: number, burst: number) {
    this.#perMs = perSecond / 1000;
    this.#burst = burst;
    this.#left = burst;
  }

  /** @param nowMs milliseconds since the epoch */
  take(nowMs: number): boolean {
    if (nowMs > this.#at) {
      this.#left = Math.min(this.#burst, this.#left + (nowMs - this.#at) * this.#perMs);
      this.#at = nowMs;
    }
    if (this.#left < 1) return false;
    this.#left--;
    return true;
  }
}
