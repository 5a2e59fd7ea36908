import { isRecord } from '../util/json-pointer.js';
import { decodeBase64url, decodeUtf8, isCanonicalBase64url } from '../util/base64url.js';
import { scanJson } from '../util/scan-json.js';

/** Budgets on a hostile token. Sizes in characters of the compact form, depth in nested containers. */
export const TOKEN_BUDGET = { maxLength: 16_384, maxDepth: 16 } as const;

export type JsonObject = Readonly<Record<string, unknown>>;

/** A compact JWS taken apart, nothing of it trusted yet. */
export interface ReadToken {
  readonly kind: 'jws';
  readonly header: JsonObject;
  readonly claims: JsonObject;
}

/** Why a text could not be read as a signed JWT. */
export interface UnreadToken {
  readonly kind: 'opaque' | 'encrypted' | 'too-long' | 'malformed' | 'duplicate-member' | 'too-deep';
  /** Which part is wrong, where one is: `header`, `payload` or `signature`. */
  readonly part: 'header' | 'payload' | 'signature' | null;
}

const unread = (kind: UnreadToken['kind'], part: UnreadToken['part'] = null): UnreadToken => ({ kind, part });

/**
 * Reads a compact JWS that carries a JWT (RFC 7515 section 3.1, RFC 7519 section 7.2). Strict where libraries are
 * lenient: canonical base64url only, no repeated members, bounded length and depth. Checks no signature and no claim.
 */
export function readToken(text: string): ReadToken | UnreadToken {
  if (text.length > TOKEN_BUDGET.maxLength) return unread('too-long');
  const parts = text.split('.');
  if (parts.length === 5) return unread('encrypted');
  if (parts.length !== 3) return unread('opaque');
  const [headerText, payloadText, signatureText] = parts as [string, string, string];
  if (!isCanonicalBase64url(signatureText)) return unread('malformed', 'signature');
  const header = readPart(headerText, 'header');
  if (isUnread(header)) return header;
  const claims = readPart(payloadText, 'payload');
  if (isUnread(claims)) return claims;
  return { kind: 'jws', header, claims };
}

const isUnread = (value: JsonObject | UnreadToken): value is UnreadToken => 'part' in value && 'kind' in value;

function readPart(text: string, part: 'header' | 'payload'): JsonObject | UnreadToken {
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
  const scan = scanJson(json, TOKEN_BUDGET.maxDepth);
  if (scan !== 'plain') return unread(scan, part);
  return value;
}
