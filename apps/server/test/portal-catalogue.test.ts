import type {
  InvitationMade,
  NeededProof,
  OfferedApis,
  OfferedApiView,
  OfferedOperation,
  OfferedReleases,
  PlanView,
  PortalTeam,
  ProblemDocument,
} from '@virga/protocol';
import { RunningServer } from './harness.js';
import { PortalBrowser } from './portal-browser.js';

const CONTRACT = `openapi: 3.1.0
info: { title: Proofs, version: '1.0', description: 'All *kinds*' }
tags: [{ name: Second }, { name: First }]
security: [{ head: [] }]
paths:
  /header: { get: { tags: [First], summary: A key in a header } }
  /query: { get: { tags: [Second], security: [{ asked: [] }] } }
  /cookie: { get: { security: [{ baked: [] }] } }
  /basic: { get: { security: [{ named: [] }] } }
  /certificate: { get: { security: [{ shown: [] }] } }
  /token: { get: { security: [{ trust: [read, write] }] } }
  /either: { get: { security: [{ head: [] }, { named: [] }] } }
  /both: { get: { security: [{ head: [], trust: [read] }] } }
  /maybe: { get: { security: [{}, { head: [] }] } }
  /open: { get: { security: [] } }
  /digest: { get: { security: [{ odd: [] }] } }
components:
  securitySchemes:
    head: { type: apiKey, in: header, name: X-Key }
    asked: { type: apiKey, in: query, name: key }
    baked: { type: apiKey, in: cookie, name: gate }
    named: { type: http, scheme: basic }
    shown: { type: mutualTLS }
    trust: { type: oauth2, flows: { clientCredentials: { tokenUrl: 'https://x.example/t', scopes: { read: Look, write: Change } } } }
    odd: { type: http, scheme: digest }
`;
const NOTHING = { description: '', rate: null, quota: null, atOnce: null, requestBytes: null, mode: 'enforce', approval: 'by-itself' };

let server: RunningServer;
let api: string;
/** Publishes, whatever trials say: what is let in here is let in on purpose. */
async function publish(note: string): Promise<void> {
  const answer = await server.call<ProblemDocument>('POST', '/control/v1/releases', { note });
  if (answer.status < 300) return;
  const overrule = (answer.body.errors ?? []).map(({ pointer }) => pointer.slice('/overrule/'.length));
  await server.ok('POST', '/releases', { note, overrule });
}

const visitor = (): PortalBrowser => new PortalBrowser(server);

beforeAll(async () => {
  server = new RunningServer();
  await server.start(['--no-node']);
  const made = await server.ok<{ api: { id: string } }>('POST', '/apis', { source: { text: CONTRACT }, basePath: '/p', upstreamUrl: 'http://127.0.0.1:9' });
  api = made.api.id;
  await server.ok('PUT', `/portal/apis/${api}`, { seen: 'everybody', teams: [] });
  await publish('first');
});
afterAll(() => server.stop(), 30_000);

const operation = (path: string): Promise<OfferedOperation> =>
  visitor().ok<OfferedOperation>('GET', `/apis/${api}/operation?of=${encodeURIComponent(`GET ${path}`)}`);
const proof = (change: Partial<NeededProof>): Partial<NeededProof> => ({ place: 'header', scheme: '', scopes: [], roles: [], providers: [], ...change });

test.each<[string, Partial<NeededProof>[][]]>([
  ['/header', [[proof({ kind: 'key', name: 'x-key' })]]],
  ['/query', [[proof({ kind: 'key', place: 'query', name: 'key' })]]],
  ['/cookie', [[proof({ kind: 'key', place: 'cookie', name: 'gate' })]]],
  ['/basic', [[proof({ kind: 'basic', name: 'authorization', scheme: 'Basic' })]]],
  ['/certificate', [[proof({ kind: 'certificate', place: 'connection', name: '' })]]],
  ['/token', [[proof({ kind: 'token', name: 'authorization', scheme: 'Bearer', scopes: ['read', 'write'] })]]],
  ['/either', [[proof({ kind: 'key', name: 'x-key' })], [proof({ kind: 'basic', name: 'authorization', scheme: 'Basic' })]]],
  ['/both', [[proof({ kind: 'key', name: 'x-key' }), proof({ kind: 'token', name: 'authorization', scheme: 'Bearer', scopes: ['read'] })]]],
  ['/maybe', [[], [proof({ kind: 'key', name: 'x-key' })]]],
  ['/digest', [[proof({ kind: 'other', name: 'odd' })]]],
])('what %s asks for is said: each alternative, all of it, and where it travels (OpenAPI 3.1.2 section 4.8.30)', async (path, wanted) => {
  expect((await operation(path)).needs).toMatchObject(wanted.map((all) => ({ all })));
});

test('what nobody is asked for is said too, with no refusal for a proof', async () => {
  const { needs, refusals, asksPlan } = await operation('/open');
  expect(needs).toEqual([{ all: [] }]);
  expect(refusals.map(({ status }) => status)).toEqual([502]);
  expect(asksPlan).toBe(false);
});

test('operations stand in the order of their tags; text of the contract is there as it was written', async () => {
  const view = await visitor().ok<OfferedApiView>('GET', `/apis/${api}`);
  expect(view.groups.map(({ name }) => name)).toEqual(['Second', 'First', '']);
  expect(view).toMatchObject({ name: 'Proofs', version: '1.0', description: 'All *kinds*', operations: 11, everybody: true, plans: [], changedAt: null });
  expect((await visitor().ok<OfferedApis>('GET', '/apis')).items).toMatchObject([{ id: api, operations: 11 }]);
});

describe('refusals follow the rules that are live', () => {
  test('an observed check refuses nobody, and the draft says nothing', async () => {
    expect((await operation('/header')).refusals.map(({ status }) => status)).toEqual([401, 403, 502]);
    await server.ok('PATCH', `/apis/${api}/operations`, { ids: ['GET /header'], modes: { all: 'observe', checks: {} } });
    expect((await operation('/header')).refusals.map(({ status }) => status)).toEqual([401, 403, 502]);
    await publish('observed');
    expect((await operation('/header')).refusals.map(({ status }) => status)).toEqual([502]);
  });

  test('plans and limits tell of 403 and 429, a contract that is enforced of 400', async () => {
    await server.ok<PlanView>('POST', '/plans', { ...NOTHING, name: 'Small', covers: [{ apiId: api, operations: ['GET /query'] }] });
    await server.ok('PATCH', `/apis/${api}/operations`, { ids: ['GET /query', 'GET /cookie'], plan: { asked: true, attribute: null } });
    await server.ok('PATCH', `/apis/${api}`, { contract: { parts: { 'contract-query': 'enforce' } } });
    await publish('plans');
    const asked = await operation('/query');
    expect(asked).toMatchObject({ asksPlan: true, plans: ['small'] });
    expect(asked.refusals.map(({ status }) => status)).toEqual([401, 403, 400, 429, 502]);
    // One that no plan opens names none.
    expect(await operation('/cookie')).toMatchObject({ asksPlan: true, plans: [] });
    const { plans, asksPlan } = await visitor().ok<OfferedApiView>('GET', `/apis/${api}`);
    expect([plans.map(({ name }) => name), asksPlan]).toEqual([['Small'], true]);
  });
});

describe('what changed, by rules', () => {
  const last = async (): Promise<string[]> =>
    ((await visitor().ok<OfferedReleases>('GET', `/apis/${api}/changes`)).items[0]?.changes ?? []).map(({ kind, path }) => `${kind} ${path}`);

  test('asking for a plan changed two operations', async () => {
    expect(await last()).toEqual(['changed /query', 'changed /cookie']);
  });

  test('what is hidden goes without a word, and is new when it comes back', async () => {
    const before = (await visitor().ok<OfferedReleases>('GET', `/apis/${api}/changes`)).items.length;
    const hide = async (hidden: boolean): Promise<void> => {
      await server.ok('PATCH', `/apis/${api}/operations`, { ids: ['GET /basic'], hidden });
      await publish(hidden ? 'hide' : 'show');
    };
    await hide(true);
    expect((await visitor().ok<OfferedReleases>('GET', `/apis/${api}/changes`)).items).toHaveLength(before);
    expect(JSON.stringify(await visitor().ok('GET', `/apis/${api}`))).not.toContain('/basic');
    await hide(false);
    expect(await last()).toEqual(['new /basic']);
  });

  test('other callers are a change; another limit is none', async () => {
    await server.ok('PATCH', `/apis/${api}/operations`, {
      ids: ['GET /open'],
      access: { kind: 'required', alternatives: [{ schemes: [{ scheme: 'head', scopes: [], match: 'all', roles: [] }] }] },
    });
    await publish('closed');
    expect(await last()).toEqual(['changed /open']);
    const { items } = await visitor().ok<OfferedReleases>('GET', `/apis/${api}/changes`);
    await server.ok('PATCH', `/apis/${api}/operations`, {
      ids: ['GET /open'],
      limits: [{ name: 'x', by: { kind: 'client' }, method: 'fixed', requests: 5, seconds: 60, burst: null, mode: 'enforce' }],
    });
    await publish('limited');
    expect((await visitor().ok<OfferedReleases>('GET', `/apis/${api}/changes`)).items).toHaveLength(items.length);
    expect(items.every((one, index) => index === 0 || one.at <= (items[index - 1]?.at ?? 0))).toBe(true);
  });

  test('many who ask at one time get one answer', async () => {
    await server.ok('PATCH', `/apis/${api}/operations`, { ids: ['GET /open'], access: { kind: 'public' } });
    await publish('open again');
    const answers = await Promise.all(Array.from({ length: 20 }, () => visitor().ok<OfferedReleases>('GET', `/apis/${api}/changes`)));
    expect(new Set(answers.map((one) => JSON.stringify(one))).size).toBe(1);
    expect(answers[0]?.items[0]?.changes).toMatchObject([{ kind: 'changed', path: '/open' }]);
  });
});

test('without a gateway node nothing can be tried, and that is said', async () => {
  const { id } = await server.ok<PortalTeam>('POST', '/portal/teams', { name: 'T' });
  const { link } = await server.ok<InvitationMade>('POST', `/portal/teams/${id}/invitations`, { role: 'owner' });
  const browser = visitor();
  await browser.accept(link, 'one', 'a long enough password');
  expect((await browser.call('POST', '/attempts', { apiId: api, method: 'GET', target: '/p/open', headers: [] })).status).toBe(503);
  expect(await browser.ok<OfferedApiView>('GET', `/apis/${api}`)).toMatchObject({ address: '' });
});
