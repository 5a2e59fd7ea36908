import {
  LocalReplayMemory,
  MemoryCounters,
  type ApiRule,
  type Counted,
  type CountingRule,
  type Demand,
  type DirectoryChange,
  type LimitRule,
  type Measure,
  type PlanRule,
  type ReleaseDocument,
  type Replay,
  type Standing,
} from '@virga/core';
import fc from 'fast-check';
import { spawn, type ChildProcess } from 'node:child_process';
import { calculateJwkThumbprint, exportJWK, generateKeyPair, SignJWT } from 'jose';
import { createHash, randomUUID } from 'node:crypto';
import { mkdtempSync } from 'node:fs';
import { createServer, connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { RedisCounters } from '../src/counters/redis-counters.js';
import { MOST_TOLD, SharedGuesses, type CountTogether } from '../src/counters/shared-guesses.js';
import { SharedReplay, type FirstOfAll } from '../src/counters/shared-replay.js';
import type { GatewayNode } from '../src/gateway-node.js';
import type { NodeOptions } from '../src/node-options.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, raw, startNode, until } from './harness.js';

const PROGRAM = process.env['VIRGA_REDIS_SERVER'] ?? '/usr/bin/redis-server';
const sha256 = (text: string): string => createHash('sha256').update(text).digest('base64url');

/** A real store on a port of its own. */
class RedisServer {
  readonly folder = mkdtempSync(join(tmpdir(), 'virga-redis-'));
  port = 0;
  #child: ChildProcess | null = null;

  get url(): string {
    return `redis://127.0.0.1:${this.port}`;
  }

  async start(): Promise<void> {
    this.port ||= await freePort();
    const args = ['--port', String(this.port), '--bind', '127.0.0.1', '--save', '', '--appendonly', 'no', '--dir', this.folder];
    this.#child = spawn(PROGRAM, args, { stdio: 'ignore' });
    for (let tries = 0; tries < 250; tries++) {
      if (await answers(this.port)) return;
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
    throw new Error('redis-server did not start');
  }

  async stop(): Promise<void> {
    const child = this.#child;
    this.#child = null;
    if (!child || child.exitCode !== null) return;
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGKILL');
    await gone;
  }
}

const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number };
      server.close(() => resolve(port));
    });
  });
const answers = (port: number): Promise<boolean> =>
  new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1', () => socket.write('PING\r\n'));
    socket.on('data', (data) => {
      socket.destroy();
      resolve(data.toString().startsWith('+PONG'));
    });
    socket.on('error', () => resolve(false));
  });

const redis = new RedisServer();
beforeAll(() => redis.start(), 20_000);
afterAll(() => redis.stop());

const ready = async (counters: RedisCounters): Promise<RedisCounters> => {
  await until(() => counters.away === null, 'the store');
  return counters;
};
const plain = ({ over, left }: Standing): object => ({ over, left });
let made = 0;
const demand = (measure: Measure, change: Partial<Demand> = {}): Demand => ({ group: `g${made}`, subject: 's', measure, mode: 'enforce', ...change });

describe('counters that nodes share', () => {
  test('count as those in memory do: any limits, any times, all or nothing', async () => {
    let now = 1_000_000;
    const shared = await ready(new RedisCounters(redis.url, () => now));
    const measures = fc.oneof(
      fc.record({
        kind: fc.constantFrom('fixed' as const, 'sliding' as const),
        requests: fc.integer({ min: 1, max: 5 }),
        spanMs: fc.constantFrom(50, 333, 1000),
      }),
      fc.record({
        kind: fc.constant('bucket' as const),
        requests: fc.integer({ min: 1, max: 5 }),
        spanMs: fc.constantFrom(50, 333, 1000),
        burst: fc.integer({ min: 1, max: 6 }),
      }),
      fc.record({ kind: fc.constant('calendar' as const), requests: fc.integer({ min: 1, max: 5 }), from: fc.constant(0), until: fc.constant(9_000_000) }),
    );
    const limits = fc.array(fc.record({ measure: measures, mode: fc.constantFrom('enforce' as const, 'observe' as const) }), { minLength: 1, maxLength: 4 });
    const moves = fc.array(fc.oneof(fc.nat({ max: 40 }), fc.nat({ max: 1200 })), { minLength: 1, maxLength: 40 });
    await fc.assert(
      fc.asyncProperty(limits, moves, async (asked, gaps) => {
        made++;
        const memory = new MemoryCounters();
        const demands = asked.map(({ measure, mode }, index) => demand(measure, { group: `m${made} ${index}`, mode }));
        for (const gap of gaps) {
          now += gap;
          const [here, there] = [memory.take(demands, now), await shared.take(demands)];
          expect([there.refused, there.standings.map(plain)]).toEqual([here.refused, here.standings.map(plain)]);
          // Fractions of a bucket are added up in another order, so that a time may round otherwise.
          there.standings.forEach(({ waitMs, resetMs }, index) => {
            expect(Math.abs(waitMs - (here.standings[index]?.waitMs ?? NaN))).toBeLessThanOrEqual(1);
            expect(Math.abs((resetMs ?? 0) - (here.standings[index]?.resetMs ?? 0))).toBeLessThanOrEqual(1);
          });
        }
        expect((await shared.look(demands)).map(plain)).toEqual(memory.look(demands, now).map(plain));
      }),
      { numRuns: 60 },
    );
    shared.close();
  });

  test('1,000 requests at once over two connections against 100 let 100 through, whatever they are counted by', async () => {
    const [one, other] = await Promise.all([ready(new RedisCounters(redis.url)), ready(new RedisCounters(redis.url))]);
    for (const measure of [
      { kind: 'fixed', requests: 100, spanMs: 3_600_000 },
      { kind: 'sliding', requests: 100, spanMs: 3_600_000 },
      { kind: 'bucket', requests: 100, spanMs: 3_600_000, burst: 100 },
      { kind: 'calendar', requests: 100, from: 0, until: Date.now() + 3_600_000 },
      { kind: 'at-once', requests: 100 },
    ] as const) {
      made++;
      const asked = await Promise.all(Array.from({ length: 1000 }, (_, index) => (index % 2 ? one : other).take([demand(measure)])));
      expect([measure.kind, asked.filter(({ refused }) => refused < 0).length]).toEqual([measure.kind, 100]);
      for (const { hold } of asked) hold?.release();
    }
    // What the other connection gives back is on its way.
    const all = async (): Promise<number | undefined> => (await one.look([demand({ kind: 'at-once', requests: 100 })]))[0]?.left;
    await until(async () => (await all()) === 100, 'what was given back');
    one.close();
    other.close();
  });

  test('what a node held that died is free again when its lease is over', async () => {
    let now = 5_000_000;
    const counters = await ready(new RedisCounters(redis.url, () => now));
    made++;
    const once = demand({ kind: 'at-once', requests: 1 });
    expect([(await counters.take([once])).refused, (await counters.take([once])).refused]).toEqual([-1, 0]);
    now += 61_000;
    expect((await counters.take([once])).refused).toBe(-1);
    counters.close();
  });
});

describe('guesses that nodes share', () => {
  const by = (subject: string): Demand => ({ group: 'guess address 60', subject, measure: { kind: 'sliding', requests: 2, spanMs: 60_000 }, mode: 'observe' });
  const standing = (waitMs: number): Standing => ({ over: false, left: waitMs > 0 ? 0 : 1, waitMs, resetMs: null });
  const answering = (waitMs: number): Promise<Counted> => Promise.resolve({ standings: [standing(waitMs)], refused: -1, hold: null, where: 'together' });
  const settled = () => new Promise(setImmediate);
  const held = (guesses: SharedGuesses, subject: string, at: number): boolean => guesses.look([by(subject)], at)[0]?.over === true;

  test.each<[string, CountTogether]>([
    ['there is no store', () => null],
    ['the store does not answer', () => Promise.reject(new Error('it does not answer in time'))],
    ['the store knows of nobody else', () => answering(0)],
    ['the store never answers', () => new Promise(() => undefined)],
  ])('are counted by each alone where %s', async (_name, together) => {
    const guesses = new SharedGuesses(together);
    guesses.take([by('a')], 1000);
    await settled();
    expect(held(guesses, 'a', 1001)).toBe(false);
    guesses.take([by('a')], 1002);
    await settled();
    expect([held(guesses, 'a', 1003), held(guesses, 'b', 1003)]).toEqual([true, false]);
  });

  test('hold up whom all of them together have counted often enough, until that is over', async () => {
    const guesses = new SharedGuesses(() => answering(5000));
    guesses.take([by('a')], 1000);
    expect(held(guesses, 'a', 1000)).toBe(false);
    await settled();
    expect(guesses.look([by('a'), by('b')], 2000)).toMatchObject([
      { over: true, left: 0, waitMs: 4000 },
      { over: false, waitMs: 0 },
    ]);
    expect(held(guesses, 'a', 6001)).toBe(false);
  });

  test('are told at most so many at one time, and none of them goes uncounted here', async () => {
    let told = 0;
    const guesses = new SharedGuesses(() => {
      told++;
      return new Promise(() => undefined);
    });
    for (let index = 0; index < 3 * MOST_TOLD; index++) guesses.take([by(`s${index % MOST_TOLD}`)], 1000);
    await settled();
    expect([told, held(guesses, 's0', 1001), held(guesses, `s${MOST_TOLD - 1}`, 1001)]).toEqual([MOST_TOLD, true, true]);
  });
});

describe('used proofs that nodes share', () => {
  const seen = (first: FirstOfAll, alone = false) => new SharedReplay(new LocalReplayMemory(500), first, () => alone).see('key', 600, 2000, 1000);

  test.each<[string, FirstOfAll, boolean, Replay]>([
    ['nobody else has seen it', () => Promise.resolve(true), false, 'new'],
    ['another node has seen it', () => Promise.resolve(false), true, 'used'],
    ['no store is shared', () => null, false, 'new'],
    ['the store cannot be reached', () => Promise.reject(new Error('nothing listens there')), false, { away: 'nothing listens there' }],
    ['the store cannot be reached, and each goes on alone', () => Promise.reject(new Error('nothing listens there')), true, 'new'],
  ])('where %s', async (_name, first, alone, replay) => expect(await seen(first, alone)).toEqual(replay));

  test('what a node has seen itself, or cannot know, is asked of nobody', async () => {
    const asked: string[] = [];
    const first: FirstOfAll = (key) => {
      asked.push(key);
      return Promise.resolve(true);
    };
    const replay = new SharedReplay(new LocalReplayMemory(500), first, () => true);
    const of = async (key: string, madeMs: number): Promise<unknown> => replay.see(key, madeMs, 2000, 1000);
    expect([await of('a', 600), await of('a', 600)]).toEqual(['new', 'used']);
    expect(await of('b', 400)).toMatchObject({ unknowable: expect.stringContaining('began') as string });
    expect(asked).toEqual(['a']);
  });
});

describe('nodes', () => {
  let control: FakeControl;
  let upstream: Awaited<ReturnType<typeof echoUpstream>>;
  let issuer: Awaited<ReturnType<typeof makeIssuer>>;
  const nodes: GatewayNode[] = [];

  const LIMIT: LimitRule = { name: 'an hour', by: { kind: 'everyone' }, method: 'fixed', requests: 100, seconds: 3600, burst: null, mode: 'enforce' };
  const PLAN: PlanRule = {
    id: 'small',
    name: 'Small',
    description: '',
    covers: [{ apiId: 'a', operations: 'ALL' }],
    rate: null,
    quota: { requests: 3, per: 'month', zone: 'UTC' },
    atOnce: null,
    requestBytes: null,
    mode: 'enforce',
    approval: 'by-hand',
  };
  const DIRECTORY: DirectoryChange[] = [
    { what: 'client', id: 'c', value: { id: 'c', name: 'C', enabled: true, roles: [], metadata: {} } },
    {
      what: 'credential',
      id: 'k',
      value: { id: 'k', clientId: 'c', kind: 'key', name: 'k', lookup: sha256('key'), digest: null, expiresAt: null, revokedAt: null },
    },
    { what: 'subscription', id: 's', value: { id: 's', clientId: 'c', planId: 'small', state: 'active', startsAt: null, endsAt: null } },
  ];

  beforeEach(async () => {
    control = new FakeControl();
    await control.start();
    [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
    control.first.push({ type: 'directory', number: 1, whole: { first: true, last: true }, changes: DIRECTORY });
  });
  afterEach(async () => {
    for (const node of nodes.splice(0)) await node.stop();
    await control.stop();
    for (const { server } of [upstream, issuer]) {
      server.closeAllConnections();
      server.close();
    }
  });

  /** The API of the harness, taking a key, with limits. */
  function limited(change: Partial<ReleaseDocument>, api: Partial<ApiRule> = {}): ReleaseDocument {
    const document = documentFor(upstream.url, issuer.issuer);
    const [before] = document.apis as [ApiRule];
    const place = { kind: 'header', name: 'x-api-key', scheme: null } as const;
    const scheme = { name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place } as const;
    const access = { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'key', scopes: [], match: 'all', roles: [] }]] } as const;
    return { ...document, ...change, apis: [{ ...before, access, schemes: [...before.schemes, scheme], ...api }] };
  }
  const publish = (document: ReleaseDocument): void => control.send({ type: 'release', number: 1, hash: JSON.stringify(document), document });
  async function start({ folder, ...more }: Partial<NodeOptions> = {}): Promise<{ node: GatewayNode; url: string; port: number; folder: string }> {
    const started = await startNode(control, folder, more);
    nodes.push(started.node);
    await until(() => started.node.status().release, 'the release');
    return started;
  }
  const call = (url: string) => fetch(`${url}/a/guarded`, { headers: { 'x-api-key': 'key' } });
  const statuses = async (urls: readonly string[], count: number): Promise<Map<number, number>> => {
    const seen = new Map<number, number>();
    const answered = await Promise.all(Array.from({ length: count }, (_, index) => call(urls[index % urls.length] as string)));
    for (const answer of answered) {
      seen.set(answer.status, (seen.get(answer.status) ?? 0) + 1);
      await answer.arrayBuffer();
    }
    return seen;
  };

  test('one lets 100 of 1,000 through, and says when to come again', async () => {
    publish(limited({ limits: [LIMIT] }));
    const { url } = await start();
    expect(await statuses([url], 1000)).toEqual(
      new Map([
        [200, 100],
        [429, 900],
      ]),
    );
    const refused = await call(url);
    const { headers } = refused;
    expect([refused.status, Number(headers.get('retry-after')) > 0, headers.get('ratelimit-policy')]).toEqual([429, true, '"an hour";q=100;w=3600']);
    expect(await refused.json()).toMatchObject({ type: 'urn:virga:problem:too-many-requests', status: 429 });
  });

  test('two that share a store let 100 of 1,000 through together', async () => {
    publish(limited({ limits: [{ ...LIMIT, name: 'shared' }] }));
    const [one, other] = [await start({ redisUrl: redis.url, name: 'one' }), await start({ redisUrl: redis.url, name: 'other' })];
    await until(() => one.node.status().counts === 'together' && other.node.status().counts === 'together', 'the store');
    expect(await statuses([one.url, other.url], 1000)).toEqual(
      new Map([
        [200, 100],
        [429, 900],
      ]),
    );
  });

  test.each<[CountingRule['away'], number, number]>([
    ['refuse', 503, 0],
    ['alone', 200, 50],
  ])(
    'a store that is killed under load: %s',
    async (away, status, most) => {
      publish(limited({ limits: [{ ...LIMIT, name: `killed ${away}`, requests: 1000 }], counting: { away, sharePercent: 5, tell: 'always' } }));
      const { url, node } = await start({ redisUrl: redis.url });
      await until(() => node.status().counts === 'together', 'the store');
      const first = await call(url);
      expect([first.status, first.headers.get('ratelimit')]).toEqual([200, expect.stringMatching(/r=999;t=\d+$/)]);
      const load = statuses([url], 300);
      await redis.stop();
      const during = await load;
      // Every request was answered, by the rule and by nothing else.
      expect([...during.keys()].every((seen) => [200, 429, 503].includes(seen))).toBe(true);
      await until(() => node.status().counts === 'away', 'the loss of the store');
      const after = await statuses([url], 100);
      if (away === 'refuse') expect(after).toEqual(new Map([[status, 100]]));
      else expect(after.get(429) ?? 0).toBeGreaterThanOrEqual(100 - most);
      expect(node.status().problems?.join()).toContain('cannot be reached');
      await redis.start();
      await until(() => node.status().counts === 'together', 'the store again');
      expect((await call(url)).status).toBe(200);
    },
    60_000,
  );

  test('a quota outlives the node, and other nodes know nothing of it without a store', async () => {
    publish(limited({ plans: [PLAN] }, { plan: { asked: true, attribute: null } }));
    const first = await start();
    expect([(await call(first.url)).status, (await call(first.url)).status]).toEqual([200, 200]);
    nodes.splice(0);
    await first.node.stop();
    const second = await start({ folder: first.folder });
    expect([(await call(second.url)).status, (await call(second.url)).status]).toEqual([200, 429]);
    control.send({ type: 'limits-of', askId: 'ask', client: { id: 'c', metadata: {}, credentials: [], recalled: [] } });
    const answer = await until(() => control.answers.find(({ askId }) => askId === 'ask'));
    expect(answer.standings?.standings).toMatchObject([{ name: 'Small quota', rule: 'The plan Small', whose: '', of: 3, left: 0, mode: 'enforce' }]);
    expect(answer.standings?.standings[0]?.waitMs).toBeGreaterThan(0);
  });

  test('guesses at nodes that share a store are guesses of one: whoever used them up at one is held up at all', async () => {
    publish(limited({ guessing: { mode: 'enforce', seconds: 3600, byAddress: 6, byCredential: null } }));
    const [one, other] = [await start({ redisUrl: redis.url, name: 'guessed-1' }), await start({ redisUrl: redis.url, name: 'guessed-2' })];
    await until(() => one.node.status().counts === 'together' && other.node.status().counts === 'together', 'the store');
    const guess = async (url: string, key: string): Promise<number> => (await fetch(`${url}/a/guarded`, { headers: { 'x-api-key': key } })).status;
    const heldUp = (url: string): Promise<boolean> => until(async () => (await guess(url, 'key')) === 429, 'the hold');
    const seen: number[] = [];
    for (let index = 0; index < 5; index++) seen.push(await guess(one.url, `wrong-${index}`));
    // The sixth uses them up, wherever it comes; the other node knows of it as soon as it was told.
    seen.push(await guess(other.url, 'wrong-6'));
    expect(seen).toEqual(Array(6).fill(401));
    expect(await heldUp(other.url)).toBe(true);
    // The first learns of it by the next guess that comes to it.
    expect([await guess(one.url, 'key'), await guess(one.url, 'wrong-7')]).toEqual([200, 401]);
    expect(await heldUp(one.url)).toBe(true);
    // Whoever is held up stays so when the store goes.
    await redis.stop();
    expect([await guess(one.url, 'key'), await guess(other.url, 'key')]).toEqual([429, 429]);
    await redis.start();
  });

  test('a proof of possession is good once at all nodes that share a store (RFC 9449 section 11.1)', async () => {
    const origin = 'https://gw.example';
    const document = (away: CountingRule['away']): ReleaseDocument => ({
      ...documentFor(upstream.url, issuer.issuer),
      counting: { away, sharePercent: 50, tell: 'refusals' },
    });
    publish(document('refuse'));
    const nodeOf = async (name: string) => {
      const port = await freePort();
      const { node } = await start({ redisUrl: redis.url, name, publicOrigin: origin, port });
      return { node, port };
    };
    const [one, other] = [await nodeOf('proved-1'), await nodeOf('proved-2')];
    await until(() => one.node.status().counts === 'together' && other.node.status().counts === 'together', 'the store');
    const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
    const jwk = await exportJWK(publicKey);
    const token = await issuer.sign({ cnf: { jkt: await calculateJwkThumbprint(jwk) } });
    const proof = (): Promise<string> =>
      new SignJWT({ jti: randomUUID(), htm: 'GET', htu: `${origin}/a/guarded`, ath: sha256(token) })
        .setIssuedAt()
        .setProtectedHeader({ typ: 'dpop+jwt', alg: 'ES256', jwk })
        .sign(privateKey);
    const prove = async ({ port }: { readonly port: number }, dpop: string): Promise<number> =>
      (await fetch(`http://127.0.0.1:${port}/a/guarded`, { headers: { authorization: `DPoP ${token}`, dpop } })).status;
    const used = await proof();
    expect([await prove(one, used), await prove(one, used), await prove(other, used)]).toEqual([200, 401, 401]);
    // At all nodes at one time, it is still good once.
    const together = await proof();
    const proved = await Promise.all(Array.from({ length: 20 }, (_, index) => prove(index % 2 === 0 ? one : other, together)));
    expect(proved.filter((status) => status === 200)).toHaveLength(1);
    await redis.stop();
    await until(() => one.node.status().counts === 'away' && other.node.status().counts === 'away', 'the loss of the store');
    expect(await prove(one, await proof())).toBe(503);
    await until(() => control.traces.some(({ code }) => code === 'proof.away'), 'the trace');
    // By choice each goes on by itself, and knows what it has seen.
    control.send({ type: 'release', number: 2, hash: 'alone', document: document('alone') });
    await until(() => one.node.status().release?.number === 2 && other.node.status().release?.number === 2, 'the release');
    const alone = await proof();
    expect([await prove(one, alone), await prove(one, alone), await prove(other, alone)]).toEqual([200, 401, 200]);
    await redis.start();
    await until(() => one.node.status().counts === 'together' && other.node.status().counts === 'together', 'the store again');
    const again = await proof();
    expect([await prove(other, again), await prove(one, again)]).toEqual([200, 401]);
  });

  test('bytes that a plan allows are counted while they come, whoever holds the body meanwhile', async () => {
    const bounded = { plans: [{ ...PLAN, quota: null, requestBytes: 10 }] };
    const document = limited(bounded, { plan: { asked: true, attribute: null } });
    const [api] = document.apis as [ApiRule];
    const asking = api.operations.map((one) => ({ ...one, access: null }));
    publish({ ...document, apis: [{ ...api, operations: asking }] });
    const { port } = await start();
    const chunk = '5\r\n01234\r\n';
    const post = (key: string, body: string): Promise<string> =>
      raw(port, `POST /a/open/7 HTTP/1.1\r\nHost: g\r\nConnection: close\r\nX-Api-Key: ${key}\r\n${body}`);
    const coming = 'Transfer-Encoding: chunked\r\n\r\n';
    expect(await post('key', `${coming}${chunk}${chunk}0\r\n\r\n`)).toMatch(/^HTTP\/1\.1 200 /);
    expect(await post('key', `${coming}${chunk}${chunk}1\r\nx\r\n0\r\n\r\n`)).toMatch(/^HTTP\/1\.1 413 [\s\S]*larger than the plan allows/);
    // One that never ends is answered while it still comes, and one that says too much before it is asked for.
    expect(await post('key', `${coming}${chunk.repeat(50)}`)).toMatch(/^HTTP\/1\.1 413 /);
    const asked = await post('key', 'Content-Length: 11\r\nExpect: 100-continue\r\n\r\n');
    expect([/^HTTP\/1\.1 413 /.test(asked), asked.includes('100 Continue')]).toEqual([true, false]);
    // Nobody else is told what any plan allows.
    expect(await post('another', `${coming}${chunk.repeat(3)}0\r\n\r\n`)).toMatch(/^HTTP\/1\.1 401 /);
    await until(() => control.traces.some(({ code }) => code === 'plan.too-large'), 'the trace');
    const trace = control.traces.find(({ code }) => code === 'plan.too-large');
    expect([trace?.step, trace?.outcome, trace?.status, trace?.steps.at(-1)?.rule]).toEqual(['plan', 'refused', 413, '/plans/0']);
  });

  test('what is under way is given back however a request ends', async () => {
    const waiting: (() => void)[] = [];
    upstream.server.close();
    upstream = await echoUpstream((_req, res) => void waiting.push(() => res.end('done')));
    publish(limited({ plans: [{ ...PLAN, quota: null, atOnce: 2 }] }, { plan: { asked: true, attribute: null } }));
    const { url } = await start();
    const stopping = new AbortController();
    const [left, stays] = [fetch(`${url}/a/guarded`, { headers: { 'x-api-key': 'key' }, signal: stopping.signal }).catch(() => null), call(url)];
    await until(() => waiting.length === 2, 'two requests under way');
    const third = await call(url);
    expect([third.status, third.headers.get('retry-after')]).toEqual([429, '1']);
    stopping.abort();
    await left;
    const fourth = call(url);
    await until(() => waiting.length === 3, 'another under way');
    waiting.forEach((end) => end());
    expect([(await stays).status, (await fourth).status]).toEqual([200, 200]);
    const again = [call(url), call(url)];
    await until(() => waiting.length === 5, 'two more under way');
    waiting.forEach((end) => end());
    expect((await Promise.all(again)).map(({ status }) => status)).toEqual([200, 200]);
  });
});
