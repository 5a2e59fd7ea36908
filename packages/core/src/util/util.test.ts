import fc from 'fast-check';
import { jsonFaultLine } from '../contract/json-fault.js';
import { locateJson } from '../contract/locate-json.js';
import { canonicalJson } from './canonical-json.js';
import { decodeBase64url, decodeUtf8, isCanonicalBase64url } from './base64url.js';
import { pointerOf, pointerParts, valueAt } from './json-pointer.js';
import { scanJson } from './scan-json.js';

describe('JSON Pointer', () => {
  /** The document and the evaluations of RFC 6901 section 5. */
  const document = { foo: ['bar', 'baz'], '': 0, 'a/b': 1, 'c%d': 2, 'e^f': 3, 'g|h': 4, 'i\\j': 5, 'k"l': 6, ' ': 7, 'm~n': 8 };
  test.each<[string, unknown]>([
    ['', document],
    ['/foo', ['bar', 'baz']],
    ['/foo/0', 'bar'],
    ['/', 0],
    ['/a~1b', 1],
    ['/c%d', 2],
    ['/e^f', 3],
    ['/g|h', 4],
    ['/i\\j', 5],
    ['/k"l', 6],
    ['/ ', 7],
    ['/m~0n', 8],
  ])('RFC 6901 section 5: %s', (pointer, value) => expect(valueAt(document, pointer)).toEqual(value));

  test.each(['/foo/2', '/foo/-', '/foo/00', '/foo/length', '/nothing', '/foo/0/1', '/toString', '/__proto__', 'foo', '/a~2b'])('%s names nothing', (pointer) =>
    expect(valueAt(document, pointer)).toBeUndefined(),
  );

  test('parts survive the way there and back', () => {
    fc.assert(fc.property(fc.array(fc.string()), (parts) => expect(pointerParts(pointerOf(...parts))).toEqual(parts)));
  });
});

describe('base64url (RFC 4648 section 5)', () => {
  /** RFC 4648 section 10, without padding. */
  test.each([
    ['', ''],
    ['Zg', 'f'],
    ['Zm8', 'fo'],
    ['Zm9v', 'foo'],
    ['Zm9vYg', 'foob'],
    ['Zm9vYmE', 'fooba'],
    ['Zm9vYmFy', 'foobar'],
  ])('RFC 4648 section 10: %s is %s', (text, decoded) => {
    expect(isCanonicalBase64url(text)).toBe(true);
    expect(decodeUtf8(decodeBase64url(text))).toBe(decoded);
  });

  test.each(['Z', 'Zg==', 'Zh', 'Zm9', 'Zm 9v', 'Zm9v\n', 'Zm9+', 'Zm9/', 'Zé'])('%s is refused', (text) => expect(isCanonicalBase64url(text)).toBe(false));

  test('bytes have exactly one spelling', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 1, maxLength: 40 }), (bytes) => {
        const text = Buffer.from(bytes).toString('base64url');
        expect(isCanonicalBase64url(text)).toBe(true);
        expect([...decodeBase64url(text)]).toEqual([...bytes]);
        for (const last of 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_') {
          const other = text.slice(0, -1) + last;
          if (other !== text && isCanonicalBase64url(other)) expect(Buffer.from(other, 'base64url').equals(Buffer.from(bytes))).toBe(false);
        }
      }),
    );
  });

  test('bytes that are not UTF-8 are no text', () => expect(decodeUtf8(Uint8Array.of(0xff, 0xfe))).toBeNull());
});

describe('scanning JSON', () => {
  const scanned = (text: string) => scanJson(text, JSON.parse(text), 10);

  test('a name that stands twice is found, whatever characters it has', () => {
    const name = fc.array(fc.constantFrom('\\', '"', 'a', ' ', ':', '{', '}', '\n', 'é'), { maxLength: 8 }).map((parts) => parts.join(''));
    fc.assert(
      fc.property(name, name, fc.jsonValue({ maxDepth: 2 }), (one, other, value) => {
        const member = (text: string): string => `${JSON.stringify(text)}:${JSON.stringify(value)}`;
        expect(scanned(`{${member(one)},${member(other)}}`)).toBe(one === other ? 'duplicate-member' : 'plain');
        expect(scanned(`{${member(one)}, ${member('-')}, ${member(one)}}`)).toBe('duplicate-member');
      }),
      { numRuns: 400 },
    );
  });

  test('finds repeated members and depth in any document, and nothing else', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 6 }), (value) => expect(scanned(JSON.stringify(value))).toBe('plain')),
      { numRuns: 500 },
    );
  });

  test.each([
    ['{"a":1,"a":2}', 'duplicate-member'],
    ['{"a":{"b":1,"b":2}}', 'duplicate-member'],
    ['[{"a":1},{"a":1}]', 'plain'],
    ['{"a":"a","b":"a"}', 'plain'],
    ['{"a":"\\"a\\":1","b":1}', 'plain'],
    ['{"a" : 1, "\\u0061" : 2}', 'duplicate-member'],
    ['{"":1,"":2}', 'duplicate-member'],
    ['{"__proto__":1,"__proto__":2}', 'duplicate-member'],
    ['{"a":{"b":1,"c":[{}]},"a":1}', 'duplicate-member'],
    ['{"a":1,"a":{"b":1,"c":[{"d":null}]}}', 'duplicate-member'],
    ['{"__proto__":{"a":1},"a":":{"}', 'plain'],
    ['":{"', 'plain'],
    ['[[[[[[[[[[[1]]]]]]]]]]]', 'too-deep'],
  ])('%s is %s', (text, found) => expect(scanned(text)).toBe(found));
});

describe('places in a JSON text', () => {
  const text = '{\n  "a": [1, {\n    "b/c": null\n  }],\n  "d": "x\\"y",\n  "e": {}\n}';

  test('are found by pointer', () => {
    const pointers = ['', '/a', '/a/0', '/a/1', '/a/1/b~1c', '/d', '/e', '/f'];
    const { lines } = locateJson(text, new Set(pointers));
    expect(pointers.map((pointer) => lines.get(pointer))).toEqual([1, 2, 2, 2, 3, 5, 6, undefined]);
  });

  test('every value of a pretty printed document is found on the line it stands on', () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string({ minLength: 1, maxLength: 5 }), fc.constantFrom(1, 'x', true, null), { minKeys: 1, maxKeys: 8 }), (value) => {
        const printed = JSON.stringify(value, null, 1);
        const names = Object.keys(JSON.parse(printed) as object);
        const { lines } = locateJson(printed, new Set(names.map((name) => pointerOf(name))));
        expect(names.map((name) => lines.get(pointerOf(name)))).toEqual(names.map((_name, index) => index + 2));
      }),
    );
  });

  test.each([
    ['{"a": 1,}', 1],
    ['{\n"a": 1\n"b": 2}', 3],
    ['[1,\n2,,3]', 2],
    ['{"a"\n:\n}', 3],
    ['{"a": tru}', 1],
    ['[1]\n\n]', 3],
    ['{"a": "x\ny"}', 1],
    ['[1, 2', 1],
    ["{'a': 1}", 1],
    ['[01]', 1],
  ])('%j stops being JSON in line %i', (broken, line) => {
    expect(() => JSON.parse(broken) as unknown).toThrow();
    expect(jsonFaultLine(broken)).toBe(line);
  });
});

test('canonical JSON is JSON, and says the same', () => {
  fc.assert(
    fc.property(fc.jsonValue(), (value) => {
      const text = canonicalJson(value);
      expect(JSON.parse(text)).toEqual(JSON.parse(JSON.stringify(value)));
      expect(canonicalJson(JSON.parse(text))).toBe(text);
    }),
  );
});
