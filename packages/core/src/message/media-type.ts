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

/** Whether a text is a media range without parameters: `type/subtype`, `type/*` or any at all (RFC 9110 section 12.5.1). */
export const isMediaRange = (text: string): boolean => RANGE.test(text) && !text.slice(0, text.indexOf('/')).includes('*', text.startsWith('*/*') ? 1 : 0);

/** Compiles whether a media type, in small letters, is in one of the ranges. */
export function compileMediaRanges(ranges: readonly string[]): (type: string) => boolean {
  const exact = new Set(ranges.map((range) => range.toLowerCase()));
  const families = [...exact].filter((range) => range.endsWith('/*')).map((range) => range.slice(0, -1));
  return (type) => exact.has(type) || families.some((family) => family === '*/' || type.startsWith(family));
}
