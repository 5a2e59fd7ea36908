import type { JsonObject } from './read-token.js';

/** Claims that only an ID token carries: OpenID Connect Core sections 2 and 3.3.2.11 (values from memory). */
const ID_TOKEN_CLAIMS = ['nonce', 'at_hash', 'c_hash', 's_hash'] as const;

/** Whether the header names the token an access token (RFC 9068 section 2.1, with or without the media type prefix). */
export function isAccessTokenType(typ: unknown): boolean {
  if (typeof typ !== 'string') return false;
  const name = typ.toLowerCase();
  return name === 'at+jwt' || name === 'application/at+jwt';
}

/**
 * The marks by which a token shows itself to be an ID token; empty when it does not. A token whose header says
 * `at+jwt` is never one. `azp` alone proves nothing: many providers put it into access tokens too; it counts only
 * when the audience is that same client.
 */
export function idTokenMarks(header: JsonObject, claims: JsonObject): string[] {
  if (isAccessTokenType(header['typ'])) return [];
  const marks: string[] = ID_TOKEN_CLAIMS.filter((name) => claims[name] !== undefined);
  const audience = claims['aud'];
  const only = Array.isArray(audience) && audience.length === 1 ? (audience[0] as unknown) : audience;
  if (typeof only === 'string') {
    if (claims['azp'] === only) marks.push('azp equal to aud');
    else if (claims['client_id'] === only) marks.push('client_id equal to aud');
  }
  return marks;
}
