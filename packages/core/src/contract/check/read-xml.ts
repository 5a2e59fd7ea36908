import { isRecord } from '../../util/json-pointer.js';
import type { SchemaPlace, SchemaSet } from '../../schema/schema-set.js';
import { typedText, kindsOf, MemberPlaces, type Kinds } from './typed-value.js';
import type { ReadValue } from '../../util/read-json.js';
import { readXmlTree, type XmlElement } from './xml-tree.js';

/** Characters that are read: reading XML takes ten times as long as reading JSON, and keeps whoever else is served waiting. */
const MAX_XML = 131_072;

/** The text of an element that has attributes or elements beside it. No property is called so: no name in XML begins so. */
const TEXT = '#text';

/** Reads XML as the `xml` hints of a schema say (OpenAPI 3.1.2 section 4.8.26). What no hint describes is there under its own name, so that strict schemas see it. */
export function readXml(text: string, place: SchemaPlace, set: SchemaSet): ReadValue {
  if (text.length > MAX_XML) return { kind: 'fault', says: `more than ${MAX_XML} characters of XML` };
  let root: XmlElement;
  try {
    root = readXmlTree(text);
  } catch (error) {
    return { kind: 'fault', says: (error as Error).message.slice(0, 100) };
  }
  const { name, namespace } = hintsOf(set, place);
  const wanted = name ?? componentName(set, place);
  if (wanted !== null && wanted !== root.name) return { kind: 'fault', says: `another element than “${wanted}” at its root` };
  if (namespace !== null && namespace !== root.namespace) return { kind: 'fault', says: `a root in another namespace than ${namespace}` };
  return { kind: 'value', value: valueOf(root, [place], set) };
}

interface Hints {
  readonly name: string | null;
  readonly namespace: string | null;
  readonly prefix: string | null;
  readonly attribute: boolean;
  readonly wrapped: boolean;
}

const textIn = (record: Readonly<Record<string, unknown>>, name: string): string | null => (typeof record[name] === 'string' ? record[name] : null);

const NO_HINTS: Hints = { name: null, namespace: null, prefix: null, attribute: false, wrapped: false };
const known = new WeakMap<SchemaPlace, Hints>();

function hintsOf(set: SchemaSet, place: SchemaPlace | undefined): Hints {
  if (place === undefined) return NO_HINTS;
  let hints = known.get(place);
  if (!hints) known.set(place, (hints = lookForHints(set, place)));
  return hints;
}

function lookForHints(set: SchemaSet, place: SchemaPlace): Hints {
  let at = place;
  for (let turn = 0; turn < 20; turn++) {
    const schema = set.valueOf(at);
    if (!isRecord(schema)) break;
    const xml = schema['xml'];
    if (isRecord(xml))
      return {
        name: textIn(xml, 'name'),
        namespace: textIn(xml, 'namespace'),
        prefix: textIn(xml, 'prefix'),
        attribute: xml['attribute'] === true,
        wrapped: xml['wrapped'] === true,
      };
    const found = typeof schema['$ref'] === 'string' ? set.resolve(schema['$ref'], at) : null;
    if (found?.kind !== 'place') break;
    at = found.place;
  }
  return NO_HINTS;
}

/** A schema that stands under a name among the components gives its name to the root. */
function componentName(set: SchemaSet, place: SchemaPlace): string | null {
  const schema = set.valueOf(place);
  const reference = isRecord(schema) ? schema['$ref'] : undefined;
  return typeof reference === 'string' ? (/^#\/components\/schemas\/([^/]+)$/.exec(reference)?.[1] ?? null) : null;
}

/** Whether an element is in the namespace that hints name, or in that of what it stands in where they name none. */
const isWithin = ({ namespace }: XmlElement, parent: XmlElement, hints: Hints): boolean =>
  hints.namespace !== null ? namespace === hints.namespace : namespace === parent.namespace || hints.prefix !== null;

const holdsNothing = ({ text, attributes }: XmlElement): boolean => text.trim() === '' && Object.keys(attributes).length === 0;

function valueOf(element: XmlElement, places: readonly SchemaPlace[], set: SchemaSet): unknown {
  const kinds = kindsOf(set, places);
  const isPlain = element.children.length === 0 && Object.keys(element.attributes).length === 0;
  if (kinds.types.has('array') && !kinds.types.has('object')) {
    const list = listOf(element, kinds, set);
    return list ?? (isPlain ? typedText(element.text, kinds.types, false) : objectOf(element, NO_MEMBERS, set));
  }
  const built = kinds.members.size > 0 || (kinds.types.has('object') && !kinds.types.has('string'));
  if (!built && isPlain) return typedText(element.text, kinds.types, false);
  return objectOf(element, kinds, set);
}

const NO_MEMBERS: Members = { members: new MemberPlaces(), others: [] };

type Members = Pick<Kinds, 'members' | 'others'>;

/** The items of an element that holds a list; null where it holds something else too, or items of several names. */
function listOf(element: XmlElement, { items }: Pick<Kinds, 'items'>, set: SchemaSet): unknown[] | null {
  const { children } = element;
  const hints = hintsOf(set, items[0]);
  const name = hints.name ?? children[0]?.name;
  const areItems = children.every((child) => child.name === name && isWithin(child, element, hints));
  return areItems && holdsNothing(element) ? children.map((child) => valueOf(child, items, set)) : null;
}

function objectOf(element: XmlElement, kinds: Members, set: SchemaSet): Record<string, unknown> {
  const made: Record<string, unknown> = {};
  const several = new Map<string, unknown[]>();
  const put = (name: string, value: unknown): void => {
    const before = several.get(name);
    if (before) return void before.push(value);
    // What comes twice is a list of all of it, so that none is overlooked.
    const all = Object.hasOwn(made, name) ? [made[name], value] : null;
    if (all) several.set(name, all);
    Object.defineProperty(made, name, { value: all ?? value, enumerable: true, configurable: true, writable: true });
  };
  const left = new Set(element.children);
  const byName = new Map<string, XmlElement[]>();
  for (const child of element.children) {
    const alike = byName.get(child.name);
    if (alike) alike.push(child);
    else byName.set(child.name, [child]);
  }
  const unread = new Map(Object.entries(element.attributes));
  for (const name of kinds.members.names()) {
    const places = kinds.members.get(name) ?? [];
    const [place] = places;
    if (!place) continue;
    const hints = hintsOf(set, place);
    const written = hints.name ?? name;
    const own = kindsOf(set, places);
    if (hints.attribute) {
      const text = unread.get(written);
      if (text !== undefined) put(name, typedText(text, own.types, false));
      unread.delete(written);
      continue;
    }
    const isList = own.types.has('array') && own.types.size < 7;
    const itemHints = hintsOf(set, own.items[0]);
    const apart = isList && !hints.wrapped;
    const called = apart ? (itemHints.name ?? name) : written;
    const mine = (byName.get(called) ?? []).filter((child) => isWithin(child, element, apart ? itemHints : hints));
    if (mine.length === 0) continue;
    mine.forEach((child) => left.delete(child));
    if (apart)
      put(
        name,
        mine.map((child) => valueOf(child, own.items, set)),
      );
    else {
      const values = mine.map((child) => valueOf(child, places, set));
      put(name, values.length === 1 ? values[0] : values);
    }
  }
  // What no property names stays under its own name, or under one that no property has, so that strict schemas see it.
  for (const child of left) {
    const isNamed = child.namespace !== element.namespace || kinds.members.has(child.name);
    put(isNamed ? `{${child.namespace}}${child.name}` : child.name, valueOf(child, kinds.others, set));
  }
  for (const [name, value] of unread) put(kinds.members.has(name) ? `@${name}` : name, value);
  if (element.text.trim() !== '') put(TEXT, element.text);
  return made;
}
