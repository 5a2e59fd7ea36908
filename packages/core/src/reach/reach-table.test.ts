import { apiRule, AUDIENCE, goodClaims, NOW, operation, providerRule, releaseOf, requires } from '../../test/support.js';
import type { ReleaseDocument } from '../document/release-document.js';
import { tokenRule } from '../document/token-rule.js';
import { NOTHING_KNOWN, type KnownFacts, type SupposedCaller, type SupposedToken } from '../suppose/supposed-caller.js';
import { describedCallers, NOBODY } from './described-callers.js';
import { callersAt, cellsDiffer, compareReach, reachesMore, reachOf, reachTable, type ReachTable } from './reach-table.js';
import type { ReachCell } from './reach.js';

const PROVIDER = providerRule();
const settings = { atMs: null, address: null, nowMs: NOW };
const api = (change: Parameters<typeof apiRule>[0] = {}): ReleaseDocument =>
  releaseOf([PROVIDER], apiRule({ operations: [operation('GET', '/a'), operation('GET', '/b', requires('trust', 'b:read'))], ...change }));
const persona = (scope: string): SupposedCaller => ({
  id: `persona ${scope}`,
  kind: 'persona',
  name: scope,
  credentials: [
    {
      kind: 'token',
      providerId: 'trust',
      form: 'jwt',
      typ: 'at+jwt',
      claims: { iss: PROVIDER.issuer, ...goodClaims({ scope }) },
      principal: null,
      vague: false,
    },
  ],
});
const tableOf = (document: ReleaseDocument, callers: readonly SupposedCaller[], facts: KnownFacts = NOTHING_KNOWN): Promise<ReachTable> =>
  reachTable(reachOf(document, facts, settings), callers);
const cell = (kind: ReachCell['kind'], hangsOn: readonly string[] = []): ReachCell => ({
  kind,
  hangsOn,
  step: 'rights',
  code: 'rights.sufficient',
  wouldRefuse: false,
});

describe('a table of reach', () => {
  it('has a row for each operation and a cell in it for each caller', async () => {
    const table = await tableOf(api(), [NOBODY, persona('gates:read'), persona('b:read')]);
    expect(table.operations.map(({ method, path }) => `${method} ${path}`)).toEqual(['GET /gates-api/a', 'GET /gates-api/b']);
    expect(table.rows.map((row) => row.map(({ kind }) => kind))).toEqual([
      ['refused', 'allowed', 'refused'],
      ['refused', 'refused', 'allowed'],
    ]);
  });

  it('takes the address and the hour that are given for known', async () => {
    const guarded = api({ addresses: { kind: 'only', of: ['192.0.2.0/24'] }, conditions: [{ kind: 'own', name: 'day', source: 'now.getHours() > 6' }] });
    const at = (atMs: number | null, address: string | null) =>
      reachTable(reachOf(guarded, NOTHING_KNOWN, { atMs, address, nowMs: NOW }), callersAt([persona('gates:read')], { atMs, address, nowMs: NOW }));
    expect((await at(null, null)).rows[0]?.[0]).toMatchObject({ kind: 'conditional', hangsOn: ['the address', 'the hour'] });
    expect((await at(NOW, '192.0.2.1')).rows[0]?.[0]).toMatchObject({ kind: 'allowed' });
    expect((await at(NOW - 8 * 3_600_000, '192.0.2.1')).rows[0]?.[0]).toMatchObject({ kind: 'refused', code: 'condition.not-met' });
    expect((await at(NOW, '198.51.100.1')).rows[0]?.[0]).toMatchObject({ kind: 'refused', code: 'address.outside' });
  });

  it('moves the times of tokens with the hour, so that none is too old for it', () => {
    const week = 7 * 86_400_000;
    const [moved] = callersAt([persona('a')], { atMs: NOW + week, address: null, nowMs: NOW });
    const [was, is] = [persona('a').credentials[0] as SupposedToken, moved?.credentials[0] as SupposedToken];
    expect((is.claims['exp'] as number) - (was.claims['exp'] as number)).toBe(week / 1000);
    expect(is.claims['scope']).toBe('a');
    const same = [persona('a')];
    expect(callersAt(same, settings)).toBe(same);
  });

  it('is refused where the release asks for nothing that anybody has', async () => {
    const nobody = await tableOf(api({ access: { kind: 'required', origin: 'hand', alternatives: [] } }), [NOBODY, persona('gates:read')]);
    expect(nobody.rows[0]?.map(({ kind }) => kind)).toEqual(['refused', 'refused']);
  });
});

describe('two releases side by side', () => {
  it('have every operation of either, and what differs is found', async () => {
    const callers = [NOBODY, persona('gates:read')];
    const before = await tableOf(api(), callers);
    const after = await tableOf(api({ operations: [operation('GET', '/a', { kind: 'public', origin: 'hand' }), operation('GET', '/c')] }), callers);
    const { operations, before: was, after: is } = compareReach(before, after);
    expect(operations.map(({ operationId }) => operationId)).toEqual(['GET /a', 'GET /c', 'GET /b']);
    expect(operations.map((_one, at) => [was[at] === null, is[at] === null])).toEqual([
      [false, false],
      [true, false],
      [false, true],
    ]);
    const differing = operations.flatMap(({ operationId }, at) =>
      callers.flatMap(({ name }, who) => (cellsDiffer(was[at]?.[who] ?? null, is[at]?.[who] ?? null) ? [`${operationId} ${name}`] : [])),
    );
    expect(differing).toEqual(['GET /a nobody', 'GET /c gates:read']);
  });

  it.each<[string, ReachCell | null, ReachCell | null, boolean, boolean]>([
    ['the same', cell('allowed'), cell('allowed'), false, false],
    ['refused then and there', cell('refused'), null, false, false],
    ['not there, then refused', null, cell('refused'), false, false],
    ['not there, then let in', null, cell('allowed'), true, true],
    ['let in, then gone', cell('allowed'), null, true, false],
    ['let in, then on a condition', cell('allowed'), cell('conditional', ['the hour']), true, false],
    ['on a condition, then let in', cell('conditional', ['the hour']), cell('allowed'), true, true],
    ['on another condition', cell('conditional', ['the hour']), cell('conditional', ['the address']), true, false],
    ['neither there', null, null, false, false],
  ])('%s', (_words, before, after, differs, more) => {
    expect([cellsDiffer(before, after), reachesMore(before, after)]).toEqual([differs, more]);
  });
});

describe('callers that nobody has to name', () => {
  const facts: KnownFacts = {
    ...NOTHING_KNOWN,
    clients: [{ id: 'c', name: 'Loggers', enabled: true, roles: ['logger'], metadata: {} }],
    credentials: [
      { id: 'gone', clientId: 'c', kind: 'key', name: 'old', expiresAt: null, revokedAt: 1, lookup: null },
      { id: 'soon', clientId: 'c', kind: 'key', name: 'short', expiresAt: NOW + 1, revokedAt: null, lookup: null },
      { id: 'good', clientId: 'c', kind: 'key', name: 'long', expiresAt: null, revokedAt: null, lookup: null },
      { id: 'joined', clientId: 'c', kind: 'provider-client', name: 'loggers', expiresAt: null, revokedAt: null, lookup: 'trust\nloggers' },
    ],
  };

  it('are nobody, clients with what they have, roles, and any token of a provider', () => {
    const document = api({
      access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'trust', scopes: [], match: 'all', roles: ['rider', 'dispatcher'] }]] },
      conditions: [{ kind: 'own', name: 'own', source: '"auditor" in principal.roles && principal.roles.exists(r, r == "grower")' }],
    });
    const named: SupposedCaller = {
      ...persona('a'),
      credentials: [{ ...(persona('a').credentials[0] as SupposedToken), claims: { iss: PROVIDER.issuer, roles: ['partner'] } }],
    };
    const callers = describedCallers([document], facts, [named]);
    expect(callers.map(({ kind, name }) => `${kind} ${name}`)).toEqual([
      'nobody nobody',
      'client Loggers',
      'role auditor',
      'role dispatcher',
      'role grower',
      'role logger',
      'role partner',
      'role rider',
      'provider trust',
    ]);
    const [, client] = callers;
    // What is good is tried first.
    expect(client?.credentials.map((one) => (one.kind === 'key' ? one.credentialId : one.kind))).toEqual(['good', 'token', 'soon', 'gone']);
    expect(client?.credentials[1]).toMatchObject({ kind: 'token', providerId: 'trust', vague: true, principal: { client: 'loggers' } });
    expect(new Set(callers.map(({ id }) => id)).size).toBe(callers.length);
  });

  it('are the same for releases that are looked at together', () => {
    const one = api();
    const other: ReleaseDocument = {
      ...api(),
      providers: [...api().providers, providerRule({ id: 'second', name: 'second', issuer: 'https://second.example' })],
    };
    expect(describedCallers([one, other], NOTHING_KNOWN).map(({ id }) => id)).toEqual(['nobody', 'provider trust', 'provider second']);
  });

  it('of a provider hang on all that their tokens would have to say', async () => {
    const strict = api({ token: tokenRule([AUDIENCE], { type: 'at+jwt', claims: [{ path: '/a/b', values: ['x', 'y'] }], clients: ['tablet'] }) });
    const callers = describedCallers([strict], NOTHING_KNOWN);
    const { rows } = await tableOf(strict, callers);
    const provider = rows[0]?.[callers.findIndex(({ kind }) => kind === 'provider')];
    expect(provider?.kind).toBe('conditional');
    expect([...(provider?.hangsOn ?? [])].sort()).toEqual(['a token of the client tablet', 'the claim /a/b with x', 'the scope gates:read']);
  });
});
