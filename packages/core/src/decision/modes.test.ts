import fc from 'fast-check';
import {
  AUDIENCE,
  apiRule,
  goodClaims,
  makeProvider,
  NOW,
  operation,
  portsOf,
  releaseOf,
  sha256,
  SECONDS,
  TestKeys,
  type TestProvider,
} from '../../test/support.js';
import { Directory } from '../directory/directory.js';
import type { Alternative } from '../document/access-rule.js';
import { ENFORCED, MODED_CHECKS, modeOf, type CheckMode, type ModedCheck, type ModeRule } from '../document/modes.js';
import { tokenRule } from '../document/token-rule.js';
import { compileRelease } from '../release/compile-release.js';
import { decide } from './decide.js';
import { Exchange } from './exchange.js';

let trust: TestProvider;
let tokens: readonly string[];
beforeAll(async () => {
  trust = await makeProvider('trust');
  tokens = await Promise.all(
    [
      goodClaims(),
      goodClaims({ exp: SECONDS - 600 }),
      goodClaims({ aud: 'https://other.example' }),
      goodClaims({ scope: 'gates:operate' }),
      goodClaims({ client_id: 'another' }),
      goodClaims({ cnf: { jkt: sha256('a key') } }),
    ].map((claims) => trust.sign(claims)),
  );
});

const directory = new Directory([
  { what: 'client', id: 'a', value: { id: 'a', name: 'A', enabled: true, roles: [], metadata: {} } },
  {
    what: 'credential',
    id: 'k',
    value: { id: 'k', clientId: 'a', kind: 'key', name: 'k', lookup: sha256('good'), digest: null, expiresAt: null, revokedAt: null },
  },
]);
const requirement = (scheme: string, scopes: string[] = []): Alternative[number] => ({ scheme, scopes, match: 'all', roles: [] });
const RULES: readonly (readonly Alternative[])[] = [
  [[requirement('trust', ['gates:read'])]],
  [[requirement('key'), requirement('trust', ['gates:read'])]],
  [[requirement('key')], [requirement('trust', ['gates:read'])]],
  [[], [requirement('key')]],
];

interface Call {
  readonly rule: number;
  readonly authorization: string | null;
  readonly key: string | null;
}

async function ask(call: Call, modes: ModeRule) {
  const api = apiRule({
    token: tokenRule([AUDIENCE], { clients: ['rider-tablet'] }),
    modes,
    schemes: [
      ...apiRule().schemes,
      { name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place: { kind: 'header', name: 'x-api-key', scheme: null } },
    ],
    operations: [operation('GET', '/x', { kind: 'required', origin: 'hand', alternatives: RULES[call.rule] ?? [] })],
  });
  const release = compileRelease(
    releaseOf([trust.rule], api),
    portsOf(new TestKeys(trust), () => NOW, { directory: () => directory }),
  );
  const headers: Record<string, string> = {};
  if (call.authorization !== null) headers['authorization'] = call.authorization;
  if (call.key !== null) headers['x-api-key'] = call.key;
  const exchange = new Exchange({ method: 'GET', target: '/gates-api/x', headers });
  return { ...(await decide(release, exchange)), exchange };
}

const observe = (...checks: ModedCheck[]): ModeRule => ({ all: 'enforce', checks: Object.fromEntries(checks.map((check) => [check, 'observe' as const])) });
/** The tokens that are good by themselves, whatever their scopes. */
const goodTokens = (): (string | undefined)[] => [tokens[0], tokens[3]];
const bad: Call = { rule: 0, authorization: 'Bearer nothing', key: null };

describe('observe before enforce', () => {
  test('what would be refused goes on, and is written down', async () => {
    const { kind, exchange } = await ask(bad, { all: 'observe', checks: {} });
    expect(kind).toBe('forward');
    expect(exchange.wouldRefuse).toMatchObject({ step: 'token', outcome: 'would-refuse', mode: 'observe', finding: { code: 'token.opaque' } });
    expect(exchange.steps.map(({ step, outcome }) => [step, outcome])).toEqual([
      ['route', 'pass'],
      ['credential', 'pass'],
      ['token', 'would-refuse'],
      ['proof', 'skip'],
      ['claims', 'skip'],
      ['rights', 'would-refuse'],
    ]);
  });

  test('an observed failure proves nothing to the steps behind it', async () => {
    expect((await ask(bad, observe('token'))).finding.code).toBe('rights.nothing-proved');
    for (const index of [1, 2, 4, 5]) {
      const found = await ask({ rule: 0, authorization: `Bearer ${tokens[index] ?? ''}`, key: null }, observe('token', 'proof', 'claims'));
      expect([index, found.finding.code, found.exchange.caller]).toEqual([index, 'rights.nothing-proved', null]);
    }
  });

  test('the mode of a single check stands before that of all, and an operation’s before the API’s', async () => {
    const modes: ModeRule = { all: 'observe', checks: { rights: 'enforce' } };
    expect((await ask({ ...bad, authorization: null }, modes)).finding.code).toBe('rights.nothing-proved');
    expect(MODED_CHECKS.map((check) => modeOf(ENFORCED, check))).toEqual(MODED_CHECKS.map(() => 'enforce'));
  });

  test('paths and methods are never only observed', async () => {
    const release = compileRelease(releaseOf([trust.rule], apiRule({ modes: { all: 'observe', checks: {} } })), portsOf(new TestKeys(trust)));
    for (const target of ['/gates-api//gates', '/gates-api/none'])
      expect((await decide(release, new Exchange({ method: 'GET', target, headers: {} }))).kind).toBe('answer');
  });

  test('modes and their order never turn a refusal by an enforcing step into a pass', async () => {
    const mode = fc.constantFrom<CheckMode>('observe', 'enforce');
    const rule = fc.record({ all: mode, checks: fc.dictionary(fc.constantFrom(...MODED_CHECKS), mode) }) as fc.Arbitrary<ModeRule>;
    const authorization = fc.oneof(
      fc.nat(5).map((index) => `Bearer ${tokens[index] ?? ''}`),
      fc.nat(5).map((index) => `DPoP ${tokens[index] ?? ''}`),
      fc.constantFrom(null, 'Bearer x', 'Bearer', 'Basic YTpi', ''),
    );
    const call = fc.record({ rule: fc.nat(RULES.length - 1), authorization, key: fc.constantFrom(null, 'good', 'bad', '', 'a b') });
    await fc.assert(
      fc.asyncProperty(call, rule, async (asked, modes) => {
        const strict = await ask(asked, ENFORCED);
        const found = await ask(asked, modes);
        // The step that refuses when all enforce still refuses where it enforces, whatever the others do.
        const stopped = strict.exchange.steps.find(({ outcome }) => outcome === 'refuse')?.step as ModedCheck | undefined;
        if (stopped !== undefined && modeOf(modes, stopped) === 'enforce') expect(found.kind).toBe('answer');
        // What passes where all enforce passes in every mode, with the same caller.
        if (strict.kind === 'forward') expect([found.kind, found.exchange.caller]).toEqual(['forward', strict.exchange.caller]);
        // Who is let in by a credential has proved it, whatever observed: the one good token, the one good key.
        const by = found.exchange.caller?.by ?? [];
        const ofToken = found.exchange.steps.filter(({ step }) => ['token', 'proof', 'claims'].includes(step)).map(({ outcome }) => outcome);
        if (by.includes('token'))
          expect([ofToken.includes('would-refuse'), goodTokens().some((token) => asked.authorization === `Bearer ${token}`)]).toEqual([false, true]);
        if (by.includes('key')) expect(asked.key).toBe('good');
        for (const { step, outcome } of found.exchange.steps.slice(1)) {
          if (outcome === 'refuse') expect(modeOf(modes, step as ModedCheck)).toBe('enforce');
          if (outcome === 'would-refuse') expect(modeOf(modes, step as ModedCheck)).toBe('observe');
        }
      }),
      { numRuns: 400 },
    );
  });
});
