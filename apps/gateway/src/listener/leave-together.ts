/** An answer that is whole and waits to leave. */
export interface Leaving {
  /** Never throws. */
  leave(): void;
}

let waiting: Leaving[] = [];

/**
 * Lets whole answers leave together, once all that has come meanwhile was looked at. Each write wakes whoever reads it;
 * written one by one, the reader falls asleep and is woken again between any two (measured: an eighth of the time of a
 * request under load). Alone, an answer waits for nothing but the end of this turn of the event loop.
 */
export function leaveTogether(answer: Leaving): void {
  if (waiting.push(answer) === 1) setImmediate(leaveAll);
}

function leaveAll(): void {
  const ready = waiting;
  waiting = [];
  for (const answer of ready) answer.leave();
}
