import type { Configuration, KoaContextWithOIDC } from 'oidc-provider';
import type { SigningKeys } from './signing-keys.js';
import { PEOPLE, PROGRAMS, RESOURCES, resourceFor } from './people.js';

const ACCESS_SECONDS = 600;
const DAY_SECONDS = 86_400;
const scopesAsked = (ctx: KoaContextWithOIDC): string[] =>
  String(ctx.oidc.params?.['scope'] ?? '')
    .split(' ')
    .filter(Boolean);

/** How the stand-in provider behaves: JWT access tokens of RFC 9068, PKCE always, refresh tokens that rotate. */
export function providerConfiguration(keys: SigningKeys, redirectUris: readonly string[]): Configuration {
  return {
    jwks: { keys: keys.keys },
    clients: PROGRAMS.map((program) => ({
      client_id: program.id,
      client_name: program.name,
      grant_types: [...program.grants],
      response_types: program.grants.includes('authorization_code') ? ['code'] : [],
      redirect_uris: program.grants.includes('authorization_code') ? [...redirectUris] : [],
      token_endpoint_auth_method: program.secret === null ? 'none' : 'client_secret_basic',
      ...(program.secret === null ? {} : { client_secret: program.secret }),
      ...(program.scopes === null ? {} : { scope: program.scopes.join(' ') }),
    })),
    scopes: ['openid', 'offline_access', ...Object.values(RESOURCES).flat()],
    claims: { openid: ['sub'], acr: null, auth_time: null },
    acrValues: ['urn:basin:password'],
    pkce: { required: () => true },
    clientBasedCORS: () => true,
    cookies: { keys: ['stand-in only, no secret'] },
    ttl: {
      AccessToken: ACCESS_SECONDS,
      ClientCredentials: ACCESS_SECONDS,
      IdToken: ACCESS_SECONDS,
      Interaction: 3600,
      Session: DAY_SECONDS,
      Grant: DAY_SECONDS,
      RefreshToken: DAY_SECONDS,
    },
    issueRefreshToken: (_ctx, client) => Promise.resolve(client.grantTypeAllowed('refresh_token')),
    rotateRefreshToken: true,
    findAccount: (_ctx, id) => {
      const person = PEOPLE.find((item) => item.name === id);
      return person ? { accountId: id, claims: () => Promise.resolve({ sub: id }) } : undefined;
    },
    extraTokenClaims: (_ctx, token) => {
      const person = 'accountId' in token ? PEOPLE.find((item) => item.name === token.accountId) : undefined;
      if (!person) return undefined;
      return { roles: person.roles, ...(person.sections.length > 0 ? { sections: person.sections } : {}), acr: 'urn:basin:password' };
    },
    interactions: { url: (_ctx, interaction) => `/sign-in/${interaction.uid}` },
    // People of the trust have agreed to its own programs, so nobody is asked again.
    loadExistingGrant: async (ctx) => {
      const grant = new ctx.oidc.provider.Grant({ accountId: ctx.oidc.session?.accountId ?? '', clientId: ctx.oidc.client?.clientId ?? '' });
      const asked = scopesAsked(ctx);
      grant.addOIDCScope(asked.join(' '));
      for (const resource of Object.keys(ctx.oidc.resourceServers ?? {}))
        grant.addResourceScope(resource, asked.filter((scope) => scope !== 'openid' && scope !== 'offline_access').join(' '));
      await grant.save();
      return grant;
    },
    features: {
      devInteractions: { enabled: false },
      clientCredentials: { enabled: true },
      introspection: { enabled: true },
      revocation: { enabled: true },
      rpInitiatedLogout: { enabled: false },
      resourceIndicators: {
        enabled: true,
        defaultResource: (ctx) => resourceFor(scopesAsked(ctx)) ?? [],
        useGrantedResource: () => true,
        getResourceServerInfo: (ctx, resource) => ({
          audience: resource,
          // A resource that the trust does not know is somebody's own API: any scope can be asked for it.
          scope: (RESOURCES[resource] ?? scopesAsked(ctx)).join(' '),
          accessTokenFormat: 'jwt',
          accessTokenTTL: ACCESS_SECONDS,
          jwt: { sign: { alg: 'RS256' } },
        }),
      },
    },
  };
}
