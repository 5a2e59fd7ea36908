import type { SupposedCredential, SupposedToken } from '../suppose/supposed-caller.js';
import type { SupposedCall } from '../suppose/supposition.js';
import type { Principal } from '../token/principal.js';

/** What a change is about. */
export const CHANGE_KINDS = ['credential', 'token', 'scope', 'role', 'claim', 'sign-in', 'attribute', 'address', 'hour', 'request', 'body', 'plan'] as const;
export type ChangeKind = (typeof CHANGE_KINDS)[number];

/** One thing that might be otherwise about a call. Of those with one slot a call has one at most. */
export interface Change {
  readonly kind: ChangeKind;
  readonly slot: string;
  /** What would be, in words: “the scope gates:read”. */
  readonly words: string;
  /** Null where the call has nothing that could be changed so. */
  readonly apply: (call: SupposedCall) => SupposedCall | null;
}

/** Values that are tried of one kind at most, so that a long list costs no more than a short one. */
export const MAX_VALUES = 40;

/** Changes the token that goes with a call. */
export function tokenChange(
  kind: ChangeKind,
  slot: string,
  words: string,
  edit: (token: SupposedToken, principal: Principal) => SupposedToken | null,
  principalOf: (token: SupposedToken) => Principal | null,
): Change {
  return {
    kind,
    slot,
    words,
    apply: (call) => {
      let changed = false;
      const credentials = call.credentials.map((credential): SupposedCredential => {
        if (credential.kind !== 'token') return credential;
        const principal = principalOf(credential);
        const edited = principal && edit(credential, principal);
        if (!edited) return credential;
        changed = true;
        return edited;
      });
      return changed ? { ...call, credentials } : null;
    },
  };
}

/** A token with claims at paths: names of members, or JSON Pointers, as claim maps have them. */
export function withClaim(token: SupposedToken, path: string, value: unknown): SupposedToken {
  if (!path.startsWith('/')) return { ...token, claims: { ...token.claims, [path]: value } };
  const parts = path
    .slice(1)
    .split('/')
    .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'));
  const claims = structuredClone(token.claims) as Record<string, unknown>;
  let at = claims;
  for (const part of parts.slice(0, -1)) {
    const next = Object.hasOwn(at, part) ? at[part] : undefined;
    const inner: Record<string, unknown> = typeof next === 'object' && next !== null && !Array.isArray(next) ? (next as Record<string, unknown>) : {};
    Object.defineProperty(at, part, { value: inner, enumerable: true, writable: true, configurable: true });
    at = inner;
  }
  Object.defineProperty(at, parts[parts.length - 1] ?? '', { value, enumerable: true, writable: true, configurable: true });
  return { ...token, claims };
}

/** A token whose principal has other members. */
export const withMember = (token: SupposedToken, members: SupposedToken['principal']): SupposedToken => ({
  ...token,
  principal: { ...token.principal, ...members },
});
