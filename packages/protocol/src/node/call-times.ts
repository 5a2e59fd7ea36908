/** Times are counted in classes, each a quarter wider than the one before; the first ends at 10 microseconds. */
const FIRST_MS = 0.01;
const WIDER = 1.25;
/** Classes: the last takes all that is longer than half a minute. */
export const TIME_CLASSES = 68;

/** The class that a time is counted in. @param ms milliseconds with fractions */
export const timeClass = (ms: number): number => (ms <= FIRST_MS ? 0 : Math.min(TIME_CLASSES - 1, Math.ceil(Math.log(ms / FIRST_MS) / Math.log(WIDER))));

/** The time that a share of counted calls did not exceed, in milliseconds, to within a quarter; null where none was counted. @param share 0 to 1 */
export function timeWithin(counts: readonly number[], share: number): number | null {
  const all = counts.reduce((sum, count) => sum + count, 0);
  if (all === 0) return null;
  let seen = 0;
  for (const [index, count] of counts.entries()) {
    seen += count;
    if (seen >= share * all) return FIRST_MS * WIDER ** index;
  }
  return null;
}
