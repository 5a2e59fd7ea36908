import { Injectable } from '@nestjs/common';
import { entryOf, isCode, STEP_NAMES, STEPS, type StepId } from '@virga/core';
import type { FallLayer, FallReason, FallSlice, FallView } from '@virga/protocol';
import { trafficGroups, type TrafficGroup } from '../../store/record-store.js';
import { Store } from '../../store/store.js';

const MINUTE_MS = 60_000;
const SLICES = 60;

/** The fall: exact counts of a span of time, layer by layer. */
@Injectable()
export class FallService {
  constructor(private readonly store: Store) {}

  async view(minutes: number): Promise<FallView> {
    const sliceMs = Math.max(MINUTE_MS, Math.ceil(minutes / SLICES) * MINUTE_MS);
    const now = Date.now();
    const to = Math.floor(now / MINUTE_MS) * MINUTE_MS + MINUTE_MS;
    const from = to - minutes * MINUTE_MS;
    const groups = await trafficGroups(this.store, from, sliceMs);
    const slices = Array.from({ length: Math.ceil((minutes * MINUTE_MS) / sliceMs) }, (_, index): FallSlice => ({
      at: from + index * sliceMs,
      total: 0,
      forwarded: 0,
      stopped: STEPS.map(() => 0),
      wouldStop: STEPS.map(() => 0),
    }));
    const reasons: Reasons = new Map();
    const wouldReasons: Reasons = new Map();
    let answered = 0;
    let spentUs = 0;
    for (const group of groups) {
      const slice = slices[group.slice];
      if (!slice) continue;
      slice.total += group.count;
      spentUs += Number(group.totalUs);
      const step = group.step as StepId;
      if (group.outcome === 'passed') {
        if (step === 'upstream') slice.forwarded += group.count;
        else answered += group.count;
        continue;
      }
      const would = group.outcome === 'would-refuse';
      // What would have been refused was forwarded like the rest.
      if (would) slice.forwarded += group.count;
      const at = STEPS.indexOf(step);
      const layers = would ? slice.wouldStop : slice.stopped;
      layers[at] = (layers[at] ?? 0) + group.count;
      count(would ? wouldReasons : reasons, step, group);
    }
    const total = slices.reduce((sum, slice) => sum + slice.total, 0);
    return {
      from,
      to,
      sliceMs,
      total,
      forwarded: slices.reduce((sum, slice) => sum + slice.forwarded, 0),
      answered,
      meanUs: total === 0 ? 0 : spentUs / total,
      layers: STEPS.map((step, index): FallLayer => ({
        step,
        name: STEP_NAMES[step],
        stopped: slices.reduce((sum, slice) => sum + (slice.stopped[index] ?? 0), 0),
        reasons: listed(reasons.get(step)),
        wouldStop: slices.reduce((sum, slice) => sum + (slice.wouldStop[index] ?? 0), 0),
        wouldReasons: listed(wouldReasons.get(step)),
      })),
      slices,
    };
  }
}

type Reasons = Map<StepId, Map<string, number>>;

function count(reasons: Reasons, step: StepId, group: TrafficGroup): void {
  const own = reasons.get(step) ?? new Map<string, number>();
  own.set(group.code, (own.get(group.code) ?? 0) + group.count);
  reasons.set(step, own);
}

const listed = (reasons: ReadonlyMap<string, number> = new Map()): FallReason[] =>
  [...reasons].sort(([, a], [, b]) => b - a).map(([code, times]) => ({ code, title: isCode(code) ? entryOf(code).title : code, count: times }));
