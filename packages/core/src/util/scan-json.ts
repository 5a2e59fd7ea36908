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
 * Looks for repeated member names (RFC 7515 section 4, RFC 7519 section 4) and for nesting deeper than `maxDepth`.
 * The text must have passed `JSON.parse`; names are compared after their escapes are resolved.
 */
export function scanJson(text: string, maxDepth: number): JsonScan {
  const names: (Set<string> | null)[] = [];
  let depth = 0;
  for (let at = 0; at < text.length; at++) {
    const c = text.charCodeAt(at);
    if (c === QUOTE) {
      const end = endOfString(text, at);
      const open = names[depth - 1];
      if (open && isName(text, end + 1)) {
        const raw = text.slice(at + 1, end);
        const name = raw.includes('\\') ? (JSON.parse(`"${raw}"`) as string) : raw;
        if (open.has(name)) return 'duplicate-member';
        open.add(name);
      }
      at = end;
    } else if (c === OPEN_OBJECT || c === OPEN_ARRAY) {
      if (++depth > maxDepth) return 'too-deep';
      names[depth - 1] = c === OPEN_OBJECT ? new Set() : null;
    } else if (c === CLOSE_OBJECT || c === CLOSE_ARRAY) {
      depth--;
    }
  }
  return 'plain';
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

function isName(text: string, from: number): boolean {
  let at = from;
  while (text.charCodeAt(at) <= 32) at++;
  return text.charCodeAt(at) === COLON;
}
