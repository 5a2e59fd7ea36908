import { BEARER_HEADER, Exchange, finding, type Finding } from '@virga/core';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import type { IncomingMessage } from 'node:http';
import { join } from 'node:path';
import { compileFindCertificate } from '../src/listener/client-certificate.js';
import { headersBack, headersUp, queryUp, withheldPlaces } from '../src/listener/forward-headers.js';
import { Nonces, NONCE_WINDOW_MS } from '../src/ports/nonces.js';
import { PrivateFacts } from '../src/ports/private-facts.js';
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

describe('nonces for proofs (RFC 9449 section 8, from memory)', () => {
  const nonces = new Nonces('node token');
  test('are taken in their window and the next, by every node with the same token, and no longer', () => {
    const at = 1_800_000_000_000;
    const nonce = nonces.current(at);
    expect(nonces.accepts(nonce, at)).toBe(true);
    expect(nonces.accepts(nonce, at + NONCE_WINDOW_MS)).toBe(true);
    expect(nonces.accepts(nonce, at + 2 * NONCE_WINDOW_MS)).toBe(false);
    expect(nonces.accepts(nonce, at - NONCE_WINDOW_MS)).toBe(false);
    expect(new Nonces('node token').accepts(nonce, at)).toBe(true);
    expect(new Nonces('other token').accepts(nonce, at)).toBe(false);
    expect(nonces.current(at + NONCE_WINDOW_MS)).not.toBe(nonce);
  });
  test.each(['', 'x', 'AAAA', 'A'.repeat(24), 'A'.repeat(5000), '\u0000'])('%j is none', (text) => expect(nonces.accepts(text, Date.now())).toBe(false));
});

describe('what a node keeps for itself', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'virga-facts-')), 'node', 'private-facts');
  const revocation = { id: 'r', kind: 'jti', providerId: 'p', value: 'one', issuedBefore: null, reason: 'lost' } as const;

  test('is sealed on disk, read back with the same token only, and replaced as a whole', async () => {
    const facts = new PrivateFacts('token', file);
    await facts.take({ secrets: { a: 'the value of a' }, revocations: [revocation] });
    expect(readFileSync(file).includes('the value of a')).toBe(false);
    const again = new PrivateFacts('token', file);
    await again.restore();
    expect([again.value('a'), again.value('b'), again.revocations.size]).toEqual(['the value of a', null, 1]);
    const other = new PrivateFacts('another token', file);
    await other.restore();
    expect([other.value('a'), other.revocations.size]).toEqual([null, 0]);
    await facts.take({ secrets: { b: 'x' }, revocations: [] });
    await again.restore();
    expect([again.value('a'), again.value('b'), again.revocations.size]).toEqual([null, 'x', 0]);
  });

  test('a changed or missing file counts as nothing', async () => {
    const bytes = readFileSync(file);
    bytes[20] = (bytes[20] ?? 0) ^ 1;
    writeFileSync(file, bytes);
    const facts = new PrivateFacts('token', file);
    await facts.restore();
    expect(facts.value('b')).toBeNull();
    const missing = new PrivateFacts('token', `${file}-nowhere`);
    await missing.restore();
    expect(missing.value('b')).toBeNull();
  });
});

describe('credentials that stay at the gateway', () => {
  const facts = { address: '192.0.2.1', host: 'h', requestId: 'r', traceparent: 't', protocol: 'https' as const, withheld: [], forged: null };
  const sent = (flat: readonly string[], name: string): string | undefined => flat[flat.indexOf(name) + 1 || flat.length];

  test.each<[string, string, string | undefined]>([
    ['at=secret', 'at', undefined],
    ['a=1; at=secret; b=2', 'at', 'a=1; b=2'],
    ['at=one; at=two', 'at', undefined],
    ['xat=1; at=secret', 'at', 'xat=1'],
    ['a=1', 'at', 'a=1'],
  ])('cookies %j without %s', (cookie, name, left) => {
    expect(sent(headersUp({ cookie }, { ...facts, withheld: [{ kind: 'cookie', name }] }), 'cookie')).toBe(left);
  });

  test.each<[string, string]>([
    ['?key=secret', ''],
    ['?a=1&key=secret&b=2', '?a=1&b=2'],
    ['?a=%2F&%6bey=secret', '?a=%2F'],
    ['?keys=1&a', '?keys=1&a'],
    ['?a=1&&b', '?a=1&&b'],
    ['', ''],
  ])('the query %j', (query, left) => {
    const exchange = new Exchange({ method: 'GET', target: '/', headers: {} });
    exchange.query = query;
    exchange.api = { rule: { upstream: { sendCredential: false } } } as Exchange['api'];
    exchange.operation = { token: { places: [{ kind: 'query', name: 'key' }] } } as unknown as Exchange['operation'];
    expect(queryUp(exchange)).toBe(left);
    expect(withheldPlaces(exchange)).toEqual([BEARER_HEADER, { kind: 'query', name: 'key' }]);
  });

  test('a header that only a trusted hop may write does not travel on from another', () => {
    expect(headersUp({ 'client-cert': ':AAAA:' }, { ...facts, forged: 'client-cert' })).not.toContain('client-cert');
    expect(headersUp({ 'client-cert': ':AAAA:' }, facts)).toContain('client-cert');
    expect(sent(headersUp({}, facts), 'x-forwarded-proto')).toBe('https');
  });
});

describe('client certificates from a header (RFC 9440 section 2.1, from memory)', () => {
  const pem = readFileSync(new URL('fixtures/rfc8705-appendix-a.pem', import.meta.url), 'utf8');
  const APPENDIX_A = 'A4DtL2JmUMhAsvJj5tKyn64SqzmuXbMrJa0n761y5v0';
  const find = compileFindCertificate({ name: 'client-cert', trustedHops: ['192.0.2.0/24', '2001:db8::1'] });
  const from = (value: string | undefined, address: string) => find({ socket: {}, headers: { 'client-cert': value } } as unknown as IncomingMessage, address);

  test.each<[string, string, string | null]>([
    ['192.0.2.7', encodeURIComponent(pem), APPENDIX_A],
    ['2001:db8::1', encodeURIComponent(pem), APPENDIX_A],
    ['192.0.3.7', encodeURIComponent(pem), null],
    ['2001:db8::2', encodeURIComponent(pem), null],
    ['not an address', encodeURIComponent(pem), null],
    ['192.0.2.7', ':AAAA:', null],
    ['192.0.2.7', '%E0%A4%A', null],
    ['192.0.2.7', '', null],
  ])('from %s', (address, value, thumbprint) => expect(from(value, address)).toBe(thumbprint));

  test('without a rule no header is looked at, and a hop that is none is refused', () => {
    expect(
      compileFindCertificate(null)({ socket: {}, headers: { 'client-cert': encodeURIComponent(pem) } } as unknown as IncomingMessage, '192.0.2.7'),
    ).toBeNull();
    expect(() => compileFindCertificate({ name: 'client-cert', trustedHops: ['gateway.example'] })).toThrow(/no address/);
  });
});
