import { isRecord, pointerToken } from '../../util/json-pointer.js';
import { NameList, NO_NAMES } from '../../schema/name-list.js';
import { PlaceListMap } from '../../schema/place-map.js';
import type { SchemaPlace, SchemaSet } from '../../schema/schema-set.js';
import type { Form, Texts } from './parameter-style.js';

/** What a schema says a value can be, as far as texts have to be turned into it. */
export interface Kinds {
  readonly types: ReadonlySet<string>;
  readonly members: MemberPlaces;
  readonly items: readonly SchemaPlace[];
  /** Schemas of members that none of these names. */
  readonly others: readonly SchemaPlace[];
  /** Whether members may have other names too. */
  readonly open: boolean;
}

const NONE_ASKED: (readonly SchemaPlace[] | undefined)[] = [];

/** Schemas of members, by name; several where alternatives have the same name. Their places are made when somebody asks for one. */
export class MemberPlaces {
  /** Schemas that have members, with these. */
  readonly #owners: { readonly place: SchemaPlace; readonly named: NameList }[] = [];
  #all: NameList | null = NO_NAMES;
  /** Of those that somebody asked for, in the order of the names. */
  #places: (readonly SchemaPlace[] | undefined)[] = NONE_ASKED;

  get size(): number {
    return this.list().names.length;
  }

  /** The names of all members, each once. */
  list(): NameList {
    return (this.#all ??= new NameList([...new Set(this.#owners.flatMap(({ named }) => named.names))]));
  }

  names(): readonly string[] {
    return this.list().names;
  }

  has(name: string): boolean {
    return this.list().has(name);
  }

  /** The same list each time; undefined where there is no such member. */
  get(name: string): readonly SchemaPlace[] | undefined {
    const at = this.list().find(name, 0);
    if (at < 0) return undefined;
    if (this.#places === NONE_ASKED) this.#places = [];
    return (this.#places[at] ??= this.#owners.flatMap(({ place, named }) => (named.has(name) ? [placeBelow(place, 'properties', name)] : [])));
  }

  add(place: SchemaPlace, names: readonly string[]): void {
    const named = new NameList(names);
    this.#owners.push({ place, named });
    // Most have one owner.
    this.#all = this.#owners.length === 1 ? named : null;
    this.#places = NONE_ASKED;
  }
}

const placeBelow = ({ document, pointer }: SchemaPlace, ...path: (string | number)[]): SchemaPlace => ({
  document,
  pointer: pointer + path.map((part) => `/${pointerToken(part)}`).join(''),
});

const NUMBER = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/;
const ALL = ['null', 'boolean', 'string', 'number', 'integer', 'object', 'array'];

/** Whether there is a type of this name. */
export const isKnownType = (name: string): boolean => ALL.includes(name);

/** Kinds that were looked for already. */
const known = new WeakMap<SchemaSet, PlaceListMap<Kinds>>();

/** Looks through references and combinations for the types that a value may have; once for the same places. */
export function kindsOf(set: SchemaSet, places: readonly SchemaPlace[]): Kinds {
  let own = known.get(set);
  if (!own) known.set(set, (own = new PlaceListMap<Kinds>()));
  let kinds = own.get(places);
  if (!kinds) own.set(places, (kinds = lookFor(set, places)));
  return kinds;
}

function lookFor(set: SchemaSet, places: readonly SchemaPlace[]): Kinds {
  const types = new Set<string>();
  const members = new MemberPlaces();
  const items: SchemaPlace[] = [];
  const others: SchemaPlace[] = [];
  let open = true;
  const seen = new Set<string>();
  const look = (place: SchemaPlace): void => {
    const key = `${place.document}#${place.pointer}`;
    if (seen.has(key)) return;
    seen.add(key);
    const schema = set.valueOf(place);
    if (!isRecord(schema)) return;
    const below = (...path: (string | number)[]): SchemaPlace => placeBelow(place, ...path);
    const said = schema['type'];
    for (const type of Array.isArray(said) ? (said as unknown[]) : [said]) if (typeof type === 'string') types.add(type);
    if (schema['nullable'] === true) types.add('null');
    if (said === undefined)
      for (const value of [...(Array.isArray(schema['enum']) ? (schema['enum'] as unknown[]) : []), ...('const' in schema ? [schema['const']] : [])])
        types.add(typeOf(value));
    if (isRecord(schema['properties'])) {
      if (said === undefined) types.add('object');
      members.add(place, Object.keys(schema['properties']));
    }
    if (schema['additionalProperties'] === false) open = false;
    if (isRecord(schema['additionalProperties'])) others.push(below('additionalProperties'));
    if (schema['items'] !== undefined) {
      if (said === undefined) types.add('array');
      items.push(below('items'));
    }
    if (typeof schema['$ref'] === 'string') {
      const found = set.resolve(schema['$ref'], place);
      if (found.kind === 'place') look(found.place);
    }
    for (const word of ['allOf', 'anyOf', 'oneOf']) {
      const list = schema[word];
      if (Array.isArray(list)) list.forEach((_, index) => look(below(word, index)));
    }
  };
  places.forEach(look);
  return { types: shared(types.size === 0 ? ALL : [...types]), members, items: some(items), others: some(others), open };
}

const NOWHERE: readonly SchemaPlace[] = [];
const some = (places: readonly SchemaPlace[]): readonly SchemaPlace[] => (places.length === 0 ? NOWHERE : places);

/** Sets of types, one for all schemas that have the same. There are few; names that are no types are not kept. */
const SETS = new Map<string, ReadonlySet<string>>();

function shared(types: readonly string[]): ReadonlySet<string> {
  if (!types.every(isKnownType)) return new Set(types);
  const key = [...types].sort().join(' ');
  let set = SETS.get(key);
  if (!set) SETS.set(key, (set = new Set(types)));
  return set;
}

const typeOf = (value: unknown): string => (value === null ? 'null' : Array.isArray(value) ? 'array' : typeof value);

/** In what form a value of a schema is written; several where its schema leaves that open. */
export function formsOf({ types }: Kinds): readonly Form[] {
  if (types.size === ALL.length) return ['one'];
  return [
    ...(types.has('array') ? (['list'] as const) : []),
    ...(types.has('object') ? (['object'] as const) : []),
    ...(types.has('string') || types.has('number') || types.has('integer') || types.has('boolean') || types.has('null') ? (['one'] as const) : []),
  ];
}

/**
 * A value of texts as the types of its schema have it: the first that the text can be of number, boolean, null, text.
 * @param plain leaves texts as they are wherever a schema allows texts
 */
export function typed(texts: Texts, kinds: Kinds, set: SchemaSet, plain: boolean): unknown {
  if (typeof texts === 'string') return typedText(texts, kinds.types, plain);
  if (Array.isArray(texts)) {
    const items = kindsOf(set, kinds.items);
    return (texts as readonly string[]).map((text) => typed(text, items, set, plain));
  }
  // Plain objects, as JSON would make them: schemas look at own members.
  const made: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(texts)) {
    const member = kindsOf(set, kinds.members.get(name) ?? kinds.others);
    const list = typeof value === 'string' && member.types.has('array') && member.types.size < ALL.length ? [value] : value;
    Object.defineProperty(made, name, { value: typed(list, member, set, plain), enumerable: true, configurable: true, writable: true });
  }
  return made;
}

export function typedText(text: string, types: ReadonlySet<string>, plain: boolean): unknown {
  if (plain && types.has('string')) return text;
  if ((types.has('number') || types.has('integer')) && NUMBER.test(text) && (types.size < ALL.length || !types.has('string'))) return Number(text);
  if (types.has('boolean') && (text === 'true' || text === 'false') && types.size < ALL.length) return text === 'true';
  if (types.has('null') && (text === 'null' || text === '') && !types.has('string')) return null;
  return text;
}
