import type { ProviderRule } from '../document/release-document.js';
import type { JsonObject } from './read-token.js';

/** Who is calling. It keeps its issuer, so that equal subjects of two providers stay two principals. */
export interface Principal {
  readonly providerId: string;
  readonly providerName: string;
  readonly issuer: string;
  readonly subject: string | null;
  readonly client: string | null;
  readonly scopes: readonly string[];
}

/** The principal that a provider's claims make; read once for each verified token. */
export function readPrincipal(claims: JsonObject, provider: ProviderRule): Principal {
  return {
    providerId: provider.id,
    providerName: provider.name,
    issuer: provider.issuer,
    subject: textOf(claims['sub']),
    client: textOf(claims['client_id']) ?? textOf(claims['azp']),
    scopes: readScopes(claims['scope'] ?? claims['scp']),
  };
}

const textOf = (value: unknown): string | null => (typeof value === 'string' ? value : null);

/** Scopes as one text with spaces (RFC 6749 section 3.3, RFC 8693 section 4.2) or as an array (common practice). */
function readScopes(value: unknown): string[] {
  if (typeof value === 'string') return value.split(' ').filter(Boolean);
  return Array.isArray(value) ? value.filter((item) => typeof item === 'string') : [];
}
