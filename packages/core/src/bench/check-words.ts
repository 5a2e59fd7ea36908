import type { CompiledOperation } from '../decision/compiled.js';
import type { ClaimCheck } from '../decision/claims-step.js';
import type { TokenCheck } from '../token/check-claims.js';
import type { VerifiedToken } from '../token/verified-token.js';
import { leewayOf } from '../token/check-claims.js';
import { shorten, type HeaderCheck } from '../token/verify-token.js';
import { finding, type Finding } from '../verdict/codes.js';

/** Every check of a token, in the gateway's order. */
export type TokenCheckId =
  | 'credential'
  | 'form'
  | HeaderCheck['id']
  | 'signature'
  | 'decryption'
  | 'introspection'
  | 'provider'
  | TokenCheck['id']
  | 'proof'
  | ClaimCheck['id']
  | 'rights';

/** Every check that the bench shows: those of the token, and those of what goes along with it. */
export type CheckId = TokenCheckId | 'key' | 'basic' | 'certificate';

/** How each check is called on screen. */
export const CHECK_NAMES: Readonly<Record<CheckId, string>> = {
  credential: 'How it is sent',
  form: 'Form',
  signed: 'Is signed',
  'critical-header': 'Critical extensions',
  issuer: 'Issuer',
  algorithm: 'Algorithm',
  signature: 'Signature',
  decryption: 'Decryption',
  introspection: 'The provider’s word',
  provider: 'Provider of this API',
  'provider-algorithm': 'Algorithm of this API',
  kind: 'Access token',
  type: 'Type',
  audience: 'Audience',
  expiry: 'Not expired',
  'not-before': 'Already valid',
  'issued-at': 'Issued in the past',
  identity: 'Who is calling can be read',
  proof: 'Proof of possession',
  revoked: 'Not revoked',
  'client-off': 'Client is on',
  client: 'Client',
  age: 'Age',
  claim: 'Claim demanded',
  'step-up': 'Sign-in',
  rights: 'Scopes and roles',
  key: 'API key',
  basic: 'Name and secret',
  certificate: 'Client certificate',
};

interface Words {
  readonly says: string;
  readonly wanted?: string;
  readonly found?: string;
}

const text = (value: unknown): string => (value === undefined ? '' : shorten(typeof value === 'string' ? value : JSON.stringify(value), 160));
const time = (value: unknown): string => (typeof value === 'number' && Math.abs(value) < 8e12 ? new Date(value * 1000).toISOString() : text(value));
const all = (values: readonly string[] | string): string => (typeof values === 'string' ? values : values.join(', '));

type Say = (token: VerifiedToken | null, operation: CompiledOperation, nowMs: number) => Words;

/** What a check compared when it passed. */
const PASSED: Readonly<Record<TokenCheckId, Say>> = {
  credential: () => ({ says: 'The token stands where the operation looks for it' }),
  form: () => ({ says: 'Three parts of canonical base64url, two of them JSON objects without repeated members' }),
  signed: (token) => ({ says: 'The header names a signature algorithm', found: text(token?.algorithm) }),
  'critical-header': () => ({ says: 'The header declares nothing critical that this gateway does not know' }),
  issuer: (token) => ({ says: 'The issuer is trusted', wanted: text(token?.provider.issuer), found: text(token?.claims['iss']) }),
  algorithm: (token) => ({ says: 'The provider’s tokens may be signed so', wanted: all(token?.provider.algorithms ?? []), found: text(token?.algorithm) }),
  signature: (token) => ({ says: 'A key of the issuer verifies the signature', found: token?.kid ? `key ${token.kid}` : 'a key without kid' }),
  decryption: (token) => ({ says: 'The token was opened, and what is inside is genuine', found: text(token?.decryptedBy) }),
  introspection: (token) => ({ says: 'The provider says that the token is active', wanted: 'active true', found: text(token?.provider.name) }),
  provider: (token) => ({ says: 'The operation takes tokens of this provider', found: text(token?.provider.name) }),
  'provider-algorithm': (token, { token: rule }) => ({
    says: token?.form === 'opaque' ? 'It is not verified by a signature here' : 'The API takes this algorithm',
    wanted: all(rule.algorithms),
    found: text(token?.algorithm ?? undefined),
  }),
  kind: () => ({ says: 'Nothing marks it as an ID token' }),
  type: (token, { token: rule }) => ({
    says: token?.form === 'opaque' ? 'An opaque token has no type; none is asked of it' : rule.type === 'ANY_TYPE' ? 'Any type is taken' : 'The type fits',
    wanted: rule.type,
    found: token?.typ ?? 'none',
  }),
  audience: (token, { token: rule }) => ({
    says: rule.audiences === 'ANY_AUDIENCE' ? 'The audience is not compared: ANY_AUDIENCE' : 'It was issued for this API',
    wanted: all(rule.audiences),
    found: text(token?.claims['aud']),
  }),
  expiry: (token, { token: rule }, now) => ({
    says: token?.claims['exp'] === undefined ? 'The provider stands for its life' : 'It has not expired',
    wanted: token ? `after ${time(now / 1000)}, leeway ${leewayOf(token, rule)} s` : '',
    found: time(token?.claims['exp']),
  }),
  'not-before': (token) => ({ says: token?.claims['nbf'] === undefined ? 'It names no beginning' : 'Its time has begun', found: time(token?.claims['nbf']) }),
  'issued-at': (token) => ({
    says: token?.claims['iat'] === undefined ? 'It does not say when it was issued' : 'It was not issued in the future',
    found: time(token?.claims['iat']),
  }),
  identity: () => ({ says: 'Each claim that says who is calling says one thing' }),
  proof: () => ({ says: 'No proof is asked for' }),
  revoked: () => ({ says: 'It is on no list of revocations' }),
  'client-off': (token) => ({ says: 'Its client is not switched off here', found: text(token?.principal.client ?? undefined) }),
  client: (token, { token: rule }) => ({
    says: 'The client is one of those taken',
    wanted: all(rule.clients),
    found: text(token?.principal.client ?? undefined),
  }),
  age: (token, { token: rule }) => ({ says: 'It is new enough', wanted: `at most ${rule.maxAgeSeconds ?? 0} s`, found: time(token?.claims['iat']) }),
  claim: () => ({ says: 'The claim that is demanded is there with a value that is taken' }),
  'step-up': (token, { token: rule }) => ({
    says: 'The sign-in was strong and new enough',
    wanted: all(rule.stepUp?.acrValues ?? []),
    found: text(token?.principal.acr ?? undefined),
  }),
  rights: () => ({ says: 'The caller has what the rule asks for' }),
};

/** The finding of a check that passed, with what it compared. */
export function passedCheck(id: TokenCheckId, token: VerifiedToken | null, operation: CompiledOperation, nowMs: number): Finding {
  const { says, wanted = '', found = '' } = PASSED[id](token, operation, nowMs);
  return finding('bench.check-passed', { says, wanted, found });
}
