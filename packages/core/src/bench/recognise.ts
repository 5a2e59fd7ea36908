import { isRecord } from '../util/json-pointer.js';
import { readPart, UnreadToken, type JsonObject } from '../token/read-token.js';
import { idTokenMarks, isAccessTokenType } from '../token/token-kind.js';

/** What a pasted text turned out to be. */
export type PastedKind =
  'access-token' | 'id-token' | 'jwt' | 'dpop-proof' | 'encrypted-token' | 'opaque-token' | 'cut-token' | 'pkce-verifier' | 'key-set' | 'unknown';

/** One thing found in what was pasted. */
export interface PastedItem {
  readonly kind: PastedKind;
  /** The token or text itself, without what stood around it. */
  readonly text: string;
  /** Where in the paste it stood, in words. */
  readonly from: string;
  /** What it is, in a sentence. */
  readonly says: string;
}

/** At most this much is looked at, characters. */
export const PASTE_LIMIT = 2 * 1024 * 1024;
const MAX_ITEMS = 50;

/**
 * Says what a pasted text is: a token, an `Authorization` header, a curl line, a HAR entry, a token answer, a DPoP
 * proof, a PKCE verifier or a key set. Looks at the form only; nothing is verified. An empty paste gives no item.
 */
export function recognise(paste: string): readonly PastedItem[] {
  const text = paste.slice(0, PASTE_LIMIT).trim();
  if (text === '') return [];
  const json = jsonOf(text);
  if (json !== undefined) return fromJson(json, text);
  const headers = headersOf(text);
  const found = headers.flatMap(({ name, value }) => fromHeader(name, value, /^curl\s/.test(text) ? 'the curl line' : `the header ${name}`));
  if (found.length > 0) return found.slice(0, MAX_ITEMS);
  const bare = text.replace(/^(bearer|dpop)\s+/i, '').replace(/^["']|["']$/g, '');
  return [describe(bare, /^(bearer|dpop)\s/i.test(text) ? 'an Authorization value' : 'the text')];
}

/** Says what one token-like text is, by its form. */
export function describe(text: string, from: string): PastedItem {
  const item = (kind: PastedKind, says: string): PastedItem => ({ kind, text, from, says });
  if (/\s/.test(text.trim()) && /^ey/.test(text.trim()))
    return item('cut-token', 'A JWT with white space in it: a line break or a blank came along when it was copied.');
  const parts = text.split('.');
  const header = readPart(parts[0] ?? '', 'header');
  if (!(header instanceof UnreadToken)) {
    if (parts.length === 5) return item('encrypted-token', 'An encrypted token (JWE, five parts). Only the holder of the key can read it.');
    if (parts.length === 3) return signed(header, parts, item);
    return item('cut-token', `It begins like a JWT but has ${parts.length} ${parts.length === 1 ? 'part' : 'parts'} instead of three: it was cut off.`);
  }
  if (/^ey/.test(text) && parts.length === 3) return item('cut-token', 'It looks like a JWT, but its header cannot be read: a character was changed or lost.');
  if (/^[A-Za-z0-9\-._~]{43,128}$/.test(text) && parts.length === 1) {
    return item('pkce-verifier', `${text.length} characters: an opaque token, or a PKCE verifier (RFC 7636 section 4.1), which has the same form.`);
  }
  if (/^[A-Za-z0-9\-._~+/]+=*$/.test(text) && text.length >= 8)
    return item('opaque-token', 'An opaque token: it means nothing without asking its provider (RFC 7662).');
  return item('unknown', 'Nothing that the bench knows: no token, header, curl line, HAR entry, proof or key set.');
}

function signed(header: JsonObject, parts: readonly string[], item: (kind: PastedKind, says: string) => PastedItem): PastedItem {
  const claims = readPart(parts[1] ?? '', 'payload');
  if (claims instanceof UnreadToken) return item('cut-token', 'A JWS whose payload is no JSON object, or was changed so that it cannot be read.');
  const { typ } = header;
  if (typ === 'dpop+jwt') return item('dpop-proof', 'A DPoP proof (RFC 9449): it shows possession of a key for one request, and gives no right by itself.');
  if (isAccessTokenType(typ)) return item('access-token', 'An access token of RFC 9068 (typ at+jwt).');
  const marks = idTokenMarks(header, claims);
  if (marks.length > 0) return item('id-token', `An ID token (${marks.join(', ')}): it tells a client who signed in, and is no right to call an API.`);
  return item('jwt', 'A signed JWT that does not say what kind it is. Many providers write access tokens so.');
}

interface Header {
  readonly name: string;
  readonly value: string;
}

/** Header fields in a text: of a curl line (`-H`, `--header`, `-u` aside) or written one a line. */
function headersOf(text: string): Header[] {
  if (/^curl\s/.test(text)) {
    const joined = text.replace(/\\\r?\n/g, ' ');
    const quoted = [...joined.matchAll(/(?:-H|--header)[ =]+(?:'([^']*)'|"((?:[^"\\]|\\.)*)"|(\S+))/g)];
    const bearer = [...joined.matchAll(/--oauth2-bearer[ =]+(?:'([^']*)'|"([^"]*)"|(\S+))/g)].map(
      (match) => `authorization: Bearer ${match[1] ?? match[2] ?? match[3] ?? ''}`,
    );
    return [...quoted.map((match) => match[1] ?? match[2]?.replace(/\\(.)/g, '$1') ?? match[3] ?? ''), ...bearer].flatMap(splitHeader);
  }
  return text.split(/\r?\n/, 200).flatMap(splitHeader);
}

function splitHeader(line: string): Header[] {
  const match = /^([!#$%&'*+.^_`|~\w-]+):\s*(.*)$/.exec(line.trim());
  return match ? [{ name: (match[1] ?? '').toLowerCase(), value: match[2] ?? '' }] : [];
}

function fromHeader(name: string, value: string, from: string): PastedItem[] {
  if (name === 'authorization') {
    const token = value.replace(/^[A-Za-z][\w-]*\s+/, '');
    return token === value && !/^ey/.test(value) ? [] : [describe(token, from)];
  }
  if (name === 'dpop') return [describe(value, from)];
  if (name === 'cookie')
    return value
      .split(';')
      .map((pair) => pair.slice(pair.indexOf('=') + 1).trim())
      .filter((part) => /^ey[\w-]+\./.test(part))
      .map((part) => describe(part, `a cookie in ${from}`));
  return /^ey[\w-]+\.[\w-]+\./.test(value) ? [describe(value, from)] : [];
}

function jsonOf(text: string): unknown {
  if (!/^[[{"]/.test(text)) return undefined;
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

const TOKEN_MEMBERS = ['access_token', 'id_token', 'refresh_token', 'token', 'assertion', 'client_assertion', 'subject_token', 'actor_token'];

/** Tokens in a HAR document or entry (HAR 1.2), in the answer of a token endpoint, or a key set. */
function fromJson(value: unknown, text: string): readonly PastedItem[] {
  if (typeof value === 'string') return [describe(value.replace(/^bearer\s+/i, ''), 'a text in quotes')];
  if (isRecord(value) && Array.isArray(value['keys']))
    return [{ kind: 'key-set', text, from: 'the text', says: `A key set with ${value['keys'].length} entries (RFC 7517 section 5).` }];
  const items: PastedItem[] = [];
  walk(value, 0, items);
  return items.length > 0 ? items : [{ kind: 'unknown', text: '', from: 'the text', says: 'JSON in which no token was found.' }];
}

function walk(value: unknown, depth: number, items: PastedItem[]): void {
  if (depth > 12 || items.length >= MAX_ITEMS) return;
  if (Array.isArray(value)) for (const one of value as unknown[]) walk(one, depth + 1, items);
  if (!isRecord(value)) return;
  // A header of a HAR entry: { name, value } (HAR 1.2).
  if (typeof value['name'] === 'string' && typeof value['value'] === 'string')
    items.push(...fromHeader(value['name'].toLowerCase(), value['value'], `the header ${value['name']} of the HAR entry`));
  for (const [name, member] of Object.entries(value)) {
    if (typeof member === 'string' && TOKEN_MEMBERS.includes(name)) items.push(describe(member, `the member ${name}`));
    else if (typeof member === 'object') walk(member, depth + 1, items);
  }
}
