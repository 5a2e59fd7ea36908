import { mediaTypeOf } from '../../message/media-type.js';

/** One part of a `multipart` body. */
export interface FormPart {
  readonly name: string;
  readonly fileName: string | null;
  readonly contentType: string | null;
  readonly headers: Readonly<Record<string, string>>;
  readonly content: Uint8Array;
}

/** Parts of one body, and bytes of the head of each. */
const MAX_PARTS = 1000;
const MAX_HEAD = 8192;

const LATIN1 = new TextDecoder('latin1');

/** The boundary that a Content-Type names (RFC 2046 section 5.1.1); null where it names none. */
export function boundaryOf(contentType: string): string | null {
  const match = /;\s*boundary=(?:"((?:[^"\\]|\\.)*)"|([^\s;"]+))/i.exec(contentType);
  // Of two, however they are written, two readers would take two different ones.
  if ([...contentType.matchAll(/;\s*boundary\b/gi)].length > 1 || /;\s*boundary\*/i.test(contentType)) return null;
  const boundary = match?.[1]?.replace(/\\(.)/g, '$1') ?? match?.[2] ?? '';
  return /^[A-Za-z0-9'()+_,\-./:=? ]{0,69}[A-Za-z0-9'()+_,\-./:=?]$/.test(boundary) ? boundary : null;
}

/** Reads a body of parts (RFC 2046 section 5.1, RFC 7578). A text says what is wrong with it. */
export function readParts(bytes: Uint8Array, boundary: string): readonly FormPart[] | string {
  // One character for each byte, so that places in the text are places in the bytes.
  const text = LATIN1.decode(bytes);
  const mark = `--${boundary}`;
  const parts: FormPart[] = [];
  // Some readers end a line at its feed alone, and would see parts here that are none.
  for (let from = text.indexOf(`\n${mark}`); from >= 0; from = text.indexOf(`\n${mark}`, from + 1))
    if (from === 0 || text[from - 1] !== '\r') return 'a boundary behind a bare line feed';
  let at = text.startsWith(mark) ? 0 : text.indexOf(`\r\n${mark}`) + 2;
  if (at === 1) return 'no boundary';
  for (;;) {
    at += mark.length;
    if (text.startsWith('--', at)) return endOf(text.slice(at + 2), mark) ?? parts;
    const lineEnd = text.indexOf('\r\n', at);
    if (lineEnd < 0 || text.slice(at, lineEnd).trim() !== '') return 'a boundary with something behind it';
    const next = text.indexOf(`\r\n${mark}`, lineEnd);
    if (next < 0) return 'no boundary at its end';
    const headEnd = text.startsWith('\r\n\r\n', lineEnd) ? lineEnd + 2 : text.indexOf('\r\n\r\n', lineEnd) + 2;
    if (headEnd < 2 || headEnd > next || headEnd - lineEnd > MAX_HEAD) return 'a part without the end of its head';
    const part = readPart(text.slice(lineEnd + 2, headEnd), bytes.subarray(headEnd + 2, next));
    if (typeof part === 'string') return part;
    parts.push(part);
    if (parts.length > MAX_PARTS) return `more than ${MAX_PARTS} parts`;
    at = next + 2;
  }
}

/** What is wrong behind the last boundary; null where nothing is. What stands there is read by nobody, unless for a boundary that is none. */
function endOf(rest: string, mark: string): string | null {
  if (!/^[ \t]*(?:\r\n|$)/.test(rest)) return 'a boundary with something behind it';
  return rest.includes(`\n${mark}`) ? 'a boundary behind the last one' : null;
}

const TOKEN = "[!#$%&'*+.^_`|~0-9A-Za-z-]+";
const FIELD_NAME = new RegExp(`^${TOKEN}$`);
/** Content-Disposition of a form's part in the one grammar that all read (RFC 7578 section 4.2, RFC 6266 section 4.1). */
const DISPOSITION = new RegExp(`^form-data(?:[ \\t]*;[ \\t]*${TOKEN}=(?:"(?:[^"\\\\]|\\\\.)*"|${TOKEN}))*$`, 'i');

function readPart(head: string, content: Uint8Array): FormPart | string {
  const headers: Record<string, string> = Object.create(null) as Record<string, string>;
  // Some readers end a line at one of these alone.
  if (/[\r\n\0]/.test(head.replaceAll('\r\n', ''))) return 'a line in the head of a part that is no header field';
  for (const line of head.split('\r\n')) {
    if (line === '') continue;
    const colon = line.indexOf(':');
    const name = line.slice(0, Math.max(0, colon)).toLowerCase();
    // A line that goes on from the one before it begins with a blank.
    if (!FIELD_NAME.test(name)) return 'a line in the head of a part that is no header field';
    if (name in headers) return `the header ${name.slice(0, 40)} twice in one part`;
    headers[name] = line.slice(colon + 1).trim();
  }
  const disposition = headers['content-disposition'] ?? '';
  if (/;\s*(?:file)?name\*/i.test(disposition)) return 'a name in an extended form';
  const name = DISPOSITION.test(disposition) ? parameter(disposition, 'name') : null;
  // Of a name with a backslash some take the character behind it, and some both.
  if (name === null || name.includes('\\')) return 'a part without a name that all read alike';
  if (headers['content-transfer-encoding'] !== undefined && !/^(?:7bit|8bit|binary)$/i.test(headers['content-transfer-encoding']))
    return 'a part in a transfer encoding';
  return { name, fileName: parameter(disposition, 'filename'), contentType: headers['content-type'] ?? null, headers, content };
}

function parameter(disposition: string, name: string): string | null {
  const found = [...disposition.matchAll(new RegExp(`;\\s*${name}=(?:"((?:[^"\\\\]|\\\\.)*)"|([^\\s;"]+))`, 'gi'))];
  const [match] = found;
  // Named twice, two readers would take two different ones.
  return match && found.length === 1 ? (match[1] ?? match[2] ?? '') : null;
}

/** Whether a part holds JSON. */
export const isJsonType = (contentType: string | null): boolean => {
  const type = contentType === null ? null : mediaTypeOf(contentType);
  return type !== null && (type === 'application/json' || type === 'text/json' || type.endsWith('+json'));
};
