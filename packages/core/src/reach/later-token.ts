import type { SupposedToken } from '../suppose/supposed-caller.js';

/** The same token got so much later, or earlier: all its times are moved. */
export function laterToken(token: SupposedToken, byMs: number): SupposedToken {
  const bySeconds = Math.round(byMs / 1000);
  const claims: Record<string, unknown> = { ...token.claims };
  for (const name of ['exp', 'iat', 'nbf', 'auth_time']) if (typeof claims[name] === 'number') claims[name] += bySeconds;
  const authTime = token.principal?.authTime;
  return { ...token, claims, principal: typeof authTime === 'number' ? { ...token.principal, authTime: authTime + bySeconds } : token.principal };
}
