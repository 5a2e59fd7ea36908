import type { ClientMetadata, Configuration, KoaContextWithOIDC } from 'oidc-provider';
import type { SigningKeys } from './signing-keys.js';
import { resourceFor, type House, type Program } from './house.js';

const ACCESS_SECONDS = 600;
const DAY_SECONDS = 86_400;
const scopesAsked = (ctx: KoaContextWithOIDC): string[] =>
  String(ctx.oidc.params?.['scope'] ?? '')
    .split(' ')
    .filter(Boolean);

/** Scopes that are rights at an API, and not about the sign-in itself. */
const ofResource = (scopes: readonly string[]): string[] => scopes.filter((scope) => scope !== 'openid' && scope !== 'offline_access');

/** How a stand-in provider behaves: PKCE always, refresh tokens that rotate, tokens in the shape of its house. */
export function providerConfiguration(house: House, keys: SigningKeys, redirectUris: readonly string[]): Configuration {
  const personOf = (id: string) => house.people.find((person) => person.name === id);
  return {
    jwks: { keys: keys.keys },
    clients: house.programs.map((program) => clientOf(house, program, redirectUris)),
    scopes: ['openid', 'offline_access', ...Object.values(house.resources).flat()],
    responseTypes: ['code', 'id_token token'],
    claims: { openid: ['sub'], acr: null, auth_time: null },
    acrValues: [house.acr],
    pkce: { required: () => true },
    clientBasedCORS: () => true,
    cookies: { keys: ['stand-in only, no secret'] },
    ttl: {
      AccessToken: ACCESS_SECONDS,
      ClientCredentials: ACCESS_SECONDS,
      IdToken: ACCESS_SECONDS,
      DeviceCode: ACCESS_SECONDS,
      Interaction: 3600,
      Session: DAY_SECONDS,
      Grant: DAY_SECONDS,
      RefreshToken: DAY_SECONDS,
    },
    issueRefreshToken: (_ctx, client) => Promise.resolve(client.grantTypeAllowed('refresh_token')),
    rotateRefreshToken: true,
    findAccount: (_ctx, id) => (personOf(id) ? { accountId: id, claims: () => Promise.resolve({ sub: id }) } : undefined),
    extraTokenClaims: (ctx, token) => {
      const person = 'accountId' in token ? personOf(token.accountId) : undefined;
      if (!person) return { ...house.programs.find((program) => program.id === token.clientId)?.claims };
      const signedInAt = ctx.oidc.session?.loginTs ?? ('authTime' in token ? Number(token.authTime) : Math.floor(Date.now() / 1000));
      return { ...house.claimsOf(person), acr: house.acr, auth_time: signedInAt };
    },
    formats: {
      customizers: {
        jwt: (_ctx, _token, jwt) => {
          jwt.payload = house.spell({ ...jwt.payload });
          return jwt;
        },
      },
    },
    interactions: { url: (_ctx, interaction) => `/sign-in/${interaction.uid}` },
    // People have agreed to the programs of their own house, so nobody is asked again.
    loadExistingGrant: async (ctx) => {
      const grant = new ctx.oidc.provider.Grant({ accountId: ctx.oidc.session?.accountId ?? '', clientId: ctx.oidc.client?.clientId ?? '' });
      const asked = scopesAsked(ctx);
      grant.addOIDCScope(asked.join(' '));
      for (const resource of Object.keys(ctx.oidc.resourceServers ?? {})) grant.addResourceScope(resource, ofResource(asked).join(' '));
      await grant.save();
      return grant;
    },
    features: {
      devInteractions: { enabled: false },
      clientCredentials: { enabled: true },
      deviceFlow: { enabled: true },
      dPoP: { enabled: true },
      introspection: { enabled: true, allowedPolicy: () => true },
      revocation: { enabled: true },
      userinfo: { enabled: true },
      rpInitiatedLogout: { enabled: false },
      // Anybody may register a client here (RFC 7591), and change it with the token that it got (RFC 7592).
      registration: { enabled: true },
      registrationManagement: { enabled: true },
      resourceIndicators: {
        enabled: true,
        defaultResource: (ctx) => resourceFor(house, scopesAsked(ctx)) ?? [],
        useGrantedResource: () => true,
        getResourceServerInfo: (ctx, resource) => ({
          audience: resource,
          // A resource that the house does not know is somebody's own API: any scope can be asked for it.
          scope: (house.resources[resource] ?? ofResource(scopesAsked(ctx))).join(' '),
          accessTokenFormat: house.accessTokens,
          accessTokenTTL: ACCESS_SECONDS,
          ...(house.accessTokens === 'jwt' ? { jwt: { sign: { alg: house.algorithm } } } : {}),
        }),
      },
    },
  };
}

function clientOf(house: House, program: Program, redirectUris: readonly string[]): ClientMetadata {
  const byPage = program.grants.includes('authorization_code') || program.grants.includes('implicit');
  return {
    client_id: program.id,
    client_name: program.name,
    id_token_signed_response_alg: house.algorithm,
    grant_types: [...program.grants],
    response_types: [
      ...(program.grants.includes('authorization_code') ? (['code'] as const) : []),
      ...(program.grants.includes('implicit') ? (['id_token token'] as const) : []),
    ],
    redirect_uris: byPage ? [...redirectUris] : [],
    // The old way needs an address on loopback to be allowed by the kind of program.
    ...(program.grants.includes('implicit') ? { application_type: 'native' as const } : {}),
    token_endpoint_auth_method: program.secret === null ? 'none' : 'client_secret_basic',
    ...(program.secret === null ? {} : { client_secret: program.secret }),
    ...(program.scopes === null || program.scopes.length === 0 ? {} : { scope: program.scopes.join(' ') }),
  };
}
