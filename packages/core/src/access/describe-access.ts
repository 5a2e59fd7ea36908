import type { AccessRule, SchemeRequirement } from '../document/access-rule.js';
import type { SchemeRule, SchemeType } from '../document/release-document.js';

const CREDENTIALS: Readonly<Record<SchemeType, string>> = {
  oauth2: 'a token',
  openIdConnect: 'a token',
  'http-bearer': 'a token',
  apiKey: 'a key',
  'http-basic': 'name and secret',
  mutualTLS: 'a client certificate',
  unsupported: 'what nobody can prove',
};

/** A rule in words, for lists and differences. Null is the API's default. */
export function describeAccess(rule: AccessRule | null, schemes: readonly SchemeRule[] = []): string {
  if (rule === null) return 'as the API';
  switch (rule.kind) {
    case 'open':
      return 'anyone, nobody has decided';
    case 'public':
      return 'anyone, said public';
    case 'required':
      if (rule.alternatives.length === 0) return 'nobody, until somebody decides';
      return rule.alternatives
        .map((alternative) =>
          alternative.length === 0 ? 'anonymous' : alternative.map((requirement) => describeRequirement(requirement, schemes)).join(' and '),
        )
        .join(' or ');
  }
}

function describeRequirement(requirement: SchemeRequirement, schemes: readonly SchemeRule[]): string {
  const said = describeScopes(requirement, schemes.find(({ name }) => name === requirement.scheme)?.type ?? 'oauth2');
  if (requirement.roles.length === 0) return said;
  return `${said} and ${requirement.roles.length === 1 ? 'the role' : 'one of the roles'} ${requirement.roles.join(', ')}`;
}

function describeScopes(requirement: SchemeRequirement, type: SchemeType): string {
  if (requirement.scopes.length === 0) return `${CREDENTIALS[type]} (${requirement.scheme})`;
  if (requirement.scopes.length === 1) return `scope ${requirement.scopes[0] ?? ''}`;
  return `${requirement.match === 'any' ? 'any of scopes' : 'scopes'} ${requirement.scopes.join(', ')}`;
}
