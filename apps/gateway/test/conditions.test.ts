import type { ApiRule, ConditionUse, ReleaseDocument, TableFact } from '@virga/core';
import type { GatewayNode } from '../src/gateway-node.js';
import { documentFor, echoUpstream, FakeControl, makeIssuer, raw, startNode, until } from './harness.js';

let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let port: number;
let number = 0;

beforeAll(async () => {
  control = new FakeControl();
  await control.start();
  [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
  ({ node, url, port } = await startNode(control));
});
afterAll(async () => {
  await node.stop();
  await control.stop();
  for (const { server } of [upstream, issuer]) {
    server.closeAllConnections();
    server.close();
  }
});

const documentOf = (conditions: readonly ConditionUse[], change: Partial<ApiRule> = {}): ReleaseDocument => {
  const document = documentFor(upstream.url, issuer.issuer);
  const [api] = document.apis as [ApiRule];
  return { ...document, apis: [{ ...api, conditions, ...change }] };
};
async function publish(conditions: readonly ConditionUse[], change: Partial<ApiRule> = {}): Promise<void> {
  number++;
  control.send({ type: 'release', number, hash: `h${number}`, document: documentOf(conditions, change) });
  await until(() => node.status().release?.number === number, `release ${number}`);
}
const own = (name: string, source: string): ConditionUse => ({ kind: 'own', name, source });
const status = async (path: string, headers: Record<string, string> = {}) => (await fetch(`${url}${path}`, { headers })).status;

test('a condition lets through, refuses without telling why, and its trace says what it saw', async () => {
  await publish([own('reason', 'request.headers["x-reason"].startsWith("repair") && request.query.season == "2026"')]);
  expect(await status('/a/open/1?season=2026', { 'x-reason': 'repair of gate 7' })).toBe(200);
  const answer = await fetch(`${url}/a/open/1?season=2026`, { headers: { 'x-reason': 'none of your business' } });
  expect(answer.status).toBe(403);
  expect(await answer.text()).not.toMatch(/reason|season|repair/);
  await until(() => control.traces.some((trace) => trace.code === 'condition.not-met'), 'the trace');
  const trace = control.traces.find(({ code }) => code === 'condition.not-met');
  expect(trace?.steps.at(-1)).toMatchObject({
    step: 'condition',
    outcome: 'refuse',
    rule: '/apis/0/conditions/0',
    operands: { name: 'reason', part: 'request.headers["x-reason"].startsWith("repair")', seen: ['request.headers.x-reason: none of your business'] },
  });
});

test('what two readers could take for two requests comes to no answer, and is refused', async () => {
  await publish([own('season', 'request.query.season == "2026"'), own('reason', 'request.headers["x-reason"] == "repair"')]);
  const ask = async (query: string, lines = 'X-Reason: repair\r\n') =>
    (await raw(port, `GET /a/open/1${query} HTTP/1.1\r\nHost: x\r\nConnection: close\r\n${lines}\r\n`)).slice(9, 12);
  expect(await ask('?season=2026')).toBe('200');
  for (const query of [
    '',
    '?',
    '?season',
    '?season=',
    '?season=2026&season=2025',
    '?season=2025&season=2026',
    '?season=2026&%73eason=2026',
    '?season=2026&season',
    '?Season=2026',
    '?season[]=2026',
    '?season=2026;x',
    '?season=%ff',
    '?season=2026%00',
  ])
    expect([query, await ask(query)]).toEqual([query, '403']);
  for (const lines of [
    '',
    'X-Reason: repair\r\nX-Reason: other\r\n',
    'X-Reason: other\r\nX-Reason: repair\r\n',
    'X-Reason: repair,repair\r\n',
    'X_Reason: repair\r\n',
  ])
    expect([lines, await ask('?season=2026', lines)]).toEqual([lines, expect.stringMatching(/^40[03]$/)]);
});

test('one that takes too many steps refuses, and others are served meanwhile', async () => {
  const tens = '[0,1,2,3,4,5,6,7,8,9]';
  const endless = `${tens}.all(a, ${tens}.all(b, ${tens}.all(c, ${tens}.all(d, ${tens}.all(e, ${tens}.all(f, a + b + c + d + e + f >= 0))))))`;
  const { apis } = documentOf([]);
  const operations = (apis[0] as ApiRule).operations.map((operation) =>
    operation.path.startsWith('/open') ? { ...operation, conditions: [own('endless', endless)] } : operation,
  );
  await publish([], { operations });
  const [heavy, light] = await Promise.all([
    Promise.all(Array.from({ length: 20 }, () => status('/a/open/1'))),
    Promise.all(Array.from({ length: 20 }, () => status('/nowhere'))),
  ]);
  expect(new Set(heavy)).toEqual(new Set([403]));
  expect(new Set(light)).toEqual(new Set([404]));
});

test('a document with a condition that cannot be used is not served, and the one before it is', async () => {
  await publish([own('c', 'request.method == "GET"')]);
  expect(await status('/a/open/1')).toBe(200);
  for (const conditions of [[own('c', 'request.verb == 1')], [own('c', '')], null, [null], [{ kind: 'shared', name: 'gone' }], 'true'])
    control.send({ type: 'release', number: number + 1, hash: 'bad', document: documentOf(conditions as never) });
  await until(() => control.statuses.some(({ refusedRelease }) => refusedRelease !== null), 'the refusal');
  expect(node.status().release?.number).toBe(number);
  expect(await status('/a/open/1')).toBe(200);
});

test('tables act at once, what cannot be read changes nothing, and one that is gone refuses', async () => {
  const table = (rows: string[][]): TableFact => ({ id: 'lockouts', key: 'gate', columns: ['gate'], rows });
  const tell = (at: number, value: TableFact | null) =>
    control.send({ type: 'directory', number: at, whole: null, changes: [{ what: 'table', id: 'lockouts', value }] });
  const inForce = (at: number) => until(() => node.status().directory === at, `change ${at}`);
  await publish([own('free', '!(request.query.gate in resource.lockouts)')]);
  expect(await status('/a/open/1?gate=7')).toBe(403);
  control.send({ type: 'directory', number: 1, whole: { first: true, last: true }, changes: [{ what: 'table', id: 'lockouts', value: table([['8']]) }] });
  await inForce(1);
  expect([await status('/a/open/1?gate=7'), await status('/a/open/1?gate=8')]).toEqual([200, 403]);
  tell(2, table([['7']]));
  await inForce(2);
  expect([await status('/a/open/1?gate=7'), await status('/a/open/1?gate=8')]).toEqual([403, 200]);
  control.send({ type: 'directory', number: 3, whole: { first: true, last: true }, changes: [] });
  await inForce(3);
  expect([await status('/a/open/1?gate=7'), await status('/a/open/1?gate=8')]).toEqual([403, 403]);
  tell(4, table([['7']]));
  await inForce(4);
  tell(5, { ...table([['9']]), rows: [['9', 'too many']] });
  tell(5, { ...table([['9']]), id: 'other' });
  expect([await status('/a/open/1?gate=7'), await status('/a/open/1?gate=9')]).toEqual([403, 200]);
});
