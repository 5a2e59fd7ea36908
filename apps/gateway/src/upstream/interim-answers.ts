import type { Socket } from 'node:net';

const CONTINUE = Buffer.from('HTTP/1.1 100', 'latin1');
const MAX_INTERIM_BYTES = 8192;

/**
 * Leaves out 100 (Continue) answers that nobody asked for: a client must take them and may ignore them (RFC 9110 section
 * 15.2), and the library that reads this socket breaks off instead. Looks at the first bytes behind each request head only.
 */
export function skipContinue(socket: Socket): void {
  const read = socket.read.bind(socket);
  const write = socket.write.bind(socket) as (...args: unknown[]) => boolean;
  let expectsHead = false;
  let held: Buffer | null = null;
  socket.write = (...args: unknown[]): boolean => {
    // Heads are written as text, bodies as bytes.
    if (typeof args[0] === 'string' && args[0].includes(' HTTP/1.1\r\n')) expectsHead = true;
    return write(...args);
  };
  socket.read = ((size?: number): Buffer | null => {
    for (;;) {
      const part = read(size) as Buffer | null;
      if (part === null || !expectsHead) return part;
      let bytes: Buffer = held ? Buffer.concat([held, part]) : part;
      held = null;
      while (beginsLike(bytes)) {
        const end = bytes.length >= CONTINUE.length ? bytes.indexOf('\r\n\r\n') : -1;
        if (end < 0) break;
        bytes = bytes.subarray(end + 4);
        if (bytes.length === 0) break;
      }
      if (bytes.length === 0) continue;
      if (beginsLike(bytes) && bytes.length < MAX_INTERIM_BYTES) held = bytes;
      else {
        expectsHead = false;
        return bytes;
      }
    }
  }) as Socket['read'];
}

const beginsLike = (bytes: Buffer): boolean => {
  const length = Math.min(bytes.length, CONTINUE.length);
  return length > 0 && bytes.compare(CONTINUE, 0, length, 0, length) === 0;
};
