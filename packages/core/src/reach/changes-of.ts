import type { CompiledOperation } from '../decision/compiled.js';
import type { AddressRule, NetworkRule } from '../document/address-rule.js';
import type { AuthorizerRule } from '../document/authorizer-rule.js';
import { takesOpaqueTokens } from '../document/provider-rule.js';
import type { MemberPath } from '../condition/member-paths.js';
import type { KnownFacts, SupposedToken } from '../suppose/supposed-caller.js';
import { ANY_VALUE } from '../suppose/supposed-request.js';
import type { SupposedCall, Supposition } from '../suppose/supposition.js';
import { tokenChange, withClaim, type Change } from './change.js';
import { laterToken } from './later-token.js';

/** Values that are tried of one kind at most, so that a long list costs no more than a short one. */
const MAX_VALUES = 40;
const MAX_CLIENTS = 20;
const HOUR_MS = 3_600_000;
/** Half hours of a week from now on. */
const HALF_HOURS = 336;

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

const withMember = (token: SupposedToken, members: SupposedToken['principal']): SupposedToken => ({ ...token, principal: { ...token.principal, ...members } });

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

/** Values that conditions and scripts name, or that the call and the tables hold, in the places where these look. */
function conditionChanges(call: SupposedCall, supposition: Supposition, facts: KnownFacts): Change[] {
  const { operation, nowMs } = call;
  const grounds = operation.fallLine.flatMap(({ hangsOn }) => hangsOn ?? []);
  const paths = new Map<string, MemberPath>();
  const texts = new Set<string>();
  for (const ground of grounds) {
    if (ground.kind === 'condition') {
      for (const path of ground.condition.looksAt) paths.set(path.join('\n'), path);
      literalsOf(ground.condition.source).forEach((text) => texts.add(text));
    } else if (ground.kind === 'authorizer') {
      for (const path of pathsIn(ground.rule)) paths.set(path.join('\n'), path);
      if (ground.rule.by.kind === 'script') literalsOf(ground.rule.by.source).forEach((text) => texts.add(text));
    }
  }
  if (paths.size === 0) return [];
  const own = operation.parameterNames.map((name) => call.request.parameters[name] ?? ANY_VALUE);
  const tables = cellsOf(paths, grounds, facts);
  const held = call.credentials.flatMap((one) => (one.kind === 'token' ? Object.values(supposition.principalOf(one)?.attributes ?? {}).flat() : []));
  // Values that are there are likelier than words of a source, of which sentences are none.
  const values = [...new Set([...own, ...held, ...tables, ...texts])].filter((text) => !/\s/.test(text)).slice(0, MAX_VALUES * 2);
  return [...paths.values()].flatMap((path) => changesAt(path, values, nowMs, supposition));
}

/** Changes of one member that a condition looks at. */
function changesAt([root, name = '', member]: MemberPath, values: readonly string[], nowMs: number, supposition: Supposition): Change[] {
  const principalOf = (token: SupposedToken) => supposition.principalOf(token);
  if (root === 'now') return hourChanges(nowMs);
  if (root === 'principal') {
    if (name === 'attributes' && member !== undefined)
      return values.map((value) =>
        tokenChange(
          'attribute',
          `attribute ${member}`,
          `${value} among ${member} of the token`,
          (token, { attributes }) => {
            const held = attributes[member] ?? [];
            return held.includes(value) ? null : withMember(token, { attributes: { ...attributes, [member]: [...held, value] } });
          },
          principalOf,
        ),
      );
    if (name === 'roles' || name === 'scopes' || name === 'groups')
      return values.map((value) =>
        tokenChange(
          name === 'scopes' ? 'scope' : name === 'roles' ? 'role' : 'attribute',
          name === 'scopes' ? `scope ${value}` : name,
          `the ${name.slice(0, -1)} ${value}`,
          (token, principal) => (principal[name].includes(value) ? null : withMember(token, { [name]: [...principal[name], value] })),
          principalOf,
        ),
      );
    if (name === 'acr' || name === 'tenant' || name === 'subject' || name === 'client')
      return values.map((value) => tokenChange('attribute', name, `the ${name} ${value}`, (token) => withMember(token, { [name]: value }), principalOf));
    if (name === 'signedInAt')
      return [tokenChange('sign-in', 'auth_time', 'a sign-in just now', (token) => withMember(token, { authTime: Math.floor(nowMs / 1000) }), principalOf)];
    return [];
  }
  if (root !== 'request' || member === undefined) return [];
  if (name === 'parameters')
    return values.map((value) =>
      requestChange(`parameter ${member}`, `${member} ${value} in the path`, (request) => ({
        ...request,
        parameters: { ...request.parameters, [member]: value },
      })),
    );
  if (name === 'headers')
    return values.map((value) =>
      requestChange(`header ${member}`, `the header ${member} with ${value}`, (request) => ({ ...request, headers: { ...request.headers, [member]: value } })),
    );
  if (name === 'query')
    return values.map((value) =>
      requestChange(`query ${member}`, `the query parameter ${member} with ${value}`, (request) => {
        const query = new URLSearchParams(request.query);
        query.set(member, value);
        return { ...request, query: `?${query.toString()}` };
      }),
    );
  return [];
}

function requestChange(slot: string, words: string, edit: (request: SupposedCall['request']) => SupposedCall['request']): Change {
  return {
    kind: 'request',
    slot,
    words,
    apply: (call) => (call.request.sentAs && slot.startsWith('parameter') ? null : { ...call, request: edit(call.request) }),
  };
}

/** The half hours of the week that begins now, the next first. */
function hourChanges(nowMs: number): Change[] {
  const first = Math.ceil(nowMs / (HOUR_MS / 2));
  return Array.from({ length: HALF_HOURS }, (_, index): Change => {
    const at = (first + index) * (HOUR_MS / 2);
    const words = `a time such as ${new Date(at).toISOString().slice(0, 16).replace('T', ' ')} UTC`;
    // The token goes with the time, or nothing would pass but what has a token that lives for a week.
    return {
      kind: 'hour',
      slot: 'hour',
      words,
      apply: (call) => ({ ...call, nowMs: at, credentials: call.credentials.map((one) => (one.kind === 'token' ? laterToken(one, at - call.nowMs) : one)) }),
    };
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

/** Texts in quotes. */
const literalsOf = (source: string): string[] =>
  [...source.matchAll(/"([^"\\\n]{1,60})"|'([^'\\\n]{1,60})'/g)].map(([, one, other]) => one ?? other ?? '').slice(0, MAX_VALUES);

/** Members that a script or a question names; of a script as far as its text shows them. */
function pathsIn({ by }: AuthorizerRule): MemberPath[] {
  const source =
    by.kind === 'script'
      ? by.source
      : [by.question.subjectId, by.question.action, by.question.resourceId, ...by.question.properties.map(({ value }) => value)].join('\n');
  const members = [...source.matchAll(/\b(attributes|parameters|query)\??\.(\w+)/g)].map(([, map = '', name = '']): MemberPath => [
    map === 'attributes' ? 'principal' : 'request',
    map,
    name,
  ]);
  const roots = [...source.matchAll(/\bprincipal\??\.(roles|scopes|groups|acr|tenant)\b/g)].map(([, name = '']): MemberPath => ['principal', name]);
  return [...members, ...roots, ...(/\bnow\b/.test(source) ? [['now'] as MemberPath] : [])];
}

/** Keys and cells of the tables that are looked at, first of rows that the call names. */
function cellsOf(
  paths: ReadonlyMap<string, MemberPath>,
  grounds: readonly NonNullable<CompiledOperation['fallLine'][number]['hangsOn']>[],
  facts: KnownFacts,
): string[] {
  const named = new Set([...paths.values()].flatMap(([root, table]) => (root === 'resource' && table !== undefined ? [table] : [])));
  for (const ground of grounds)
    if (ground.kind === 'authorizer' && ground.rule.by.kind === 'script') ground.rule.by.tables.forEach((table) => named.add(table));
  return facts.tables.filter(({ id }) => named.has(id)).flatMap(({ rows }) => rows.slice(0, MAX_VALUES).flat());
}
