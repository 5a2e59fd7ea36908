/** Levels of a body that are read. */
export const JSON_DEPTH = 64;

export type ReadValue = { readonly kind: 'value'; readonly value: unknown } | { readonly kind: 'fault'; readonly says: string };

const fault = (says: string): Extract<ReadValue, { kind: 'fault' }> => ({ kind: 'fault', says });
/** Of bytes that are no text. */
export const NO_TEXT = Object.freeze(fault('bytes that are no UTF-8'));
const UTF8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

/**
 * Reads JSON (RFC 8259) that every reader takes alike. Refused: bytes that are no UTF-8, a byte order mark (section 8.1), members
 * that stand twice and `__proto__` (section 4), numbers that become infinite, nothing, or another whole number than 64 bits can
 * hold (section 6), half of a surrogate pair (section 8.2), nesting deeper than 64 levels (section 9).
 */
export function readStrictJson(bytes: Uint8Array): ReadValue {
  let text: string;
  try {
    text = UTF8.decode(bytes);
  } catch {
    return NO_TEXT;
  }
  if (text.charCodeAt(0) === 0xfeff) return fault('a byte order mark in front');
  if (text.trim() === '') return fault('nothing');
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return fault('no JSON');
  }
  const odd = oddity(bytes, value);
  return odd === null ? { kind: 'value', value } : fault(odd);
}

/** The same of a text that somebody typed. */
export const readTypedJson = (text: string): ReadValue => readStrictJson(new TextEncoder().encode(text));

const QUOTE = 34;
const BACKSLASH = 92;
const COLON = 58;
const MINUS = 45;
const POINT = 46;
const ZERO = 48;
const NINE = 57;
const OPEN_OBJECT = 123;
const CLOSE_OBJECT = 125;
const OPEN_LIST = 91;
const CLOSE_LIST = 93;
const U = 117;

/**
 * What readers take differently in a text that is JSON, found in one pass over its bytes, which is quicker than over its characters;
 * null for nothing. Names stand twice where there are more colons than members in what the parser made of it.
 */
function oddity(bytes: Uint8Array, value: unknown): string | null {
  const escapes = bytes.includes(BACKSLASH);
  let depth = 0;
  let colons = 0;
  const { length } = bytes;
  for (let at = 0; at < length; at++) {
    const c = bytes[at] as number;
    if (c === QUOTE) {
      if (!escapes) while (bytes[++at] !== QUOTE);
      else if ((at = endOfText(bytes, at + 1)) < 0) return HALF;
    } else if (c === COLON) colons++;
    else if (c === MINUS || (c >= ZERO && c <= NINE)) {
      const from = at;
      let whole = true;
      let plain = true;
      for (; at + 1 < length; at++) {
        const next = bytes[at + 1] as number;
        if (next >= ZERO && next <= NINE) continue;
        if (next === POINT) whole = false;
        else if (next === 69 || next === 101 || next === 43 || next === MINUS) plain = false;
        else break;
      }
      // Only what has an exponent, or many digits and no point, can be beyond what readers hold.
      if (plain && (whole ? at - from < 15 : at - from < 300)) continue;
      const odd = at + 1 - from > 400 ? 'a number of more than 400 characters' : oddNumber(latin1(bytes, from, at + 1));
      if (odd !== null) return odd;
    } else if (c === OPEN_OBJECT || c === OPEN_LIST) {
      if (++depth > JSON_DEPTH) return `nesting deeper than ${JSON_DEPTH} levels`;
    } else if (c === CLOSE_OBJECT || c === CLOSE_LIST) depth--;
  }
  const members = typeof value === 'object' && value !== null ? membersOf(value) : 0;
  if (members < 0) return A_PROTO;
  return members === colons ? null : 'a member that stands twice';
}

/** How many members all objects in a value have; less than none where one of them is `__proto__`. */
function membersOf(value: unknown): number {
  let count = 0;
  if (Array.isArray(value)) {
    for (const item of value as unknown[]) if (typeof item === 'object' && item !== null) count += membersOf(item);
    return count;
  }
  const record = value as Readonly<Record<string, unknown>>;
  for (const name in record) {
    if (name === PROTO) return -Infinity;
    count++;
    const member = record[name];
    if (typeof member === 'object' && member !== null) count += membersOf(member);
  }
  return count;
}

const HALF = 'half of a surrogate pair';
const PROTO = '__proto__';
const A_PROTO = `a member “${PROTO}”`;

/** A few bytes as characters. */
const latin1 = (bytes: Uint8Array, from: number, to: number): string => String.fromCharCode(...bytes.subarray(from, to));

/** Where a text in quotes ends, from somewhere inside it; -1 where an escape in it is half of a surrogate pair. */
function endOfText(bytes: Uint8Array, from: number): number {
  for (let at = from; ; at++) {
    const unit = bytes[at] as number;
    if (unit === QUOTE) return at;
    if (unit !== BACKSLASH) continue;
    const length = bytes[at + 1] === U ? escapeLength(bytes, at) : 1;
    if (length < 0) return -1;
    at += length;
  }
}

/** How many characters behind its backslash an escape of a character has; -1 where it is half of a pair. */
function escapeLength(bytes: Uint8Array, at: number): number {
  const code = parseInt(latin1(bytes, at + 2, at + 6), 16);
  if (code >= 0xdc00 && code <= 0xdfff) return -1;
  if (code < 0xd800 || code > 0xdbff) return 5;
  if (bytes[at + 6] !== BACKSLASH || bytes[at + 7] !== U) return -1;
  const low = parseInt(latin1(bytes, at + 8, at + 12), 16);
  return low >= 0xdc00 && low <= 0xdfff ? 11 : -1;
}

function oddNumber(text: string): string | null {
  const value = Number(text);
  if (!Number.isFinite(value)) return 'a number beyond what readers hold';
  if (value === 0 && /[1-9]/.test(text.replace(/[eE].*/, ''))) return 'a number too small for readers to hold';
  // Up to 64 bits readers differ in whether they round, beyond it in what they read.
  if (!/[.eE]/.test(text) && !Number.isSafeInteger(value)) {
    const whole = BigInt(text);
    if (whole < -(2n ** 63n) || whole >= 2n ** 64n) return 'a whole number of more than 64 bits';
  }
  return null;
}
