import { charsetsOf, xmlEncodingOf } from '../message/media-type.js';

/** A body as a text that can be looked through; `other` where it is none by its type and its bytes, `unread` where it should be one and cannot be read. */
export type BodyText =
  | { readonly kind: 'json' | 'form'; readonly text: string }
  /** `latin` where every byte stands as one character, since not all of it is text. */
  | { readonly kind: 'text'; readonly text: string; readonly latin?: boolean }
  | { readonly kind: 'other'; readonly says: string }
  | { readonly kind: 'unread'; readonly says: string };

const UTF8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });
/** Every byte as the character of its number: the platform’s decoder of that name takes another set. */
const characters = (bytes: Uint8Array): string => {
  let text = '';
  for (let at = 0; at < bytes.length; at += 8192) text += String.fromCharCode(...bytes.subarray(at, at + 8192));
  return text;
};

const FORM = 'application/x-www-form-urlencoded';
const TEXT_TYPES = new RegExp(
  '^(?:text/.+|multipart/.+|application/(?:xml|xml-dtd|javascript|x-javascript|ecmascript|json5|x-www-form-urlencoded|ndjson|x-ndjson|jsonl|x-jsonlines|json-seq|' +
    'toml|rtf|yaml|x-yaml|graphql|sql|csv|.+\\+(?:xml|yaml|json-seq)))$',
);
const JSON_TYPES = /^(?:application\/json|[^/]+\/.+\+json)$/;
/** Character sets in which ASCII is ASCII; what of them is no UTF-8 is not read. In others what is looked for would be spelled otherwise. */
const READ_SETS: ReadonlySet<string> = new Set(['utf-8', 'utf8', 'us-ascii', 'ascii', 'iso-8859-1', 'iso-8859-15', 'latin1', 'windows-1252']);
/** How a part of a multipart body may be sent so that it stands there as it is (RFC 2045 section 6.2). */
const PLAIN_CODING = /^(?:7bit|8bit|binary)$/i;

/** Whether a body is no text by its type. @param media in small letters, without parameters; null for none */
export const isOtherType = (media: string | null): boolean => media !== null && !JSON_TYPES.test(media) && !TEXT_TYPES.test(media);

/**
 * Reads a body by its type. One without a type is read by how it begins, and one that is no text by its type by its bytes: a type
 * that nobody knows, or that is wrong, hides nothing.
 * @param media in small letters, without parameters
 * @param contentType the whole field, for its character set; undefined for none
 */
export function textOfBody(bytes: Uint8Array, media: string | null, contentType?: string): BodyText {
  if (isOtherType(media)) return textOfOther(bytes, media ?? '');
  const set = charsetsOf(contentType ?? '').find((name) => !READ_SETS.has(name));
  if (set !== undefined) return { kind: 'unread', says: `its character set ${set.slice(0, 40)} is not read` };
  if (media?.startsWith('multipart/')) return textOfParts(bytes);
  let text: string;
  try {
    text = UTF8.decode(bytes);
  } catch {
    return { kind: 'unread', says: media === null ? 'it has no type and is no UTF-8' : 'it is no UTF-8' };
  }
  // Between the letters of ASCII in UTF-16 and UTF-32 there stand such.
  if (text.includes('\0')) return { kind: 'unread', says: 'it has characters of the value zero, as a text in another character set has' };
  const declared = xmlEncodingOf(text);
  if (declared !== null && !READ_SETS.has(declared))
    return { kind: 'unread', says: `it says that its character set is ${declared.slice(0, 40)}, which is not read` };
  const json = media !== null && JSON_TYPES.test(media);
  if (json && text.trim() === '') return { kind: 'text', text };
  if (json || (media === null && /^\s*[{[]/.test(text) && isJson(text))) return { kind: 'json', text };
  return media === FORM ? { kind: 'form', text } : { kind: 'text', text };
}

/** What has characters that no text has is none. */
function textOfOther(bytes: Uint8Array, media: string): BodyText {
  if (bytes.some(isControl)) return { kind: 'other', says: `${media} is no text` };
  let text: string;
  try {
    text = UTF8.decode(bytes);
  } catch {
    return { kind: 'text', text: characters(bytes), latin: true };
  }
  return /^\s*[{[]/.test(text) && isJson(text) ? { kind: 'json', text } : { kind: 'text', text };
}

/** Control characters but for tab, line feed, form feed and carriage return. */
const isControl = (byte: number): boolean => byte < 0x20 && byte !== 0x09 && byte !== 0x0a && byte !== 0x0c && byte !== 0x0d;

/** Parts may be anything; what of them is text can be looked through all the same, where it stands there as it is. */
function textOfParts(bytes: Uint8Array): BodyText {
  const text = characters(bytes);
  for (const [, coding = ''] of text.matchAll(/^content-transfer-encoding[ \t]*:([^\r\n]*)$/gim))
    if (!PLAIN_CODING.test(coding.trim())) return { kind: 'unread', says: `a part of it is coded as ${coding.trim().slice(0, 40)}` };
  for (const [field] of text.matchAll(/^content-type[ \t]*:[^\r\n]*$/gim)) {
    const set = charsetsOf(field).find((name) => !READ_SETS.has(name));
    if (set !== undefined) return { kind: 'unread', says: `a part of it is in the character set ${set.slice(0, 40)}, which is not read` };
  }
  try {
    return { kind: 'text', text: UTF8.decode(bytes) };
  } catch {
    return { kind: 'text', text, latin: true };
  }
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/** Names and values of a form with their escapes read; what is no escape stays as it is. */
export const formPairs = (form: string): (readonly [name: string, value: string])[] =>
  form.split('&').map((pair) => {
    const mark = pair.indexOf('=');
    return mark < 0 ? [unescapedPart(pair), ''] : [unescapedPart(pair.slice(0, mark)), unescapedPart(pair.slice(mark + 1))];
  });

/** A text of XML or HTML with its numeric character references read (XML 1.0 section 4.1); null where it has none. */
export function unescapedMarkup(text: string): string | null {
  const plain = text.replace(/&#(?:x([0-9a-f]{1,6})|([0-9]{1,7}));?/gi, (reference, hex: string | undefined, decimal: string | undefined) => {
    const code = hex === undefined ? Number(decimal) : parseInt(hex, 16);
    return code > 0 && code <= 0x10_ffff ? String.fromCodePoint(code) : reference;
  });
  return plain === text ? null : plain;
}

/** A part of a form, or of a query, with its escapes read. */
export function unescapedPart(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch {
    return text;
  }
}
