import { againstContract } from './against-contract.js';
import { compileCondition } from './compile-condition.js';
import { OPEN_SCOPE } from './condition-input.js';
import { tryCondition } from './try-condition.js';

const neverOf = (source: string) => againstContract(source, OPEN_SCOPE).never.map(({ at, says }) => `${at} ${says}`);

describe('a text that nothing is equal to', () => {
  test.each<[string, string, string]>([
    ['a method in small letters', 'request.method == "get"', '18 methods are in capitals: GET'],
    ['said the other way round', '"delete" != request.method', '0 methods are in capitals: DELETE'],
    ['in a list', 'request.method in ["GET", "post"]', '26 methods are in capitals: POST'],
    ['a star', 'request.method == "*"', '18 this is no method'],
    ['a field in capitals', '!("X-Debug" in request.headers)', '2 names of header fields are in lower case here: x-debug'],
    ['a field among names', 'request.headers.all(name, name != "X-Debug")', '34 names of header fields are in lower case here: x-debug'],
    ['a credential', '!("authorization" in request.headers)', '2 authorization is never there: conditions are not shown credentials'],
    ['a credential behind a dot', '!has(request.headers.cookie)', '1 cookie is never there: conditions are not shown credentials'],
    ['a credential in brackets', 'request.headers["dpop"] == ""', '15 dpop is never there: conditions are not shown credentials'],
    ['a path without its slash', 'request.path != "gates"', '16 a path begins with /'],
    ['a path with a query', 'request.path == "/gates?all=1"', '16 the query is no part of the path'],
    ['a network', 'request.address != "10.0.0.0/8"', '19 this is no address; networks stand in rules about addresses'],
    ['an address in another spelling', 'request.address == "2001:DB8:0::1"', '19 this address is written 2001:db8::1 here'],
    ['two scopes', '!("gates:read gates:operate" in principal.scopes)', '2 no scope is written so: scopes stand one by one, without blanks'],
    ['a scope among scopes', 'principal.scopes.exists(one, one == "")', '36 no scope is written so: scopes stand one by one, without blanks'],
    ['a proof that there is not', '!("tokens" in credentials)', '2 callers prove themselves by token, key, basic, certificate'],
    ['a field value with a blank at its end', 'request.headers["x-crew"] != "north "', '29 the value of a header field has no blank at its beginning or end'],
    [
      'one in letters that fields do not carry',
      'request.headers["x-crew"] in ["nord", "ночь"]',
      '38 the value of a header field has no such character: its bytes are read one by one',
    ],
  ])('%s is told, and the condition can be used all the same', (_name, source, says) => {
    expect(neverOf(source)).toEqual([says]);
    expect('evaluate' in compileCondition(source, OPEN_SCOPE)).toBe(true);
  });

  test.each([
    'request.method == "GET" && request.method in ["M-SEARCH", "POST"]',
    '"x-debug" in request.headers && request.headers.exists(name, name.startsWith("x-"))',
    'request.path == "/gates/G-12" && request.path.startsWith("gates")',
    'request.address == "192.0.2.7" || request.address in ["2001:db8::1"]',
    '"gates:read" in principal.scopes && "Any thing" in principal.groups',
    '"token" in credentials && credentials.size() == 1',
    // What is worked out may be anything.
    'request.headers["x-way"] == request.method && "/a" + request.parameters["b"] == request.path',
    'request.headers["x-crew"] == "n ö" || request.headers["x-crew"] == "" || request.headers["x-crew"].startsWith(" ")',
    'request.headers["x-debug"] == "GET" && request.query["Q"] == "get" && principal.subject == "get"',
    '"x" in [request.method, "x"] && (principal.acr == "a" ? request.method : "none") == "none"',
    // Of one that cannot be used, what is wrong is said alone.
    'request.method == "get" &&',
  ])('is not in %s', (source) => expect(neverOf(source)).toEqual([]));

  const KEY = 'is never there: credentials travel in it, and conditions are not shown them';
  test.each<[string, readonly string[]]>([
    ['!("x-key" in request.headers)', [`2 x-key ${KEY}`]],
    ['request.headers["x-key"] != "a" && !has(request.query.key)', [`15 x-key ${KEY}`, `36 key ${KEY}`]],
    ['request.query["key"] == "a" || "key" in request.query', [`13 key ${KEY}`, `31 key ${KEY}`]],
    ['"x-keys" in request.headers && has(request.query.keys) && has(request.body.key)', []],
    ['!("X-Key" in request.headers)', ['2 names of header fields are in lower case here: x-key']],
  ])('where credentials of the API travel: %s', (source, told) => {
    const { never } = againstContract(source, { ...OPEN_SCOPE, unshown: ['headers.x-key', 'query.key'] });
    expect(never.map(({ at, says }) => `${at} ${says}`)).toEqual(told);
  });

  // What is told is so: the same condition, tried with what a request can have.
  test.each<[string, object, string]>([
    ['request.method == "get"', { request: { method: 'GET' } }, 'not-met'],
    ['!("X-Debug" in request.headers)', { request: { headers: { 'x-debug': '1' } } }, 'met'],
    ['request.address == "2001:DB8:0::1"', { request: { address: '2001:db8::1' } }, 'not-met'],
    ['!("gates:read gates:operate" in principal.scopes)', { principal: { scopes: ['gates:read', 'gates:operate'] } }, 'met'],
  ])('%s says so of every request', (source, values, kind) => expect(tryCondition(source, OPEN_SCOPE, values).kind).toBe(kind));
});
