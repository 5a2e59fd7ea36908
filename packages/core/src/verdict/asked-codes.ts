import { comparison, type Comparison, failing, meeting } from './code-entry.js';
import { lives, stamp } from './token-codes.js';

type Active = { provider: string; expiresAt: number | null; now: number; audience: string; until: number };
const active = (o: Active): Comparison[] => [
  comparison('active', 'true', 'true'),
  comparison('audience', o.audience, o.audience === 'ANY_AUDIENCE' ? 'not compared' : 'matches'),
  comparison('asked again after', null, stamp(o.until)),
];

/** Tokens that mean nothing by themselves: opaque ones, whose provider is asked, and encrypted ones. */
export const ASKED_CODES = {
  'token.active': meeting<Active>('token', {
    example: { provider: 'Dunlin Fieldworks', expiresAt: 1767225900000, now: 1767225600000, audience: 'ANY_AUDIENCE', until: 1767225660000 },
    sentence: (o) => `${o.provider} says that the token is active${lives(o)}.`,
    compare: active,
    standard: 'RFC 7662 section 2.2',
  }),
  'token.active-known': meeting<Active>('token', {
    example: { provider: 'Dunlin Fieldworks', expiresAt: 1767225900000, now: 1767225600000, audience: 'ANY_AUDIENCE', until: 1767225660000 },
    sentence: (o) => `${o.provider} said that the token is active; its answer may still be used${lives(o)}.`,
    compare: active,
    standard: 'RFC 7662 sections 2.2 and 4',
  }),
  'token.inactive': failing<{ provider: string; source: string; status: number }>('token', 401, {
    example: { provider: 'Dunlin Fieldworks', source: 'introspection', status: 200 },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) =>
      o.source === 'userinfo'
        ? `${o.provider} does not take the token: its endpoint answered ${o.status}.`
        : `${o.provider} says that the token is not active.`,
    compare: (o) => [comparison('active', 'true', o.source === 'userinfo' ? `status ${o.status}` : 'false')],
    standard: 'RFC 7662 section 2.2',
    remedy: 'The token has expired, was revoked, is of another environment, or was never one of this provider. Let the client get a new one.',
  }),
  'token.introspection-unavailable': failing<{ provider: string; reason: string }>('token', 503, {
    example: { provider: 'Dunlin Fieldworks', reason: 'no answer within 2000 ms' },
    title: 'The token cannot be checked at the moment',
    sentence: (o) => `${o.provider} could not be asked about the token: ${o.reason}.`,
    standard: 'RFC 7662 section 2.3, RFC 9110 section 15.6.4; fail closed (common practice)',
    remedy: 'Open the provider: it says how its endpoint answers. 401 or “invalid_client” there means that the gateway’s own credential is wrong.',
  }),
  'token.introspection-issuer': failing<{ provider: string; issuer: string; wanted: string }>('token', 401, {
    example: { provider: 'Dunlin Fieldworks', issuer: 'https://other.example', wanted: 'https://dunlin.example' },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `${o.provider} says that the token was issued by ${o.issuer}, not by itself.`,
    compare: (o) => [comparison('iss', o.wanted, o.issuer)],
    standard: 'RFC 7662 section 2.2, RFC 8725 section 3.8',
    remedy: 'If that issuer is trusted too, add it as a provider of its own. If only the spelling differs, correct the issuer of this provider.',
  }),
  'token.encrypted': failing<{ part?: string | null }>('token', 401, {
    example: {},
    challenge: 'invalid_token',
    title: 'The token is not one that this API takes',
    sentence: () => 'The token is encrypted (five parts, JWE), and this operation has no key to open it.',
    standard: 'RFC 7516 section 3.1',
    remedy: 'Let the provider issue signed tokens for this API; or give the API the private key that the provider encrypts to.',
  }),
  'token.secret-missing': failing<{ secret: string }>('token', 503, {
    example: { secret: 'api/gates/decryption' },
    title: 'The token cannot be checked at the moment',
    sentence: (o) => `The key named ${o.secret} that should open the token is not on this node, or is no private key.`,
    standard: 'RFC 9110 section 15.6.4; fail closed (common practice)',
    remedy: 'Look whether the secret is set under the API, and whether the node reaches the control plane.',
  }),
  'token.encryption-refused': failing<{ alg: string; enc: string; reason: string }>('token', 401, {
    example: { alg: 'RSA1_5', enc: 'A128GCM', reason: 'RSA1_5 is not taken' },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `The token is encrypted with ${o.alg} and ${o.enc}, and ${o.reason}.`,
    compare: (o) => [comparison('alg', 'RSA-OAEP, ECDH-ES, AES key wrap or dir', o.alg), comparison('enc', 'AES with authentication', o.enc)],
    standard: 'RFC 8725 sections 3.2, 3.4 and 3.6, RFC 7518 sections 4 and 5',
    remedy: 'Let the provider encrypt with RSA-OAEP-256 or ECDH-ES, uncompressed.',
  }),
  'token.decryption-failed': failing<{ alg: string; enc: string; kid: string | null }>('token', 401, {
    example: { alg: 'RSA-OAEP-256', enc: 'A256GCM', kid: 'e1' },
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `No key of this API opens the token (${o.alg}${o.kid === null ? '' : `, key ${o.kid}`}).`,
    compare: (o) => [comparison('kid', 'a key of this API', o.kid)],
    standard: 'RFC 7516 section 5.2',
    remedy: 'The provider encrypts to another key, or the token was changed. Compare the public key that the provider holds with the API’s.',
  }),
} as const;
