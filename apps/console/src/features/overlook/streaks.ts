import { STEPS, type StepId } from '@virga/core';
import type { FallView } from '@virga/protocol';

/** About this many streaks stand for all requests. */
export const STREAKS = 420;

/** One streak of the fall: where in time, and the layer at which it ended; null reached the ground. */
export interface Streak {
  readonly at: number;
  readonly step: StepId | null;
  /** The layer that would have stopped it, had it not only observed; such a streak goes on to the ground. */
  readonly would: StepId | null;
}

/**
 * Streaks in proportion to the counts. What does not make a whole streak is carried to the next slice, so that rare
 * refusals show too: any layer that stopped something has at least one streak.
 */
export function streaksOf(fall: FallView): Streak[] {
  const each = Math.max(1, fall.total / STREAKS);
  const carry = new Map<string, number>();
  const streaks: Streak[] = [];
  for (const slice of fall.slices) {
    const ends: Pick<Streak, 'step' | 'would'>[] = [];
    const put = (step: StepId | null, would: StepId | null, requests: number) => {
      if (requests === 0) return;
      const kind = `${step ?? ''} ${would ?? ''}`;
      const before = carry.get(kind) ?? each / 2;
      const whole = Math.floor((before + requests) / each);
      carry.set(kind, before + requests - whole * each);
      for (let index = 0; index < whole; index++) ends.push({ step, would });
    };
    STEPS.forEach((step, index) => put(step, null, slice.stopped[index] ?? 0));
    STEPS.forEach((step, index) => put(null, step, slice.wouldStop[index] ?? 0));
    put(null, null, slice.total - sum(slice.stopped) - sum(slice.wouldStop));
    ends.forEach((end, index) => streaks.push({ at: slice.at + spread(index, slice.at) * fall.sliceMs, ...end }));
  }
  return streaks;
}

const sum = (values: readonly number[]): number => values.reduce((all, value) => all + value, 0);

/** A place within a slice, the same each time: the fractional parts of multiples of the golden ratio spread evenly. */
function spread(index: number, seed: number): number {
  const value = (index + 1) * 0.618_033_988_7 + (seed % 997) / 997;
  return value - Math.floor(value);
}
