import type { MemberPath } from '../condition/member-paths.js';
import type { CompiledOperation } from '../decision/compiled.js';
import { isRecord } from '../util/json-pointer.js';
import type { AuthorizerRule } from '../document/authorizer-rule.js';
import type { KnownFacts, SupposedToken } from '../suppose/supposed-caller.js';
import { ANY_VALUE } from '../suppose/supposed-request.js';
import type { SupposedCall, Supposition } from '../suppose/supposition.js';
import { MAX_VALUES, tokenChange, withMember, type Change } from './change.js';
import { laterToken } from './later-token.js';

const HOUR_MS = 3_600_000;
/** Half hours of a week from now on. */
const HALF_HOURS = 336;

/** Values that conditions and scripts name, or that the call and the tables hold, in the places where these look. */
export function conditionChanges(call: SupposedCall, supposition: Supposition, facts: KnownFacts): Change[] {
  const { operation, nowMs } = call;
  const grounds = operation.ahead.flatMap(({ hangsOn }) => hangsOn ?? []);
  const paths = new Map<string, MemberPath>();
  const sources = sourcesOf(operation);
  const texts = sources.flatMap(literalsOf);
  const numbers = namedNumbers(operation);
  for (const ground of grounds) {
    if (ground.kind === 'condition') for (const path of ground.condition.looksAt) paths.set(path.join('\n'), path);
    if (ground.kind === 'authorizer') for (const path of pathsIn(ground.rule)) paths.set(path.join('\n'), path);
  }
  if (paths.size === 0) return [];
  const own = operation.parameterNames.map((name) => call.request.parameters[name] ?? ANY_VALUE);
  const tables = cellsOf(paths, grounds, facts);
  const held = call.credentials.flatMap((one) => (one.kind === 'token' ? Object.values(supposition.principalOf(one)?.attributes ?? {}).flat() : []));
  // Values that are there are likelier than words of a source, of which sentences are none.
  const values = [...new Set([...own, ...held, ...tables, ...texts, ANY_VALUE])].filter((text) => !/\s/.test(text)).slice(0, MAX_VALUES * 2);
  return [
    ...[...paths.values()].flatMap((path) => changesAt(path, values, nowMs, supposition)),
    ...bodyMembers([...paths.values()]).flatMap((names) => inBody(names, [...values, ...numbers, true, false].slice(0, MAX_VALUES * 2))),
  ];
}

/** What its conditions and scripts say. */
const sourcesOf = ({ ahead }: CompiledOperation): string[] =>
  ahead.flatMap(({ hangsOn }) => {
    if (hangsOn?.kind === 'condition') return [hangsOn.condition.source];
    return hangsOn?.kind === 'authorizer' && hangsOn.rule.by.kind === 'script' ? [hangsOn.rule.by.source] : [];
  });

/** Numbers that conditions and scripts of an operation name, and those beside them. */
export const namedNumbers = (operation: CompiledOperation): number[] => [...new Set(sourcesOf(operation).flatMap(numbersOf))];

/** Members of the body that are looked at, each by the names that lead to it. */
const bodyMembers = (paths: readonly MemberPath[]): string[][] =>
  paths.flatMap(([root, name, ...names]) => (root === 'request' && name === 'body' && names.length > 0 ? [names] : []));

/** A member of the body with each of some values, where what the body says is supposed. */
function inBody(names: readonly string[], values: readonly (string | number | boolean)[]): Change[] {
  const called = names.join('.');
  return values.map((value): Change => ({
    kind: 'request',
    slot: `body ${called}`,
    words: `${called} ${JSON.stringify(value)} in the body`,
    apply: (call) => {
      const content = withBodyMember(call.request.body, names, value);
      return content === null ? null : { ...call, request: { ...call.request, body: { content } } };
    },
  }));
}

/** A body of JSON with another member; null where it is not known, or holds something else there than an object. @param value undefined takes it away */
export function withBodyMember(body: SupposedCall['request']['body'], names: readonly string[], value: unknown): string | null {
  if (typeof body !== 'object' || body === null) return null;
  let content: unknown;
  try {
    content = JSON.parse(body.content);
  } catch {
    return null;
  }
  let at = content;
  for (const name of names.slice(0, -1)) {
    if (!isRecord(at)) return null;
    if (!Object.hasOwn(at, name)) put(at, name, {});
    at = at[name];
  }
  if (!isRecord(at)) return null;
  put(at, names[names.length - 1] ?? '', value);
  return JSON.stringify(content);
}

const put = (of: object, name: string, value: unknown): void =>
  void Object.defineProperty(of, name, { value, enumerable: true, configurable: true, writable: true });

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

/** Texts in quotes. */
const literalsOf = (source: string): string[] =>
  [...source.matchAll(/"([^"\\\n]{1,60})"|'([^'\\\n]{1,60})'/g)].map(([, one, other]) => one ?? other ?? '').slice(0, MAX_VALUES);

/** Numbers that stand in a source, and those beside them, which are on the other side of a comparison. */
const numbersOf = (source: string): number[] =>
  [...source.matchAll(/(?<![\w.])\d{1,12}(?:\.\d{1,6})?(?![\w.])/g)]
    .flatMap(([text]) => [Number(text), Number(text) - 1, Number(text) + 1])
    .slice(0, MAX_VALUES);

/** A member as scripts and expressions read it: `parameters.gateId`, `headers['x-crew']`. */
const MEMBERS = /\b(attributes|parameters|query|headers|body)(?:\??\.(\w+)|(?:\?\.)?\[["']([\w.-]+)["']\])/g;

/** Members that a script or a question names; of a script as far as its text shows them. */
function pathsIn({ by }: AuthorizerRule): MemberPath[] {
  const source =
    by.kind === 'script'
      ? by.source
      : [by.question.subjectId, by.question.action, by.question.resourceId, ...by.question.properties.map(({ value }) => value)].join('\n');
  const members = [...source.matchAll(MEMBERS)].map(([, map = '', plain, quoted]): MemberPath => [
    map === 'attributes' ? 'principal' : 'request',
    map,
    plain ?? quoted ?? '',
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
