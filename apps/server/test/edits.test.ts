import type { ApiView, EditPage, OperationView, ProviderView } from '@virga/protocol';
import { Sequelize } from 'sequelize';
import { join } from 'node:path';
import { CONTRACT, RunningServer } from './harness.js';

let server: RunningServer;
let apiId: string;

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  const { api } = await server.ok<{ api: ApiView }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/gates', upstreamUrl: 'http://127.0.0.1:9' });
  apiId = api.id;
}, 60_000);
afterAll(() => server.stop(), 30_000);

const view = () => server.ok<ApiView>('GET', `/apis/${apiId}`);
const edits = () => server.ok<EditPage>('GET', '/draft/edits');
const patch = (body: object, ifMatch?: string, path = `/apis/${apiId}`) =>
  server.call<ApiView>('PATCH', `/control/v1${path}`, body, {
    authorization: `Bearer ${server.token}`,
    ...(ifMatch === undefined ? {} : { 'if-match': ifMatch }),
  });

describe('edits of the draft', () => {
  test('say who made them, when and what, in a chain', async () => {
    await server.ok('PATCH', `/apis/${apiId}`, { version: '2' });
    const { items, brokenAt } = await edits();
    expect(items.map(({ number, by, words }) => [number, by, words[0]])).toEqual([
      [2, 'automation', 'Gates: version 1.0 → 2'],
      [1, 'automation', expect.stringContaining('Gates: new, 3 operations')],
    ]);
    expect([brokenAt, Date.now() - (items[0]?.at ?? 0) < 5000]).toEqual([null, true]);
  });

  test('that change nothing are none', async () => {
    const before = (await edits()).items.length;
    await server.ok('PATCH', `/apis/${apiId}`, { version: '2' });
    expect((await edits()).items).toHaveLength(before);
  });

  // RFC 9110 sections 8.8.3, 13.1.1 and 15.5.13.
  test('from a revision that is not there any more are 412 with both, and nothing is lost', async () => {
    const answer = await server.call<ApiView>('GET', `/control/v1/apis/${apiId}`);
    const etag = answer.headers.get('etag') ?? '';
    expect(etag).toBe(`"${answer.body.revision}"`);
    const first = await patch({ version: '3' }, etag);
    expect([first.status, first.headers.get('etag') === etag]).toEqual([200, false]);
    const stale = await patch({ version: '4' }, etag);
    expect([stale.status, stale.text.includes(answer.body.revision), stale.text.includes(first.body.revision)]).toEqual([412, true, true]);
    expect((await view()).version).toBe('3');
    expect([(await patch({ version: '4' }, '*')).status, (await patch({ version: '5' })).status]).toEqual([200, 200]);
    for (const header of ['5', '"a", "b"', 'W/"x"', '""', '"\u00e4"'.normalize('NFD').replace(/[^\x20-\x7e]/g, '')]) {
      const status = (await patch({ version: '9' }, header)).status;
      expect([400, 412]).toContain(status);
    }
    expect((await view()).version).toBe('5');
  });

  test('do not let an answer be kept or left out: what is beside the rule in it changes without an edit', async () => {
    const path = `/control/v1/apis/${apiId}`;
    const etag = (await server.call<ApiView>('GET', path)).headers.get('etag') ?? '';
    const again = await server.call<ApiView>('GET', path, undefined, { authorization: `Bearer ${server.token}`, 'if-none-match': etag });
    expect([again.status, again.headers.get('cache-control'), again.body.id]).toEqual([200, 'no-store', apiId]);
  });

  test.each<[string, object]>([
    ['modes', { modes: [] }],
    ['modes', { modes: [[]] }],
    ['token', { token: [] }],
    ['token', { token: [{}] }],
    ['message', { message: [] }],
    ['headers', { headers: [] }],
    ['headers', { headers: { up: [[]], back: [], hidePlatform: false } }],
    ['headers', { headers: { up: [], back: [[]], hidePlatform: false } }],
    ['schemes', { schemes: [[]] }],
    ['upstream', { upstream: [] }],
  ])('a list in the place of an object is refused and not taken for nothing: %s', async (part, body) => {
    const before = await view();
    const answer = await patch(body);
    expect([answer.status, answer.text.includes(`/${part}`)]).toEqual([422, true]);
    expect((await view()).revision).toBe(before.revision);
  });

  test('of operations count as edits of their API', async () => {
    const { revision } = await view();
    const ids = ['GET /gates'];
    expect((await patch({ ids, access: { kind: 'public' } }, `"${revision}"`, `/apis/${apiId}/operations`)).status).toBe(200);
    expect((await patch({ ids, access: null }, `"${revision}"`, `/apis/${apiId}/operations`)).status).toBe(412);
    expect(
      (await server.call('DELETE', `/control/v1/apis/${apiId}`, undefined, { authorization: `Bearer ${server.token}`, 'if-match': `"${revision}"` })).status,
    ).toBe(412);
  });

  test('two at once from one revision: one is taken', async () => {
    const { revision } = await view();
    const statuses = (await Promise.all(['6', '7', '8'].map((version) => patch({ version }, `"${revision}"`)))).map(({ status }) => status);
    expect(statuses.sort()).toEqual([200, 412, 412]);
  });

  test('are taken back one by one, while nothing of them was changed again', async () => {
    const last = async () => (await edits()).items[0]?.number ?? 0;
    const takeBack = (number: number) => server.call('POST', `/control/v1/draft/edits/${number}/take-back`, {});
    await server.ok('PATCH', `/apis/${apiId}`, { version: '10' });
    const version = await last();
    await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /sections'], modes: { all: 'observe', checks: {} } });
    const modes = await last();
    const before = await view();
    expect((await takeBack(version)).status).toBe(204);
    expect([(await view()).version === before.version, (await takeBack(version)).status]).toEqual([false, 409]);
    const operation = async () =>
      (await server.ok<{ items: OperationView[] }>('GET', `/apis/${apiId}/operations`)).items.find(({ id }) => id === 'GET /sections');
    expect((await operation())?.modes).toEqual({ all: 'observe', checks: {} });
    expect((await takeBack(modes)).status).toBe(204);
    expect((await operation())?.modes).toBeNull();
    expect((await edits()).items[0]).toMatchObject({ takesBack: modes });
    expect((await takeBack(9999)).status).toBe(404);
    // Taking back is an edit too, and can itself be taken back.
    expect((await takeBack(await last())).status).toBe(204);
    expect((await operation())?.modes).toEqual({ all: 'observe', checks: {} });
  });

  test('that took something away bring it back whole', async () => {
    const provider = await server.ok<ProviderView>('POST', '/providers', {
      name: 'P',
      issuer: 'https://p.example',
      source: { kind: 'key-set-url', url: 'https://p.example/k' },
      algorithms: ['RS256'],
    });
    await server.call('DELETE', `/control/v1/providers/${provider.id}`);
    await server.call('DELETE', `/control/v1/apis/${apiId}`);
    const [api, trust] = (await edits()).items;
    for (const edit of [trust, api]) expect((await server.call('POST', `/control/v1/draft/edits/${edit?.number}/take-back`, {})).status).toBe(204);
    expect([(await view()).operationCount, (await server.ok<ProviderView>('GET', `/providers/${provider.id}`)).revision]).toEqual([3, provider.revision]);
  });

  test('survive a restart, and a row that was changed outside is told', async () => {
    const before = await edits();
    await server.stop();
    const sequelize = new Sequelize({ dialect: 'sqlite', storage: join(server.folder, 'virga.sqlite'), logging: false });
    await sequelize.query('UPDATE draft_changes SET "by" = \'somebody else\' WHERE number = 3');
    await sequelize.close();
    await server.start();
    const after = await edits();
    expect([after.items.length, before.brokenAt, after.brokenAt]).toEqual([before.items.length, null, 3]);
  }, 30_000);
});
