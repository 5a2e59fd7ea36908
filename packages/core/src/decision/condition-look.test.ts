import fc from 'fast-check';
import { portsOf, TestKeys } from '../../test/support.js';
import { compileCondition } from '../condition/compile-condition.js';
import { OPEN_SCOPE } from '../condition/condition-input.js';
import { composeCaller, type Caller } from '../credential/caller.js';
import type { Principal } from '../token/principal.js';
import { compileConditions } from './condition-step.js';
import { compileVariables, isAlwaysRead, isReadInPart, lookAtRequest } from './condition-variables.js';
import { Exchange } from './exchange.js';

const text = fc.constantFrom('a', 'b', '');
const texts = fc.array(text, { maxLength: 3 });
const maybe = fc.option(text, { nil: null });
const principal: fc.Arbitrary<Principal> = fc.record(
  {
    providerId: text,
    providerName: text,
    issuer: text,
    subject: maybe,
    client: maybe,
    scopes: texts,
    roles: texts,
    groups: texts,
    tenant: maybe,
    acr: maybe,
    amr: texts,
    authTime: fc.constant(null),
    attributes: fc.constant({}),
    unread: fc.constantFrom(['groups'], ['attributes.section'], ['roles', 'amr']),
  },
  {
    requiredKeys: ['providerId', 'providerName', 'issuer', 'subject', 'client', 'scopes', 'roles', 'groups', 'tenant', 'acr', 'amr', 'authTime', 'attributes'],
  },
) as fc.Arbitrary<Principal>;
const caller: fc.Arbitrary<Caller | null> = fc.option(
  fc.record({ principal: fc.option(principal, { nil: null }), client: maybe, clientName: maybe, roles: texts }).map((own): Caller => {
    const [empty] = [composeCaller([{ kind: 'token', scheme: 'Bearer', holder: null, token: { principal: own.principal } } as never])];
    return { ...(empty as Caller), ...own };
  }),
  { nil: null },
);
const member = fc.constantFrom(
  ...['subject', 'issuer', 'provider', 'tenant', 'scopes', 'roles', 'groups', 'acr', 'amr'].map((name) => `principal.${name}`),
  ...['request.method', 'client.id', 'client.name', 'request.path', 'request.address', 'principal["scopes"]', 'request["method"]'],
);
const written = text.map((value) => JSON.stringify(value));
const part = fc.tuple(fc.oneof(member, written), fc.constantFrom('==', '!=', 'in'), fc.oneof(member, fc.constantFrom('["a", "b"]', '"a"')));
const source = fc
  .array(fc.tuple(part, fc.constantFrom(' && ', ' || ')), { minLength: 1, maxLength: 3 })
  .map((parts) => parts.map(([[one, sign, other], joint], index) => `${index === 0 ? '' : joint}${one} ${sign} ${other}`).join(''));

test('what is looked at in the request itself decides as the variables of it do, with the same errors', () => {
  const ports = portsOf(new TestKeys());
  const seen = { direct: 0, met: 0, notMet: 0, error: 0 };
  fc.assert(
    fc.property(source, fc.array(fc.tuple(caller, text), { minLength: 1, maxLength: 5 }), (asked, all) => {
      const compiled = compileCondition(asked, OPEN_SCOPE);
      if (!('evaluate' in compiled)) return;
      expect(isAlwaysRead(compiled.looksAt)).toBe(true);
      const [check] = compileConditions([{ kind: 'own', name: 'c', source: asked }], [], { scope: OPEN_SCOPE, label: 'x', at: '/c' }, ports);
      for (const [who, method] of all) {
        const exchange = new Exchange({ method, target: '/a', headers: {}, from: { address: method === '' ? null : 'b', via: [], unread: '' } });
        exchange.path = method;
        exchange.caller = who;
        let expected: string;
        try {
          expected = compiled.evaluate(compileVariables(compiled.looksAt)(exchange, 0, ports.directory())).kind;
        } catch {
          expected = 'error';
        }
        const found = check?.run(exchange);
        expect([asked, found && 'code' in found && found.code]).toEqual([asked, `condition.${expected}`]);
        if (!isReadInPart(exchange) && compiled.plainly?.(exchange, lookAtRequest) === true) seen.direct++;
        seen[expected === 'not-met' ? 'notMet' : (expected as 'met' | 'error')]++;
      }
    }),
    { numRuns: 3000, seed: 5 },
  );
  expect(Math.min(seen.direct, seen.met, seen.notMet, seen.error)).toBeGreaterThan(200);
});

test.each([
  ['principal'],
  ['credentials'],
  ['now'],
  ['request', 'query'],
  ['request', 'headers', 'x'],
  ['request', 'body'],
  ['request', 'parameters', 'id'],
  ['principal', 'attributes', 'section'],
  ['principal', 'constructor'],
  ['constructor', 'name'],
  ['resource', 'lockouts'],
])('what %s is made of is looked at as a whole', (...path) => expect(isAlwaysRead([['request', 'method'], path])).toBe(false));
