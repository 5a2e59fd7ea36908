import { otherCase } from '../message/alike-names.js';
import { isRecord } from '../util/json-pointer.js';
import type { MemberPath } from './member-paths.js';

const beginsWith = (path: MemberPath, beginning: MemberPath): boolean => beginning.every((name, index) => path[index] === name);

/** Names that stand behind a path; null where all of it is looked at, by itself or with what it is a part of. */
export function namesBelow(path: MemberPath, looksAt: readonly MemberPath[]): readonly string[] | null {
  if (looksAt.some((one) => beginsWith(path, one))) return null;
  return [...new Set(looksAt.filter((one) => beginsWith(one, path)).map((one) => one[path.length] as string))];
}

/** What is looked at behind a path, as paths from there on; an empty one where all of it is. */
export function pathsBelow(path: MemberPath, looksAt: readonly MemberPath[]): readonly MemberPath[] {
  if (looksAt.some((one) => beginsWith(path, one))) return [[]];
  return looksAt.filter((one) => beginsWith(one, path)).map((one) => one.slice(path.length));
}

/** A member of a value that some readers take for one that is looked at, whatever deep; null for none. @param paths that are looked at, from the value on */
export function mistakenMember(value: unknown, paths: readonly MemberPath[]): string | null {
  const whole = paths.some((path) => path.length === 0);
  if (Array.isArray(value)) return whole ? firstOf(value, (item) => mistakenMember(item, ALL)) : null;
  if (!isRecord(value) || paths.length === 0) return null;
  const names = Object.keys(value);
  const other = otherCase(names, whole ? null : paths.map(([name]) => name as string));
  if (other !== null) return other;
  if (whole) return firstOf(names, (name) => mistakenMember(value[name], ALL));
  return firstOf([...new Set(paths.map(([name]) => name as string))], (name) =>
    Object.hasOwn(value, name)
      ? mistakenMember(
          value[name],
          paths.filter(([first]) => first === name).map((path) => path.slice(1)),
        )
      : null,
  );
}

const ALL: readonly MemberPath[] = [[]];

function firstOf<T>(items: readonly T[], find: (item: T) => string | null): string | null {
  for (const item of items) {
    const found = find(item);
    if (found !== null) return found;
  }
  return null;
}

/** The members of a value that are looked at, so that a large one costs no more than these. @param names null for all */
export function lookedAt(value: unknown, names: readonly string[] | null): unknown {
  if (names === null || !isRecord(value)) return value;
  return Object.fromEntries(names.flatMap((name) => (Object.hasOwn(value, name) ? [[name, value[name]]] : [])));
}
