import fc from 'fast-check';
import type { Measure } from './counters.js';
import { MemoryCounters } from './memory-counters.js';
import { bringTo, countOne, hasRoom, newCount, standingOf } from './measures.js';

const requests = fc.integer({ min: 1, max: 6 });
const spanMs = fc.constantFrom(100, 1000, 3333);
const measure: fc.Arbitrary<Measure> = fc.oneof(
  fc.record({ kind: fc.constantFrom('fixed' as const, 'sliding' as const), requests, spanMs }),
  fc.record({ kind: fc.constant('bucket' as const), requests, spanMs, burst: fc.integer({ min: 1, max: 8 }) }),
  fc.record({ kind: fc.constant('calendar' as const), requests, from: fc.constant(0), until: fc.constant(5000) }),
  fc.record({ kind: fc.constant('at-once' as const), requests }),
);

test('there is room exactly where a count does not stand over its limit, whatever came before', () => {
  const seen = { room: 0, none: 0 };
  fc.assert(
    fc.property(measure, fc.array(fc.integer({ min: -500, max: 1500 }), { maxLength: 30 }), (limit, pauses) => {
      const count = newCount();
      let now = 10_000;
      for (const pause of pauses) {
        now += pause;
        bringTo(count, limit, now);
        const room = hasRoom(count, limit, now);
        expect(room).toBe(!standingOf(count, limit, now).over);
        seen[room ? 'room' : 'none']++;
        if (room) countOne(count);
      }
    }),
    { numRuns: 2000, seed: 11 },
  );
  expect(Math.min(seen.room, seen.none)).toBeGreaterThan(1000);
});

test.each(['requests', 'spanMs'] as const)('a limit whose %s is no number lets nobody in', (name) => {
  const limit: Measure = { kind: 'sliding', requests: 5, spanMs: 1000, [name]: Number.NaN };
  const { refused } = new MemoryCounters().take([{ group: 'g', subject: 's', measure: limit, mode: 'enforce' }], 10_000);
  expect(refused).toBe(0);
});
