import { PUBLIC_KEY_ALGORITHMS } from '../document/algorithms.js';
import type { CompiledApi, CompiledRelease } from './compiled.js';

export const METADATA_PREFIX = '/.well-known/oauth-protected-resource';

/** The protected resource metadata of an API (RFC 9728 section 2, from memory). */
export function resourceMetadata(release: CompiledRelease, api: CompiledApi): Record<string, unknown> {
  const providers = new Set(api.rule.schemes.flatMap((scheme) => scheme.providers));
  const { token } = api.rule;
  const methods = [...new Set(token.places.flatMap((place) => (place.kind === 'cookie' ? [] : [place.kind])))];
  return {
    resource: api.rule.resource.identifier,
    resource_name: api.rule.name,
    authorization_servers: [...providers].flatMap((id) => release.providersById.get(id)?.rule.issuer ?? []),
    scopes_supported: api.rule.resource.scopes.map((scope) => scope.name),
    bearer_methods_supported: methods,
    dpop_signing_alg_values_supported: PUBLIC_KEY_ALGORITHMS,
    dpop_bound_access_tokens_required: token.dpop === 'required',
    tls_client_certificate_bound_access_tokens: token.certificate === 'required',
  };
}
