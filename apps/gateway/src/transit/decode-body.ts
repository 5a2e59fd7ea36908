import type { BodyContent, BodyNeed } from '@virga/core';
import { promisify } from 'node:util';
import { brotliDecompress, gunzip, inflate } from 'node:zlib';

const DECODERS = { gzip: promisify(gunzip), 'x-gzip': promisify(gunzip), deflate: promisify(inflate), br: promisify(brotliDecompress) };

/** Whether a Content-Encoding says that a body is coded. */
const isCoded = (coding: string | undefined): coding is string => coding !== undefined && coding.trim() !== '' && coding.trim().toLowerCase() !== 'identity';

/** A body without its coding (RFC 9110 section 8.4), up to the bound: what would grow beyond it is not unpacked. */
async function decodeBody(body: Buffer, coding: string, { limit, larger }: BodyNeed): Promise<BodyContent> {
  const name = coding.trim().toLowerCase();
  const decode = Object.hasOwn(DECODERS, name) ? DECODERS[name as keyof typeof DECODERS] : undefined;
  if (!decode) return { kind: 'coded', coding: name.slice(0, 60) };
  try {
    return { kind: 'bytes', bytes: await decode(body, { maxOutputLength: limit }) };
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE') return { kind: 'larger', limit, pass: larger === 'pass' };
    return { kind: 'coded', coding: `${name}, which it is not` };
  }
}

/** What is read of a whole body: at once where it is not coded. */
export function readContent(body: Buffer, coding: string | undefined, need: BodyNeed): BodyContent | Promise<BodyContent> {
  return isCoded(coding) ? decodeBody(body, coding, need) : { kind: 'bytes', bytes: body };
}
