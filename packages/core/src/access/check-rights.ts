import { clientsOf, composeCaller, type Caller } from '../credential/caller.js';
import type { Credential, ProofKind } from '../credential/sent-credential.js';
import type { AccessRule, SchemeRequirement } from '../document/access-rule.js';
import { takesTokens, type SchemeRule } from '../document/release-document.js';
import type { TokenPlace } from '../document/token-rule.js';
import { finding, type Finding } from '../verdict/codes.js';

/** A requirement with its scheme resolved, ready to be checked. */
export interface CompiledRequirement {
  readonly scheme: string;
  /** What it is met by; null for a scheme that nobody can meet. */
  readonly kind: ProofKind | null;
  /** Providers whose tokens meet it. */
  readonly providers: ReadonlySet<string>;
  readonly scopes: readonly string[];
  readonly match: 'all' | 'any';
  readonly roles: readonly string[];
}

type CompiledAlternative = readonly CompiledRequirement[];

export interface CompiledRights {
  readonly alternatives: readonly CompiledAlternative[];
  /** What meeting each alternative is called, made once. */
  readonly granted: readonly Finding[];
  /** True when one alternative is `{}`. */
  readonly anonymous: boolean;
  /** What some alternative can be met with. */
  readonly kinds: ReadonlySet<ProofKind>;
  /** The schemes of keys that some alternative names, each once, with the places of their keys. */
  readonly keys: readonly { readonly scheme: string; readonly place: TokenPlace }[];
  /** Providers that some alternative accepts, by id. */
  readonly providers: ReadonlySet<string>;
  /** Schemes named by the rule that this gateway cannot check or that no provider is bound to. */
  readonly unmet: readonly string[];
}

/** Null when the rule asks for nothing. Unknown, unsupported and unbound schemes are met by nobody. */
export function compileRights(rule: AccessRule, schemes: readonly SchemeRule[]): CompiledRights | null {
  if (rule.kind === 'open' || rule.kind === 'public') return null;
  const byName = new Map(schemes.map((scheme) => [scheme.name, scheme]));
  const resolve = (requirement: SchemeRequirement): CompiledRequirement => {
    const scheme = byName.get(requirement.scheme);
    const kind = scheme ? kindOf(scheme) : null;
    const { scopes, match, roles } = requirement;
    return { scheme: requirement.scheme, kind, providers: new Set(kind === 'token' ? scheme?.providers : []), scopes, match, roles };
  };
  const alternatives = rule.alternatives.map((alternative) => alternative.map(resolve));
  const all = alternatives.flat();
  const kinds = new Set(all.flatMap(({ kind }) => kind ?? []));
  return {
    alternatives,
    granted: alternatives.map(sufficient),
    anonymous: alternatives.some((alternative) => alternative.length === 0),
    kinds,
    keys: schemes.flatMap(({ name, place }) =>
      place !== null && all.some(({ scheme, kind }) => kind === 'key' && scheme === name) ? [{ scheme: name, place }] : [],
    ),
    providers: new Set(all.flatMap((requirement) => [...requirement.providers])),
    unmet: [...new Set(all.filter(({ kind }) => kind === null).map(({ scheme }) => scheme))],
  };
}

/** What meets a scheme; null where nothing does. */
function kindOf(scheme: SchemeRule): ProofKind | null {
  if (takesTokens(scheme.type)) return scheme.providers.length > 0 ? 'token' : null;
  switch (scheme.type) {
    case 'apiKey':
      return scheme.place === null ? null : 'key';
    case 'http-basic':
      return 'basic';
    case 'mutualTLS':
      return 'certificate';
    default:
      return null;
  }
}

/** What was decided about rights, and who was let in; nobody in particular where anonymous calls are enough. */
export interface Rights {
  readonly found: Finding;
  readonly caller: Caller | null;
}

/** How far an alternative came: what is further is said rather than what fell short sooner. */
interface Shortfall {
  readonly found: Finding;
  /** Ascending: credentials missing, scopes missing, something else of the caller. */
  readonly stage: 0 | 1 | 2;
  readonly lacks: number;
}

/**
 * Whether credentials meet one of the alternatives: each of its schemes by a credential of its own, with the scopes and
 * roles of that scheme, all of one client. Who proved nothing meets only `{}`, whatever the steps before said. A refusal
 * tells of the alternative that came closest, which is what RFC 6750 section 3.1 lets the caller know.
 */
export function checkRights(rights: CompiledRights, credentials: readonly Credential[]): Rights {
  let closest: Shortfall | null = null;
  for (let index = 0; index < rights.alternatives.length; index++) {
    const alternative = rights.alternatives[index] as CompiledAlternative;
    if (alternative.length === 0) continue;
    const used = usedFor(alternative, credentials);
    const short = shortfallOf(alternative, used, credentials);
    if (short === null) return { found: rights.granted[index] as Finding, caller: composeCaller(eachOnce(used as Credential[])) };
    if (closest === null || short.stage > closest.stage || (short.stage === closest.stage && short.lacks < closest.lacks)) closest = short;
  }
  if (rights.anonymous) return { found: ANONYMOUS, caller: null };
  if (credentials.length === 0 || closest === null) return { found: finding('rights.nothing-proved', { schemes: schemesOf(rights) }), caller: null };
  return { found: closest.found, caller: null };
}

/** The credential that meets each requirement; null where none does. */
function usedFor(alternative: CompiledAlternative, credentials: readonly Credential[]): (Credential | null)[] {
  const used: (Credential | null)[] = [];
  for (const requirement of alternative) {
    let met: Credential | null = null;
    for (const credential of credentials) if (met === null && meets(credential, requirement)) met = credential;
    used.push(met);
  }
  return used;
}

const eachOnce = (credentials: readonly Credential[]): readonly Credential[] => (credentials.length === 1 ? credentials : [...new Set(credentials)]);

const ANONYMOUS = finding('rights.anonymous', {});

const schemesOf = (rights: CompiledRights): string[] => [...new Set(rights.alternatives.flat().map(({ scheme }) => scheme))];

function meets(credential: Credential, { kind, scheme, providers }: CompiledRequirement): boolean {
  if (credential.kind !== kind) return false;
  if (credential.kind === 'token') return providers.has(credential.token.provider.id);
  return credential.kind !== 'key' || credential.scheme === scheme;
}

/** What an alternative lacks; null when it holds. */
function shortfallOf(alternative: CompiledAlternative, used: readonly (Credential | null)[], credentials: readonly Credential[]): Shortfall | null {
  if (used.includes(null)) {
    const missing = alternative.filter((_requirement, index) => used[index] === null);
    return { stage: 0, lacks: missing.length, found: missingOf(alternative, missing, credentials) };
  }
  const held = used as readonly Credential[];
  for (let index = 0; index < alternative.length; index++) {
    const requirement = alternative[index] as CompiledRequirement;
    const scopes = scopesOf(held[index] as Credential);
    if (holdsScopes(scopes, requirement)) continue;
    const lacking = requirement.scopes.filter((scope) => !scopes.includes(scope));
    const { match } = requirement;
    const found = finding('rights.scope-missing', { scopes: [...requirement.scopes], match, missing: lacking, found: scopes.slice(0, 50) });
    return { stage: 1, lacks: lacking.length, found };
  }
  for (let index = 0; index < alternative.length; index++) {
    const { roles } = alternative[index] as CompiledRequirement;
    if (roles.length === 0) continue;
    const has = rolesOf(held[index] as Credential);
    if (!roles.some((role) => has.includes(role)))
      return { stage: 2, lacks: 1, found: finding('rights.role-missing', { roles: [...roles], found: has.slice(0, 50) }) };
  }
  if (held.length === 1) return null;
  const clients = clientsOf(held);
  if (clients.length < 2) return null;
  return { stage: 2, lacks: clients.length, found: finding('rights.clients-differ', { clients: clients.map(({ name }) => name) }) };
}

function missingOf(alternative: CompiledAlternative, missing: CompiledAlternative, credentials: readonly Credential[]): Finding {
  const token = credentials.find((credential) => credential.kind === 'token');
  // A second token is not taken, so that no other one would help.
  if (token && missing.some(({ kind }) => kind === 'token' || kind === null))
    return finding('rights.provider-not-accepted', { provider: token.token.provider.name, schemes: alternative.map(({ scheme }) => scheme) });
  const held = alternative.filter((requirement) => !missing.includes(requirement));
  return finding('rights.credential-missing', {
    held: held.map(({ scheme }) => scheme),
    missing: missing.map(({ scheme }) => scheme),
    alternative: alternative.map(({ scheme }) => scheme).join(' and '),
  });
}

const sufficient = (alternative: CompiledAlternative): Finding =>
  finding('rights.sufficient', {
    schemes: alternative.map((item) => item.scheme),
    scopes: alternative.flatMap((item) => item.scopes),
    roles: alternative.flatMap((item) => item.roles),
  });

/** What is compared with the list of a requirement: scopes of a token; of anything else roles (OpenAPI 3.1.2 section 4.8.30). */
const scopesOf = (credential: Credential): readonly string[] =>
  credential.kind === 'token' ? credential.token.principal.scopes : credential.holder.client.roles;

function rolesOf(credential: Credential): readonly string[] {
  if (credential.kind !== 'token') return credential.holder.client.roles;
  const { roles } = credential.token.principal;
  return credential.holder === null ? roles : [...new Set([...roles, ...credential.holder.client.roles])];
}

function holdsScopes(held: readonly string[], { scopes, match }: CompiledRequirement): boolean {
  if (scopes.length === 0) return true;
  return match === 'all' ? scopes.every((scope) => held.includes(scope)) : scopes.some((scope) => held.includes(scope));
}
