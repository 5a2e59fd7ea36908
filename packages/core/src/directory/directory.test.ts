import fc from 'fast-check';
import { crc32 as reference } from 'node:zlib';
import { crc32, KEY_PREFIX, keyForm, writeKey } from '../credential/key-form.js';
import { faultOfNewMetadata } from './client-metadata.js';
import { Directory } from './directory.js';
import { CREDENTIAL_KINDS, type CredentialFact, type DirectoryChange } from './facts.js';
import { readChanges } from './read-facts.js';

const fact: CredentialFact = { id: 'c', clientId: 'a', kind: 'key', name: 'n', lookup: 'l', digest: null, expiresAt: null, revokedAt: null };
const client = { id: 'a', name: 'A', enabled: true, roles: ['r'], metadata: {} };

describe('facts that come over the wire', () => {
  test('are read as they are', () => {
    const changes = [
      { what: 'client', id: 'a', value: client },
      { what: 'credential', id: 'c', value: fact },
      { what: 'client', id: 'b', value: null },
    ];
    expect(readChanges(JSON.parse(JSON.stringify(changes)))).toEqual(changes);
  });

  test('are read with numbers that somebody set before these were refused', () => {
    const changes = [{ what: 'client', id: 'a', value: { ...client, metadata: { account: 2 ** 60 } } }];
    expect(readChanges(changes)).toEqual(changes);
    expect([faultOfNewMetadata({ account: 2 ** 60 }), faultOfNewMetadata({ account: [{ of: -(2 ** 53) }] })]).toEqual([
      expect.stringContaining('write it as a text'),
      expect.stringContaining('write it as a text'),
    ]);
    expect([faultOfNewMetadata({ account: 2 ** 53 - 1, share: 0.1, id: '9007199254740993' }), faultOfNewMetadata({})]).toEqual([null, null]);
  });

  test.each<[string, unknown]>([
    ['no list', {}],
    ['enabled is missing', [{ what: 'client', id: 'a', value: { ...client, enabled: undefined } }]],
    ['enabled is a text', [{ what: 'client', id: 'a', value: { ...client, enabled: 'true' } }]],
    ['the id differs', [{ what: 'client', id: 'x', value: client }]],
    ['expiry is a text', [{ what: 'credential', id: 'c', value: { ...fact, expiresAt: '2026-01-01' } }]],
    ['expiry is missing', [{ what: 'credential', id: 'c', value: { ...fact, expiresAt: undefined } }]],
    ['revocation is missing', [{ what: 'credential', id: 'c', value: { ...fact, revokedAt: undefined } }]],
    ['an unknown kind', [{ what: 'credential', id: 'c', value: { ...fact, kind: 'word' } }]],
    ['Basic without digest', [{ what: 'credential', id: 'c', value: { ...fact, kind: 'basic' } }]],
    ['something else', [{ what: 'user', id: 'c', value: null }]],
    ['one good, one not', [{ what: 'client', id: 'a', value: client }, null]],
  ])('are refused whole when %s', (_name, value) => expect(readChanges(value)).toBeNull());
});

test('whatever the order of changes, the directory finds what a plain list would', () => {
  const change = fc.oneof(
    fc.record({ what: fc.constant('client' as const), id: fc.constantFrom('a', 'b'), there: fc.boolean() }),
    fc.record({
      what: fc.constant('credential' as const),
      id: fc.constantFrom('1', '2', '3'),
      there: fc.boolean(),
      clientId: fc.constantFrom('a', 'b'),
      kind: fc.constantFrom(...CREDENTIAL_KINDS),
      lookup: fc.constantFrom('x', 'y'),
    }),
  );
  fc.assert(
    fc.property(fc.array(change, { maxLength: 30 }), (given) => {
      const changes = given.map((one): DirectoryChange => {
        if (one.what === 'client') return { what: 'client', id: one.id, value: one.there ? { ...client, id: one.id } : null };
        const { id, clientId, kind, lookup } = one;
        return { what: 'credential', id, value: one.there ? { ...fact, id, clientId, kind, lookup } : null };
      });
      const directory = new Directory(changes);
      const copy = new Directory([...directory.changes()]);
      const last = (what: string) => [...new Map(changes.filter((one) => one.what === what).map((one) => [one.id, one.value])).values()];
      const clients = new Set(last('client').flatMap((value) => (value ? [value.id] : [])));
      for (const kind of CREDENTIAL_KINDS) {
        for (const lookup of ['x', 'y']) {
          const all = (last('credential') as (CredentialFact | null)[]).filter((value) => value?.kind === kind && value.lookup === lookup);
          const isOne = kind === 'basic' ? new Set(all.map((value) => value?.clientId)).size === 1 : all.length === 1;
          const expected = isOne ? all.flatMap((value) => (value && clients.has(value.clientId) ? [value.id] : [])) : [];
          for (const one of [directory, copy]) {
            const holders = kind === 'basic' ? one.secretsOf(lookup) : [one.find(kind, lookup)];
            expect(holders.flatMap((holder) => holder?.credential.id ?? []).sort()).toEqual(expected.sort());
          }
        }
      }
    }),
  );
});

describe('keys made here', () => {
  test('the checksum is CRC-32, as another implementation has it', () => {
    // The check value of the algorithm (published with its catalogue; from memory), then the platform's own.
    expect(crc32('123456789')).toBe(0xcbf43926);
    fc.assert(fc.property(fc.string({ unit: 'binary-ascii' }), (text) => crc32(text) === reference(text)));
  });

  test('are known by their form, and one wrong character is noticed', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 64, maxLength: 64, max: 247 }), fc.nat(41), (random, at) => {
        const key = writeKey(random);
        expect([key.length, key.startsWith(KEY_PREFIX), keyForm(key)]).toEqual([42, true, 'key']);
        const place = at < KEY_PREFIX.length ? KEY_PREFIX.length : at;
        const other = key[place] === 'a' ? 'b' : 'a';
        expect(keyForm(key.slice(0, place) + other + key.slice(place + 1))).toBe('damaged');
      }),
    );
    expect([keyForm('vrk_short'), keyForm('something else')]).toEqual(['damaged', 'other']);
  });

  test('no character is likelier than another, and too little chance makes none', () => {
    const every = Uint8Array.from({ length: 248 }, (_, index) => index);
    const counts = new Map<string, number>();
    for (let from = 0; from + 64 <= 248 * 62; from += 31) {
      const bytes = Uint8Array.from({ length: 64 }, (_, index) => every[(from + index) % 248] ?? 0);
      for (const letter of writeKey(bytes).slice(4, 36)) counts.set(letter, (counts.get(letter) ?? 0) + 1);
    }
    expect(counts.size).toBe(62);
    expect(() => writeKey(new Uint8Array(64).fill(255))).toThrow();
  });
});
