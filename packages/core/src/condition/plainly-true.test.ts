import fc from 'fast-check';
import { compileCondition, planBounded } from './compile-condition.js';
import { OPEN_SCOPE } from './condition-input.js';
import { parseCondition, type Expression } from './parse-condition.js';
import { lookAtVariables, plainlyTrue } from './plainly-true.js';

function read(source: string): Expression {
  const parsed = parseCondition(source);
  if (!('expression' in parsed)) throw new Error(`${source}: ${parsed.says}`);
  return parsed.expression;
}

/** Few names and texts, so that much is equal, and values of every kind in any place. */
const member = fc.constantFrom(
  'request',
  'request.a',
  'request.b',
  'principal.a',
  'principal["b"]',
  'request.map.a',
  'request.map["b"]',
  'request.map[request.a]',
);
const text = fc.constantFrom('"a"', '"b"', '"a" ', '""');
const operand = fc.oneof(
  { weight: 3, arbitrary: member },
  { weight: 2, arbitrary: text },
  { weight: 1, arbitrary: fc.constantFrom('["a", "b"]', '[]', '["a", request.b]', '1', '["a", 1]') },
);
const simple = fc.oneof(
  { weight: 6, arbitrary: fc.tuple(operand, fc.constantFrom('==', '!=', 'in'), operand).map(([one, sign, other]) => `${one} ${sign} ${other}`) },
  {
    weight: 1,
    arbitrary: fc.constantFrom(
      'true',
      'false',
      'has(request.a)',
      '!(request.a == "a")',
      'request.a.startsWith("a")',
      '.request.a == "a"',
      'request.list.exists(x, x == "a")',
    ),
  },
);
const source = fc
  .array(fc.tuple(simple, fc.constantFrom('&&', '||'), fc.boolean()), { minLength: 1, maxLength: 4 })
  .map((parts) => parts.map(([part, sign, bracket], index) => `${index === 0 ? '' : ` ${sign} `}${bracket ? `(${part})` : part}`).join(''));

const value = fc.oneof(
  { weight: 8, arbitrary: fc.constantFrom<unknown>('a', 'b', '', ['a', 'b'], ['b'], new Map([['a', 'b']])) },
  { weight: 1, arbitrary: fc.constantFrom<unknown>(null, 1, 1n, true, [1, 'a'], [null], [], new Map(), new Map([['a', null]]), new Uint8Array([97])) },
);
const members = fc.dictionary(fc.constantFrom('a', 'b', 'map', 'list'), value, { minKeys: 1 }).map((made) => new Map(Object.entries(made)));
const variables = fc.record({ request: members, principal: members }, { requiredKeys: [] });

describe('what plainly holds', () => {
  test('is true by the language, whatever the condition and its variables are', () => {
    let plain = 0;
    let held = 0;
    fc.assert(
      fc.property(source, fc.array(variables, { minLength: 1, maxLength: 8 }), (written, all) => {
        const expression = read(written);
        const holds = plainlyTrue(expression);
        if (holds === null) return;
        plain++;
        const run = planBounded(expression, new Map());
        for (const one of all) {
          if (!holds(one, lookAtVariables)) continue;
          held++;
          expect([written, run(one)]).toEqual([written, true]);
        }
      }),
      { numRuns: 4000, seed: 11 },
    );
    // Both happen often enough for this to say something.
    expect([plain > 1000, held > 1000]).toEqual([true, true]);
  });

  test.each([
    ['request.method == "GET"', { request: new Map([['method', 'GET']]) }, true],
    ['request.method == "GET"', { request: new Map([['method', 'POST']]) }, false],
    ['"x" in principal.scopes', { principal: new Map([['scopes', ['x']]]) }, true],
    [
      'request.parameters["id"] in principal.attributes.sections',
      { request: new Map([['parameters', new Map([['id', 'n']])]]), principal: new Map([['attributes', new Map([['sections', ['n']]])]]) },
      true,
    ],
    [
      'resource.lockouts[request.parameters.id].by == "a"',
      { resource: new Map([['lockouts', new Map([['n', new Map([['by', 'a']])]])]]), request: new Map([['parameters', new Map([['id', 'n']])]]) },
      true,
    ],
    ['request.path != "/a"', { request: new Map([['path', '/b']]) }, true],
    // What is not there is no other text than the one that is written: the language comes to an error.
    ['request.path != "/a"', { request: new Map() }, false],
    ['request.path != "/a"', {}, false],
    // The first part comes to an error and the second is true.
    ['request.headers["x"] == "a" || request.method == "GET"', { request: new Map([['method', 'GET']]) }, true],
    ['request.headers["x"] == "a" && request.method == "GET"', { request: new Map([['method', 'GET']]) }, false],
  ])('%s of %j is %s', (written, given, expected) => {
    expect(plainlyTrue(read(written))?.(given, lookAtVariables)).toBe(expected);
  });

  test.each([
    'now.getHours() < 6',
    'has(request.body.force)',
    'size(principal.scopes) == 1',
    '!("x" in principal.scopes)',
    'request.method == "GET" && now.getHours() < 6',
    '1 == 1',
  ])('%s is left to the language', (written) => {
    expect(plainlyTrue(read(written))).toBeNull();
  });

  test('a list that has more items than may be gone through is refused as before', () => {
    const compiled = compileCondition('"x" in principal.scopes', OPEN_SCOPE);
    if (!('evaluate' in compiled)) throw new Error('it cannot be used');
    const of = (length: number) => compiled.evaluate({ principal: new Map([['scopes', [...Array.from({ length }, () => 'y'), 'x']]]) }).kind;
    expect([of(10), of(2000), of(20_000)]).toEqual(['met', 'met', 'error']);
  });
});
