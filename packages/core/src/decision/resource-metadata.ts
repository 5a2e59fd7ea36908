import type { CompiledApi, CompiledRelease } from './compiled.js';

export const METADATA_PREFIX = '/.well-known/oauth-protected-resource';

/** The protected resource metadata of an API (RFC 9728 section 2, from memory). */
export function resourceMetadata(release: CompiledRelease, api: CompiledApi): Record<string, unknown> {
  const providers = new Set(api.rule.schemes.flatMap((scheme) => scheme.providers));
  return {
    resource: api.rule.resource.identifier,
    resource_name: api.rule.name,
    authorization_servers: [...providers].flatMap((id) => release.providersById.get(id)?.issuer ?? []),
    scopes_supported: api.rule.resource.scopes.map((scope) => scope.name),
    bearer_methods_supported: ['header'],
  };
}
