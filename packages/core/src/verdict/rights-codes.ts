import { comparison, list, passing, refusal } from './code-entry.js';

/** What the caller may do, once it is known who that is. */
export const RIGHTS_CODES = {
  'rights.sufficient': passing<{ schemes: readonly string[]; scopes: readonly string[]; roles: readonly string[] }>('rights', 'pass', {
    sentence: (o) =>
      o.scopes.length === 0
        ? `A genuine token is enough (${list(o.schemes)}).`
        : `Has ${o.scopes.length === 1 ? 'the scope' : 'the scopes'} ${list(o.scopes)}${o.roles.length === 0 ? '' : ' and a role asked for'}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'rights.anonymous': passing<Record<never, never>>('rights', 'pass', {
    sentence: () => 'The rule also takes anonymous calls.',
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'rights.scope-missing': refusal<{ scopes: readonly string[]; match: string; missing: readonly string[]; found: readonly string[] }>('rights', 403, {
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
  'rights.role-missing': refusal<{ roles: readonly string[]; found: readonly string[] }>('rights', 403, {
    title: 'The caller may not do this',
    sentence: (o) =>
      `The caller has ${o.found.length === 0 ? 'no role' : `the roles ${list(o.found)}`}; ${o.roles.length === 1 ? `${o.roles[0] ?? ''} is needed` : `one of ${list(o.roles)} is needed`}.`,
    compare: (o) => [comparison('role', list(o.roles), list(o.found))],
    standard: 'RFC 9110 section 15.5.4; roles as the claim map of the provider makes them',
    remedy: 'Let the provider give the user the role. If its tokens spell roles or groups otherwise, translate them in its claim map.',
  }),
  'rights.provider-not-accepted': refusal<{ provider: string; schemes: readonly string[] }>('rights', 403, {
    challenge: 'insufficient_scope',
    title: 'The caller may not do this',
    sentence: (o) => `Tokens of ${o.provider} meet no alternative of the rule in full; it asks for ${list(o.schemes)}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
    remedy: 'An alternative that names two schemes needs a token that meets both. Bind both schemes to the provider, or split the alternative.',
  }),
} as const;
