import type { ClientUse } from '@virga/core';
import type { ClientChanged, ClientUseView } from '@virga/protocol';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Sequelize } from 'sequelize';
import { RunningServer, until } from './harness.js';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

let server: RunningServer;

beforeAll(async () => {
  server = new RunningServer();
  await server.start(['--no-node']);
});
afterAll(() => server.stop(), 30_000);

const hourAgo = (hours: number): number => Math.floor(Date.now() / HOUR) * HOUR - hours * HOUR;
const some = (clientId: string | null, more: Partial<ClientUse> = {}): ClientUse => ({
  hour: hourAgo(0),
  clientId,
  apiId: 'gone',
  step: 'upstream',
  code: 'upstream.answered',
  outcome: 'passed',
  count: 1,
  ...more,
});
const LIMITED = { step: 'limit', code: 'limit.rate', outcome: 'refused' } as const;

/** As a node tells of it. */
async function tell(clients: unknown, id: string = randomUUID()): Promise<number> {
  const authorization = `Bearer ${readFileSync(join(server.folder, 'node-token'), 'utf8').trim()}`;
  const batch = { id, node: 'far', traces: [], counts: [], unsent: { passed: 0, refused: 0, steps: 0 }, ...(clients === undefined ? {} : { clients }) };
  return (await server.call('POST', '/nodes/v1/records', batch, { authorization })).status;
}
const client = async (name: string): Promise<string> => (await server.ok<ClientChanged>('POST', '/clients', { name })).client.id;
const use = (id: string, days = 1) => server.ok<ClientUseView>('GET', `/clients/${id}/use?days=${days}`);

test('batches of several nodes add up; the same batch sent twice counts once', async () => {
  const id = await client('Adds up');
  expect(await tell([some(id, { count: 3 }), some(id, { ...LIMITED, count: 2 }), some('somebody else', { count: 50 })], 'same')).toBe(204);
  expect(await tell([some(id, { count: 3 }), some(id, { ...LIMITED, count: 2 })], 'same')).toBe(204);
  expect(await tell([some(id, { count: 4, apiId: null }), some(id, { outcome: 'would-refuse', step: 'plan', code: 'plan.ended' })])).toBe(204);
  expect(await use(id)).toMatchObject({
    passed: 8,
    refused: 2,
    apis: [
      { apiId: 'gone', apiName: 'an API that is gone', passed: 4, refused: 2 },
      { apiId: null, apiName: 'no API', passed: 4, refused: 0 },
    ],
    reasons: [
      { code: 'limit.rate', outcome: 'refused', count: 2 },
      { code: 'plan.ended', outcome: 'would-refuse', stepName: 'Plan', count: 1 },
    ],
  });
});

test.each([undefined, null, []])('a batch that says %p of clients is taken', async (clients) => {
  expect(await tell(clients)).toBe(204);
});

test('each hour stands in its slice; what is older, or has not come, in none', async () => {
  const id = await client('By the hour');
  await tell([0, 1, 23, 24, 6 * 24, 29 * 24, 31 * 24, -1, -1000].map((hours) => some(id, { hour: hourAgo(hours) })));
  const day = await use(id);
  expect(day.slices.map(({ passed }) => passed)).toEqual([1, ...Array<number>(21).fill(0), 1, 1]);
  expect([day.passed, (await use(id, 7)).passed, (await use(id, 30)).passed]).toEqual([3, 5, 6]);
  for (const days of [1, 7, 30]) {
    const { from, to, slices, passed, apis } = await use(id, days);
    expect([to - from, slices[0]?.at]).toEqual([days * DAY, from]);
    expect([slices.reduce((sum, one) => sum + one.passed, 0), apis[0]?.passed]).toEqual([passed, passed]);
  }
});

test('what a node of another version says is told in its own words', async () => {
  const id = await client('Newer');
  await tell([{ ...some(id), outcome: 'refused', step: 'tomorrow', code: 'tomorrow.no' } as unknown as ClientUse]);
  expect((await use(id)).reasons).toMatchObject([{ code: 'tomorrow.no', title: 'tomorrow.no', stepName: 'tomorrow', count: 1 }]);
});

test('what was counted without a client is told of with every client, and is no client’s', async () => {
  const id = await client('Untold');
  await tell([some(null, { apiId: null, count: 7 })]);
  expect(await use(id)).toMatchObject({ passed: 0, refused: 0, untold: 7 });
});

test('use is let go of after ninety days, and outlives a restart until then', async () => {
  const id = await client('Lasts');
  await tell([some(id, { hour: hourAgo(29 * 24), count: 5 }), some(id, { hour: hourAgo(89 * 24), count: 6 }), some(id, { hour: hourAgo(91 * 24), count: 9 })]);
  const sequelize = new Sequelize({ dialect: 'sqlite', storage: join(server.folder, 'virga.sqlite'), logging: false });
  const kept = async () => {
    const [rows] = await sequelize.query('SELECT count FROM client_traffic WHERE client_id = ? ORDER BY hour', { replacements: [id] });
    return rows.map((row) => (row as { count: number }).count);
  };
  expect(await kept()).toEqual([9, 6, 5]);
  await server.ok('PATCH', '/settings/retention', { traceHours: 5 });
  await until(async () => (await kept()).length <= 2);
  expect(await kept()).toEqual([6, 5]);
  await sequelize.close();
  await server.stop();
  await server.start(['--no-node']);
  expect((await use(id, 30)).passed).toBe(5);
});

test.each(['0', '2', '-1', '1e9', 'all', '', '1&days=7'])('days of %p are not known', async (days) => {
  const id = 'adds-up';
  expect((await server.call('GET', `/control/v1/clients/${id}/use?days=${days}`)).status).toBe(422);
});

test('nobody reads it without the control API’s own credential', async () => {
  expect((await server.call('GET', '/control/v1/clients/adds-up/use', undefined, {})).status).toBe(401);
});
