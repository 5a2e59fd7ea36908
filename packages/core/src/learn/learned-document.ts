import { isParameter, type LearnedEntry } from './path-learner.js';
import type { SeenAnswers, SeenOperation, SeenParameter } from './seen-operation.js';
import { LEAST_FOR_REQUIRED, schemaOf, type SeenShape } from './seen-shape.js';
import { schemaOfKinds } from './text-kind.js';

type Json = Readonly<Record<string, unknown>>;

/** A learned operation as an OpenAPI 3.1 description says it. */
export interface DescribedOperation {
  /** A template with named parameters. */
  readonly path: string;
  /** In capitals. */
  readonly method: string;
  readonly operation: Json;
}

/** Describes a learned operation: what all requests had is required where there were enough of them. */
export function describeLearned({ path, operation }: LearnedEntry): DescribedOperation {
  const names: string[] = [];
  const segments = path.split('/').slice(1);
  const template = segments.map((segment, index) => {
    if (!isParameter(segment)) return segment;
    const name = parameterName(segments[index - 1], names);
    names.push(name);
    return `{${name}}`;
  });
  const named = (place: string, known: ReadonlyMap<string, SeenParameter>): Json[] =>
    [...known].map(([name, seen]) => ({
      name,
      in: place,
      ...(isRequired(seen, operation) ? { required: true } : {}),
      schema: seen.repeated > 0 ? { type: 'array', items: schemaOfKinds(seen.kinds) } : schemaOfKinds(seen.kinds),
    }));
  const parameters = [
    ...names.map((name, index) => ({ name, in: 'path', required: true, schema: schemaOfKinds(operation.path[index]?.kinds ?? new Map()) })),
    ...named('query', operation.query),
    ...named('header', operation.headers),
  ];
  return {
    path: `/${template.join('/')}`,
    method: operation.method,
    operation: {
      operationId: idOf(operation.method, segments),
      summary: 'Learned from traffic',
      ...(parameters.length > 0 ? { parameters } : {}),
      ...bodyOf(operation),
      responses: Object.fromEntries([...operation.answers].sort(([a], [b]) => a - b).map(([status, answers]) => [String(status), answerOf(answers)])),
    },
  };
}

/** A parameter is required where all requests had it, of enough requests to say so. */
export const isRequired = ({ seen }: SeenParameter, operation: SeenOperation): boolean => operation.seen >= LEAST_FOR_REQUIRED && seen >= operation.seen;

function bodyOf({ bodies, bodiless, seen }: SeenOperation): Json {
  if (bodies.size === 0) return {};
  return { requestBody: { ...(bodiless === 0 && seen >= LEAST_FOR_REQUIRED ? { required: true } : {}), content: contentOf(bodies) } };
}

function answerOf({ contents }: SeenAnswers): Json {
  return { description: 'Seen in traffic', ...(contents.size > 0 ? { content: contentOf(contents) } : {}) };
}

/** What has no type that can be read is not described. */
const contentOf = (contents: ReadonlyMap<string, SeenShape>): Json =>
  Object.fromEntries([...contents].filter(([type]) => type !== '').map(([type, shape]) => [type, mediaOf(schemaOf(shape))]));

const mediaOf = (schema: Json): Json => (Object.keys(schema).length > 0 ? { schema } : {});

/** A name for a parameter by what stands before it: gates/{gateId}. */
function parameterName(before: string | undefined, taken: readonly string[]): string {
  const words = before && !isParameter(before) ? before.split(/[^A-Za-z0-9]+/).filter(Boolean) : [];
  const camel = words.map((word, index) => (index === 0 ? word.charAt(0).toLowerCase() : word.charAt(0).toUpperCase()) + word.slice(1)).join('');
  const one = camel
    .replace(/ies$/, 'y')
    .replace(/(ss|sh|ch|x)es$/, '$1')
    .replace(/([^s])s$/, '$1');
  const name = /^[a-z]/i.test(one) ? `${one}Id` : 'id';
  let free = name;
  for (let count = 2; taken.includes(free); count++) free = `${name}${count}`;
  return free;
}

const idOf = (method: string, segments: readonly string[]): string => {
  const words = segments.flatMap((segment) => (isParameter(segment) ? ['one'] : segment.split(/[^A-Za-z0-9]+/))).filter(Boolean);
  return method.toLowerCase() + words.map((word) => word.charAt(0).toUpperCase() + word.slice(1)).join('');
};

/** A whole description (OpenAPI 3.1.1) of what was learned of one API. */
export function learnedDocument(title: string, version: string, entries: Iterable<LearnedEntry>): Json {
  const paths: Record<string, Record<string, Json>> = {};
  const ids = new Set<string>();
  for (const entry of entries) {
    const { path, method, operation } = describeLearned(entry);
    const item = (paths[path] ??= {});
    item[method.toLowerCase()] = { ...operation, operationId: uniqueId(String(operation['operationId']), ids) };
  }
  return { openapi: '3.1.1', info: { title, version }, paths };
}

function uniqueId(id: string, taken: Set<string>): string {
  let free = id;
  for (let count = 2; taken.has(free); count++) free = `${id}${count}`;
  taken.add(free);
  return free;
}
