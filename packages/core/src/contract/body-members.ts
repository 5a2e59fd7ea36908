import { mediaTypeOf } from '../message/media-type.js';
import { isJsonType } from './check/read-form.js';
import type { ReferenceOperation, SchemaLine } from './reference.js';

/** A member that a contract names in the body of a request. */
export interface BodyMember {
  /** The names that lead to it; `*` stands for any name. */
  readonly path: readonly string[];
  /** As its page has it; alternatives with `or` between them. */
  readonly type: string;
  readonly about: string;
}

/** What stands between members and is none: alternatives, whose members are those of what they stand in. */
const ALTERNATIVES: ReadonlySet<string> = new Set(['either', 'or']);
const ANY_OTHER = 'any other';
const ITEMS = '*';
const FORM = 'application/x-www-form-urlencoded';
/** Of what a contract calls by a range of types, JSON is what rules read. */
const isRange = (type: string): boolean => type === '*/*' || type === 'application/*';

/**
 * Members of the bodies of an operation that rules can read, JSON and forms, those of items of lists left out; empty where nothing is
 * said of any. What is no object is said of the whole, which no name leads to.
 */
export function bodyMembers({ bodies }: Pick<ReferenceOperation, 'bodies'>): readonly BodyMember[] {
  const ofAll = bodies.map(({ type, lines }) => {
    const form = mediaTypeOf(type) === FORM;
    return form || isJsonType(type) || isRange(type) ? membersOf(lines, form) : [];
  });
  return joinMembers(ofAll.flat());
}

/** Members that several bodies or operations may have, each once: of two types, either may come. */
export function joinMembers(members: readonly BodyMember[]): readonly BodyMember[] {
  const found = new Map<string, BodyMember>();
  for (const member of members) {
    const key = JSON.stringify(member.path);
    const before = found.get(key);
    const known = before === undefined || before.type.split(' or ').includes(member.type);
    found.set(key, before === undefined ? member : known ? before : { ...before, type: `${before.type} or ${member.type}` });
  }
  return [...found.values()];
}

/** @param form whether values are texts, as in forms all are */
function membersOf(lines: readonly SchemaLine[], form: boolean): BodyMember[] {
  const found: BodyMember[] = [];
  const above: { readonly depth: number; readonly names: readonly string[] | null }[] = [];
  for (const line of lines) {
    while ((above[above.length - 1]?.depth ?? -1) >= line.depth) above.pop();
    const own = namesOf(line, above[above.length - 1]?.names);
    above.push({ depth: line.depth, names: own });
    // Alternatives of the whole say what that may be.
    if (own === null || (own.length > 0 && ALTERNATIVES.has(line.name))) continue;
    found.push({ path: own, type: form && own.length > 0 ? 'string' : line.type, about: line.description });
  }
  return found;
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
