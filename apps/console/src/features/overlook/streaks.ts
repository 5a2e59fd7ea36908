import { STEPS, type StepId } from '@virga/core';
import type { FallView } from '@virga/protocol';

/** About this many streaks stand for all requests. */
export const STREAKS = 420;

/** One streak of the fall: where in time, and the layer at which it ended; null reached the ground. */
export interface Streak {
  readonly at: number;
  readonly step: StepId | null;
}

/**
 * Streaks in proportion to the counts. What does not make a whole streak is carried to the next slice, so that rare
 * refusals show too: any layer that stopped something has at least one streak.
 */
export function streaksOf(fall: FallView): Streak[] {
  const each = Math.max(1, fall.total / STREAKS);
  const carry = new Map<StepId | null, number>();
  const streaks: Streak[] = [];
  for (const slice of fall.slices) {
    const ends: (StepId | null)[] = [];
    const put = (step: StepId | null, requests: number) => {
      if (requests === 0) return;
      const before = carry.get(step) ?? each / 2;
      const whole = Math.floor((before + requests) / each);
      carry.set(step, before + requests - whole * each);
      for (let index = 0; index < whole; index++) ends.push(step);
    };
    STEPS.forEach((step, index) => put(step, slice.stopped[index] ?? 0));
    put(null, slice.total - slice.stopped.reduce((sum, value) => sum + value, 0));
    ends.forEach((step, index) => streaks.push({ at: slice.at + spread(index, slice.at) * fall.sliceMs, step }));
  }
  return streaks;
}

/** A place within a slice, the same each time: the fractional parts of multiples of the golden ratio spread evenly. */
function spread(index: number, seed: number): number {
  const value = (index + 1) * 0.618_033_988_7 + (seed % 997) / 997;
  return value - Math.floor(value);
}
