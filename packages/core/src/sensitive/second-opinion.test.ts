import cards from 'card-validator';
import { composeIBAN, countrySpecs, isValidIBAN } from 'ibantools';
import { getExampleNumber, isSupportedCountry, parsePhoneNumberWithError, type CountryCode } from 'libphonenumber-js/max';
import examples from 'libphonenumber-js/mobile/examples';
import { stdnum } from 'stdnum';
import { hasLuhnDigit, modulo97 } from './check-digits.js';
import { detectorsFor } from './detectors.js';
import { isCardNumber, isIban } from './payment-detectors.js';

const finds = (id: string, text: string, member = ''): boolean => (detectorsFor([id], [])[0]?.find(text, member).length ?? 0) > 0;

/** A generator of our own, so that a failure comes again. */
function numbers(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

const say = (line: string): void => void process.stdout.write(`${line}\n`);

describe('check digits', () => {
  test('the worked example of ISO/IEC 7812-1 annex B, as every public description has it (from memory)', () => {
    expect(hasLuhnDigit('79927398713')).toBe(true);
    for (let last = 0; last < 10; last++) if (last !== 3) expect(hasLuhnDigit(`7992739871${last}`)).toBe(false);
  });

  test('the worked example of ISO 13616-1 annex A (from memory): GB82 WEST 1234 5698 7654 32', () => {
    expect(modulo97('WEST12345698765432GB82')).toBe(1);
    expect(isIban('GB82WEST12345698765432')).toBe(true);
    expect(isIban('GB83WEST12345698765432')).toBe(false);
  });
});

describe('payment cards against card-validator', () => {
  test('what it calls right is right here, and what is wrong there is wrong here', () => {
    const below = numbers(1);
    const firsts = [
      '4',
      '51',
      '55',
      '2221',
      '2720',
      '34',
      '37',
      '300',
      '36',
      '38',
      '6011',
      '65',
      '644',
      '3528',
      '3589',
      '62',
      '50',
      '56',
      '67',
      '1',
      '7',
      '99',
      '60',
    ];
    const counts = { both: 0, neither: 0, onlyHere: 0, onlyThere: 0 };
    for (let turn = 0; turn < 5000; turn++) {
      const length = 12 + below(8);
      let body = firsts[below(firsts.length)] as string;
      while (body.length < length - 1) body += String(below(10));
      // Most with the digit that is right, so that more than a tenth are cards.
      const digits = [...'0123456789'].map((last) => body + last).find((one) => hasLuhnDigit(one)) as string;
      const own = turn % 4 === 0 ? body + String(below(10)) : digits;
      // It asks some for no check digit, and takes whatever begins with 60 for a card: too many other numbers do.
      const there = cards.number(own).isValid && hasLuhnDigit(own) && !/^60(?!11)/.test(own);
      const here = isCardNumber(own);
      counts[here && there ? 'both' : here ? 'onlyHere' : there ? 'onlyThere' : 'neither']++;
    }
    const [precision, recall] = [counts.both / (counts.both + counts.onlyHere), counts.both / (counts.both + counts.onlyThere)];
    say(`cards: precision ${precision.toFixed(3)}, recall ${recall.toFixed(3)} of ${counts.both + counts.onlyThere} right ones`);
    expect(precision).toBeGreaterThan(0.95);
    expect(recall).toBeGreaterThan(0.95);
  });
});

describe('IBAN against ibantools', () => {
  test('an account of every country that has them, and every single wrong digit', () => {
    const below = numbers(2);
    let tried = 0;
    const missed: string[] = [];
    for (const [country, { chars, bban_regexp: form, IBANRegistry: registered }] of Object.entries(countrySpecs)) {
      if (!chars || !form || !registered) continue;
      let found: string | null = null;
      for (let turn = 0; turn < 200 && found === null; turn++) {
        // Digits where they are allowed, letters elsewhere.
        const bban = bbanOf(
          form,
          () => String(below(10)),
          () => String.fromCharCode(65 + below(26)),
        );
        const made = bban === null ? null : composeIBAN({ countryCode: country, bban });
        if (made !== null && isValidIBAN(made)) found = made;
      }
      if (found === null) continue;
      tried++;
      if (!isIban(found)) missed.push(country);
      const place = 4 + below(found.length - 4);
      const digit = found.charAt(place);
      if (/\d/.test(digit)) {
        const wrong = found.slice(0, place) + String((Number(digit) + 1) % 10) + found.slice(place + 1);
        expect([wrong, isIban(wrong)]).toEqual([wrong, false]);
      }
      expect(finds('iban', `please pay to ${found.replace(/(.{4})/g, '$1 ').trim()} today`)).toBe(!missed.includes(country));
    }
    say(`IBAN: ${tried - missed.length} of ${tried} countries of the register; not known: ${missed.join(', ') || 'none'}`);
    expect(tried).toBeGreaterThan(70);
    expect(missed).toEqual([]);
  });
});

/** A text that a pattern of digits, letters and both takes; null for a pattern with anything else. */
function bbanOf(form: string, digit: () => string, letter: () => string): string | null {
  let out = '';
  const rest = form
    .replace(/^\^|\$$/g, '')
    .replace(/\(|\)/g, '')
    .replace(/(\[[^\]]+\]|\\d)\{(\d+)\}/g, (_, set: string, count: string) => {
      for (let index = 0; index < Number(count); index++) out += set === '[A-Z]' ? letter() : digit();
      return '';
    });
  return rest === '' ? out : null;
}

describe('phone numbers against libphonenumber-js', () => {
  test('the example of every country, written in three ways', () => {
    const countries = Object.keys(examples).filter((country): country is CountryCode => isSupportedCountry(country));
    const missed: string[] = [];
    for (const country of countries) {
      const number = getExampleNumber(country, examples);
      if (!number) continue;
      for (const written of [number.format('E.164'), number.formatInternational(), `call ${number.formatInternational().replaceAll(' ', '-')}, please`])
        if (!finds('phone', written)) missed.push(`${country} ${written}`);
      if (!finds('phone', number.formatNational(), 'homePhone')) missed.push(`${country} ${number.formatNational()}`);
      expect(finds('phone', number.formatNational(), 'reading')).toBe(false);
    }
    say(`phone numbers: ${countries.length * 3 - missed.length} of ${countries.length * 3} written examples found; missed: ${missed.join('; ') || 'none'}`);
    // Four digits inside a country are any number.
    expect(missed).toEqual(['TA 8999', 'TK 7290']);
  });

  test('digits behind a plus whose country code nobody has are none, as there', () => {
    const below = numbers(3);
    let [here, there] = [0, 0];
    for (let turn = 0; turn < 5000; turn++) {
      let digits = String(1 + below(9));
      while (digits.length < 8 + below(8)) digits += String(below(10));
      const known = ((): boolean => {
        try {
          return parsePhoneNumberWithError(`+${digits}`).countryCallingCode !== '';
        } catch {
          return false;
        }
      })();
      if (known) there++;
      if (finds('phone', `+${digits}`)) here++;
      // Codes are assigned to networks without a country too; none that it knows is missed.
      if (known) expect([digits, finds('phone', `+${digits}`)]).toEqual([digits, true]);
    }
    say(`phone numbers by chance: ${here} of 5000 have an assigned country code here, ${there} there`);
    expect(here / there).toBeLessThan(1.15);
  });
});

describe('national identifiers against stdnum', () => {
  const of = (country: string, kind: string) =>
    (stdnum as unknown as Record<string, Record<string, { validate(text: string): { isValid: boolean } }>>)[country]?.[kind];
  const digits = (below: (most: number) => number, count: number): string => Array.from({ length: count }, () => String(below(10))).join('');
  const letters = (below: (most: number) => number, count: number): string => Array.from({ length: count }, () => String.fromCharCode(65 + below(26))).join('');
  const date = (below: (most: number) => number): [string, string, string] =>
    [String(below(100)), String(1 + below(14)), String(1 + below(33))].map((part) => part.padStart(2, '0')) as [string, string, string];
  type Make = (below: (most: number) => number) => string;
  const CASES: readonly (readonly [id: string, country: string, kind: string, member: string, make: Make])[] = [
    ['id-us', 'US', 'ssn', '', (b) => `${digits(b, 3)}-${digits(b, 2)}-${digits(b, 4)}`],
    ['id-gb', 'GB', 'nino', '', (b) => letters(b, 2) + digits(b, 6) + 'ABCD'.charAt(b(4))],
    [
      'id-de',
      'DE',
      'idnr',
      'taxId',
      (b) => {
        const all = [...'0123456789'].sort(() => b(3) - 1);
        const at = b(10);
        all[at] = all[(at + 1) % 10] as string;
        return all.join('') + digits(b, 1);
      },
    ],
    [
      'id-fr',
      'FR',
      'nir',
      '',
      (b) => {
        const body = `${1 + b(2)}${digits(b, 2)}${String(1 + b(12)).padStart(2, '0')}${digits(b, 8)}`;
        return body + (b(3) === 0 ? digits(b, 2) : String(97 - Number(BigInt(body) % 97n)).padStart(2, '0'));
      },
    ],
    [
      'id-es',
      'ES',
      'dni',
      '',
      (b) => {
        const body = digits(b, 8);
        return body + (b(3) === 0 ? letters(b, 1) : 'TRWAGMYFPDXBNJZSQVHLCKE'.charAt(Number(body) % 23));
      },
    ],
    ['id-nl', 'NL', 'bsn', 'bsn', (b) => digits(b, 9)],
    ['id-pl', 'PL', 'pesel', '', (b) => date(b).join('') + digits(b, 5)],
    ['id-se', 'SE', 'personnummer', '', (b) => `${date(b).join('')}-${digits(b, 4)}`],
    [
      'id-fi',
      'FI',
      'hetu',
      '',
      (b) => {
        const [y, m, d] = date(b);
        return `${d}${m}${y}-${String(2 + b(897)).padStart(3, '0')}${'0123456789ABCDEFHJKLMNPRSTUVWXY'.charAt(b(31))}`;
      },
    ],
    ['id-br', 'BR', 'cpf', '', (b) => digits(b, 11).replace(/(...)(...)(...)(..)/, '$1.$2.$3-$4')],
    [
      'id-be',
      'BE',
      'nn',
      '',
      (b) => {
        const [y, m, d] = date(b);
        const serial = digits(b, 3);
        const key = b(3) === 0 ? digits(b, 2) : String(97 - (Number(`${y}${m}${d}${serial}`) % 97)).padStart(2, '0');
        return `${y}.${m}.${d}-${serial}.${key}`;
      },
    ],
    [
      'id-it',
      'IT',
      'codicefiscale',
      '',
      (b) => {
        const [y, , d] = date(b);
        return letters(b, 6) + y + 'ABCDEHLMPRST'.charAt(b(12)) + d + letters(b, 1) + digits(b, 3) + letters(b, 1);
      },
    ],
  ];
  test.each(CASES)('%s', (id, country, kind, member, make) => {
    const there = of(country, kind);
    if (!there) throw new Error(`there is no ${country} ${kind}`);
    const below = numbers(id.length * 31 + country.charCodeAt(0));
    const counts = { both: 0, onlyHere: 0, onlyThere: 0 };
    const examplesOf: Record<string, string[]> = { onlyHere: [], onlyThere: [] };
    for (let turn = 0; turn < 10_000; turn++) {
      const text = make(below);
      const [here, other] = [finds(id, text, member), there.validate(text).isValid];
      if (!here && !other) continue;
      const key = here && other ? 'both' : here ? 'onlyHere' : 'onlyThere';
      counts[key]++;
      if (key !== 'both' && (examplesOf[key]?.length ?? 0) < 3) examplesOf[key]?.push(text);
    }
    const [precision, recall] = [counts.both / (counts.both + counts.onlyHere), counts.both / (counts.both + counts.onlyThere)];
    say(`${id}: precision ${precision.toFixed(3)}, recall ${recall.toFixed(3)} of ${counts.both + counts.onlyThere}; ${JSON.stringify(examplesOf)}`);
    expect(counts.both).toBeGreaterThan(30);
    expect(precision).toBeGreaterThan(0.95);
    expect(recall).toBeGreaterThan(0.95);
  });
});
