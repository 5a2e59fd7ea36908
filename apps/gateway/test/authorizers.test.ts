import { SCRIPT_DEFAULTS, type ApiRule, type AuthorizerRule, type ScriptSource, type ServiceSource, type TableFact } from '@virga/core';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { GatewayNode } from '../src/gateway-node.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, raw, startNode, until } from './harness.js';

let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let port: number;
let number = 0;
let directory = 0;

beforeAll(async () => {
  control = new FakeControl();
  await control.start();
  [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
  control.first.push({ type: 'directory', number: 0, whole: { first: true, last: true }, changes: [] });
  control.first.push({ type: 'private-facts', secrets: { 'pdp-1': 'the secret of the gateway' }, revocations: [] });
  ({ node, url, port } = await startNode(control));
  await until(() => node.status().directory === 0, 'the directory');
});
afterAll(async () => {
  await node.stop();
  await control.stop();
  for (const { server } of [upstream, issuer]) {
    server.closeAllConnections();
    server.close();
  }
});

const script = (name: string, source: string, more: Partial<ScriptSource> = {}, rule: Partial<AuthorizerRule> = {}): AuthorizerRule => ({
  name,
  description: '',
  by: { kind: 'script', source, ...SCRIPT_DEFAULTS, tables: [], ...more },
  passes: [],
  cache: null,
  cases: [],
  ...rule,
});

async function publish(authorizers: readonly AuthorizerRule[], change: Partial<ApiRule> = {}): Promise<void> {
  number++;
  const document = documentFor(upstream.url, issuer.issuer);
  const [api] = document.apis as [ApiRule];
  control.send({
    type: 'release',
    number,
    hash: `h${number}`,
    document: { ...document, authorizers, apis: [{ ...api, authorizers: authorizers.map(({ name }) => name), ...change }] },
  });
  await until(() => node.status().release?.number === number, `release ${number}`);
}

const ask = async (path: string, headers: Record<string, string> = {}) => fetch(`${url}${path}`, { headers });
const status = async (path: string, headers: Record<string, string> = {}) => (await ask(path, headers)).status;
const lastStep = async (code: string) => {
  await until(() => control.traces.some((trace) => trace.code === code), `the trace of ${code}`);
  return control.traces.findLast((trace) => trace.code === code)?.steps.at(-1);
};

test('a script lets through, denies with a reason that the caller reads only where it says so, and asks for another proof', async () => {
  await publish([
    script(
      'own section',
      `function decide({ request, principal }) {
        if (request.query.again) return { allow: false, signIn: true, reason: 'the session has ended', tell: true };
        if (request.query.quiet) return { allow: false, reason: 'a secret of ours' };
        return { allow: principal.scopes.includes('read') && request.query.section === 'N2', reason: 'another section', tell: true };
      }`,
    ),
  ]);
  const authorization = `Bearer ${await issuer.sign()}`;
  expect(await status('/a/guarded?section=N2')).toBe(401);
  expect(await status('/a/guarded?section=N2', { authorization })).toBe(200);
  const denied = await ask('/a/guarded?section=N3', { authorization });
  expect(denied.status).toBe(403);
  expect(await denied.json()).toMatchObject({ type: 'urn:virga:problem:not-permitted', detail: 'another section' });
  const quiet = await ask('/a/guarded?section=N3&quiet=1', { authorization });
  expect([quiet.status, await quiet.text()]).toEqual([403, expect.not.stringContaining('secret') as string]);
  // What readers take differently is not shown: it could be met by what the upstream does not read.
  for (const query of ['section=N2;section=N3', 'section=N2&x=1;quiet=1', 'section=N2&section[]=N3', 'section=%FF'])
    expect([query, await status(`/a/guarded?${query}`, { authorization })]).toEqual([query, 400]);
  expect(await status('/a/guarded?section=N2', { authorization, 'x-mine': '1', x_other: '1' })).toBe(200);
  expect(await status('/a/guarded?section=N2', { authorization, 'x-mine': '1', x_mine: '2' })).toBe(400);
  const again = await ask('/a/guarded?again=1', { authorization });
  expect([again.status, again.headers.get('www-authenticate')]).toEqual([401, expect.stringMatching(/^Bearer realm="A"/) as string]);
  expect(await lastStep('authorizer.denied')).toMatchObject({
    step: 'authorizer',
    outcome: 'refuse',
    rule: '/apis/0/authorizers/0',
    operands: { name: 'own section' },
  });
});

test('what it may pass up comes from it alone, whatever a caller sends', async () => {
  await publish([
    script(
      'names',
      'function decide({ request }) { return { allow: true, headers: request.query.pass ? { "X-Section": "N2" } : {} } }',
      {},
      { passes: ['x-section'] },
    ),
  ]);
  const seen = async (query: string, lines: string) => {
    const answer = await raw(port, `GET /a/open/1${query} HTTP/1.1\r\nHost: x\r\nConnection: close\r\n${lines}\r\n`);
    return (JSON.parse(answer.slice(answer.indexOf('{'), answer.lastIndexOf('}') + 1)) as { headers: Record<string, string> }).headers;
  };
  for (const name of ['X-Section', 'x_section', 'X-SECTION']) {
    const without = await seen('', `${name}: forged\r\n`);
    expect(Object.keys(without).filter((field) => /section/i.test(field))).toEqual([]);
    expect((await seen('?pass=1', `${name}: forged\r\n`))['x-section']).toBe('N2');
  }
});

test('a script that fails, hangs, wants too much or answers with nothing refuses, each with its own code', async () => {
  await publish([
    script(
      'hostile',
      `function decide({ request }) {
        switch (request.query.how) {
          case 'loop': for (;;);
          case 'memory': { const all = []; for (;;) all.push(new Uint8Array(1e6)); }
          case 'throw': throw new Error('no such thing');
          case 'nothing': return;
          case 'yes': return { allow: 'true' };
          case 'header': return { allow: true, headers: { authorization: 'x' } };
          case 'stuck': return 'a'.repeat(2e6).indexOf('a'.repeat(1e6) + 'b') < 0 ? { allow: true } : { allow: true };
          default: return { allow: true };
        }
      }`,
      { timeMs: 100 },
    ),
  ]);
  for (const [how, code] of [
    ['loop', 'authorizer.time'],
    ['memory', 'authorizer.memory'],
    ['throw', 'authorizer.fault'],
    ['nothing', 'authorizer.fault'],
    ['yes', 'authorizer.answer'],
    ['header', 'authorizer.answer'],
    // Nothing in the interpreter looks at the clock meanwhile: the thread is ended.
    ['stuck', 'authorizer.time'],
  ] as const) {
    expect({ how, status: await status(`/a/open/${how}?how=${how}`) }).toEqual({ how, status: 500 });
    await until(() => control.traces.some((trace) => trace.path === `/a/open/${how}` && trace.code === code), `${how}: ${code}`);
    // What ended a thread is left alone for a while; what did not goes on.
    expect(await status('/a/open/1')).toBe(how === 'stuck' ? 503 : 200);
  }
});

test('while one authorizer loops in every thread, requests of others go on', async () => {
  await publish([script('loops', 'function decide() { for (;;); }', { timeMs: 200 }), script('quick', 'function decide() { return { allow: true } }')], {
    authorizers: ['quick'],
    operations: documentFor(upstream.url, issuer.issuer).apis[0]!.operations.map((operation) =>
      operation.id === 'PUT /open/{id}'
        ? { ...operation, authorizers: ['loops'] }
        : operation.id === 'POST /open/{id}'
          ? { ...operation, authorizers: [] }
          : operation,
    ),
  });
  expect(await status('/a/open/1')).toBe(200);
  let ended = 0;
  const looping = Promise.all(
    Array.from({ length: 300 }, async () => {
      const { status: code } = await fetch(`${url}/a/open/1`, { method: 'PUT' });
      if (code !== 503) ended++;
      return code;
    }),
  );
  for (let index = 0; index < 20; index++) expect((await fetch(`${url}/a/open/1`, { method: 'POST' })).status).toBe(200);
  // An authorizer whose turn comes waits for one call of the other, not for all that wait.
  for (let index = 0; index < 3; index++) expect(await status('/a/open/1')).toBe(200);
  expect(ended).toBeLessThan(250);
  const counted = new Map<number, number>();
  for (const code of await looping) counted.set(code, (counted.get(code) ?? 0) + 1);
  // More than may wait are refused at once, those that waited too long when their turn comes; none gets in.
  expect([...counted.keys()].sort()).toEqual([500, 503]);
});

test('tables act at once, and one that is not there refuses', async () => {
  await publish([
    script('not locked out', 'function decide({ request, resource }) { return { allow: !(request.parameters.id in resource.lockouts) } }', {
      tables: ['lockouts'],
    }),
  ]);
  const table = async (value: TableFact | null) => {
    directory++;
    control.send({ type: 'directory', number: directory, whole: null, changes: [{ what: 'table', id: 'lockouts', value }] });
    await until(() => node.status().directory === directory, 'the table');
  };
  expect(await status('/a/open/7')).toBe(500);
  await table({ id: 'lockouts', key: 'gate', columns: ['gate'], rows: [['8']] });
  expect([await status('/a/open/7'), await status('/a/open/8')]).toEqual([200, 403]);
  await table({ id: 'lockouts', key: 'gate', columns: ['gate'], rows: [['7']] });
  expect([await status('/a/open/7'), await status('/a/open/8')]).toEqual([403, 200]);
  await table(null);
  expect(await status('/a/open/8')).toBe(500);
});

test('an answer that is kept is used for what its key and its patterns say, and for nothing else', async () => {
  let calls = 0;
  const counting = createServer((req, res) => {
    req.resume();
    calls++;
    res.writeHead(200, { 'content-type': 'application/json' }).end('{"decision":true}');
  });
  const address = await new Promise<number>((resolve) => counting.listen(0, '127.0.0.1', () => resolve((counting.address() as AddressInfo).port)));
  const service: ServiceSource = {
    kind: 'service',
    url: `http://127.0.0.1:${address}/access/v1/evaluation`,
    credential: null,
    timeoutMs: 1000,
    allowLoopbackHttp: true,
    privateHosts: [],
    question: {
      subjectType: 'user',
      subjectId: 'principal.subject',
      action: 'request.method',
      resourceType: 'gate',
      resourceId: 'request.path',
      properties: [],
    },
    signIn: null,
  };
  const cached = { name: 'cached', description: '', by: service, passes: [], cache: { seconds: 60, key: ['caller', 'operation', 'path'] }, cases: [] } as const;
  await publish([cached]);
  const tokens = await Promise.all([issuer.sign({ sub: 'one' }), issuer.sign({ sub: 'two' })]);
  for (const token of [tokens[0], tokens[0], tokens[1], tokens[0]]) expect(await status('/a/guarded', { authorization: `Bearer ${token ?? ''}` })).toBe(200);
  expect(calls).toBe(2);
  // Forgotten on request, with a revocation, and with another rule.
  control.send({ type: 'drop-answers', name: 'cached' });
  const askUntil = async (wanted: number) => {
    for (let tries = 0; tries < 100 && calls < wanted; tries++) expect(await status('/a/guarded', { authorization: `Bearer ${tokens[0] ?? ''}` })).toBe(200);
    expect(calls).toBe(wanted);
  };
  await askUntil(3);
  control.send({
    type: 'private-facts',
    secrets: { 'pdp-1': 'the secret of the gateway' },
    revocations: [{ kind: 'subject', value: 'three', providerId: 'p' }] as never,
  });
  await askUntil(4);
  await publish([{ ...cached, cache: { seconds: 59, key: ['caller', 'operation', 'path'] } }]);
  expect(await status('/a/guarded', { authorization: `Bearer ${tokens[0] ?? ''}` })).toBe(200);
  expect(calls).toBe(5);
  counting.closeAllConnections();
  counting.close();
});

test('a script whose answers are kept is shown only what their key has', async () => {
  const source = `function decide({ request, principal }) {
    switch (request.query.look) {
      case 'address': return { allow: request.address !== '' };
      case 'header': return { allow: request.headers['x-other'] !== 'no' };
      case 'mine': return { allow: request.headers['x-mine'] === 'yes' };
      case 'roles': return { allow: !principal.roles.includes('x') };
      default: return { allow: true, covers: [{ method: 'GET', path: '/a/open/*' }] };
    }
  }`;
  await publish([script('kept', source, {}, { cache: { seconds: 60, key: ['subject', 'operation', 'path', 'query', 'header:x-mine'] } })]);
  for (const look of ['address', 'header', 'roles']) expect({ look, status: await status(`/a/open/1?look=${look}`) }).toEqual({ look, status: 500 });
  expect([await status('/a/open/1?look=mine', { 'x-mine': 'yes' }), await status('/a/open/1?look=mine', { 'x-mine': 'no' })]).toEqual([200, 403]);
  // An answer with a pattern opens what the pattern says, for the same caller, query and header.
  const callsOf = () => node.status().authorizers?.find(({ name }) => name === 'kept');
  const before = callsOf()?.kept ?? 0;
  expect([await status('/a/open/1'), await status('/a/open/2'), await status('/a/open/3')]).toEqual([200, 200, 200]);
  expect((callsOf()?.kept ?? 0) - before).toBe(2);
  expect(await status('/a/open/4', { 'x-mine': 'other' })).toBe(200);
  expect((callsOf()?.kept ?? 0) - before).toBe(2);
});

describe('a decision service (AuthZEN, messages from memory)', () => {
  let server: Server;
  let answer: (body: unknown, headers: Record<string, unknown>) => { status: number; text: string; afterMs?: number };
  const asked: { body: unknown; headers: Record<string, unknown> }[] = [];
  let service: ServiceSource;

  beforeAll(async () => {
    server = createServer((req, res) => {
      let text = '';
      req.on('data', (part) => (text += String(part)));
      req.on('end', () => {
        const body: unknown = JSON.parse(text);
        asked.push({ body, headers: req.headers });
        const { status: code, text: said, afterMs = 0 } = answer(body, req.headers);
        setTimeout(() => res.writeHead(code, { 'content-type': 'application/json' }).end(said), afterMs);
      });
    });
    const at = await new Promise<number>((resolve) => server.listen(0, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)));
    service = {
      kind: 'service',
      url: `http://127.0.0.1:${at}/access/v1/evaluation`,
      credential: { kind: 'bearer', secret: 'pdp-1' },
      timeoutMs: 300,
      allowLoopbackHttp: true,
      privateHosts: [],
      question: {
        subjectType: 'user',
        subjectId: 'principal.subject',
        action: '"trade"',
        resourceType: 'right',
        resourceId: 'request.query.right',
        properties: [
          { of: 'subject', name: 'scopes', value: 'principal.scopes' },
          { of: 'context', name: 'amount', value: 'int(request.query.amount)' },
        ],
      },
      signIn: { pointer: '/context/code', value: 'unauthenticated' },
    };
  });
  afterAll(() => {
    server.closeAllConnections();
    server.close();
  });
  const remote = (change: Partial<ServiceSource> = {}): AuthorizerRule => ({
    name: 'water right',
    description: '',
    by: { ...service, ...change },
    passes: [],
    cache: null,
    cases: [],
  });

  test('is asked as the text says, and its answer is held to be no more than it says', async () => {
    await publish([remote()]);
    const authorization = `Bearer ${await issuer.sign()}`;
    answer = () => ({ status: 200, text: '{"decision":true}' });
    expect(await status('/a/guarded?right=R7&amount=12', { authorization })).toBe(200);
    const last = asked[asked.length - 1];
    expect(last?.body).toEqual({
      subject: { type: 'user', id: 'rider', properties: { scopes: ['read'] } },
      action: { name: 'trade' },
      resource: { type: 'right', id: 'R7' },
      context: { amount: 12 },
    });
    expect(last?.headers['authorization']).toBe('Bearer the secret of the gateway');
    for (const [text, wanted, code = 200] of [
      ['{"decision":false}', 403],
      ['{"decision":false,"context":{"code":"unauthenticated"}}', 401],
      ['{"decision":true,"context":{"code":"unauthenticated"}}', 200],
      ['{"decision":"true"}', 500],
      ['{"decision":1}', 500],
      ['{"decision":null}', 500],
      ['{}', 500],
      ['{"decision":false,"decision":true}', 500],
      ['[{"decision":true}]', 500],
      ['decision', 500],
      ['', 500],
      // What the service says of the gateway's own question is never the caller's 401 or 403.
      ['{"decision":true}', 503, 401],
    ] as const) {
      answer = () => ({ status: code, text });
      expect({ text, status: await status('/a/guarded?right=R7&amount=12', { authorization }) }).toEqual({ text, status: wanted });
    }
    // What the request does not have cannot be asked about: as with a condition, that is refused and nobody's fault.
    answer = () => ({ status: 200, text: '{"decision":true}' });
    const before = asked.length;
    for (const query of ['', '?right=&amount=1', '?right=R7&amount=x'])
      expect({ query, status: await status(`/a/guarded${query}`, { authorization }) }).toEqual({ query, status: 403 });
    // What readers take differently is not asked about either.
    for (const query of ['?right=R7&right=R8&amount=1', '?right=R7&amount=1;right=R8', '?x=1;right=R8&right=R7&amount=1'])
      expect({ query, status: await status(`/a/guarded${query}`, { authorization }) }).toEqual({ query, status: 400 });
    expect(asked).toHaveLength(before);
    await until(
      () => control.traces.some(({ steps }) => steps.at(-1)?.code === 'authorizer.question' && /the resource/.test(String(steps.at(-1)?.operands['says']))),
      'the trace',
    );
  });

  test('that is slow or fails refuses, is left alone for a moment, and is asked again', async () => {
    await publish([remote({ timeoutMs: 60 })]);
    const authorization = `Bearer ${await issuer.sign()}`;
    answer = () => ({ status: 200, text: '{"decision":true}', afterMs: 500 });
    for (let index = 0; index < 5; index++) expect(await status('/a/guarded?right=R7&amount=1', { authorization })).toBe(503);
    const before = asked.length;
    const from = performance.now();
    expect(await status('/a/guarded?right=R7&amount=1', { authorization })).toBe(503);
    expect(asked.length).toBe(before);
    expect(performance.now() - from).toBeLessThan(60);
    await until(() => control.traces.some(({ steps }) => /left alone/.test(String(steps.at(-1)?.operands['says']))), 'the trace');
  });

  test('whose secret is not on the node is not asked', async () => {
    await publish([remote({ credential: { kind: 'bearer', secret: 'gone' }, timeoutMs: 250 })]);
    const before = asked.length;
    expect(await status('/a/guarded?right=R7&amount=1', { authorization: `Bearer ${await issuer.sign()}` })).toBe(503);
    expect(asked.length).toBe(before);
  });
});

test('observed, it refuses nobody and passes nothing up that it did not allow', async () => {
  await publish(
    [
      script(
        'watching',
        'function decide({ request }) { return request.query.no ? { allow: false } : { allow: true, headers: { "x-a": "1" } } }',
        {},
        { passes: ['x-a'] },
      ),
    ],
    {
      modes: { all: 'enforce', checks: { authorizer: 'observe' } },
    },
  );
  const seen = async (path: string) => ((await (await ask(path, { 'x-a': 'forged' })).json()) as { headers: Record<string, string> }).headers['x-a'];
  expect([await seen('/a/open/1'), await seen('/a/open/1?no=1')]).toEqual(['1', undefined]);
});

test('is tried with inputs by hand, by the code that requests take, without being part of anything', async () => {
  const rule = script(
    'tried',
    'function decide({ request, resource }) { return { allow: request.method === "GET" && !resource.lockouts[request.parameters.id], reason: "no" } }',
    { tables: ['lockouts'] },
  );
  control.send({
    type: 'try-authorizer',
    askId: 'try-1',
    request: {
      rule,
      inputs: [
        '{"request":{"method":"GET","parameters":{"id":"1"}},"resource":{"lockouts":{}}}',
        '{"request":{"method":"GET","parameters":{"id":"1"}},"resource":{"lockouts":{"1":{"since":"May"}}}}',
        '{"request":{"method":"GET"}}',
        'no JSON',
        '{"other":1}',
        '{"request":[],"resource":{"lockouts":{}}}',
        '{"resource":{"lockouts":{"1":{"since":5}}}}',
      ],
    },
  });
  const found = await until(() => control.answers.find(({ askId }) => askId === 'try-1'), 'the answer');
  expect(found.error).toBeNull();
  expect(found.tried?.map(({ says }) => says)).toEqual(['allow', 'deny', 'error', 'error', 'error', 'error', 'error']);
  control.send({
    type: 'try-authorizer',
    askId: 'try-2',
    request: { rule: { ...rule, by: { ...rule.by, source: 'function decide( {' } as ScriptSource }, inputs: ['{"resource":{"lockouts":{}}}'] },
  });
  expect((await until(() => control.answers.find(({ askId }) => askId === 'try-2'), 'the answer')).tried?.[0]).toMatchObject({
    says: 'error',
    code: 'authorizer.fault',
  });
});
