import { loadInterpreter, WORK_CLOCK } from '../../test/interpreter.js';
import { apiRule, goodClaims, makeProvider, NOW, operation, portsOf, providerRule, releaseOf, requires, TestKeys } from '../../test/support.js';
import { localScripts } from '../authorizer/local-scripts.js';
import { decide } from '../decision/decide.js';
import { Exchange } from '../decision/exchange.js';
import { Directory } from '../directory/directory.js';
import type { AuthorizerRule } from '../document/authorizer-rule.js';
import type { ReleaseDocument } from '../document/release-document.js';
import { compileRelease } from '../release/compile-release.js';
import { NOTHING_KNOWN, type KnownFacts, type SupposedToken } from '../suppose/supposed-caller.js';
import { Supposition } from '../suppose/supposition.js';
import { askCall, type CallAnswer, type CallQuestion } from './ask-call.js';
import { firstPassing, leastWay } from './let-through.js';

const scripts = localScripts(loadInterpreter, WORK_CLOCK);
const sections = { name: 'sections', paths: ['sections'], split: 'none', stripPrefixes: [], table: [], unlisted: 'keep', fallback: [] } as const;
const PROVIDER = providerRule({ claimMap: { ...providerRule().claimMap, attributes: [sections] } });

/** The rule of the demo for moving a gate, as a script. */
const OWN_SECTION: AuthorizerRule = {
  name: 'own section',
  description: '',
  by: {
    kind: 'script',
    body: false,
    timeMs: 100,
    megabytes: 8,
    tables: ['gates'],
    source: `function decide({ principal, request, resource }) {
      const gate = request.parameters.gateId;
      if (principal.roles.includes('dispatcher')) return { allow: true };
      if (!principal.roles.includes('rider')) return { allow: false, reason: 'only riders and dispatchers' };
      const section = resource.gates[gate]?.section;
      if (!section) return { allow: false, reason: 'nobody knows where ' + gate + ' lies' };
      return (principal.attributes.sections ?? []).includes(section) ? { allow: true } : { allow: false, reason: gate + ' lies in ' + section };
    }`,
  },
  passes: [],
  cache: null,
  cases: [],
};
const SERVICE: AuthorizerRule = {
  ...OWN_SECTION,
  name: 'water right',
  by: {
    kind: 'service',
    url: 'https://decisions.example/evaluation',
    credential: null,
    timeoutMs: 1000,
    allowLoopbackHttp: false,
    privateHosts: [],
    signIn: null,
    question: {
      subjectType: 'user',
      subjectId: 'principal.subject',
      action: '"move"',
      resourceType: 'gate',
      resourceId: 'request.parameters.gateId',
      properties: [],
    },
  },
};
const FACTS: KnownFacts = {
  ...NOTHING_KNOWN,
  tables: [
    {
      id: 'gates',
      key: 'gate',
      columns: ['gate', 'section'],
      rows: [
        ['G-1', 'north'],
        ['G-2', 'south'],
      ],
    },
  ],
};
const gates = (authorizers: readonly AuthorizerRule[]): ReleaseDocument => ({
  ...releaseOf(
    [PROVIDER],
    apiRule({
      operations: [operation('POST', '/gates/{gateId}/positions')],
      authorizers: authorizers.map(({ name }) => name),
      access: requires('trust', 'gates:operate'),
    }),
  ),
  authorizers,
});
const rider = (more: SupposedToken['principal'] = {}): SupposedToken => ({
  kind: 'token',
  providerId: 'trust',
  form: 'jwt',
  typ: null,
  claims: { iss: PROVIDER.issuer },
  principal: { subject: 'rider.north', client: 'tablet', scopes: ['gates:operate'], roles: ['rider'], attributes: { sections: ['north'] }, ...more },
  vague: false,
});
const supposed = (document: ReleaseDocument) =>
  new Supposition(document, {
    facts: FACTS,
    unknown: { hour: false, address: false, request: false, authorizers: 'services' },
    keys: null,
    authorizers: scripts,
  });
const question = (change: Partial<CallQuestion> = {}): CallQuestion => ({
  method: 'POST',
  target: '/gates-api/gates/G-1/positions',
  headers: {},
  address: '192.0.2.7',
  body: null,
  credentials: [rider()],
  atMs: NOW,
  ...change,
});
const ask = (change: Partial<CallQuestion> = {}, document = gates([OWN_SECTION])): Promise<CallAnswer | null> =>
  askCall(supposed(document), FACTS, question(change));
const words = (answer: CallAnswer | null): string[] => (answer?.letThrough ?? []).map(({ changes }) => changes.map((change) => change.words).join(' and '));

describe('a call that is asked about', () => {
  it('that passes is held by its token, its scope, its role and its section, and by nothing else', async () => {
    const answer = await ask();
    expect(answer).toMatchObject({ outcome: 'passed', hangsOn: [], letThrough: [] });
    expect(answer?.held.map(({ without, step }) => `${without} ${step}`)).toEqual([
      'the token credential',
      'the scope gates:operate rights',
      'the role rider authorizer',
      'sections of the token authorizer',
    ]);
  });

  it('that a script refuses says which gate, section or role would do', async () => {
    const answer = await ask({ target: '/gates-api/gates/G-2/positions' });
    expect(answer).toMatchObject({ outcome: 'refused', code: 'authorizer.denied' });
    expect(words(answer)).toEqual(expect.arrayContaining(['gateId G-1 in the path', 'south among sections of the token', 'the role dispatcher']));
  });

  it('that lacks a header field which a script reads says which', async () => {
    const source = `function decide({ request }) { return { allow: request.headers['x-crew'] === 'south' && request.query?.["season"] === 'dry' } }`;
    const crew: AuthorizerRule = {
      ...OWN_SECTION,
      name: 'crew',
      by: { ...OWN_SECTION.by, kind: 'script', timeMs: 100, megabytes: 8, tables: [], body: false, source },
    };
    expect(words(await ask({ headers: { 'x-crew': 'north' }, target: '/gates-api/gates/G-1/positions?season=dry' }, gates([crew])))).toEqual([
      'the header x-crew with south',
    ]);
    expect(words(await ask({ headers: { 'x-crew': 'south' } }, gates([crew])))).toEqual(['the query parameter season with dry']);
  });

  it('that lacks several things says all of them', async () => {
    const answer = await ask({ credentials: [rider({ scopes: [], roles: [], attributes: {} })] });
    const [first = ''] = words(answer);
    expect(first.split(' and ').sort()).toEqual(['the role dispatcher', 'the scope gates:operate']);
  });

  it('of nobody names a token', async () => {
    expect(words(await ask({ credentials: [] }))[0]).toMatch(/^a token of trust and /);
  });

  it('hangs on a service, which nobody asks', async () => {
    const answer = await ask({}, gates([SERVICE]));
    expect(answer).toMatchObject({ outcome: 'passed', hangsOn: ['what water right says'] });
    expect((await ask({ credentials: [rider({ scopes: [] })] }, gates([SERVICE])))?.letThrough[0]).toMatchObject({ hangsOn: ['what water right says'] });
  });

  it('hangs on a script that comes to no end here, which refuses nothing by that', async () => {
    const endless = { ...OWN_SECTION, by: { ...OWN_SECTION.by, timeMs: 5, source: 'function decide({ principal }) { for (;;); }' } as AuthorizerRule['by'] };
    expect(await ask({}, gates([endless]))).toMatchObject({ outcome: 'passed', hangsOn: ['what own section says'] });
    expect((await ask({ credentials: [rider({ scopes: [] })] }, gates([endless])))?.letThrough).toEqual([
      { changes: [{ kind: 'scope', words: 'the scope gates:operate', or: [] }], hangsOn: ['what own section says'] },
    ]);
    // What it fails at, it fails at everywhere.
    const failing = { ...endless, by: { ...endless.by, source: 'function decide() { return nothing; }' } as AuthorizerRule['by'] };
    expect(await ask({}, gates([failing]))).toMatchObject({ outcome: 'refused', code: 'authorizer.fault' });
  });

  it('that leads to no operation has no answer', async () => {
    for (const target of ['/elsewhere', '/gates-api/gates', '/gates-api//gates/G-1/positions', '*', ''])
      expect([target, await ask({ target })]).toEqual([target, null]);
    expect(await ask({ method: 'DELETE' })).toBeNull();
    expect(await ask({ method: 'post' })).toBeNull();
  });

  it('ends its search when it has gone on long enough', async () => {
    let asked = 0;
    const answer = await askCall(supposed(gates([OWN_SECTION])), FACTS, question({ credentials: [rider({ scopes: [], roles: [] })] }), () => ++asked > 3);
    expect([answer?.letThrough, answer?.cut]).toEqual([[], true]);
    expect(asked).toBeLessThan(20);
  });

  it('with a pasted token is taken at its word where its provider vouches for it', async () => {
    const trust = await makeProvider('trust', PROVIDER.issuer, 'RS256');
    const text = await trust.sign({ ...goodClaims({ scope: 'gates:read' }), roles: ['dispatcher'] });
    const supposition = new Supposition(gates([OWN_SECTION]), {
      facts: FACTS,
      unknown: { hour: false, address: false, request: false, authorizers: 'services' },
      keys: new TestKeys(trust),
      authorizers: scripts,
    });
    const answer = await askCall(supposition, FACTS, question({ credentials: [{ kind: 'pasted', as: 'token', text }] }));
    expect(answer).toMatchObject({ outcome: 'refused', code: 'rights.scope-missing' });
    expect(words(answer)[0]).toBe('the scope gates:operate');
    const forged = await askCall(supposition, FACTS, question({ credentials: [{ kind: 'pasted', as: 'token', text: `${text.slice(0, -8)}AAAAAAAA` }] }));
    expect(words(forged)[0]).toMatch(/^a token of trust/);
  });

  it('comes to the same as a real one, scripts included', async () => {
    const trust = await makeProvider('trust', PROVIDER.issuer, 'RS256');
    const document = gates([OWN_SECTION]);
    const directory = new Directory(FACTS.tables.map((value) => ({ what: 'table', id: value.id, value })));
    const release = compileRelease(
      document,
      portsOf(new TestKeys(trust), () => NOW, { authorizers: scripts, directory: () => directory }),
    );
    for (const gate of ['G-1', 'G-2', 'G-3'])
      for (const roles of [[], ['rider'], ['dispatcher']])
        for (const own of [[], ['north'], ['south', 'north']]) {
          const real = new Exchange({
            method: 'POST',
            target: `/gates-api/gates/${gate}/positions`,
            headers: { authorization: `Bearer ${await trust.sign({ ...goodClaims({ scope: 'gates:operate' }), roles, sections: own })}` },
            from: { address: '192.0.2.7', via: [], unread: '' },
          });
          const verdict = await decide(release, real);
          const answer = await ask({ target: `/gates-api/gates/${gate}/positions`, credentials: [rider({ roles, attributes: { sections: own } })] });
          expect([gate, roles, own, answer?.outcome, answer?.outcome === 'refused' ? answer.code : '']).toEqual([
            gate,
            roles,
            own,
            verdict.kind === 'forward' ? 'passed' : 'refused',
            verdict.kind === 'forward' ? '' : verdict.finding.code,
          ]);
        }
  });
});

describe('a way in', () => {
  const supposition = supposed(gates([OWN_SECTION]));
  const [called] = supposition.release.apis[0]?.operations ?? [];
  if (!called) throw new Error('the release has an operation');
  const call = {
    operation: called,
    credentials: [rider({ roles: [], attributes: {} })],
    request: { parameters: {}, query: '', headers: {}, address: null, body: null },
    nowMs: NOW,
  };

  it('that was not looked for to the end may be there, which is no refusal', async () => {
    expect(await leastWay(supposition, call, FACTS, {})).toContain('the role dispatcher');
    expect(await leastWay(supposition, call, FACTS, { kinds: ['address'] })).toBeNull();
    expect(await leastWay(supposition, call, FACTS, { isOver: () => true })).toEqual(['more than was tried']);
  });

  it('is looked for on the grounds that are meant, where another is shorter', async () => {
    const token = async (found: Awaited<ReturnType<typeof firstPassing>>) => (found?.credentials[0] as SupposedToken | undefined)?.principal ?? null;
    expect((await token(await firstPassing(supposition, call, FACTS, {})))?.roles).toEqual(['dispatcher']);
    const isMeant = async (found: typeof call) =>
      (await supposition.decide({ ...found, credentials: found.credentials.map((one) => ({ ...one, principal: { ...one.principal, attributes: {} } })) }))
        .verdict.kind === 'answer';
    const own = await firstPassing(supposition, call, FACTS, { isMeant: isMeant as never });
    expect(await token(own)).toMatchObject({ roles: ['rider'] });
    expect(Object.values(own?.request.parameters ?? {})[0]).toMatch(/^G-[12]$/);
  });
});
