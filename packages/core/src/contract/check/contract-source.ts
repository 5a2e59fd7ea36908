import { isRecord, pointerOf, pointerToken } from '../../util/json-pointer.js';
import { dialectNamed, JSON_SCHEMA_2020, OPENAPI_30, type Dialect } from '../../schema/dialect.js';
import { SchemaCompiler, type SchemaChoices } from '../../schema/compile-schema.js';
import type { Direction } from '../../schema/run.js';
import { NameIndex, SchemaSet, type SchemaDocument, type SchemaNames } from '../../schema/schema-set.js';
import { wholeDocument } from '../../schema/whole-document.js';
import { eachSchema } from '../each-schema.js';
import { AlikeMembers } from './alike-members.js';

/** What the document of a contract is called where nothing else is said; references inside it are relative to it. */
const DOCUMENT = 'urn:virga:contract';

type Json = Readonly<Record<string, unknown>>;

/** A value of a contract and where it stands. */
export interface ContractPlace {
  readonly value: Json;
  readonly pointer: string;
}

/** A contract as checks read it: by pointers, so that nobody needs all of it in memory at one time. */
export class ContractSource {
  readonly set = new SchemaSet();
  readonly alike = new AlikeMembers(this.set);
  /** Null where the document names a dialect of schemas that is not read: no schema of it allows anything then. */
  readonly dialect: Dialect | null;
  readonly #document: SchemaDocument;
  readonly #compilers = new Map<string, SchemaCompiler>();

  constructor(version: '3.0' | '3.1', document: SchemaDocument, names: SchemaNames) {
    this.#document = document;
    this.dialect = dialectOf(version, document.at('/jsonSchemaDialect'));
    this.set.add(DOCUMENT, document, names);
  }

  /** What compiles its schemas for one direction: shared by all operations, so that none is compiled twice. @throws Error where the dialect is not read */
  compiler(direction: Direction, choices: SchemaChoices): SchemaCompiler {
    if (this.dialect === null) throw new Error('invariant: schemas of a dialect that is not read are not compiled');
    const key = JSON.stringify([direction, choices]);
    let compiler = this.#compilers.get(key);
    if (!compiler) this.#compilers.set(key, (compiler = new SchemaCompiler(this.set, this.dialect, direction, choices)));
    return compiler;
  }

  /** The object at a pointer, behind references; null where there is none. */
  object(pointer: string): ContractPlace | null {
    let at = pointer;
    for (let turn = 0; turn < 50; turn++) {
      const value = this.#document.at(at);
      if (!isRecord(value)) return null;
      const reference = value['$ref'];
      if (reference === undefined) return { value, pointer: at };
      if (typeof reference !== 'string') return null;
      const found = this.set.resolve(reference, { document: DOCUMENT, pointer: at });
      if (found.kind !== 'place' || found.place.document !== DOCUMENT) return null;
      at = found.place.pointer;
    }
    return null;
  }

  at(pointer: string): unknown {
    return this.#document.at(pointer);
  }

  /** A schema by its pointer. */
  schema(pointer: string): { readonly document: string; readonly pointer: string } {
    return { document: DOCUMENT, pointer };
  }
}

function dialectOf(version: '3.0' | '3.1', said: unknown): Dialect | null {
  if (version === '3.0') return OPENAPI_30;
  return said === undefined ? JSON_SCHEMA_2020 : typeof said === 'string' ? dialectNamed(said) : null;
}

/** A contract that was read as a whole. */
export function wholeContract(document: Json, version: '3.0' | '3.1'): ContractSource {
  return new ContractSource(version, wholeDocument(document), namesOf(document, version));
}

/** Names that the schemas of a contract give themselves. */
export function namesOf(document: Json, version: '3.0' | '3.1'): SchemaNames {
  const names = new NameIndex();
  if (version === '3.1') eachSchema(document, (schema, pointer) => names.schema(schema, pointer, DOCUMENT, JSON_SCHEMA_2020));
  return names.found;
}

/** Members of `components` that are split: each may be large. */
const SPLIT = ['schemas', 'responses', 'parameters', 'requestBodies', 'headers', 'pathItems'];

/**
 * Takes a contract apart: JSON texts by the pointer of what they hold, each path and each component by itself. Examples and
 * descriptions are left out, because nothing is checked by them.
 */
export function splitContract(document: Json): ReadonlyMap<string, string> {
  const parts = new Map<string, string>();
  const put = (pointer: string, value: unknown): void => void parts.set(pointer, JSON.stringify(value, leaveOut) ?? 'null');
  const own: Record<string, unknown> = {};
  for (const [name, member] of Object.entries(document)) {
    if ((name === 'paths' || name === 'webhooks') && isRecord(member)) for (const [path, item] of Object.entries(member)) put(pointerOf(name, path), item);
    else if (name === 'components' && isRecord(member)) {
      for (const [kind, entries] of Object.entries(member)) {
        if (!SPLIT.includes(kind) || !isRecord(entries)) put(pointerOf(name, kind), entries);
        else for (const [key, entry] of Object.entries(entries)) put(pointerOf(name, kind, key), entry);
      }
    } else if (name !== 'info' && name !== 'tags') own[name] = member;
  }
  put('', own);
  return parts;
}

/** `description` may also be the name of a property, which is an object. */
function leaveOut(name: string, value: unknown): unknown {
  return (name === 'description' || name === 'summary') && typeof value === 'string' ? undefined : value;
}

/** JSON texts by the pointer of what they hold, as `splitContract` makes them, wherever they are kept. */
export type PartTexts = Pick<ReadonlyMap<string, string>, 'get'>;

/** So many parts of a contract are kept as they were read. */
const MOST_READ = 64;

/** A contract that was taken apart. Each part is read when somebody looks at it, and kept while few others are looked at. */
export class PartedContract implements SchemaDocument {
  readonly #texts: PartTexts;
  readonly #read = new Map<string, unknown>();

  constructor(texts: PartTexts) {
    this.#texts = texts;
  }

  at(pointer: string): unknown {
    const tokens = pointer.split('/');
    // A part has at most three names in front of it.
    for (let length = Math.min(4, tokens.length); length > 0; length--) {
      const part = this.#part(tokens.slice(0, length).join('/'));
      if (part !== undefined) return below(part, tokens.slice(length));
    }
    return undefined;
  }

  /** Undefined where no part is called so; JSON has no such value. */
  #part(pointer: string): unknown {
    const known = this.#read.get(pointer);
    if (known !== undefined) return known;
    const text = this.#texts.get(pointer);
    if (text === undefined) return undefined;
    const value: unknown = JSON.parse(text);
    this.#read.set(pointer, value);
    for (const oldest of this.#read.keys()) {
      if (this.#read.size <= MOST_READ) break;
      this.#read.delete(oldest);
    }
    return value;
  }
}

function below(root: unknown, tokens: readonly string[]): unknown {
  let value = root;
  for (const token of tokens) {
    const name = token.replaceAll('~1', '/').replaceAll('~0', '~');
    if (Array.isArray(value)) value = /^(0|[1-9]\d*)$/.test(name) ? value[Number(name)] : undefined;
    else if (isRecord(value) && Object.hasOwn(value, name)) value = value[name];
    else return undefined;
  }
  return value;
}

/** Pointer of an operation in its contract. */
export const operationPointer = (path: string, method: string): string => `/paths/${pointerToken(path)}/${method.toLowerCase()}`;
