import type { ApiView, ContractReading, OperationView, ProviderView, PublishView, ReimportView, StandingView } from '@virga/protocol';
import { exportJWK, generateKeyPair } from 'jose';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import sqlite3 from 'sqlite3';
import { SignInBudget, SIGN_IN_LIMITS } from '../src/session/sign-in-budget.js';
import { Store, StoreError } from '../src/store/store.js';
import { SettingRow } from '../src/store/models/configuration.js';
import { CONTRACT, PASSWORD, RunningServer, until } from './harness.js';

/** What one caller, one file or one failure can do to the control plane. */
let server: RunningServer;
const servers: Server[] = [];
const JSON_TYPE = { 'content-type': 'application/json' };

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
});
afterAll(async () => {
  for (const one of servers) one.close();
  await server.stop();
});

const bringIn = async (basePath: string, text = CONTRACT): Promise<ApiView> =>
  (await server.ok<{ api: ApiView }>('POST', '/apis', { source: { text }, basePath, upstreamUrl: 'http://127.0.0.1:9' })).api;

describe('signing in', () => {
  const signIn = (password: string, name = 'operator', cookie = '') =>
    server.call('POST', '/control/v1/session', { name, password }, { ...JSON_TYPE, ...(cookie ? { cookie } : {}) });

  test('sixty at once are counted before any is looked at; nobody is locked out by them', async () => {
    const known = await signIn(PASSWORD);
    expect(known.status).toBe(200);
    const browser =
      known.headers
        .getSetCookie()
        .map((line) => line.split(';')[0] ?? '')
        .find((pair) => pair.startsWith('virga_browser')) ?? '';
    const from = performance.now();
    /** As many as may be looked at by now, however slow the machine is. */
    const allowed = (): number => SIGN_IN_LIMITS.burst + Math.ceil((performance.now() - from) / SIGN_IN_LIMITS.everyMs) + 1;
    const flood = await Promise.all(Array.from({ length: 60 }, (_, index) => signIn(`wrong ${index}`)));
    const tried = flood.filter(({ status }) => status === 401).length;
    expect(tried).toBeLessThanOrEqual(allowed());
    expect(flood.every(({ status }) => status === 401 || status === 429)).toBe(true);
    // Names by the thousand make nothing be forgotten.
    const names = await Promise.all(Array.from({ length: 1100 }, (_, index) => signIn('x', `name-${index}`)));
    expect(tried + names.filter(({ status }) => status === 401).length).toBeLessThanOrEqual(allowed());
    // A browser that was here before is counted apart, at once; anybody else after a moment.
    expect((await signIn(PASSWORD, 'operator', browser)).status).toBe(200);
    await delay(SIGN_IN_LIMITS.everyMs + 200);
    expect((await signIn(PASSWORD)).status).toBe(200);
  });

  test('the budget is by address, bounded, and forgets nobody who used it up', () => {
    const budget = new SignInBudget();
    for (let index = 0; index < SIGN_IN_LIMITS.burst; index++) expect(budget.take('a', 0)).toBe(0);
    expect(budget.take('a', 0)).toBe(SIGN_IN_LIMITS.everyMs);
    for (let index = 0; index < SIGN_IN_LIMITS.addresses + 500; index++) budget.take(`other ${index}`, 0);
    expect(budget.take('a', 10)).toBeGreaterThan(0);
    expect(budget.take('a', SIGN_IN_LIMITS.everyMs + 10)).toBe(0);
  });

  test.each<[string, string, number]>([
    ['nested a thousand times', `{"name":${'['.repeat(1000)}${']'.repeat(1000)},"password":"x"}`, 400],
    ['longer than any name and password', JSON.stringify({ name: 'x'.repeat(40_000), password: 'x' }), 413],
    ['null', 'null', 422],
    ['a list', '[]', 422],
    ['a number', '7', 422],
    ['one with a member twice', '{"name":"operator","password":"x","password":"y"}', 400],
    ['one with a member twice in other words', '{"name":"operator","password":"x","pass\\u0077ord":"y"}', 400],
    ['one with a member twice further in', '{"name":"operator","password":"x","more":[{"a":{"b":1,"b":[]}}]}', 400],
  ])('a body that is %s is refused in words', async (_name, body, status) => {
    const answer = await server.call('POST', '/control/v1/session', body, JSON_TYPE);
    expect([answer.status, answer.headers.get('content-type')]).toEqual([status, 'application/problem+json; charset=utf-8']);
  });

  // RFC 8259 section 4: of two members of one name, readers differ in which they take.
  test.each([
    ['{"name":"n","name":"m"}', 'name'],
    ['{"a":[{"b:\\"{":1},{"b:\\"{":1,"b:\\"{":2}]}', 'b:\\"{'],
    ['{"a":1 ,\n"a"\t: 2}', 'a'],
  ])('the member that stands twice in %s is named, and nothing of the body is taken', async (body, name) => {
    const answer = await server.call<{ title: string; detail: string }>('POST', '/control/v1/clients', body, {
      ...JSON_TYPE,
      authorization: `Bearer ${server.token}`,
    });
    expect([answer.status, answer.body.title, answer.body.detail]).toEqual([
      400,
      'A member of the request stands twice',
      `The member "${name}" stands twice in one object`,
    ]);
  });

  test('what only looks like a member twice is none', async () => {
    const answer = await server.call<{ name: string; description: string }>(
      'POST',
      '/control/v1/clients',
      '{"name":"one of a kind","owner":"o","description":"\\"name\\":\\"x\\",\\"name\\":{[:","metadata":{"name":{"name":[{"name":1},{"name":2}]}}}',
      { ...JSON_TYPE, authorization: `Bearer ${server.token}` },
    );
    expect([answer.status, answer.text.includes('one of a kind')]).toEqual([201, true]);
  });

  test('JSON in another character set is not read (RFC 8259 section 8.1)', async () => {
    const answer = await fetch(`${server.url}/control/v1/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json; charset=utf-16le' },
      body: Buffer.from('{"name":"operator","password":"x"}', 'utf16le'),
    });
    expect(answer.status).toBe(415);
  });
});

describe('large things', () => {
  const memory = (): number => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server.child?.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;

  test('bodies without a credential are not read: sixty of 18 MB change nothing', async () => {
    const body = JSON.stringify({ source: { text: 'x'.repeat(18 * 1024 * 1024) }, basePath: '/x', upstreamUrl: 'http://127.0.0.1:9' });
    const before = memory();
    const from = performance.now();
    const answers = await Promise.all(
      Array.from(
        { length: 60 },
        () =>
          new Promise<string>((resolve) => {
            const socket = connect(server.port, '127.0.0.1');
            let text = '';
            socket.on('data', (part) => (text += part.toString('latin1')));
            socket.on('error', () => undefined);
            socket.on('close', () => resolve(text.slice(0, 12)));
            socket.write(
              `POST /control/v1/apis HTTP/1.1\r\nHost: 127.0.0.1:${server.port}\r\nContent-Type: application/json\r\nContent-Length: ${body.length}\r\n\r\n`,
            );
            socket.write(body.slice(0, 4 * 1024 * 1024));
          }),
      ),
    );
    expect(new Set(answers)).toEqual(new Set(['HTTP/1.1 401']));
    expect(performance.now() - from).toBeLessThan(30_000);
    expect(memory() - before).toBeLessThan(400);
    expect((await server.call('GET', '/control/v1/apis')).status).toBe(200);
  });

  test('YAML that grows by its aliases, or is too long, ends in words and soon', async () => {
    const read = async (text: string): Promise<ContractReading> => {
      const answer = await server.call<ContractReading>('POST', '/control/v1/contracts/read', { source: undefined, text });
      expect([200, 422]).toContain(answer.status);
      return answer.body;
    };
    const from = performance.now();
    const levels = Array.from({ length: 9 }, (_, index) => `  l${index + 1}: &l${index + 1} [${Array(9).fill(`*l${index}`).join(', ')}]`).join('\n');
    const bomb = await read(`openapi: 3.1.0\ninfo: { title: T, version: '1' }\nx-bomb:\n  l0: &l0 [a, a]\n${levels}\npaths: {}\n`);
    expect(JSON.stringify(bomb.problems ?? bomb)).toMatch(/alias|values/i);
    const anchors = Array.from({ length: 500_000 }, (_, index) => `  - &a${index} x`).join('\n');
    const long = await read(`openapi: 3.1.0\nx-long:\n${anchors}\n`);
    expect(JSON.stringify(long.problems)).toMatch(/of YAML at most/);
    expect(performance.now() - from).toBeLessThan(40_000);
  });

  test('thousands of operations go live in parts, which nodes alone get, each only as it is asked for', async () => {
    const paths = Array.from({ length: 2500 }, (_, index) => `"/p${index}":{"get":{"summary":"number ${index}"}}`).join(',');
    await server.ok('POST', '/apis', {
      source: { text: `{"openapi":"3.1.0","info":{"title":"Large","version":"1"},"paths":{${paths}}}` },
      basePath: '/large',
      upstreamUrl: 'http://127.0.0.1:9',
    });
    const published = await server.ok<PublishView>('POST', '/releases', {});
    expect([published.nodesTold, published.nodesLive]).toEqual([1, 1]);
    const asked = await Promise.all(['/large/p0', '/large/p2499', '/large/p2500'].map((path) => fetch(server.gatewayUrl + path)));
    expect(asked.map(({ status }) => status === 404)).toEqual([false, false, true]);
    const token = readFileSync(join(server.folder, 'node-token'), 'utf8').trim();
    const parts = (body: unknown, bearer: string | null) =>
      server.call('POST', '/nodes/v1/parts', body, bearer === null ? {} : { authorization: `Bearer ${bearer}` });
    expect([(await parts({ hashes: [] }, null)).status, (await parts({ hashes: [] }, server.token)).status]).toEqual([401, 401]);
    const nobodyKnows = await parts({ hashes: ['x', '../../etc/passwd', '__proto__'] }, token);
    expect([nobodyKnows.status, nobodyKnows.text]).toEqual([200, '\n\n\n']);
    for (const wrong of [{}, { hashes: null }, { hashes: 'x' }, { hashes: [1] }, { hashes: Array(2001).fill('x') }, []])
      expect((await parts(wrong, token)).status).toBe(422);
  });

  test('fifty thousand operations: none of them, with the reason', async () => {
    const paths = Array.from({ length: 50_000 }, (_, index) => `"/p${index}":{"get":{}}`).join(',');
    const answer = await server.call('POST', '/control/v1/apis', {
      source: { text: `{"openapi":"3.1.0","info":{"title":"T","version":"1"},"paths":{${paths}}}` },
      basePath: '/many',
      upstreamUrl: 'http://127.0.0.1:9',
    });
    expect([answer.status, answer.text]).toEqual([422, expect.stringContaining('more than 20000 operations')]);
  });
});

describe('edits', () => {
  test('null where it means nothing is refused and changes nothing', async () => {
    const api = await bringIn('/nulls');
    const before = await server.ok<ApiView>('GET', `/apis/${api.id}`);
    for (const patch of [
      { name: null },
      { basePath: null },
      { enabled: null },
      { upstream: null },
      { access: null },
      { schemes: null },
      { token: { type: null } },
      { token: { places: null } },
      { token: { dpop: null } },
    ]) {
      const answer = await server.call('PATCH', `/control/v1/apis/${api.id}`, patch);
      expect([JSON.stringify(patch), answer.status]).toEqual([JSON.stringify(patch), 422]);
    }
    expect(await server.ok<ApiView>('GET', `/apis/${api.id}`)).toEqual(before);
    const provider = await server.ok<ProviderView>('POST', '/providers', {
      name: 'P',
      issuer: 'https://null.example',
      source: { kind: 'secret', secret: 'x'.repeat(40) },
    });
    for (const patch of [{ name: null }, { privateHosts: null }, { algorithms: null }, { claimMap: null }, { leewaySeconds: null }])
      expect((await server.call('PATCH', `/control/v1/providers/${provider.id}`, patch)).status).toBe(422);
    // What the draft takes, a release takes: a path that cannot be compiled is refused where it is written.
    const path = { paths: ['/~'], split: 'none' };
    const claimMap = { ...(provider as unknown as { claimMap: object }).claimMap, acr: path };
    const refused = await server.call<{ errors?: { pointer: string }[] }>('PATCH', `/control/v1/providers/${provider.id}`, { claimMap });
    expect([refused.status, refused.body.errors?.[0]?.pointer]).toEqual([422, expect.stringMatching(/^\/claimMap/)]);
    expect((await server.ok<StandingView>('GET', '/standing')).problems).toEqual([]);
  });

  test('two at one time are both kept', async () => {
    const api = await bringIn('/twice');
    const members = [{ type: 'at+jwt' }, { maxAgeSeconds: 60 }, { dpopNonce: true }, { clients: ['desk'] }, { leewaySeconds: 7 }];
    await Promise.all(members.map((token) => server.ok('PATCH', `/apis/${api.id}`, { token })));
    expect((await server.ok<ApiView>('GET', `/apis/${api.id}`)).token).toMatchObject(Object.assign({}, ...members) as object);
  });

  test('security that cannot be read lets nobody in, and is pointed at until somebody decides', async () => {
    const text = CONTRACT.replace('post: { operationId: move, security: [{ trust: [gates:operate] }] }', 'post: { operationId: move, security: [trust] }');
    const api = await bringIn('/unread', text);
    const operations = (await server.ok<{ items: OperationView[] }>('GET', `/apis/${api.id}/operations`)).items;
    expect(operations.find(({ method }) => method === 'POST')).toMatchObject({ who: 'nobody, until somebody decides', effective: 'required' });
    const attention = async () => (await server.ok<{ items: { title: string }[] }>('GET', '/overlook/attention')).items.map(({ title }) => title);
    expect(await attention()).toContain('Gates: POST /gates/{gateId}/positions let nobody in');
    await server.ok('PATCH', `/apis/${api.id}/operations`, { ids: ['POST /gates/{gateId}/positions'], access: { kind: 'public' } });
    expect(await attention()).not.toContain('Gates: POST /gates/{gateId}/positions let nobody in');
  });

  test('two spellings of one path do not get into the draft, and each is named', async () => {
    const text = CONTRACT.replace('  /sections:', '  /caf%C3%A9: { get: {} }\n  /café: { get: {} }\n  /sections:');
    const reading = await server.ok<ContractReading>('POST', '/contracts/read', { text });
    expect(reading.problems[0]).toMatchObject({ severity: 'error', message: expect.stringContaining('matches the same requests') as string });
    await bringIn('/spelt', text);
    expect((await server.ok<StandingView>('GET', '/standing')).problems).toEqual([]);
  });

  test('a newer contract is previewed with everybody whose rights change, wider ones first, and taken as previewed', async () => {
    const provider = await server.ok<ProviderView>('POST', '/providers', {
      name: 'Q',
      issuer: 'https://q.example',
      source: { kind: 'secret', secret: 'x'.repeat(40) },
    });
    const api = await bringIn('/newer');
    await server.ok('PATCH', `/apis/${api.id}`, { schemes: api.schemes.map((scheme) => ({ ...scheme, providers: [provider.id] })) });
    const text = CONTRACT.replace('security: [{ trust: [gates:read] }]', 'security: [{}]');
    const preview = await server.ok<ReimportView>('PUT', `/apis/${api.id}/contract`, { source: { text }, dryRun: true });
    expect(preview.changes.map(({ callers, method, path }) => `${callers} ${method} ${path}`)).toEqual(['wider  default security', 'wider GET /gates']);
    expect((await server.ok<ReimportView>('PUT', `/apis/${api.id}/contract`, { source: { text } })).changes).toEqual(preview.changes);
  });

  test('algorithms are suggested from the keys where the metadata lists none: one for each kind', async () => {
    const pairs = await Promise.all(['RS256', 'ES256', 'EdDSA'].map((alg) => generateKeyPair(alg, { extractable: true })));
    const keys = await Promise.all(pairs.map(async ({ publicKey }, index) => ({ ...(await exportJWK(publicKey)), kid: `k${index}` })));
    const quiet = createServer((req, res) => {
      const issuer = `http://127.0.0.1:${(quiet.address() as AddressInfo).port}`;
      res.setHeader('content-type', 'application/json');
      res.end(JSON.stringify(req.url?.endsWith('/keys') ? { keys } : { issuer, jwks_uri: `${issuer}/keys` }));
    });
    servers.push(quiet);
    await new Promise<void>((resolve) => quiet.listen(0, '127.0.0.1', resolve));
    const issuer = `http://127.0.0.1:${(quiet.address() as AddressInfo).port}`;
    const provider = await server.ok<ProviderView>('POST', '/providers', { name: 'Quiet', issuer, allowLoopbackHttp: true });
    expect(provider.algorithms).toEqual(['RS256', 'ES256', 'EdDSA']);
  });

  test('a provider whose page to sign in at is a script is refused in words', async () => {
    const evil = createServer((_req, res) => {
      const issuer = `http://127.0.0.1:${(evil.address() as AddressInfo).port}`;
      res.setHeader('content-type', 'application/json');
      const endpoints = { authorization_endpoint: 'javascript:alert(1)', token_endpoint: `${issuer}/token`, response_types_supported: ['code'] };
      res.end(JSON.stringify({ issuer, jwks_uri: `${issuer}/keys`, ...endpoints }));
    });
    servers.push(evil);
    await new Promise<void>((resolve) => evil.listen(0, '127.0.0.1', resolve));
    const issuer = `http://127.0.0.1:${(evil.address() as AddressInfo).port}`;
    const provider = await server.ok<ProviderView>('POST', '/providers', {
      name: 'Evil',
      issuer,
      allowLoopbackHttp: true,
      source: { kind: 'key-set-url', url: `${issuer}/keys` },
      algorithms: ['RS256'],
    });
    const persona = await server.ok<{ id: string }>('POST', '/personas', {
      name: 'x',
      providerId: provider.id,
      grant: 'authorization_code',
      clientId: 'c',
      scopes: [],
      resource: '',
    });
    const answer = await server.call('POST', `/control/v1/personas/${persona.id}/sign-in`, {});
    expect([answer.status, answer.text]).toEqual([502, expect.stringContaining('authorization endpoint')]);
  });
});

describe('files and processes', () => {
  test('a second control plane on the same folder is refused in a sentence', async () => {
    const second = new RunningServer(server.folder);
    expect(await second.start(['--no-node'])).toBe(1);
    expect(second.output).toMatch(/cannot start: another control plane \(process \d+\) uses the data folder/);
    expect((await server.call('GET', '/control/v1/apis')).status).toBe(200);
  });

  test('a database that another program holds refuses writes, and nothing dies of it', async () => {
    const pid = server.child?.pid;
    const other = new sqlite3.Database(join(server.folder, 'virga.sqlite'));
    const run = (sql: string) => new Promise<void>((resolve, reject) => other.run(sql, (error) => (error ? reject(error) : resolve())));
    await run('BEGIN IMMEDIATE');
    const refused = await server.call('PATCH', '/control/v1/settings/retention', { traceHours: 5 });
    expect([refused.status, refused.text]).toEqual([503, expect.stringContaining('another program holds the database')]);
    expect((await server.ok<StandingView>('GET', '/standing')).storage).toBe('another program holds the database');
    await run('ROLLBACK');
    other.close();
    await server.ok('PATCH', '/settings/retention', { traceHours: 5 });
    expect((await server.ok<StandingView>('GET', '/standing')).storage).toBeNull();
    expect(server.child?.pid).toBe(pid);
  });

  test('a full disk is said, and writing goes on when there is room', async () => {
    const store = await Store.open(mkdtempSync(join(tmpdir(), 'virga-full-')));
    const write = (value: string, pages: number) =>
      store.write(async (transaction) => {
        await store.sequelize.query(`PRAGMA max_page_count = ${pages}`, { transaction });
        await SettingRow.upsert({ name: 'x', value }, { transaction });
      });
    // The library says on the console that nothing was left to roll back.
    const { warn } = console;
    console.warn = () => undefined;
    await expect(write('x'.repeat(5_000_000), 1)).rejects.toThrow(/full/);
    console.warn = warn;
    expect(store.problem).toBe('the disk is full');
    await write('y', 1_000_000);
    expect(store.problem).toBeNull();
    await store.close();
  });

  test('a database whose main file was lost while its log has the data is refused, not begun anew', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'virga-lost-'));
    const store = await Store.open(folder);
    const file = join(folder, 'virga.sqlite');
    await store.write((transaction) => SettingRow.upsert({ name: 'x', value: 'y' }, { transaction }));
    const [main, log] = [readFileSync(file), readFileSync(`${file}-wal`)];
    await store.close();
    expect(log.length).toBeGreaterThan(0);
    for (const damaged of [Buffer.alloc(0), Buffer.alloc(4096), main.subarray(0, 50)]) {
      writeFileSync(file, damaged);
      writeFileSync(`${file}-wal`, log);
      await expect(Store.open(folder)).rejects.toThrow(StoreError);
      expect(
        createHash('sha256')
          .update(readFileSync(`${file}-wal`))
          .digest('hex'),
      ).toBe(createHash('sha256').update(log).digest('hex'));
    }
    truncateSync(`${file}-wal`, 0);
    expect(statSync(`${file}-wal`).size).toBe(0);
  });

  const nodePid = (): number => Number(readFileSync(join(server.folder, 'node', 'pid'), 'utf8'));

  test('no process knows the operator’s password but the one that was told', () => {
    expect(readFileSync(`/proc/${nodePid()}/environ`, 'utf8')).not.toContain(PASSWORD);
    expect(readFileSync(`/proc/${nodePid()}/environ`, 'utf8')).toContain('VIRGA_NODE_TOKEN');
  });

  test('a node of another version, which would not follow the feed, is let end and replaced', async () => {
    const pid = nodePid();
    const token = readFileSync(join(server.folder, 'node-token'), 'utf8').trim();
    // What a node of before there were versions of the feed says of itself.
    const said = { node: 'local', pid, startedAt: 1, gatewayUrl: server.gatewayUrl, release: null, refusedRelease: null, providers: [], knownTokens: 0 };
    await until(async () => {
      await server.call('POST', '/nodes/v1/status', { ...said, directory: null, knownClients: 0, inFlight: 0 }, { authorization: `Bearer ${token}` });
      await delay(300);
      return nodePid() !== pid;
    }, 'the replacement');
    await until(async () => (await server.ok<StandingView>('GET', '/standing')).nodes[0]?.state === 'connected', 'its connection');
    const next = nodePid();
    await delay(2500);
    expect(nodePid()).toBe(next);
  });

  test('a node that stops answering is noticed, ended and replaced', async () => {
    const pid = nodePid();
    process.kill(pid, 'SIGSTOP');
    await until(async () => (await server.ok<StandingView>('GET', '/standing')).nodes[0]?.state === 'away', 'the notice');
    await until(() => nodePid() !== pid, 'the replacement');
    await until(async () => (await server.ok<StandingView>('GET', '/standing')).nodes[0]?.state === 'connected', 'its connection');
    expect(() => process.kill(pid, 0)).toThrow();
  });
});
