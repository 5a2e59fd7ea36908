import type { IncomingHttpHeaders } from 'node:http';
import { util } from 'undici';

/** Header fields as names and values in turn, names in lower case, in the order in which they came; a repeated field stands there more than once. */
export type FieldList = readonly string[];

/** Reads fields as the library's parser gives them. Bytes are characters (RFC 9110 section 5.5). */
export function fieldsOf(raw: readonly Buffer[]): FieldList {
  const list: string[] = [];
  for (let index = 0; index + 1 < raw.length; index += 2)
    list.push(util.headerNameToString(raw[index] as Buffer), (raw[index + 1] as Buffer).toString('latin1'));
  return list;
}

/** The first value of a field; undefined where there is none. */
export function valueOf(list: FieldList, name: string): string | undefined {
  for (let index = 0; index < list.length; index += 2) if (list[index] === name) return list[index + 1];
  return undefined;
}

/** The fields but for those of a name. */
export const without = (list: FieldList, name: string): FieldList => list.filter((_, index) => list[index - (index % 2)] !== name);

/** The same fields by name; the values of a repeated one in their order. */
export const recordOf = (list: FieldList): IncomingHttpHeaders => util.parseHeaders([...list]);

/** Fields by name as a list. */
export function listOf(record: Readonly<Record<string, string | readonly string[] | undefined>>): FieldList {
  const list: string[] = [];
  for (const [name, value] of Object.entries(record)) {
    if (typeof value === 'string') list.push(name, value);
    else if (value) for (const one of value) list.push(name, one);
  }
  return list;
}
