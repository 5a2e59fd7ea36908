import type { ApiRule, CredentialFact, DirectoryChange, ReleaseDocument } from '@virga/core';
import type { FeedMessage } from '@virga/protocol/node';
import { createHash } from 'node:crypto';
import { appendFileSync, existsSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { GatewayNode } from '../src/gateway-node.js';
import { SealedLog } from '../src/snapshot/sealed-log.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, NODE_TOKEN, startNode, until } from './harness.js';

let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let folder: string;

const sha256 = (text: string): string => createHash('sha256').update(text).digest('base64url');
const client = (id: string, enabled = true): DirectoryChange => ({ what: 'client', id, value: { id, name: id, enabled, roles: [], metadata: {} } });
const key = (id: string, clientId: string, text: string, change: Partial<CredentialFact> = {}): DirectoryChange => ({
  what: 'credential',
  id,
  value: { id, clientId, kind: 'key', name: id, lookup: sha256(text), digest: null, expiresAt: null, revokedAt: null, ...change },
});
const whole = (number: number, first: boolean, last: boolean, ...changes: DirectoryChange[]): FeedMessage => ({
  type: 'directory',
  number,
  whole: { first, last },
  changes,
});
const change = (number: number, ...changes: DirectoryChange[]): FeedMessage => ({ type: 'directory', number, whole: null, changes });

/** The API of the harness, guarded by a key. */
function guarded(): ReleaseDocument {
  const document = documentFor(upstream.url, issuer.issuer);
  const [api] = document.apis as [ApiRule];
  const scheme = {
    name: 'key',
    type: 'apiKey',
    declared: 'apiKey',
    metadataUrl: null,
    providers: [],
    place: { kind: 'header', name: 'x-api-key', scheme: null },
  } as const;
  const access = { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'key', scopes: [], match: 'all', roles: [] }]] } as const;
  return { ...document, apis: [{ ...api, access, schemes: [...api.schemes, scheme], upstream: { ...api.upstream, sendCredential: false } }] };
}

beforeEach(async () => {
  control = new FakeControl();
  await control.start();
  [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
  control.first.push(whole(7, true, true, client('a'), key('k', 'a', 'one')));
  control.send({ type: 'release', number: 1, hash: 'h', document: guarded() });
  ({ node, url, folder } = await startNode(control));
  await until(() => node.status().release, 'the release');
});
afterEach(async () => {
  await node.stop();
  await control.stop();
  for (const { server } of [upstream, issuer]) {
    server.closeAllConnections();
    server.close();
  }
});

const call = async (text: string, at = url) => (await fetch(`${at}/a/guarded`, { headers: { 'x-api-key': text } })).status;
/** Waits until the directory on disk has so many lines. */
const kept = (lines: number) =>
  until(
    () => existsSync(join(folder, 'directory.sealed')) && readFileSync(join(folder, 'directory.sealed'), 'latin1').split('\n').length >= lines,
    'the directory on disk',
  );
const known = (number: number) => until(() => node.status().directory === number, `change ${number}`);

test('what the control plane tells counts at once, for requests and for drafts alike, and the key does not travel on', async () => {
  expect([await call('one'), await call('two')]).toEqual([200, 401]);
  expect(upstream.requests[0]?.headers).not.toHaveProperty('x-api-key');
  control.send(change(8, key('l', 'a', 'two')));
  await known(8);
  expect(await call('two')).toBe(200);
  control.send(change(9, key('k', 'a', 'one', { revokedAt: 1 })));
  await known(9);
  expect([await call('one'), await call('two')]).toEqual([401, 200]);
  const request = {
    method: 'GET',
    target: '/a/guarded',
    headers: [
      ['Host', 'x'],
      ['X-Api-Key', 'two'],
    ],
    body: null,
  } as const;
  control.send({ type: 'probe', askId: 'p', hash: 'draft', document: guarded(), request, forward: false });
  expect((await until(() => control.answers.find(({ askId }) => askId === 'p'))).probe).toMatchObject({ outcome: 'passed', code: 'upstream.not-called' });
  control.send(change(10, client('a', false)));
  await known(10);
  expect(await call('two')).toBe(401);
});

test('a whole directory replaces what was there only when its last part has come', async () => {
  control.send(whole(20, true, false, client('b')));
  control.send(whole(20, false, false, key('m', 'b', 'three')));
  await new Promise((resolve) => setTimeout(resolve, 100));
  expect([await call('one'), await call('three'), node.status().directory]).toEqual([200, 401, 7]);
  control.send(whole(20, false, true));
  await known(20);
  expect([await call('one'), await call('three')]).toEqual([401, 200]);
});

test.each<[string, FeedMessage]>([
  ['a change was lost on the way', change(9, key('k', 'a', 'one', { revokedAt: 1 }))],
  ['a change comes twice', change(7, client('a'))],
  [
    'a change cannot be read',
    { type: 'directory', number: 8, whole: null, changes: [{ what: 'credential', id: 'k', value: { id: 'k' } }] as unknown as DirectoryChange[] },
  ],
  ['a part comes without its beginning', whole(30, false, true, client('z'))],
])('nothing is guessed at when %s: the whole is asked for again', async (_name, message) => {
  control.first[0] = whole(40, true, true, client('a'), key('k', 'a', 'other'));
  control.send(message);
  await known(40);
  expect([await call('one'), await call('other')]).toEqual([401, 200]);
});

test('a node that starts alone knows its clients and their revocations from disk', async () => {
  control.send(change(8, key('l', 'a', 'two'), key('k', 'a', 'one', { revokedAt: 1 })));
  await known(8);
  await kept(4);
  expect(readFileSync(join(folder, 'directory.sealed'), 'latin1')).not.toMatch(/revokedAt|lookup/);
  await node.stop();
  await control.stop();
  const alone = await startNode(control, folder);
  node = alone.node;
  expect(node.status()).toMatchObject({ directory: 8, knownClients: 1, release: { number: 1 } });
  expect([await call('one', alone.url), await call('two', alone.url)]).toEqual([401, 200]);
});

test.each<[string, (file: string) => void]>([
  ['was changed', (file) => writeFileSync(file, readFileSync(file, 'latin1').replace(/[A-Z]/g, 'A'))],
  ['lost its beginning', (file) => writeFileSync(file, readFileSync(file, 'latin1').split('\n').slice(1).join('\n'))],
  ['is empty', (file) => truncateSync(file, 0)],
  ['is gone', (file) => rmSync(file)],
  ['lost all but its id', (file) => writeFileSync(file, `${readFileSync(file, 'latin1').split('\n')[0] ?? ''}\n`)],
])('a node whose directory on disk %s serves nothing until it is told', async (_name, spoil) => {
  await kept(3);
  await node.stop();
  await control.stop();
  spoil(join(folder, 'directory.sealed'));
  const alone = await startNode(control, folder);
  node = alone.node;
  expect(await call('one', alone.url)).toBe(503);
  expect(node.status().problems?.join()).toMatch(/clients/);
});

describe('entries that are added on disk', () => {
  const log = () => new SealedLog(NODE_TOKEN, 'entries', join(folder, 'log', 'entries'));

  test('are read in order; a last one that was being written is left out and the next ones stand behind the rest', async () => {
    const written = log();
    expect(await written.read()).toBeNull();
    await written.begin(['a', 'b']);
    await written.add('c', 'd');
    expect(await log().read()).toEqual(['a', 'b', 'c', 'd']);
    appendFileSync(join(folder, 'log', 'entries'), 'half of an ent');
    const again = log();
    expect(await again.read()).toEqual(['a', 'b', 'c', 'd']);
    await again.add('e');
    expect(await log().read()).toEqual(['a', 'b', 'c', 'd', 'e']);
  });

  test('that were taken out, moved, doubled or of another file are told', async () => {
    const written = log();
    await written.begin(['a', 'b', 'c']);
    const file = join(folder, 'log', 'entries');
    const [id = '', a = '', b = '', c = ''] = readFileSync(file, 'latin1').split('\n');
    for (const lines of [
      [id, a, c],
      [id, b, a, c],
      [id, a, a, b, c],
      ['other', a, b, c],
      [a, b, c],
    ]) {
      writeFileSync(file, `${lines.join('\n')}\n`);
      expect(await log().read()).toBe('unreadable');
    }
  });
});
