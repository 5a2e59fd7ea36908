import { hasLuhnDigit, hasMod11Of10Digit, modulo97, weighted } from './check-digits.js';
import { NOTHING, spansOf, starred, wordsOf, type Detector } from './detector.js';

/** How a national identifier is found. */
interface Identifier {
  readonly id: string;
  readonly name: string;
  readonly verifies: string;
  /** Runs that can be one; takes time in proportion to the text. */
  readonly form: RegExp;
  readonly isRight: (found: string) => boolean;
  /** Words of a member's name that say it, for forms that too many other numbers have; undefined where the form says enough. */
  readonly words?: readonly string[];
}

const isDate = (year: number, month: number, day: number): boolean => {
  const date = new Date(Date.UTC(year, month - 1, day));
  return month >= 1 && month <= 12 && date.getUTCDate() === day && date.getUTCMonth() === month - 1;
};
const digits = (text: string): string => text.replace(/\D/g, '');
const two = (text: string, at: number): number => Number(text.slice(at, at + 2));
const isVaried = (text: string): boolean => !/^(\d)\1*$/.test(text);

const DNI = 'TRWAGMYFPDXBNJZSQVHLCKE';
const HETU = '0123456789ABCDEFHJKLMNPRSTUVWXY';

/** Values of letters and digits at odd places of an Italian tax code. */
const ODD = [1, 0, 5, 7, 9, 13, 15, 17, 19, 21, 2, 4, 18, 20, 11, 3, 6, 8, 12, 14, 16, 10, 22, 25, 24, 23];

function hasItalianLetter(code: string): boolean {
  let sum = 0;
  for (let index = 0; index < 15; index++) {
    const sign = code.charCodeAt(index);
    const value = sign >= 65 ? sign - 65 : sign - 48;
    sum += index % 2 === 0 ? (ODD[value] as number) : value;
  }
  return code.charCodeAt(15) - 65 === sum % 26;
}

/** How these are built is published by the offices that give them out; from memory, compared with a public library in the tests. */
const IDENTIFIERS: readonly Identifier[] = [
  {
    id: 'id-us',
    name: 'Social security number (United States)',
    verifies: 'three groups with dashes; no area 000, 666 or from 900, no group 00, no serial 0000',
    form: /(?<![\w-])\d{3}-\d{2}-\d{4}(?![\w-])/g,
    isRight: (text) => !/^(?:000|666|9)|-00-|-0000$/.test(text) && text !== '078-05-1120',
  },
  {
    id: 'id-gb',
    name: 'National insurance number (United Kingdom)',
    verifies: 'two letters that are given out, six digits, A to D',
    form: /(?<!\w)[A-Za-z]{2} ?\d{2} ?\d{2} ?\d{2} ?[A-Da-d](?!\w)/g,
    isRight: (text) => /^(?!BG|GB|KN|NK|NT|TN|ZZ)[A-CEGHJ-PR-TW-Z][A-CEGHJ-NPR-TW-Z]/i.test(text),
  },
  {
    id: 'id-de',
    name: 'Tax identification number (Germany)',
    verifies: 'eleven digits of which one stands two or three times, check digit MOD 11,10; in a member named so',
    form: /(?<!\w)[1-9](?: ?\d){10}(?!\w)/g,
    isRight: (text) => {
      const own = digits(text);
      const counts = new Map<string, number>();
      for (const digit of own.slice(0, 10)) counts.set(digit, (counts.get(digit) ?? 0) + 1);
      const many = [...counts.values()].filter((count) => count > 1);
      return many.length === 1 && (many[0] as number) <= 3 && hasMod11Of10Digit(own);
    },
    words: ['tax', 'tin', 'idnr', 'steuer', 'identifikationsnummer', 'national'],
  },
  {
    id: 'id-fr',
    name: 'Social security number (France)',
    verifies: 'sex, month and key modulo 97',
    form: /(?<!\w)[12] ?\d{2} ?\d{2} ?(?:\d{2}|2[AB]) ?\d{3} ?\d{3} ?\d{2}(?!\w)/g,
    isRight: (text) => {
      const own = text.replaceAll(' ', '');
      const body = own.slice(0, 13).replace('2A', '19').replace('2B', '18');
      const month = two(own, 3);
      return own.length === 15 && ((month >= 1 && month <= 12) || month >= 20) && 97 - Number(BigInt(body) % 97n) === two(own, 13);
    },
  },
  {
    id: 'id-es',
    name: 'Identity number (Spain)',
    verifies: 'the letter by the remainder by 23',
    form: /(?<!\w)(?:\d{8}|[XYZxyz]-?\d{7})-?[A-Za-z](?!\w)/g,
    isRight: (text) => {
      const own = text.replaceAll('-', '').toUpperCase();
      return DNI[Number(own.slice(0, -1).replace(/^[XYZ]/, (sign) => String('XYZ'.indexOf(sign)))) % 23] === own.at(-1);
    },
  },
  {
    id: 'id-it',
    name: 'Tax code (Italy)',
    verifies: 'letters, month and the check letter',
    form: /(?<!\w)[A-Za-z]{6}\d{2}[A-EHLMPR-Ta-ehlmpr-t]\d{2}[A-Za-z]\d{3}[A-Za-z](?!\w)/g,
    isRight: (text) => hasItalianLetter(text.toUpperCase()),
  },
  {
    id: 'id-nl',
    name: 'Citizen service number (Netherlands)',
    verifies: 'nine digits whose weighted sum divides by 11; in a member named so',
    form: /(?<!\w)\d{9}(?!\w)/g,
    isRight: (text) => isVaried(text) && weighted(text, [9, 8, 7, 6, 5, 4, 3, 2, -1]) % 11 === 0,
    words: ['bsn', 'burgerservicenummer', 'citizen', 'national', 'sofi'],
  },
  {
    id: 'id-pl',
    name: 'Personal number (Poland)',
    verifies: 'a date of birth and the check digit',
    form: /(?<!\w)\d{11}(?!\w)/g,
    isRight: (text) => {
      const month = two(text, 2);
      const century = [1900, 2000, 2100, 2200, 1800][Math.floor(month / 20)] as number;
      return isDate(century + two(text, 0), month % 20, two(text, 4)) && weighted(text, [1, 3, 7, 9, 1, 3, 7, 9, 1, 3, 1]) % 10 === 0;
    },
  },
  {
    id: 'id-se',
    name: 'Personal number (Sweden)',
    verifies: 'a date of birth, a dash or plus, and the check digit',
    form: /(?<!\w)(?:\d{2})?\d{6}[-+]\d{4}(?!\w)/g,
    isRight: (text) => {
      const own = digits(text).slice(-10);
      return isDate(2000 + two(own, 0), two(own, 2), two(own, 4) % 60) && hasLuhnDigit(own);
    },
  },
  {
    id: 'id-fi',
    name: 'Personal identity code (Finland)',
    verifies: 'a date of birth, the century sign and the check character',
    form: /(?<!\w)\d{6}[-+A-FU-Ya-fu-y]\d{3}[0-9A-Ya-y](?!\w)/g,
    isRight: (text) =>
      isDate(2000 + two(text, 4), two(text, 2), two(text, 0)) && HETU[Number(text.slice(0, 6) + text.slice(7, 10)) % 31] === text.at(-1)?.toUpperCase(),
  },
  {
    id: 'id-br',
    name: 'Taxpayer number (Brazil)',
    verifies: 'written with points and a dash, both check digits',
    form: /(?<!\w)\d{3}\.\d{3}\.\d{3}-\d{2}(?!\w)/g,
    isRight: (text) => {
      const own = digits(text);
      const check = (length: number): number =>
        ((weighted(
          own,
          Array.from({ length }, (_, index) => length + 1 - index),
        ) *
          10) %
          11) %
        10;
      return isVaried(own) && check(9) === Number(own[9]) && check(10) === Number(own[10]);
    },
  },
  {
    id: 'id-be',
    name: 'National number (Belgium)',
    verifies: 'a date of birth and the key modulo 97; written with points and dashes',
    form: /(?<!\w)\d{2}\.\d{2}\.\d{2}-\d{3}\.\d{2}(?!\w)/g,
    isRight: (text) => {
      const own = digits(text);
      const key = two(own, 9);
      const rest = (body: string): number => 97 - modulo97(body);
      return two(own, 2) % 20 <= 12 && two(own, 4) <= 31 && (rest(own.slice(0, 9)) === key || rest(`2${own.slice(0, 9)}`) === key);
    },
  },
];

export const IDENTITY_DETECTORS: readonly Detector[] = IDENTIFIERS.map(({ id, name, verifies, form, isRight, words }) => ({
  id,
  name,
  group: 'identity',
  verifies,
  find: (text, member) => {
    if (words && !wordsOf(member).some((word) => words.includes(word))) return NOTHING;
    return /\d{2}/.test(text) ? spansOf(text, form, isRight) : NOTHING;
  },
  mask: (text) => starred(text, 2),
}));
