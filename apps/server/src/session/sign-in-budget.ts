/** Attempts that are looked at, and how fast more come. */
export const SIGN_IN_LIMITS = {
  /** Attempts at once from one address, or from one browser that signed in before. */
  burst: 5,
  /** Milliseconds until one more is looked at. */
  everyMs: 2000,
  /** Addresses that are told apart; the others share one budget. */
  addresses: 10_000,
} as const;

/** How many at once, how soon one more, and how many places are told apart. */
interface BudgetLimits {
  readonly burst: number;
  readonly everyMs: number;
  readonly addresses: number;
}

interface Bucket {
  left: number;
  at: number;
}

/**
 * How many passwords may be tried. Counted by where attempts come from and not by whose name they use, before anything
 * waits: nobody locks another one out by trying that name, and no number of names makes it forget. By arithmetic on the
 * times given.
 */
export class SignInBudget {
  readonly #limits: BudgetLimits;
  readonly #buckets = new Map<string, Bucket>();
  readonly #rest: Bucket;

  constructor(limits: BudgetLimits = SIGN_IN_LIMITS) {
    this.#limits = limits;
    this.#rest = { left: limits.burst, at: 0 };
  }

  /** @returns 0 when the attempt may be looked at and is counted, else how long to wait, milliseconds */
  take(from: string, now: number): number {
    const bucket = this.#bucketOf(from, now);
    refill(bucket, now, this.#limits);
    if (bucket.left < 1) return Math.ceil((1 - bucket.left) * this.#limits.everyMs);
    bucket.left--;
    return 0;
  }

  /** Gives an attempt back that turned out right. */
  giveBack(from: string): void {
    const bucket = this.#buckets.get(from);
    if (bucket) bucket.left = Math.min(this.#limits.burst, bucket.left + 1);
  }

  #bucketOf(from: string, now: number): Bucket {
    const known = this.#buckets.get(from);
    if (known) return known;
    if (this.#buckets.size >= this.#limits.addresses) {
      for (const [key, bucket] of this.#buckets) {
        refill(bucket, now, this.#limits);
        if (bucket.left >= this.#limits.burst) this.#buckets.delete(key);
      }
      if (this.#buckets.size >= this.#limits.addresses) return this.#rest;
    }
    const fresh = { left: this.#limits.burst, at: now };
    this.#buckets.set(from, fresh);
    return fresh;
  }
}

function refill(bucket: Bucket, now: number, { burst, everyMs }: BudgetLimits): void {
  if (now <= bucket.at) return;
  bucket.left = Math.min(burst, bucket.left + (now - bucket.at) / everyMs);
  bucket.at = now;
}
