import { mediaTypeOf } from '../message/media-type.js';
import { isJsonType } from './check/read-form.js';
import { eitherType, eitherValue } from './described-parameters.js';
import type { ReferenceOperation, SchemaLine } from './reference.js';

/** A member that a contract names in the body of a request. */
export interface BodyMember {
  /** The names that lead to it; `*` stands for any name, `[]` for any item of a list. */
  readonly path: readonly string[];
  /** As its page has it; alternatives with `or` between them. */
  readonly type: string;
  /** JSON texts of the only values that it may have; null or left out where others may come. */
  readonly values?: readonly string[] | null;
  readonly about: string;
}

/** What stands for any item of a list in the path of a member. */
export const ANY_ITEM = '[]';

/** What stands between members and is none: alternatives, whose members are those of what they stand in. */
const ALTERNATIVES: ReadonlySet<string> = new Set(['either', 'or']);
const ANY_OTHER = 'any other';
const ITEMS = '*';
const FORM = 'application/x-www-form-urlencoded';
/** Of what a contract calls by a range of types, JSON is what rules read. */
const isRange = (type: string): boolean => type === '*/*' || type === 'application/*';

/**
 * Members of the bodies of an operation that rules can read, JSON and forms; empty where nothing is said of any. What is no object is
 * said of the whole, which no name leads to.
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
    const values = eitherValue(before?.values ?? null, member.values ?? null);
    found.set(key, before === undefined ? member : { ...before, type: eitherType(before.type, member.type), values });
  }
  return [...found.values()];
}

/** @param form whether values are texts, as in forms all are */
function membersOf(lines: readonly SchemaLine[], form: boolean): BodyMember[] {
  const found: BodyMember[] = [];
  const above: { readonly depth: number; readonly names: readonly string[]; readonly either: boolean }[] = [];
  for (const line of lines) {
    while ((above[above.length - 1]?.depth ?? -1) >= line.depth) above.pop();
    const before = above[above.length - 1];
    const own = namesOf(line, before?.names);
    // What one alternative allows says nothing of the others, which need not name it.
    const either = before?.either === true || ALTERNATIVES.has(line.name);
    above.push({ depth: line.depth, names: own, either });
    // Alternatives of the whole say what that may be.
    if (own.length > 0 && ALTERNATIVES.has(line.name)) continue;
    const asText = form && own.length > 0;
    const values = either || (asText && line.type !== 'string') ? null : (line.values ?? null);
    found.push({ path: own, type: asText ? 'string' : line.type, values, about: line.description });
  }
  return found;
}

/** The names that lead to a line. */
function namesOf({ name }: SchemaLine, before: readonly string[] = []): readonly string[] {
  if (name === ITEMS) return [...before, ANY_ITEM];
  if (name === '' || ALTERNATIVES.has(name)) return before;
  return [...before, name === ANY_OTHER ? '*' : name];
}

/** Whether a chain of names leads to something that is named, or on from something of which no more is said. Items of lists have no name. */
export function namesMember(all: readonly BodyMember[], names: readonly string[]): boolean {
  const members = all.filter(({ path }) => !path.includes(ANY_ITEM));
  const leads = (path: readonly string[]): boolean => path.every((name, index) => index >= names.length || name === '*' || name === names[index]);
  return members.some(({ path }) => {
    if (!leads(path)) return false;
    // What lies within something that has no members of its own is said by nobody.
    return path.length >= names.length || !members.some((other) => other.path.length > path.length && path.every((name, index) => other.path[index] === name));
  });
}
