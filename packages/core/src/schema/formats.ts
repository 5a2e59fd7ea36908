import { readIp } from '../address/ip.js';
import { readPattern } from './pattern.js';

/** Whether a text is of a format. */
type TextFormat = (text: string) => boolean;

/** The two digits at a place as a number; -1 where they are none. */
function two(text: string, at: number): number {
  const [a, b] = [text.charCodeAt(at) - 48, text.charCodeAt(at + 1) - 48];
  return a >= 0 && a <= 9 && b >= 0 && b <= 9 ? a * 10 + b : -1;
}

const [COLON, DASH, PLUS, DOT] = [58, 45, 43, 46];
const DAYS = [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

/** RFC 3339 section 5.6 `full-date`, in the first ten characters. */
function hasDate(text: string): boolean {
  const [century, years, month, day] = [two(text, 0), two(text, 2), two(text, 5), two(text, 8)];
  if (century < 0 || years < 0 || text.charCodeAt(4) !== DASH || text.charCodeAt(7) !== DASH || month < 1 || month > 12) return false;
  const year = century * 100 + years;
  const leap = year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
  return day >= 1 && day <= (month === 2 && !leap ? 28 : (DAYS[month - 1] as number));
}

/** RFC 3339 section 5.6 `full-time`, from a place to the end; a leap second stands at the end of a day in UTC (section 5.7). */
function hasTime(text: string, from: number): boolean {
  const [hour, minute, second] = [two(text, from), two(text, from + 3), two(text, from + 6)];
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 60) return false;
  if (text.charCodeAt(from + 2) !== COLON || text.charCodeAt(from + 5) !== COLON) return false;
  let at = from + 8;
  if (text.charCodeAt(at) === DOT) {
    const first = ++at;
    while (text.charCodeAt(at) >= 48 && text.charCodeAt(at) <= 57) at++;
    if (at === first) return false;
  }
  const sign = text.charCodeAt(at);
  const rest = text.length - at;
  let offset = 0;
  if (sign === PLUS || sign === DASH) {
    const [zoneHour, zoneMinute] = [two(text, at + 1), two(text, at + 4)];
    if (rest !== 6 || text.charCodeAt(at + 3) !== COLON || zoneHour < 0 || zoneHour > 23 || zoneMinute < 0 || zoneMinute > 59) return false;
    offset = (sign === DASH ? 1 : -1) * (zoneHour * 60 + zoneMinute);
  } else if (rest !== 1 || (sign !== 90 && sign !== 122)) return false;
  return second < 60 || (((hour * 60 + minute + offset) % 1440) + 1440) % 1440 === 1439;
}

const isDate: TextFormat = (text) => text.length === 10 && hasDate(text);
const isTime: TextFormat = (text) => hasTime(text, 0);
const isDateTime: TextFormat = (text) => (text.charCodeAt(10) | 32) === 116 && hasDate(text) && hasTime(text, 11);

/** RFC 3339 appendix A. */
const isDuration: TextFormat = (text) =>
  /^P(?:\d+W|(?=[\dT])(?:\d+Y(?:\d+M(?:\d+D)?)?|\d+M(?:\d+D)?|\d+D)?(?:T(?=\d)(?:\d+H(?:\d+M(?:\d+S)?)?|\d+M(?:\d+S)?|\d+S))?)$/.test(text);

/** RFC 1123 section 2.1: labels of letters, digits and dashes. */
const isHostname: TextFormat = (text) =>
  text.length > 0 &&
  text.length <= 253 &&
  text.split('.').every((label) => /^[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?$/.test(label) && !/^(?!xn)..--/i.test(label));

/** RFC 5321 section 4.1.2 `Mailbox`. */
function isEmail(text: string): boolean {
  const at = text.lastIndexOf('@');
  if (at < 1 || text.length > 320) return false;
  const [local, domain] = [text.slice(0, at), text.slice(at + 1)];
  const plain = /^[A-Za-z0-9!#$%&'*+/=?^_`{|}~-]+(?:\.[A-Za-z0-9!#$%&'*+/=?^_`{|}~-]+)*$/;
  const quoted = /^"(?:[\x20\x21\x23-\x5b\x5d-\x7e]|\\[\x20-\x7e])*"$/;
  if (!plain.test(local) && !quoted.test(local)) return false;
  const literal = /^\[(?:IPv6:)?([^\]]+)\]$/.exec(domain);
  return literal ? isIpv(domain.startsWith('[IPv6:') ? 6 : 4)(literal[1] ?? '') : isHostname(domain);
}

const isIpv =
  (family: 4 | 6): TextFormat =>
  (text) =>
    readIp(text) !== null && text.includes(':') === (family === 6);

const URI_REST = /^(?:[A-Za-z0-9\-._~:/?#[\]@!$&'()*+,;=]|%[0-9A-Fa-f]{2})*$/;

/** RFC 3986 section 4.1; one scheme, one fragment, brackets around addresses only. */
function isUriReference(text: string): boolean {
  if (!URI_REST.test(text) || text.split('#').length > 2) return false;
  const match = /^(?:([^:/?#]+):)?(?:\/\/([^/?#]*))?([^?#]*)(?:\?([^#]*))?(?:#(.*))?$/.exec(text);
  if (!match || (match[1] !== undefined && !/^[A-Za-z][A-Za-z0-9+.-]*$/.test(match[1]))) return false;
  const [authority, rest] = [match[2], `${match[3] ?? ''}${match[4] ?? ''}${match[5] ?? ''}`];
  return !/[[\]]/.test(rest) && (authority === undefined || isAuthority(authority));
}

function isAuthority(text: string): boolean {
  const match = /^(?:[^@[\]]*@)?(\[[^\]]+\]|[^:@[\]]*)(?::\d*)?$/.exec(text);
  const host = match?.[1];
  if (host === undefined) return false;
  return !host.startsWith('[') || isIpv(6)(host.slice(1, -1)) || /^\[v[0-9A-Fa-f]+\..+\]$/.test(host);
}

const isUri: TextFormat = (text) => /^[A-Za-z][A-Za-z0-9+.-]*:/.test(text) && isUriReference(text);
/** RFC 3987: the same with characters beyond ASCII, which stand for their escapes. */
const isIriReference: TextFormat = (text) => !/[\s<>"{}|\\^`]/.test(text) && isUriReference(text.replace(/[\u0080-\u{10ffff}]/gu, 'a'));
const isIri: TextFormat = (text) => /^[A-Za-z][A-Za-z0-9+.-]*:/.test(text) && isIriReference(text);

/** RFC 6570 sections 2 and 3. */
const isUriTemplate: TextFormat = (text) =>
  /^(?:[^\x00-\x20"'<>\\^`{|}]|\{[+#./;?&=,!@|]?[\w.%]+(?::[1-9]\d{0,3}|\*)?(?:,[\w.%]+(?::[1-9]\d{0,3}|\*)?)*\})*$/u.test(text);

const isPointer: TextFormat = (text) => /^(?:\/(?:[^~/]|~[01])*)*$/.test(text);

/** RFC 4648 section 4, padded. */
const isBase64: TextFormat = (text) => text.length % 4 === 0 && /^[A-Za-z0-9+/]*={0,2}$/.test(text);

/**
 * Formats of texts that are checked, each by its standard: JSON Schema Validation 2020-12 section 7.3 and the formats of OpenAPI.
 * Names that are not here are not checked. Internationalised host names and addresses are not read, so they are left alone.
 */
export const TEXT_FORMATS: ReadonlyMap<string, TextFormat> = new Map<string, TextFormat>([
  ['date', isDate],
  ['time', isTime],
  ['date-time', isDateTime],
  ['duration', isDuration],
  ['email', isEmail],
  ['hostname', isHostname],
  ['ipv4', isIpv(4)],
  ['ipv6', isIpv(6)],
  ['uri', isUri],
  ['uri-reference', isUriReference],
  ['iri', isIri],
  ['iri-reference', isIriReference],
  ['uri-template', isUriTemplate],
  ['uuid', (text) => /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i.test(text)],
  ['json-pointer', isPointer],
  ['relative-json-pointer', (text) => /^(?:0|[1-9]\d*)(?:#|$|\/)/.test(text) && isPointer(text.replace(/^\d+#?/, '')) && !/^\d+#./.test(text)],
  ['regex', (text) => isRegularExpression(text)],
  ['byte', isBase64],
]);

function isRegularExpression(text: string): boolean {
  try {
    new RegExp(text, 'u');
    return true;
  } catch {
    return readPattern(text).kind === 'pattern' && !/\\[aZz]/.test(text);
  }
}

const INT64 = 2 ** 63;

/** Formats of numbers (OpenAPI 3.1.2 section 4.4). */
export const NUMBER_FORMATS: ReadonlyMap<string, (value: number) => boolean> = new Map([
  ['int32', (value: number) => Number.isInteger(value) && value >= -2_147_483_648 && value <= 2_147_483_647],
  ['int64', (value: number) => Number.isInteger(value) && value >= -INT64 && value <= INT64],
  ['float', (value: number) => Math.abs(value) <= 3.402_823_466_385_288_6e38],
]);
