import type { ApiView, ClientChanged, CredentialMade, EditPage, OperationView, ProblemDocument, ProviderView } from '@virga/protocol';
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
});
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
    // Both versions, and what the other edit made of the part.
    const { began, now, errors } = stale.body as unknown as ProblemDocument;
    expect([began, now]).toMatchObject([
      { revision: answer.body.revision, content: { version: answer.body.version } },
      { revision: first.body.revision, content: { version: '3' } },
    ]);
    expect(errors?.slice(1)).toEqual([{ pointer: '/version', detail: `was "${answer.body.version}", is now "3"` }]);
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

  // Names that every object has are known to validation, whatever stands under them (common practice: CWE-1321).
  test.each(['constructor', '__proto__', 'prototype'])('a member called %s is refused wherever it stands', async (name) => {
    const at = async (text: string, path = `/apis/${apiId}`) => {
      const answer = await server.call('PATCH', `/control/v1${path}`, text);
      return [answer.status, (answer.body as unknown as ProblemDocument).errors?.[0]?.pointer];
    };
    const before = (await view()).revision;
    expect(await at(`{"version":"x","${name}":{"version":"y"}}`)).toEqual([422, `/${name}`]);
    expect(await at(`{"upstream":{"${name}":1}}`)).toEqual([422, `/upstream/${name}`]);
    expect(await at(`{"ids":["GET /gates"],"access":{"kind":"required","alternatives":[{"schemes":[{"${name}":[]}]}]}}`, `/apis/${apiId}/operations`)).toEqual([
      422,
      `/access/alternatives/0/schemes/0/${name}`,
    ]);
    expect((await view()).revision).toBe(before);
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

  test('from far back, of operations and of what is gone say what they can', async () => {
    const etag = `"${(await view()).revision}"`;
    await server.ok('PATCH', `/apis/${apiId}/operations`, { ids: ['GET /gates'], modes: { all: 'observe', checks: {} } });
    for (let index = 0; index < 3; index++) await server.ok('PATCH', `/apis/${apiId}`, { version: `far-${index}` });
    const far = (await patch({ version: 'x' }, etag)).body as unknown as ProblemDocument;
    expect(far.errors?.map(({ pointer }) => pointer)).toEqual(['', '/version', '/operations']);
    expect(far.errors?.[2]?.detail).toBe('operations changed: GET /gates');
    // A revision that never was cannot be shown, and is refused all the same.
    const never = await patch({ version: 'x' }, '"00000000000000000000"');
    expect([never.status, (never.body as unknown as ProblemDocument).began]).toEqual([412, { revision: '00000000000000000000', content: null }]);
    const provider = await server.ok<ProviderView>('POST', '/providers', {
      name: 'Gone',
      issuer: 'https://gone.example',
      source: { kind: 'key-set-url', url: 'https://gone.example/k' },
      algorithms: ['RS256'],
    });
    await server.call('DELETE', `/control/v1/providers/${provider.id}`);
    const gone = await patch({ name: 'x' }, `"${provider.revision}"`, `/providers/${provider.id}`);
    expect([404, 412]).toContain(gone.status);
  });

  test('of clients stand in the same chain, by whom they were made, without a secret, and are not taken back from there', async () => {
    const { client } = await server.ok<ClientChanged>('POST', '/clients', { name: 'Rider tablet', roles: ['reader'] });
    await server.ok('PATCH', `/clients/${client.id}`, { enabled: false, owner: 'North' });
    await server.ok('PATCH', `/clients/${client.id}`, { enabled: false });
    const made = await server.ok<CredentialMade>('POST', `/clients/${client.id}/credentials`, { kind: 'key', name: 'first' });
    await server.ok('POST', `/clients/${client.id}/credentials/${made.credential.id}/revoke`, {});
    await server.ok('POST', `/clients/${client.id}/credentials/${made.credential.id}/revoke`, {});
    await server.call('DELETE', `/control/v1/clients/${client.id}`);
    const page = await edits();
    const own = page.items.filter(({ clientId }) => clientId === client.id);
    expect([page.brokenAt, own.map(({ words }) => words.join('; ')), new Set(own.map(({ by }) => by))]).toEqual([
      null,
      [
        'Rider tablet: taken away with its credentials (1)',
        'Rider tablet: the key “first” revoked',
        'Rider tablet: the key “first” made',
        'Rider tablet: switched off; Rider tablet: owner changed',
        'Rider tablet: added as a client',
      ],
      new Set(['automation']),
    ]);
    expect((await server.call('POST', `/control/v1/draft/edits/${own[0]?.number}/take-back`, {})).status).toBe(409);
    const sequelize = new Sequelize({ dialect: 'sqlite', storage: join(server.folder, 'virga.sqlite'), logging: false });
    const [rows] = await sequelize.query('SELECT changes, words FROM draft_changes');
    await sequelize.close();
    expect(made.secret?.length).toBeGreaterThan(20);
    expect(JSON.stringify(rows)).not.toContain(made.secret);
  });

  test('of before there were edits of clients keep their chain', async () => {
    const before = await edits();
    await server.stop();
    const sequelize = new Sequelize({ dialect: 'sqlite', storage: join(server.folder, 'virga.sqlite'), logging: false });
    await sequelize.query('DELETE FROM draft_changes WHERE number >= (SELECT MIN(number) FROM draft_changes WHERE client_id IS NOT NULL)');
    await sequelize.query('ALTER TABLE draft_changes DROP COLUMN client_id');
    await sequelize.query("DELETE FROM migrations WHERE name = '007-edits-of-clients'");
    await sequelize.close();
    await server.start();
    const after = await edits();
    expect([after.brokenAt, after.items.length > 5, after.items.every(({ clientId }) => clientId === null)]).toEqual([null, true, true]);
    expect(after.items[0]?.hash).toBe(before.items.find(({ number }) => number === after.items[0]?.number)?.hash);
    await server.ok<ClientChanged>('POST', '/clients', { name: 'Another tablet' });
    expect((await edits()).items[0]?.words).toEqual(['Another tablet: added as a client']);
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
  });
});
