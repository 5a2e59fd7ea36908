/** What a scan of a JSON text found that `JSON.parse` hides. */
export type JsonScan = 'plain' | 'duplicate-member' | 'too-deep';

const QUOTE = 34;
const BACKSLASH = 92;
const OPEN_OBJECT = 123;
const CLOSE_OBJECT = 125;
const OPEN_ARRAY = 91;
const CLOSE_ARRAY = 93;
const COLON = 58;

/**
 * Looks for repeated member names (RFC 7515 section 4, RFC 7519 section 4) and for nesting deeper than `maxDepth`. Every member has
 * one colon outside of strings, and of those that stand twice the parser keeps one: so names are repeated where there are more colons
 * than members.
 * @param value what `JSON.parse` made of the text
 */
export function scanJson(text: string, value: unknown, maxDepth: number): JsonScan {
  let depth = 0;
  let colons = 0;
  for (let at = 0; at < text.length; at++) {
    const c = text.charCodeAt(at);
    if (c === QUOTE) at = endOfString(text, at);
    else if (c === COLON) colons++;
    else if (c === OPEN_OBJECT || c === OPEN_ARRAY) {
      if (++depth > maxDepth) return 'too-deep';
    } else if (c === CLOSE_OBJECT || c === CLOSE_ARRAY) depth--;
  }
  return colons === membersOf(value) ? 'plain' : 'duplicate-member';
}

/** How many members all objects in a value have. */
function membersOf(value: unknown): number {
  if (typeof value !== 'object' || value === null) return 0;
  let count = 0;
  if (Array.isArray(value)) {
    for (const item of value as unknown[]) if (typeof item === 'object') count += membersOf(item);
    return count;
  }
  for (const name of Object.keys(value)) {
    const member = (value as Readonly<Record<string, unknown>>)[name];
    count += typeof member === 'object' ? 1 + membersOf(member) : 1;
  }
  return count;
}

/** Where the string ends that begins at `start`: at the first quote with an even number of backslashes before it. */
function endOfString(text: string, start: number): number {
  for (let from = start + 1; ;) {
    const quote = text.indexOf('"', from);
    if (quote < 0) return text.length;
    let first = quote;
    while (text.charCodeAt(first - 1) === BACKSLASH) first--;
    if ((quote - first) % 2 === 0) return quote;
    from = quote + 1;
  }
}
