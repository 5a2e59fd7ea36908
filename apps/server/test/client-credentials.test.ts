import type { ClientChanged, ClientListReport, ClientPage, ClientView, CredentialMade, LeakReport, LeakRuleView, ScannerMade } from '@virga/protocol';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { RunningServer, startStandins, type Standins, until } from './harness.js';

let server: RunningServer;
let standins: Standins;
let apiId: string;

const CONTRACT = `openapi: 3.1.0
info: { title: Gates, version: '1.0' }
paths:
  /gates: { get: { operationId: key, security: [{ key: [] }] } }
  /basic: { get: { operationId: basic, security: [{ name: [] }] } }
components:
  securitySchemes:
    key: { type: apiKey, in: header, name: X-Api-Key }
    name: { type: http, scheme: basic }
`;

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(join(server.folder, 'standins'), server.url);
  const { api } = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/gates', upstreamUrl: standins.gates });
  apiId = api.id;
  await server.ok('POST', '/releases', {});
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

const call = (path: string, headers: Record<string, string> = {}) => fetch(`${server.gatewayUrl}/gates${path}`, { headers });
const statusOf = async (key: string | null) => (await call('/gates', { 'x-api-key': key ?? '' })).status;
const codeOf = async (answer: Response) => (await server.traceOf(answer)).code;
const addClient = async (name: string, change: object = {}) => (await server.ok<ClientChanged>('POST', '/clients', { name, ...change })).client.id;
const give = (id: string, change: object = {}) => server.ok<CredentialMade>('POST', `/clients/${id}/credentials`, { kind: 'key', name: 'first', ...change });
const view = (id: string) => server.ok<ClientView>('GET', `/clients/${id}`);
const refusal = async (method: string, path: string, body: object) => {
  const { status, text } = await server.call(method, `/control/v1${path}`, body);
  return `${status} ${text}`;
};
const BROUGHT = 'q7Jw-93kfLs0_PzaUe2vRb8tYx41';

describe('metadata', () => {
  test('is read by a condition as it is at this moment', async () => {
    const id = await addClient('Told of', { metadata: { tier: 2, sections: ['north'], site: { open: true } } });
    const { secret } = await give(id);
    const source = 'client.metadata.tier >= 2 && "north" in client.metadata.sections && client.metadata.site.open';
    await server.ok('PATCH', `/apis/${apiId}`, { conditions: [{ kind: 'own', name: 'tier', source }] });
    await server.ok('POST', '/releases', {});
    expect(await statusOf(secret)).toBe(200);
    for (const metadata of [{ tier: 1, sections: ['north'], site: { open: true } }, { tier: 2, sections: ['north'], site: {} }, {}]) {
      await server.ok('PATCH', `/clients/${id}`, { metadata });
      expect([metadata, await statusOf(secret)]).toEqual([metadata, 403]);
    }
    await server.ok('PATCH', `/apis/${apiId}`, { conditions: [] });
    await server.ok('POST', '/releases', {});
    expect(await statusOf(secret)).toBe(200);
  });

  test.each<[string, unknown]>([
    ['a list', ['a']],
    ['a text', 'a'],
    ['null', null],
    ['more than 4 KB', { a: 'x'.repeat(4096) }],
    ['a whole number that was rounded', { account: { id: 2 ** 60 } }],
    ['values too deep', { a: { a: { a: { a: { a: { a: { a: 1 } } } } } } }],
  ])('%s is not taken', async (_name, metadata) => expect(await refusal('POST', '/clients', { name: 'A', metadata })).toMatch(/^422 .*\/metadata/));
});

describe('keys', () => {
  test('that are brought along count, and are kept as a hash only', async () => {
    const id = await addClient('Brings its own');
    const made = await give(id, { key: BROUGHT });
    expect([made.secret, made.credential.hint, await statusOf(BROUGHT)]).toEqual([null, 'q7Jw', 200]);
    for (const file of ['virga.sqlite', 'virga.sqlite-wal']) expect(readFileSync(join(server.folder, file)).includes(BROUGHT)).toBe(false);
    const other = await addClient('Another');
    expect(await refusal('POST', `/clients/${other}/credentials`, { kind: 'key', name: 'k', key: BROUGHT })).toMatch(/^422 .*belongs to the client/);
    expect(await refusal('POST', `/clients/${other}/credentials`, { kind: 'key', name: 'k', key: 'password12345password12345' })).toMatch(/^422 .*\/key/);
  });

  test('are rotated without a failed call', async () => {
    const id = await addClient('Rotates');
    const old = await give(id);
    const seen: number[] = [];
    let fresh: string | null = null as string | null;
    let going = true;
    const caller = (async () => {
      for (let key = old.secret; going;) {
        seen.push(await statusOf(key));
        if (fresh) key = fresh;
      }
    })();
    const rotated = await server.ok<CredentialMade>('POST', `/clients/${id}/credentials/${old.credential.id}/rotate`, { overlapHours: 24 });
    expect(await statusOf(old.secret)).toBe(200);
    fresh = rotated.secret;
    await new Promise((resolve) => setTimeout(resolve, 200));
    going = false;
    await caller;
    expect([new Set(seen), seen.length > 10]).toEqual([new Set([200]), true]);
    const before = (await view(id)).credentials.find((one) => one.id === old.credential.id);
    expect(before).toMatchObject({ state: 'good', replacedBy: rotated.credential.id });
    expect(Math.abs((before?.expiresAt ?? 0) - Date.now() - 86_400_000)).toBeLessThan(60_000);
    expect(await refusal('POST', `/clients/${id}/credentials/${old.credential.id}/rotate`, { overlapHours: 1 })).toMatch(/^409/);
    const next = await server.ok<CredentialMade>('POST', `/clients/${id}/credentials/${rotated.credential.id}/rotate`, { overlapHours: 0 });
    expect([await statusOf(rotated.secret), await statusOf(next.secret)]).toEqual([401, 200]);
    for (const overlapHours of [-1, 1.5, '1', null, 3000])
      expect(await refusal('POST', `/clients/${id}/credentials/${next.credential.id}/rotate`, { overlapHours })).toMatch(/^422/);
  });

  test('say when and from where they were last used', async () => {
    const id = await addClient('Used');
    const { secret } = await give(id);
    expect((await view(id)).credentials[0]).toMatchObject({ lastUsedAt: null, lastUsedFrom: null });
    const from = Date.now();
    await statusOf(secret);
    const used = await until(async () => (await view(id)).credentials.find(({ lastUsedAt }) => lastUsedAt !== null));
    expect([used.lastUsedFrom, (used.lastUsedAt ?? 0) >= from - 5]).toEqual(['127.0.0.1', true]);
    expect((await server.ok<ClientPage>('GET', '/clients?text=Used')).items[0]?.lastUsedAt).toBe(used.lastUsedAt);
  });

  test('in the wrong place are told of to the operator, and to the caller as none', async () => {
    const { secret } = await give(await addClient('Misplaces'));
    const none = await call('/gates');
    for (const [path, headers, place] of [
      [`/gates?key=${secret}`, {}, 'the query'],
      ['/gates', { 'x-key': secret ?? '' }, 'the header x-key'],
      ['/gates', { authorization: `Bearer ${secret}` }, 'the Authorization header'],
    ] as const) {
      const answer = await call(path, headers);
      expect([answer.status, await codeOf(answer)]).toEqual([401, 'credential.key-elsewhere']);
      const trace = await server.ok<{ reason: string }>('GET', `/traces/${answer.headers.get('x-request-id') ?? ''}`);
      expect(trace.reason).toContain(place);
      expect(JSON.stringify(trace)).not.toContain(secret);
      const { title } = (await answer.json()) as { title: string };
      expect(title).toBe(((await none.clone().json()) as { title: string }).title);
    }
  });
});

test('Basic secrets are rotated too: both count until the overlap is over, each with its own use, in drafts and after a restart', async () => {
  const id = await addClient('Rotates its secret');
  const make = () => server.ok<CredentialMade>('POST', `/clients/${id}/credentials`, { kind: 'basic', name: 'rotating' });
  const rotate = ({ credential }: CredentialMade, overlapHours: number) =>
    server.ok<CredentialMade>('POST', `/clients/${id}/credentials/${credential.id}/rotate`, { overlapHours });
  const headerOf = ({ secret }: CredentialMade) => `Basic ${Buffer.from(`rotating:${secret}`).toString('base64')}`;
  // The stand-in has no such path: it was reached.
  const statuses = (...made: CredentialMade[]) => Promise.all(made.map(async (one) => (await call('/basic', { authorization: headerOf(one) })).status));
  const old = await make();
  const fresh = await rotate(old, 24);
  expect(fresh.credential).toMatchObject({ kind: 'basic', name: 'rotating', state: 'good', expiresAt: null });
  expect(await statuses(old, fresh)).toEqual([404, 404]);
  const before = async () => (await view(id)).credentials.find((one) => one.id === old.credential.id);
  expect(await before()).toMatchObject({ state: 'good', replacedBy: fresh.credential.id });
  await until(async () => ((await before())?.lastUsedAt ?? null) !== null, 'the use of the old one');
  // Another client gets the name by none of this.
  const other = await addClient('Wants the name');
  expect(await refusal('POST', `/clients/${other}/credentials`, { kind: 'basic', name: 'rotating' })).toMatch(/^422 .*belongs to the client/);
  expect(await refusal('POST', `/clients/${id}/credentials/${old.credential.id}/rotate`, { overlapHours: 1 })).toMatch(/^409/);
  // One that leaked is found whichever of the two it is.
  const { found } = await server.ok<LeakReport>('POST', '/leaks', { text: `authorization: ${headerOf(old)}\nauthorization: ${headerOf(fresh)}` });
  expect(found.map(({ credentialId }) => credentialId).sort()).toEqual([old.credential.id, fresh.credential.id].sort());
  await server.stop();
  await server.start();
  await until(async () => (await statuses(fresh))[0] === 404, 'the node');
  expect(await statuses(old, fresh)).toEqual([404, 404]);
  // Once more before the first is over: three count. At once: the last alone, of those that were rotated.
  const third = await rotate(fresh, 1);
  expect(await statuses(old, fresh, third)).toEqual([404, 404, 404]);
  const last = await rotate(third, 0);
  expect(await statuses(third, last, old)).toEqual([401, 404, 404]);
  await server.ok('POST', `/clients/${id}/credentials/${old.credential.id}/revoke`);
  expect(await statuses(old, fresh, third, last)).toEqual([401, 404, 401, 404]);
  const probed = async (made: CredentialMade) =>
    (
      await server.ok<{ outcome: string }>('POST', '/probe', {
        method: 'GET',
        target: '/gates/basic',
        headers: [{ name: 'authorization', value: headerOf(made) }],
        sender: 'nobody',
        against: 'draft',
        forward: false,
      })
    ).outcome;
  expect([await probed(fresh), await probed(last), await probed(old)]).toEqual(['passed', 'passed', 'refused']);
  await server.ok('POST', `/clients/${id}/credentials/${fresh.credential.id}/revoke`);
  expect(await statuses(fresh, last)).toEqual([401, 404]);
});

describe('leaks', () => {
  const look = (text: string) => server.ok<LeakReport>('POST', '/leaks', { text });

  test('keys, brought keys and Basic secrets are found in a log, told of and revoked with one call', async () => {
    const id = await addClient('Leaks', { owner: 'Canal team' });
    const [key, gone] = [await give(id), await give(id, { name: 'second' })];
    await server.ok('POST', `/clients/${id}/credentials/${gone.credential.id}/revoke`);
    const basic = await server.ok<CredentialMade>('POST', `/clients/${id}/credentials`, { kind: 'basic', name: 'leaky' });
    const brought = 'zX91-kfLq_7PwUe2vRb8tYs40aMc';
    await give(id, { name: 'brought', key: brought });
    const header = Buffer.from(`leaky:${basic.secret}`).toString('base64');
    const damaged = `${key.secret?.slice(0, -1)}${key.secret?.endsWith('0') ? '1' : '0'}`;
    const text = [
      `GET /gates 200 "x-api-key: ${key.secret}"`,
      `export GATES_KEY='${brought}'`,
      `+  authorization: Basic ${header}`,
      `old=${gone.secret} odd=${damaged}`,
      'nothing here',
    ].join('\n');
    const report = await look(text);
    expect(report.found.map(({ kind, name, state, owner }) => [kind, name, state, owner]).sort()).toEqual([
      ['basic', 'leaky', 'good', 'Canal team'],
      ['key', 'brought', 'good', 'Canal team'],
      ['key', 'first', 'good', 'Canal team'],
      ['key', 'second', 'revoked', 'Canal team'],
    ]);
    expect([report.unknown, report.lookAlikes, report.revoked, report.cut]).toEqual([0, 1, 0, false]);
    for (const file of ['virga.sqlite', 'virga.sqlite-wal']) expect(readFileSync(join(server.folder, file)).includes('nothing here')).toBe(false);
    const { items } = await server.ok<{ items: { title: string; link: string }[] }>('GET', '/overlook/attention');
    expect(items.filter(({ title }) => title.includes('leaked')).length).toBe(3);
    const [first] = report.found.filter(({ name }) => name === 'first');
    await server.ok('POST', `/clients/${id}/credentials/${first?.credentialId ?? ''}/revoke`);
    expect(await statusOf(key.secret)).toBe(401);
  });

  test('of many that leaked, five are told of by name, and how many more there are', async () => {
    const id = await addClient('Careless');
    const secrets: (string | null)[] = [];
    for (let at = 0; at < 7; at++) secrets.push((await give(id, { name: `key ${at}` })).secret);
    await look(secrets.join('\n'));
    const told = (await server.ok<{ items: { title: string; link: string }[] }>('GET', '/overlook/attention')).items.filter(({ title }) =>
      title.includes('leaked'),
    );
    // Two of the test before are good still.
    expect(told.map(({ title }) => title.replace(/key \d/, 'key N'))).toEqual([
      ...Array.from({ length: 5 }, () => 'The credential “key N” of careless leaked and is accepted still'),
      '4 more credentials leaked and are accepted still',
    ]);
    await server.call('DELETE', `/control/v1/clients/${id}`);
  });

  test('a scanner tells with a credential of its own, which opens nothing else, and by rule what it finds is revoked', async () => {
    const id = await addClient('Scanned');
    const { secret } = await give(id);
    const tell = (bearer: string | null, text = `key ${secret}`) =>
      fetch(`${server.url}/scanner/v1/leaks`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...(bearer === null ? {} : { authorization: `Bearer ${bearer}` }) },
        body: JSON.stringify({ text }),
      });
    for (const bearer of [null, 'vrscan_wrong', server.token]) expect((await tell(bearer)).status).toBe(401);
    const scanner = await server.ok<ScannerMade>('POST', '/leaks/scanner');
    for (const path of ['/clients', '/leaks/rule', '/standing'])
      expect((await fetch(`${server.url}/control/v1${path}`, { headers: { authorization: `Bearer ${scanner.secret}` } })).status).toBe(401);
    const told = (await (await tell(scanner.secret)).json()) as LeakReport;
    expect(told.found).toMatchObject([{ kind: 'key', state: 'good', owner: '', clientName: '', clientId: '' }]);
    expect([await statusOf(secret), (await view(id)).credentials[0]?.leakedBy]).toEqual([200, 'scanner']);
    await server.ok('PUT', '/leaks/rule', { revoke: 'at-once' });
    expect(((await (await tell(scanner.secret)).json()) as LeakReport).revoked).toBe(1);
    expect(await statusOf(secret)).toBe(401);
    const rule = await server.ok<LeakRuleView>('GET', '/leaks/rule');
    expect([rule.revoke, rule.lastToldAt === null, JSON.stringify(rule).includes(scanner.secret)]).toEqual(['at-once', false, false]);
    const again = await server.ok<ScannerMade>('POST', '/leaks/scanner');
    expect([(await tell(scanner.secret)).status, (await tell(again.secret)).status]).toEqual([401, 200]);
    await server.call('DELETE', '/control/v1/leaks/scanner');
    expect((await tell(again.secret)).status).toBe(401);
    expect(await refusal('PUT', '/leaks/rule', { revoke: 'never' })).toMatch(/^422/);
  });
});

describe('lists of clients', () => {
  const take = (text: string, tryOnly = false) => server.ok<ClientListReport>('POST', '/clients/list', { text, tryOnly });
  const list = () => server.call('GET', '/control/v1/clients/list.csv').then(({ text }) => text);

  test('are taken in whole or not at all, with a report line by line', async () => {
    const before = (await server.ok<ClientPage>('GET', '/clients')).total;
    const text = [
      'name,owner,roles,metadata,enabled,key_name,key',
      'List one,Team,"reader writer","{""tier"":1}",yes,site,new',
      '"List, two",,,,no,,',
      ',nobody,,,,,',
      'List four,,,{tier},perhaps,,short',
    ].join('\r\n');
    const wrong = await take(text);
    expect(wrong).toMatchObject({ done: false, added: 2, wrong: 2 });
    expect(wrong.lines.map(({ line, becomes, key }) => [line, becomes, key])).toEqual([
      [2, 'added', null],
      [3, 'added', null],
      [4, 'wrong', null],
      [5, 'wrong', null],
    ]);
    expect(wrong.lines[3]?.problems.map((problem) => problem.split(':')[0])).toEqual(['metadata', 'enabled', 'key']);
    expect((await server.ok<ClientPage>('GET', '/clients')).total).toBe(before);
    const rounded = await take('name,metadata\nList five,"{""account"":9007199254740993}"');
    expect([rounded.done, rounded.lines[0]?.problems]).toEqual([false, [expect.stringContaining('write it as a text')]]);
    const twice = await take('name,metadata\nTwice,"{""tier"":1,""tier"":2}"\n');
    expect([twice.done, twice.lines[0]?.problems]).toEqual([false, ['metadata: it cannot be read: a member that stands twice']]);
    const right = text.split('\r\n').slice(0, 3).join('\n');
    expect(await take(right, true)).toMatchObject({ done: false, added: 2, wrong: 0 });
    const done = await take(right);
    expect([done.done, done.lines[0]?.key]).toEqual([true, expect.stringMatching(/^vrk_/)]);
    expect(await statusOf(done.lines[0]?.key ?? '')).toBe(200);
    const one = await view(done.lines[0]?.clientId ?? '');
    expect(one).toMatchObject({ owner: 'Team', roles: ['reader', 'writer'], metadata: { tier: 1 }, keys: 1 });
    expect(await take(right)).toMatchObject({ done: false, wrong: 2 });
  });

  test('come out and go in again as the same, formulas defused', async () => {
    await addClient('=HYPERLINK("x")', { owner: '+1', metadata: { a: ['ü', 1] } });
    const written = await list();
    expect(written).toContain(`'=HYPERLINK`);
    const again = await take(written);
    expect([again.done, again.wrong, again.changed, again.added]).toEqual([true, 0, 0, 0]);
    const changed = await take(written.replace(/^(.*HYPERLINK.*),yes,/m, '$1,no,'));
    expect([changed.done, changed.changed]).toEqual([true, 1]);
    expect((await server.ok<ClientPage>('GET', '/clients?text=HYPERLINK')).items[0]).toMatchObject({ enabled: false, name: '=HYPERLINK("x")', owner: '+1' });
  });

  test('of thousands act on the node', async () => {
    const lines = Array.from({ length: 3000 }, (_, index) => `Many ${index},Team ${index % 7},new`);
    const report = await take(['name,owner,key', ...lines].join('\n'));
    expect([report.done, report.added]).toEqual([true, 3000]);
    for (const at of [0, 1499, 2999]) expect(await statusOf(report.lines[at]?.key ?? '')).toBe(200);
  });

  test.each<[string, string]>([
    ['nothing but names', 'name,owner'],
    ['a column that there is not', 'name,secret\nA,b'],
    ['a column twice', 'name,enabled,enabled\nA,no,yes'],
    ['no name', 'owner\nA'],
    ['a quote that does not end', 'name\n"A'],
    ['lines of another length', 'name,owner\nA'],
  ])('%s is no list', async (_name, text) => expect(await refusal('POST', '/clients/list', { text, tryOnly: false })).toMatch(/^422 .*\/text/));
});
