import type { ContractRule } from '../../document/contract-rule.js';
import { isRecord, pointerToken } from '../../util/json-pointer.js';
import type { SchemaCompiler, SchemaFault } from '../../schema/compile-schema.js';
import type { Direction } from '../../schema/run.js';
import { cookieNames, queryNames, takenFor } from '../../message/alike-names.js';
import { otherSpelling } from '../../message/field-spelling.js';
import { mediaTypeOf } from '../../message/media-type.js';
import { finding, type Finding } from '../../verdict/codes.js';
import { declaredSecurity, type DeclaredSecurity } from './declared-security.js';
import { BodyCheck, type BodyVerdict } from './body-check.js';
import { operationPointer, type ContractPlace, type ContractSource } from './contract-source.js';
import { DescribedAnswer } from './described-answer.js';
import { isDemanded, unusable, type Deviation } from './deviation.js';
import { ParameterCheck, type ParameterPlace } from './parameter-check.js';
import { cookiePairs, queryPairs } from './parameter-style.js';
import { spelledOtherwise, strayParameters } from './stray-parameters.js';

/** Header fields that parameters cannot describe (OpenAPI 3.1.2 section 4.8.12.1). */
const NOT_PARAMETERS = new Set(['accept', 'content-type', 'authorization']);

const NOTHING: readonly Deviation[] = Object.freeze([]);

/** What a contract says of one operation, ready to be held against its requests and answers. Each part is made when first asked. */
export class OperationContract {
  readonly pointer: string;
  /** That it describes the operation, as its step says. */
  readonly foundFinding: Finding;
  #security: DeclaredSecurity | null = null;
  readonly #source: ContractSource;
  readonly #rule: ContractRule;
  /** What its answers are called in the contract; null where it says nothing of answers that can be read. */
  readonly #described: readonly string[] | null;
  readonly #parameters: Readonly<Record<ParameterPlace, readonly ParameterCheck[]>>;
  readonly #names: ReadonlySet<string>;
  /** Parameters that cannot be read: nobody knows in which part they belong, so no part holds. */
  #unreadable: readonly Deviation[] = NOTHING;
  readonly #bodyPointer: string | null;
  readonly #requestBody: BodyCheck | null;
  readonly #bodyRequired: boolean;
  /** What of its body cannot be read, beside its content. */
  readonly #bodyFaults: readonly SchemaFault[];
  /** What is said of bodies leads nowhere. */
  readonly #bodyUnreadable: boolean;
  readonly #compilers: Readonly<Record<Direction, SchemaCompiler>>;
  readonly #answers = new Map<string, DescribedAnswer | null>();
  /** What any answer comes to where what is said of answers cannot be read. */
  readonly #unreadAnswers: readonly Deviation[];

  constructor(source: ContractSource, pointer: string, operation: Readonly<Record<string, unknown>>, item: string, rule: ContractRule) {
    this.#source = source;
    this.#rule = rule;
    this.pointer = pointer;
    this.foundFinding = finding('contract.found', { pointer });
    const choices = {
      unknown: rule.unknownMembers === 'refuse' ? 'closed' : 'as-said',
      formats: rule.formats,
      readOnlySent: rule.readOnlySent === 'allow',
    } as const;
    this.#compilers = { request: source.compiler('request', choices), answer: source.compiler('answer', choices) };
    this.#parameters = this.#readParameters([`${item}/parameters`, `${pointer}/parameters`]);
    this.#names = new Set(this.#parameters.query.map(({ name }) => name));
    const body = operation['requestBody'] === undefined ? null : source.object(`${pointer}/requestBody`);
    this.#bodyUnreadable = operation['requestBody'] !== undefined && body === null;
    this.#bodyPointer = body?.pointer ?? null;
    this.#bodyRequired = isDemanded(body?.value['required']);
    this.#bodyFaults = body ? bodyFaults(body) : [];
    const { responses } = operation;
    this.#described = isRecord(responses) ? Object.keys(responses) : null;
    this.#unreadAnswers = responses === undefined || isRecord(responses) ? NOTHING : [unusable(`${pointer}/responses`, 'a description of answers')];
    this.#requestBody = body && new BodyCheck(body, source, this.#compilers.request, 'request');
  }

  /** Parameters of the path item, and those of the operation, which replace them by name and place (OpenAPI 3.1.2 section 4.8.10). */
  #readParameters(lists: readonly string[]): Readonly<Record<ParameterPlace, readonly ParameterCheck[]>> {
    const found = new Map<string, [ParameterPlace, ParameterCheck]>();
    const unreadable: Deviation[] = [];
    for (const list of lists) {
      const items = this.#source.at(list);
      if (items !== undefined && !Array.isArray(items)) unreadable.push(unusable(list, 'a list of parameters'));
      if (!Array.isArray(items)) continue;
      const here = new Set<string>();
      items.forEach((_, index) => {
        const place = this.#source.object(`${list}/${index}`);
        const name = place?.value['name'];
        const where = place?.value['in'];
        if (!place || typeof name !== 'string' || !isPlace(where)) {
          unreadable.push(unusable(`${list}/${index}`, 'a parameter'));
          return;
        }
        if (where === 'header' && NOT_PARAMETERS.has(name.toLowerCase())) return;
        const key = `${where} ${where === 'header' ? name.toLowerCase() : name}`;
        // One that stands twice in a list is held to both.
        found.set(here.has(key) ? `${key} ${index}` : key, [where, new ParameterCheck(place, name, where, this.#source, this.#compilers.request)]);
        here.add(key);
      });
    }
    const of = (where: ParameterPlace): readonly ParameterCheck[] => [...found.values()].flatMap(([place, check]) => (place === where ? [check] : []));
    this.#unreadable = unreadable;
    return { path: of('path'), query: of('query'), header: of('header'), cookie: of('cookie') };
  }

  /** What of it cannot be used: nothing meets it, until it is mended. */
  faults(): readonly SchemaFault[] {
    const answers = (this.#described ?? []).filter((key) => !key.startsWith('x-'));
    const read = answers.map((key) => this.#readAnswer(key));
    for (const compiler of Object.values(this.#compilers)) compiler.everything();
    const nowhere = (rule: string): SchemaFault => ({ rule, says: 'is no object, or leads nowhere' });
    return [
      ...this.#unreadable.map(({ rule, wanted }) => ({ rule, says: `here is not ${wanted}` })),
      ...Object.values(this.#parameters).flatMap((checks) => checks.flatMap(({ faults }) => faults)),
      ...(this.#bodyUnreadable ? [nowhere(`${this.pointer}/requestBody`)] : []),
      ...this.#bodyFaults,
      ...(this.#requestBody?.faults ?? []),
      ...this.#unreadAnswers.map(({ rule }) => nowhere(rule)),
      ...read.flatMap((answer, index) => answer?.faults ?? [nowhere(`${this.pointer}/responses/${pointerToken(answers[index] ?? '')}`)]),
      ...Object.values(this.#compilers).flatMap(({ faults }) => faults),
    ];
  }

  /** What the contract declares of credentials. */
  get security(): DeclaredSecurity {
    return (this.#security ??= declaredSecurity(this.#source, this.pointer));
  }

  /** Whether a parameter of the path is written behind a semicolon. */
  isMatrix(name: string): boolean {
    return this.#parameters.path.some((parameter) => parameter.name === name && parameter.isMatrix);
  }

  /** @param segmentOf the text of a path parameter, still escaped */
  path(segmentOf: (name: string) => string | undefined): readonly Deviation[] {
    if (this.#unreadable.length > 0) return this.#unreadable;
    return this.#parameters.path.flatMap((parameter) => parameter.ofText(segmentOf(parameter.name)));
  }

  /** @param query with its question mark, or empty @param credentials names whose values are credentials, which have checks of their own */
  query(query: string, credentials: ReadonlySet<string>): readonly Deviation[] {
    const { query: parameters } = this.#parameters;
    if (this.#unreadable.length > 0) return this.#unreadable;
    if (query.length < 2 && !parameters.some(({ required }) => required)) return NOTHING;
    const pairs = queryPairs(query);
    const claimed = new Set<number>();
    const found = parameters.flatMap((parameter) => parameter.ofPairs(pairs, (index) => claimed.add(index), this.#names));
    const came = queryNames(query.slice(1));
    found.push(
      ...parameters.flatMap((parameter) => spelledOtherwise(parameter, parameter.isSpread ? null : takenFor(came, parameter.name, this.#names), 'parameter')),
    );
    if (this.#rule.unknownQuery === 'allow') return found;
    return [...found, ...strayParameters(pairs, claimed, credentials, parameters, `${this.pointer}/parameters`)];
  }

  /** @param names of all fields that came, in small letters */
  header(valueOf: (name: string) => string | undefined, names: () => readonly string[]): readonly Deviation[] {
    if (this.#unreadable.length > 0) return this.#unreadable;
    const { header: parameters } = this.#parameters;
    if (parameters.length === 0) return NOTHING;
    const came = names();
    return parameters.flatMap((parameter) => {
      const name = parameter.name.toLowerCase();
      return [...parameter.ofText(valueOf(name)), ...spelledOtherwise(parameter, otherSpelling(came, [name]), 'field')];
    });
  }

  cookie(header: string | undefined): readonly Deviation[] {
    const { cookie: parameters } = this.#parameters;
    if (this.#unreadable.length > 0) return this.#unreadable;
    if (parameters.length === 0) return NOTHING;
    const pairs = cookiePairs(header ?? '');
    const came = cookieNames(header ?? '');
    return parameters.flatMap((parameter) => [
      ...parameter.ofPairs(pairs, () => undefined, new Set()),
      ...spelledOtherwise(parameter, parameter.isSpread ? null : takenFor(came, parameter.name), 'cookie'),
    ]);
  }

  /** What a request's body may be called; null where the contract knows no body. */
  get contentTypes(): readonly string[] | null {
    return this.#requestBody?.ranges ?? null;
  }

  /** Whether the content type of a request is one that the contract names. */
  type(contentType: string | undefined, hasBody: boolean): readonly Deviation[] {
    const deviation = (keyword: string, wanted: string, found: string): Deviation[] => [
      { name: 'Content-Type', at: '', rule: this.#bodyPointer ?? this.pointer, keyword, wanted, found },
    ];
    if (this.#bodyUnreadable) return [unusable(`${this.pointer}/requestBody`, 'a request body')];
    if (!hasBody) return NOTHING;
    if (this.#requestBody === null) return deviation('content', 'no body', 'a body');
    const wanted = this.#requestBody.ranges.join(', ') || 'no body';
    const type = contentType === undefined ? null : mediaTypeOf(contentType);
    if (type === null) return deviation('content', wanted, contentType === undefined ? 'no content type' : 'something that is no media type');
    return this.#requestBody.find(type) === null ? deviation('content', wanted, type.slice(0, 100)) : NOTHING;
  }

  /** @param bytes null where there is no body */
  body(contentType: string | undefined, bytes: Uint8Array | null): BodyVerdict {
    if (this.#bodyUnreadable) return { deviations: [unusable(`${this.pointer}/requestBody`, 'a request body')], unchecked: null };
    if (this.#requestBody === null) {
      const found = bytes === null ? [] : [{ name: '', at: '', rule: this.pointer, keyword: 'content', wanted: 'no body', found: 'a body' }];
      return { deviations: found, unchecked: null };
    }
    if (bytes === null || bytes.length === 0) {
      // An empty body of a type that is a text is a text all the same.
      const deviations =
        this.#bodyRequired && bytes === null
          ? [{ name: '', at: '', rule: `${this.#bodyPointer ?? this.pointer}/required`, keyword: 'required', wanted: 'a body', found: 'none' }]
          : [];
      if (bytes === null || !this.#bodyRequired) return { deviations, unchecked: null };
    }
    return this.#requestBody.of(contentType, bytes);
  }

  /** What a contract says of answers with a status is called; undefined where it says nothing of them. */
  #answerKey(status: number): string | undefined {
    const described = this.#described;
    if (described === null) return undefined;
    return [String(status), `${Math.floor(status / 100)}XX`, `${Math.floor(status / 100)}xx`, 'default'].find((one) => described.includes(one));
  }

  #answerOf(status: number): DescribedAnswer | null {
    const key = this.#answerKey(status);
    if (key === undefined) return null;
    const made = this.#answers.get(key);
    if (made !== undefined) return made;
    const answer = this.#readAnswer(key);
    this.#answers.set(key, answer);
    return answer;
  }

  /** What answers of a status come to where what is said of them cannot be read. */
  #unreadAnswer(status: number): readonly Deviation[] {
    if (this.#unreadAnswers.length > 0 || this.#answerOf(status) !== null) return this.#unreadAnswers;
    const key = this.#answerKey(status);
    return key === undefined ? NOTHING : [unusable(`${this.pointer}/responses/${pointerToken(key)}`, 'a description of an answer')];
  }

  #readAnswer(key: string): DescribedAnswer | null {
    const place = this.#source.object(`${this.pointer}/responses/${pointerToken(key)}`);
    return place && new DescribedAnswer(place, this.#source, this.#compilers.answer);
  }

  status(status: number): readonly Deviation[] {
    const unread = this.#unreadAnswer(status);
    if (unread.length > 0 || this.#answerOf(status) !== null) return unread;
    const wanted = this.#described?.filter((key) => !key.startsWith('x-')).join(', ') ?? 'none';
    return [{ name: String(status), at: '', rule: `${this.pointer}/responses`, keyword: 'status', wanted, found: String(status) }];
  }

  /** Header fields of an answer, its content type among them. @param hasBody false where none can follow */
  fields(status: number, valueOf: (name: string) => string | undefined, hasBody: boolean): readonly Deviation[] {
    const unread = this.#unreadAnswer(status);
    if (unread.length > 0) return unread;
    return this.#answerOf(status)?.fields(valueOf, hasBody) ?? NOTHING;
  }

  /** Whether the contract says anything of the body of an answer with this status that has to be looked into. */
  readsAnswer(status: number, contentType: string | undefined): boolean {
    const described = this.#answerOf(status) !== null || this.#unreadAnswer(status).length > 0;
    return (described || (status >= 200 && status <= 299)) && !BodyCheck.isStream(contentType);
  }

  answer(status: number, contentType: string | undefined, bytes: Uint8Array): BodyVerdict {
    const unread = this.#unreadAnswer(status);
    if (unread.length > 0) return { deviations: unread, unchecked: null };
    const answer = this.#answerOf(status);
    if (answer !== null) return answer.body(contentType, bytes);
    if (status < 200 || status > 299) return { deviations: [], unchecked: 'its status is not in the contract' };
    // What an operation gives out where it succeeds is in the contract or does not leave.
    return { deviations: this.status(status), unchecked: null };
  }
}

/** What of a request body cannot be read (OpenAPI 3.1.2 section 4.8.13). */
function bodyFaults({ value, pointer }: ContractPlace): SchemaFault[] {
  const { required, content } = value;
  return [
    ...(required !== undefined && typeof required !== 'boolean' ? [{ rule: `${pointer}/required`, says: 'it is true or false' }] : []),
    ...(isRecord(content) ? [] : [{ rule: `${pointer}/content`, says: 'it is an object with media types' }]),
  ];
}

const PLACES = ['path', 'query', 'header', 'cookie'] as const;
const isPlace = (value: unknown): value is ParameterPlace => PLACES.some((place) => place === value);

/** Reads what a contract says of an operation; null where it does not describe it, or its schemas are of a dialect that is not read. */
export function operationContract(source: ContractSource, path: string, method: string, rule: ContractRule): OperationContract | null {
  const item = source.object(`/paths/${pointerToken(path)}`);
  if (item === null || source.dialect === null) return null;
  const name = method.toLowerCase();
  const operation = item.value[name];
  if (!isRecord(operation)) return null;
  const pointer = item.pointer === `/paths/${pointerToken(path)}` ? operationPointer(path, method) : `${item.pointer}/${name}`;
  return new OperationContract(source, pointer, operation, item.pointer, rule);
}
