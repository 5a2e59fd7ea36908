import { comparison, passing, refusal } from './code-entry.js';

/** Finding the credential in a request (RFC 6750 section 2). */
export const CREDENTIAL_CODES = {
  'credential.not-asked': passing<{ rule: string }>('credential', 'skip', {
    sentence: (o) => (o.rule === 'open' ? 'Nobody has decided who may call: open to anyone.' : 'This operation is said to be public.'),
  }),
  'credential.found': passing<{ place: string; scheme: string }>('credential', 'pass', {
    sentence: (o) => `${o.scheme} in ${o.place}, one token.`,
    standard: 'RFC 6750 section 2.1, RFC 9449 section 7.1',
  }),
  'credential.optional': passing<Record<never, never>>('credential', 'pass', {
    sentence: () => 'No credential, and the operation takes anonymous calls too.',
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'credential.missing': refusal<Record<never, never>>('credential', 401, {
    challenge: 'bare',
    title: 'A credential is needed',
    sentence: () => 'The request has no Authorization header.',
    compare: () => [comparison('Authorization', 'Bearer and a token', null)],
    standard: 'RFC 6750 section 3, RFC 9110 section 11.6.1',
    remedy: 'Get an access token for this API and send it as “Authorization: Bearer …”. If a browser page calls, look whether its script adds the header.',
  }),
  'credential.missing-elsewhere': refusal<{ places: readonly string[] }>('credential', 401, {
    challenge: 'bare',
    title: 'A credential is needed',
    sentence: (o) => `The request has no token in ${o.places.join(' or ')}.`,
    compare: (o) => [comparison('token', o.places.join(' or '), null)],
    standard: 'RFC 9110 section 11.6.1',
    remedy: 'Send the access token where this operation looks for it. If it should be looked for in the Authorization header, set that at the API.',
  }),
  'credential.other-scheme': refusal<{ scheme: string; wanted: string }>('credential', 401, {
    challenge: 'bare',
    title: 'A bearer token is needed',
    sentence: (o) => `The Authorization header has the scheme ${o.scheme}; this operation takes ${o.wanted}.`,
    compare: (o) => [comparison('scheme', o.wanted, o.scheme)],
    standard: 'RFC 9110 section 11.6.2',
    remedy: 'Send an access token as “Authorization: Bearer …”.',
  }),
  'credential.in-query': refusal<{ parameter: string }>('credential', 401, {
    challenge: 'bare',
    title: 'A credential is needed in the Authorization header',
    sentence: (o) =>
      `The request has a token in the query parameter ${o.parameter} and none in the Authorization header. Tokens in addresses end up in logs, so they are not read from there.`,
    standard: 'RFC 6750 sections 2.3 and 5.3',
    remedy: 'Move the token to the Authorization header, and treat the one that was sent as leaked.',
  }),
  'credential.malformed': refusal<{ where: string; reason: string }>('credential', 400, {
    challenge: 'invalid_request',
    title: 'The credential is malformed',
    sentence: (o) => `${o.where} is malformed: ${o.reason}.`,
    standard: 'RFC 6750 sections 2.1 and 3.1',
    remedy:
      'Send the word Bearer once, one space and the token, with no quotes and no line breaks. A token copied from a terminal or a mail often brings them along.',
  }),
  'credential.repeated': refusal<{ places: readonly string[] }>('credential', 400, {
    challenge: 'invalid_request',
    title: 'The credential is sent more than once',
    sentence: (o) => `A token travels in more than one way: ${o.places.join(' and ')}. Which of them counts would depend on the reader.`,
    standard: 'RFC 6750 section 2',
    remedy: 'Send the token once, in the Authorization header.',
  }),
  'credential.not-checkable': refusal<{ schemes: readonly string[] }>('credential', 401, {
    challenge: 'bare',
    title: 'A credential is needed',
    sentence: (o) =>
      `Nobody can meet the rule of this operation: ${o.schemes.join(', ')} has no provider bound to it, or is of a kind that this gateway does not check.`,
    standard: 'OpenAPI 3.1.2 section 4.8.27',
    remedy: 'Open the API, “Scopes and audience”, and bind the scheme to a provider; or require another scheme.',
  }),
} as const;
