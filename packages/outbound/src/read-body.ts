import { brotliDecompressSync, gunzipSync, inflateSync } from 'node:zlib';
import { OutboundError } from './address-guard.js';

interface Answer {
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly body: AsyncIterable<unknown>;
}

const DECODERS: Readonly<Record<string, typeof gunzipSync>> = { gzip: gunzipSync, 'x-gzip': gunzipSync, deflate: inflateSync, br: brotliDecompressSync };

/**
 * The text of an answer, whole: decoded where it came compressed (RFC 9110 section 8.4.1), as UTF-8, bounded before and
 * after decoding; null for bytes that are no UTF-8, which two readers would take for two texts.
 * @throws OutboundError for one that is too long, coded in another way, or in another character encoding
 */
export async function readBody(answer: Answer, address: string, maxBytes: number): Promise<string | null> {
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of answer.body as AsyncIterable<Buffer>) {
    size += part.length;
    if (size > maxBytes) throw new OutboundError(`${address} sent more than ${maxBytes} bytes`);
    parts.push(part);
  }
  return textOf(decode(Buffer.concat(parts), answer.headers['content-encoding'], address, maxBytes), address);
}

function decode(bytes: Buffer, header: string | string[] | undefined, address: string, maxBytes: number): Buffer {
  const coding = (Array.isArray(header) ? header.join(',') : (header ?? '')).trim().toLowerCase();
  if (coding === '' || coding === 'identity') return bytes;
  const decoder = Object.hasOwn(DECODERS, coding) ? DECODERS[coding] : undefined;
  if (!decoder) throw new OutboundError(`${address} sent its answer coded as ${coding.slice(0, 40)}, which is not read`);
  try {
    return decoder(bytes, { maxOutputLength: maxBytes });
  } catch (error) {
    const long = (error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE';
    throw new OutboundError(long ? `${address} sent more than ${maxBytes} bytes` : `${address} said that its answer is ${coding}, and it is not`);
  }
}

function textOf(bytes: Buffer, address: string): string | null {
  const utf16 =
    (bytes[0] === 0xfe && bytes[1] === 0xff) || (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes.length > 3 && (bytes[0] === 0) !== (bytes[1] === 0));
  if (utf16) throw new OutboundError(`${address} answered in UTF-16; JSON travels as UTF-8 (RFC 8259 section 8.1)`);
  // A byte order mark is allowed to be ignored (RFC 8259 section 8.1), which the decoder does.
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return null;
  }
}
