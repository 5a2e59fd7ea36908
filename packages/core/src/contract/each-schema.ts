import { isRecord, pointerToken } from '../util/json-pointer.js';

type Kind = 'document' | 'components' | 'item' | 'operation' | 'callback' | 'parameter' | 'body' | 'answer' | 'media' | 'encoding' | 'schema';
/** One of a kind, or several by their names or in a list; `extended` where names that begin with `x-` are extensions. */
type Member = readonly ['one' | 'named' | 'extended' | 'list', Kind];

const METHODS = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace'];

/** Where objects of a description hold others that lead to schemas (OpenAPI 3.1.2 section 4.8). Header objects are read as parameters. */
const MEMBERS: Readonly<Record<Exclude<Kind, 'schema' | 'callback'>, Readonly<Record<string, Member>>>> = {
  document: { paths: ['extended', 'item'], webhooks: ['named', 'item'], components: ['one', 'components'] },
  components: {
    schemas: ['named', 'schema'],
    responses: ['named', 'answer'],
    parameters: ['named', 'parameter'],
    requestBodies: ['named', 'body'],
    headers: ['named', 'parameter'],
    callbacks: ['named', 'callback'],
    pathItems: ['named', 'item'],
  },
  item: { parameters: ['list', 'parameter'], ...Object.fromEntries(METHODS.map((method) => [method, ['one', 'operation'] as const])) },
  operation: { parameters: ['list', 'parameter'], requestBody: ['one', 'body'], responses: ['extended', 'answer'], callbacks: ['named', 'callback'] },
  parameter: { schema: ['one', 'schema'], content: ['named', 'media'] },
  body: { content: ['named', 'media'] },
  answer: { headers: ['named', 'parameter'], content: ['named', 'media'] },
  media: { schema: ['one', 'schema'], encoding: ['named', 'encoding'] },
  encoding: { headers: ['named', 'parameter'] },
};

/** Every schema that an OpenAPI description holds, but for those inside of schemas, with its pointer. */
export function eachSchema(document: Readonly<Record<string, unknown>>, visit: (schema: unknown, pointer: string) => void): void {
  walk(document, '', 'document', visit);
}

function walk(value: unknown, pointer: string, kind: Kind, visit: (schema: unknown, pointer: string) => void): void {
  if (kind === 'schema') return visit(value, pointer);
  if (!isRecord(value)) return;
  if (kind === 'callback') return walkNamed(value, pointer, 'item', true, visit);
  for (const [name, [how, of]] of Object.entries(MEMBERS[kind])) {
    if (!Object.hasOwn(value, name)) continue;
    const member = value[name];
    const at = `${pointer}/${name}`;
    if (how === 'one') walk(member, at, of, visit);
    else if (how !== 'list') walkNamed(member, at, of, how === 'extended', visit);
    else if (Array.isArray(member)) member.forEach((item, index) => walk(item, `${at}/${index}`, of, visit));
  }
}

function walkNamed(value: unknown, pointer: string, kind: Kind, extended: boolean, visit: (schema: unknown, pointer: string) => void): void {
  if (!isRecord(value)) return;
  for (const [name, item] of Object.entries(value)) if (!extended || !name.startsWith('x-')) walk(item, `${pointer}/${pointerToken(name)}`, kind, visit);
}
