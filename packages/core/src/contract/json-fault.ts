const TOKEN = /[ \t\n\r]*("(?:[^"\\\u0000-\u001f]|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*"|-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false|null|[{}[\],:])/y;

/** What may come next: a value, a value or the end of the array, a name or the end, a name, a colon, a comma or the end. */
type Expected = 'value' | 'value-or-end' | 'name-or-end' | 'name' | 'colon' | 'comma-or-end' | 'nothing';

/**
 * The line at which a text stops being JSON (RFC 8259 section 2), from 1. The parser of the language does not always
 * say where it gave up.
 */
export function jsonFaultLine(text: string): number {
  const open: ('{' | '[')[] = [];
  let expected: Expected = 'value';
  let at = 0;
  for (;;) {
    TOKEN.lastIndex = at;
    const token: string | undefined = TOKEN.exec(text)?.[1];
    const next: Expected | null = token === undefined ? null : step(token, expected, open);
    if (next === null) {
      const blanks = /^[ \t\n\r]*/.exec(text.slice(at, at + 10_000))?.[0].length ?? 0;
      return text.slice(0, at + blanks).split('\n').length;
    }
    expected = next;
    at = TOKEN.lastIndex;
  }
}

/** The state behind a token; null when the token does not belong there. */
function step(token: string, expected: Expected, open: ('{' | '[')[]): Expected | null {
  const after = (): Expected => (open.length === 0 ? 'nothing' : 'comma-or-end');
  if (token === '}' || token === ']') {
    const own = open.pop() === (token === '}' ? '{' : '[');
    const may = expected === 'comma-or-end' || expected === (token === '}' ? 'name-or-end' : 'value-or-end');
    return own && may ? after() : null;
  }
  if (token === ',') return expected === 'comma-or-end' ? (open[open.length - 1] === '{' ? 'name' : 'value') : null;
  if (token === ':') return expected === 'colon' ? 'value' : null;
  if (expected === 'name' || expected === 'name-or-end') return token.startsWith('"') ? 'colon' : null;
  if (expected !== 'value' && expected !== 'value-or-end') return null;
  if (token !== '{' && token !== '[') return after();
  open.push(token);
  return token === '{' ? 'name-or-end' : 'value-or-end';
}
