import type { UpstreamLimits } from '@virga/core';

/** Why a request gets no connection. */
export type NoBerth = 'full' | 'share' | 'waited';

/** One request that wants a connection. */
export interface BerthSeeker {
  /** Who holds it: a client, or an address where no client is known. */
  readonly caller: string;
  /** Milliseconds since it arrived, at which waiting ends; on the clock given to `tick`. */
  readonly until: number;
  granted(): void;
  refused(why: NoBerth): void;
}

/**
 * Who may use the connections of one upstream: as many at a time as there are, the rest in a bounded queue, first come
 * first served, except that no caller holds more than a share of either. By arithmetic on the times given, no timers.
 */
export class Berths {
  readonly #limits: UpstreamLimits;
  readonly #share: number;
  readonly #waitingShare: number;
  readonly #held = new Map<string, number>();
  readonly #waits = new Map<string, number>();
  #inUse = 0;
  #queue: BerthSeeker[] = [];

  constructor(limits: UpstreamLimits) {
    this.#limits = limits;
    const part = (of: number): number => Math.max(1, Math.ceil((of * limits.sharePercent) / 100));
    this.#share = part(limits.connections);
    this.#waitingShare = part(limits.waiting);
  }

  get inUse(): number {
    return this.#inUse;
  }

  get waiting(): number {
    return this.#queue.length;
  }

  /** Requests that one caller can have under way at one time. */
  get share(): number {
    return this.#share;
  }

  /** Grants at once, lets wait, or refuses; each seeker hears exactly once, unless it leaves. */
  seek(seeker: BerthSeeker): void {
    const held = this.#heldBy(seeker.caller);
    if (this.#inUse < this.#limits.connections && held < this.#share) return this.#grant(seeker, held);
    const waits = this.#waits.get(seeker.caller) ?? 0;
    if (waits >= this.#waitingShare) return seeker.refused('share');
    if (this.#queue.length >= this.#limits.waiting) return seeker.refused('full');
    this.#waits.set(seeker.caller, waits + 1);
    this.#queue.push(seeker);
  }

  /** Takes a seeker that waits out of the queue. */
  leave(seeker: BerthSeeker): void {
    const at = this.#queue.indexOf(seeker);
    if (at < 0) return;
    this.#queue.splice(at, 1);
    decrease(this.#waits, seeker.caller);
  }

  /** Gives a connection back. Once for each grant. */
  free(caller: string): void {
    this.#inUse--;
    decrease(this.#held, caller);
    if (this.#queue.length === 0) return;
    const next = this.#queue.find((seeker) => this.#heldBy(seeker.caller) < this.#share);
    if (!next) return;
    this.leave(next);
    this.#grant(next, this.#heldBy(next.caller));
  }

  /** Refuses those who have waited for long enough. */
  tick(now: number): void {
    if (this.#queue.length === 0 || !this.#queue.some((seeker) => now >= seeker.until)) return;
    for (const seeker of this.#queue.filter((item) => now >= item.until)) {
      this.leave(seeker);
      seeker.refused('waited');
    }
  }

  #heldBy(caller: string): number {
    return this.#held.get(caller) ?? 0;
  }

  #grant(seeker: BerthSeeker, held: number): void {
    this.#inUse++;
    this.#held.set(seeker.caller, held + 1);
    seeker.granted();
  }
}

function decrease(counts: Map<string, number>, key: string): void {
  const left = (counts.get(key) ?? 0) - 1;
  if (left > 0) counts.set(key, left);
  else counts.delete(key);
}
