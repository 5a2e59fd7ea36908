import { emptyDocument } from '../document/release-document.js';
import fc from 'fast-check';
import { joinDocument, MAX_PARTS, partsNamed, PART_OPERATIONS, splitDocument, type OperationRule, type ReleaseDocument, AS_ITS_API } from '../index.js';

const operation = (name: string): OperationRule => ({
  id: name,
  method: 'GET',
  path: `/${name}`,
  ...AS_ITS_API,
});
const document = (counts: readonly number[]): ReleaseDocument =>
  ({
    ...emptyDocument('test'),
    apis: counts.map((count, api) => ({ id: `a${api}`, operations: Array.from({ length: count }, (_, index) => operation(`${api}-${index}`)) })),
  }) as unknown as ReleaseDocument;
const digest = (text: string): string => `#${text.length}:${text}`;

test('what is taken apart is put together again, whatever its size', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 0, max: 350 }), { maxLength: 5 }), (counts) => {
      const whole = document(counts);
      const { carried, parts } = splitDocument(whole, digest);
      const named = partsNamed(JSON.parse(JSON.stringify(carried)));
      expect(named).toEqual([...parts.keys()]);
      for (const text of parts.values()) expect((JSON.parse(text) as unknown[]).length).toBeLessThanOrEqual(PART_OPERATIONS);
      expect(joinDocument(carried, (hash) => JSON.parse(parts.get(hash) ?? 'null') as OperationRule[])).toEqual(whole);
    }),
    { numRuns: 50 },
  );
});

test('a small document travels whole, and equal lists of operations once', () => {
  expect(splitDocument(document([100]), digest)).toEqual({ carried: document([100]), parts: new Map() });
  const [api] = document([150]).apis;
  const twice = { ...document([]), apis: [api, { ...api, id: 'b' }] } as ReleaseDocument;
  expect([...splitDocument(twice, digest).parts.keys()]).toHaveLength(2);
});

test.each<[string, unknown]>([
  ['nothing', null],
  ['a list', []],
  ['a document without APIs', { format: 2 }],
  ['APIs that are no list', { apis: 'x' }],
  ['an API that is no object', { apis: [null, 3] }],
  ['operations that are no list', { apis: [{ operations: {} }] }],
])('%s names no part and stays as it is', (_name, value) => {
  expect([partsNamed(value), joinDocument(value, () => [])]).toEqual([[], value]);
});

test('thousands of small APIs make no more parts than there may be', () => {
  const many = document(Array<number>(MAX_PARTS + 500).fill(2));
  const { carried, parts } = splitDocument(many, digest);
  expect([parts.size, carried]).toEqual([0, many]);
  const mixed = document([...Array<number>(MAX_PARTS).fill(1), 250]);
  const split = splitDocument(mixed, digest);
  expect(split.parts.size).toBe(3);
  expect(joinDocument(split.carried, (hash) => JSON.parse(split.parts.get(hash) ?? 'null') as OperationRule[])).toEqual(mixed);
});

test('a part that is not there stays a text, which no reader takes for an operation', () => {
  const { carried } = splitDocument(document([150]), digest);
  const joined = joinDocument(carried, () => undefined) as ReleaseDocument;
  expect(joined.apis[0]?.operations.every((one) => typeof one === 'string')).toBe(true);
});
