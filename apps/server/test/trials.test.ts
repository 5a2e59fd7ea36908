import type { PastedView, PublishView, ReachFacts, ReleaseView, SavedTrialList, SavedTrialView, TracePage, TraceView, TrialReportView } from '@virga/protocol';
import { execFile } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { publishGates, RESOURCE, RunningServer, startStandins, until, type Standins } from './harness.js';

const COMMAND = fileURLToPath(new URL('../../../scripts/trials.mjs', import.meta.url));
let server: RunningServer;
let standins: Standins;
let apiId: string;
let providerId: string;

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(server.folder, server.url);
  ({ apiId, providerId } = await publishGates(server, standins));
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

/** Runs the command of a pipeline. */
const command = (...given: string[]): Promise<{ code: number; out: string; wrong: string }> =>
  new Promise((resolve) => {
    execFile(process.execPath, [COMMAND, ...given], { env: { ...process.env, NODE_OPTIONS: '' } }, (error, out, wrong) =>
      resolve({ code: error === null ? 0 : Number(error.code ?? -1), out, wrong }),
    );
  });
const change = (ids: string[], body: object) => server.ok('PATCH', `/apis/${apiId}/operations`, { ids, ...body });

describe('trials', () => {
  it('of the draft all hold, on every operation that asks who calls', async () => {
    const report = await server.ok<TrialReportView>('POST', '/trials/run');
    expect([report.fails, report.observed, report.notKnown, report.operations]).toEqual([0, 0, 0, 2]);
    expect(report.holds).toBeGreaterThan(100);
    expect(report.items).toHaveLength(report.holds);
  });

  it('stop a release with a scope less, one by one, until each is overruled; what got through is kept with it', async () => {
    await change(['POST /gates/{gateId}/positions'], {
      access: { kind: 'required', alternatives: [{ schemes: [{ scheme: 'trust', scopes: [], match: 'all', roles: [] }] }] },
    });
    const report = await server.ok<TrialReportView>('POST', '/trials/run');
    const names = report.items.filter(({ result }) => result === 'fails').map(({ name }) => name);
    expect(names).toEqual([
      'Gates POST /gates/gates/{gateId}/positions: a token without any scope',
      'Gates POST /gates/gates/{gateId}/positions: a token with every scope but gates:operate',
    ]);
    expect(report.items.slice(0, 2).map(({ result }) => result)).toEqual(['fails', 'fails']);
    const [first = '', second = ''] = names;
    expect((await server.call('POST', '/control/v1/releases', { overrule: [first] })).status).toBe(409);
    expect((await server.call('POST', '/control/v1/releases', { overrule: ['*', '', 'Gates'] })).status).toBe(409);
    const { release } = await server.ok<PublishView>('POST', '/releases', { overrule: [first, second] });
    const { trials } = await server.ok<ReleaseView>('GET', `/releases/${release.number}`);
    expect([trials?.fails, trials?.overruled, trials?.items.map(({ result }) => result)]).toEqual([2, names, ['fails', 'fails']]);
    // Now it is what is in force, so that nothing is less than before.
    expect((await server.ok<TrialReportView>('POST', '/trials/run')).fails).toBe(0);
  });

  it('are a command for pipelines: JSON and JUnit, and how it exits', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'virga-trials-'));
    const [json, junit] = [join(folder, 'out.json'), join(folder, 'out.xml')];
    const good = await command('--control', server.url, '--token', server.token, '--json', json, '--junit', junit);
    expect([good.code, good.wrong]).toEqual([0, '']);
    expect((JSON.parse(readFileSync(json, 'utf8')) as TrialReportView).fails).toBe(0);
    expect(readFileSync(junit, 'utf8')).toMatch(/^<\?xml version="1.0"[^]*<testsuites name="trials" tests="\d+" failures="0"/);
    await change(['GET /gates'], { access: { kind: 'public' } });
    const bad = await command('--control', server.url, '--token', server.token, '--junit', junit);
    expect([bad.code, bad.out.split('\n')[0]]).toEqual([1, 'got through: Gates GET /gates/gates: no credential']);
    expect(readFileSync(junit, 'utf8')).toContain('<failure message="expected refused: It was let in."');
    const wrong = await command('--control', server.url, '--token', 'wrong');
    expect([wrong.code, wrong.wrong]).toEqual([2, expect.stringContaining('answered 401') as string]);
    expect((await command('--control', 'http://127.0.0.1:9')).code).toBe(2);
    expect((await command()).code).toBe(2);
    // Of documents alone, as they are kept beside the code.
    const [draft, live] = [join(folder, 'draft.json'), join(folder, 'live.json')];
    writeFileSync(draft, JSON.stringify(await server.ok('GET', '/draft/document')));
    writeFileSync(live, JSON.stringify(await server.ok('GET', '/releases/1/document')));
    expect((await command('--document', draft, '--before', live)).code).toBe(1);
    expect((await command('--document', draft)).code).toBe(0);
    writeFileSync(draft, '{"format":5}');
    expect((await command('--document', draft)).code).toBe(2);
    await server.ok('POST', '/draft/discard');
  });

  it('go to a gateway over HTTP: one that refuses holds, one that lets in does not, one that is away tells nothing', async () => {
    const gateway = (await server.ok<{ gatewayUrl: string }>('GET', '/standing')).gatewayUrl;
    const of = ['--control', server.url, '--token', server.token, '--gateway'] as const;
    const held = await command(...of, gateway);
    expect([held.code, held.wrong]).toEqual([0, '']);
    expect(Number(/^(\d+) trials of 2 operations hold, 0 do not/.exec(held.out)?.[1])).toBeGreaterThan(20);
    const asked: string[] = [];
    const open = createServer(({ method, url }, response) => {
      asked.push(`${method} ${url}`);
      response.end();
    });
    await once(open.listen(0, '127.0.0.1'), 'listening');
    const { port } = open.address() as AddressInfo;
    const through = await command(...of, `http://127.0.0.1:${port}`);
    expect([through.code, through.out.split('\n')[0]]).toEqual([1, 'got through: Gates GET /gates/gates: no credential']);
    expect(asked).toContain('GET /gates/gates');
    open.close();
    await once(open, 'close');
    expect(await command(...of, `http://127.0.0.1:${port}`)).toMatchObject({ code: 2, wrong: expect.stringContaining('ECONNREFUSED') as string });
  });

  it('that try nothing do not count as held', async () => {
    const file = join(mkdtempSync(join(tmpdir(), 'virga-trials-')), 'empty.json');
    writeFileSync(file, JSON.stringify({ ...(await server.ok<object>('GET', '/releases/1/document')), apis: [] }));
    expect(await command('--document', file)).toMatchObject({ code: 2, wrong: expect.stringContaining('nothing to try') as string });
    expect((await command('--document', file, '--gateway', server.url)).code).toBe(2);
  });

  it('hold what was saved from a trace, with what its token said and without the token', async () => {
    const token = await standins.token('open-data:open-data-demo-secret', 'gates:read', RESOURCE);
    const gateway = (await server.ok<{ gatewayUrl: string }>('GET', '/standing')).gatewayUrl;
    expect((await fetch(`${gateway}/gates/gates?season=dry`, { headers: { authorization: `Bearer ${token}`, 'x-note': 'n' } })).status).toBe(200);
    const passed = await until(async () => (await server.ok<TracePage>('GET', '/traces?outcome=passed')).items[0]);
    const trace = await server.ok<TraceView>('GET', `/traces/${passed.id}`);
    expect(trace.who).toMatchObject({ principal: { client: 'open-data', scopes: ['gates:read'] }, credentials: [] });
    expect(JSON.stringify(trace)).not.toContain(token.slice(-30));
    const saved = await server.ok<SavedTrialView>('POST', '/trials/saved', { name: 'open data reads on', expected: 'passed', traceId: trace.id });
    expect(saved).toMatchObject({ method: 'GET', target: '/gates/gates?season=dry', expected: 'passed', savedBy: 'automation' });
    await server.ok('POST', '/trials/saved', { name: 'nobody', expected: 'refused', call: { method: 'GET', target: '/gates/gates', headers: [] } });
    expect((await server.ok<TrialReportView>('POST', '/trials/run')).fails).toBe(0);
    // What it must go on doing, a stricter draft takes away.
    await change(['GET /gates'], {
      access: { kind: 'required', alternatives: [{ schemes: [{ scheme: 'trust', scopes: ['gates:operate'], match: 'all', roles: [] }] }] },
    });
    const { items } = await server.ok<TrialReportView>('POST', '/trials/run');
    expect(items.find(({ name }) => name === 'saved: open data reads on')).toMatchObject({ expected: 'passed', result: 'fails', code: 'rights.scope-missing' });
    expect(items.find(({ name }) => name === 'saved: nobody')).toMatchObject({ result: 'holds' });
    expect((await server.call('POST', '/control/v1/releases', {})).status).toBe(409);
    await server.ok('POST', '/draft/discard');
    const { items: kept } = await server.ok<SavedTrialList>('GET', '/trials/saved');
    expect(kept.map(({ name, who }) => [name, who])).toEqual([
      ['nobody', 'nobody'],
      ['open data reads on', expect.any(String) as string],
    ]);
    for (const { id } of kept) await server.ok('DELETE', `/trials/saved/${id}`);
    expect((await server.call('DELETE', `/control/v1/trials/saved/${saved.id}`)).status).toBe(404);
  });

  it.each<[string, object, number, string]>([
    ['without a name', { name: '', expected: 'refused', call: { method: 'GET', target: '/', headers: [] } }, 422, '/name'],
    ['without an expectation', { name: 'x', call: { method: 'GET', target: '/', headers: [] } }, 422, '/expected'],
    ['of nothing', { name: 'x', expected: 'refused' }, 422, '/traceId'],
    ['of two things', { name: 'x', expected: 'refused', traceId: 'a', call: { method: 'GET', target: '/', headers: [] } }, 422, '/traceId'],
    ['of a trace that is gone', { name: 'x', expected: 'refused', traceId: 'gone' }, 404, ''],
    [
      'of a persona that is gone',
      { name: 'x', expected: 'refused', call: { method: 'GET', target: '/', headers: [], personaId: 'gone' } },
      422,
      '/call/personaId',
    ],
    ['of a path that is none', { name: 'x', expected: 'refused', call: { method: 'GET', target: 'gates', headers: [] } }, 422, '/call/target'],
    ['of null', { name: 'x', expected: 'refused', call: null }, 422, '/call'],
  ])('a saved request %s is refused with its place', async (_words, body, status, pointer) => {
    const answer = await server.call<{ errors?: { pointer: string }[] }>('POST', '/control/v1/trials/saved', body);
    expect([answer.status, answer.body.errors?.[0]?.pointer ?? '']).toEqual([status, pointer]);
  });

  it('of one name stand once', async () => {
    const body = { name: 'twice', expected: 'refused', call: { method: 'GET', target: '/gates/gates', headers: [] } };
    await server.ok('POST', '/trials/saved', body);
    expect((await server.call('POST', '/control/v1/trials/saved', body)).status).toBe(422);
  });
});

describe('facts for suppositions', () => {
  it('hold no hash of a key and no secret', async () => {
    const made = await server.ok<{ client: { id: string } } & { id: string }>('POST', '/clients', { name: 'Loggers', owner: '', roles: ['reader'] });
    const id = made.id ?? made.client.id;
    const { secret } = await server.ok<{ secret: string }>('POST', `/clients/${id}/credentials`, { kind: 'key', name: 'first' });
    const text = JSON.stringify(await server.ok<ReachFacts>('GET', '/reach/facts'));
    const facts = JSON.parse(text) as ReachFacts;
    const [credential] = facts.credentials;
    expect(credential).toMatchObject({ kind: 'key', name: 'first', lookup: null });
    expect(Object.keys(credential ?? {}).sort()).toEqual(['clientId', 'expiresAt', 'id', 'kind', 'lookup', 'name', 'revokedAt']);
    // The key pasted is known by its client; damaged it is known as one that is not.
    expect(await server.ok<PastedView>('POST', '/reach/pasted', { text: ` ${secret}\n` })).toMatchObject({ is: 'key', credentialId: credential?.id });
    expect(await server.ok<PastedView>('POST', '/reach/pasted', { text: `${secret.slice(0, -1)}${secret.endsWith('x') ? 'y' : 'x'}` })).toMatchObject({
      is: 'key',
      credentialId: null,
    });
    expect(await server.ok<PastedView>('POST', '/reach/pasted', { text: 'hello' })).toMatchObject({ is: 'nothing', credentialId: null });
    const token = await standins.token('open-data:open-data-demo-secret', 'gates:read', RESOURCE);
    expect(await server.ok<PastedView>('POST', '/reach/pasted', { text: token })).toMatchObject({ is: 'token' });
    const { keys } = await server.ok<{ keys: Record<string, { d?: string }[]> }>('GET', '/reach/keys');
    expect(keys[providerId]?.length).toBeGreaterThan(0);
    expect(JSON.stringify(keys)).not.toContain('"d"');
  });

  it('are for those who are signed in', async () => {
    for (const [method, path] of [
      ['GET', '/reach/facts'],
      ['GET', '/reach/keys'],
      ['POST', '/reach/pasted'],
      ['GET', '/draft/document'],
      ['POST', '/trials/run'],
      ['POST', '/trials/run.xml'],
      ['GET', '/trials/saved'],
    ] as const)
      expect([path, (await server.call(method, `/control/v1${path}`, undefined, {})).status]).toEqual([path, 401]);
  });
});
