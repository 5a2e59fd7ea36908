import { comparison, failing, list, meeting } from './code-entry.js';

/** What the caller may do, once it is known who that is. */
export const RIGHTS_CODES = {
  'rights.sufficient': meeting<{ schemes: readonly string[]; scopes: readonly string[]; roles: readonly string[] }>('rights', {
    example: { schemes: ['trust'], scopes: ['gates:read'], roles: [] },
    sentence: (o) =>
      o.scopes.length === 0
        ? `${o.schemes.length === 1 ? 'A genuine credential is enough' : 'Genuine credentials are enough'} (${o.schemes.join(' and ')})${o.roles.length === 0 ? '' : ', with a role asked for'}.`
        : `Has ${o.scopes.length === 1 ? 'the scope' : 'the scopes'} ${list(o.scopes)}${o.roles.length === 0 ? '' : ' and a role asked for'}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'rights.anonymous': meeting<Record<never, never>>('rights', {
    sentence: () => 'The rule also takes anonymous calls.',
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'rights.nothing-proved': failing<{ schemes: readonly string[] }>('rights', 401, {
    challenge: 'bare',
    title: 'A credential is needed',
    example: { schemes: ['trust'] },
    sentence: (o) => `Nothing was proved before, so there is no caller whose rights could be compared; the rule asks for ${o.schemes.join(' or ')}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
    remedy: 'Look at the steps above: what they found wrong would have refused the request, had they not only been observed.',
  }),
  'rights.credential-missing': failing<{ held: readonly string[]; missing: readonly string[]; alternative: string }>('rights', 401, {
    challenge: 'bare',
    title: 'Another credential is needed as well',
    example: { held: ['key'], missing: ['trust'], alternative: 'key and trust' },
    sentence: (o) =>
      `${o.held.length === 0 ? 'None of what was sent' : list(o.held)} is enough alone: the alternative that came closest asks for ${o.alternative}, and ${list(o.missing)} is missing.`,
    compare: (o) => [comparison('credentials', o.alternative, list(o.held))],
    standard: 'OpenAPI 3.1.2 section 4.8.30',
    remedy: 'All schemes of an alternative are needed together. Send the missing credential too, or let one of them be enough: make two alternatives of it.',
  }),
  'rights.clients-differ': failing<{ clients: readonly string[] }>('rights', 403, {
    title: 'The credentials belong to different clients',
    example: { clients: ['Open data site', 'Canal logger fleet'] },
    sentence: (o) => `The credentials of this request belong to different clients: ${list(o.clients)}. Together they prove nobody.`,
    compare: (o) => [comparison('clients', 'one', list(o.clients))],
    standard: 'common practice (RFC 9700 section 2.5: credentials are bound to one client)',
    remedy: 'Use the key, secret or certificate of the client that the token was issued to. If both are one client, give it both credentials under Clients.',
  }),
  'rights.scope-missing': failing<{ scopes: readonly string[]; match: string; missing: readonly string[]; found: readonly string[] }>('rights', 403, {
    example: { scopes: ['gates:read', 'gates:operate'], match: 'all', missing: ['gates:operate'], found: ['gates:read'] },
    challenge: 'insufficient_scope',
    title: 'The token lacks a scope',
    sentence: (o) =>
      o.match === 'any'
        ? `The token has none of the scopes ${list(o.scopes)}.`
        : `The token lacks ${o.missing.length === 1 ? 'the scope' : 'the scopes'} ${list(o.missing)}.`,
    compare: (o) => [comparison('scope', o.match === 'any' ? `one of ${list(o.scopes)}` : list(o.scopes), list(o.found))],
    standard: 'RFC 6750 section 3.1, RFC 9068 section 4',
    remedy:
      'Let the client ask for the scope, and the provider grant it to this client or user. If its tokens show no scope here at all, the provider spells scopes in another claim or with a prefix: set that in its claim map.',
  }),
  'rights.role-missing': failing<{ roles: readonly string[]; found: readonly string[] }>('rights', 403, {
    example: { roles: ['rider'], found: ['grower'] },
    title: 'The caller may not do this',
    sentence: (o) =>
      `The caller has ${o.found.length === 0 ? 'no role' : `the roles ${list(o.found)}`}; ${o.roles.length === 1 ? `${o.roles[0] ?? ''} is needed` : `one of ${list(o.roles)} is needed`}.`,
    compare: (o) => [comparison('role', list(o.roles), list(o.found))],
    standard: 'RFC 9110 section 15.5.4; roles as the claim map of the provider makes them',
    remedy: 'Let the provider give the user the role. If its tokens spell roles or groups otherwise, translate them in its claim map.',
  }),
  'rights.provider-not-accepted': failing<{ provider: string; schemes: readonly string[] }>('rights', 403, {
    example: { provider: 'Trust Sign-in', schemes: ['registry'] },
    challenge: 'insufficient_scope',
    title: 'The caller may not do this',
    sentence: (o) => `Tokens of ${o.provider} meet no alternative of the rule in full; it asks for ${list(o.schemes)}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
    remedy: 'An alternative that names two schemes needs a token that meets both. Bind both schemes to the provider, or split the alternative.',
  }),
} as const;
