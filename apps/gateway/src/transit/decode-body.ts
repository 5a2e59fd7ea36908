import type { BodyContent, BodyNeed } from '@virga/core';
import { unpackBrotli, unpackGzip, unpackZlib } from './unpack.js';

const DECODERS = { gzip: unpackGzip, 'x-gzip': unpackGzip, deflate: unpackZlib, br: unpackBrotli };

/** What stands for the coding of a content of which only a part comes: nobody reads that. */
const A_PART = 'a part of its bytes (Content-Range)';

/**
 * How a content is coded, by its head; undefined where it is not. A part of a content is none that could be looked into: what is
 * looked for could stand half in this part and half in the next (RFC 9110 sections 14.4, 14.5 and 15.3.7; 226 of RFC 3229).
 * @param status of an answer; left out for a request
 */
export function codingOf(header: (name: string) => string | undefined, status?: number): string | undefined {
  if (status === 206 || status === 226 || header('content-range') !== undefined) return A_PART;
  return header('content-encoding');
}

/** Whether a Content-Encoding says that a body is coded. */
const isCoded = (coding: string | undefined): coding is string => coding !== undefined && coding.trim() !== '' && coding.trim().toLowerCase() !== 'identity';

/** A body without its coding (RFC 9110 section 8.4), up to the bound: what would grow beyond it is not unpacked. */
async function decodeBody(body: Buffer, coding: string, { limit, larger }: BodyNeed): Promise<BodyContent> {
  const name = coding.trim().toLowerCase();
  const decode = Object.hasOwn(DECODERS, name) ? DECODERS[name as keyof typeof DECODERS] : undefined;
  if (!decode) return { kind: 'coded', coding: name.slice(0, 60) };
  try {
    return { kind: 'bytes', bytes: await decode(body, limit) };
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE') return { kind: 'larger', limit, pass: larger === 'pass' };
    return { kind: 'coded', coding: `${name}, which it is not` };
  }
}

/** What is read of a whole body: at once where it is not coded. */
export function readContent(body: Buffer, coding: string | undefined, need: BodyNeed): BodyContent | Promise<BodyContent> {
  return isCoded(coding) ? decodeBody(body, coding, need) : { kind: 'bytes', bytes: body };
}
