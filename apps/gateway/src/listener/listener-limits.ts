/** Bounds of the gateway's listeners. */
export const LISTENER_LIMITS = {
  maxHeaderBytes: 32 * 1024,
  maxHeaderFields: 300,
  requestTimeoutMs: 300_000,
  headersTimeoutMs: 20_000,
  keepAliveMs: 65_000,
} as const;
