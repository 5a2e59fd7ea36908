import fc from 'fast-check';
import { compileSpans, isZone } from './calendar-span.js';

const HOUR = 3_600_000;
const at = (text: string): number => Date.parse(text);

describe('spans of the calendar', () => {
  // Directive 2000/84/EC: summer time in the Union begins and ends at 1:00 UTC on the last Sundays of March and October.
  it.each<[string, string, string, number]>([
    ['a day in which summer time begins', '2026-03-29T12:00:00Z', '2026-03-28T23:00:00Z', 23],
    ['a day in which it ends', '2026-10-25T12:00:00Z', '2026-10-24T22:00:00Z', 25],
    ['any other', '2026-07-01T00:30:00Z', '2026-06-30T22:00:00Z', 24],
  ])('%s in Berlin', (_name, now, from, hours) => {
    const span = compileSpans('day', 'Europe/Berlin')(at(now));
    expect([new Date(span.from).toISOString(), (span.until - span.from) / HOUR]).toEqual([from.replace('Z', '.000Z'), hours]);
  });

  // IANA time zone database: in Sao Paulo clocks went from 0:00 to 1:00 on 4 November 2018 (from memory).
  it('a day whose midnight is skipped begins with its first moment', () => {
    const span = compileSpans('day', 'America/Sao_Paulo')(at('2018-11-04T12:00:00Z'));
    expect([new Date(span.from).toISOString(), (span.until - span.from) / HOUR]).toEqual(['2018-11-04T03:00:00.000Z', 23]);
  });

  it('weeks begin on Monday (ISO 8601), months on the first', () => {
    const week = compileSpans('week', 'UTC');
    for (const now of ['2026-11-23T00:00:00Z', '2026-11-27T10:00:00Z', '2026-11-29T23:59:59.999Z'])
      expect(new Date(week(at(now)).from).toISOString()).toBe('2026-11-23T00:00:00.000Z');
    expect(new Date(week(at('2026-11-30T00:00:00Z')).from).toISOString()).toBe('2026-11-30T00:00:00.000Z');
    const month = compileSpans('month', 'Asia/Kathmandu')(at('2026-12-31T19:00:00Z'));
    expect([month.from, month.until].map((ms) => new Date(ms).toISOString())).toEqual(['2026-12-31T18:15:00.000Z', '2027-01-31T18:15:00.000Z']);
  });

  it('follow each other without a gap, in whatever zone', () => {
    const zones = [
      'UTC',
      'Europe/Berlin',
      'America/New_York',
      'Australia/Lord_Howe',
      'Asia/Kathmandu',
      'Pacific/Apia',
      'America/Sao_Paulo',
      'Africa/Casablanca',
    ];
    fc.assert(
      fc.property(
        fc.constantFrom(...zones),
        fc.constantFrom('day' as const, 'week' as const, 'month' as const),
        fc.integer({ min: at('2010-01-01'), max: at('2035-01-01') }),
        (zone, per, now) => {
          const span = compileSpans(per, zone)(now);
          expect(span.from <= now && now < span.until).toBe(true);
          expect(compileSpans(per, zone)(span.until).from).toBe(span.until);
          expect(compileSpans(per, zone)(span.from - 1).until).toBe(span.from);
        },
      ),
      { numRuns: 400 },
    );
  });

  it.each(['', 'Nowhere/Town', '+25:00', '+02:00', 'Europe Berlin'])('“%s” is no zone', (zone) => expect(isZone(zone)).toBe(false));
});
