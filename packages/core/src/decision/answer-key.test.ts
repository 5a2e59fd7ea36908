import fc from 'fast-check';
import { composeCaller } from '../credential/caller.js';
import type { Credential } from '../credential/sent-credential.js';
import type { CacheKeyPart } from '../document/authorizer-rule.js';
import { compileAnswerKey } from './answer-key.js';
import type { CompiledOperation } from './compiled.js';
import { Exchange } from './exchange.js';

const FROM = { via: [], unread: '' };
const word = fc.constantFrom('a', 'a\n"b');

/** Two callers of each kind and their operations, few enough that two requests often have something in common. */
const request = fc.record({
  method: fc.constantFrom('GET', 'POST'),
  path: fc.constantFrom('/a', '/b', '/a/b'),
  query: fc.constantFrom('', '?x=1'),
  address: fc.constantFrom('192.0.2.1', '192.0.2.2'),
  tenant: fc.constantFrom(undefined, '1', '2'),
  api: word,
  operation: word,
  parameter: word,
  caller: fc.option(
    fc.record({
      subject: word,
      client: word,
      roles: fc.array(word, { maxLength: 1 }),
      scopes: fc.array(word, { maxLength: 1 }),
      known: fc.boolean(),
      name: word,
    }),
  ),
});
type Request = typeof request extends fc.Arbitrary<infer T> ? T : never;

const operations = new Map<string, CompiledOperation>();
const callers = new Map<string, Exchange['caller']>();

/** As the steps before an authorizer leave it: one object for each operation, and for each token without a client. */
function exchangeOf({ method, path, query, address, tenant, api, operation, parameter, caller }: Request): Exchange {
  const exchange = new Exchange({ method, target: path + query, headers: { 'x-tenant': tenant }, from: { ...FROM, address } });
  Object.assign(exchange, { path, query });
  const id = JSON.stringify([api, operation, parameter]);
  if (!operations.has(id)) operations.set(id, { api: { id: api }, rule: { id: operation }, parameterNames: [parameter] } as unknown as CompiledOperation);
  exchange.operation = operations.get(id) ?? null;
  if (caller === null) return exchange;
  const { known, name, ...claims } = caller;
  const principal = { ...claims, providerId: 'p', issuer: 'https://issuer.example', attributes: {} };
  const holder = { client: { id: claims.client, name, roles: claims.roles, metadata: { name } } };
  const composed = composeCaller([{ kind: 'token', token: { principal }, holder: known ? holder : null } as unknown as Credential]);
  const token = JSON.stringify(claims);
  if (!known && !callers.has(token)) callers.set(token, composed);
  exchange.caller = known ? composed : (callers.get(token) ?? null);
  return exchange;
}

/** What a part says, as texts that are the same where it is the same. */
function said(part: CacheKeyPart, { method, path, query, address, tenant, api, operation, parameter, caller }: Request): unknown {
  const client = caller && [caller.client, caller.known && caller.name];
  switch (part) {
    case 'operation':
      return [api, operation, method];
    case 'path':
      return [path, parameter];
    case 'caller':
      return caller && { ...caller, name: caller.known && caller.name };
    case 'subject':
      return caller && caller.subject;
    case 'client':
      return client;
    case 'roles':
      return caller && caller.roles;
    case 'query':
      return query;
    case 'address':
      return address;
    case 'ANYBODY':
      return null;
    default:
      return tenant ?? null;
  }
}

const PARTS: readonly CacheKeyPart[] = ['caller', 'subject', 'client', 'roles', 'operation', 'path', 'query', 'address', 'ANYBODY', 'header:x-tenant'];

describe('two requests share an answer', () => {
  test('where all parts of its key say the same of both, and nowhere else', () => {
    let shared = 0;
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.constantFrom(...PARTS), { minLength: 1, maxLength: 4 }),
        fc.array(request, { minLength: 2, maxLength: 12 }),
        (parts, all) => {
          const keyOf = compileAnswerKey('name', 'identity', parts, (text) => text);
          const keys = all.map((one) => {
            const { who, where, what } = keyOf(exchangeOf(one));
            return JSON.stringify([who, where, what]);
          });
          const expected = all.map((one) => JSON.stringify(parts.map((part) => said(part, one))));
          keys.forEach((key, at) =>
            keys.forEach((other, beside) => {
              expect(key === other).toBe(expected[at] === expected[beside]);
              if (at !== beside && key === other) shared++;
            }),
          );
        },
      ),
      { numRuns: 500, seed: 7 },
    );
    expect(shared).toBeGreaterThan(1000);
  });

  test('never with those of another authorizer, or of what it was before', () => {
    const exchange = exchangeOf({
      method: 'GET',
      path: '/a',
      query: '',
      address: '192.0.2.1',
      tenant: undefined,
      api: 'a',
      operation: 'a',
      parameter: 'a',
      caller: null,
    });
    const keys = [
      ['one', 'first'],
      ['one', 'second'],
      ['other', 'first'],
    ].map(([name = '', identity = '']) => compileAnswerKey(name, identity, ['ANYBODY'], (text) => text)(exchange).who);
    expect(new Set(keys).size).toBe(3);
    expect(keys.map((who) => who.startsWith('one\n'))).toEqual([true, true, false]);
  });
});
