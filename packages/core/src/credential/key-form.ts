/** What keys made here begin with, so that people and scanners know one when they see it. */
export const KEY_PREFIX = 'vrk_';

const ALPHABET = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz';
/** 32 characters of 62: more than 190 bits. */
const BODY = 32;
const CHECK = 6;
const FORM = new RegExp(`^${KEY_PREFIX}([0-9A-Za-z]{${BODY}})([0-9A-Za-z]{${CHECK}})$`);

/**
 * Writes a key: prefix, random characters, checksum (CRC-32 in base 62).
 * @param random bytes made by chance, at least 64: those that would favour some characters are left out
 * @throws Error when there are too few
 */
export function writeKey(random: Uint8Array): string {
  // 248 is the largest multiple of 62 in a byte: taking the rest of larger ones would make some characters likelier.
  const fair = [...random].filter((byte) => byte < 248).slice(0, BODY);
  if (fair.length < BODY) throw new Error('too few random bytes for a key');
  const body = fair.map((byte) => ALPHABET[byte % 62]).join('');
  return KEY_PREFIX + body + checksum(body);
}

/** Whether a text is a key made here by its form, looks like one with something wrong in it, or is none. */
export function keyForm(text: string): 'key' | 'damaged' | 'other' {
  const match = FORM.exec(text);
  if (match) return checksum(match[1] ?? '') === match[2] ? 'key' : 'damaged';
  return text.startsWith(KEY_PREFIX) ? 'damaged' : 'other';
}

function checksum(body: string): string {
  let rest = crc32(body);
  let out = '';
  for (let index = 0; index < CHECK; index++) {
    out = (ALPHABET[rest % 62] ?? '') + out;
    rest = Math.floor(rest / 62);
  }
  return out;
}

/** CRC-32 with the polynomial of ISO/IEC 3309, bits reflected (as in RFC 1952 section 8), over ASCII. */
export function crc32(text: string): number {
  let crc = 0xffff_ffff;
  for (let index = 0; index < text.length; index++) {
    crc ^= text.charCodeAt(index) & 0xff;
    for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >>> 1) ^ 0xedb8_8320 : crc >>> 1;
  }
  return (crc ^ 0xffff_ffff) >>> 0;
}
