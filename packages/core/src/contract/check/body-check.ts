import { isRecord, pointerToken } from '../../util/json-pointer.js';
import { inOtherCase, inPlaceOf, plainNames, takenForAny } from '../../message/alike-names.js';
import { compileMediaRanges, mediaTypeOf } from '../../message/media-type.js';
import { METHOD_PARAMETER, methodInForm } from '../../route/method-instead.js';
import type { SchemaCompiler, SchemaFault } from '../../schema/compile-schema.js';
import type { Check } from '../../schema/run.js';
import type { SchemaPlace } from '../../schema/schema-set.js';
import type { ContractPlace, ContractSource } from './contract-source.js';
import { unusable, type Deviation } from './deviation.js';
import { deviationsOf } from './parameter-check.js';
import { PARAMETER_STYLES, queryPairs, decode, Unreadable, readPairs, type ParameterStyle, type Texts } from './parameter-style.js';
import { charsetOf, isUtf8, jsonIn, LATIN1, OTHER_SET, textOf, xmlTextOf } from './body-text.js';
import { boundaryOf, isJsonType, readParts, type FormPart } from './read-form.js';
import { readStrictJson, type ReadValue } from '../../util/read-json.js';
import { readXml } from './read-xml.js';
import { formsOf, isKnownType, kindsOf, typed, typedText, type Kinds } from './typed-value.js';

/** What came of holding a body against its contract. */
export interface BodyVerdict {
  readonly deviations: readonly Deviation[];
  /** Why it was not looked into; null where it was. */
  readonly unchecked: string | null;
}

const FINE: BodyVerdict = Object.freeze({ deviations: [], unchecked: null });

/** How bodies of a media type are read. */
type BodyKind = 'json' | 'form' | 'parts' | 'xml' | 'text' | 'stream' | 'bytes';

function kindOfType(type: string): BodyKind {
  if (isJsonType(type)) return 'json';
  if (type === 'application/x-www-form-urlencoded') return 'form';
  if (type.startsWith('multipart/')) return 'parts';
  if (type === 'application/xml' || type === 'text/xml' || type.endsWith('+xml')) return 'xml';
  if (type === 'text/event-stream' || type === 'application/x-ndjson' || type === 'application/jsonl' || type === 'application/json-seq') return 'stream';
  return type.startsWith('text/') ? 'text' : 'bytes';
}

/** What a contract says of one media type. */
interface Content {
  readonly range: string;
  readonly pointer: string;
  readonly place: SchemaPlace | null;
  readonly check: Check | null;
  /** The first member that some readers take for another one. */
  readonly alike: ((value: unknown) => string | null) | null;
  readonly encoding: Readonly<Record<string, unknown>>;
  /** What of it cannot be read: nothing meets it then. */
  readonly faults: readonly SchemaFault[];
}

/** What cannot be read of a media type beside its schema, or of the encoding of its members (OpenAPI 3.1.2 sections 4.8.14 and 4.8.15). */
function faultsOf(media: unknown, pointer: string, kind: BodyKind): SchemaFault[] {
  if (!isRecord(media)) return [{ rule: pointer, says: 'a media type is an object' }];
  const { encoding } = media;
  if (encoding === undefined || (kind !== 'form' && kind !== 'parts')) return [];
  if (!isRecord(encoding)) return [{ rule: `${pointer}/encoding`, says: 'it is an object with names of members' }];
  return Object.entries(encoding).flatMap(([name, said]) => {
    const at = `${pointer}/encoding/${pointerToken(name)}`;
    if (!isRecord(said)) return [{ rule: at, says: 'it is an object' }];
    const { contentType, style, explode } = said;
    return [
      ...(contentType !== undefined && typeof contentType !== 'string' ? [{ rule: `${at}/contentType`, says: 'it is a text' }] : []),
      ...(style !== undefined && !PARAMETER_STYLES.some((one) => one === style) ? [{ rule: `${at}/style`, says: 'it is no style' }] : []),
      ...(explode !== undefined && typeof explode !== 'boolean' ? [{ rule: `${at}/explode`, says: 'it is true or false' }] : []),
    ];
  });
}

/** Whether some member of a form may have characters with a meaning as they are (`allowReserved` of the Encoding Object). */
const mayHaveReserved = ({ encoding }: Content): boolean => Object.values(encoding).some((said) => isRecord(said) && said['allowReserved'] === true);

/** The media types that a body may have, each with the check of its content. */
export class BodyCheck {
  readonly ranges: readonly string[];
  /** What of it cannot be read, beside its schemas. */
  readonly faults: readonly SchemaFault[];
  readonly #contents: readonly Content[];
  readonly #exact = new Map<string, Content>();
  readonly #families: readonly { readonly takes: (type: string) => boolean; readonly content: Content }[];
  readonly #source: ContractSource;
  readonly #pointer: string;

  readonly #of: 'request' | 'answer';

  /** @param place an object with the member `content` */
  constructor({ value, pointer }: ContractPlace, source: ContractSource, compiler: SchemaCompiler, of: 'request' | 'answer') {
    this.#of = of;
    this.#source = source;
    this.#pointer = pointer;
    this.#contents = Object.entries(isRecord(value['content']) ? value['content'] : {}).map(([range, media]) => {
      const at = `${pointer}/content/${pointerToken(range)}`;
      const said = isRecord(media) ? media['schema'] : undefined;
      const place = said === undefined ? null : source.schema(`${at}/schema`);
      const type = mediaTypeOf(range) ?? range.split(';')[0]?.trim().toLowerCase() ?? '';
      const encoding = isRecord(media) && isRecord(media['encoding']) ? media['encoding'] : {};
      // Nobody has to be protected from the names in an answer.
      const alike = place && of === 'request' ? source.alike.in(place) : null;
      return { range: type, pointer: at, place, check: place && compiler.value(place), alike, encoding, faults: faultsOf(media, at, kindOfType(type)) };
    });
    this.faults = this.#contents.flatMap(({ faults }) => faults);
    this.ranges = [...new Set(this.#contents.map(({ range }) => range))];
    for (const content of this.#contents) if (!this.#exact.has(content.range)) this.#exact.set(content.range, content);
    // The narrower family counts (OpenAPI 3.1.2 section 4.8.13).
    this.#families = this.#contents
      .filter(({ range }) => range.endsWith('/*'))
      .sort((a, b) => b.range.length - a.range.length)
      .map((content) => ({ takes: compileMediaRanges([content.range]), content }));
  }

  /** What is said of a type; null for one that is not named. */
  find(type: string): Content | null {
    return this.#exact.get(type) ?? this.#families.find(({ takes }) => takes(type))?.content ?? null;
  }

  /** Whether a body of this type is a stream that has no end to wait for. */
  static isStream(contentType: string | undefined): boolean {
    const type = contentType === undefined ? null : mediaTypeOf(contentType);
    return type !== null && kindOfType(type) === 'stream';
  }

  of(contentType: string | undefined, bytes: Uint8Array): BodyVerdict {
    const type = contentType === undefined ? null : mediaTypeOf(contentType);
    const content = type === null ? null : this.find(type);
    // What is called something that the contract does not name cannot be read, so it is not let by.
    if (type === null || content === null) {
      const found = type ?? 'something that is no media type';
      return {
        deviations: [{ name: '', at: '', rule: `${this.#pointer}/content`, keyword: 'content', wanted: this.ranges.join(', '), found: found.slice(0, 100) }],
        unchecked: null,
      };
    }
    const [fault] = content.faults;
    if (fault !== undefined) return { deviations: [unusable(fault.rule, 'a rule')], unchecked: null };
    if (content.check === null || content.place === null) return kindOfType(type) === 'json' ? this.#readable(jsonIn(bytes, contentType ?? ''), content) : FINE;
    const kind = kindOfType(type);
    switch (kind) {
      case 'json':
        return this.#read(jsonIn(bytes, contentType ?? ''), content, content.check, bytes.length);
      case 'xml': {
        const text = xmlTextOf(bytes, contentType ?? '');
        return text === null
          ? this.#readable({ kind: 'fault', says: 'bytes that are no text' }, content)
          : this.#read(readXml(text, content.place, this.#source.set), content, content.check, bytes.length);
      }
      case 'form':
        return this.#read(this.#form(bytes, contentType ?? '', content, content.place), content, content.check, bytes.length);
      case 'parts':
        return this.#read(this.#parts(bytes, contentType ?? '', content, content.place), content, content.check, bytes.length);
      case 'text': {
        const text = textOf(bytes, charsetOf(contentType ?? ''));
        const kinds = kindsOf(this.#source.set, [content.place]);
        return text === null
          ? this.#readable({ kind: 'fault', says: 'bytes that are no text' }, content)
          : verdictOf(content, content.check, typedText(text, kinds.types, false), bytes.length);
      }
      case 'stream':
        return { deviations: [], unchecked: 'it is a stream' };
      case 'bytes': {
        const { types } = kindsOf(this.#source.set, [content.place]);
        // Bytes as a text of the same length: what is said of its size can be held against it. A type that there is not refuses them.
        return types.has('string') || ![...types].every(isKnownType)
          ? verdictOf(content, content.check, LATIN1.decode(bytes), bytes.length)
          : { deviations: [], unchecked: `${type} is not read` };
      }
    }
  }

  #readable(read: ReadValue, { pointer }: Content): BodyVerdict {
    if (read.kind === 'value') return FINE;
    return {
      deviations: [{ name: '', at: '', rule: pointer, keyword: 'content', wanted: 'a body that every reader takes alike', found: read.says }],
      unchecked: null,
    };
  }

  #read(read: ReadValue, content: Content, check: Check, bytes: number): BodyVerdict {
    if (read.kind === 'fault') return this.#readable(read, content);
    const other = content.alike?.(read.value) ?? null;
    if (other !== null) return this.#readable({ kind: 'fault', says: `the member ${inOtherCase(other)}` }, content);
    return verdictOf(content, check, read.value, bytes);
  }

  /** `application/x-www-form-urlencoded`, each member in its style (OpenAPI 3.1.2 section 4.8.15). */
  #form(bytes: Uint8Array, contentType: string, content: Content, place: SchemaPlace): ReadValue {
    // Its escapes are UTF-8 (WHATWG URL section 5.1): in another set they would be other characters.
    const charset = charsetOf(contentType) ?? 'utf-8';
    const text = isUtf8(charset) ? textOf(bytes, charset) : null;
    if (text === null) return { kind: 'fault', says: 'bytes that are no text' };
    // No serializer writes one as it is (WHATWG URL section 5.2), and older readers part at it.
    if (text.includes(';') && !mayHaveReserved(content))
      return { kind: 'fault', says: 'a semicolon that is not escaped, where some readers begin another member' };
    const pairs = queryPairs(`?${text}`);
    const kinds = kindsOf(this.#source.set, [place]);
    const claimed = new Set<number>();
    const claim = (index: number): void => void claimed.add(index);
    try {
      const value: Record<string, unknown> = {};
      const whole: string[] = [];
      for (const name of kinds.members.names()) {
        const own = kindsOf(this.#source.set, kinds.members.get(name) ?? []);
        const said = content.encoding[name];
        const encoding = isRecord(said) ? said : {};
        const style = (typeof encoding['style'] === 'string' ? encoding['style'] : 'form') as ParameterStyle;
        const explode = typeof encoding['explode'] === 'boolean' ? encoding['explode'] : style === 'form';
        const form = formsOf(own)[0] ?? 'one';
        const json = isJsonType(typeof encoding['contentType'] === 'string' ? encoding['contentType'] : null) || (form === 'object' && said === undefined);
        if (style !== 'deepObject' && (json || form !== 'object' || !explode)) whole.push(name);
        const texts = readPairs(
          pairs,
          { name, style, explode, plusIsBlank: true },
          json ? 'one' : form,
          json || form !== 'object' ? null : new Set(own.members.names()),
          claim,
        );
        if (texts === undefined) continue;
        const member = json ? jsonOf(texts) : typed(texts, own, this.#source.set, false);
        put(value, name, member);
      }
      pairs.forEach(([name, text2], index) => {
        if (!claimed.has(index)) put(value, decode(name, true), decode(text2, true));
      });
      const came = pairs.map(([name]) => decode(name, true));
      const taken = this.#taken(came, whole);
      if (taken !== null) return { kind: 'fault', says: `the member ${inPlaceOf(taken)}` };
      const method = this.#method(
        pairs.map(([name, text2]) => [decode(name, true), decode(text2, true)]),
        kinds,
      );
      return method === null ? { kind: 'value', value } : { kind: 'fault', says: `the member ${method}` };
    } catch (error) {
      if (error instanceof Unreadable) return { kind: 'fault', says: error.message };
      throw error;
    }
  }

  /** What is wrong with a form that names a method where its schema does not describe that; null for nothing, and in answers. */
  #method(members: readonly (readonly [name: string, value: string])[], kinds: Kinds): string | null {
    return this.#of === 'answer' || kinds.members.has(METHOD_PARAMETER) ? null : methodInForm(members);
  }

  /** A member of a form that some readers take for another one that the schema names; null for none, and in answers. */
  #taken(names: readonly string[], wanted: readonly string[]): string | null {
    return this.#of === 'answer' ? null : takenForAny(plainNames(names), wanted);
  }

  #parts(bytes: Uint8Array, contentType: string, content: Content, place: SchemaPlace): ReadValue {
    const boundary = boundaryOf(contentType);
    if (boundary === null) return { kind: 'fault', says: 'no boundary in its content type' };
    const parts = readParts(bytes, boundary);
    if (typeof parts === 'string') return { kind: 'fault', says: parts };
    const kinds = kindsOf(this.#source.set, [place]);
    const value: Record<string, unknown> = {};
    const names = [...new Set(parts.map((part) => part.name))];
    const taken = this.#taken(names, kinds.members.names());
    if (taken !== null) return { kind: 'fault', says: `the part ${inPlaceOf(taken)}` };
    const method = this.#method(
      parts.map(({ name, content: inner }) => [name, inner.length < 100 ? LATIN1.decode(inner) : '']),
      kinds,
    );
    if (method !== null) return { kind: 'fault', says: `the part ${method}` };
    for (const name of names) {
      const mine = parts.filter((part) => part.name === name);
      const own = kindsOf(this.#source.set, kinds.members.get(name) ?? []);
      const isList = own.types.has('array') && own.types.size < 7;
      const items = isList ? kindsOf(this.#source.set, own.items) : own;
      const read = mine.map((part) => partValue(part, items, content.encoding[name]));
      const bad = read.find((one) => one.kind === 'fault');
      if (bad?.kind === 'fault') return { kind: 'fault', says: `in the part “${name.slice(0, 40)}”: ${bad.says}` };
      const values = read.map((one) => (one.kind === 'value' ? one.value : null));
      if (!isList && values.length > 1) return { kind: 'fault', says: `the part “${name.slice(0, 40)}” more than once` };
      put(value, name, isList ? values : values[0]);
    }
    return { kind: 'value', value };
  }
}

/** The value of a part: by the type that it names, which has to be one of those that the contract names for it. */
function partValue(part: FormPart, kinds: Kinds, encoding: unknown): ReadValue {
  const said =
    isRecord(encoding) && typeof encoding['contentType'] === 'string' ? encoding['contentType'].split(',').map((one) => one.trim().toLowerCase()) : null;
  const type = part.contentType === null ? null : mediaTypeOf(part.contentType);
  if (said !== null && !(type !== null && compileMediaRanges(said)(type)) && !(part.contentType === null && said.length > 0))
    return { kind: 'fault', says: 'another content type than the contract names' };
  const isObject = (kinds.types.has('object') || kinds.types.has('array')) && kinds.types.size < 7;
  if (isJsonType(part.contentType) || (type === null && (isObject || (said !== null && isJsonType(said[0] ?? null)))))
    return jsonIn(part.content, part.contentType ?? '');
  const charset = charsetOf(part.contentType ?? '');
  const isText = type === null || type.startsWith('text/');
  const text = isText ? textOf(part.content, charset) : null;
  // What is said to be a text and is none that is read would be read by others.
  if (isText && text === null && (type !== null || charset !== null)) return OTHER_SET;
  return { kind: 'value', value: text === null ? LATIN1.decode(part.content) : typedText(text, kinds.types, false) };
}

function jsonOf(texts: Texts): unknown {
  const read = readStrictJson(new TextEncoder().encode(String(texts)));
  if (read.kind === 'fault') throw new Unreadable(read.says);
  return read.value;
}

function put(value: Record<string, unknown>, name: string, member: unknown): void {
  if (Object.hasOwn(value, name)) throw new Unreadable('a member twice');
  Object.defineProperty(value, name, { value: member, enumerable: true, configurable: true, writable: true });
}

function verdictOf({ pointer }: Content, check: Check, value: unknown, bytes: number): BodyVerdict {
  const deviations = deviationsOf(check, value, '', pointer, bytes);
  return deviations.length === 0 ? FINE : { deviations, unchecked: null };
}
