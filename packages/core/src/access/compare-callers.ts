import type { AccessRule, Alternative, SchemeRequirement } from '../document/access-rule.js';
import { takesTokens, type SchemeRule } from '../document/release-document.js';
import { canonicalJson } from '../util/canonical-json.js';

/** A rule with the schemes that it names. */
export interface RuleInPlace {
  readonly access: AccessRule;
  readonly schemes: readonly SchemeRule[];
}

/** Who may call after a change: the same callers, somebody who could not before, or fewer and nobody new. */
export type CallerChange = 'same' | 'wider' | 'narrower';

interface Demand extends Omit<SchemeRequirement, 'scheme'> {
  /** What meets it: the providers of tokens, or the kind of credential and its place; empty for one that nobody meets. */
  readonly by: readonly string[];
}

/** Compares who may call by two rules, with their schemes resolved to providers. */
export function compareCallers(before: RuleInPlace, after: RuleInPlace): CallerChange {
  const [was, is] = [demandsOf(before), demandsOf(after)];
  if (canonicalJson(was) === canonicalJson(is)) return 'same';
  const wider = is.some((alternative) => !was.some((old) => implies(alternative, old)));
  if (wider) return 'wider';
  return was.every((old) => is.some((alternative) => implies(old, alternative))) ? 'same' : 'narrower';
}

/** The alternatives of a rule that somebody can meet. Anyone at all is one alternative without demands. */
function demandsOf({ access, schemes }: RuleInPlace): readonly (readonly Demand[])[] {
  if (access.kind !== 'required') return [[]];
  const byName = new Map(schemes.map((scheme) => [scheme.name, scheme]));
  const resolve = (alternative: Alternative): Demand[] =>
    alternative.map(({ scheme, scopes, match, roles }) => {
      const rule = byName.get(scheme);
      return { by: rule ? metBy(rule) : [], scopes: [...scopes].sort(), match: scopes.length < 2 ? 'all' : match, roles: [...roles].sort() };
    });
  return access.alternatives.map(resolve).filter((alternative) => alternative.every((demand) => demand.by.length > 0));
}

function metBy({ type, providers, place }: SchemeRule): readonly string[] {
  if (takesTokens(type)) return providers.map((id) => `token of ${id}`).sort();
  if (type === 'apiKey') return place === null ? [] : [`key in ${place.kind} ${place.name}`];
  return type === 'unsupported' ? [] : [type];
}

/** Whether whoever meets the one alternative meets the other as well. */
const implies = (alternative: readonly Demand[], other: readonly Demand[]): boolean =>
  other.every((wanted) => alternative.some((demand) => isStricter(demand, wanted)));

function isStricter(demand: Demand, wanted: Demand): boolean {
  const within = (few: readonly string[], many: readonly string[]): boolean => few.every((item) => many.includes(item));
  const roles = wanted.roles.length === 0 || (demand.roles.length > 0 && within(demand.roles, wanted.roles));
  return within(demand.by, wanted.by) && roles && scopesImply(demand, wanted);
}

function scopesImply(demand: Demand, wanted: Demand): boolean {
  if (wanted.scopes.length === 0) return true;
  if (wanted.match === 'all') return demand.match === 'all' && wanted.scopes.every((scope) => demand.scopes.includes(scope));
  if (demand.scopes.length === 0) return false;
  return demand.match === 'all' ? demand.scopes.some((scope) => wanted.scopes.includes(scope)) : demand.scopes.every((scope) => wanted.scopes.includes(scope));
}
