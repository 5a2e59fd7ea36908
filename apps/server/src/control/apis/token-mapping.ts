import { readOpeningKeys, type TokenOverride, type TokenPlace, type TokenRule } from '@virga/core';
import type { TokenOverrideDto, TokenPlaceDto, TokenRuleDto } from '@virga/protocol';
import { fieldProblem } from '../../http/problems.js';
import type { SecretsService } from '../../secret/secrets.service.js';

/** The members of a rule that were sent. Words stand for what is left unchecked: the empty list and null of the DTO mean them. */
export function overrideFrom(dto: TokenOverrideDto): TokenOverride {
  const { places, type, audiences, anyAudience, algorithms, clients, leewaySeconds, maxAgeSeconds, claims, dpop, dpopNonce, certificate, stepUp } = dto;
  const given: { [K in keyof TokenRule]?: TokenRule[K] | undefined } = {
    places: places?.map(placeFrom),
    type,
    audiences: anyAudience ? 'ANY_AUDIENCE' : audiences,
    algorithms: algorithms && (algorithms.length === 0 ? 'AS_PROVIDER' : algorithms),
    clients: clients && (clients.length === 0 ? 'ANY_CLIENT' : clients),
    leewaySeconds: leewaySeconds === null ? 'AS_PROVIDER' : leewaySeconds,
    maxAgeSeconds,
    claims: claims?.map(({ path, values }) => ({ path, values: values.length === 0 ? ('ANY_VALUE' as const) : values })),
    dpop,
    dpopNonce,
    certificate,
    stepUp: stepUp && { acrValues: stepUp.acrValues, maxAgeSeconds: stepUp.maxAgeSeconds ?? null },
  };
  return Object.fromEntries(Object.entries(given).filter(([, value]) => value !== undefined));
}

export function placeFrom({ kind, name, scheme }: TokenPlaceDto): TokenPlace {
  return kind === 'header' ? { kind, name: name.toLowerCase(), scheme: scheme || null } : { kind, name };
}

/** The API's rule with what was sent put in. @throws problem at the member that cannot be used */
export async function tokenRuleFrom(dto: TokenRuleDto, before: TokenRule, apiId: string, secrets: SecretsService): Promise<TokenRule> {
  if (dto.audiences?.length === 0 && dto.anyAudience !== true)
    throw fieldProblem('/token/audiences', 'Name at least one audience, or say that any audience is taken');
  const rule: TokenRule = { ...before, ...overrideFrom(dto) };
  const { decryptionKeys } = dto;
  if (decryptionKeys === undefined) return rule;
  if (decryptionKeys === '') return { ...rule, decryptionSecret: null };
  if (!readOpeningKeys(decryptionKeys)) throw fieldProblem('/token/decryptionKeys', 'Paste a private key as a JWK, or a JWK Set of private keys');
  return { ...rule, decryptionSecret: await secrets.keep(decryptionKeys, `api-${apiId}`) };
}

export const placeView = (place: TokenPlace): TokenPlaceDto => ({ kind: place.kind, name: place.name, scheme: place.kind === 'header' ? place.scheme : null });

export function overrideView(rule: TokenOverride): TokenOverrideDto {
  const { places, audiences, algorithms, clients, leewaySeconds, claims, stepUp, type, maxAgeSeconds, dpop, dpopNonce, certificate } = rule;
  return {
    ...(places && { places: places.map(placeView) }),
    ...(type !== undefined && { type }),
    ...(audiences && { audiences: audiences === 'ANY_AUDIENCE' ? [] : [...audiences], anyAudience: audiences === 'ANY_AUDIENCE' }),
    ...(algorithms && { algorithms: algorithms === 'AS_PROVIDER' ? [] : [...algorithms] }),
    ...(clients && { clients: clients === 'ANY_CLIENT' ? [] : [...clients] }),
    ...(leewaySeconds !== undefined && { leewaySeconds: leewaySeconds === 'AS_PROVIDER' ? null : leewaySeconds }),
    ...(maxAgeSeconds !== undefined && { maxAgeSeconds }),
    ...(claims && { claims: claims.map(({ path, values }) => ({ path, values: values === 'ANY_VALUE' ? [] : [...values] })) }),
    ...(dpop && { dpop }),
    ...(dpopNonce !== undefined && { dpopNonce }),
    ...(certificate && { certificate }),
    ...(stepUp !== undefined && { stepUp: stepUp && { acrValues: [...stepUp.acrValues], maxAgeSeconds: stepUp.maxAgeSeconds } }),
  };
}

export const tokenRuleView = (rule: TokenRule): TokenRuleDto => ({ ...overrideView(rule), decryptionSet: rule.decryptionSecret !== null });

/** What an operation asks of tokens beyond its API, in words. */
export function overrideWords(rule: TokenOverride | null): string {
  if (rule === null) return '';
  const said: Readonly<Record<keyof TokenRule, string>> = {
    places: 'token in another place',
    type: `type ${rule.type ?? ''}`,
    audiences: rule.audiences === 'ANY_AUDIENCE' ? 'any audience' : `audience ${rule.audiences?.join(', ') ?? ''}`,
    algorithms: 'other algorithms',
    clients: rule.clients === 'ANY_CLIENT' ? 'any client' : `client ${rule.clients?.join(', ') ?? ''}`,
    leewaySeconds: 'other leeway',
    maxAgeSeconds: rule.maxAgeSeconds ? `at most ${rule.maxAgeSeconds} s old` : 'of any age',
    claims: (rule.claims ?? []).map((demand) => `${demand.path} ${demand.values === 'ANY_VALUE' ? 'there' : `= ${demand.values.join(' or ')}`}`).join(', '),
    dpop: rule.dpop === 'required' ? 'DPoP' : 'DPoP if bound',
    dpopNonce: rule.dpopNonce ? 'nonce in proofs' : 'no nonce in proofs',
    certificate: rule.certificate === 'required' ? 'client certificate' : 'certificate if bound',
    decryptionSecret: 'own decryption key',
    stepUp: rule.stepUp
      ? `step-up ${rule.stepUp.acrValues.join(', ')}${rule.stepUp.maxAgeSeconds === null ? '' : ` within ${rule.stepUp.maxAgeSeconds} s`}`
      : 'no step-up',
  };
  return (Object.keys(rule) as (keyof TokenRule)[])
    .map((name) => said[name])
    .filter(Boolean)
    .join('; ');
}
