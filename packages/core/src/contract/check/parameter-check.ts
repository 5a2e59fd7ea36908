import { isRecord } from '../../util/json-pointer.js';
import type { SchemaCompiler, SchemaFault } from '../../schema/compile-schema.js';
import { Run, TooCostly, type Check, type SchemaViolation } from '../../schema/run.js';
import type { SchemaPlace, SchemaSet } from '../../schema/schema-set.js';
import type { ContractPlace, ContractSource } from './contract-source.js';
import { isDemanded, unusable, type Deviation } from './deviation.js';
import { PARAMETER_STYLES, Unreadable, readPairs, readText, type Form, type Pairs, type ParameterStyle, type Texts } from './parameter-style.js';
import { readStrictJson } from '../../util/read-json.js';
import { isJsonType } from './read-form.js';
import { formsOf, kindsOf, typed, type Kinds } from './typed-value.js';

export type ParameterPlace = 'path' | 'query' | 'header' | 'cookie';

const DEFAULT_STYLE: Readonly<Record<ParameterPlace, ParameterStyle>> = { path: 'simple', query: 'form', header: 'simple', cookie: 'form' };
const STYLES: Readonly<Record<ParameterPlace, readonly ParameterStyle[]>> = {
  path: ['matrix', 'label', 'simple'],
  query: ['form', 'spaceDelimited', 'pipeDelimited', 'deepObject'],
  header: ['simple'],
  cookie: ['form'],
};
const ENCODER = new TextEncoder();

/** What deviates in one value, with the place that it has in its message. */
function explain(check: Check, value: unknown, name: string, bytes: number): Deviation[] {
  const run = new Run(true, bytes);
  check(value, run);
  return (run.sink ?? []).map((violation: SchemaViolation) => ({ name, ...violation }));
}

/** Whether a value is allowed; a check that ends without a verdict allows nothing. */
export function deviationsOf(check: Check, value: unknown, name: string, rule: string, bytes = 0): Deviation[] {
  try {
    if (check(value, new Run(false, bytes))) return [];
    const told = explain(check, value, name, bytes);
    // What is not allowed is not, though nobody could say why.
    return told.length > 0 ? told : [{ name, at: '', rule, keyword: 'schema', wanted: 'a value that the schema allows', found: 'another one' }];
  } catch (error) {
    if (error instanceof TooCostly || error instanceof RangeError)
      return [{ name, at: '', rule, keyword: 'cost', wanted: 'a value that can be checked within bounds', found: 'one that costs more' }];
    throw error;
  }
}

/** One parameter of an operation, or one header field of an answer, ready to be held against what was sent. */
export class ParameterCheck {
  readonly name: string;
  readonly required: boolean;
  /** Whether characters with a meaning may stand in it as they are (`allowReserved`). */
  readonly takesReserved: boolean;
  readonly pointer: string;
  readonly #place: ParameterPlace;
  readonly #style: ParameterStyle;
  readonly #explode: boolean;
  readonly #plusIsBlank: boolean;
  readonly #emptyAllowed: boolean;
  readonly #check: Check | null;
  readonly #kinds: Kinds;
  readonly #forms: readonly Form[];
  readonly #set: SchemaSet;
  /** A parameter that is described by a media type: its text is of that type. */
  readonly #json: boolean;
  /** What of it cannot be read. */
  readonly faults: readonly SchemaFault[];
  /** What any value comes to where what is said of values cannot be used; null where it can. */
  readonly #unusable: readonly Deviation[] | null;

  constructor({ value, pointer }: ContractPlace, name: string, place: ParameterPlace, source: ContractSource, compiler: SchemaCompiler) {
    this.name = name;
    this.pointer = pointer;
    this.required = place === 'path' || isDemanded(value['required']);
    this.#place = place;
    const style = value['style'] ?? DEFAULT_STYLE[place];
    const known = PARAMETER_STYLES.find((one) => one === style && STYLES[place].includes(one));
    this.#style = known ?? DEFAULT_STYLE[place];
    this.#explode = typeof value['explode'] === 'boolean' ? value['explode'] : this.#style === 'form';
    this.takesReserved = value['allowReserved'] === true;
    this.#plusIsBlank = place === 'query' && !this.takesReserved;
    this.#emptyAllowed = place === 'query' && value['allowEmptyValue'] === true;
    this.#set = source.set;
    const [type] = isRecord(value['content']) ? Object.keys(value['content']) : [];
    const at = type === undefined ? `${pointer}/schema` : `${pointer}/content/${type.replaceAll('~', '~0').replaceAll('/', '~1')}/schema`;
    const said = source.at(at);
    this.#json = type !== undefined && isJsonType(type);
    this.#check = said === undefined ? null : compiler.value(source.schema(at));
    const places: SchemaPlace[] = said === undefined ? [] : [source.schema(at)];
    this.#kinds = kindsOf(source.set, places);
    this.#forms = type === undefined ? formsOf(this.#kinds) : ['one'];
    const faults = faultsOf(value, pointer);
    if (known === undefined) faults.unshift({ rule: `${pointer}/style`, says: `the style ${String(style).slice(0, 40)} means nothing in a ${place}` });
    this.faults = faults;
    const [first] = faults.filter(({ rule }) => rule !== `${pointer}/required`);
    this.#unusable = first === undefined ? null : [unusable(first.rule, 'a rule', name)];
  }

  #deviation(keyword: string, wanted: string, found: string): Deviation[] {
    return [{ name: this.name, at: '', rule: this.pointer, keyword, wanted, found }];
  }

  missing(): Deviation[] {
    return this.required ? this.#deviation('required', `the ${this.#place} parameter`, 'nothing') : [];
  }

  /** A path segment, still escaped, or a header field. */
  ofText(raw: string | undefined): readonly Deviation[] {
    if (raw === undefined) return this.missing();
    const written = { name: this.name, style: this.#style, explode: this.#explode, plusIsBlank: false };
    return this.#judge((form) => readText(raw, written, form, this.#place === 'header'));
  }

  get isMatrix(): boolean {
    return this.#style === 'matrix';
  }

  /** Whether its value is spread over parameters of other names. */
  get isSpread(): boolean {
    return this.#style === 'deepObject' || (this.#explode && this.#forms.includes('object'));
  }

  /** Out of a query or cookies. @param claim told which pairs it takes */
  ofPairs(pairs: Pairs, claim: (index: number) => void, others: ReadonlySet<string>): readonly Deviation[] {
    const written = { name: this.name, style: this.#style, explode: this.#explode, plusIsBlank: this.#plusIsBlank };
    const { members, open } = this.#kinds;
    const names = open ? null : new Set(members.names());
    const mine = names ?? (members.size > 0 ? new Set(members.names()) : new Set(pairs.map(([name]) => name).filter((name) => !others.has(name))));
    return this.#judge((form) => readPairs(pairs, written, form, mine, claim));
  }

  #judge(read: (form: Form) => Texts | undefined): readonly Deviation[] {
    if (this.#unusable !== null) return this.#unusable;
    let first: Deviation[] | null = null;
    // What a schema leaves open is tried in each form; the first tells what is wrong.
    for (const form of this.#forms) {
      let found: Deviation[];
      try {
        const texts = read(form);
        if (texts === undefined) return this.missing();
        found = this.#ofTexts(texts);
      } catch (error) {
        if (!(error instanceof Unreadable)) throw error;
        found = this.#deviation('style', `a value in the style ${this.#style}${this.#explode ? ', exploded' : ''}`, error.message);
      }
      if (found.length === 0) return [];
      first ??= found;
    }
    return first ?? this.#deviation('type', 'a value that can be written here', 'none');
  }

  #ofTexts(texts: Texts): Deviation[] {
    if (texts === '' && this.#emptyAllowed) return [];
    if (this.#json) {
      const read = readStrictJson(ENCODER.encode(String(texts)));
      if (read.kind === 'fault') return this.#deviation('content', 'JSON', read.says);
      return this.#of(read.value);
    }
    if (this.#check === null) return [];
    const value = typed(texts, this.#kinds, this.#set, false);
    const found = this.#of(value);
    if (found.length === 0) return found;
    // A text that looks like a number may be meant as a text.
    const plain = typed(texts, this.#kinds, this.#set, true);
    return this.#of(plain).length === 0 ? [] : found;
  }

  #of(value: unknown): Deviation[] {
    return this.#check === null ? [] : deviationsOf(this.#check, value, this.name, this.pointer);
  }
}

const FLAGS = ['required', 'explode', 'allowReserved', 'allowEmptyValue'];

/** What of a parameter or a header cannot be read, beside its schema (OpenAPI 3.1.2 section 4.8.12.2). */
function faultsOf(value: ContractPlace['value'], pointer: string): SchemaFault[] {
  const found = FLAGS.filter((flag) => value[flag] !== undefined && typeof value[flag] !== 'boolean').map((flag) => ({
    rule: `${pointer}/${flag}`,
    says: 'it is true or false',
  }));
  const { content } = value;
  if (content === undefined) return found;
  if (!isRecord(content) || Object.keys(content).length !== 1 || !Object.values(content).every(isRecord))
    found.push({ rule: `${pointer}/content`, says: 'it is an object with one media type' });
  if (value['schema'] !== undefined) found.push({ rule: `${pointer}/content`, says: 'there is a schema beside it, and readers differ in which one counts' });
  return found;
}
