import { providerClient, type DirectorySource, type Holder } from '../directory/facts.js';
import type { VerifiedToken } from '../token/verified-token.js';

/** The client of the directory that a token's `client_id` belongs to; null when nobody has joined them. */
export function joinedClient({ principal }: VerifiedToken, directory: DirectorySource): Holder | null {
  if (!directory.joinsProviders || principal.client === null) return null;
  return directory.find('provider-client', providerClient(principal.providerId, principal.client));
}
