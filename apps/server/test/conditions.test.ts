import type {
  ApiView,
  AttentionItem,
  ConditionScopeView,
  ConditionsView,
  EditPage,
  TableChanged,
  TableList,
  TableView,
  OperationPage,
  OperationView,
  ProbeView,
  ProblemDocument,
  StandingView,
} from '@virga/protocol';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { Sequelize } from 'sequelize';
import { RunningServer } from './harness.js';

let server: RunningServer;
let upstream: Server;
let apiId: string;
const CONTRACT = `openapi: 3.1.0
info: { title: Gates, version: '1.0' }
security: [{}]
paths:
  /gates: { get: { parameters: [{ name: page, in: query, description: From 1, schema: { type: integer } }], responses: {} } }
  /gates/{gateId}:
    get: { responses: {} }
    put:
      requestBody: { content: { application/json: { schema: { type: object, properties: { opening: { type: number } } } } } }
      responses: {}
`;

beforeAll(async () => {
  upstream = createServer((_req, res) => res.end('{}'));
  await new Promise<void>((resolve) => upstream.listen(0, '127.0.0.1', resolve));
  server = new RunningServer();
  await server.start();
  const upstreamUrl = `http://127.0.0.1:${(upstream.address() as AddressInfo).port}`;
  ({
    api: { id: apiId },
  } = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/gates', upstreamUrl }));
});
afterAll(async () => {
  await server.stop();
  upstream.closeAllConnections();
  upstream.close();
});

const view = () => server.ok<ConditionsView>('GET', '/conditions');
const set = (patch: object, headers?: Record<string, string>) =>
  server.call<ProblemDocument & ConditionsView>('PATCH', '/control/v1/conditions', patch, headers);
const ofOperations = (patch: object) => server.call<ProblemDocument>('PATCH', `/control/v1/apis/${apiId}/operations`, patch);
const probe = (target: string, headers: object[] = []) =>
  server.ok<ProbeView>('POST', '/probe', { method: 'GET', target, headers, sender: 'nobody', against: 'draft', forward: false });
const DAY = { name: 'daylight', description: 'Not at night', source: 'now.getFullYear() > 2000' };
const crew = (name = 'crew') => ({ kind: 'own', name, source: 'request.headers["x-crew"] == "south"' });

test('shared conditions and those of APIs and operations are set in the draft, and decide before they are live', async () => {
  expect(await view()).toMatchObject({ conditions: [], users: [], refused: 0, wouldRefuse: 0 });
  expect((await set({ conditions: [DAY] })).status).toBe(200);
  await server.ok('PATCH', `/apis/${apiId}`, { conditions: [{ kind: 'shared', name: 'daylight' }] });
  expect((await ofOperations({ ids: ['GET /gates/{gateId}'], conditions: [{ kind: 'shared', name: 'daylight' }, crew()] })).status).toBe(200);
  expect((await view()).users).toEqual([{ name: 'daylight', rules: 2 }]);
  expect((await probe('/gates/gates')).steps.map(({ step, outcome }) => `${step} ${outcome}`)).toContain('condition pass');
  const refused = await probe('/gates/gates/7', [{ name: 'X-Crew', value: 'north' }]);
  expect(refused.steps.at(-1)).toMatchObject({
    step: 'condition',
    code: 'condition.not-met',
    toldStatus: 403,
    toldTitle: 'Not permitted',
    rule: { apiId, operationId: 'GET /gates/{gateId}', part: 'conditions' },
    comparisons: [{ what: 'condition', wanted: 'request.headers["x-crew"] == "south"', found: 'request.headers.x-crew: north' }],
  });
  const page = await server.ok<OperationPage>('GET', `/apis/${apiId}/operations/${encodeURIComponent('GET /gates/{gateId}')}`);
  expect(page.checks.filter(({ step }) => step === 'condition').map(({ asks, setAt, part }) => [asks, setAt, part])).toEqual([
    ['daylight: now.getFullYear() > 2000', 'operation', 'conditions'],
    ['crew: request.headers["x-crew"] == "south"', 'operation', 'conditions'],
  ]);
});

test('what is known of requests is told for one operation, for several, and for an API', async () => {
  const scope = (operationIds: string[] | null) => server.ok<ConditionScopeView>('POST', '/conditions/scope', { apiId, operationIds });
  expect((await scope(['GET /gates/{gateId}', 'PUT /gates/{gateId}'])).parameters).toEqual(['gateId']);
  expect((await scope(['GET /gates', 'PUT /gates/{gateId}'])).parameters).toEqual([]);
  expect((await scope(null)).parameters).toEqual([]);
  const [page, opening] = [
    { in: 'query', name: 'page', type: 'integer', values: null, about: 'From 1' },
    { path: ['opening'], type: 'number', values: null, about: '' },
  ];
  const found = async (ids: string[] | null) => {
    const { contractParameters, bodyMembers } = await scope(ids);
    return { query: contractParameters?.filter((one) => one.in === 'query'), others: contractParameters?.filter((one) => one.in !== 'query'), bodyMembers };
  };
  expect(await found(null)).toMatchObject({ query: [page], bodyMembers: [opening] });
  expect(await found(['GET /gates'])).toEqual({ query: [page], others: [], bodyMembers: [] });
  expect(await found(['PUT /gates/{gateId}'])).toMatchObject({ query: [], others: [], bodyMembers: [opening] });
  expect((await server.call('POST', '/control/v1/conditions/scope', { apiId: 'gone', operationIds: null })).status).toBe(422);
});

test.each<[object, string, RegExp]>([
  [{ conditions: [{ ...DAY, source: 'now.getYear() > 1' }] }, '/conditions/0/source', /there is no function getYear \(line 1, column 4\)/],
  [{ conditions: [{ ...DAY, source: '' }] }, '/conditions/0/source', /this is empty/],
  [{ conditions: [{ ...DAY, source: 'x'.repeat(2001) }] }, '/conditions/0/source', /2000/],
  [{ conditions: [{ ...DAY, name: '7' }] }, '/conditions/0/name', /begins with a letter/],
  [{ conditions: [DAY, { ...DAY, name: 'Daylight' }] }, '/conditions/1/name', /same name/],
  [{ conditions: [] }, '/apis/0/conditions/0/name', /no condition called daylight/],
  [{ conditions: null }, '/conditions', /./],
  [{ conditions: {} }, '/conditions', /./],
  [{ conditions: [{ ...DAY, source: null }] }, '/conditions/0/source', /./],
])('%j is refused at its place, and nothing is lost', async (patch, pointer, words) => {
  const before = await view();
  const answer = await set(patch);
  expect(answer.status).toBe(422);
  expect(answer.body.errors?.[0]).toEqual({ pointer, detail: expect.stringMatching(words) as string });
  expect(await view()).toEqual(before);
});

test.each<[object, string, RegExp]>([
  [
    { conditions: [{ kind: 'own', name: 'c', source: 'request.parameters.gate == "7"' }] },
    '/conditions/0',
    /for GET \/gates: request\.parameters has no member gate/,
  ],
  [{ conditions: [{ kind: 'own', name: 'c' }] }, '/conditions/0/source', /./],
  [{ conditions: [{ kind: 'shared', name: 'gone' }] }, '/conditions/0/name', /no condition called gone/],
  [{ conditions: [crew(), crew()] }, '/conditions/1/name', /same name/],
  [{ conditions: Array.from({ length: 21 }, (_, index) => crew(`c${index}`)) }, '/conditions', /20/],
  [{ conditions: [{ kind: 'never', name: 'c' }] }, '/conditions/0/kind', /./],
  [{ conditions: 'true' }, '/conditions', /./],
])('an operation with %j is refused at its place', async (patch, pointer, words) => {
  const answer = await ofOperations({ ids: ['GET /gates'], ...patch });
  expect([answer.status, answer.body.errors?.[0]?.pointer]).toEqual([422, pointer]);
  expect(answer.body.errors?.[0]?.detail).toMatch(words);
});

test('a stale edit is told so', async () => {
  const { revision } = await view();
  expect((await set({ conditions: [{ ...DAY, description: 'a' }] }, { authorization: `Bearer ${server.token}`, 'if-match': `"${revision}"` })).status).toBe(
    200,
  );
  expect((await set({ conditions: [{ ...DAY, description: 'b' }] }, { authorization: `Bearer ${server.token}`, 'if-match': `"${revision}"` })).status).toBe(
    412,
  );
});

test('a new description of the API keeps the conditions of its operations, and says which one it breaks', async () => {
  const replace = (text: string) => server.call<ProblemDocument>('PUT', `/control/v1/apis/${apiId}/contract`, { source: { text } });
  expect(
    (await ofOperations({ ids: ['PUT /gates/{gateId}'], conditions: [{ kind: 'own', name: 'seven', source: 'request.parameters.gateId == "7"' }] })).status,
  ).toBe(200);
  const renamed = await replace(CONTRACT.replaceAll('{gateId}', '{gate}'));
  expect(renamed.status).toBe(422);
  expect(JSON.stringify(renamed.body)).toMatch(/seven, for PUT \/gates\/\{gate\}: request\.parameters has no member gateId; it has gate/);
  const { items } = await server.ok<{ items: OperationView[] }>('GET', `/apis/${apiId}/operations`);
  expect(items.find(({ id }) => id === 'PUT /gates/{gateId}')?.conditions).toHaveLength(1);
  expect(await server.ok<StandingView>('GET', '/standing')).toMatchObject({ problems: [] });
  expect((await server.ok<ApiView>('GET', `/apis/${apiId}`)).conditions).toEqual([{ kind: 'shared', name: 'daylight' }]);
});

describe('tables', () => {
  const lockouts = { description: 'Gates that nobody moves', key: 'gate', columns: ['gate', 'until'], rows: [['7', '2026-07-01']] };
  const put = (body: unknown, headers?: Record<string, string>, name = 'lockouts') =>
    server.call<ProblemDocument & TableChanged>('PUT', `/control/v1/tables/${name}`, body, headers);
  const revisionHeader = (revision: string) => ({ authorization: `Bearer ${server.token}`, 'if-match': `"${revision}"` });

  test('are set whole, act at once on the node, are named by the conditions that look at them, and stand in the log of edits', async () => {
    expect(
      (
        await ofOperations({
          ids: ['GET /gates/{gateId}'],
          conditions: [{ kind: 'own', name: 'free', source: '!(request.parameters.gateId in resource.lockouts)' }],
        })
      ).status,
    ).toBe(200);
    await server.ok('POST', '/releases', {});
    const called = async (gate: string) => (await fetch(`${server.gatewayUrl}/gates/gates/${gate}`)).status;
    expect(await called('7')).toBe(403);
    const made = await put(lockouts);
    expect([made.status, made.body.effect.nodesLive, made.body.table.askedBy]).toEqual([200, 1, ['free']]);
    expect([await called('7'), await called('8')]).toEqual([403, 200]);
    expect((await put({ ...lockouts, rows: [['8', '']] })).status).toBe(200);
    expect([await called('7'), await called('8')]).toEqual([200, 403]);
    // The draft is tried in a thread of its own, which asks the serving one.
    expect((await probe('/gates/gates/8')).steps.at(-1)).toMatchObject({ step: 'condition', code: 'condition.not-met' });
    expect((await server.ok<ConditionScopeView>('POST', '/conditions/scope', { apiId, operationIds: null })).tables).toEqual({ lockouts: ['gate', 'until'] });
    const { items } = await server.ok<EditPage>('GET', '/draft/edits?limit=2');
    expect(items.map(({ words, clientId }) => [words, clientId])).toEqual([
      [['Table lockouts: set, 1 row'], 'table lockouts'],
      [['Table lockouts: made, 1 row'], 'table lockouts'],
    ]);
  });

  test.each<[object, string]>([
    [{ ...lockouts, key: 'section' }, '/key'],
    [{ ...lockouts, columns: ['gate', 'gate'] }, '/columns/1'],
    [{ ...lockouts, rows: [['7']] }, '/rows/0'],
    [
      {
        ...lockouts,
        rows: [
          ['7', ''],
          ['7', ''],
        ],
      },
      '/rows/1',
    ],
    [{ ...lockouts, rows: [['7 ', '']] }, '/rows/0'],
    [{ ...lockouts, rows: [['7', 7]] }, '/rows/0'],
    [{ ...lockouts, rows: [['7', null]] }, '/rows/0'],
    [{ ...lockouts, rows: [{ 0: '7', 1: 'x', length: 2 }] }, '/rows'],
    [{ ...lockouts, rows: { length: 0 } }, '/rows'],
    [{ ...lockouts, rows: '' }, '/rows'],
    [{ ...lockouts, rows: null }, '/rows'],
    [{ key: 'gate', columns: ['gate'] }, '/description'],
  ])('%j is refused at its place, and the table stays', async (body, pointer) => {
    const before = await server.ok<TableView>('GET', '/tables/lockouts');
    const answer = await put(body);
    expect([answer.status, answer.body.errors?.[0]?.pointer]).toEqual([422, pointer]);
    expect(await server.ok<TableView>('GET', '/tables/lockouts')).toEqual(before);
  });

  test('a name that no condition could say is refused', async () => {
    for (const name of ['lock-outs', '7', 'in', '__proto__.x', 'x'.repeat(41)]) expect((await put(lockouts, undefined, name)).status).toBe(422);
  });

  test('one of before that could not be set so today stays as it is, and needs attention until it is mended', async () => {
    const database = new Sequelize({ dialect: 'sqlite', storage: join(server.folder, 'virga.sqlite'), logging: false });
    const [[{ rows: kept }]] = (await database.query("SELECT rows FROM fact_tables WHERE name = 'lockouts'")) as unknown as [[{ rows: string }]];
    const told = async (rows: string): Promise<string[]> => {
      await database.query('UPDATE fact_tables SET rows = ?, changed_at = changed_at + 1', { replacements: [rows] });
      const { items } = await server.ok<{ items: AttentionItem[] }>('GET', '/overlook/attention');
      return items.filter(({ link }) => link === '/tables?name=lockouts').map(({ mark, title, detail }) => `${mark}: ${title}: ${detail}`);
    };
    const title = 'would-refuse: The table lockouts has a value that is not what it looks like';
    expect(await told(kept)).toEqual([]);
    expect(await told('[["7 ",""]]')).toEqual([expect.stringMatching(`^${title}: gate "7 " of row 1 has a blank`)]);
    expect(await told('[["7","2026-07-01"],["\u200b8",""]]')).toEqual([expect.stringMatching(`^${title}: gate .* of row 2 has `)]);
    expect(await told('[["7"')).toEqual([expect.stringMatching(`^${title}: it cannot be read`)]);
    expect(await told(kept)).toEqual([]);
    await database.close();
  });

  test('a stale edit is told so, and who takes a table away closes what looks at it', async () => {
    const { revision } = await server.ok<TableView>('GET', '/tables/lockouts');
    expect((await put({ ...lockouts, description: 'other' }, revisionHeader(revision))).status).toBe(200);
    expect((await put(lockouts, revisionHeader(revision))).status).toBe(412);
    expect((await server.call('DELETE', '/control/v1/tables/lockouts')).status).toBeLessThan(300);
    expect((await fetch(`${server.gatewayUrl}/gates/gates/9`)).status).toBe(403);
    const { items: attention } = await server.ok<{ items: AttentionItem[] }>('GET', '/overlook/attention');
    expect(attention.filter(({ title }) => title.includes('table')).map(({ mark, title, detail }) => `${mark}: ${title}: ${detail}`)).toEqual([
      'refused: The condition free looks at a table that is not there: resource has no member lockouts; it has none. Until that is there, what it is asked for is refused.',
    ]);
    expect((await server.ok<TableList>('GET', '/tables')).items).toEqual([]);
    expect((await put(lockouts, revisionHeader(revision))).status).toBe(412);
  });
});
