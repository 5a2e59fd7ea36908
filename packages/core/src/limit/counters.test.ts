import fc from 'fast-check';
import type { Demand, Measure } from './counters.js';
import { MemoryCounters } from './memory-counters.js';

const demand = (measure: Measure, change: Partial<Demand> = {}): Demand => ({ group: 'g', subject: 's', measure, mode: 'enforce', ...change });
const passes = (counters: MemoryCounters, measure: Measure, nowMs: number, subject = 's'): boolean =>
  counters.take([demand(measure, { subject })], nowMs).refused < 0;

/** Times of requests: close together, far apart, at the edges of spans. */
const arrivals = (spanMs: number) =>
  fc
    .array(fc.oneof(fc.nat({ max: 3 }), fc.nat({ max: spanMs }), fc.constantFrom(spanMs, spanMs - 1, spanMs + 1, 2 * spanMs)), { minLength: 1, maxLength: 120 })
    .map((gaps) => gaps.reduce<number[]>((times, gap) => [...times, (times[times.length - 1] ?? 1_000_000) + gap], []));

/** Models that keep every request that passed and count them anew each time. */
const MODELS = {
  fixed: (spanMs: number, most: number) => {
    const passed: number[] = [];
    return (now: number): boolean => {
      const inSpan = passed.filter((at) => Math.floor(at / spanMs) === Math.floor(now / spanMs)).length;
      if (inSpan < most) passed.push(now);
      return inSpan < most;
    };
  },
  sliding: (spanMs: number, most: number) => {
    const passed: number[] = [];
    return (now: number): boolean => {
      const span = Math.floor(now / spanMs);
      const [here, before] = [span, span - 1].map((one) => passed.filter((at) => Math.floor(at / spanMs) === one).length) as [number, number];
      const left = most - here - before * (1 - (now - span * spanMs) / spanMs);
      if (left >= 1 - 1e-9) passed.push(now);
      return left >= 1 - 1e-9;
    };
  },
} as const;

describe('one limit', () => {
  it.each(['fixed', 'sliding'] as const)('%s counts as a model that keeps every request', (kind) => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 500 }), fc.integer({ min: 1, max: 12 }), fc.infiniteStream(fc.nat()), (spanMs, requests, _seed) => {
        fc.assert(
          fc.property(arrivals(spanMs), (times) => {
            const [counters, model] = [new MemoryCounters(), MODELS[kind](spanMs, requests)];
            for (const now of times) expect(passes(counters, { kind, requests, spanMs }, now)).toBe(model(now));
          }),
          { numRuns: 5 },
        );
      }),
      { numRuns: 60 },
    );
  });

  it('a bucket never lets more through in any stretch than it holds and what comes back meanwhile, and lets that much through', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 10, max: 1000 }),
        fc.integer({ min: 1, max: 10 }),
        fc.integer({ min: 1, max: 20 }),
        arrivals(100),
        (spanMs, requests, burst, times) => {
          const counters = new MemoryCounters();
          const measure: Measure = { kind: 'bucket', requests, spanMs, burst };
          const passed = times.filter((now) => passes(counters, measure, now));
          for (let from = 0; from < passed.length; from++)
            for (let to = from; to < passed.length; to++) {
              const stretch = (passed[to] as number) - (passed[from] as number);
              expect(to - from + 1).toBeLessThanOrEqual(burst + (stretch * requests) / spanMs + 1e-6);
            }
          // What is said of the wait is true: a moment before there is no room, and then there is.
          const last = (times[times.length - 1] as number) + 1;
          while (passes(counters, measure, last));
          const [standing] = counters.look([demand(measure)], last);
          const waitMs = standing?.waitMs ?? 0;
          expect(counters.look([demand(measure)], last + waitMs)[0]?.over).toBe(false);
          expect(counters.look([demand(measure)], last + waitMs - 1)[0]?.over).toBe(true);
        },
      ),
      { numRuns: 300 },
    );
  });

  it.each<Measure>([
    { kind: 'fixed', requests: 3, spanMs: 1000 },
    { kind: 'sliding', requests: 3, spanMs: 1000 },
    { kind: 'calendar', requests: 3, from: 0, until: 1_000_000 },
  ])('says truly how long it is until there is room: $kind', (measure) => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 3000 }), { minLength: 1, maxLength: 30 }), (offsets) => {
        const counters = new MemoryCounters();
        const times = offsets.map((offset) => 500_000 + offset).sort((a, b) => a - b);
        for (const now of times) {
          const { refused, standings } = counters.take([demand(measure)], now);
          if (refused < 0) continue;
          const waitMs = standings[0]?.waitMs ?? 0;
          expect(waitMs).toBeGreaterThan(0);
          const later = measure.kind === 'calendar' ? { ...measure, from: measure.until, until: measure.until * 2 } : measure;
          expect(counters.look([demand(later)], now + waitMs)[0]?.over).toBe(false);
        }
      }),
    );
  });

  it.each(['fixed', 'bucket'] as const)('%s: a clock that is set back by less than a span gives nothing twice', (kind) => {
    const spanMs = 200;
    const measure: Measure = kind === 'bucket' ? { kind, requests: 4, spanMs, burst: 4 } : { kind, requests: 4, spanMs };
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat({ max: 150 }), fc.nat({ max: 190 })), { minLength: 1, maxLength: 80 }), (moves) => {
        const [counters, steady] = [new MemoryCounters(), new MemoryCounters()];
        let latest = 1_000_000;
        for (const [forward, back] of moves) {
          latest += forward;
          // A jump back, then the true time again: what counts is the latest time that was seen.
          const jumped = passes(counters, measure, latest);
          expect(jumped).toBe(passes(steady, measure, latest));
          expect(passes(counters, measure, latest - back)).toBe(passes(steady, measure, latest));
        }
      }),
    );
  });

  it('a clock that was years ahead and is put right does not lock anybody out for years', () => {
    for (const measure of [
      { kind: 'fixed', requests: 1, spanMs: 1000 },
      { kind: 'sliding', requests: 1, spanMs: 1000 },
      { kind: 'bucket', requests: 1, spanMs: 1000, burst: 1 },
    ] as const) {
      const counters = new MemoryCounters();
      expect(passes(counters, measure, 9e12)).toBe(true);
      expect(passes(counters, measure, 1e12)).toBe(true);
      expect(passes(counters, measure, 1e12)).toBe(false);
    }
  });

  it('at once counts what is under way and no more', () => {
    const counters = new MemoryCounters();
    const measure: Measure = { kind: 'at-once', requests: 2 };
    const [one, other] = [counters.take([demand(measure)], 1), counters.take([demand(measure)], 1)];
    expect(passes(counters, measure, 1)).toBe(false);
    one.hold?.release();
    one.hold?.release();
    const third = counters.take([demand(measure)], 2);
    expect([third.refused, passes(counters, measure, 2)]).toEqual([-1, false]);
    other.hold?.release();
    third.hold?.release();
    expect(counters.look([demand(measure)], 3)[0]?.left).toBe(2);
  });
});

describe('several limits', () => {
  it('that enforce count a request together or not at all; those that observe refuse nothing and count what passes', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ most: fc.integer({ min: 1, max: 6 }), mode: fc.constantFrom('enforce' as const, 'observe' as const) }), {
          minLength: 1,
          maxLength: 5,
        }),
        (limits) => {
          const counters = new MemoryCounters();
          const demands = limits.map(({ most, mode }, index) => demand({ kind: 'fixed', requests: most, spanMs: 1_000_000 }, { group: `g${index}`, mode }));
          const enforced = limits.filter(({ mode }) => mode === 'enforce').map(({ most }) => most);
          const least = Math.min(...enforced, 20);
          let passed = 0;
          for (let tries = 0; tries < 20; tries++) {
            const { refused, standings } = counters.take(demands, 1);
            if (refused < 0) passed++;
            limits.forEach(({ most }, index) => expect(standings[index]?.left).toBe(Math.max(0, most - passed)));
          }
          expect(passed).toBe(least);
        },
      ),
    );
  });

  it('name the one that is waited for longest', () => {
    const counters = new MemoryCounters();
    const short = demand({ kind: 'fixed', requests: 1, spanMs: 1000 }, { group: 'short' });
    const long = demand({ kind: 'fixed', requests: 1, spanMs: 60_000 }, { group: 'long' });
    expect(counters.take([short, long], 0).refused).toBe(-1);
    expect(counters.take([short, long], 1).refused).toBe(1);
    expect(counters.take([short, long], 2000).refused).toBe(1);
  });

  it('1,000 requests against 100 let 100 through', () => {
    const counters = new MemoryCounters();
    for (const measure of [
      { kind: 'fixed', requests: 100, spanMs: 60_000 },
      { kind: 'sliding', requests: 100, spanMs: 60_000 },
      { kind: 'bucket', requests: 100, spanMs: 60_000, burst: 100 },
      { kind: 'calendar', requests: 100, from: 0, until: 60_000 },
      { kind: 'at-once', requests: 100 },
    ] as const) {
      const passed = Array.from({ length: 1000 }, () => counters.take([demand(measure, { group: measure.kind })], 5)).filter(({ refused }) => refused < 0);
      expect(passed.length).toBe(100);
    }
  });
});

describe('memory', () => {
  it('is bounded, and whoever comes beyond the bound is counted all the same', () => {
    const counters = new MemoryCounters(100);
    const measure: Measure = { kind: 'fixed', requests: 1, spanMs: 60_000 };
    const passed = Array.from({ length: 5000 }, (_, index) => passes(counters, measure, 1000, `caller ${index}`)).filter(Boolean).length;
    // 99 of their own, and one place for all others.
    expect(passed).toBe(100);
    expect(passes(counters, measure, 1000, 'caller 0')).toBe(false);
  });

  it('lets go of what tells nothing any more', () => {
    const counters = new MemoryCounters(100);
    const measure: Measure = { kind: 'fixed', requests: 1, spanMs: 1000 };
    let passed = 0;
    for (let index = 0; index < 5000; index++) if (passes(counters, measure, index * 20, `caller ${index}`)) passed++;
    expect(passed).toBe(5000);
  });

  it('keeps quotas over a restart, what counted most of the same one', () => {
    const [counters, again] = [new MemoryCounters(), new MemoryCounters()];
    const measure: Measure = { kind: 'calendar', requests: 3, from: 1000, until: 9000 };
    for (let tries = 0; tries < 2; tries++) counters.take([demand(measure)], 2000);
    const kept = counters.takeChanged();
    expect([kept, counters.takeChanged(), [...counters.quotas(3000)], [...counters.quotas(9000)]]).toEqual([
      [{ group: 'g', subject: 's', from: 1000, until: 9000, used: 2 }],
      [],
      kept,
      [],
    ]);
    for (const quota of [...kept, { ...(kept[0] as (typeof kept)[number]), used: 1 }]) again.recall(quota);
    expect([passes(again, measure, 3000), passes(again, measure, 3000)]).toEqual([true, false]);
    expect(passes(again, { ...measure, from: 9000, until: 17_000 }, 9000)).toBe(true);
  });
});
