import type Provider from 'oidc-provider';
import type { KoaContextWithOIDC } from 'oidc-provider';
import { decodeJwt } from 'jose';
import { EXCHANGE_GRANT } from './people.js';
import { resourceFor, type House } from './house.js';

/** Grants that old and special providers have and the library leaves to its users: password (RFC 6749 section 4.3), token exchange (RFC 8693). */
export function addGrants(provider: Provider, house: House): void {
  provider.registerGrantType(
    'password',
    async (ctx, next) => {
      const { username, password } = ctx.oidc.params ?? {};
      const person = house.people.find((item) => item.name === username && item.password === password);
      if (!person) return refuse(ctx, 'invalid_grant', 'name or password is wrong');
      await answer(provider, house, ctx, person.name);
      await next();
    },
    ['username', 'password', 'scope', 'resource'],
  );
  provider.registerGrantType(
    EXCHANGE_GRANT,
    async (ctx, next) => {
      const subject = subjectOf(String(ctx.oidc.params?.['subject_token'] ?? ''), house);
      if (subject === null) return refuse(ctx, 'invalid_request', 'the subject token is not one of a person known here');
      await answer(provider, house, ctx, subject, { issued_token_type: 'urn:ietf:params:oauth:token-type:access_token' });
      await next();
    },
    ['subject_token', 'subject_token_type', 'scope', 'resource', 'audience'],
  );
}

function subjectOf(token: string, house: House): string | null {
  try {
    const { sub } = decodeJwt(token);
    return house.people.find((person) => person.name === sub)?.name ?? null;
  } catch {
    return null;
  }
}

function refuse(ctx: KoaContextWithOIDC, error: string, description: string): void {
  ctx.status = 400;
  ctx.body = { error, error_description: description };
}

async function answer(provider: Provider, house: House, ctx: KoaContextWithOIDC, accountId: string, more: object = {}): Promise<void> {
  const { client } = ctx.oidc;
  if (!client) throw new Error('invariant: the client was authenticated');
  const scopes = String(ctx.oidc.params?.['scope'] ?? '')
    .split(' ')
    .filter((scope) => scope !== '' && scope !== 'openid' && scope !== 'offline_access');
  const asked = ctx.oidc.params?.['resource'];
  const resource = typeof asked === 'string' ? asked : resourceFor(house, scopes);
  const grant = new provider.Grant({ accountId, clientId: client.clientId });
  if (resource !== undefined) grant.addResourceScope(resource, scopes.join(' '));
  const grantId = await grant.save();
  const token = new provider.AccessToken({
    accountId,
    client,
    grantId,
    gty: 'other',
    scope: scopes.join(' '),
    claims: undefined,
  });
  if (resource !== undefined) {
    // The class is there, though the types of the library do not say so.
    const { ResourceServer } = provider as unknown as { readonly ResourceServer: new (id: string, facts: object) => NonNullable<typeof token.resourceServer> };
    token.resourceServer = new ResourceServer(resource, {
      audience: resource,
      scope: scopes.join(' '),
      accessTokenFormat: house.accessTokens,
      ...(house.accessTokens === 'jwt' ? { jwt: { sign: { alg: house.algorithm } } } : {}),
    });
  }
  ctx.oidc.entity('AccessToken', token);
  ctx.body = { access_token: await token.save(), expires_in: token.expiration, token_type: 'Bearer', scope: scopes.join(' '), ...more };
}
