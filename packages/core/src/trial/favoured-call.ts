import { providerClient } from '../directory/facts.js';
import type { SubscriptionFact } from '../directory/subscription.js';
import type { CompiledPlan } from '../limit/compile-plan.js';
import type { CompiledRequirement } from '../access/check-rights.js';
import type { CompiledOperation, CompiledRelease } from '../decision/compiled.js';
import type { ProviderRule } from '../document/provider-rule.js';
import { takesOpaqueTokens } from '../document/provider-rule.js';
import { withClaim } from '../reach/change.js';
import type { KnownCredential, KnownFacts, SupposedCredential, SupposedToken } from '../suppose/supposed-caller.js';
import { ANY_REQUEST } from '../suppose/supposed-request.js';
import type { SupposedCall } from '../suppose/supposition.js';
import type { Revocation } from '../token/revocations.js';

/** A token that an operation would take: with the rights of a requirement, and all else that is asked of tokens. */
export function favouredToken(
  operation: CompiledOperation,
  requirement: CompiledRequirement,
  providers: readonly ProviderRule[],
  nowMs: number,
): SupposedToken | null {
  const able = providers.filter(({ id }) => requirement.providers.has(id));
  const provider = able.find((one) => !takesOpaqueTokens(one)) ?? able[0];
  if (!provider) return null;
  const { token: rule } = operation;
  const seconds = Math.floor(nowMs / 1000);
  const bound = rule.dpop === 'required' ? { cnf: { jkt: 'trial-key' } } : rule.certificate === 'required' ? { cnf: { 'x5t#S256': 'trial-certificate' } } : {};
  const token: SupposedToken = {
    kind: 'token',
    providerId: provider.id,
    form: takesOpaqueTokens(provider) ? 'opaque' : 'jwt',
    typ: rule.type === 'ANY_TYPE' ? 'at+jwt' : rule.type,
    claims: {
      iss: provider.issuer,
      sub: 'trial-subject',
      client_id: 'trial-client',
      jti: 'trial-token',
      iat: seconds - 10,
      exp: seconds + 600,
      ...(rule.audiences === 'ANY_AUDIENCE' ? {} : { aud: rule.audiences[0] ?? '' }),
      ...bound,
    },
    principal: {
      subject: 'trial-subject',
      client: rule.clients === 'ANY_CLIENT' ? 'trial-client' : (rule.clients[0] ?? ''),
      scopes: requirement.scopes,
      roles: requirement.roles.slice(0, 1),
      ...(rule.stepUp === null ? {} : { acr: rule.stepUp.acrValues[0] ?? null, authTime: seconds - 1 }),
    },
    vague: false,
  };
  return rule.claims.reduce((made, { path, values }) => withClaim(made, path, values === 'ANY_VALUE' ? 'trial' : (values[0] ?? '')), token);
}

/** The `jti` of tokens that were revoked. */
export const REVOKED = 'trial-revoked';

/** Clients that stand in trials beside those that there are. */
export const TRIAL_CLIENTS = { able: 'trial-able', poor: 'trial-poor', off: 'trial-off', tokens: 'trial-client' } as const;

/** Clients with every right whose plan is not good, by what is wrong with it. */
export const PLANLESS = ['none', 'waiting', 'suspended', 'ended', 'not-yet'] as const;
export type Planless = (typeof PLANLESS)[number];
export const planlessClient = (which: Planless): string => `trial-plan-${which}`;

/** Subscriptions of the clients of trials: those that get in have every plan, the others theirs in a state that opens nothing. */
function trialSubscriptions(plans: readonly CompiledPlan[], nowMs: number): SubscriptionFact[] {
  const make = (clientId: string, planId: string, change: Partial<SubscriptionFact>): SubscriptionFact => ({
    id: `${clientId} ${planId}`,
    clientId,
    planId,
    state: 'active',
    startsAt: null,
    endsAt: null,
    ...change,
  });
  return plans.flatMap(({ rule: { id } }) => [
    make(TRIAL_CLIENTS.able, id, {}),
    make(TRIAL_CLIENTS.tokens, id, {}),
    make(planlessClient('waiting'), id, { state: 'waiting' }),
    make(planlessClient('suspended'), id, { state: 'suspended' }),
    make(planlessClient('ended'), id, { endsAt: nowMs - 1 }),
    make(planlessClient('not-yet'), id, { startsAt: nowMs + 3_600_000 }),
  ]);
}

/** Credentials of these clients, by what is wrong with each: nothing, the rights of its client, its age, a revocation, a client that is off. */
export type TrialCredential = 'good' | 'poor' | 'expired' | 'revoked' | 'off';
export const trialCredential = (kind: 'key' | 'basic' | 'certificate', which: TrialCredential): string => `trial-${kind}-${which}`;

export const planlessCredential = (kind: 'key' | 'basic' | 'certificate', which: Planless): string => `trial-${kind}-plan-${which}`;

/** A client of a provider that is a client of the trials too. */
const joined = (providerId: string, client: string): KnownCredential => ({
  id: `${providerId} ${client}`,
  clientId: client,
  kind: 'provider-client',
  name: client,
  expiresAt: null,
  revokedAt: null,
  lookup: providerClient(providerId, client),
});

/** What is known for trials: all that is, and clients of their own. `able` has every right that a rule names. */
export function trialFacts(facts: KnownFacts, { apis, document, plans }: CompiledRelease, nowMs: number): KnownFacts {
  const operations = apis.flatMap((api) => api.operations);
  const rights = [
    ...new Set(operations.flatMap((operation) => operation.rights?.alternatives.flat() ?? []).flatMap(({ scopes, roles }) => [...scopes, ...roles])),
  ];
  const credential = (kind: 'key' | 'basic' | 'certificate', which: TrialCredential): KnownCredential => ({
    id: trialCredential(kind, which),
    clientId: which === 'poor' ? TRIAL_CLIENTS.poor : which === 'off' ? TRIAL_CLIENTS.off : TRIAL_CLIENTS.able,
    kind,
    name: trialCredential(kind, which),
    expiresAt: which === 'expired' ? nowMs - 1 : null,
    revokedAt: which === 'revoked' ? nowMs - 1 : null,
    lookup: kind === 'certificate' ? trialCredential(kind, which) : null,
  });
  return {
    ...facts,
    clients: [
      ...facts.clients,
      { id: TRIAL_CLIENTS.able, name: 'a client with every right', enabled: true, roles: rights, metadata: {} },
      { id: TRIAL_CLIENTS.poor, name: 'a client without rights', enabled: true, roles: [], metadata: {} },
      // Of tokens: it has no right of its own, so that what a token lacks is lacking.
      { id: TRIAL_CLIENTS.tokens, name: 'a client of a provider', enabled: true, roles: [], metadata: {} },
      ...PLANLESS.map((which) => ({ id: planlessClient(which), name: `a client whose plan is ${which}`, enabled: true, roles: rights, metadata: {} })),
      { id: TRIAL_CLIENTS.off, name: 'a client that is off', enabled: false, roles: rights, metadata: {} },
    ],
    credentials: [
      ...facts.credentials,
      ...(['key', 'basic', 'certificate'] as const).flatMap((kind) =>
        (['good', 'poor', 'expired', 'revoked', 'off'] as const).map((which) => credential(kind, which)),
      ),
      ...(['key', 'basic', 'certificate'] as const).flatMap((kind) =>
        PLANLESS.map((which): KnownCredential => ({
          ...credential(kind, 'good'),
          id: planlessCredential(kind, which),
          clientId: planlessClient(which),
          name: planlessCredential(kind, which),
          lookup: kind === 'certificate' ? planlessCredential(kind, which) : null,
        })),
      ),
      // Tokens are joined with clients only where a plan is asked for somewhere: else they need none.
      ...(plans.length === 0
        ? []
        : document.providers.flatMap(({ id }) => [TRIAL_CLIENTS.tokens, ...PLANLESS.map(planlessClient)].map((client) => joined(id, client)))),
    ],
    subscriptions: [...facts.subscriptions, ...trialSubscriptions(plans, nowMs)],
    revocations: [
      ...facts.revocations,
      ...document.providers.map(({ id }): Revocation => ({
        id: `trial-${id}`,
        kind: 'jti',
        providerId: id,
        value: REVOKED,
        issuedBefore: null,
        reason: 'a trial',
      })),
    ],
  };
}

/** Credentials that meet an alternative; null where nobody can meet it. */
export function meeting(
  operation: CompiledOperation,
  alternative: readonly CompiledRequirement[],
  providers: readonly ProviderRule[],
  nowMs: number,
): readonly SupposedCredential[] | null {
  const found = alternative.map((requirement): SupposedCredential | null => {
    if (requirement.kind === null) return null;
    if (requirement.kind === 'token') return favouredToken(operation, requirement, providers, nowMs);
    return { kind: requirement.kind, credentialId: trialCredential(requirement.kind, 'good') };
  });
  return found.every((one) => one !== null) ? found : null;
}

/** A call of an operation with credentials, and nothing special about it. */
export const plainCall = (operation: CompiledOperation, credentials: readonly SupposedCredential[], nowMs: number): SupposedCall => ({
  operation,
  credentials,
  request: { ...ANY_REQUEST, address: '192.0.2.254' },
  nowMs,
});
