import { timestampFromMs } from '@bufbuild/protobuf/wkt';
import { ANSWER_MEMORY, AnswerMemory, type AnswerKey } from './answer-memory.js';
import { hiddenBy, hiddenMember } from './cache-key.js';
import type { AuthorizerAnswer } from './read-answer.js';
import { readDecision } from './read-decision.js';
import { compileQuestion } from './service-question.js';

const QUESTION = {
  subjectType: 'user',
  subjectId: 'principal.subject',
  action: '"read"',
  resourceType: 'gate',
  resourceId: 'request.parameters.id',
  properties: [],
};

describe('a question to a decision service (OpenID AuthZEN Authorization API 1.0, from memory)', () => {
  const ask = (change: object, variables: Record<string, unknown>): unknown => {
    const compiled = compileQuestion({ ...QUESTION, ...change });
    return 'write' in compiled ? JSON.parse(compiled.write(variables)) : compiled.pointer;
  };
  const VARIABLES = {
    principal: new Map<string, unknown>([
      ['subject', 'rider'],
      ['roles', ['a', 'b']],
    ]),
    request: new Map<string, unknown>([['parameters', new Map([['id', 'G-1']])]]),
    now: timestampFromMs(Date.UTC(2026, 5, 1)),
  };

  test('has values of every kind that JSON has', () => {
    const properties = [
      { of: 'subject', name: 'roles', value: 'principal.roles' },
      { of: 'resource', name: 'of', value: '{"id": request.parameters.id, "n": 2, "half": 0.5, "no": false, "nothing": null}' },
      { of: 'context', name: 'at', value: 'timestamp("2026-05-01T06:00:00Z")' },
      { of: 'context', name: 'now', value: 'now' },
    ] as const;
    expect(ask({ properties }, VARIABLES)).toEqual({
      subject: { type: 'user', id: 'rider', properties: { roles: ['a', 'b'] } },
      action: { name: 'read' },
      resource: { type: 'gate', id: 'G-1', properties: { of: { id: 'G-1', n: 2, half: 0.5, no: false, nothing: null } } },
      context: { at: '2026-05-01T06:00:00.000Z', now: '2026-06-01T00:00:00.000Z' },
    });
  });

  test('is not asked with what is not there, is empty, or is no text', () => {
    expect(() => ask({}, { ...VARIABLES, principal: new Map() })).toThrow(/the subject/);
    expect(() => ask({ resourceId: '""' }, VARIABLES)).toThrow('the resource is a text that is not empty');
    expect(() => ask({ action: '5' }, VARIABLES)).toThrow('the action is a text that is not empty');
    expect(() => ask({ action: 'b"x"' }, VARIABLES)).toThrow(/the action/);
  });

  test('that cannot be read names the member that is wrong', () => {
    expect(ask({ subjectId: 'principal.sub' }, VARIABLES)).toBe('/subjectId');
    expect(ask({ properties: [{ of: 'context', name: 'x', value: 'resource' }] }, VARIABLES)).toBe('/properties/0/value');
  });
});

test('a decision is true or false, and nothing else; another status is about the gateway’s own question', () => {
  const by = { url: 'https://decides.example', signIn: { pointer: '/context/code', value: 'again' } };
  const says = (text: string | null, status = 200): unknown => {
    const read = readDecision(status, text, by);
    return typeof read === 'string' ? 'unread' : 'unavailable' in read ? 'unavailable' : `${read.says} ${read.reason}`.trim();
  };
  expect(says('{"decision":true}')).toBe('allow');
  expect(says('{"decision":false,"context":{"reason_admin":{"en":"no right"}}}')).toBe('deny no right');
  expect(says('{"decision":false,"context":{"code":"again","reason":"ended"}}')).toBe('sign-in ended');
  expect(says('{"decision":true,"context":{"code":"again"}}')).toBe('allow');
  for (const text of ['', 'null', '[]', '"true"', '{"decision":"true"}', '{"decision":1}', '{"Decision":true}'])
    expect({ text, says: says(text) }).toEqual({ text, says: 'unread' });
  // What one reader takes for the first, another for the last (RFC 8259 section 4), is neither.
  for (const text of ['{"decision":false,"decision":true}', '{"decision":true,"decision":true}', '{"decision":true,"context":{"a":1,"a":2}}'])
    expect(readDecision(200, text, by)).toBe('it answered with a member that stands twice');
  expect(readDecision(200, null, by)).toBe('it answered with bytes that are no UTF-8');
  for (const status of [201, 204, 302, 401, 403, 500]) expect(says('{"decision":true}', status)).toBe('unavailable');
});

test('what is no part of a key is hidden', () => {
  expect(hiddenBy(['caller', 'operation', 'path', 'query', 'address']).members).toEqual(['request.body']);
  const hidden = hiddenBy(['subject', 'path', 'header:x-crew']);
  expect(hidden.members).toContain('principal.roles');
  expect(
    hiddenMember(
      [
        ['principal', 'subject'],
        ['request', 'parameters', 'id'],
        ['request', 'headers', 'x-crew'],
        ['resource', 'gates'],
      ],
      hidden,
    ),
  ).toBeNull();
  for (const path of [
    ['principal', 'roles'],
    ['principal'],
    ['client', 'id'],
    ['credentials'],
    ['request', 'query', 'a'],
    ['request'],
    ['request', 'headers'],
    ['request', 'headers', 'x-other'],
    ['request', 'address'],
  ])
    expect(hiddenMember([path], hidden)).toBe(path.join('.'));
});

describe('kept answers', () => {
  const answer = (covers: AuthorizerAnswer['covers'] = []): AuthorizerAnswer => ({
    says: 'allow',
    reason: '',
    tell: false,
    headers: {},
    covers,
    seconds: null,
  });
  const key = (who: string, path: string, where = 'GET'): AnswerKey => ({ who: `one\n${who}`, where, what: path, method: 'GET', path });
  const revocations = {};
  const rows = new Map();
  const grounds = { tables: [rows], revocations };

  test('are found by their key while nothing that they hang on has changed', () => {
    const memory = new AnswerMemory();
    memory.keep(key('a', '/x'), grounds, answer(), 1000, memory.drops);
    expect(memory.find(key('a', '/x'), grounds, 999)).not.toBeNull();
    for (const [asked, on, at] of [
      [key('a', '/x'), grounds, 1000],
      [key('b', '/x'), grounds, 1],
      [key('a', '/y'), grounds, 1],
      [key('a', '/x', 'HEAD'), grounds, 1],
      [key('a', '/x'), { ...grounds, revocations: {} }, 1],
      [key('a', '/x'), { ...grounds, tables: [new Map()] }, 1],
      [key('a', '/x'), { ...grounds, tables: [null] }, 1],
      [key('a', '/x'), { ...grounds, tables: [] }, 1],
    ] as const)
      expect(memory.find(asked, on, at)).toBeNull();
  });

  test('open what their patterns say, for nobody else, and are forgotten by name', () => {
    const memory = new AnswerMemory();
    memory.keep(key('a', '/gates/1'), grounds, answer([{ method: 'GET', path: '/gates/*' }]), 1000, memory.drops);
    expect(memory.find(key('a', '/gates/2'), grounds, 1)).not.toBeNull();
    expect(memory.find(key('a', '/other/2'), grounds, 1)).toBeNull();
    expect(memory.find(key('b', '/gates/2'), grounds, 1)).toBeNull();
    memory.drop('on');
    expect(memory.find(key('a', '/gates/1'), grounds, 1)).not.toBeNull();
    memory.drop('one');
    expect([memory.find(key('a', '/gates/1'), grounds, 1), memory.find(key('a', '/gates/2'), grounds, 1)]).toEqual([null, null]);
  });

  test('are as many as are counted; past their bound those go of whoever asked longest ago', () => {
    const memory = new AnswerMemory();
    const keep = (who: string, path: string) => memory.keep(key(who, path), grounds, answer(), 1000, memory.drops);
    const isKept = (who: string, path: string) => memory.find(key(who, path), grounds, 1) !== null;
    const each = ANSWER_MEMORY.answers / 2;
    for (const who of ['a', 'b']) for (let index = 0; index < each; index++) keep(who, `/${index}`);
    keep('b', '/0');
    expect([memory.size, isKept('b', '/1'), isKept('a', '/1')]).toEqual([2 * each, true, true]);
    keep('c', '/x');
    expect([memory.size, isKept('c', '/x'), isKept('a', '/1'), isKept('b', '/1')]).toEqual([each + 1, true, true, false]);
    memory.drop('one');
    expect(memory.size).toBe(0);
    for (let index = 0; index <= ANSWER_MEMORY.answers; index++) keep('alone', `/${index}`);
    expect(memory.size).toBe(0);
  });

  test('of one who asks about ever more paths push out none of others', () => {
    const memory = new AnswerMemory();
    const keep = (who: string, path: string) => memory.keep(key(who, path), grounds, answer(), 1000, memory.drops);
    keep('few', '/x');
    for (let index = 0; index < 3 * ANSWER_MEMORY.answers; index++) keep('many', `/${index}`);
    expect(memory.find(key('few', '/x'), grounds, 1)).not.toBeNull();
    expect(memory.size).toBeLessThanOrEqual(ANSWER_MEMORY.answers);
  });

  test('are not kept where answers were dropped since they were asked for', () => {
    const memory = new AnswerMemory();
    for (const name of ['one', null]) {
      const { drops } = memory;
      memory.drop(name);
      memory.keep(key('a', '/x'), grounds, answer([{ method: 'GET', path: '/**' }]), 1000, drops);
      expect([memory.find(key('a', '/x'), grounds, 1), memory.find(key('a', '/y'), grounds, 1)]).toEqual([null, null]);
    }
    memory.keep(key('a', '/x'), grounds, answer(), 1000, memory.drops);
    expect(memory.find(key('a', '/x'), grounds, 1)).not.toBeNull();
  });
});
