import type { ReferenceOperation } from './reference.js';

/** Where parameters stand that conditions look at. Cookies are none: they are not shown. */
export const PARAMETER_PLACES = ['path', 'query', 'header'] as const;
export type ParameterPlace = (typeof PARAMETER_PLACES)[number];

/** A parameter as a contract describes it. */
export interface DescribedParameter {
  readonly in: ParameterPlace;
  /** Of a header field in lower case. */
  readonly name: string;
  /** As its page has it; alternatives with `or` between them. */
  readonly type: string;
  /** JSON texts of the only values that it may have; null where others may come. */
  readonly values: readonly string[] | null;
  readonly about: string;
}

/** The parameters of an operation, as far as conditions look at them. */
export const describedParameters = ({ parameters }: Pick<ReferenceOperation, 'parameters'>): readonly DescribedParameter[] =>
  parameters.flatMap(({ in: place, name, type, values = null, description: about }): DescribedParameter[] => {
    const known = PARAMETER_PLACES.find((one) => one === place);
    return known === undefined ? [] : [{ in: known, name: known === 'header' ? name.toLowerCase() : name, type, values, about }];
  });

/** Parameters that several operations may have, each once: of two types or lists of values, either may come. */
export function joinParameters(parameters: readonly DescribedParameter[]): readonly DescribedParameter[] {
  const found = new Map<string, DescribedParameter>();
  for (const one of parameters) {
    const key = `${one.in} ${one.name}`;
    const before = found.get(key);
    found.set(key, before === undefined ? one : { ...before, type: eitherType(before.type, one.type), values: eitherValue(before.values, one.values) });
  }
  return [...found.values()];
}

/** Words for two types. */
export const eitherType = (one: string, other: string): string => (one.split(' or ').includes(other) ? one : `${one} or ${other}`);

/** The values of two lists; null where one of them is open. */
export const eitherValue = (one: readonly string[] | null, other: readonly string[] | null): readonly string[] | null =>
  one === null || other === null ? null : [...new Set([...one, ...other])];

/** Whether a name in the query is one that is named. Objects are sent under the names of their members, or those in brackets (OpenAPI 3.1 section 4.8.12). */
export const namesParameter = (known: readonly DescribedParameter[], name: string): boolean =>
  known.some((one) => one.in === 'query' && (one.name === name || name.startsWith(`${one.name}[`) || /^(?:object|anything)\b/.test(one.type)));

/**
 * Request header fields that standards name and clients, browsers and hops send of themselves, so that no contract need name them
 * (RFC 9110, RFC 9111, RFC 6265, RFC 7239, RFC 8246, RFC 8942, RFC 9218, Fetch, Fetch Metadata, Trace Context; from memory), and
 * those that are common practice.
 */
const KNOWN_FIELDS: ReadonlySet<string> = new Set(
  `a-im accept accept-charset accept-encoding accept-language accept-datetime access-control-request-headers access-control-request-method
  cache-control connection content-digest content-disposition content-encoding content-language content-length content-location content-md5
  content-type date dnt early-data expect forwarded from host if-match if-modified-since if-none-match if-range if-unmodified-since
  last-event-id link max-forwards origin pragma prefer priority range referer repr-digest sec-fetch-dest sec-fetch-mode sec-fetch-site
  sec-fetch-user signature signature-input te traceparent tracestate baggage trailer transfer-encoding upgrade upgrade-insecure-requests
  user-agent via want-content-digest x-correlation-id x-forwarded-for x-forwarded-host x-forwarded-proto x-real-ip x-request-id
  x-requested-with idempotency-key`.split(/\s+/),
);

/**
 * Whether a header field is one that is named, or that comes unnamed. Where contracts name no header field at all, nothing is known
 * of any.
 */
export function namesField(known: readonly DescribedParameter[], name: string): boolean {
  const fields = known.filter((one) => one.in === 'header');
  return fields.length === 0 || KNOWN_FIELDS.has(name) || name.startsWith('sec-ch-') || fields.some((one) => one.name === name);
}
