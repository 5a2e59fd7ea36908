import type { CompiledRequirement, CompiledRights } from '../access/check-rights.js';
import type { CompiledOperation } from '../decision/compiled.js';
import type { SupposedCaller, SupposedCredential, SupposedToken } from '../suppose/supposed-caller.js';

/** Ways of calling that are tried for one caller at most. */
const MAX_WAYS = 12;

/**
 * The sets of credentials with which a caller could call an operation: for each alternative of its rule one of each kind that
 * the alternative asks for, and none at all where that is enough or all that there is. Where an alternative asks for what the caller has not, the rest is tried all the
 * same, so that a refusal says what is missing.
 * @param nowMs of tokens that were described and not read
 */
export function waysOf(operation: CompiledOperation, caller: SupposedCaller, nowMs: number): readonly Way[] {
  const { rights } = operation;
  if (rights === null) return NOTHING_SENT;
  const made = compose(rights, caller);
  return caller.credentials.some(isVague) ? made.map((way) => way.map((one) => (isVague(one) ? favourable(one, operation, nowMs) : one))) : made;
}

/** Credentials that go together with one request. */
export type Way = readonly SupposedCredential[];

const NOTHING_SENT: readonly Way[] = [[]];
/** Ways of one credential, the same for all operations. */
const alone = new WeakMap<SupposedCredential, Way>();

function wayOf(credential: SupposedCredential): Way {
  let way = alone.get(credential);
  if (!way) alone.set(credential, (way = [credential]));
  return way;
}

const isVague = (credential: SupposedCredential): credential is SupposedToken => credential.kind === 'token' && credential.vague;

function compose(rights: CompiledRights, { credentials }: SupposedCaller): readonly Way[] {
  const [only] = credentials;
  const [first, ...more] = rights.alternatives;
  // One credential and one alternative are most of all.
  if (credentials.length === 1 && only && more.length === 0 && first?.length === 1)
    return fits(only, first[0] as CompiledRequirement) ? [wayOf(only)] : NOTHING_SENT;
  const found: Way[] = [];
  const add = (way: Way): void => {
    if (found.length < MAX_WAYS && !found.some((known) => known.length === way.length && known.every((one, index) => one === way[index]))) found.push(way);
  };
  for (const alternative of rights.alternatives) {
    let made: readonly Way[] = NOTHING_SENT;
    for (const requirement of alternative) {
      const fitting = credentials.filter((credential) => fits(credential, requirement));
      // Credentials of the same kind stand in one place: a set has one of each at most.
      if (fitting.length > 0)
        made = made
          .flatMap((way) =>
            fitting.filter((one) => !way.some((other) => isSamePlace(one, other))).map((one) => (way.length === 0 ? wayOf(one) : [...way, one])),
          )
          .slice(0, MAX_WAYS);
    }
    made.forEach(add);
  }
  // Whoever brings something is let in for nothing only where that is enough.
  if (found.length === 0 || rights.anonymous) add([]);
  return found;
}

function fits(credential: SupposedCredential, { kind, providers }: CompiledRequirement): boolean {
  if (credential.kind === 'pasted') return credential.as === kind;
  if (credential.kind !== kind) return false;
  return credential.kind !== 'token' || providers.has(credential.providerId) || providers.size === 0;
}

const placeOf = (credential: SupposedCredential): string => (credential.kind === 'pasted' ? credential.as : credential.kind);
const isSamePlace = (one: SupposedCredential, other: SupposedCredential): boolean => placeOf(one) === placeOf(other);

const HOUR = 3600;
const made = new WeakMap<SupposedToken, Map<string, SupposedToken>>();

/** A token of which only rights are known, with all else as the operation asks for it of any token. */
export function favourable(token: SupposedToken, { token: rule }: CompiledOperation, nowMs: number): SupposedToken {
  const key = JSON.stringify([rule.audiences, rule.type, nowMs]);
  let known = made.get(token);
  if (!known) made.set(token, (known = new Map<string, SupposedToken>()));
  let fresh = known.get(key);
  if (!fresh) {
    const seconds = Math.floor(nowMs / 1000);
    const claims = { ...token.claims, iat: seconds, exp: seconds + HOUR, ...(rule.audiences === 'ANY_AUDIENCE' ? {} : { aud: rule.audiences[0] ?? '' }) };
    known.set(key, (fresh = { ...token, typ: rule.type === 'ANY_TYPE' ? 'at+jwt' : rule.type, claims }));
  }
  return fresh;
}
