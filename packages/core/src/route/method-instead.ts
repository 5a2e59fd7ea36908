import { METHOD_NAMES } from '../document/method-names.js';
import { meansName, queryMembers } from '../message/alike-names.js';

/** The parameter by which forms say another method than HTML lets them send; some frameworks read it in the query too, of any request (common practice). */
export const METHOD_PARAMETER = '_method';
const METHODS: ReadonlySet<string> = new Set(METHOD_NAMES);

/** The method that a parameter or a member of a form names to such frameworks; null for none. A value that is no method is data. */
function namedMethod(name: string, value: string): string | null {
  if (!meansName(name, METHOD_PARAMETER)) return null;
  const method = value.trim().toUpperCase();
  return METHODS.has(method) ? method : null;
}

/**
 * Another method than the request line's that a query names: whoever believes it runs another operation than the one whose rules were
 * asked. Header fields of that kind never go up.
 * @param query with its question mark; empty for none
 */
export function methodInstead(query: string, method: string): string | null {
  // Without an escape it stands there in letters: most queries are done with one look.
  if (query === '' || !(query.includes('%') || /method/i.test(query))) return null;
  for (const [name, value] of queryMembers(query.slice(1))) {
    const named = namedMethod(name, value);
    if (named !== null && named !== method) return named;
  }
  return null;
}

/** What is wrong with a form that names a method, for messages; null for nothing. */
export function methodInForm(members: Iterable<readonly [name: string, value: unknown]>): string | null {
  for (const [name, value] of members)
    if (typeof value === 'string' && namedMethod(name, value) !== null) return `“${METHOD_PARAMETER}” names a method, and some readers believe it`;
  return null;
}
