import { bringTo, countOne, hasRoom, newCount, standingOf, worthlessAt, type Count } from './measures.js';
import type { Counted, Counters, Demand, Hold, Measure, Standing } from './counters.js';

/** Subjects that are counted apart under one limit; those that come beyond are counted together, so that none goes uncounted. */
export const MOST_SUBJECTS = 100_000;
/** Counts that are looked at for worthlessness whenever a new one comes. */
const LOOKED_AT = 4;
/** What subjects beyond the bound share. No subject is called so. */
const OTHERS = '\u0000others';

/** Quotas as they are kept on disk: they last longer than a process. */
export interface KeptQuota {
  readonly group: string;
  readonly subject: string;
  readonly from: number;
  readonly until: number;
  readonly used: number;
}

interface Kept {
  readonly group: string;
  readonly subject: string;
  readonly count: Count;
  measure: Measure;
}

/** Counters in the memory of one process. Exact: nothing waits between looking and counting. */
export class MemoryCounters implements Counters {
  readonly #groups = new Map<string, Map<string, Kept>>();
  readonly #most: number;
  /** Quotas that were counted since they were last kept. */
  readonly #changed = new Set<Kept>();

  constructor(mostSubjects: number = MOST_SUBJECTS) {
    this.#most = mostSubjects;
  }

  take(demands: readonly Demand[], nowMs: number): Counted {
    const all: Kept[] = [];
    let refuses = false;
    for (const demand of demands) {
      const kept = this.#keptFor(demand, nowMs);
      all.push(kept);
      if (demand.mode === 'enforce' && !hasRoom(kept.count, demand.measure, nowMs)) refuses = true;
    }
    if (refuses) return refusal(demands, all, nowMs);
    const standings: Standing[] = [];
    let held: Count[] | null = null;
    for (let index = 0; index < demands.length; index++) {
      const { measure } = demands[index] as Demand;
      const kept = all[index] as Kept;
      const { count } = kept;
      const isCounted = hasRoom(count, measure, nowMs);
      if (isCounted) {
        countOne(count);
        if (measure.kind === 'at-once') (held ??= []).push(count);
        if (measure.kind === 'calendar') this.#changed.add(kept);
      }
      const standing = standingOf(count, measure, nowMs);
      // There was room for this one, whether there is for another or not.
      standing.over = !isCounted;
      standings.push(standing);
    }
    return { standings, refused: -1, hold: held === null ? null : new HeldCounts(held), where: 'here' };
  }

  look(demands: readonly Omit<Demand, 'mode'>[], nowMs: number): Standing[] {
    return demands.map(({ group, subject, measure }) => {
      const kept = this.#groups.get(group)?.get(subject);
      const count = kept ? { ...kept.count } : newCount();
      bringTo(count, measure, nowMs);
      return standingOf(count, measure, nowMs);
    });
  }

  #keptFor({ group, subject, measure }: Demand, nowMs: number): Kept {
    let subjects = this.#groups.get(group);
    if (!subjects) this.#groups.set(group, (subjects = new Map<string, Kept>()));
    let kept = subjects.get(subject);
    if (!kept) {
      this.#tidy(subjects, nowMs);
      // The last place is for all that come beyond.
      const place = subjects.size < this.#most - 1 ? subject : OTHERS;
      kept = subjects.get(place);
      if (!kept) subjects.set(place, (kept = { group, subject: place, count: newCount(), measure }));
    }
    kept.measure = measure;
    bringTo(kept.count, measure, nowMs);
    return kept;
  }

  /** Lets go of some counts that tell nothing any more, those that are longest there first. */
  #tidy(subjects: Map<string, Kept>, nowMs: number): void {
    let looked = 0;
    for (const [subject, kept] of subjects) {
      if (looked++ === LOOKED_AT) return;
      subjects.delete(subject);
      if (worthlessAt(kept.count, kept.measure) > nowMs) subjects.set(subject, kept);
    }
  }

  /** Quotas that were counted since they were last kept, each as it stands now. */
  takeChanged(): KeptQuota[] {
    const changed = [...this.#changed].flatMap(quotaOf);
    this.#changed.clear();
    return changed;
  }

  /** All quotas that are not over. */
  *quotas(nowMs: number): Generator<KeptQuota> {
    for (const subjects of this.#groups.values()) for (const kept of subjects.values()) if (worthlessAt(kept.count, kept.measure) > nowMs) yield* quotaOf(kept);
  }

  /** Takes up a quota that was kept; of the same one kept twice, what counted most. */
  recall({ group, subject, from, until, used }: KeptQuota): void {
    const { count } = this.#keptFor({ group, subject, measure: { kind: 'calendar', requests: Infinity, from, until }, mode: 'enforce' }, from);
    count.used = Math.max(count.used, used);
  }
}

const quotaOf = ({ group, subject, count, measure }: Kept): readonly KeptQuota[] =>
  measure.kind === 'calendar' && count.used > 0 ? [{ group, subject, from: measure.from, until: measure.until, used: count.used }] : [];

/** What is said where a limit that enforces has no room: the one with the longest wait refuses, and nothing is counted. */
function refusal(demands: readonly Demand[], all: readonly Kept[], nowMs: number): Counted {
  const standings = demands.map(({ measure }, index) => standingOf((all[index] as Kept).count, measure, nowMs));
  let refused = -1;
  for (let index = 0; index < demands.length; index++) {
    const { mode, measure } = demands[index] as Demand;
    // By what was asked before, so that whatever has no room refuses, a count that is no number too.
    if (mode !== 'enforce' || hasRoom((all[index] as Kept).count, measure, nowMs)) continue;
    if (refused < 0 || (standings[index] as Standing).waitMs > (standings[refused] as Standing).waitMs) refused = index;
  }
  return { standings, refused, hold: null, where: 'here' };
}

/** Gives back what a request held, once. */
class HeldCounts implements Hold {
  #counts: readonly Count[];

  constructor(counts: readonly Count[]) {
    this.#counts = counts;
  }

  release(): void {
    for (const count of this.#counts) count.used--;
    this.#counts = [];
  }
}
