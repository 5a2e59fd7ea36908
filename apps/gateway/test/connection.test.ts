import {
  closedPorts,
  compileRelease,
  CredentialMemory,
  decide,
  Exchange,
  type ApiRule,
  type SchemeRequirement,
  type SchemeRule,
  type VerifiedToken,
} from '@virga/core';
import { createHash } from 'node:crypto';
import { connect, type Socket } from 'node:net';
import { documentFor, raw, startGuarded, until } from './harness.js';

/** What a connection remembers must never decide for anybody: each request is decided by what it carries itself. */
let world: Awaited<ReturnType<typeof startGuarded>>;

beforeAll(async () => {
  world = await startGuarded();
});
afterAll(() => world.stop());

/** Sends requests over one connection, one after the other, and reads their status codes. */
async function over(headers: readonly string[], socket: Socket = connect(world.port, '127.0.0.1')): Promise<number[]> {
  let text = '';
  socket.on('data', (part: Buffer) => (text += part.toString('latin1')));
  const statuses = () => [...text.matchAll(/HTTP\/1\.1 (\d{3}) /g)].map(([, status]) => Number(status));
  for (const [index, header] of headers.entries()) {
    socket.write(`GET /a/guarded HTTP/1.1\r\nhost: x\r\n${header}\r\n`);
    await until(() => statuses().length > index, `answer ${index}`);
  }
  socket.destroy();
  return statuses();
}
const bearer = (token: string): string => `authorization: Bearer ${token}\r\n`;

test('over one connection every token is proved by itself, in whatever order they come', async () => {
  const [one, two, expired] = [await world.issuer.sign(), await world.issuer.sign({ sub: 'another' }), await world.issuer.sign({ exp: 1 })];
  // Last characters of a signature that decode to the same bytes are another spelling; one flipped in the middle is no signature.
  const at = one.length - 20;
  const tampered = one.slice(0, at) + (one[at] === 'A' ? 'B' : 'A') + one.slice(at + 1);
  const asked = [one, tampered, one, two, expired, two, tampered, tampered, one];
  expect(await over([...asked.map(bearer), '', bearer(one), bearer(`${one}x`), bearer(one.slice(0, -1)), bearer(one)])).toEqual([
    ...[200, 401, 200, 200, 401, 200, 401, 401, 200],
    ...[401, 200, 401, 401, 200],
  ]);
});

test('a token that is remembered is still held against what is revoked', async () => {
  const token = await world.issuer.sign({ jti: 'lost' });
  const socket = connect(world.port, '127.0.0.1');
  let text = '';
  socket.on('data', (part: Buffer) => (text += part.toString('latin1')));
  const ask = async (answers: number): Promise<string | undefined> => {
    socket.write(`GET /a/guarded HTTP/1.1\r\nhost: x\r\n${bearer(token)}\r\n`);
    await until(() => [...text.matchAll(/HTTP\/1\.1 /g)].length === answers, 'the answer');
    return [...text.matchAll(/HTTP\/1\.1 (\d{3}) /g)].at(-1)?.[1];
  };
  expect([await ask(1), await ask(2)]).toEqual(['200', '200']);
  const revocation = { id: 'r', kind: 'jti', value: 'lost', providerId: 'p', reason: '', issuedBefore: null } as const;
  world.control.send({ type: 'private-facts', secrets: {}, revocations: [revocation] });
  let answers = 2;
  await until(() => world.node.status().release !== null, 'the node');
  await new Promise((resolve) => setTimeout(resolve, 100));
  expect(await ask(++answers)).toBe('401');
  world.control.send({ type: 'private-facts', secrets: {}, revocations: [] });
  await new Promise((resolve) => setTimeout(resolve, 100));
  expect(await ask(++answers)).toBe('200');
  socket.destroy();
});

test('a token of one connection is worth nothing on another that does not carry it', async () => {
  const token = await world.issuer.sign();
  expect(await over([bearer(token), bearer(token)])).toEqual([200, 200]);
  expect(await over(['', bearer('x'.repeat(token.length)), ''])).toEqual([401, 401, 401]);
});

/** Requests of one connection, some of which have a body. None that has none is told of its end, so that the next must not wait for it. */
const MIXED: readonly { head: string; body: string; comes: string }[] = [
  { head: 'GET /a/open/1 HTTP/1.1\r\nhost: x\r\n', body: '', comes: '' },
  { head: 'POST /a/open/2 HTTP/1.1\r\nhost: x\r\ncontent-length: 5\r\n', body: 'fives', comes: 'fives' },
  { head: 'GET /a/open/3 HTTP/1.1\r\nhost: x\r\ncontent-length: 0\r\n', body: '', comes: '' },
  { head: 'PUT /a/open/4 HTTP/1.1\r\nhost: x\r\ntransfer-encoding: chunked\r\n', body: '3\r\nabc\r\n0\r\n\r\n', comes: 'abc' },
  { head: 'POST /a/open/5 HTTP/1.1\r\nhost: x\r\n', body: '', comes: '' },
  { head: 'POST /a/open/6 HTTP/1.1\r\nhost: x\r\ncontent-length: 70000\r\n', body: 'y'.repeat(70_000), comes: 'y'.repeat(70_000) },
  { head: 'GET /a/open/7 HTTP/1.1\r\nhost: x\r\n', body: '', comes: '' },
];
const echoes = (answers: string): { url: string; body: string }[] =>
  [...answers.matchAll(/"url":"([^"]*)".*?"body":"([^"]*)"/g)].map(([, url = '', body = '']) => ({ url, body }));
const expected = MIXED.map(({ comes }, index) => ({ url: `/open/${index + 1}`, body: comes }));

test('requests with and without a body are told apart where they come all at once', async () => {
  const answers = await raw(world.port, MIXED.map(({ head, body }) => `${head}\r\n${body}`).join(''));
  expect(echoes(answers.replaceAll(/\r\n[0-9a-f]+\r\n/g, ''))).toEqual(expected);
});

test('and where each comes once the one before was answered, time and again', async () => {
  const socket = connect(world.port, '127.0.0.1');
  let text = '';
  socket.on('data', (part: Buffer) => (text += part.toString('latin1')));
  const found = () => echoes(text.replaceAll(/\r\n[0-9a-f]+\r\n/g, ''));
  for (const [index, { head, body }] of [...MIXED, ...MIXED, ...MIXED].entries()) {
    socket.write(`${head}\r\n${body}`);
    await until(() => found().length > index, `answer ${index}`);
  }
  socket.destroy();
  expect(found()).toEqual([...expected, ...expected, ...expected]);
});

test('what a request without a body sends behind its head is the next request', async () => {
  const answers = await raw(world.port, 'GET /a/open/1 HTTP/1.1\r\nhost: x\r\n\r\nabc');
  expect([...answers.matchAll(/HTTP\/1\.1 (\d{3}) /g)].map(([, status]) => status)).toEqual(['200', '400']);
});

describe('what is remembered', () => {
  const digest = (text: string): string => createHash('sha256').update(text).digest('base64url');

  test('is the last text alone, and nothing is known before there was one', () => {
    const memory = new CredentialMemory().tokens;
    let made = 0;
    const counted = (text: string): string => (made++, digest(text));
    expect([memory.known(''), memory.known('a')]).toEqual([null, null]);
    expect([memory.of('a', counted), memory.of('a', counted), made]).toEqual([digest('a'), digest('a'), 1]);
    expect([memory.of('b', counted), memory.known('a'), memory.known('b'), memory.of('a', counted), made]).toEqual([digest('b'), null, 'b', digest('a'), 3]);
    expect(memory.of('', counted)).toBe(digest(''));
    expect([memory.known(''), memory.of('', counted)]).toEqual([null, digest('')]);
  });

  test('of a digest that could not be made is nothing', () => {
    const memory = new CredentialMemory().tokens;
    const failing = (): string => {
      throw new Error('no digest');
    };
    expect(() => memory.of('a', failing)).toThrow('no digest');
    expect(memory.known('a')).toBeNull();
    expect(memory.of('a', digest)).toBe(digest('a'));
  });

  test('changes nothing of what is decided: with and without it, the same', async () => {
    const key = { held: () => ({ generation: 1, state: 'fresh' as const, keys: [] }) };
    const ports = closedPorts({
      now: () => 1000,
      ticks: () => 0,
      digest,
      keys: { ...key, refetch: () => Promise.resolve(key.held()) },
    });
    const document = documentFor('http://127.0.0.1:9', 'https://issuer.example');
    const [api] = document.apis as [ApiRule];
    const place = { kind: 'header', name: 'x-api-key', scheme: null } as const;
    const scheme: SchemeRule = { name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place };
    const requirement = (name: string): SchemeRequirement => ({ scheme: name, scopes: [], match: 'all', roles: [] });
    const schemes = [...api.schemes, scheme];
    const either = { kind: 'required', origin: 'hand', alternatives: schemes.map(({ name }) => [requirement(name)]) } as const;
    const compiled = compileRelease({ ...document, apis: [{ ...api, schemes, access: either }] }, ports);
    const memory = new CredentialMemory();
    const known: VerifiedToken[] = [];
    // What came as a key comes as a token next, and the other way round.
    for (const text of ['a.b.c', 'a.b.c', 'white space', 'white space', 'x'.repeat(20_000), '"quoted"', '', 'a.b.c']) {
      for (const sent of [{ 'x-api-key': text }, { authorization: `Bearer ${text}` }, { 'x-api-key': text, authorization: `Bearer ${text}` }]) {
        const asked = { method: 'GET', target: '/a/guarded', headers: sent };
        const [without, with_] = [new Exchange(asked), new Exchange({ ...asked, memory })];
        const verdicts = [await decide(compiled, without), await decide(compiled, with_)];
        expect(verdicts[1]).toEqual(verdicts[0]);
        expect(with_.steps.map(({ finding }) => finding)).toEqual(without.steps.map(({ finding }) => finding));
        if (with_.token) known.push(with_.token);
      }
    }
    expect(known).toEqual([]);
  });
});
