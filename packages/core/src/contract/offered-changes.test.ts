import { offeredChanges } from './offered-changes.js';

type Json = Record<string, unknown>;

/** A description with operations `GET /a` and so on, each with something more. */
const described = (operations: Readonly<Record<string, Json>>, more: Json = {}): Json => ({
  openapi: '3.1.0',
  info: { title: 'T', version: '1' },
  paths: Object.fromEntries(Object.entries(operations).map(([path, operation]) => [path, { get: { summary: `of ${path}`, responses: {}, ...operation } }])),
  ...more,
});
const kinds = (before: Json, after: Json): string[] => offeredChanges(before, after).map(({ kind, method, path }) => `${kind} ${method} ${path}`);

test('nothing changed where nothing did, whatever the order of members', () => {
  const one = described({ '/a': { description: 'x', operationId: 'a' }, '/b': {} });
  expect(offeredChanges(one, structuredClone(one))).toEqual([]);
  expect(kinds(one, described({ '/b': {}, '/a': { operationId: 'a', description: 'x' } }))).toEqual([]);
  expect(offeredChanges({}, {})).toEqual([]);
});

test('new, changed, deprecated and gone, in the order of the newer one, what is gone last', () => {
  const before = described({ '/gone': {}, '/a': {}, '/b': {}, '/c': { deprecated: true } });
  const after = described({ '/fresh': {}, '/c': { deprecated: true }, '/b': { deprecated: true, description: 'too' }, '/a': { description: 'more' } });
  expect(offeredChanges(before, after)).toEqual([
    { kind: 'new', method: 'GET', path: '/fresh', summary: 'of /fresh' },
    { kind: 'deprecated', method: 'GET', path: '/b', summary: 'of /b' },
    { kind: 'changed', method: 'GET', path: '/a', summary: 'of /a' },
    { kind: 'gone', method: 'GET', path: '/gone', summary: 'of /gone' },
  ]);
});

test('names of path parameters tell no operations apart; another name of one is a change of it', () => {
  const of = (name: string) => described({ [`/a/{${name}}`]: { parameters: [{ name, in: 'path', required: true, schema: { type: 'string' } }] } });
  expect(kinds(of('id'), of('key'))).toEqual(['changed GET /a/{key}']);
  expect(kinds(of('id'), of('id'))).toEqual([]);
});

describe('what an operation refers to', () => {
  const schema = (level: Json, rest: Json = {}) => ({
    components: {
      schemas: {
        Level: level,
        Gate: { type: 'object', properties: { level: { $ref: '#/components/schemas/Level' }, inside: { $ref: '#/components/schemas/Gate' } } },
        ...rest,
      },
      parameters: { Page: { name: 'page', in: 'query', schema: { $ref: '#/components/schemas/Level' } } },
    },
  });
  const answers = { responses: { '200': { description: '', content: { 'application/json': { schema: { $ref: '#/components/schemas/Gate' } } } } } };
  const of = (level: Json, rest: Json = {}) =>
    described({ '/deep': answers, '/shared': { parameters: [{ $ref: '#/components/parameters/Page' }] }, '/none': {} }, schema(level, rest));

  test('changes it, however deep, also where schemas stand inside themselves', () => {
    expect(kinds(of({ type: 'number' }), of({ type: 'number' }))).toEqual([]);
    expect(kinds(of({ type: 'number' }), of({ type: 'number', minimum: 0 }))).toEqual(['changed GET /deep', 'changed GET /shared']);
  });

  test('and what nobody refers to changes nothing', () => {
    expect(kinds(of({ type: 'number' }), of({ type: 'number' }, { Unused: { type: 'string' } }))).toEqual([]);
  });

  test('references that lead nowhere, to elsewhere or to no object end nothing', () => {
    const odd = (reference: unknown) => described({ '/a': { parameters: [{ $ref: reference }], requestBody: { $ref: '#/components/nothing' } } });
    expect(kinds(odd('#/nowhere'), odd('#/nowhere'))).toEqual([]);
    expect(kinds(odd('#/nowhere'), odd('other.yaml#/x'))).toEqual(['changed GET /a']);
    expect(kinds(odd('#/info/title'), odd('#/info/title'))).toEqual([]);
    expect(kinds(odd(7), odd(7))).toEqual([]);
  });
});

test('what all operations of a path share is theirs', () => {
  const of = (required: boolean): Json => ({
    openapi: '3.1.0',
    info: { title: 'T', version: '1' },
    paths: {
      '/a': { parameters: [{ name: 'q', in: 'query', required, schema: {} }], get: { responses: {} }, post: { responses: {} } },
      '/b': { get: { responses: {} } },
    },
  });
  expect(kinds(of(false), of(true))).toEqual(['changed GET /a', 'changed POST /a']);
});

test('a thousand operations that share a schema are compared in time', () => {
  const paths = Object.fromEntries(
    Array.from({ length: 1000 }, (_, index) => [`/a${index}`, { parameters: [{ name: 'x', in: 'query', schema: { $ref: '#/components/schemas/X' } }] }]),
  );
  const of = (type: string) => described(paths, { components: { schemas: { X: { type } } } });
  expect(offeredChanges(of('string'), of('number'))).toHaveLength(1000);
});
