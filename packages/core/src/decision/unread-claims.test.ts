import fc from 'fast-check';
import { CompactSign } from 'jose';
import { apiRule, goodClaims, makeProvider, operation, portsOf, providerRule, releaseOf, requires, TestKeys, type TestProvider } from '../../test/support.js';
import { sourceOf, STANDARD_CLAIM_MAP } from '../document/claim-map.js';
import type { OperationRule } from '../document/release-document.js';
import type { TokenOverride } from '../document/token-rule.js';
import { compileFindUnread } from '../provider/unread-claims.js';
import { compileRelease } from '../release/compile-release.js';
import { isRounded } from '../util/is-rounded.js';
import { AnswerMemory } from '../authorizer/answer-memory.js';
import { decide } from './decide.js';
import { Exchange } from './exchange.js';
import type { Ports } from './ports.js';

// RFC 8259 section 6 and RFC 7493 section 2.2: outside of [-(2^53)+1, (2^53)-1] readers do not agree on whole numbers.
const LAST = '9007199254740991';
const MAP = {
  ...STANDARD_CLAIM_MAP,
  tenant: sourceOf(['/org/id', 'tenant']),
  attributes: [{ name: 'section', ...sourceOf(['sections']) }],
};

let trust: TestProvider;
beforeAll(async () => {
  trust = await makeProvider('trust');
});

/** What becomes of a token at an operation: that it passes, or the code and the claim that it is refused for. */
async function decided(text: string, change: Partial<OperationRule> = {}): Promise<string> {
  const api = apiRule({ operations: [{ ...operation('GET', '/x', requires('trust', 'gates:read')), ...change }] });
  const release = compileRelease(releaseOf([{ ...trust.rule, claimMap: MAP }], api), portsOf(new TestKeys(trust)));
  const { kind, finding } = await decide(release, new Exchange({ method: 'GET', target: '/gates-api/x', headers: { authorization: `Bearer ${text}` } }));
  return kind === 'forward' ? 'passes' : `${finding.code} ${String((finding.operands as { claim?: string }).claim ?? '')}`.trim();
}

/** A genuine token that says so in place of what good ones say. */
const signed = (members: string): Promise<string> => trust.sign({ ...goodClaims(), ...(JSON.parse(`{${members}}`) as object) });

/** What becomes of a token that says so, in JSON as it is written here. */
async function codeOf(members: string, token: TokenOverride = {}): Promise<string> {
  const good = JSON.stringify({ iss: trust.rule.issuer, ...goodClaims() });
  const text = await new CompactSign(new TextEncoder().encode(members === '' ? good : `${good.slice(0, -1)},${members}}`))
    .setProtectedHeader({ alg: 'RS256', kid: trust.jwk.kid ?? '', typ: 'at+jwt' })
    .sign(trust.privateKey);
  return decided(text, { token });
}

const refused = (claim: string): string => `token.claim-malformed ${claim}`;

describe('a token whose numbers are not those that its provider wrote', () => {
  it.each<[string, string]>([
    ['', 'passes'],
    [`"tenant":${LAST}`, 'passes'],
    [`"tenant":-${LAST}`, 'passes'],
    ['"tenant":7.5', 'passes'],
    ['"tenant":"9007199254740993"', 'passes'],
    // Read as 9007199254740992, which is what another tenant may be called.
    ['"tenant":9007199254740993', refused('tenant')],
    ['"tenant":9007199254740992', refused('tenant')],
    ['"tenant":-9007199254740993', refused('tenant')],
    ['"tenant":9007199254740993.0', refused('tenant')],
    ['"tenant":9.007199254740993e15', refused('tenant')],
    ['"tenant":1e400', refused('tenant')],
    ['"sections":["north",9007199254740993]', refused('sections')],
    ['"sections":["north",7]', 'passes'],
    ['"org":{"id":9007199254740993}', refused('/org/id')],
    // The second path would yield, and is not asked for: what stands at the first one cannot be told.
    ['"org":{"id":9007199254740993},"tenant":"north"', refused('/org/id')],
    // Nothing that says who is calling.
    ['"nonce":9007199254740993', 'passes'],
    ['"org":{"number":9007199254740993}', 'passes'],
  ])('%s', async (members, expected) => expect(await codeOf(members)).toBe(expected));

  it('meets no demand by a number that was rounded to it', async () => {
    const demands = (value: string): TokenOverride => ({ claims: [{ path: 'account', values: [value] }] });
    expect(await codeOf(`"account":${LAST}`, demands(LAST))).toBe('passes');
    expect(await codeOf('"account":"9007199254740993"', demands('9007199254740993'))).toBe('passes');
    for (const written of ['9007199254740993', '9007199254740992', '[9007199254740993]'])
      for (const wanted of ['9007199254740992', '9007199254740993']) expect(await codeOf(`"account":${written}`, demands(wanted))).toBe('claims.value account');
  });

  it('two different whole numbers are never one caller (property)', () => {
    const find = compileFindUnread(providerRule({ claimMap: MAP }));
    fc.assert(
      fc.property(fc.bigInt(-(2n ** 70n), 2n ** 70n), fc.bigInt(-5n, 5n), (number, by) => {
        const [one, other] = [number, number + by].map((value) => JSON.parse(`{"tenant":${value}}`) as { tenant: number });
        if (!one || !other || by === 0n) return;
        const told = find(one) === null && find(other) === null;
        expect(told && String(one.tenant) === String(other.tenant)).toBe(false);
      }),
      { numRuns: 500 },
    );
    expect([isRounded(NaN), isRounded(Infinity), isRounded(0.1), isRounded('9007199254740993'), isRounded(null)]).toEqual([true, true, false, false, false]);
  });
});

describe('a token that does not say who is calling', () => {
  const many = (count: number) => JSON.stringify(Array.from({ length: count }, (_, index) => index));
  it.each<[string, string]>([
    ['"client_id":["rider-tablet","workshop"]', refused('client_id or azp')],
    ['"client_id":{"id":"workshop"}', refused('client_id or azp')],
    ['"client_id":["workshop"]', 'passes'],
    ['"azp":["rider-tablet","workshop"],"client_id":null', refused('client_id or azp')],
    [`"roles":${many(2000)}`, 'passes'],
    [`"roles":${many(2001)}`, refused('roles')],
    [`"scope":"gates:read ${'a '.repeat(2000)}"`, refused('scope')],
    [`"scope":"gates:read ${'a '.repeat(1990)}"`, 'passes'],
    // Nobody is called by these, so that rules which look at them have the say.
    ['"groups":[{"name":"crew"}]', 'passes'],
    ['"tenant":["north","south"]', 'passes'],
  ])('%.60s', async (members, expected) => expect(await decided(await signed(members))).toBe(expected));
});

describe('a claim of which something cannot be read', () => {
  it.each<[string, string, string]>([
    // To ask what it does not hold would be met by what was not read.
    ['"groups":[{"name":"blocked"}]', '!("blocked" in principal.groups)', 'condition.error'],
    ['"groups":{"blocked":true}', '!("blocked" in principal.groups)', 'condition.error'],
    ['"groups":["crew",null]', '!("blocked" in principal.groups)', 'condition.error'],
    ['"groups":[]', '!("blocked" in principal.groups)', 'passes'],
    ['"groups":null', '!("blocked" in principal.groups)', 'passes'],
    ['"groups":["blocked"]', '!("blocked" in principal.groups)', 'condition.not-met'],
    ['"tenant":["north","south"]', '!has(principal.tenant)', 'condition.error'],
    ['"tenant":["north","south"]', 'principal.tenant == "north"', 'condition.error'],
    ['"roles":[{}]', '!("suspended" in principal.roles)', 'condition.error'],
    ['"sections":[["north"]]', '!has(principal.attributes.section)', 'condition.error'],
    ['"sections":[["north"]]', '!("section" in principal.attributes)', 'condition.error'],
    ['"groups":[{}]', '[principal].all(one, !has(one.groups))', 'condition.error'],
    // Whoever does not look at it is not asked.
    ['"groups":[{"name":"blocked"}]', 'principal.subject != ""', 'passes'],
    ['"sections":[["north"]]', '!("crew" in principal.groups)', 'passes'],
  ])('%s, %s', async (members, source, expected) => {
    expect(await decided(await signed(members), { conditions: [{ kind: 'own', name: 'looks', source }] })).toBe(expected);
  });

  it('is not shown to scripts, which would take what is left for all there is', async () => {
    const given: { principal: Record<string, unknown> }[] = [];
    const authorizers: Ports['authorizers'] = {
      run: (_callee, { input }) => {
        given.push(JSON.parse(input) as (typeof given)[number]);
        return Promise.resolve({ kind: 'answer', text: '{"allow":true}', tables: [] } as never);
      },
      ask: () => Promise.reject(new Error('nobody asks')),
      answers: new AnswerMemory(),
      told: () => undefined,
    };
    const by = { kind: 'script', body: false, source: 'function decide() {}', timeMs: 20, megabytes: 8, tables: [] } as const;
    const rule = { name: 'crew', description: '', by, passes: [], cache: null, cases: [] };
    const api = apiRule({ operations: [{ ...operation('GET', '/x', requires('trust', 'gates:read')), authorizers: ['crew'] }] });
    const document = { ...releaseOf([{ ...trust.rule, claimMap: MAP }], api), authorizers: [rule] };
    const release = compileRelease(document, { ...portsOf(new TestKeys(trust)), authorizers });
    for (const claims of [
      { groups: ['crew'], sections: ['north'] },
      { groups: ['crew', {}], sections: ['north', []] },
    ]) {
      const text = await trust.sign({ ...goodClaims(), ...claims });
      await decide(release, new Exchange({ method: 'GET', target: '/gates-api/x', headers: { authorization: `Bearer ${text}` } }));
    }
    expect(given.map(({ principal: { groups, attributes } }) => [groups, attributes])).toEqual([
      [['crew'], { section: ['north'] }],
      [undefined, {}],
    ]);
  });
});
