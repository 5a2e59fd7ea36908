import { isRecord, readContract, templateShape, valueAt } from '@virga/core';
import type {
  AcceptView,
  ApiView,
  ContractText,
  DriftList,
  InventoryItem,
  InventoryView,
  LearnedView,
  OperationList,
  ReferenceOperationView,
  ReferenceView,
  ReviewView,
  SensitiveView,
  TriedDetectors,
} from '@virga/protocol';
import { readFileSync } from 'node:fs';
import { RunningServer, startStandins, type Standins, until } from './harness.js';

const contractOf = (name: string): string => readFileSync(new URL(`../../../demo/contracts/${name}.yaml`, import.meta.url), 'utf8');
/** A contract that says nothing of what the upstream does: all of it is learned. */
const EMPTY = 'openapi: 3.1.1\ninfo: { title: Unknown, version: "1" }\npaths:\n  /nothing-here:\n    get: { responses: { "200": { description: "" } } }\n';

let server: RunningServer;
let standins: Standins;

beforeAll(async () => {
  server = new RunningServer();
  await server.start();
  standins = await startStandins(server.folder, server.url);
});
afterAll(async () => {
  await server.stop();
  await standins.stop();
});

async function bringIn(text: string, basePath: string, upstreamUrl: string): Promise<string> {
  const { api } = await server.ok<{ api: ApiView }>('POST', '/apis', { source: { text }, basePath, upstreamUrl });
  await server.ok('PATCH', `/apis/${api.id}`, {
    access: { kind: 'public' },
    learning: { on: true, answers: 'successful' },
    unmatched: [{ prefix: '/', mode: 'pass' }],
  });
  const { items } = await server.ok<OperationList>('GET', `/apis/${api.id}/operations`);
  await server.ok('PATCH', `/apis/${api.id}/operations`, { ids: items.map((one) => one.id), access: { kind: 'public' } });
  return api.id;
}

const send = async (method: string, path: string, body?: unknown): Promise<number> => {
  const answer = await fetch(server.gatewayUrl + path, {
    method,
    ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
  });
  await answer.arrayBuffer();
  return answer.status;
};

const itemsOf = async (apiId: string): Promise<InventoryItem[]> =>
  (await server.ok<InventoryView>('GET', '/inventory')).items.filter((item) => item.apiId === apiId);

/** Operations, parameters and members that a description names. */
function factsOf(document: Readonly<Record<string, unknown>>): { operations: Set<string>; parameters: Set<string>; members: Set<string> } {
  const facts = { operations: new Set<string>(), parameters: new Set<string>(), members: new Set<string>() };
  const follow = (value: unknown): Record<string, unknown> => {
    let one = value;
    while (isRecord(one) && typeof one['$ref'] === 'string') one = valueAt(document, one['$ref'].slice(1));
    return isRecord(one) ? one : {};
  };
  const walk = (schema: unknown, at: string, name: string): void => {
    const own = follow(schema);
    for (const part of ['allOf', 'oneOf', 'anyOf']) for (const branch of Array.isArray(own[part]) ? (own[part] as unknown[]) : []) walk(branch, at, name);
    for (const [member, value] of Object.entries(follow(own['properties']))) {
      facts.members.add(`${name} ${at}/${member}`);
      walk(value, `${at}/${member}`, name);
    }
    if (own['items'] !== undefined) walk(own['items'], `${at}/*`, name);
  };
  for (const [path, item] of Object.entries(follow(document['paths'])))
    for (const method of ['get', 'put', 'post', 'delete']) {
      const operation = follow(item)[method];
      if (!isRecord(operation)) continue;
      const name = `${method} ${templateShape(path)}`;
      facts.operations.add(name);
      const shared = follow(item)['parameters'];
      let place = 0;
      for (const one of [
        ...(Array.isArray(shared) ? (shared as unknown[]) : []),
        ...(Array.isArray(operation['parameters']) ? (operation['parameters'] as unknown[]) : []),
      ]) {
        const parameter = follow(one);
        // Names in a path cannot be learned: their places can.
        facts.parameters.add(`${name} ${String(parameter['in'])} ${parameter['in'] === 'path' ? place++ : String(parameter['name'])}`);
      }
      for (const media of Object.values(follow(follow(operation['requestBody'])['content']))) walk(follow(media)['schema'], 'body', name);
      for (const [status, answer] of Object.entries(follow(operation['responses'])))
        if (status.startsWith('2')) for (const media of Object.values(follow(follow(answer)['content']))) walk(follow(media)['schema'], 'answer', name);
    }
  return facts;
}

function compared(what: string, learned: ReadonlySet<string>, real: ReadonlySet<string>): { precision: number; recall: number } {
  const both = [...learned].filter((one) => real.has(one)).length;
  const [precision, recall] = [both / learned.size, both / real.size];
  const odd = [...learned].filter((one) => !real.has(one));
  const missed = [...real].filter((one) => !learned.has(one));
  process.stdout.write(
    `learned ${what}: precision ${precision.toFixed(2)}, recall ${recall.toFixed(2)} of ${real.size}; not in the document: ${odd.join('; ') || 'none'}; missed: ${missed.join('; ') || 'none'}\n`,
  );
  return { precision, recall };
}

describe('a contract that is learned from traffic alone, against the true one of the same upstream', () => {
  it('Meter readings', async () => {
    const id = await bringIn(EMPTY, '/learned', standins.meters);
    await server.ok('POST', '/releases', {});
    for (let turn = 0; turn < 6; turn++)
      for (const meter of ['M-100', 'M-101', 'M-217']) {
        await send('GET', '/learned/meters');
        await send('GET', `/learned/meters/${meter}/readings${turn % 2 === 0 ? '?from=2026-06-01T00:00:00Z&to=2026-06-02T00:00:00Z' : ''}`);
        await send('GET', `/learned/meters/${meter}/daily-volumes`);
        await send('GET', `/learned/meters/${meter}/bill`);
        await send('GET', '/learned/basin-volumes');
        await send('POST', '/learned/readings', { readings: [{ meterId: meter, at: '2026-06-02T06:00:00Z', cubicMetres: 40 + turn / 2 }] });
        await send('GET', `/learned/no/such/${meter}`);
      }
    await until(async () => (await itemsOf(id)).filter(({ kind, requests }) => kind === 'undocumented' && requests >= 18).length >= 6);
    const { text } = await server.ok<ContractText>('GET', `/apis/${id}/learned/document`);
    const learned = factsOf(readContract(text).document ?? {});
    const real = factsOf(readContract(contractOf('meter-readings')).document ?? {});
    // The upstream says more of itself than its contract does: that is what it is for.
    expect([...learned.members].filter((one) => !real.members.has(one))).toEqual(['get /meters answer/items/*/keeper']);
    expect(compared('operations', learned.operations, real.operations)).toEqual({ precision: 1, recall: 1 });
    expect(compared('parameters', learned.parameters, real.parameters)).toEqual({ precision: 1, recall: 1 });
    const members = compared('members', learned.members, real.members);
    expect(members.precision).toBeGreaterThan(0.9);
    expect(members.recall).toBe(1);
    // And it is brought in again as the same.
    const again = await server.ok<{ api: ApiView }>('POST', '/apis', { source: { text }, basePath: '/again', upstreamUrl: standins.meters });
    const { text: kept } = await server.ok<ContractText>('GET', `/apis/${again.api.id}/contract`);
    expect(JSON.parse(kept)).toEqual(JSON.parse(text));
    await server.ok('DELETE', `/apis/${again.api.id}`);
    await server.ok('DELETE', `/apis/${id}`);
  });
});

describe('what is seen and in no contract', () => {
  let id: string;
  const KEY = 'GET /v0/export';

  beforeAll(async () => {
    id = await bringIn(contractOf('meter-readings'), '/readings', standins.meters);
    await server.ok('PATCH', `/apis/${id}`, {
      sensitive: { uses: [{ detector: 'email', request: 'tell', answer: 'tell' }], bodyBytes: 1_048_576, largerBody: 'refuse' },
    });
    await server.ok('POST', '/releases', {});
    for (let turn = 0; turn < 8; turn++) {
      await send('GET', `/readings/v0/export?format=${turn % 2 ? 'json' : 'flat'}`);
      await send('GET', '/readings/meters');
    }
    await until(async () => (await itemsOf(id)).some(({ key, requests }) => key === KEY && requests === 8));
  });

  it('is found, beside what is never seen and what is', async () => {
    const items = await until(async () => {
      const all = await itemsOf(id);
      // Nodes tell of it a little later.
      return all.some(({ path, method, requests, kind }) => path === '/meters' && method === 'GET' && requests === 8 && kind === 'seen') && all;
    }, 'what was seen');
    expect(items.find(({ key }) => key === KEY)).toMatchObject({ kind: 'undocumented', credentials: ['none'], published: 'none', requests: 8 });
    expect(items.find(({ path, method }) => path === '/meters' && method === 'GET')).toMatchObject({ kind: 'seen', published: 'live', requests: 8 });
    expect(items.filter(({ kind }) => kind === 'never-seen').length).toBe(5);
  });

  it('has its evidence, masked', async () => {
    const learned = await server.ok<LearnedView>('GET', `/apis/${id}/learned/operation?key=${encodeURIComponent(KEY)}`);
    expect(learned).toMatchObject({ method: 'GET', path: '/v0/export', requests: 8, apiAsks: false });
    expect(learned.evidence.find(({ at }) => at === 'format')).toMatchObject({
      ...{ where: 'query', seen: 8, of: 8, says: 'string, required', samples: ['xxxx'] },
      callers: [{ name: '127.0.0.1', count: 8 }],
    });
    expect(JSON.stringify(learned)).not.toMatch(/velmora\.example|M-10/);
  });

  it('and e-mail addresses in answers are, by operation and place, with who got them', async () => {
    const { items, taken } = await until(async () => {
      const view = await server.ok<SensitiveView>('GET', '/sensitive');
      return view.items.length >= 2 && view;
    });
    expect(items.map(({ method, path, at, messages, samples, detectorName }) => ({ method, path, at, messages, samples, detectorName }))).toEqual(
      expect.arrayContaining([
        { method: 'GET', path: '/v0/export', at: '/keepers/*', messages: 8, samples: ['m-***@*******.*******'], detectorName: 'E-mail address' },
        { method: 'GET', path: '/meters', at: '/items/*/keeper', messages: 8, samples: ['m-***@*******.*******'], detectorName: 'E-mail address' },
      ]),
    );
    expect(items[0]?.callers).toEqual([{ name: '127.0.0.1', count: 8 }]);
    expect(taken).toBeGreaterThanOrEqual(16);
  });

  it('and Overlook tells of both', async () => {
    const { items } = await server.ok<{ items: { title: string; detail: string; link: string }[] }>('GET', '/overlook/attention');
    expect(items).toContainEqual({
      mark: 'would-refuse',
      title: 'Meter readings: an operation is called and in no contract',
      detail: 'GET /v0/export, 8 requests were looked into. Review and take it, or dismiss it.',
      link: `/inventory?kind=undocumented&api=${id}`,
    });
    expect(items.map(({ title }) => title)).toContain('Meter readings: sensitive data leaves with answers');
  });

  it('joins the contract only with a word on who may call it', async () => {
    const ask = (input: object) => server.call('POST', `/control/v1/apis/${id}/learned/review`, { key: KEY, leaveOut: [], ...input });
    const as = await ask({ requirement: 'as-api' });
    expect([as.status, JSON.stringify(as.body)]).toEqual([422, expect.stringContaining('/requirement')]);
    expect((await ask({ requirement: 'scheme', scheme: 'nobody' })).status).toBe(422);
    expect((await ask({ requirement: 'scheme' })).status).toBe(422);
    expect((await ask({ requirement: 'whoever' })).status).toBe(422);
    expect((await ask({ requirement: 'public', key: 'GET /not/there' })).status).toBe(404);
    expect((await ask({ requirement: 'public', operation: 'no: [object' })).status).toBe(422);
    expect((await ask({ requirement: 'public', operation: '{"summary":"without responses"}' })).status).toBe(422);
    const review = await server.ok<ReviewView>('POST', `/apis/${id}/learned/review`, {
      key: KEY,
      leaveOut: ['/parameters/0'],
      requirement: 'scheme',
      scheme: 'trust',
    });
    expect(review.pointer).toBe('/paths/~1v0~1export/get');
    expect(review.operation).toContain('trust: []');
    expect(review.operation).not.toMatch(/parameters|name: format/);
    for (const line of review.before.trimEnd().split('\n')) expect(review.after.split('\n')).toContain(line);
  });

  it('stays dismissed, also after a restart, until that is taken back', async () => {
    await server.ok('POST', `/apis/${id}/learned/dismiss`, { key: KEY });
    await server.stop('SIGKILL');
    await server.start();
    await until(async () => (await itemsOf(id)).some(({ key, dismissed }) => key === KEY && dismissed));
    expect((await server.ok<ContractText>('GET', `/apis/${id}/learned/document`)).text).not.toContain('/v0/export');
    await server.ok('POST', `/apis/${id}/learned/recall`, { key: KEY });
    expect((await itemsOf(id)).find(({ key }) => key === KEY)).toMatchObject({ dismissed: false, requests: 8 });
  });

  it('taken, published and enforced it refuses who has no token, and breaks no good call', async () => {
    const before = await server.ok<ApiView>('GET', `/apis/${id}`);
    const stale = await server.call(
      'POST',
      `/control/v1/apis/${id}/learned/accept`,
      { key: KEY, leaveOut: [], requirement: 'scheme', scheme: 'trust' },
      { authorization: `Bearer ${server.token}`, 'if-match': '"0000"' },
    );
    expect(stale.status).toBe(412);
    await server.ok('POST', `/apis/${id}/learned/accept`, { key: KEY, leaveOut: [], requirement: 'scheme', scheme: 'trust' });
    expect((await itemsOf(id)).filter(({ path }) => path === '/v0/export')).toMatchObject([
      { kind: 'never-seen', published: 'draft', required: expect.stringContaining('token') as string },
    ]);
    await server.ok('PATCH', `/apis/${id}`, {
      unmatched: [],
      sensitive: { ...before.sensitive, uses: [{ detector: 'email', request: null, answer: 'mask' }] },
    });
    await server.ok('POST', '/releases', {});
    expect(await send('GET', '/readings/v0/export?format=json')).toBe(401);
    const meters = await fetch(`${server.gatewayUrl}/readings/meters`);
    expect(meters.status).toBe(200);
    const text = await meters.text();
    expect(text).toContain('"keeper":"m-***@*******.*******"');
    expect(text).not.toContain('@velmora');
  });

  it('a field about which they disagree is accepted where it stands, by a contract with which it is none', async () => {
    const { items } = await server.ok<DriftList>('GET', `/apis/${id}/drift`);
    const takable = items.filter(({ kind }) => kind !== 'never-seen');
    expect(takable.length).toBeGreaterThan(0);
    const [first] = takable;
    const input = ({ operationId, kind, where, at }: DriftList['items'][number]) => ({ operationId, kind, where, at });
    const accepted = await server.ok<AcceptView>('POST', `/apis/${id}/drift/accept`, input(first as DriftList['items'][number]));
    expect(accepted.after).not.toBe(accepted.before);
    expect(accepted.says).not.toBe('');
    // Looking changes nothing; what is gone, never seen or made up has no change to propose.
    expect((await server.ok<DriftList>('GET', `/apis/${id}/drift`)).items).toHaveLength(items.length);
    expect((await server.call('POST', `/control/v1/apis/${id}/drift/accept`, { ...input(first as DriftList['items'][number]), at: '/made/up' })).status).toBe(
      404,
    );
    expect((await server.call('POST', `/control/v1/apis/${id}/drift/accept`, { ...input(first as DriftList['items'][number]), kind: 'other' })).status).toBe(
      422,
    );
  });

  it('drift names fields, and what the contract declares and nobody enforces', async () => {
    const { items, security } = await server.ok<DriftList>('GET', `/apis/${id}/drift`);
    expect(items.map(({ kind, path, where, at }) => [kind, path, where, at])).toContainEqual(['undescribed', '/meters', 'answer 200', '/items/*/keeper']);
    expect(items.every(({ days }) => days.length === 14)).toBe(true);
    expect(security).toContainEqual(expect.objectContaining({ path: '/meters', kind: 'open-instead', enforced: expect.stringContaining('anyone') as string }));
    const { text } = await server.ok<ContractText>('GET', `/apis/${id}/contract/enforced`);
    const document = readContract(text).document ?? {};
    expect(valueAt(document, '/paths/~1meters/get/security')).toEqual([]);
    expect(valueAt(document, '/paths/~1v0~1export/get/security')).toEqual([{ trust: [] }]);
    expect(valueAt(document, '/paths/~1v0~1export/get/responses/401')).toBeDefined();
    expect(readContract(text).problems).toEqual([]);
    // What limits the gateway limits each operation.
    const limited = async (): Promise<boolean> => {
      const { text: now } = await server.ok<ContractText>('GET', `/apis/${id}/contract/enforced`);
      return valueAt(readContract(now).document ?? {}, '/paths/~1meters/get/responses/429') !== undefined;
    };
    expect(await limited()).toBe(false);
    const limit = { name: 'each minute', by: { kind: 'address' }, method: 'fixed', requests: 1000, seconds: 60, burst: null, mode: 'enforce' };
    await server.ok('PATCH', '/limits', { limits: [limit] });
    expect(await limited()).toBe(true);
    await server.ok('PATCH', '/limits', { limits: [] });
  });
});

describe('a contract of OpenAPI 3.0', () => {
  const OLD = `openapi: 3.0.3
info: { title: Old, version: '1' }
paths:
  /things:
    get: # the first
      responses:
        200: { description: all, content: { application/json: { schema: { type: array, items: { $ref: '#/components/schemas/Thing' } } } } }
components:
  schemas: { Thing: { type: object, properties: { size: { type: integer, nullable: true, minimum: 0, exclusiveMinimum: true } } } }
`;

  it('downloads as 3.1, and is brought in again as the same', async () => {
    const listed = async (id: string): Promise<unknown> => {
      const { items } = await server.ok<OperationList>('GET', `/apis/${id}/operations`);
      return items.map(({ method, path }) => `${method} ${path}`);
    };
    const { api } = await server.ok<{ api: ApiView }>('POST', '/apis', { source: { text: OLD }, basePath: '/old', upstreamUrl: 'http://127.0.0.1:9' });
    const { text, format } = await server.ok<ContractText>('GET', `/apis/${api.id}/contract/openapi-3.1`);
    expect(format).toBe('yaml');
    expect(text).toContain('# the first');
    const { document, version, problems } = readContract(text);
    expect([version, problems]).toEqual(['3.1', []]);
    expect(valueAt(document, '/components/schemas/Thing/properties/size')).toEqual({ type: ['integer', 'null'], exclusiveMinimum: 0 });
    const again = await server.ok<{ api: ApiView }>('POST', '/apis', { source: { text }, basePath: '/again', upstreamUrl: 'http://127.0.0.1:9' });
    expect(await listed(again.api.id)).toEqual(await listed(api.id));
    // What is one already comes as it is.
    expect((await server.ok<ContractText>('GET', `/apis/${again.api.id}/contract/openapi-3.1`)).text).toBe(text);
    expect((await server.call('GET', '/control/v1/apis/none/contract/openapi-3.1')).status).toBe(404);
    for (const { id } of [api, again.api]) await server.ok('DELETE', `/apis/${id}`);
  });
});

describe('reference pages', () => {
  it('say what the contract says, and hiding closes nothing', async () => {
    const { items } = await server.ok<{ items: { id: string; name: string }[] }>('GET', '/apis');
    const id = items.find(({ name }) => name === 'Meter readings')?.id ?? '';
    await server.ok('PATCH', `/apis/${id}/operations`, { ids: ['GET /meters'], hidden: true });
    const view = await server.ok<ReferenceView>('GET', `/apis/${id}/reference`);
    expect(view.address).toBe(`${server.gatewayUrl}/readings`);
    expect(view.groups.flatMap(({ operations }) => operations).find(({ path }) => path === '/meters')).toMatchObject({ hidden: true });
    const one = await server.ok<ReferenceOperationView>('GET', `/apis/${id}/reference/operation?of=${encodeURIComponent('GET /meters/{meterId}/readings')}`);
    expect(one.parameters.map(({ name, in: where, required }) => [name, where, required])).toContainEqual(['meterId', 'path', true]);
    expect(one.answers.find(({ status }) => status === '200')?.bodies[0]?.lines.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['items', 'meterId', 'cubicMetres']),
    );
    expect(one.attempt.target.startsWith('/readings/meters/')).toBe(true);
    await server.ok('POST', '/releases', {});
    expect(await send('GET', '/readings/meters')).toBe(200);
    expect((await server.call('GET', `/control/v1/apis/${id}/reference/operation?of=nothing`)).status).toBe(404);
  });
});

describe('detectors of one’s own', () => {
  it('are set in the draft, tried on a text of which nothing is kept, and refused where they cannot be matched in bounded time', async () => {
    const set = (pattern: string, id = 'own-meter') => server.call('PATCH', '/control/v1/sensitive/detectors', { detectors: [{ id, name: 'Meter', pattern }] });
    expect((await set('M-[0-9]{3}')).status).toBe(200);
    const tried = await server.ok<TriedDetectors>('POST', '/sensitive/try', { text: '{"m":"M-100","mail":"ada@orchard.example"}' });
    expect(tried.hits.map(({ detectorName, at }) => [detectorName, at])).toEqual([
      ['Meter', '/m'],
      ['E-mail address', '/mail'],
    ]);
    expect(tried.masked).toBe('{"m":"*-***","mail":"a**@*******.*******"}');
    expect((await server.ok<TriedDetectors>('POST', '/sensitive/try', { text: 'x', pattern: '(?=x)' })).fault).toContain('bounded');
    for (const [pattern, id] of [
      ['(', 'own-meter'],
      ['', 'own-meter'],
      ['a*', 'own-meter'],
      ['x', 'email'],
      ['x', 'Own-1'],
    ] as const)
      expect([pattern, id, (await set(pattern, id)).status]).toEqual([pattern, id, 422]);
    expect((await server.ok<SensitiveView>('GET', '/sensitive')).own).toEqual([{ id: 'own-meter', name: 'Meter', pattern: 'M-[0-9]{3}' }]);
    const api = (await server.ok<{ items: { id: string }[] }>('GET', '/apis')).items[0]?.id ?? '';
    const uses = (detector: string, request: unknown, answer: unknown) =>
      server.call('PATCH', `/control/v1/apis/${api}`, { sensitive: { uses: [{ detector, request, answer }], bodyBytes: 4096, largerBody: 'refuse' } });
    expect((await uses('own-meter', 'tell', 'mask')).status).toBe(200);
    for (const [detector, request, answer] of [
      ['nobody', 'tell', null],
      ['email', 'mask', null],
      ['email', 'on', null],
      ['email', null, 7],
    ] as const)
      expect([detector, request, answer, (await uses(detector, request, answer)).status]).toEqual([detector, request, answer, 422]);
    // One that an API looks for cannot be taken away.
    expect((await server.call('PATCH', '/control/v1/sensitive/detectors', { detectors: [] })).status).toBe(422);
  });
});
