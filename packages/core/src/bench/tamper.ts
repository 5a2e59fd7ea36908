import { CompactSign, exportJWK, exportSPKI, generateKeyPair, importJWK, type CryptoKey, type JWK } from 'jose';
import { isCanonicalBase64url } from '../util/base64url.js';
import type { Code } from '../verdict/codes.js';
import { readToken, UnreadToken, type JsonObject } from '../token/read-token.js';

/** What variants are made with. */
export interface TamperTools {
  /** Public key of the token's issuer, where one is held: for the HMAC confusion. */
  readonly publicKey: JWK | null;
  /** Signs as the token's issuer; only the bench's own issuer can. Without it, edited tokens keep their old signature. */
  readonly sign: ((header: JsonObject, claims: JsonObject) => Promise<string>) | null;
  readonly nowSeconds: number;
}

/** One token with one thing changed, and the codes with which a gateway should stop it. */
export interface TamperedToken {
  readonly id: string;
  readonly title: string;
  readonly token: string;
  readonly expected: readonly Code[];
}

interface Original {
  readonly text: string;
  readonly header: JsonObject;
  readonly claims: JsonObject;
  readonly parts: readonly [string, string, string];
}

interface Variant {
  readonly id: string;
  readonly title: string;
  readonly expected: readonly Code[];
  /** Null where the change cannot be made to this token. */
  readonly make: (original: Original, tools: TamperTools) => Promise<string | null> | string | null;
}

const BROKEN: readonly Code[] = ['token.signature-invalid'];
const encode = (value: unknown): string => encodeText(typeof value === 'string' ? value : JSON.stringify(value));

function encodeText(text: string): string {
  let binary = '';
  for (const byte of new TextEncoder().encode(text)) binary += String.fromCharCode(byte);
  return btoa(binary).replaceAll('+', '-').replaceAll('/', '_').replaceAll('=', '');
}

/** The old signature over other claims. */
const withClaims = ({ parts }: Original, claims: JsonObject): string => `${parts[0]}.${encode(claims)}.${parts[2]}`;
const withHeader = ({ parts, header }: Original, change: JsonObject, signature = parts[2]): string =>
  `${encode({ ...header, ...change })}.${parts[1]}.${signature}`;

/** An edit of the claims that is signed again where the bench can, so that the check behind the signature is met. */
const edited = (id: string, title: string, met: Code, edit: (original: Original, now: number) => { claims?: JsonObject; header?: JsonObject }): Variant => ({
  id,
  title,
  expected: [met, ...BROKEN],
  make: async (original, { sign, nowSeconds }) => {
    const { claims = {}, header = {} } = edit(original, nowSeconds);
    const [newHeader, newClaims] = [
      { ...original.header, ...header },
      { ...original.claims, ...claims },
    ];
    return sign ? sign(newHeader, newClaims) : `${encode(newHeader)}.${encode(newClaims)}.${original.parts[2]}`;
  },
});

const unsigned = (spelling: string): Variant => ({
  id: `none-${spelling}`,
  title: `alg “${spelling}”, no signature`,
  expected: ['token.algorithm-none'],
  make: (original) => withHeader(original, { alg: spelling }, ''),
});

/** Signs with a key of the attacker's own, which the header may carry or name. */
async function foreign(original: Original, change: (jwk: JWK) => JsonObject): Promise<string> {
  const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
  const header = { ...original.header, alg: 'ES256', ...change(await exportJWK(publicKey)) };
  return new CompactSign(new TextEncoder().encode(JSON.stringify(original.claims))).setProtectedHeader(header).sign(privateKey);
}

const FOREIGN: readonly Code[] = ['token.key-unknown', 'token.algorithm-refused', 'token.signature-invalid'];

/** Attacks and accidents that are tried on a token, each one change. Sources: RFC 8725 section 2, RFC 7515 section 10, common practice. */
const VARIANTS: readonly Variant[] = Object.freeze([
  {
    id: 'payload-edited',
    title: 'subject changed, old signature',
    expected: BROKEN,
    make: (o) => withClaims(o, { ...o.claims, sub: `${String(o.claims['sub'] ?? '')}.other` }),
  },
  {
    id: 'scope-added',
    title: 'scope added, old signature',
    expected: BROKEN,
    make: (o) => withClaims(o, { ...o.claims, scope: `${typeof o.claims['scope'] === 'string' ? o.claims['scope'] : ''} admin`.trim() }),
  },
  unsigned('none'),
  unsigned('None'),
  unsigned('NONE'),
  unsigned('nOnE'),
  { id: 'none-signed', title: 'alg “none”, old signature kept', expected: ['token.algorithm-none'], make: (o) => withHeader(o, { alg: 'none' }) },
  { id: 'no-signature', title: 'signature taken off', expected: BROKEN, make: (o) => `${o.parts[0]}.${o.parts[1]}.` },
  { id: 'hmac-confusion', title: 'HS256 with the issuer’s public key as secret', expected: ['token.algorithm-confused'], make: confuse },
  { id: 'kid-unknown', title: 'key id that nobody has', expected: ['token.key-unknown', ...BROKEN], make: (o) => withHeader(o, { kid: 'no-such-key' }) },
  { id: 'kid-path', title: 'key id that is a file path', expected: ['token.key-unknown', ...BROKEN], make: (o) => withHeader(o, { kid: '../../../dev/null' }) },
  { id: 'jwk-embedded', title: 'signed by a stranger, key carried along (jwk)', expected: FOREIGN, make: (o) => foreign(o, (jwk) => ({ jwk })) },
  {
    id: 'jku-foreign',
    title: 'signed by a stranger, key address carried along (jku)',
    expected: FOREIGN,
    make: (o) => foreign(o, () => ({ jku: 'https://stranger.example/keys' })),
  },
  { id: 'signed-by-stranger', title: 'signed by a stranger under the issuer’s key id', expected: FOREIGN, make: (o) => foreign(o, () => ({})) },
  { id: 'crit', title: 'critical extension that nobody knows', expected: ['token.critical-header'], make: (o) => withHeader(o, { crit: ['exp'], exp: 0 }) },
  edited('expired', 'expired an hour ago', 'token.expired', (_o, now) => ({ claims: { exp: now - 3600 } })),
  edited('not-yet-valid', 'not valid before next hour', 'token.not-yet-valid', (_o, now) => ({ claims: { nbf: now + 3600 } })),
  edited('issued-in-future', 'issued in the next hour', 'token.issued-in-future', (_o, now) => ({ claims: { iat: now + 3600 } })),
  edited('no-expiry', 'without expiry', 'token.expiry-missing', () => ({ claims: { exp: undefined } })),
  edited('other-audience', 'for another API', 'token.audience-wrong', () => ({ claims: { aud: 'https://another-api.example' } })),
  edited('other-issuer', 'of an issuer that nobody trusts', 'token.issuer-unknown', () => ({ claims: { iss: 'https://stranger.example' } })),
  edited('issuer-slash', 'issuer with a slash more or less', 'token.issuer-slash', (o) => ({ claims: { iss: flipSlash(String(o.claims['iss'] ?? '')) } })),
  edited('id-token', 'made into an ID token', 'token.id-token', (o) => ({
    header: { typ: 'JWT' },
    claims: { nonce: 'n-0S6', aud: o.claims['client_id'] ?? o.claims['azp'] ?? 'a-client' },
  })),
  { id: 'signature-bit', title: 'one bit of the signature flipped', expected: BROKEN, make: flipBit },
  { id: 'signature-spelling', title: 'signature in a second spelling of the same bytes', expected: ['token.malformed'], make: respell },
  {
    id: 'space-inside',
    title: 'blank inside the payload',
    expected: ['credential.malformed'],
    make: (o) => `${o.parts[0]}.${o.parts[1].slice(0, 8)} ${o.parts[1].slice(8)}.${o.parts[2]}`,
  },
  {
    id: 'line-break',
    title: 'line break inside the payload',
    expected: ['credential.malformed'],
    make: (o) => `${o.parts[0]}.${o.parts[1].slice(0, 8)}\n${o.parts[1].slice(8)}.${o.parts[2]}`,
  },
  {
    id: 'duplicate-member',
    title: 'subject standing twice',
    expected: ['token.duplicate-member'],
    make: (o) => `${o.parts[0]}.${encode(`{"sub":"somebody.else",${JSON.stringify({ sub: 'x', ...o.claims }).slice(1)}`)}.${o.parts[2]}`,
  },
  { id: 'cut', title: 'cut off before the signature', expected: ['token.cut'], make: (o) => `${o.parts[0]}.${o.parts[1]}` },
  {
    id: 'too-deep',
    title: 'nested 40 levels deep',
    expected: ['token.too-deep'],
    make: (o) => `${o.parts[0]}.${encode(`{"x":${'['.repeat(40)}${']'.repeat(40)}}`)}.${o.parts[2]}`,
  },
  { id: 'quoted', title: 'in quotes', expected: ['credential.malformed'], make: (o) => `"${o.text}"` },
  { id: 'doubled-scheme', title: 'with a second “Bearer” in front', expected: ['credential.malformed'], make: (o) => `Bearer ${o.text}` },
]);

/**
 * Every variant that can be made of a signed token, in a fixed order. Each differs from the token in one thing.
 * @returns null when the text is no signed JWT
 */
export async function tamper(text: string, tools: TamperTools): Promise<readonly TamperedToken[] | null> {
  const read = readToken(text);
  if (read instanceof UnreadToken) return null;
  const original: Original = { text, header: read.header, claims: read.claims, parts: text.split('.') as unknown as Original['parts'] };
  const made = await Promise.all(
    VARIANTS.map(async ({ id, title, expected, make }) => {
      const token = await make(original, tools);
      return token === null || token === text ? [] : [{ id, title, token, expected }];
    }),
  );
  return made.flat();
}

async function confuse(original: Original, { publicKey }: TamperTools): Promise<string | null> {
  if (!publicKey || publicKey.kty === 'oct') return null;
  const key = (await importJWK({ ...publicKey, ext: true }, publicKey.alg ?? String(original.header['alg']))) as CryptoKey;
  const secret = new TextEncoder().encode(await exportSPKI(key));
  return new CompactSign(new TextEncoder().encode(JSON.stringify(original.claims))).setProtectedHeader({ ...original.header, alg: 'HS256' }).sign(secret);
}

const flipSlash = (issuer: string): string => (issuer.endsWith('/') ? issuer.slice(0, -1) : `${issuer}/`);

const ALPHABET = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_';

/** Flips a bit in the middle, where every character carries six bits that count. */
function flipBit({ parts }: Original): string | null {
  const [header, payload, signature] = parts;
  const at = Math.floor(signature.length / 2);
  if (signature.length < 8) return null;
  const flipped = ALPHABET[ALPHABET.indexOf(signature.charAt(at)) ^ 1] ?? 'A';
  return `${header}.${payload}.${signature.slice(0, at)}${flipped}${signature.slice(at + 1)}`;
}

/** Sets a bit behind the last byte, which lenient decoders ignore; null where the length leaves none. */
function respell({ parts }: Original): string | null {
  const [header, payload, signature] = parts;
  if (signature.length % 4 === 0) return null;
  const last = ALPHABET[ALPHABET.indexOf(signature.charAt(signature.length - 1)) | 1] ?? '_';
  const spelled = `${signature.slice(0, -1)}${last}`;
  return isCanonicalBase64url(spelled) ? null : `${header}.${payload}.${spelled}`;
}
