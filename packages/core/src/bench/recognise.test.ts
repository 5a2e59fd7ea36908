import fc from 'fast-check';
import { readToken, UnreadToken } from '../token/read-token.js';
import { compareTokens } from './compare-tokens.js';
import { recognise } from './recognise.js';

const encode = (value: unknown): string => Buffer.from(JSON.stringify(value)).toString('base64url');
const jwt = (header: object, claims: object): string => `${encode({ alg: 'RS256', ...header })}.${encode(claims)}.${'A'.repeat(86)}`;
const ACCESS = jwt({ typ: 'at+jwt' }, { sub: 's', scope: 'a' });
const ID = jwt({}, { sub: 's', nonce: 'n', aud: 'client' });
const PROOF = jwt({ typ: 'dpop+jwt', jwk: {} }, { htm: 'GET' });
const seen = (text: string) => recognise(text).map(({ kind, from }) => [kind, from]);

describe('what was pasted', () => {
  test.each<[string, string, [string, string][]]>([
    ['an access token', ACCESS, [['access-token', 'the text']]],
    ['an ID token', `  ${ID}\n`, [['id-token', 'the text']]],
    ['a JWT of no stated kind', jwt({ typ: 'JWT' }, { sub: 's' }), [['jwt', 'the text']]],
    ['a DPoP proof', PROOF, [['dpop-proof', 'the text']]],
    ['an encrypted token', `${encode({ alg: 'RSA-OAEP', enc: 'A256GCM' })}.a.b.c.d`, [['encrypted-token', 'the text']]],
    ['a value of Authorization', `Bearer ${ACCESS}`, [['access-token', 'an Authorization value']]],
    ['an Authorization header', `Authorization: Bearer ${ACCESS}`, [['access-token', 'the header authorization']]],
    [
      'headers of a request',
      `GET /gates HTTP/1.1\nhost: gw.example\nAuthorization: DPoP ${ACCESS}\nDPoP: ${PROOF}`,
      [
        ['access-token', 'the header authorization'],
        ['dpop-proof', 'the header dpop'],
      ],
    ],
    [
      'a curl line',
      `curl -s 'https://gw.example/gates' \\\n  -H 'Authorization: Bearer ${ACCESS}' -H "DPoP: ${PROOF}"`,
      [
        ['access-token', 'the curl line'],
        ['dpop-proof', 'the curl line'],
      ],
    ],
    ['a curl line with its own option', `curl https://gw.example --oauth2-bearer ${ACCESS}`, [['access-token', 'the curl line']]],
    ['a cookie', `Cookie: a=1; session=${ACCESS}`, [['access-token', 'a cookie in the header cookie']]],
    [
      'the answer of a token endpoint',
      JSON.stringify({ access_token: ACCESS, id_token: ID, token_type: 'Bearer' }),
      [
        ['access-token', 'the member access_token'],
        ['id-token', 'the member id_token'],
      ],
    ],
    [
      'a HAR entry (HAR 1.2)',
      JSON.stringify({ request: { headers: [{ name: 'Authorization', value: `Bearer ${ACCESS}` }] } }),
      [['access-token', 'the header Authorization of the HAR entry']],
    ],
    ['a key set', JSON.stringify({ keys: [{ kty: 'RSA' }] }), [['key-set', 'the text']]],
    ['the verifier of RFC 7636 appendix B', 'dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk', [['pkce-verifier', 'the text']]],
    ['an opaque token', '2YotnFZFEjr1zCsicMWpAA', [['opaque-token', 'the text']]],
    ['a JWT cut off', ACCESS.split('.').slice(0, 2).join('.'), [['cut-token', 'the text']]],
    ['a JWT with a line break', ACCESS.replace('.', '.\n'), [['cut-token', 'the text']]],
    ['a JWT in quotes', `"${ACCESS}"`, [['access-token', 'a text in quotes']]],
    ['JSON without a token', '{"a":1}', [['unknown', 'the text']]],
    ['a sentence', 'what is this', [['unknown', 'the text']]],
    ['nothing', '   ', []],
  ])('%s', (_name, text, expected) => expect(seen(text)).toEqual(expected));

  test('anything at all gets an answer, quickly', () => {
    fc.assert(fc.property(fc.oneof(fc.string({ maxLength: 3000 }), fc.json()), (text) => recognise(text).length <= 50));
    expect(recognise(`curl ${'-H '.repeat(20_000)}`).length).toBeGreaterThan(0);
    expect(recognise(`[${'['.repeat(5000)}${']'.repeat(5000)}]`)).toHaveLength(1);
  });
});

describe('two tokens side by side', () => {
  const parts = (text: string) => {
    const read = readToken(text);
    if (read instanceof UnreadToken) throw new Error(read.kind);
    return read;
  };

  test('say which members are equal, changed, or in one only', () => {
    const first = jwt({ kid: 'a' }, { sub: 's', aud: ['x', 'y'], n: { b: 1, a: 2 }, iat: 1 });
    const second = jwt({ kid: 'b' }, { sub: 's', aud: ['y', 'x'], n: { a: 2, b: 1 }, exp: 2 });
    expect(compareTokens(parts(first), parts(second)).map(({ name, kind }) => `${name} ${kind}`)).toEqual([
      'alg same',
      'kid changed',
      'sub same',
      'aud changed',
      'n same',
      'iat only-first',
      'exp only-second',
    ]);
  });

  test('a token and itself differ in nothing', () => expect(compareTokens(parts(ACCESS), parts(ACCESS)).every((row) => row.kind === 'same')).toBe(true));
});
