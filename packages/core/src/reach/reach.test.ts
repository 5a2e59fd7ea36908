import fc from 'fast-check';
import {
  apiRule,
  AUDIENCE,
  goodClaims,
  makeProvider,
  NOW,
  operation,
  portsOf,
  providerRule,
  releaseOf,
  requires,
  SECONDS,
  sha256,
  TestKeys,
  type TestProvider,
} from '../../test/support.js';
import { decide } from '../decision/decide.js';
import { Exchange } from '../decision/exchange.js';
import { Directory } from '../directory/directory.js';
import type { ConditionUse } from '../document/condition-rule.js';
import type { SubscriptionFact } from '../directory/subscription.js';
import type { PlanRule } from '../document/plan-rule.js';
import type { ApiRule, ReleaseDocument } from '../document/release-document.js';
import { tokenRule } from '../document/token-rule.js';
import { compileRelease } from '../release/compile-release.js';
import type { JsonObject } from '../token/read-token.js';
import { NOTHING_KNOWN, type KnownFacts, type SupposedCaller, type SupposedToken } from '../suppose/supposed-caller.js';
import { ANY_REQUEST, type SupposedRequest } from '../suppose/supposed-request.js';
import { Supposition } from '../suppose/supposition.js';
import type { Unknown } from '../suppose/stand-in.js';
import { letThrough } from './let-through.js';
import { Reach, type ReachCell } from './reach.js';

const NONE_KNOWN: Unknown = { hour: true, address: true, request: true, authorizers: 'all' };
const ALL_KNOWN: Unknown = { hour: false, address: false, request: false, authorizers: 'none' };

const token = (claims: JsonObject = {}, more: Partial<SupposedToken> = {}): SupposedToken => ({
  kind: 'token',
  providerId: 'trust',
  form: 'jwt',
  typ: 'at+jwt',
  claims: { iss: 'https://sign-in.example', ...goodClaims(), ...claims },
  principal: null,
  vague: false,
  ...more,
});
const holder = (...credentials: SupposedCaller['credentials']): SupposedCaller => ({ id: 'one', kind: 'persona', name: 'one', credentials });
const NOBODY: SupposedCaller = { id: 'nobody', kind: 'nobody', name: 'nobody', credentials: [] };
const condition = (source: string): ConditionUse => ({ kind: 'own', name: 'own', source });
const PROVIDER = providerRule({
  claimMap: {
    ...providerRule().claimMap,
    attributes: [{ name: 'sections', paths: ['sections'], split: 'none', stripPrefixes: [], table: [], unlisted: 'keep', fallback: [] }],
  },
});

function world(document: ReleaseDocument, facts: KnownFacts = NOTHING_KNOWN, unknown = NONE_KNOWN): { supposition: Supposition; facts: KnownFacts } {
  return { supposition: new Supposition(document, { facts, unknown, keys: null, authorizers: null }), facts };
}

async function cellOf(api: Partial<ApiRule>, caller: SupposedCaller, facts: KnownFacts = NOTHING_KNOWN): Promise<ReachCell> {
  const { supposition } = world(releaseOf([PROVIDER], apiRule({ operations: [operation('POST', '/gates/{gateId}/positions')], ...api })), facts);
  const reach = new Reach(supposition, facts, ANY_REQUEST, NOW);
  const [only] = reach.operations;
  return reach.cell(only as never, caller);
}

describe('who can reach an operation', () => {
  it('is decided by scopes, roles and what was sent', async () => {
    expect(await cellOf({}, NOBODY)).toMatchObject({ kind: 'refused', code: 'credential.missing' });
    expect(await cellOf({}, holder(token()))).toMatchObject({ kind: 'allowed', code: 'rights.sufficient' });
    expect(await cellOf({}, holder(token({ scope: 'other' })))).toMatchObject({ kind: 'refused', code: 'rights.scope-missing' });
    expect(await cellOf({}, holder(token({ aud: 'https://other.example' })))).toMatchObject({ kind: 'refused', code: 'token.audience-wrong' });
    expect(await cellOf({}, holder(token({ exp: SECONDS - 100 })))).toMatchObject({ kind: 'refused', code: 'token.expired' });
    expect(await cellOf({ access: { kind: 'open', origin: 'hand' } }, NOBODY)).toMatchObject({ kind: 'allowed', code: 'credential.not-asked' });
    expect(await cellOf({ enabled: false }, holder(token()))).toMatchObject({ kind: 'refused', code: 'route.api-off' });
  });

  it('takes a token of a provider that the release does not trust for no proof', async () => {
    expect((await cellOf({}, holder(token({ iss: 'https://elsewhere.example' }, { providerId: 'elsewhere' })))).kind).toBe('refused');
  });

  it('says on which facts it hangs that nobody knows', async () => {
    expect(await cellOf({ conditions: [condition('now.getHours() > 6')] }, holder(token()))).toMatchObject({ kind: 'conditional', hangsOn: ['the hour'] });
    expect(await cellOf({ addresses: { kind: 'only', of: ['192.0.2.0/24'] } }, holder(token()))).toMatchObject({
      kind: 'conditional',
      hangsOn: ['the address'],
    });
    expect(
      await cellOf({ conditions: [condition('request.parameters.gateId in principal.attributes.sections')] }, holder(token({ sections: ['N'] }))),
    ).toMatchObject({
      kind: 'conditional',
      hangsOn: ['the path parameter gateId'],
    });
  });

  it('refuses where what is known decides already, and lets in where it is enough', async () => {
    const mixed = 'principal.roles.exists(r, r == "rider") && now.getHours() > 6';
    expect(await cellOf({ conditions: [condition(mixed)] }, holder(token({ roles: ['grower'] })))).toMatchObject({
      kind: 'refused',
      code: 'condition.not-met',
    });
    expect((await cellOf({ conditions: [condition(mixed)] }, holder(token({ roles: ['rider'] })))).kind).toBe('conditional');
    const either = 'principal.roles.exists(r, r == "dispatcher") || now.getHours() > 6';
    expect((await cellOf({ conditions: [condition(either)] }, holder(token({ roles: ['dispatcher'] })))).kind).toBe('allowed');
    expect((await cellOf({ conditions: [condition(either)] }, holder(token({ roles: [] })))).kind).toBe('conditional');
  });

  it('does not take what is not known for what is not there', async () => {
    for (const source of [
      '!has(request.headers.debug)',
      '!("debug" in request.headers)',
      'size(request.query) == 0',
      '!has(request.query.all)',
      '!("x" in request.parameters)',
    ])
      expect([source, (await cellOf({ conditions: [condition(source)] }, holder(token()))).kind]).toEqual([source, 'conditional']);
    const both = '!has(request.headers.debug) && principal.subject == "somebody else"';
    expect((await cellOf({ conditions: [condition(both)] }, holder(token()))).kind).toBe('refused');
  });

  it('tells what a token that was only described would have to say', async () => {
    const described: SupposedCaller = { ...holder(token({}, { vague: true, claims: {}, principal: { roles: ['rider'], scopes: [] } })), kind: 'role' };
    expect(await cellOf({}, described)).toMatchObject({ kind: 'conditional', hangsOn: ['the scope gates:read'] });
    const stepUp = { token: tokenRule([AUDIENCE], { stepUp: { acrValues: ['key'], maxAgeSeconds: null } }) };
    expect((await cellOf(stepUp, described)).hangsOn.toSorted()).toEqual(['a sign-in of the strength key', 'the scope gates:read']);
    const other = {
      access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'trust', scopes: [], match: 'all', roles: ['dispatcher'] }]] },
    } as const;
    expect((await cellOf(other, described)).kind).toBe('refused');
    // A persona asks for its scopes: what it does not ask for it will not have.
    expect((await cellOf({}, { ...described, kind: 'persona' })).kind).toBe('refused');
  });

  it('knows a client by what it has: a key that is good, one that has expired, one that was revoked', async () => {
    const known = (change: Partial<KnownFacts['credentials'][number]>, enabled = true): KnownFacts => ({
      ...NOTHING_KNOWN,
      clients: [{ id: 'c', name: 'Loggers', enabled, roles: ['gates:read'], metadata: {} }],
      credentials: [{ id: 'k', clientId: 'c', kind: 'key', name: 'first', expiresAt: null, revokedAt: null, lookup: null, ...change }],
    });
    const api: Partial<ApiRule> = {
      schemes: [{ name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place: { kind: 'header', name: 'x-key', scheme: null } }],
      access: requires('key', 'gates:read'),
    };
    const client: SupposedCaller = { id: 'c', kind: 'client', name: 'Loggers', credentials: [{ kind: 'key', credentialId: 'k' }] };
    expect((await cellOf(api, client, known({}))).kind).toBe('allowed');
    expect(await cellOf(api, client, known({ expiresAt: NOW - 1 }))).toMatchObject({ kind: 'refused', code: 'key.expired' });
    expect(await cellOf(api, client, known({ revokedAt: NOW - 1 }))).toMatchObject({ kind: 'refused', code: 'key.revoked' });
    expect(await cellOf(api, client, known({}, false))).toMatchObject({ kind: 'refused', code: 'key.client-off' });
    expect(await cellOf(api, client, NOTHING_KNOWN)).toMatchObject({ kind: 'refused', code: 'key.unknown' });
    const twins: KnownFacts = { ...known({}), clients: [...known({}).clients, { id: 'd', name: 'Other', enabled: true, roles: ['gates:read'], metadata: {} }] };
    const basic = { ...api, schemes: [{ name: 'key', type: 'http-basic', declared: 'basic', metadataUrl: null, providers: [], place: null }] } as const;
    const names = (...ids: string[]): KnownFacts => ({
      ...twins,
      credentials: ids.map((id, index) => ({
        id,
        clientId: index === 0 ? 'c' : 'd',
        kind: 'basic',
        name: 'Überlauf',
        expiresAt: null,
        revokedAt: null,
        lookup: null,
      })),
    });
    const named: SupposedCaller = { ...client, credentials: [{ kind: 'basic', credentialId: 'one' }] };
    expect((await cellOf(basic, named, names('one'))).kind).toBe('allowed');
    // Two clients of one name prove nobody, as at the gateway.
    expect(await cellOf(basic, named, names('one', 'two'))).toMatchObject({ kind: 'refused', code: 'basic.unknown' });
  });

  it('takes an observed check for none, and says that it would refuse', async () => {
    const modes = { all: 'enforce', checks: { rights: 'observe' } } as const;
    expect(await cellOf({ modes }, holder(token({ scope: 'other' })))).toMatchObject({ kind: 'allowed', wouldRefuse: true });
  });

  it('gives operations with the same rules one row, and others their own', async () => {
    const api = apiRule({ operations: [operation('GET', '/a'), operation('GET', '/b'), operation('GET', '/c', requires('trust', 'other'))] });
    const reach = new Reach(world(releaseOf([PROVIDER], api)).supposition, NOTHING_KNOWN, ANY_REQUEST, NOW);
    const callers = [NOBODY, holder(token())];
    const [a, b, c] = await Promise.all(reach.operations.map((one) => reach.row(one, callers)));
    expect(a).toBe(b);
    expect(c).not.toBe(a);
    expect(c?.map(({ kind }) => kind)).toEqual(['refused', 'refused']);
  });
});

describe('what would let a call in', () => {
  const wordsOf = async (
    api: Partial<ApiRule>,
    caller: SupposedCaller,
    request: Partial<SupposedRequest> = {},
    facts: KnownFacts = NOTHING_KNOWN,
  ): Promise<string[]> => {
    const document = releaseOf([PROVIDER], apiRule({ operations: [operation('POST', '/gates/{gateId}/positions')], ...api }));
    const { supposition } = world(document, facts, { ...ALL_KNOWN, authorizers: 'all' });
    const called = supposition.release.apis[0]?.operations[0] as never;
    const { ways } = await letThrough(
      supposition,
      {
        operation: called,
        credentials: caller.credentials,
        request: { ...ANY_REQUEST, parameters: { gateId: 'G-1' }, address: '192.0.2.7', ...request },
        nowMs: NOW,
      },
      facts,
    );
    return ways.map(({ changes }) => changes.map(({ words }) => words).join(' and '));
  };

  it('is one scope, where one is missing', async () => {
    expect((await wordsOf({}, holder(token({ scope: '' }))))[0]).toBe('the scope gates:read');
  });

  it('is all that is missing and nothing more', async () => {
    const api = {
      access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'trust', scopes: ['a', 'b'], match: 'all', roles: ['rider', 'dispatcher'] }]] },
      token: tokenRule([AUDIENCE], { stepUp: { acrValues: ['key'], maxAgeSeconds: 60 } }),
    } as const;
    const [first] = await wordsOf(api, holder(token({ scope: 'a', exp: SECONDS - 100 })));
    expect(first?.split(' and ').toSorted()).toEqual(
      ['a sign-in just now', 'a sign-in of the strength key', 'a token that was issued now', 'the role rider', 'the scope b'].toSorted(),
    );
  });

  it('finds the address, the hour and the value that a condition asks for', async () => {
    expect((await wordsOf({ addresses: { kind: 'only', of: ['198.51.100.0/24'] } }, holder(token())))[0]).toBe('an address such as 198.51.100.0');
    expect((await wordsOf({ addresses: { kind: 'except', of: ['192.0.2.0/24'] } }, holder(token())))[0]).toBe('an address such as 198.51.100.254');
    expect((await wordsOf({ conditions: [condition('now.getHours() == 3')] }, holder(token())))[0]).toBe('a time such as 2026-06-02 03:00 UTC');
    expect(
      (await wordsOf({ conditions: [condition('request.parameters.gateId in principal.attributes.sections')] }, holder(token({ sections: ['G-2'] }))))[0],
    ).toMatch(/G-1 among sections|gateId G-2/);
    expect((await wordsOf({ conditions: [condition('request.headers["x-purpose"] == "repair"')] }, holder(token())))[0]).toBe(
      'the header x-purpose with repair',
    );
  });

  it('names other credentials, where none was sent', async () => {
    expect((await wordsOf({}, NOBODY))[0]).toBe('a token of trust and the scope gates:read');
  });

  it('finds nothing where nothing helps', async () => {
    expect(await wordsOf({ enabled: false }, holder(token()))).toEqual([]);
    expect(await wordsOf({ conditions: [condition('false')] }, holder(token()))).toEqual([]);
    expect(await wordsOf({ access: { kind: 'required', origin: 'hand', alternatives: [] } }, holder(token()))).toEqual([]);
  });

  it('never names a change with which the call is refused', async () => {
    const scopes = fc.subarray(['a', 'b', 'c']);
    await fc.assert(
      fc.asyncProperty(
        scopes,
        scopes,
        fc.constantFrom<'all' | 'any'>('all', 'any'),
        fc.subarray(['rider', 'dispatcher']),
        async (held, asked, match, roles) => {
          const api: Partial<ApiRule> = { access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'trust', scopes: asked, match, roles }]] } };
          const [first] = await wordsOf(api, holder(token({ scope: held.join(' ') })));
          const lacking = asked.filter((scope) => !held.includes(scope));
          const scopesMissing = asked.length === 0 ? 0 : match === 'all' ? lacking.length : lacking.length === asked.length ? 1 : 0;
          const wanted = scopesMissing + (roles.length > 0 ? 1 : 0);
          expect(first === undefined ? 0 : first.split(' and ').length).toBe(wanted);
        },
      ),
      { numRuns: 60 },
    );
  });
});

describe('a supposed call and a real one', () => {
  let provider: TestProvider;
  let keys: TestKeys;
  beforeAll(async () => {
    provider = await makeProvider('trust', 'https://sign-in.example', 'EdDSA');
    keys = new TestKeys(provider);
  });

  // The same function decides both; what differs is where its facts come from.
  it('come to the same steps for any rule, token, address and time', async () => {
    const values = fc.subarray(['a', 'b', 'rider']);
    const requirement = fc.record({ scheme: fc.constant('trust'), scopes: values, match: fc.constantFrom<'all' | 'any'>('all', 'any'), roles: values });
    const mode = fc.constantFrom<'enforce' | 'observe'>('enforce', 'observe');
    const rule = fc.record({
      alternatives: fc
        .tuple(fc.array(requirement, { minLength: 1, maxLength: 2 }), fc.array(fc.array(requirement, { maxLength: 2 }), { maxLength: 2 }))
        .map(([first, others]) => [first, ...others]),
      addresses: fc.constantFrom<ApiRule['addresses'][]>({ kind: 'anywhere' }, { kind: 'only', of: ['192.0.2.0/24'] }, { kind: 'except', of: ['192.0.2.7'] }),
      source: fc.constantFrom(
        'true',
        'now.getHours() < 12',
        'request.parameters.gateId in principal.attributes.sections',
        '"rider" in principal.roles',
        'request.address.startsWith("192")',
        'principal.acr == "key"',
        'resource.gates[request.parameters.gateId].open == "yes"',
      ),
      stepUp: fc.constantFrom(null, { acrValues: ['key'], maxAgeSeconds: 60 }),
      modes: fc.record({ token: mode, rights: mode, condition: mode, claims: mode, address: mode }),
      type: fc.constantFrom('ANY_TYPE', 'at+jwt'),
    });
    const caller = fc.record({
      scope: values,
      roles: values,
      sections: fc.subarray(['G-1', 'G-2']),
      exp: fc.constantFrom(SECONDS + 100, SECONDS - 100),
      aud: fc.constantFrom(AUDIENCE, 'https://other.example'),
      acr: fc.constantFrom('key', 'weak'),
      typ: fc.constantFrom('at+jwt', 'JWT'),
      sent: fc.boolean(),
    });
    const tables = [{ id: 'gates', key: 'gate', columns: ['gate', 'open'], rows: [['G-1', 'yes']] }];
    const trusted = { ...PROVIDER, algorithms: provider.rule.algorithms };
    await fc.assert(
      fc.asyncProperty(rule, caller, fc.constantFrom('192.0.2.7', '198.51.100.1'), fc.constantFrom(0, 11, 13), async (asked, who, address, hour) => {
        const api = apiRule({
          operations: [operation('POST', '/gates/{gateId}/positions')],
          access: { kind: 'required', origin: 'hand', alternatives: asked.alternatives },
          addresses: asked.addresses,
          conditions: [condition(asked.source)],
          token: tokenRule([AUDIENCE], { stepUp: asked.stepUp, type: asked.type }),
          modes: { all: 'enforce', checks: asked.modes },
        });
        const document = releaseOf([trusted], api);
        const now = NOW + (hour - 12) * 3_600_000;
        const shift = (hour - 12) * 3600;
        const { typ, sent, scope, exp, ...rest } = who;
        const claims = {
          ...rest,
          sub: 'one',
          client_id: 'two',
          scope: scope.join(' '),
          auth_time: SECONDS + shift - 30,
          iat: SECONDS + shift - 60,
          exp: exp + shift,
        };

        const supposed = token({}, { typ, claims: { iss: 'https://sign-in.example', ...claims } });
        const supposition = new Supposition(document, { facts: { ...NOTHING_KNOWN, tables }, unknown: ALL_KNOWN, keys: null, authorizers: null });
        const call = {
          operation: supposition.release.apis[0]?.operations[0] as never,
          credentials: sent ? [supposed] : [],
          request: { ...ANY_REQUEST, parameters: { gateId: 'G-1' }, address },
          nowMs: now,
        };
        const outcome = await supposition.decide(call);

        const release = compileRelease(
          document,
          portsOf(keys, () => now, { directory: () => new Directory([{ what: 'table', id: 'gates', value: tables[0] as never }]), digest: sha256 }),
        );
        const real = new Exchange({
          method: 'POST',
          target: '/gates-api/gates/G-1/positions',
          headers: { 'content-type': 'application/json', ...(sent ? { authorization: `Bearer ${await provider.sign(claims, { typ })}` } : {}) },
          origin: 'https://gateway.example',
          body: { bytes: 2 },
          from: { address, via: [], unread: '' },
        });
        const verdict = await decide(release, real);
        const codes = (exchange: Exchange): string[] =>
          exchange.steps.map(({ finding, outcome: came }) => `${finding.code.replace('token.verified', 'token.known')} ${came}`);
        expect([outcome.verdict.kind, ...codes(outcome.exchange)]).toEqual([verdict.kind, ...codes(real)]);
      }),
      { numRuns: 300 },
    );
  });
});

describe('plans', () => {
  const PLAN: PlanRule = {
    id: 'small',
    name: 'Small',
    description: '',
    covers: [{ apiId: 'gates', operations: ['GET /x'] }],
    rate: { requests: 1, seconds: 60, burst: 1 },
    quota: null,
    atOnce: null,
    requestBytes: null,
    mode: 'enforce',
    approval: 'by-hand',
  };
  const KEY: ApiRule['schemes'][number] = {
    name: 'key',
    type: 'apiKey',
    declared: 'apiKey',
    metadataUrl: null,
    providers: [],
    place: { kind: 'header', name: 'x-key', scheme: null },
  };
  const document: ReleaseDocument = {
    ...releaseOf(
      [PROVIDER],
      apiRule({
        schemes: [KEY],
        access: requires('key'),
        plan: { asked: true, attribute: null },
        operations: [operation('GET', '/x'), operation('GET', '/y')],
      }),
    ),
    plans: [PLAN],
  };
  const known = (state: SubscriptionFact['state'] | null): KnownFacts => ({
    ...NOTHING_KNOWN,
    clients: [{ id: 'c', name: 'Customer', enabled: true, roles: [], metadata: {} }],
    credentials: [{ id: 'k', clientId: 'c', kind: 'key', name: 'k', expiresAt: null, revokedAt: null, lookup: null }],
    subscriptions: state === null ? [] : [{ id: 's', clientId: 'c', planId: 'small', state, startsAt: null, endsAt: null }],
  });
  const caller = holder({ kind: 'key', credentialId: 'k' });

  it('open operations one by one, whoever has them; limits are supposed to have room', async () => {
    const cells = async (facts: KnownFacts): Promise<string[]> => {
      const reach = new Reach(world(document, facts).supposition, facts, ANY_REQUEST, NOW);
      const found: string[] = [];
      for (const one of reach.operations) {
        const { kind, code } = await reach.cell(one, caller);
        found.push(`${one.rule.path} ${kind} ${kind === 'refused' ? code : ''}`.trim());
      }
      return found;
    };
    expect(await cells(known('active'))).toEqual(['/x allowed', '/y refused plan.not-covered']);
    expect(await cells(known('suspended'))).toEqual(['/x refused plan.suspended', '/y refused plan.not-covered']);
    expect(await cells(known(null))).toEqual(['/x refused plan.no-subscription', '/y refused plan.no-subscription']);
  });

  it('are what would let a client in that has none, and no plan does where none opens it', async () => {
    const { supposition, facts } = world(document, known(null), ALL_KNOWN);
    const ways = async (at: number) => {
      const called = supposition.release.apis[0]?.operations[at];
      if (!called) throw new Error('the release has operations');
      return letThrough(supposition, { operation: called, credentials: caller.credentials, request: ANY_REQUEST, nowMs: NOW }, facts);
    };
    expect((await ways(0)).ways.map(({ changes }) => changes.map(({ words }) => words))).toEqual([['the plan Small']]);
    expect(await ways(1)).toEqual({ ways: [], cut: false });
  });
});
