/** What may stand in an object of a description, with what it is for and what stands inside. */
export interface Word {
  readonly name: string;
  readonly about: string;
  /** The kind of object that is its value; left out for plain values. */
  readonly inside?: ObjectKind;
}

/** Kinds of objects of OpenAPI 3.1.2 section 4.8, as far as help is given for them. Maps have names of one's own. */
export type ObjectKind =
  | 'root'
  | 'info'
  | 'paths'
  | 'path'
  | 'operation'
  | 'parameters'
  | 'parameter'
  | 'body'
  | 'content'
  | 'media'
  | 'responses'
  | 'response'
  | 'headers'
  | 'schema'
  | 'schemas'
  | 'schemaList'
  | 'components'
  | 'security'
  | 'schemes'
  | 'scheme'
  | 'tags'
  | 'tag'
  | 'servers'
  | 'server'
  | 'parameterMap'
  | 'bodies';

const of = (inside: ObjectKind | null, ...words: readonly (readonly [name: string, about: string, inside?: ObjectKind])[]) => ({
  any: inside,
  words: words.map(([name, about, own]): Word => ({ name, about, ...(own ? { inside: own } : {}) })),
});

const METHODS = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace'];

/** `any` is the kind of what stands under a name of one's own, or in a list. */
const KINDS: Readonly<Record<ObjectKind, { readonly any: ObjectKind | null; readonly words: readonly Word[] }>> = {
  root: of(
    null,
    ['openapi', 'the version of the form, such as 3.1.1'],
    ['info', 'title and version of the API', 'info'],
    ['servers', 'where it is served', 'servers'],
    ['paths', 'operations by path and method', 'paths'],
    ['components', 'schemas, parameters and schemes that are referred to', 'components'],
    ['security', 'what all operations ask for', 'security'],
    ['tags', 'groups of operations', 'tags'],
    ['externalDocs', 'where more is written'],
  ),
  info: of(
    null,
    ['title', 'the name of the API'],
    ['version', 'its own version'],
    ['summary', 'in one line'],
    ['description', 'in many'],
    ['contact', 'who answers'],
    ['license', 'under which it may be used'],
  ),
  paths: of('path'),
  path: of(
    null,
    ...METHODS.map((name) => [name, `the operation ${name.toUpperCase()}`, 'operation'] as const),
    ['parameters', 'of all operations of this path', 'parameters'],
    ['summary', 'in one line'],
    ['description', 'in many'],
  ),
  operation: of(
    null,
    ['operationId', 'a name of its own among all operations'],
    ['summary', 'in one line'],
    ['description', 'in many'],
    ['tags', 'the groups that it is in'],
    ['parameters', 'in path, query, header or cookie', 'parameters'],
    ['requestBody', 'what is sent', 'body'],
    ['responses', 'what is answered, by status', 'responses'],
    ['security', 'what it asks for; an empty list is public', 'security'],
    ['deprecated', 'no longer to be used'],
  ),
  parameters: of('parameter'),
  parameterMap: of('parameter'),
  parameter: of(
    null,
    ['name', 'as it is sent'],
    ['in', 'path, query, header or cookie'],
    ['required', 'has to be there; always so in a path'],
    ['schema', 'what its value is', 'schema'],
    ['content', 'what its value is, in a media type', 'content'],
    ['style', 'how lists and objects are written'],
    ['explode', 'each value by itself'],
    ['allowReserved', 'reserved characters stay as they are'],
    ['description', 'what it is for'],
    ['example', 'one value'],
    ['deprecated', 'no longer to be used'],
  ),
  body: of(null, ['content', 'by media type', 'content'], ['required', 'has to be there'], ['description', 'what it is']),
  bodies: of('body'),
  content: of('media'),
  media: of(
    null,
    ['schema', 'how it is built', 'schema'],
    ['example', 'one body'],
    ['examples', 'several, by name'],
    ['encoding', 'how members of a form are written'],
  ),
  responses: of('response', ['default', 'every status that is not named', 'response']),
  response: of(
    null,
    ['description', 'what it means'],
    ['content', 'by media type', 'content'],
    ['headers', 'header fields of the answer', 'headers'],
    ['links', 'what can be called next'],
  ),
  headers: of('parameter'),
  schemas: of('schema'),
  schemaList: of('schema'),
  schema: of(
    null,
    ['type', 'string, number, integer, boolean, array, object or null'],
    ['format', 'such as date-time, uuid, email'],
    ['properties', 'members by name', 'schemas'],
    ['required', 'names of members that have to be there'],
    ['additionalProperties', 'what other members may be; false for none', 'schema'],
    ['items', 'what items of a list are', 'schema'],
    ['enum', 'all values there are'],
    ['const', 'the only value'],
    ['minimum', 'the least'],
    ['maximum', 'the most'],
    ['exclusiveMinimum', 'more than this'],
    ['exclusiveMaximum', 'less than this'],
    ['multipleOf', 'a multiple of this'],
    ['minLength', 'characters at least'],
    ['maxLength', 'characters at most'],
    ['pattern', 'a regular expression that has to match'],
    ['minItems', 'items at least'],
    ['maxItems', 'items at most'],
    ['uniqueItems', 'no item twice'],
    ['oneOf', 'exactly one of these', 'schemaList'],
    ['anyOf', 'one of these or more', 'schemaList'],
    ['allOf', 'all of these', 'schemaList'],
    ['not', 'not this', 'schema'],
    ['discriminator', 'the member that says which of several it is'],
    ['readOnly', 'in answers only'],
    ['writeOnly', 'in requests only'],
    ['nullable', 'may be null (3.0)'],
    ['default', 'the value where none is there'],
    ['description', 'what it is'],
    ['example', 'one value'],
    ['deprecated', 'no longer to be used'],
    ['xml', 'how it is written in XML'],
    ['$ref', 'stands in another place'],
  ),
  components: of(
    null,
    ['schemas', 'schemas by name', 'schemas'],
    ['parameters', 'parameters by name', 'parameterMap'],
    ['responses', 'answers by name', 'responses'],
    ['requestBodies', 'bodies by name', 'bodies'],
    ['headers', 'header fields by name', 'headers'],
    ['securitySchemes', 'how callers prove who they are', 'schemes'],
    ['examples', 'examples by name'],
  ),
  security: of(null),
  schemes: of('scheme'),
  scheme: of(
    null,
    ['type', 'apiKey, http, mutualTLS, oauth2 or openIdConnect'],
    ['scheme', 'of http: bearer or basic'],
    ['bearerFormat', 'what the token is'],
    ['in', 'where the key is: query, header or cookie'],
    ['name', 'of the header field, parameter or cookie'],
    ['openIdConnectUrl', 'the provider’s discovery document'],
    ['flows', 'how tokens are got'],
    ['description', 'what it is'],
  ),
  tags: of('tag'),
  tag: of(null, ['name', 'as operations name it'], ['description', 'what the group is']),
  servers: of('server'),
  server: of(null, ['url', 'where it is served'], ['description', 'which one it is'], ['variables', 'parts of the address']),
};

/** What may stand at a place: the names of the objects around it, `*` for an item of a list. */
export function wordsAt(path: readonly string[]): readonly Word[] {
  let kind: ObjectKind | null = 'root';
  for (const name of path) {
    if (kind === null) return [];
    const { any, words }: { readonly any: ObjectKind | null; readonly words: readonly Word[] } = KINDS[kind];
    kind = words.find((word) => word.name === name)?.inside ?? any;
  }
  return kind === null ? [] : KINDS[kind].words;
}
