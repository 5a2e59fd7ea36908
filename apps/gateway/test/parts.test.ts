import { BEARER_HEADER, Exchange, finding, type Finding } from '@virga/core';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { headersBack, headersUp } from '../src/listener/forward-headers.js';
import { newRequestId, traceContext } from '../src/listener/request-ids.js';
import { RateBudget } from '../src/records/rate-budget.js';
import { RECORD_LIMITS, Recorder } from '../src/records/recorder.js';
import { readSnapshot, writeSnapshot } from '../src/snapshot/snapshot.js';

describe('headers on their way', () => {
  const facts = { address: '2001:db8::7', host: 'gw.example', requestId: 'r', traceparent: 't', protocol: 'http' as const, withheld: [], forged: null };
  const record = (flat: readonly string[]): Record<string, string> =>
    Object.fromEntries(flat.flatMap((name, index): [string, string][] => (index % 2 === 0 ? [[name, flat[index + 1] ?? '']] : [])));

  test('an IPv6 address is quoted in brackets (RFC 7239 section 6)', () => {
    expect(record(headersUp({}, facts))).toMatchObject({ forwarded: 'for="[2001:db8::7]";host="gw.example";proto=http', 'x-forwarded-for': '2001:db8::7' });
  });

  test('what Connection names does not travel, nor does the credential when it is to stay', () => {
    const up = record(
      headersUp({ connection: 'close, X-Private', 'x-private': '1', 'x-public': '2', authorization: 'Bearer x' }, { ...facts, withheld: [BEARER_HEADER] }),
    );
    expect(up).not.toHaveProperty('x-private');
    expect(up).not.toHaveProperty('authorization');
    expect(up['x-public']).toBe('2');
  });

  test('the gateway’s CORS rule replaces the upstream’s; several cookies stay several', () => {
    const back = headersBack({ 'access-control-allow-origin': '*', 'set-cookie': ['a=1', 'b=2'], 'transfer-encoding': 'chunked' }, { vary: 'Origin' });
    expect(back).toEqual(['set-cookie', 'a=1', 'set-cookie', 'b=2', 'vary', 'Origin']);
  });
});

test('request ids are unique, trace contexts valid', () => {
  const ids = new Set(Array.from({ length: 5000 }, newRequestId));
  expect(ids.size).toBe(5000);
  expect(traceContext('00-00000000000000000000000000000000-b7ad6b7169203331-01').traceId).not.toMatch(/^0+$/);
});

test('a budget lets a burst through, then the rate', () => {
  const budget = new RateBudget(10, 5);
  const take = (times: number, at: number) => Array.from({ length: times }, () => budget.take(at)).filter(Boolean).length;
  expect(take(20, 1000)).toBe(5);
  expect(take(20, 1500)).toBe(5);
  expect(take(20, 1600)).toBe(1);
  expect(take(20, 900)).toBe(0);
});

describe('the recorder', () => {
  const exchange = (found: Finding): Exchange => {
    const one = new Exchange({ method: 'GET', target: '/a', headers: {} });
    one.steps.push({ step: 'route', finding: found, tookMs: 1 });
    return one;
  };
  const done = (found: Finding, at: number, status: number) => ({
    id: `i${at}-${Math.random()}`,
    traceId: '',
    at,
    release: 1,
    address: '192.0.2.1',
    status,
    found,
    requestHeaders: {},
    responseHeaders: [],
    requestBytes: 0,
    responseBytes: 0,
    totalMs: 2,
  });
  const missing = finding('route.no-api', { path: '/a' });

  test('counts by minute, code and status, exactly', () => {
    const recorder = new Recorder('n');
    for (let index = 0; index < 1000; index++) recorder.finish(exchange(missing), done(missing, index < 600 ? 30_000 : 90_000, 404));
    const counts: { minute: number; count: number; code: string; step: string; outcome: string }[] = [];
    for (let batch = recorder.takeBatch(); batch; batch = recorder.takeBatch()) counts.push(...batch.counts);
    expect(counts.map((item) => [item.minute, item.count, item.code, item.step, item.outcome])).toEqual([
      [0, 600, 'route.no-api', 'route', 'refused'],
      [60_000, 400, 'route.no-api', 'route', 'refused'],
    ]);
    expect(recorder.takeBatch()).toBeNull();
  });

  test('a ring that overflows says what it lost', () => {
    const recorder = new Recorder('n');
    const most = RECORD_LIMITS.ringSize + 100;
    for (let index = 0; index < most; index++) recorder.finish(exchange(missing), done(missing, index, 404), true);
    let kept = 0;
    let lost = 0;
    for (let batch = recorder.takeBatch(); batch; batch = recorder.takeBatch()) {
      kept += batch.traces.length;
      lost += batch.unsent.refused;
    }
    expect([kept, lost]).toEqual([RECORD_LIMITS.ringSize, 100]);
  });
});

describe('the last good release on disk', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'virga-snapshot-')), 'node', 'release.json');
  const snapshot = { number: 3, hash: 'h', document: { format: 1 as const, environment: 't', providers: [], certificateHeader: null, apis: [] } };

  test('is read back, and only its owner may read it', async () => {
    expect(await readSnapshot(file)).toBeNull();
    await writeSnapshot(file, snapshot);
    expect(await readSnapshot(file)).toEqual(snapshot);
  });

  test('half a file is no release', async () => {
    writeFileSync(file, readFileSync(file, 'utf8').slice(0, 20));
    expect(await readSnapshot(file)).toBeNull();
  });
});
