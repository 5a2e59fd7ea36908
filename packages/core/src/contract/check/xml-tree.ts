import { XMLParser, XMLValidator } from 'fast-xml-parser';
import { isRecord } from '../../util/json-pointer.js';
import { JSON_DEPTH } from './read-json.js';

/** An element with what it holds. */
export interface XmlElement {
  /** Without its prefix. */
  readonly name: string;
  /** As it is written. */
  readonly written: string;
  /** Empty for none. */
  readonly namespace: string;
  /** By their names as they are written, without those that declare namespaces. */
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: readonly XmlElement[];
  /** What stands in it beside elements; blanks between elements are none. */
  readonly text: string;
}

const TEXT = '#text';
const CDATA = '#cdata';
const COMMENT = '#comment';
const ATTRIBUTES = ':@';

const PARSER = new XMLParser({
  preserveOrder: true,
  ignoreAttributes: false,
  attributeNamePrefix: '',
  parseTagValue: false,
  parseAttributeValue: false,
  processEntities: false,
  ignoreDeclaration: true,
  trimValues: false,
  cdataPropName: CDATA,
  commentPropName: COMMENT,
});

/** The declaration (XML 1.0 section 2.8); which encoding it names is asked where bytes are made text. */
const DECLARATION = /^\ufeff?<\?xml[ \t\n]+version[ \t\n]*=[ \t\n]*(["'])1\.0\1[^>]*\?>/;

/** Prefixes that are known in one place: each element that declares one copies them. */
const MAX_PREFIXES = 100;

/** Namespaces by their prefixes. `xml` is there always (Namespaces in XML 1.0 section 3). */
type Prefixes = ReadonlyMap<string, string>;
const KNOWN: Prefixes = new Map([
  ['', ''],
  ['xml', 'http://www.w3.org/XML/1998/namespace'],
]);

/**
 * Reads XML as every reader does, with namespaces. What readers take differently is refused: document types and entities of one's own,
 * processing instructions, text in pieces (some readers take the first piece, some put all together), more than one root.
 * @throws an Error that says why it cannot be read
 */
export function readXmlTree(source: string): XmlElement {
  // Line ends, by XML 1.0 section 2.11.
  const text = source.replace(/\r\n?/g, '\n');
  if (/<!(?:DOCTYPE|ENTITY)/i.test(text)) throw new Error('a document type');
  const body = text.replace(DECLARATION, '');
  if (body.includes('<?')) throw new Error('a processing instruction, or another version of XML than 1.0');
  if (!hasOnlyCharacters(body)) throw new Error('a character that XML has not');
  if (XMLValidator.validate(text) !== true) throw new Error('no XML');
  // Within an element of its own, since the parser leaves out what stands outside of all.
  const [around] = PARSER.parse(`<all>${body.replace(/^\ufeff/, '')}</all>`) as unknown[];
  const nodes = isRecord(around) && Array.isArray(around['all']) ? (around['all'] as unknown[]) : [];
  const elements = nodes.filter((node): node is Record<string, unknown> => isRecord(node) && !(COMMENT in node) && !isBlank(node));
  const [root] = elements;
  if (root === undefined || elements.length > 1) throw new Error(root === undefined ? 'no element' : 'something beside its root');
  return elementOf(root, KNOWN, 0);
}

const isBlank = (node: Record<string, unknown>): boolean => TEXT in node && String(node[TEXT]).trim() === '';

/** Characters that XML may hold (XML 1.0 section 2.2). */
const isCharacter = (code: number): boolean =>
  code === 9 || code === 10 || code === 13 || (code >= 0x20 && code <= 0xd7ff) || (code >= 0xe000 && code <= 0xfffd) || (code >= 0x10000 && code <= 0x10ffff);

const hasOnlyCharacters = (text: string): boolean => !/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|\p{Surrogate}/u.test(text);

function elementOf(node: Record<string, unknown>, outside: Prefixes, depth: number): XmlElement {
  if (depth > JSON_DEPTH) throw new Error(`nesting deeper than ${JSON_DEPTH} levels`);
  const written = Object.keys(node).find((key) => key !== ATTRIBUTES);
  const inner = written === undefined ? undefined : node[written];
  if (written === undefined || written.startsWith('#') || !Array.isArray(inner)) throw new Error('no XML');
  const { attributes, prefixes } = attributesOf(isRecord(node[ATTRIBUTES]) ? node[ATTRIBUTES] : {}, outside);
  const children: XmlElement[] = [];
  const pieces: string[] = [];
  let comments = 0;
  for (const child of inner as unknown[]) {
    if (!isRecord(child)) throw new Error('no XML');
    if (TEXT in child) pieces.push(resolved(String(child[TEXT])));
    else if (CDATA in child) pieces.push(cdataOf(child[CDATA]));
    else if (COMMENT in child) comments++;
    else children.push(elementOf(child, prefixes, depth + 1));
  }
  const holds = children.length > 0 ? pieces.filter((piece) => piece.trim() !== '') : pieces.filter((piece) => piece !== '');
  const isApart = holds.length > 1 || (holds.length === 1 && comments > 0 && children.length === 0 && holds[0]?.trim() !== '');
  if (isApart) throw new Error('text in pieces');
  return { ...named(written, prefixes), attributes, children, text: holds[0] ?? '' };
}

const cdataOf = (inner: unknown): string =>
  Array.isArray(inner) ? inner.map((part: unknown) => (isRecord(part) && TEXT in part ? String(part[TEXT]) : '')).join('') : '';

function named(written: string, prefixes: Prefixes): Pick<XmlElement, 'name' | 'written' | 'namespace'> {
  const [prefix, name, ...rest] = written.includes(':') ? (written.split(':') as [string, string, ...string[]]) : ['', written];
  const namespace = prefixes.get(prefix);
  if (rest.length > 0 || name === '' || (prefix === '' && name !== written)) throw new Error('a name with more than one prefix, or half of one');
  if (namespace === undefined) throw new Error('a prefix that is not declared');
  return { name, written, namespace };
}

function attributesOf(found: Readonly<Record<string, unknown>>, outside: Prefixes): { attributes: Record<string, string>; prefixes: Prefixes } {
  const attributes: Record<string, string> = {};
  const declarations = new Map<string, string>();
  for (const [name, value] of Object.entries(found)) {
    // A blank of another kind counts as one (XML 1.0 section 3.3.3).
    const text = resolved(String(value).replace(/[\t\n]/g, ' '));
    if (String(value).includes('<')) throw new Error('no XML');
    const declared = name === 'xmlns' ? '' : /^xmlns:(.+)$/.exec(name)?.[1];
    if (declared === undefined) attributes[name] = text;
    else if (declared !== '' && (text === '' || KNOWN.has(declared) || declared === 'xmlns')) throw new Error('a prefix that cannot be declared so');
    else declarations.set(declared, text);
  }
  const prefixes = declarations.size === 0 ? outside : new Map([...outside, ...declarations]);
  if (prefixes.size > MAX_PREFIXES) throw new Error(`more than ${MAX_PREFIXES} prefixes`);
  for (const name of Object.keys(attributes)) if (name.includes(':')) named(name, prefixes);
  return { attributes, prefixes };
}

const ENTITIES: ReadonlyMap<string, string> = new Map([
  ['amp', '&'],
  ['lt', '<'],
  ['gt', '>'],
  ['quot', '"'],
  ['apos', "'"],
]);

/** The five entities of XML and character references; there are no others without a document type (XML 1.0 section 4.1). */
const resolved = (text: string): string =>
  text.replace(/&(?:#(\d{1,7});|#x([0-9a-fA-F]{1,6});|([a-z]+);)?/g, (_whole, decimal?: string, hex?: string, name?: string) => {
    const entity = name === undefined ? undefined : ENTITIES.get(name);
    if (entity !== undefined) return entity;
    const code = decimal !== undefined ? Number(decimal) : parseInt(hex ?? '', 16);
    if (!isCharacter(code)) throw new Error('a reference to nothing');
    return String.fromCodePoint(code);
  });
