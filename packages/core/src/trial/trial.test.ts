import { apiRule, AUDIENCE, NOW, operation, providerRule, releaseOf, requires } from '../../test/support.js';
import type { ConditionUse } from '../document/condition-rule.js';
import type { LimitRule } from '../document/limit-rule.js';
import type { PlanRule } from '../document/plan-rule.js';
import type { ApiRule, ReleaseDocument, SchemeRule } from '../document/release-document.js';
import { tokenRule } from '../document/token-rule.js';
import { NOTHING_KNOWN } from '../suppose/supposed-caller.js';
import { runTrials } from './run-trials.js';
import type { SavedTrial } from './saved-trial.js';
import type { TrialOutcome, TrialReport } from './trial.js';
import { writeJUnit } from './write-report.js';

const sections = { name: 'sections', paths: ['sections'], split: 'none', stripPrefixes: [], table: [], unlisted: 'keep', fallback: [] } as const;
const PROVIDER = providerRule({ algorithms: ['ES256'], claimMap: { ...providerRule().claimMap, attributes: [sections] } });
const OTHER = providerRule({ id: 'other', name: 'other', issuer: 'https://other.example', algorithms: ['EdDSA'] });
const own = (source: string): ConditionUse => ({ kind: 'own', name: 'own', source });

const releaseWith = (change: Partial<ApiRule>): ReleaseDocument =>
  releaseOf([PROVIDER, OTHER], apiRule({ operations: [operation('POST', '/gates/{gateId}/positions')], ...change }));
const GUARDED: Partial<ApiRule> = {
  access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'trust', scopes: ['gates:operate'], match: 'all', roles: ['rider'] }]] },
  resource: {
    identifier: AUDIENCE,
    scopes: [
      { name: 'gates:read', description: '' },
      { name: 'gates:operate', description: '' },
    ],
  },
  token: tokenRule([AUDIENCE], { stepUp: { acrValues: ['key'], maxAgeSeconds: 600 }, claims: [{ path: 'tenant', values: ['basin'] }] }),
  addresses: { kind: 'only', of: ['192.0.2.0/24'] },
  conditions: [own('request.parameters.gateId in principal.attributes.sections')],
  message: { requestBytes: 1000, contentTypes: ['application/json'], answerBytes: 'ANY_SIZE' },
};
const run = (document: ReleaseDocument, before: ReleaseDocument | null = null, saved: readonly SavedTrial[] = []): Promise<TrialReport> =>
  runTrials(document, before, { facts: NOTHING_KNOWN, scripts: null, nowMs: NOW, saved, ticks: () => 0 });
const failing = ({ items }: TrialReport): string[] => items.filter(({ result }) => result === 'fails').map(({ tried }) => tried);

describe('trials of a release', () => {
  it('say so where ways in were not looked for to the end', async () => {
    const cutBy = async (stepMs: number) => {
      let now = 0;
      const world = { facts: NOTHING_KNOWN, scripts: null, nowMs: NOW, saved: [], ticks: () => (now += stepMs) };
      return (await runTrials(releaseWith(GUARDED), null, world)).cut;
    };
    expect([await cutBy(0), await cutBy(6000)]).toEqual([false, true]);
  });

  it('all hold on an operation that is guarded, and there are many of them', async () => {
    const report = await run(releaseWith(GUARDED));
    expect(failing(report)).toEqual([]);
    expect(report.operations).toBe(1);
    const tried = report.items.map(({ tried: words }) => words);
    expect(new Set(report.items.map(({ name }) => name)).size).toBe(report.items.length);
    for (const words of [
      'no credential',
      'a token that has expired',
      'a token that was revoked',
      'a token for another API',
      'a token with every scope but gates:operate',
      'a token with every role but rider',
      'a token of a sign-in that was too weak',
      'a token of a sign-in long ago',
      'a token without the claim tenant',
      'a token of other, which is not taken here',
      'a token that is bound to a key, without the proof',
      'a proof of possession that was used before',
      'a token signed by a stranger under the issuer’s key id',
      'a token made into an ID token',
      'a token HS256 with the issuer’s public key as secret',
      'a good caller from an address outside',
      'a good caller from outside, saying that it is 192.0.2.0',
      'a caller that is let in, with another gateId in the path',
      'a body of a type that is not taken',
      'a body of more than 1000 bytes',
    ])
      expect(tried).toContain(words);
    // Each is stopped for the reason it was made for, not by chance at an earlier check.
    const codeOf = (words: string) => report.items.find((item) => item.tried === words)?.code;
    expect(codeOf('a token that was revoked')).toBe('claims.revoked');
    expect(codeOf('a token for another API')).toBe('token.audience-wrong');
    expect(codeOf('a token with every scope but gates:operate')).toBe('rights.scope-missing');
    expect(codeOf('a token with every role but rider')).toBe('rights.role-missing');
    expect(codeOf('a token of a sign-in long ago')).toBe('claims.step-up');
    expect(codeOf('a proof of possession that was used before')).toBe('proof.replayed');
    expect(codeOf('a token that is bound to a key, without the proof')).toBe('proof.missing');
    expect(codeOf('a token signed by a stranger under the issuer’s key id')).toBe('token.signature-invalid');
    expect(codeOf('a good caller from outside, saying that it is 192.0.2.0')).toBe('address.outside');
    expect(codeOf('a caller that is let in, with another gateId in the path')).toBe('condition.not-met');
    expect(codeOf('a body of more than 1000 bytes')).toBe('size.too-large');
  });

  it.each<[string, Partial<ApiRule>, string]>([
    ['opened', { access: { kind: 'public', origin: 'hand' }, conditions: [] }, 'no credential'],
    ['without its scope', { access: requires('trust') }, 'a token with every scope but gates:operate'],
    [
      'open to another role',
      {
        access: {
          kind: 'required',
          origin: 'hand',
          alternatives: [[{ scheme: 'trust', scopes: ['gates:operate'], match: 'all', roles: ['rider', 'dispatcher'] }]],
        },
      },
      'a token with every role but rider',
    ],
    [
      'open for any of two scopes',
      {
        access: {
          kind: 'required',
          origin: 'hand',
          alternatives: [[{ scheme: 'trust', scopes: ['gates:operate', 'gates:read'], match: 'any', roles: ['rider'] }]],
        },
      },
      'a token with every scope but gates:operate',
    ],
    [
      'open for a longer sign-in',
      { token: tokenRule([AUDIENCE], { stepUp: { acrValues: ['key'], maxAgeSeconds: 86_400 }, claims: [{ path: 'tenant', values: ['basin'] }] }) },
      'a token of a sign-in long ago',
    ],
    ['open to other audiences', { token: tokenRule('ANY_AUDIENCE') }, 'a token for another API'],
    ['without its step-up', { token: tokenRule([AUDIENCE]) }, 'a token of a sign-in that was too weak'],
    ['open to all networks', { addresses: { kind: 'anywhere' } }, 'a good caller from an address outside'],
    [
      'open to a provider more',
      { schemes: [{ name: 'trust', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust', 'other'], place: null }] },
      'a token of other, which is not taken here',
    ],
    ['without its condition', { conditions: [] }, 'a caller that is let in, with another gateId in the path'],
    ['open to any body', { message: { requestBytes: 'ANY_SIZE', contentTypes: 'ANY_TYPE', answerBytes: 'ANY_SIZE' } }, 'a body of a type that is not taken'],
  ])('find what a release has %s', async (_words, change, tried) => {
    const before = releaseWith({ ...GUARDED, addresses: { kind: 'only', of: ['192.0.2.0/24'] }, conditions: GUARDED.conditions ?? [] });
    const report = await run(releaseWith({ ...GUARDED, ...change }), before);
    expect(failing(report)).toContain(tried);
    expect(report.items[0]?.result).toBe('fails');
    // The same release by itself is as it says: nothing was guarded that is not.
    expect(failing(await run(releaseWith({ ...GUARDED, ...change })))).toEqual([]);
  });

  it('say of what is only observed that it would be stopped, and fail nobody for it', async () => {
    const report = await run(releaseWith({ ...GUARDED, modes: { all: 'observe', checks: {} } }));
    expect(failing(report)).toEqual([]);
    expect(report.items.find(({ tried }) => tried === 'a token with every scope but gates:operate')).toMatchObject({
      result: 'observed',
      code: 'rights.scope-missing',
    });
  });

  it('find what refused before and only observes now', async () => {
    const observing = releaseWith({ ...GUARDED, modes: { all: 'observe', checks: {} } });
    const { items } = await run(observing, releaseWith(GUARDED));
    expect(items[0]).toMatchObject({ tried: 'no credential', result: 'fails', code: 'credential.missing' });
    // Rights that are only observed prove nobody to the conditions behind them, so that one of these would stop it still.
    const plain = { ...GUARDED, conditions: [] };
    const rights = releaseWith({ ...plain, modes: { all: 'enforce', checks: { rights: 'observe' } } });
    expect(failing(await run(rights, releaseWith(plain)))).toContain('a token with every scope but gates:operate');
    // What observed before is no weaker for observing on.
    expect(failing(await run(observing, observing))).toEqual([]);
  });

  it('know an operation by where it is called, when its API was taken away and brought in anew', async () => {
    const again = releaseWith({
      id: 'other-id',
      name: 'Gates anew',
      access: { kind: 'public', origin: 'hand' },
      operations: [operation('POST', '/gates/{number}/positions')],
    });
    expect(failing(await run(again, releaseWith(GUARDED)))).toContain('no credential');
    const elsewhere = releaseWith({ id: 'other-id', basePath: '/elsewhere', access: { kind: 'public', origin: 'hand' } });
    expect(failing(await run(elsewhere, releaseWith(GUARDED)))).toEqual([]);
  });

  it('try keys, names and certificates of clients, and halves of combinations', async () => {
    const schemes: ApiRule['schemes'] = [
      { name: 'trust', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust'], place: null },
      { name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place: { kind: 'header', name: 'x-key', scheme: null } },
      { name: 'basic', type: 'http-basic', declared: 'basic', metadataUrl: null, providers: [], place: null },
      { name: 'cert', type: 'mutualTLS', declared: 'mutualTLS', metadataUrl: null, providers: [], place: null },
    ];
    const need = (scheme: string, ...roles: string[]) => ({ scheme, scopes: [], match: 'all', roles }) as const;
    const report = await run(
      releaseWith({
        schemes,
        access: {
          kind: 'required',
          origin: 'hand',
          alternatives: [[need('trust', 'rider'), need('key', 'partner')], [need('basic')], [need('cert', 'partner')]],
        },
      }),
    );
    expect(failing(report)).toEqual([]);
    const tried = report.items.map(({ tried: words }) => words);
    for (const words of [
      'all that is asked for but trust',
      'all that is asked for but key',
      'a key that has expired',
      'a key of another client, without the rights',
      'name and secret that was revoked, by alternative 2',
      'a client certificate of a client that is off, by alternative 3',
    ])
      expect(tried).toContain(words);
    expect(tried).not.toContain('name and secret of another client, without the rights, by alternative 2');
  });

  it('leave alone what nobody guarded', async () => {
    expect((await run(releaseWith({ access: { kind: 'public', origin: 'hand' } }))).items).toEqual([]);
    const anonymous = await run(
      releaseWith({ access: { kind: 'required', origin: 'hand', alternatives: [[], [{ scheme: 'trust', scopes: [], match: 'all', roles: [] }]] } }),
    );
    expect(failing(anonymous)).toEqual([]);
  });

  it('hold what was saved to what was expected of it', async () => {
    const call = { method: 'POST', target: '/gates-api/gates/N/positions', headers: { 'content-type': 'application/json' }, address: '192.0.2.7', body: 2 };
    const rider = { kind: 'token', providerId: 'trust', form: 'jwt', typ: 'at+jwt', claims: { iss: PROVIDER.issuer, tenant: 'basin' }, vague: false } as const;
    const principal = { scopes: ['gates:operate'], roles: ['rider'], acr: 'key', authTime: NOW / 1000 - 5, attributes: { sections: ['N'] } };
    const saved = (id: string, expected: SavedTrial['expected'], change: Partial<SavedTrial['call']>): SavedTrial => ({
      id,
      name: id,
      expected,
      atMs: null,
      call: { ...call, credentials: [{ ...rider, principal }], ...change },
    });
    const report = await run(releaseWith(GUARDED), null, [
      saved('own section passes', 'passed', {}),
      saved('other section is refused', 'refused', { target: '/gates-api/gates/S/positions' }),
      saved('nobody is refused', 'refused', { credentials: [] }),
      saved('wrong: nobody passes', 'passed', { credentials: [] }),
      saved('wrong: the own section is refused', 'refused', {}),
      saved('nothing there is refused', 'refused', { target: '/elsewhere' }),
    ]);
    const results = Object.fromEntries(report.items.filter(({ name }) => name.startsWith('saved: ')).map(({ tried, result }) => [tried, result]));
    expect(results).toEqual({
      'own section passes': 'holds',
      'other section is refused': 'holds',
      'nobody is refused': 'holds',
      'wrong: nobody passes': 'fails',
      'wrong: the own section is refused': 'fails',
      'nothing there is refused': 'holds',
    });
  });
});

describe('a report for pipelines', () => {
  const outcome = (change: Partial<TrialOutcome>): TrialOutcome => ({
    name: 'n',
    apiId: 'a',
    operationId: 'o',
    apiName: 'Gates <1>',
    method: 'GET',
    path: '/a?b="c"&d',
    tried: 'no\u0000thing',
    expected: 'refused',
    result: 'holds',
    step: 'route',
    code: 'route.matched',
    sentence: 'It was let in.',
    ...change,
  });

  it('counts what fails and what is open, and holds no character that XML has not', () => {
    const text = writeJUnit({ items: [outcome({}), outcome({ result: 'fails' }), outcome({ result: 'observed' })], tookMs: 1500 });
    expect(text).toContain('<testsuites name="trials" tests="3" failures="1" skipped="1" time="1.500">');
    expect(text).toContain('<testsuite name="Gates &lt;1&gt;" tests="3" failures="1" skipped="1">');
    expect(text).toContain('classname="GET /a?b=&quot;c&quot;&amp;d" name="no?thing"');
    expect(text).toContain('<failure message="expected refused: It was let in." type="route.matched"/>');
    expect(text).not.toContain('\u0000');
  });
});

describe('trials of plans and limits', () => {
  const plan: PlanRule = {
    id: 'small',
    name: 'Small',
    description: '',
    covers: [{ apiId: 'gates', operations: 'ALL' }],
    rate: null,
    quota: null,
    atOnce: null,
    requestBytes: null,
    mode: 'enforce',
    approval: 'by-hand',
  };
  const limit: LimitRule = { name: 'a minute', by: { kind: 'client' }, method: 'fixed', requests: 60, seconds: 60, burst: null, mode: 'enforce' };
  const key: SchemeRule = {
    name: 'key',
    type: 'apiKey',
    declared: 'apiKey',
    metadataUrl: null,
    providers: [],
    place: { kind: 'header', name: 'x-key', scheme: null },
  };
  const PLANNED: Partial<ApiRule> = {
    schemes: [...apiRule().schemes, key],
    access: {
      kind: 'required',
      origin: 'hand',
      alternatives: [[{ scheme: 'trust', scopes: ['gates:read'], match: 'all', roles: [] }], [{ scheme: 'key', scopes: [], match: 'all', roles: [] }]],
    },
    plan: { asked: true, attribute: null },
    limits: [limit],
  };
  const planned = (change: Partial<ApiRule> = {}): ReleaseDocument => ({ ...releaseWith({ ...PLANNED, ...change }), plans: [plan] });

  it('hold where a plan and limits stand, each stopped where it should be', async () => {
    const report = await run(planned());
    expect(failing(report)).toEqual([]);
    const codeOf = (words: string) => report.items.find((item) => item.tried === words)?.code;
    expect([
      codeOf('a good caller without a plan'),
      codeOf('a good caller whose plan nobody has approved'),
      codeOf('a good caller whose plan is suspended'),
      codeOf('a good caller whose plan has ended'),
      codeOf('a good caller whose plan has not begun'),
      codeOf('a good caller that has used up every limit'),
      codeOf('a token without any scope'),
    ]).toEqual(['plan.no-subscription', 'plan.waiting', 'plan.suspended', 'plan.ended', 'plan.not-yet', 'limit.rate', 'rights.scope-missing']);
  });

  it('try a body beyond what every plan allows, by the rules of what is live too', async () => {
    const bounded = (requestBytes: number | null, more: readonly PlanRule[] = []): ReleaseDocument => ({
      ...planned(),
      plans: [{ ...plan, requestBytes }, ...more],
    });
    const beyond = 'a good caller with a body of 101 bytes, beyond its plan';
    const report = await run(bounded(100));
    expect([failing(report), report.items.find(({ tried }) => tried === beyond)?.code]).toEqual([[], 'plan.too-large']);
    expect(failing(await run(bounded(null), bounded(100)))).toContain(beyond);
    const free: PlanRule = { ...plan, id: 'free', name: 'Free' };
    expect((await run(bounded(100, [free]))).items.filter(({ tried }) => tried.includes('beyond its plan'))).toEqual([]);
  });

  it('tell what a change would let in: no plan asked for any more, limits taken away or only observed', async () => {
    expect(failing(await run(planned({ plan: { asked: false, attribute: null } }), planned()))).toEqual(
      expect.arrayContaining(['a good caller without a plan']),
    );
    expect(failing(await run(planned({ limits: [] }), planned()))).toEqual(['a good caller that has used up every limit']);
    expect(failing(await run(planned({ limits: [{ ...limit, mode: 'observe' }] }), planned()))).toEqual(['a good caller that has used up every limit']);
  });

  it('are not masked by what holds up guessing', async () => {
    const guessed = {
      ...planned({ plan: { asked: false, attribute: null } }),
      guessing: { mode: 'enforce', seconds: 60, byAddress: 1, byCredential: 1 } as const,
    };
    const report = await run(guessed);
    expect(report.items.some(({ code }) => code === 'guess.too-many')).toBe(false);
  });
});
