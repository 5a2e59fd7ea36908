import { comparison, failing, meeting, notAsked } from './code-entry.js';

/** Finding the credential in a request (RFC 6750 section 2). */
export const CREDENTIAL_CODES = {
  'credential.not-asked': notAsked<{ rule: string }>('credential', {
    example: { rule: 'public' },
    sentence: (o) => (o.rule === 'open' ? 'Nobody has decided who may call: open to anyone.' : 'This operation is said to be public.'),
  }),
  'credential.found': meeting<{ place: string; scheme: string }>('credential', {
    example: { place: 'the Authorization header', scheme: 'Bearer' },
    sentence: (o) => `${o.scheme} in ${o.place}.`,
    standard: 'RFC 6750 section 2.1, RFC 9449 section 7.1',
  }),
  'credential.found-several': meeting<{ found: readonly string[] }>('credential', {
    example: { found: ['Bearer in the Authorization header', 'a key in the header x-api-key'] },
    sentence: (o) => `${o.found.length} credentials: ${o.found.join(', ')}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'credential.optional': meeting<Record<never, never>>('credential', {
    sentence: () => 'No credential, and the operation takes anonymous calls too.',
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'credential.missing': failing<Record<never, never>>('credential', 401, {
    challenge: 'bare',
    title: 'A credential is needed',
    sentence: () => 'The request has no Authorization header.',
    compare: () => [comparison('Authorization', 'Bearer and a token', null)],
    standard: 'RFC 6750 section 3, RFC 9110 section 11.6.1',
    remedy: 'Get an access token for this API and send it as “Authorization: Bearer …”. If a browser page calls, look whether its script adds the header.',
  }),
  'credential.missing-elsewhere': failing<{ places: readonly string[] }>('credential', 401, {
    example: { places: ['the header x-token'] },
    challenge: 'bare',
    title: 'A credential is needed',
    sentence: (o) => `The request has no token in ${o.places.join(' or ')}.`,
    compare: (o) => [comparison('token', o.places.join(' or '), null)],
    standard: 'RFC 9110 section 11.6.1',
    remedy: 'Send the access token where this operation looks for it. If it should be looked for in the Authorization header, set that at the API.',
  }),
  'credential.key-elsewhere': failing<{ place: string; wanted: readonly string[] }>('credential', 401, {
    example: { place: 'the query parameter key', wanted: ['the header x-api-key (a key)'] },
    challenge: 'bare',
    title: 'A credential is needed',
    sentence: (o) => `There is a key in ${o.place}, where this operation does not look for one; it looks in ${o.wanted.join(' or ')}.`,
    compare: (o) => [comparison('place of the key', o.wanted.join(' or '), o.place)],
    standard: 'OpenAPI 3.1.2 section 4.8.27 (apiKey)',
    remedy: 'Send the key where the operation looks for it. A key that travelled in an address may stand in logs: make a new one for it.',
  }),
  'credential.other-scheme': failing<{ scheme: string; wanted: string }>('credential', 401, {
    example: { scheme: 'Basic', wanted: 'Bearer' },
    challenge: 'bare',
    title: 'A bearer token is needed',
    sentence: (o) => `The Authorization header has the scheme ${o.scheme}; this operation takes ${o.wanted}.`,
    compare: (o) => [comparison('scheme', o.wanted, o.scheme)],
    standard: 'RFC 9110 section 11.6.2',
    remedy: 'Send an access token as “Authorization: Bearer …”.',
  }),
  'credential.in-query': failing<{ parameter: string }>('credential', 401, {
    example: { parameter: 'access_token' },
    challenge: 'bare',
    title: 'A credential is needed in the Authorization header',
    sentence: (o) =>
      `The request has a token in the query parameter ${o.parameter} and none in the Authorization header. Tokens in addresses end up in logs, so they are not read from there.`,
    standard: 'RFC 6750 sections 2.3 and 5.3',
    remedy: 'Move the token to the Authorization header, and treat the one that was sent as leaked.',
  }),
  'credential.malformed': failing<{ where: string; reason: string }>('credential', 400, {
    example: { where: 'The Authorization header', reason: 'the token is in quotes' },
    challenge: 'invalid_request',
    title: 'The credential is malformed',
    sentence: (o) => `${o.where} is malformed: ${o.reason}.`,
    standard: 'RFC 6750 sections 2.1 and 3.1',
    remedy:
      'Send the word Bearer once, one space and the token, with no quotes and no line breaks. A token copied from a terminal or a mail often brings them along.',
  }),
  'credential.repeated': failing<{ places: readonly string[] }>('credential', 400, {
    example: { places: ['the Authorization header', 'the cookie session'] },
    challenge: 'invalid_request',
    title: 'The credential is sent more than once',
    sentence: (o) => `A token travels in more than one way: ${o.places.join(' and ')}. Which of them counts would depend on the reader.`,
    standard: 'RFC 6750 section 2',
    remedy: 'Send the token once, in the Authorization header.',
  }),
  'credential.alike': failing<{ place: string; other: string }>('credential', 400, {
    example: { place: 'the cookie session', other: 'the cookie Session' },
    challenge: 'invalid_request',
    title: 'The credential could be another one',
    sentence: (o) =>
      `A credential is looked for in ${o.place}, and some readers take ${o.other} for that too. Which of them counts would depend on the reader.`,
    standard: 'RFC 6750 section 2',
    remedy: 'Send it once, under the very name that is asked for, and nothing that is written nearly so.',
  }),
  'credential.not-checkable': failing<{ schemes: readonly string[] }>('credential', 401, {
    example: { schemes: ['trust'] },
    challenge: 'bare',
    title: 'A credential is needed',
    sentence: (o) =>
      `Nobody can meet the rule of this operation: ${o.schemes.join(', ')} has no provider bound to it, or is of a kind that this gateway does not check.`,
    standard: 'OpenAPI 3.1.2 section 4.8.27',
    remedy: 'Open the API, “Scopes and audience”, and bind the scheme to a provider; or require another scheme.',
  }),
} as const;
