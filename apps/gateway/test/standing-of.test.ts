import { compileLimits, Directory, MemoryCounters, type ApiRule, type CompiledRelease, type KnownClient, type LimitRule, type LimitSubject } from '@virga/core';
import { standingOf } from '../src/counters/standing-of.js';
import { documentFor } from './harness.js';

const limit = (name: string, by: LimitSubject = { kind: 'client' }): LimitRule => ({
  name,
  by,
  method: 'fixed',
  requests: 5,
  seconds: 60,
  burst: null,
  mode: 'enforce',
});
const CLIENT: KnownClient = { id: 'c', metadata: {}, credentials: [], recalled: [] };

/** A release whose one API has this many operations, each with these limits. */
function releaseWith(operations: number, limits: readonly LimitRule[], whole: readonly LimitRule[] = []): CompiledRelease {
  const document = documentFor('http://127.0.0.1:9', 'https://issuer.example');
  const [api] = document.apis as [ApiRule];
  const [first] = api.operations;
  if (!first) throw new Error('no operation');
  const many = Array.from({ length: operations }, (_, at) => ({ ...first, id: `GET /o${at}`, method: 'GET', path: `/o${at}`, limits }));
  const written = { ...document, limits: whole, apis: [{ ...api, operations: many }] };
  const own = many.flatMap(({ id }, at) => compileLimits(limits, `a ${id}`, `/apis/0/operations/${at}/limits`));
  return { document: written, plans: [], limits: [...own, ...compileLimits(whole, 'gateway', '/limits')] } as unknown as CompiledRelease;
}

test('of very many limits the wide ones come first, and how many are left out is told', async () => {
  const found = await standingOf(CLIENT, releaseWith(500, [limit('own')], [limit('whole')]), new Directory([]), new MemoryCounters());
  expect([found.standings.length, found.more]).toEqual([200, 301]);
  expect(found.standings.slice(0, 2).map(({ name, rule, left }) => `${name} ${rule} ${left}`)).toEqual([
    'whole The gateway: limits 5',
    'own A, GET /o0: limits 5',
  ]);
});

test('nothing is counted by looking, and counters that are away are told', async () => {
  const counters = new MemoryCounters();
  const release = releaseWith(1, [limit('own')]);
  const look = () => standingOf(CLIENT, release, new Directory([]), counters);
  for (let times = 0; times < 9; times++) await look();
  expect((await look()).standings).toMatchObject([{ left: 5, waitMs: 0 }]);
  const away = { take: () => ({ away: 'gone' }), look: () => ({ away: 'gone' }) };
  await expect(standingOf(CLIENT, release, new Directory([]), away)).rejects.toThrow('the counters cannot be reached (gone)');
  expect(await standingOf(CLIENT, null, new Directory([]), away)).toEqual({ standings: [], unknown: [], more: 0 });
});

test('limits of an operation that count others too are told of where a request came to it', async () => {
  const release = releaseWith(2, [limit('address', { kind: 'address' }), limit('all', { kind: 'everyone' })]);
  const recalled = { apiId: 'a', operationId: 'GET /o1', address: '192.0.2.7', providerId: null, issuer: null, subject: null, attributes: null, headers: [] };
  const namesOf = async (client: KnownClient) =>
    (await standingOf(client, release, new Directory([]), new MemoryCounters())).standings.map(({ name, rule, whose }) => `${name}, ${rule}, ${whose}`);
  expect(await namesOf(CLIENT)).toEqual([]);
  expect(await namesOf({ ...CLIENT, recalled: [recalled, { ...recalled, apiId: 'other', address: '192.0.2.8' }] })).toEqual([
    'address, A, GET /o1: limits, 192.0.2.7',
    'all, A, GET /o1: limits, all callers together',
  ]);
});
