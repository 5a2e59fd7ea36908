import { plainAddress } from '../address/address-set.js';

/** Says why no value of its kind is a text that a condition writes out: null where one may be. */
export type TextForm = (text: string) => string | null;

/** Fields that are never shown: credentials are no business of conditions. */
export const CREDENTIAL_HEADERS: ReadonlySet<string> = new Set(['authorization', 'proxy-authorization', 'cookie', 'dpop']);

export const fieldName: TextForm = (text) => {
  if (text !== text.toLowerCase()) return `names of header fields are in lower case here: ${text.toLowerCase()}`;
  return CREDENTIAL_HEADERS.has(text) ? `${text} is never there: conditions are not shown credentials` : null;
};

/** RFC 9110 section 5.5: what stands around a value is no part of it, and each byte is one character. */
export const fieldValue: TextForm = (text) => {
  if (/^[ \t]|[ \t]$/.test(text)) return 'the value of a header field has no blank at its beginning or end';
  return /[^\t\x20-\x7e\x80-\xff]/.test(text) ? 'the value of a header field has no such character: its bytes are read one by one' : null;
};

/** RFC 9110 section 9.1: methods are told apart by case, and those that are registered are in capitals. */
export const method: TextForm = (text) =>
  /^[A-Z][A-Z-]*$/.test(text) ? null : /^[A-Za-z][A-Za-z-]*$/.test(text) ? `methods are in capitals: ${text.toUpperCase()}` : 'this is no method';

export const path: TextForm = (text) => {
  if (!text.startsWith('/')) return 'a path begins with /';
  return text.includes('?') ? 'the query is no part of the path' : null;
};

/** RFC 5952 section 4: one address is written in one way. */
export const address: TextForm = (text) => {
  const plain = plainAddress(text);
  if (plain === null) return 'this is no address; networks stand in rules about addresses';
  return plain === text ? null : `this address is written ${plain} here`;
};

/** RFC 6749 section 3.3: scopes stand one by one, and a blank parts two of them. */
export const scopeName: TextForm = (text) =>
  /^[\x21\x23-\x5b\x5d-\x7e]+$/.test(text) ? null : 'no scope is written so: scopes stand one by one, without blanks';

/** Names that nobody is shown, since credentials travel under them. @param form of the others */
export const butFor =
  (names: ReadonlySet<string>, form: TextForm = () => null): TextForm =>
  (text) =>
    names.has(text) ? `${text} is never there: credentials travel in it, and conditions are not shown them` : form(text);

const PROOFS = ['token', 'key', 'basic', 'certificate'];
export const proof: TextForm = (text) => (PROOFS.includes(text) ? null : `callers prove themselves by ${PROOFS.join(', ')}`);
