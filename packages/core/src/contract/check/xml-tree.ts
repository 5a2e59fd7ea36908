import { SaxesParser } from 'saxes';
import { JSON_DEPTH } from '../../util/read-json.js';

/** An element with what it holds. */
export interface XmlElement {
  /** Without its prefix. */
  readonly name: string;
  /** Empty for none. */
  readonly namespace: string;
  /** By their names as they are written, without those that declare namespaces. */
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: readonly XmlElement[];
  /** What stands in it beside elements; blanks between elements are none. */
  readonly text: string;
}

/** An element that has not ended yet. */
interface OpenElement {
  readonly name: string;
  readonly namespace: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: XmlElement[];
  readonly pieces: string[];
  comments: number;
}

/** What the library's messages come to. They are told to callers without what stood there. */
const REASONS: readonly (readonly [message: RegExp, says: string])[] = [
  [/only one root|outside of root/, 'something beside its root'],
  [/entity/, 'a reference to nothing'],
  [/malformed name/, 'a name with more than one prefix, or half of one'],
  [/unbound namespace prefix/, 'a prefix that is not declared'],
  [/must be bound|undefine prefix/, 'a prefix that cannot be declared so'],
];

const refuse = (says: string): never => {
  throw new Error(says);
};

/**
 * Reads XML as every reader does (XML 1.0, Namespaces in XML 1.0), by a library that takes nothing else. What readers take differently
 * is refused besides: document types, processing instructions, text in pieces (some readers take the first piece, some put all
 * together), other versions of XML.
 * @throws an Error that says why it cannot be read
 */
export function readXmlTree(source: string): XmlElement {
  // The library takes half of a pair together with what follows it.
  if (!hasOnlyCharacters(source)) throw new Error('a character that XML has not');
  const open: OpenElement[] = [];
  let root: XmlElement | null = null;
  const parser = new SaxesParser({ xmlns: true, position: false });
  const take = (piece: string): void => void open.at(-1)?.pieces.push(piece);
  parser.on('error', ({ message }) => refuse(REASONS.find(([known]) => known.test(message))?.[1] ?? 'no XML'));
  parser.on('xmldecl', ({ version }) => (version === '1.0' ? undefined : refuse('another version of XML than 1.0')));
  parser.on('doctype', () => refuse('a document type'));
  parser.on('processinginstruction', () => refuse('a processing instruction'));
  parser.on('comment', () => {
    const within = open.at(-1);
    if (within) within.comments++;
  });
  parser.on('text', take);
  parser.on('cdata', take);
  parser.on('opentag', ({ local, uri, attributes }) => {
    if (open.length > JSON_DEPTH) throw new Error(`nesting deeper than ${JSON_DEPTH} levels`);
    if (local === PROTO || PROTO in attributes) throw new Error(`a name “${PROTO}”`);
    const own: Record<string, string> = {};
    for (const { name, prefix, value } of Object.values(attributes)) if (prefix !== 'xmlns' && name !== 'xmlns') own[name] = value;
    open.push({ name: local, namespace: uri, attributes: own, children: [], pieces: [], comments: 0 });
  });
  parser.on('closetag', () => {
    const ended = open.pop();
    if (!ended) return;
    const element = elementOf(ended);
    const within = open.at(-1);
    if (within) within.children.push(element);
    else root = element;
  });
  parser.write(source).close();
  return root ?? refuse('no element');
}

/** Characters that XML may hold (XML 1.0 section 2.2). */
const hasOnlyCharacters = (text: string): boolean =>
  !/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/.test(text) && !(/[\ud800-\udfff]/.test(text) && /\p{Surrogate}/u.test(text));

/** What is called so would not be a member of what is made of it. */
const PROTO = '__proto__';

function elementOf({ name, namespace, attributes, children, pieces, comments }: OpenElement): XmlElement {
  const holds = pieces.filter((piece) => (children.length > 0 ? piece.trim() !== '' : piece !== ''));
  const isApart = holds.length > 1 || (holds.length === 1 && comments > 0 && children.length === 0 && holds[0]?.trim() !== '');
  if (isApart) throw new Error('text in pieces');
  return { name, namespace, attributes, children, text: holds[0] ?? '' };
}
