import { celMap, type CelMap } from '@bufbuild/cel';

/**
 * Makes a member that is null one that is there, for has() and `in` (Common Expression Language, language definition, "Field Selection":
 * a key that a map has). The library takes it for one that is missing, so that what a caller sends as null would count as
 * nothing sent.
 */
export function presentMembers(): void {
  const maps = Object.getPrototypeOf(celMap(new Map<string, string>())) as CelMap;
  Object.defineProperty(maps, 'has', {
    value(this: CelMap, key: Parameters<CelMap['get']>[0]): boolean {
      return this.get(key) !== undefined;
    },
    configurable: true,
    writable: true,
  });
}
