import { ENFORCED, NO_LANES, type ApiRule, type CheckMode, type HeaderLanes, type MessageOverride, type ModeRule, type ReleaseDocument } from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import { createServer, type Server, type Socket } from 'node:net';
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

/** An upstream that answers with whatever bytes a test gives it. */
let hostile: Server;
let hostileUrl: string;
let script: (socket: Socket) => void = () => undefined;

beforeAll(async () => {
  control = new FakeControl();
  await control.start();
  [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
  hostile = createServer((socket) => {
    socket.on('error', () => undefined);
    socket.once('data', () => script(socket));
  });
  await new Promise<void>((resolve) => hostile.listen(0, '127.0.0.1', resolve));
  hostileUrl = `http://127.0.0.1:${(hostile.address() as AddressInfo).port}`;
  ({ node, url, port } = await startNode(control));
});
afterAll(async () => {
  await node.stop();
  await control.stop();
  hostile.close();
  for (const { server } of [upstream, issuer]) {
    server.closeAllConnections();
    server.close();
  }
});

interface Rules {
  readonly message?: MessageOverride;
  readonly headers?: Partial<HeaderLanes>;
  readonly modes?: ModeRule;
  readonly at?: string;
}

function documentOf({ message = {}, headers = {}, modes = ENFORCED, at = upstream.url }: Rules): ReleaseDocument {
  const document = documentFor(at, issuer.issuer);
  const [api] = document.apis as [ApiRule];
  return { ...document, apis: [{ ...api, message: { ...api.message, ...message }, headers: { ...NO_LANES, ...headers }, modes }] };
}

async function publish(rules: Rules): Promise<void> {
  number++;
  control.send({ type: 'release', number, hash: `h${number}`, document: documentOf(rules) });
  await until(() => node.status().release?.number === number, `release ${number}`);
}

const traceOf = (id: string | null | undefined) => until(() => control.traces.find((trace) => trace.id === id), 'the trace');
const idOf = (answer: string): string | undefined => /x-request-id: (\S+)/i.exec(answer)?.[1];
const post = (body: string | null, headers: Record<string, string> = {}) =>
  fetch(`${url}/a/open/1`, { method: 'POST', headers, ...(body === null ? {} : { body }) });
const head = (lines: string) => `POST /a/open/1 HTTP/1.1\r\nHost: x\r\n${lines}\r\n\r\n`;
const modes = (mode: CheckMode): ModeRule => ({ all: mode, checks: {} });

describe('what a request sends', () => {
  test('a body within its bound and of a type that is taken goes up; a request without one is asked nothing', async () => {
    await publish({ message: { requestBytes: 20, contentTypes: ['application/json'] } });
    const answer = await post('{"a":1}', { 'content-type': 'Application/JSON; charset=utf-8' });
    expect(((await answer.json()) as { body: string }).body).toBe('{"a":1}');
    const trace = await traceOf(answer.headers.get('x-request-id'));
    expect(trace.steps.map(({ step, code, rule }) => [step, code, rule])).toEqual([
      ['route', 'route.matched', '/apis/0/operations/2'],
      ['credential', 'credential.not-asked', '/apis/0/operations/2/access'],
      ['type', 'type.accepted', '/apis/0/message/contentTypes'],
      ['size', 'size.within', '/apis/0/message/requestBytes'],
      ['upstream', 'upstream.answered', '/apis/0/upstream'],
    ]);
    expect((await fetch(`${url}/a/open/1`)).status).toBe(200);
  });

  // RFC 9110 section 15.5.16; the forms of Content-Type are those of section 8.3.1.
  test.each([
    ['another', 'text/plain'],
    ['none', null],
    ['an empty one', ''],
    ['no media type', 'json'],
    ['two in one', 'application/json, text/plain'],
    ['two parameters that hide one', 'text/plain; application/json'],
    ['a family only', 'application/*'],
    ['a suffix', 'application/json+evil'],
    ['a blank inside', 'application /json'],
  ])('a content type that is %s is refused with 415', async (_name, type) => {
    await publish({ message: { contentTypes: ['application/json'] } });
    const before = upstream.requests.length;
    const answer = await raw(port, `${head(`Content-Length: 2${type === null ? '' : `\r\nContent-Type: ${type}`}`)}{}`);
    expect(answer).toMatch(/^HTTP\/1\.1 415 /);
    expect(answer).toMatch(/^accept: application\/json/im);
    expect(upstream.requests.length).toBe(before);
  });

  // RFC 9110 section 7.6.1: what Connection names ends at the gateway, so its upstream would get a body of no type.
  test.each(['content-type', 'close, Content-Type', 'keep-alive,\tCONTENT-TYPE ,'])('a content type that Connection takes away (%s) is none', async (named) => {
    await publish({ message: { contentTypes: ['application/json'] } });
    const before = upstream.requests.length;
    const answer = await raw(port, `${head(`Content-Length: 2\r\nContent-Type: application/json\r\nConnection: ${named}`)}{}`);
    expect(answer).toMatch(/^HTTP\/1\.1 415 /);
    const trace = await traceOf(idOf(answer));
    expect([trace.code, upstream.requests.length, trace.requestHeaders.some(([name]) => name === 'content-type')]).toEqual(['type.missing', before, true]);
  });

  test('a credential that Connection takes away proves nobody, and stands in no trace', async () => {
    await publish({});
    const token = await issuer.sign();
    const ask = (named: string) =>
      raw(port, `GET /a/guarded?again=${token} HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${token}\r\nConnection: ${named}\r\n\r\n`);
    expect(await ask('close')).toMatch(/^HTTP\/1\.1 200 /);
    const answer = await ask('close, authorization');
    expect(answer).toMatch(/^HTTP\/1\.1 401 /);
    expect(JSON.stringify(await traceOf(idOf(answer)))).not.toContain(token.slice(-20));
  });

  test('two Content-Type lines are refused, whichever comes first', async () => {
    await publish({ message: { contentTypes: ['application/json'] } });
    for (const types of [
      ['application/json', 'text/plain'],
      ['text/plain', 'application/json'],
    ]) {
      const answer = await raw(port, `${head(`Content-Length: 2\r\n${types.map((type) => `Content-Type: ${type}`).join('\r\n')}`)}{}`);
      expect(answer).toMatch(/^HTTP\/1\.1 4\d\d /);
    }
  });

  test('a length beyond the bound is refused before the body is asked for (RFC 9110 section 10.1.1)', async () => {
    await publish({ message: { requestBytes: 10 } });
    const before = upstream.requests.length;
    const answer = await raw(port, head('Content-Length: 11\r\nExpect: 100-continue'));
    expect(answer).toMatch(/^HTTP\/1\.1 413 /);
    expect(answer).not.toMatch(/100 Continue/);
    expect(upstream.requests.length).toBe(before);
    const within = await raw(port, `${head('Content-Length: 10\r\nExpect: 100-continue\r\nConnection: close')}0123456789`);
    expect(within).toMatch(/^HTTP\/1\.1 100 Continue\r\n\r\nHTTP\/1\.1 200 /);
  });

  test('a length that is not said is counted, and what goes on too long is stopped with 413', async () => {
    await publish({ message: { requestBytes: 10 } });
    const chunk = '5\r\n01234\r\n';
    const within = await raw(port, `${head('Transfer-Encoding: chunked\r\nConnection: close')}${chunk}${chunk}0\r\n\r\n`);
    expect(within).toMatch(/^HTTP\/1\.1 200 /);
    const beyond = await raw(port, `${head('Transfer-Encoding: chunked')}${chunk}${chunk}1\r\nx\r\n0\r\n\r\n`);
    expect(beyond).toMatch(/^HTTP\/1\.1 413 /);
    const trace = await traceOf(idOf(beyond));
    expect([trace.code, trace.step, trace.outcome, trace.status]).toEqual(['size.too-large', 'size', 'refused', 413]);
    // One that never ends is answered while it still comes.
    const endless = await raw(port, `${head('Transfer-Encoding: chunked')}${chunk.repeat(50)}`);
    expect(endless).toMatch(/^HTTP\/1\.1 413 /);
  });

  test('where it only observes, everything goes up and what would have been refused is written down once', async () => {
    await publish({ message: { requestBytes: 4, contentTypes: ['application/json'] }, modes: modes('observe') });
    const answer = await raw(port, `${head('Transfer-Encoding: chunked\r\nConnection: close')}${'5\r\n01234\r\n'.repeat(3)}0\r\n\r\n`);
    expect(answer).toMatch(/^HTTP\/1\.1 200 /);
    const trace = await traceOf(idOf(answer));
    expect([trace.outcome, trace.code]).toEqual(['would-refuse', 'type.missing']);
    expect(trace.steps.filter(({ outcome }) => outcome === 'would-refuse').map(({ code }) => code)).toEqual(['type.missing', 'size.too-large']);
  });

  test('an operation’s own rule stands before the API’s', async () => {
    const document = documentOf({ message: { requestBytes: 4 } });
    const [api] = document.apis as [ApiRule];
    const operations = api.operations.map((one) => (one.id === 'POST /open/{id}' ? { ...one, message: { requestBytes: 'ANY_SIZE' as const } } : one));
    number++;
    control.send({ type: 'release', number, hash: `h${number}`, document: { ...document, apis: [{ ...api, operations }] } });
    await until(() => node.status().release?.number === number);
    expect([(await post('0123456789')).status, (await fetch(`${url}/a/open/1`, { method: 'PUT', body: '0123456789' })).status]).toEqual([200, 413]);
  });
});

describe('what an upstream answers', () => {
  const answering = async (text: string, rules: Rules) => {
    await publish({ ...rules, at: hostileUrl });
    script = (socket) => void socket.end(text, 'latin1');
    const answer = await raw(port, 'GET /a/open/1 HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n');
    return { answer, trace: await traceOf(idOf(answer)) };
  };
  const chunked = (parts: number) => `HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n${'5\r\nsecre\r\n'.repeat(parts)}0\r\n\r\n`;

  test('a length beyond the bound is 502, and nothing of it goes out', async () => {
    const { answer, trace } = await answering('HTTP/1.1 200 OK\r\nContent-Length: 30\r\n\r\nsecret secret secret secret sec', { message: { answerBytes: 20 } });
    expect(answer).toMatch(/^HTTP\/1\.1 502 /);
    expect(answer).not.toMatch(/secre/);
    expect([trace.outcome, trace.code, trace.steps.map(({ step }) => step)]).toEqual([
      'refused',
      'answer.too-large',
      ['route', 'credential', 'upstream', 'answer'],
    ]);
  });

  test('what is too long at once is 502 too, though its length is not said', async () => {
    const { answer, trace } = await answering(chunked(100), { message: { answerBytes: 20 } });
    expect(answer).toMatch(/^HTTP\/1\.1 502 /);
    expect(answer).not.toMatch(/secre/);
    expect([trace.outcome, trace.code]).toEqual(['refused', 'answer.too-large']);
  });

  test('what goes on too long without saying its length is cut off', async () => {
    await publish({ message: { answerBytes: 20 }, at: hostileUrl });
    script = (socket) => {
      socket.write('HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n');
      const timer = setInterval(() => (socket.writable ? void socket.write('5\r\nsecre\r\n') : clearInterval(timer)), 30);
      socket.on('close', () => clearInterval(timer));
    };
    const answer = await raw(port, 'GET /a/open/1 HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n');
    const trace = await traceOf(idOf(answer));
    expect(answer).toMatch(/^HTTP\/1\.1 200 /);
    expect(answer.endsWith('0\r\n\r\n')).toBe(false);
    expect((answer.match(/secre/g) ?? []).length).toBeLessThanOrEqual(4);
    expect([trace.outcome, trace.code]).toEqual(['refused', 'answer.too-large']);
  });

  test('within the bound it passes, in observe it passes beyond it', async () => {
    expect((await answering(chunked(4), { message: { answerBytes: 20 } })).answer).toMatch(/^HTTP\/1\.1 200 [\s\S]*0\r\n\r\n$/);
    const { answer, trace } = await answering(chunked(40), { message: { answerBytes: 20 }, modes: modes('observe') });
    expect([(answer.match(/secre/g) ?? []).length, trace.outcome, trace.code]).toEqual([40, 'would-refuse', 'answer.too-large']);
  });

  // RFC 9110 sections 15.2, 15.3.5 and 15.4.5, RFC 9112 section 6.3: answers without content, whatever length they say.
  test.each([
    ['204', 'HTTP/1.1 204 No Content\r\n\r\n', /^HTTP\/1\.1 204 /],
    ['304 with a length', 'HTTP/1.1 304 Not Modified\r\nContent-Length: 5000\r\nETag: "a"\r\n\r\n', /^HTTP\/1\.1 304 /],
    ['103 before the answer', 'HTTP/1.1 103 Early Hints\r\nLink: </a>\r\n\r\nHTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok', /^HTTP\/1\.1 200 [\s\S]*ok$/],
    ['trailers', 'HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n2\r\nok\r\n0\r\nX-Late: secret\r\n\r\n', /^HTTP\/1\.1 200 /],
  ])('%s', async (_name, text, expected) => {
    const { answer } = await answering(text, {
      message: { answerBytes: 20 },
      headers: { back: [{ action: 'add', name: 'x-note', value: { kind: 'text', text: 'seen' } }] },
    });
    expect(answer).toMatch(expected);
    expect(answer).toMatch(/x-note: seen/i);
    expect(answer).not.toMatch(/X-Late/i);
  });

  test.each([[256], [4096], [4097], [20_000]])('%i bytes of every value pass as they are, in one piece or in two', async (length) => {
    await publish({ at: hostileUrl });
    const body = Buffer.from(Array.from({ length }, (_, index) => (index * 7) % 256));
    const start = Buffer.from(`HTTP/1.1 200 OK\r\nContent-Type: application/octet-stream\r\nContent-Length: ${length}\r\n\r\n`);
    const whole = Buffer.concat([start, body]);
    for (const cut of [whole.length, start.length + 100]) {
      script = (socket) => {
        socket.write(whole.subarray(0, cut));
        setTimeout(() => socket.end(whole.subarray(cut)), 30);
      };
      const answer = await fetch(`${url}/a/open/1`);
      expect(Buffer.compare(Buffer.from(await answer.arrayBuffer()), body)).toBe(0);
    }
  });

  test('an answer that comes before the whole body went up is passed on', async () => {
    await publish({ message: { requestBytes: 1_000_000 }, at: hostileUrl });
    script = (socket) => void socket.write('HTTP/1.1 409 Conflict\r\nContent-Length: 2\r\n\r\nno');
    const answer = await raw(port, `${head('Transfer-Encoding: chunked')}5\r\n01234\r\n`);
    expect(answer).toMatch(/^HTTP\/1\.1 409 [\s\S]*no$/);
  });
});

describe('header lanes', () => {
  const seen = async (headers: Record<string, string>, token?: string) => {
    const answer = await fetch(`${url}/a/${token ? 'guarded' : 'open/1'}`, { headers: { ...headers, ...(token ? { authorization: `Bearer ${token}` } : {}) } });
    return { answer, up: ((await answer.json()) as { headers: IncomingHttpHeaders }).headers };
  };
  const caller = (name: string, member: 'client' | 'subject' | 'scopes') => ({ action: 'set', name, value: { kind: 'caller', member } }) as const;

  test('identity goes up in fields that no caller can forge, in whatever spelling', async () => {
    await publish({ headers: { up: [caller('x-caller', 'subject'), caller('x-client', 'client'), caller('x-scopes', 'scopes')] } });
    const forged = { 'x-caller': 'admin', x_caller: 'admin', 'X-Client': 'admin' };
    const { up } = await seen(forged, await issuer.sign());
    expect([up['x-caller'], up['x-client'], up['x-scopes'], up['x_caller']]).toEqual(['rider', 'tablet', 'read', undefined]);
    // Nobody was proved to call: there is nothing to say, and nothing that was forged goes on either.
    const { up: open } = await seen(forged);
    expect([open['x-caller'], open['x-client'], open['x_caller']]).toEqual([undefined, undefined, undefined]);
  });

  test('what a token says cannot break a header', async () => {
    await publish({ headers: { up: [caller('x-caller', 'subject')] } });
    const { up } = await seen({}, await issuer.sign({ sub: 'a\r\nx-admin: yes, ü' }));
    expect([up['x-caller'], up['x-admin']]).toEqual(['a??x-admin: yes, ?', undefined]);
  });

  test('fields are set, added and removed both ways; the platform is hidden by one switch; the trace names them', async () => {
    await publish({
      headers: {
        up: [
          { action: 'remove', name: 'x-debug' },
          { action: 'set', name: 'x-team', value: { kind: 'text', text: 'one' } },
          { action: 'set', name: 'x-team', value: { kind: 'text', text: 'two' } },
          { action: 'add', name: 'accept', value: { kind: 'text', text: 'text/plain' } },
        ],
        back: [
          { action: 'remove', name: 'x-own' },
          { action: 'set', name: 'x-note', value: { kind: 'text', text: 'hello' } },
        ],
        hidePlatform: true,
      },
    });
    const { answer, up } = await seen({ 'x-debug': '1', accept: 'application/json' });
    expect([up['x-debug'], up['x-team'], up.accept]).toEqual([undefined, 'two', 'application/json, text/plain']);
    expect([answer.headers.get('x-own'), answer.headers.get('x-note'), answer.headers.get('server')]).toEqual([null, 'hello', null]);
    const trace = await traceOf(answer.headers.get('x-request-id'));
    expect(trace.steps.filter(({ step }) => step.startsWith('lane')).map(({ code, rule }) => [code, rule])).toEqual([
      ['lane.up', '/apis/0/headers'],
      ['lane.back', '/apis/0/headers'],
    ]);
  });

  test('a probe of a draft takes the same way, bounds and headers included', async () => {
    const document = documentOf({
      message: { requestBytes: 4 },
      headers: { up: [{ action: 'set', name: 'x-team', value: { kind: 'text', text: 'one' } }], hidePlatform: true },
    });
    const ask = async (askId: string, body: string) => {
      const request = { method: 'POST', target: '/a/open/1', headers: [['Host', 'x']], body: Buffer.from(body).toString('base64') } as const;
      control.send({ type: 'probe', askId, hash: 'draft-of-bodies', document, request, forward: true });
      return (await until(() => control.answers.find((one) => one.askId === askId))).probe;
    };
    expect(await ask('b1', '12345')).toMatchObject({ outcome: 'refused', code: 'size.too-large', answer: { status: 413 } });
    const passed = await ask('b2', '1234');
    expect(passed).toMatchObject({ outcome: 'passed', answer: { status: 200 } });
    expect(passed?.answer?.body).toContain('"x-team":"one"');
  });
});
