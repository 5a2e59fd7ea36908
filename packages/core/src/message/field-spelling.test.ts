import fc from 'fast-check';
import { otherSpelling } from './field-spelling.js';

/** Characters that a name of a field may have (RFC 9110 section 5.6.2), small letters alone, few so that names come out alike. */
const name = fc.string({ unit: fc.constantFrom(...'ab1-_.!~^'), minLength: 1, maxLength: 4 });
/** As an upstream that makes variables of names reads them (RFC 3875 section 4.1.18, from memory). */
const variable = (field: string): string => field.toUpperCase().replace(/[^A-Z0-9]/g, '_');

describe('a field that is taken for another', () => {
  test('is found where two names make one variable, and nowhere else', () => {
    fc.assert(
      fc.property(fc.uniqueArray(name, { maxLength: 6 }), fc.uniqueArray(name, { maxLength: 4 }), (came, asked) => {
        const meant = came.filter((one) => asked.some((other) => one !== other && variable(one) === variable(other)));
        const found = otherSpelling(came, asked);
        if (meant.length === 0) expect(found).toBeNull();
        else expect(meant).toContain(found);
      }),
      { numRuns: 3000 },
    );
  });

  test.each<[readonly string[], readonly string[] | null, string | null]>([
    [['accept', 'x_section'], ['x-section'], 'x_section'],
    [['accept', 'x-section'], ['x-section'], null],
    [['x-section', 'x.section'], ['accept', 'x-section'], 'x.section'],
    [['x-section'], ['x_section'], 'x-section'],
    [['x-section-'], ['x-section'], null],
    [['xsection'], ['x-section'], null],
    [['x_section'], [], null],
    [[], ['x-section'], null],
    // Where it is not known which are looked at, any that is not plain could be meant.
    [['accept', 'x_section'], null, 'x_section'],
    [['accept', 'x-section'], null, null],
  ])('of %j, where %j are looked at: %j', (came, asked, found) => expect(otherSpelling(came, asked)).toBe(found));
});
