import { isJsonType } from '../contract/check/read-form.js';
import { readStrictJson } from '../util/read-json.js';
import { mistakenMember } from '../condition/looked-at.js';
import type { MemberPath } from '../condition/member-paths.js';
import { inOtherCase, inPlaceOf, plainNames, takenForAny } from '../message/alike-names.js';
import { charsetsOf, mediaTypeOf } from '../message/media-type.js';
import { METHOD_PARAMETER, methodInForm } from '../route/method-instead.js';
import { holdsRounded, ROUNDED } from '../util/is-rounded.js';
import type { BodyContent, Exchange } from './exchange.js';
import { inBrackets, listBeside, readPairs, SEMICOLON, UnreadInput } from './query-pairs.js';

/** Whether something looks at the request's body: by its name, or at all of the request. */
export const looksAtBody = (looksAt: readonly MemberPath[]): boolean =>
  looksAt.some(([root, member]) => root === 'request' && (member === 'body' || member === undefined));

/** A body was sent that cannot be read. */
export class UnreadBody extends UnreadInput {}

/** Bodies that came as forms: of their names more readers make others than of those in JSON. */
const FORMS = new WeakSet<object>();

/** A body is read once for all that look at it. */
const READ = new WeakMap<BodyContent, unknown>();

/**
 * The body of a request as conditions and authorizers look at it: JSON (RFC 8259) and forms (`application/x-www-form-urlencoded`),
 * as far as every reader takes them alike. Undefined where the request has none.
 * @throws UnreadBody in words for a body that was sent and cannot be read: that is never taken for none
 */
export function bodyValue(exchange: Exchange): unknown {
  const { body } = exchange;
  if (body === null) return undefined;
  const { content } = body;
  switch (content?.kind) {
    case 'bytes': {
      if (!READ.has(content)) READ.set(content, read(content.bytes, exchange.header('content-type')));
      const value = READ.get(content);
      if (value instanceof Unread) throw new UnreadBody(value.says);
      return value;
    }
    case 'larger':
      throw new UnreadBody(`the body has more than ${content.limit} bytes, so it is not read`);
    case 'coded':
      throw new UnreadBody(`the body is coded as ${content.coding.slice(0, 40)}, which is not read`);
    case 'no-room':
      throw new UnreadBody('there is no room to hold the body while it is read');
    case 'unfinished':
      throw new UnreadBody('the end of the body did not come');
    case undefined:
      throw new Error('invariant: the body was taken in before anything looks at it');
  }
}

/**
 * A value of a body, or of those members that are looked at, where no whole number in it was rounded: one of more than 53 bits is read as
 * its neighbour here and as itself by others (RFC 8259 section 6), so that it could pass for another number.
 * @throws UnreadBody
 */
export function exactly<T>(value: T): T {
  if (holdsRounded(value)) throw new UnreadBody(`a whole number in the body ${ROUNDED}`);
  return value;
}

/**
 * A body of which no member that is looked at could be mistaken: readers that know no case take `Force` for `force`, and of two the last.
 * @param paths what is looked at, from the body on
 * @throws UnreadBody
 */
export function unmistaken<T>(body: T, paths: readonly MemberPath[]): T {
  const asked = paths.every((path) => path.length > 0) ? paths.map(([name]) => name as string) : null;
  if (asked !== null && typeof body === 'object' && body !== null && FORMS.has(body)) {
    const taken = takenForAny(plainNames(Object.keys(body)), asked);
    if (taken !== null) throw new UnreadBody(`the member ${inPlaceOf(taken)}`);
    const method = asked.includes(METHOD_PARAMETER) ? null : methodInForm(Object.entries(body));
    if (method !== null) throw new UnreadBody(`the member ${method}`);
  }
  const other = mistakenMember(body, paths);
  if (other !== null) throw new UnreadBody(`the member ${inOtherCase(other)}`);
  return body;
}

/** What is wrong with a body, kept beside those that can be read. */
class Unread {
  constructor(readonly says: string) {}
}

const UTF8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

function read(bytes: Uint8Array, contentType: string | undefined): unknown {
  const type = contentType === undefined ? null : mediaTypeOf(contentType);
  if (type === null) return new Unread('the body has no content type by which it could be read');
  const form = type === 'application/x-www-form-urlencoded';
  if (!form && !isJsonType(type)) return new Unread(`a body of the type ${type.slice(0, 100)} is not read: only JSON and forms are`);
  // Both are UTF-8: whoever believes another word would read another text.
  const charsets = charsetsOf(contentType ?? '');
  if (!charsets.every((charset) => /^utf-?8$/i.test(charset))) return new Unread('the body is in another character set than UTF-8');
  if (form) return readForm(bytes);
  const json = readStrictJson(bytes);
  return json.kind === 'value' ? json.value : new Unread(`the body is not JSON that every reader takes alike: ${json.says}`);
}

function readForm(bytes: Uint8Array): unknown {
  let text: string;
  try {
    text = UTF8.decode(bytes);
  } catch {
    return new Unread('the body has bytes that are no UTF-8');
  }
  // No serializer writes one as it is (WHATWG URL section 5.2).
  if (text.includes(';')) return new Unread(`the body has ${SEMICOLON}`);
  const members: Record<string, string> = {};
  try {
    for (const [name, value] of readPairs(text)) {
      if (Object.hasOwn(members, name)) return new Unread(`the member ${name.slice(0, 60)} stands twice in the body, and readers differ in which one counts`);
      Object.defineProperty(members, name, { value, enumerable: true, configurable: true, writable: true });
    }
    const beside = listBeside(Object.keys(members));
    if (beside !== null) return new Unread(`the member ${inBrackets(beside)}`);
  } catch {
    return new Unread('the body has escapes that are no UTF-8');
  }
  FORMS.add(members);
  return members;
}
