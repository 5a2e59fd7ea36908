import { againstContract } from '../../condition/against-contract.js';
import { OPEN_SCOPE } from '../../condition/condition-input.js';
import { NO_CONTRACT } from '../../document/contract-rule.js';
import { describedParameters } from '../described-parameters.js';
import { referenceOperation } from '../reference.js';
import { wholeContract } from './contract-source.js';
import { operationContract, type OperationContract } from './operation-contract.js';

/** An operation with one parameter. */
function withParameter(parameter: Record<string, unknown>, unknownQuery: 'allow' | 'refuse' = 'refuse'): OperationContract {
  const document = { openapi: '3.1.0', paths: { '/p/{color}': { get: { parameters: [parameter], responses: { 200: {} } } } } };
  const contract = operationContract(wholeContract(document, '3.1'), '/p/{color}', 'GET', { ...NO_CONTRACT, unknownQuery });
  if (!contract) throw new Error('the operation is described');
  return contract;
}

const STRING = { const: 'blue' };
const ARRAY = { type: 'array', items: { type: 'string' }, const: ['blue', 'black', 'brown'] };
const OBJECT = {
  type: 'object',
  properties: { R: { type: 'integer' }, G: { type: 'integer' }, B: { type: 'integer' } },
  additionalProperties: false,
  const: { R: 100, G: 200, B: 150 },
};
const EMPTY = { const: '' };

/**
 * The table of OpenAPI Specification 3.1.2, section 4.8.12.6 “Style Examples”, every cell that is not n/a. The column “undefined”
 * is what an empty text looks like where the style has a way to write it.
 */
const TABLE: readonly (readonly [style: string, explode: boolean, schema: Record<string, unknown>, written: string])[] = [
  ['matrix', false, STRING, ';color=blue'],
  ['matrix', false, ARRAY, ';color=blue,black,brown'],
  ['matrix', false, OBJECT, ';color=R,100,G,200,B,150'],
  ['matrix', true, STRING, ';color=blue'],
  ['matrix', true, ARRAY, ';color=blue;color=black;color=brown'],
  ['matrix', true, OBJECT, ';R=100;G=200;B=150'],
  ['matrix', false, EMPTY, ';color'],
  ['matrix', true, EMPTY, ';color'],
  ['label', false, STRING, '.blue'],
  ['label', false, ARRAY, '.blue,black,brown'],
  ['label', false, OBJECT, '.R,100,G,200,B,150'],
  ['label', true, STRING, '.blue'],
  ['label', true, ARRAY, '.blue.black.brown'],
  ['label', true, OBJECT, '.R=100.G=200.B=150'],
  ['label', false, EMPTY, '.'],
  ['label', true, EMPTY, '.'],
  ['simple', false, STRING, 'blue'],
  ['simple', false, ARRAY, 'blue,black,brown'],
  ['simple', false, OBJECT, 'R,100,G,200,B,150'],
  ['simple', true, STRING, 'blue'],
  ['simple', true, ARRAY, 'blue,black,brown'],
  ['simple', true, OBJECT, 'R=100,G=200,B=150'],
  ['simple', false, EMPTY, ''],
  ['simple', true, EMPTY, ''],
  ['form', false, STRING, 'color=blue'],
  ['form', false, ARRAY, 'color=blue,black,brown'],
  ['form', false, OBJECT, 'color=R,100,G,200,B,150'],
  ['form', true, STRING, 'color=blue'],
  ['form', true, ARRAY, 'color=blue&color=black&color=brown'],
  ['form', true, OBJECT, 'R=100&G=200&B=150'],
  ['form', false, EMPTY, 'color='],
  ['form', true, EMPTY, 'color='],
  ['spaceDelimited', false, ARRAY, 'color=blue%20black%20brown'],
  ['spaceDelimited', false, OBJECT, 'color=R%20100%20G%20200%20B%20150'],
  ['pipeDelimited', false, ARRAY, 'color=blue%7Cblack%7Cbrown'],
  ['pipeDelimited', false, OBJECT, 'color=R%7C100%7CG%7C200%7CB%7C150'],
  ['deepObject', true, OBJECT, 'color%5BR%5D=100&color%5BG%5D=200&color%5BB%5D=150'],
];

const PATH_STYLES = new Set(['matrix', 'label', 'simple']);

describe('the style table of the OpenAPI Specification', () => {
  test.each(TABLE)('%s, explode %s: %j is written %s', (style, explode, schema, written) => {
    const inPath = PATH_STYLES.has(style);
    const contract = withParameter({ name: 'color', in: inPath ? 'path' : 'query', required: true, style, explode, schema });
    const found = inPath ? contract.path(() => written) : contract.query(`?${written}`, new Set());
    expect(found).toEqual([]);
    // Another value, another style and nothing at all are found.
    const other = written.replace('blue', 'red').replace('100', '101');
    const changed = other === written ? `${written}x` : other;
    expect(inPath ? contract.path(() => changed) : contract.query(`?${changed}`, new Set())).not.toEqual([]);
    expect(inPath ? contract.path(() => undefined) : contract.query('', new Set())).not.toEqual([]);
  });

  test.each(TABLE.filter(([style, , schema]) => style === 'form' && schema !== EMPTY))('%s in cookies, explode %s: %j', (_style, explode, schema, written) => {
    const contract = withParameter({ name: 'color', in: 'cookie', required: true, explode, schema });
    expect(contract.cookie(written.replaceAll('&', '; '))).toEqual([]);
    expect(contract.cookie(undefined)).not.toEqual([]);
  });

  test.each(TABLE.filter(([style, , schema]) => style === 'simple' && schema !== EMPTY))(
    '%s in a header, explode %s: %j',
    (_style, explode, schema, written) => {
      const contract = withParameter({ name: 'Color', in: 'header', required: true, explode, schema });
      expect(
        contract.header(
          (name) => (name === 'color' ? written.replaceAll(',', ', ') : undefined),
          () => ['color'],
        ),
      ).toEqual([]);
      expect(
        contract.header(
          () => undefined,
          () => [],
        ),
      ).toMatchObject([{ keyword: 'required' }]);
    },
  );
});

describe('parameters', () => {
  const query = (schema: unknown, text: string, more: Record<string, unknown> = {}) =>
    withParameter({ name: 'n', in: 'query', schema, ...more }).query(text, new Set());

  test.each([
    [{ type: 'integer', minimum: 1 }, '?n=12', true],
    [{ type: 'integer', minimum: 1 }, '?n=0', false],
    [{ type: 'integer' }, '?n=012', false],
    [{ type: 'integer' }, '?n=0x12', false],
    [{ type: 'integer' }, '?n=1e2', true],
    [{ type: 'integer' }, '?n=%20 1'.replace(' ', ''), false],
    [{ type: 'integer' }, '?n=', false],
    [{ type: 'boolean' }, '?n=true', true],
    [{ type: 'boolean' }, '?n=TRUE', false],
    [{ type: 'string', maxLength: 3 }, '?n=123', true],
    [{ type: ['string', 'integer'] }, '?n=12', true],
    [{ oneOf: [{ type: 'integer' }, { type: 'string', format: 'uuid' }] }, '?n=12', true],
    [{ type: 'string', enum: ['1', '2'] }, '?n=1', true],
    [{ enum: [1, 2] }, '?n=2', true],
    [{ type: 'array', items: { type: 'integer' } }, '?n=1&n=2', true],
    [{ type: 'array', items: { type: 'integer' } }, '?n=1&n=b', false],
    [{ type: 'array', items: { type: 'integer' }, maxItems: 1 }, '?n=1&n=2', false],
    [{ type: 'string' }, '?n=%zz', false],
    [{ type: 'string', const: 'a b' }, '?n=a+b', true],
  ])('a query by %j: %s', (schema, text, good) => expect(query(schema, text).length === 0).toBe(good));

  test('one that stands twice where one is meant differs: an upstream may take either', () =>
    expect(query({ type: 'string' }, '?n=1&n=2')).toMatchObject([{ name: 'n', keyword: 'style', found: 'several values' }]));

  test('of a media type is read as such', () => {
    const contract = withParameter({ name: 'q', in: 'query', content: { 'application/json': { schema: { type: 'object', required: ['a'] } } } });
    expect(contract.query('?q=%7B%22a%22%3A1%7D', new Set())).toEqual([]);
    expect(contract.query('?q=%7B%22b%22%3A1%7D', new Set())).toMatchObject([{ keyword: 'required' }]);
    expect(contract.query('?q=%7B%22a%22%3A1%2C%22a%22%3A2%7D', new Set())).toMatchObject([{ found: 'a member that stands twice' }]);
  });

  test('that the contract does not name differ, credentials and allowed ones do not', () => {
    const parameter = { name: 'n', in: 'query', schema: { type: 'integer' } };
    expect(withParameter(parameter).query('?n=1&debug=1', new Set())).toMatchObject([{ name: 'debug', keyword: 'unknown' }]);
    expect(withParameter(parameter).query('?n=1&key=1', new Set(['key']))).toEqual([]);
    expect(withParameter(parameter, 'allow').query('?n=1&debug=1', new Set())).toEqual([]);
  });

  test('that lead nowhere, or stand in a place that there is not, meet nothing', () => {
    for (const parameter of [{ $ref: '#/components/parameters/Gone' }, { $ref: 'https://elsewhere.example/p.json' }, { name: 'n', in: 'body' }, 7])
      expect(withParameter(parameter as Record<string, unknown>).query('?n=1', new Set())).toMatchObject([{ keyword: 'unreadable' }]);
    expect(query({ $ref: '#/components/schemas/Gone' }, '?n=1')).not.toEqual([]);
    expect(query({ type: 'string', pattern: '(?=a)b' }, '?n=1')).toMatchObject([{ keyword: 'pattern', found: 'a schema that cannot be used' }]);
    expect(query({ type: 'string' }, '?n=1', { style: 'spiral' })[0]).toMatchObject({
      keyword: 'unreadable',
      rule: expect.stringMatching(/\/style$/) as string,
    });
  });
});

// Older readers part a query at semicolons too (HTML 4.01 appendix B.2.2, from memory); OpenAPI 3.1.2 section 4.8.12.2.2 on allowReserved.
describe('a semicolon that is not escaped', () => {
  const text = { name: 'color', in: 'query', schema: { type: 'string' } };
  const keywords = (parameter: Record<string, unknown>, query: string, unknownQuery: 'allow' | 'refuse' = 'refuse'): string[] =>
    withParameter(parameter, unknownQuery)
      .query(query, new Set())
      .map(({ keyword }) => keyword);

  test.each<[string, string[]]>([
    ['?color=blue;admin=1', ['unknown']],
    ['?color=blue;admin', ['unknown']],
    ['?color;admin=1', ['unknown']],
    ['?color=blue%3Badmin=1', []],
    ['?color=blue', []],
  ])('%s', (query, found) => expect(keywords(text, query)).toEqual(found));

  test('may stand where the contract says so, and where other parameters may', () => {
    expect(keywords({ ...text, allowReserved: true }, '?color=blue;admin=1')).toEqual([]);
    expect(keywords(text, '?color=blue;admin=1', 'allow')).toEqual([]);
  });
});

// Common practice: readers that know no case, make lists of brackets, variables of dots, and part at semicolons or commas (RFC 2965, from memory).
describe('a parameter that stands nearly so, where others may stand', () => {
  const crew = { name: 'crew_id', schema: { type: 'integer', maximum: 9 } };
  const inQuery = (query: string, more: Record<string, unknown> = {}): string[] =>
    withParameter({ ...crew, in: 'query', ...more }, 'allow')
      .query(query, new Set())
      .map(({ keyword }) => keyword);
  const inCookie = (header: string): string[] =>
    withParameter({ ...crew, in: 'cookie' })
      .cookie(header)
      .map(({ keyword }) => keyword);

  test.each<[string, string[]]>([
    ['?crew_id=5', []],
    ['?crew_id=5&crew=51&id=1&a[crew_id]=51', []],
    ['?crew_id=5&Crew_ID=51', ['unknown']],
    ['?crew.id=51', ['unknown']],
    ['?crew%20id=51&crew_id=5', ['unknown']],
    ['?crew_id=5&crew_id[]=51', ['unknown']],
    ['?crew_id=5&a=1;crew_id=51', ['unknown']],
    ['?a;crew_id', ['unknown']],
  ])('%s', (query, found) => expect(inQuery(query)).toEqual(found));

  test('spread over several, each has a name of its own', () => {
    const deep = { style: 'deepObject', schema: { type: 'object', properties: { a: { type: 'integer' } } } };
    expect(inQuery('?crew_id[a]=5', deep)).toEqual([]);
    expect(inQuery('?crew_id[a]=x', deep)).toEqual(['type']);
  });

  test.each<[string, string[]]>([
    ['crew_id=5', []],
    ['a="b, c"; crew_id=5; crew=51', []],
    ['crew_id=5; CREW_ID=51', ['unknown']],
    ['crew_id=5; a=b, crew_id=51', ['unknown']],
    ['crew_id[0]=51', ['unknown']],
  ])('Cookie: %s', (header, found) => expect(inCookie(header)).toEqual(found));
});

// RFC 3875 section 4.1.18 (from memory): programs behind CGI and what took after it get fields as variables, in which marks are one.
describe('a header field in another spelling', () => {
  const section = { name: 'X-Section', in: 'header', schema: { enum: ['N1'] } };
  const keywords = (fields: Record<string, string>): string[] =>
    withParameter(section)
      .header(
        (name) => fields[name],
        () => Object.keys(fields),
      )
      .map(({ keyword }) => keyword);

  test.each<[string, Record<string, string>, string[]]>([
    ['as it is', { 'x-section': 'N1' }, []],
    ['and with another mark beside it', { 'x-section': 'N1', x_section: 'N9' }, ['unknown']],
    ['with another mark alone', { 'x.section': 'N9' }, ['unknown']],
    ['of a field that the contract does not name', { 'x-section': 'N1', x_other: '1' }, []],
  ])('%s', (_name, fields, found) => expect(keywords(fields)).toEqual(found));
});

test('a text that the check takes is never told of as no value while a condition is written', () => {
  const schemas = [
    ...['integer', 'number', 'boolean', 'string', 'null', 'array', 'object'].map((type) => ({ type })),
    ...[{}, { const: 1 }, { const: 'a' }, { enum: [1, 'a', true, null] }, { type: 'string', enum: ['a', '1', 'null'] }, { type: 'number', enum: [1.5, 1000] }],
    ...[{ type: ['integer', 'null'] }, { type: ['boolean', 'string'], enum: ['a', true] }, { type: 'integer', nullable: true, enum: [1] }],
    ...[{ anyOf: [{ type: 'integer' }, { type: 'boolean' }] }, { allOf: [{ type: 'integer' }] }, { $ref: '#/components/schemas/N' }],
    ...[
      { type: 'array', items: { type: 'integer' } },
      { type: 'string', format: 'date' },
      { type: 'integer', format: 'int32' },
      { $ref: '#/components/schemas/L' },
    ],
  ];
  const texts = ['', '1', '-1', '1.5', '1e3', '01', '+1', ' 1', 'true', 'false', 'null', 'a', '"a"', 'a,b', '1,2', '.1', ';n=1', '[1]', '{}', '2026-05-01'];
  const places: readonly { readonly in: 'path' | 'query' | 'header'; readonly style?: string }[] = [
    ...['simple', 'matrix', 'label'].map((style) => ({ in: 'path' as const, style })),
    { in: 'query' },
    { in: 'header' },
  ];
  let told = 0;
  for (const schema of schemas)
    for (const place of places) {
      const document = {
        openapi: '3.1.0',
        paths: { '/p/{n}': { get: { parameters: [{ name: 'n', required: true, schema, ...place }], responses: {} } } },
        components: { schemas: { N: { type: 'integer' }, L: { enum: ['a', 'b'] } } },
      };
      const contract = operationContract(wholeContract(document, '3.1'), '/p/{n}', 'GET', { ...NO_CONTRACT, unknownQuery: 'refuse' });
      const contractParameters = describedParameters(referenceOperation(document, 'GET', '/p/{n}') ?? { parameters: [] });
      const looked = { path: 'parameters', query: 'query', header: 'headers' }[place.in];
      for (const text of texts) {
        const deviations = {
          path: () => contract?.path(() => text),
          query: () => contract?.query(`?n=${encodeURIComponent(text)}`, new Set()),
          header: () =>
            contract?.header(
              () => text,
              () => ['n'],
            ),
        }[place.in]();
        const source = `request.${looked}.n == ${JSON.stringify(text)}`;
        const { faults } = againstContract(source, { ...OPEN_SCOPE, parameters: ['n'], contractParameters });
        if (faults.length > 0) told++;
        if (faults.length > 0 && deviations?.length === 0)
          throw new Error(`${JSON.stringify(schema)} ${JSON.stringify(place)} takes ${text}: ${faults[0]?.says ?? ''}`);
      }
    }
  expect(told).toBeGreaterThan(500);
});
