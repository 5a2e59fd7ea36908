import { resourceMetadata, type CompiledRelease, type Exchange, type GatewayAnswer } from '@virga/core';

/** The metadata of the protected resource that a request asks for (RFC 9728 section 3); null where it asks for none. */
export function metadataAnswer(release: CompiledRelease, { method, target }: Exchange): GatewayAnswer | null {
  if (!target.startsWith('/.well-known/')) return null;
  const api = release.metadata.get(target);
  if (!api || !api.rule.enabled || (method !== 'GET' && method !== 'HEAD')) return null;
  const headers = { 'content-type': 'application/json', 'cache-control': 'max-age=300', 'access-control-allow-origin': '*' };
  return { status: 200, headers, body: JSON.stringify(resourceMetadata(release, api)) };
}
