import type { Replay, ReplayMemory } from '@virga/core';

/** Whether nobody has said a key before, at any node, for a time in milliseconds; null where nodes share no store. Fails where that cannot be told. */
export type FirstOfAll = (key: string, forMs: number) => Promise<boolean> | null;

/**
 * Used proofs, as all nodes that share a store have seen them: a proof that was used at one is used at all (RFC 9449 section 11.1).
 * What this node has seen itself it knows without asking.
 */
export class SharedReplay implements ReplayMemory {
  readonly #own: ReplayMemory;
  readonly #first: FirstOfAll;
  readonly #goesOnAlone: () => boolean;

  /** @param goesOnAlone whether each node goes on by what it remembers itself while the store cannot be reached */
  constructor(own: ReplayMemory, first: FirstOfAll, goesOnAlone: () => boolean) {
    this.#own = own;
    this.#first = first;
    this.#goesOnAlone = goesOnAlone;
  }

  async see(key: string, madeMs: number, untilMs: number, nowMs: number): Promise<Replay> {
    const own = await this.#own.see(key, madeMs, untilMs, nowMs);
    const asked = own === 'new' ? this.#first(key, untilMs - nowMs) : null;
    if (asked === null) return own;
    try {
      return (await asked) ? 'new' : 'used';
    } catch (error) {
      return this.#goesOnAlone() ? 'new' : { away: (error as Error).message };
    }
  }
}
