import { compileClaimMap } from '../provider/compile-claim-map.js';
import type { AccessRule } from '../document/access-rule.js';
import type { ReleaseDocument } from '../document/release-document.js';
import { takesOpaqueTokens } from '../document/provider-rule.js';
import type { KnownCredential, KnownFacts, SupposedCaller, SupposedCredential, SupposedToken } from '../suppose/supposed-caller.js';
import type { Principal } from '../token/principal.js';

export const NOBODY: SupposedCaller = Object.freeze({ id: 'nobody', kind: 'nobody', name: 'nobody', credentials: [] });

/**
 * Callers that nobody has to name: nobody, each client with what it has, each role that a rule names or somebody has, and
 * anybody with a token of each provider. Of their tokens only that much is known.
 * @param documents releases that are looked at together, so that they have the same callers
 * @param named callers that are looked at beside them, whose roles are roles too
 */
export function describedCallers(documents: readonly ReleaseDocument[], facts: KnownFacts, named: readonly SupposedCaller[] = []): readonly SupposedCaller[] {
  const providers = new Map(documents.flatMap((document) => document.providers.map((provider) => [provider.id, provider] as const)));
  const describe = (providerId: string, principal: Partial<Principal>): SupposedToken => describedToken(providerId, providers.get(providerId), principal);
  const roles = [...new Set([...documents.flatMap(rolesOf), ...facts.clients.flatMap((client) => client.roles), ...rolesHeld(named, providers)])].sort();
  return [
    NOBODY,
    ...facts.clients.map(({ id, name }): SupposedCaller => ({
      id: `client ${id}`,
      kind: 'client',
      name,
      credentials: credentialsOf(id, facts.credentials, describe),
    })),
    ...roles.map((role): SupposedCaller => ({
      id: `role ${role}`,
      kind: 'role',
      name: role,
      credentials: [...providers.keys()].map((id) => describe(id, { scopes: [], roles: [role] })),
    })),
    ...[...providers.values()].map(({ id, name }): SupposedCaller => ({
      id: `provider ${id}`,
      kind: 'provider',
      name,
      credentials: [describe(id, { scopes: [], roles: [] })],
    })),
  ];
}

/** A token of which no more is known than its provider and some of what it says. */
export function describedToken(providerId: string, provider: ReleaseDocument['providers'][number] | undefined, principal: Partial<Principal>): SupposedToken {
  return {
    kind: 'token',
    providerId,
    form: provider && takesOpaqueTokens(provider) ? 'opaque' : 'jwt',
    typ: null,
    claims: { iss: provider?.issuer ?? '' },
    principal,
    vague: true,
  };
}

/** What a client has, what is good before what is not. */
function credentialsOf(
  clientId: string,
  all: readonly KnownCredential[],
  describe: (providerId: string, principal: Partial<Principal>) => SupposedToken,
): readonly SupposedCredential[] {
  return all
    .filter((known) => known.clientId === clientId)
    .sort((a, b) => Number(a.revokedAt !== null) - Number(b.revokedAt !== null) || (b.expiresAt ?? Infinity) - (a.expiresAt ?? Infinity))
    .map((known): SupposedCredential => {
      if (known.kind !== 'provider-client') return { kind: known.kind, credentialId: known.id };
      const [providerId = '', client = ''] = (known.lookup ?? '').split('\n');
      return describe(providerId, { client, scopes: [], roles: [] });
    });
}

/** Roles that rules ask for, by themselves or in conditions and scripts, and that claim maps make. */
function rolesOf({ apis, providers, conditions, authorizers }: ReleaseDocument): readonly string[] {
  const rules: readonly AccessRule[] = apis.flatMap((api) => [api.access, ...api.operations.flatMap(({ access }) => access ?? [])]);
  const uses = apis.flatMap((api) => [...api.conditions, ...api.operations.flatMap((operation) => operation.conditions ?? [])]);
  const sources = [
    ...conditions.map(({ source }) => source),
    ...uses.flatMap((use) => (use.kind === 'own' ? use.source : [])),
    ...authorizers.flatMap(({ by }) => (by.kind === 'script' ? by.source : [])),
  ];
  return [
    ...rules.flatMap((rule) => (rule.kind === 'required' ? rule.alternatives.flat().flatMap(({ roles }) => roles) : [])),
    ...providers.flatMap(({ claimMap }) => claimMap.roles.table.flatMap(({ to }) => to)),
    ...sources.flatMap((source) => [...source.matchAll(IN_ROLES)].map(([, before, , within]) => before ?? within ?? '')),
  ].filter((role) => role !== '');
}

/** A role as texts of conditions and scripts ask for it: `"rider" in principal.roles`, `principal.roles.includes('rider')`. */
const IN_ROLES = /["']([\w.:-]{1,60})["']\s+in\s+principal\.(roles)\b|\broles\??\.(?:includes|exists)\([^"')]*["']([\w.:-]{1,60})["']/g;

/** Roles that tokens of callers say. */
function rolesHeld(callers: readonly SupposedCaller[], providers: ReadonlyMap<string, ReleaseDocument['providers'][number]>): readonly string[] {
  return callers.flatMap(({ credentials }) =>
    credentials.flatMap((credential) => {
      const provider = credential.kind === 'token' ? providers.get(credential.providerId) : undefined;
      if (credential.kind !== 'token' || !provider) return [];
      return credential.principal?.roles ?? compileClaimMap(provider)(credential.claims).roles;
    }),
  );
}
