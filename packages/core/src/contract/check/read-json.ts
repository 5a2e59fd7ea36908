import { scanJson } from '../../util/scan-json.js';

/** Levels of a body that are read. */
export const JSON_DEPTH = 64;

export type ReadValue = { readonly kind: 'value'; readonly value: unknown } | { readonly kind: 'fault'; readonly says: string };

const fault = (says: string): ReadValue => ({ kind: 'fault', says });
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
    return fault('bytes that are no UTF-8');
  }
  if (text.charCodeAt(0) === 0xfeff) return fault('a byte order mark in front');
  if (text.trim() === '') return fault('nothing');
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return fault('no JSON');
  }
  const odd = oddity(bytes, text);
  return odd === null ? { kind: 'value', value } : fault(odd);
}

const [QUOTE, BACKSLASH, COMMA, COLON] = [34, 92, 44, 58];
const [OPEN_OBJECT, CLOSE_OBJECT, OPEN_LIST, CLOSE_LIST] = [123, 125, 91, 93];

/** Names that were seen, as numbers: by their object and their letters. One table for all texts, emptied by counting on. */
const SLOTS = 8192;
const seen = new Int32Array(SLOTS);
const seenIn = new Int32Array(SLOTS);
const owners = new Int32Array(JSON_DEPTH + 1);
let turn = 0;

/**
 * What readers take differently in a text that is JSON, found in one pass over its bytes; null for nothing. Names are compared
 * by a number made of them; two equal numbers are looked at again in full.
 */
function oddity(bytes: Uint8Array, text: string): string | null {
  turn = (turn + 1) | 0;
  let depth = 0;
  let objects = 0;
  let names = 0;
  let doubtful = false;
  let isName = false;
  const { length } = bytes;
  for (let at = 0; at < length; at++) {
    const c = bytes[at] as number;
    if (c === QUOTE) {
      let mix = 0x811c9dc5;
      const from = at + 1;
      for (at++; ; at++) {
        const b = bytes[at] as number;
        if (b === QUOTE) break;
        if (b === BACKSLASH) {
          if (bytes[at + 1] === 117) {
            const escaped = surrogate(bytes, at);
            if (escaped < 0) return 'half of a surrogate pair';
            at += escaped;
          } else at++;
          doubtful = doubtful || isName;
          continue;
        }
        if (isName) mix = Math.imul(mix ^ b, 0x01000193);
      }
      if (!isName) continue;
      isName = false;
      if (at - from === 9 && isProto(bytes, from)) return 'a member “__proto__”';
      if (doubtful) continue;
      if (++names > SLOTS / 2) doubtful = true;
      else {
        mix = Math.imul(mix ^ (owners[depth] as number), 0x9e3779b1);
        for (let slot = (mix >>> 16) & (SLOTS - 1); ; slot = (slot + 1) & (SLOTS - 1)) {
          if (seenIn[slot] !== turn) {
            seenIn[slot] = turn;
            seen[slot] = mix;
            break;
          }
          if (seen[slot] === mix) {
            doubtful = true;
            break;
          }
        }
      }
    } else if (c === OPEN_OBJECT || c === OPEN_LIST) {
      if (++depth > JSON_DEPTH) return `nesting deeper than ${JSON_DEPTH} levels`;
      owners[depth] = c === OPEN_OBJECT ? ++objects : 0;
      isName = c === OPEN_OBJECT;
    } else if (c === CLOSE_OBJECT || c === CLOSE_LIST) {
      depth--;
      isName = false;
    } else if (c === COMMA) isName = owners[depth] !== 0 && depth > 0;
    else if (c === COLON) isName = false;
    else if (c === 45 || (c >= 48 && c <= 57)) {
      const from = at;
      while (at + 1 < length && isNumeric(bytes[at + 1] as number)) at++;
      if (at - from >= 15 || hasExponent(bytes, from, at)) {
        const odd = oddNumber(bytes, from, at + 1);
        if (odd !== null) return odd;
      }
    }
  }
  if (!doubtful) return null;
  return scanJson(text, JSON_DEPTH) === 'duplicate-member' ? 'a member that stands twice' : escapedProto(text) ? 'a member “__proto__”' : null;
}

const isNumeric = (c: number): boolean => (c >= 48 && c <= 57) || c === 46 || c === 43 || c === 45 || c === 69 || c === 101;

function hasExponent(bytes: Uint8Array, from: number, to: number): boolean {
  for (let at = from; at <= to; at++) if (bytes[at] === 69 || bytes[at] === 101) return true;
  return false;
}

function oddNumber(bytes: Uint8Array, from: number, to: number): string | null {
  const text = String.fromCharCode(...bytes.subarray(from, Math.min(to, from + 400)));
  if (to - from > 400) return 'a number of more than 400 digits';
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

const hex = (bytes: Uint8Array, at: number): number => parseInt(String.fromCharCode(...bytes.subarray(at, at + 4)), 16);

/** How many bytes behind the backslash an escape has; -1 where it is half of a pair. */
function surrogate(bytes: Uint8Array, at: number): number {
  const code = hex(bytes, at + 2);
  if (code >= 0xdc00 && code <= 0xdfff) return -1;
  if (code < 0xd800 || code > 0xdbff) return 5;
  if (bytes[at + 6] !== BACKSLASH || bytes[at + 7] !== 117) return -1;
  const low = hex(bytes, at + 8);
  return low >= 0xdc00 && low <= 0xdfff ? 11 : -1;
}

const PROTO = '__proto__';
function isProto(bytes: Uint8Array, from: number): boolean {
  for (let index = 0; index < PROTO.length; index++) if (bytes[from + index] !== PROTO.charCodeAt(index)) return false;
  return true;
}

/** Whether a name is `__proto__` once its escapes are resolved. */
function escapedProto(text: string): boolean {
  let found = false;
  JSON.parse(text, (name, value: unknown) => {
    if (name === PROTO) found = true;
    return value;
  });
  return found;
}
