import { STANDARD_CLAIM_MAP, type OpaqueProvider, type OpaqueSource, type ProviderRule } from '@virga/core';
import { exportJWK, generateKeyPair } from 'jose';
import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { EndpointClient } from '../src/endpoint-client.js';
import { Introspector, INTROSPECTION_LIMITS } from '../src/introspector.js';
import { askBySource, ProviderKeys } from '../src/provider-keys.js';

const servers: Server[] = [];
async function serve(handle: RequestListener): Promise<string> {
  const server = createServer(handle);
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}
const asked: Introspector[] = [];
afterEach(async () => {
  await Promise.all(asked.splice(0).map((item) => item.close()));
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
});

const rule = (source: ProviderRule['source'], change: Partial<ProviderRule> = {}): ProviderRule => ({
  id: 'p',
  name: 'P',
  issuer: 'https://p.example',
  source,
  algorithms: [],
  leewaySeconds: 0,
  lastGoodSeconds: 3600,
  allowLoopbackHttp: true,
  privateHosts: [],
  claimMap: STANDARD_CLAIM_MAP,
  draftOnly: false,
  ...change,
});
const provider = (endpoint: string, change: Partial<OpaqueSource> = {}): OpaqueProvider =>
  rule({
    kind: 'introspection',
    credential: { method: 'client_secret_basic', clientId: 'c', secret: 's' },
    endpoint,
    positiveSeconds: 60,
    negativeSeconds: 10,
    timeoutMs: 1000,
    impliedAudience: null,
    ...change,
  }) as OpaqueProvider;
const make = (clock: { now: number }, values: Record<string, string> = { s: 'secret' }): Introspector => {
  const made = new Introspector({ value: (name) => values[name] ?? null }, () => clock.now);
  asked.push(made);
  return made;
};
const answering =
  (status: () => number, body: () => unknown, calls: { count: number }): RequestListener =>
  (req, res) => {
    calls.count++;
    req.resume();
    res.writeHead(status(), { 'content-type': 'application/json' });
    res.end(JSON.stringify(body()));
  };

describe('asking about tokens, over a clock of its own', () => {
  test('a bad answer is remembered for its stated time, by token and by the way of asking', async () => {
    const calls = { count: 0 };
    const url = await serve(
      answering(
        () => 200,
        () => ({ active: false }),
        calls,
      ),
    );
    const clock = { now: 1_000_000 };
    const introspector = make(clock);
    const ask = (token: string, from = provider(url)) => introspector.ask(from, token, `hash of ${token}`);
    await ask('a');
    await ask('a');
    expect(calls.count).toBe(1);
    await ask('b');
    expect(calls.count).toBe(2);
    clock.now += 9999;
    await ask('a');
    expect(calls.count).toBe(2);
    clock.now += 1;
    await ask('a');
    expect(calls.count).toBe(3);
    await ask('a', provider(`${url}/other`));
    expect(calls.count).toBe(4);
  });

  test('good answers and failures are not remembered here', async () => {
    const calls = { count: 0 };
    let status = 200;
    const url = await serve(
      answering(
        () => status,
        () => ({ active: true }),
        calls,
      ),
    );
    const introspector = make({ now: 1 });
    for (let times = 0; times < 3; times++) await introspector.ask(provider(url), 'a', 'a');
    status = 500;
    for (let times = 0; times < 2; times++) await introspector.ask(provider(url), 'a', 'a');
    expect(calls.count).toBe(5);
  });

  test('calls for one token are joined while one is on its way', async () => {
    const calls = { count: 0 };
    const url = await serve((req, res) => {
      calls.count++;
      req.resume();
      setTimeout(() => res.end('{"active":true}'), 50);
    });
    const introspector = make({ now: 1 });
    const answers = await Promise.all(Array.from({ length: 40 }, (_, index) => introspector.ask(provider(url), `t${index % 2}`, `t${index % 2}`)));
    expect(calls.count).toBe(2);
    expect(answers.every((answer) => answer.outcome === 'answered' && answer.status === 200)).toBe(true);
  });

  test('after failures in a row the endpoint is left alone; then one call tries, and one failure closes it again', async () => {
    const calls = { count: 0 };
    let status = 503;
    const url = await serve(
      answering(
        () => status,
        () => ({ active: true }),
        calls,
      ),
    );
    const clock = { now: 1_000_000 };
    const introspector = make(clock);
    const ask = (index: number) => introspector.ask(provider(url), `t${index}`, `t${index}`);
    for (let index = 0; index < INTROSPECTION_LIMITS.failuresToOpen; index++) await ask(index);
    expect(await ask(99)).toMatchObject({ outcome: 'unavailable', reason: expect.stringContaining('left alone') as string });
    expect(calls.count).toBe(INTROSPECTION_LIMITS.failuresToOpen);
    clock.now += INTROSPECTION_LIMITS.openMs;
    const trying = [ask(100), ask(101), ask(102)];
    expect((await Promise.all(trying)).filter((answer) => answer.outcome === 'unavailable')).toHaveLength(2);
    expect(calls.count).toBe(INTROSPECTION_LIMITS.failuresToOpen + 1);
    expect(await ask(103)).toMatchObject({ outcome: 'unavailable' });
    status = 200;
    clock.now += INTROSPECTION_LIMITS.openMs;
    expect(await ask(104)).toMatchObject({ outcome: 'answered', status: 200 });
    expect(await ask(105)).toMatchObject({ outcome: 'answered', status: 200 });
    expect(introspector.report()).toMatchObject([{ providerId: 'p', state: 'reachable', calls: INTROSPECTION_LIMITS.failuresToOpen + 3 }]);
  });

  test('a bad token is no failure of the provider', async () => {
    const calls = { count: 0 };
    const url = await serve(
      answering(
        () => 401,
        () => null,
        calls,
      ),
    );
    const introspector = make({ now: 1 });
    const from = rule({ ...provider(url).source, kind: 'userinfo' }) as OpaqueProvider;
    for (let index = 0; index < INTROSPECTION_LIMITS.failuresToOpen + 3; index++)
      expect(await introspector.ask(from, `t${index}`, `t${index}`)).toMatchObject({ status: 401 });
    expect(introspector.report()[0]?.state).toBe('reachable');
  });

  test('says what is wrong in words, and never the token or the secret', async () => {
    const introspector = make({ now: 1 }, { s: 'the-secret' });
    const closed = await introspector.ask(provider('http://127.0.0.1:1/i'), 'the-token', 'x');
    expect(closed).toMatchObject({ outcome: 'unavailable', reason: expect.stringMatching(/nothing listens|could not be fetched/) as string });
    expect(JSON.stringify([closed, introspector.report()])).not.toMatch(/the-token|the-secret/);
    const without = make({ now: 1 }, {});
    expect(await without.ask(provider('http://127.0.0.1:1/i'), 't', 'x')).toMatchObject({ reason: expect.stringContaining('secret') as string });
    expect(introspector.report()[0]?.reason).toContain('nothing listens');
  });

  test('an endpoint on loopback needs permission, like every address', async () => {
    const url = await serve((_req, res) => res.end('{"active":true}'));
    const closed = { ...provider(url), allowLoopbackHttp: false };
    expect(await make({ now: 1 }).ask(closed, 't', 'x')).toMatchObject({ outcome: 'unavailable' });
  });

  test('providers that are gone are forgotten', async () => {
    const introspector = make({ now: 1 });
    introspector.follow([provider('http://127.0.0.1:1/i')]);
    expect(introspector.report().map((item) => item.state)).toEqual(['not-asked']);
    introspector.follow([]);
    expect(introspector.report()).toEqual([]);
    await introspector.close();
  });
});

describe('an endpoint that is called again and again', () => {
  test('keeps its connection, follows no redirect and reads no endless answer', async () => {
    const ports = new Set<number | undefined>();
    const url = await serve((req, res) => {
      ports.add(req.socket.remotePort);
      if (req.url === '/away') return void res.writeHead(302, { location: 'http://127.0.0.1:1/' }).end();
      if (req.url === '/huge') return void res.end('x'.repeat(400_000));
      res.end('fine');
    });
    const policy = { allowLoopbackHttp: true, privateHosts: [] };
    const client = new EndpointClient(url, policy, 1000);
    for (let times = 0; times < 5; times++) expect(await client.call({ method: 'GET', headers: {} })).toEqual({ status: 200, text: 'fine' });
    expect(ports.size).toBeLessThan(5);
    await client.close();
    const away = new EndpointClient(`${url}/away`, policy, 1000);
    expect((await away.call({ method: 'GET', headers: {} })).status).toBe(302);
    await away.close();
    const huge = new EndpointClient(`${url}/huge`, policy, 1000);
    await expect(huge.call({ method: 'GET', headers: {} })).rejects.toThrow(/more than 262144 bytes/);
    await huge.close();
  });
});

describe('an answer about a token', () => {
  const said = async (body: string | Buffer, status = 200, source: Partial<OpaqueSource> = {}) => {
    const url = await serve((req, res) => {
      req.resume();
      res.writeHead(status, { 'content-type': 'application/json' }).end(body);
    });
    return make({ now: 1_000_000 }).ask(provider(url, source), 'a token', 'its hash');
  };
  const good = '"sub":"rider","scope":"gates:read"';

  test.each<[string, string | Buffer, string]>([
    ['active twice', `{"active":false,${good},"active":true}`, 'a member that stands twice'],
    ['its scope twice', `{"active":true,${good},"scope":"gates:operate"}`, 'a member that stands twice'],
    ['a claim within a claim twice', `{"active":true,${good},"cnf":{"jkt":"a","jkt":"b"}}`, 'a member that stands twice'],
    ['a subject that is no UTF-8', Buffer.from(`{"active":true,"sub":"rider\xff"}`, 'latin1'), 'bytes that are no UTF-8'],
    ['half a pair in its subject', '{"active":true,"sub":"rider\\ud800"}', 'half of a surrogate pair'],
    ['half of it', '{"active":true', 'no JSON'],
    ['nothing', '', 'nothing'],
  ])('with %s is none', async (_name, body, says) => {
    const answer = await said(body);
    expect(answer).toMatchObject({ outcome: 'unavailable', reason: expect.stringContaining(`sent ${says}`) as string });
  });

  test('that is a refusal says enough by its status: whoever brings a bad token shuts the endpoint for nobody', async () => {
    const userinfo = { kind: 'userinfo' } as Partial<OpaqueSource>;
    for (const body of ['', '<p>no', Buffer.from('no\xff', 'latin1')])
      expect(await said(body, 401, userinfo)).toEqual({ outcome: 'answered', status: 401, document: null });
  });
});

describe('where keys come from', () => {
  const secrets = { value: (name: string) => ({ good: 's'.repeat(32), short: 'short' })[name] ?? null };
  const ask = askBySource(secrets);

  test('a key set at its own address, keys by hand, a secret', async () => {
    const { publicKey } = await generateKeyPair('ES256', { extractable: true });
    const jwk = await exportJWK(publicKey);
    const url = await serve((_req, res) => {
      res.writeHead(200, { 'content-type': 'application/json', 'cache-control': 'max-age=120' });
      res.end(JSON.stringify({ keys: [jwk] }));
    });
    expect(await ask(rule({ kind: 'key-set-url', url }))).toMatchObject({ keys: [{ keyType: 'EC' }], cacheSeconds: 120 });
    expect(await ask(rule({ kind: 'keys', keys: [{ ...jwk }] }))).toMatchObject({ keys: [{ keyType: 'EC', origin: 'key-set' }] });
    expect(await ask(rule({ kind: 'secret', secret: 'good' }))).toMatchObject({ keys: [{ keyType: 'oct', origin: 'secret', bits: 256 }] });
  });

  test.each<[ProviderRule['source'], RegExp]>([
    [{ kind: 'secret', secret: 'short' }, /32 bytes/],
    [{ kind: 'secret', secret: 'not-there' }, /not on this node/],
    [{ kind: 'keys', keys: [{ kty: 'oct', k: 'AAAA' }] }, /symmetric key is no secret/],
  ])('%j is refused in words', async (source, words) => {
    await expect(ask(rule(source))).rejects.toThrow(words);
  });

  test('another source under the same id begins anew; providers that are asked hold no keys', async () => {
    const { publicKey } = await generateKeyPair('ES256', { extractable: true });
    const jwk = { ...(await exportJWK(publicKey)), kid: 'by-hand' };
    const keys = new ProviderKeys(() => 1, undefined, ask);
    keys.follow([rule({ kind: 'secret', secret: 'good' })]);
    await keys.refresh('p');
    expect(keys.held('p')).toMatchObject({ state: 'fresh', keys: [{ keyType: 'oct' }] });
    keys.follow([rule({ kind: 'keys', keys: [jwk] })]);
    await keys.refresh('p');
    expect(keys.held('p')).toMatchObject({ keys: [{ kid: 'by-hand' }] });
    expect(keys.report()[0]?.reason).toBe('The keys were set by hand; 1 key held.');
    keys.follow([provider('https://p.example/i')]);
    expect([keys.held('p').state, keys.report()]).toEqual(['none', []]);
  });
});
