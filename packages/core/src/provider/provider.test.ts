import { exportJWK, generateKeyPair, generateSecret, type JWK } from 'jose';
import { readDiscovery, issuerProblem, wellKnownUrls } from './read-discovery.js';
import { readKeySet } from './read-key-set.js';

describe('where metadata may live', () => {
  test.each([
    ['https://a.example', ['https://a.example/.well-known/openid-configuration', 'https://a.example/.well-known/oauth-authorization-server']],
    // RFC 8414 section 3.1 has this example of an issuer with a path.
    [
      'https://example.com/issuer1',
      [
        'https://example.com/issuer1/.well-known/openid-configuration',
        'https://example.com/.well-known/oauth-authorization-server/issuer1',
        'https://example.com/.well-known/openid-configuration/issuer1',
      ],
    ],
  ])('of %s', (issuer, urls) => expect(wellKnownUrls(issuer)).toEqual(urls));

  test.each(['', 'a.example', 'ftp://a.example', 'https://a.example/?x', 'https://a.example/#x', 'https://u:p@a.example'])('%s is no issuer', (issuer) =>
    expect(issuerProblem(issuer)).not.toBeNull(),
  );
});

describe('metadata', () => {
  /** The members of the example of RFC 8414 section 3.2 that are read here. */
  const example = {
    issuer: 'https://server.example.com',
    authorization_endpoint: 'https://server.example.com/authorize',
    token_endpoint: 'https://server.example.com/token',
    jwks_uri: 'https://server.example.com/jwks.json',
    scopes_supported: ['openid', 'profile', 'email', 'address', 'phone', 'offline_access'],
  };

  test('RFC 8414 section 3.2 is read', () => {
    expect(readDiscovery(example, 'https://server.example.com')).toMatchObject({
      jwksUri: 'https://server.example.com/jwks.json',
      tokenEndpoint: 'https://server.example.com/token',
      scopes: example.scopes_supported,
    });
  });

  test.each<[string, object]>([
    ['an issuer in other case', { ...example, issuer: 'https://Server.example.com' }],
    ['no issuer', { ...example, issuer: undefined }],
    ['a key set that is no address', { ...example, jwks_uri: 'jwks.json' }],
  ])('is refused with %s', (_name, document) => expect(readDiscovery(document, 'https://server.example.com')).toHaveProperty('reason'));

  test('members of a wrong kind are left out, not trusted', () => {
    expect(readDiscovery({ ...example, token_endpoint: 7, scopes_supported: [1, 'a', null] }, 'https://server.example.com')).toMatchObject({
      tokenEndpoint: null,
      scopes: ['a'],
    });
  });
});

describe('key sets', () => {
  const published = async (algorithm: string, change: Partial<JWK> = {}): Promise<JWK> => ({
    ...(await exportJWK((await generateKeyPair(algorithm, { extractable: true })).publicKey)),
    kid: algorithm,
    ...change,
  });

  test.each(['RS256', 'PS384', 'ES256', 'ES384', 'ES512', 'EdDSA'])('a key for %s is read', async (algorithm) => {
    const set = await readKeySet({ keys: [await published(algorithm, { alg: algorithm, use: 'sig' })] });
    expect(set?.refused).toEqual([]);
    expect(set?.keys[0]?.bits).toBeGreaterThanOrEqual(256);
  });

  test('one bad key does not spoil the rest, and each is refused with its reason', async () => {
    const good = await published('ES256');
    const secret = await exportJWK(await generateSecret('HS256', { extractable: true }));
    const privateKey = await exportJWK((await generateKeyPair('ES256', { extractable: true })).privateKey);
    const set = await readKeySet({
      keys: [
        good,
        secret,
        privateKey,
        { ...good, use: 'enc' },
        { ...good, key_ops: ['sign'] },
        { ...good, alg: 'RS256' },
        { ...good, crv: 'secp256k1' },
        { kty: 'DSA' },
        'text',
        { ...good, x: 'AAAA' },
      ],
    });
    expect(set?.keys).toHaveLength(1);
    const reasons = ['symmetric', 'private part', '"enc"', 'key_ops', 'does not go with', 'is not known', 'is not known', 'not an object', 'not a valid key'];
    expect(set?.refused.map((key) => key.index)).toEqual([1, 2, 3, 4, 5, 6, 7, 8, 9]);
    set?.refused.forEach((key, index) => expect(key.reason).toContain(reasons[index]));
  });

  test.each([null, [], {}, { keys: {} }, 'text'])('%j is no key set', async (document) => expect(await readKeySet(document)).toBeNull());

  test.each<[string, (key: JWK) => Record<string, unknown>, RegExp]>([
    ['standard base64', (key) => ({ ...key, x: `${String(key.x).slice(0, -1)}+` }), /its x is in standard base64/],
    ['padding', (key) => ({ ...key, y: `${key.y ?? ''}=` }), /its y is in standard base64/],
    ['a member that is no text', (key) => ({ ...key, x: 7 }), /its x is not base64url/],
    ['a certificate chain alone', () => ({ kty: 'RSA', x5c: ['MIIB'] }), /its n and e are missing; it has a certificate chain/],
  ])('%s is named for what it is', async (_name, change, reason) => {
    const set = await readKeySet({ keys: [change(await published('ES256'))] });
    expect(set?.refused[0]?.reason).toMatch(reason);
  });

  test('a set of thousands is read up to its bound', async () => {
    const key = await published('ES256');
    const set = await readKeySet({ keys: Array.from({ length: 3000 }, () => key) });
    expect([set?.keys.length, set?.refused.length]).toEqual([500, 1]);
  });
});
