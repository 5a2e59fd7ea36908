import { base64url } from 'jose';

const ALPHABET = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_';
const SHAPE = /^[A-Za-z0-9_-]*$/;

/**
 * Whether a text is the one canonical base64url spelling of some bytes (RFC 7515 section 2, RFC 4648 section 3.5):
 * no padding, no white space, no foreign character, and no bits set behind the last byte. Without the last rule two
 * spellings of one signature would both pass.
 */
export function isCanonicalBase64url(text: string): boolean {
  const rest = text.length % 4;
  if (rest === 1 || !SHAPE.test(text)) return false;
  if (rest === 0) return true;
  const last = ALPHABET.indexOf(text.charAt(text.length - 1));
  return rest === 2 ? (last & 0b1111) === 0 : (last & 0b11) === 0;
}

/** The platform's own bytes, where it has them. */
interface NativeBytes extends Uint8Array<ArrayBuffer> {
  toString: (encoding?: string) => string;
}
const native = (globalThis as { Buffer?: { from(text: string, encoding: 'base64url'): NativeBytes; isBuffer(value: unknown): value is NativeBytes } }).Buffer;

/** Bytes of a canonical base64url text; by the platform's own decoder where it has one. */
export const decodeBase64url: (text: string) => Uint8Array<ArrayBuffer> = native
  ? (text) => native.from(text, 'base64url')
  : (text) => new Uint8Array(base64url.decode(text));

const utf8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });
const REPLACEMENT = '\ufffd';

/** Bytes to text; null when they are not well-formed UTF-8. A byte order mark stays, so that no JSON text begins with one. */
export function decodeUtf8(bytes: Uint8Array): string | null {
  if (native?.isBuffer(bytes)) {
    // The platform's own decoder is faster and lenient: it writes a mark where bytes are wrong.
    const text = bytes.toString('utf8');
    if (!text.includes(REPLACEMENT)) return text;
  }
  try {
    return utf8.decode(bytes);
  } catch {
    return null;
  }
}
