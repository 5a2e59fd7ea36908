import { ValidateIf } from 'class-validator';

const LEFT_OUT = new WeakMap<object, Set<string>>();

/**
 * A member that may be missing and then stays as it is. Unlike `IsOptional` it does not take null, which would pass every
 * other check and be stored: null is for members whose type names it.
 */
export function MayBeLeftOut(): PropertyDecorator {
  return (target, property) => {
    const members = LEFT_OUT.get(target) ?? new Set<string>();
    LEFT_OUT.set(target, members.add(String(property)));
    ValidateIf((_object, value) => value !== undefined)(target, property);
  };
}

/** Whether a member of a class, or of one that it extends, may be left out and does not take null. */
export function mayBeLeftOut(prototype: object, property: string): boolean {
  for (let at: object | null = prototype; at !== null; at = Object.getPrototypeOf(at) as object | null) if (LEFT_OUT.get(at)?.has(property)) return true;
  return false;
}
