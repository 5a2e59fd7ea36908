import { comparison, list, passing, refusal } from './code-entry.js';
import { stamp } from './token-codes.js';

type None = Record<never, never>;
const dpop = { challenge: 'invalid_dpop_proof', title: 'The proof of possession is not accepted' } as const;

/** Does the sender hold the key or certificate that the token is bound to? */
export const PROOF_CODES = {
  'proof.not-asked': passing<None>('proof', 'skip', { sentence: () => 'The token is bound to no key, and the rule asks for no binding.' }),
  'proof.verified': passing<{ alg: string; thumbprint: string }>('proof', 'pass', {
    sentence: (o) => `The DPoP proof is genuine (${o.alg}), fresh, for this request, and by the key that the token is bound to.`,
    compare: (o) => [comparison('cnf.jkt', o.thumbprint, o.thumbprint)],
    standard: 'RFC 9449 section 4.3',
  }),
  'proof.certificate-matched': passing<{ thumbprint: string }>('proof', 'pass', {
    sentence: () => 'The client certificate is the one that the token is bound to.',
    compare: (o) => [comparison('cnf.x5t#S256', o.thumbprint, o.thumbprint)],
    standard: 'RFC 8705 section 3',
  }),
  'proof.bound-as-bearer': refusal<None>('proof', 401, {
    challenge: 'invalid_token',
    title: 'The token is bound to a key and was sent as Bearer',
    sentence: () => 'The token is bound to a DPoP key (cnf.jkt), but it was sent as Bearer: without its proof it could be a stolen one.',
    compare: () => [comparison('scheme', 'DPoP', 'Bearer')],
    standard: 'RFC 9449 section 7.2',
    remedy: 'Let the client send “Authorization: DPoP …” and a DPoP header with a proof made for this request.',
  }),
  'proof.not-bound': refusal<{ binding: string }>('proof', 401, {
    challenge: 'invalid_token',
    title: 'A token bound to a key is needed',
    sentence: (o) => `The token is not bound to ${o.binding}, which this call needs.`,
    compare: (o) => [comparison('cnf', o.binding, null)],
    standard: 'RFC 9449 section 7.1, RFC 8705 section 3',
    remedy: 'Let the client ask for a bound token: with a DPoP proof, or over mutual TLS, at the token endpoint of its provider.',
  }),
  'proof.confirmation-unknown': refusal<{ members: readonly string[] }>('proof', 401, {
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    sentence: (o) => `The token is bound in a way that this gateway cannot check: ${list(o.members)}.`,
    standard: 'RFC 7800 section 3.1; fail closed (common practice)',
    remedy: 'Let the provider bind its tokens by DPoP (jkt) or by certificate (x5t#S256).',
  }),
  'proof.missing': refusal<None>('proof', 401, {
    ...dpop,
    sentence: () => 'The token came as DPoP, but the request has no DPoP header with a proof.',
    compare: () => [comparison('DPoP', 'a proof', null)],
    standard: 'RFC 9449 sections 4.3 and 7.1',
    remedy: 'Let the client make a new proof for each request and send it in the header DPoP. A browser page needs that header among the CORS headers.',
  }),
  'proof.repeated': refusal<{ count: number }>('proof', 401, {
    ...dpop,
    sentence: (o) => `There are ${o.count} proofs; exactly one is allowed.`,
    standard: 'RFC 9449 section 4.3, point 1',
    remedy: 'Send the DPoP header once. A client and a library that both add it are the usual cause.',
  }),
  'proof.malformed': refusal<{ reason: string }>('proof', 401, {
    ...dpop,
    sentence: (o) => `The DPoP proof is malformed: ${o.reason}.`,
    standard: 'RFC 9449 sections 4.2 and 4.3',
    remedy: 'A proof is a JWT of type dpop+jwt with the public key in its header, signed by that key, with jti, htm, htu, iat and ath.',
  }),
  'proof.algorithm': refusal<{ alg: string; accepted: readonly string[] }>('proof', 401, {
    ...dpop,
    sentence: (o) => `The DPoP proof is signed with ${o.alg}, which is not taken.`,
    compare: (o) => [comparison('alg', list(o.accepted), o.alg)],
    standard: 'RFC 9449 section 4.3, point 5',
    remedy: 'Sign proofs with an asymmetric algorithm, such as ES256.',
  }),
  'proof.signature': refusal<{ alg: string }>('proof', 401, {
    ...dpop,
    sentence: () => 'The signature of the DPoP proof does not match the key in its header.',
    standard: 'RFC 9449 section 4.3, point 6',
    remedy: 'Sign the proof with the private part of the key in its header, after all claims are set.',
  }),
  'proof.method': refusal<{ wanted: string; found: string }>('proof', 401, {
    ...dpop,
    sentence: (o) => `The proof was made for ${o.found}, the request is ${o.wanted}.`,
    compare: (o) => [comparison('htm', o.wanted, o.found)],
    standard: 'RFC 9449 section 4.3, point 8',
    remedy: 'Make a new proof for each request, with its own method.',
  }),
  'proof.target': refusal<{ wanted: string; found: string }>('proof', 401, {
    ...dpop,
    sentence: (o) => `The proof was made for ${o.found}, the request went to ${o.wanted}.`,
    compare: (o) => [comparison('htu', o.wanted, o.found)],
    standard: 'RFC 9449 section 4.3, point 9',
    remedy: 'Use the address that the client calls, without query. If another host stands in front of the gateway, set the gateway’s public address to it.',
  }),
  'proof.time': refusal<{ at: number; now: number; pastSeconds: number; futureSeconds: number }>('proof', 401, {
    ...dpop,
    sentence: (o) => (o.at > o.now ? 'The proof says that it was made in the future.' : 'The proof is too old.'),
    compare: (o) => [comparison('iat', `within ${o.pastSeconds} s before and ${o.futureSeconds} s after ${stamp(o.now)} (now)`, stamp(o.at))],
    standard: 'RFC 9449 section 4.3, point 11',
    remedy: 'Make a new proof for each request, and set the client’s clock right. Where clients cannot, let proofs carry a nonce.',
  }),
  'proof.nonce': refusal<{ sent: boolean }>('proof', 401, {
    challenge: 'use_dpop_nonce',
    title: 'The proof needs a nonce of this server',
    sentence: (o) =>
      o.sent ? 'The nonce of the proof is not one of this gateway, or too old.' : 'The proof carries no nonce, and this operation asks for one.',
    standard: 'RFC 9449 section 9',
    remedy: 'The client takes the nonce out of the answer’s DPoP-Nonce header and tries once more; proper libraries do that by themselves.',
  }),
  'proof.token': refusal<{ sent: boolean }>('proof', 401, {
    ...dpop,
    sentence: (o) => (o.sent ? 'The proof was made for another access token (ath).' : 'The proof does not name the access token (ath).'),
    standard: 'RFC 9449 section 4.3, point 12',
    remedy: 'Set ath to the base64url SHA-256 of the access token that is sent with the proof.',
  }),
  'proof.key': refusal<{ wanted: string; found: string }>('proof', 401, {
    challenge: 'invalid_token',
    title: 'The token is bound to another key',
    sentence: () => 'The proof was made with another key than the one that the token is bound to.',
    compare: (o) => [comparison('cnf.jkt', o.wanted, o.found)],
    standard: 'RFC 9449 section 4.3, point 12, and section 6.1',
    remedy: 'Use the key with which the token was asked for. A client that lost its key gets a new token.',
  }),
  'proof.unknowable': refusal<{ because: string }>('proof', 401, {
    title: 'The proof of possession cannot be checked now',
    challenge: 'invalid_dpop_proof',
    sentence: (o) => `This node cannot tell whether the proof was used before: ${o.because}.`,
    standard: 'RFC 9449 section 11.1',
    remedy: 'A new proof passes; clients make one for each request.',
  }),
  'proof.replayed': refusal<None>('proof', 401, {
    ...dpop,
    sentence: () => 'A proof with this jti was used already, or the memory of used proofs is full.',
    standard: 'RFC 9449 section 11.1',
    remedy: 'Make a new proof for each request, retries included. If nobody retried, somebody caught a proof and sent it again.',
  }),
  'proof.certificate-missing': refusal<{ wanted: string }>('proof', 401, {
    challenge: 'invalid_token',
    title: 'The token is bound to a client certificate',
    sentence: () => 'The token is bound to a client certificate, and the gateway saw none with this request.',
    compare: (o) => [comparison('cnf.x5t#S256', o.wanted, null)],
    standard: 'RFC 8705 section 3',
    remedy:
      'Call the gateway’s TLS address with the client certificate. Behind a hop that ends TLS, let it pass the certificate on in a header and name the hop in the settings.',
  }),
  'proof.certificate-other': refusal<{ wanted: string; found: string }>('proof', 401, {
    challenge: 'invalid_token',
    title: 'The token is bound to another client certificate',
    sentence: () => 'The client certificate is not the one that the token is bound to.',
    compare: (o) => [comparison('cnf.x5t#S256', o.wanted, o.found)],
    standard: 'RFC 8705 section 3',
    remedy: 'Use the certificate with which the token was asked for. After a renewed certificate, get a new token.',
  }),
} as const;
