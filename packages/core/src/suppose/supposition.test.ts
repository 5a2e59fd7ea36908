import { apiRule, AUDIENCE, goodClaims, makeProvider, NOW, operation, providerRule, releaseOf, requires, SECONDS, TestKeys } from '../../test/support.js';
import type { ApiRule } from '../document/release-document.js';
import { tokenRule, type TokenPlace } from '../document/token-rule.js';
import type { JsonObject } from '../token/read-token.js';
import type { Unknown } from './stand-in.js';
import { NOTHING_KNOWN, type KnownFacts, type SupposedCredential, type SupposedToken } from './supposed-caller.js';
import { ANY_REQUEST, type SupposedRequest } from './supposed-request.js';
import { Supposition, type SupposedOutcome, type SupposedWorld } from './supposition.js';

const KNOWN: Unknown = { hour: false, address: false, request: false, authorizers: 'none' };
const PROVIDER = providerRule();

const token = (claims: JsonObject = {}, more: Partial<SupposedToken> = {}): SupposedToken => ({
  kind: 'token',
  providerId: 'trust',
  form: 'jwt',
  typ: 'at+jwt',
  claims: { iss: PROVIDER.issuer, ...goodClaims(), ...claims },
  principal: null,
  vague: false,
  ...more,
});

async function decided(
  api: Partial<ApiRule>,
  credentials: readonly SupposedCredential[],
  { request = {}, world = {}, nowMs = NOW }: { request?: Partial<SupposedRequest>; world?: Partial<SupposedWorld>; nowMs?: number } = {},
): Promise<SupposedOutcome> {
  const document = releaseOf([PROVIDER], apiRule({ operations: [operation('POST', '/gates/{gateId}/positions')], ...api }));
  const supposition = new Supposition(document, { facts: NOTHING_KNOWN, unknown: KNOWN, keys: null, authorizers: null, ...world });
  const [called] = supposition.release.apis[0]?.operations ?? [];
  if (!called) throw new Error('the release has an operation');
  return supposition.decide({ operation: called, credentials, request: { ...ANY_REQUEST, address: '192.0.2.7', ...request }, nowMs });
}
const codeOf = ({ verdict }: SupposedOutcome): string => `${verdict.kind} ${verdict.finding.code}`;
const codesOf = ({ exchange }: SupposedOutcome): string[] => exchange.steps.map(({ finding }) => finding.code);

describe('a supposed token', () => {
  it('counts as proved, and is held to all that comes after', async () => {
    expect(codesOf(await decided({}, [token()]))).toEqual([
      'route.matched',
      'credential.found',
      'token.known',
      'proof.not-asked',
      'claims.not-asked',
      'rights.sufficient',
    ]);
    expect(codeOf(await decided({}, [token({ exp: SECONDS - 3600 })]))).toBe('answer token.expired');
    expect(codeOf(await decided({}, [token({ nbf: SECONDS + 3600 })]))).toBe('answer token.not-yet-valid');
    expect(codeOf(await decided({}, [token({ exp: 'soon' })]))).toBe('answer token.claim-malformed');
    expect(codeOf(await decided({}, [token({ aud: ['a', 'b'] })]))).toBe('answer token.audience-wrong');
    expect(codeOf(await decided({}, [token({ nonce: 'n' }, { typ: 'JWT' })]))).toBe('answer token.id-token');
    expect(codeOf(await decided({ token: tokenRule([AUDIENCE], { type: 'at+jwt' }) }, [token({}, { typ: null })]))).toBe('answer token.type-wrong');
  });

  it('is as old as the time says at which it is decided', async () => {
    expect(codeOf(await decided({}, [token()], { nowMs: NOW + 3_600_000 }))).toBe('answer token.expired');
    expect(codeOf(await decided({}, [token()], { nowMs: NOW - 3_600_000 }))).toBe('answer token.issued-in-future');
  });

  it('says what its claims say by the claim map, but for what stands in their place', async () => {
    const rider = {
      access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'trust', scopes: ['gates:read'], match: 'all', roles: ['rider'] }]] },
    } as const;
    expect(codeOf(await decided(rider, [token()]))).toBe('answer rights.role-missing');
    expect((await decided(rider, [token({ roles: ['rider'] })])).verdict.kind).toBe('forward');
    expect((await decided(rider, [token({}, { principal: { roles: ['rider'] } })])).verdict.kind).toBe('forward');
    expect(codeOf(await decided(rider, [token({ roles: ['rider'] }, { principal: { roles: [] } })]))).toBe('answer rights.role-missing');
  });

  it.each<[string, TokenPlace]>([
    ['a header', { kind: 'header', name: 'x-token', scheme: null }],
    ['a header with a scheme of its own', { kind: 'header', name: 'authorization', scheme: 'Token' }],
    ['a cookie', { kind: 'cookie', name: 'session' }],
    ['a query parameter', { kind: 'query', name: 'token' }],
  ])('travels in %s where the operation looks there', async (_words, place) => {
    expect((await decided({ token: tokenRule([AUDIENCE], { places: [place] }) }, [token()])).verdict.kind).toBe('forward');
  });

  it('of a provider that is revoked, off or not trusted opens nothing', async () => {
    const revoked: KnownFacts = {
      ...NOTHING_KNOWN,
      revocations: [{ id: 'r', kind: 'jti', providerId: 'trust', value: 'one', issuedBefore: null, reason: 'lost' }],
    };
    expect(codeOf(await decided({}, [token()], { world: { facts: revoked } }))).toBe('answer claims.revoked');
    const off: KnownFacts = {
      ...NOTHING_KNOWN,
      clients: [{ id: 'c', name: 'Tablet', enabled: false, roles: [], metadata: {} }],
      credentials: [{ id: 'k', clientId: 'c', kind: 'provider-client', name: 'rider-tablet', expiresAt: null, revokedAt: null, lookup: 'trust\nrider-tablet' }],
    };
    expect(codeOf(await decided({}, [token()], { world: { facts: off } }))).toBe('answer claims.client-off');
    expect((await decided({}, [token({}, { providerId: 'elsewhere' })])).verdict.kind).toBe('answer');
  });

  it('that is bound to a key is held with it, unless that is asked', async () => {
    const bound = token({ cnf: { jkt: 'thumbprint' } });
    expect(codesOf(await decided({}, [bound]))).toContain('proof.supposed');
    expect(codeOf(await decided({}, [bound], { world: { unknown: { ...KNOWN, possession: 'asked' } } }))).toBe('answer proof.missing');
    expect(codesOf(await decided({}, [token({ cnf: { 'x5t#S256': 'certificate' } })]))).toContain('proof.certificate-matched');
    expect(codeOf(await decided({ token: tokenRule([AUDIENCE], { dpop: 'required' }) }, [token()]))).toBe('answer proof.not-bound');
    expect(codeOf(await decided({}, [token({ cnf: { other: 1 } })]))).toBe('answer proof.confirmation-unknown');
  });
});

describe('a pasted token', () => {
  it('is proved by the keys that its provider publishes, and by nothing else', async () => {
    const trust = await makeProvider('trust', PROVIDER.issuer, 'RS256');
    const other = await makeProvider('trust', PROVIDER.issuer, 'RS256');
    const pasted = async (by: typeof trust, claims: JsonObject = {}): Promise<SupposedCredential> => ({
      kind: 'pasted',
      as: 'token',
      text: await by.sign({ ...goodClaims(), ...claims }),
    });
    const world = { keys: new TestKeys(trust) };
    expect(codesOf(await decided({}, [await pasted(trust)], { world }))).toContain('token.verified');
    expect(codeOf(await decided({}, [await pasted(trust, { exp: SECONDS - 3600 })], { world }))).toBe('answer token.expired');
    expect(codeOf(await decided({}, [await pasted(other)], { world }))).toBe('answer token.signature-invalid');
    expect((await decided({}, [await pasted(trust)])).verdict.kind).toBe('answer');
    expect((await decided({}, [{ kind: 'pasted', as: 'token', text: 'supposed.0.token' }], { world })).verdict.kind).toBe('answer');
    const supposition = new Supposition(releaseOf([PROVIDER], apiRule()), { facts: NOTHING_KNOWN, unknown: KNOWN, keys: world.keys, authorizers: null });
    expect(await supposition.readPasted((await pasted(trust)) as never)).toMatchObject({ kind: 'token', providerId: 'trust', vague: false });
    expect(await supposition.readPasted((await pasted(other)) as never)).toBeNull();
  });
});

describe('a supposed request', () => {
  it('has a body of a type that is taken, where its method has one', async () => {
    const message = { requestBytes: 100, contentTypes: ['application/*'], answerBytes: 'ANY_SIZE' } as const;
    expect((await decided({ message }, [token()])).verdict.kind).toBe('forward');
    expect(codeOf(await decided({ message }, [token()], { request: { body: 101, headers: { 'content-type': 'application/json' } } }))).toBe(
      'answer size.too-large',
    );
    expect(codeOf(await decided({ message }, [token()], { request: { body: 1, headers: {} } }))).toBe('answer type.missing');
    expect((await decided({ message }, [token()], { request: { body: null } })).verdict.kind).toBe('forward');
  });

  it('has its parameters in its path, however these are spelled', async () => {
    const conditions = [{ kind: 'own', name: 'own', source: 'request.parameters.gateId == "a/b ü%"' }] as const;
    expect((await decided({ conditions }, [token()], { request: { parameters: { gateId: 'a/b ü%' } } })).verdict.kind).not.toBe('');
    const plain = [{ kind: 'own', name: 'own', source: 'request.parameters.gateId == "b ü"' }] as const;
    expect((await decided({ conditions: plain }, [token()], { request: { parameters: { gateId: 'b ü' } } })).verdict.kind).toBe('forward');
  });

  it('keeps its query beside a credential that travels there', async () => {
    const place: TokenPlace = { kind: 'query', name: 'token' };
    const conditions = [{ kind: 'own', name: 'own', source: 'request.query.season == "dry"' }] as const;
    const outcome = await decided({ token: tokenRule([AUDIENCE], { places: [place] }), conditions }, [token()], { request: { query: '?season=dry' } });
    expect(outcome.verdict.kind).toBe('forward');
    expect(outcome.exchange.target).toMatch(/\?season=dry&token=/);
  });

  it('may be sent in another spelling and by another method than the operation’s own', async () => {
    const sentAs = { method: 'DELETE', path: '/gates-api/gates/1/positions' };
    expect(codeOf(await decided({}, [token()], { request: { sentAs } }))).toBe('answer route.method-not-allowed');
    expect((await decided({}, [token()], { request: { sentAs: { method: 'POST', path: '/gates-api//gates/1/positions' } } })).verdict.kind).toBe('answer');
  });

  it('comes from the address that is supposed, or from none', async () => {
    const addresses = { kind: 'only', of: ['192.0.2.0/24'] } as const;
    expect((await decided({ addresses }, [token()])).verdict.kind).toBe('forward');
    expect(codeOf(await decided({ addresses }, [token()], { request: { address: '::1' } }))).toBe('answer address.outside');
    expect(codeOf(await decided({ addresses }, [token()], { request: { address: null } }))).toBe('answer address.unknown');
  });
});

describe('clients', () => {
  const facts: KnownFacts = {
    ...NOTHING_KNOWN,
    clients: [
      { id: 'a', name: 'A', enabled: true, roles: ['reader'], metadata: {} },
      { id: 'b', name: 'B', enabled: true, roles: ['reader'], metadata: {} },
    ],
    credentials: [
      { id: 'key-a', clientId: 'a', kind: 'key', name: 'k', expiresAt: null, revokedAt: null, lookup: null },
      { id: 'cert-b', clientId: 'b', kind: 'certificate', name: 'c', expiresAt: null, revokedAt: null, lookup: 'thumb' },
    ],
  };
  const schemes: ApiRule['schemes'] = [
    { name: 'key', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place: { kind: 'query', name: 'key' } },
    { name: 'cert', type: 'mutualTLS', declared: 'mutualTLS', metadataUrl: null, providers: [], place: null },
  ];
  const both = {
    schemes,
    access: {
      kind: 'required',
      origin: 'hand',
      alternatives: [
        [
          { scheme: 'key', scopes: ['reader'], match: 'all', roles: [] },
          { scheme: 'cert', scopes: [], match: 'all', roles: [] },
        ],
      ],
    },
  } as const;

  it('are let in by what they have, and not by what another has', async () => {
    const world = { facts };
    expect((await decided({ schemes, access: requires('key', 'reader') }, [{ kind: 'key', credentialId: 'key-a' }], { world })).verdict.kind).toBe('forward');
    expect(codeOf(await decided({ schemes, access: requires('key', 'writer') }, [{ kind: 'key', credentialId: 'key-a' }], { world }))).toBe(
      'answer rights.scope-missing',
    );
    expect((await decided({ schemes, access: requires('cert') }, [{ kind: 'certificate', credentialId: 'cert-b' }], { world })).verdict.kind).toBe('forward');
    expect((await decided({ schemes, access: requires('cert') }, [{ kind: 'certificate', credentialId: 'gone' }], { world })).verdict.kind).toBe('answer');
    expect(
      codeOf(
        await decided(
          both,
          [
            { kind: 'key', credentialId: 'key-a' },
            { kind: 'certificate', credentialId: 'cert-b' },
          ],
          { world },
        ),
      ),
    ).toBe('answer rights.clients-differ');
    expect(codeOf(await decided(both, [{ kind: 'key', credentialId: 'key-a' }], { world }))).toBe('answer rights.credential-missing');
  });
});
