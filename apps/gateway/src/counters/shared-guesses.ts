import { MemoryCounters, type Counted, type Demand, type LocalCounters, type Standing } from '@virga/core';

/** Subjects that are held up by what other nodes counted, at most; those that come beyond are held up by what this node counted. */
export const MOST_HELD_UP = 100_000;
/** Failures that are being told at one time; those beyond are counted by this node alone. */
export const MOST_TOLD = 1000;
/** Subjects that are looked at for being over whenever a new one comes. */
const LOOKED_AT = 4;

/** Counts together with other nodes, without waiting; null where there is no store that can be reached. */
export type CountTogether = (demands: readonly Demand[]) => Promise<Counted> | null;

/**
 * Failures to prove oneself, by all nodes that share a store. Nothing waits for it: each failure is counted in memory and told
 * beside; the store answers with what all have counted, and whoever has used that up is held up here too from then on. So a node
 * lets at most one failure more through than one that asked before, and those that are under way. While the store is away each
 * node counts alone.
 */
export class SharedGuesses implements LocalCounters {
  readonly #memory = new MemoryCounters();
  readonly #together: CountTogether;
  /** Until when subjects are held up by what all have counted, milliseconds since the epoch; those that came first stand first. */
  readonly #until = new Map<string, number>();
  #telling = 0;

  constructor(together: CountTogether) {
    this.#together = together;
  }

  take(demands: readonly Demand[], nowMs: number): Counted {
    const counted = this.#memory.take(demands, nowMs);
    if (this.#telling < MOST_TOLD) this.#tell(demands, nowMs);
    return counted;
  }

  look(demands: readonly Omit<Demand, 'mode'>[], nowMs: number): Standing[] {
    const own = this.#memory.look(demands, nowMs);
    if (this.#until.size === 0) return own;
    return own.map((stands, index) => {
      const waitMs = (this.#until.get(keyOf(demands[index] as Demand)) ?? 0) - nowMs;
      return waitMs > 0 ? { ...stands, over: true, left: 0, waitMs: Math.max(stands.waitMs, waitMs) } : stands;
    });
  }

  #tell(demands: readonly Demand[], nowMs: number): void {
    const telling = this.#together(demands);
    if (telling === null) return;
    this.#telling++;
    telling
      .then(({ standings }) => standings.forEach(({ waitMs }, index) => waitMs > 0 && this.#holdUp(keyOf(demands[index] as Demand), nowMs + waitMs, nowMs)))
      // It was counted here; the store tells by itself that it is away.
      .catch(() => undefined)
      .finally(() => this.#telling--);
  }

  #holdUp(key: string, until: number, nowMs: number): void {
    let looked = 0;
    for (const [other, end] of this.#until) {
      if (looked++ === LOOKED_AT) break;
      if (end <= nowMs) this.#until.delete(other);
    }
    if (this.#until.size < MOST_HELD_UP || this.#until.has(key)) this.#until.set(key, until);
  }
}

const keyOf = ({ group, subject }: Pick<Demand, 'group' | 'subject'>): string => `${group}\n${subject}`;
