import { isRecord } from '../util/json-pointer.js';
import type { MemberPath } from './member-paths.js';

const beginsWith = (path: MemberPath, beginning: MemberPath): boolean => beginning.every((name, index) => path[index] === name);

/** Names that stand behind a path; null where all of it is looked at, by itself or with what it is a part of. */
export function namesBelow(path: MemberPath, looksAt: readonly MemberPath[]): readonly string[] | null {
  if (looksAt.some((one) => beginsWith(path, one))) return null;
  return [...new Set(looksAt.filter((one) => beginsWith(one, path)).map((one) => one[path.length] as string))];
}

/** The members of a value that are looked at, so that a large one costs no more than these. @param names null for all */
export function lookedAt(value: unknown, names: readonly string[] | null): unknown {
  if (names === null || !isRecord(value)) return value;
  return Object.fromEntries(names.flatMap((name) => (Object.hasOwn(value, name) ? [[name, value[name]]] : [])));
}
