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
    // Older readers part at semicolons too; no serializer writes one as it is (WHATWG URL section 5.2), unless the contract says so.
    expect(of('id=7&tags=a;role=admin')).toMatchObject([{ keyword: 'content', found: expect.stringContaining('semicolon') as string }]);
    expect(of('id=7&tags=a%3Brole')).toEqual([]);
    const open = taking({ 'application/x-www-form-urlencoded': { schema, encoding: { tags: { allowReserved: true } } } });
    expect(open.body('application/x-www-form-urlencoded', bytes('id=7&tags=a;b')).deviations).toEqual([]);
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
    expect(of('--B\r\nContent-Disposition: form-data; name="meta"; name="other"\r\n\r\n{"n":1}\r\n')).toMatchObject([
      { found: 'a part without a name that all read alike' },
    ]);
  });

  // RFC 7578 section 4.2, RFC 2046 section 5.1.1, RFC 5322 section 2.2.3 (folding); what readers make of the rest is common practice.
  test.each<[string, string]>([
    ['a name behind a blank', 'Content-Disposition: form-data; name="meta"; name ="role"'],
    ['a name that goes on in the next line', 'Content-Disposition: form-data; name="meta"\r\n ;x:y; name="role"'],
    ['a name with a backslash', 'Content-Disposition: form-data; name="me\\ta"'],
    ['a name that does not end', 'Content-Disposition: form-data; name="meta'],
    ['a header behind a bare line feed', 'Content-Disposition: form-data; name="meta"\nContent-Type: text/html'],
    ['a header behind a bare carriage return', 'Content-Disposition: form-data; name="meta"\rContent-Type: text/html'],
    ['a header with a blank before its colon', 'Content-Disposition: form-data; name="meta"\r\nContent-Disposition : form-data; name="role"'],
    ['another disposition', 'Content-Disposition: attachment; name="meta"'],
    ['no disposition', 'Content-Type: application/json'],
  ])('a part with %s is not read', (_name, head) => {
    const form = taking({ 'multipart/form-data': { schema: { type: 'object' } } });
    const of = (text: string) => form.body('multipart/form-data; boundary=B', bytes(text)).deviations.map(({ keyword }) => keyword);
    expect(of(`--B\r\n${head}\r\n\r\n{"n":1}\r\n--B--\r\n`)).toEqual(['content']);
    expect(of('--B\r\nContent-Disposition: FORM-DATA ; Name="meta";filename=a.json; x="\\""\r\n\r\n{"n":1}\r\n--B--\r\n')).toEqual([]);
  });

  test.each<[string, string, string]>([
    ['a last boundary that is none', 'multipart/form-data; boundary=B', '--B--x'],
    ['a part behind the last boundary', 'multipart/form-data; boundary=B', '--B--\r\n--B\r\nContent-Disposition: form-data; name="role"\r\n\r\nx\r\n--B--\r\n'],
    ['two boundaries, one with a blank', 'multipart/form-data; boundary=B; boundary =C', '--B--\r\n'],
    ['two boundaries, one in an extended form', "multipart/form-data; boundary=B; boundary*=UTF-8''C", '--B--\r\n'],
  ])('%s is not read', (_name, type, end) => {
    const form = taking({ 'multipart/form-data': { schema: { type: 'object' } } });
    const part = '--B\r\nContent-Disposition: form-data; name="meta"\r\n\r\n1\r\n';
    expect(form.body(type, bytes(part + end)).deviations.map(({ keyword }) => keyword)).toEqual(['content']);
    expect(form.body('multipart/form-data; boundary="B"', bytes(`${part}--B-- \r\nepilogue`)).deviations).toEqual([]);
  });

  // What one reader takes for text of one character set, another takes for other text (RFC 7303 section 3, XML 1.0 section 4.3.3).
  test.each<[string, string, string, boolean]>([
    ['a form that says no set', 'application/x-www-form-urlencoded', 'a=b', true],
    ['a form in UTF-8', 'application/x-www-form-urlencoded; charset=UTF-8', 'a=b', true],
    ['a form in another set', 'application/x-www-form-urlencoded; charset=ibm037', 'a=b', false],
    ['a form in two sets', 'application/x-www-form-urlencoded; charset=utf-8; charset=utf-7', 'a=b', false],
    ['a form in a set of an extended form', "application/x-www-form-urlencoded; charset*=utf-7''", 'a=b', false],
    ['a form in a set that every object has', 'application/x-www-form-urlencoded; charset=constructor', 'a=b', false],
    ['JSON in a set of an extended form', 'application/json; charset*0=utf-7', '{}', false],
    ['XML that says no set', 'application/xml', '<a/>', true],
    ['XML that says UTF-8 itself', 'application/xml', '<?xml version="1.0" encoding="UTF-8"?><a/>', true],
    ['XML that says another set itself', 'application/xml', "<?xml version='1.0' encoding = 'UTF-7'?><a/>", false],
    ['XML that says another set behind a byte order mark', 'application/xml', '\ufeff<?xml version="1.0" encoding="ibm037"?><a/>', false],
    ['XML that says another set than its type', 'application/xml; charset=utf-8', '<?xml version="1.0" encoding="iso-8859-1"?><a/>', false],
    ['XML that says the same set as its type', 'application/xml; charset=utf-8', '<?xml version="1.0" encoding="us-ascii"?><a/>', true],
    ['XML in Latin-1', 'application/xml', '<?xml version="1.0" encoding="ISO-8859-1"?><a/>', true],
  ])('%s', (_name, type, text, good) => {
    const schema = { type: 'object' };
    const contract = taking({ 'application/x-www-form-urlencoded': { schema }, 'application/xml': { schema }, 'application/json': { schema } });
    expect(contract.body(type, bytes(text)).deviations.map(({ keyword }) => keyword)).toEqual(good ? [] : ['content']);
  });

  test.each<[string, string | null, string, boolean]>([
    ['a text in UTF-8', 'text/plain; charset=utf-8', 'abc', true],
    ['a text that says nothing', null, 'abc', true],
    ['a text in another set', 'text/plain; charset=utf-16', 'abc', false],
    ['JSON in another set', 'application/json; charset=utf-7', '"abc"', false],
    ['JSON in UTF-8', 'application/json; charset=utf-8', '"abc"', true],
    ['bytes', 'application/octet-stream; charset=utf-16', 'abc', true],
  ])('a part with %s', (_name, type, content, good) => {
    const contract = taking({ 'multipart/form-data': { schema: { type: 'object', properties: { a: { type: 'string', maxLength: 3 } } } } });
    const head = `Content-Disposition: form-data; name="a"\r\n${type === null ? '' : `Content-Type: ${type}\r\n`}`;
    const found = contract.body('multipart/form-data; boundary=B', bytes(`--B\r\n${head}\r\n${content}\r\n--B--\r\n`)).deviations;
    expect(found.map(({ keyword }) => keyword)).toEqual(good ? [] : ['content']);
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

  describe('XML that readers take differently, or that holds more than its schema sees', () => {
    const NS = 'https://example.com/schema/gate';
    const components = {
      schemas: {
        gate: {
          type: 'object',
          properties: {
            id: { type: 'string', xml: { attribute: true } },
            opening: { type: 'integer', maximum: 50 },
            note: { type: 'string', maxLength: 8 },
            crew: { type: 'array', items: { type: 'string', xml: { name: 'member' } }, xml: { wrapped: true } },
            since: { type: 'string', xml: { namespace: NS } },
            days: { type: 'array', items: { type: 'integer', maximum: 7 } },
          },
          additionalProperties: false,
        },
        open: { type: 'object', additionalProperties: { type: 'integer', maximum: 50 } },
        list: { type: 'array', items: { type: 'string', xml: { name: 'member' } } },
        text: { type: 'string', maxLength: 8 },
        any: {},
      },
    };
    const found = (name: string, text: string): readonly string[] =>
      taking({ 'application/xml': { schema: { $ref: `#/components/schemas/${name}` } } }, components)
        .body('application/xml', bytes(text))
        .deviations.map(({ keyword, found: is }) => (keyword === 'unreadable' || keyword === 'content' ? is : keyword));

    test.each<[string, string, string]>([
      ['nothing', 'gate', '<gate/>'],
      [
        'blanks between elements, comments, a declaration',
        'gate',
        '<?xml version="1.0"?>\r\n<!-- a --><gate>\r\n  <!-- b -->\n  <opening>5</opening>\n</gate>\n<!-- c -->\n',
      ],
      ['an attribute, references, CDATA', 'gate', '<gate id="a&amp;b"><note>&#65;&lt;&#x42;</note><crew><member><![CDATA[<a>&amp;]]></member></crew></gate>'],
      [
        'its namespace by any prefix',
        'gate',
        `<gate xmlns:g="${NS}"><g:since>May</g:since><since xmlns="${NS}">May</since></gate>`.replace(/<since.*<\/since>/, ''),
      ],
      ['a namespace for all of it', 'gate', '<gate xmlns="https://example.com/all"><opening>5</opening></gate>'],
      ['a list', 'list', '<list> <member>a</member> <member>b</member> </list>'],
      ['days', 'gate', '<gate><days>1</days><days>7</days></gate>'],
      ['members with names of one’s own', 'open', '<open><a>1</a><b>50</b></open>'],
      ['anything, with anything in it', 'any', '<any a="1">text<b><c/></b></any>'],
      ['a property that is called as what every object has', 'open', '<open><valueOf>1</valueOf></open>'],
    ])('takes %s', (_words, name, text) => expect(found(name, text)).toEqual([]));

    // XML 1.0 (fifth edition) and Namespaces in XML 1.0, from memory, by their sections; what is no fault of XML is common practice.
    test.each<[string, string, string, RegExp]>([
      ['text that a comment parts', 'gate', '<gate><opening>5<!-- -->1</opening></gate>', /text in pieces/],
      ['text behind a comment', 'gate', '<gate><opening><!-- -->5</opening></gate>', /text in pieces/],
      ['text that CDATA parts', 'gate', '<gate><opening>5<![CDATA[1]]></opening></gate>', /text in pieces/],
      ['text that a processing instruction parts', 'gate', '<gate><opening>5<?a b?>1</opening></gate>', /a processing instruction/],
      ['text on both sides of an element', 'gate', '<gate>5<opening>5</opening>1</gate>', /text in pieces/],
      ['a reference in CDATA, which is none', 'gate', '<gate><opening><![CDATA[&#53;]]></opening></gate>', /type/],
      ['blanks about a number', 'gate', '<gate><opening> 5 </opening></gate>', /type/],
      ['blanks that count', 'gate', '<gate><note> eight   </note></gate>', /maxLength/],
      ['an element twice', 'gate', '<gate><opening>5</opening><opening>5</opening></gate>', /type/],
      ['an element twice, by two prefixes', 'gate', '<gate xmlns:a="urn:a"><opening>5</opening><a:opening>51</a:opening></gate>', /additionalProperties/],
      ['an attribute and an element of one name', 'gate', '<gate id="a"><id>b</id></gate>', /additionalProperties/],
      ['an attribute for an element', 'gate', '<gate opening="51"><opening>5</opening></gate>', /additionalProperties/],
      ['an element for an attribute, and so no attribute', 'gate', '<gate opening="5" x:opening="6" xmlns:x="urn:x"/>', /additionalProperties/],
      ['a wrapper twice', 'gate', '<gate><crew><member>a</member></crew><crew/></gate>', /type/],
      ['something else in a wrapper', 'gate', '<gate><crew><member>a</member><leader>b</leader></crew></gate>', /type/],
      ['text in a wrapper', 'gate', '<gate><crew>a</crew></gate>', /type/],
      ['an attribute at a wrapper', 'gate', '<gate><crew force="1"/></gate>', /type/],
      ['text in a list', 'list', '<list>a</list>', /type/],
      ['something else in a list', 'list', '<list><member>a</member><other/></list>', /type/],
      ['text beside elements', 'gate', '<gate>force<opening>5</opening></gate>', /additionalProperties/],
      ['text in place of elements', 'gate', '<gate>force</gate>', /additionalProperties/],
      ['elements in place of text', 'text', '<text><b>x</b></text>', /type/],
      ['an attribute beside text', 'text', '<text a="1">x</text>', /type/],
      ['an item in another namespace', 'gate', '<gate xmlns:a="urn:a"><a:days>1</a:days></gate>', /additionalProperties/],
      ['another namespace than is named', 'gate', '<gate><since>May</since></gate>', /additionalProperties/],
      ['the second of two that no property names', 'open', '<open><a>1</a><a>51</a></open>', /type/],
      ['an attribute in place of an element', 'gate', '<gate note="a"/>', /additionalProperties/],
      ['text between the root and a comment', 'gate', '<gate/>text<!-- -->', /something beside its root/],
      ['what closes more than it opened', 'any', '</all><all>', /no XML/],
      ['two roots', 'gate', '<gate/><gate/>', /something beside its root/],
      ['text behind the root', 'gate', '<gate/>text', /something beside its root/],
      ['an entity that nobody declared', 'text', '<text>&force;</text>', /a reference to nothing/],
      ['an entity by a name that every object has', 'text', '<text>&constructor;</text>', /a reference to nothing/],
      ['a reference to what XML has not', 'text', '<text>&#1;</text>', /a reference to nothing/],
      ['a reference to half a character', 'text', '<text>&#xD800;</text>', /a reference to nothing/],
      ['an ampersand', 'any', '<any a="b & c"/>', /no XML|a reference to nothing/],
      ['a sign in an attribute', 'any', '<any a="<"/>', /no XML/],
      ['a control character', 'text', '<text>\u0001</text>', /a character that XML has not/],
      ['a prefix that nobody declared', 'any', '<a:any/>', /a prefix that is not declared/],
      ['an attribute with such a prefix', 'any', '<any b:c="1"/>', /a prefix that is not declared/],
      ['a prefix declared as none', 'any', '<any xmlns:a=""/>', /a prefix that cannot be declared so/],
      ['another meaning for xml', 'any', '<any xmlns:xml="urn:x"/>', /a prefix that cannot be declared so/],
      ['two prefixes', 'any', '<any xmlns:a="urn:a"><a:b:c/></any>', /more than one prefix/],
      ['another version', 'any', '<?xml version="1.1"?><any/>', /another version/],
      ['an attribute twice', 'any', '<any a="1" a="2"/>', /no XML/],
      ['a name that objects have', 'any', '<any><__proto__/></any>', /a name “__proto__”/],
      ['an attribute of a name that objects have', 'any', '<any __proto__="1"/>', /a name “__proto__”/],
      ['an attribute twice by two prefixes', 'any', '<any xmlns:a="urn:x" xmlns:b="urn:x" a:c="1" b:c="2"/>', /no XML/],
      ['elements too deep', 'any', `<any>${'<a>'.repeat(300)}${'</a>'.repeat(300)}</any>`, /nest/],
    ])('refuses %s', (_words, name, text, says) => expect(found(name, text).join()).toMatch(says));

    test('thousands of one name, at once and in each other', () => {
      expect(found('open', `<open>${'<a>1</a>'.repeat(10_000)}</open>`)).toEqual(['type']);
      expect(found('any', `<any>${'<a>1</a>'.repeat(10_000)}</any>`)).toEqual([]);
      expect(found('gate', `<gate>${'<days>1</days>'.repeat(9000)}</gate>`)).toEqual([]);
    });
  });

  // Readers that map members to those of a program know no case, and of two take the last (common practice).
  test('members that differ in case alone from those of a schema that lets others by', () => {
    const components = { schemas: { gate: { type: 'object', properties: { opening: { maximum: 50 }, next: { $ref: '#/components/schemas/gate' } } } } };
    const schema = {
      anyOf: [
        { $ref: '#/components/schemas/gate' },
        { type: 'object', properties: { m: {}, M: {}, many: { type: 'array', items: { $ref: '#/components/schemas/gate' } } } },
      ],
      additionalProperties: { type: ['object', 'integer', 'array'], properties: { key: {} } },
    };
    const contract = taking(
      { 'application/json': { schema }, 'application/x-www-form-urlencoded': { schema }, 'application/xml': { schema }, 'multipart/form-data': { schema } },
      components,
    );
    const found = (type: string, text: string) => contract.body(type, bytes(text)).deviations.map(({ found: is }) => is);
    for (const body of [
      '{"opening":5,"Opening":51}',
      '{"OPENING":51}',
      '{"next":{"next":{"opening":5,"Opening":51}}}',
      '{"many":[{},{"opening":5,"Opening":51}]}',
      // Where another member stood in the value before it.
      '{"many":[{"opening":5,"openings":1},{"opening":5,"Opening":51}]}',
      '{"many":[{"openings":1,"opening":5},{"opening":5},{"Opening":51}]}',
      '{"other":{"\u212aey":1}}',
    ])
      expect(`${body} ${found('application/json', body).join()}`).toMatch(/differs from another name in case alone/);
    for (const [name, body] of Object.entries({ Opening: 'opening=5&Opening=51', 'opening[]': 'opening=5&opening%5B%5D=51', 'opening[a]': 'opening[a]=51' }))
      expect(found('application/x-www-form-urlencoded', body)).toEqual([`the member ${name} is taken for another one by some readers`]);
    expect(found('application/x-www-form-urlencoded', 'opening=5&openings=51&a[opening]=51').filter((is) => is.includes('taken'))).toEqual([]);
    const part = (name: string) => `--b\r\nContent-Disposition: form-data; name="${name}"\r\n\r\n5\r\n`;
    const parts = (...names: readonly string[]) => found('multipart/form-data; boundary=b', `${names.map(part).join('')}--b--\r\n`);
    expect(parts('opening', 'opening[]')).toEqual(['the part opening[] is taken for another one by some readers']);
    expect(parts('opening', 'openings').filter((is) => is.includes('taken'))).toEqual([]);
    // Some frameworks take the method of the request from a form (common practice).
    for (const body of ['_method=DELETE', 'opening=5&_Method=put', '%5Fmethod[]=+patch'])
      expect(found('application/x-www-form-urlencoded', body)).toEqual(['the member “_method” names a method, and some readers believe it']);
    const method = '--b\r\nContent-Disposition: form-data; name="_method"\r\n\r\nPUT\r\n--b--\r\n';
    expect(found('multipart/form-data; boundary=b', method)).toEqual(['the part “_method” names a method, and some readers believe it']);
    expect(found('application/x-www-form-urlencoded', '_method=slow&method=PUT').filter((is) => is.includes('method'))).toEqual([]);
    expect(found('application/xml', '<gate><opening>5</opening><Opening>51</Opening></gate>').join()).toMatch(/Opening differs/);
    for (const body of ['{"opening":5,"openings":51}', '{"m":1,"M":2}', '{"other":{"key":1,"a":1,"A":2}}', '{"many":[{"opening":5}]}'])
      expect(found('application/json', body)).toEqual([]);
    // What an upstream answers is for its callers to read.
    expect(
      contractOf({ responses: { 200: { description: '', content: { 'application/json': { schema } } } } }, components).answer(
        200,
        'application/json',
        bytes('{"opening":5,"Opening":51}'),
      ).deviations,
    ).toEqual([]);
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
