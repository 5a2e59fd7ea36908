import { finding, type Finding } from '../verdict/codes.js';
import type { Principal } from '../token/principal.js';
import type { SchemeRule } from '../document/release-document.js';
import type { AccessRule, SchemeRequirement } from '../document/access-rule.js';

/** A requirement with its scheme resolved, ready to be checked. */
export interface CompiledRequirement {
  readonly scheme: string;
  readonly providers: ReadonlySet<string>;
  readonly scopes: readonly string[];
  readonly match: 'all' | 'any';
  readonly roles: readonly string[];
}

export interface CompiledRights {
  readonly alternatives: readonly (readonly CompiledRequirement[])[];
  /** What meeting each alternative is called, made once. */
  readonly granted: readonly Finding[];
  /** True when one alternative is `{}`. */
  readonly anonymous: boolean;
  /** Providers that some alternative accepts, by id. */
  readonly providers: ReadonlySet<string>;
  /** Schemes named by the rule that this gateway cannot check or that no provider is bound to. */
  readonly unmet: readonly string[];
}

/** Null when the rule asks for nothing. Unknown and unsupported schemes give an empty set of providers: nobody meets them. */
export function compileRights(rule: AccessRule, schemes: readonly SchemeRule[]): CompiledRights | null {
  if (rule.kind === 'open' || rule.kind === 'public') return null;
  const byName = new Map(schemes.map((scheme) => [scheme.name, scheme]));
  const resolve = (requirement: SchemeRequirement): CompiledRequirement => {
    const scheme = byName.get(requirement.scheme);
    const usable = scheme && scheme.type !== 'unsupported' ? scheme.providers : [];
    return { scheme: requirement.scheme, providers: new Set(usable), scopes: requirement.scopes, match: requirement.match, roles: requirement.roles };
  };
  const alternatives = rule.alternatives.map((alternative) => alternative.map(resolve));
  const all = alternatives.flat();
  return {
    alternatives,
    granted: alternatives.map(sufficient),
    anonymous: alternatives.some((alternative) => alternative.length === 0),
    providers: new Set(all.flatMap((requirement) => [...requirement.providers])),
    unmet: [...new Set(all.filter((requirement) => requirement.providers.size === 0).map((requirement) => requirement.scheme))],
  };
}

/**
 * Whether a principal meets one of the alternatives. Callers without one meet only `{}`, whatever the steps before said. A refusal names the scopes
 * of the alternative that came closest, which is what RFC 6750 section 3.1 lets the caller know.
 */
export function checkRights(rights: CompiledRights, principal: Principal | null): Finding {
  if (principal === null) return rights.anonymous ? finding('rights.anonymous', {}) : finding('credential.missing', {});
  let closest: CompiledRequirement | null = null;
  let closestMissing: readonly string[] = [];
  let missingRole: CompiledRequirement | null = null;
  for (const [index, alternative] of rights.alternatives.entries()) {
    if (alternative.length === 0) continue;
    const unmet = alternative.find((requirement) => !requirement.providers.has(principal.providerId));
    if (unmet) continue;
    const lacking = alternative.find((requirement) => !holdsScopes(principal, requirement));
    if (!lacking) {
      const roleless = alternative.find((requirement) => !holdsRole(principal, requirement));
      if (!roleless) return rights.granted[index] as Finding;
      missingRole ??= roleless;
      continue;
    }
    const missing = lacking.scopes.filter((scope) => !principal.scopes.includes(scope));
    if (closest === null || missing.length < closestMissing.length) {
      closest = lacking;
      closestMissing = missing;
    }
  }
  if (rights.anonymous) return finding('rights.anonymous', {});
  // An alternative whose scopes are held came closer than one whose scopes are not.
  if (missingRole !== null) return finding('rights.role-missing', { roles: [...missingRole.roles], found: principal.roles.slice(0, 50) });
  if (closest === null)
    return finding('rights.provider-not-accepted', { provider: principal.providerName, schemes: rights.alternatives.flat().map((item) => item.scheme) });
  return finding('rights.scope-missing', {
    scopes: [...closest.scopes],
    match: closest.match,
    missing: [...closestMissing],
    found: principal.scopes.slice(0, 50),
  });
}

const sufficient = (alternative: readonly CompiledRequirement[]): Finding =>
  finding('rights.sufficient', {
    schemes: alternative.map((item) => item.scheme),
    scopes: alternative.flatMap((item) => item.scopes),
    roles: alternative.flatMap((item) => item.roles),
  });

const holdsRole = (principal: Principal, { roles }: CompiledRequirement): boolean => roles.length === 0 || roles.some((role) => principal.roles.includes(role));

function holdsScopes(principal: Principal, requirement: CompiledRequirement): boolean {
  if (requirement.scopes.length === 0) return true;
  return requirement.match === 'all'
    ? requirement.scopes.every((scope) => principal.scopes.includes(scope))
    : requirement.scopes.some((scope) => principal.scopes.includes(scope));
}
