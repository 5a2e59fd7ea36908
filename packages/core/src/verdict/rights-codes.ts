import { comparison, list, passing, refusal } from './code-entry.js';

/** What the caller may do, once it is known who that is. */
export const RIGHTS_CODES = {
  'rights.sufficient': passing<{ schemes: readonly string[]; scopes: readonly string[] }>('rights', 'pass', {
    sentence: (o) =>
      o.scopes.length === 0
        ? `A genuine token is enough (${list(o.schemes)}).`
        : `Has ${o.scopes.length === 1 ? 'the scope' : 'the scopes'} ${list(o.scopes)}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'rights.anonymous': passing<Record<never, never>>('rights', 'pass', {
    sentence: () => 'The rule also takes anonymous calls.',
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'rights.scope-missing': refusal<{ wanted: readonly string[]; match: string; missing: readonly string[]; found: readonly string[] }>('rights', 403, {
    challenge: 'insufficient_scope',
    title: 'The token lacks a scope',
    sentence: (o) =>
      o.match === 'any'
        ? `The token has none of the scopes ${list(o.wanted)}.`
        : `The token lacks ${o.missing.length === 1 ? 'the scope' : 'the scopes'} ${list(o.missing)}.`,
    compare: (o) => [comparison('scope', o.match === 'any' ? `one of ${list(o.wanted)}` : list(o.wanted), list(o.found))],
    standard: 'RFC 6750 section 3.1, RFC 9068 section 4',
    remedy:
      'Let the client ask for the scope, and the provider grant it to this client or user. If the provider spells scopes in another claim, its tokens show no scope here at all.',
  }),
  'rights.provider-not-accepted': refusal<{ provider: string; schemes: readonly string[] }>('rights', 403, {
    challenge: 'insufficient_scope',
    title: 'The caller may not do this',
    sentence: (o) => `Tokens of ${o.provider} meet no alternative of the rule in full; it asks for ${list(o.schemes)}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
    remedy: 'An alternative that names two schemes needs a token that meets both. Bind both schemes to the provider, or split the alternative.',
  }),
} as const;
