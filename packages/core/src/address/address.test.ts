import fc from 'fast-check';
import ipaddr from 'ipaddr.js';
import { BlockList, isIP } from 'node:net';
import { apiRule, operation, portsOf, releaseOf, TestKeys } from '../../test/support.js';
import { decide } from '../decision/decide.js';
import { Exchange } from '../decision/exchange.js';
import type { AddressRule, NetworkRule } from '../document/address-rule.js';
import type { ApiRule, ReleaseDocument } from '../document/release-document.js';
import { compileRelease } from '../release/compile-release.js';
import { readDocument } from '../release/read-document.js';
import { ConfigError } from '../util/config-error.js';
import { AddressSet, plainAddress } from './address-set.js';
import { compileCallerAddress, type CallerAddress } from './caller-address.js';
import { describeAddresses, reviewAddresses } from './describe-addresses.js';
import { readEntry, readIp, writeIp, writeRange } from './ip.js';

const byte = fc.integer({ min: 0, max: 255 });
const ipv4 = fc.tuple(byte, byte, byte, byte).map((parts) => parts.join('.'));
const group = fc.oneof(
  { weight: 2, arbitrary: fc.constant('0') },
  { weight: 2, arbitrary: fc.integer({ min: 0, max: 0xffff }).map((value) => value.toString(16)) },
);
const ipv6 = fc.oneof(
  fc.array(group, { minLength: 8, maxLength: 8 }).map((groups) => groups.join(':')),
  fc.tuple(fc.array(group, { maxLength: 3 }), fc.array(group, { maxLength: 3 })).map(([head, tail]) => `${head.join(':')}::${tail.join(':')}`),
  ipv4.map((four) => `::ffff:${four}`),
);
/** Addresses, and texts that are nearly some. */
const spelling = fc.oneof(
  ipv4,
  ipv6,
  fc.tuple(fc.oneof(ipv4, ipv6), fc.constantFrom('', ' ', '%1', ':80', '.', ':', '/8', '::', '0x', '\n')).map(([address, end]) => `${address}${end}`),
  fc.array(fc.constantFrom('0', '1', '25', '256', '010', '0x7f', '.', ':', '::', 'f', 'ffff', 'g', '1.2.3.4'), { maxLength: 9 }).map((parts) => parts.join('')),
);

describe('an address', () => {
  // RFC 5952 sections 4.1 to 4.3, RFC 4291 section 2.2.
  test.each([
    ['2001:0db8::0001', '2001:db8::1'],
    ['2001:db8:0:0:0:0:2:1', '2001:db8::2:1'],
    ['2001:db8:0:1:1:1:1:1', '2001:db8:0:1:1:1:1:1'],
    ['2001:db8:0:0:1:0:0:1', '2001:db8::1:0:0:1'],
    ['2001:DB8:AAAA::CCCC', '2001:db8:aaaa::cccc'],
    ['0:0:0:0:0:0:0:0', '::'],
    ['0:0:0:0:0:0:13.1.68.3', '::d01:4403'],
    ['::FFFF:129.144.52.38', '129.144.52.38'],
  ])('%s is written %s', (text, plain) => expect(plainAddress(text)).toBe(plain));

  test('is read as two other readers read it, or not at all (net.isIP, ipaddr.js)', () => {
    let read = 0;
    fc.assert(
      fc.property(spelling, (text) => {
        const ip = readIp(text);
        if (ip === null) {
          // What is refused here and taken there is a zone only, or digits that other readers take for octal or shorten.
          if (isIP(text) !== 0) expect(text).toMatch(/%/);
          return;
        }
        read++;
        expect(isIP(text)).not.toBe(0);
        // That library takes the IPv4-compatible form (RFC 4291 section 2.5.5.1, long out of use) for the mapped one.
        if (/^::\d+\.\d+/.test(text)) return expect(ip.family).toBe(6);
        const other = ipaddr.process(text);
        expect([`ipv${ip.family}`, writeIp(ip)]).toEqual([other.kind(), other instanceof ipaddr.IPv6 ? other.toRFC5952String() : other.toString()]);
      }),
      { numRuns: 20_000 },
    );
    expect(read).toBeGreaterThan(5000);
  });

  // Readers that take these for addresses take them for different ones: octal, hexadecimal, one number, missing parts.
  test.each([
    '010.0.0.1',
    '0x7f.0.0.1',
    '2130706433',
    '127.1',
    '127.0.0.1 ',
    '1.2.3',
    '1.2.3.4.5',
    '',
    '::1%eth0',
    '1::2::3',
    ':1',
    '12345::',
    '[::1]',
    '::ffff:010.0.0.1',
  ])('%j is none', (text) => expect(readIp(text)).toBeNull());
});

describe('a network', () => {
  // RFC 4291 section 2.3: three ways to write one prefix, and two that are none.
  test.each(['2001:0DB8:0000:CD30:0000:0000:0000:0000/60', '2001:0DB8::CD30:0:0:0:0/60', '2001:0DB8:0:CD30::/60'])('%s is one', (text) => {
    const range = readEntry(text);
    expect('wrong' in range || writeRange(range)).toBe('2001:db8:0:cd30::/60');
  });
  test.each([
    ['2001:0DB8:0:CD3/60', /no address/],
    ['10.0.0.5/8', /the network is 10\.0\.0\.0\/8/],
    ['10.0.0.0/33', /prefix length from 0 to 32/],
    ['10.0.0.0/08', /prefix length/],
    ['10.0.0.0/-1', /prefix length/],
    ['10.0.0.0/', /prefix length/],
    ['10.0.0.0/8/8', /no address/],
    ['::ffff:10.0.0.0/8', /prefix length from 96 to 128/],
    ['10.0.0.0-10.0.0.9', /no address/],
  ])('%s is refused in words', (text, words) => {
    const range = readEntry(text);
    expect('wrong' in range ? range.wrong : 'read').toMatch(words);
  });
  test('of mapped addresses is one of IPv4 addresses', () => {
    const range = readEntry('::ffff:192.0.2.0/120');
    expect('wrong' in range || writeRange(range)).toBe('192.0.2.0/24');
  });

  test('holds what the platform’s own list holds (net.BlockList), in whatever order and nesting', () => {
    const prefix = fc.oneof(
      fc.tuple(ipv4, fc.integer({ min: 0, max: 32 })).map(([address, bits]) => ({ address, bits, family: 'ipv4' as const })),
      fc.tuple(ipv6, fc.integer({ min: 1, max: 128 })).map(([address, bits]) => ({ address, bits, family: 'ipv6' as const })),
    );
    let [inside, outside] = [0, 0];
    fc.assert(
      fc.property(fc.array(prefix, { minLength: 1, maxLength: 12 }), fc.array(fc.oneof(ipv4, ipv6), { minLength: 8, maxLength: 8 }), (prefixes, others) => {
        // One list for each family: there an IPv6 network about the mapped range takes IPv4 addresses too.
        const lists = { ipv4: new BlockList(), ipv6: new BlockList() };
        const entries: string[] = [];
        for (const { address, bits, family } of prefixes) {
          const ip = readIp(address);
          // Mapped prefixes are read by length in another way there; they have a test of their own.
          if (ip === null || (family === 'ipv6' && ip.family === 4)) continue;
          const size = 1n << BigInt((family === 'ipv4' ? 32 : 128) - bits);
          const base = writeIp({ family: ip.family, value: (ip.value / size) * size });
          // An IPv6 number that falls into the mapped range when its end is cut is an IPv4 one here.
          if (base.includes(':') !== (family === 'ipv6')) continue;
          lists[family].addSubnet(base, bits, family);
          entries.push(`${base}/${bits}`);
        }
        const set = new AddressSet(entries, []);
        const near = prefixes.map(({ address }) => address);
        for (const text of [...near, ...others]) {
          const plain = plainAddress(text);
          if (plain === null) continue;
          const family = plain.includes(':') ? 'ipv6' : 'ipv4';
          const found = set.find(plain) !== null;
          expect([entries, plain, found]).toEqual([entries, plain, lists[family].check(plain, family)]);
          if (found) inside++;
          else outside++;
        }
      }),
      { numRuns: 2500 },
    );
    expect(Math.min(inside, outside)).toBeGreaterThan(2000);
  });
});

describe('where a request came from', () => {
  const networks: NetworkRule[] = [{ name: 'edge', description: '', entries: ['198.51.100.0/24', '2001:db8:e::/48'] }];
  const by = (header: 'forwarded' | 'x-forwarded-for') => compileCallerAddress({ header, trustedHops: ['edge'] }, networks);
  const read = (header: 'forwarded' | 'x-forwarded-for', field: string | undefined, peer = '198.51.100.1'): CallerAddress =>
    by(header)(peer, field === undefined ? {} : { [header]: field });

  // RFC 7239 sections 4, 6.3 and 7.1.
  test.each([
    ['for=192.0.2.60;proto=http;by=203.0.113.43', '192.0.2.60'],
    ['For="[2001:db8:cafe::17]:4711"', '2001:db8:cafe::17'],
    ['for=192.0.2.43, for=198.51.100.17', '192.0.2.43'],
    ['for=192.0.2.43,for="[2001:db8:cafe::17]",for=unknown', null],
    ['for="_gazonk"', null],
    ['for=_hidden, for=_SEVKISEK', null],
    ['for=192.0.2.43,   for="[2001:db8:cafe::17]"', '2001:db8:cafe::17'],
    ['for=192.0.2.43,for=198.51.100.17;by=203.0.113.60;proto=http;host=example.com', '192.0.2.43'],
    // Quotes hide no comma and no second element.
    ['for=192.0.2.43, for="203.0.113.9, for=198.51.100.17"', null],
    ['for=192.0.2.43;for=203.0.113.9', null],
    ['for=192.0.2.43, proto=http', null],
    ['for="192.0.2.43', null],
    ['', null],
    [',', null],
    [`${'for=192.0.2.43, '.repeat(600)}for=192.0.2.44`, null],
  ])('Forwarded: %s is %s', (field, address) => expect(read('forwarded', field).address).toBe(address));

  // Common practice: a list, every hop adding the address that it saw at the end.
  test.each([
    ['192.0.2.7', '192.0.2.7', ['198.51.100.1']],
    ['203.0.113.9, 192.0.2.7', '192.0.2.7', ['198.51.100.1']],
    ['192.0.2.7, 198.51.100.3', '192.0.2.7', ['198.51.100.1', '198.51.100.3']],
    ['192.0.2.7:443', '192.0.2.7', ['198.51.100.1']],
    ['[2001:db8::7]:443', '2001:db8::7', ['198.51.100.1']],
    ['2001:db8:e::1', '2001:db8:e::1', ['198.51.100.1']],
    ['192.0.2.7, unknown', null, ['198.51.100.1']],
    ['192.0.2.7,', null, ['198.51.100.1']],
    ['192.0.2.7, 010.0.0.1', null, ['198.51.100.1']],
    ['192.0.2.7%eth0', null, ['198.51.100.1']],
    ['fe80::1%eth0', null, ['198.51.100.1']],
    [Array(40).fill('198.51.100.2').join(', '), null, null],
  ])('X-Forwarded-For: %s is %s', (field, address, via) => {
    const found = read('x-forwarded-for', field);
    expect(found.address).toBe(address);
    if (via) expect(found.via).toEqual(via);
    expect(found.unread === '').toBe(address !== null);
  });

  test('is the connection where no trusted hop stands there, whatever it says', () => {
    expect(read('x-forwarded-for', '192.0.2.7', '203.0.113.5')).toEqual({ address: '203.0.113.5', via: [], unread: '' });
    expect(read('x-forwarded-for', '192.0.2.7', '::ffff:203.0.113.5').address).toBe('203.0.113.5');
    expect(read('x-forwarded-for', undefined).address).toBe('198.51.100.1');
    expect(compileCallerAddress(null, [])('198.51.100.1', { 'x-forwarded-for': '192.0.2.7' }).address).toBe('198.51.100.1');
    expect(read('x-forwarded-for', '192.0.2.7', '').address).toBeNull();
    expect(read('x-forwarded-for', '192.0.2.7', 'fe80::1%eth0').address).toBe('fe80::1');
    // The other field is written by whoever likes.
    expect(by('forwarded')('198.51.100.1', { 'x-forwarded-for': '192.0.2.7' }).address).toBe('198.51.100.1');
  });

  test('never is what a caller wrote in front of what the hops wrote', () => {
    fc.assert(
      fc.property(fc.array(fc.oneof(ipv4, ipv6, fc.constantFrom('unknown', '', '"', '198.51.100.9')), { maxLength: 5 }), (forged) => {
        expect(read('x-forwarded-for', [...forged, '203.0.113.5', '198.51.100.9'].join(', ')).address).toBe('203.0.113.5');
      }),
    );
  });
});

describe('a rule about addresses', () => {
  const networks: NetworkRule[] = [{ name: 'control room', description: '', entries: ['192.0.2.0/24', '2001:db8::/32'] }];
  const only = (...of: string[]): AddressRule => ({ kind: 'only', of });
  const except = (...of: string[]): AddressRule => ({ kind: 'except', of });
  const open = { kind: 'public', origin: 'hand' } as const;
  const document = (change: Partial<ReleaseDocument>, api: Partial<ApiRule> = {}): ReleaseDocument => ({
    ...releaseOf(
      [],
      apiRule({ schemes: [], access: open, operations: [operation('GET', '/x'), { ...operation('GET', '/own'), addresses: only('203.0.113.9') }], ...api }),
    ),
    networks,
    ...change,
  });
  const ask = async (of: ReleaseDocument, address: string | null, target = '/gates-api/x') => {
    const exchange = new Exchange({ method: 'GET', target, headers: {}, from: { address, via: [], unread: address === null ? 'unknown' : '' } });
    const { kind, finding } = await decide(compileRelease(readDocument(JSON.parse(JSON.stringify(of))), portsOf(new TestKeys())), exchange);
    return { kind, code: finding.code, steps: exchange.steps.map(({ step, outcome }) => `${step} ${outcome}`) };
  };

  test('lets only these in, or everyone except', async () => {
    const office = document({}, { addresses: only('control room') });
    expect(await ask(office, '192.0.2.77')).toMatchObject({ kind: 'forward', steps: ['route pass', 'address pass', 'credential skip'] });
    expect((await ask(office, '2001:db8:7::1')).kind).toBe('forward');
    expect(await ask(office, '203.0.113.9')).toMatchObject({ code: 'address.outside', steps: ['route pass', 'address refuse'] });
    const most = document({}, { addresses: except('203.0.113.0/24') });
    expect((await ask(most, '203.0.113.9')).code).toBe('address.excepted');
    expect((await ask(most, '192.0.2.77')).kind).toBe('forward');
  });

  test('of an operation stands in place of the API’s; the gateway’s fence stands before both, and before every route', async () => {
    const rules = document({}, { addresses: only('control room') });
    expect((await ask(rules, '203.0.113.9', '/gates-api/own')).kind).toBe('forward');
    expect((await ask(rules, '192.0.2.77', '/gates-api/own')).code).toBe('address.outside');
    const fenced = document({ fence: { mode: 'enforce', addresses: only('control room') } });
    expect(await ask(fenced, '203.0.113.9', '/gates-api/own')).toMatchObject({ code: 'address.outside', steps: ['fence refuse'] });
    expect((await ask(fenced, '203.0.113.9', '/nowhere')).code).toBe('address.outside');
    expect((await ask(fenced, '192.0.2.77', '/nowhere')).code).toBe('route.no-api');
  });

  test('lets nobody in whose address is not known, whichever way it is put', async () => {
    for (const rule of [only('0.0.0.0/0', '::/0'), except('203.0.113.9')]) {
      expect((await ask(document({}, { addresses: rule }), null)).code).toBe('address.unknown');
      expect((await ask(document({ fence: { mode: 'enforce', addresses: rule } }), null)).code).toBe('address.unknown');
    }
    expect((await ask(document({}), null)).kind).toBe('forward');
    // An exchange that nobody gave an address to has none.
    const exchange = new Exchange({ method: 'GET', target: '/gates-api/x', headers: {} });
    const verdict = await decide(compileRelease(document({}, { addresses: except('203.0.113.9') }), portsOf(new TestKeys())), exchange);
    expect(verdict.finding.code).toBe('address.unknown');
  });

  test('only observes where it is told to, at the API and at the fence', async () => {
    const api = document({}, { addresses: only('192.0.2.1'), modes: { all: 'enforce', checks: { address: 'observe' } } });
    expect(await ask(api, '203.0.113.9')).toMatchObject({ kind: 'forward', steps: ['route pass', 'address would-refuse', 'credential skip'] });
    const fence = document({ fence: { mode: 'observe', addresses: only('192.0.2.1') } });
    expect(await ask(fence, '203.0.113.9')).toMatchObject({ kind: 'forward', steps: ['fence would-refuse', 'route pass', 'credential skip'] });
  });

  test.each<[string, Partial<ReleaseDocument>, Partial<ApiRule>, string]>([
    ['an empty list', {}, { addresses: only() }, '/apis/0/addresses/of'],
    ['what is no address', {}, { addresses: only('192.0.2.7', '192.0.2.300') }, '/apis/0/addresses/of/1'],
    ['a name that no network has', {}, { addresses: except('control  room') }, '/apis/0/addresses/of/0'],
    ['a network with bits behind its prefix', { fence: { mode: 'enforce', addresses: only('192.0.2.7/24') } }, {}, '/fence/addresses/of/0'],
    ['a network of names', { networks: [{ name: 'a', description: '', entries: ['control room'] }] }, {}, '/networks/0/entries/0'],
    ['two networks of one name', { networks: [...networks, { name: 'Control Room', description: '', entries: ['192.0.2.1'] }] }, {}, '/networks/1/name'],
    ['a name that could be an address', { networks: [{ name: '10.0.0.0', description: '', entries: ['192.0.2.1'] }] }, {}, '/networks/0/name'],
    ['no hop', { callerAddress: { header: 'forwarded', trustedHops: [] } }, {}, '/callerAddress/trustedHops'],
  ])('with %s is refused with its pointer', (_name, change, api, pointer) => {
    let caught: unknown;
    try {
      compileRelease(document(change, api), portsOf(new TestKeys()));
    } catch (error) {
      caught = error;
    }
    expect(caught).toBeInstanceOf(ConfigError);
    expect((caught as ConfigError).pointer).toBe(pointer);
  });

  test('is said as one sentence, and what of it does nothing is named', () => {
    expect(describeAddresses({ kind: 'anywhere' })).toBe('Everyone may call, from any address');
    expect(describeAddresses(only('control room', '203.0.113.9'))).toBe('Only control room and 203.0.113.9 may call');
    expect(describeAddresses(except('203.0.113.0/24'))).toBe('Everyone may call, except 203.0.113.0/24');
    const said = (rule: AddressRule, fence: AddressRule | null = null) => reviewAddresses(rule, networks, fence).map(({ entry, says }) => `${entry} ${says}`);
    expect(said(only('192.0.2.0/25', 'control room', '203.0.113.9'))).toEqual(['192.0.2.0/25 does nothing: it lies in control room (192.0.2.0/24)']);
    expect(said(only('203.0.113.9', '::ffff:203.0.113.9'))).toEqual(['::ffff:203.0.113.9 does nothing: it lies in 203.0.113.9']);
    expect(said(only('203.0.113.9', '203.0.113.9'))).toEqual(['203.0.113.9 stands twice']);
    expect(said(only('192.0.2.1', '203.0.113.9'), only('control room'))).toEqual([
      '203.0.113.9 does nothing: the gateway’s own fence lets nobody in from there',
    ]);
    expect(said(only('192.0.2.1'), except('192.0.2.0/24'))).toEqual(['192.0.2.1 does nothing: the gateway’s own fence lets nobody in from there']);
    expect(said(except('0.0.0.0/0'))).toEqual(['0.0.0.0/0 takes every IPv4 address']);
    expect(said(only('128.0.0.0/1', '0.0.0.0/2', '64.0.0.0/2'))).toEqual(['128.0.0.0/1, 0.0.0.0/2, 64.0.0.0/2 take every IPv4 address together']);
    expect(said(except('::/2', '8000::/1', '4000::/3', '6000::/3'))).toEqual(['::/2, 8000::/1, 4000::/3 and others take every IPv6 address together']);
    expect(said(only('128.0.0.0/1', '0.0.0.0/2', '64.0.0.0/3'))).toEqual([]);
    expect(said(only('0.0.0.0/1', '128.0.0.0/2', '192.0.0.0/3', '224.0.0.0/4', '240.0.0.0/5', '248.0.0.0/6', '252.0.0.0/7', '254.0.0.0/8'))).toEqual([]);
    expect(said(only('198.51.100.0/24', '203.0.113.0/24'))).toEqual([]);
    expect(said(only('10.0.0.0/8', '10.1.0.0/16', '10.1.2.0/24'))).toEqual([
      '10.1.0.0/16 does nothing: it lies in 10.0.0.0/8',
      '10.1.2.0/24 does nothing: it lies in 10.0.0.0/8',
    ]);
    expect(said(only('192.0.2.0/24', '192.0.0.0/16'), only('192.0.2.0/25'))).toEqual(['192.0.2.0/24 does nothing: it lies in 192.0.0.0/16']);
  });
});
