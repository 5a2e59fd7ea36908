import type { IncomingHttpHeaders } from 'node:http';
import fc from 'fast-check';
import { BEARER_HEADER, compileRedactor, emptyDocument, Exchange, finding, UPSTREAM_LIMITS, type Finding } from '@virga/core';
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import type { IncomingMessage } from 'node:http';
import { join } from 'node:path';
import { compileFindCertificate } from '../src/listener/client-certificate.js';
import { fieldsOf, listOf, recordOf, valueOf } from '../src/upstream/field-list.js';
import { codingOf, readContent } from '../src/transit/decode-body.js';
import { headersBack, headersUp, queryUp, type ForwardFacts, type HeaderRules } from '../src/transit/forward-headers.js';
import { Nonces, NONCE_WINDOW_MS } from '../src/ports/nonces.js';
import { PrivateFacts } from '../src/ports/private-facts.js';
import { newRequestId, traceContext, traceIdOf } from '../src/listener/request-ids.js';
import { wrongMessage } from '../src/listener/request-facts.js';
import { RateBudget } from '../src/records/rate-budget.js';
import { RECORD_LIMITS, Recorder } from '../src/records/recorder.js';
import { SealedFile } from '../src/snapshot/sealed-file.js';
import { Snapshot } from '../src/snapshot/snapshot.js';
import { Berths, type NoBerth } from '../src/upstream/berths.js';
import { Pace } from '../src/listener/pace.js';
import { Slots } from '../src/listener/slots.js';
import { until } from './harness.js';

/** What is said of a request and what the release says of its fields, in one object here. */
const fieldsUp = (headers: IncomingHttpHeaders, facts: ForwardFacts & HeaderRules): string[] => headersUp(headers, facts, facts);

describe('headers on their way', () => {
  const facts = {
    address: '2001:db8::7',
    host: 'gw.example',
    requestId: 'r',
    traceparent: 't',
    protocol: 'http' as const,
    withheld: [],
    vouched: null,
    ruled: null,
    lane: null,
    who: null,
    passes: [],
    uncoded: false,
    whole: false,
    passed: null,
    callerFields: 'both' as const,
  };
  const record = (flat: readonly string[]): Record<string, string> =>
    Object.fromEntries(flat.flatMap((name, index): [string, string][] => (index % 2 === 0 ? [[name, flat[index + 1] ?? '']] : [])));

  test('an IPv6 address is quoted in brackets (RFC 7239 section 6)', () => {
    expect(record(fieldsUp({}, facts))).toMatchObject({ forwarded: 'for="[2001:db8::7]";host="gw.example";proto=http', 'x-forwarded-for': '2001:db8::7' });
  });

  test.each([
    ['x-forwarded', ['x-forwarded-for', 'x-forwarded-proto', 'x-forwarded-host']],
    ['forwarded', ['forwarded']],
    ['both', ['x-forwarded-for', 'x-forwarded-proto', 'x-forwarded-host', 'forwarded']],
    // What cannot be read leaves nothing out.
    [undefined as never, ['x-forwarded-for', 'x-forwarded-proto', 'x-forwarded-host', 'forwarded']],
  ] as const)('fields that say from where it came: %s; what a caller sends under any of their names ends here', (callerFields, names) => {
    const claimed = { 'x-forwarded-for': '6.6.6.6', 'x-forwarded-proto': 'https', 'x-forwarded-host': 'evil', forwarded: 'for=6.6.6.6' };
    const up = record(fieldsUp(claimed, { ...facts, callerFields }));
    expect(Object.keys(up).filter((name) => name.includes('forwarded'))).toEqual(names);
    expect(Object.values(up).join()).not.toMatch(/6\.6\.6\.6|evil/);
    expect(up).toMatchObject({ 'x-request-id': 'r', traceparent: 't' });
  });

  test('what Connection names does not travel, nor does the credential when it is to stay', () => {
    const up = record(
      fieldsUp({ connection: 'close, X-Private', 'x-private': '1', 'x-public': '2', authorization: 'Bearer x' }, { ...facts, withheld: [BEARER_HEADER] }),
    );
    expect(up).not.toHaveProperty('x-private');
    expect(up).not.toHaveProperty('authorization');
    expect(up['x-public']).toBe('2');
  });

  test('the gateway’s CORS rule replaces the upstream’s; several cookies stay several', () => {
    const back = headersBack(
      ['access-control-allow-origin', '*', 'set-cookie', 'a=1', 'transfer-encoding', 'chunked', 'set-cookie', 'b=2'],
      { vary: 'Origin' },
      ['x-request-id', 'r'],
    );
    expect(back).toEqual(['set-cookie', 'a=1', 'set-cookie', 'b=2', 'vary', 'Origin', 'x-request-id', 'r']);
  });
});

describe('parts of an answer', () => {
  const asked = { range: 'bytes=0-9', 'if-range': '"v1"', 'a-im': 'feed', accept: 'text/plain' };
  const facts = { address: '192.0.2.7', host: 'gw.example', requestId: 'r', traceparent: 't', protocol: 'http' as const, vouched: null };
  const rules = { withheld: [], ruled: null, lane: null, who: null, passes: [], passed: null, callerFields: 'both' as const, uncoded: true };
  const names = (whole: boolean): string[] => headersUp(asked, facts, { ...rules, whole }).filter((name) => Object.hasOwn(asked, name));

  test('are asked for where it is not held to be looked into (RFC 9110 section 14.2, RFC 3229)', () => {
    expect(names(true)).toEqual(['accept']);
    expect(names(false)).toEqual(['range', 'if-range', 'a-im', 'accept']);
  });

  test.each<[string, Record<string, string>, number | undefined, boolean]>([
    ['of a request', { 'content-range': 'bytes 0-9/20' }, undefined, true],
    ['of an answer that says so by its status alone', {}, 206, true],
    ['of an answer that says what changed', {}, 226, true],
    ['of an answer that says so in a field alone', { 'content-range': 'bytes 0-9/20' }, 200, true],
    ['of which there are none', { 'content-encoding': 'identity' }, 200, false],
  ])('%s are not looked into', (_name, headers, status, part) => {
    const need = { limit: 100, hold: true, larger: 'pass' } as const;
    const content = readContent(
      Buffer.from('x'),
      codingOf((name) => headers[name], status),
      need,
    );
    return Promise.resolve(content).then((read) => expect(read.kind).toBe(part ? 'coded' : 'bytes'));
  });
});

describe('header fields of an answer', () => {
  test('what any of several Connection fields names does not travel (RFC 9110 section 7.6.1)', () => {
    const back = headersBack(['connection', 'close', 'x-private', '1', 'connection', 'X-Private, x-other', 'x-other', '2', 'x-public', '3'], null, []);
    expect(back).toEqual(['x-public', '3']);
  });

  test('a name is no value: what merely speaks of a field does not stand for it', () => {
    const fields = ['vary', 'date', 'access-control-expose-headers', 'content-length'];
    expect([valueOf(fields, 'date'), valueOf(fields, 'content-length'), valueOf(fields, 'vary')]).toEqual([undefined, undefined, 'date']);
  });

  test('bytes, list and record say the same, whatever the names: those of every object, and those that come more than once', () => {
    const names = fc.constantFrom('Set-Cookie', 'content-type', 'X-A', '__proto__', 'constructor', 'toString', 'hasOwnProperty');
    // Bytes of RFC 9110 section 5.5: visible ASCII and obs-text.
    const values = fc.array(fc.integer({ min: 0x21, max: 0xff }).filter((code) => code !== 0x7f)).map((codes) => String.fromCharCode(...codes));
    fc.assert(
      fc.property(fc.array(fc.tuple(names, values), { maxLength: 12 }), (pairs) => {
        const list = fieldsOf(pairs.flatMap(([name, value]) => [Buffer.from(name), Buffer.from(value, 'latin1')]));
        expect(list).toEqual(pairs.flatMap(([name, value]) => [name.toLowerCase(), value]));
        const record = recordOf(list);
        for (const [name] of pairs) {
          const own = Object.getOwnPropertyDescriptor(record, name.toLowerCase())?.value as string | string[];
          expect([own].flat()).toEqual(pairs.flatMap(([other, value]) => (other === name ? [value] : [])));
        }
        const sorted = (flat: readonly string[]): string[] =>
          flat.flatMap((name, index) => (index % 2 === 0 ? [`${name}: ${flat[index + 1] ?? ''}`] : [])).sort();
        expect(sorted(listOf(record))).toEqual(sorted(list));
      }),
    );
  });
});

describe('the host of a request (RFC 9110 section 7.2)', () => {
  const wrong = (host: string | undefined): string | null => wrongMessage({ headers: { host }, rawHeaders: [] } as unknown as IncomingMessage)?.code ?? null;

  test('is looked at anew whenever it is another than that of the request before', () => {
    const hosts = [undefined, '', 'gw.example', 'gw.example', '', 'gw.example/', 'gw.example', undefined, 'a, b', '[::1]:80', '[::1', 'gw.example'];
    expect(hosts.map(wrong)).toEqual([
      'message.host-missing',
      'message.host-malformed',
      null,
      null,
      'message.host-malformed',
      'message.host-malformed',
      null,
      'message.host-missing',
      'message.host-missing',
      null,
      'message.host-malformed',
      null,
    ]);
  });
});

describe('request ids and trace contexts', () => {
  const FORM = /^00-([0-9a-f]{32})-([0-9a-f]{16})-00$/;

  test('are each another one', () => {
    const ids = new Set(Array.from({ length: 5000 }, newRequestId));
    expect(ids.size).toBe(5000);
    for (const id of ids) expect(id).toMatch(/^[0-9a-f]{20}$/);
    const begun = Array.from({ length: 5000 }, () => FORM.exec(traceContext(undefined)) ?? []);
    expect([new Set(begun.map(([, trace]) => trace)).size, new Set(begun.map(([, , parent]) => parent)).size]).toEqual([5000, 5000]);
  });

  test('a trace is continued with a new parent and its flags (W3C Trace Context section 2.2, its example from memory)', () => {
    const incoming = '00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01';
    const continued = traceContext(incoming);
    expect(continued).toMatch(/^00-4bf92f3577b34da6a3ce929d0e0e4736-[0-9a-f]{16}-01$/);
    expect(continued).not.toBe(incoming);
    expect(traceIdOf(continued)).toBe('4bf92f3577b34da6a3ce929d0e0e4736');
    expect(traceContext(incoming)).not.toBe(continued);
  });

  test.each([
    ['a trace of zeros', '00-00000000000000000000000000000000-b7ad6b7169203331-01'],
    ['a parent of zeros', '00-4bf92f3577b34da6a3ce929d0e0e4736-0000000000000000-01'],
    ['another version', '01-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01'],
    ['great letters', '00-4BF92F3577B34DA6A3CE929D0E0E4736-00F067AA0BA902B7-01'],
    ['two of them', '00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01, 00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01'],
    ['nothing', ''],
  ])('%s: a trace is begun', (_name, incoming) => {
    const begun = traceContext(incoming);
    expect(begun).toMatch(FORM);
    expect(traceIdOf(begun)).not.toMatch(/^0+$|^4bf92f3577b34da6/i);
  });
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
    one.took('route', found, 1);
    return one;
  };
  const done = (found: Finding, at: number, status: number) => ({
    id: `i${at}-${Math.random()}`,
    traceparent: '',
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
    redactor: compileRedactor(),
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

  test('takes credentials out of what a trace says was compared, and leaves what was found as it is', () => {
    const recorder = new Recorder('n');
    const route = { api: 'gates', operation: 'GET /gates/{id}', parameters: ['id = G-12', 'ticket = hunter2'] };
    const one = new Exchange({ method: 'GET', target: '/a?token=hunter2', headers: {} });
    one.took('route', finding('route.matched', route), 1);
    const found = finding('route.no-api', { path: '/a/hunter2' });
    one.took('route', found, 1);
    recorder.finish(one, done(found, 1, 404));
    const [trace] = recorder.takeBatch()?.traces ?? [];
    expect(trace?.steps.map(({ operands }) => operands)).toEqual([
      { ...route, parameters: ['id = G-12', 'ticket = <credential>'] },
      { path: '/a/<credential>' },
    ]);
    expect(one.steps.map((taken) => taken.finding.operands)).toEqual([{ ...route, parameters: ['id = G-12', 'ticket = hunter2'] }, { path: '/a/hunter2' }]);
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
  const file = join(mkdtempSync(join(tmpdir(), 'virga-snapshot-')), 'node', 'release.sealed');
  const kept = new Snapshot('token', file);
  const snapshot = {
    withFacts: false,
    withDirectory: false,
    number: 3,
    hash: 'h',
    document: emptyDocument('t'),
  };

  test('is read back, and only its owner may read it', async () => {
    expect(await kept.read()).toBeNull();
    await kept.write({ ...snapshot, parts: new Map() });
    expect(await kept.read()).toEqual(snapshot);
    expect(statSync(file).mode & 0o077).toBe(0);
  });

  test('of another node, changed, cut or in plain text is told apart from none', async () => {
    const bytes = readFileSync(file);
    expect(await new Snapshot('another token', file).read()).toBe('unreadable');
    for (const wrong of [bytes.subarray(0, 20), Buffer.alloc(0), Buffer.from(JSON.stringify(snapshot)), Buffer.concat([Buffer.from([0]), bytes])]) {
      writeFileSync(file, wrong);
      expect(await kept.read()).toBe('unreadable');
    }
  });

  test('what cannot be written is said, kept, and written when there is room again', async () => {
    const blocked = join(mkdtempSync(join(tmpdir(), 'virga-full-')), 'in-the-way');
    writeFileSync(blocked, '');
    const waiting = new SealedFile('token', 'a thing', join(blocked, 'file'));
    await waiting.write({ a: 1 });
    expect(waiting.problem).toMatch(/^a thing cannot be kept on disk/);
    rmSync(blocked);
    waiting.tick();
    await until(() => waiting.problem === null);
    expect(await waiting.read()).toEqual({ state: 'read', value: { a: 1 } });
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

  test.each<[string, unknown]>([
    ['no revocations', { secrets: {} }],
    ['revocations that are null', { secrets: {}, revocations: null }],
    ['a revocation that is none', { secrets: {}, revocations: ['x'] }],
    ['a revocation of a kind that nobody knows', { secrets: {}, revocations: [{ ...revocation, kind: 'session' }] }],
    ['a secret that is no text', { secrets: { a: 1 }, revocations: [] }],
    ['a revocation of nothing', { secrets: {}, revocations: [{ ...revocation, value: undefined }] }],
    ['no secrets', { revocations: [] }],
  ])('facts with %s change nothing: what was revoked stays so', async (_name, facts) => {
    const known = new PrivateFacts('token', `${file}-form`);
    await known.take({ secrets: { a: 'x' }, revocations: [revocation] });
    expect(() => known.take(facts as never)).toThrow(/cannot be read/);
    expect([known.value('a'), known.revocations.size]).toEqual(['x', 1]);
  });

  test('a changed file is told from a missing one, and neither gives facts', async () => {
    const bytes = readFileSync(file);
    bytes[20] = (bytes[20] ?? 0) ^ 1;
    writeFileSync(file, bytes);
    const facts = new PrivateFacts('token', file);
    expect([await facts.restore(), facts.heard !== null, facts.value('b')]).toEqual([false, false, null]);
    const missing = new PrivateFacts('token', `${file}-nowhere`);
    expect([await missing.restore(), missing.heard !== null, missing.value('b')]).toEqual([true, false, null]);
  });
});

describe('credentials that stay at the gateway', () => {
  const facts = {
    address: '192.0.2.1',
    host: 'h',
    requestId: 'r',
    traceparent: 't',
    protocol: 'https' as const,
    withheld: [],
    vouched: null,
    ruled: null,
    lane: null,
    who: null,
    passes: [],
    uncoded: false,
    whole: false,
    passed: null,
    callerFields: 'both' as const,
  };
  const sent = (flat: readonly string[], name: string): string | undefined => flat[flat.indexOf(name) + 1 || flat.length];

  test.each<[string, string, string | undefined]>([
    ['at=secret', 'at', undefined],
    ['a=1; at=secret; b=2', 'at', 'a=1; b=2'],
    ['at=one; at=two', 'at', undefined],
    ['xat=1; at=secret', 'at', 'xat=1'],
    ['a=1', 'at', 'a=1'],
  ])('cookies %j without %s', (cookie, name, left) => {
    expect(sent(fieldsUp({ cookie }, { ...facts, withheld: [{ kind: 'cookie', name }] }), 'cookie')).toBe(left);
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
    exchange.operation = { withheld: [BEARER_HEADER, { kind: 'query', name: 'key' }] } as unknown as Exchange['operation'];
    expect(queryUp(exchange)).toBe(left);
  });

  test('a header that only a trusted hop may write does not travel on from another', () => {
    const ruled = { ...facts, ruled: 'x-cert' };
    expect(fieldsUp({ 'client-cert': ':AAAA:', 'x-cert': 'a', x_cert: 'b' }, ruled)).toEqual(fieldsUp({}, facts));
    expect(fieldsUp({ 'x-cert': 'a', x_cert: 'b' }, { ...ruled, vouched: 'x-cert' }).slice(0, 2)).toEqual(['x-cert', 'a']);
    expect(fieldsUp({ 'x-cert': 'a', x_cert: 'b' }, { ...ruled, vouched: 'x-cert' })).not.toContain('x_cert');
    expect(sent(fieldsUp({}, facts), 'x-forwarded-proto')).toBe('https');
  });

  test.each([
    'x_forwarded_for',
    'x-forwarded-client-cert',
    'x-forwarded-prefix',
    'x-forwarded-user',
    'x-forwarded-ssl',
    'x_original_url',
    'x.original.url',
    'x_http_method_override',
    'client_cert',
    'client-cert-chain',
    'true-client-ip',
    'x-real_ip',
    'transfer_encoding',
    'proxy_authorization',
  ])('%s is for the gateway alone to write', (name) => expect(fieldsUp({ [name]: 'forged' }, facts)).toEqual(fieldsUp({}, facts)));

  test.each(['x-mine', 'accept', 'x_mine', 'content-type', 'x-forward', 'user-agent'])('%s travels on', (name) =>
    expect(fieldsUp({ [name]: 'mine' }, facts).slice(0, 2)).toEqual([name, 'mine']),
  );

  test('another spelling of a header whose credential stays at the gateway stays too', () => {
    const withheld = [{ kind: 'header' as const, name: 'x-api-token', scheme: null }];
    expect(fieldsUp({ x_api_token: 'secret', 'x-api-token': 'secret' }, { ...facts, withheld })).toEqual(fieldsUp({}, facts));
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

describe('connections of one upstream', () => {
  const seeker = (berths: Berths, caller: string, waitsUntil = 1000) => {
    const state: { outcome: 'waits' | 'has' | NoBerth } = { outcome: 'waits' };
    const made = { caller, until: waitsUntil, granted: () => void (state.outcome = 'has'), refused: (why: NoBerth) => void (state.outcome = why) };
    berths.seek(made);
    return { state, made };
  };
  const outcomes = (seekers: readonly ReturnType<typeof seeker>[]) => seekers.map(({ state }) => state.outcome);

  test('one caller holds its share and waits for more, whatever is free; others are served', () => {
    const berths = new Berths({ ...UPSTREAM_LIMITS, connections: 4, waiting: 4, sharePercent: 50 });
    const greedy = Array.from({ length: 5 }, () => seeker(berths, 'greedy'));
    expect(outcomes(greedy)).toEqual(['has', 'has', 'waits', 'waits', 'share']);
    expect(outcomes([seeker(berths, 'other'), seeker(berths, 'third')])).toEqual(['has', 'has']);
    const late = [seeker(berths, 'other'), seeker(berths, 'third'), seeker(berths, 'fourth')];
    expect(outcomes(late)).toEqual(['waits', 'waits', 'full']);
    // The first in the queue that may have it: not the greedy one, which holds its share still.
    berths.free('other');
    expect(outcomes([...greedy.slice(2, 4), ...late])).toEqual(['waits', 'waits', 'has', 'waits', 'full']);
    berths.free('greedy');
    expect(outcomes(greedy.slice(2, 4))).toEqual(['has', 'waits']);
  });

  test('waiting ends at its time, and whoever leaves gives up its place', () => {
    const berths = new Berths({ ...UPSTREAM_LIMITS, connections: 1, waiting: 2, sharePercent: 100 });
    const all = [seeker(berths, 'a'), seeker(berths, 'b', 500), seeker(berths, 'c', 900)];
    berths.tick(499);
    expect(outcomes(all)).toEqual(['has', 'waits', 'waits']);
    berths.tick(500);
    expect(outcomes(all)).toEqual(['has', 'waited', 'waits']);
    if (all[2]) berths.leave(all[2].made);
    berths.free('a');
    expect([berths.inUse, berths.waiting]).toEqual([0, 0]);
  });

  test('nothing is lost or given twice in any order of events', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.constantFrom('seek', 'free', 'leave', 'tick'), fc.nat(4), fc.nat(20)), { maxLength: 200 }), (events) => {
        const berths = new Berths({ ...UPSTREAM_LIMITS, connections: 3, waiting: 3, sharePercent: 67 });
        const all: ReturnType<typeof seeker>[] = [];
        for (const [event, who, at] of events) {
          if (event === 'seek') all.push(seeker(berths, `c${who}`, at));
          const holder = all.find(({ state, made }) => state.outcome === (event === 'free' ? 'has' : 'waits') && made.caller === `c${who}`);
          if (event === 'free' && holder) {
            holder.state.outcome = 'full';
            berths.free(holder.made.caller);
          }
          if (event === 'leave' && holder) {
            holder.state.outcome = 'full';
            berths.leave(holder.made);
          }
          if (event === 'tick') berths.tick(at);
          const has = all.filter(({ state }) => state.outcome === 'has');
          expect(has).toHaveLength(berths.inUse);
          expect(berths.inUse).toBeLessThanOrEqual(3);
          for (let caller = 0; caller < 5; caller++) expect(has.filter(({ made }) => made.caller === `c${caller}`).length).toBeLessThanOrEqual(berths.share);
          expect(all.filter(({ state }) => state.outcome === 'waits')).toHaveLength(berths.waiting);
        }
      }),
    );
  });
});

test('the pace of a transfer counts only while it waits for the caller', () => {
  const pace = new Pace(100, 1000);
  expect(pace.look(0, 0, true)).toBeNull();
  expect(pace.look(900, 10, true)).toBeNull();
  expect(pace.look(950, 10, false)).toBeNull();
  expect(pace.look(1000, 10, true)).toBeNull();
  expect(pace.look(2000, 110, true)).toBeNull();
  expect(pace.look(3000, 200, true)).toEqual({ bytesPerSecond: 90, least: 100, overMs: 1000 });
  expect(new Pace(0, 1000).look(9000, 0, true)).toBeNull();
});

test('counters beyond their bound are counted together, and none is dropped', () => {
  const recorder = new Recorder('n');
  const found = finding('route.no-api', { path: '/x' });
  const total = RECORD_LIMITS.maxCounters + 500;
  for (let minute = 0; minute < total; minute++) {
    const exchange = new Exchange({ method: 'GET', target: '/x', headers: {} });
    exchange.took('route', found, 0);
    recorder.finish(exchange, {
      id: String(minute),
      traceparent: '',
      at: minute * 60_000,
      release: 1,
      address: '',
      status: 404,
      found,
      requestHeaders: {},
      responseHeaders: [],
      requestBytes: 0,
      responseBytes: 0,
      totalMs: 0,
      redactor: compileRedactor(),
    });
  }
  const counts = recorder.takeBatch()?.counts ?? [];
  expect(counts.reduce((sum, item) => sum + item.count, 0)).toBe(total);
  expect(counts.length).toBeLessThan(RECORD_LIMITS.maxCounters + 10);
});

test('places of things under way are used again, and each is emptied once', () => {
  const slots = new Slots<string>();
  const [a, b, c] = ['a', 'b', 'c'].map((item) => slots.add(item)) as [number, number, number];
  slots.remove(b);
  slots.remove(b);
  slots.remove(99);
  expect([[...slots], slots.size]).toEqual([['a', 'c'], 2]);
  expect(slots.add('d')).toBe(b);
  expect(slots.add('e')).toBe(3);
  for (const place of [a, b, c, 3]) slots.remove(place);
  expect([[...slots], slots.size]).toEqual([[], 0]);
});
