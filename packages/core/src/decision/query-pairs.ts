/** Something was sent that cannot be read, or not alike by all: its message says what, as part of a sentence. */
export class UnreadInput extends Error {}

/**
 * Names and values in their order, of a query without its question mark, or of a form.
 * @throws UnreadInput in words for escapes that are no UTF-8
 */
export function* readPairs(text: string): Generator<readonly [string, string]> {
  for (const pair of text === '' ? [] : text.split('&')) {
    const at = pair.indexOf('=');
    yield [decode(at < 0 ? pair : pair.slice(0, at)), at < 0 ? '' : decode(pair.slice(at + 1))];
  }
}

/** What readers make of a semicolon, for messages. */
export const SEMICOLON = 'a semicolon that is not escaped, where some readers begin another parameter';

/**
 * Names in a query or a form that readers differ about: older ones part it at semicolons too, as HTML 4.01 (appendix B.2.2, from memory) asked
 * servers to, so that `a=1;b=2` is one parameter to some and two to others.
 * @throws UnreadInput in words for escapes that are no UTF-8
 */
export function* namesAtSemicolons(text: string): Generator<string> {
  if (!text.includes(';')) return;
  for (const pair of text.split('&')) if (pair.includes(';')) for (const piece of pair.split(';')) yield decode(piece.split('=', 1)[0] ?? '');
}

/**
 * The parameter that a name with brackets belongs to for readers that make lists and objects of them, as `a[]` and `a[b]` do to `a`
 * (common practice); null for a name without.
 */
function listOf(name: string): string | null {
  const at = name.indexOf('[');
  return at > 0 ? name.slice(0, at) : null;
}

/** A name that stands there by itself and with brackets too; null for none. */
export function listBeside(names: Iterable<string>): string | null {
  const all = new Set(names);
  for (const name of all) {
    const list = listOf(name);
    if (list !== null && all.has(list)) return list;
  }
  return null;
}

/** What is wrong with two names of which one belongs to the other, for messages. */
export const inBrackets = (name: string): string => `${name.slice(0, 60)} stands there with brackets too, and readers differ in which one counts`;

function decode(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch {
    throw new UnreadInput('the query has escapes that are no UTF-8');
  }
}
