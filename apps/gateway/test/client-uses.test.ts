import type { Credential, Ending } from '@virga/core';
import { ClientUses } from '../src/records/client-uses.js';

const HOUR = 3_600_000;
const key = (clientId: string) => ({ kind: 'key', scheme: 'k', holder: { client: { id: clientId } } }) as unknown as Credential;
const UNJOINED = { kind: 'token', holder: null } as unknown as Credential;
const passed: Ending = { outcome: 'passed', step: 'upstream', code: 'upstream.answered' };
const limited: Ending = { outcome: 'refused', step: 'limit', code: 'limit.rate' };

test('each request is one of the client that proved itself, by hour, API and ending', () => {
  const uses = new ClientUses(100);
  for (let second = 0; second < 7200; second++) uses.count([key('a')], second * 1000, second % 2 === 0 ? 'x' : 'y', second % 3 === 0 ? limited : passed);
  const taken = uses.take();
  expect(taken.length).toBe(8);
  expect(taken.filter(({ code, hour }) => code === 'limit.rate' && hour === HOUR).reduce((sum, { count }) => sum + count, 0)).toBe(1200);
  expect(taken.reduce((sum, { count }) => sum + count, 0)).toBe(7200);
  expect([uses.isEmpty, uses.take()]).toEqual([true, []]);
});

test('two proofs of one client are one request; of two clients one of each; a token that belongs to no client is nobody’s', () => {
  const uses = new ClientUses(100);
  uses.count([key('a'), UNJOINED, key('a')], 1, null, passed);
  uses.count([key('a'), key('b')], 1, null, passed);
  uses.count([UNJOINED], 1, null, passed);
  uses.count([], 1, null, passed);
  expect(uses.take().map(({ clientId, count }) => [clientId, count])).toEqual([
    ['a', 2],
    ['b', 1],
  ]);
});

test('past the bound requests are counted without their client, and none is lost', () => {
  const uses = new ClientUses(50);
  for (let index = 0; index < 1000; index++) uses.count([key(`c${index}`)], 5, 'x', index % 2 === 0 ? passed : limited);
  const taken = uses.take();
  expect(taken.reduce((sum, { count }) => sum + count, 0)).toBe(1000);
  expect(taken.filter(({ clientId }) => clientId === null).map(({ apiId, code, count }) => [apiId, code, count])).toEqual([
    [null, 'upstream.answered', 475],
    [null, 'limit.rate', 475],
  ]);
  expect(taken.length).toBe(52);
  uses.count([key('c999')], 5, 'x', passed);
  expect(uses.take().map(({ clientId }) => clientId)).toEqual(['c999']);
});
