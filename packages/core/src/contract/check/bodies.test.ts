import { NO_CONTRACT, type ContractRule } from '../../document/contract-rule.js';
import { ContractSource, namesOf, PartedContract, splitContract, wholeContract } from './contract-source.js';
import { operationContract, type OperationContract } from './operation-contract.js';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

function contractOf(
  operation: Record<string, unknown>,
  components: Record<string, unknown> = {},
  rule: Partial<ContractRule> = {},
  version: '3.0' | '3.1' = '3.1',
): OperationContract {
  const document = { openapi: `${version}.0`, paths: { '/x': { post: operation } }, components };
  const contract = operationContract(wholeContract(document, version), '/x', 'POST', { ...NO_CONTRACT, ...rule });
  if (!contract) throw new Error('the operation is described');
  return contract;
}

const taking = (content: Record<string, unknown>, components: Record<string, unknown> = {}, rule: Partial<ContractRule> = {}, version: '3.0' | '3.1' = '3.1') =>
  contractOf({ requestBody: { required: true, content }, responses: { 204: {} } }, components, rule, version);

const ofJson = (schema: unknown, text: string, rule: Partial<ContractRule> = {}, components: Record<string, unknown> = {}, version: '3.0' | '3.1' = '3.1') =>
  taking({ 'application/json': { schema } }, components, rule, version).body('application/json', bytes(text)).deviations;

describe('a body of JSON', () => {
  // RFC 8259 sections 4, 6, 8.1, 8.2 and 9: what parsers read differently.
  test.each([
    ['{"a":1,"a":2}', 'a member that stands twice'],
    ['{"a":1,"\\u0061":2}', 'a member that stands twice'],
    ['[{"a":{"b":1}},{"a":{"b":1,"c":[{"x":1},{"x":1}],"b":3}}]', 'a member that stands twice'],
    ['{"__proto__":{"admin":true}}', 'a member “__proto__”'],
    ['{"\\u005f_proto__":1}', 'a member “__proto__”'],
    ['[1e400]', 'a number beyond what readers hold'],
    ['[-1E+9999]', 'a number beyond what readers hold'],
    ['[1e-400]', 'a number too small for readers to hold'],
    ['[18446744073709551616]', 'a whole number of more than 64 bits'],
    ['["\\ud800"]', 'half of a surrogate pair'],
    ['["\\udc00\\ud800"]', 'half of a surrogate pair'],
    ['{"a\\ud83d":1}', 'half of a surrogate pair'],
    ['\ufeff{}', 'a byte order mark in front'],
    [`${'['.repeat(65)}${']'.repeat(65)}`, 'nesting deeper than 64 levels'],
    ['{"a":1,}', 'no JSON'],
    ['{"a":NaN}', 'no JSON'],
    ["{'a':1}", 'no JSON'],
    ['{"a":1} {}', 'no JSON'],
    [' \n', 'nothing'],
  ])('%s is refused: %s', (text, found) => expect(ofJson({}, text)).toMatchObject([{ keyword: 'content', found }]));

  test.each([
    '{"a":1,"b":{"a":1},"c":[{"a":1},{"a":1}],"d":"a","A":1}',
    '["\\ud83d\\ude00","\\\\ud800","a\\"b"]',
    '[0,-0,1.5e10,1e308,5e-324,0e999,9007199254740993,18446744073709551615,-9223372036854775808]',
    `${'['.repeat(64)}${']'.repeat(64)}`,
    '"__proto__"',
    '{"proto":"__proto__","x":["__proto__"]}',
    ' [ ] ',
    JSON.stringify(Object.fromEntries(Array.from({ length: 6000 }, (_, index) => [`member-${index}`, { value: index }]))),
  ])('%.60s passes', (text) => expect(ofJson({}, text)).toEqual([]));

  test.each(['utf-16', 'utf-8"; charset="utf-7', 'iso-8859-1'])('in the character set %s is refused, in UTF-8 it is not', (charset) => {
    const contract = taking({ 'application/json': { schema: {} } });
    expect(contract.body(`application/json; charset="${charset}"`, bytes('{}')).deviations).not.toEqual([]);
    expect(contract.body('application/json; charset=UTF-8', bytes('{}')).deviations).toEqual([]);
  });

  test('a text that takes too long to match does not match', () =>
    expect(ofJson({ type: 'string', pattern: '(a|b)+c?$' }, JSON.stringify('a'.repeat(70_000)))).toMatchObject([{ keyword: 'pattern' }]));

  test('bytes that are no UTF-8 are refused', () =>
    expect(taking({ 'application/json': { schema: {} } }).body('application/json', new Uint8Array([34, 0xc3, 0x28, 34])).deviations).toMatchObject([
      { found: 'bytes that are no UTF-8' },
    ]));

  test('differs with the place in it and in the contract, and with no value', () => {
    const components = {
      schemas: {
        Position: { type: 'object', required: ['opening', 'reason'], properties: { opening: { type: 'integer', maximum: 100 }, reason: { type: 'string' } } },
      },
    };
    const found = ofJson({ $ref: '#/components/schemas/Position' }, '{"opening":250,"secret":"hunter2"}', {}, components);
    expect(found).toEqual([
      {
        name: '',
        at: '/opening',
        rule: '/components/schemas/Position/properties/opening/maximum',
        keyword: 'maximum',
        wanted: 'at most 100',
        found: 'a whole number',
        member: null,
      },
      {
        name: '',
        at: '',
        rule: '/components/schemas/Position/required',
        keyword: 'required',
        wanted: 'a member “reason”',
        found: 'an object without it',
        member: 'reason',
      },
    ]);
    expect(JSON.stringify(found)).not.toMatch(/250|hunter2/);
  });

  test('members that no schema names: as said, or none', () => {
    const schema = { allOf: [{ properties: { a: { type: 'integer' } } }, { properties: { b: { type: 'object', properties: { c: {} } } } }] };
    expect(ofJson(schema, '{"a":1,"b":{"c":1,"d":2},"e":3}')).toEqual([]);
    expect(ofJson(schema, '{"a":1,"b":{"c":1,"d":2},"e":3}', { unknownMembers: 'refuse' })).toMatchObject([
      { at: '/b', keyword: 'unknown', wanted: 'no member “d”' },
      { at: '', keyword: 'unknown', wanted: 'no member “e”' },
    ]);
    expect(ofJson(schema, '{"a":1,"b":{"c":1}}', { unknownMembers: 'refuse' })).toEqual([]);
    // What a schema leaves open in so many words stays open.
    expect(ofJson({ type: 'object', properties: { a: {} }, additionalProperties: { type: 'string' } }, '{"z":"y"}', { unknownMembers: 'refuse' })).toEqual([]);
    expect(ofJson({ type: 'object' }, '{"z":"y"}', { unknownMembers: 'refuse' })).toEqual([]);
  });

  test('readOnly members are not sent and not asked for in a request, writeOnly ones never leave', () => {
    const schema = {
      type: 'object',
      required: ['id', 'secret'],
      properties: { id: { type: 'string', readOnly: true }, secret: { $ref: '#/components/schemas/Secret' } },
    };
    const components = { schemas: { Secret: { type: 'string', writeOnly: true } } };
    expect(ofJson(schema, '{"secret":"s"}', {}, components)).toEqual([]);
    expect(ofJson(schema, '{"secret":"s","id":"1"}', {}, components)).toMatchObject([{ keyword: 'readOnly' }]);
    expect(ofJson(schema, '{"secret":"s","id":"1"}', { readOnlySent: 'allow' }, components)).toEqual([]);
    const answering = contractOf({ responses: { 200: { description: '', content: { 'application/json': { schema } } } } }, components);
    expect(answering.answer(200, 'application/json', bytes('{"id":"1"}')).deviations).toEqual([]);
    expect(answering.answer(200, 'application/json', bytes('{"id":"1","secret":"s"}')).deviations).toMatchObject([{ keyword: 'writeOnly' }]);
  });

  test('of a tagged union is told by its tag, of another by the schema that comes closest', () => {
    const card = { type: 'object', required: ['kind', 'number'], properties: { kind: { const: 'card' }, number: { type: 'string', minLength: 4 } } };
    const bank = { type: 'object', required: ['kind', 'iban'], properties: { kind: { const: 'bank' }, iban: { type: 'string' } } };
    const components = { schemas: { Card: card, Bank: bank } };
    const refs = [{ $ref: '#/components/schemas/Card' }, { $ref: '#/components/schemas/Bank' }];
    const tag = { propertyName: 'kind', mapping: { card: '#/components/schemas/Card', bank: 'Bank' } };
    expect(ofJson({ oneOf: refs, discriminator: tag }, '{"kind":"bank","iban":"x"}', {}, components)).toEqual([]);
    expect(ofJson({ oneOf: refs, discriminator: tag }, '{"kind":"bank"}', {}, components)).toMatchObject([{ rule: '/components/schemas/Bank/required' }]);
    expect(ofJson({ oneOf: refs, discriminator: tag }, '{"kind":"cash"}', {}, components)).toMatchObject([{ keyword: 'discriminator' }]);
    expect(ofJson({ oneOf: refs }, '{"kind":"card","number":"1"}', {}, components)).toMatchObject([
      { keyword: 'oneOf', wanted: 'one of the schemas; number 1 of 2 comes closest' },
      { at: '/number', keyword: 'minLength' },
    ]);
  });

  // OpenAPI 3.0.4 section 4.7.24.2: `nullable` adds null to the type beside it, and an enumeration still has to name it.
  test.each([
    [{ type: 'string', nullable: true }, 'null', true],
    [{ type: 'string', nullable: true, enum: ['a'] }, 'null', false],
    [{ type: 'string', nullable: true, enum: ['a', null] }, 'null', true],
    [{ type: 'string' }, 'null', false],
    [{ type: 'integer', minimum: 1, exclusiveMinimum: true }, '1', false],
    [{ type: 'integer', minimum: 1, exclusiveMinimum: true }, '2', true],
    [{ nullable: true, allOf: [{ type: 'string' }] }, 'null', false],
  ])('by OpenAPI 3.0, %j and %s: %s', (schema, text, good) => expect(ofJson(schema, text, {}, {}, '3.0').length === 0).toBe(good));

  test('a schema that leads back to itself is followed as deep as the value goes; one without end refuses', () => {
    const components = {
      schemas: {
        Node: { type: 'object', properties: { next: { $ref: '#/components/schemas/Node' } }, additionalProperties: false },
        Loop: { allOf: [{ $ref: '#/components/schemas/Loop' }] },
      },
    };
    const node = { $ref: '#/components/schemas/Node' };
    expect(ofJson(node, '{"next":{"next":{}}}', {}, components)).toEqual([]);
    expect(ofJson(node, '{"next":{"next":{"x":1}}}', {}, components)).toMatchObject([{ at: '/next/next', keyword: 'additionalProperties' }]);
    expect(ofJson({ $ref: '#/components/schemas/Loop' }, '{}', {}, components)).toMatchObject([{ keyword: 'cost' }]);
    expect(ofJson({ $ref: 'other.yaml#/Node' }, '{}', {}, components)).toMatchObject([{ keyword: '$ref', found: 'a schema that cannot be used' }]);
  });

  test('a contract in parts decides as a whole one does', () => {
    const document = {
      openapi: '3.1.0',
      paths: {
        '/x': {
          parameters: [{ $ref: '#/components/parameters/N' }],
          post: {
            requestBody: { content: { 'application/json': { schema: { $ref: 'urn:s:node#inner' } } } },
            responses: { 200: { $ref: '#/components/responses/Ok' } },
          },
        },
      },
      components: {
        parameters: { N: { name: 'n', in: 'query', required: true, schema: { $ref: '#/components/schemas/A~1b' } } },
        schemas: {
          'A/b': { type: 'integer', description: 'left out' },
          Named: { $id: 'urn:s:node', $defs: { inner: { $anchor: 'inner', type: 'string', properties: { description: { type: 'string' } } } } },
        },
        responses: { Ok: { description: '', content: { 'application/json': { schema: { type: 'boolean' } } } } },
      },
    };
    const parted = new ContractSource('3.1', new PartedContract(splitContract(document)), namesOf(document, '3.1'));
    for (const source of [parted, wholeContract(document, '3.1')]) {
      const contract = operationContract(source, '/x', 'POST', NO_CONTRACT);
      expect(contract?.query('?n=1', new Set())).toEqual([]);
      expect(contract?.query('?n=b', new Set())).toMatchObject([{ rule: '/components/schemas/A~1b/type' }]);
      expect(contract?.body('application/json', bytes('"a"')).deviations).toEqual([]);
      expect(contract?.body('application/json', bytes('1')).deviations).toMatchObject([{ rule: '/components/schemas/Named/$defs/inner/type' }]);
      expect(contract?.answer(200, 'application/json', bytes('1')).deviations).toMatchObject([
        { rule: '/components/responses/Ok/content/application~1json/schema/type' },
      ]);
    }
  });
});

describe('other bodies', () => {
  test('a form, each member in its style (OpenAPI 3.1.2 section 4.8.15)', () => {
    const schema = {
      type: 'object',
      required: ['id'],
      properties: {
        id: { type: 'integer' },
        tags: { type: 'array', items: { type: 'string' } },
        at: { type: 'object', properties: { x: { type: 'integer' } } },
      },
      additionalProperties: false,
    };
    const form = taking({ 'application/x-www-form-urlencoded': { schema, encoding: { tags: { style: 'pipeDelimited', explode: false } } } });
    const of = (text: string) => form.body('application/x-www-form-urlencoded', bytes(text)).deviations;
    expect(of('id=7&tags=a%7Cb&at=%7B%22x%22%3A1%7D')).toEqual([]);
    expect(of('id=seven')).toMatchObject([{ at: '/id', keyword: 'type' }]);
    expect(of('tags=a')).toMatchObject([{ keyword: 'required' }]);
    expect(of('id=7&id=8')).toMatchObject([{ found: 'several values' }]);
    expect(of('id=7&role=admin')).toMatchObject([{ keyword: 'additionalProperties' }]);
  });

  test('parts, with the content types that the contract names for them (RFC 7578)', () => {
    const schema = {
      type: 'object',
      required: ['meta'],
      properties: {
        meta: { type: 'object', properties: { n: { type: 'integer' } }, required: ['n'] },
        scans: { type: 'array', items: { type: 'string', format: 'binary' }, maxItems: 2 },
      },
      additionalProperties: false,
    };
    const form = taking({ 'multipart/form-data': { schema, encoding: { scans: { contentType: 'image/png, image/jpeg' } } } });
    const part = (name: string, content: string, type?: string) =>
      `--B\r\nContent-Disposition: form-data; name="${name}"\r\n${type ? `Content-Type: ${type}\r\n` : ''}\r\n${content}\r\n`;
    const of = (...parts: string[]) => form.body('multipart/form-data; boundary=B', bytes(`${parts.join('')}--B--\r\n`)).deviations;
    const meta = part('meta', '{"n":1}', 'application/json');
    expect(of(meta, part('scans', 'one', 'image/png'), part('scans', 'two', 'image/jpeg'))).toEqual([]);
    expect(of(part('meta', '{"n":"1"}'))).toMatchObject([{ at: '/meta/n', keyword: 'type' }]);
    expect(of(meta, part('scans', 'one', 'text/html'))).toMatchObject([{ found: 'in the part “scans”: another content type than the contract names' }]);
    expect(of(meta, meta)).toMatchObject([{ found: 'the part “meta” more than once' }]);
    expect(of(meta, part('role', 'admin'))).toMatchObject([{ keyword: 'additionalProperties' }]);
    expect(form.body('multipart/form-data; boundary=A; boundary=B', bytes(`${meta}--B--\r\n`)).deviations).toMatchObject([
      { found: 'no boundary in its content type' },
    ]);
    expect(of(part('meta', '{"n":1}\n--B\nContent-Disposition: form-data; name="role"\n\nadmin'))).toMatchObject([
      { found: 'a boundary behind a bare line feed' },
    ]);
    expect(of('--B\r\nContent-Disposition: form-data; name="x"; name*=UTF-8\'\'meta\r\n\r\n{}\r\n')).toMatchObject([{ found: 'a name in an extended form' }]);
    expect(form.body('multipart/form-data', bytes('x')).deviations).toMatchObject([{ found: 'no boundary in its content type' }]);
    expect(form.body('multipart/form-data; boundary=B', bytes('--B\r\n\r\nx\r\n--B')).deviations).not.toEqual([]);
    expect(of('--B\r\nContent-Disposition: form-data; name="meta"; name="other"\r\n\r\n{"n":1}\r\n')).toMatchObject([{ found: 'a part without a name' }]);
  });

  // The examples of OpenAPI 3.1.2 section 4.8.26.
  test('XML by its hints', () => {
    const components = {
      schemas: {
        Person: {
          type: 'object',
          properties: {
            id: { type: 'integer', xml: { attribute: true } },
            name: { type: 'string', xml: { namespace: 'https://example.com/schema/sample', prefix: 'sample' } },
          },
          required: ['id'],
          additionalProperties: false,
        },
        animals: {
          type: 'object',
          properties: { animals: { type: 'array', items: { type: 'string', xml: { name: 'animal' }, maxLength: 5 }, xml: { name: 'aliens', wrapped: true } } },
          xml: { name: 'zoo' },
        },
      },
    };
    const of = (name: string, text: string) =>
      taking({ 'application/xml': { schema: { $ref: `#/components/schemas/${name}` } } }, components).body('application/xml', bytes(text)).deviations;
    expect(of('Person', '<Person id="123"><sample:name xmlns:sample="https://example.com/schema/sample">example</sample:name></Person>')).toEqual([]);
    expect(of('Person', '<Person id="x"/>')).toMatchObject([{ at: '/id', keyword: 'type' }]);
    expect(of('Person', '<Person id="1"><role>admin</role></Person>')).toMatchObject([{ keyword: 'additionalProperties' }]);
    expect(of('Person', '<User id="1"/>')).toMatchObject([{ found: 'another element than “Person” at its root' }]);
    expect(of('animals', '<zoo><aliens><animal>a</animal><animal>b</animal></aliens></zoo>')).toEqual([]);
    expect(of('animals', '<zoo><aliens><animal>too long</animal></aliens></zoo>')).toMatchObject([{ at: '/animals/0', keyword: 'maxLength' }]);
    expect(of('Person', '<!DOCTYPE x [<!ENTITY e "y">]><Person id="1"/>')).toMatchObject([{ found: 'a document type' }]);
    expect(of('Person', '<Person id="1"><name></Person>')).toMatchObject([{ found: 'no XML' }]);
  });

  test('text by its characters, bytes by their number, streams not at all', () => {
    const contract = taking({
      'text/plain': { schema: { type: 'string', maxLength: 3 } },
      'application/octet-stream': { schema: { type: 'string', format: 'binary', maxLength: 4 } },
      'application/x-ndjson': { schema: { type: 'object' } },
    });
    expect(contract.body('text/plain', bytes('äöü')).deviations).toEqual([]);
    expect(contract.body('text/plain', bytes('four')).deviations).toMatchObject([{ keyword: 'maxLength' }]);
    expect(contract.body('application/octet-stream', new Uint8Array(5)).deviations).toMatchObject([{ keyword: 'maxLength' }]);
    expect(contract.body('application/x-ndjson', bytes('{}')).unchecked).toBe('it is a stream');
  });

  test('a type that the contract does not name, a body where it names none, and none where it asks for one differ', () => {
    const contract = taking({ 'application/json': { schema: { type: 'object' } }, 'image/*': {}, 'application/vnd.a+json': { schema: { type: 'array' } } });
    expect(contract.type('application/json; charset=utf-8', true)).toEqual([]);
    expect(contract.type('image/png', true)).toEqual([]);
    for (const type of ['text/plain', 'application/json, text/plain', undefined, '']) {
      expect(contract.type(type, true)).toMatchObject([{ keyword: 'content' }]);
      // Who renames a body does not get it past the check of bodies either.
      expect(contract.body(type, bytes('[]')).deviations).toMatchObject([{ keyword: 'content' }]);
    }
    expect(contract.body('application/vnd.a+json', bytes('[]')).deviations).toEqual([]);
    expect(contract.body('application/json', null).deviations).toMatchObject([{ keyword: 'required' }]);
    const none = contractOf({ responses: { 200: {} } });
    expect(none.type('application/json', true)).toMatchObject([{ wanted: 'no body' }]);
    expect(none.body('application/json', bytes('{}')).deviations).toMatchObject([{ wanted: 'no body' }]);
    const lost = contractOf({ requestBody: { $ref: '#/components/requestBodies/Gone' }, responses: {} });
    expect(lost.body('application/json', bytes('{}')).deviations).toMatchObject([{ keyword: 'unreadable' }]);
  });
});

describe('answers', () => {
  const contract = contractOf({
    responses: {
      200: {
        description: '',
        headers: { 'X-Count': { required: true, schema: { type: 'integer' } } },
        content: { 'application/json': { schema: { type: 'array', items: { type: 'string' } } } },
      },
      '4XX': { description: '', content: { 'application/problem+json': {} } },
      201: { $ref: '#/components/responses/Gone' },
    },
  });

  test('by status, family and default', () => {
    expect(contract.status(200)).toEqual([]);
    expect(contract.status(404)).toEqual([]);
    expect(contract.status(500)).toMatchObject([{ found: '500', wanted: '200, 201, 4XX' }]);
    expect(contract.status(201)).not.toEqual([]);
  });

  test('by header fields and content type', () => {
    const of = (fields: Record<string, string>) => contract.fields(200, (name) => fields[name], true);
    expect(of({ 'x-count': '7', 'content-type': 'application/json' })).toEqual([]);
    expect(of({ 'content-type': 'application/json' })).toMatchObject([{ name: 'X-Count', keyword: 'required' }]);
    expect(of({ 'x-count': 'many', 'content-type': 'text/html' })).toMatchObject([{ name: 'X-Count' }, { name: 'Content-Type', found: 'text/html' }]);
  });

  test('by body; what succeeds and is not described does not leave, what fails so passes unchecked', () => {
    expect(contract.answer(200, 'application/json', bytes('["a"]')).deviations).toEqual([]);
    expect(contract.answer(200, 'application/json', bytes('[1]')).deviations).toMatchObject([{ at: '/0' }]);
    expect(contract.answer(200, 'text/html', bytes('<p>')).deviations).toMatchObject([{ keyword: 'content' }]);
    expect(contract.answer(206, 'application/json', bytes('["a"]')).deviations).toMatchObject([{ keyword: 'status' }]);
    expect(contract.answer(503, 'text/html', bytes('<p>')).unchecked).toBe('its status is not in the contract');
  });
});
