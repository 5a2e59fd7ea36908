import type { BodyMember } from '../contract/body-members.js';
import type { DescribedParameter, ParameterPlace } from '../contract/described-parameters.js';
import { DYN, listOf, mapOf, STRING, textLike, TIMESTAMP, type ConditionType, type MemberType } from './condition-type.js';
import { address, butFor, fieldName, fieldValue, method, path, proof, scopeName, type TextForm } from './text-forms.js';

/** What is known, before any request, of what a condition looks at. */
export interface ConditionScope {
  /** Names of path parameters that every operation of the rule has; null where it is not known yet which operations these are. */
  readonly parameters: readonly string[] | null;
  /** Own members of the claim maps of the providers whose tokens are taken; null where that is not known. */
  readonly attributes: readonly string[] | null;
  /** Tables by name with their columns; null where that is not known, as for a release, which tables are no part of. */
  readonly tables: Readonly<Record<string, readonly string[]>> | null;
  /** False for what is not shown bodies; left out, it is. */
  readonly body?: boolean;
  /** Members that contracts name in the bodies; left out where nobody says. Others may be sent all the same. */
  readonly bodyMembers?: readonly BodyMember[];
  /** Parameters that contracts describe; null or left out where nobody knows. Others may be sent all the same. */
  readonly contractParameters?: readonly DescribedParameter[] | null;
  /** Where some of these operations take credentials, as `headers.x-key` and `query.key`: conditions are not shown what travels there. */
  readonly unshown?: readonly string[];
}

/** Header fields, whose names are in lower case. @param form of their names */
const headersOf = (form: TextForm): ConditionType => ({ kind: 'map', key: textLike(form), of: textLike(fieldValue), lowerCase: true });
const HEADERS = headersOf(fieldName);

/** Names in one part of a request in which these operations take credentials. */
function unshownIn(part: 'headers' | 'query', { unshown = [] }: ConditionScope): ReadonlySet<string> {
  const before = `${part}.`;
  return new Set(unshown.flatMap((place) => (place.startsWith(before) ? [place.slice(before.length)] : [])));
}

/** A scope in which nothing is known: for a shared condition that no rule calls. */
export const OPEN_SCOPE: ConditionScope = { parameters: null, attributes: null, tables: null };

const member = (type: ConditionType, about: string): MemberType => ({ type, about });
const record = (name: string, members: Readonly<Record<string, MemberType>>): ConditionType => ({ kind: 'record', name, members });
/** Texts by name, of which some are described. */
const openRecord = (name: string, members: Readonly<Record<string, MemberType>>): ConditionType => ({
  kind: 'record',
  name,
  members,
  open: true,
  others: { type: STRING, described: false },
});
const each = (names: readonly string[], make: (name: string) => MemberType): Record<string, MemberType> =>
  Object.assign(Object.create(null) as Record<string, MemberType>, Object.fromEntries(names.map((name) => [name, make(name)])));

/** What is believed of requests by what contracts describe: nothing that decides, for anything may be sent. */
export interface DescribedTypes {
  readonly body: ConditionType;
  /** Path parameters, parameters of the query and header fields by name; null where nothing is believed of any. */
  readonly parameters: Readonly<Record<ParameterPlace, Readonly<Record<string, MemberType>>>> | null;
}

const UNDESCRIBED: DescribedTypes = { body: DYN, parameters: null };

/** The variables of conditions with their types: one table for the check, the completion and the documents. */
export function inputOf(scope: ConditionScope, described: DescribedTypes = UNDESCRIBED): Readonly<Record<string, MemberType>> {
  const { parameters, attributes, tables, body = true } = scope;
  const [fields, keys] = [unshownIn('headers', scope), unshownIn('query', scope)];
  const texts = listOf(STRING);
  return each(['principal', 'client', 'credentials', 'request', 'resource', 'now'], (name) => {
    switch (name) {
      case 'principal':
        return member(
          record('principal', {
            subject: member(STRING, 'Who the token speaks of, at its issuer'),
            issuer: member(STRING, 'The issuer of the token'),
            provider: member(STRING, 'Name of the provider that vouches for the token'),
            tenant: member(STRING, 'The tenant, where the claim map names one'),
            scopes: member(listOf(textLike(scopeName)), 'Scopes of the token'),
            roles: member(texts, 'Roles, of the token and of the client'),
            groups: member(texts, 'Groups of the token'),
            acr: member(STRING, 'How strongly the user signed in'),
            amr: member(texts, 'By what means the user signed in'),
            signedInAt: member(TIMESTAMP, 'When the user signed in'),
            attributes: member(
              attributes === null
                ? mapOf(texts)
                : record(
                    'principal.attributes',
                    each(attributes, () => member(texts, 'Own member of the claim map')),
                  ),
              'Own members of the claim map, each a list; one without a value is not there',
            ),
          }),
          'Who was proved to call, by a token. A member that nobody vouches for is not there.',
        );
      case 'client':
        return member(
          record('client', {
            id: member(STRING, 'The client: its id here, or at its provider'),
            name: member(STRING, 'Name of the client, where it is known here'),
            metadata: member(mapOf(DYN), 'What is said of the client here: client.metadata.NAME; numbers are doubles'),
          }),
          'The client, by key, secret, certificate or token.',
        );
      case 'credentials':
        return member(listOf(textLike(proof)), 'How the caller proved itself: token, key, basic, certificate');
      case 'request':
        return member(
          record('request', {
            method: member(textLike(method), 'The method, in capitals'),
            path: member(textLike(path), 'The path in its one plain spelling'),
            operation: member(STRING, 'Id of the operation'),
            parameters: member(
              parameters === null
                ? mapOf(STRING)
                : record(
                    'request.parameters',
                    each(parameters, (one) => described.parameters?.path[one] ?? member(STRING, 'Path parameter')),
                  ),
              'Parameters of the path',
            ),
            query: member(
              described.parameters ? openRecord('request.query', described.parameters.query) : mapOf(STRING, keys.size === 0 ? STRING : textLike(butFor(keys))),
              'Parameters of the query. One that stands twice is an error.',
            ),
            headers: member(
              described.parameters
                ? openRecord('request.headers', described.parameters.header)
                : fields.size === 0
                  ? HEADERS
                  : headersOf(butFor(fields, fieldName)),
              'Header fields, names in lower case, without credentials',
            ),
            address: member(textLike(address), 'Where the request comes from, behind trusted hops'),
            ...(body
              ? {
                  body: member(
                    described.body,
                    'The body, JSON or a form: request.body.NAME; numbers are doubles. Not there where none was sent; one that cannot be read refuses',
                  ),
                }
              : {}),
          }),
          'What was asked for.',
        );
      case 'resource':
        return member(
          tables === null
            ? mapOf(mapOf(mapOf(STRING)))
            : record(
                'resource',
                each(Object.keys(tables), (table) =>
                  member(
                    mapOf(
                      record(
                        `a row of ${table}`,
                        each(tables[table] ?? [], () => member(STRING, 'Column')),
                      ),
                    ),
                    'Table, its rows by their keys',
                  ),
                ),
              ),
          'Tables, as they are at this moment: resource.NAME["key"].column',
        );
      default:
        return name === 'now'
          ? member(TIMESTAMP, 'The time at the gateway. A zone is named where parts of it are read: now.getHours("Europe/Berlin")')
          : member(DYN, '');
    }
  });
}
