import { XMLParser, XMLValidator } from 'fast-xml-parser';
import { isRecord } from '../../util/json-pointer.js';
import type { SchemaPlace, SchemaSet } from '../../schema/schema-set.js';
import { typedText, kindsOf, type Kinds } from './typed-value.js';
import { JSON_DEPTH, type ReadValue } from './read-json.js';

/** An element with what it holds. Names without their prefix. */
interface XmlElement {
  readonly name: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: readonly XmlElement[];
  readonly text: string;
}

const PARSER = new XMLParser({
  preserveOrder: true,
  ignoreAttributes: false,
  attributeNamePrefix: '',
  parseTagValue: false,
  parseAttributeValue: false,
  processEntities: false,
  ignoreDeclaration: true,
  ignorePiTags: true,
  trimValues: true,
});

/** Characters that are read: reading XML takes ten times as long as reading JSON, and keeps whoever else is served waiting. */
const MAX_XML = 131_072;

const ENTITIES: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };

/** Reads XML as the `xml` hints of a schema say (OpenAPI 3.1.2 section 4.8.26). Document types and entities of one's own are refused. */
export function readXml(text: string, place: SchemaPlace, set: SchemaSet): ReadValue {
  if (text.length > MAX_XML) return { kind: 'fault', says: `more than ${MAX_XML} characters of XML` };
  if (/<!(?:DOCTYPE|ENTITY)/i.test(text)) return { kind: 'fault', says: 'a document type' };
  const checked = XMLValidator.validate(text);
  if (checked !== true) return { kind: 'fault', says: 'no XML' };
  let root: XmlElement | null;
  try {
    root = elementsOf(PARSER.parse(text) as unknown, 0)[0] ?? null;
  } catch (error) {
    return { kind: 'fault', says: (error as Error).message.slice(0, 100) };
  }
  if (root === null) return { kind: 'fault', says: 'no element' };
  const wanted = hintsOf(set, place).name ?? componentName(set, place);
  if (wanted !== null && wanted !== root.name) return { kind: 'fault', says: `another element than “${wanted}” at its root` };
  return { kind: 'value', value: valueOf(root, [place], set) };
}

function elementsOf(nodes: unknown, depth: number): XmlElement[] {
  if (depth > JSON_DEPTH) throw new Error(`nesting deeper than ${JSON_DEPTH} levels`);
  if (!Array.isArray(nodes)) return [];
  return (nodes as unknown[]).flatMap((node): XmlElement[] => {
    if (!isRecord(node)) return [];
    const name = Object.keys(node).find((key) => key !== ':@' && key !== '#text');
    if (name === undefined) return [];
    const inner = Array.isArray(node[name]) ? (node[name] as unknown[]) : [];
    const text = inner.map((child) => (isRecord(child) && child['#text'] !== undefined ? String(child['#text']) : '')).join('');
    const attributes = isRecord(node[':@']) ? node[':@'] : {};
    return [
      {
        name: local(name),
        attributes: Object.fromEntries(
          Object.entries(attributes)
            .filter(([key]) => !/^xmlns(?::|$)/.test(key))
            .map(([key, value]) => [local(key), resolved(String(value))]),
        ),
        children: elementsOf(inner, depth + 1),
        text: resolved(text),
      },
    ];
  });
}

const local = (name: string): string => name.slice(name.indexOf(':') + 1);

/** The five entities of XML and character references; there are no others without a document type. */
const resolved = (text: string): string =>
  text.replace(/&(?:#(\d{1,7})|#x([0-9a-fA-F]{1,6})|([a-z]+));/g, (whole: string, decimal?: string, hex?: string, name?: string) => {
    if (name !== undefined) return ENTITIES[name] ?? whole;
    const code = decimal !== undefined ? Number(decimal) : parseInt(hex ?? '0', 16);
    if (code > 0x10ffff || code === 0) throw new Error('a character reference to nothing');
    return String.fromCodePoint(code);
  });

interface Hints {
  readonly name: string | null;
  readonly attribute: boolean;
  readonly wrapped: boolean;
}

function hintsOf(set: SchemaSet, place: SchemaPlace): Hints {
  let at: SchemaPlace = place;
  for (let turn = 0; turn < 20; turn++) {
    const schema = set.valueOf(at);
    if (!isRecord(schema)) break;
    const xml = schema['xml'];
    if (isRecord(xml))
      return { name: typeof xml['name'] === 'string' ? xml['name'] : null, attribute: xml['attribute'] === true, wrapped: xml['wrapped'] === true };
    const found = typeof schema['$ref'] === 'string' ? set.resolve(schema['$ref'], at) : null;
    if (found?.kind !== 'place') break;
    at = found.place;
  }
  return { name: null, attribute: false, wrapped: false };
}

/** A schema that stands under a name among the components gives its name to the root. */
function componentName(set: SchemaSet, place: SchemaPlace): string | null {
  const schema = set.valueOf(place);
  const reference = isRecord(schema) ? schema['$ref'] : undefined;
  return typeof reference === 'string' ? (/^#\/components\/schemas\/([^/]+)$/.exec(reference)?.[1] ?? null) : null;
}

function valueOf(element: XmlElement, places: readonly SchemaPlace[], set: SchemaSet): unknown {
  const kinds = kindsOf(set, places);
  const built = kinds.members.size > 0 || element.children.length > 0 || (kinds.types.has('object') && !kinds.types.has('string'));
  if (kinds.types.has('array') && !kinds.types.has('object')) return element.children.map((child) => valueOf(child, kinds.items, set));
  if (!built && Object.keys(element.attributes).length === 0) return typedText(element.text, kinds.types, false);
  return objectOf(element, kinds, set);
}

function objectOf(element: XmlElement, kinds: Kinds, set: SchemaSet): Record<string, unknown> {
  const made: Record<string, unknown> = {};
  const put = (name: string, value: unknown): void => void Object.defineProperty(made, name, { value, enumerable: true, configurable: true, writable: true });
  const taken = new Set<XmlElement>();
  const read = new Set<string>();
  for (const [name, places] of kinds.members) {
    const [place] = places;
    if (!place) continue;
    const hints = hintsOf(set, place);
    const written = hints.name ?? name;
    if (hints.attribute) {
      const text = element.attributes[written];
      read.add(written);
      if (text !== undefined) put(name, typedText(text, kindsOf(set, places).types, false));
      continue;
    }
    const own = kindsOf(set, places);
    const isList = own.types.has('array') && own.types.size < 7;
    const called = isList && !hints.wrapped && own.items[0] ? (hintsOf(set, own.items[0]).name ?? name) : written;
    const mine = element.children.filter((child) => child.name === called);
    mine.forEach((child) => taken.add(child));
    if (mine.length === 0) continue;
    if (!isList) put(name, mine.length === 1 && mine[0] ? valueOf(mine[0], places, set) : mine.map((child) => valueOf(child, places, set)));
    else if (hints.wrapped)
      put(
        name,
        mine.flatMap((child) => child.children).map((child) => valueOf(child, own.items, set)),
      );
    else
      put(
        name,
        mine.map((child) => valueOf(child, own.items, set)),
      );
  }
  // What no property names stays under its own name, so that strict schemas see it.
  for (const child of element.children) if (!taken.has(child) && !Object.hasOwn(made, child.name)) put(child.name, valueOf(child, [], set));
  for (const [name, value] of Object.entries(element.attributes)) if (!read.has(name) && !Object.hasOwn(made, name)) put(name, value);
  return made;
}
