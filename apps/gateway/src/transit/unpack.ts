import { brotliDecompress, crc32, inflate, inflateRaw, type BrotliOptions, type ZlibOptions } from 'node:zlib';

/** What came of unpacking, and by what: it knows how many bytes it took. */
type Unpacked = { readonly buffer: Buffer; readonly engine: { readonly bytesWritten: number } };
type Unpack<O> = (body: Buffer, options: O, done: (error: Error | null, came: Buffer) => void) => void;

/** Unpacks from a place on. @throws what the platform throws, also where more than `limit` bytes come of it */
function unpack<O extends ZlibOptions | BrotliOptions>(by: Unpack<O>, body: Buffer, limit: number): Promise<Unpacked> {
  return new Promise((resolve, reject) => {
    // With `info` the platform gives both, which its types do not say.
    const done = (error: Error | null, came: unknown): void => (error ? reject(error) : resolve(came as Unpacked));
    by(body, { maxOutputLength: limit, info: true } as O, done);
  });
}

/** Readers differ about what stands behind the end: some leave it, some go on with it. */
const DIFFERENT = new Error('something stands behind its end');

async function whole<O extends ZlibOptions | BrotliOptions>(by: Unpack<O>, body: Buffer, limit: number): Promise<Buffer> {
  const { buffer, engine } = await unpack(by, body, limit);
  if (engine.bytesWritten !== body.length) throw DIFFERENT;
  return buffer;
}

/** Content in the zlib format (RFC 1950), which is what `deflate` means (RFC 9110 section 8.4.1.2), and nothing behind it. */
export const unpackZlib = (body: Buffer, limit: number): Promise<Buffer> => whole(inflate, body, limit);

/** Content in the brotli format (RFC 7932), and nothing behind it. */
export const unpackBrotli = (body: Buffer, limit: number): Promise<Buffer> => whole(brotliDecompress, body, limit);

const FLAG = { headChecked: 2, extra: 4, name: 8, comment: 16, reserved: 0xe0 } as const;
const HEAD_BYTES = 10;
const TAIL_BYTES = 8;

/**
 * Content in the gzip format (RFC 1952): one member, and nothing behind it. The format lets members follow each other, but readers do
 * not agree: some read the first alone, some skip zeros between two, some leave what is no member.
 * @throws for anything else
 */
export async function unpackGzip(body: Buffer, limit: number): Promise<Buffer> {
  const from = endOfHead(body);
  const { buffer, engine } = await unpack(inflateRaw, body.subarray(from), limit);
  const end = from + engine.bytesWritten;
  if (end + TAIL_BYTES !== body.length) throw DIFFERENT;
  if (body.readUInt32LE(end) !== crc32(buffer) || body.readUInt32LE(end + 4) !== buffer.length) throw new Error('its check does not hold');
  return buffer;
}

/** Where the head of a member ends (RFC 1952 section 2.3). */
function endOfHead(body: Buffer): number {
  const flags = body[3] ?? FLAG.reserved;
  if (body[0] !== 0x1f || body[1] !== 0x8b || body[2] !== 8 || (flags & FLAG.reserved) !== 0) throw new Error('it does not begin as gzip does');
  let at = HEAD_BYTES;
  if (flags & FLAG.extra) at += 2 + body.readUInt16LE(at);
  for (const text of [FLAG.name, FLAG.comment]) {
    if (!(flags & text)) continue;
    const end = body.indexOf(0, at);
    if (end < 0) throw new Error('its head does not end');
    at = end + 1;
  }
  if (flags & FLAG.headChecked) {
    if (body.readUInt16LE(at) !== (crc32(body.subarray(0, at)) & 0xffff)) throw new Error('the check of its head does not hold');
    at += 2;
  }
  return at;
}
