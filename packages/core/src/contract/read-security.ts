import type { AccessRule, Alternative, SchemeRequirement } from '../document/access-rule.js';
import { isRecord, pointerToken } from '../util/json-pointer.js';
import type { ProblemList } from './problem.js';

/** What a contract says in a way that cannot be read: it lets nobody in until somebody decides. */
const NOBODY: AccessRule = { kind: 'required', origin: 'contract', alternatives: [] };

/**
 * Reads security requirements (OpenAPI 3.1.2 section 4.8.30). `[]` asks for nothing, and so does `[{}]`; `{}` beside
 * others says that anonymous calls are enough; absence inherits. What is malformed is an error and counts as a
 * requirement that nobody meets, never as none.
 * @param schemes names of the security schemes that there are
 * @returns null when there is nothing to read
 */
export function readSecurity(value: unknown, pointer: string, schemes: ReadonlySet<string>, problems: ProblemList): AccessRule | null {
  if (value === undefined) return null;
  if (!Array.isArray(value)) {
    problems.add('error', pointer, `security is a list of requirements, here it is ${sortOf(value)}; nobody is let in until somebody decides`);
    return NOBODY;
  }
  if (value.length === 0) return { kind: 'public', origin: 'contract' };
  const alternatives = value.map((entry, index) => readRequirement(entry, `${pointer}/${index}`, schemes, problems)).filter((entry) => entry !== null);
  if (alternatives.length === value.length && alternatives.every((alternative) => alternative.length === 0)) return { kind: 'public', origin: 'contract' };
  return { kind: 'required', origin: 'contract', alternatives };
}

/** One alternative; null when it cannot be read, so that it lets nobody in. */
function readRequirement(value: unknown, pointer: string, schemes: ReadonlySet<string>, problems: ProblemList): Alternative | null {
  if (!isRecord(value)) {
    problems.add('error', pointer, `a security requirement is an object with names of schemes, here it is ${sortOf(value)}; it lets nobody in`);
    return null;
  }
  const read = Object.entries(value).map(([scheme, scopes]) => readScheme(scheme, scopes, `${pointer}/${pointerToken(scheme)}`, schemes, problems));
  return read.some((requirement) => requirement === null) ? null : (read as SchemeRequirement[]);
}

function readScheme(scheme: string, scopes: unknown, pointer: string, schemes: ReadonlySet<string>, problems: ProblemList): SchemeRequirement | null {
  if (!Array.isArray(scopes) || !scopes.every((scope) => typeof scope === 'string' && scope !== '')) {
    const found = Array.isArray(scopes) ? 'a list with something else in it' : sortOf(scopes);
    problems.add('error', pointer, `the scopes of a requirement are a list of names, here they are ${found}; it lets nobody in`);
    return null;
  }
  if (!schemes.has(scheme)) problems.add('error', pointer, `there is no security scheme ${scheme.slice(0, 100)}; nobody can meet this requirement`);
  return { scheme, scopes: scopes as string[], match: 'all', roles: [] };
}

function sortOf(value: unknown): string {
  if (value === null) return 'null';
  if (Array.isArray(value)) return 'a list';
  return typeof value === 'object' ? 'an object' : `a ${typeof value === 'string' ? 'text' : typeof value}`;
}
