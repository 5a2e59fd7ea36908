import type { IncomingMessage } from 'node:http';

/** How much of a body that nobody wants is read on, so that its sender can read the answer, and for how long. */
export const LINGER = { bytes: 8 * 1024 * 1024, ms: 3000 } as const;

/**
 * Reads on a body that nobody wants, within bounds. A connection that is closed while its caller still sends is reset,
 * and the answer is lost with it (RFC 9112 section 9.6).
 * @param done called once: with true when the body came to its end, with false when a bound was reached or the caller left
 */
export function drainUpload(req: IncomingMessage, done: (whole: boolean) => void): void {
  let size = 0;
  let over = false;
  const finish = (whole: boolean): void => {
    if (over) return;
    over = true;
    clearTimeout(timer);
    req.off('data', take);
    req.off('end', ended);
    req.off('close', left);
    done(whole);
  };
  const take = (part: Buffer): void => {
    size += part.length;
    if (size > LINGER.bytes) finish(false);
  };
  const ended = (): void => finish(true);
  const left = (): void => finish(req.complete);
  const timer = setTimeout(() => finish(req.complete), LINGER.ms);
  req.unpipe();
  req.removeAllListeners('data');
  if (req.complete && req.readableLength === 0) return finish(true);
  req.on('data', take);
  req.once('end', ended);
  req.once('close', left);
  req.resume();
}
