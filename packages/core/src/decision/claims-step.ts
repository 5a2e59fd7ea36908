import { joinedClient } from '../credential/joined-client.js';
import { compilePath } from '../provider/compile-claim-map.js';
import type { TokenRule } from '../document/token-rule.js';
import { leewayOf } from '../token/check-claims.js';
import type { VerifiedToken } from '../token/verified-token.js';
import { shorten } from '../token/verify-token.js';
import { isRounded } from '../util/is-rounded.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Ports } from './ports.js';

/** One demand on what a proved token says. */
export interface ClaimCheck {
  readonly id: 'revoked' | 'client-off' | 'client' | 'age' | 'claim' | 'step-up';
  readonly run: (token: VerifiedToken, nowMs: number) => Finding | null;
}

const NOTHING_ASKED = finding('claims.not-asked', {});

/**
 * Compiles the demands of a rule, in this order: revocation first, since nothing else of a revoked token matters; then
 * what no new token would mend before what a new sign-in would, so that nobody is sent to sign in for nothing.
 * @param pointer of the rule, for the errors of its paths
 */
export function compileClaimChecks(rule: TokenRule, ports: Ports, pointer: string): readonly ClaimCheck[] {
  const checks: ClaimCheck[] = [
    { id: 'revoked', run: (token) => ports.revocations().find(token) },
    { id: 'client-off', run: (token) => checkClientOn(token, ports) },
  ];
  const { clients, maxAgeSeconds, stepUp } = rule;
  if (clients !== 'ANY_CLIENT') checks.push({ id: 'client', run: (token) => checkClient(token, clients) });
  if (maxAgeSeconds !== null) checks.push({ id: 'age', run: (token, nowMs) => checkAge(token, rule, maxAgeSeconds, nowMs) });
  rule.claims.forEach((demand, index) => {
    const read = compilePath(demand.path, `${pointer}/claims/${index}/path`);
    checks.push({ id: 'claim', run: (token) => checkClaim(read(token.claims), demand.path, demand.values) });
  });
  if (stepUp !== null) checks.push({ id: 'step-up', run: (token, nowMs) => checkStepUp(token, rule, stepUp, nowMs) });
  return checks;
}

/** Compiles the step that compares what the token says with what the operation demands. */
export function compileClaimsStep(checks: readonly ClaimCheck[], ports: Ports): Check {
  const onlyRevocation = checks.length === 2;
  const met = finding('claims.met', { checks: checks.map((check) => check.id) });
  return {
    step: 'claims',
    about: 'token',
    run: ({ token }) => {
      if (token === null) return NOTHING_ASKED;
      const now = ports.now();
      for (const check of checks) {
        const wrong = check.run(token, now);
        if (wrong) return wrong;
      }
      return onlyRevocation ? NOTHING_ASKED : met;
    },
  };
}

/** A client that was switched off here gets in with no token of its own either. */
function checkClientOn(token: VerifiedToken, ports: Ports): Finding | null {
  const holder = joinedClient(token, ports.directory());
  if (holder === null || (holder.client.enabled && holder.credential.revokedAt === null)) return null;
  return finding('claims.client-off', { client: holder.client.name, provider: token.provider.name });
}

function checkClient(token: VerifiedToken, clients: readonly string[]): Finding | null {
  const { client } = token.principal;
  if (client !== null && clients.includes(client)) return null;
  return finding('claims.client', { wanted: clients.slice(0, 20), found: client === null ? null : shorten(client) });
}

function checkAge(token: VerifiedToken, rule: TokenRule, maxAgeSeconds: number, nowMs: number): Finding | null {
  const { iat } = token.claims;
  if (typeof iat !== 'number') return finding('claims.missing', { claim: 'iat' });
  const tooOld = nowMs >= (iat + maxAgeSeconds + leewayOf(token, rule)) * 1000;
  return tooOld ? finding('claims.too-old', { at: Math.round(iat * 1000), now: nowMs, maxAgeSeconds }) : null;
}

function checkClaim(value: unknown, claim: string, values: readonly string[] | 'ANY_VALUE'): Finding | null {
  if (value === undefined || value === null) return finding('claims.missing', { claim });
  if (values === 'ANY_VALUE') return null;
  const found = (Array.isArray(value) ? (value as unknown[]) : [value]).filter((item) => typeof item !== 'object' && !isRounded(item)).map(String);
  if (found.some((item) => values.includes(item))) return null;
  return finding('claims.value', { claim, wanted: [...values], found: found.slice(0, 8).map((item) => shorten(item, 80)) });
}

/** RFC 9470 section 4: the challenge names what is needed, so that the client can ask for it. */
function checkStepUp(token: VerifiedToken, rule: TokenRule, stepUp: NonNullable<TokenRule['stepUp']>, nowMs: number): Finding | null {
  const { acr, authTime } = token.principal;
  const { acrValues, maxAgeSeconds } = stepUp;
  const weak = acrValues.length > 0 && (acr === null || !acrValues.includes(acr));
  const stale = maxAgeSeconds !== null && (authTime === null || nowMs >= (authTime + maxAgeSeconds + leewayOf(token, rule)) * 1000);
  if (!weak && !stale) return null;
  return finding('claims.step-up', {
    acrValues: [...acrValues],
    acr: acr === null ? null : shorten(acr, 80),
    maxAgeSeconds,
    signedInAt: authTime === null ? null : Math.round(authTime * 1000),
    now: nowMs,
    because: weak && stale ? 'both' : weak ? 'weak' : 'stale',
  });
}
