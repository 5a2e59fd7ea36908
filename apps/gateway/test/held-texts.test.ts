import fc from 'fast-check';
import { HeldTexts, packTexts } from '../src/contracts/held-texts.js';

/** What another thread was given. */
function handed(texts: ReadonlyMap<string, string>): HeldTexts {
  const packed = packTexts(texts);
  const taken = structuredClone(packed, { transfer: [packed.bytes.buffer, packed.offsets.buffer] });
  expect([packed.bytes.byteLength, packed.offsets.byteLength]).toEqual([0, 0]);
  return new HeldTexts(taken);
}

// Names that are no text of Unicode are told apart as well.
const name = fc.oneof(fc.string({ unit: 'binary', maxLength: 12 }), fc.constantFrom('', '/', '/paths/~1a', '\ud800', '\ud801', '\ufffd', '😀'));

describe('texts that come over from another thread', () => {
  test('whatever they are called, each is found by its name and is as it was, and nothing else is found', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(name, fc.string({ unit: 'grapheme', maxLength: 40 }))), fc.array(name), (pairs, others) => {
        const texts = new Map(pairs);
        const held = handed(texts);
        for (const asked of [...texts.keys(), ...others]) expect(held.get(asked)).toBe(texts.get(asked));
      }),
    );
  });

  test('a name that another one begins with is another name', () => {
    const held = handed(
      new Map([
        ['/a', '1'],
        ['/a/b', '2'],
        ['', '3'],
      ]),
    );
    expect(['', '/a', '/a/b', '/a/', '/', 'a'].map((asked) => held.get(asked))).toEqual(['3', '1', '2', undefined, undefined, undefined]);
  });
});
