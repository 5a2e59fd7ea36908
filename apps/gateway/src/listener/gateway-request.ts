import { IncomingMessage } from 'node:http';

/**
 * A request whose body is read as a stream where one comes, and which costs nothing as a stream where none does: its end, which
 * nobody waits for, is not told of. The platform would say it by four turns of its queue (measured: two to four hundredths of a
 * request under load). Whether a request was read to its end is known from `complete`, as ever.
 */
export class GatewayRequest extends IncomingMessage {
  /** Of what comes without a body the end alone is pushed. */
  override push(part: unknown, encoding?: BufferEncoding): boolean {
    return part === null && this.#isBare ? false : super.push(part, encoding);
  }

  /** The platform lets a request run out once it is answered; here nothing is left in it. */
  override resume(): this {
    return this.#isBare ? this : super.resume();
  }

  /** Whether its head says nothing of a body (RFC 9112 section 6.3). */
  get #isBare(): boolean {
    return this.headers['content-length'] === undefined && this.headers['transfer-encoding'] === undefined;
  }
}
