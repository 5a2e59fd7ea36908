import type { MemberPath } from '../condition/member-paths.js';
import type { CacheKeyPart } from '../document/authorizer-rule.js';

/** What an authorizer is shown of a request: all members of its input but the time and tables. */
const MEMBERS = [
  'principal.subject',
  'principal.issuer',
  'principal.provider',
  'principal.tenant',
  'principal.scopes',
  'principal.roles',
  'principal.groups',
  'principal.acr',
  'principal.amr',
  'principal.signedInAt',
  'principal.attributes',
  'client.id',
  'client.name',
  'client.metadata',
  'credentials',
  'request.method',
  'request.path',
  'request.operation',
  'request.parameters',
  'request.query',
  'request.address',
  'request.body',
] as const;

/** What each part of a key lets be shown. */
const SHOWN: Readonly<Record<string, readonly string[]>> = {
  caller: MEMBERS.filter((member) => !member.startsWith('request.')),
  subject: ['principal.subject', 'principal.issuer', 'principal.provider'],
  client: ['client.id', 'client.name', 'client.metadata', 'principal.issuer', 'principal.provider'],
  roles: ['principal.roles', 'principal.issuer', 'principal.provider'],
  ANYBODY: [],
  operation: ['request.operation', 'request.method'],
  path: ['request.path', 'request.parameters'],
  query: ['request.query'],
  address: ['request.address'],
};

/** What is kept from an authorizer, because answers that are shared must not hang on it. */
export interface Hidden {
  readonly members: readonly string[];
  /** The header fields that are shown; null shows all. */
  readonly headers: readonly string[] | null;
}

/** What an authorizer is not shown that does not ask for bodies. */
export const NO_BODY: Hidden = Object.freeze({ members: ['request.body'], headers: null });

/** What an authorizer whose answers are kept by this key is not shown. No body is part of a key, so that no answer hangs on one. */
export function hiddenBy(key: readonly CacheKeyPart[]): Hidden {
  const shown = new Set(key.flatMap((part) => SHOWN[part] ?? []));
  return {
    members: MEMBERS.filter((member) => !shown.has(member)),
    headers: key.flatMap((part) => (part.startsWith('header:') ? [part.slice('header:'.length)] : [])),
  };
}

/** The first member that a question looks at although it is hidden; null where there is none. */
export function hiddenMember(looksAt: readonly MemberPath[], { members, headers }: Hidden): string | null {
  for (const path of looksAt) {
    const [root, member, name] = path;
    if (root === 'request' && member === 'headers' && headers !== null) {
      if (name === undefined || !headers.includes(name)) return path.join('.');
      continue;
    }
    const within = members.filter(
      (hidden) => hidden === root || (member === undefined ? hidden.startsWith(`${root ?? ''}.`) : hidden === `${root ?? ''}.${member}`),
    );
    if (within.length > 0 || (root === 'request' && member === undefined)) return path.join('.');
  }
  return null;
}
