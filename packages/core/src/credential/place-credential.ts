import type { TokenPlace } from '../document/token-rule.js';

/** A credential and where it is to stand. */
export interface PlacedCredential {
  readonly place: TokenPlace;
  readonly text: string;
}

/** Header fields, names in lower case, and a query with its question mark, that carry credentials in their places. */
export function placeCredentials(credentials: readonly PlacedCredential[]): { headers: Record<string, string>; query: string } {
  const headers: Record<string, string> = {};
  let query: URLSearchParams | null = null;
  for (const { place, text } of credentials) {
    if (place.kind === 'header') headers[place.name] = place.scheme === null ? text : `${place.scheme} ${text}`;
    else if (place.kind === 'cookie') headers['cookie'] = [headers['cookie'], `${place.name}=${text}`].filter(Boolean).join('; ');
    else (query ??= new URLSearchParams()).set(place.name, text);
  }
  const written = query?.toString() ?? '';
  return { headers, query: written === '' ? '' : `?${written}` };
}
