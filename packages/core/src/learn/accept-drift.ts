import { acceptType, followed, type Acceptance, type ContractEdit } from '../contract/accept-deviation.js';
import { operationKey } from '../contract/diff-contracts.js';
import { listOperations } from '../contract/list-operations.js';
import { isRecord, pointerParts, pointerToken, valueAt } from '../util/json-pointer.js';
import type { Drift } from './drift.js';

type Json = Readonly<Record<string, unknown>>;
type At = (pointer: string) => unknown;

const MOST_DEPTH = 20;
const BRANCHES = ['allOf', 'oneOf', 'anyOf'] as const;

/**
 * How a contract says what was seen of an operation, with the smallest change that does: one more parameter, member, status or
 * content type, one less that is asked for, one more type. Null where there is none, as for what was never seen, or where what
 * the contract says has changed since.
 */
export function acceptDrift(
  document: Json,
  operation: { readonly method: string; readonly path: string },
  drift: Pick<Drift, 'kind' | 'where' | 'at' | 'found'>,
): Acceptance | null {
  const own = listOperations(document).operations.find((one) => operationKey(one) === operationKey(operation));
  if (!own || drift.kind === 'never-seen') return null;
  const at: At = (pointer) => valueAt(document, pointer);
  if (drift.where === 'query' || drift.where === 'header') return ofParameter(at, own.pointer, own.path, drift.where, drift);
  return ofBody(at, own.pointer, drift, typeof document['openapi'] === 'string' && !document['openapi'].startsWith('3.0'));
}

function ofParameter(at: At, operation: string, path: string, place: 'query' | 'header', { kind, at: name }: Pick<Drift, 'kind' | 'at'>): Acceptance | null {
  if (kind === 'undescribed') {
    const pointer = `${operation}/parameters`;
    const list = at(pointer);
    const known: unknown[] = Array.isArray(list) ? (list as unknown[]) : [];
    return { says: `names ${name} in the ${place}`, edits: [{ pointer, value: [...known, { name, in: place, schema: { type: 'string' } }] }] };
  }
  const lists = [`${operation}/parameters`, `/paths/${pointerToken(path)}/parameters`];
  const same = (one: unknown): boolean => typeof one === 'string' && (place === 'header' ? one.toLowerCase() === name.toLowerCase() : one === name);
  const parameter = lists
    .flatMap((list) => (Array.isArray(at(list)) ? (at(list) as unknown[]).map((_, index) => followed(at, `${list}/${index}`)) : []))
    .find((pointer) => {
      const one = pointer === null ? null : at(pointer);
      return isRecord(one) && one['in'] === place && same(one['name']);
    });
  if (typeof parameter !== 'string') return null;
  if (kind === 'missing') return { says: `does not ask for ${name} in the ${place}`, edits: [{ pointer: `${parameter}/required`, value: undefined }] };
  const schema = followed(at, `${parameter}/schema`);
  return schema === null || at(`${schema}/type`) === undefined
    ? null
    : { says: `asks for no type of ${name}`, edits: [{ pointer: `${schema}/type`, value: undefined }] };
}

function ofBody(
  at: At,
  operation: string,
  { kind, where, at: place, found }: Pick<Drift, 'kind' | 'where' | 'at' | 'found'>,
  modern: boolean,
): Acceptance | null {
  const status = /^answer (\d{3})$/.exec(where)?.[1];
  if (status === undefined && where !== 'request') return null;
  const holder = status === undefined ? followed(at, `${operation}/requestBody`) : answerAt(at, operation, status);
  if (status !== undefined && holder === null)
    return kind === 'undescribed' && place === ''
      ? { says: `names the answer ${status}`, edits: [{ pointer: `${operation}/responses/${status}`, value: { description: 'Seen in traffic' } }] }
      : null;
  // A content type; places in bodies begin with a slash.
  if (kind === 'undescribed' && place !== '' && !place.startsWith('/')) {
    const says = `names the content type ${place}`;
    if (holder === null) return { says, edits: [{ pointer: `${operation}/requestBody`, value: { content: { [place]: {} } } }] };
    return isRecord(at(`${holder}/content`))
      ? { says, edits: [{ pointer: `${holder}/content/${pointerToken(place)}`, value: {} }] }
      : { says, edits: [{ pointer: `${holder}/content`, value: { [place]: {} } }] };
  }
  const content = holder === null ? undefined : at(`${holder}/content`);
  if (!isRecord(content)) return null;
  const all = Object.keys(content).flatMap((type): Acceptance[] => {
    const media = followed(at, `${holder ?? ''}/content/${pointerToken(type)}`);
    const one = media === null ? null : inSchema(at, `${media}/schema`, { kind, place, found, modern });
    return one === null ? [] : [one];
  });
  const [first] = all;
  if (!first) return null;
  // Two types of a body often share a schema.
  const edits = new Map(all.flatMap((one) => one.edits).map((edit): [string, ContractEdit] => [edit.pointer, edit]));
  return { says: first.says, edits: [...edits.values()] };
}

/** Where an answer is described that a status gets: by itself, by its class, or as every other. */
function answerAt(at: At, operation: string, status: string): string | null {
  const name = [status, `${status[0] ?? ''}XX`, 'default'].find((one) => at(`${operation}/responses/${one}`) !== undefined);
  return name === undefined ? null : followed(at, `${operation}/responses/${name}`);
}

function inSchema(
  at: At,
  schema: string,
  { kind, place, found, modern }: { readonly kind: Drift['kind']; readonly place: string; readonly found: string; readonly modern: boolean },
): Acceptance | null {
  const parts = pointerParts(place) ?? [];
  const name = parts[parts.length - 1] ?? '';
  if (kind === 'other-type') {
    const own = reach(at, schema, parts);
    const type = own === null ? null : typedOf(at, own);
    return type === null ? null : acceptType(at, `${type}/type`, wordOf(found), modern);
  }
  const parent = parts.length === 0 ? null : reach(at, schema, parts.slice(0, -1));
  if (parent === null) return null;
  const places = branchesOf(at, parent);
  if (kind === 'undescribed') {
    const listing = places.find((one) => isRecord(at(`${one}/properties`)));
    return listing === undefined ? null : { says: `names the member ${name}`, edits: [{ pointer: `${listing}/properties/${pointerToken(name)}`, value: {} }] };
  }
  const edits = places.flatMap((one): ContractEdit[] => {
    const required = at(`${one}/required`);
    if (!Array.isArray(required) || !(required as unknown[]).includes(name)) return [];
    const left = (required as unknown[]).filter((member) => member !== name);
    return [{ pointer: `${one}/required`, value: left.length === 0 ? undefined : left }];
  });
  return edits.length === 0 ? null : { says: `does not ask for ${name}`, edits };
}

/** Types as drift names them, in the words of what was found. */
const wordOf = (found: string): string =>
  ({ integer: 'a whole number', number: 'a number', boolean: 'true or false', object: 'an object', array: 'a list', string: 'text', null: 'null' })[found] ??
  found;

/** A schema and what it is composed of, behind references. */
function branchesOf(at: At, pointer: string, depth = 0): string[] {
  const own = followed(at, pointer);
  if (own === null || depth > MOST_DEPTH) return [];
  const inner = BRANCHES.flatMap((name) => {
    const list = at(`${own}/${name}`);
    return Array.isArray(list) ? (list as unknown[]).flatMap((_, index) => branchesOf(at, `${own}/${name}/${index}`, depth + 1)) : [];
  });
  return [own, ...inner];
}

const typedOf = (at: At, pointer: string): string | null => branchesOf(at, pointer).find((one) => at(`${one}/type`) !== undefined) ?? null;

/** The schema of a place in a body; null where none speaks of it. `*` is every item of a list, or every member that has no name. */
function reach(at: At, schema: string, parts: readonly string[]): string | null {
  let place: string | null = schema;
  for (const part of parts) {
    const next: string | undefined = branchesOf(at, place ?? '')
      .flatMap((one) => (part === '*' ? [`${one}/items`, `${one}/additionalProperties`] : [`${one}/properties/${pointerToken(part)}`]))
      .find((one) => isRecord(at(one)));
    if (next === undefined) return null;
    place = next;
  }
  return place;
}
