import type { CompiledOperation } from '../decision/compiled.js';
import type { AddressRule, NetworkRule } from '../document/address-rule.js';
import { takesOpaqueTokens } from '../document/provider-rule.js';
import type { KnownFacts, SupposedToken } from '../suppose/supposed-caller.js';
import type { SupposedCall, Supposition } from '../suppose/supposition.js';
import { MAX_VALUES, tokenChange, withClaim, withMember, type Change } from './change.js';
import { conditionChanges } from './condition-changes.js';

const MAX_CLIENTS = 20;

/**
 * What might be otherwise about a call to an operation, taken from what its rules name, from the clients that there are and
 * from what the call itself says. Whether any of it helps is for the decision to say.
 */
export function changesOf(call: SupposedCall, supposition: Supposition, facts: KnownFacts): readonly Change[] {
  const { operation } = call;
  return [
    ...rightChanges(operation, supposition),
    ...tokenChanges(call, supposition),
    ...credentialChanges(call, supposition, facts),
    ...addressChanges(call, supposition),
    ...conditionChanges(call, supposition, facts),
    ...bodyChanges(operation),
    ...planChanges(operation, supposition),
  ];
}

const requirementsOf = ({ rights }: CompiledOperation) => rights?.alternatives.flat() ?? [];

/** Scopes and roles that the rule names. */
function rightChanges(operation: CompiledOperation, supposition: Supposition): Change[] {
  const principalOf = (token: SupposedToken) => supposition.principalOf(token);
  const scopes = [...new Set(requirementsOf(operation).flatMap((requirement) => requirement.scopes))].slice(0, MAX_VALUES);
  const roles = [...new Set(requirementsOf(operation).flatMap((requirement) => requirement.roles))].slice(0, MAX_VALUES);
  return [
    ...scopes.map((scope) =>
      tokenChange(
        'scope',
        `scope ${scope}`,
        `the scope ${scope}`,
        (token, { scopes: held }) => (held.includes(scope) ? null : withMember(token, { scopes: [...held, scope] })),
        principalOf,
      ),
    ),
    ...roles.map((role) =>
      tokenChange(
        'role',
        'role',
        `the role ${role}`,
        (token, { roles: held }) => (held.includes(role) ? null : withMember(token, { roles: [...held, role] })),
        principalOf,
      ),
    ),
  ];
}

/** What the rule asks of tokens beside rights. */
function tokenChanges(call: SupposedCall, supposition: Supposition): Change[] {
  const { operation, nowMs } = call;
  const { token: rule } = operation;
  const seconds = Math.floor(nowMs / 1000);
  const principalOf = (token: SupposedToken) => supposition.principalOf(token);
  const change = (kind: Change['kind'], slot: string, words: string, edit: (token: SupposedToken) => SupposedToken | null) =>
    tokenChange(kind, slot, words, edit, principalOf);
  const lists = <T>(list: readonly T[] | string): readonly T[] => (typeof list === 'string' ? [] : list.slice(0, MAX_VALUES));
  return [
    change('token', 'times', 'a token that was issued now', (token) => {
      const { nbf: _nbf, ...claims } = token.claims;
      return { ...token, claims: { ...claims, iat: seconds, exp: seconds + 600 } };
    }),
    ...lists(rule.audiences).map((audience) =>
      change('token', 'audience', `a token for ${audience}`, (token) => ({ ...token, claims: { ...token.claims, aud: audience } })),
    ),
    change(
      'token',
      'type',
      rule.type === 'ANY_TYPE' || rule.type === 'at+jwt' ? 'an access token (typ at+jwt)' : `a token of the type ${rule.type}`,
      (token) => ({
        ...token,
        typ: rule.type === 'ANY_TYPE' ? 'at+jwt' : rule.type,
      }),
    ),
    ...lists(rule.clients).map((client) =>
      tokenChange('token', 'client', `a token of the client ${client}`, (token) => withMember(token, { client }), principalOf),
    ),
    ...rule.claims.flatMap(({ path, values }) =>
      (values === 'ANY_VALUE' ? ['any value'] : values.slice(0, MAX_VALUES)).map((value) =>
        change('claim', `claim ${path}`, values === 'ANY_VALUE' ? `the claim ${path}` : `the claim ${path} with ${value}`, (token) =>
          withClaim(token, path, value),
        ),
      ),
    ),
    ...(rule.stepUp?.acrValues ?? []).map((acr) =>
      tokenChange('sign-in', 'acr', `a sign-in of the strength ${acr}`, (token) => withMember(token, { acr }), principalOf),
    ),
    ...(rule.stepUp?.maxAgeSeconds === null || rule.stepUp === null
      ? []
      : [tokenChange('sign-in', 'auth_time', 'a sign-in just now', (token) => withMember(token, { authTime: seconds }), principalOf)]),
    change('token', 'binding', 'a token that is bound to a key (DPoP)', (token) => ({ ...token, claims: { ...token.claims, cnf: { jkt: 'supposed' } } })),
    change('token', 'binding', 'a token that is bound to a client certificate', (token) => ({
      ...token,
      claims: { ...token.claims, cnf: { 'x5t#S256': 'supposed' } },
    })),
    change('token', 'binding', 'a token that is bound to no key', (token) => {
      const { cnf: bound, ...claims } = token.claims;
      return bound === undefined ? null : { ...token, claims };
    }),
  ];
}

/** Other credentials: a token of each provider that the rule takes, and those of each client. */
function credentialChanges({ operation, nowMs, credentials }: SupposedCall, { release }: Supposition, facts: KnownFacts): Change[] {
  const { rights, token: rule } = operation;
  if (rights === null) return [];
  const seconds = Math.floor(nowMs / 1000);
  const changes: Change[] = [];
  const keep = (kind: string) => (one: SupposedCall['credentials'][number]) => (one.kind === 'pasted' ? one.as : one.kind) !== kind;
  for (const id of [...rights.providers].slice(0, MAX_VALUES)) {
    const provider = release.providersById.get(id)?.rule;
    if (!provider) continue;
    const token: SupposedToken = {
      kind: 'token',
      providerId: id,
      form: takesOpaqueTokens(provider) ? 'opaque' : 'jwt',
      typ: rule.type === 'ANY_TYPE' ? 'at+jwt' : rule.type,
      claims: { iss: provider.issuer, iat: seconds, exp: seconds + 600, ...(rule.audiences === 'ANY_AUDIENCE' ? {} : { aud: rule.audiences[0] ?? '' }) },
      principal: null,
      vague: true,
    };
    const words = `a token of ${provider.name}`;
    changes.push({ kind: 'credential', slot: 'token', words, apply: (call) => ({ ...call, credentials: [...call.credentials.filter(keep('token')), token] }) });
  }
  if (credentials.length > 0) {
    const apply: Change['apply'] = (call) => ({ ...call, credentials: [] });
    changes.push({ kind: 'credential', slot: 'token', words: 'no credential', apply });
  }
  const names = new Map(facts.clients.map(({ id, name }) => [id, name]));
  for (const kind of ['key', 'basic', 'certificate'] as const) {
    if (!rights.kinds.has(kind)) continue;
    for (const { id, clientId } of facts.credentials.filter((known) => known.kind === kind).slice(0, MAX_CLIENTS)) {
      const words = `${KIND_WORDS[kind]} of ${names.get(clientId) ?? clientId}`;
      changes.push({
        kind: 'credential',
        slot: kind,
        words,
        apply: (call) => ({ ...call, credentials: [...call.credentials.filter(keep(kind)), { kind, credentialId: id }] }),
      });
    }
  }
  return changes;
}

const KIND_WORDS = { key: 'a key', basic: 'name and secret', certificate: 'a client certificate' } as const;

/** An address of each entry of the rules in force, and one of none of them. */
function addressChanges({ operation }: SupposedCall, { release }: Supposition): Change[] {
  const { fence, networks } = release.document;
  const rules = [fence.addresses, operation.addresses].filter((rule) => rule.kind !== 'anywhere');
  if (rules.length === 0) return [];
  const named = rules.flatMap((rule) => entriesOf(rule, networks)).slice(0, MAX_VALUES);
  return [...named, ...ELSEWHERE.map((address) => ({ label: `an address such as ${address}`, address }))].map(({ label, address }) => ({
    kind: 'address' as const,
    slot: 'address',
    words: label,
    apply: (call) => (call.request.address === address ? null : { ...call, request: { ...call.request, address } }),
  }));
}

/** Addresses that no rule is likely to name: of the networks for documents (RFC 5737, RFC 3849). */
const ELSEWHERE = ['192.0.2.254', '198.51.100.254', '203.0.113.254', '2001:db8::fe'] as const;

function entriesOf(rule: AddressRule, networks: readonly NetworkRule[]): { readonly label: string; readonly address: string }[] {
  if (rule.kind === 'anywhere') return [];
  return rule.of.slice(0, MAX_VALUES).map((entry) => {
    const network = networks.find(({ name }) => name === entry);
    const first = (network?.entries[0] ?? entry).split('/')[0] ?? entry;
    return { label: network ? `an address of ${network.name} such as ${first}` : `an address such as ${first}`, address: first };
  });
}

function bodyChanges({ message }: CompiledOperation): Change[] {
  const types = message.contentTypes === 'ANY_TYPE' ? [] : message.contentTypes.slice(0, MAX_VALUES);
  return [
    ...types.map((type): Change => {
      const sent = type.replace(/^\*\/\*$/, 'application/json').replace(/\*$/, 'plain');
      return {
        kind: 'body',
        slot: 'type',
        words: `a body of the type ${type}`,
        apply: (call) => ({ ...call, request: { ...call.request, headers: { ...call.request.headers, 'content-type': sent } } }),
      };
    }),
    ...(message.requestBytes === 'ANY_SIZE'
      ? []
      : [
          {
            kind: 'body',
            slot: 'size',
            words: `a body of at most ${message.requestBytes} bytes`,
            apply: (call) => ({ ...call, request: { ...call.request, body: message.requestBytes as number } }),
          } satisfies Change,
        ]),
  ];
}

/** Each plan that opens the operation, and a body that the narrowest of them allows. */
function planChanges({ plan, api, rule }: CompiledOperation, { release }: Supposition): Change[] {
  if (!plan.asked) return [];
  const open = release.plans.filter((one) => one.covers(api.id, rule.id)).slice(0, MAX_VALUES);
  const sizes = open.flatMap(({ rule: { requestBytes } }) => requestBytes ?? []);
  return [
    ...open.map(({ rule: { id, name } }): Change => ({
      kind: 'plan',
      slot: 'plan',
      words: `the plan ${name}`,
      apply: (call) => (call.plans?.includes(id) ? null : { ...call, plans: [id] }),
    })),
    ...(sizes.length === 0
      ? []
      : [
          {
            kind: 'body',
            slot: 'size',
            words: Math.min(...sizes) === 0 ? 'no body' : `a body of at most ${Math.min(...sizes)} bytes`,
            apply: (call) => ({ ...call, request: { ...call.request, body: Math.min(...sizes) === 0 ? null : Math.min(...sizes) } }),
          } satisfies Change,
        ]),
  ];
}
