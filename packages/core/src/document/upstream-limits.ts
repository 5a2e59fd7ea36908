/** How much of one upstream callers can hold, and for how long. */
export interface UpstreamLimits {
  /** Connections to the upstream, and so requests at it at one time. */
  readonly connections: number;
  /** Requests that may wait for a connection; one more is refused. */
  readonly waiting: number;
  /** How long a request may wait for a connection, milliseconds since it arrived. */
  readonly waitMs: number;
  /** The part of connections and waiting places that one client, or one address without a client, can hold, percent. */
  readonly sharePercent: number;
  /** Slower callers are cut off, in sending and in reading, bytes a second; 0 lets any pace pass. */
  readonly leastBytesPerSecond: number;
  /** The time over which that pace is measured, milliseconds. */
  readonly paceMs: number;
}

/** What counts where a rule says nothing. */
export const UPSTREAM_LIMITS: UpstreamLimits = Object.freeze({
  connections: 128,
  waiting: 256,
  waitMs: 5000,
  sharePercent: 50,
  leastBytesPerSecond: 500,
  paceMs: 5000,
});

/** Least and most of each, used by validation, documents and console alike. */
export const UPSTREAM_LIMIT_RANGES: Readonly<Record<keyof UpstreamLimits, readonly [number, number]>> = Object.freeze({
  connections: [1, 4096],
  waiting: [0, 10_000],
  waitMs: [10, 120_000],
  sharePercent: [1, 100],
  leastBytesPerSecond: [0, 1_000_000],
  paceMs: [1000, 120_000],
});
