import { TEXT_FORMATS } from '../schema/formats.js';
import { MOST_SPANS, NOTHING, spansOf, starred, wordsOf, type Detector, type Span } from './detector.js';

/** Characters of a local part as people have them: those that part addresses from one another in URLs and lists are left out. */
const isLocal = (code: number): boolean =>
  (code >= 48 && code <= 57) || (code >= 65 && code <= 90) || (code >= 97 && code <= 122) || "!#$%'*+^_`{|}~.-".includes(String.fromCharCode(code));
const isDomain = (code: number): boolean =>
  (code >= 48 && code <= 57) || (code >= 65 && code <= 90) || (code >= 97 && code <= 122) || code === 45 || code === 46;

/** Longest parts of an address (RFC 5321 section 4.5.3.1). */
const [MOST_LOCAL, MOST_DOMAIN] = [64, 255];

/** Addresses around every @: so far to both sides as an address may have characters. */
function findEmails(text: string): readonly Span[] {
  let at = text.indexOf('@');
  if (at < 0) return NOTHING;
  const found: Span[] = [];
  for (; at >= 0 && found.length < MOST_SPANS; at = text.indexOf('@', at + 1)) {
    // Most signs of this kind have no name before them or no domain behind.
    if (at === 0 || !isLocal(text.charCodeAt(at - 1)) || !isDomain(text.charCodeAt(at + 1))) continue;
    let from = at;
    while (from > 0 && at - from < MOST_LOCAL && isLocal(text.charCodeAt(from - 1))) from--;
    let to = at + 1;
    while (to < text.length && to - at <= MOST_DOMAIN && isDomain(text.charCodeAt(to))) to++;
    // Signs before an address and the end of a sentence do not belong to it.
    while (from < at && /[^A-Za-z0-9_]/.test(text.charAt(from))) from++;
    while (to > at && !/[A-Za-z0-9]/.test(text.charAt(to - 1))) to--;
    const address = text.slice(from, to);
    if (/\.[A-Za-z]{2,63}$/.test(address) && TEXT_FORMATS.get('email')?.(address)) found.push({ from, to });
  }
  return found;
}

const EMAIL: Detector = {
  id: 'email',
  name: 'E-mail address',
  group: 'contact',
  verifies: 'built as RFC 5321 says, with a domain of two labels or more',
  find: findEmails,
  mask: (text) => `${text.slice(0, 1)}${starred(text.slice(1))}`,
};

/** Country codes that ITU-T E.164 has assigned, by their first digits; from memory, compared with a public library in the tests. */
const CALLING_CODES =
  /^(?:1|7|2(?:0|[1-69]\d|7)|3(?:[0-469]|[578]\d)|4(?:[013-9]|2\d)|5(?:[1-8]|[09]\d)|6(?:[0-6]|[7-9]\d)|8(?:[1246]|[0578]\d)|9(?:[0-58]|[679]\d))/;

/** Digits of a number in international form, without the plus (E.164 section 6.2.1: at most 15). */
const isInternational = (digits: string): boolean => digits.length >= 7 && digits.length <= 15 && CALLING_CODES.test(digits) && !/^(\d)\1*$/.test(digits);

const PHONE_WORDS = new Set(['phone', 'telephone', 'tel', 'mobile', 'msisdn', 'fax', 'cell', 'cellphone', 'phonenumber']);

const digitsOf = (text: string): string => text.replace(/\D/g, '');

function findPhones(text: string, member: string): readonly Span[] {
  const international = text.includes('+')
    ? spansOf(text, /(?<![\w+])\+\d(?:[ ().\-/]{0,2}\d){6,14}(?!\d)/g, (found) => isInternational(digitsOf(found)))
    : NOTHING;
  if (international.length > 0 || text.length > 40 || !wordsOf(member).some((word) => PHONE_WORDS.has(word))) return international;
  const own = text.trim();
  const digits = digitsOf(own);
  // A number that is dialled inside a country is told by the name of its member alone.
  return /^[\d ().\-/]+$/.test(own) && digits.length >= 5 && digits.length <= 15 && !/^(\d)\1*$/.test(digits) ? [{ from: 0, to: text.length }] : NOTHING;
}

const PHONE: Detector = {
  id: 'phone',
  name: 'Phone number',
  group: 'contact',
  verifies: 'international with an assigned country code and 7 to 15 digits (ITU-T E.164), or in a member named so',
  find: findPhones,
  mask: (text) => starred(text, 2),
};

export const CONTACT_DETECTORS: readonly Detector[] = [EMAIL, PHONE];
