import { hasLuhnDigit, modulo97 } from './check-digits.js';
import { MOST_SPANS, NOTHING, spansOf, starred, type Detector, type Span } from './detector.js';

/**
 * Issuer numbers of payment cards and the lengths that go with them (ISO/IEC 7812-1: the first digits are the issuer's).
 * Common practice; compared with a public library in the tests.
 */
const ISSUERS: readonly (readonly [first: RegExp, lengths: readonly number[]])[] = [
  [/^4/, [13, 16, 18, 19]],
  [/^(?:5[1-5]|222[1-9]|22[3-9]|2[3-6]|27[01]|2720)/, [16]],
  [/^3[47]/, [15]],
  [/^(?:30[0-5]|309|36|38|39)/, [14, 16, 19]],
  [/^(?:6011|64[4-9]|65)/, [16, 19]],
  [/^35(?:2[89]|[3-8])/, [16, 17, 18, 19]],
  [/^(?:62|81)/, [14, 15, 16, 17, 18, 19]],
  [/^(?:50|5[6-9]|6[37]|639)/, [12, 13, 14, 15, 16, 17, 18, 19]],
  [/^220[0-4]/, [16, 17, 18, 19]],
];

export function isCardNumber(digits: string): boolean {
  if (digits.length < 12 || digits.length > 19 || /^(\d)\1*$/.test(digits)) return false;
  return ISSUERS.some(([first, lengths]) => first.test(digits) && lengths.includes(digits.length)) && hasLuhnDigit(digits);
}

const CARD: Detector = {
  id: 'card',
  name: 'Payment card',
  group: 'payment',
  verifies: 'issuer number, length and check digit (ISO/IEC 7812-1)',
  find: (text) =>
    /\d{2}/.test(text) ? spansOf(text, /(?<![\w.])\d(?:[ -]?\d){11,18}(?![\w-]|\.\d)/g, (found) => isCardNumber(found.replace(/\D/g, ''))) : NOTHING,
  mask: (text) => starred(text, 4),
};

/** Length of an account number by country (ISO 13616-1, the register); from memory, compared with a public library in the tests. */
const IBAN_LENGTHS: Readonly<Record<string, number>> = Object.fromEntries(
  (
    'AD24 AE23 AL28 AT20 AX18 AZ28 BA20 BE16 BG22 BH22 BI27 BR29 BY28 CH21 CR22 CY28 CZ24 DE22 DJ27 DK18 DO28 EE20 EG29 ES24 FI18 FK18 FO18 FR27 GB22 GE22 ' +
    'GI23 GL18 GR27 GT28 HN28 HR21 HU28 IE22 IL23 IQ23 IS26 IT27 JO30 KW30 KZ20 LB28 LC32 LI21 LT20 LU20 LV21 LY25 MC27 MD24 ME22 MK19 MN20 MR27 MT31 ' +
    'MU30 NI28 NL18 NO15 OM23 PK24 PL28 PS29 PT25 QA29 RO24 RS22 RU33 SA24 SC31 SD18 SE24 SI19 SK24 SM27 SO23 ST25 SV28 TL23 TN24 TR26 UA29 VA22 VG24 XK20 YE30 GF27 GP27 MF27 MQ27 NC27 PF27 PM27 RE27 TF27 WF27 YT27 BL27'
  )
    .split(' ')
    .map((entry) => [entry.slice(0, 2), Number(entry.slice(2))]),
);

/** Whether a text without spaces is an international bank account number: length by country, and both check digits (ISO 13616-1 section 6). */
export function isIban(text: string): boolean {
  const iban = text.toUpperCase();
  return /^[A-Z]{2}\d{2}[A-Z0-9]{11,30}$/.test(iban) && IBAN_LENGTHS[iban.slice(0, 2)] === iban.length && modulo97(iban.slice(4) + iban.slice(0, 4)) === 1;
}

/** Whether a character is a letter or digit of ASCII; beyond the end of a text none is. */
const isSign = (code: number): boolean => (code >= 48 && code <= 57) || (code >= 65 && code <= 90) || (code >= 97 && code <= 122);

/** Accounts from every country code on, as far as its accounts are long; single spaces may stand between. */
function findIbans(text: string): readonly Span[] {
  const found: Span[] = [];
  for (const match of text.matchAll(/(?<![A-Za-z0-9])[A-Za-z]{2}\d{2}/g)) {
    const length = IBAN_LENGTHS[match[0].slice(0, 2).toUpperCase()];
    if (length === undefined) continue;
    let signs = 0;
    let at = match.index;
    for (; signs < length && at < text.length; at++) {
      if (isSign(text.charCodeAt(at))) signs++;
      else if (text.charCodeAt(at) !== 32 || text.charCodeAt(at - 1) === 32) break;
    }
    if (signs === length && !isSign(text.charCodeAt(at)) && isIban(text.slice(match.index, at).replaceAll(' ', ''))) found.push({ from: match.index, to: at });
    if (found.length >= MOST_SPANS) break;
  }
  return found;
}

const IBAN: Detector = {
  id: 'iban',
  name: 'Bank account (IBAN)',
  group: 'payment',
  verifies: 'length by country and check digits (ISO 13616-1)',
  find: findIbans,
  mask: (text) => `${text.slice(0, 2)}${starred(text.slice(2), 2)}`,
};

export const PAYMENT_DETECTORS: readonly Detector[] = [CARD, IBAN];
