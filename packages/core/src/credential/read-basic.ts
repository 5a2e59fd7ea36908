import { decodeBase64url, decodeUtf8, isCanonicalBase64url } from '../util/base64url.js';

/** A name and its secret (RFC 7617 section 2), or why they cannot be read. */
export type ReadBasic = { readonly name: string; readonly secret: string } | { readonly reason: string };

/** Characters of the Base64 that are read. */
const MAX_TEXT = 2048;
const SHAPE = /^[A-Za-z0-9+/]+={0,2}$/;
const CONTROL = /[\u0000-\u001f\u007f]/;

/** Reads the credentials of the Basic scheme: Base64 of name, colon and secret in UTF-8; the first colon ends the name. */
export function readBasic(text: string): ReadBasic {
  if (text.length > MAX_TEXT) return { reason: `it is longer than ${MAX_TEXT} characters` };
  const bare = text.replace(/=+$/, '').replaceAll('+', '-').replaceAll('/', '_');
  if (!SHAPE.test(text) || !isCanonicalBase64url(bare) || (text !== bare && text.includes('=') && text.length % 4 !== 0)) return { reason: 'it is not Base64' };
  const decoded = decodeUtf8(decodeBase64url(bare));
  if (decoded === null) return { reason: 'it is not UTF-8' };
  if (CONTROL.test(decoded)) return { reason: 'it has a control character' };
  const colon = decoded.indexOf(':');
  return colon < 0 ? { reason: 'it has no colon between name and secret' } : { name: decoded.slice(0, colon), secret: decoded.slice(colon + 1) };
}
