import { MemoryCounters, type Counted, type Counters, type Demand, type Standing } from '@virga/core';

/** Counters that know of no request but the one that is asked about: what is tried uses nothing up. */
export class FreshCounters implements Counters {
  take(demands: readonly Demand[], nowMs: number): Counted {
    return new MemoryCounters().take(demands, nowMs);
  }

  look(demands: readonly Omit<Demand, 'mode'>[], nowMs: number): Standing[] {
    return new MemoryCounters().look(demands, nowMs);
  }
}
