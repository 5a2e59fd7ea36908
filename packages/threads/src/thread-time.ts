import { openSync, readSync } from 'node:fs';

/**
 * Tells how long processors have run the thread that calls this, milliseconds, to a few: what a busy machine kept it waiting for is
 * not counted. Linux tells it of threads; null elsewhere.
 */
export function threadTime(): () => number | null {
  let file: number;
  try {
    file = openSync('/proc/thread-self/schedstat', 'r');
  } catch {
    return () => null;
  }
  const bytes = Buffer.alloc(64);
  return () => {
    try {
      const ran = Number.parseInt(bytes.toString('latin1', 0, readSync(file, bytes, 0, bytes.length, 0)), 10);
      // A thread that asks has run: nothing is what is not counted here.
      return ran > 0 ? ran / 1e6 : null;
    } catch {
      return null;
    }
  };
}
