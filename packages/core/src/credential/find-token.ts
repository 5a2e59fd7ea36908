import type { TokenPlace, TokenRule } from '../document/token-rule.js';
import { redactHeader } from '../record/redact.js';
import { finding, type Finding } from '../verdict/codes.js';
import { escaped, readPlace, type RequestHead } from './find-place.js';
import type { TokenScheme } from './sent-credential.js';

const DPOP = /^dpop(?: |$)/i;
const BLANK = 0x20;
const TOKEN = /^[A-Za-z0-9\-._~+/]+=*$/;

/** A token found in a request, or why what stood there is none. */
export type FoundToken = { readonly token: string; readonly scheme: TokenScheme } | Finding | null;
export type FindToken = (head: RequestHead) => FoundToken;

/**
 * Compiles how a token is found in one place (RFC 6750 section 2). Schemes are compared without case.
 * @param others whether a header value belongs to another credential that the operation takes
 */
export function compileFindToken(rule: TokenPlace, dpopOnly: TokenRule['dpop'], others: (name: string, value: string) => boolean): FindToken {
  if (rule.kind === 'header') return headerFinder(rule.name, rule.scheme, dpopOnly === 'required', others);
  const where = rule.kind === 'cookie' ? 'The cookie' : 'The query parameter';
  return (head) => plain(readPlace(rule, head), where, head);
}

function headerFinder(name: string, scheme: string | null, dpopOnly: boolean, others: (name: string, value: string) => boolean): FindToken {
  const where = name === 'authorization' ? 'The Authorization header' : `The header ${name}`;
  if (scheme === null) return (head) => plain(head.header(name), where, head);
  const prefix = new RegExp(`^${escaped(scheme)}(?: |$)`, 'i');
  // Both schemes are looked for, so that a bound token sent as Bearer is refused by the name of that mistake.
  const takesDpop = scheme.toLowerCase() === 'bearer';
  return (head) => {
    const header = head.header(name);
    if (header === undefined) return null;
    const isDpop = takesDpop && DPOP.test(header);
    if (!isDpop && !prefix.test(header)) return others(name, header) ? null : otherScheme(header, scheme, where, dpopOnly);
    // One or more blanks stand between scheme and credential (RFC 9110 section 11.4).
    let from = isDpop ? 4 : scheme.length;
    while (header.charCodeAt(from) === BLANK) from++;
    const token = header.slice(from);
    const read = readToken(token, head);
    return read === null ? malformed(token, where, isDpop ? 'DPoP' : scheme) : { token: read, scheme: isDpop ? 'DPoP' : 'Bearer' };
  };
}

/** A text with the characters of a token (RFC 6750 section 2.1), which are not looked at where the last request of the connection carried the same; null for any other. */
const readToken = (text: string, { memory }: RequestHead): string | null => memory?.tokens.known(text) ?? (TOKEN.test(text) ? text : null);

/** A token that stands alone, without scheme. An empty value counts as none. */
function plain(value: string | null | undefined, where: string, head: RequestHead): FoundToken {
  if (value === undefined || value === null || value === '') return null;
  const read = readToken(value, head);
  return read === null ? malformed(value, where, null) : { token: read, scheme: 'Bearer' };
}

function otherScheme(header: string, wanted: string, where: string, dpop: boolean): Finding {
  const scheme = /^[A-Za-z][\w.+-]{0,40}(?= )/.exec(header)?.[0];
  if (scheme !== undefined)
    return finding('credential.other-scheme', {
      scheme: redactHeader('authorization', header).replace(/ ?<removed.*/, '') || 'no known one',
      wanted: dpop ? 'DPoP' : wanted,
    });
  return finding('credential.malformed', { where, reason: header.trim() === '' ? 'it is empty' : 'it has no scheme in front of the credential' });
}

function malformed(token: string, where: string, scheme: string | null): Finding {
  const say = (reason: string): Finding => finding('credential.malformed', { where, reason });
  if (token.trim() === '') return say(`there is no token behind ${scheme ?? 'it'}`);
  if (scheme !== null && new RegExp(`^\\s*${escaped(scheme)}\\s`, 'i').test(token)) return say(`the word ${scheme} stands twice`);
  if (/, *(bearer|dpop) /i.test(token)) return finding('credential.repeated', { places: ['one Authorization header', 'a second Authorization header'] });
  if (/^\s*(["']|%22).*(["']|%22)\s*$/.test(token)) return say('the token is in quotes');
  if (/\s/.test(token)) return say('there is white space in or around the token, as a line break or a blank leaves it');
  return say('the token has a character that no bearer token has');
}
