import fc from 'fast-check';
import { CompactSign } from 'jose';
import { apiRule, goodClaims, makeProvider, operation, portsOf, providerRule, releaseOf, requires, TestKeys, type TestProvider } from '../../test/support.js';
import { sourceOf, STANDARD_CLAIM_MAP } from '../document/claim-map.js';
import type { TokenOverride } from '../document/token-rule.js';
import { compileFindRounded } from '../provider/rounded-claims.js';
import { compileRelease } from '../release/compile-release.js';
import { isRounded } from '../util/is-rounded.js';
import { decide } from './decide.js';
import { Exchange } from './exchange.js';

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

/** What becomes of a token that says so, in JSON as it is written here. */
async function codeOf(members: string, token: TokenOverride = {}): Promise<string> {
  const good = JSON.stringify({ iss: trust.rule.issuer, ...goodClaims() });
  const text = await new CompactSign(new TextEncoder().encode(members === '' ? good : `${good.slice(0, -1)},${members}}`))
    .setProtectedHeader({ alg: 'RS256', kid: trust.jwk.kid ?? '', typ: 'at+jwt' })
    .sign(trust.privateKey);
  const api = apiRule({ operations: [{ ...operation('GET', '/x', requires('trust', 'gates:read')), token }] });
  const release = compileRelease(releaseOf([{ ...trust.rule, claimMap: MAP }], api), portsOf(new TestKeys(trust)));
  const exchange = new Exchange({ method: 'GET', target: '/gates-api/x', headers: { authorization: `Bearer ${text}` } });
  const { kind, finding } = await decide(release, exchange);
  return kind === 'forward' ? 'passes' : `${finding.code} ${String((finding.operands as { claim?: string }).claim ?? '')}`.trim();
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
    const find = compileFindRounded(providerRule({ claimMap: MAP }));
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
