import { charsetsOf, xmlEncodingOf } from '../../message/media-type.js';
import { readStrictJson, type ReadValue } from '../../util/read-json.js';

export const LATIN1 = new TextDecoder('latin1');
export const OTHER_SET: ReadValue = { kind: 'fault', says: 'another character set than is read' };

/** The character set that a Content-Type names; null for none, and several are one that nobody reads. */
export function charsetOf(contentType: string): string | null {
  const named = charsetsOf(contentType);
  return named.length === 0 ? null : named.join(' and ');
}

/** JSON is UTF-8 (RFC 8259 section 8.1): whoever believes another word would read another text. */
export const jsonIn = (bytes: Uint8Array, contentType: string): ReadValue =>
  /^utf-?8$/.test(charsetOf(contentType) ?? 'utf-8') ? readStrictJson(bytes) : OTHER_SET;

/** Names of one character set: what is written in the one is read the same in all of them. */
const SETS: ReadonlyMap<string, 'utf-8' | 'latin1'> = new Map([
  ['utf-8', 'utf-8'],
  ['utf8', 'utf-8'],
  ['us-ascii', 'utf-8'],
  ['ascii', 'utf-8'],
  ['iso-8859-1', 'latin1'],
  ['latin1', 'latin1'],
]);
export const isUtf8 = (charset: string): boolean => SETS.get(charset) === 'utf-8';

const UTF8 = new TextDecoder('utf-8', { fatal: true });

/** A text by the character set that is named; null where that is another than is read, or the bytes are none of it. */
export function textOf(bytes: Uint8Array, charset: string | null): string | null {
  const set = SETS.get(charset ?? 'utf-8');
  if (set !== 'utf-8') return set === undefined ? null : LATIN1.decode(bytes);
  try {
    return UTF8.decode(bytes);
  } catch {
    return null;
  }
}

/** XML by its Content-Type, else by its own declaration (RFC 7303 section 3); null also where they differ, since readers do then. */
export function xmlTextOf(bytes: Uint8Array, contentType: string): string | null {
  const said = charsetOf(contentType);
  const declared = xmlEncodingOf(LATIN1.decode(bytes.subarray(0, 400)));
  if (said !== null && declared !== null && SETS.get(said) !== SETS.get(declared)) return null;
  return textOf(bytes, said ?? declared);
}
