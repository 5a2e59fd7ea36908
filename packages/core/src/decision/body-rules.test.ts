import fc from 'fast-check';
import { apiRule, NOW, operation, portsOf, providerRule, releaseOf, requires, TestKeys } from '../../test/support.js';
import type { AuthorizerRule } from '../document/authorizer-rule.js';
import type { ConditionUse } from '../document/condition-rule.js';
import type { ApiRule } from '../document/release-document.js';
import { NOTHING_KNOWN, type SupposedCaller, type SupposedToken } from '../suppose/supposed-caller.js';
import { ANY_REQUEST, type SupposedRequest } from '../suppose/supposed-request.js';
import { Supposition } from '../suppose/supposition.js';
import { askCall } from '../reach/ask-call.js';
import { Reach } from '../reach/reach.js';
import { compileRelease } from '../release/compile-release.js';
import { describeFallLine } from '../release/describe-fall-line.js';
import { runTrials } from '../trial/run-trials.js';
import { ConfigError } from '../util/config-error.js';
import { decide, decideContent } from './decide.js';
import { Exchange, type BodyContent } from './exchange.js';

const own = (source: string): ConditionUse => ({ kind: 'own', name: 'own', source });
const OPEN: Partial<ApiRule> = { access: { kind: 'public', origin: 'hand' }, operations: [operation('POST', '/moves')] };
const bytesOf = (text: string): BodyContent => ({ kind: 'bytes', bytes: new TextEncoder().encode(text) });

async function ask(
  source: string,
  content: BodyContent | null,
  type: string | null = 'application/json',
  change: Partial<ApiRule> = {},
): Promise<{ readonly code: string; readonly steps: readonly string[]; readonly operands: Readonly<Record<string, unknown>> }> {
  const release = compileRelease(releaseOf([providerRule()], apiRule({ ...OPEN, conditions: [own(source)], ...change })), portsOf(new TestKeys()));
  const headers: Record<string, string> = type === null ? {} : { 'content-type': type };
  const exchange = new Exchange({ method: 'POST', target: '/gates-api/moves', headers, body: content === null ? null : { bytes: null } });
  const head = await decide(release, exchange);
  if (head.kind === 'answer') return { code: head.finding.code, steps: [], operands: head.finding.operands };
  if (exchange.body !== null) exchange.body.content = content;
  const verdict = await decideContent(release, exchange);
  const found = verdict?.finding ?? exchange.steps[exchange.steps.length - 1]?.finding;
  return { code: found?.code ?? '', steps: exchange.steps.map(({ step, outcome }) => `${step} ${outcome}`), operands: found?.operands ?? {} };
}
const codeOf = async (...asked: Parameters<typeof ask>): Promise<string> => (await ask(...asked)).code;
const HALF = 'request.body.opening <= 50 && request.body.gate.startsWith("G-")';

describe('a condition that reads the body', () => {
  test('is asked when the body has come, and holds or not by what it says', async () => {
    expect(await codeOf(HALF, bytesOf('{"opening":50,"gate":"G-1"}'))).toBe('condition.met');
    expect(await codeOf(HALF, bytesOf('{"opening":51,"gate":"G-1"}'))).toBe('condition.not-met');
    expect(await codeOf(HALF, bytesOf('{"opening":50,"gate":"H-1"}'))).toBe('condition.not-met');
    expect(await codeOf('request.body.moves.all(m, m.opening < 10.5)', bytesOf('{"moves":[{"opening":1},{"opening":10}]}'))).toBe('condition.met');
    expect(await codeOf('request.body.moves.all(m, m.opening < 10.5)', bytesOf('{"moves":[{"opening":1},{"opening":11}]}'))).toBe('condition.not-met');
    expect(await codeOf('request.body == null', bytesOf('null'))).toBe('condition.met');
  });

  test('sees all of the body where it takes the request by another name', async () => {
    for (const source of ['[request].all(r, !has(r.body.force))', '[request.body].all(b, !has(b.force))', '[{"of": request}].all(m, !has(m.of.body.force))']) {
      expect([source, await codeOf(source, bytesOf('{"force":true}'))]).toEqual([source, 'condition.not-met']);
      expect([source, await codeOf(source, bytesOf('{"opening":1}'))]).toEqual([source, 'condition.met']);
      expect([source, await codeOf(source, bytesOf('{"id":9007199254740993}'))]).toEqual([source, 'condition.unread']);
    }
    // And all of its other members.
    expect(await codeOf('[request].all(r, r.headers["content-type"] == "application/json" && size(r.query) == 0)', bytesOf('{}'))).toBe('condition.met');
    expect(await codeOf('[request].all(r, !("content-type" in r.headers))', bytesOf('{}'))).toBe('condition.not-met');
  });

  test('reads forms', async () => {
    const form = 'application/x-www-form-urlencoded';
    expect(await codeOf('request.body.gate == "G 1"', bytesOf('gate=G+1&x=%C3%A9'), form)).toBe('condition.met');
    expect(await codeOf('request.body.gate == "G 1"', bytesOf('gate=G+1&gate=G+2'), form)).toBe('condition.unread');
    expect(await codeOf('request.body.gate == "G 1"', bytesOf('gate=G+1&x=%FF'), form)).toBe('condition.unread');
    expect(await codeOf('request.body.gate == "G 1"', bytesOf('%67ate=G+2&gate=G+1'), form)).toBe('condition.unread');
    expect(await codeOf('request.body.gate == "G 1"', bytesOf('gate=G+1&gate%5B%5D=G+2'), form)).toBe('condition.unread');
    expect(await codeOf('request.body.gate == "G 1"', bytesOf('gate=G+1&other[a]=1&other[b]=2'), form)).toBe('condition.met');
    // Where some readers begin another member.
    expect(await codeOf('!has(request.body.gate)', bytesOf('x=1;gate=G+2'), form)).toBe('condition.unread');
    expect(await codeOf('request.body.gate == "G;1"', bytesOf('gate=G%3B1'), form)).toBe('condition.met');
    // Some frameworks take the method from it (common practice).
    expect(await codeOf('request.body.gate == "1"', bytesOf('gate=1&_method=delete'), form)).toBe('condition.unread');
    expect(await codeOf('request.body.gate == "1"', bytesOf('gate=1&_method=slow'), form)).toBe('condition.met');
    expect(await codeOf('request.body.gate == "1" && request.body._method == "PUT"', bytesOf('gate=1&_method=PUT'), form)).toBe('condition.met');
  });

  // RFC 8259 sections 4, 6 and 8.1 name what readers are free to take differently.
  test.each<[string, string, string | null]>([
    ['a member that stands twice', '{"opening":1,"opening":99,"gate":"G-1"}', 'application/json'],
    ['a member that stands twice, once with an escape', '{"opening":1,"op\\u0065ning":99,"gate":"G-1"}', 'application/json'],
    ['a byte order mark', '\uFEFF{"opening":1,"gate":"G-1"}', 'application/json'],
    ['half of a body', '{"opening":1,"gate":"G-1"', 'application/json'],
    ['nothing', '', 'application/json'],
    ['a prototype', '{"opening":1,"gate":"G-1","__proto__":{"opening":99}}', 'application/json'],
    ['another type', '{"opening":1,"gate":"G-1"}', 'text/plain'],
    ['a type that is none', '{"opening":1,"gate":"G-1"}', 'json'],
    ['no type', '{"opening":1,"gate":"G-1"}', null],
    ['two types', '{"opening":1,"gate":"G-1"}', 'application/json, text/plain'],
    ['another character set', '{"opening":1,"gate":"G-1"}', 'application/json; charset=utf-16'],
    ['a character set of an extended form', '{"opening":1,"gate":"G-1"}', "application/json; charset*=utf-7''"],
    ['two character sets', '{"opening":1,"gate":"G-1"}', 'application/json; charset=utf-8; charset=utf-7'],
    ['parts', '{"opening":1,"gate":"G-1"}', 'multipart/form-data; boundary=x'],
  ])('refuses %s, which is never taken for none', async (_words, text, type) => {
    expect(await codeOf(HALF, bytesOf(text), type)).toBe('condition.unread');
    // Neither can a condition that asks whether something is there be met so.
    expect(await codeOf('!has(request.body) || !has(request.body.opening) || request.body.opening <= 50', bytesOf(text), type)).toBe('condition.unread');
  });

  test.each<BodyContent>([
    { kind: 'larger', limit: 10, pass: true },
    { kind: 'larger', limit: 10, pass: false },
    { kind: 'coded', coding: 'br' },
    { kind: 'no-room', limit: 10 },
    { kind: 'unfinished' },
  ])('refuses a body that was not read, whatever else may pass so: %j', async (content) => {
    expect(await codeOf(HALF, content)).toBe('condition.unread');
    expect(await codeOf('!has(request.body)', content)).toBe('condition.unread');
  });

  // RFC 8259 section 6: whole numbers are taken alike between -(2**53)+1 and (2**53)-1.
  test('refuses a whole number that it would round, where it looks at it', async () => {
    for (const id of ['9007199254740993', '9007199254740992', '-9007199254740993', '1234567890123456789', '1e16'])
      expect([id, await codeOf('request.body.by.id == request.body.by.id', bytesOf(`{"by":{"id":${id}}}`))]).toEqual([id, 'condition.unread']);
    expect(await codeOf('request.body.id == 9007199254740991', bytesOf('{"id":9007199254740991}'))).toBe('condition.met');
    expect(await codeOf('request.body.ids.all(i, i < 5)', bytesOf('{"ids":[1,9007199254740993]}'))).toBe('condition.unread');
    // What nobody looks at may be as large as it likes.
    expect(await codeOf(HALF, bytesOf('{"opening":50,"gate":"G-1","id":1234567890123456789}'))).toBe('condition.met');
    expect(await codeOf('request.body.size() > 0', bytesOf('{"opening":50,"id":1234567890123456789}'))).toBe('condition.unread');
  });

  test('tells no body from one that is empty or null', async () => {
    expect(await codeOf('!has(request.body)', null)).toBe('condition.met');
    expect(await codeOf('!has(request.body)', bytesOf('null'))).toBe('condition.not-met');
    expect(await codeOf('!has(request.body)', bytesOf('{}'))).toBe('condition.not-met');
    expect(await codeOf(HALF, null)).toBe('condition.error');
    expect(await codeOf(HALF, bytesOf('{}'))).toBe('condition.error');
    expect(await codeOf(HALF, bytesOf('[]'))).toBe('condition.error');
    expect(await codeOf(HALF, bytesOf('{"opening":null,"gate":"G-1"}'))).toBe('condition.error');
    expect(await codeOf(HALF, bytesOf('{"opening":"1","gate":"G-1"}'))).toBe('condition.error');
  });

  test('writes no text of a body into what is kept', async () => {
    const { operands } = await ask('request.body.name == "Ada" && request.body.litres > 5', bytesOf('{"name":"Grace Hopkins","litres":9}'));
    expect(operands['seen']).toEqual(['request.body.name: a text like xxxxx xxxxxxx']);
    const failed = await ask('request.body.name > 5', bytesOf('{"name":"Grace Hopkins"}'));
    expect(JSON.stringify(failed)).not.toContain('Grace');
    const missing = await ask('request.body.litres > 5', bytesOf('{"name":"Grace Hopkins"}'));
    expect(missing.operands['says']).toContain('litres');
    const looked = await ask('request.body[request.body.name] == 1', bytesOf('{"name":"Grace Hopkins"}'));
    expect(JSON.stringify(looked)).not.toContain('Grace');
  });

  test('comes behind what needs no body, and behind its contract', async () => {
    const two = { conditions: [own('request.body.opening == 1'), { kind: 'own', name: 'head', source: 'request.method == "POST"' } as const] };
    expect((await ask('', bytesOf('{"opening":1}'), 'application/json', two)).steps).toEqual([
      'route pass',
      'credential skip',
      'condition pass',
      'condition pass',
    ]);
    const release = compileRelease(releaseOf([providerRule()], apiRule({ ...OPEN, ...two })), portsOf(new TestKeys()));
    const [line] = release.apis[0]?.operations ?? [];
    const described = line ? describeFallLine(line, release).filter(({ step }) => step === 'condition') : [];
    expect(described.map(({ asks }) => asks.includes('once the body has come'))).toEqual([false, true]);
    expect(line?.needs.requestContent).toMatchObject({ hold: true });
  });

  test('keeps nobody waiting where it only observes', async () => {
    const observing = { modes: { all: 'enforce', checks: { condition: 'observe' } } } as const;
    const answer = await ask(HALF, bytesOf('{"opening":99,"gate":"G-1"}'), 'application/json', observing);
    expect(answer.steps.at(-1)).toBe('condition would-refuse');
    const release = compileRelease(releaseOf([providerRule()], apiRule({ ...OPEN, conditions: [own(HALF)], ...observing })), portsOf(new TestKeys()));
    expect(release.apis[0]?.operations[0]?.needs.requestContent).toMatchObject({ hold: false });
  });

  test('is bounded, however large a body is', async () => {
    const many = JSON.stringify({ moves: Array.from({ length: 20_000 }, (_, index) => ({ opening: index })) });
    expect((await ask('request.body.moves.all(m, m.opening >= 0)', bytesOf(many))).operands['says']).toMatch(/steps|cannot be used/);
  });

  // Readers that map members to those of a program know no case, and of two take the last (common practice).
  test.each<[string, string, string]>([
    ['a member in capitals beside its own', 'request.body.opening <= 50', '{"opening":5,"Opening":51}'],
    ['a member in capitals in front of it', 'request.body.opening <= 50', '{"OPENING":51,"opening":5}'],
    ['a member that is not there, in capitals', '!has(request.body.force)', '{"opening":5,"Force":true}'],
    ['a letter that is a form of another', '!has(request.body.secret)', '{"\u017fecret":true}'],
    ['a letter of another alphabet’s sign', '!has(request.body.key)', '{"\u212aey":true}'],
    ['a member further down', 'request.body.gate.opening <= 50', '{"gate":{"opening":5,"Opening":51}}'],
    ['what it stands in', 'request.body.gate.opening <= 50', '{"gate":{"opening":5},"Gate":{"opening":51}}'],
    ['a list of which all is looked at', 'request.body.moves.all(m, m.opening <= 50)', '{"moves":[{"opening":5,"Opening":51}]}'],
    ['all of the body', 'request.body.all(name, request.body[name] == 5)', '{"opening":5,"Opening":5}'],
  ])('refuses %s', async (_words, condition, body) => expect(await codeOf(condition, bytesOf(body))).toBe('condition.unread'));

  test.each<[string, string]>([
    ['brackets', 'opening=5&force%5B%5D=1'],
    ['brackets with a name', 'force[a]=1'],
    ['a dot', 'by.force=1'],
    ['a blank', 'by+force=1'],
    ['capitals', 'Force=1'],
  ])('refuses a member of a form that is not there but with %s', async (_words, body) => {
    const condition = '!has(request.body.force) && !has(request.body.by_force)';
    expect(await codeOf(condition, bytesOf(body), 'application/x-www-form-urlencoded')).toBe('condition.unread');
    expect(await codeOf(condition, bytesOf('opening=5&forces=1&a[force]=1'), 'application/x-www-form-urlencoded')).toBe('condition.met');
  });

  test('leaves alone what is not looked at', async () => {
    expect(await codeOf('request.body.opening <= 50', bytesOf('{"opening":5,"a":1,"A":2,"gate":{"b":1,"B":2}}'))).toBe('condition.met');
    expect(await codeOf('request.body.units.M == 1', bytesOf('{"units":{"M":1},"other":{"m":1}}'))).toBe('condition.met');
  });

  test('decides of any JSON as the language itself does', async () => {
    await fc.assert(
      fc.asyncProperty(fc.jsonValue({ maxDepth: 3 }), fc.oneof(fc.integer(), fc.double({ noNaN: true, noDefaultInfinity: true })), async (value, opening) => {
        const body = { value, opening };
        const code = await codeOf('request.body.opening <= 50.0 && has(request.body.value)', bytesOf(JSON.stringify(body)));
        // What cannot be read alike is refused; of all else the comparison of the language decides.
        if (code === 'condition.unread') return;
        expect(code).toBe(opening <= 50 ? 'condition.met' : 'condition.not-met');
      }),
      { numRuns: 200 },
    );
  });
});

const PROVIDER = providerRule({
  algorithms: ['ES256'],
  claimMap: {
    ...providerRule().claimMap,
    attributes: [{ name: 'sections', paths: ['sections'], split: 'none', stripPrefixes: [], table: [], unlisted: 'keep', fallback: [] }],
  },
});
const rider = (sections: readonly string[]): SupposedToken => ({
  kind: 'token',
  providerId: 'trust',
  form: 'jwt',
  typ: 'at+jwt',
  claims: { iss: PROVIDER.issuer, aud: 'https://api.example', sub: 'r', client_id: 'c', jti: 'j', iat: NOW / 1000 - 5, exp: NOW / 1000 + 600 },
  principal: { scopes: ['gates:read'], attributes: { sections } },
  vague: false,
});
const caller = (token: SupposedToken): SupposedCaller => ({ id: 'one', kind: 'persona', name: 'one', credentials: [token] });
const OWN_SECTION = 'request.body.section in principal.attributes.sections && request.body.opening <= 50';
const guarded = (change: Partial<ApiRule> = {}) =>
  releaseOf(
    [PROVIDER],
    apiRule({ access: requires('trust', 'gates:read'), operations: [operation('POST', '/moves')], conditions: [own(OWN_SECTION)], ...change }),
  );

describe('where nobody sent a body', () => {
  const unknown = { hour: true, address: true, request: true, authorizers: 'all' } as const;
  const reach = (change: Partial<ApiRule> = {}) => {
    const supposition = new Supposition(guarded(change), { facts: NOTHING_KNOWN, unknown, keys: null, authorizers: null });
    return new Reach(supposition, NOTHING_KNOWN, ANY_REQUEST, NOW);
  };

  test('a cell says that it hangs on the body, and on which members', async () => {
    const table = reach();
    const [only] = table.operations;
    if (!only) throw new Error('there is an operation');
    expect(await table.cell(only, caller(rider(['N'])))).toMatchObject({
      kind: 'conditional',
      hangsOn: ['the body (section)', 'the body (opening)'],
    });
    expect(await table.cell(only, { id: 'nobody', kind: 'nobody', name: 'nobody', credentials: [] })).toMatchObject({ kind: 'refused' });
  });

  test('what is known refuses all the same, and asking whether it is there is no answer', async () => {
    const either = reach({ conditions: [own('principal.scopes.exists(s, s == "other") && request.body.opening <= 50')] });
    expect(await either.cell(either.operations[0] as never, caller(rider(['N'])))).toMatchObject({ kind: 'refused', code: 'condition.not-met' });
    const present = reach({ conditions: [own('!has(request.body.force)')] });
    expect(await present.cell(present.operations[0] as never, caller(rider(['N'])))).toMatchObject({ kind: 'conditional' });
    const all = reach({ conditions: [own('request.body != null')] });
    expect(await all.cell(all.operations[0] as never, caller(rider(['N'])))).toMatchObject({ kind: 'conditional', hangsOn: ['the body'] });
  });

  test('a method that usually has no body may be sent one all the same', async () => {
    const table = reach({ operations: [operation('GET', '/moves'), operation('POST', '/moves'), operation('DELETE', '/moves')] });
    const kinds = await Promise.all(table.operations.map(async (one) => (await table.row(one, [caller(rider(['N']))]))[0]));
    expect(kinds).toMatchObject([{ kind: 'conditional' }, { kind: 'conditional' }, { kind: 'conditional' }]);
  });

  test('a body that is supposed is decided by, and what would let it through is found in it', async () => {
    const known = { hour: false, address: false, request: false, authorizers: 'none' } as const;
    const supposition = new Supposition(guarded(), { facts: NOTHING_KNOWN, unknown: known, keys: null, authorizers: null });
    const question = (body: number | { readonly content: string }) => ({
      method: 'POST',
      target: '/gates-api/moves',
      headers: { 'content-type': 'application/json' },
      address: '192.0.2.7',
      body,
      credentials: [rider(['N'])],
      atMs: NOW,
    });
    expect(await askCall(supposition, NOTHING_KNOWN, question({ content: '{"section":"N","opening":50}' }))).toMatchObject({ outcome: 'passed', hangsOn: [] });
    expect(await askCall(supposition, NOTHING_KNOWN, question(20))).toMatchObject({ outcome: 'passed', hangsOn: ['the body (section)', 'the body (opening)'] });
    const refused = await askCall(supposition, NOTHING_KNOWN, question({ content: '{"section":"N","opening":60}' }));
    expect(refused).toMatchObject({ outcome: 'refused', code: 'condition.not-met' });
    expect(refused?.letThrough.map(({ changes }) => changes.map(({ words }) => words))).toContainEqual(['opening 50 in the body']);
    const other = await askCall(supposition, NOTHING_KNOWN, question({ content: '{"section":"S","opening":10}' }));
    expect(other?.letThrough.flatMap(({ changes }) => changes.map(({ words }) => words))).toContain('section "N" in the body');
  });
});

describe('trials of bodies', () => {
  const run = (document: ReturnType<typeof guarded>, before: ReturnType<typeof guarded> | null = null) =>
    runTrials(document, before, { facts: NOTHING_KNOWN, scripts: null, nowMs: NOW, saved: [], ticks: () => 0 });

  test('try what the condition must refuse, with a caller that is let in with another body', async () => {
    const { items } = await run(guarded());
    expect(items.filter(({ result }) => result !== 'holds')).toEqual([]);
    const tried = new Map(items.map((item) => [item.tried, item.code]));
    for (const words of ['no body', 'a body that is null', 'a body without opening'])
      expect([words, tried.get(`a good caller, ${words}`)]).toEqual([words, 'condition.error']);
    for (const words of ['a body that ends early', 'the same body called text', 'a body in which opening stands twice'])
      expect([words, tried.get(`a good caller, ${words}`)]).toEqual([words, 'condition.unread']);
    expect(tried.get('a good caller, a body with another section')).toBe('condition.not-met');
    expect(tried.get('a good caller, a body with 51 as opening')).toBe('condition.not-met');
    // Rights are tried with a body that would pass, so that it is the right that is missing.
    expect(tried.get('a token without any scope')).toBe('rights.scope-missing');
  });

  test('find a draft that no longer asks, asks less, or only observes', async () => {
    const failing = async (change: Partial<ApiRule>) =>
      (await run(guarded(change), guarded())).items.filter(({ result }) => result === 'fails').map(({ tried }) => tried);
    expect(await failing({ conditions: [] })).toContain('a good caller, a body with another section');
    expect(await failing({ conditions: [own('request.body.opening <= 50')] })).toContain('a good caller, a body with another section');
    expect(await failing({ conditions: [own('!has(request.body.section) || request.body.section in principal.attributes.sections')] })).toContain(
      'a good caller, a body without section',
    );
    expect(await failing({ modes: { all: 'enforce', checks: { condition: 'observe' } } })).toContain('a good caller, a body with another section');
    expect(await failing({})).toEqual([]);
    // A caller who may send anything is not the one that is tried, where another one may not.
    const wide = own('request.body.opening <= 60 || "dispatcher" in principal.roles');
    const wider = await run(guarded({ conditions: [own('request.body.opening <= 70 || "dispatcher" in principal.roles')] }), guarded({ conditions: [wide] }));
    expect(wider.items.filter(({ result }) => result === 'fails').map(({ tried }) => tried)).toEqual(['a good caller, a body with 61 as opening']);
  });
});

describe('an authorizer that reads the body', () => {
  const script = (body: boolean, more: Partial<AuthorizerRule> = {}): AuthorizerRule => ({
    name: 'by body',
    description: '',
    by: {
      kind: 'script',
      source: `function decide({ request }) { return { allow: ${body ? 'request.body' : 'request.path'} === 1 } }`,
      timeMs: 20,
      megabytes: 8,
      tables: [],
      body,
    },
    passes: [],
    cache: null,
    cases: [],
    ...more,
  });
  const compile = (rule: AuthorizerRule) =>
    compileRelease({ ...releaseOf([PROVIDER], apiRule({ ...OPEN, authorizers: ['by body'] })), authorizers: [rule] }, portsOf(new TestKeys()));
  const service = (value: string, cache: AuthorizerRule['cache'] = null): AuthorizerRule => ({
    ...script(false),
    cache,
    by: {
      kind: 'service',
      url: 'https://decide.example',
      credential: null,
      timeoutMs: 1000,
      allowLoopbackHttp: false,
      privateHosts: [],
      signIn: null,
      question: {
        subjectType: 'user',
        subjectId: '"s"',
        action: '"a"',
        resourceType: 'gate',
        resourceId: '"r"',
        properties: [{ of: 'context', name: 'opening', value }],
      },
    },
  });

  test('waits for the body, and is waited for even where it only observes', () => {
    const steps = (rule: AuthorizerRule) => {
      const [only] = compile(rule).apis[0]?.operations ?? [];
      return [only?.fallLine.some(({ step }) => step === 'authorizer'), only?.later['request-content']?.some(({ step }) => step === 'authorizer') ?? false];
    };
    expect(steps(script(false))).toEqual([true, false]);
    expect(steps(script(true))).toEqual([false, true]);
    expect(steps(service('request.path'))).toEqual([true, false]);
    expect(steps(service('request.body.opening'))).toEqual([false, true]);
    const observed = compileRelease(
      { ...releaseOf([PROVIDER], apiRule({ ...OPEN, authorizers: ['by body'], modes: { all: 'observe', checks: {} } })), authorizers: [script(true)] },
      portsOf(new TestKeys()),
    );
    expect(observed.apis[0]?.operations[0]?.needs.requestContent).toMatchObject({ hold: true });
  });

  test('keeps no answer that hangs on a body', () => {
    const cache = { seconds: 60, key: ['caller', 'operation', 'path', 'query', 'address'] } as const;
    expect(() => compile(script(true, { cache }))).toThrow(/answers that hang on a body are not kept/);
    expect(() => compile(service('request.body.opening', cache))).toThrow(/request\.body/);
    expect(() => compile(service('request.path', cache))).not.toThrow();
  });

  test('names the body only where it is shown it', () => {
    const by = { ...script(true).by, body: false } as AuthorizerRule['by'];
    expect(() => compile({ ...script(true), by })).toThrow(ConfigError);
  });
});

test('a supposed body is decided with the header fields that go with it', () => {
  const supposition = new Supposition(guarded({ conditions: [own('request.headers["content-type"] == "application/json" && request.body.a == 1')] }), {
    facts: NOTHING_KNOWN,
    unknown: { hour: false, address: false, request: false, authorizers: 'none' },
    keys: null,
    authorizers: null,
  });
  const [only] = supposition.release.apis[0]?.operations ?? [];
  const request: SupposedRequest = { ...ANY_REQUEST, address: '192.0.2.7', headers: { 'content-type': 'application/json' }, body: { content: '{"a":1}' } };
  if (!only) throw new Error('there is an operation');
  const decided = (headers: SupposedRequest['headers']) =>
    supposition.decide({ operation: only, credentials: [rider(['N'])], request: { ...request, headers }, nowMs: NOW });
  expect(decided(request.headers)).toMatchObject({ verdict: { kind: 'forward' } });
  // One that comes without a type is decided without one.
  expect(decided({})).toMatchObject({ verdict: { kind: 'answer' } });
});
