import { comparison, failing, meeting, notAsked } from './code-entry.js';
import { stamp } from './token-codes.js';

// Whatever is wrong with a key, a secret or a certificate, its sender is told the same: what exists must not be found out by guessing.
const KEY = { challenge: 'bare', title: 'The API key is not accepted' } as const;
const BASIC = { challenge: 'bare', title: 'The name or the secret is not accepted' } as const;
const CERTIFICATE = { challenge: 'bare', title: 'The client certificate is not accepted' } as const;
const SAME = 'common practice: the same answer whatever is wrong with a key';

type Held = { client: string; name: string };
type Expired = Held & { at: number; now: number };
type Revoked = Held & { at: number };

const expired = (o: Expired) => [comparison('expiry', `after ${stamp(o.now)} (now)`, stamp(o.at))];

/** Credentials of clients: API keys, Basic secrets, client certificates. */
export const CLIENT_CODES = {
  'key.not-sent': notAsked<{ place: string }>('key', {
    example: { place: 'the header x-api-key' },
    sentence: (o) => `No key in ${o.place}.`,
  }),
  'key.known': meeting<Held & { place: string }>('key', {
    example: { client: 'Open data site', name: 'first key', place: 'the header x-api-key' },
    sentence: (o) => `The key “${o.name}” of ${o.client}, in ${o.place}.`,
    compare: (o) => [comparison('client', null, o.client), comparison('key', null, o.name)],
    standard: 'OpenAPI 3.1.2 section 4.8.27 (apiKey)',
  }),
  'key.unknown': failing<{ place: string; form: string }>('key', 401, {
    ...KEY,
    example: { place: 'the header x-api-key', form: 'it has not the form of a key that was made here' },
    sentence: (o) => `The key in ${o.place} belongs to no client; ${o.form}.`,
    standard: SAME,
    remedy: 'Compare it with the key that was given out: it is shown once. A key that was cut off, or of another gateway, looks like this. Make a new one.',
  }),
  'key.expired': failing<Expired>('key', 401, {
    ...KEY,
    example: { client: 'Open data site', name: 'first key', at: 1767222000000, now: 1767225600000 },
    sentence: (o) => `The key “${o.name}” of ${o.client} has expired.`,
    compare: expired,
    standard: SAME,
    remedy: 'Make a new key for the client; give both some time side by side the next time.',
  }),
  'key.revoked': failing<Revoked>('key', 401, {
    ...KEY,
    example: { client: 'Open data site', name: 'first key', at: 1767222000000 },
    sentence: (o) => `The key “${o.name}” of ${o.client} was revoked at ${stamp(o.at)}.`,
    standard: SAME,
    remedy: 'If somebody still needs it, make a new key. If nobody should have it any more, look where it is still in use.',
  }),
  'key.client-off': failing<Held>('key', 401, {
    ...KEY,
    example: { client: 'Open data site', name: 'first key' },
    sentence: (o) => `${o.client}, whose key “${o.name}” this is, is switched off.`,
    standard: SAME,
    remedy: 'Switch the client on again under Clients, if it may call.',
  }),
  'basic.not-sent': notAsked<Record<never, never>>('basic', { sentence: () => 'No Basic credential.' }),
  'basic.known': meeting<Held>('basic', {
    example: { client: 'Old billing job', name: 'billing' },
    sentence: (o) => `The name ${o.name} with its secret: ${o.client}.`,
    compare: (o) => [comparison('client', null, o.client), comparison('name', null, o.name)],
    standard: 'RFC 7617 section 2',
  }),
  'basic.malformed': failing<{ reason: string }>('basic', 400, {
    title: 'The credential is malformed',
    example: { reason: 'it is not Base64' },
    sentence: (o) => `The Basic credential cannot be read: ${o.reason}.`,
    standard: 'RFC 7617 section 2',
    remedy: 'Send the name, a colon and the secret, in UTF-8, as Base64. Names have no colon, and neither has control characters.',
  }),
  'basic.plain-http': failing<{ origin: string }>('basic', 401, {
    ...BASIC,
    title: 'Basic credentials need TLS',
    example: { origin: 'http://gateway.example' },
    sentence: (o) => `A Basic credential came to ${o.origin}, where everybody on the way can read it.`,
    standard: 'RFC 7617 section 4',
    remedy: 'Call the gateway’s TLS address, and change the secret that was sent in the open. If a hop in front ends TLS, set the public address to its.',
  }),
  'basic.unknown': failing<{ name: string }>('basic', 401, {
    ...BASIC,
    example: { name: 'biling' },
    sentence: (o) => `No client has the name ${o.name}.`,
    compare: (o) => [comparison('name', 'one of a client', o.name)],
    standard: SAME,
    remedy: 'Compare the name letter by letter. Names and secrets are made under Clients.',
  }),
  'basic.wrong': failing<Held>('basic', 401, {
    ...BASIC,
    example: { client: 'Old billing job', name: 'billing' },
    sentence: (o) => `The secret is not the one of ${o.name} (${o.client}).`,
    standard: SAME,
    remedy: 'Compare with the secret that was given out: it is shown once. Make a new one if it is lost. Many of these from one address are guesses.',
  }),
  'basic.expired': failing<Expired>('basic', 401, {
    ...BASIC,
    example: { client: 'Old billing job', name: 'billing', at: 1767222000000, now: 1767225600000 },
    sentence: (o) => `The secret of ${o.name} (${o.client}) has expired.`,
    compare: expired,
    standard: SAME,
    remedy: 'Make a new secret for the client.',
  }),
  'basic.revoked': failing<Revoked>('basic', 401, {
    ...BASIC,
    example: { client: 'Old billing job', name: 'billing', at: 1767222000000 },
    sentence: (o) => `The secret of ${o.name} (${o.client}) was revoked at ${stamp(o.at)}.`,
    standard: SAME,
    remedy: 'If somebody still needs it, make a new secret.',
  }),
  'basic.client-off': failing<Held>('basic', 401, {
    ...BASIC,
    example: { client: 'Old billing job', name: 'billing' },
    sentence: (o) => `${o.client}, whose name ${o.name} is, is switched off.`,
    standard: SAME,
    remedy: 'Switch the client on again under Clients, if it may call.',
  }),
  'certificate.not-sent': notAsked<Record<never, never>>('certificate', { sentence: () => 'No client certificate.' }),
  'certificate.known': meeting<Held & { thumbprint: string }>('certificate', {
    example: { client: 'Registry sync', name: 'sync host', thumbprint: 'A4DtL2JmUMhAsvJj5tKyn64SqzmuXbMrJa0n761y5v0' },
    sentence: (o) => `The certificate “${o.name}” of ${o.client}.`,
    compare: (o) => [comparison('client', null, o.client), comparison('x5t#S256', null, o.thumbprint)],
    standard: 'RFC 8705 section 2.2, OpenAPI 3.1.2 section 4.8.27 (mutualTLS)',
  }),
  'certificate.unknown': failing<{ thumbprint: string }>('certificate', 401, {
    ...CERTIFICATE,
    example: { thumbprint: 'A4DtL2JmUMhAsvJj5tKyn64SqzmuXbMrJa0n761y5v0' },
    sentence: () => 'The client certificate belongs to no client.',
    compare: (o) => [comparison('x5t#S256', 'one of a client', o.thumbprint)],
    standard: 'RFC 8705 section 2.2',
    remedy: 'Give the certificate to its client under Clients. A renewed certificate has another thumbprint and is given anew.',
  }),
  'certificate.expired': failing<Expired>('certificate', 401, {
    ...CERTIFICATE,
    example: { client: 'Registry sync', name: 'sync host', at: 1767222000000, now: 1767225600000 },
    sentence: (o) => `The certificate “${o.name}” of ${o.client} has expired.`,
    compare: expired,
    standard: 'RFC 5280 section 4.1.2.5',
    remedy: 'Renew the certificate and give the new one to the client.',
  }),
  'certificate.revoked': failing<Revoked>('certificate', 401, {
    ...CERTIFICATE,
    example: { client: 'Registry sync', name: 'sync host', at: 1767222000000 },
    sentence: (o) => `The certificate “${o.name}” of ${o.client} was revoked at ${stamp(o.at)}.`,
    standard: SAME,
    remedy: 'If somebody still needs to call, give the client another certificate.',
  }),
  'certificate.client-off': failing<Held>('certificate', 401, {
    ...CERTIFICATE,
    example: { client: 'Registry sync', name: 'sync host' },
    sentence: (o) => `${o.client}, whose certificate “${o.name}” this is, is switched off.`,
    standard: SAME,
    remedy: 'Switch the client on again under Clients, if it may call.',
  }),
  'claims.client-off': failing<{ client: string; provider: string }>('claims', 401, {
    challenge: 'invalid_token',
    title: 'The token is not accepted',
    example: { client: 'Canal logger fleet', provider: 'Trust Sign-in' },
    sentence: (o) => `The token of ${o.provider} was issued to ${o.client}, which is switched off.`,
    standard: 'RFC 6750 section 3.1 (revoked for other reasons)',
    remedy: 'Switch the client on again under Clients, if it may call.',
  }),
} as const;
