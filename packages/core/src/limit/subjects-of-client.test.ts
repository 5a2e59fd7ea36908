import fc from 'fast-check';
import type { LimitSubject } from '../document/limit-rule.js';
import { subjectOf } from './subject-of.js';
import { MOST_SUBJECTS, subjectsOfClient, type KnownClient, type RecalledRequest } from './subjects-of-client.js';

const recalled: RecalledRequest = {
  apiId: null,
  operationId: null,
  address: '192.0.2.7',
  providerId: null,
  issuer: null,
  subject: null,
  attributes: null,
  headers: [],
};
const known = (change: Partial<KnownClient> = {}): KnownClient => ({ id: 'c', metadata: {}, credentials: [], recalled: [recalled], ...change });
const wordsOf = (by: LimitSubject, change: Partial<KnownClient> = {}): string[] => subjectsOfClient(by, known(change)).map(({ whose }) => whose);
const asked = (...requests: Partial<RecalledRequest>[]): Partial<KnownClient> => ({ recalled: requests.map((one) => ({ ...recalled, ...one })) });
const TEAM: LimitSubject = { kind: 'header', name: 'x-team' };
const SECTION: LimitSubject = { kind: 'attribute', name: 'section' };

test('a request is counted among those that are told of it', () => {
  const word = fc.constantFrom('north', 'south', 'a, b', '');
  const anyLimit = fc.constantFrom<LimitSubject>(
    TEAM,
    SECTION,
    { kind: 'metadata', name: 'tier' },
    { kind: 'everyone' },
    { kind: 'client' },
    { kind: 'address' },
    { kind: 'principal' },
  );
  fc.assert(
    fc.property(
      anyLimit,
      word,
      fc.option(word),
      fc.option(fc.array(word, { maxLength: 3 })),
      fc.constantFrom('192.0.2.7', '2001:db8::1', '2001:db8::ffff'),
      (by, team, tier, section, address) => {
        const subject = section === null ? null : 'somebody';
        const metadata = tier === null ? {} : { tier };
        const attributes = section === null ? null : { section };
        const request = {
          from: { address },
          caller: { client: 'c', metadata, subject, issuer: subject && 'https://trust.example', providerId: subject && 'p', attributes: attributes ?? {} },
          credentials: [],
          tokenDigest: '',
          header: (name: string) => (name === 'x-team' ? team : undefined),
        };
        const kept = { ...recalled, address, subject, issuer: request.caller.issuer, attributes, headers: [['x-team', team] as const] };
        const told = subjectsOfClient(by, { id: 'c', metadata, credentials: [], recalled: [kept] });
        expect(told.map((one) => one.subject)).toEqual([subjectOf(by, request)]);
      },
    ),
  );
});

test('each is told once, and no more than a few', () => {
  const teams = (count: number): Partial<KnownClient> =>
    asked(...Array.from({ length: count }, (_, at) => ({ headers: [['x-team', `team ${at % 20}`] as const] })));
  expect(wordsOf(TEAM, teams(2))).toEqual(['x-team team 0', 'x-team team 1']);
  expect(wordsOf(TEAM, teams(200)).length).toBe(MOST_SUBJECTS);
  expect(wordsOf(TEAM, asked({ headers: [['x-team', 't'.repeat(500)]] }))).toEqual([`x-team ${'t'.repeat(73)}…`]);
  // All addresses of an IPv6 network of 64 bits are one.
  expect(wordsOf({ kind: 'address' }, asked({ address: '2001:db8::1' }, { address: '2001:db8::2' }, { address: null }))).toEqual([
    '2001:db8::1',
    'an address that is not known',
  ]);
});

test('what a trace does not keep whole is not guessed at', () => {
  const header = (value: string): Partial<KnownClient> => asked({ headers: [['x-team', value]] });
  expect([wordsOf(TEAM, header('<removed, 12 characters>')), wordsOf(TEAM, header('t'.repeat(1000))), wordsOf(TEAM, header('a <JWT>'))]).toEqual([[], [], []]);
  const section = (...values: string[]): Partial<KnownClient> => asked({ attributes: { section: values } });
  expect([
    wordsOf(SECTION, section('<secret?>')),
    wordsOf(SECTION, section('s'.repeat(200))),
    wordsOf(SECTION, section(...Array<string>(50).fill('s'))),
  ]).toEqual([[], [], []]);
  expect([wordsOf(SECTION, section('north', 'south')), wordsOf(SECTION, section())]).toEqual([['section north, south'], ['all without section']]);
  // A trace leaves values of members out whose names are those of secrets, and members beyond the first twenty.
  expect(wordsOf({ kind: 'attribute', name: 'password' }, asked({ attributes: { password: [] } }))).toEqual([]);
  const many = Object.fromEntries(Array.from({ length: 20 }, (_, at) => [`m${at}`, ['v']]));
  expect(wordsOf(SECTION, asked({ attributes: many }))).toEqual([]);
  expect(wordsOf({ kind: 'principal' }, asked({ subject: '<credential>' }))).toEqual([]);
  // Which token it was is kept by no trace.
  expect(wordsOf({ kind: 'credential' }, asked({ subject: 'somebody' }))).toEqual([]);
});
