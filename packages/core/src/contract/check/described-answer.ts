import { isRecord, pointerToken } from '../../util/json-pointer.js';
import type { SchemaCompiler, SchemaFault } from '../../schema/compile-schema.js';
import { mediaTypeOf } from '../../message/media-type.js';
import { BodyCheck, type BodyVerdict } from './body-check.js';
import type { ContractPlace, ContractSource } from './contract-source.js';
import { unusable, type Deviation } from './deviation.js';
import { ParameterCheck } from './parameter-check.js';

const UNDESCRIBED: BodyVerdict = Object.freeze({ deviations: [], unchecked: 'the contract describes no body' });

/** What a contract says of the answers of one status, or of several (OpenAPI 3.1.2 section 4.8.17). */
export class DescribedAnswer {
  /** What of it cannot be read, beside its schemas. */
  readonly faults: readonly SchemaFault[];
  readonly #fields: readonly ParameterCheck[];
  readonly #body: BodyCheck;
  readonly #hasContent: boolean;
  readonly #pointer: string;
  /** What its header fields and its body come to where what is said of them cannot be read. */
  readonly #unreadFields: readonly Deviation[];
  readonly #unreadBody: readonly Deviation[];

  constructor(place: ContractPlace, source: ContractSource, compiler: SchemaCompiler) {
    const { value, pointer } = place;
    this.#pointer = pointer;
    const { headers = {}, content = {} } = value;
    const unreadFields: Deviation[] = isRecord(headers) ? [] : [unusable(`${pointer}/headers`, 'header fields')];
    this.#fields = (isRecord(headers) ? Object.keys(headers) : []).flatMap((name) => {
      const at = `${pointer}/headers/${pointerToken(name)}`;
      const field = source.object(at);
      if (field === null) unreadFields.push(unusable(at, 'a header'));
      return field === null || name.toLowerCase() === 'content-type' ? [] : [new ParameterCheck(field, name, 'header', source, compiler)];
    });
    this.#unreadFields = unreadFields;
    this.#unreadBody = isRecord(content) ? [] : [unusable(`${pointer}/content`, 'content')];
    this.#hasContent = isRecord(content) && Object.keys(content).length > 0;
    this.#body = new BodyCheck(place, source, compiler, 'answer');
    this.faults = [
      ...[...this.#unreadFields, ...this.#unreadBody].map(({ rule }) => ({ rule, says: 'it is no object, or leads nowhere' })),
      ...this.#fields.flatMap(({ faults }) => faults),
      ...this.#body.faults,
    ];
  }

  /** Header fields, the content type among them. @param hasBody false where none can follow */
  fields(valueOf: (name: string) => string | undefined, hasBody: boolean): readonly Deviation[] {
    if (this.#unreadFields.length > 0) return this.#unreadFields;
    const found = this.#fields.flatMap((field) => field.ofText(valueOf(field.name.toLowerCase())));
    if (hasBody && this.#unreadBody.length > 0) return [...found, ...this.#unreadBody];
    const contentType = valueOf('content-type');
    if (!hasBody || !this.#hasContent || contentType === undefined) return found;
    const type = mediaTypeOf(contentType);
    if (type !== null && this.#body.find(type) !== null) return found;
    const deviation = {
      name: 'Content-Type',
      at: '',
      rule: `${this.#pointer}/content`,
      keyword: 'content',
      wanted: this.#body.ranges.join(', '),
      found: (type ?? 'something that is no media type').slice(0, 100),
    };
    return [...found, deviation];
  }

  body(contentType: string | undefined, bytes: Uint8Array): BodyVerdict {
    if (this.#unreadBody.length > 0) return { deviations: this.#unreadBody, unchecked: null };
    const deviation = (keyword: string, wanted: string, found: string): BodyVerdict => ({
      deviations: [{ name: '', at: '', rule: this.#pointer, keyword, wanted, found }],
      unchecked: null,
    });
    if (bytes.length === 0) return this.#hasContent ? deviation('content', 'a body', 'none') : UNDESCRIBED;
    if (!this.#hasContent) return deviation('content', 'no body', `${bytes.length} bytes`);
    if (contentType === undefined) return deviation('content', 'a content type', 'none');
    return this.#body.of(contentType, bytes);
  }
}
