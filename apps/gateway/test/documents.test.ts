import { splitDocument, type ReleaseDocument } from '@virga/core';
import type { NodeAnswer } from '@virga/protocol/node';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import type { Server } from 'node:http';
import { join } from 'node:path';
import { GatewayNode } from '../src/gateway-node.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, NODE_TOKEN, startNode, until } from './harness.js';

/** Documents that come in parts, and drafts that are tried beside live traffic. */
let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let folder: string;
const servers: Server[] = [];

beforeEach(async () => {
  control = new FakeControl();
  await control.start();
  upstream = await echoUpstream();
  issuer = await makeIssuer();
  servers.push(upstream.server, issuer.server);
  ({ node, url, folder } = await startNode(control));
  await until(() => control.statuses.length > 0, 'the node');
});
afterEach(async () => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
  await node.stop();
  await control.stop();
});

const digest = (text: string): string => createHash('sha256').update(text).digest('base64url');

/** The usual operations and so many more, all guarded. */
function large(more: number, summary = ''): ReleaseDocument {
  const document = documentFor(upstream.url, issuer.issuer);
  const [api] = document.apis;
  const [guarded] = api?.operations.filter(({ id }) => id === 'GET /guarded') ?? [];
  if (!api || !guarded) throw new Error('the usual document has a guarded operation');
  const added = Array.from({ length: more }, (_, index) => ({
    ...guarded,
    id: `GET /more/${index}`,
    path: `/more/${index}`,
    // Only the last ones differ from one document to the next.
    summary: index === more - 1 ? summary : '',
  }));
  return { ...document, apis: [{ ...api, operations: [...api.operations, ...added] }] };
}

const offer = (number: number, document: ReleaseDocument, change: (hash: string, text: string) => string | null = (_hash, text) => text): readonly string[] => {
  const { carried, parts } = splitDocument(document, digest);
  control.parts.clear();
  for (const [hash, text] of parts) {
    const sent = change(hash, text);
    if (sent !== null) control.parts.set(hash, sent);
  }
  control.send({ type: 'release', number, hash: `h${number}`, document: carried });
  return [...parts.keys()];
};
const live = (number: number) => until(() => control.statuses.some(({ release }) => release?.number === number), `release ${number}`);
const refusal = (number: number) =>
  until(() => control.statuses.find(({ refusedRelease }) => refusedRelease?.number === number)?.refusedRelease, 'the refusal');
const status = async (path: string, at = url): Promise<number> => (await fetch(at + path)).status;

test('a large release is asked for in parts, and of the next one only what has changed', async () => {
  const first = offer(1, large(450));
  await live(1);
  expect(first).toHaveLength(5);
  expect(control.partsAsked).toEqual([first]);
  expect([await status('/a/more/0'), await status('/a/more/449'), await status('/a/more/450')]).toEqual([401, 401, 404]);
  const second = offer(2, large(450, 'another'));
  await live(2);
  expect(control.partsAsked).toEqual([first, second.filter((hash) => !first.includes(hash))]);
  expect(control.partsAsked[1]).toHaveLength(1);
});

test.each<[string, (hash: string, text: string) => string | null, RegExp]>([
  ['that nobody knows', () => null, /not the one that was asked for/],
  ['with one byte changed', (_hash, text) => text.replace('"GET"', '"PUT"'), /not the one that was asked for/],
  ['of another document', () => '[]', /not the one that was asked for/],
])('a part %s leaves the old release serving and is told', async (_name, change, words) => {
  offer(1, documentFor(upstream.url, issuer.issuer));
  await live(1);
  offer(2, large(250), change);
  expect((await refusal(2)).reason).toMatch(words);
  expect([await status('/a/open/1'), await status('/a/more/1')]).toEqual([200, 404]);
  offer(3, large(250));
  await live(3);
  expect(await status('/a/more/1')).toBe(401);
});

test.each<[string, string]>([
  ['no list', '{"id":"GET /more/1"}'],
  ['a list of something else', '[1,null,"x"]'],
])('a part that is %s is refused though its hash is right', async (_name, text) => {
  offer(1, documentFor(upstream.url, issuer.issuer));
  await live(1);
  const document = documentFor(upstream.url, issuer.issuer);
  control.parts.set(digest(text), text);
  const apis = document.apis.map((api) => ({ ...api, operations: [digest(text)] }));
  control.send({ type: 'release', number: 2, hash: 'h2', document: { ...document, apis } });
  expect((await refusal(2)).reason).toMatch(/^\/apis/);
  expect(await status('/a/open/1')).toBe(200);
});

test.each<[string, unknown, RegExp]>([
  ['nothing', null, /is an object/],
  ['a list', [], /is an object/],
  ['a text', 'x', /is an object/],
  ['no format', { apis: [] }, /whole number/],
  ['APIs that are none', { format: 2, environment: 'x', providers: [], certificateHeader: null, apis: [null] }, /must be an object/],
])('in place of a document %s is refused in words, and the old one serves on', async (_name, document, words) => {
  offer(1, documentFor(upstream.url, issuer.issuer));
  await live(1);
  control.send({ type: 'release', number: 2, hash: 'h2', document: document as never });
  expect((await refusal(2)).reason).toMatch(words);
  expect(await status('/a/open/1')).toBe(200);
});

test('a document that names more parts than there may be is refused before anything is asked for', async () => {
  const document = documentFor(upstream.url, issuer.issuer);
  const operations = Array.from({ length: 2001 }, (_, index) => digest(String(index)));
  control.send({ type: 'release', number: 1, hash: 'h1', document: { ...document, apis: document.apis.map((api) => ({ ...api, operations })) } });
  expect((await refusal(1)).reason).toMatch(/more than 2000 parts/);
  expect(control.partsAsked).toEqual([]);
});

test('a node starts alone from parts on disk; with one of them gone it serves nothing', async () => {
  offer(1, large(450));
  await live(1);
  const file = join(folder, 'release.sealed');
  await until(() => existsSync(file) && !existsSync(`${file}.next`), 'the kept release');
  const start = async (): Promise<[number, number]> => {
    const alone = new GatewayNode({
      name: 'alone',
      host: '127.0.0.1',
      port: 0,
      controlUrl: 'http://127.0.0.1:9',
      token: NODE_TOKEN,
      folder,
      log: () => undefined,
    });
    const at = await alone.start();
    try {
      return [await status('/a/more/449', at), alone.status().release?.number ?? 0];
    } finally {
      await alone.stop();
    }
  };
  expect(await start()).toEqual([401, 1]);
  const lines = readFileSync(file, 'latin1').trimEnd().split('\n');
  expect(lines).toHaveLength(7);
  for (const kept of [lines.slice(0, -1), lines.slice(0, 2), [...lines.slice(0, 2), ...lines.slice(3)], [...lines.slice(0, 5), lines[6], lines[5]]]) {
    writeFileSync(file, `${kept.join('\n')}\n`);
    expect(await start()).toEqual([503, 0]);
  }
});

describe('a draft', () => {
  let asks = 0;
  const probe = async (document: ReleaseDocument, target: string, headers: [string, string][] = []): Promise<NodeAnswer> => {
    const { carried, parts } = splitDocument(document, digest);
    for (const [hash, text] of parts) control.parts.set(hash, text);
    const askId = `draft-${asks++}`;
    control.send({
      type: 'probe',
      askId,
      hash: digest(JSON.stringify(document)),
      document: carried,
      request: { method: 'GET', target, headers: [['host', 'x'], ...headers], body: null },
      forward: false,
    });
    return until(() => control.answers.find((answer) => answer.askId === askId), 'the answer');
  };

  test('is fetched in parts too, and one that differs little is fetched little of', async () => {
    expect((await probe(large(450), '/a/more/449')).probe?.code).toBe('credential.missing');
    expect((await probe(large(450), '/a/more/3')).probe?.code).toBe('credential.missing');
    expect(control.partsAsked.map((hashes) => hashes.length)).toEqual([5]);
    expect((await probe(large(450, 'another'), '/a/more/449')).probe?.code).toBe('credential.missing');
    expect(control.partsAsked.map((hashes) => hashes.length)).toEqual([5, 1]);
  });

  test('whose parts cannot be had says so, and can be tried again', async () => {
    const document = large(450);
    const { carried, parts } = splitDocument(document, digest);
    const request = { method: 'GET', target: '/a/more/1', headers: [['host', 'x']] as [string, string][], body: null };
    control.send({ type: 'probe', askId: 'early', hash: digest(JSON.stringify(document)), document: carried, request, forward: false });
    const early = await until(() => control.answers.find(({ askId }) => askId === 'early'), 'the answer');
    expect([early.probe, early.error]).toEqual([null, expect.stringMatching(/not the one that was asked for/)]);
    expect(parts.size).toBe(5);
    expect((await probe(document, '/a/more/1')).probe?.code).toBe('credential.missing');
  });

  test('knows at once what is revoked', async () => {
    const token = await issuer.sign({ jti: 'one' });
    const headers: [string, string][] = [['authorization', `Bearer ${token}`]];
    const document = documentFor(upstream.url, issuer.issuer);
    expect((await probe(document, '/a/guarded', headers)).probe?.code).toBe('upstream.not-called');
    const revocation = { id: 'r', kind: 'jti', providerId: 'p', value: 'one', issuedBefore: null, reason: 'lost' } as const;
    control.send({ type: 'private-facts', secrets: {}, revocations: [revocation] });
    expect((await probe(document, '/a/guarded', headers)).probe?.code).toBe('claims.revoked');
  });

  test('is tried while others are, in any number that the node takes, and more are told so', async () => {
    const document = documentFor(upstream.url, issuer.issuer);
    const answers = await Promise.all(Array.from({ length: 100 }, () => probe(document, '/a/guarded')));
    const decided = answers.filter(({ probe: outcome }) => outcome?.code === 'credential.missing');
    const refused = answers.filter(({ error }) => /too many drafts/.test(error ?? ''));
    expect(decided.length).toBeGreaterThanOrEqual(64);
    expect(decided.length + refused.length).toBe(100);
  });
});
