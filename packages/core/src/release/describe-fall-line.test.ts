import { apiRule, AUDIENCE, makeProvider, operation, portsOf, releaseOf, requires, TestKeys, type TestProvider } from '../../test/support.js';
import type { LimitRule } from '../document/limit-rule.js';
import type { PlanRule } from '../document/plan-rule.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import { tokenRule } from '../document/token-rule.js';
import { compileRelease } from './compile-release.js';
import { describeFallLine, type DescribedCheck } from './describe-fall-line.js';

let trust: TestProvider;
beforeAll(async () => {
  trust = await makeProvider('trust');
});

interface World {
  readonly document?: Partial<ReleaseDocument>;
  readonly api?: Partial<ApiRule>;
  readonly operation?: Partial<OperationRule>;
}

/** How the one operation of a release is described. */
function lineOf({ document = {}, api = {}, operation: own = {} }: World): DescribedCheck[] {
  const rule = apiRule({ operations: [{ ...operation('POST', '/x'), ...own }], ...api });
  const release = compileRelease({ ...releaseOf([trust.rule], rule), ...document }, portsOf(new TestKeys(trust)));
  const [compiled] = release.apis[0]?.operations ?? [];
  if (!compiled) throw new Error('the operation is compiled');
  const line = describeFallLine(compiled, release);
  // Every step that runs is described, in the mode in which it runs, where its mode can be chosen.
  const running = [...compiled.fallLine, ...Object.values(compiled.later).flatMap((steps) => steps ?? [])];
  for (const { step, mode } of running) expect(line.filter((row) => row.step === step).map((row) => row.mode ?? 'enforce')).toContain(mode);
  for (const row of line) expect(row.name).not.toBe('');
  return line;
}

const rows = (line: readonly DescribedCheck[], step: string) =>
  line.filter((row) => row.step === step).map(({ asks, mode, part, setAt, modeSetAt }) => [asks, mode, part, setAt, modeSetAt]);

const LIMIT: LimitRule = { name: 'a minute', by: { kind: 'client' }, method: 'fixed', requests: 2, seconds: 60, burst: null, mode: 'enforce' };
const PLAN: PlanRule = {
  id: 'small',
  name: 'Small',
  description: '',
  covers: [{ apiId: 'gates', operations: 'ALL' }],
  rate: { requests: 1, seconds: 1, burst: 1 },
  quota: null,
  atOnce: null,
  requestBytes: null,
  mode: 'enforce',
  approval: 'by-hand',
};
const ASKED = { asked: true, attribute: null };
const soft = { all: 'enforce', checks: { limit: 'observe' } } as const;
const rights = { kind: 'required', origin: 'hand', alternatives: [[]] } as const;

describe('the fall line in words', () => {
  it('begins with what holds for all, and ends at the upstream', () => {
    const line = lineOf({});
    expect(line.map(({ step }) => step)).toEqual(['message', 'route', 'credential', 'token', 'proof', 'claims', 'rights', 'upstream']);
    expect(rows(line, 'route')).toEqual([['POST /gates-api/x, in its one plain spelling', null, '', 'gateway', 'gateway']]);
    expect(rows(line, 'upstream')).toEqual([['http://127.0.0.1:9, within 1000 ms', null, 'upstream', 'api', 'gateway']]);
  });

  it.each<[string, World, string, unknown[]]>([
    [
      'what anybody may call',
      { operation: { access: { kind: 'public', origin: 'hand' } } },
      'credential',
      [expect.stringMatching(/^Nothing: .*anyone/i), null, 'access', 'operation', 'gateway'],
    ],
    ['the place of a token', {}, 'credential', [expect.stringContaining('the Authorization header'), 'enforce', 'token', 'api', 'api']],
    [
      'a token for any audience',
      { api: { token: tokenRule('ANY_AUDIENCE') } },
      'token',
      [expect.stringMatching(/for any audience$/), 'enforce', 'token', 'api', 'api'],
    ],
    [
      'an audience of its own',
      { operation: { token: { audiences: ['https://own.example'], type: 'at+jwt' } } },
      'token',
      [expect.stringMatching(/for https:\/\/own\.example, of type at\+jwt$/), 'enforce', 'token', 'operation', 'api'],
    ],
    [
      'proof that is asked for',
      { api: { token: tokenRule([AUDIENCE], { dpop: 'required', certificate: 'required' }) } },
      'proof',
      ['Proof of possession by DPoP and the client certificate', 'enforce', 'token', 'api', 'api'],
    ],
    [
      'demands of claims',
      {
        operation: {
          token: {
            clients: ['a', 'b'],
            maxAgeSeconds: 60,
            claims: [
              { path: 'tier', values: ['gold'] },
              { path: 'team', values: 'ANY_VALUE' },
            ],
            stepUp: { acrValues: ['strong'], maxAgeSeconds: 300 },
          },
        },
      },
      'claims',
      [
        'Not revoked, its client not switched off; client a or b; at most 60 s old; tier gold; team there; sign-in of strength strong; sign-in at most 300 s ago',
        'enforce',
        'token',
        'operation',
        'api',
      ],
    ],
    [
      'rights of its own',
      { operation: { access: requires('trust', 'gates:operate') } },
      'rights',
      [expect.stringContaining('gates:operate'), 'enforce', 'access', 'operation', 'api'],
    ],
    ['a mode of its own', { operation: { modes: { all: 'observe', checks: {} } } }, 'rights', [expect.any(String), 'observe', 'access', 'api', 'operation']],
    [
      'types of bodies',
      { api: { message: { requestBytes: 10, contentTypes: ['application/json', 'text/*'], answerBytes: 20 } } },
      'type',
      ['Bodies of application/json or text/*', 'enforce', 'message', 'api', 'api'],
    ],
    [
      'the size of bodies, of its own',
      { operation: { message: { requestBytes: 10 } } },
      'size',
      ['Bodies of at most 10 bytes', 'enforce', 'message', 'operation', 'api'],
    ],
    [
      'the size of answers',
      { api: { message: { requestBytes: 'ANY_SIZE', contentTypes: 'ANY_TYPE', answerBytes: 20 } } },
      'answer',
      ['Answers of at most 20 bytes', 'enforce', 'message', 'api', 'api'],
    ],
    [
      'addresses of its own',
      { operation: { addresses: { kind: 'only', of: ['192.0.2.0/24'] } } },
      'address',
      [expect.stringContaining('192.0.2.0/24'), 'enforce', 'addresses', 'operation', 'api'],
    ],
    [
      'the fence, which has a mode of its own',
      { document: { fence: { mode: 'observe', addresses: { kind: 'except', of: ['203.0.113.0/24'] } } } },
      'fence',
      [expect.stringContaining('203.0.113.0/24'), 'observe', 'fence', 'gateway', 'gateway'],
    ],
    [
      'a condition of its own',
      { operation: { conditions: [{ kind: 'own', name: 'by day', source: 'true' }] } },
      'condition',
      [expect.stringContaining('by day'), 'enforce', 'conditions', 'operation', 'api'],
    ],
    [
      'a plan of its own',
      { document: { plans: [PLAN] }, operation: { plan: { asked: true, attribute: 'tier' } } },
      'plan',
      ['A plan that opens it: Small; tier of the token may name it', 'enforce', 'plan', 'operation', 'api'],
    ],
    [
      'a plan that nothing opens',
      { document: { plans: [{ ...PLAN, covers: [] }] }, api: { plan: ASKED } },
      'plan',
      ['A plan that opens it: no plan opens it: nobody passes', 'enforce', 'plan', 'api', 'api'],
    ],
    [
      'guessing',
      { document: { guessing: { mode: 'observe', seconds: 60, byAddress: 5, byCredential: 3 } } },
      'guess',
      ['Fewer failures to prove oneself than 5 from one address or 3 with one credential in 60 s', 'observe', 'guessing', 'gateway', 'gateway'],
    ],
  ])('%s', (_name, world, step, expected) => {
    expect(rows(lineOf(world), step)).toEqual([expected]);
  });

  /** A limit that can be told from others by its number. */
  const of = (requests: number, change: Partial<LimitRule> = {}): LimitRule => ({ ...LIMIT, name: `of ${requests}`, requests, ...change });
  it.each<[string, World, [step: string, said: string[], not: string[]][]]>([
    [
      'of both modes, each at its own step',
      { api: { limits: [of(7), of(8, { mode: 'observe' })] } },
      [
        ['enforce', ['7 requests'], ['8 requests']],
        ['observe', ['8 requests'], ['7 requests']],
      ],
    ],
    [
      'that all only observe',
      { document: { limits: [of(9)] }, api: { modes: soft }, operation: { limits: [of(6, { mode: 'observe' })] } },
      [['observe', ['9 requests', '6 requests'], []]],
    ],
    [
      'of a plan, beside one that only observes',
      { document: { plans: [PLAN] }, api: { plan: ASKED, limits: [of(8, { mode: 'observe' })] } },
      [
        ['enforce', ['what its plan allows'], ['8 requests']],
        ['observe', ['8 requests'], ['what its plan allows']],
      ],
    ],
    [
      'of plans of both modes',
      { document: { plans: [PLAN, { ...PLAN, id: 'free', name: 'Free', mode: 'observe' }] }, api: { plan: ASKED } },
      [
        ['enforce', ['what its plan allows'], []],
        ['observe', ['what its plan allows'], []],
      ],
    ],
    ['of a plan, where all only observe', { document: { plans: [PLAN] }, api: { plan: ASKED, modes: soft } }, [['observe', ['what its plan allows'], []]]],
  ])('limits %s', (_name, world, expected) => {
    const found = lineOf(world).filter(({ step }) => step === 'limit');
    expect(found.map(({ mode }) => mode)).toEqual(expected.map(([mode]) => mode));
    expected.forEach(([, said, not], index) => {
      const asks = found[index]?.asks ?? '';
      for (const name of said) expect(asks).toContain(name);
      for (const name of not) expect(asks).not.toContain(name);
    });
  });

  it('keys, Basic and certificates are said where they are asked for', () => {
    const scheme = (name: string, type: 'apiKey' | 'http-basic' | 'mutualTLS') => ({
      name,
      type,
      declared: type,
      metadataUrl: null,
      providers: [],
      place: type === 'apiKey' ? ({ kind: 'header', name: 'x-gate-key', scheme: null } as const) : null,
    });
    const schemes = [scheme('key', 'apiKey'), scheme('name', 'http-basic'), scheme('card', 'mutualTLS')];
    const alternatives = schemes.map(({ name }) => [{ scheme: name, scopes: [], match: 'all' as const, roles: [] }]);
    const line = lineOf({ api: { schemes, access: { ...rights, alternatives } } });
    expect(rows(line, 'credential')).toEqual([[expect.stringMatching(/x-gate-key.* or Basic or the TLS connection$/), 'enforce', 'token', 'api', 'api']]);
    for (const step of ['key', 'basic', 'certificate'])
      expect(rows(line, step)).toEqual([[expect.stringContaining('a client that is on'), 'enforce', 'schemes', 'api', 'api']]);
  });

  it('headers that are changed on the way up and back', () => {
    const text = { kind: 'text', text: 'x' } as const;
    const line = lineOf({
      api: {
        headers: {
          up: [
            { action: 'set', name: 'x-a', value: text },
            { action: 'remove', name: 'x-b' },
          ],
          back: [{ action: 'add', name: 'x-c', value: text }],
          hidePlatform: false,
        },
      },
    });
    expect([rows(line, 'lane-up'), rows(line, 'lane-back')]).toEqual([
      [['sets x-a; removes x-b', null, 'headers', 'api', 'gateway']],
      [['adds x-c', null, 'headers', 'api', 'gateway']],
    ]);
  });

  it('sensitive data, up and back, by what becomes of it', () => {
    const uses = [
      { detector: 'email', request: 'refuse', answer: 'mask' },
      { detector: 'iban', request: null, answer: 'refuse' },
    ] as const;
    const line = lineOf({ api: { sensitive: { uses, bodyBytes: 1024, largerBody: 'refuse' } } });
    const asks = (step: string) => rows(line, step).map(([said]) => said);
    expect(asks('sensitive')).toEqual([expect.stringMatching(/^None of e-mail/)]);
    expect(asks('sensitive-answer')).toEqual([expect.stringMatching(/^None of .*IBAN.*; masks e-mail/i)]);
  });
});
