import type { Deviation } from './deviation.js';
import type { ParameterCheck } from './parameter-check.js';
import type { Pairs } from './parameter-style.js';

/**
 * Parameters of a query that the contract does not name, and what some readers take for such.
 * @param claimed those pairs that belong to a parameter @param credentials names that have checks of their own @param rule where parameters are named
 */
export function strayParameters(
  pairs: Pairs,
  claimed: ReadonlySet<number>,
  credentials: ReadonlySet<string>,
  parameters: readonly ParameterCheck[],
  rule: string,
): Deviation[] {
  const stray = (name: string, found: string): Deviation => ({
    name: name.slice(0, 60),
    at: '',
    rule,
    keyword: 'unknown',
    wanted: 'a query parameter that the contract names',
    found,
  });
  const reserved = new Set(parameters.flatMap(({ name, takesReserved }) => (takesReserved ? [name] : [])));
  return pairs.flatMap(([name, value], index) => {
    if (!claimed.has(index)) return credentials.has(name) ? [] : [stray(name, 'another one')];
    // Older readers part at semicolons too; a value that may have them as they are says so (allowReserved).
    return `${name}${value}`.includes(';') && !reserved.has(name) ? [stray(name, 'a semicolon that is not escaped, where some readers begin another')] : [];
  });
}

/** What came in another spelling, which some upstream takes for what the contract names. @param other as it came; null for none @param what is spelled */
export function spelledOtherwise({ name, pointer }: ParameterCheck, other: string | null, what: string): Deviation[] {
  if (other === null) return [];
  return [{ name, at: '', rule: pointer, keyword: 'unknown', wanted: `the ${what} in its own spelling`, found: `${other.slice(0, 60)} beside it` }];
}
