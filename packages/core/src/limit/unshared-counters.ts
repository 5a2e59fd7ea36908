import type { Counted, Demand, Standing } from './counters.js';
import { MemoryCounters } from './memory-counters.js';

/** Counts at once, without waiting. */
export interface LocalCounters {
  take(demands: readonly Demand[], nowMs: number): Counted;
  look(demands: readonly Omit<Demand, 'mode'>[], nowMs: number): readonly Standing[];
}

/** Counters that know of no request but the one that is asked about: what is tried or supposed uses nothing up. */
export class FreshCounters implements LocalCounters {
  take(demands: readonly Demand[], nowMs: number): Counted {
    return new MemoryCounters().take(demands, nowMs);
  }

  look(demands: readonly Omit<Demand, 'mode'>[], nowMs: number): readonly Standing[] {
    return new MemoryCounters().look(demands, nowMs);
  }
}

/** Counters of somebody who has used up everything: no limit has room. */
export class SpentCounters implements LocalCounters {
  take(demands: readonly Demand[]): Counted {
    const standings = this.look(demands);
    return { standings, refused: demands.findIndex(({ mode }) => mode === 'enforce'), hold: null, where: 'here' };
  }

  look(demands: readonly Omit<Demand, 'mode'>[]): readonly Standing[] {
    return demands.map(() => ({ over: true, left: 0, waitMs: 1000, resetMs: 1000 }));
  }
}
