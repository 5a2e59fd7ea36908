import { AddressSet } from '../address/address-set.js';
import { compileCallerAddress } from '../address/caller-address.js';
import type { CompiledRequirement } from '../access/check-rights.js';
import type { CompiledOperation, CompiledRelease } from '../decision/compiled.js';
import type { ReleaseDocument } from '../document/release-document.js';
import { METHOD_NAMES } from '../document/method-names.js';
import { modeOf } from '../document/modes.js';
import type { SupposedCredential, SupposedToken } from '../suppose/supposed-caller.js';
import { pathOf } from '../suppose/supposed-request.js';
import type { SupposedCall } from '../suppose/supposition.js';
import { plainCall, REVOKED, trialCredential } from './favoured-call.js';

/** Something that must be refused. */
export interface Attack {
  readonly id: string;
  /** What is tried, in words. */
  readonly title: string;
  readonly call: SupposedCall;
  /** Whether it proves anything only where the credential counts as genuine, so that it cannot be sent to a gateway that trusts others. */
  readonly needsTrust: boolean;
  /** Whether every limit is used up. */
  readonly spent?: boolean;
  /** Whether the proof that a bound token asks for is missing; else its holder is supposed to have the key. */
  readonly withoutProof?: boolean;
}

/** What attacks are made of. */
export interface AttackGround {
  /** The release that is tried. */
  readonly release: CompiledRelease;
  readonly operation: CompiledOperation;
  /** The operation by whose rules attacks are made: the same, or what was in force before. */
  readonly guard: CompiledOperation;
  readonly nowMs: number;
  /** The release whose rules attacks are made by. */
  readonly ruled: ReleaseDocument;
}

export const attack = (id: string, title: string, call: SupposedCall, needsTrust = true): Attack => ({ id, title, call, needsTrust });

/** Attacks that need no genuine credential: nothing sent, other spellings, other methods, headers that claim an identity. */
export function openAttacks({ operation, guard, nowMs }: AttackGround): Attack[] {
  if (guard.rights === null || guard.rights.anonymous) return [];
  const nobody = plainCall(operation, [], nowMs);
  const path = pathOf(operation, {});
  const sentAs = (method: string, other: string): SupposedCall => ({ ...nobody, request: { ...nobody.request, sentAs: { method, path: other } } });
  const withHeaders = (headers: Readonly<Record<string, string>>): SupposedCall => ({ ...nobody, request: { ...nobody.request, headers } });
  return [
    attack('nobody', 'no credential', nobody, false),
    attack(
      'garbage',
      'a credential that is none',
      {
        ...nobody,
        credentials: [
          { kind: 'pasted', as: 'token', text: 'not-a-credential' },
          { kind: 'pasted', as: 'key', text: 'not-a-credential' },
        ],
      },
      false,
    ),
    ...SPELLINGS.map(({ id, title, spell }) => attack(`spelling ${id}`, `no credential, the path ${title}`, sentAs(operation.rule.method, spell(path)), false)),
    ...[...METHOD_NAMES.filter((name) => name !== operation.rule.method), operation.rule.method.toLowerCase(), `${operation.rule.method}X`].map((method) =>
      attack(`method ${method}`, `no credential, the method ${method}`, sentAs(method, path), false),
    ),
    ...FORGED.map(([name, value]) => attack(`header ${name}`, `no credential, the header ${name}: ${value}`, withHeaders({ [name]: value }), false)),
  ];
}

/** Other spellings of a path, by which readers are known to differ (common practice; RFC 3986 sections 3.3 and 6.2.2). */
const SPELLINGS: readonly { readonly id: string; readonly title: string; readonly spell: (path: string) => string }[] = [
  { id: 'double slash', title: 'with two slashes', spell: (path) => path.replace(/\/(?=[^/]*$)/, '//') },
  { id: 'slash at the end', title: 'with a slash at its end', spell: (path) => `${path}/` },
  { id: 'dot segment', title: 'with a dot segment', spell: (path) => path.replace(/\/(?=[^/]*$)/, '/./') },
  { id: 'up and down', title: 'going up and down again', spell: (path) => path.replace(/\/(?=[^/]*$)/, '/x/../') },
  { id: 'encoded dots', title: 'with encoded dots', spell: (path) => path.replace(/\/(?=[^/]*$)/, '/x/%2e%2e/') },
  {
    id: 'encoded letter',
    title: 'with an encoded letter',
    spell: (path) => path.replace(/[a-z](?=[^a-z]*$)/i, (letter) => `%${letter.charCodeAt(0).toString(16)}`),
  },
  { id: 'encoded twice', title: 'encoded twice', spell: (path) => path.replace(/[a-z](?=[^a-z]*$)/i, (letter) => `%25${letter.charCodeAt(0).toString(16)}`) },
  { id: 'encoded slash', title: 'with an encoded slash', spell: (path) => path.replace(/\/(?=[^/]*$)/, '%2f') },
  { id: 'backslash', title: 'with a backslash', spell: (path) => path.replace(/\/(?=[^/]*$)/, '\\') },
  { id: 'semicolon', title: 'with a path parameter behind a semicolon', spell: (path) => `${path};x=1` },
  { id: 'upper case', title: 'in capitals', spell: (path) => path.toUpperCase() },
  { id: 'null', title: 'with an encoded null at its end', spell: (path) => `${path}%00` },
  { id: 'blank', title: 'with an encoded blank at its end', spell: (path) => `${path}%20` },
  { id: 'absolute', title: 'as an absolute address', spell: (path) => `http://gateway.example${path}` },
];

/** Header fields by which callers are known to claim what nobody proved (common practice). */
const FORGED: readonly (readonly [string, string])[] = [
  ['x-user', 'admin'],
  ['x-forwarded-user', 'admin'],
  ['x-remote-user', 'admin'],
  ['x-authenticated-userid', 'admin'],
  ['x-roles', 'admin'],
  ['x-scope', 'admin'],
  ['x-client-id', 'trial-able'],
  ['x-original-url', '/'],
  ['x-rewrite-url', '/'],
  ['x-http-method-override', 'OPTIONS'],
  ['x-method-override', 'GET'],
  ['x-forwarded-for', '127.0.0.1'],
  ['forwarded', 'for=127.0.0.1'],
  ['client-cert', ':AAAA:'],
];

/** An alternative of a rule, and a call that gets in by it. */
export interface GoodWay {
  readonly alternative: readonly CompiledRequirement[];
  /** Its place among the alternatives. */
  readonly at: number;
  /** The call that it was made of: with all rights, and nothing else. */
  readonly plain: SupposedCall;
  /** Its credentials stand in the order of the alternative. */
  readonly call: SupposedCall;
}

/** Attacks with credentials that are genuine, and not enough: each takes one thing away from a call that gets in. */
export function lackingAttacks(ground: AttackGround, { alternative, at, call: good }: GoodWay): Attack[] {
  const attacks: Attack[] = [];
  const by = at === 0 ? '' : `, by alternative ${at + 1}`;
  const made = (id: string, title: string, credentials: readonly SupposedCredential[]): Attack => attack(`${at} ${id}`, title + by, { ...good, credentials });
  const put = (id: string, title: string, credentials: readonly SupposedCredential[]): void => void attacks.push(made(id, title, credentials));
  good.credentials.forEach((credential, index) => {
    const others = good.credentials.filter((one) => one !== credential);
    const requirement = alternative[index];
    if (requirement === undefined || credential.kind === 'pasted') return;
    if (others.length > 0) put(`half ${requirement.scheme}`, `all that is asked for but ${requirement.scheme}`, others);
    if (credential.kind === 'token') {
      for (const [id, title, token] of poorTokens(credential, requirement, ground)) put(id, title, [...others, token]);
      const bound = { ...credential, claims: { ...credential.claims, cnf: { jkt: 'trial-key' } } };
      attacks.push({ ...made('stolen bound token', 'a token that is bound to a key, without the proof', [...others, bound]), withoutProof: true });
      return;
    }
    const { kind } = credential;
    for (const which of ['expired', 'revoked', 'off'] as const)
      put(`${kind} ${which}`, `${NAMES[kind]} ${WRONG[which]}`, [...others, { kind, credentialId: trialCredential(kind, which) }]);
    if (requirement.scopes.length + requirement.roles.length > 0)
      put(`${kind} of another`, `${NAMES[kind]} of another client, without the rights`, [...others, { kind, credentialId: trialCredential(kind, 'poor') }]);
  });
  return attacks;
}

const NAMES = { key: 'a key', basic: 'name and secret', certificate: 'a client certificate' } as const;
const WRONG = { expired: 'that has expired', revoked: 'that was revoked', off: 'of a client that is off' } as const;

function* poorTokens(
  token: SupposedToken,
  requirement: CompiledRequirement,
  { release, guard, nowMs, ruled }: AttackGround,
): Generator<readonly [string, string, SupposedToken]> {
  const seconds = Math.floor(nowMs / 1000);
  const claims = (change: Readonly<Record<string, unknown>>): SupposedToken => ({ ...token, claims: { ...token.claims, ...change } });
  const principal = (change: SupposedToken['principal']): SupposedToken => ({ ...token, principal: { ...token.principal, ...change } });
  const { token: rule } = guard;
  yield ['token expired', 'a token that has expired', claims({ iat: seconds - 7200, exp: seconds - 3600 })];
  yield ['token revoked', 'a token that was revoked', claims({ jti: REVOKED })];
  if (rule.audiences !== 'ANY_AUDIENCE') yield ['token for another', 'a token for another API', claims({ aud: 'https://another-api.example' })];
  const { scopes, roles, match } = requirement;
  if (scopes.length > 0) yield [`token without scopes of ${requirement.scheme}`, 'a token without any scope', principal({ scopes: [] })];
  if (match === 'all' && scopes.length > 1)
    for (const scope of scopes)
      yield [`token without ${scope}`, `a token without the scope ${scope}`, principal({ scopes: scopes.filter((one) => one !== scope) })];
  else if (scopes.length === 1)
    yield [
      `token without ${scopes[0] ?? ''}`,
      `a token with every scope but ${scopes[0] ?? ''}`,
      principal({ scopes: scopesOf(release.document).filter((one) => one !== scopes[0]) }),
    ];
  if (match === 'any' && scopes.length > 1)
    yield [
      `token with other scopes than ${requirement.scheme}`,
      `a token with every scope but ${scopes.join(', ')}`,
      principal({ scopes: scopesOf(release.document).filter((one) => !scopes.includes(one)) }),
    ];
  if (roles.length > 0)
    yield [
      'token without the role',
      `a token with every role but ${roles.join(', ')}`,
      principal({ roles: [...rolesOf(release).filter((one) => !roles.includes(one)), 'trial-role'] }),
    ];
  if (rule.clients !== 'ANY_CLIENT') yield ['token of another client', 'a token of another client', principal({ client: 'trial-stranger' })];
  if (rule.stepUp !== null && rule.stepUp.acrValues.length > 0)
    yield ['sign-in too weak', 'a token of a sign-in that was too weak', principal({ acr: 'trial-weak' })];
  if (rule.stepUp !== null && rule.stepUp.maxAgeSeconds !== null)
    yield ['sign-in too long ago', 'a token of a sign-in long ago', principal({ authTime: seconds - rule.stepUp.maxAgeSeconds - 3600 })];
  for (const { path } of rule.claims) {
    const member = path.startsWith('/') ? (path.split('/')[1] ?? '').replaceAll('~1', '/').replaceAll('~0', '~') : path;
    const { [member]: _gone, ...rest } = token.claims;
    yield [`token without ${path}`, `a token without the claim ${path}`, { ...token, claims: rest }];
  }
  if (rule.dpop === 'required' || rule.certificate === 'required') {
    const { cnf: _bound, ...free } = token.claims;
    yield ['token bound to nothing', 'a token that is bound to no key', { ...token, claims: free }];
  }
  // A provider that was not trusted at all before is trusted now because somebody wants its tokens.
  const trusted = new Set(ruled.providers.map(({ id }) => id));
  for (const { id, name } of release.document.providers.filter((provider) => trusted.has(provider.id) && !guard.rights?.providers.has(provider.id)))
    yield [`token of ${id}`, `a token of ${name}, which is not taken here`, { ...token, providerId: id }];
}

/** Roles that rules of a release ask for. */
const rolesOf = ({ apis }: CompiledRelease): string[] => [
  ...new Set(
    apis.flatMap(({ operations }) => operations.flatMap(({ rights }) => rights?.alternatives.flat().flatMap((requirement) => requirement.roles) ?? [])),
  ),
];

const scopesOf = ({ apis }: ReleaseDocument): string[] => [...new Set(apis.flatMap(({ resource }) => resource.scopes.map(({ name }) => name)))];

/** Addresses of outsiders: of the networks for documents (RFC 5737, RFC 3849) and for sharing (RFC 6598). */
const OUTSIDERS = ['203.0.113.254', '198.51.100.254', '192.0.2.253', '2001:db8::fe', '100.64.0.254', '203.0.113.2'] as const;

/** From outside of the networks that a rule lets in, plainly and by a forged word of a hop. Of callers that would be let in else. */
export function addressAttacks({ release, guard }: AttackGround, call: SupposedCall): Attack[] {
  const { document } = release;
  const rules = [document.fence.mode === 'enforce' ? document.fence.addresses : null, guard.addresses];
  const only = rules.filter((rule) => rule?.kind === 'only');
  if (only.length === 0) return [];
  const hops = new AddressSet(document.callerAddress?.trustedHops ?? [], document.networks);
  const sets = only.map((rule) => new AddressSet(rule?.kind === 'only' ? rule.of : [], document.networks));
  // A hop that is believed may say who calls, so that an outsider is none of these.
  const outside = OUTSIDERS.find((address) => hops.find(address) === null && sets.some((set) => set.find(address) === null));
  if (outside === undefined) return [];
  const inside = only.flatMap((rule) => (rule?.kind === 'only' ? rule.of : []))[0] ?? '';
  const within = (document.networks.find(({ name }) => name === inside)?.entries[0] ?? inside).split('/')[0] ?? '';
  const find = compileCallerAddress(document.callerAddress, document.networks);
  const forged = find(outside, { 'x-forwarded-for': within, forwarded: `for="${within.includes(':') ? `[${within}]` : within}"` });
  return [
    attack('outside', 'a good caller from an address outside', { ...call, request: { ...call.request, address: outside } }),
    attack('outside forged', `a good caller from outside, saying that it is ${within}`, { ...call, request: { ...call.request, from: forged } }),
  ];
}

/** Bodies that a rule does not take, of a caller that is let in. */
export function bodyAttacks({ guard }: AttackGround, passing: SupposedCall): Attack[] {
  const { message, api, rule } = guard;
  const modes = rule.modes ?? api.modes;
  const { request } = passing;
  return [
    ...(message.contentTypes === 'ANY_TYPE' || modeOf(modes, 'type') !== 'enforce'
      ? []
      : [
          attack('type', 'a body of a type that is not taken', {
            ...passing,
            request: { ...request, body: 2, headers: { ...request.headers, 'content-type': 'application/x-trial' } },
          }),
        ]),
    ...(message.requestBytes === 'ANY_SIZE' || modeOf(modes, 'size') !== 'enforce'
      ? []
      : [
          attack('size', `a body of more than ${message.requestBytes} bytes`, {
            ...passing,
            request: { ...request, body: message.requestBytes + 1, headers: { 'content-type': typeOf(message.contentTypes), ...request.headers } },
          }),
        ]),
  ];
}

const typeOf = (types: CompiledOperation['message']['contentTypes']): string =>
  types === 'ANY_TYPE' ? 'application/json' : (types[0] ?? '').replace(/\*$/, 'plain');

/** Path parameters that rules look at together with what a token says of its holder. */
function thingsNamed({ fallLine }: CompiledOperation): ReadonlySet<string> {
  const names = new Set<string>();
  for (const { hangsOn: ground } of fallLine) {
    if (ground?.kind === 'condition') {
      const looks = ground.condition.looksAt;
      if (!looks.some(([root, name]) => root === 'principal' && name === 'attributes')) continue;
      for (const [root, name, member] of looks) if (root === 'request' && name === 'parameters' && member !== undefined) names.add(member);
    } else if (ground?.kind === 'authorizer' && ground.rule.by.kind === 'script') {
      const { source } = ground.rule.by;
      if (!/\battributes\b/.test(source)) continue;
      for (const [, plain, quoted] of source.matchAll(/\bparameters(?:\??\.(\w+)|(?:\?\.)?\[["']([\w.-]+)["']\])/g)) names.add(plain ?? quoted ?? '');
    }
  }
  return names;
}

/** Whether an operation lets its callers at some things and not at others. */
export const namesThings = (guard: CompiledOperation): boolean => thingsNamed(guard).size > 0;

/** Another thing than the one that a caller is let at for what its token says. */
export function otherThingAttacks({ guard }: AttackGround, passing: SupposedCall): Attack[] {
  return [...thingsNamed(guard)].map((member) =>
    attack(`another ${member}`, `a caller that is let in, with another ${member} in the path`, {
      ...passing,
      request: { ...passing.request, parameters: { ...passing.request.parameters, [member]: 'trial-elsewhere' } },
    }),
  );
}
