import { randomBytes, randomFillSync } from 'node:crypto';

const TRACEPARENT = /^00-([0-9a-f]{32})-([0-9a-f]{16})-([0-9a-f]{2})$/;
// Large, since each time that random bytes are fetched among other work takes ten times as long as one after another.
const POOL = Buffer.alloc(32_768);
const PREFIX = randomBytes(6).toString('hex');
let pool = '';
let poolAt = 0;
let counter = 0;

function randomHex(bytes: number): string {
  const length = bytes * 2;
  if (poolAt + length > pool.length) {
    pool = randomFillSync(POOL).toString('hex');
    poolAt = 0;
  }
  poolAt += length;
  return pool.slice(poolAt - length, poolAt);
}

/** An id for one request, unique across nodes and restarts. */
export function newRequestId(): string {
  counter = (counter + 1) % 0xffff_ffff;
  return `${PREFIX}${counter.toString(16).padStart(8, '0')}`;
}

/** The W3C Trace Context of a request on its way up: a valid trace is continued with a new parent, otherwise begun. */
export function traceContext(incoming: string | undefined): { traceId: string; traceparent: string } {
  const match = incoming === undefined ? null : TRACEPARENT.exec(incoming);
  const known = match && match[1] !== '0'.repeat(32) && match[2] !== '0'.repeat(16);
  const traceId = known ? (match[1] as string) : randomHex(16);
  return { traceId, traceparent: `00-${traceId}-${randomHex(8)}-${known ? (match[3] as string) : '00'}` };
}
