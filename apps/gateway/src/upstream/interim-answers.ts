import type { Socket } from 'node:net';

const CONTINUE = Buffer.from('HTTP/1.1 100', 'latin1');
const MAX_INTERIM_BYTES = 8192;

/**
 * Leaves out 100 (Continue) answers that nobody asked for: a client must take them and may ignore them (RFC 9110 section
 * 15.2), and the library that reads this socket breaks off instead. Looks at the first bytes behind each request head only.
 */
export function skipContinue(socket: Socket): void {
  const read = socket.read.bind(socket) as (size?: number) => Buffer | null;
  const write = socket.write.bind(socket) as (...args: unknown[]) => boolean;
  let held: Buffer | null = null;
  let expectsHead = false;
  socket.write = (...args: unknown[]): boolean => {
    // Heads are written as text, bodies as bytes.
    if (typeof args[0] === 'string' && args[0].includes(' HTTP/1.1\r\n')) expectsHead = true;
    return write(...args);
  };
  socket.read = (size?: number): Buffer | null => {
    for (;;) {
      const part = read(size);
      if (part === null || !expectsHead) return part;
      const bytes = withoutInterim(held ? Buffer.concat([held, part]) : part);
      held = null;
      if (bytes.length === 0) continue;
      if (!beginsLike(bytes) || bytes.length >= MAX_INTERIM_BYTES) {
        expectsHead = false;
        return bytes;
      }
      // The beginning of one; the rest of it is still to come.
      held = bytes;
    }
  };
}

/** Bytes without the whole interim answers in front of them. */
function withoutInterim(bytes: Buffer): Buffer {
  let rest = bytes;
  while (rest.length >= CONTINUE.length && beginsLike(rest)) {
    const end = rest.indexOf('\r\n\r\n');
    if (end < 0) return rest;
    rest = rest.subarray(end + 4);
  }
  return rest;
}

const beginsLike = (bytes: Buffer): boolean => {
  const length = Math.min(bytes.length, CONTINUE.length);
  // The last byte tells 100 from every other status, and most answers are another.
  if (length === CONTINUE.length && (bytes[9] !== 0x31 || bytes[11] !== 0x30)) return false;
  return length > 0 && bytes.compare(CONTINUE, 0, length, 0, length) === 0;
};
