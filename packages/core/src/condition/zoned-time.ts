import { celMethod, CelScalar, objectType, type CelFunc } from '@bufbuild/cel';
import { isReflectMessage } from '@bufbuild/protobuf/reflect';
import { timestampMs, TimestampSchema, type Timestamp } from '@bufbuild/protobuf/wkt';

/** Zones whose clocks are kept ready; a condition that makes up more of them pays for it. */
const MOST_ZONES = 100;
/** Clocks change at whole quarters of an hour (common practice: every entry of the time zone database since 1972). */
const QUARTER_MS = 900_000;

const clocks = new Map<string, (quarterMs: number) => number>();

/** What is wrong with the name of a zone: an offset such as +02:00, or a name of the time zone database; null when nothing is. */
export function zoneFault(zone: string): string | null {
  if (/^[+-]?\d\d:\d\d$/.test(zone)) return null;
  try {
    clockOf(zone);
    return null;
  } catch {
    return `${JSON.stringify(zone)} is not a time zone`;
  }
}

/**
 * The moment as a date whose UTC fields are those of the zone (Common Expression Language, "Timezones"); UTC where none is
 * named. Independent of the zone of the machine.
 * @throws RangeError for a zone that does not exist
 */
export function inZone(ms: number, zone: string | undefined): Date {
  if (zone === undefined) return new Date(ms);
  const fixed = /^(?<sign>[+-]?)(?<hours>\d\d):(?<minutes>\d\d)$/.exec(zone)?.groups;
  if (fixed) return new Date(ms + (fixed['sign'] === '-' ? -1 : 1) * (Number(fixed['hours']) * 60 + Number(fixed['minutes'])) * 60_000);
  return new Date(ms + clockOf(zone)(Math.floor(ms / QUARTER_MS) * QUARTER_MS));
}

function clockOf(zone: string): (quarterMs: number) => number {
  const known = clocks.get(zone);
  if (known) return known;
  const format = new Intl.DateTimeFormat('en-US', {
    hourCycle: 'h23',
    timeZone: zone,
    year: 'numeric',
    month: 'numeric',
    day: 'numeric',
    hour: 'numeric',
    minute: 'numeric',
    second: 'numeric',
    era: 'short',
  });
  let lastMs = NaN;
  let lastOffset = 0;
  const clock = (quarterMs: number): number => {
    if (quarterMs === lastMs) return lastOffset;
    const parts = Object.fromEntries(format.formatToParts(quarterMs).map(({ type, value }) => [type, value]));
    const part = (name: string): number => Number(parts[name]);
    const there = new Date(0);
    there.setUTCFullYear(parts['era'] === 'BC' ? 1 - part('year') : part('year'), part('month') - 1, part('day'));
    there.setUTCHours(part('hour'), part('minute'), part('second'));
    lastMs = quarterMs;
    return (lastOffset = there.getTime() - quarterMs);
  };
  if (clocks.size >= MOST_ZONES) clocks.clear();
  clocks.set(zone, clock);
  return clock;
}

const dayOfYear = (date: Date): number => Math.floor((date.getTime() - new Date(date).setUTCMonth(0, 1)) / 86_400_000);

const PARTS: Readonly<Record<string, (date: Date) => number>> = {
  getFullYear: (date) => date.getUTCFullYear(),
  getMonth: (date) => date.getUTCMonth(),
  getDate: (date) => date.getUTCDate(),
  getDayOfMonth: (date) => date.getUTCDate() - 1,
  getDayOfWeek: (date) => date.getUTCDay(),
  getDayOfYear: dayOfYear,
  getHours: (date) => date.getUTCHours(),
  getMinutes: (date) => date.getUTCMinutes(),
  getSeconds: (date) => date.getUTCSeconds(),
  getMilliseconds: (date) => date.getUTCMilliseconds(),
};

/**
 * The methods of timestamps, in place of the library's: those make a clock for each call and read local dates, which
 * have gaps where the zone of the machine has.
 */
export function zonedMethods(): CelFunc[] {
  const timestamp = objectType(TimestampSchema);
  return Object.entries(PARTS).flatMap(([name, read]) => {
    function run(this: unknown, zone?: string): bigint {
      if (!isReflectMessage(this, TimestampSchema)) throw new Error('invariant: a method of timestamps');
      return BigInt(read(inZone(timestampMs(this.message as Timestamp), zone)));
    }
    return [
      celMethod(name, timestamp, [], CelScalar.INT, function () {
        return run.call(this);
      }),
      celMethod(name, timestamp, [CelScalar.STRING], CelScalar.INT, function (zone) {
        return run.call(this, zone);
      }),
    ];
  });
}
