import { isRecord } from '../util/json-pointer.js';
import { decodeBase64url, decodeUtf8, isCanonicalBase64url } from '../util/base64url.js';
import { scanJson } from '../util/scan-json.js';

/** Budgets on a hostile token. Sizes in characters of the compact form, depth in nested containers. */
export const TOKEN_BUDGET = { maxLength: 16_384, maxDepth: 16, maxClaims: 400 } as const;

export type JsonObject = Readonly<Record<string, unknown>>;

/** A compact JWS taken apart, nothing of it trusted yet. */
export interface ReadToken {
  readonly kind: 'jws';
  readonly header: JsonObject;
  readonly claims: JsonObject;
}

export type UnreadKind = 'opaque' | 'encrypted' | 'cut' | 'too-long' | 'malformed' | 'duplicate-member' | 'too-deep' | 'too-many-claims';

/** Why a text could not be read as a signed JWT. A class, so that no claims of a token can pass for it. */
export class UnreadToken {
  readonly kind: UnreadKind;
  /** Which part is wrong, where one is. */
  readonly part: 'header' | 'payload' | 'signature' | null;

  constructor(kind: UnreadKind, part: UnreadToken['part'] = null) {
    this.kind = kind;
    this.part = part;
  }
}

const unread = (kind: UnreadKind, part: UnreadToken['part'] = null): UnreadToken => new UnreadToken(kind, part);

/**
 * Reads a compact JWS that carries a JWT (RFC 7515 section 3.1, RFC 7519 section 7.2). Strict where libraries are
 * lenient: canonical base64url only, no repeated members, bounded length, depth and number of claims. A text that only
 * begins like a JWT is said to be cut. Checks no signature and no claim.
 */
export function readToken(text: string): ReadToken | UnreadToken {
  if (text.length > TOKEN_BUDGET.maxLength) return unread('too-long');
  const parts = text.split('.', 6);
  if (parts.length === 5) return unread(looksLikeHeader(parts[0] ?? '') ? 'encrypted' : 'opaque');
  if (parts.length !== 3) return unread(looksLikeHeader(parts[0] ?? '') ? 'cut' : 'opaque');
  const [headerText, payloadText, signatureText] = parts as [string, string, string];
  const header = readHeader(headerText);
  if (header instanceof UnreadToken) return looksLikeHeader(headerText) ? header : unread('opaque');
  const claims = readPart(payloadText, 'payload');
  if (claims instanceof UnreadToken) return claims;
  if (!isCanonicalBase64url(signatureText)) return unread('malformed', 'signature');
  if (Object.keys(claims).length > TOKEN_BUDGET.maxClaims) return unread('too-many-claims', 'payload');
  return { kind: 'jws', header, claims };
}

/** `{"` in base64url: what every protected header begins with, white space inside it aside (common practice). */
const looksLikeHeader = (part: string): boolean => /^(eyJ|eyA|ewog|ewo|ew0K|e30)/.test(part);

/** Headers that were read, by their text: all tokens of one key have the same. Callers write them, so there are few, and short ones only. */
const headers = new Map<string, JsonObject>();
const KEPT_HEADERS = { count: 64, length: 512 } as const;

function readHeader(text: string): JsonObject | UnreadToken {
  const known = headers.get(text);
  if (known) return known;
  const header = readPart(text, 'header');
  if (header instanceof UnreadToken || text.length > KEPT_HEADERS.length) return header;
  if (headers.size >= KEPT_HEADERS.count) headers.clear();
  headers.set(text, deepFrozen(header));
  return header;
}

/** What is shared by many tokens is changed by none. */
function deepFrozen<T>(value: T): T {
  if (typeof value === 'object' && value !== null) for (const member of Object.values(Object.freeze(value))) deepFrozen(member);
  return value;
}

/** Reads one part of a token: canonical base64url of a JSON object without repeated members. */
export function readPart(text: string, part: 'header' | 'payload'): JsonObject | UnreadToken {
  if (text === '' || !isCanonicalBase64url(text)) return unread('malformed', part);
  const json = decodeUtf8(decodeBase64url(text));
  if (json === null) return unread('malformed', part);
  let value: unknown;
  try {
    value = JSON.parse(json);
  } catch {
    return unread('malformed', part);
  }
  if (!isRecord(value)) return unread('malformed', part);
  const scan = scanJson(json, value, TOKEN_BUDGET.maxDepth);
  if (scan !== 'plain') return unread(scan, part);
  return value;
}
