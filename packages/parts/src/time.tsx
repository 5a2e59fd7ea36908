import dayjs from 'dayjs';
import { useEffect, useState } from 'react';

const ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** The exact time with its zone. */
export const exactTime = (at: number): string => `${dayjs(at).format('YYYY-MM-DD HH:mm:ss.SSS')} (${ZONE})`;

/** A length of time in words. */
export function inWords(ms: number): string {
  const seconds = Math.round(Math.abs(ms) / 1000);
  if (seconds < 60) return `${seconds} s`;
  if (seconds < 3600) return `${Math.round(seconds / 60)} min`;
  return seconds < 172_800 ? `${Math.round(seconds / 3600)} h` : `${Math.round(seconds / 86_400)} days`;
}

/** Microseconds, with the unit that fits. */
export function took(us: number): string {
  if (us < 10) return `${us.toFixed(1)} µs`;
  if (us < 1000) return `${Math.round(us)} µs`;
  return us < 10_000 ? `${(us / 1000).toFixed(1)} ms` : `${Math.round(us / 1000)} ms`;
}

/** How long ago or how soon, with the exact time on hover. */
export function Ago({ at }: { readonly at: number }) {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 5000);
    return () => clearInterval(timer);
  }, []);
  const difference = now - at;
  return (
    <time dateTime={new Date(at).toISOString()} title={exactTime(at)}>
      {difference < -1500 ? `in ${inWords(difference)}` : `${inWords(Math.max(0, difference))} ago`}
    </time>
  );
}

/** Whole numbers with thin spaces between thousands. */
export const count = (value: number): string => value.toLocaleString('en-US').replaceAll(',', '\u202f');
