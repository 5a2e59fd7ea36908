import { completeCondition } from '../condition/complete-condition.js';
import { compileCondition } from '../condition/compile-condition.js';
import { OPEN_SCOPE, type ConditionScope } from '../condition/condition-input.js';
import { againstContract } from '../condition/against-contract.js';
import { sampleBody } from '../condition/body-places.js';
import { sampleValues, tryCondition } from '../condition/try-condition.js';
import { bodyMembers, joinMembers } from './body-members.js';
import { describedParameters, joinParameters } from './described-parameters.js';
import { referenceOperation } from './reference.js';

const DOCUMENT = {
  openapi: '3.1.0',
  info: { title: 'Moves', version: '1' },
  paths: {
    '/moves': {
      post: {
        requestBody: {
          content: {
            'application/json': {
              schema: {
                type: 'object',
                properties: {
                  opening: { type: 'number', maximum: 100, description: 'Percent' },
                  id: { type: 'string', readOnly: true },
                  by: {
                    type: 'object',
                    properties: { name: { type: 'string' }, crew: { oneOf: [{ type: 'object', properties: { head: { type: 'string' } } }] } },
                  },
                  steps: { type: 'array', items: { type: 'object', properties: { gate: { type: 'string' } } } },
                  labels: { type: 'object', additionalProperties: { type: 'string' } },
                  notes: {},
                },
              },
            },
            'application/x-www-form-urlencoded': { schema: { type: 'object', properties: { by: { type: 'object' }, plain: { type: 'integer' } } } },
            'application/xml': { schema: { type: 'object', properties: { written: { type: 'string' } } } },
          },
        },
        responses: {},
      },
      get: { responses: {} },
    },
  },
};
const members = bodyMembers(referenceOperation(DOCUMENT, 'POST', '/moves') ?? { bodies: [] });
const scope: ConditionScope = { ...OPEN_SCOPE, bodyMembers: members };

test('members of bodies are those that a caller writes, of all its types, those of items of lists too', () => {
  expect(members.map(({ path, type }) => `${path.join('.')}: ${type}`)).toEqual([
    'opening: number',
    'by: object or string',
    'by.name: string',
    'by.crew: anything',
    'by.crew.head: string',
    'steps: list of object',
    'steps.[]: object',
    'steps.[].gate: string',
    'labels: object',
    'labels.*: string',
    'notes: anything',
    'plain: string',
  ]);
  expect(bodyMembers(referenceOperation(DOCUMENT, 'GET', '/moves') ?? { bodies: [] })).toEqual([]);
});

test('they are offered while a condition is written', () => {
  const offered = (source: string) => completeCondition(source, source.length, scope).words.map(({ word }) => word);
  expect(offered('request.body.')).toEqual(['opening', 'by', 'steps', 'labels', 'notes', 'plain']);
  expect(offered('request.body.by.')).toEqual(['name', 'crew']);
  expect(offered('request.body.by.crew.')).toEqual(['head']);
  // Functions of what stands there follow.
  expect(offered('request.body.labels.')).toEqual(expect.arrayContaining(['exists', 'size']));
  expect(offered('request.body.plain.')).toEqual(expect.arrayContaining(['startsWith', 'matches']));
  expect(offered('request.body.notes.')).toEqual([]);
  // Items of lists, by their place and by the name that a macro gives them.
  expect(offered('request.body.steps[0].')).toEqual(['gate']);
  expect(offered('request.body.steps [ size(request.body.steps) - 1 ] . ')).toEqual(['gate']);
  expect(offered('request.body.steps.exists(step, step.')).toEqual(['gate']);
  expect(offered('request.body.steps.all(step, step.gate != "") && request.body["by"].')).toEqual(['name', 'crew']);
  expect(offered('request.body.steps.exists(step, other.')).toEqual([]);
  expect(offered('principal.roles.exists(role, role.')).toEqual(expect.arrayContaining(['startsWith']));
  expect(completeCondition('request.body.op', 15, scope).words.find(({ word }) => word === 'opening')).toMatchObject({ detail: 'number', about: 'Percent' });
});

test('a body to begin with has every member that is named, and conditions can be tried with it as it is', () => {
  expect(sampleBody(members)).toEqual({ opening: 1, by: { name: '' }, steps: [{ gate: '' }], labels: {}, plain: '' });
  const sample = sampleValues(scope, { method: 'POST', path: '/moves' }, 0);
  expect(tryCondition('request.body.opening <= 50 && request.body.steps.all(step, step.gate == "") && request.body.by.name == ""', scope, sample).kind).toBe(
    'met',
  );
  expect(sampleValues(OPEN_SCOPE, { method: 'GET', path: '/moves' }, 0)['request']).not.toHaveProperty('body');
  const listed = (type: string, values: readonly string[] | null = null) => sampleBody([{ path: [], type, values, about: '' }]);
  expect([
    listed('list of number'),
    listed('string or null'),
    listed('string', ['"open"', '"shut"']),
    listed('null'),
    listed('anything'),
    listed('list of anything'),
  ]).toEqual([[1], '', 'open', null, undefined, []]);
});

test('what is looked at and named by nobody is told', () => {
  const unnamed = (source: string) => againstContract(source, scope).unnamed.body;
  expect(unnamed('request.body.opening <= 50 && request.body.by.name == "x" && request.body.by.crew.head == "y"')).toEqual([]);
  expect(unnamed('!has(request.body.openning)')).toEqual(['openning']);
  expect(unnamed('request.body.by.nam == "x" || request.body["wide"] == 1')).toEqual(['by.nam', 'wide']);
  // Where no more is said, anything may stand.
  expect(unnamed('request.body.notes.any.thing == 1 && request.body.labels.anything == "x" && request.body.steps[0].gate == "G"')).toEqual([]);
  expect(unnamed('request.body.labels.anything.more == "x"')).toEqual([]);
  expect(unnamed('!("openning" in request.body) && "opening" in request.body && "any" in request.body.labels')).toEqual(['openning']);
  expect(unnamed('request.body.steps[0].gat == "G" || request.body.steps.exists(one, one.gate == "G" && !has(one.kind))')).toEqual([
    'steps[].gat',
    'steps[].kind',
  ]);
  expect(againstContract('request.body.openning == 1', OPEN_SCOPE).unnamed.body).toEqual([]);
  expect(unnamed('request.method == "POST"')).toEqual([]);
  expect(unnamed('request.body.openning ==')).toEqual([]);
});

describe('types that a contract says of bodies', () => {
  const typed = bodyMembers({
    bodies: [
      {
        type: 'application/json',
        example: null,
        lines: (
          [
            [0, 'opening', 'number'],
            [0, 'count', 'integer (int32)'],
            [0, 'name', 'string'],
            [0, 'note', 'string or null'],
            [0, 'by', 'object'],
            [1, 'crew', 'string'],
            [0, 'tags', 'list of string'],
            [0, 'sizes', 'list of number'],
            [0, 'labels', 'object'],
            [1, 'any other', 'string'],
            [0, 'force', 'boolean'],
            [0, 'more', 'object, as Move above'],
            [0, 'notes', 'anything'],
          ] as const
        ).map(([depth, name, type]) => ({ depth, name, type, required: false, rules: [], description: '' })),
      },
    ],
  });
  const faults = (source: string, known = typed) =>
    againstContract(source, { ...OPEN_SCOPE, bodyMembers: known }).faults.map(({ at, says }) => `${at} ${says}`);

  /** What it comes to for a body as it is described, with members that are not. */
  const outcomeOf = (source: string): string => {
    const by = { crew: 'north', else: 2 };
    const more = { anything: 1, notes: 1, unheard: 1, GET: 3 };
    const body = { opening: 20, count: 3, name: 'ab', note: null, by, tags: ['a', 'b'], sizes: [1, 2], labels: { any: 'x' }, force: true, more, ...more };
    return tryCondition(source, { ...OPEN_SCOPE, bodyMembers: typed }, { request: { method: 'GET', body } }).kind;
  };

  test.each([
    ['request.body.opening + 1.0 <= 50.0 && request.body.count == 3 && request.body.opening in [10, 20]'],
    ['request.body.name.startsWith("a") && request.body.note == null && request.body.by.crew != ""'],
    ['"a" in request.body.tags && request.body.tags.exists(tag, tag == "b") && request.body.sizes.all(size, size < 3)'],
    ['request.body.labels.any == "x" && request.body.labels.all(name, name != "")'],
    ['request.body.force && !has(request.body.unheard) && request.body.unheard == 1 && request.body.by.else == 2'],
    ['request.body.more.anything == 1 && request.body.notes + 1.0 == 2.0 && request.body[request.method] == 3'],
  ])('go with what asks for them: %s', (source) => {
    expect(faults(source)).toEqual([]);
    expect(['met', 'not-met']).toContain(outcomeOf(source));
  });

  test.each([
    ['request.body.opening + 1 <= 50', '21 + does not go with double and int; a whole number is a double where it is written as 1.0'],
    ['request.body.count % 2 == 0', '19 % does not go with double and int'],
    ['request.body.name <= 50', '18 <= does not go with string and int'],
    ['request.body.opening == "50"', '21 a double never equals a string'],
    ['request.body.force == "true"', '19 a bool never equals a string'],
    ['"x" in request.body.sizes', '4 a string is never in a list(double)'],
    ['request.body.tags == "x"', '18 a list(string) never equals a string'],
    ['request.body.by == "me"', '16 a request.body.by never equals a string'],
    ['request.body.opening.startsWith("5")', '20 double.startsWith(string) is not there; there is string.startsWith(string)'],
    ['request.body.opening', '12 a condition says true or false; this is of type double'],
  ])('do not go with what asks for others, which makes nothing unusable: %s', (source, said) => {
    expect(faults(source)).toEqual([said]);
    expect(['error', 'not-met']).toContain(outcomeOf(source));
    // The gateway takes what comes: what is described need not be sent.
    expect(compileCondition(source, { ...OPEN_SCOPE, bodyMembers: typed })).toHaveProperty('evaluate');
  });

  test('are those of all operations and bodies: of two, either may come', () => {
    const other = [
      { path: ['opening'], type: 'string', about: '' },
      { path: ['name'], type: 'string', about: '' },
    ];
    const both = joinMembers([...typed, ...other]);
    expect(both.find(({ path }) => path[0] === 'opening')).toMatchObject({ type: 'number or string' });
    expect(faults('request.body.opening == "50" && request.body.opening + 1 == 2', both)).toEqual([]);
    expect(faults('request.body.name == 1', both)).toHaveLength(1);
    expect(joinMembers([...both, ...other])).toEqual(both);
  });

  test('a body that is no object is known as a whole', () => {
    const list = bodyMembers({
      bodies: [
        { type: 'application/json', example: null, lines: [{ depth: 0, name: '', type: 'list of string', required: false, rules: [], description: '' }] },
      ],
    });
    expect(faults('request.body.exists(one, one == "x") && request.body[0] == "y"', list)).toEqual([]);
    expect(faults('request.body[0] == 1', list)).toEqual(
      ['15 a string never equals a int'].map((said) => said.replace('15', String('request.body[0] '.length))),
    );
    expect(faults('request.body.name == "x"', list)).toEqual([expect.stringContaining('has no members')]);
    const either = bodyMembers(
      referenceOperation(
        {
          paths: {
            '/x': {
              post: {
                requestBody: {
                  content: { 'application/json': { schema: { oneOf: [{ type: 'array' }, { type: 'object', properties: { id: { type: 'string' } } }] } } },
                },
              },
            },
          },
        },
        'POST',
        '/x',
      ) ?? { bodies: [] },
    );
    expect(faults('request.body[0] == 1 || request.body.id == "x"', either)).toEqual([]);
  });
});

const described = (...parameters: readonly (readonly [place: string, name: string, type: string, values?: readonly string[]])[]) =>
  describedParameters({
    parameters: parameters.map(([place, name, type, values]) => ({
      in: place,
      name,
      type,
      ...(values ? { values } : {}),
      required: false,
      rules: [],
      description: `about ${name}`,
    })),
  });

describe('parameters of the query', () => {
  const scopeOf = (...parameters: readonly (readonly [name: string, type: string])[]): ConditionScope => ({
    ...OPEN_SCOPE,
    contractParameters: described(...parameters.map(([name, type]) => ['query', name, type] as const), ['header', 'X-Crew', 'string']),
  });
  const unnamed = (source: string, known: ConditionScope) => againstContract(source, known).unnamed.query;

  test('are told where no contract names them: their missing would hold for everybody', () => {
    const two = scopeOf(['season', 'string'], ['page', 'integer']);
    expect(unnamed('!has(request.query.seson) || request.query["pge"] == "1" || request.query.season == "x"', two)).toEqual(['seson', 'pge']);
    expect(unnamed('!("seson" in request.query) && request.query["seson"] == "x"', two)).toEqual(['seson']);
    expect(unnamed('"season" in request.query && request.headers["x-other"] == "1" && request.query.all(name, name != "")', two)).toEqual([]);
    // Nothing is named, or nobody knows.
    expect(unnamed('has(request.query.page)', scopeOf())).toEqual(['page']);
    expect(unnamed('has(request.query.page)', OPEN_SCOPE)).toEqual([]);
    expect(unnamed('has(request.query.page)', { ...OPEN_SCOPE, contractParameters: null })).toEqual([]);
  });

  test('that are objects come under other names (OpenAPI 3.1 section 4.8.12)', () => {
    expect(unnamed('request.query["filter[by]"] == "x" && request.query["sort[by]"] == "y"', scopeOf(['filter', 'string']))).toEqual(['sort[by]']);
    expect(unnamed('request.query.anything == "x"', scopeOf(['filter', 'object']))).toEqual([]);
  });

  test('are offered while a condition is written', () => {
    const { words } = completeCondition('request.query.', 'request.query.'.length, scopeOf(['season', 'string'], ['odd-one', 'string']));
    expect(words.filter(({ kind }) => kind === 'member')).toEqual([{ word: 'season', kind: 'member', detail: 'string', about: 'about season' }]);
  });
});

describe('header fields', () => {
  const unnamed = (source: string, ...fields: readonly string[]) =>
    againstContract(source, { ...OPEN_SCOPE, contractParameters: described(...fields.map((name) => ['header', name, 'string'] as const)) }).unnamed.headers;

  test('that contracts do not name are told, but for those that come of themselves', () => {
    expect(unnamed('!("x-blok" in request.headers) || request.headers["x-block"] == "1"', 'X-Block')).toEqual(['x-blok']);
    expect(unnamed('request.headers["user-agent"] != "" && has(request.headers.accept) && "sec-ch-ua" in request.headers', 'X-Block')).toEqual([]);
    // Where none is described, nothing is known of any.
    expect(unnamed('!("x-blok" in request.headers)')).toEqual([]);
  });
});

describe('texts that a contract allows', () => {
  const known = described(
    ['path', 'gateId', 'integer'],
    ['query', 'page', 'integer (int32)'],
    ['query', 'season', 'string', ['"spring"', '"fall"']],
    ['query', 'ids', 'list of integer'],
    ['query', 'name', 'string'],
    ['header', 'X-Force', 'boolean'],
    ['header', 'X-Level', 'number or null'],
    ['header', 'X-Step', 'integer', ['1', '2']],
    ['cookie', 'theme', 'integer'],
  );
  const faults = (source: string, contractParameters = known) =>
    againstContract(source, { ...OPEN_SCOPE, parameters: ['gateId', 'other'], contractParameters }).faults.map(({ at, says }) => `${at} ${says}`);

  test.each([
    'request.query.page == "3" && request.query["page"] in ["1", "-2", ""] && request.parameters.gateId == "7" && request.parameters.other == "x"',
    'request.query.season == "fall" && request.query.ids == "1,2" && request.query.name == "anything" && request.query.unheard == "x"',
    'request.headers["x-force"] == "true" && request.headers["x-level"] == "1.5e3" && request.headers["x-step"] == "2" && request.headers["x-other"] == "x"',
    'request.query.all(name, name != "") && "page" in request.query && size(request.headers) > 0 && request.query[request.method] == "x"',
    'request.query.page.startsWith("x") && request.query.page > "x" && request.headers["x-step"].matches("^a")',
  ])('go with what asks for them: %s', (source) => expect(faults(source)).toEqual([]));

  test.each([
    ['request.query.page == "first"', '22 "first" is no value of it: the contract allows integer (int32)'],
    ['"1.5" == request.query["page"]', '0 "1.5" is no value of it: the contract allows integer (int32)'],
    ['request.query.season in ["spring", "autumn"]', '35 "autumn" is no value of it: the contract allows "spring", "fall"'],
    ['request.parameters.gateId != "G-7"', '29 "G-7" is no value of it: the contract allows integer'],
    ['request.headers["x-force"] == "yes"', '30 "yes" is no value of it: the contract allows boolean'],
    ['request.headers["x-level"] == "null" || request.headers["x-level"] == "high"', '70 "high" is no value of it: the contract allows number or null'],
    ['request.headers["x-step"] == "3"', '29 "3" is no value of it: the contract allows 1, 2'],
  ])('do not go with what asks for others, which makes nothing unusable: %s', (source, said) => {
    expect(faults(source)).toEqual([said]);
    expect(compileCondition(source, { ...OPEN_SCOPE, parameters: ['gateId', 'other'] })).toHaveProperty('evaluate');
  });

  test('are those of all operations: of two, either may come', () => {
    const other = described(['query', 'page', 'string'], ['query', 'season', 'string', ['"winter"']], ['header', 'X-Step', 'integer']);
    const both = joinParameters([...known, ...other]);
    expect(faults('request.query.page == "first" && request.query.season == "winter" && request.headers["x-step"] == "3"', both)).toEqual([]);
    expect(faults('request.query.season == "autumn" || request.headers["x-step"] == "a"', both)).toHaveLength(2);
  });

  test('names and texts that are never there are told once, whatever is described', () => {
    const found = againstContract('request.headers["x-force"] == " true" && request.method == "get"', { ...OPEN_SCOPE, contractParameters: known });
    expect(found.never.map(({ says }) => says)).toEqual([expect.stringContaining('no blank'), 'methods are in capitals: GET']);
    expect(found.faults.map(({ says }) => says)).toEqual(['" true" is no value of it: the contract allows boolean']);
    const key = againstContract('request.query.key == "1"', { ...OPEN_SCOPE, unshown: ['query.key'], contractParameters: known });
    expect([key.never.length, key.faults]).toEqual([1, []]);
  });

  test('of members of bodies, of items of lists too, are the values that a schema lists', () => {
    const page = referenceOperation(
      {
        paths: {
          '/x': {
            post: {
              requestBody: {
                content: {
                  'application/json': {
                    schema: {
                      type: 'object',
                      properties: {
                        state: { type: 'string', enum: ['open', 'closed'] },
                        kind: { const: 'move' },
                        by: { oneOf: [{ properties: { as: { enum: ['crew'] } } }, { type: 'object' }] },
                        maybe: { type: 'string', nullable: true, enum: ['a'] },
                        steps: {
                          type: 'array',
                          items: {
                            type: 'object',
                            properties: { to: { enum: ['up', 'down'] }, at: { type: 'integer' } },
                            additionalProperties: { type: 'boolean' },
                          },
                        },
                      },
                    },
                  },
                },
              },
            },
          },
        },
      },
      'POST',
      '/x',
    );
    const own = { ...OPEN_SCOPE, bodyMembers: bodyMembers(page ?? { bodies: [] }) };
    const said = (source: string) => againstContract(source, own).faults.map(({ says }) => says);
    expect(said('request.body.state == "open" && request.body.kind == "move" && request.body.steps.exists(step, step.to == "up" && step.at > 1)')).toEqual([]);
    expect(said('request.body.state == "opne"')).toEqual(['"opne" is no value of it: the contract allows "open", "closed"']);
    expect(said('request.body.kind in ["move", "turn"]')).toEqual(['"turn" is no value of it: the contract allows "move"']);
    expect(said('request.body.steps.exists(step, step.to == "left")')).toEqual(['"left" is no value of it: the contract allows "up", "down"']);
    expect(said('request.body.steps[0].at == "1"')).toEqual(['a double never equals a string']);
    expect(said('request.body.steps.all(step, step.other == 1)')).toEqual(['a bool never equals a int']);
    expect(said('request.body.maybe == "b" || request.body.maybe == null || request.body.by.as == "boat"')).toEqual([]);
    expect(againstContract('request.body.steps.all(step, step.other)', own).unnamed.body).toEqual([]);
  });
});
