import type { QuotaSpan } from '../document/plan-rule.js';

const DAY_MS = 86_400_000;

/** A span of the calendar: from, until, milliseconds since the epoch. */
export interface CalendarSpan {
  readonly from: number;
  readonly until: number;
}

/** Whether a time zone is known here (an IANA name). */
export function isZone(zone: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    return zone !== '' && !/^[+-]/.test(zone);
  } catch {
    return false;
  }
}

/** Compiles spans of a calendar in a zone; the one that holds a moment is found once and remembered until it is over. */
export function compileSpans(per: QuotaSpan, zone: string): (nowMs: number) => CalendarSpan {
  const format = new Intl.DateTimeFormat('en-CA', {
    timeZone: zone,
    hourCycle: 'h23',
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  });
  let span: CalendarSpan = { from: 0, until: 0 };
  return (nowMs) => {
    if (nowMs >= span.from && nowMs < span.until) return span;
    const { year, month, day } = dateIn(format, nowMs);
    const [first, next] = datesOf(per, year, month, day);
    return (span = { from: startOf(format, first), until: startOf(format, next) });
  };
}

/** The dates, at midnight UTC, at which a span begins and the next one does. */
function datesOf(per: QuotaSpan, year: number, month: number, day: number): readonly [number, number] {
  if (per === 'month') return [Date.UTC(year, month - 1, 1), Date.UTC(year, month, 1)];
  const date = Date.UTC(year, month - 1, day);
  if (per === 'day') return [date, date + DAY_MS];
  const monday = date - ((new Date(date).getUTCDay() + 6) % 7) * DAY_MS;
  return [monday, monday + 7 * DAY_MS];
}

interface Parts {
  readonly year: number;
  readonly month: number;
  readonly day: number;
  /** Milliseconds that the clock of the zone is ahead of UTC. */
  readonly aheadMs: number;
}

function dateIn(format: Intl.DateTimeFormat, atMs: number): Parts {
  const parts = Object.fromEntries(format.formatToParts(atMs).map(({ type, value }) => [type, Number(value)])) as Record<string, number>;
  const { year = 0, month = 1, day = 1, hour = 0, minute = 0, second = 0 } = parts;
  const whole = Math.floor(atMs / 1000) * 1000;
  return { year, month, day, aheadMs: Date.UTC(year, month - 1, day, hour, minute, second) - whole };
}

/** The first moment of a date in a zone. Where midnight is skipped it is what comes in its place; where it comes twice, the first. */
function startOf(format: Intl.DateTimeFormat, date: number): number {
  const candidates = [-DAY_MS, 0, DAY_MS].map((away) => date - dateIn(format, date + away).aheadMs);
  const right = candidates.filter((at) => isDate(format, at, date));
  if (right.length > 0) return earliest(format, Math.min(...right), date);
  return earliest(format, Math.max(...candidates), date);
}

const isDate = (format: Intl.DateTimeFormat, at: number, date: number): boolean => {
  const { year, month, day } = dateIn(format, at);
  return Date.UTC(year, month - 1, day) === date;
};

/** Goes back and forth by quarters of an hour to the first moment that is of the date: offsets of zones are multiples of that today. */
function earliest(format: Intl.DateTimeFormat, from: number, date: number): number {
  const step = 900_000;
  let at = from;
  for (let tries = 0; tries < 200 && !isDate(format, at, date); tries++) at += step;
  for (let tries = 0; tries < 200 && isDate(format, at - step, date); tries++) at -= step;
  return at;
}
