import { readlinkSync } from 'node:fs';
import { setPriority } from 'node:os';

const NICE = 10;

/**
 * Lets the thread that serves go first where both want a processor: called by threads whose work nobody is to wait for. Linux gives
 * threads priorities of their own; elsewhere nothing is changed.
 */
export function giveWay(): void {
  try {
    const thread = Number(readlinkSync('/proc/thread-self').split('/').pop());
    if (Number.isInteger(thread)) setPriority(thread, NICE);
  } catch {
    // There are no such priorities here.
  }
}
