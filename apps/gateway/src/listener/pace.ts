/** How slow a transfer was. */
export interface SlowPace {
  readonly bytesPerSecond: number;
  readonly least: number;
  readonly overMs: number;
}

/**
 * Measures the pace of one transfer, over windows of a fixed length. Time in which it did not depend on the caller does
 * not count. By arithmetic on the times given.
 */
export class Pace {
  readonly #least: number;
  readonly #windowMs: number;
  #since: number | null = null;
  #bytes = 0;

  /** @param least bytes a second; 0 lets any pace pass */
  constructor(least: number, windowMs: number) {
    this.#least = least;
    this.#windowMs = windowMs;
  }

  /**
   * @param bytes moved so far, in all
   * @param waits whether it waits for the caller now
   * @returns how slow it was, when a window has passed that was too slow
   */
  look(now: number, bytes: number, waits: boolean): SlowPace | null {
    if (!waits || this.#least === 0) {
      this.#since = null;
      return null;
    }
    if (this.#since === null) {
      this.#since = now;
      this.#bytes = bytes;
      return null;
    }
    const overMs = now - this.#since;
    if (overMs < this.#windowMs) return null;
    const bytesPerSecond = Math.round(((bytes - this.#bytes) * 1000) / overMs);
    this.#since = now;
    this.#bytes = bytes;
    return bytesPerSecond < this.#least ? { bytesPerSecond, least: this.#least, overMs: Math.round(overMs) } : null;
  }
}
