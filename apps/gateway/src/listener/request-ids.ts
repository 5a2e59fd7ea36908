import { randomBytes, randomFillSync } from 'node:crypto';

/**
 * Texts of one length, made together and given out one by one as parts of one flat text. Put together for each request they would
 * be chains of small texts, which everybody who looks at one has to make flat (measured: two to four hundredths of a request).
 * Whoever keeps one of them keeps all that were made with it, so they are few.
 */
class TextShelf {
  static readonly #TOGETHER = 32;
  readonly #bytes: Buffer;
  readonly #length: number;
  readonly #write: (bytes: Buffer, at: number) => void;
  #text = '';
  #at = 0;

  /** @param like what all of them have in common @param write writes what one has of its own */
  constructor(like: string, write: (bytes: Buffer, at: number) => void) {
    this.#length = like.length;
    this.#bytes = Buffer.from(like.repeat(TextShelf.#TOGETHER), 'latin1');
    this.#write = write;
  }

  next(): string {
    if (this.#at === this.#text.length) this.#fill();
    const from = this.#at;
    this.#at += this.#length;
    return this.#text.slice(from, this.#at);
  }

  #fill(): void {
    for (let at = 0; at < this.#bytes.length; at += this.#length) this.#write(this.#bytes, at);
    this.#text = this.#bytes.toString('latin1');
    this.#at = 0;
  }
}

const DIGITS = Buffer.from('0123456789abcdef', 'latin1');
// Large, since each time that random bytes are fetched among other work takes ten times as long as one after another.
const RANDOM = Buffer.alloc(32_768);
let randomAt = RANDOM.length;

function writeByte(bytes: Buffer, at: number, byte: number): void {
  bytes[at] = DIGITS[byte >> 4] as number;
  bytes[at + 1] = DIGITS[byte & 15] as number;
}

function writeRandom(bytes: Buffer, at: number, count: number): void {
  if (randomAt + count > RANDOM.length) {
    randomFillSync(RANDOM);
    randomAt = 0;
  }
  for (let index = 0; index < count; index++) writeByte(bytes, at + 2 * index, RANDOM[randomAt++] as number);
}

const PREFIX = randomBytes(6).toString('hex');
let counter = 0;

const requestIds = new TextShelf(`${PREFIX}00000000`, (bytes, at) => {
  counter = (counter + 1) % 0xffff_ffff;
  for (let index = 0; index < 4; index++) writeByte(bytes, at + PREFIX.length + 2 * index, (counter >>> (24 - 8 * index)) & 0xff);
});

/** An id for one request, unique across nodes and restarts. */
export const newRequestId = (): string => requestIds.next();

const TRACEPARENT = /^00-([0-9a-f]{32})-([0-9a-f]{16})-([0-9a-f]{2})$/;
const [TRACE_AT, PARENT_AT, FLAGS_AT] = [3, 36, 53];

const traceparents = new TextShelf(`00-${'0'.repeat(32)}-${'0'.repeat(16)}-00`, (bytes, at) => {
  writeRandom(bytes, at + TRACE_AT, 16);
  writeRandom(bytes, at + PARENT_AT, 8);
});

/** The W3C Trace Context of a request on its way up: a valid trace is continued with a new parent, otherwise begun. */
export function traceContext(incoming: string | undefined): string {
  const begun = traceparents.next();
  const match = incoming === undefined ? null : TRACEPARENT.exec(incoming);
  if (match === null || match[1] === '0'.repeat(32) || match[2] === '0'.repeat(16)) return begun;
  return `00-${match[1] as string}-${begun.slice(PARENT_AT, FLAGS_AT - 1)}-${match[3] as string}`;
}

/** The id of the trace that a trace context names. */
export const traceIdOf = (traceparent: string): string => traceparent.slice(TRACE_AT, PARENT_AT - 1);
