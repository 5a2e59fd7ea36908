const TOKEN = String.raw`[!#$%&'*+\-.^_\`|~0-9A-Za-z]+`;
/** Type and subtype with any parameters (RFC 9110 section 8.3.1); white space only around the semicolons. */
const MEDIA_TYPE = new RegExp(String.raw`^(${TOKEN})/(${TOKEN})(?:[ \t]*;[ \t]*(?:${TOKEN}=(?:${TOKEN}|"(?:[^"\\]|\\.)*"))?)*[ \t]*$`);
const RANGE = new RegExp(String.raw`^(?:\*/\*|${TOKEN}/(?:\*|${TOKEN}))$`);

/** Characters of a Content-Type that are read. */
const MAX_LENGTH = 1000;

/** Type and subtype of a Content-Type in small letters; null for what is none, two of them in one included. */
export function mediaTypeOf(value: string): string | null {
  const match = value.length > MAX_LENGTH ? null : MEDIA_TYPE.exec(value.trim());
  return match ? `${match[1] ?? ''}/${match[2] ?? ''}`.toLowerCase() : null;
}

/**
 * Character sets that a Content-Type names, in small letters: every one, since readers differ in which of several counts. One in
 * an extended form (RFC 8187) stands as `charset*`, which is the name of none.
 */
export const charsetsOf = (contentType: string): string[] =>
  [...contentType.matchAll(/;\s*charset(\*[0-9]*\*?)?\s*=\s*("[^"]*"|[^\s;,]*)/gi)].map(([, extended, name = '']) =>
    extended === undefined ? name.replaceAll('"', '').trim().toLowerCase() : 'charset*',
  );

/** The character set that the declaration of an XML text names, in small letters; null for none (XML 1.0 section 4.3.3). @param text bytes as characters will do */
export const xmlEncodingOf = (text: string): string | null =>
  /^(?:\ufeff|\xef\xbb\xbf)?<\?xml\s[^>]{0,200}?\sencoding\s{0,20}=\s{0,20}["']([^"'>]*)["']/i.exec(text.slice(0, 400))?.[1]?.toLowerCase() ?? null;

/** Whether a text is a media range without parameters: `type/subtype`, `type/*` or any at all (RFC 9110 section 12.5.1). */
export const isMediaRange = (text: string): boolean => RANGE.test(text) && !text.slice(0, text.indexOf('/')).includes('*', text.startsWith('*/*') ? 1 : 0);

/** Compiles whether a media type, in small letters, is in one of the ranges. */
export function compileMediaRanges(ranges: readonly string[]): (type: string) => boolean {
  const exact = new Set(ranges.map((range) => range.toLowerCase()));
  const families = [...exact].filter((range) => range.endsWith('/*')).map((range) => range.slice(0, -1));
  return (type) => exact.has(type) || families.some((family) => family === '*/' || type.startsWith(family));
}
