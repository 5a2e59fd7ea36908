import { isRecord, pointerToken } from '../util/json-pointer.js';
import { dialectNamed, type Dialect } from './dialect.js';

/** Where a document is read from: the value at a JSON Pointer, undefined where there is none. */
export interface SchemaDocument {
  at(pointer: string): unknown;
}

/** A schema by where it stands. */
export interface SchemaPlace {
  readonly document: string;
  readonly pointer: string;
}

/** A name inside a document: a base URI with an anchor, or without. */
interface Named extends SchemaPlace {
  readonly uri: string;
  readonly dynamic: boolean;
}

/** Names that the schemas of one document give themselves. */
export interface SchemaNames {
  readonly names: readonly { readonly uri: string; readonly pointer: string; readonly dynamic: boolean }[];
  /** Where a schema says what its relative references are relative to, outer ones first. */
  readonly bases: readonly { readonly pointer: string; readonly uri: string }[];
}

/** What a reference leads to. */
export type Resolved =
  { readonly kind: 'place'; readonly place: SchemaPlace; readonly dynamicAnchor: string | null } | { readonly kind: 'outside' } | { readonly kind: 'missing' };

/** The documents that schemas refer to each other in. */
export class SchemaSet {
  readonly #documents = new Map<string, SchemaDocument>();
  readonly #named = new Map<string, Named>();
  readonly #bases = new Map<string, SchemaNames['bases']>();
  #dynamic = false;

  /** @param uri what the document is called; it has no fragment */
  add(uri: string, document: SchemaDocument, { names, bases }: SchemaNames): void {
    this.#documents.set(uri, document);
    this.#bases.set(uri, bases);
    this.#dynamic ||= names.some(({ dynamic }) => dynamic);
    for (const name of names) this.#named.set(name.uri, { document: uri, pointer: name.pointer, uri: name.uri, dynamic: name.dynamic });
  }

  get hasDynamicAnchors(): boolean {
    return this.#dynamic;
  }

  valueOf({ document, pointer }: SchemaPlace): unknown {
    return this.#documents.get(document)?.at(pointer);
  }

  /** The URI that references at a place are relative to. */
  baseOf({ document, pointer }: SchemaPlace): string {
    const bases = this.#bases.get(document) ?? [];
    let base = document;
    for (const one of bases) if (pointer === one.pointer || pointer.startsWith(`${one.pointer}/`)) base = one.uri;
    return base;
  }

  resolve(reference: string, from: SchemaPlace): Resolved {
    const uri = absolute(reference, this.baseOf(from));
    if (uri === null) return { kind: 'outside' };
    const mark = uri.indexOf('#');
    const [base, fragment] = mark < 0 ? [uri, ''] : [uri.slice(0, mark), decoded(uri.slice(mark + 1))];
    if (fragment === null) return { kind: 'missing' };
    const root = this.#named.get(base) ?? (this.#documents.has(base) ? { document: base, pointer: '' } : null);
    if (fragment !== '' && !fragment.startsWith('/')) {
      const named = this.#named.get(`${base}#${fragment}`);
      if (named) return { kind: 'place', place: { document: named.document, pointer: named.pointer }, dynamicAnchor: named.dynamic ? fragment : null };
    }
    if (root === null) return { kind: 'outside' };
    if (fragment !== '' && !fragment.startsWith('/')) return { kind: 'missing' };
    const place = { document: root.document, pointer: root.pointer + fragment };
    return this.valueOf(place) === undefined ? { kind: 'missing' } : { kind: 'place', place, dynamicAnchor: null };
  }

  /** The schema with a dynamic anchor under a base; null where there is none. */
  dynamicAnchor(base: string, anchor: string): SchemaPlace | null {
    const named = this.#named.get(`${base}#${anchor}`);
    return named?.dynamic ? { document: named.document, pointer: named.pointer } : null;
  }
}

function decoded(fragment: string): string | null {
  try {
    return decodeURIComponent(fragment);
  } catch {
    return null;
  }
}

/** A reference as an absolute URI (RFC 3986 section 5); null where it cannot be one. */
export function absolute(reference: string, base: string): string | null {
  if (reference.startsWith('#')) return base + reference;
  if (/^[A-Za-z][A-Za-z0-9+.-]*:/.test(reference))
    return URL.canParse(reference) && !/^urn:/i.test(reference) ? new URL(reference).href.replace(/#$/, '') : reference;
  return URL.canParse(reference, base) ? new URL(reference, base).href.replace(/#$/, '') : null;
}

/** Members of a schema that hold one schema, a list of them, or some under names of their own. */
const ONE = [
  'additionalProperties',
  'unevaluatedProperties',
  'unevaluatedItems',
  'items',
  'contains',
  'not',
  'if',
  'then',
  'else',
  'propertyNames',
  'additionalItems',
  'contentSchema',
];
const SOME = ['allOf', 'anyOf', 'oneOf', 'prefixItems', 'items'];
const NAMED = ['properties', 'patternProperties', '$defs', 'definitions', 'dependentSchemas', 'dependencies'];

/** Collects the names that schemas give themselves. Walks each schema once. */
export class NameIndex {
  readonly #names: { uri: string; pointer: string; dynamic: boolean }[] = [];
  readonly #bases: { pointer: string; uri: string }[] = [];

  get found(): SchemaNames {
    return { names: this.#names, bases: this.#bases };
  }

  /** @param base what references here are relative to */
  schema(value: unknown, pointer: string, base: string, dialect: Dialect): void {
    if (!isRecord(value)) return;
    const own = typeof value['$schema'] === 'string' ? (dialectNamed(value['$schema']) ?? dialect) : dialect;
    const here = this.#name(value, pointer, base, own);
    for (const member of ONE) if (isRecord(value[member])) this.schema(value[member], `${pointer}/${member}`, here, own);
    for (const member of SOME) {
      const list = value[member];
      if (Array.isArray(list)) list.forEach((item, index) => this.schema(item, `${pointer}/${member}/${index}`, here, own));
    }
    for (const member of NAMED) {
      const map = value[member];
      if (isRecord(map)) for (const [name, item] of Object.entries(map)) this.schema(item, `${pointer}/${member}/${pointerToken(name)}`, here, own);
    }
  }

  #name(value: Record<string, unknown>, pointer: string, base: string, dialect: Dialect): string {
    // Beside `$ref` nothing counts in the older dialects.
    if (dialect.id === null || (!dialect.modern && value['$ref'] !== undefined)) return base;
    let here = base;
    const id = value[dialect.id];
    if (typeof id === 'string') {
      // An empty fragment names the whole, so it says nothing (JSON Schema Core 2020-12 section 8.2.1).
      const uri = absolute(dialect.modern ? id.replace(/#$/, '') : id, base);
      if (uri !== null && !uri.includes('#')) {
        here = uri;
        this.#bases.push({ pointer, uri });
        this.#names.push({ uri, pointer, dynamic: false });
      } else if (uri !== null && !dialect.modern) this.#names.push({ uri, pointer, dynamic: false });
    }
    for (const [member, dynamic] of dialect.modern
      ? ([
          ['$anchor', false],
          ['$dynamicAnchor', true],
        ] as const)
      : []) {
      const anchor = value[member];
      if (typeof anchor === 'string') this.#names.push({ uri: `${here}#${anchor}`, pointer, dynamic });
    }
    return here;
  }
}
