import type { ReferenceOperation, SchemaLine } from './reference.js';

/** A member that a contract names in the body of a request. */
export interface BodyMember {
  /** The names that lead to it; `*` stands for any name. */
  readonly path: readonly string[];
  /** As its page has it. */
  readonly type: string;
  readonly about: string;
}

/** What stands between members and is none: alternatives, whose members are those of what they stand in. */
const ALTERNATIVES: ReadonlySet<string> = new Set(['either', 'or']);
const ANY_OTHER = 'any other';
const ITEMS = '*';

/** Members of the bodies of an operation, those of items of lists left out; empty where nothing is said of any. */
export function bodyMembers({ bodies }: Pick<ReferenceOperation, 'bodies'>): readonly BodyMember[] {
  const found = new Map<string, BodyMember>();
  for (const { lines } of bodies) {
    const above: { readonly depth: number; readonly names: readonly string[] | null }[] = [];
    for (const line of lines) {
      while ((above[above.length - 1]?.depth ?? -1) >= line.depth) above.pop();
      const own = namesOf(line, above[above.length - 1]?.names);
      above.push({ depth: line.depth, names: own });
      if (own === null || own.length === 0 || ALTERNATIVES.has(line.name)) continue;
      const key = JSON.stringify(own);
      if (!found.has(key)) found.set(key, { path: own, type: line.type, about: line.description });
    }
  }
  return [...found.values()];
}

/** The names that lead to a line; null within the items of a list. */
function namesOf({ name }: SchemaLine, before: readonly string[] | null = []): readonly string[] | null {
  if (before === null || name === ITEMS) return null;
  if (name === '' || ALTERNATIVES.has(name)) return before;
  return [...before, name === ANY_OTHER ? '*' : name];
}

/** Whether a chain of names leads to something that is named, or on from something of which no more is said. */
export function namesMember(members: readonly BodyMember[], names: readonly string[]): boolean {
  const leads = (path: readonly string[]): boolean => path.every((name, index) => index >= names.length || name === '*' || name === names[index]);
  return members.some(({ path }) => {
    if (!leads(path)) return false;
    // What lies within something that has no members of its own is said by nobody.
    return path.length >= names.length || !members.some((other) => other.path.length > path.length && path.every((name, index) => other.path[index] === name));
  });
}
