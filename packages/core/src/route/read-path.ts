import { finding, type Finding } from '../verdict/codes.js';
import { foldings, foldText } from './fold-segment.js';

/** The longest request target that is read, in characters. */
export const MAX_TARGET_LENGTH = 8192;

/** The one spelling of a path that is routed, checked and forwarded. */
export interface ReadPath {
  /** Segments in normal form: unreserved characters plain, other escapes in upper case. A slash at the end gives a last empty one. */
  readonly segments: readonly string[];
  readonly path: string;
  /** The query with its question mark, as sent; empty when there is none. */
  readonly query: string;
  /** Which segments have a semicolon that is not escaped, counted from 0: for whoever knows that matrix parameters stand there. */
  readonly semicolons: readonly number[];
}

const NONE: readonly number[] = Object.freeze([]);

/** By code, what nothing has to be looked at for; slashes and leading dots are looked at. */
const PLAIN = new Uint8Array(128);
for (const character of "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_~!$&'()*+,=:@.-") PLAIN[character.charCodeAt(0)] = 1;
const SLASH = 47;
const DOT = 46;
const ALLOWED = /^(?:[A-Za-z0-9_~!$&'()*+,=:@.;-]|%[0-9A-Fa-f]{2})*$/;
const UNRESERVED = /^[A-Za-z0-9_~.-]$/;
const QUERY = /^[\x21\x24-\x7e]*$/;

/**
 * Reads a request target (RFC 9112 section 3.2) and brings its path into one normal form (RFC 3986 section 6.2.2):
 * escapes of unreserved characters are resolved and others upper-cased. What two readers could take for two different
 * paths is refused and not repaired: dot segments (of any script, with or without blanks), empty segments, encoded
 * separators and their compatibility forms, escapes inside escapes or of no UTF-8, control characters, and segments of
 * which that would be left where what follows a semicolon is cut, as some readers do: `..%3Bx`.
 * Passing: `/gates/%47-12` is `/gates/G-12`. Refused: `/gates/..%2Fsecret`.
 */
export function readPath(target: string): ReadPath | Finding {
  if (target.length > MAX_TARGET_LENGTH) return finding('path.too-long', { length: target.length, limit: MAX_TARGET_LENGTH });
  const originForm = target.charCodeAt(0) === 47 ? target : originFormOf(target);
  if (originForm === null) return finding('path.target', { found: target.slice(0, 80) });
  const mark = originForm.indexOf('?');
  const path = mark < 0 ? originForm : originForm.slice(0, mark);
  const query = mark < 0 ? '' : originForm.slice(mark);
  if (query !== '' && !QUERY.test(query)) return finding('path.malformed-escape', { at: path.length + 1 });
  const plain = plainSegments(path);
  return plain === null ? normalise(path, query) : { segments: plain, path, query, semicolons: NONE };
}

/** The segments of a path in which nothing has to be resolved or refused, as in the usual request; null where something may have to. */
function plainSegments(path: string): string[] | null {
  const segments: string[] = [];
  let from = 1;
  for (let index = 1; index < path.length; index++) {
    const code = path.charCodeAt(index);
    if (code === SLASH) {
      if (index === from) return null;
      segments.push(path.slice(from, index));
      from = index + 1;
    } else if (PLAIN[code] !== 1 || (code === DOT && index === from)) return null;
  }
  segments.push(path.slice(from));
  return segments;
}

function originFormOf(target: string): string | null {
  if (!/^https?:\/\//i.test(target)) return null;
  // The authority ends at the first slash or question mark (RFC 3986 section 3.2); without a path it is “/”.
  const rest = target.slice(target.indexOf('//') + 2);
  const end = rest.search(/[/?#]/);
  if (end === 0) return null;
  const below = end < 0 ? '' : rest.slice(end);
  return below.startsWith('/') ? below : `/${below}`;
}

function normalise(path: string, query: string): ReadPath | Finding {
  const raw = path.slice(1).split('/');
  const segments: string[] = [];
  for (const [index, text] of raw.entries()) {
    const segment = readSegment(text, index, index === raw.length - 1);
    if (typeof segment !== 'string') return segment;
    segments.push(segment);
  }
  const semicolons = path.includes(';') ? segments.flatMap((segment, index) => (segment.includes(';') ? [index] : [])) : NONE;
  return { segments, path: `/${segments.join('/')}`, query, semicolons };
}

function readSegment(text: string, index: number, last: boolean): string | Finding {
  const at = index + 1;
  if (text === '') return last ? '' : finding('path.empty-segment', { at });
  if (text.includes('\\')) return finding('path.encoded-separator', { found: '\\' });
  if (!ALLOWED.test(text)) return finding('path.malformed-escape', { at });
  let problem: Finding | null = null;
  const segment = text.replace(/%([0-9A-Fa-f]{2})/g, (escape, hex: string, offset: number) => {
    const code = parseInt(hex, 16);
    const upper = `%${hex.toUpperCase()}`;
    if (upper === '%2F' || upper === '%5C') problem ??= finding('path.encoded-separator', { found: escape });
    else if (code < 32 || code === 127) problem ??= finding('path.control-character', { found: escape });
    else if (upper === '%25' && /^[0-9A-Fa-f]{2}/.test(text.slice(offset + 3)))
      problem ??= finding('path.double-encoding', { found: text.slice(offset, offset + 5) });
    const character = String.fromCharCode(code);
    return UNRESERVED.test(character) ? character : upper;
  });
  if (problem) return problem;
  const hidden = hiddenMark(segment, at);
  if (hidden) return hidden;
  if (!foldings(segment).includes('')) return segment;
  const left = foldText(decodeURIComponent(segment)).split(';', 1)[0] ?? '';
  if (left.includes('.')) return finding('path.dot-segment', { at });
  // A matrix parameter begins with its semicolon (RFC 6570 section 3.2.7).
  return text.startsWith(';') ? segment : finding('path.empty-segment', { at });
}

/** A character whose compatibility form (NFKC) is a separator, an escape or a control character; or bytes that are not UTF-8. */
function hiddenMark(segment: string, at: number): Finding | null {
  if (!/%[89A-F]/.test(segment)) return null;
  let text: string;
  try {
    text = decodeURIComponent(segment);
  } catch {
    return finding('path.malformed-escape', { at });
  }
  for (const character of text) {
    if (character > '\u007f' && /[/\\%?#;\p{Cc}]/u.test(character.normalize('NFKC')))
      return finding('path.encoded-separator', { found: encodeURIComponent(character) });
  }
  return null;
}
