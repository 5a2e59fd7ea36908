import {
  AUDIENCE,
  apiRule,
  goodClaims,
  makeProvider,
  NOW,
  operation,
  portsOf,
  releaseOf,
  requires,
  sha256,
  TestKeys,
  type TestProvider,
} from '../../test/support.js';
import { Directory } from '../directory/directory.js';
import type { DirectoryChange } from '../directory/facts.js';
import type { SubscriptionFact } from '../directory/subscription.js';
import type { GuessingRule, LimitRule, LimitSubject } from '../document/limit-rule.js';
import type { ModeRule } from '../document/modes.js';
import type { PlanRule, PlanUse } from '../document/plan-rule.js';
import type { ApiRule, ReleaseDocument } from '../document/release-document.js';
import { tokenRule } from '../document/token-rule.js';
import { MemoryCounters } from '../limit/memory-counters.js';
import { checkDocument } from '../release/check-document.js';
import { compileRelease } from '../release/compile-release.js';
import { describeFallLine } from '../release/describe-fall-line.js';
import { answerOf } from './answer.js';
import type { CompiledRelease } from './compiled.js';
import { decide, decideBody } from './decide.js';
import { Exchange } from './exchange.js';
import type { Ports } from './ports.js';
import { rateFields } from './rate-fields.js';
import { rulePointer } from './rule-pointer.js';

let trust: TestProvider;
let token: string;
beforeAll(async () => {
  trust = await makeProvider('trust');
  token = await trust.sign(goodClaims({ plan: 'Large' }));
});

const PLAN: PlanRule = {
  id: 'small',
  name: 'Small',
  description: '',
  covers: [{ apiId: 'gates', operations: ['GET /x'] }],
  rate: null,
  quota: null,
  atOnce: null,
  requestBytes: null,
  mode: 'enforce',
  approval: 'by-hand',
};
const LIMIT: LimitRule = { name: 'a minute', by: { kind: 'client' }, method: 'fixed', requests: 2, seconds: 60, burst: null, mode: 'enforce' };
const ASKED: PlanUse = { asked: true, attribute: null };
const subscription = (change: Partial<SubscriptionFact> = {}): SubscriptionFact => ({
  id: 's',
  clientId: 'a',
  planId: 'small',
  state: 'active',
  startsAt: null,
  endsAt: null,
  ...change,
});

interface World {
  readonly document?: Partial<ReleaseDocument>;
  readonly api?: Partial<ApiRule>;
  readonly subscriptions?: readonly SubscriptionFact[];
  readonly ports?: Partial<Ports>;
  readonly clock?: { now: number };
}

/** A release whose operations take a key or a token, with two clients. */
function world({ document = {}, api = {}, subscriptions = [], ports = {}, clock = { now: NOW } }: World): CompiledRelease {
  const changes: DirectoryChange[] = [
    ...['a', 'b'].flatMap((id): DirectoryChange[] => [
      { what: 'client', id, value: { id, name: `Client ${id}`, enabled: true, roles: [], metadata: {} } },
      {
        what: 'credential',
        id: `key ${id}`,
        value: { id: `key ${id}`, clientId: id, kind: 'key', name: 'first', lookup: sha256(`key-of-${id}`), digest: null, expiresAt: null, revokedAt: null },
      },
    ]),
    ...subscriptions.map((value): DirectoryChange => ({ what: 'subscription', id: value.id, value })),
  ];
  const claimMap = { ...trust.rule.claimMap, attributes: [{ ...trust.rule.claimMap.roles, name: 'plan', paths: ['plan'] }] };
  const directory = new Directory(changes);
  const written: ReleaseDocument = {
    ...releaseOf(
      [{ ...trust.rule, claimMap }],
      apiRule({
        schemes: [
          { name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place: { kind: 'header', name: 'x-api-key', scheme: null } },
          { name: 'token', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust'], place: null },
        ],
        token: tokenRule([AUDIENCE]),
        access: {
          kind: 'required',
          origin: 'hand',
          alternatives: [[{ scheme: 'key', scopes: [], match: 'all', roles: [] }], [{ scheme: 'token', scopes: [], match: 'all', roles: [] }]],
        },
        operations: [operation('GET', '/x'), operation('GET', '/y'), operation('POST', '/x'), operation('GET', '/free', { kind: 'public', origin: 'hand' })],
        ...api,
      }),
    ),
    ...document,
  };
  checkDocument(written);
  const { now } = { now: () => clock.now };
  return compileRelease(written, portsOf(new TestKeys(trust), now, { directory: () => directory, ...ports }));
}

interface Call {
  readonly method?: string;
  readonly path?: string;
  readonly headers?: Record<string, string>;
  readonly from?: string | null;
  readonly body?: { bytes: number | null } | null;
}

async function call(
  release: CompiledRelease,
  { method = 'GET', path = '/x', headers = { 'x-api-key': 'key-of-a' }, from = '192.0.2.7', body = null }: Call = {},
) {
  const exchange = new Exchange({ method, target: `/gates-api${path}`, headers, body, from: { address: from, via: [], unread: '' } });
  const verdict = await decide(release, exchange);
  const answer = verdict.kind === 'answer' ? answerOf(verdict.finding, exchange, { publicOrigin: 'https://gw.example', requestId: 'r' }) : null;
  const told = exchange.steps.filter(({ finding: { code } }) => code !== 'limit.none' && code !== 'limit.no-more-observed');
  const last = told[told.length - 1];
  return { code: last?.finding.code ?? verdict.finding.code, kind: verdict.kind, answer, exchange, pointer: last ? rulePointer(exchange, last) : null };
}
const codesOf = async (release: CompiledRelease, calls: readonly Call[]): Promise<string[]> => {
  const codes: string[] = [];
  for (const one of calls) codes.push((await call(release, one)).code);
  return codes;
};
const B = { 'x-api-key': 'key-of-b' };
const bearer = () => ({ authorization: `Bearer ${token}` });

describe('a plan', () => {
  const planned = (subscriptions: readonly SubscriptionFact[], plans: readonly PlanRule[] = [PLAN], use: PlanUse = ASKED): CompiledRelease =>
    world({ document: { plans }, api: { plan: use }, subscriptions });

  it.each<[string, readonly SubscriptionFact[], string]>([
    ['that the client has', [subscription()], 'forward plan.found'],
    ['that nobody has', [], 'answer plan.no-subscription'],
    ['of another client', [subscription({ clientId: 'b' })], 'answer plan.no-subscription'],
    ['that waits', [subscription({ state: 'waiting' })], 'answer plan.waiting'],
    ['that is suspended', [subscription({ state: 'suspended' })], 'answer plan.suspended'],
    ['that was ended', [subscription({ state: 'ended' })], 'answer plan.ended'],
    ['that has ended', [subscription({ endsAt: NOW })], 'answer plan.ended'],
    ['that ends in a moment', [subscription({ endsAt: NOW + 1 })], 'forward plan.found'],
    ['that has not begun', [subscription({ startsAt: NOW + 1 })], 'answer plan.not-yet'],
    ['that begins now', [subscription({ startsAt: NOW })], 'forward plan.found'],
    ['whose end is no time', [subscription({ endsAt: Number.NaN })], 'answer plan.ended'],
    ['whose start is no time', [subscription({ startsAt: Number.NaN })], 'answer plan.not-yet'],
    ['that there is not', [subscription({ planId: 'gone' })], 'answer plan.no-subscription'],
    ['twice, one of them ended', [subscription({ state: 'ended' }), subscription({ id: 't' })], 'forward plan.found'],
  ])('%s', async (_name, subscriptions, expected) => {
    const { kind, code, answer, pointer } = await call(planned(subscriptions));
    expect(`${kind} ${code}`).toBe(expected);
    if (kind === 'answer')
      expect([answer?.status, (JSON.parse(answer?.body ?? '') as { title: string }).title]).toEqual([403, 'No plan opens this operation to you']);
    expect(pointer).toBe(kind === 'forward' ? '/plans/0' : '/apis/0/plan');
  });

  it('opens what it covers, whatever stands beside it', async () => {
    const all = planned([subscription()], [{ ...PLAN, covers: [{ apiId: 'gates', operations: 'ALL' }] }]);
    expect(await codesOf(all, [{ path: '/x' }, { path: '/y' }])).toEqual(['plan.found', 'plan.found']);
    expect(await codesOf(planned([subscription()]), [{ path: '/y' }, { path: '/free', headers: {} }])).toEqual(['plan.not-covered', 'credential.not-asked']);
    for (const covers of [
      [],
      [{ apiId: 'gates', operations: [] }],
      [{ apiId: 'other', operations: 'ALL' as const }],
      [{ apiId: 'gates', operations: ['gone'] }],
    ])
      expect(await codesOf(planned([subscription()], [{ ...PLAN, covers }]), [{}])).toEqual(['plan.not-covered']);
  });

  it('is asked of nobody who is no client', async () => {
    expect(await codesOf(planned([subscription()]), [{ headers: bearer() }])).toEqual(['plan.no-subscription']);
    const anonymous = world({ document: { plans: [PLAN] }, api: { plan: ASKED, access: { kind: 'required', origin: 'hand', alternatives: [[]] } } });
    expect(await codesOf(anonymous, [{ headers: {} }])).toEqual(['plan.nobody']);
  });

  it('may be named by the token, by its name or its id, and by no other word', async () => {
    const large: PlanRule = { ...PLAN, id: 'large', name: 'Large' };
    const use: PlanUse = { asked: true, attribute: 'plan' };
    expect(await codesOf(planned([], [PLAN, large], use), [{ headers: bearer() }, {}])).toEqual(['plan.found', 'plan.no-subscription']);
    expect(await codesOf(planned([], [PLAN, { ...large, name: 'Huge', id: 'huge' }], use), [{ headers: bearer() }])).toEqual(['plan.not-known']);
    expect(await codesOf(planned([], [PLAN, { ...large, covers: [] }], use), [{ headers: bearer() }])).toEqual(['plan.not-covered']);
    // What is there and cannot be read names no plan, and is not taken for a token that names none.
    for (const plan of [['Large', 'Small'], { a: 1 }, '', ['Large', {}], [null]]) {
      const named = { authorization: `Bearer ${await trust.sign(goodClaims({ plan }))}` };
      expect((await call(planned([subscription()], [PLAN, large], use), { headers: named })).code).toBe('plan.not-known');
    }
  });

  describe('bounds bodies', () => {
    const covers: PlanRule['covers'] = [{ apiId: 'gates', operations: 'ALL' }];
    const post = (bytes: number | null): Call => ({ method: 'POST', body: { bytes } });
    /** Steps of a request whose body comes in parts of a length that was not said, as code and outcome. */
    const coming = async (release: CompiledRelease, parts: readonly number[]): Promise<string[]> => {
      const { exchange } = await call(release, post(null));
      const known = exchange.steps.length;
      for (const part of parts) {
        const { body } = exchange;
        if (body === null) throw new Error('no body');
        const before = body.seen;
        body.seen += part;
        if (decideBody(release, exchange, before) !== null) break;
      }
      return exchange.steps.slice(known).map(({ finding, outcome }) => `${finding.code} ${outcome}`);
    };

    it('by their length where it is said', async () => {
      const release = planned([subscription()], [{ ...PLAN, covers, requestBytes: 10 }]);
      expect(await codesOf(release, [post(10), post(11), post(null), {}])).toEqual(['plan.within', 'plan.too-large', 'plan.within', 'plan.no-bound']);
      const { answer, exchange } = await call(release, post(11));
      expect([answer?.status, rulePointer(exchange, exchange.steps.at(-1)!)]).toEqual([413, '/plans/0']);
    });

    it('by what has come where it is not, once, at the byte behind the last', async () => {
      const release = planned([subscription()], [{ ...PLAN, covers, requestBytes: 10 }]);
      expect(await coming(release, [4, 6])).toEqual([]);
      expect(await coming(release, [4, 6, 1, 100])).toEqual(['plan.too-large refuse']);
      const none = planned([subscription()], [{ ...PLAN, covers, requestBytes: 0 }]);
      expect([(await call(none, post(1))).code, await coming(none, [1])]).toEqual(['plan.too-large', ['plan.too-large refuse']]);
    });

    it('says of one that only observes what it would have refused, and loses no other bound behind it', async () => {
      const soft: PlanRule = { ...PLAN, covers, requestBytes: 10, mode: 'observe' };
      const release = world({
        document: { plans: [soft] },
        api: { plan: ASKED, message: { requestBytes: 50, contentTypes: 'ANY_TYPE', answerBytes: 'ANY_SIZE' } },
        subscriptions: [subscription()],
      });
      const said = (await call(release, post(11))).exchange;
      expect([said.wouldRefuse?.finding.code, said.steps.at(-1)?.finding.code]).toEqual(['plan.too-large', 'size.within']);
      expect((await call(release, post(51))).code).toBe('size.too-large');
      expect(await coming(release, [5, 20, 20, 20, 20])).toEqual(['plan.too-large would-refuse', 'size.too-large refuse']);
      // All at once is no way round the second.
      expect(await coming(release, [60])).toEqual(['plan.too-large would-refuse', 'size.too-large refuse']);
    });

    it('by the plan that counts, not by another that opens it too', async () => {
      const large: PlanRule = { ...PLAN, id: 'large', name: 'Large', covers, requestBytes: 1000 };
      const release = planned([subscription({ planId: 'large' })], [{ ...PLAN, covers, requestBytes: 10 }, large]);
      expect([await coming(release, [500, 500]), await coming(release, [500, 501])]).toEqual([[], ['plan.too-large refuse']]);
      const free = planned(
        [subscription({ planId: 'large' })],
        [
          { ...PLAN, covers, requestBytes: 10 },
          { ...large, requestBytes: null },
        ],
      );
      expect([(await call(free, post(1e9))).code, await coming(free, [1e9])]).toEqual(['plan.no-bound', []]);
    });

    it('in words on the fall line', () => {
      const release = planned(
        [subscription()],
        [
          { ...PLAN, covers, requestBytes: 10 },
          { ...PLAN, id: 'soft', name: 'Soft', covers, requestBytes: 0, mode: 'observe' },
        ],
      );
      const [first] = release.apis.flatMap(({ operations }) => operations);
      expect(
        describeFallLine(first!, release)
          .flatMap(({ step, asks, mode }) => (step === 'plan' ? [`${asks}: ${mode}`] : []))
          .slice(1),
      ).toEqual(['Small: bodies of at most 10 bytes: enforce', 'Soft: no bodies: observe']);
    });
  });

  it('only observes where its check does, and then opens nothing that it limits', async () => {
    const modes: ModeRule = { all: 'enforce', checks: { plan: 'observe' } };
    const release = world({ document: { plans: [{ ...PLAN, rate: { requests: 1, seconds: 60, burst: 1 } }] }, api: { plan: ASKED, modes } });
    const { kind, exchange } = await call(release);
    expect([kind, exchange.wouldRefuse?.finding.code]).toEqual(['forward', 'plan.no-subscription']);
  });

  it('has limits that count each of its clients apart, hard or soft', async () => {
    const rate = { requests: 1, seconds: 60, burst: 2 };
    const subscriptions = [subscription(), subscription({ id: 't', clientId: 'b' })];
    const hard = planned(subscriptions, [{ ...PLAN, rate }]);
    expect(await codesOf(hard, [{}, {}, {}, { headers: B }])).toEqual(['limit.within', 'limit.within', 'limit.rate', 'limit.within']);
    const refused = await call(hard);
    expect([refused.answer?.status, refused.answer?.headers['retry-after'], refused.pointer]).toEqual([429, '60', '/plans/0/rate']);
    const soft = planned(subscriptions, [{ ...PLAN, rate, mode: 'observe' }]);
    const outcomes = [await call(soft), await call(soft), await call(soft)];
    expect(outcomes.map(({ kind, exchange }) => [kind, exchange.wouldRefuse?.finding.code ?? null])).toEqual([
      ['forward', null],
      ['forward', null],
      ['forward', 'limit.rate'],
    ]);
  });

  it('has a quota by the calendar, and a number under way', async () => {
    const clock = { now: Date.parse('2026-11-27T22:59:00Z') };
    const quota = { requests: 2, per: 'day', zone: 'Europe/Berlin' } as const;
    const fresh = await trust.sign(goodClaims({ iat: clock.now / 1000, exp: clock.now / 1000 + 86_400 }));
    expect(fresh).not.toBe('');
    const release = world({ document: { plans: [{ ...PLAN, quota }] }, api: { plan: ASKED }, subscriptions: [subscription()], clock });
    expect(await codesOf(release, [{}, {}, {}])).toEqual(['limit.within', 'limit.within', 'limit.quota']);
    expect((await call(release)).answer?.headers['retry-after']).toBe('60');
    clock.now += 60_000;
    expect(await codesOf(release, [{}])).toEqual(['limit.within']);

    const once = planned([subscription()], [{ ...PLAN, atOnce: 1 }]);
    const first = await call(once);
    expect(await codesOf(once, [{}])).toEqual(['limit.at-once']);
    first.exchange.end();
    first.exchange.end();
    const second = await call(once);
    expect([second.code, ...(await codesOf(once, [{}]))]).toEqual(['limit.within', 'limit.at-once']);
  });
});

describe('limits', () => {
  it.each<[string, LimitSubject, readonly Call[], readonly string[]]>([
    ['client', { kind: 'client' }, [{}, {}, {}, { headers: B }], ['within', 'within', 'rate', 'within']],
    ['everyone', { kind: 'everyone' }, [{}, { headers: B }, { headers: B }], ['within', 'within', 'rate']],
    ['address', { kind: 'address' }, [{}, {}, {}, { from: '192.0.2.8' }], ['within', 'within', 'rate', 'within']],
    [
      'the network of an IPv6 address',
      { kind: 'address' },
      [{ from: '2001:db8::1' }, { from: '2001:db8::2' }, { from: '2001:db8:0:0:ffff::3' }, { from: '2001:db8:0:1::1' }],
      ['within', 'within', 'rate', 'within'],
    ],
    ['an address that is not known', { kind: 'address' }, [{ from: null }, { from: null }, { from: null }], ['within', 'within', 'rate']],
    [
      'a header; what has none counts together',
      { kind: 'header', name: 'x-team' },
      [{}, {}, {}, { headers: { 'x-api-key': 'key-of-a', 'x-team': 'one' } }, { headers: { 'x-api-key': 'key-of-a', 'x-team': '' } }],
      ['within', 'within', 'rate', 'within', 'rate'],
    ],
    ['credential', { kind: 'credential' }, [{}, {}, {}, { headers: B }], ['within', 'within', 'rate', 'within']],
    ['principal', { kind: 'principal' }, [{}, {}, {}], ['within', 'within', 'rate']],
    ['an attribute that nobody has', { kind: 'attribute', name: 'team' }, [{}, { headers: B }, {}], ['within', 'within', 'rate']],
    // What every object has is no value of theirs.
    ...(['constructor', '__proto__'] as const).flatMap((name): [string, LimitSubject, object[], string[]][] => [
      [`an attribute called ${name}`, { kind: 'attribute', name }, [{}, { headers: B }, {}], ['within', 'within', 'rate']],
      [`metadata called ${name}`, { kind: 'metadata', name }, [{}, { headers: B }, {}], ['within', 'within', 'rate']],
      [`a header called ${name}`, { kind: 'header', name }, [{}, { headers: B }, {}], ['within', 'within', 'rate']],
    ]),
    [
      'a header called constructor, told apart where it is sent',
      { kind: 'header', name: 'constructor' },
      [{}, {}, {}, { headers: { 'x-api-key': 'key-of-a', constructor: 'one' } }],
      ['within', 'within', 'rate', 'within'],
    ],
  ])('count by %s', async (_name, by, calls, expected) => {
    const release = world({ api: { limits: [{ ...LIMIT, by }] } });
    expect(await codesOf(release, calls)).toEqual(expected.map((code) => `limit.${code}`));
  });

  it('stand at the gateway, the API and the operation at the same time; the narrowest is told', async () => {
    const of = (name: string, requests: number): LimitRule => ({ ...LIMIT, name, requests });
    const release = world({
      document: { limits: [of('whole', 5)] },
      api: { limits: [of('api', 4)], operations: [{ ...operation('GET', '/x'), limits: [of('own', 2)] }, operation('GET', '/y')] },
    });
    const first = await call(release);
    expect([first.exchange.steps.find(({ step }) => step === 'limit')?.finding.operands, first.pointer]).toEqual([
      { limit: 'own', left: 1, of: 2, where: 'here' },
      '/apis/0/operations/0/limits/0',
    ]);
    expect(await codesOf(release, [{}, {}, { path: '/y' }, { path: '/y' }, { path: '/y' }])).toEqual([
      'limit.within',
      'limit.rate',
      'limit.within',
      'limit.within',
      'limit.rate',
    ]);
    const [described] = release.apis[0]?.operations ?? [];
    const line = described ? describeFallLine(described, release) : [];
    expect(line.find(({ step }) => step === 'limit')).toMatchObject({ mode: 'enforce', setAt: 'operation', part: 'limits' });
  });

  it('limit what anybody may call too', async () => {
    const release = world({ document: { limits: [{ ...LIMIT, by: { kind: 'address' } }] } });
    const free: Call = { path: '/free', headers: {} };
    expect(await codesOf(release, [free, free, free])).toEqual(['limit.within', 'limit.within', 'limit.rate']);
  });

  it('count only what would pass', async () => {
    const release = world({ document: { limits: [{ ...LIMIT, by: { kind: 'everyone' } }] } });
    const wrong: Call = { headers: { 'x-api-key': 'wrong' } };
    expect(await codesOf(release, [wrong, wrong, wrong, {}, {}, {}])).toEqual([
      ...Array<string>(3).fill('key.unknown'),
      'limit.within',
      'limit.within',
      'limit.rate',
    ]);
  });

  it('only observe where they say so, or where the check does', async () => {
    for (const release of [
      world({ api: { limits: [{ ...LIMIT, mode: 'observe' }] } }),
      world({ api: { limits: [LIMIT], modes: { all: 'observe', checks: {} } } }),
      world({ api: { limits: [LIMIT], modes: { all: 'enforce', checks: { limit: 'observe' } } } }),
    ]) {
      const seen = [await call(release), await call(release), await call(release)];
      expect(seen.map(({ kind, exchange }) => [kind, exchange.wouldRefuse?.finding.code ?? null])).toEqual([
        ['forward', null],
        ['forward', null],
        ['forward', 'limit.rate'],
      ]);
    }
  });

  it('are told in RateLimit fields: of refusals always, of what passes by choice', async () => {
    const release = world({ api: { limits: [LIMIT, { ...LIMIT, name: 'seen', mode: 'observe' }] } });
    const passed = await call(release);
    expect(rateFields(passed.exchange, 'refusals', false)).toEqual([]);
    expect(rateFields(passed.exchange, 'always', false)).toEqual([
      'ratelimit-policy',
      '"a minute";q=2;w=60',
      'ratelimit',
      expect.stringMatching(/^"a minute";r=1;t=\d+$/),
    ]);
    await call(release);
    const { answer } = await call(release);
    expect(answer?.headers).toMatchObject({ 'ratelimit-policy': '"a minute";q=2;w=60', ratelimit: expect.stringMatching(/^"a minute";r=0;t=\d+$/) as string });
    expect(Number(answer?.headers['retry-after'])).toBeGreaterThan(0);
  });

  it('refuse where nobody can count, unless they only observe', async () => {
    const counters = { take: () => Promise.resolve({ away: 'nothing listens there' }), look: () => ({ away: '' }) };
    const hard = await call(world({ api: { limits: [LIMIT] }, ports: { counters } }));
    expect([hard.code, hard.answer?.status]).toEqual(['limit.away', 503]);
    const soft = await call(world({ api: { limits: [{ ...LIMIT, mode: 'observe' }] }, ports: { counters } }));
    expect([soft.kind, soft.exchange.wouldRefuse?.finding.code]).toEqual(['forward', 'limit.away']);
    const broken = { take: () => Promise.reject(new Error('x')), look: () => ({ away: '' }) };
    expect((await call(world({ api: { limits: [LIMIT] }, ports: { counters: broken } }))).code).toBe('gateway.fault');
  });

  it('go on counting over a release that changes how much they let through', async () => {
    const counters = new MemoryCounters();
    const of = (requests: number) => world({ api: { limits: [{ ...LIMIT, requests }] }, ports: { counters } });
    expect(await codesOf(of(2), [{}, {}, {}])).toEqual(['limit.within', 'limit.within', 'limit.rate']);
    expect(await codesOf(of(3), [{}, {}])).toEqual(['limit.within', 'limit.rate']);
    expect(await codesOf(of(1), [{}])).toEqual(['limit.rate']);
  });
});

describe('guessing', () => {
  const RULE: GuessingRule = { mode: 'enforce', seconds: 60, byAddress: 3, byCredential: null };
  const wrong = (text: string, from = '192.0.2.7'): Call => ({ headers: { 'x-api-key': text }, from });

  it('is held up by address, whatever is guessed; nobody elsewhere is', async () => {
    const release = world({ document: { guessing: RULE } });
    expect(await codesOf(release, [wrong('1'), wrong('2'), wrong('3'), wrong('4')])).toEqual([...Array<string>(3).fill('key.unknown'), 'guess.too-many']);
    expect(await codesOf(release, [{}, { from: '192.0.2.8' }])).toEqual(['guess.too-many', 'rights.sufficient']);
    const refused = await call(release);
    expect([refused.answer?.status, refused.pointer, refused.answer?.headers['retry-after']]).toEqual([429, '/guessing', expect.stringMatching(/^\d+$/)]);
  });

  it('is held up by the name whose secret is guessed, from wherever', async () => {
    const release = world({
      document: { guessing: { ...RULE, byAddress: null, byCredential: 2 } },
      api: {
        schemes: [{ name: 'basic', type: 'http-basic', declared: 'http', metadataUrl: null, providers: [], place: null }],
        access: requires('basic'),
      },
    });
    const guess = (secret: string, from: string): Call => ({
      headers: { authorization: `Basic ${Buffer.from(`billing:${secret}`).toString('base64')}` },
      from,
    });
    const codes = await codesOf(release, [guess('1', '192.0.2.1'), guess('2', '192.0.2.2'), guess('3', '192.0.2.3')]);
    expect(codes[2]).toBe('guess.too-many');
    expect(codes.slice(0, 2).every((code) => code.startsWith('basic.'))).toBe(true);
  });

  it('is over when the time is, and a genuine credential that is over is no guess', async () => {
    const clock = { now: NOW };
    const release = world({ document: { guessing: RULE }, clock });
    await codesOf(release, [wrong('1'), wrong('2'), wrong('3')]);
    clock.now += 121_000;
    expect(await codesOf(release, [{}])).toEqual(['rights.sufficient']);
    const expired = { authorization: `Bearer ${await trust.sign(goodClaims({ exp: NOW / 1000 - 600 }))}` };
    expect(await codesOf(release, [...Array<Call>(5).fill({ headers: expired })])).toEqual(Array<string>(5).fill('token.expired'));
  });

  it('is only written down where it is only observed', async () => {
    const release = world({ document: { guessing: { ...RULE, byAddress: 1, mode: 'observe' } } });
    await call(release, wrong('1'));
    const { kind, exchange } = await call(release);
    expect([kind, exchange.wouldRefuse?.finding.code]).toEqual(['forward', 'guess.too-many']);
  });
});

describe('what cannot be used as a plan or a limit', () => {
  it.each<[string, object, string]>([
    ['no requests', { limits: [{ ...LIMIT, requests: 0 }] }, '/limits/0/requests'],
    ['half a request', { limits: [{ ...LIMIT, requests: 1.5 }] }, '/limits/0/requests'],
    ['no time', { limits: [{ ...LIMIT, seconds: 0 }] }, '/limits/0/seconds'],
    ['a burst of a window', { limits: [{ ...LIMIT, burst: 3 }] }, '/limits/0/burst'],
    ['a method that there is not', { limits: [{ ...LIMIT, method: 'none' }] }, '/limits/0/method'],
    ['a mode that there is not', { limits: [{ ...LIMIT, mode: 'off' }] }, '/limits/0/mode'],
    ['a subject that there is not', { limits: [{ ...LIMIT, by: { kind: 'all' } }] }, '/limits/0/by/kind'],
    ['two of one name', { limits: [LIMIT, { ...LIMIT, name: 'A Minute' }] }, '/limits/1/name'],
    ['null for the list', { limits: null }, '/limits'],
    ['no list of plans', { plans: {} }, '/plans'],
    ['a plan without covers', { plans: [{ ...PLAN, covers: null }] }, '/plans/0/covers'],
    ['an API twice in a plan', { plans: [{ ...PLAN, covers: [...PLAN.covers, ...PLAN.covers] }] }, '/plans/0/covers/1/apiId'],
    ['no zone', { plans: [{ ...PLAN, quota: { requests: 1, per: 'day', zone: 'Nowhere' } }] }, '/plans/0/quota/zone'],
    ['two plans of one id', { plans: [PLAN, { ...PLAN, name: 'Other' }] }, '/plans/1/id'],
    ['a name that is the id of another', { plans: [PLAN, { ...PLAN, id: 'other', name: 'small' }] }, '/plans/1/name'],
    ['guessing that counts by nothing', { guessing: { mode: 'enforce', seconds: 1, byAddress: null, byCredential: null } }, '/guessing'],
    ['guessing left out', { guessing: undefined }, '/guessing'],
    ['a share of nothing', { counting: { away: 'alone', sharePercent: 0, tell: 'always' } }, '/counting/sharePercent'],
    ['no word for what is done while the store is away', { counting: { sharePercent: 1, tell: 'always' } }, '/counting/away'],
  ])('%s', (_name, document, pointer) => {
    try {
      world({ document });
      throw new Error('it was taken');
    } catch (error) {
      expect((error as { pointer?: string }).pointer).toBe(pointer);
    }
  });
});
