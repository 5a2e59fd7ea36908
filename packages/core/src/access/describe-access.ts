import type { AccessRule, SchemeRequirement } from '../document/access-rule.js';

/** A rule in words, for lists and differences. Null is the API's default. */
export function describeAccess(rule: AccessRule | null): string {
  if (rule === null) return 'as the API';
  switch (rule.kind) {
    case 'open':
      return 'anyone, nobody has decided';
    case 'public':
      return 'anyone, said public';
    case 'required':
      if (rule.alternatives.length === 0) return 'nobody, until somebody decides';
      return rule.alternatives.map((alternative) => (alternative.length === 0 ? 'anonymous' : alternative.map(describeRequirement).join(' and '))).join(' or ');
  }
}

function describeRequirement(requirement: SchemeRequirement): string {
  const said = describeScopes(requirement);
  if (requirement.roles.length === 0) return said;
  return `${said} and ${requirement.roles.length === 1 ? 'the role' : 'one of the roles'} ${requirement.roles.join(', ')}`;
}

function describeScopes(requirement: SchemeRequirement): string {
  if (requirement.scopes.length === 0) return `a token (${requirement.scheme})`;
  if (requirement.scopes.length === 1) return `scope ${requirement.scopes[0] ?? ''}`;
  return `${requirement.match === 'any' ? 'any of scopes' : 'scopes'} ${requirement.scopes.join(', ')}`;
}
